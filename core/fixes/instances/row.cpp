#include "base/index.h"
#include "fixes/fix_kind.h"
#include "fixes/instances/instances.h"

namespace flentro {

const FixKind& InstanceSettings::kind() {
    using S = InstanceSettings;
    static const FixKind kind = makeFixKind<S>({
        .key = "instances",
        .name = "Instances",
        .shortName = "Instances",
        .help = "Copies of one mesh that stand still share one node (EXT_mesh_gpu_instancing), "
                "which programs draw by one call for each part and level. Nothing looks different; "
                "engines have to read the extension.",
        .fields =
            FieldTable<S>()
                .number(
                    "cell", &S::cell, 0, 1e5,
                    {.label = "Within cells of",
                     .help = "For engines that cull a node as a whole: smaller cells are culled "
                             "better and take more draw calls.",
                     .unit = "m",
                     .zero = "the whole scene"})
                .number("reach", &S::reach, 1, 1000,
                        {.label = "Reach",
                         .help = "Culling distances on one node differ by this factor at the most: "
                                 "all are drawn as far as the last.",
                         .shownUnit = "x",
                         .decimals = 1}),
        .apply = [](const FixInput& in, const S& s) { return applyInstances(in.scene, s); },
        .uselessBecause =
            [](const Scene& scene) {
                std::vector<bool> isShown(scene.assets.size(), false);
                for (const Object& object : scene.objects) {
                    if (object.instance < 0 && elementOf(isShown, object.asset)) return "";
                    elementOf(isShown, object.asset) = true;
                }
                return "no mesh has copies on nodes of their own";
            },
    });
    return kind;
}

}  // namespace flentro
