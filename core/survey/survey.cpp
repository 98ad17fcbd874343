#include "survey/survey.h"

#include <tbb/enumerable_thread_specific.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <map>
#include <mutex>
#include <set>

#include "base/index.h"
#include "base/median.h"
#include "base/parallel.h"

namespace flentro {
namespace {

constexpr std::size_t kMaxCubes = 32;         ///< Sets of rays kept for views of spots' own.
constexpr std::size_t kPairsForTriangle = 8;  ///< Front-facing places that look for it.
constexpr std::size_t kPairsForAsset = 48;    ///< Places known for all its triangles.

double worstLoad(const ViewTally& tally, const Target& target) {
    const Counts load = loads(tally.counts, target);
    return at(load, worstMeasure(load));
}

/// Measures that turning the head changes gradually: each has a worst heading of its own.
constexpr Measure kTurning[] = {Measure::Triangles, Measure::DrawCalls,    Measure::Objects,
                                Measure::Lights,    Measure::ShadowLights, Measure::TextureBytes};

/// The tally that is highest in a measure; the first of equals.
std::size_t highest(const std::vector<ViewTally>& tallies, Measure measure) {
    std::size_t best = 0;
    for (std::size_t v = 1; v < tallies.size(); ++v)
        if (at(tallies[v].counts, measure) > at(tallies[best].counts, measure)) best = v;
    return best;
}

/// A place from which some object of an asset is seen.
struct CandidateView {
    std::uint32_t object = 0;
    std::uint32_t spot = 0;
    float pixels = 0;
};

class Surveyor {
public:
    Surveyor(const Scene& scene, const RayScene* rays, const Target& target, Survey& survey)
        : scene_(scene),
          rays_(rays),
          target_(target),
          survey_(survey),
          meter_(scene, target),
          lights_(scene) {
        const SurveySettings& settings = survey.settings;
        if (!rays_) return;
        const auto views = allAround(Vec3d::Zero(), settings.headings, settings.pitch);
        cube_.emplace(settings.faceSize, target, views, settings.onlyInViews);
    }

    bool run(const std::vector<SurveySpot>& spots, Progress& progress, const OnSpot& onSpot) {
        const std::size_t first = survey_.spots.size();
        survey_.spots.resize(first + spots.size());
        const bool finished = parallelFor(spots.size(), "Surveying", progress, [&](std::size_t i) {
            SpotResult& result = survey_.spots[first + i];
            survey(spots[i], result);
            if (onSpot) onSpot(first + i, result);
        });
        return finished;
    }

    /// Drawn again from every spot, and looked again from those where that matters.
    std::size_t again(Progress& progress);

    void finish() {
        for (const Thread& thread : threads_)
            if (thread.sampler) survey_.seen.merge(thread.tally);
    }

    /// Unseen triangles from the places that see their objects best.
    bool aimAtTriangles(Progress& progress);

private:
    struct Thread {
        std::unique_ptr<VisibilitySampler> sampler;
        SeenTally tally;
    };

    void survey(const SurveySpot& spot, SpotResult& result) {
        const SurveySettings& settings = survey_.settings;
        result.name = spot.name;
        result.eye = spot.eye;
        result.views = spot.views.empty() ? allAround(spot.eye, settings.headings, settings.pitch)
                                          : spot.views;
        result.sightings = meter_.sight(spot.eye, result.views);
        result.tallies = meter_.count(result.sightings);
        if (rays_) look(!spot.views.empty(), result);
        if (settings.betweenHeadings && spot.views.empty()) searchBetween(result);
        if (!settings.keepSightings) result.sightings = {};
        result.done = true;
    }

    void look(bool ownViews, SpotResult& result) {
        Thread& thread = threads_.local();
        if (!thread.sampler) {
            thread.sampler =
                std::make_unique<VisibilitySampler>(scene_, *rays_, *cube_, target_, lights_);
            thread.tally = SeenTally(scene_, *rays_);
        }
        if (!ownViews) {
            result.seen = thread.sampler->look(result.eye, result.sightings, thread.tally);
            return;
        }
        const std::shared_ptr<const CubeRays> own = cubeOf(result.views);
        VisibilitySampler sampler(scene_, *rays_, *own, target_, lights_);
        result.seen = sampler.look(result.eye, result.sightings, thread.tally);
    }

