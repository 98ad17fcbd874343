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
                .number("maxChange", &S::maxChange, 0, 1,
                        {.label = "Views change by at most",
                         .help = "All lights together, as a share of the display's range, in the "
                                 "mean over any view of the survey.",
                         .shownUnit = "%",
                         .scale = 100,
                         .decimals = 1})
                .number("minLux", &S::minLux, 1e-6, 1e6,
                        {.label = "Without survey from",
                         .help = "Without a survey lights end where they add less than this.",
                         .unit = "lux",
                         .decimals = 3}),
        .apply = [](const FixInput& in,
                    const S& s) { return applyLightReach(in.scene, s, in.evidence, in.progress); },
        .uselessBecause =
            [](const Scene& scene) {
                return scene.placedLights.empty() ? "there are no lights" : "";
            },
    });
    return kind;
}

}  // namespace flentro
