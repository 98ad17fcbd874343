#include "model/survey_model.h"

#include <algorithm>

#include "base/median.h"
#include "measure/view_meter.h"
#include "project/surveying.h"
#include "survey/frame_times.h"

namespace flentro::app {

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
    extremes.median = median(std::move(each));
    return extremes;
}

double Surveyed::slowestFrame(const Target& target) const {
    const auto slowest = slowestView(*survey, target, after);
    return slowest ? slowest->load : 0;
}

std::vector<Ground> Surveyed::startsLeft() const {
    std::vector<Ground> left;
    if (!exists() || !survey->coverage || survey->coversEnough()) return left;
    for (const Ground& ground : survey->coverage->grounds)
        if (ground.walked < Coverage::kEnough * ground.area) left.push_back(ground);
    return left;
}

SurveyModel::SurveyModel(const ProjectModel& project, const Selection& selection,
                         const Evaluator& evaluator, JobRunner& jobs)
    : project_(project), selection_(selection), evaluator_(evaluator), jobs_(jobs) {
    connect(&selection, &Selection::offChanged, this, &SurveyModel::retallySoon);
    for (LatestRunner* runner : {&tallier_, &resurveyor_})
        connect(runner, &LatestRunner::failed, this, &SurveyModel::failed);
}

SurveyModel::~SurveyModel() {
    *closing_ = true;
    ++*generation_;
}

void SurveyModel::clearEarlySpots() {
    const std::lock_guard lock(early_->mutex);
    early_->spots.clear();
}

void SurveyModel::run() {
    if (!evaluator_.source()) return;
    clearEarlySpots();
    jobs_.cancel(kTryingFixes);
    const QString file = project_.file();
    const std::string cache = file.isEmpty() ? "" : file.toStdString() + ".survey";
    jobs_.start(
        kSurveying,
        [this, scene = evaluator_.result(), source = evaluator_.source(),
         project = project_.project(), early = early_,
         cache](Progress& progress) -> JobRunner::Finish {
            const auto onSpot = [&](std::size_t, const SpotResult& spot) {
                const std::lock_guard lock(early->mutex);
                early->spots.push_back({spot.eye, spot.worstLoad(project.target)});
            };
            auto taken = surveyFor(project, *source, *scene, cache, progress, onSpot);
            if (!taken) return [this, error = taken.error()] { emit stopped(error); };
            std::erase_if(taken->spots, [](const SpotResult& spot) { return !spot.done; });
            const auto survey = std::make_shared<const Survey>(std::move(*taken));
            const bool alongLine = project.survey.where == SurveyRequest::Where::Walk ||
                                   project.survey.where == SurveyRequest::Where::Path;
            const auto evidence = std::make_shared<const Evidence>(evidenceOf(*survey, *scene));
            return [this, survey, source, scene, alongLine, evidence] {
                if (source == evaluator_.source() && !survey->spots.empty())
                    adopt({survey, {}, {}, alongLine, scene}, evidence);
            };
        },
        Lane::Survey);
}

void SurveyModel::adopt(const Surveyed& surveyed, const std::shared_ptr<const Evidence>& evidence) {
    surveyed_ = surveyed;
    if (evidence->hash != evidence_->hash) {
        evidence_ = evidence;
        emit evidenceChanged();
    }
    clearEarlySpots();
    emit changed();
    retallySoon();
    surveyAgainSoon();
}

void SurveyModel::clear() {
    jobs_.cancel(kSurveying);
    surveyed_ = {};
    evidence_ = std::make_shared<const Evidence>();
}

void SurveyModel::move(const SceneMatch& where) {
    evidence_ = std::make_shared<const Evidence>(withMovedOrigins(*evidence_, where));
    surveyed_.before.clear();
    surveyed_.after.clear();
}

