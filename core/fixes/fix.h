// Fixes: named, ordered, non-destructive changes to a scene.

#pragma once

#include <map>
#include <optional>
#include <set>
#include <string>
#include <variant>
#include <vector>

#include "budget/target.h"
#include "fixes/account.h"
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

/// How much the triangles of one mesh matter, by how large a survey saw their surface.
struct TriangleWeights {
    std::string asset;  ///< For the reader; the mesh is found by its hash.
    Hash mesh;
    std::vector<std::uint32_t> runs;  ///< Count, weight in percent, count, weight, ...
};

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
    double gain = 0.2;        ///< Share of the triangles that a level must save, 0.01 to 0.9.
    int minTriangles = 400;   ///< Assets with fewer get no levels.
    int smallestLevel = 24;   ///< Triangles below which no level is made.
    bool trimTop = false;     ///< Reduce level 0 to what `nearest` can show.
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
    std::vector<TriangleWeights> weights;             ///< What is seen large keeps its triangles.
    std::map<std::string, LadderOverride> overrides;  ///< By asset name.
};

struct SizeClass {
    std::string name;
    double largest = 0;  ///< Metres, of the bounds' diagonal; infinity for the last.
    double pixels = 4;   ///< Size on the target's display below which an object goes; 0: never.
};

/// When objects go, by their size on the display.
struct CullingSettings {
    std::vector<SizeClass> classes = {{"tiny", 0.3, 5},
                                      {"small", 1.2, 4},
                                      {"medium", 5, 3},
                                      {"large", 20, 2},
                                      {"huge", std::numeric_limits<double>::infinity(), 0}};
    double fade = 0.15;    ///< Width of the fade band as a share of the culling distance, 0 to 0.9.
    double margin = 0.02;  ///< Distance kept to the far plane, as a share of it, 0 to 0.5.
    /// Where a survey has seen an object, its true pixels count instead of its bounds: thin and
    /// half-hidden things go earlier.
    bool bySeen = true;
    /// What is only transparent goes at this share of its distance, 0.05 to 1.
    double transparent = 1;
    /// What stands against the sky stays this many times as far, 1 to 10.
    double skyline = 1.5;
    bool rounded = true;  ///< Distances are rounded up to a few steps: see roundedUp().
    /// Metres: a nearer far plane, beyond which nothing is drawn; 0: the target's.
    double farPlane = 0;
    /// Metres between which fog closes, so that things fade with it: pixels count by the contrast
    /// that is left, and nothing is drawn beyond the end. `fogEnd` 0: no fog.
    double fogStart = 0;
    double fogEnd = 0;
    std::map<std::string, double> overrides;  ///< Metres, by asset name.
};

/// Shadows and lights, as far as they are missed.
struct ShadowSettings {
    /// Size of a shadow on the display below which its object casts none; 0: shadows stay.
    double shadowPixels = 6;
    /// Objects that no shadow light reaches, or behind which nothing catches their shadow, cast
    /// none.
    bool hiddenCastNone = true;
    /// Size of what a light lights, on the display, below which it is off; 0: lights stay.
    double lightPixels = 24;
    double leastLux = 0.5;  ///< What a light must add to a surface to count as lighting it, > 0.
    double fade = 0.2;      ///< Width of a light's fade band as a share of its distance, 0 to 0.9.
    std::map<std::string, double> overrides;  ///< Metres of a shadow, by asset name.
};

/// Equal things under several names become one. Nothing changes that can be seen.
struct ShareSettings {
    /// How far vertices of equal meshes may lie apart, in sizes of the mesh, 1e-7 to 0.01.
    double tolerance = 1e-4;
    bool moved = true;      ///< Also turned, scaled or mirrored copies.
    bool materials = true;  ///< Materials equal in value.
    bool images = true;     ///< Images equal in every pixel.
};

/// One mesh becomes several at the same place, so that culling and levels have something to act on.
struct SplitSettings {
    bool transparent = true;    ///< Blended parts leave opaque ones.
    double apart = 10;          ///< Metres between loose pieces that become objects; 0: never.
    double cell = 32;           ///< Metres; larger meshes are cut into cells; 0: never.
    int leastTriangles = 1000;  ///< Of a cell, in the mean: else cells are larger.
};

/// What becomes of the copies of an asset.
enum class MergeChoice {
    Auto,   ///< What costs less in the views.
    Merge,  ///< Always.
    Leave,  ///< Never.
};

/// Static objects that stand together become one.
struct MergeSettings {
    enum class Grouping {
        Grid,  ///< By cells of a grid.
        Near,  ///< By nearness, up to the size of a cell.
    };
    Grouping grouping = Grouping::Grid;
    double parcel = 0;         ///< Metres, edge of a parcel, up to 1000; 0: searched.
    int mostVertices = 65534;  ///< Of one part: with fewer than 65,535 indices take 16 bits.
    double growth = 2;         ///< Culling distances in one parcel differ by this factor at most.
    /// Only what the same lights reach: for renderers that light each object by a list of its own.
    bool sameLights = false;
    std::map<std::string, MergeChoice> overrides;  ///< By asset name.
    std::set<std::string> left;                    ///< Names of objects that are left alone.
};

/// Textures of materials that differ by nothing else share pages, so that their parts can be one.
struct AtlasSettings {
    int page = 2048;     ///< Pixels, longest edge of a page, 64 to 8192.
    int largest = 1024;  ///< Pixels; textures with a longer edge stay alone.
    int gutter = 8;      ///< Pixels of its own edge around each, 0 to 64: keeps mip maps apart.
};

