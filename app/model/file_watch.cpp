#include "model/file_watch.h"

#include <QFileInfo>

namespace flentro::app {
namespace {

constexpr int kQuietMilliseconds = 400;

}  // namespace

FileWatch::FileWatch(QObject* parent) : QObject(parent) {
    timer_.setSingleShot(true);
    timer_.setInterval(kQuietMilliseconds);
    connect(&timer_, &QTimer::timeout, this, &FileWatch::look);
    connect(&watcher_, &QFileSystemWatcher::fileChanged, this, &FileWatch::lookSoon);
    connect(&watcher_, &QFileSystemWatcher::directoryChanged, this, &FileWatch::lookSoon);
}

/// Their folders as well: a file that is replaced by another of its name is no longer watched
/// itself.
void FileWatch::watch(const std::vector<std::filesystem::path>& files) {
    files_ = files;
    if (!watcher_.files().isEmpty()) watcher_.removePaths(watcher_.files());
    if (!watcher_.directories().isEmpty()) watcher_.removePaths(watcher_.directories());
    known_ = stamps();
    QStringList paths;
    for (const auto& [file, stamp] : known_) {
        paths << QFileInfo(file).absolutePath();
        if (stamp.second >= 0) paths << file;
    }
    paths.removeDuplicates();
    if (!paths.isEmpty()) watcher_.addPaths(paths);
}

FileWatch::Stamps FileWatch::stamps() const {
    Stamps stamps;
    for (const std::filesystem::path& file : files_) {
        const QFileInfo info(QString::fromStdString(file.string()));
        stamps[info.absoluteFilePath()] = {info.lastModified(), info.exists() ? info.size() : -1};
    }
    return stamps;
}

void FileWatch::look() {
    if (stamps() != known_) emit changed();
}

}  // namespace flentro::app