namespace {

/// Cancelled as soon as there is a newer wish.
class UntilNextRequest final : public Progress {
public:
    explicit UntilNextRequest(std::shared_ptr<std::atomic<int>> wish)
        : generation_(std::move(wish)), mine_(*generation_) {}
    void report(double, std::string_view) override {}
    [[nodiscard]] bool cancelled() const override { return *generation_ != mine_; }

private:
    std::shared_ptr<std::atomic<int>> generation_;
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

/// True if culling and levels, with the materials of those, are all that fixes have changed.
bool differsInCullingAndLevelsOnly(const Scene& surveyed, const Scene& now) {
    const auto begins = [](const auto& whole, const auto& start, const auto& isSame) {
        return whole.size() >= start.size() &&
               std::equal(start.begin(), start.end(), whole.begin(), isSame);
    };
    return hasSameObjects(surveyed, now) &&
           begins(now.assets, surveyed.assets,
                  [](const Asset& a, const Asset& b) { return a.mesh == b.mesh; }) &&
           begins(now.materials, surveyed.materials,
                  [](const Material& a, const Material& b) { return a.source == b.source; }) &&
           begins(now.textures, surveyed.textures,
                  [](const Texture& a, const Texture& b) { return a.image == b.image; }) &&
           begins(now.images, surveyed.images,
                  [](const Image& a, const Image& b) { return a.hash == b.hash; }) &&
           now.placedLights.size() == surveyed.placedLights.size() &&
           begins(now.placedLights, surveyed.placedLights,
                  [](const PlacedLight& a, const PlacedLight& b) {
                      return a.origins == b.origins && a.range == b.range && a.end == b.end &&
                             a.fadeStart == b.fadeStart && a.shadowEnd == b.shadowEnd &&
                             a.castsShadow == b.castsShadow;
                  });
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

void SurveyModel::surveyAgainSoon() {
    ++*generation_;
    surveyingAgain_ = false;
    if (!surveyed_.exists()) return;
    surveyingAgain_ = true;
    resurveyor_.request([this, progress = std::make_shared<UntilNextRequest>(generation_),
                         surveyed = surveyed_.survey, before = surveyed_.scene,
                         now = evaluator_.result()]() -> std::function<void()> {
        const ScenePtr adapted = withCullingAndLevels(*before, *now);
        const ScenePtr scene = differsInCullingAndLevelsOnly(*before, *now) ? now : adapted;
        if (!adapted)
            return [this, progress, scene] {
                if (progress->cancelled()) return;
                if (scene) surveyed_.scene = scene;  // the same as before
                surveyingAgain_ = false;
                emit changed();
            };
        auto survey = std::make_shared<Survey>(*surveyed);
        std::unique_ptr<RayScene> rays;
        const bool looks = survey->hasRays() && isCulledOtherwise(*scene, *before);
        if (looks && !ensureRays(rays, *scene, *progress)) return [] {};  // for the next request
        (void)surveyAgain(*survey, *scene, rays.get(), *progress);
        return [this, scene, survey, progress] {
            if (progress->cancelled()) return;
            surveyed_.survey = survey;
            surveyed_.scene = scene;
            surveyingAgain_ = false;
            emit changed();
        };
    });
}

void SurveyModel::retallySoon() {
    if (!surveyed_.exists()) return;
    tallier_.request([this, survey = surveyed_.survey, before = evaluator_.source(),
                      after = evaluator_.result(), target = project_.project().target,
                      off = selection_.without(), closing = closing_]() -> std::function<void()> {
        const auto count = [&](const Scene& scene, const Without& without) {
            const ViewMeter meter(scene, target);
            Surveyed::Tallies tallies;
            for (const SpotResult& spot : survey->spots)
                if (!*closing)
                    tallies.push_back(meter.count(meter.sight(spot.eye, spot.views), without));
            return tallies;
        };
        auto tallies = std::make_shared<std::pair<Surveyed::Tallies, Surveyed::Tallies>>(
            count(*before, {}), count(*after, flentro::without(*after, off)));
        return [this, tallies, before, after, spots = survey->spots.size()] {
            if (!surveyed_.exists() || spots != surveyed_.survey->spots.size()) return;
            if (before != evaluator_.source() || after != evaluator_.result()) return;
            std::tie(surveyed_.before, surveyed_.after) = std::move(*tallies);
            emit changed();
        };
    });
}

std::vector<EarlySpot> SurveyModel::earlySpots() const {
    const std::lock_guard lock(early_->mutex);
    return early_->spots;
}

void SurveyModel::showMeasure(const std::optional<Measure>& measure) {
    shownMeasure_ = measure;
    emit changed();
}

int SurveyModel::nearestSpot() const {
    int nearest = -1;
    double least = std::numeric_limits<double>::infinity();
    for (std::size_t s = 0; surveyed_.exists() && s < surveyed_.survey->spots.size(); ++s) {
        const double distance =
            (surveyed_.survey->spots[s].eye - project_.project().view.eye).squaredNorm();
        if (distance >= least) continue;
        least = distance;
        nearest = static_cast<int>(s);
    }
    return nearest;
}

}  // namespace flentro::app