    /// The rays for views of a spot's own; limited cameras look the same way at every spot.
    std::shared_ptr<const CubeRays> cubeOf(const std::vector<Viewpoint>& views) {
        std::vector<double> key;
        for (const Viewpoint& view : views) key.insert(key.end(), {view.heading, view.pitch});
        const std::lock_guard lock(cubesMutex_);
        if (const auto known = cubes_.find(key); known != cubes_.end()) return known->second;
        if (cubes_.size() >= kMaxCubes) cubes_.clear();
        const SurveySettings& settings = survey_.settings;
        return cubes_[key] = std::make_shared<const CubeRays>(settings.faceSize, target_, views,
                                                              settings.onlyInViews);
    }

    /// For each measure with a limit four headings around its worst one; the worst of them is kept
    /// if it is worse than any view so far. Many are counted at once: shadow passes do not turn.
    void searchBetween(SpotResult& result) const {
        constexpr double kShares[] = {-0.5, -0.25, 0.25, 0.5};
        const double step = 360.0 / survey_.settings.headings;
        std::set<std::size_t> worst;
        for (const Measure measure : kTurning)
            if (isLimit(at(target_.limits, measure)))
                worst.insert(highest(result.tallies, measure));
        std::vector<Viewpoint> between;
        for (const std::size_t view : worst)
            for (const double share : kShares) {
                Viewpoint turned = result.views[view];
                turned.heading = std::fmod(turned.heading + share * step + 360, 360);
                between.push_back(turned);
            }
        for (std::size_t first = 0; first < between.size(); first += EyeVisibility::kMaxViews)
            keepWorse(result, std::span(between).subspan(first, std::min(EyeVisibility::kMaxViews,
                                                                         between.size() - first)));
    }

    /// Of these headings, for each measure the worst is kept if it is worse.
    void keepWorse(SpotResult& result, std::span<const Viewpoint> between) const {
        const EyeVisibility sightings = meter_.turned(result.sightings, between);
        const std::vector<ViewTally> tallies = meter_.count(sightings);
        for (const Measure measure : kTurning) {
            if (!isLimit(at(target_.limits, measure))) continue;
            if (result.views.size() == EyeVisibility::kMaxViews) return;
            const std::size_t best = highest(tallies, measure);
            const std::size_t worst = highest(result.tallies, measure);
            if (at(tallies[best].counts, measure) <= at(result.tallies[worst].counts, measure))
                continue;
            addView(result.sightings, sightings, best);
            result.views.push_back(between[best]);
            result.tallies.push_back(tallies[best]);
        }
    }

    static void addView(EyeVisibility& to, const EyeVisibility& from, std::size_t view) {
        const auto bit = static_cast<std::uint16_t>(1U << to.views);
        for (std::size_t i = 0; i < to.objects.size(); ++i)
            if (from.objects[i] >> view & 1U) to.objects[i] |= bit;
        for (std::size_t i = 0; i < to.lights.size(); ++i)
            if (from.lights[i] >> view & 1U) to.lights[i] |= bit;
        ++to.views;
    }

    [[nodiscard]] std::vector<std::vector<CandidateView>> candidateViews() const;
    [[nodiscard]] bool isVisible(const std::vector<CandidateView>& candidateViews,
                                 std::uint32_t triangle) const;
    [[nodiscard]] bool isVisibleFrom(const CandidateView& view, std::uint32_t triangle,
                                     const std::array<Vec3d, 3>& corners) const;

