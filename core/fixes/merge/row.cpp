#include "fixes/fix_kind.h"
#include "fixes/merge/merge.h"

namespace nlohmann {

/// Boxes as their two corners.
template <>
struct adl_serializer<flentro::Box> {
    static void to_json(json& j, const flentro::Box& box) {
        j = json::array();
        for (const flentro::Vec3d& corner : {box.min(), box.max()})
            for (const double value : corner) j.push_back(value);
    }
    static void from_json(const json& j, flentro::Box& box) {
        for (int axis = 0; axis < 3; ++axis) {
            box.min()[axis] = j.at(static_cast<std::size_t>(axis)).get<double>();
            box.max()[axis] = j.at(static_cast<std::size_t>(axis) + 3).get<double>();
        }
    }
};

}  // namespace nlohmann

namespace flentro {

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(ParcelSize, size, calls, objects, triangles, load, overload)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(Parcel, name, members, origins, bounds, callsSaved, objectsSaved,
                                   trianglesPaid, bytesPaid)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(MergeVerdict, asset, copies, merged, callsAsInstances,
                                   callsMerged, why)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(MergeReport, size, estimated, before, sizes, parcels, spared,
                                   verdicts)

namespace {

FieldTable<MergeSettings> mergeFields() {
    using S = MergeSettings;
    return FieldTable<S>()
        .choice("grouping", &S::grouping,
                {{"grid", "grid"}, {"near", "nearness"}, {"material", "material"}},
                {.label = "Parcels by",
                 .help = "Grid: by the cell that an object's middle is in. Nearness: the nearest "
                         "objects first, up to the size of a parcel. Material: by cell, each "
                         "material by itself; objects of several are divided, which serves levels "
                         "whose cells show the same materials."})
        .number("parcel", &S::parcel, 0, 1000,
                {.label = "Parcel",
                 .help = "Edge of a parcel; 0: the size that costs least.",
                 .unit = "m",
                 .zero = "searched"})
        .number(
            "maxVertices", &S::maxVertices, 100, 1e9,
            {.label = "Vertices",
             .help = "Of one part at the most, and no more than the target allows. Below 65,535 "
                     "indices take 16 bits.",
             .formerly = "mostVertices"})
        .number("maxCullRatio", &S::maxCullRatio, 1, 1000,
                {.label = "Reach",
                 .help = "Culling distances in one parcel differ by this factor at the most: the "
                         "nearest to go would be drawn as long as the last.",
                 .shownUnit = "x",
                 .decimals = 1,
                 .formerly = "growth"})
        .flag("sameLights", &S::sameLights,
              {.label = "Only what the same lights reach",
               .help = "For renderers that light each object by a list of its own: a parcel is lit "
                       "by all lights of all its objects."})
        .byAsset(
            "overrides", &S::overrides,
            {{"auto", "as the numbers say"}, {"merge", "always merged"}, {"leave", "never merged"}},
            {.label = "This asset is"},
            {.label = "Single assets", .help = "What was decided by hand.", .page = "Assets"})
        .names("excluded", &S::excluded,
               {.label = "Left apart",
                .help = "Names of objects that are never merged.",
                .page = "Parcels",
                .formerly = "left"});
}

}  // namespace

Json MergeReport::describe(const Scene&) const {
    Json json = {{"size", size},
                 {"estimated", estimated},
                 {"parcels", Json::array()},
                 {"sizes", Json::array()}};
    for (const ParcelSize& tried : sizes)
        json["sizes"].push_back({{"size", tried.size},
                                 {"calls", tried.calls},
                                 {"objects", tried.objects},
                                 {"triangles", tried.triangles},
                                 {"load", tried.load},
                                 {"overload", tried.overload}});
    for (const Parcel& parcel : parcels)
        json["parcels"].push_back({{"name", parcel.name},
                                   {"objects", parcel.members.size()},
                                   {"callsSaved", parcel.callsSaved},
                                   {"objectsSaved", parcel.objectsSaved},
                                   {"trianglesPaid", parcel.trianglesPaid},
                                   {"bytesPaid", parcel.bytesPaid}});
    return {{"merge", std::move(json)}};
}

const FixKind& MergeSettings::kind() {
    static const FixKind kind = makeFixKind<MergeSettings, MergeReport>({
        .key = "merge",
        .name = "Merge",
        .shortName = "Merge",
        .help = "What stands together becomes one object: fewer draw calls and objects for more "
                "triangles. Both sides are shown.",
        .readsEvidence = true,
        .fields = mergeFields(),
        .apply =
            [](const FixInput& in, const MergeSettings& s) {
                return applyMerge(in.scene, s, in.target, in.evidence, in.progress);
            },
        .uselessBecause =
            [](const Scene& scene) { return scene.objects.size() < 2 ? "a single object" : ""; },
    });
    return kind;
}

}  // namespace flentro
