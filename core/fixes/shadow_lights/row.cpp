#include "fixes/fix_kind.h"
#include "fixes/lights/light_json.h"
#include "fixes/shadow_lights/shadow_lights.h"

namespace flentro {

const FixKind& ShadowLightSettings::kind() {
    using S = ShadowLightSettings;
    static const FixKind kind = makeFixKind<S, LightReport>({
        .key = "shadow-lights",
        .name = "Shadow lights",
        .shortName = "Casters",
        .help = "The lights whose shadows would be missed most keep them, as many as a view may "
                "hold, whichever way it turns; the others cast theirs up to a distance, or none.",
        .readsEvidence = true,
        .fields =
            FieldTable<S>()
                .number("limit", &S::limit, 0, 1000,
                        {.label = "In any view",
                         .help = "Shadow lights that a view may hold.",
                         .zero = "the target's limit"})
                .choice("excess", &S::excess,
                        {{"distance", "cast shadows up to a distance"},
                         {"never", "cast none"},
                         {"at-once", "wait until they are the strongest"}},
                        {.label = "Those too many",
                         .help = "A distance keeps shadows where they show; the strongest at the "
                                 "eye are chosen anew at each place. Both need a program that "
                                 "reads extras.flentro or the manifest."})
                .number("minChange", &S::minChange, 0, 1,
                        {.label = "Missed from",
                         .help = "Shadows that change no view by more than this share of the "
                                 "display's range go.",
                         .shownUnit = "%",
                         .scale = 100,
                         .decimals = 2}),
        .apply =
            [](const FixInput& in, const S& s) {
                return applyShadowLights(in.scene, s, in.target, in.evidence, in.progress);
            },
        .uselessBecause =
            [](const Scene& scene) {
                for (const PlacedLight& light : scene.placedLights)
                    if (light.castsShadow) return "";
                return "no light casts a shadow";
            },
    });
    return kind;
}

}  // namespace flentro
