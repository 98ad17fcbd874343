#include "fixes/fix_kind.h"
#include "fixes/saving_json.h"
#include "fixes/tidy/tidy.h"

namespace flentro {

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(TidyReport, steps)

const FixKind& TidySettings::kind() {
    using S = TidySettings;
    static const FixKind kind = makeFixKind<S, TidyReport>({
        .key = "tidy",
        .name = "Tidy",
        .shortName = "Tidy",
        .help = "Weld equal vertices, drop triangles that show nothing. Loses nothing.",
        .fields =
            FieldTable<S>()
                .flag("weld", &S::weld,
                      {.label = "Weld equal vertices",
                       .help = "Those that are equal in every attribute."})
                .flag(
                    "dropDegenerate", &S::dropDegenerate,
                    {.label = "Drop triangles without surface", .help = "All corners on one line."})
                .flag("dropDuplicates", &S::dropDuplicates,
                      {.label = "Drop triangles there twice",
                       .help = "With the same corners and facing."})
                .flag("joinTwins", &S::joinTwins,
                      {.label = "Faces back to back become two-sided",
                       .help = "Of two opaque faces with the same corners that face away from each "
                               "other and look alike one is dropped, and its material gets two "
                               "sides.",
                       .page = "More"})
                .flag("dropUnused", &S::dropUnused,
                      {.label = "Drop what nothing uses",
                       .help = "Vertices that no triangle uses.",
                       .page = "More"})
                .flag("joinTiles", &S::joinTiles,
                      {.label = "Join repeating textures",
                       .help = "Repeating textures run on over faces that have one each.",
                       .page = "More"})
                .number("holeSize", &S::holeSize, 0, 1e6,
                        {.label = "Holes smaller than",
                         .help = "Smaller holes are closed to a point, at scale 1; 0: none.",
                         .unit = "m",
                         .shownUnit = "mm",
                         .scale = 1000,
                         .decimals = 1})
                .flag("dissolve", &S::dissolve,
                      {.label = "Dissolve flat surfaces",
                       .help = "Fewer triangles where the surface is flat and its texture, normals "
                               "and colours run straight on. Nothing changes that can be seen."})
                .flag("textures", &S::textures,
                      {.label = "Textures that say nothing",
                       .help = "Images of one colour become numbers of their materials, alpha "
                               "that is opaque everywhere goes, so do images that nothing reads; "
                               "filters use mip maps.",
                       .page = "More"})
                .runs("unseen", &S::unseen,
                      {.help = "Triangles that no spot of a survey has seen, dropped: first "
                               "triangle, count, first, count, ... over the mesh's parts in "
                               "order."}),
        .apply = [](const FixInput& in, const S& s) { return applyTidy(in.scene, s, in.progress); },
    });
    return kind;
}

}  // namespace flentro