/// From afar a whole neighbourhood is one mesh in the colours of its vertices.
struct StandInSettings {
    double parcel = 64;  ///< Metres, edge of a neighbourhood, 1 to 1e5.
    double from = 120;   ///< Metres from its bounds at which it takes over, > 0.
    double pixels = 2;   ///< Deviation on the target's display there, 0.1 to 100.
};

using FixSettings =
    std::variant<TidySettings, LadderSettings, CullingSettings, ShadowSettings, ShareSettings,
                 SplitSettings, MergeSettings, AtlasSettings, StandInSettings>;

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

/// Something that a survey saw and that is gone now.
struct Vanishing {
    std::uint32_t origin = 0;
    std::size_t spots = 0;  ///< That saw it and no longer would.
    double pixels = 0;      ///< Most that one of those loses.
};

/// A mesh that became several.
struct Cut {
    std::string asset;
    std::size_t pieces = 0;
    std::size_t copies = 0;
    std::size_t transparent = 0;  ///< Pieces that are only transparent.
};

/// A texture's place on a page of an atlas.
struct Packing {
    std::string material;
    std::size_t image = 0;  ///< The first of its page's images, in the scene after the fix.
    int x = 0, y = 0;       ///< Pixels, without the gutter.
    int width = 0, height = 0;
    double kept = 1;  ///< Share of its texels along an edge.
    /// Of the largest role, along an edge, mean over the surface at scale 1; 0: no surface.
    double texelsPerMetre = 0;
};

struct MergeReport;

/// What a fix did, for its card and the report.
struct FixRecord {
    std::string summary;                       ///< One sentence with numbers.
    Holdings before, after;                    ///< Filled in by evaluate().
    std::shared_ptr<const MergeReport> merge;  ///< Of a merge only.
    std::vector<Saving> steps;                 ///< Of the whole scene, in their order.
    std::vector<Saving> assets;                ///< Those that lost triangles, most as placed first.
    std::vector<Packing> packings;             ///< Of an atlas only.
    std::vector<Cut> cuts;                     ///< Of a split only, most pieces first.
    std::vector<Vanishing> vanishing;          ///< Most pixels first; of culling, with a survey.
    std::vector<std::string> notes;            ///< What was left alone, and why.
};

struct Fixed {
    Scene scene;
    FixRecord record;
};

[[nodiscard]] const char* fixName(const FixSettings& settings);       ///< "Tidy", "Ladder", ...
[[nodiscard]] const char* fixShortName(const FixSettings& settings);  ///< One word.
[[nodiscard]] const char* fixKey(const FixSettings& settings);        ///< "tidy", ... as in files.

/// Default settings by key: tidy, share, split, atlas, ladder, culling, shadows, merge, standins.
[[nodiscard]] std::optional<FixSettings> makeSettings(const std::string& key);
/// The same, fitted to a scene that the fix is to be added to: what is small enough to be held or
/// walked around, products and figures, is looked at from as near as it fills the view.
[[nodiscard]] std::optional<FixSettings> proposeSettings(const std::string& key,
                                                         const Scene& scene);

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
                                           const Target& target, const Evidence& evidence,
                                           Progress& progress);
/// Shadow distances from the size of shadows where they fall, found by rays from the lights; light
/// distances from useful reach. Cost: some rays for each light and caster in its range.
[[nodiscard]] Expected<Fixed> applyShadows(const Scene& scene, const ShadowSettings& settings,
                                           const Target& target, Progress& progress);
/// Cost: O(V log V) for all meshes; images of equal size are decoded.
[[nodiscard]] Expected<Fixed> applyShare(const Scene& scene, const ShareSettings& settings,
                                         Progress& progress);
/// Cost: O(T). Pieces of animated weights, skinned and morphed meshes stay together.
[[nodiscard]] Expected<Fixed> applySplit(const Scene& scene, const SplitSettings& settings,
                                         Progress& progress);
/// Left out: what repeats (coordinates outside 0 to 1), other coordinate sets, moved coordinates.
/// Cost: every packed image is decoded and each page encoded once.
[[nodiscard]] Expected<Fixed> applyAtlas(const Scene& scene, const AtlasSettings& settings,
                                         Progress& progress);
/// Only static, opaque objects that are not culled before. Cost: that of a Reducer a parcel.
[[nodiscard]] Expected<Fixed> applyStandIns(const Scene& scene, const StandInSettings& settings,
                                            const Target& target, Progress& progress);
/// Parcels of static objects; see fixes/merge.h.
[[nodiscard]] Expected<Fixed> applyMerge(const Scene& scene, const MergeSettings& settings,
                                         const Target& target, const Evidence& evidence,
                                         Progress& progress);

/// Where the last objects go, metres: the nearer far plane less its margin, or the end of fog.
[[nodiscard]] double farthestDrawn(const CullingSettings& settings, const Target& target);

/// Culling distance of an object of this size in metres, rounded if asked: at most
/// farthestDrawn().
[[nodiscard]] double cullingDistance(const CullingSettings& settings, const Target& target,
                                     double size, Importance importance = Importance::Normal);

/// The next of 1, 1.2, 1.5, 2, 2.5, 3, 4, 5, 6, 8 times a power of ten: few different distances,
/// so that engines can keep them in lists and copies go together. Infinity and 0 stay.
[[nodiscard]] double roundedUp(double distance);

/// Bounds' diagonal in metres: the size that culling goes by.
[[nodiscard]] double sizeOf(const Object& object);

}  // namespace flentro
