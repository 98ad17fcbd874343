// The project's unsaved changes, kept in the user's state folder while the window runs.

#pragma once

#include <QTimer>
#include <optional>

#include "model/document.h"

namespace flentro::app {

/// A project that a window left behind when it was killed.
struct LeftBehind {
    QString journal;      ///< The file that holds it.
    QString projectFile;  ///< Where it was saved last; empty: never.
    Project project;
    bool wasSurveyed = false;  ///< Its fixes went by a survey.
};

/// Writes the project a second after a change, atomically, and takes it away once it is saved or
/// the window is closed: what stays was left by a window that was killed.
class Journal : public QObject {
    Q_OBJECT

public:
    explicit Journal(Document& document, QObject* parent = nullptr);
    ~Journal() override;

    /// "$XDG_STATE_HOME/flentro", by default "~/.local/state/flentro".
    [[nodiscard]] static QString folder();
    /// Journals of windows that no longer run, oldest first; unreadable ones are passed over.
    [[nodiscard]] static std::vector<LeftBehind> leftBehind();
    static void discard(const LeftBehind& left);

    /// Writes what is not saved now.
    void write();

private:
    void noteChange();

    Document& document_;
    QString file_;
    QTimer timer_;
};

}  // namespace flentro::app
