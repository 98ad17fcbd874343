// Sharing: images, then materials that become equal by that, then meshes that become equal by that.

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <map>
#include <numeric>
#include <optional>

#include "base/index.h"
#include "base/parallel.h"
#include "base/text.h"
#include "fixes/done_list.h"
#include "fixes/merge/parcel_mesh.h"
#include "fixes/share/share.h"
#include "fixes/shared_borders.h"
#include "geometry/congruence.h"
#include "io/gltf_materials.h"
#include "io/image.h"
#include "scene/edit.h"

namespace flentro {
namespace {

constexpr int kLargestImage = 16384;  ///< Pixels an edge: never made smaller for comparing.
constexpr double kNearestEye = 0.5;   ///< Metres.
constexpr double kUnseenPixels = 0.33;
constexpr double kSameSpread = 1e-3;  ///< As a share: congruent meshes of floats differ by less.

/// The first of the images that are equal to each. [images]
std::vector<int> firstEqualImages(const Scene& scene, Progress& progress) {
    const std::size_t count = scene.images.size();
    std::vector<int> first(count);
    std::iota(first.begin(), first.end(), 0);
    std::map<std::array<int, 3>, std::vector<std::size_t>> bySize;
    for (std::size_t i = 0; i < count; ++i) {
        const Image& image = scene.images[i];
        if (image.data) bySize[{image.width, image.height, image.channels}].push_back(i);
    }
    std::vector<std::size_t> asked;
    for (const auto& [size, images] : bySize)
        if (images.size() > 1) asked.insert(asked.end(), images.begin(), images.end());
    std::vector<Hash> hashes(count);
    const bool finished =
        parallelFor(asked.size(), "Comparing images", progress, [&](std::size_t i) {
            const Image& image = scene.images[asked[i]];
            hashes[asked[i]] = image.hash;
            if (hasDeepChannels(image)) return;
            const auto pixels = decodeImage(image, kLargestImage);
            if (pixels) hashes[asked[i]] = hashBytes(std::as_bytes(std::span(pixels->rgba)));
        });
    if (!finished) return first;
    for (const auto& [size, images] : bySize) {
        std::map<Hash, std::size_t> known;
        for (const std::size_t i : images)
            if (images.size() > 1)
                first[i] = static_cast<int>(known.try_emplace(hashes[i], i).first->second);
    }
    return first;
}

/// The first of the textures that read the same image in the same way. [textures]
std::vector<int> firstEqualTextures(const Scene& scene, const std::vector<int>& images) {
    std::map<std::string, int> known;
    std::vector<int> first;
    for (std::size_t i = 0; i < scene.textures.size(); ++i) {
        const Texture& texture = scene.textures[i];
        const Json sampler =
            texture.sampler < 0 ? Json() : elementOf(scene.samplers, texture.sampler).rest;
        const int image = texture.image < 0 ? -1 : elementOf(images, texture.image);
        const std::string key =
            fmt::format("{} {} {} {} {}", image, sampler.dump(), texture.rest.dump(),
                        texture.formatExtension, texture.formatImage);
        first.push_back(known.try_emplace(key, static_cast<int>(i)).first->second);
    }
    return first;
}

/// The first of the materials that are equal in all but name. [materials]
std::vector<int> materialsByTextures(const Scene& scene, const std::vector<int>& textures) {
    std::map<std::string, int> known;
    std::vector<int> first;
    for (std::size_t i = 0; i < scene.materials.size(); ++i) {
        Json json = scene.materials[i].source;
        if (json.is_object()) json.erase("name");
        forEachTexture(json, [&](const std::string&, Json& use) {
            const int index = jsonOr(use, "index", -1);
            if (index >= 0 && static_cast<std::size_t>(index) < textures.size())
                use["index"] = elementOf(textures, index);
        });
        first.push_back(known.try_emplace(json.dump(), static_cast<int>(i)).first->second);
    }
    return first;
}

std::size_t countMoved(const std::vector<int>& first) {
    std::size_t moved = 0;
    for (std::size_t i = 0; i < first.size(); ++i) moved += first[i] != static_cast<int>(i);
    return moved;
}

/// Images that no texture reads any more hold nothing.
void shareImages(Scene& scene, const std::vector<int>& first) {
    for (Texture& texture : scene.textures)
        if (texture.image >= 0) texture.image = elementOf(first, texture.image);
    for (std::size_t i = 0; i < first.size(); ++i) {
        if (first[i] == static_cast<int>(i)) continue;
        Image empty;
        empty.name = scene.images[i].name;
        scene.images[i] = empty;
    }
}

MeshPtr withMaterials(const MeshPtr& mesh, const std::vector<int>& first) {
    const auto moves = [&](const Part& part) {
        return part.material >= 0 && elementOf(first, part.material) != part.material;
    };
    if (std::none_of(mesh->parts.begin(), mesh->parts.end(), moves)) return mesh;
    Mesh copy = *mesh;
    for (Part& part : copy.parts)
        if (part.material >= 0) part.material = elementOf(first, part.material);
    return finishMesh(std::move(copy));
}

/// The mesh with parts of equal materials as one, unless that has more vertices than both the
/// target allows and any part has now.
MeshPtr withJoinedParts(const MeshPtr& mesh, const Target& target) {
    MeshPtr joined = joinParts(mesh);
    const auto largest = [](const Mesh& of) {
        std::size_t most = 0;
        for (const Part& part : of.parts) most = std::max(most, part.vertexCount());
        return static_cast<double>(most);
    };
    const double limit = at(target.limits, Measure::VerticesPerMesh);
    return largest(*joined) > std::max(limit, largest(*mesh)) ? mesh : joined;
}

/// Joins parts of all assets and their levels. Returns how many parts fewer level 0 has in all.
/// Merged meshes stay: their ranges count triangles by part.
std::size_t joinAllParts(Scene& scene, const Target& target) {
    std::size_t fewer = 0;
    for (Asset& asset : scene.assets) {
        if (!asset.ranges.empty() || asset.importance == Importance::Keep) continue;
        const std::size_t before = asset.mesh->parts.size();
        asset.mesh = withJoinedParts(asset.mesh, target);
        for (Ladder::Level& level : asset.ladder.levels)
            level.mesh = withJoinedParts(level.mesh, target);
        fewer += before - asset.mesh->parts.size();
    }
    return fewer;
}

/// True if both ends of an edge lie where others have border vertices; one vertex alone is chance.
/// `locked`: [parts][vertices], or empty.
bool meetsAlongAnEdge(const Mesh& mesh, const std::vector<std::vector<bool>>& locked) {
    for (std::size_t p = 0; p < locked.size(); ++p) {
        if (std::find(locked[p].begin(), locked[p].end(), true) == locked[p].end()) continue;
        const Part& part = mesh.parts[p];
        const std::vector<Vec3f> positions = positionsOf(part);
        for (std::size_t c = 0; part.isTriangles() && c < part.indices.size(); ++c) {
            const std::uint32_t from = part.indices[c];
            const std::uint32_t to = part.indices[c % 3 == 2 ? c - 2 : c + 1];
            if (locked[p][from] && locked[p][to] && positions[from] != positions[to]) return true;
        }
    }
    return false;
}

/// Finds the assets that are others, moved.
class MeshSharer {
public:
    MeshSharer(const Scene& scene, const ShareSettings& settings, const Target& target)
        : scene_(scene),
          settings_(settings),
          invisible_(kUnseenPixels * kNearestEye / pixelsPerMetreAtOne(target)),
          instanced_(scene.assets.size(), false),
          scales_(scene.assets.size(), 0) {
        for (const Node& node : scene.nodes)
            if (node.mesh >= 0 && !node.instances.empty()) elementOf(instanced_, node.mesh) = true;
        for (const Object& object : scene.objects) {
            double& scale = elementOf(scales_, object.asset);
            scale = std::max(scale, object.scale);
        }
        const auto borders = findSharedBorders(scene);
        for (std::size_t a = 0; a < borders.size(); ++a)
            meets_.push_back(meetsAlongAnEdge(*scene.assets[a].mesh, borders[a]));
    }

