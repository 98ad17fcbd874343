#include "model/journal.h"

#include <signal.h>
#include <unistd.h>

#include <QDir>
#include <cerrno>

namespace flentro::app {
namespace {

constexpr int kDelay = 1000;  ///< Milliseconds from the first change to the file.
constexpr const char* kEnding = ".flentro.json";
constexpr const char* kSavedAs = "journalOf";  ///< Member of the file: the project's own.
constexpr const char* kSurveyed = "journalSurveyed";

/// "PID-N.flentro.json".
pid_t pidOf(const QString& file) {
    return static_cast<pid_t>(file.section('-', 0, 0).toLongLong());
}

bool isRunning(pid_t pid) {
    return pid > 0 && (::kill(pid, 0) == 0 || errno != ESRCH);
}

}  // namespace

QString Journal::folder() {
    const QString state =
        qEnvironmentVariable("XDG_STATE_HOME", QDir::homePath() + "/.local/state");
    return state + "/flentro";
}

Journal::Journal(Document& document, QObject* parent) : QObject(parent), document_(document) {
    static int count = 0;
    file_ = folder() + QString("/%1-%2%3").arg(::getpid()).arg(++count).arg(kEnding);
    timer_.setSingleShot(true);
    timer_.setInterval(kDelay);
    connect(&timer_, &QTimer::timeout, this, &Journal::write);
    connect(&document.projectModel(), &ProjectModel::changed, this, &Journal::noteChange);
    connect(&document.projectModel().undoStack(), &QUndoStack::cleanChanged, this,
            &Journal::noteChange);
}

Journal::~Journal() {
    QFile::remove(file_);
}

void Journal::noteChange() {
    if (document_.hasScene() && document_.projectModel().isModified()) {
        if (!timer_.isActive()) timer_.start();
    } else {
        timer_.stop();
        QFile::remove(file_);
    }
}

void Journal::write() {
    if (!document_.hasScene() || !document_.projectModel().isModified()) return;
    Project project = document_.project();
    if (!project.rest.is_object()) project.rest = Json::object();
    project.rest[kSavedAs] = document_.projectModel().file().toStdString();
    project.rest[kSurveyed] = document_.survey().surveyed().exists();
    QDir().mkpath(folder());
    // Not an error to show: the disk that is full now may not be at the next change.
    (void)saveProject(project, file_.toStdString());
}

std::vector<LeftBehind> Journal::leftBehind() {
    std::vector<LeftBehind> found;
    const QDir state(folder());
    for (const QString& name :
         state.entryList({QString("*") + kEnding}, QDir::Files, QDir::Time | QDir::Reversed)) {
        if (isRunning(pidOf(name))) continue;
        LeftBehind left;
        left.journal = state.filePath(name);
        auto project = loadProject(left.journal.toStdString());
        if (!project) continue;
        left.projectFile = QString::fromStdString(jsonOr<std::string>(project->rest, kSavedAs, ""));
        left.wasSurveyed = jsonOr(project->rest, kSurveyed, false);
        project->rest.erase(kSavedAs);
        project->rest.erase(kSurveyed);
        left.project = std::move(*project);
        found.push_back(std::move(left));
    }
    return found;
}

void Journal::discard(const LeftBehind& left) {
    QFile::remove(left.journal);
}

}  // namespace flentro::app
