// What lights are worth to views, and how much views change with them, by the light matrix.

#pragma once

#include <span>
#include <string>
#include <vector>

#include "survey/light_matrix.h"

namespace flentro {

/// What a light is worth where, in shares of the display's range.
struct LightWorth {
    std::uint32_t light = 0;
    float worth = 0;      ///< Added up over the views of the place.
    float worstView = 0;  ///< In the one where it is most.
};

enum class WorthOf { Light, Shadow };

/// [places] How much views would change if a light went out, or cast no shadow, each by itself.
/// `scene`: with the lights as they are now; numbered as its placed lights.
[[nodiscard]] std::vector<std::vector<LightWorth>> worthOfLights(const LightMatrix& matrix,
                                                                 const Scene& scene, WorthOf what);

/// [lights] The most of each in any view of any place.
[[nodiscard]] std::vector<float> mostInAnyView(const std::vector<std::vector<LightWorth>>& worth,
                                               std::size_t lights);

/// The same without a survey, by what lies within reach on the display: an estimate.
[[nodiscard]] std::vector<std::vector<LightWorth>> guessWorth(const Scene& scene,
                                                              std::span<const Vec3d> eyes);

/// [groups] The most that any view changes if only the lights of one group become what they are
/// after. `groupOf` [placed lights before]; -1: of none.
[[nodiscard]] std::vector<double> worstChanges(const LightMatrix& matrix, const Scene& before,
                                               const Scene& after, const std::vector<int>& groupOf);

/// "views change by 0.4 %, at most by 3.1 % (from 12.0, 1.7, -3.5)"
[[nodiscard]] std::string describeChange(const LightMatrix& matrix, const LightingChange& change);

}  // namespace flentro
