#include "findings/ranking.h"

#include <algorithm>
#include <map>
#include <set>
#include <unordered_map>

#include "geometry/mesh_materials.h"
#include "measure/batches.h"
#include "measure/texture_memory.h"

namespace flentro {
namespace {

/// Adds up drawn objects into one entry for each asset, or makes one for each object.
class Ranking {
public:
    Ranking(const Scene& scene, const Target& target, CostKind kind)
        : scene_(scene),
          target_(target),
          kind_(kind),
          batches_(batchesOf(scene, target.batching)) {}

    void add(const DrawnObject& drawn) {
        const Object& object = scene_.objects[drawn.object];
        const Mesh& mesh = meshOf(object, drawn.level);
        const std::size_t slot = slotFor(drawn.object, object);
        CostShare& blame = entries_[slot];
        ++blame.copies;
        blame.triangles += static_cast<double>(mesh.triangles) * target_.eyes;
        const bool counts = kind_ == CostKind::Object ||
                            counted_.emplace(batches_[drawn.object], drawn.level).second;
        if (counts) blame.drawCalls += static_cast<double>(mesh.parts.size()) * target_.passes();
        if (!meshes_.emplace(slot, &mesh).second) return;
        blame.materials = std::max(blame.materials, static_cast<double>(materialCount(mesh)));
        for (const Part& part : mesh.parts) {
            blame.vertices = std::max(blame.vertices, static_cast<double>(part.vertexCount()));
            if (part.material >= 0) addImages(slot, static_cast<std::size_t>(part.material));
        }
    }

    void add(const ShadowDraw& drawn) {
        const Object& object = scene_.objects[drawn.object];
        CostShare& blame = entries_[slotFor(drawn.object, object)];
        const double triangles = shadowTriangles(scene_, drawn);
        blame.shadowTriangles += triangles;
        blame.triangles += triangles;
        blame.shadowCalls += drawn.calls;
        blame.drawCalls += drawn.calls;
    }

    void add(const DrawnLight& drawn) {
        CostShare blame;
        blame.name = scene_.placedLights[drawn.light].name;
        blame.index = drawn.light;
        blame.copies = 1;
        blame.castsShadow = drawn.castsShadow;
        blame.triangles = blame.shadowTriangles = drawn.shadowTriangles;
        blame.drawCalls = blame.shadowCalls = drawn.shadowCalls;
        entries_.push_back(std::move(blame));
    }

    [[nodiscard]] std::vector<CostShare> sorted(Measure by) {
        const auto value = [&](const CostShare& entry) { return valueOf(entry, kind_, by); };
        const TextureMemory textures(scene_, target_);
        for (const auto& [image, slots] : images_)
            for (const std::size_t slot : slots) {
                CostShare& entry = entries_[slot];
                entry.textureBytes += textures.of(image) / static_cast<double>(slots.size());
                const Image& shown = scene_.images[image];
                entry.textureEdge = std::max({entry.textureEdge, static_cast<double>(shown.width),
                                              static_cast<double>(shown.height)});
            }
        double whole = 0;
        for (const CostShare& entry : entries_)
            whole = isLargestInUse(by) ? std::max(whole, value(entry)) : whole + value(entry);
        for (CostShare& entry : entries_) entry.share = whole > 0 ? value(entry) / whole : 0;
        std::stable_sort(entries_.begin(), entries_.end(),
                         [&](const CostShare& a, const CostShare& b) {
                             const double x = value(a);
                             const double y = value(b);
                             return x != y ? x > y : a.index < b.index;
                         });
        return std::move(entries_);
    }

private:
    [[nodiscard]] const Mesh& meshOf(const Object& object, std::size_t level) const {
        return *scene_.asset(object).level(level);
    }

