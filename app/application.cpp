#include "application.h"

#include "base/guarded.h"

namespace flentro::app {

bool Application::notify(QObject* receiver, QEvent* event) {
    const auto done =
        guarded([&]() -> Expected<bool> { return QApplication::notify(receiver, event); });
    if (done) return *done;
    if (onFailure) onFailure(QString::fromStdString(describe(done.error())));
    return true;
}

}  // namespace flentro::app
