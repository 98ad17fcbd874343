// Ladder: lower levels of detail with their switch distances.

#pragma once

#include "fixes/fix.h"

namespace flentro {

/// What an artist changed by hand for one asset.
struct LadderOverride {
    bool skip = false;                    ///< No levels for this asset.
    std::vector<double> switchDistances;  ///< Metres at scale 1, for LOD 1, 2, ...; rising.
    std::vector<int> caps;                ///< As Ladder::caps, each >= 0.
    std::string crowd = {};               ///< As Ladder::crowd.
};

/// What settles how fine the levels are.
enum class LevelRule {
    Ratio,      ///< Each has `ratio` of the triangles of the one before.
    Deviation,  ///< The first may deviate by `firstDeviation`, each `deviationStep` times as much.
    Halving,    ///< One for every halving of the size on the display, seen from `nearest` first.
};

struct LadderSettings {
    LevelRule rule = LevelRule::Ratio;
    int levels = 6;                ///< Lower levels at the most, 1 to 8.
    double ratio = 0.4;            ///< 0.05 to 0.9.
    double firstDeviation = 0.01;  ///< Metres at scale 1, > 0.
    double deviationStep = 2;      ///< 1.1 to 10.
    double pixels = 1.0;           ///< Deviation on the target's display at the switch, > 0.
    /// A level takes over at the latest where the triangles of the one before are this small on
    /// the display, in square pixels on average; 0: only deviation counts.
    double trianglePixels = 0;
    double minReduction = 0.2;    ///< Share of the triangles that a level must save, 0.01 to 0.9.
    int minTriangles = 400;       ///< Assets with fewer get no levels.
    int smallestLevel = 24;       ///< Triangles below which no level is made.
    bool simplifyLevel0 = false;  ///< Reduce level 0 to what `nearest` can show.
    /// Metres from which level 0 must look right; from where a survey stands nearer than that.
    double nearest = 1.5;
    double hysteresis = 0.1;        ///< As Ladder::hysteresis.
    double minShown = 0.01;         ///< Share of the surveyed places that must draw a level.
    bool keepSharedBorders = true;  ///< Open borders that meet other objects' keep their vertices.
    bool thinCards = true;          ///< Foliage of loose cards: fewer and larger ones.
    /// First level whose materials are made cheaper (see cheapMaterial()); 0: none.
    int plainFromLevel = 0;
    /// First level that is one part in the colours of its vertices; 0: none.
    int singlePartFromLevel = 0;
    /// Adds a last level of crossed cards with a rendering of this many pixels an edge; 0: none.
    int cardPixels = 0;
    /// Count and weight in percent, ...: what a survey saw large keeps its triangles.
    std::vector<MeshRuns> weights;
    std::map<std::string, LadderOverride> overrides;  ///< By asset name.

    static const FixKind& kind();
};

/// Levels and their switch distances e px = deviation * H / (2 d tan(fov / 2)), solved for d
/// (Luebke et al. 2003). Where a survey stood, `nearest` and the levels worth making go by its
/// places. Errors: Cancelled. All cores.
[[nodiscard]] Expected<Fixed> applyLadder(const Scene& scene, const LadderSettings& settings,
                                          const Target& target, Progress& progress,
                                          const Evidence& evidence = {});

}  // namespace flentro
