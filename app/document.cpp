#include "document.h"

#include <QFileInfo>
#include <QUndoCommand>
#include <algorithm>
#include <deque>
#include <sstream>

#include "io/file.h"
#include "io/open.h"
#include "measure/view_meter.h"
#include "survey/spots.h"
#include "survey/survey_file.h"

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

void Document::exportResult(const QString& file, LevelLayout levels) {
    ExportOptions options;
    options.levels = levels;
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
    Done done{evaluation_.source, nullptr, nullptr};
    for (const Step& step : evaluation_.steps) {
        done.after = ScenePtr(step.result, &step.result->scene);
        done.record = &step.result->record;
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

// --- survey -------------------------------------------------------------------------------

namespace {

using Where = SurveyRequest::Where;

Expected<std::vector<SurveySpot>> keptSpots(const Project& project) {
    std::vector<SurveySpot> spots;
    for (const Spot& spot : project.spots) spots.push_back({spot.name, spot.view.eye, 0, {}});
    if (spots.empty())
        return fail(ErrorCode::NotFound, "No spots are kept yet", {},
                    "Walk to places that players reach and keep them");
    return spots;
}

Expected<std::vector<SurveySpot>> spotsOnLine(const Scene& scene, const Project& project) {
    auto line = project.survey.where == Where::Walk ? Expected<std::vector<Viewpoint>>(project.walk)
                                                    : animatedPath(scene, project.survey.node);
    if (!line) return tl::unexpected(line.error());
    if (line->empty())
        return fail(ErrorCode::NotFound, "No walk is recorded yet", {},
                    "Press Record walk, walk, and press it again");
    std::vector<SurveySpot> spots = spotsAlong(*line, project.survey.spacing);
    for (SurveySpot& spot : spots) spot.views.clear();  // all around, like everywhere
    return spots;
}

/// Makes `rays` if it needs them.
Expected<std::vector<SurveySpot>> spotsFor(const Scene& scene, const Project& project,
                                           std::unique_ptr<RayScene>& rays, Progress& progress) {
    const SurveyRequest& request = project.survey;
    if (request.where == Where::Kept) return keptSpots(project);
    if (request.where == Where::Walk || request.where == Where::Path)
        return spotsOnLine(scene, project);
    SpotPlan plan;
    if (request.where == Where::Area) plan.area = request.node;
    plan.spacing = request.spacing;
    plan.walker.eyeHeight = request.eyeHeight;
    plan.starts = {project.view.eye};
    for (const Spot& spot : project.spots) plan.starts.push_back(spot.view.eye);
    rays = std::make_unique<RayScene>(scene);
    return planSpots(scene, *rays, plan, progress);
}

/// What chooses the spots, as text.
std::string describeWhere(const Project& project) {
    const SurveyRequest& request = project.survey;
    std::ostringstream text;
    text << static_cast<int>(request.where) << ' ' << request.node << ' ' << request.spacing << ' '
         << request.eyeHeight << ' ' << request.camera.firstHeading << ' '
         << request.camera.lastHeading;
    for (const double distance : request.camera.distances) text << " behind " << distance;
    for (const double pitch : request.camera.pitches) text << " pitch " << pitch;
    const auto add = [&](const Viewpoint& view) { text << ' ' << view.eye.transpose(); };
    if (request.where == Where::Reach) add(project.view);
    if (request.where == Where::Walk)
        for (const Viewpoint& view : project.walk) add(view);
    if (request.where == Where::Reach || request.where == Where::Kept)
        for (const Spot& spot : project.spots) {
            text << spot.name;
            add(spot.view);
        }
    return text.str();
}

/// Takes a survey, or the same one from the cache; a complete one goes into the cache.
Expected<Survey> surveyOrCached(const Scene& scene, const Project& project,
                                const std::string& cache, Progress& progress,
                                const OnSpot& onSpot) {
    SurveySettings settings;
    settings.faceSize = project.survey.faceSize;
    settings.onlyInViews = !project.survey.camera.isFree();
    const Hash key = surveyKey(scene, project.target, settings, describeWhere(project));
    if (!cache.empty())
        if (auto known = loadSurvey(cache, key, scene, project.target)) return std::move(*known);
    std::unique_ptr<RayScene> rays;
    SubProgress finding(progress, 0, 0.1);
    auto spots = spotsFor(scene, project, rays, finding);
    if (!spots) return tl::unexpected(spots.error());
    *spots = throughCamera(*spots, project.survey.camera, settings.headings);
    SubProgress looking(progress, 0.1, 1);
    const bool looks = settings.faceSize > 0;
    if (looks && !rays) rays = std::make_unique<RayScene>(scene);
    Survey survey = takeSurvey(scene, looks ? rays.get() : nullptr, project.target, *spots,
                               settings, looking, onSpot);
    // Not an error if the folder cannot be written: it is surveyed anew next time.
    if (!cache.empty() && survey.complete) (void)saveSurvey(survey, key, cache);
    return survey;
}

}  // namespace

double Surveyed::load(const Tallies& tallies, std::size_t spot, std::size_t view,
                      const std::optional<Measure>& measure, const Target& target) const {
    if (spot >= tallies.size() || view >= tallies[spot].size()) return 0;
    const Counts load = loads(tallies[spot][view].counts, target);
    return at(load, measure.value_or(worstMeasure(load)));
}

std::size_t Surveyed::worstView(const Tallies& tallies, std::size_t spot,
                                const std::optional<Measure>& measure, const Target& target) const {
    std::size_t worst = 0;
    for (std::size_t v = 1; v < tallies[spot].size(); ++v)
        if (load(tallies, spot, v, measure, target) > load(tallies, spot, worst, measure, target))
            worst = v;
    return worst;
}

Surveyed::Extremes Surveyed::extremes(const Measure measure, const Target& target) const {
    Extremes extremes;
    std::vector<double> each;
    for (std::size_t s = 0; s < after.size(); ++s) {
        const std::size_t v = worstView(after, s, measure, target);
        each.push_back(at(after[s][v].counts, measure));
        const double here = load(after, s, v, measure, target);
        if (s > 0 && here <= extremes.load) continue;
        extremes = {s, v, each.back(), here, 0};
    }
    if (each.empty()) return extremes;
    const auto middle = each.begin() + static_cast<std::ptrdiff_t>(each.size() / 2);
    std::nth_element(each.begin(), middle, each.end());
    extremes.median = *middle;
    return extremes;
}

void Document::runSurvey() {
    if (!source_) return;
    {
        const std::lock_guard lock(early_->mutex);
        early_->spots.clear();
    }
    const std::string cache = projectFile_.isEmpty() ? "" : projectFile_.toStdString() + ".survey";
    jobs_.start(tr("Survey"),
                [this, scene = result_, source = source_, project = project_, early = early_,
                 cache](Progress& progress) -> JobRunner::Finish {
                    const auto onSpot = [&](std::size_t, const SpotResult& spot) {
                        const std::lock_guard lock(early->mutex);
                        early->spots.push_back({spot.eye, spot.worstLoad(project.target)});
                    };
                    auto taken = surveyOrCached(*scene, project, cache, progress, onSpot);
                    if (!taken) return [this, error = taken.error()] { report(error); };
                    std::erase_if(taken->spots, [](const SpotResult& spot) { return !spot.done; });
                    const auto survey = std::make_shared<const Survey>(std::move(*taken));
                    const bool alongLine =
                        project.survey.where == Where::Walk || project.survey.where == Where::Path;
                    const auto evidence =
                        std::make_shared<const Evidence>(evidenceOf(*survey, *scene));
                    return [this, survey, source, scene, alongLine, evidence] {
                        if (source == source_ && !survey->spots.empty())
                            adoptSurvey({survey, {}, {}, alongLine, scene}, evidence);
                    };
                });
}

void Document::adoptSurvey(const Surveyed& surveyed,
                           const std::shared_ptr<const Evidence>& evidence) {
    surveyed_ = surveyed;
    if (evidence->hash != evidence_->hash) {
        evidence_ = evidence;
        evaluateSoon();
    }
    {
        const std::lock_guard lock(early_->mutex);
        early_->spots.clear();
    }
    emit surveyChanged();
    retallySoon();
    surveyAgainSoon();
}

namespace {

/// Cancelled as soon as there is a newer wish.
class UntilNextWish final : public Progress {
public:
    explicit UntilNextWish(std::shared_ptr<std::atomic<int>> wish)
        : wish_(std::move(wish)), mine_(*wish_) {}
    void report(double, std::string_view) override {}
    [[nodiscard]] bool cancelled() const override { return *wish_ != mine_; }

private:
    std::shared_ptr<std::atomic<int>> wish_;
    int mine_;
};

bool hasSameObjects(const Scene& a, const Scene& b) {
    return a.assets.size() == b.assets.size() &&
           std::equal(a.objects.begin(), a.objects.end(), b.objects.begin(), b.objects.end(),
                      [](const Object& x, const Object& y) {
                          return x.asset == y.asset && x.origins == y.origins && x.world == y.world;
                      });
}

/// The surveyed scene with the culling and levels of another state of it; nothing when that has
/// other objects, or the same culling and levels.
ScenePtr withCullingAndLevels(const Scene& surveyed, const Scene& now) {
    if (!hasSameObjects(surveyed, now)) return nullptr;
    auto result = std::make_shared<Scene>(surveyed);
    bool differs = false;
    for (std::size_t i = 0; i < now.objects.size(); ++i) {
        differs = differs || result->objects[i].culling != now.objects[i].culling;
        result->objects[i].culling = now.objects[i].culling;
    }
    for (std::size_t i = 0; i < now.assets.size(); ++i) {
        differs = differs || !(result->assets[i].ladder == now.assets[i].ladder);
        result->assets[i].ladder = now.assets[i].ladder;
    }
    // Far levels may have brought materials of their own, behind the source's.
    result->materials = now.materials;
    result->textures = now.textures;
    result->samplers = now.samplers;
    result->images = now.images;
    return differs ? result : nullptr;
}

bool isCulledOtherwise(const Scene& a, const Scene& b) {
    for (std::size_t i = 0; i < a.objects.size(); ++i)
        if (a.objects[i].culling.end != b.objects[i].culling.end) return true;
    return false;
}

}  // namespace

bool Surveyed::isOfOtherObjects(const Scene& result) const {
    return exists() && !hasSameObjects(*scene, result);
}

/// Works new culling distances and levels into the survey: drawn from every spot, seen from those
/// where that changes.
void Document::surveyAgainSoon() {
    ++*wish_;
    surveyingAgain_ = false;
    if (!surveyed_.exists()) return;
    surveyingAgain_ = true;
    resurveyor_.request([this, progress = std::make_shared<UntilNextWish>(wish_),
                         surveyed = surveyed_.survey, before = surveyed_.scene,
                         now = result_]() -> std::function<void()> {
        const ScenePtr scene = withCullingAndLevels(*before, *now);
        if (!scene)
            return [this, progress] {
                if (!progress->cancelled()) surveyingAgain_ = false;
            };
        auto survey = std::make_shared<Survey>(*surveyed);
        std::optional<RayScene> rays;
        if (survey->hasRays() && isCulledOtherwise(*scene, *before)) rays.emplace(*scene);
        (void)surveyAgain(*survey, *scene, rays ? &*rays : nullptr, *progress);
        return [this, scene, survey, progress] {
            if (progress->cancelled()) return;
            surveyed_.survey = survey;
            surveyed_.scene = scene;
            surveyingAgain_ = false;
            emit surveyChanged();
        };
    });
}

/// The views of the survey cost something else now: counted again, without any rays.
void Document::retallySoon() {
    if (!surveyed_.exists()) return;
    tallier_.request([this, survey = surveyed_.survey, before = source_, after = result_,
                      target = project_.target, off = off_]() -> std::function<void()> {
        const auto count = [&](const Scene& scene, const Without& without) {
            const ViewMeter meter(scene, target);
            Surveyed::Tallies tallies;
            for (const SpotResult& spot : survey->spots)
                tallies.push_back(meter.count(meter.sight(spot.eye, spot.views), without));
            return tallies;
        };
        auto tallies = std::make_shared<std::pair<Surveyed::Tallies, Surveyed::Tallies>>(
            count(*before, {}), count(*after, flentro::without(*after, off)));
        return [this, tallies, spots = survey->spots.size()] {
            if (!surveyed_.exists() || spots != surveyed_.survey->spots.size()) return;
            std::tie(surveyed_.before, surveyed_.after) = std::move(*tallies);
            emit surveyChanged();
        };
    });
}

std::vector<EarlySpot> Document::earlySpots() const {
    const std::lock_guard lock(early_->mutex);
    return early_->spots;
}

void Document::showMeasure(const std::optional<Measure>& measure) {
    shownMeasure_ = measure;
    emit surveyChanged();
}

int Document::nearestSpot() const {
    int nearest = -1;
    double least = std::numeric_limits<double>::infinity();
    for (std::size_t s = 0; surveyed_.exists() && s < surveyed_.survey->spots.size(); ++s) {
        const double distance = (surveyed_.survey->spots[s].eye - project_.view.eye).squaredNorm();
        if (distance >= least) continue;
        least = distance;
        nearest = static_cast<int>(s);
    }
    return nearest;
}

// --- what if ------------------------------------------------------------------------------

void Document::switchOff(const std::vector<std::size_t>& objects) {
    if (!source_ || objects.empty()) return;
    off_.objects.resize(source_->objects.size(), false);
    for (const std::size_t object : objects) off_.objects[object] = true;
    offWasChanged();
}

void Document::switchLightsOff(const std::vector<std::size_t>& lights) {
    if (!source_ || lights.empty()) return;
    off_.lights.resize(source_->placedLights.size(), false);
    for (const std::size_t light : lights) off_.lights[light] = true;
    offWasChanged();
}

void Document::switchAllOn() {
    off_ = {};
    offWasChanged();
}

void Document::offWasChanged() {
    emit offChanged();
    countSoon();
    retallySoon();
}

std::size_t Document::offCount() const {
    return static_cast<std::size_t>(std::count(off_.objects.begin(), off_.objects.end(), true) +
                                    std::count(off_.lights.begin(), off_.lights.end(), true));
}

}  // namespace flentro::app
