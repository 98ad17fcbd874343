#include "fixes/fix_kind.h"
#include "fixes/share/share.h"

namespace flentro {

const FixKind& ShareSettings::kind() {
    using S = ShareSettings;
    static const FixKind kind = makeFixKind<S>({
        .key = "share",
        .name = "Share",
        .shortName = "Share",
        .help = "Equal meshes, materials and images under several names become one, also where "
                "they were moved, and parts of a mesh that show equal materials. Loses nothing.",
        .fields =
            FieldTable<S>()
                .flag("matchTransformed", &S::matchTransformed,
                      {.label = "Meshes that were turned, scaled or mirrored too",
                       .help = "Copies that were moved before they were stored become instances "
                               "of one mesh.",
                       .formerly = "moved"})
                .flag("materials", &S::materials,
                      {.label = "Materials equal in value", .help = "Whatever they are called."})
                .flag("images", &S::images,
                      {.label = "Images equal in every pixel",
                       .help = "Whatever files they come from."})
                .flag("parts", &S::parts,
                      {.label = "Parts of one mesh with equal materials",
                       .help = "They become one part, which takes one draw call; unless that has "
                               "more vertices than the target allows."})
                .number("tolerance", &S::tolerance, 1e-7, 0.01,
                        {.label = "Tolerance",
                         .help = "How far vertices of equal meshes may lie apart, in sizes of the "
                                 "mesh; never farther than the target's display can show.",
                         .shownUnit = "‰",
                         .scale = 1000,
                         .decimals = 4}),
        .apply = [](const FixInput& in,
                    const S& s) { return applyShare(in.scene, s, in.target, in.progress); },
        .uselessBecause =
            [](const Scene& scene) {
                return scene.assets.size() < 2 && scene.materials.size() < 2
                           ? "a single asset and material"
                           : "";
            },
    });
    return kind;
}

}  // namespace flentro
