#include "model/document.h"

#include <QDateTime>
#include <QElapsedTimer>
#include <QFileInfo>
#include <QUndoCommand>
#include <algorithm>
#include <deque>

#include "base/guarded.h"
#include "base/index.h"
#include "fixes/evaluation_file.h"
#include "io/open.h"
#include "measure/view_meter.h"
#include "scene/changes.h"
#include "survey/starting_view.h"

namespace flentro::app {

/// Counts views of the source and of every step; built at its first use, on the worker that
/// counts, and kept while the artist walks.
class Counters {
public:
    Counters(Evaluation evaluation, std::optional<Evaluation> without, Target target)
        : evaluation_(std::move(evaluation)),
          without_(std::move(without)),
          target_(std::move(target)) {}

    ViewCounts count(const Viewpoint& view, const Without& off) {
        if (!before_) build();
        ViewCounts here;
        here.source = here.result = evaluation_.source;
        if (!evaluation_.steps.empty()) {
            const auto& last = evaluation_.steps.back().result;
            here.result = ScenePtr(last, &last->scene);
        }
        here.before = before_->cost(view);
        here.after = off.empty() ? here.before : before_->cost(view, off);
        for (std::size_t i = 0; i < steps_.size(); ++i) {
            here.after =
                steps_[i].cost(view, flentro::without(evaluation_.steps[i].result->scene, off));
            here.steps.push_back(here.after.counts);
        }
        if (withoutSelected_)
            here.without =
                withoutSelected_->cost(view, flentro::without(without_->result(), off)).counts;
        return here;
    }

private:
    void build() {
        before_.emplace(*evaluation_.source, target_);
        for (const Step& step : evaluation_.steps) steps_.emplace_back(step.result->scene, target_);
        if (without_) withoutSelected_.emplace(without_->result(), target_);
    }

