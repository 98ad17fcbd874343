// Tells when files have changed on disk, also by being replaced.

#pragma once

#include <QDateTime>
#include <QFileSystemWatcher>
#include <QObject>
#include <QTimer>
#include <filesystem>
#include <map>
#include <vector>

namespace flentro::app {

class FileWatch : public QObject {
    Q_OBJECT

public:
    /// When each file was written and how large it is; -1: it is not there.
    using Stamps = std::map<QString, std::pair<QDateTime, qint64>>;

    explicit FileWatch(QObject* parent = nullptr);

    /// From now on these and no others; as they are now is known.
    void watch(const std::vector<std::filesystem::path>& files);
    /// Of the files as they are now.
    [[nodiscard]] Stamps stamps() const;
    /// What a change is a difference from.
    [[nodiscard]] const Stamps& known() const { return known_; }
    void setKnown(Stamps stamps) { known_ = std::move(stamps); }
    /// Compares a moment later, as after a sign of change: writing takes its time.
    void lookSoon() { timer_.start(); }

signals:
    void changed();

private:
    void look();

    std::vector<std::filesystem::path> files_;
    Stamps known_;
    QFileSystemWatcher watcher_;
    QTimer timer_;
};

}  // namespace flentro::app