    /// [assets] What stands instead of each; empty: itself. Nothing if cancelled.
    std::optional<std::vector<std::vector<Replacement>>> run(Progress& progress) {
        std::vector<std::optional<Shape>> shapes(scene_.assets.size());
        const bool finished =
            parallelFor(shapes.size(), "Describing meshes", progress, [&](std::size_t i) {
                shapes[i].emplace(*scene_.assets[i].mesh, std::span<const int>());
            });
        if (!finished) return std::nullopt;
        std::map<Hash, std::vector<std::size_t>> alike;
        for (std::size_t i = 0; i < shapes.size(); ++i) alike[keyOf(i, *shapes[i])].push_back(i);
        std::vector<const std::vector<std::size_t>*> groups;
        for (const auto& [key, assets] : alike)
            if (assets.size() > 1) groups.push_back(&assets);
        std::vector<std::vector<Replacement>> instead(shapes.size());
        const bool matched =
            parallelFor(groups.size(), "Comparing meshes", progress,
                        [&](std::size_t g) { match(*groups[g], shapes, instead, progress); });
        if (!matched || progress.cancelled()) return std::nullopt;
        return instead;
    }

    [[nodiscard]] std::size_t refused() const { return refused_; }

private:
    /// Assets with other keys are never shared: what they show, and what the artist wants of them.
    [[nodiscard]] Hash keyOf(std::size_t index, const Shape& shape) const {
        const Asset& asset = scene_.assets[index];
        Hasher hasher;
        hasher.add(asset.importance).add(asset.ladder.levels.size());
        for (const Ladder::Level& level : asset.ladder.levels) hasher.add(level.mesh->hash);
        // What bends, or has no surface, is shared only when equal to the bit.
        const auto& parts = asset.mesh->parts;
        const bool rigid = shape.radiusOfGyration() > 0 &&
                           std::none_of(parts.begin(), parts.end(),
                                        [](const Part& part) { return part.isDeformable(); });
        hasher.add(rigid).add(rigid && asset.ladder.empty() ? shape.key() : asset.mesh->hash);
        hasher.text(asset.mesh->rest.dump());
        return hasher.result();
    }

