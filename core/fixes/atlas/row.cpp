#include "fixes/atlas/atlas.h"
#include "fixes/fix_kind.h"
#include "fixes/page_packer.h"

namespace flentro {

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(Packing, material, image, x, y, width, height, kept,
                                   texelsPerMetre)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(AtlasReport, packings)

const FixKind& AtlasSettings::kind() {
    using S = AtlasSettings;
    static const FixKind kind = makeFixKind<S, AtlasReport>({
        .key = "atlas",
        .name = "Atlas",
        .shortName = "Atlas",
        .help = "Textures of materials that differ by nothing else share pages, so that parts "
                "become one.",
        .fields =
            FieldTable<S>()
                .number("page", &S::page, 64, 8192,
                        {.label = "Longest edge",
                         .help = "Of a page; a power of two, no longer than the target allows.",
                         .unit = "px"})
                .number(
                    "largest", &S::largest, 1, 8192,
                    {.label = "Textures up to", .help = "Larger ones stay alone.", .unit = "px"})
                .number("gutter", &S::gutter, 0, 64,
                        {.label = "Gutter",
                         .help = "Of its own edge around each texture: keeps mip maps apart.",
                         .unit = "px",
                         .zero = "never"})
                .flag("bakeFactors", &S::bakeFactors,
                      {.label = "Colours and roughness onto the page",
                       .help = "Materials that also differ by these numbers share pages that hold "
                               "them."})
                .number(
                    "cutShare", &S::cutShare, 0, 10,
                    {.label = "Repeating ones for",
                     .help = "Textures that repeat a few times are packed as well, where cutting "
                             "triangles along their tiles adds at most this share of vertices.",
                     .shownUnit = "% more vertices",
                     .scale = 100,
                     .zero = "never"}),
        .apply =
            [](const FixInput& in, const S& s) {
                AtlasSettings settings = s;
                settings.page = pageEdge(s.page, in.target);
                return applyAtlas(in.scene, settings, in.progress);
            },
        .uselessBecause =
            [](const Scene& scene) {
                return scene.images.size() < 2 ? "fewer than two textures" : "";
            },
    });
    return kind;
}

}  // namespace flentro
