#include "fixes/culling/culling.h"
#include "fixes/fix_kind.h"

namespace flentro {

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(VisibleLoss, origin, spots, pixels)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(CullingReport, losses)

namespace {

FieldTable<SizeClass> classFields() {
    using S = SizeClass;
    return FieldTable<S>()
        .string("name", &S::name, {.label = "Class"})
        .number("largest", &S::largest, 0, 1e9,
                {.label = "Up to",
                 .help = "Of the bounds' diagonal; the last class has no end.",
                 .unit = "m",
                 .decimals = 2})
        .number("pixels", &S::pixels, 0, 1e5,
                {.label = "Goes below",
                 .help = "Goes when smaller than this on the target's display; 0: never by size.",
                 .unit = "px",
                 .decimals = 1});
}

constexpr const char* kHand = "By hand";

/// What goes beyond the far plane and in fog.
void addFarPlane(FieldTable<CullingSettings>& table) {
    using S = CullingSettings;
    constexpr const char* kFar = "Far plane";
    table
        .number("farPlane", &S::farPlane, 0, 1e6,
                {.label = "Far plane",
                 .help = "Nothing is drawn beyond.",
                 .unit = "m",
                 .zero = "the target's",
                 .page = kFar})
        .number("fogStart", &S::fogStart, 0, 1e6,
                {.label = "Fog from",
                 .help = "Where fog begins.",
                 .unit = "m",
                 .zero = "here",
                 .page = kFar})
        .number("fogEnd", &S::fogEnd, 0, 1e6,
                {.label = "Fog closes at",
                 .help = "Beyond it nothing shows; before it things go by their pixels times the "
                         "contrast that is left.",
                 .unit = "m",
                 .zero = "no fog",
                 .page = kFar})
        .number("margin", &S::margin, 0, 0.5,
                {.label = "Margin",
                 .help = "Distance kept to the far plane, as a share of it.",
                 .shownUnit = "%",
                 .scale = 100,
                 .page = kFar})
        .flag("rounded", &S::rounded,
              {.label = "Distances in a few steps",
               .help = "Rounded up to 1, 1.2, 1.5, 2, 2.5, 3, 4, 5, 6, 8 times a power of ten: "
                       "copies go together, and engines can keep few lists.",
               .page = kFar});
}

FieldTable<CullingSettings> cullingFields() {
    using S = CullingSettings;
    FieldTable<S> table;
    table
        .rows("classes", &S::classes, classFields(), "largest",
              {.label = "Size classes",
               .help = "When objects go, by the size that they have; each class is larger than the "
                       "one before.",
               .page = kHand})
        .number("fade", &S::fade, 0, 0.9,
                {.label = "Fade",
                 .help = "Share of the culling distance over which an object fades out.",
                 .shownUnit = "%",
                 .scale = 100})
        .number("transparent", &S::transparent, 0.05, 1,
                {.label = "Glass at",
                 .help = "What is only transparent goes at this share of its distance.",
                 .shownUnit = "%",
                 .scale = 100})
        .number("skyline", &S::skyline, 1, 10,
                {.label = "Skyline",
                 .help = "What stands against the sky stays this many times as far. Needs a survey "
                         "with rays.",
                 .shownUnit = "x",
                 .decimals = 1})
        .flag("bySeen", &S::bySeen,
              {.label = "By the pixels that the survey saw",
               .help = "Thin and half-hidden things go earlier than their bounds tell."});
    addFarPlane(table);
    table.byAsset("overrides", &S::overrides, 0, 1e6, 100,
                  {.label = "Goes at", .unit = "m", .decimals = 1},
                  {.label = "Single assets",
                   .help = "Culling distances set by hand, whatever the size.",
                   .page = kHand});
    return table;
}

}  // namespace

Json CullingReport::describe(const Scene& source) const {
    Json json = Json::object();
    for (const VisibleLoss& loss : losses)
        json["culledWhileVisible"].push_back({{"object", source.objects[loss.origin].name},
                                              {"spots", loss.spots},
                                              {"pixels", loss.pixels}});
    return json;
}

const FixKind& CullingSettings::kind() {
    static const FixKind kind = makeFixKind<CullingSettings, CullingReport>({
        .key = "culling",
        .name = "Culling distance",
        .shortName = "Culling",
        .help = "Objects go when they are only a few pixels tall.",
        .readsEvidence = true,
        .fields = cullingFields(),
        .apply =
            [](const FixInput& in, const CullingSettings& s) {
                return applyCulling(in.scene, s, in.target, in.evidence, in.progress);
            },
    });
    return kind;
}

}  // namespace flentro
