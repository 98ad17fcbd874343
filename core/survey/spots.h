// Where to stand: the places that a player can reach.

#pragma once

#include <optional>
#include <string>
#include <vector>

#include "base/error.h"
#include "base/progress.h"
#include "geometry/frustum.h"
#include "survey/ray_scene.h"

namespace flentro {

/// One place of a survey.
struct SurveySpot {
    std::string name;
    Vec3d eye = Vec3d::Zero();
    /// 0: always surveyed; 1: only where the load changes quickly around it.
    int level = 0;
    /// Views of its own; empty: those of the survey's settings.
    std::vector<Viewpoint> views;
};

/// How a walker moves. Lengths in metres.
struct Walker {
    double eyeHeight = 1.7;
    double step = 0.45;     ///< Highest rise or drop between two strides.
    double headRoom = 1.9;  ///< Least height above the ground.
    double steepest = 40;   ///< Degrees of slope that can still be stood on.
};

struct SpotPlan {
    double spacing = 8;  ///< Metres between spots; half of it where refined.
    Walker walker;
    /// Name of a node: only surfaces of the objects below it are stood on, and nothing need be
    /// reachable. If those are in no scene that is drawn, their meshes are the ground all the same.
    /// Empty: surfaces that can be reached from any of `starts`.
    std::string area;
    std::vector<Vec3d> starts = {{0, 1.7, 0}};  ///< At eye height.
    std::optional<Box> region;                  ///< Only eyes inside.
    std::size_t most = 4000;  ///< Spots of level 0; the spacing grows to keep to it.
    /// A single thing without ground (isSingleThing()) gets spots around it instead, and what
    /// stands alone (standsAlone()) besides.
    bool aroundThings = true;
    /// Walks on the largest connected ground as well if the starts reach but a small part of it.
    bool largestGround = true;
    double verticalFov = 60;  ///< Degrees, of whoever looks at such a thing.
    /// That the walked scene was made from by fixes: areas and where to look for ground are its
    /// own, so that both have the same spots. Null: the walked scene itself.
    const Scene* source = nullptr;
};

/// Spots on a square grid over the ground, coarse ones first, each level in rows.
///
/// Reachable ground is found by flooding a finer grid of standing places from those
/// nearest to `starts`: two neighbours join when they differ by no more than a step (or the
/// slope allows it) and nothing stands between them at knee and eye height.
///
/// Narrow ground between the points of the coarse grid gets spots of its own: no place that is
/// reached is farther than three quarters of the spacing from a coarse spot. The grid is the
/// world's.
///
/// Errors: NotFound when the area does not exist, nothing can be stood on or no place is inside
/// the region; Cancelled.
/// Cost: O(area / stride^2) rays, at most 1,000,000 columns.
[[nodiscard]] Expected<std::vector<SurveySpot>> planSpots(const Scene& scene, const RayScene& rays,
                                                          const SpotPlan& plan, Progress& progress);

/// True for a product, a figure, a scan: nothing to walk on, or no more than its own top.
/// `spots`: those of planSpots() that walk on it; may be empty.
[[nodiscard]] bool isSingleThing(const Scene& scene, const std::vector<SurveySpot>& spots);

/// Spots around the whole scene, each with one view to its middle: eight directions at three
/// heights, from distances that show it as a whole, from afar and close to its surface.
[[nodiscard]] std::vector<SurveySpot> spotsAround(const Scene& scene, double verticalFov);

/// Spots every `spacing` metres along a line through these points, each with the heading of
/// travel as its first view and the other headings behind it. Errors: InvalidInput for points that
/// are out of reach (scene/far.h); Limit for more spots than kMostSpots.
[[nodiscard]] Expected<std::vector<SurveySpot>> spotsAlong(const std::vector<Viewpoint>& line,
                                                           double spacing);
/// Spots that a line is divided into at the most.
inline constexpr std::size_t kMostSpots = 100'000;

/// The path of an animated node in the world: its keyframes, and points between them where it is
/// a cubic spline (glTF 2.0, appendix C). Errors: NotFound.
[[nodiscard]] Expected<std::vector<Viewpoint>> animatedPath(const Scene& scene,
                                                            const std::string& node);

/// What all but a fiftieth of the objects at each end of x and z lie in, and `margin` metres more,
/// so that hills and sky do not count; y is 0. Objects of the source are counted, whatever fixes
/// have merged and split. Without any bounds a square of 2 m.
[[nodiscard]] Box middleOf(const Scene& scene, double margin);

/// Where ground is looked for: middleOf() with a margin, and all of a scene of few objects.
[[nodiscard]] Box walkableBounds(const Scene& scene);

/// `count` headings all around at one pitch.
[[nodiscard]] std::vector<Viewpoint> allAround(const Vec3d& eye, int count, double pitch);

/// How a game's camera sits at the player. By default it is the player's eye and turns freely.
struct Camera {
    std::vector<double> distances = {0};  ///< Metres behind the eye, against the view.
    std::vector<double> pitches = {0};    ///< Degrees; -89 looks straight down.
    double firstHeading = 0;              ///< Degrees; it turns clockwise from here ...
    double lastHeading = 360;             ///< ... to here.

    [[nodiscard]] bool isFree() const;
    /// `count` headings that divide a whole turn, and in a part of one both of its ends.
    [[nodiscard]] std::vector<double> headings(int count) const;
};

/// The places of that camera for a player at each of these spots, with the views from there:
/// one for each distance, pitch and heading; where the distance is 0 all headings together.
/// Walls between camera and player are not minded. A free camera leaves the spots as they are.
[[nodiscard]] std::vector<SurveySpot> throughCamera(const std::vector<SurveySpot>& spots,
                                                    const Camera& camera, int headings);

}  // namespace flentro
