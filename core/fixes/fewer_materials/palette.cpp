#include "fixes/fewer_materials/palette.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "base/index.h"
#include "io/gltf_materials.h"
#include "io/image.h"
#include "picture/texels.h"

namespace flentro {
namespace {

constexpr int kCell = 4;  ///< Pixels: a block of compressed textures holds one colour.
constexpr std::size_t kMaxColours = 4096;
constexpr int kNearest = 9728;  ///< glTF: neither filtered nor from mip maps.

std::uint8_t toByte(float share) {
    return static_cast<std::uint8_t>(std::lround(std::clamp(share, 0.0F, 1.0F) * 255));
}

/// A square of cells, one for each colour.
struct Sheet {
    explicit Sheet(std::size_t colours) {
        while (static_cast<std::size_t>(cells) * static_cast<std::size_t>(cells) < colours)
            cells *= 2;
    }
    int cells = 1;  ///< Along an edge.
    [[nodiscard]] int edge() const { return cells * kCell; }
    [[nodiscard]] Vec2f middle(std::size_t index) const {
        const int column = static_cast<int>(index) % cells;
        const int row = static_cast<int>(index) / cells;
        return Vec2f(static_cast<float>(column) + 0.5F, static_cast<float>(row) + 0.5F) /
               static_cast<float>(cells);
    }
    [[nodiscard]] Pixels paint(const std::vector<Vec4f>& colours) const {
        Pixels pixels{edge(), edge(), {}};
        for (int y = 0; y < edge(); ++y)
            for (int x = 0; x < edge(); ++x) {
                const int cell = y / kCell * cells + x / kCell;
                const std::size_t last = colours.size() - 1;
                const Vec4f& colour = colours[std::min(static_cast<std::size_t>(cell), last)];
                for (int c = 0; c < 4; ++c) pixels.rgba.push_back(toByte(colour[c]));
            }
        return pixels;
    }
};

class PaletteMaker {
public:
    PaletteMaker(Scene& scene, PaletteResult& result) : scene_(scene), result_(result) {}

    void make(const std::vector<std::size_t>& members) {
        const Sheet sheet(members.size());
        std::vector<Vec4f> base;
        std::vector<Vec4f> rough;
        std::vector<Vec4f> glow;
        const Material first = scene_.materials[members.front()];
        bool isEvenlyRough = true;
        bool glows = false;
        float brightest = 1;
        for (const std::size_t m : members) {
            const Material& material = scene_.materials[m];
            const Vec4f& c = material.baseColor;
            base.emplace_back(toDisplay(c.x()), toDisplay(c.y()), toDisplay(c.z()), c.w());
            rough.emplace_back(1, material.roughness, material.metallic, 1);
            const Vec3f e = emissiveFactor(material);
            glow.emplace_back(toDisplay(e.x()), toDisplay(e.y()), toDisplay(e.z()), 1);
            isEvenlyRough = isEvenlyRough && material.roughness == first.roughness &&
                            material.metallic == first.metallic;
            glows = glows || !e.isZero();
            brightest = std::max(brightest, e.maxCoeff());
        }
        Json json = first.source.is_object() ? first.source : Json::object();
        json["name"] = fmt::format("palette {}", ++result_.palettes);
        Json& pbr = objectAt(json, "pbrMetallicRoughness");
        pbr.erase("baseColorFactor");
        pbr["baseColorTexture"] = {{"index", addTexture(sheet.paint(base), 4, "colours")}};
        if (!isEvenlyRough) {
            pbr["roughnessFactor"] = pbr["metallicFactor"] = 1;
            pbr["metallicRoughnessTexture"] = {
                {"index", addTexture(sheet.paint(rough), 3, "roughness")}};
        }
        json.erase("emissiveFactor");
        if (glows) {
            json["emissiveFactor"] = {1, 1, 1};
            json["emissiveTexture"] = {{"index", addTexture(sheet.paint(glow), 3, "glow")}};
        }
        const auto material = static_cast<int>(scene_.materials.size());
        scene_.materials.push_back(parseMaterial(json));
        for (std::size_t i = 0; i < members.size(); ++i) {
            result_.materials[members[i]] = material;
            result_.coords[members[i]] = sheet.middle(i);
        }
        result_.colours += members.size();
    }

private:
    /// As in the file, without KHR_materials_emissive_strength: that is alike in one kind.
    static Vec3f emissiveFactor(const Material& material) {
        Vec3f factor = Vec3f::Zero();
        const Json& json = jsonArray(material.source, "emissiveFactor");
        for (int i = 0; i < 3 && i < static_cast<int>(json.size()); ++i)
            if (elementOf(json, i).is_number()) factor[i] = elementOf(json, i).get<float>();
        return factor;
    }

    int addTexture(const Pixels& pixels, int channels, const char* what) {
        const std::string name = fmt::format("palette {} {}", result_.palettes, what);
        return flentro::addTexture(scene_, pngImage(name, pixels, channels), sampler());
    }

    int sampler() {
        if (sampler_ < 0) {
            sampler_ = static_cast<int>(scene_.samplers.size());
            scene_.samplers.push_back(
                {kNearest, {{"magFilter", kNearest}, {"minFilter", kNearest}}});
        }
        return sampler_;
    }

    Scene& scene_;
    PaletteResult& result_;
    int sampler_ = -1;
};

/// True if another of the group is on the same mesh, for each.
std::set<std::size_t> sharingMeshes(const Scene& scene, const std::set<std::size_t>& group) {
    std::set<std::size_t> sharing;
    for (const Asset& asset : scene.assets) {
        std::set<std::size_t> here;
        for (const Part& part : asset.mesh->parts)
            if (part.material >= 0 && group.contains(static_cast<std::size_t>(part.material)))
                here.insert(static_cast<std::size_t>(part.material));
        if (here.size() > 1) sharing.insert(here.begin(), here.end());
    }
    return sharing;
}

}  // namespace

std::string materialKind(const Material& material) {
    Json json = material.source.is_object() ? material.source : Json::object();
    json.erase("name");
    json.erase("emissiveFactor");
    Json& pbr = objectAt(json, "pbrMetallicRoughness");
    for (const char* key : {"baseColorFactor", "metallicFactor", "roughnessFactor"}) pbr.erase(key);
    return json.dump(-1, ' ', false, Json::error_handler_t::replace);
}

PaletteResult addPalettes(Scene& scene, bool wholeScene, const std::vector<bool>& fixed) {
    PaletteResult result;
    result.materials.assign(scene.materials.size(), -1);
    result.coords.assign(scene.materials.size(), Vec2f::Zero());
    std::map<std::string, std::set<std::size_t>> groups;
    for (std::size_t m = 0; m < fixed.size(); ++m)
        if (!fixed[m] && scene.materials[m].textures.empty())
            groups[materialKind(scene.materials[m])].insert(m);
    PaletteMaker maker(scene, result);
    for (const auto& [kind, group] : groups) {
        const std::set<std::size_t> chosen = wholeScene ? group : sharingMeshes(scene, group);
        std::vector<std::size_t> members;
        for (const std::size_t m : chosen) {
            members.push_back(m);
            if (members.size() < kMaxColours) continue;
            maker.make(members);
            members.clear();
        }
        if (members.size() > 1) maker.make(members);
    }
    return result;
}

}  // namespace flentro
