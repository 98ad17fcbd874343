#include "fixes/fewer_materials/fewer_materials.h"
#include "fixes/fix_kind.h"

namespace flentro {

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(FewerMaterialReport, palettes, colours, joined, alike, taken,
                                   baked, pages, kept, divided, objects, still)

namespace {

FieldTable<FewerMaterialSettings> fewerMaterialFields() {
    using S = FewerMaterialSettings;
    return FieldTable<S>()
        .flag("palette", &S::palette,
              {.label = "Colours from a palette",
               .help = "Materials without textures that share an object: one image holds "
                       "their colours, roughness and glow."})
        .flag("wholeScene", &S::wholeScene,
              {.label = "All over the scene",
               .help = "Also those that share no object: then different objects can be "
                       "merged."})
        .number("limit", &S::limit, 0, 1000,
                {.label = "On one object",
                 .help = "Materials that an object may have.",
                 .zero = "the target's limit"})
        .number("alikeColour", &S::alikeColour, 0, 1,
                {.label = "Alike up to",
                 .help = "While an object has too many, materials with the same textures "
                         "become one where colour, roughness and metalness differ by at "
                         "most this share.",
                 .shownUnit = "%",
                 .scale = 100,
                 .decimals = 1})
        .number("smallPixels", &S::smallPixels, 0, 1e5,
                {.label = "Small parts below",
                 .help = "Size along an edge at which a survey sees the largest of them.",
                 .unit = "px",
                 .zero = "none"})
        .number("bakePage", &S::bakePage, 0, 8192,
                {.label = "Baked onto pages of",
                 .help = "What an object still has too many of becomes one material with a "
                         "texture of its own, however often the textures repeat.",
                 .unit = "px",
                 .zero = "not baked"})
        .number("bakeKept", &S::bakeKept, 0.05, 1,
                {.label = "Keeping at least",
                 .help = "Of the texels along an edge that the nearest place sees; else it "
                         "stays as it is.",
                 .shownUnit = "%",
                 .scale = 100})
        .number("bakeCut", &S::bakeCut, 0, 100,
                {.label = "Cut for at most",
                 .help = "Vertices more, of the object's: triangles on which a texture "
                         "repeats are cut where it begins anew, so that a page has room.",
                 .shownUnit = "%",
                 .scale = 100,
                 .zero = "not cut"})
        .flag("divide", &S::divide,
              {.label = "Divide what is left",
               .help = "Objects that still have too many become several that stand "
                       "together: their calls stay, visible objects grow."});
}

}  // namespace

const FixKind& FewerMaterialSettings::kind() {
    using S = FewerMaterialSettings;
    static const FixKind kind = makeFixKind<S, FewerMaterialReport>({
        .key = "fewer-materials",
        .name = "Fewer materials",
        .shortName = "Palette",
        .help = "Materials that differ by colour alone share a palette, and parts too small to be "
                "told apart take the material beside them; the rest is baked onto pages or becomes "
                "objects of its own, until an object has no more than it may.",
        .readsEvidence = true,
        .fields = fewerMaterialFields(),
        .apply =
            [](const FixInput& in, const S& s) {
                return applyFewerMaterials(in.scene, s, in.target, in.evidence, in.progress);
            },
        .uselessBecause =
            [](const Scene& scene) {
                for (const Asset& asset : scene.assets)
                    if (asset.mesh->parts.size() > 1) return "";
                return "no object has more than one material";
            },
    });
    return kind;
}

}  // namespace flentro
