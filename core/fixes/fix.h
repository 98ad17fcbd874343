// Fixes: named, ordered, non-destructive changes to a scene.

#pragma once

#include <map>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "budget/target.h"
#include "scene/scene.h"
#include "simplify/reduce.h"

namespace flentro {

/// Triangles of one mesh that no spot of a survey has seen.
struct UnseenTriangles {
    std::string asset;  ///< For the reader; the mesh is found by its hash.
    Hash mesh;
    std::vector<std::uint32_t> runs;  ///< First, count, first, count, ...; rising.
};

/// What shows nothing, taken away: nothing is lost but with `holeSize` and `unseen`.
struct TidySettings {
    bool weld = true;
    bool dropDegenerate = true;
    bool dropDuplicates = true;
    bool dropUnused = true;
    bool joinTiles = true;  ///< Lets repeating pictures run on over faces that have one each.
    bool dissolve = true;   ///< Fewer triangles where surface and attributes are flat.
    double holeSize = 0;    ///< Metres at scale 1: smaller holes are closed to a point; 0: none.
    std::vector<UnseenTriangles> unseen;  ///< Dropped.
};

/// What an artist changed by hand for one asset.
struct LadderOverride {
    bool skip = false;                    ///< No levels for this asset.
    std::vector<double> switchDistances;  ///< Metres at scale 1, for LOD 1, 2, ...; rising.
    std::vector<int> caps;                ///< As Ladder::caps, each >= 0.
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
    double gain = 0.2;        ///< Share of the triangles that a level must save, 0.01 to 0.9.
    int minTriangles = 400;   ///< Assets with fewer get no levels.
    int smallestLevel = 24;   ///< Triangles below which no level is made.
    bool trimTop = true;      ///< Reduce level 0 to what `nearest` can show.
    double nearest = 1.5;     ///< Metres from which level 0 must look right.
    double hysteresis = 0.1;  ///< As Ladder::hysteresis.
    bool meet = true;         ///< Open borders that meet other objects' keep their vertices.
    bool thinCards = true;    ///< Foliage of loose cards: fewer and larger ones.
    /// First level whose materials are made cheaper (see cheapMaterial()); 0: none.
    int plainFrom = 0;
    /// First level that is one part in the colours of its vertices; 0: none.
    int onePartFrom = 0;
    /// Adds a last level of crossed cards with a picture of this many pixels an edge; 0: none.
    int cardPixels = 0;
    std::map<std::string, LadderOverride> overrides;  ///< By asset name.
};

struct SizeClass {
    std::string name;
    double largest = 0;  ///< Metres, of the bounds' diagonal; infinity for the last.
    double pixels = 4;   ///< Size on the target's display below which an object goes; 0: never.
};

struct CullingSettings {
    std::vector<SizeClass> classes = {{"tiny", 0.3, 5},
                                      {"small", 1.2, 4},
                                      {"medium", 5, 3},
                                      {"large", 20, 2},
                                      {"huge", std::numeric_limits<double>::infinity(), 0}};
    double fade = 0.15;    ///< Width of the fade band as a share of the culling distance, 0 to 0.9.
    double margin = 0.02;  ///< Distance kept to the far plane, as a share of it, 0 to 0.5.
    std::map<std::string, double> overrides;  ///< Metres, by asset name.
};

using FixSettings = std::variant<TidySettings, LadderSettings, CullingSettings>;

struct Fix {
    int id = 0;  ///< Unique in its work order.
    bool on = true;
    FixSettings settings;
};

/// What one part of a fix takes from one asset, or from all.
struct Saving {
    std::string what;
    std::size_t triangles = 0;  ///< Of the mesh.
    std::size_t placed = 0;     ///< The same times the copies.
    std::size_t vertices = 0;
};

/// What a fix did, for its card and the report.
struct FixRecord {
    std::string summary;             ///< One sentence with numbers.
    std::vector<Saving> steps;       ///< Of the whole scene, in their order.
    std::vector<Saving> assets;      ///< Those that lost triangles, most as placed first.
    std::vector<std::string> notes;  ///< What was left alone, and why.
};

struct Fixed {
    Scene scene;
    FixRecord record;
};

[[nodiscard]] const char* fixName(const FixSettings& settings);  ///< "Tidy", "Ladder", ...
[[nodiscard]] const char* fixKey(const FixSettings& settings);   ///< "tidy", ... as in files.

/// Default settings for "tidy", "ladder" or "culling".
[[nodiscard]] std::optional<FixSettings> makeSettings(const std::string& key);

[[nodiscard]] Json toJson(const FixSettings& settings);

/// Errors: InvalidInput naming the member that is out of range.
[[nodiscard]] Expected<FixSettings> parseSettings(const std::string& key, const Json& json);

/// Pure functions from scene to scene. Errors: Cancelled.
[[nodiscard]] Expected<Fixed> applyTidy(const Scene& scene, const TidySettings& settings,
                                        Progress& progress);
/// Levels and their switch distances e px = deviation * H / (2 d tan(fov / 2)), solved for d
/// (Luebke et al. 2003). Both cores.
[[nodiscard]] Expected<Fixed> applyLadder(const Scene& scene, const LadderSettings& settings,
                                          const Target& target, Progress& progress);
/// Culling distances from size in pixels, importance and overrides; never beyond the far plane
/// less its margin.
[[nodiscard]] Expected<Fixed> applyCulling(const Scene& scene, const CullingSettings& settings,
                                           const Target& target, Progress& progress);

/// Culling distance of an object of this size in metres: at most the far plane less its margin.
[[nodiscard]] double cullingDistance(const CullingSettings& settings, const Target& target,
                                     double size, Importance importance = Importance::Normal);

/// Bounds' diagonal in metres: the size that culling goes by.
[[nodiscard]] double sizeOf(const Object& object);

}  // namespace flentro