    std::size_t slotFor(std::size_t index, const Object& object) {
        const auto asset = static_cast<std::size_t>(object.asset);
        const std::size_t key = kind_ == CostKind::Asset ? asset : index;
        const auto [at, isNew] = slots_.try_emplace(key, entries_.size());
        if (isNew) {
            entries_.emplace_back();
            entries_.back().name =
                kind_ == CostKind::Asset ? scene_.assets[asset].mesh->name : object.name;
            entries_.back().index = key;
        }
        return at->second;
    }

    void addImages(std::size_t slot, std::size_t material) {
        for (const TextureUse& use : scene_.materials[material].textures) {
            const int image = scene_.imageOf(use.texture);
            if (image >= 0) images_[static_cast<std::size_t>(image)].insert(slot);
        }
    }

    const Scene& scene_;
    const Target& target_;
    CostKind kind_;
    std::vector<CostShare> entries_;
    std::unordered_map<std::size_t, std::size_t> slots_;
    const std::vector<std::uint32_t> batches_;                   ///< [objects]
    std::set<std::pair<std::uint32_t, std::uint32_t>> counted_;  ///< Batch and level.
    std::set<std::pair<std::size_t, const Mesh*>> meshes_;       ///< Of each entry.
    std::map<std::size_t, std::set<std::size_t>> images_;        ///< Entries that show each.
};

}  // namespace

double shadowTriangles(const Scene& scene, const ShadowDraw& shadow) {
    const Mesh& drawn = *scene.asset(scene.objects[shadow.object]).level(shadow.level);
    return static_cast<double>(drawn.triangles) * shadow.passes;
}

double valueOf(const CostShare& share, CostKind kind, Measure measure) {
    const bool isLight = kind == CostKind::Light;
    switch (measure) {
        case Measure::Triangles:
            return share.triangles;
        case Measure::DrawCalls:
            return share.drawCalls;
        case Measure::Objects:
            return isLight ? 0 : static_cast<double>(share.copies);
        case Measure::Lights:
            return isLight ? 1 : 0;
        case Measure::ShadowLights:
            return share.castsShadow ? 1 : 0;
        case Measure::TextureBytes:
            return share.textureBytes;
        case Measure::TextureEdge:
            return share.textureEdge;
        case Measure::MaterialsPerObject:
            return share.materials;
        case Measure::VerticesPerMesh:
            return share.vertices;
    }
    return 0;
}

std::vector<CostShare> rank(const Scene& scene, const Target& target, const ViewCost& cost,
                            CostKind kind, Measure by) {
    Ranking ranking(scene, target, kind);
    if (kind == CostKind::Light) {
        for (const DrawnLight& drawn : cost.lights) ranking.add(drawn);
        return ranking.sorted(by);
    }
    for (const DrawnObject& drawn : cost.drawn) ranking.add(drawn);
    for (const ShadowDraw& drawn : cost.shadows) ranking.add(drawn);
    return ranking.sorted(by);
}

const char* fixFor(Measure measure) {
    switch (measure) {
        case Measure::Triangles:
            return "ladder";
        case Measure::DrawCalls:
            return "merge";
        case Measure::Objects:
            return "culling";
        case Measure::MaterialsPerObject:
            return "fewer-materials";
        case Measure::VerticesPerMesh:
            return "part-size";
        case Measure::Lights:
            return "fewer-lights";
        case Measure::ShadowLights:
            return "shadow-lights";
        case Measure::TextureBytes:
        case Measure::TextureEdge:
            return "texture-size";
    }
    return "ladder";
}

std::vector<float> shareOfTriangles(const Scene& scene, const std::vector<DrawnObject>& drawn) {
    std::vector<float> shares(scene.objects.size(), 0.0F);
    double total = 0;
    const auto triangles = [&](const DrawnObject& entry) {
        const Object& object = scene.objects[entry.object];
        const Asset& asset = scene.asset(object);
        return static_cast<double>(asset.level(entry.level)->triangles);
    };
    for (const DrawnObject& entry : drawn) total += triangles(entry);
    for (const DrawnObject& entry : drawn)
        if (total > 0) shares[entry.object] = static_cast<float>(triangles(entry) / total);
    return shares;
}

}  // namespace flentro
