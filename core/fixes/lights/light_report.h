// What fixes of lights tell of their work, light by light.

#pragma once

#include "fixes/fix.h"
#include "survey/light_matrix.h"

namespace flentro {

/// One placed light before and after. Distances in metres; kEndless where there is none.
struct LightLine {
    static constexpr double kEndless = -1;  ///< Infinity has no place in JSON.

    std::string name;
    std::uint32_t light = 0;  ///< Among the placed lights of the scene before.
    double rangeBefore = 0, rangeAfter = 0;
    double endBefore = 0, endAfter = 0;  ///< From the eye; 0: out.
    /// How far from the eye it casts a shadow; 0: never.
    double shadowBefore = 0, shadowAfter = 0;
    double worstChange = 0;  ///< Of what views show by it alone, where it is most; 0 to 1.
};

struct LightReport final : FixReport {
    std::vector<LightLine> lights;  ///< Those that changed, most visible first.
    // Over all lights together; 0 without a survey.
    double meanChange = 0;
    double worstChange = 0;
    [[nodiscard]] Json describe(const Scene& source) const override;
};

/// Compares the placed lights of two scenes by their origins. `evidence` may hold no lights; then
/// no change is told. Fills in the record's report and appends the change of views to its notes.
void reportLights(const Scene& before, const Scene& after, const Evidence& evidence,
                  FixRecord& record);

}  // namespace flentro