    const Scene& scene_;
    const RayScene* rays_;
    const Target& target_;
    Survey& survey_;
    const ViewMeter meter_;
    const LightCells lights_;
    std::optional<CubeRays> cube_;
    std::mutex cubesMutex_;
    std::map<std::vector<double>, std::shared_ptr<const CubeRays>> cubes_;
    tbb::enumerable_thread_specific<Thread> threads_;
};

/// For each asset the places that see its copies largest.
std::vector<std::vector<CandidateView>> Surveyor::candidateViews() const {
    std::vector<std::vector<CandidateView>> result(scene_.assets.size());
    for (std::uint32_t s = 0; s < survey_.spots.size(); ++s)
        for (const SeenObject& seen : survey_.spots[s].seen.objects)
            elementOf(result, scene_.objects[seen.object].asset)
                .push_back({seen.object, s, seen.pixels});
    for (auto& places : result) {
        std::sort(places.begin(), places.end(), [](const CandidateView& a, const CandidateView& b) {
            return std::tuple(-a.pixels, a.object, a.spot) <
                   std::tuple(-b.pixels, b.object, b.spot);
        });
        // Half of them the nearest, the rest spread over all, so that every side has its chance.
        if (places.size() > kPairsForAsset) {
            std::vector<CandidateView> kept(places.begin(), places.begin() + kPairsForAsset / 2);
            const std::size_t rest = places.size() - kept.size();
            for (std::size_t i = 0; i < kPairsForAsset / 2; ++i)
                kept.push_back(places[kPairsForAsset / 2 + i * rest / (kPairsForAsset / 2)]);
            places = std::move(kept);
        }
    }
    return result;
}

bool Surveyor::isVisibleFrom(const CandidateView& view, std::uint32_t triangle,
                             const std::array<Vec3d, 3>& corners) const {
    static constexpr double kWeights[4][3] = {
        {1.0 / 3, 1.0 / 3, 1.0 / 3}, {0.7, 0.15, 0.15}, {0.15, 0.7, 0.15}, {0.15, 0.15, 0.7}};
    const Vec3d& eye = survey_.spots[view.spot].eye;
    for (const auto& w : kWeights) {
        const Vec3d at = w[0] * corners[0] + w[1] * corners[1] + w[2] * corners[2];
        if (rays_->reaches(eye, at - eye, target_.farPlane, view.object, triangle,
                           &survey_.spots[view.spot].sightings))
            return true;
    }
    return false;
}

bool Surveyor::isVisible(const std::vector<CandidateView>& places, std::uint32_t triangle) const {
    std::size_t tried = 0;
    const bool twoSided = rays_->partOf(triangle).twoSided;
    for (const CandidateView& view : places) {
        const auto corners = rays_->corners(view.object, triangle);
        const Vec3d normal = (corners[1] - corners[0]).cross(corners[2] - corners[0]);
        const bool mirrored =
            scene_.objects[view.object].world.topLeftCorner<3, 3>().determinant() < 0;
        const double facing = normal.dot(survey_.spots[view.spot].eye - corners[0]);
        if (!twoSided && (mirrored ? -facing : facing) <= 0) continue;
        if (isVisibleFrom(view, triangle, corners)) return true;
        if (++tried == kPairsForTriangle) return false;
    }
    return false;
}

bool Surveyor::aimAtTriangles(Progress& progress) {
    constexpr std::size_t kChunk = 512;
    const auto places = candidateViews();
    const std::span<const std::uint32_t> first = rays_->firstTriangles();
    std::vector<std::uint8_t> found(rays_->triangleCount(), 0);
    struct Chunk {
        std::size_t asset;
        std::uint32_t from;
        std::uint32_t to;
    };
    std::vector<Chunk> chunks;
    for (std::size_t a = 0; a < places.size(); ++a)
        for (std::uint32_t t = first[a]; !places[a].empty() && t < first[a + 1]; t += kChunk)
            chunks.push_back({a, t, std::min<std::uint32_t>(t + kChunk, first[a + 1])});
    const bool finished =
        parallelFor(chunks.size(), "Looking for hidden triangles", progress, [&](std::size_t i) {
            const Chunk& chunk = chunks[i];
            for (std::uint32_t t = chunk.from; t < chunk.to; ++t)
                if (survey_.seen.trianglePixels[t] == 0 && isVisible(places[chunk.asset], t))
                    found[t] = 1;
        });
    survey_.belowSampling.assign(found.begin(), found.end());
    return finished;
}

/// True where rays would meet something else: an object that was seen is gone, or one that was
/// gone is back and large enough.
bool seesOtherwise(const Scene& scene, const Target& target, const SpotResult& spot,
                   const EyeVisibility& now) {
    const auto was = [&](std::size_t i) { return spot.sightings.isThere(i); };
    const auto is = [&](std::size_t i) { return now.isThere(i); };
    for (const SeenObject& seen : spot.seen.objects)
        if (was(seen.object) && !is(seen.object)) return true;
    for (std::size_t i = 0; i < now.levels.size(); ++i) {
        if (was(i) || !is(i)) continue;
        const Box& bounds = scene.objects[i].bounds;
        const double distance = std::max(bounds.exteriorDistance(spot.eye), 1e-3);
        const double across = bounds.diagonal().norm() * pixelsPerMetreAtOne(target) / distance;
        if (across > 1 && distance < target.farPlane) return true;
    }
    return false;
}

/// False for the views of the settings, with or without one between them.
bool hasOwnViews(const SpotResult& spot, const SurveySettings& settings) {
    const auto common = allAround(spot.eye, settings.headings, settings.pitch);
    if (spot.views.size() < common.size()) return true;
    return !std::equal(common.begin(), common.end(), spot.views.begin(),
                       [](const Viewpoint& a, const Viewpoint& b) {
                           return a.heading == b.heading && a.pitch == b.pitch;
                       });
}

std::size_t Surveyor::again(Progress& progress) {
    std::atomic<std::size_t> looked = 0;
    (void)parallelFor(survey_.spots.size(), "Surveying again", progress, [&](std::size_t i) {
        SpotResult& spot = survey_.spots[i];
        if (!spot.done) return;
        EyeVisibility now = meter_.sight(spot.eye, spot.views);
        const bool looks = rays_ && seesOtherwise(scene_, target_, spot, now);
        spot.sightings = std::move(now);
        spot.tallies = meter_.count(spot.sightings);
        if (!looks) return;
        look(hasOwnViews(spot, survey_.settings), spot);
        ++looked;
    });
    return looked;
}

/// Spots of level 1 whose surveyed neighbours differ in any measure that is not far below its
/// limit.
std::vector<SurveySpot> chooseRefined(const Survey& survey,
                                      const std::vector<SurveySpot>& candidates, double spacing) {
    constexpr double kMatters = 0.6;  ///< Load.
    std::vector<Counts> worst;        // [spots] highest loads of any view
    for (const SpotResult& spot : survey.spots) {
        Counts most{};
        for (const ViewTally& tally : spot.tallies) {
            const Counts load = loads(tally.counts, survey.target);
            for (std::size_t m = 0; m < kMeasureCount; ++m) most[m] = std::max(most[m], load[m]);
        }
        worst.push_back(most);
    }
    std::vector<SurveySpot> chosen;
    for (const SurveySpot& candidate : candidates) {
        Counts low{};
        low.fill(std::numeric_limits<double>::infinity());
        Counts high{};
        for (std::size_t s = 0; s < survey.spots.size(); ++s) {
            const SpotResult& spot = survey.spots[s];
            const Vec3d by = spot.eye - candidate.eye;
            if (!spot.done || std::max(std::fabs(by.x()), std::fabs(by.z())) > 0.75 * spacing ||
                std::fabs(by.y()) > spacing)
                continue;
            for (std::size_t m = 0; m < kMeasureCount; ++m) {
                low[m] = std::min(low[m], worst[s][m]);
                high[m] = std::max(high[m], worst[s][m]);
            }
        }
        for (std::size_t m = 0; m < kMeasureCount; ++m)
            if (high[m] > kMatters && high[m] - low[m] > survey.settings.refineAbove) {
                chosen.push_back(candidate);
                break;
            }
    }
    return chosen;
}

/// The least distance between two spots of level 0 on one level of ground. Those above each other,
/// on two storeys, follow each other in the list and tell nothing of it.
double spacingOf(const std::vector<SurveySpot>& spots) {
    double least = std::numeric_limits<double>::infinity();
    for (std::size_t i = 1; i < spots.size(); ++i) {
        const Vec3d between = spots[i].eye - spots[i - 1].eye;
        const double by = std::hypot(between.x(), between.z());
        if (by > 1e-6) least = std::min(least, by);
    }
    return std::isfinite(least) ? least : 1;
}

}  // namespace

std::size_t SpotResult::worstView(Measure measure) const {
    return highest(tallies, measure);
}

std::size_t SpotResult::worstView(const Target& target) const {
    std::size_t worst = 0;
    for (std::size_t v = 1; v < tallies.size(); ++v)
        if (flentro::worstLoad(tallies[v], target) > flentro::worstLoad(tallies[worst], target))
            worst = v;
    return worst;
}

double SpotResult::worstLoad(const Target& target) const {
    return flentro::worstLoad(tallies[worstView(target)], target);
}

std::size_t Survey::doneCount() const {
    return static_cast<std::size_t>(
        std::count_if(spots.begin(), spots.end(), [](const SpotResult& s) { return s.done; }));
}

std::optional<WorstView> worstOf(const Survey& survey, Measure measure) {
    std::optional<WorstView> worst;
    for (std::size_t s = 0; s < survey.spots.size(); ++s) {
        const SpotResult& spot = survey.spots[s];
        if (!spot.done) continue;
        const std::size_t v = spot.worstView(measure);
        const double value = at(spot.tallies[v].counts, measure);
        if (worst && value <= worst->value) continue;
        worst = {s, v, value, at(loads(spot.tallies[v].counts, survey.target), measure)};
    }
    return worst;
}

double medianOf(const Survey& survey, Measure measure) {
    std::vector<double> values;
    for (const SpotResult& spot : survey.spots)
        if (spot.done) values.push_back(at(spot.tallies[spot.worstView(measure)].counts, measure));
    return median(std::move(values));
}

std::size_t spotsOver(const Survey& survey) {
    return static_cast<std::size_t>(std::count_if(
        survey.spots.begin(), survey.spots.end(),
        [&](const SpotResult& spot) { return spot.done && spot.worstLoad(survey.target) > 1; }));
}

Survey takeSurvey(const Scene& scene, const RayScene* rays, const Target& target,
                  const std::vector<SurveySpot>& spots, const SurveySettings& settings,
                  Progress& progress, const OnSpot& onSpot) {
    Survey survey;
    survey.settings = settings;
    survey.target = target;
    std::vector<SurveySpot> coarse;
    std::vector<SurveySpot> fine;
    for (const SurveySpot& spot : spots) (spot.level == 0 ? coarse : fine).push_back(spot);
    if (rays) survey.seen = SeenTally(scene, *rays);
    Surveyor surveyor(scene, rays, target, survey);
    const double share = fine.empty() ? 0.8 : 0.5;
    SubProgress first(progress, 0, share);
    SubProgress second(progress, share, 0.8);
    SubProgress third(progress, 0.8, 1);
    bool going = surveyor.run(coarse, first, onSpot);
    if (going && !fine.empty())
        going = surveyor.run(chooseRefined(survey, fine, spacingOf(coarse)), second, onSpot);
    surveyor.finish();
    if (going && rays && settings.aimAtTriangles) going = surveyor.aimAtTriangles(third);
    survey.complete = going;
    return survey;
}

Survey takeSurvey(const Scene& scene, const Target& target, const std::vector<SurveySpot>& spots,
                  const SurveySettings& settings, Progress& progress, const OnSpot& onSpot) {
    if (settings.faceSize == 0)
        return takeSurvey(scene, nullptr, target, spots, settings, progress, onSpot);
    const auto rays = RayScene::build(scene, progress);
    return takeSurvey(scene, rays ? &*rays : nullptr, target, spots, settings, progress, onSpot);
}

std::size_t surveyAgain(Survey& survey, const Scene& scene, const RayScene* rays,
                        Progress& progress) {
    const std::vector<std::uint32_t> lightSpots = survey.seen.lightSpots;
    // Far levels may have brought or taken materials, behind those that were surveyed.
    survey.seen.texCoordPerPixel.resize(TextureMappings(scene).size(),
                                        std::numeric_limits<float>::infinity());
    Surveyor surveyor(scene, rays, survey.target, survey);
    const std::size_t looked = surveyor.again(progress);
    surveyor.finish();
    survey.seen.lightSpots = lightSpots;
    for (SeenTally::Object& object : survey.seen.objects) object = {};
    for (const SpotResult& spot : survey.spots)
        for (const SeenObject& seen : spot.seen.objects) survey.seen.objects[seen.object].add(seen);
    return looked;
}

std::vector<std::vector<ViewTally>> recount(const Survey& survey, const ViewMeter& meter,
                                            const Without& without) {
    std::vector<std::vector<ViewTally>> result(survey.spots.size());
    parallelEach(result.size(), [&](std::size_t i) {
        if (survey.spots[i].done) result[i] = meter.count(survey.spots[i].sightings, without);
    });
    return result;
}

void Survey::setCoverage(Coverage measured, const Scene& scene) {
    measured.hasRays = hasRays();
    measured.objects = 0;
    measured.seen = 0;
    for (std::size_t i = 0; i < scene.objects.size(); ++i) {
        const Object& object = scene.objects[i];
        if (object.bounds.isEmpty() || scene.mesh(object).triangles == 0) continue;
        ++measured.objects;
        measured.seen += i < seen.objects.size() && seen.objects[i].spots > 0;
    }
    coverage = std::move(measured);
}

FLENTRO_DEFINE_VALUE(SpotResult);
FLENTRO_DEFINE_VALUE(Survey);

}  // namespace flentro
