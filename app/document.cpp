#include "document.h"

#include <QFileInfo>
#include <QUndoCommand>
#include <algorithm>
#include <deque>

#include "io/file.h"
#include "io/open.h"
#include "measure/view_meter.h"
#include "survey/spots.h"

namespace flentro::app {

/// Counts views of the source and of every step; built at its first use, on the worker that
/// counts, and kept while the artist walks.
class Counters {
public:
    Counters(Evaluation evaluation, std::optional<Evaluation> without, Target target)
        : evaluation_(std::move(evaluation)),
          without_(std::move(without)),
          target_(std::move(target)) {}

    Here count(const Viewpoint& view, const Without& off) {
        if (!before_) build();
        Here here;
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

}  // namespace

Document::Document(QObject* parent) : QObject(parent), cache_(std::make_shared<StepCache>()) {
    project_.target = shippedTargets()[3];
    evaluateTimer_.setSingleShot(true);
    evaluateTimer_.setInterval(kSettleMilliseconds);
    connect(&evaluateTimer_, &QTimer::timeout, this, &Document::evaluateNow);
    rereadTimer_.setSingleShot(true);
    rereadTimer_.setInterval(400);
    connect(&rereadTimer_, &QTimer::timeout, this, &Document::reread);
    connect(&watcher_, &QFileSystemWatcher::fileChanged, this, [this] { rereadTimer_.start(); });
}

bool Document::isSettled() const {
    return !jobs_.isRunning() && tallier_.isIdle() && !evaluateTimer_.isActive() &&
           counter_.isIdle() && resurveyor_.isIdle();
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
        openScene(file, std::nullopt);
}

void Document::openTarget(const QString& file) {
    auto target = findTarget(file.toStdString());
    if (!target) return report(target.error());
    setTarget(*target, tr("Target %1").arg(QString::fromStdString(target->name)));
}

void Document::openProject(const QString& file) {
    auto project = loadProject(file.toStdString());
    if (!project) return report(project.error());
    projectFile_ = file;
    const QString scene = QString::fromStdString(project->scene.string());
    openScene(scene, std::move(*project));
}

void Document::openScene(const QString& file, std::optional<Project> project) {
    const std::string path = QFileInfo(file).absoluteFilePath().toStdString();
    if (!project) projectFile_.clear();
    jobs_.start(kOpening, [this, path, project, file](Progress& progress) -> JobRunner::Finish {
        auto scene = flentro::openScene(path, {}, progress);
        if (!scene) return [this, error = scene.error()] { report(error); };
        auto shared = std::make_shared<Scene>(std::move(*scene));
        return [this, shared, project, file] { adopt(std::move(*shared), project, file); };
    });
}

void Document::adopt(Scene scene, std::optional<Project> project, const QString& file) {
    const QString absolute = QFileInfo(file).absoluteFilePath();
    const bool again = source_ && project_.scene == absolute.toStdString() && !project;
    source_ = std::make_shared<const Scene>(std::move(scene));
    result_ = source_;
    evaluation_ = {source_, {}};
    counters_.reset();
    surveyed_ = {};
    evidence_ = std::make_shared<const Evidence>();
    off_ = {};
    selectedObject_ = -1;
    if (project) {
        project_ = *project;
    } else if (!again) {
        const Target target = project_.target;
        project_ = Project{};
        project_.target = target;
        project_.view = startingView(*source_);
    }
    project_.scene = absolute.toStdString();
    if (!again) undo_.clear();
    watch(absolute);
    emit sceneChanged();
    emit projectChanged();
    emit resultChanged();
    emit viewChanged();
    emit surveyChanged();
    emit offChanged();
    evaluateNow();
    emit opened(projectFile_.isEmpty() ? absolute : projectFile_);
}

void Document::watch(const QString& file) {
    if (!watcher_.files().isEmpty()) watcher_.removePaths(watcher_.files());
    watcher_.addPath(file);
}

/// The file changed on disk: read it again, with every setting kept.
void Document::reread() {
    const QString file = QString::fromStdString(project_.scene.string());
    if (!QFileInfo::exists(file)) {
        rereadTimer_.start();
        return;
    }
    openScene(file, project_);
}

void Document::saveProject(const QString& file) {
    if (auto done = flentro::saveProject(project_, file.toStdString()); !done)
        return report(done.error());
    projectFile_ = file;
    undo_.setClean();
    emit projectChanged();
}

void Document::exportResult(const QString& file, const ExportOptions& options) {
    jobs_.start("Export",
                [this, options, file, scene = result_,
                 target = project_.target](Progress& progress) -> JobRunner::Finish {
                    auto done = exportScene(*scene, target, file.toStdString(), options, progress);
                    if (!done) return [this, error = done.error()] { report(error); };
                    return [this, file, bytes = static_cast<double>(done->bytes)] {
                        emit exported(file, bytes);
                    };
                });
}

// --- changes ------------------------------------------------------------------------------

void Document::apply(const Project& project) {
    const Viewpoint view = project_.view;
    const auto scene = project_.scene;
    project_ = project;
    project_.view = view;
    project_.scene = scene;
    emit projectChanged();
    evaluateSoon();
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
    return done ? done.record->merge.get() : nullptr;
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
    jobs_.start(
        kEvaluating,
        [this, order = project_.order, source = source_, cache = cache_, evidence = evidence_,
         target = project_.target](Progress& progress) -> JobRunner::Finish {
            auto evaluation = evaluate(order, source, target, *cache, progress, *evidence);
            if (!evaluation) return [this, error = evaluation.error()] { report(error); };
            const Counts whole = wholeSceneCost(evaluation->result(), target).counts;
            return [this, whole, source, evaluation = std::move(*evaluation)] {
                if (source != source_) return;
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
            };
        });
}

/// What the result would be without the selected fix, for the ghost ticks.
void Document::evaluateWithoutSelected() {
    WorkOrder order = project_.order;
    Fix* fix = order.find(selectedFix_);
    if (!fix || !fix->on) return;
    fix->on = false;
    jobs_.start("Without this fix",
                [this, order, source = source_, cache = cache_, evidence = evidence_,
                 target = project_.target](Progress& progress) -> JobRunner::Finish {
                    auto evaluation = evaluate(order, source, target, *cache, progress, *evidence);
                    if (!evaluation) return {};
                    return [this, source, evaluation = std::move(*evaluation)] {
                        if (source != source_) return;
                        without_ = evaluation;
                        recountSoon();
                    };
                });
}

void Document::countSoon() {
    if (!source_) return;
    if (!counters_) counters_ = std::make_shared<Counters>(evaluation_, without_, project_.target);
    counter_.request(
        [this, counters = counters_, view = project_.view, off = off_]() -> std::function<void()> {
            auto here = std::make_shared<Here>(counters->count(view, off));
            return [this, here] {
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
