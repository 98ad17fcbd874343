#include "fixes/fix_kind.h"
#include "fixes/stand_ins/stand_ins.h"

namespace flentro {

const FixKind& StandInSettings::kind() {
    using S = StandInSettings;
    static const FixKind kind = makeFixKind<S>({
        .key = "standins",
        .name = "Far stand-ins",
        .shortName = "Far",
        .help = "From afar a whole neighbourhood is one light mesh in the colours of its vertices.",
        .fields =
            FieldTable<S>()
                .number("parcel", &S::parcel, 1, 1e5,
                        {.label = "Neighbourhood",
                         .help = "Edge of what one stand-in shows.",
                         .unit = "m"})
                .number("startDistance", &S::startDistance, 0.1, 1e6,
                        {.label = "From",
                         .help = "Distance to its bounds at which the stand-in takes over from its "
                                 "objects.",
                         .unit = "m",
                         .decimals = 1,
                         .formerly = "from"})
                .number("pixels", &S::pixels, 0.1, 100,
                        {.label = "Deviation",
                         .help = "What the stand-in may deviate by on the display at that "
                                 "distance.",
                         .unit = "px",
                         .decimals = 1}),
        .apply = [](const FixInput& in,
                    const S& s) { return applyStandIns(in.scene, s, in.target, in.progress); },
        .uselessBecause =
            [](const Scene& scene) { return scene.objects.size() < 2 ? "a single object" : ""; },
    });
    return kind;
}

}  // namespace flentro
