#include "model/document.h"

#include <QFileInfo>
#include <algorithm>

#include "base/guarded.h"
#include "base/index.h"
#include "io/open.h"
#include "scene/changes.h"
#include "survey/starting_view.h"

namespace flentro::app {

namespace {

constexpr const char* kOpening = "Opening";
constexpr const char* kExporting = "Export";

}  // namespace

Document::Document(QObject* parent) : QObject(parent) {
    connectModels();
    connect(&files_, &FileWatch::changed, this, &Document::rereadWhenThere);
    connect(&jobs_, &JobRunner::failed, this, &Document::failed);
    connect(&evaluator_, &Evaluator::failed, this, &Document::failed);
    connect(&counter_, &ViewCounter::failed, this, &Document::failed);
    connect(&survey_, &SurveyModel::failed, this, &Document::failed);
}

/// What one model's change means for the others. Connected before any part of the window: it is
/// told when this is done.
void Document::connectModels() {
    connect(&project_, &ProjectModel::importChanged, this, &Document::reread);
    connect(&project_, &ProjectModel::changed, this, [this] {
        evaluator_.want();
        counter_.recountSoon();
        survey_.retallySoon();
    });
    connect(&evaluator_, &Evaluator::changed, this, &Document::takeResult);
    connect(&evaluator_, &Evaluator::stopped, this, [this](const Error& error) {
        report(error);
        dropExport(error);
        emit counter_.changed();
    });
    connect(&survey_, &SurveyModel::stopped, this, &Document::report);
    connect(&survey_, &SurveyModel::evidenceChanged, this, [this] {
        evaluator_.setEvidence(survey_.evidence());
        evaluator_.want();
    });
}

Document::~Document() {
    jobs_.cancelAll();
}

bool Document::isSettled() const {
    return !jobs_.isRunning() && evaluator_.isIdle() && counter_.isIdle() && survey_.isIdle();
}

bool Document::isOrderStopped() const {
    return evaluator_.isStopped() && !jobs_.has(kOpening);
}

/// The order has a result; a new scene is none yet.
void Document::takeResult() {
    if (!evaluator_.isCurrent()) return;
    counter_.recountSoon();
    survey_.retallySoon();
    survey_.surveyAgainSoon();
    exportPending();
}

void Document::report(const Error& error) {
    if (error.code != ErrorCode::Cancelled) emit failed(QString::fromStdString(describe(error)));
}

// --- opening and saving -------------------------------------------------------------------

void Document::open(const QString& file) {
    if (file.endsWith(".target.json"))
        openTarget(file);
    else if (file.endsWith(".json"))
        openProject(file);
    else
        openScene(file, std::nullopt, {});
}

void Document::openTarget(const QString& file) {
    auto target = findTarget(file.toStdString());
    if (!target) return report(target.error());
    project_.setTarget(*target, tr("Target %1").arg(QString::fromStdString(target->name)));
}

void Document::openProject(const QString& file) {
    auto project = loadProject(file.toStdString());
    if (!project) return report(project.error());
    const QString scene = QString::fromStdString(project->scene.string());
    openScene(scene, std::move(*project), file);
}

namespace {

/// Opens a scene; whatever goes wrong names the file.
Expected<ScenePtr> openShared(const std::string& path, const ImportSettings& settings,
                              Progress& progress) {
    OpenOptions options;
    options.settings = settings;
    auto scene = guarded([&] { return flentro::openScene(path, options, progress); });
    if (scene) return std::make_shared<const Scene>(std::move(*scene));
    if (scene.error().where.empty()) scene.error().where = path;
    return tl::unexpected(scene.error());
}

}  // namespace

/// Nothing of the present document changes before the new scene is there.
void Document::openScene(const QString& file, std::optional<Project> project,
                         const QString& projectFile) {
    const std::string path = QFileInfo(file).absoluteFilePath().toStdString();
    jobs_.start(kOpening,
                [this, path, project = std::move(project), file, projectFile,
                 target = target()](Progress& progress) -> JobRunner::Finish {
                    auto scene = openShared(path, project.value_or(Project{}).import, progress);
                    const auto giveUp = [this](const Error& error) {
                        return [this, error] { report(error); };
                    };
                    if (!scene) return giveUp(scene.error());
                    Project taken = project.value_or(Project{});
                    if (!project) {
                        const auto view = startingView(**scene, target, progress);
                        if (!view) return giveUp(view.error());
                        taken.target = target;
                        taken.view = *view;
                    }
                    return [this, scene = *scene, taken, file, projectFile] {
                        adopt(scene, taken, file, projectFile);
                    };
                });
}

/// A document of its own begins.
void Document::adopt(ScenePtr scene, const Project& project, const QString& file,
                     const QString& projectFile) {
    const QString absolute = QFileInfo(file).absoluteFilePath();
    pendingExport_.reset();
    survey_.clear();
    selection_.reset();
    evaluator_.setEvidence(survey_.evidence());
    evaluator_.setSource(std::move(scene));
    Project taken = project;
    taken.scene = absolute.toStdString();
    // What is recovered is held by no file.
    project_.adopt(taken, projectFile, !std::exchange(recovering_, false));
    announceScene();
    emit opened(projectFile.isEmpty() ? absolute : projectFile);
    if (std::exchange(surveysAgain_, false)) survey_.run();
}

/// Its own counts are shown before the order's: what is told of the project asks for them.
void Document::announceScene() {
    counter_.clear();
    files_.watch(source()->files);
    emit sceneChanged();
    emit project_.changed();
    emit evaluator_.changed();
    emit project_.viewChanged();
    emit survey_.changed();
    emit selection_.changed();
    evaluator_.evaluateNow();
}

namespace {

/// The marks of a list whose elements are elsewhere now.
std::vector<bool> movedMarks(const std::vector<bool>& marks, const std::vector<int>& where,
                             std::size_t count) {
    std::vector<bool> moved(marks.empty() ? 0 : count, false);
    for (std::size_t i = 0; i < std::min(marks.size(), where.size()); ++i)
        if (marks[i] && where[i] >= 0) elementOf(moved, where[i]) = true;
    return moved;
}

}  // namespace

/// The same document goes on with what its scene is now: undo, project, selection, what-if and
/// survey stay, by the identity of things.
void Document::adoptAgain(ScenePtr scene) {
    const ScenePtr before = source();
    evaluator_.setSource(std::move(scene));
    const SceneMatch where = matchScenes(*before, *source());
    Without off = selection_.without();
    off.objects = movedMarks(off.objects, where.objects, source()->objects.size());
    off.lights = movedMarks(off.lights, where.placedLights, source()->placedLights.size());
    const int selected = selection_.object();
    selection_.move(selected < 0 ? selected : elementOf(where.objects, selected), std::move(off));
    survey_.move(where);
    evaluator_.setEvidence(survey_.evidence());
    const bool isSurveying = jobs_.has(kSurveying);
    announceScene();
    if (isSurveying) survey_.run();
    emit readAgain(tr("%1 was read again: %2")
                       .arg(QFileInfo(QString::fromStdString(project().scene.string())).fileName(),
                            QString::fromStdString(describeChanges(*before, *source()))));
}

// --- files that change --------------------------------------------------------------------

/// Reads again where a file has changed and the scene is there; never in place of another scene
/// that is being opened.
void Document::rereadWhenThere() {
    if (!hasScene()) return;
    const bool isThere = QFileInfo::exists(QString::fromStdString(project().scene.string()));
    if (!isThere || jobs_.has(kOpening))
        files_.lookSoon();
    else
        reread();
}

namespace {

bool isOfSameUnits(const SourceUnits& a, const SourceUnits& b) {
    return a.unit == b.unit && a.up == b.up;
}

}  // namespace

/// With every setting as it is when the reading ends.
void Document::reread() {
    files_.setKnown(files_.stamps());
    const std::string path = project().scene.string();
    jobs_.start(
        kOpening,
        [this, path, settings = project().import, before = source(),
         target = target()](Progress& progress) -> JobRunner::Finish {
            auto scene = openShared(path, settings, progress);
            std::optional<Viewpoint> view;  // Where the old one would be nowhere near the scene.
            if (scene && !isOfSameUnits(before->sourceUnits, (*scene)->sourceUnits))
                if (const auto first = startingView(**scene, target, progress)) view = *first;
            return [this, scene, path, settings, view] {
                if (path != project().scene.string() || settings != project().import) return;
                const FileWatch::Stamps read = files_.known();
                if (view) project_.moveView(*view);
                if (scene)
                    adoptAgain(*scene);
                else
                    report(scene.error());
                files_.watch(source()->files);
                // What was written while it was read has not been seen yet.
                files_.setKnown(read);
                files_.lookSoon();
            };
        });
}

void Document::saveProject(const QString& file) {
    if (auto done = project_.save(file); !done) report(done.error());
}

void Document::recover(const Project& project, const QString& projectFile, bool isSurveyed) {
    recovering_ = true;
    surveysAgain_ = isSurveyed;
    openScene(QString::fromStdString(project.scene.string()), project, projectFile);
}

// --- exporting ----------------------------------------------------------------------------

void Document::exportResult(const QString& file, const ExportOptions& options) {
    if (!hasScene()) return;
    if (evaluator_.isCurrent()) return startExport(file, options);
    pendingExport_ = {file, options};
    emit exportWaiting();
    if (isOrderStopped()) evaluator_.evaluateNow();
}

void Document::startExport(const QString& file, const ExportOptions& options) {
    jobs_.start(kExporting,
                [this, options, file, scene = result(),
                 target = target()](Progress& progress) -> JobRunner::Finish {
                    auto done = exportScene(*scene, target, file.toStdString(), options, progress);
                    if (!done) return [this, error = done.error()] { report(error); };
                    return [this, file, bytes = static_cast<double>(done->bytes)] {
                        emit exported(file, bytes);
                    };
                });
}

/// What was asked for while the order was worked out.
void Document::exportPending() {
    if (!pendingExport_ || !evaluator_.isCurrent()) return;
    const PendingExport pending = *std::exchange(pendingExport_, std::nullopt);
    startExport(pending.file, pending.options);
}

/// The order was stopped, or cannot be worked out.
void Document::dropExport(const Error& error) {
    const auto pending = std::exchange(pendingExport_, std::nullopt);
    if (!pending) return;
    emit failed(tr("%1 was not exported: the work order has no result. %2")
                    .arg(QFileInfo(pending->file).fileName(),
                         error.code == ErrorCode::Cancelled
                             ? tr("It was stopped; press F5 to go on.")
                             : QString::fromStdString(describe(error))));
}

// --- what if ------------------------------------------------------------------------------

void Document::switchOff(const std::vector<std::size_t>& objects) {
    if (!hasScene() || objects.empty()) return;
    Without off = selection_.without();
    off.objects.resize(source()->objects.size(), false);
    for (const std::size_t object : objects) off.objects[object] = true;
    selection_.setWithout(std::move(off));
}

}  // namespace flentro::app
