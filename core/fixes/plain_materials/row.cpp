#include "fixes/fix_kind.h"
#include "fixes/plain_materials/plain_materials.h"

namespace flentro {

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(PlainMaterial, name, material, pixels, lost, object, change)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(PlainMaterialReport, materials)

namespace {

FieldTable<PlainMaterialSettings> plainMaterialFields() {
    using S = PlainMaterialSettings;
    return FieldTable<S>()
        .number("maxPixels", &S::maxPixels, 0, 1e5,
                {.label = "Plainer below",
                 .help = "Size along an edge at which a survey sees the largest thing of a "
                         "material.",
                 .unit = "px",
                 .zero = "never"})
        .number("maxChange", &S::maxChange, 0, 1,
                {.label = "If it looks different by at most",
                 .help = "Mean difference to the eye (FLIP) of the largest thing of a "
                         "material where it is seen largest; else it keeps its maps.",
                 .shownUnit = "%",
                 .scale = 100,
                 .decimals = 1})
        .flag("dropNormals", &S::dropNormals,
              {.label = "Without normal maps", .help = "Their relief becomes roughness."})
        .flag("dropOcclusion", &S::dropOcclusion,
              {.label = "Without occlusion maps",
               .help = "The soft darkness of corners, too small to be seen."})
        .flag("meanRoughness", &S::meanRoughness,
              {.label = "One roughness, one metalness", .help = "The means of their maps."})
        .flag("dropCoats", &S::dropCoats,
              {.label = "Without coats", .help = "Clear coat, sheen, anisotropy and iridescence."})
        .number("unlitPixels", &S::unlitPixels, 0, 1e5,
                {.label = "Not lit below",
                 .help = "They show their colour, whatever lights them.",
                 .unit = "px",
                 .zero = "never"})
        .flag("oneSided", &S::oneSided,
              {.label = "One side of what is closed",
               .help = "Nobody sees the inside of things without holes."})
        .flag("cutOut", &S::cutOut,
              {.label = "Cut out instead of blended",
               .help = "Where alpha is hardly ever in between."})
        .number("minSettled", &S::minSettled, 0.5, 1,
                {.label = "From",
                 .help = "Share of an image's pixels that are clear or opaque.",
                 .shownUnit = "%",
                 .scale = 100});
}

}  // namespace

const FixKind& PlainMaterialSettings::kind() {
    using S = PlainMaterialSettings;
    static const FixKind kind = makeFixKind<S, PlainMaterialReport>({
        .key = "plain-materials",
        .name = "Plainer materials",
        .shortName = "Materials",
        .help = "What is never seen large, and backdrops, lose maps and coats; closed things their "
                "second side; hard edges the blending.",
        .readsEvidence = true,
        .fields = plainMaterialFields(),
        .apply =
            [](const FixInput& in, const S& s) {
                return applyPlainMaterials(in.scene, s, in.target, in.evidence, in.progress);
            },
        .uselessBecause =
            [](const Scene& scene) {
                return scene.materials.empty() ? "there are no materials" : "";
            },
    });
    return kind;
}

}  // namespace flentro
