// flentro: the window.

#include <QApplication>
#include <QCommandLineParser>
#include <QSettings>
#include <cstdio>

#include "main_window.h"

int main(int argc, char** argv) {
    using namespace flentro::app;
    QApplication::setAttribute(Qt::AA_ShareOpenGLContexts);
    QApplication application(argc, argv);
    QApplication::setOrganizationName("Flentro");
    QApplication::setApplicationName("Flentro");
    QApplication::setApplicationVersion(FLENTRO_VERSION);
    if (QGuiApplication::platformName() == "offscreen" ||
        QGuiApplication::platformName() == "minimal") {
        std::fprintf(stderr,
                     "flentro: this Qt platform cannot draw the 3D view; use flentro-cli, or "
                     "run under Xvfb.\n");
        return 2;
    }
    QCommandLineParser parser;
    parser.setApplicationDescription("Brings heavy 3D scenes within a platform's frame budget.");
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument("file", "A scene, project or target to open.", "[file ...]");
    parser.process(application);
    setSheet(application, QSettings().value("sheet") == "day" ? Sheet::Day : Sheet::Night);
    MainWindow window;
    window.show();
    for (const QString& file : parser.positionalArguments()) window.open(file);
    return QApplication::exec();
}
