#include "fixes/far_levels.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "base/index.h"
#include "fixes/cards.h"
#include "geometry/weld.h"
#include "io/gltf_materials.h"
#include "picture/texels.h"

namespace flentro {
namespace {

constexpr int kTextureEdge = 256;  ///< Pixels: far levels show no finer detail.
constexpr float kHalf = 0.5F;      ///< Coverage from which a surface counts as opaque.
constexpr float kNoHoles = 0.9F;   ///< Mean alpha from which a picture has no holes.

Vec4f meanOf(const TextureCache& textures, int texture) {
    const Texels* texels = textures.find(texture);
    return texels ? texels->mean() : Vec4f::Ones();
}

/// May its parts be drawn in vertex colours?
bool isPlainOpaque(const Scene& scene, int material) {
    if (material < 0) return true;
    const Material& m = elementOf(scene.materials, material);
    return m.alphaMode == AlphaMode::Opaque && m.emissive.isZero() && !m.unlit;
}

bool canMerge(const Scene& scene, const Part& part) {
    return part.isTriangles() && !part.indices.empty() && !part.isDeformable() &&
           part.find("NORMAL") && isPlainOpaque(scene, part.material);
}

/// Linear colours of a part's vertices as its material shows them.
std::vector<Vec4f> colorsOf(const Scene& scene, const TextureCache& textures, const Part& part) {
    std::vector<Vec4f> colors(part.vertexCount(), Vec4f::Ones());
    if (const Stream* stream = part.find("COLOR_0"))
        for (std::size_t i = 0; i < colors.size(); ++i)
            for (int c = 0; c < 3; ++c) colors[i][c] = stream->value(i, c);
    if (part.material < 0) return colors;
    const Material& material = elementOf(scene.materials, part.material);
    for (Vec4f& color : colors) color = color.cwiseProduct(material.baseColor);
    const auto use = std::find_if(material.textures.begin(), material.textures.end(),
                                  [](const TextureUse& u) { return u.role == "baseColorTexture"; });
    if (use == material.textures.end()) return colors;
    const Texels* texels = textures.find(use->texture);
    const Stream* coords = part.find("TEXCOORD_" + std::to_string(use->texCoord));
    if (!texels || !coords || coords->components != 2) return colors;
    // Each vertex takes the mean over the triangles around it, each looked up at its own size.
    std::vector<Vec4f> sums(colors.size(), Vec4f::Zero());
    for (std::size_t i = 0; i + 2 < part.indices.size(); i += 3) {
        std::array<Vec2f, 3> at;
        for (std::size_t k = 0; k < 3; ++k)
            at[k] = {coords->value(part.indices[i + k], 0), coords->value(part.indices[i + k], 1)};
        const Vec2f p = at[1] - at[0];
        const Vec2f q = at[2] - at[0];
        const float across = std::sqrt(std::fabs(p.x() * q.y() - p.y() * q.x()) / 2) *
                             static_cast<float>(texels->edge());
        const Vec2f middle = (at[0] + at[1] + at[2]) / 3;
        for (std::size_t k = 0; k < 3; ++k) {
            const Vec2f where = (at[k] + middle) / 2;
            if (!where.allFinite() || !std::isfinite(across)) continue;
            const Vec4f seen = texels->at(where, across / 2);
            sums[part.indices[i + k]] +=
                Vec4f(toLinear(seen.x()), toLinear(seen.y()), toLinear(seen.z()), 1);
        }
    }
    for (std::size_t i = 0; i < colors.size(); ++i)
        if (sums[i].w() > 0) colors[i] = colors[i].cwiseProduct(sums[i] / sums[i].w());
    return colors;
}

Stream makeColors(const std::vector<Vec4f>& colors) {
    Stream stream;
    stream.type = ComponentType::UInt8;
    stream.components = 4;
    stream.normalized = true;
    for (const Vec4f& color : colors)
        for (int c = 0; c < 4; ++c) {
            const float value = c == 3 ? 1.0F : std::clamp(color[c], 0.0F, 1.0F);
            stream.data.push_back(static_cast<std::byte>(std::lround(value * 255)));
        }
    return stream;
}

int addMaterial(Scene& scene, Material material) {
    for (std::size_t i = 0; i < scene.materials.size(); ++i)
        if (scene.materials[i].source == material.source) return static_cast<int>(i);
    scene.materials.push_back(std::move(material));
    return static_cast<int>(scene.materials.size()) - 1;
}

int vertexColorMaterial(Scene& scene, bool twoSided) {
    Json source = {{"name", twoSided ? "far colours, two-sided" : "far colours"},
                   {"pbrMetallicRoughness", {{"metallicFactor", 0}, {"roughnessFactor", 1}}}};
    if (twoSided) source["doubleSided"] = true;
    return addMaterial(scene, parseMaterial(source));
}

/// Positions, normals and colours of many parts in one.
class PartMerger {
public:
    void add(const Scene& scene, const TextureCache& textures, const Part& part) {
        const auto first = static_cast<std::uint32_t>(places_.size());
        append(places_, positionsOf(part));
        append(normals_, toVectors(*part.find("NORMAL")));
        append(colors_, colorsOf(scene, textures, part));
        for (const std::uint32_t index : part.indices) indices_.push_back(first + index);
        if (part.material >= 0) twoSided_ |= elementOf(scene.materials, part.material).doubleSided;
    }

