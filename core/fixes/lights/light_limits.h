// Distances of lights that keep the number of them in any view within a limit.

#pragma once

#include <span>
#include <vector>

#include "budget/target.h"
#include "fixes/evidence.h"
#include "fixes/lights/light_worth.h"

namespace flentro {

/// A light that counts in the views that its range meets, up to a distance from the eye.
struct LimitedLight {
    Vec3d position = Vec3d::Zero();
    double range = 0;      ///< Metres; infinity: in every view.
    double end = 0;        ///< Metres; infinity: at any distance.
    bool isFixed = false;  ///< Counts, but must stay as it is.
};

struct LightLimits {
    std::vector<double> ends;    ///< [lights] Metres, at most those before; 0: never.
    std::size_t most = 0;        ///< Lights in any view of any place with them.
    std::size_t placesOver = 0;  ///< Where those that are fixed are too many.
};

/// Cuts lights short, those first whose loss shows least, until at every eye, whichever way it
/// turns, at most `limit` count. A light's sphere meets a view of `horizontalFov` degrees (up to
/// 180) when it does so in plan: never fewer than a frustum tells. `worth` [eyes]: lights that are
/// missing are worth nothing there. Without `byDistance` a light counts at any distance or never.
/// `slack` metres around an eye no light may count that does not count there: players stand between
/// the spots of a survey as well.
/// Cost: O(eyes x lights log lights).
[[nodiscard]] LightLimits limitLights(const std::vector<LimitedLight>& lights, std::size_t limit,
                                      std::span<const Vec3d> eyes, double horizontalFov,
                                      const std::vector<std::vector<LightWorth>>& worth,
                                      bool byDistance, double slack = 0);

/// Where players stand, by placesFor().
[[nodiscard]] std::vector<Vec3d> eyesFor(const Scene& scene, const Evidence& evidence);

/// Half of the usual distance from a spot to the next, at most 4 m; 0 for a single one. Cost:
/// O(n^2) in some hundred of them.
[[nodiscard]] double slackBetween(std::span<const Vec3d> eyes);

/// Most lights that any view from an eye takes in, whichever way it turns.
[[nodiscard]] std::size_t mostInView(const std::vector<LimitedLight>& lights, const Vec3d& eye,
                                     double horizontalFov);

}  // namespace flentro
