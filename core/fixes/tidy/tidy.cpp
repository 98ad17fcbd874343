#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <map>
#include <numeric>
#include <set>

#include "base/cancel_only.h"
#include "base/index.h"
#include "base/parallel.h"
#include "base/text.h"
#include "fixes/done_list.h"
#include "fixes/shared_borders.h"
#include "fixes/tidy/textures.h"
#include "fixes/tidy/tidy.h"
#include "fixes/tile_shifts.h"
#include "geometry/weld.h"
#include "simplify/holes.h"
#include "simplify/reducer.h"
#include "simplify/tiles.h"

namespace flentro {
namespace {

/// A position, to the bit.
using PlaceKey = std::array<float, 3>;
PlaceKey keyOf(const Vec3f& p) {
    return {p.x(), p.y(), p.z()};
}

/// The steps of tidying, in their order.
enum Step : std::size_t {
    Unseen,
    Weld,
    Degenerate,
    Duplicate,
    BackToBack,
    Holes,
    Dissolve,
    kSteps
};
constexpr const char* kStepNames[kSteps] = {"never seen",     "equal vertices", "no surface",
                                            "twice the same", "back to back",   "small holes",
                                            "flat surfaces"};

struct Tidied {
    MeshPtr mesh;
    std::array<std::size_t, kSteps> triangles{};  ///< That each step took.
    std::size_t vertices = 0;                     ///< Welded or unused.
    std::size_t twins = 0;                        ///< Faces on others, turned, that stay.

    [[nodiscard]] std::size_t allTriangles() const {
        return std::accumulate(triangles.begin(), triangles.end(), std::size_t{0});
    }
};

/// The triangle with its lowest corner first, so that equal faces are equal whatever corner
/// they start at; the winding is kept.
Corners rotated(Corners t) {
    while (t[0] > t[1] || t[0] > t[2]) t = {t[1], t[2], t[0]};
    return t;
}

/// Triangles by their corners: a hash table with linear probing, as meshes hold millions.
class TriangleTable {
public:
    explicit TriangleTable(std::size_t most) : slots_(std::bit_ceil(2 * most + 1), kFree) {
        known_.reserve(most);
    }

