#include "fixes/fix_kind.h"
#include "fixes/light_reach/light_reach.h"
#include "fixes/lights/light_json.h"

namespace flentro {

const FixKind& LightReachSettings::kind() {
    using S = LightReachSettings;
    static const FixKind kind = makeFixKind<S, LightReport>({
        .key = "light-reach",
        .name = "Light reach",
        .shortName = "Reach",
        .help = "Lights end where they no longer matter: ranges follow from what the survey saw "
                "lit, and lights without a range get one. None reaches further than before.",
        .readsEvidence = true,
        .fields =
            FieldTable<S>()
                .number("minShare", &S::minShare, 0.001, 0.5,
                        {.label = "Matters from",
                         .help = "A light ends where nothing that is seen owes it more than this "
                                 "share of its light.",
                         .shownUnit = "%",
                         .scale = 100,
                         .decimals = 1})
                .number(
                    "minLux", &S::minLux, 1e-6, 1e6,
                    {.label = "Without survey from",
                     .help = "Without a survey, and for lights that light nothing seen: they end "
                             "where they add less than this.",
                     .unit = "lux",
                     .decimals = 3}),
        .apply = [](const FixInput& in, const S& s) -> Expected<Fixed> {
            return applyLightReach(in.scene, s, in.evidence);
        },
        .uselessBecause =
            [](const Scene& scene) {
                return scene.placedLights.empty() ? "there are no lights" : "";
            },
    });
    return kind;
}

}  // namespace flentro
