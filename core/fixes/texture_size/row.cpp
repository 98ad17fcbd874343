#include "fixes/fix_kind.h"
#include "fixes/texture_size/texture_size.h"

namespace flentro {

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(ResizedImage, name, image, use, width, height, needed, newWidth,
                                   newHeight, bytes, newBytes, difference)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(TextureSizeReport, images)

const FixKind& TextureSizeSettings::kind() {
    using S = TextureSizeSettings;
    static const FixKind kind = makeFixKind<S, TextureSizeReport>({
        .key = "texture-size",
        .name = "Texture size",
        .shortName = "Textures",
        .help = "Images become as large as any view shows them, and no larger than the target "
                "takes.",
        .readsEvidence = true,
        .fields =
            FieldTable<S>()
                .number("texelsPerPixel", &S::texelsPerPixel, 0, 8,
                        {.label = "Texels for a pixel",
                         .help = "Where an image is seen largest. Hero assets get twice as many, "
                                 "backdrops half. 0: need is not asked.",
                         .decimals = 2,
                         .zero = "any"})
                .flag("capEdge", &S::capEdge,
                      {.label = "No edge above the target's limit",
                       .help = "Larger images are halved until the target takes them."})
                .number("halvings", &S::halvings, 0, 8,
                        {.label = "Halve everything",
                         .help = "So many times, besides the rest.",
                         .unit = "times",
                         .zero = "never"})
                .number("unseenEdge", &S::unseenEdge, 0, 16384,
                        {.label = "Never seen: at most",
                         .help = "Longer edge of images that are drawn and that no place sees.",
                         .unit = "px",
                         .zero = "as they are"})
                .choice(
                    "steps", &S::steps,
                    {{"halves", "halves of what they are"},
                     {"powersOfTwo", "powers of two"},
                     {"exact", "exactly as needed"}},
                    {.label = "Sizes",
                     .help = "Halves keep proportions, and powers of two where there are some."})
                .number("sharpness", &S::sharpness, 0, 1,
                        {.label = "Sharpening",
                         .help = "0: smooth; 1: crisp, with faint seams along hard edges.",
                         .shownUnit = "%",
                         .scale = 100})
                .flag("softenHighlights", &S::softenHighlights,
                      {.label = "Lost relief becomes roughness",
                       .help = "Where normal maps no longer show fine detail, highlights widen as "
                               "that detail would have made them."})
                .byImage("overrides", &S::overrides, 4, 16384, 512, {.label = "Edge", .unit = "px"},
                         {.label = "Single images",
                          .help = "Longer edges by image name, set by hand.",
                          .page = "Single images"}),
        .apply =
            [](const FixInput& in, const S& s) {
                return applyTextureSize(in.scene, s, in.target, in.evidence, in.progress);
            },
        .uselessBecause =
            [](const Scene& scene) { return scene.images.empty() ? "there are no textures" : ""; },
    });
    return kind;
}

}  // namespace flentro