    /// Number of the triangle with these corners, counted in the order in which they came; a new
    /// one if there is none.
    std::size_t add(const Corners& t) {
        std::size_t slot = hash(t) & (slots_.size() - 1);
        while (slots_[slot] != kFree && known_[slots_[slot]] != t)
            slot = (slot + 1) & (slots_.size() - 1);
        if (slots_[slot] == kFree) {
            slots_[slot] = static_cast<std::uint32_t>(known_.size());
            known_.push_back(t);
        }
        return slots_[slot];
    }
    [[nodiscard]] std::size_t size() const { return known_.size(); }

private:
    static constexpr std::uint32_t kFree = ~0U;
    static std::size_t hash(const Corners& t) {
        std::uint64_t key = std::uint64_t{t[0]} << 32U | t[1];
        key = (key ^ t[2] * 0xD6E8FEB86659FD93ULL) * 0x9E3779B97F4A7C15ULL;
        return static_cast<std::size_t>(key ^ (key >> 32U));
    }
    std::vector<std::uint32_t> slots_;  ///< Numbers, or free.
    std::vector<Corners> known_;
};

void weld(Part& part) {
    const std::vector<std::uint32_t> first = firstEqualVertex(part);
    for (std::uint32_t& index : part.indices) index = first[index];
}

/// Positions at rest and as each morph target moves them: what is a line in all of them shows
/// nothing.
std::vector<std::vector<Vec3f>> posesOf(const Part& part) {
    std::vector<std::vector<Vec3f>> poses = {positionsOf(part)};
    for (const auto& target : part.targets)
        for (const Attribute& attribute : target) {
            if (attribute.semantic != "POSITION") continue;
            std::vector<Vec3f> moved = toVectors(*attribute.stream);
            for (std::size_t v = 0; v < moved.size(); ++v) moved[v] += poses.front()[v];
            poses.push_back(std::move(moved));
        }
    return poses;
}

bool isDegenerate(const std::vector<std::vector<Vec3f>>& poses, const Corners& t) {
    return std::all_of(poses.begin(), poses.end(), [&](const std::vector<Vec3f>& p) {
        return (p[t[1]] - p[t[0]]).cross(p[t[2]] - p[t[0]]).squaredNorm() == 0;
    });
}

/// Tells faces that lie on others, turned the other way.
class Twins {
public:
    Twins(const std::vector<Vec3f>& positions, std::size_t triangles)
        : same_(firstEqualPosition(positions)), seen_(triangles) {}
    /// True if the first with these places had them in the other order.
    bool add(const Corners& t) {
        Corners places = rotated({same_[t[0]], same_[t[1]], same_[t[2]]});
        const bool turned = places[1] > places[2];
        if (turned) std::swap(places[1], places[2]);
        const std::size_t first = seen_.add(places);
        if (first == turned_.size()) turned_.push_back(turned);
        return turned_[first] != turned;
    }

private:
    std::vector<std::uint32_t> same_;
    TriangleTable seen_;
    std::vector<bool> turned_;  ///< [seen_] Of the first one.
};

/// `twoSided`: both sides of a face are drawn, so that a twin behind it shows nothing.
/// Half done if it is cancelled.
void dropTriangles(Part& part, const TidySettings& settings, bool twoSided, Tidied& result,
                   const Progress& progress) {
    constexpr std::size_t kAsked = 3 * 65536;  // corners between two questions
    const std::vector<std::vector<Vec3f>> poses = posesOf(part);
    TriangleTable seen(part.triangleCount());
    Twins twins(poses.front(), part.triangleCount());
    std::size_t kept = 0;
    for (std::size_t i = 0; i + 2 < part.indices.size(); i += 3) {
        if (i % kAsked == 0 && progress.cancelled()) return;
        const Corners t = {part.indices[i], part.indices[i + 1], part.indices[i + 2]};
        if (settings.dropDegenerate && isDegenerate(poses, t)) {
            ++result.triangles[Degenerate];
            continue;
        }
        if (settings.dropDuplicates) {
            const std::size_t before = seen.size();
            if (seen.add(rotated(t)) < before) {
                ++result.triangles[Duplicate];
                continue;
            }
        }
        if (part.targets.empty() && twins.add(t)) {
            if (settings.dropDuplicates && twoSided) {
                ++result.triangles[Duplicate];
                continue;
            }
            ++result.twins;
        }
        for (std::size_t k = 0; k < 3; ++k) part.indices[kept + k] = t[k];
        kept += 3;
    }
    part.indices.resize(kept);
}

/// True if two vertices look alike in all but where they face.
bool looksAlike(const Part& part, std::uint32_t a, std::uint32_t b) {
    return std::all_of(part.attributes.begin(), part.attributes.end(),
                       [&](const Attribute& attribute) {
                           if (attribute.semantic == "NORMAL" || attribute.semantic == "TANGENT")
                               return true;
                           const Stream& stream = *attribute.stream;
                           for (int c = 0; c < stream.components; ++c)
                               if (std::fabs(stream.value(a, c) - stream.value(b, c)) > 1e-5F)
                                   return false;
                           return true;
                       });
}

/// Pairs of triangles that lie on one another and face away from each other.
struct TwinPairs {
    std::vector<std::uint8_t> isFront;  ///< [triangles] Stays, for both.
    std::vector<std::uint8_t> isBack;   ///< [triangles] Is dropped.
    std::size_t pairs = 0;
};

TwinPairs findTwins(const Part& part) {
    const std::size_t count = part.triangleCount();
    TwinPairs twins{std::vector<std::uint8_t>(count, 0), std::vector<std::uint8_t>(count, 0), 0};
    const std::vector<std::uint32_t> same = firstEqualPosition(positionsOf(part));
    TriangleTable known(count);
    std::vector<std::size_t> first;  // triangle that each entry of the table came with
    const auto cornersOf = [&](std::size_t t) {
        return Corners{part.indices[3 * t], part.indices[3 * t + 1], part.indices[3 * t + 2]};
    };
    for (std::size_t t = 0; t < count; ++t) {
        const Corners own = cornersOf(t);
        Corners places = rotated({same[own[0]], same[own[1]], same[own[2]]});
        const Corners facing = places;
        if (places[1] > places[2]) std::swap(places[1], places[2]);
        const std::size_t entry = known.add(places);
        if (entry == first.size()) {
            first.push_back(t);
            continue;
        }
        const std::size_t other = first[entry];
        const Corners theirs = cornersOf(other);
        const bool isTurned =
            rotated({same[theirs[0]], same[theirs[1]], same[theirs[2]]}) != facing;
        bool isAlike = isTurned && twins.isFront[other] == 0;
        for (std::size_t k = 0; isAlike && k < 3; ++k)
            for (std::size_t j = 0; j < 3; ++j)
                if (same[own[k]] == same[theirs[j]])
                    isAlike = isAlike && looksAlike(part, own[k], theirs[j]);
        if (!isAlike) continue;
        twins.isFront[other] = 1;
        twins.isBack[t] = 1;
        ++twins.pairs;
    }
    return twins;
}

/// The triangles of a part that are marked.
std::vector<std::uint32_t> indicesOf(const Part& part, const std::vector<std::uint8_t>& marks) {
    std::vector<std::uint32_t> indices;
    for (std::size_t t = 0; t < marks.size(); ++t)
        if (marks[t] != 0)
            indices.insert(indices.end(), part.indices.begin() + std::ptrdiff_t(3 * t),
                           part.indices.begin() + std::ptrdiff_t(3 * t + 3));
    return indices;
}

/// Drops one of each pair of twins. Their part shows material M + m then, for a two-sided copy of
/// material m of M. Single faces of a part keep their material; they become a part of their own,
/// which costs a call, where enough triangles are saved for it.
void joinTwins(const Scene& scene, Mesh& mesh, Tidied& result) {
    constexpr std::size_t kWorthACall = 200;
    std::vector<Part> parts;
    for (Part& part : mesh.parts) {
        const bool isCandidate =
            part.isTriangles() && !part.isDeformable() && part.material >= 0 &&
            !elementOf(scene.materials, part.material).doubleSided &&
            elementOf(scene.materials, part.material).alphaMode != AlphaMode::Blend;
        const TwinPairs twins = isCandidate ? findTwins(part) : TwinPairs{};
        const std::size_t single = part.triangleCount() - 2 * twins.pairs;
        if (twins.pairs == 0 || (single > 0 && twins.pairs < kWorthACall)) {
            parts.push_back(std::move(part));
            continue;
        }
        Part joined = part;
        joined.indices = indicesOf(part, twins.isFront);
        joined.material += static_cast<int>(scene.materials.size());
        parts.push_back(std::move(joined));
        result.triangles[BackToBack] += twins.pairs;
        if (single == 0) continue;
        std::vector<std::uint8_t> rest;
        for (std::size_t t = 0; t < twins.isBack.size(); ++t)
            rest.push_back(twins.isBack[t] == 0 && twins.isFront[t] == 0);
        part.indices = indicesOf(part, rest);
        parts.push_back(std::move(part));
    }
    mesh.parts = std::move(parts);
}

void dropUnseen(Mesh& mesh, const MeshRuns& unseen, Tidied& result) {
    std::vector<bool> gone(mesh.triangles, false);
    for (std::size_t i = 0; i + 1 < unseen.runs.size(); i += 2)
        for (std::size_t t = unseen.runs[i];
             t < std::min(gone.size(), std::size_t{unseen.runs[i]} + unseen.runs[i + 1]); ++t)
            gone[t] = true;
    std::size_t first = 0;
    for (Part& part : mesh.parts) {
        const std::size_t count = part.triangleCount();
        std::vector<std::uint32_t> kept;
        for (std::size_t t = 0; t < count; ++t)
            if (!gone[first + t])
                kept.insert(kept.end(), part.indices.begin() + std::ptrdiff_t(3 * t),
                            part.indices.begin() + std::ptrdiff_t(3 * t + 3));
        if (count > 0) {
            result.triangles[Unseen] += count - kept.size() / 3;
            part.indices = std::move(kept);
        }
        first += count;
    }
}

/// True if dissolving looks at all that the vertices carry.
bool isUnderstood(const Mesh& mesh) {
    static const std::set<std::string> known = {"POSITION",   "NORMAL",     "TANGENT",
                                                "TEXCOORD_0", "TEXCOORD_1", "COLOR_0"};
    const auto isKnown = [](const std::vector<Attribute>& attributes) {
        return std::all_of(attributes.begin(), attributes.end(),
                           [](const Attribute& a) { return known.contains(a.semantic); });
    };
    return std::all_of(mesh.parts.begin(), mesh.parts.end(), [&](const Part& part) {
        return isKnown(part.attributes) &&
               std::all_of(part.targets.begin(), part.targets.end(), isKnown);
    });
}

/// [parts][vertices] Vertices at one of these places.
std::vector<std::vector<bool>> lockedAt(const Mesh& mesh, const std::set<PlaceKey>& places) {
    std::vector<std::vector<bool>> locked;
    for (const Part& part : mesh.parts) {
        locked.emplace_back();
        for (const Vec3f& p : positionsOf(part)) locked.back().push_back(places.contains(keyOf(p)));
    }
    return locked;
}

/// Fewer triangles for the same surface; nothing is done where nothing is won. `kept`: places of
/// vertices that stay.
void dissolve(Mesh& mesh, bool tiles, const std::vector<bool>& repeats,
              const std::set<PlaceKey>& kept, Tidied& result, Progress& progress) {
    if (!isUnderstood(mesh)) return;
    Mesh joined = mesh;
    for (Part& part : joined.parts) {
        const bool alone = part.material < 0;
        const bool plain = part.targets.empty() && !part.find("TEXCOORD_1");
        if (!tiles || !plain || (!alone && !elementOf(repeats, part.material))) continue;
        if (progress.cancelled()) return;
        if (auto better = joinTiles(part)) part = std::move(*better);
    }
    if (progress.cancelled()) return;
    const MeshPtr before = finishMesh(std::move(joined));
    ReducerOptions options;
    options.lossless = true;
    if (!kept.empty()) options.locked = lockedAt(*before, kept);
    auto reducer = Reducer::build(*before, options, progress);
    if (!reducer || !reducer->reduceTo(0, std::numeric_limits<double>::infinity(), progress))
        return;
    if (reducer->triangleCount() >= mesh.triangles) return;
    result.triangles[Dissolve] += mesh.triangles - reducer->triangleCount();
    mesh = reducer->mesh();
}

/// The mesh as it was, or half done, if it is cancelled.
Tidied tidy(const Scene& scene, const MeshPtr& mesh, const TidySettings& settings,
            const std::vector<bool>& repeats, const std::set<PlaceKey>& kept, Progress& progress) {
    Tidied result;
    result.mesh = mesh;
    Mesh copy = *mesh;
    const auto unseen = std::find_if(settings.unseen.begin(), settings.unseen.end(),
                                     [&](const auto& u) { return u.mesh == mesh->hash; });
    if (unseen != settings.unseen.end()) dropUnseen(copy, *unseen, result);
    for (Part& part : copy.parts) {
        if (!part.isTriangles()) continue;
        if (settings.weld) weld(part);
        if (progress.cancelled()) return result;
        const bool twoSided =
            part.material >= 0 && elementOf(scene.materials, part.material).doubleSided;
        dropTriangles(part, settings, twoSided, result, progress);
    }
    if (settings.joinTwins) joinTwins(scene, copy, result);
    if (settings.holeSize > 0) {
        ClosedHoles closed = closeHoles(copy, settings.holeSize);
        result.triangles[Holes] += closed.triangles;
        copy = std::move(closed.mesh);
    }
    if (progress.cancelled()) return result;
    if (settings.dissolve) {
        copy.triangles = 0;
        for (const Part& part : copy.parts) copy.triangles += part.triangleCount();
        dissolve(copy, settings.joinTiles, repeats, kept, result, progress);
    }
    if (settings.dropUnused)
        for (Part& part : copy.parts)
            if (part.isTriangles()) part = dropUnusedVertices(part);
    const bool emptied =
        std::erase_if(copy.parts, [](const Part& part) { return part.indices.empty(); }) > 0;
    if (copy.parts.empty() && emptied) {
        // Gone altogether is for culling to decide; a mesh keeps something to show.
        result = {};
        copy.parts = mesh->parts;
    }
    result.mesh = finishMesh(std::move(copy));
    result.vertices = mesh->vertices - std::min(mesh->vertices, result.mesh->vertices);
    if (result.mesh->hash == mesh->hash) result.mesh = mesh;
    return result;
}

/// True if any object within has a member of this name.
bool hasMember(const Json& json, const char* name) {
    if (json.is_object() && json.contains(name)) return true;
    return json.is_structured() && std::any_of(json.begin(), json.end(), [&](const Json& inside) {
               return hasMember(inside, name);
           });
}

/// [2 materials] Whether all their images repeat both ways and lie as their coordinates say; once
/// more for their two-sided copies.
std::vector<bool> repeatingMaterials(const Scene& scene) {
    std::vector<bool> repeats;
    for (const Material& material : scene.materials) {
        bool all = !hasMember(material.source, "KHR_texture_transform");
        for (const TextureUse& use : material.textures) {
            const Texture& read = elementOf(scene.textures, use.texture);
            all = all && repeatsBothWays(scene, read.sampler);
        }
        repeats.push_back(all);
    }
    const std::vector<bool> once = repeats;
    repeats.insert(repeats.end(), once.begin(), once.end());
    return repeats;
}

/// [assets] Places of vertices that neighbours have as well: one that goes from one of two flat
/// surfaces only would leave a gap (a T-junction).
std::vector<std::set<PlaceKey>> sharedPlaces(const Scene& scene) {
    std::vector<std::set<PlaceKey>> places(scene.assets.size());
    const auto shared = findSharedBorders(scene);
    for (std::size_t a = 0; a < shared.size(); ++a)
        for (std::size_t p = 0; p < shared[a].size(); ++p) {
            const std::vector<Vec3f> points = positionsOf(scene.assets[a].mesh->parts[p]);
            for (std::size_t v = 0; v < points.size(); ++v)
                if (shared[a][p][v]) places[a].insert(keyOf(points[v]));
        }
    return places;
}

/// Gives parts that ask for a two-sided material (see joinTwins) a copy of it. Returns how many
/// materials were added.
std::size_t addTwoSided(Scene& scene, std::vector<Tidied>& tidied, int materials) {
    std::map<int, int> copies;  // by material
    for (Tidied& one : tidied) {
        const auto asks = [&](const Part& part) { return part.material >= materials; };
        if (std::none_of(one.mesh->parts.begin(), one.mesh->parts.end(), asks)) continue;
        Mesh mesh = *one.mesh;
        for (Part& part : mesh.parts) {
            if (!asks(part)) continue;
            const auto [copy, isNew] = copies.try_emplace(part.material - materials,
                                                          static_cast<int>(scene.materials.size()));
            if (isNew) {
                Material material = elementOf(scene.materials, copy->first);
                material.doubleSided = true;
                if (!material.source.is_object()) material.source = Json::object();
                material.source["doubleSided"] = true;
                material.name += " two-sided";
                material.source["name"] = material.name;
                scene.materials.push_back(std::move(material));
            }
            part.material = copy->second;
        }
        one.mesh = finishMesh(std::move(mesh));
    }
    return copies.size();
}

std::vector<std::size_t> instanceCounts(const Scene& scene) {
    std::vector<std::size_t> counts(scene.assets.size());
    for (const Object& object : scene.objects) ++elementOf(counts, object.asset);
    return counts;
}

FixRecord describeTidying(const std::vector<Tidied>& tidied, const Scene& before) {
    const std::vector<std::size_t> instances = instanceCounts(before);
    FixRecord record;
    TidyReport report;
    for (const char* name : kStepNames) report.steps.push_back({name, 0, 0, 0});
    Saving all;
    std::size_t changed = 0;
    for (std::size_t i = 0; i < tidied.size(); ++i) {
        const std::size_t triangles = tidied[i].allTriangles();
        const Saving asset{before.assets[i].mesh->name, triangles, triangles * instances[i],
                           tidied[i].vertices};
        for (std::size_t step = 0; step < kSteps; ++step) {
            report.steps[step].triangles += tidied[i].triangles[step];
            report.steps[step].placed += tidied[i].triangles[step] * instances[i];
        }
        all.triangles += asset.triangles;
        all.placed += asset.placed;
        all.vertices += asset.vertices;
        changed += tidied[i].mesh != before.assets[i].mesh;
        if (triangles > 0) record.assets.push_back(asset);
    }
    report.steps[Weld].vertices = all.vertices;
    record.report = std::make_shared<const TidyReport>(std::move(report));
    std::size_t twins = 0;
    for (const Tidied& one : tidied) twins += one.twins;
    if (twins > 0)
        record.notes.push_back(fmt::format(
            "{} {} on others, turned the other way, and stay: make the material two-sided, or "
            "drop what a survey never saw",
            counted(twins, "triangle"), twins == 1 ? "lies" : "lie"));
    std::stable_sort(record.assets.begin(), record.assets.end(),
                     [](const Saving& a, const Saving& b) { return a.placed > b.placed; });
    record.summary =
        fmt::format("{} tidied: {} ({} as placed) and {} less",
                    countOf(changed, tidied.size(), "asset"), counted(all.triangles, "triangle"),
                    formatCount(all.placed), counted(all.vertices, "vertex", "vertices"));
    return record;
}

}  // namespace

Expected<Fixed> applyTidy(const Scene& scene, const TidySettings& settings, Progress& progress) {
    Fixed result{scene, {}};
    const std::vector<bool> repeats = repeatingMaterials(scene);
    std::vector<std::set<PlaceKey>> kept(scene.assets.size());
    if (settings.dissolve) kept = sharedPlaces(scene);
    std::vector<Tidied> tidied(scene.assets.size());
    CancelOnly quiet(progress);
    const bool finished = parallelFor(tidied.size(), "Tidying", progress, [&](std::size_t i) {
        const Asset& asset = scene.assets[i];
        tidied[i].mesh = asset.mesh;
        if (asset.importance != Importance::Keep)
            tidied[i] = tidy(scene, asset.mesh, settings, repeats, kept[i], quiet);
    });
    if (!finished || progress.cancelled()) return stopped("Tidying");
    const std::size_t twoSided =
        addTwoSided(result.scene, tidied, static_cast<int>(scene.materials.size()));
    for (std::size_t i = 0; i < tidied.size(); ++i) {
        Asset& asset = result.scene.assets[i];
        if (asset.mesh != tidied[i].mesh) asset.ranges.clear();
        asset.mesh = tidied[i].mesh;
    }
    for (Object& object : result.scene.objects)
        object.bounds = transformBox(object.world, result.scene.mesh(object).bounds);
    result.record = describeTidying(tidied, scene);
    if (twoSided > 0)
        result.record.notes.push_back(
            fmt::format("{} got two sides, for faces that were there twice, back to back",
                        counted(twoSided, "copy of a material", "copies of materials")));
    if (!settings.textures) return result;
    const auto textures = tidyTextures(result.scene, progress);
    if (!textures) return tl::unexpected(textures.error());
    for (const std::string& image : textures->cutOuts)
        result.record.notes.push_back(fmt::format(
            "'{}' keeps its alpha, which no material reads: half of it is clear and half opaque, "
            "as in a cut-out",
            image));
    if (textures->larger > 0)
        result.record.notes.push_back(
            fmt::format("{} as they were: without alpha their files would be larger",
                        counted(textures->larger, "image stays", "images stay")));
    if (textures->oneColour + textures->alphas + textures->filters + textures->unused > 0)
        result.record.notes.push_back(listDone(
            {{textures->oneColour,
              counted(textures->oneColour, "texture of one colour became a number",
                      "textures of one colour became numbers")},
             {textures->alphas, counted(textures->alphas, "image lost an alpha that says nothing",
                                        "images lost an alpha that says nothing")},
             {textures->unused, counted(textures->unused, "image that nothing reads went",
                                        "images that nothing reads went")},
             {textures->filters, counted(textures->filters, "sampler reads with mip maps now",
                                         "samplers read with mip maps now")}},
            ""));
    return result;
}

}  // namespace flentro