    [[nodiscard]] Part finish(Scene& scene) const {
        Part part;
        part.material = vertexColorMaterial(scene, twoSided_);
        part.set("POSITION", makeStream(places_));
        part.set("NORMAL", makeStream(normals_));
        part.set("COLOR_0", makeColors(colors_));
        part.indices = indices_;
        return dropUnusedVertices(part);
    }

private:
    template <typename T>
    static void append(std::vector<T>& all, const std::vector<T>& more) {
        all.insert(all.end(), more.begin(), more.end());
    }

    std::vector<Vec3f> places_, normals_;
    std::vector<Vec4f> colors_;
    std::vector<std::uint32_t> indices_;
    bool twoSided_ = false;
};

/// Cheaper materials by the ones they stand for.
class CheapMaterials {
public:
    CheapMaterials(Scene& scene, const TextureCache& textures)
        : scene_(scene), textures_(textures) {}

    MeshPtr apply(const MeshPtr& mesh) {
        Mesh copy = *mesh;
        const bool closed = isClosed(*mesh);
        bool changed = false;
        for (Part& part : copy.parts) {
            if (part.material < 0) continue;
            const int cheap = cheapOf(part.material, closed);
            changed |= cheap != part.material;
            part.material = cheap;
        }
        return changed ? finishMesh(std::move(copy)) : mesh;
    }

private:
    int cheapOf(int material, bool closed) {
        const auto [at, isNew] = known_.try_emplace({material, closed}, material);
        if (!isNew) return at->second;
        Material cheap = cheapMaterial(textures_, elementOf(scene_.materials, material), closed);
        if (cheap.source == elementOf(scene_.materials, material).source) return material;
        return at->second = addMaterial(scene_, std::move(cheap));
    }