    /// Each asset is compared with the firsts of its kind, in the order of their spreads.
    void match(const std::vector<std::size_t>& assets,
               const std::vector<std::optional<Shape>>& shapes,
               std::vector<std::vector<Replacement>>& instead, Progress& progress) {
        std::multimap<double, std::size_t> firsts;
        for (const std::size_t i : assets) {
            if (progress.cancelled()) return;
            const double spread = shapes[i]->radiusOfGyration();
            const auto low = firsts.lower_bound(spread * (1 - kSameSpread));
            const auto high = firsts.upper_bound(spread * (1 + kSameSpread));
            const auto found = std::find_if(low, high, [&](const auto& entry) {
                return stand(entry.second, i, *shapes[entry.second], *shapes[i], instead[i]);
            });
            if (found == high) firsts.emplace(spread, i);
        }
    }

    bool stand(std::size_t first, std::size_t index, const Shape& from, const Shape& to,
               std::vector<Replacement>& instead) {
        const Mesh& a = *scene_.assets[first].mesh;
        const Mesh& b = *scene_.assets[index].mesh;
        std::optional<Mat4d> motion;
        if (a.hash == b.hash)
            motion = Mat4d::Identity();
        else if (!meets_[first] && !meets_[index])
            motion = from.similarityTo(to, toleranceOf(index), settings_.matchTransformed);
        if (!motion) return false;
        if (instanced_[index] && *motion != Mat4d::Identity()) {
            ++refused_;
            return false;
        }
        instead = {{static_cast<int>(first), *motion}};
        return true;
    }

