// What every place and heading costs, and what is really seen from there.

#pragma once

#include <functional>
#include <optional>

#include "base/value.h"
#include "survey/coverage.h"
#include "survey/light_matrix.h"
#include "survey/look.h"
#include "survey/spots.h"

namespace flentro {

struct SurveySettings {
    int faceSize = 384;           ///< Rays along an edge of the cube, a multiple of 16; 0: no rays.
    int headings = 8;             ///< All around, 1 to 12.
    double pitch = 0;             ///< Degrees.
    bool betweenHeadings = true;  ///< Searches each measure's worst heading between those.
    bool onlyInViews = false;     ///< Nobody looks where no view looks: limited cameras.
    bool aimAtTriangles = true;   ///< The targeted pass for triangles below the sampling.
    double refineAbove = 0.25;    ///< Load difference between neighbours that adds spots.
    bool keepSightings = true;    ///< For what-if and verdicts; false: only counts are asked for.
};

/// What was measured from one spot.
struct SpotResult {
    FLENTRO_DECLARE_VALUE(SpotResult);

    bool done = false;
    std::string name;
    Vec3d eye = Vec3d::Zero();
    std::vector<Viewpoint> views;    ///< The headings, and for each measure a worse one between.
    std::vector<ViewTally> tallies;  ///< [views]
    EyeVisibility sightings;
    SpotSeen seen;

    /// The view with the highest load in `measure`. Needs done.
    [[nodiscard]] std::size_t worstView(Measure measure) const;
    /// The view with the highest load in any measure.
    [[nodiscard]] std::size_t worstView(const Target& target) const;
    /// The load of that view in its worst measure.
    [[nodiscard]] double worstLoad(const Target& target) const;
};

struct Survey {
    FLENTRO_DECLARE_VALUE(Survey);

    SurveySettings settings;
    Target target;
    std::vector<SpotResult> spots;
    SeenTally seen;
    /// [unique triangles] Met by no ray of the cube, but found by rays of their own.
    std::vector<bool> belowSampling;
    /// What each light adds to what was seen, where somebody has measured it; see measureLights().
    std::shared_ptr<const LightMatrix> lights;
    bool complete = false;  ///< False: cancelled; the spots that are done are sound.
    /// What its spots cover; nothing where that has not been measured.
    std::optional<Coverage> coverage;

    [[nodiscard]] std::size_t doneCount() const;
    [[nodiscard]] bool hasRays() const { return settings.faceSize > 0; }
    /// False where it covers too little for conclusions about what nobody sees.
    [[nodiscard]] bool coversEnough() const { return !coverage || coverage->isEnough(); }
    /// Keeps the coverage with what the survey has seen. `scene`: that was surveyed.
    void setCoverage(Coverage measured, const Scene& scene);
};

/// Where a measure is worst: the spot and view, or nothing without spots that are done.
struct WorstView {
    std::size_t spot = 0;
    std::size_t view = 0;
    double value = 0;
    double load = 0;
};
[[nodiscard]] std::optional<WorstView> worstOf(const Survey& survey, Measure measure);
/// Median over spots of each spot's worst view.
[[nodiscard]] double medianOf(const Survey& survey, Measure measure);
/// Spots with any view above x1.00 in any measure.
[[nodiscard]] std::size_t spotsOver(const Survey& survey);

/// Called from workers as each spot is done, so that a picture can fill in.
using OnSpot = std::function<void(std::size_t spot, const SpotResult& result)>;

/// Surveys the spots of level 0, then those of level 1 around which the worst load differs by
/// more than `refineAbove` in any measure. Cancelling keeps what is done.
///
/// The same result for any number of threads. Cost: for each spot O(objects x views) and
/// 6 faceSize^2 rays; memory 3 bytes for each object and spot whose sightings
/// are kept, and 24 for each object seen.
[[nodiscard]] Survey takeSurvey(const Scene& scene, const Target& target,
                                const std::vector<SurveySpot>& spots,
                                const SurveySettings& settings, Progress& progress,
                                const OnSpot& onSpot = {});
/// The same with rays made before.
[[nodiscard]] Survey takeSurvey(const Scene& scene, const RayScene* rays, const Target& target,
                                const std::vector<SurveySpot>& spots,
                                const SurveySettings& settings, Progress& progress,
                                const OnSpot& onSpot = {});

/// Measures again after culling distances or levels have changed: what is drawn from every spot,
/// and by rays what is seen from those spots where something seen is gone or something is back.
/// `scene` has the objects and meshes that were surveyed; lower levels and their materials may be
/// others. Triangles, texture coordinates and
/// lights keep the most of before and now: they may be held for seen that no longer are.
/// Cancelling leaves spots as they were. Returns from how many spots it has looked again.
[[nodiscard]] std::size_t surveyAgain(Survey& survey, const Scene& scene, const RayScene* rays,
                                      Progress& progress);

/// What-if: every view again without some objects and lights, from what was kept.
/// [spots][views]. Cost: O(spots x drawn objects); no rays.
[[nodiscard]] std::vector<std::vector<ViewTally>> recount(const Survey& survey,
                                                          const ViewMeter& meter,
                                                          const Without& without);

}  // namespace flentro