    Scene& scene_;
    const TextureCache& textures_;
    std::map<std::pair<int, bool>, int> known_;
};

}  // namespace

Material cheapMaterial(const TextureCache& textures, const Material& material, bool closed) {
    Json json = material.source.is_object() ? material.source : Json::object();
    const Json before = json;
    json.erase("normalTexture");
    json.erase("occlusionTexture");
    if (const int texture = material.texture("metallicRoughnessTexture"); texture >= 0) {
        const Vec4f mean = meanOf(textures, texture);  // roughness in green, metalness in blue
        Json& pbr = objectAt(json, "pbrMetallicRoughness");
        pbr.erase("metallicRoughnessTexture");
        pbr["roughnessFactor"] = material.roughness * mean.y();
        pbr["metallicFactor"] = material.metallic * mean.z();
    }
    if (material.alphaMode == AlphaMode::Blend) {
        const float inPicture = meanOf(textures, material.texture("baseColorTexture")).w();
        const float alpha = material.baseColor.w() * inPicture;
        if (inPicture < kNoHoles && material.baseColor.w() >= kHalf)
            json["alphaMode"] = "MASK";
        else if (alpha >= kHalf)
            json["alphaMode"] = "OPAQUE";
    }
    if (closed && jsonOr<std::string>(json, "alphaMode", "OPAQUE") == "OPAQUE")
        json.erase("doubleSided");
    if (json != before) json["name"] = material.name + " (far)";
    Material cheap = parseMaterial(json);
    if (json == before) cheap.name = material.name;
    return cheap;
}

bool isClosed(const Mesh& mesh) {
    const std::vector<std::uint32_t> corners = weldPositions(mesh).corners;
    std::vector<std::pair<std::uint32_t, std::uint32_t>> edges;
    for (std::size_t i = 0; i + 2 < corners.size(); i += 3) {
        const std::array<std::uint32_t, 3> t = {corners[i], corners[i + 1], corners[i + 2]};
        if (t[0] == t[1] || t[1] == t[2] || t[2] == t[0]) continue;  // no surface
        for (std::size_t k = 0; k < 3; ++k) edges.emplace_back(t[k], t[(k + 1) % 3]);
    }
    std::sort(edges.begin(), edges.end());
    if (edges.empty() || std::adjacent_find(edges.begin(), edges.end()) != edges.end())
        return false;
    return std::all_of(edges.begin(), edges.end(), [&](const auto& edge) {
        return std::binary_search(edges.begin(), edges.end(), std::pair(edge.second, edge.first));
    });
}

MeshPtr onePart(Scene& scene, const TextureCache& textures, const MeshPtr& mesh) {
    const auto merges = std::count_if(mesh->parts.begin(), mesh->parts.end(),
                                      [&](const Part& part) { return canMerge(scene, part); });
    if (merges < 2) return mesh;
    Mesh result = *mesh;
    result.parts.clear();
    PartMerger merger;
    for (const Part& part : mesh->parts)
        if (canMerge(scene, part))
            merger.add(scene, textures, part);
        else
            result.parts.push_back(part);
    result.parts.insert(result.parts.begin(), merger.finish(scene));
    return finishMesh(std::move(result));
}

Expected<FarLevels> cheapenFarLevels(Scene& scene, const LadderSettings& settings,
                                     const Target& target, Progress& progress) {
    FarLevels done;
    const auto textures = std::make_shared<const TextureCache>(scene, kTextureEdge);
    if (settings.cardPixels > 0) {
        const auto cards = addCards(scene, textures, settings, target, progress);
        if (!cards) return tl::unexpected(cards.error());
        done.cards = cards->added;
        done.refused = cards->refused;
    }
    CheapMaterials cheap(scene, *textures);
    const auto from = [](int first, std::size_t level) {
        return first > 0 && level + 1 >= static_cast<std::size_t>(first);
    };
    for (Asset& asset : scene.assets) {
        if (progress.cancelled()) return stopped("Making levels");
        for (std::size_t i = 0; i < asset.ladder.levels.size(); ++i) {
            MeshPtr& mesh = asset.ladder.levels[i].mesh;
            const MeshPtr before = mesh;
            if (from(settings.plainFromLevel, i)) mesh = cheap.apply(mesh);
            done.plain += mesh != before;
            const MeshPtr several = mesh;
            if (from(settings.singlePartFromLevel, i)) mesh = onePart(scene, *textures, mesh);
            done.onePart += mesh != several;
        }
    }
    return done;
}

}  // namespace flentro
