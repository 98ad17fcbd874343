// flentro: the window.

#include <signal.h>

#include <QCommandLineParser>
#include <QSettings>
#include <cstdio>

#include "application.h"
#include "main_window.h"

int main(int argc, char** argv) {
    using namespace flentro::app;
    QApplication::setAttribute(Qt::AA_ShareOpenGLContexts);
    Application application(argc, argv);
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
    setTheme(application, QSettings().value("sheet") == "day" ? ThemeName::Day : ThemeName::Night);
    signal(SIGXFSZ, SIG_IGN);  // a file-size limit is an error to tell, not an end
    MainWindow window;
    application.onFailure = [&](const QString& text) { window.showFailure(text); };
    window.show();
    window.offerRecovery();
    for (const QString& file : parser.positionalArguments()) window.open(file);
    return QApplication::exec();
}
