#include "fixes/fix_kind.h"
#include "fixes/masks/masks.h"

namespace flentro {

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(JoinedMask, occlusion, other, width, height, bytesSaved)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(MaskReport, masks)

const FixKind& MaskSettings::kind() {
    using S = MaskSettings;
    static const FixKind kind = makeFixKind<S, MaskReport>({
        .key = "masks",
        .name = "Masks together",
        .shortName = "Masks",
        .help = "Occlusion, roughness and metalness of a material come from one image, as glTF "
                "expects them: one channel each.",
        .fields = FieldTable<S>().number("maxEdge", &S::maxEdge, 4, 16384,
                                         {.label = "Up to",
                                          .help = "Images with a longer edge stay apart.",
                                          .unit = "px",
                                          .formerly = "mostEdge"}),
        .apply = [](const FixInput& in,
                    const S& s) { return applyMasks(in.scene, s, in.target, in.progress); },
        .uselessBecause =
            [](const Scene& scene) {
                for (const Material& material : scene.materials)
                    if (material.texture("occlusionTexture") >= 0) return "";
                return "no material has an occlusion map";
            },
    });
    return kind;
}

}  // namespace flentro
