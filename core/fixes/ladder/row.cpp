#include <algorithm>

#include "fixes/fix_kind.h"
#include "fixes/ladder/ladder.h"

namespace flentro {
namespace {

constexpr int kMaxLevels = 8;

FieldTable<LadderOverride> overrideFields() {
    using S = LadderOverride;
    return FieldTable<S>()
        .flag("skip", &S::skip, {.label = "No levels", .help = "The asset stays as it is."})
        .numbers("switchDistances", &S::switchDistances, 0, 1e9,
                 {.label = "Switches at",
                  .help = "Distances at scale 1 for LOD 1, 2, ...; those that follow are computed.",
                  .unit = "m"})
        .numbers("caps", &S::caps, 0, 1e6,
                 {.label = "Most copies",
                  .help = "So many copies, the nearest, show LOD 0, 1, ... at once; the others the "
                          "next level."})
        .string("crowd", &S::crowd,
                {.label = "Crowd",
                 .help = "Assets that name the same crowd fill the same caps together."});
}

/// What is small enough to be held or walked around, products and figures, is looked at from as
/// near as it fills the view.
void proposeNearest(LadderSettings& settings, const Scene& scene) {
    constexpr double kLargestThing = 12;   ///< Metres.
    constexpr double kNearestEver = 0.05;  ///< Metres that an eye comes near.
    const Box bounds = scene.bounds();
    if (bounds.isEmpty() || bounds.diagonal().norm() > kLargestThing) return;
    settings.nearest = std::clamp(bounds.diagonal().norm() / 2, kNearestEver, settings.nearest);
}

constexpr const char* kHand = "By hand";

/// How many levels there are, and how much less each shows.
void addLevels(FieldTable<LadderSettings>& table) {
    using S = LadderSettings;
    table
        .choice("rule", &S::rule,
                {{"ratio", "ratio"}, {"deviation", "deviation"}, {"halving", "halving of size"}},
                {.label = "Levels by",
                 .help = "Ratio: each has a share of the triangles of the one before. Deviation: "
                         "each may deviate a step more. Halving: one whenever the size on the "
                         "display has halved since the nearest place."})
        .number("levels", &S::levels, 1, kMaxLevels,
                {.label = "Levels", .help = "Lower levels at the most."})
        .number("ratio", &S::ratio, 0.05, 0.9,
                {.label = "Ratio",
                 .help = "Triangles of a level to those of the one before.",
                 .decimals = 2,
                 .onlyFor = "rule=ratio"})
        .number("minReduction", &S::minReduction, 0.01, 0.9,
                {.label = "Gain",
                 .help = "Share of the triangles that a level must save.",
                 .decimals = 2,
                 .formerly = "gain"})
        .number("firstDeviation", &S::firstDeviation, 1e-9, 1e6,
                {.label = "LOD 1 within",
                 .help = "What LOD 1 may deviate by, at scale 1.",
                 .unit = "m",
                 .shownUnit = "mm",
                 .scale = 1000,
                 .decimals = 1,
                 .onlyFor = "rule=deviation"})
        .number("deviationStep", &S::deviationStep, 1.1, 10,
                {.label = "Step",
                 .help = "What a level may deviate by to that of the one before.",
                 .shownUnit = "x",
                 .decimals = 1,
                 .onlyFor = "rule=deviation"});
}

/// Where levels take over.
void addDistances(FieldTable<LadderSettings>& table) {
    using S = LadderSettings;
    table
        .number("pixels", &S::pixels, 0.01, 1000,
                {.label = "Deviation",
                 .help = "On the target's display, where a level takes over.",
                 .unit = "px",
                 .decimals = 1})
        .number("trianglePixels", &S::trianglePixels, 0, 1e6,
                {.label = "Smallest face",
                 .help = "A level takes over at the latest where triangles are this small; 0: only "
                         "the deviation counts.",
                 .unit = "px²",
                 .decimals = 1})
        .number("nearest", &S::nearest, 0.01, 1e6,
                {.label = "Nearest",
                 .help = "From here level 0 must look right, or from where a survey stands nearer.",
                 .unit = "m",
                 .decimals = 1})
        .number("hysteresis", &S::hysteresis, 0, 0.5,
                {.label = "Hysteresis",
                 .help = "Coming nearer, a level stays until this far below its switch distance, "
                         "so that nothing flickers between two.",
                 .shownUnit = "%",
                 .scale = 100})
        .number("minShown", &S::minShown, 0, 1,
                {.label = "Drawn from",
                 .help = "Levels that a smaller share of the surveyed places draws are not made.",
                 .shownUnit = "%",
                 .scale = 100,
                 .decimals = 1});
}

/// What levels are made of, and what single assets do.
void addLooks(FieldTable<LadderSettings>& table) {
    using S = LadderSettings;
    table
        .number("plainFromLevel", &S::plainFromLevel, 0, kMaxLevels,
                {.label = "Plain from",
                 .help = "From this level on materials lose what does not show from afar: normal "
                         "and roughness maps, transparency, second sides. 0: never.",
                 .zero = "never",
                 .prefix = "LOD ",
                 .formerly = "plainFrom"})
        .number("singlePartFromLevel", &S::singlePartFromLevel, 0, kMaxLevels,
                {.label = "One part from",
                 .help = "From this level on all opaque parts are one, in the colours of their "
                         "vertices: one draw call. 0: never.",
                 .zero = "never",
                 .prefix = "LOD ",
                 .formerly = "onePartFrom"})
        .number("cardPixels", &S::cardPixels, 0, 512,
                {.label = "Cards below",
                 .help = "Adds a last level of two crossed cards with renderings, from where the "
                         "asset is this large on the display. 0: none.",
                 .unit = "px",
                 .zero = "never"})
        .number("minTriangles", &S::minTriangles, 1, 1e9,
                {.label = "Assets from",
                 .help = "Assets with fewer triangles get no levels.",
                 .unit = "triangles",
                 .page = kHand})
        .number("smallestLevel", &S::smallestLevel, 1, 1e9,
                {.label = "Levels down to",
                 .help = "No level has fewer triangles.",
                 .unit = "triangles",
                 .page = kHand})
        .flag("simplifyLevel0", &S::simplifyLevel0,
              {.label = "Trim LOD 0",
               .help = "Takes detail away that does not show from the nearest place.",
               .formerly = "trimTop"})
        .flag("keepSharedBorders", &S::keepSharedBorders,
              {.label = "Borders that meet other objects stay",
               .help = "Cells of terrain and walls in pieces meet without gaps at any levels.",
               .formerly = "meet"})
        .flag("thinCards", &S::thinCards,
              {.label = "Thin loose cards, with their area kept",
               .help = "Foliage: fewer cards, each larger, so that as much is covered."})
        .byAsset("overrides", &S::overrides, overrideFields(),
                 {.label = "Single assets",
                  .help = "What was changed for single assets.",
                  .page = kHand})
        .runs("weights", &S::weights,
              {.help = "How much triangles matter, by how large a survey saw them: count, weight "
                       "in percent, count, weight, ..."});
}

FieldTable<LadderSettings> ladderFields() {
    FieldTable<LadderSettings> table;
    addLevels(table);
    addDistances(table);
    addLooks(table);
    return table;
}

}  // namespace

const FixKind& LadderSettings::kind() {
    static const FixKind kind = makeFixKind<LadderSettings>({
        .key = "ladder",
        .name = "Ladder",
        .shortName = "Ladder",
        .help = "Lower levels of detail for every asset worth it, with switch distances.",
        .readsEvidence = true,
        .fields = ladderFields(),
        .apply =
            [](const FixInput& in, const LadderSettings& s) {
                return applyLadder(in.scene, s, in.target, in.progress, in.evidence);
            },
        .propose = proposeNearest,
    });
    return kind;
}

}  // namespace flentro