    const Evaluation evaluation_;
    const std::optional<Evaluation> without_;
    const Target target_;
    std::optional<ViewMeter> before_;
    std::deque<ViewMeter> steps_;
    std::optional<ViewMeter> withoutSelected_;
};

/// One step of undo: whole projects are cheap values.
class ProjectChange : public QUndoCommand {
public:
    ProjectChange(Document& document, Project next, const QString& text)
        : QUndoCommand(text),
          document_(document),
          before_(document.project_),
          after_(std::move(next)) {}
    void undo() override { document_.apply(before_); }
    void redo() override { document_.apply(after_); }

private:
    Document& document_;
    Project before_;
    Project after_;
};

namespace {

constexpr int kSettleMilliseconds = 120;
constexpr const char* kOpening = "Opening";
constexpr const char* kEvaluating = "Work order";
constexpr const char* kExporting = "Export";
constexpr int kWorthKeeping = 1000;  ///< Milliseconds of an evaluation.

}  // namespace

Document::Document(QObject* parent) : QObject(parent), cache_(std::make_shared<StepCache>()) {
    project_.target = shippedTargets()[3];
    evaluateTimer_.setSingleShot(true);
    evaluateTimer_.setInterval(kSettleMilliseconds);
    connect(&evaluateTimer_, &QTimer::timeout, this, &Document::evaluateNow);
    connect(&files_, &FileWatch::changed, this, &Document::rereadWhenThere);
    connect(&jobs_, &JobRunner::failed, this, &Document::failed);
    for (LatestRunner* runner : {&tallier_, &resurveyor_, &counter_, &keeper_})
        connect(runner, &LatestRunner::failed, this, &Document::failed);
}

Document::~Document() {
    *closing_ = true;
    ++*generation_;
    jobs_.cancelAll();
}

bool Document::isSettled() const {
    return !jobs_.isRunning() && tallier_.isIdle() && !evaluateTimer_.isActive() &&
           counter_.isIdle() && resurveyor_.isIdle() && keeper_.isIdle();
}

Document::Freshness Document::freshness() const {
    if (!hasScene() || here_.source != source_) return Freshness::Nothing;
    return isResultCurrent() && here_.result == result_ ? Freshness::Current : Freshness::Original;
}

bool Document::isOrderStopped() const {
    return hasScene() && !isResultCurrent() && !evaluateTimer_.isActive() &&
           !jobs_.has(kEvaluating) && !jobs_.has(kOpening);
}

void Document::evaluateAgain() {
    if (!isResultCurrent()) evaluateNow();
}

/// Whatever the result was, another one is wanted now.
void Document::wantResult() {
    ++wanted_;
    evaluateSoon();
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
    setTarget(*target, tr("Target %1").arg(QString::fromStdString(target->name)));
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
                [this, path, project, file, projectFile,
                 target = project_.target](Progress& progress) -> JobRunner::Finish {
                    auto scene = openShared(path, project.value_or(Project{}).import, progress);
                    if (!scene) return [this, error = scene.error()] { report(error); };
                    Project taken = project.value_or(Project{});
                    if (!project) {
                        taken.target = target;
                        taken.view = startingView(**scene, target, progress);
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
    jobs_.cancel(kSurveying);
    pendingExport_.reset();
    projectFile_ = projectFile;
    source_ = std::move(scene);
    surveyed_ = {};
    evidence_ = std::make_shared<const Evidence>();
    off_ = {};
    selectedObject_ = -1;
    selectedFix_ = 0;
    project_ = project;
    project_.scene = absolute.toStdString();
    undo_.clear();
    if (std::exchange(recovering_, false)) undo_.resetClean();  // no file holds its changes
    announceScene();
    emit opened(projectFile_.isEmpty() ? absolute : projectFile_);
}

/// Takes up a scene: its own counts are shown before the order's.
void Document::announceScene() {
    result_ = source_;
    evaluation_ = {source_, {}};
    without_.reset();
    here_ = {};
    ++wanted_;
    files_.watch(source_->files);
    emit sceneChanged();
    emit projectChanged();
    emit resultChanged();
    emit viewChanged();
    emit surveyChanged();
    emit offChanged();
    recountSoon();
    evaluateNow();
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
    const ScenePtr before = std::exchange(source_, std::move(scene));
    const SceneMatch where = matchScenes(*before, *source_);
    off_.objects = movedMarks(off_.objects, where.objects, source_->objects.size());
    off_.lights = movedMarks(off_.lights, where.placedLights, source_->placedLights.size());
    if (selectedObject_ >= 0) selectedObject_ = elementOf(where.objects, selectedObject_);
    evidence_ = std::make_shared<const Evidence>(withMovedOrigins(*evidence_, where));
    surveyed_.before.clear();
    surveyed_.after.clear();
    const bool surveying = jobs_.has(kSurveying);
    announceScene();
    emit selectionChanged();
    retallySoon();
    if (surveying) runSurvey();
    emit readAgain(tr("%1 was read again: %2")
                       .arg(QFileInfo(QString::fromStdString(project_.scene.string())).fileName(),
                            QString::fromStdString(describeChanges(*before, *source_))));
}

// --- files that change --------------------------------------------------------------------

/// Reads again where a file has changed and the scene is there; never in place of another scene
/// that is being opened.
void Document::rereadWhenThere() {
    if (!source_) return;
    const bool isThere = QFileInfo::exists(QString::fromStdString(project_.scene.string()));
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
    const std::string path = project_.scene.string();
    jobs_.start(
        kOpening,
        [this, path, settings = project_.import, before = source_,
         target = project_.target](Progress& progress) -> JobRunner::Finish {
            auto scene = openShared(path, settings, progress);
            std::optional<Viewpoint> view;  // Where the old one would be nowhere near the scene.
            if (scene && !isOfSameUnits(before->sourceUnits, (*scene)->sourceUnits))
                view = startingView(**scene, target, progress);
            return [this, scene, path, settings, view] {
                if (path != project_.scene.string() || settings != project_.import) return;
                const FileWatch::Stamps read = files_.known();
                if (view) project_.view = *view;
                if (scene)
                    adoptAgain(*scene);
                else
                    report(scene.error());
                files_.watch(source_->files);
                // What was written while it was read has not been seen yet.
                files_.setKnown(read);
                files_.lookSoon();
            };
        });
}

void Document::saveProject(const QString& file) {
    if (auto done = flentro::saveProject(project_, file.toStdString()); !done)
        return report(done.error());
    projectFile_ = file;
    undo_.setClean();
    emit projectChanged();
}

void Document::recover(const Project& project, const QString& projectFile) {
    recovering_ = true;
    openScene(QString::fromStdString(project.scene.string()), project, projectFile);
}

// --- exporting ----------------------------------------------------------------------------

void Document::exportResult(const QString& file, const ExportOptions& options) {
    if (!hasScene()) return;
    if (isResultCurrent()) return startExport(file, options);
    pendingExport_ = {file, options};
    emit exportWaiting();
    if (isOrderStopped()) evaluateNow();
}

void Document::startExport(const QString& file, const ExportOptions& options) {
    jobs_.start(kExporting,
                [this, options, file, scene = result_,
                 target = project_.target](Progress& progress) -> JobRunner::Finish {
                    auto done = exportScene(*scene, target, file.toStdString(), options, progress);
                    if (!done) return [this, error = done.error()] { report(error); };
                    return [this, file, bytes = static_cast<double>(done->bytes)] {
                        emit exported(file, bytes);
                    };
                });
}

/// What was asked for while the order was worked out.
void Document::exportPending() {
    if (!pendingExport_ || !isResultCurrent()) return;
    const PendingExport pending = *std::exchange(pendingExport_, std::nullopt);
    startExport(pending.file, pending.options);
}

// --- changes ------------------------------------------------------------------------------

void Document::apply(const Project& project) {
    const Viewpoint view = project_.view;
    const auto scene = project_.scene;
    const bool readOtherwise = project.import != project_.import;
    project_ = project;
    project_.view = view;
    project_.scene = scene;
    if (readOtherwise) reread();
    wantResult();  // before anybody is told: what is shown is old from here on
    emit projectChanged();
    recountSoon();
    retallySoon();
}

void Document::change(Project next, const QString& text) {
    undo_.push(new ProjectChange(*this, std::move(next), text));
}

void Document::setTarget(const Target& target, const QString& text) {
    Project next = project_;
    next.target = target;
    change(std::move(next), text);
}

void Document::setImport(const ImportSettings& settings, const QString& text) {
    Project next = project_;
    next.import = settings;
    change(std::move(next), text);
}

void Document::setOrder(const WorkOrder& order, const QString& text) {
    Project next = project_;
    next.order = order;
    change(std::move(next), text);
}

void Document::setSpots(const std::vector<Spot>& spots, const QString& text) {
    Project next = project_;
    next.spots = spots;
    change(std::move(next), text);
}

void Document::setSurvey(const SurveyRequest& request, const QString& text) {
    Project next = project_;
    next.survey = request;
    change(std::move(next), text);
}

void Document::setWalk(const std::vector<Viewpoint>& walk, const QString& text) {
    Project next = project_;
    next.walk = walk;
    next.survey.where = SurveyRequest::Where::Walk;
    change(std::move(next), text);
}

void Document::setAside(const std::string& asset, bool aside) {
    Project next = project_;
    if (aside)
        next.setAside.insert(asset);
    else
        next.setAside.erase(asset);
    const QString name = QString::fromStdString(asset);
    change(std::move(next), aside ? tr("Set aside %1").arg(name) : tr("Take up %1").arg(name));
}

void Document::setFindingAside(const std::string& identity, const std::string& reason,
                               const QString& name) {
    Project next = project_;
    next.findingsAside[identity] = reason;
    change(std::move(next), tr("Set aside %1").arg(name));
}

void Document::takeUpFinding(const std::string& identity, const QString& name) {
    Project next = project_;
    next.findingsAside.erase(identity);
    change(std::move(next), tr("Take up %1").arg(name));
}

void Document::setView(const Viewpoint& view) {
    project_.view = view;
    emit viewChanged();
    countSoon();
}

void Document::selectObject(int object) {
    if (object == selectedObject_) return;
    selectedObject_ = object;
    emit selectionChanged();
}

Document::Done Document::doneBy(int fix) const {
    Done done;
    done.before = evaluation_.source;
    for (const Step& step : evaluation_.steps) {
        done.after = ScenePtr(step.result, &step.result->scene);
        done.record = &step.result->record;
        done.step = &step;
        if (step.fix == fix) return done;
        done.before = done.after;
    }
    return {};
}

const MergeReport* Document::shownParcels() const {
    const Done done = doneBy(markedFix());
    return done ? done.record->reportAs<MergeReport>() : nullptr;
}

void Document::showMarks(bool shown) {
    if (shown == marksShown_) return;
    marksShown_ = shown;
    emit selectionChanged();
}

void Document::chooseParcel(int index) {
    if (index == chosenParcel_) return;
    chosenParcel_ = index;
    emit selectionChanged();
}

void Document::selectFix(int id) {
    if (id == selectedFix_) return;
    selectedFix_ = id;
    chosenParcel_ = -1;
    emit selectionChanged();
    evaluateSoon();
}

// --- computing ----------------------------------------------------------------------------

void Document::evaluateSoon() {
    if (source_) evaluateTimer_.start();
}

void Document::evaluateNow() {
    if (!source_) return;
    evaluateTimer_.stop();
    jobs_.start(
        kEvaluating,
        [this, order = project_.order, source = source_, cache = cache_, evidence = evidence_,
         target = project_.target, wanted = wanted_,
         kept = keptResults()](Progress& progress) -> JobRunner::Finish {
            QElapsedTimer clock;
            clock.start();
            if (!kept.empty())
                (void)loadEvaluation(kept, lastKeyOf(order, source, target, *evidence), *cache);
            auto evaluation = evaluate(order, source, target, *cache, progress, *evidence);
            if (!evaluation)
                return [this, error = evaluation.error()] {
                    report(error);
                    if (const auto pending = std::exchange(pendingExport_, std::nullopt))
                        emit failed(tr("%1 was not exported: the work order has no result. %2")
                                        .arg(QFileInfo(pending->file).fileName(),
                                             error.code == ErrorCode::Cancelled
                                                 ? tr("It was stopped; press F5 to go on.")
                                                 : QString::fromStdString(describe(error))));
                    emit countsChanged();
                };
            const Counts whole = wholeSceneCost(evaluation->result(), target).counts;
            const bool worthKeeping = clock.elapsed() > kWorthKeeping && evidence->empty();
            return [this, whole, source, wanted, worthKeeping,
                    evaluation = std::move(*evaluation)] {
                if (source != source_) return;
                if (worthKeeping) keepResults(evaluation);
                evaluated_ = wanted;
                evaluation_ = evaluation;
                whole_ = whole;
                result_ = std::shared_ptr<const Scene>(
                    evaluation.steps.empty() ? source_
                                             : ScenePtr(evaluation.steps.back().result,
                                                        &evaluation.steps.back().result->scene));
                without_.reset();
                emit resultChanged();
                recountSoon();
                retallySoon();
                surveyAgainSoon();
                evaluateWithoutSelected();
                exportPending();
            };
        },
        Lane::Order);
}

/// Beside the project: as it is before a survey, which is how it is opened next.
std::filesystem::path Document::keptResults() const {
    return projectFile_.isEmpty() ? "" : projectFile_.toStdString() + ".results";
}

void Document::keepResults(const Evaluation& evaluation) {
    const std::filesystem::path path = keptResults();
    if (path.empty()) return;
    keeper_.request([evaluation, path]() -> std::function<void()> {
        // Not an error if the folder cannot be written: it is evaluated anew next time.
        (void)saveEvaluation(evaluation, path);
        return [] {};
    });
}

/// What the result would be without the selected fix, for the ghost ticks.
void Document::evaluateWithoutSelected() {
    WorkOrder order = project_.order;
    Fix* fix = order.find(selectedFix_);
    if (!fix || !fix->on) return;
    fix->on = false;
    jobs_.start(
        "Without this fix",
        [this, order, source = source_, cache = cache_, evidence = evidence_,
         target = project_.target](Progress& progress) -> JobRunner::Finish {
            auto evaluation = evaluate(order, source, target, *cache, progress, *evidence);
            if (!evaluation) return {};
            return [this, source, evaluation = std::move(*evaluation)] {
                if (source != source_) return;
                without_ = evaluation;
                recountSoon();
            };
        },
        Lane::Order);
}

void Document::countSoon() {
    if (!source_) return;
    if (!counters_) counters_ = std::make_shared<Counters>(evaluation_, without_, project_.target);
    counter_.request(
        [this, counters = counters_, view = project_.view, off = off_]() -> std::function<void()> {
            auto here = std::make_shared<ViewCounts>(counters->count(view, off));
            return [this, here] {
                if (here->source != source_) return;
                here_ = std::move(*here);
                emit countsChanged();
            };
        });
}

/// Something other than the view changed what the counters count.
void Document::recountSoon() {
    counters_.reset();
    countSoon();
}

}  // namespace flentro::app
