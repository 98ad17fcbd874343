#include "fixes/fix_kind.h"
#include "fixes/part_size/part_size.h"

namespace flentro {

const FixKind& PartSizeSettings::kind() {
    using S = PartSizeSettings;
    static const FixKind kind = makeFixKind<S>({
        .key = "part-size",
        .name = "Part size",
        .shortName = "Parts",
        .help = "Parts of more vertices than the target allows become several of one object: "
                "short indices reach them, each takes a draw call of its own.",
        .fields = FieldTable<S>().number(
            "maxVertices", &S::maxVertices, 0, 1e9,
            {.label = "At most",
             .help = "Of one part; 0: what the target allows and indices of two bytes reach.",
             .unit = "vertices",
             .zero = "the target's limit"}),
        .apply = [](const FixInput& in,
                    const S& s) { return applyPartSize(in.scene, s, in.target, in.progress); },
    });
    return kind;
}

}  // namespace flentro
