#include "fixes/fix_kind.h"
#include "fixes/shadows/shadows.h"

namespace flentro {
namespace {

FieldTable<ShadowSettings> shadowFields() {
    using S = ShadowSettings;
    return FieldTable<S>()
        .flag("hiddenCastNone", &S::hiddenCastNone,
              {.label = "No shadow where none can fall",
               .help = "Objects that no shadow light reaches, or with nothing behind them to catch "
                       "the shadow, found by rays from the lights."})
        .number("shadowPixels", &S::shadowPixels, 0, 1e5,
                {.label = "Shadows from",
                 .help = "Where a shadow would be smaller than this on the display, the object "
                         "casts none. 0: shadows stay.",
                 .unit = "px",
                 .decimals = 1,
                 .zero = "never"})
        .number("lightPixels", &S::lightPixels, 0, 1e5,
                {.label = "Lights from",
                 .help = "Where what a light lights is smaller than this on the display, it is "
                         "off. 0: lights stay.",
                 .unit = "px",
                 .decimals = 1,
                 .zero = "never"})
        .number("minLux", &S::minLux, 1e-6, 1e6,
                {.label = "Lit means",
                 .help = "What a light must add to a surface to count as lighting it.",
                 .unit = "lux",
                 .decimals = 3,
                 .formerly = "leastLux"})
        .number("fade", &S::fade, 0, 0.9,
                {.label = "Fade band",
                 .help = "Share of its distance over which a light fades out.",
                 .shownUnit = "%",
                 .scale = 100})
        .byAsset("overrides", &S::overrides, 0, 1e6, 30,
                 {.label = "Casts until", .unit = "m", .decimals = 1},
                 {.label = "Single assets",
                  .help = "Distances to which assets cast shadows, set by hand."});
}

}  // namespace

const FixKind& ShadowSettings::kind() {
    static const FixKind kind = makeFixKind<ShadowSettings>({
        .key = "shadows",
        .name = "Shadows and lights",
        .shortName = "Shadows",
        .help = "Shadows that nobody can see are not cast, and lights fade out where they light "
                "only a few pixels.",
        .fields = shadowFields(),
        .apply =
            [](const FixInput& in, const ShadowSettings& s) {
                return applyShadows(in.scene, s, in.target, in.progress);
            },
        .uselessBecause =
            [](const Scene& scene) {
                return scene.placedLights.empty() ? "there are no lights" : "";
            },
    });
    return kind;
}

}  // namespace flentro
