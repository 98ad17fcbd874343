#include "fixes/fix_kind.h"
#include "fixes/split/split.h"

namespace flentro {

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(SplitMesh, asset, pieces, copies, transparent)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(SplitReport, meshes)

const FixKind& SplitSettings::kind() {
    using S = SplitSettings;
    static const FixKind kind = makeFixKind<S, SplitReport>({
        .key = "split",
        .name = "Split",
        .shortName = "Split",
        .help = "Glass apart from frames, loose pieces apart from each other, large meshes in "
                "cells: so that culling and levels have something to act on.",
        .fields =
            FieldTable<S>()
                .flag("transparent", &S::transparent,
                      {.label = "Transparent parts apart from opaque ones",
                       .help = "Both keep their place; the culling fix can let the transparent one "
                               "go earlier."})
                .number("minGap", &S::minGap, 0, 1e6,
                        {.label = "Loose pieces apart by",
                         .help = "Pieces of one mesh with at least this gap become objects; 0: "
                                 "never.",
                         .unit = "m",
                         .decimals = 1,
                         .zero = "never",
                         .formerly = "apart"})
                .number("cell", &S::cell, 0, 1e6,
                        {.label = "Cells of",
                         .help = "Larger meshes are cut along their triangles, so that culling and "
                                 "levels have something to act on. The cells meet at any levels; "
                                 "0: never.",
                         .unit = "m",
                         .decimals = 1,
                         .zero = "never"})
                .number("minCellTriangles", &S::minCellTriangles, 1, 1e9,
                        {.label = "At least",
                         .help = "Of a cell, in the mean: where meshes are coarser cells are "
                                 "larger.",
                         .unit = "triangles",
                         .formerly = "leastTriangles"}),
        .apply = [](const FixInput& in,
                    const S& s) { return applySplit(in.scene, s, in.progress); },
    });
    return kind;
}

}  // namespace flentro
