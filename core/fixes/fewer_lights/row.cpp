#include "fixes/fewer_lights/fewer_lights.h"
#include "fixes/fix_kind.h"
#include "fixes/lights/light_json.h"

namespace flentro {

namespace {

FieldTable<FewerLightSettings> fewerLightFields() {
    using S = FewerLightSettings;
    return FieldTable<S>()
        .number("minChange", &S::minChange, 0, 1,
                {.label = "Missed from",
                 .help = "Lights whose going changes no view by more than this share of "
                         "the display's range go.",
                 .shownUnit = "%",
                 .scale = 100,
                 .decimals = 2})
        .number("mergeWithin", &S::mergeWithin, 0, 1000,
                {.label = "One for those within",
                 .help = "Point lights of like colour this close to a stronger one become "
                         "one with it. 0: none do.",
                 .unit = "m",
                 .decimals = 1,
                 .zero = "never"})
        .number("maxMergeChange", &S::maxMergeChange, 0, 1,
                {.label = "If views change by at most",
                 .help = "Of the display's range, by one light in place of several, or by ranges "
                         "that end before objects.",
                 .shownUnit = "%",
                 .scale = 100,
                 .decimals = 1})
        .number("perObject", &S::perObject, 0, 1000,
                {.label = "On one object",
                 .help = "Ranges end before objects that more lights reach, those of the "
                         "weakest there, where views change by no more than that.",
                 .zero = "any number"})
        .flag("capViews", &S::capViews,
              {.label = "Distances keep views within the limit",
               .help = "Those that are missed least end nearest."})
        .number("limit", &S::limit, 0, 10000,
                {.label = "In any view",
                 .help = "Lights that a view may hold.",
                 .zero = "the target's limit"})
        .number("fade", &S::fade, 0, 0.9,
                {.label = "Fade band",
                 .help = "Share of its distance over which a light fades out.",
                 .shownUnit = "%",
                 .scale = 100});
}

}  // namespace

const FixKind& FewerLightSettings::kind() {
    using S = FewerLightSettings;
    static const FixKind kind = makeFixKind<S, LightReport>({
        .key = "fewer-lights",
        .name = "Fewer lights",
        .shortName = "Lights",
        .help = "Lights that nothing seen depends on go, like ones that stand close become one, "
                "and distances keep the others to what a view may hold.",
        .readsEvidence = true,
        .fields = fewerLightFields(),
        .apply =
            [](const FixInput& in, const S& s) {
                return applyFewerLights(in.scene, s, in.target, in.evidence, in.progress);
            },
        .uselessBecause =
            [](const Scene& scene) {
                return scene.placedLights.empty() ? "there are no lights" : "";
            },
    });
    return kind;
}

}  // namespace flentro
