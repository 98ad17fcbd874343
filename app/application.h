// The application object: where exceptions of event handlers end.

#pragma once

#include <QApplication>
#include <functional>

namespace flentro::app {

class Application : public QApplication {
public:
    Application(int& argc, char** argv) : QApplication(argc, argv) {}

    /// Called with a sentence when an event handler has thrown; the event counts as handled.
    std::function<void(const QString&)> onFailure;

    bool notify(QObject* receiver, QEvent* event) override;
};

}  // namespace flentro::app