    /// In sizes of the mesh, and no farther than the target can show from nearby: what lies in one
    /// place must stay there.
    [[nodiscard]] double toleranceOf(std::size_t index) const {
        const double size = scene_.assets[index].mesh->bounds.diagonal().norm() * scales_[index];
        return size > 0 ? std::min(settings_.tolerance, invisible_ / size) : settings_.tolerance;
    }

    const Scene& scene_;
    const ShareSettings& settings_;
    const double invisible_;       ///< Metres that no eye on the target can tell apart.
    std::vector<bool> instanced_;  ///< [assets] Shown by nodes with copies of their own.
    std::vector<double> scales_;   ///< [assets] Largest of the copies.
    std::vector<bool> meets_;      ///< [assets] Its open borders meet those of others.
    std::atomic<std::size_t> refused_ = 0;
};

}  // namespace

std::vector<int> firstEqualMaterials(const Scene& scene, const std::vector<int>& images) {
    return materialsByTextures(scene, firstEqualTextures(scene, images));
}

Expected<Fixed> applyShare(const Scene& scene, const ShareSettings& settings, const Target& target,
                           Progress& progress) {
    Fixed result{scene, {}};
    Scene& shared = result.scene;
    SubProgress onImages(progress, 0, 0.4);
    std::vector<int> images(scene.images.size());
    std::iota(images.begin(), images.end(), 0);
    if (settings.images) images = firstEqualImages(scene, onImages);
    shareImages(shared, images);
    std::vector<int> materials(scene.materials.size());
    std::iota(materials.begin(), materials.end(), 0);
    if (settings.materials) materials = firstEqualMaterials(shared, images);
    for (Asset& asset : shared.assets) {
        asset.mesh = withMaterials(asset.mesh, materials);
        for (Ladder::Level& level : asset.ladder.levels)
            level.mesh = withMaterials(level.mesh, materials);
    }
    const std::size_t joined = settings.parts ? joinAllParts(shared, target) : 0;
    SubProgress onMeshes(progress, 0.4, 1);
    MeshSharer sharer(shared, settings, target);
    const auto instead = sharer.run(onMeshes);
    if (!instead) return stopped("Sharing");
    std::map<std::size_t, std::size_t> copies;
    std::size_t gone = 0;
    for (std::size_t i = 0; i < instead->size(); ++i) {
        if ((*instead)[i].empty()) continue;
        ++gone;
        const auto first = static_cast<std::size_t>((*instead)[i].front().asset);
        Asset& asset = shared.assets[first];
        ++copies[first];
        if (asset.sources.empty()) asset.sources.push_back(asset.mesh->name);
        asset.sources.push_back(scene.assets[i].mesh->name);
    }
    for (const auto& [first, count] : copies)
        result.record.assets.push_back({scene.assets[first].mesh->name,
                                        count * scene.assets[first].mesh->triangles, 0,
                                        count * scene.assets[first].mesh->vertices});
    std::stable_sort(result.record.assets.begin(), result.record.assets.end(),
                     [](const Saving& a, const Saving& b) { return a.vertices > b.vertices; });
    replaceAssets(shared, *instead);
    dropUnusedAssets(shared);
    const std::size_t all = gone + countMoved(materials) + countMoved(images);
    result.record.summary =
        listDone({{gone, counted(gone, "asset")},
                  {countMoved(materials), counted(countMoved(materials), "material")},
                  {countMoved(images), counted(countMoved(images), "image")}},
                 "Nothing") +
        (all == 0   ? " is another's copy"
         : all == 1 ? " was another's copy"
                    : " were others' copies");
    if (joined > 0)
        result.record.notes.push_back(
            fmt::format("{} joined with others of the same mesh: their materials are equal",
                        counted(joined, "part was", "parts were")));
    if (sharer.refused() > 0)
        result.record.notes.push_back(
            fmt::format("{} equal meshes stay: nodes with instances of their own cannot be turned",
                        sharer.refused()));
    return result;
}

}  // namespace flentro
