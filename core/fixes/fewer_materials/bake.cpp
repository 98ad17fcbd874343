#include "fixes/fewer_materials/bake.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cassert>
#include <cmath>
#include <map>

#include "base/index.h"
#include "fixes/merge/parcel_mesh.h"
#include "fixes/page_packer.h"
#include "fixes/tile_shifts.h"
#include "geometry/mesh_materials.h"
#include "geometry/tile_cut.h"
#include "io/gltf_materials.h"
#include "io/image.h"
#include "picture/resample.h"
#include "picture/texels.h"

namespace flentro {
namespace {

constexpr int kGutter = 8;      ///< Pixels around each place: keeps mip maps apart.
constexpr int kAlign = 4;       ///< Pixels: blocks of compressed textures are not shared.
constexpr int kPlainShare = 8;  ///< Pages of plain numbers have so many times fewer pixels an edge.
constexpr int kPlainEdge = 4;   ///< Pixels of a material without textures.
constexpr int kLargestImage = 16384;      ///< Pixels along an edge.
constexpr double kHair = 0.01;            ///< Pixels: rounding of coordinates, not room needed.
constexpr std::size_t kMostTiles = 1024;  ///< That one triangle is cut into.

/// What is done to triangles on which a texture repeats.
enum class Tiling { Kept, Detached, Cut };

/// What a page can hold, in the order of its images.
enum Role : std::size_t { Color, Rough, Glow, Occlusion, Normal, kRoles };
constexpr std::array<const char*, kRoles> kRoleNames = {
    "baseColorTexture", "metallicRoughnessTexture", "emissiveTexture", "occlusionTexture",
    "normalTexture"};

/// Rectangles of copies of a texture beside each other, none inside another: whatever mappings
/// inside one can be looked up there.
class Rectangles {
public:
    void add(const Vec2f& reach) {
        const auto inside = [](const Vec2f& a, const Vec2f& b) {
            return (a.array() <= b.array()).all();
        };
        if (std::any_of(all_.begin(), all_.end(), [&](const Vec2f& r) { return inside(reach, r); }))
            return;
        std::erase_if(all_, [&](const Vec2f& r) { return inside(r, reach); });
        all_.push_back(reach);
        if (all_.size() <= kMax) return;
        const Vec2f last = all_.back();
        all_.pop_back();
        const Vec2f joined = all_.back().cwiseMax(last);
        all_.pop_back();
        add(joined);
    }
    void add(const Rectangles& other) {
        for (const Vec2f& reach : other.all_) add(reach);
    }
    [[nodiscard]] const std::vector<Vec2f>& all() const { return all_; }

private:
    static constexpr std::size_t kMax = 16;
    std::vector<Vec2f> all_;
};

/// The part changed for `tiling`, or as it is where it would get more than `spare` vertices more.
Part tiled(const Part& part, Tiling tiling, std::size_t spare) {
    const Stream* coords = part.find("TEXCOORD_0");
    if (tiling == Tiling::Kept || !coords || coords->components != 2) return part;
    const auto tiles = tileShifts(part, *coords);
    if (!tiles || tiles->reach.maxCoeff() <= 1 + kTileRounding) return part;
    std::optional<Part> changed =
        tiling == Tiling::Cut ? cutAtTiles(part, kMostTiles) : detachAtTiles(part);
    if (!changed || changed->vertexCount() > part.vertexCount() + spare) return part;
    return std::move(*changed);
}

/// The mesh with each of its parts changed so.
Mesh tiled(const Mesh& mesh, Tiling tiling, double cutShare) {
    Mesh changed = mesh;
    const auto spare = static_cast<std::size_t>(cutShare * static_cast<double>(mesh.vertices));
    for (Part& part : changed.parts) part = tiled(part, tiling, spare);
    return changed;
}

bool morphsCoords(const Part& part) {
    return std::any_of(part.targets.begin(), part.targets.end(), [](const auto& target) {
        return std::any_of(target.begin(), target.end(),
                           [](const Attribute& a) { return a.semantic == "TEXCOORD_0"; });
    });
}

/// How one material lies on an asset, all levels together.
struct UvMapping {
    static constexpr double kUnlimited = std::numeric_limits<double>::infinity();

    bool isFit = false;          ///< Can be baked.
    Rectangles rectangles;       ///< Of its texture; none without textures.
    double surface = 0;          ///< Square metres at scale 1, of level 0.
    double picture = 0;          ///< Of the whole texture.
    double needed = kUnlimited;  ///< Texels a metre at scale 1.

    void join(const UvMapping& other) {
        isFit = isFit && other.isFit;
        rectangles.add(other.rectangles);
        surface += other.surface;
        picture += other.picture;
        needed = std::max(needed, other.needed);
    }
};

/// A rectangle of a material on a page.
struct Place {
    int width = 0, height = 0;    ///< Pixels, without the gutter.
    int x = 0, y = 0;             ///< Of its corner, without the gutter.
    Vec2f reach = Vec2f::Zero();  ///< Copies of the texture on it; 0: one colour everywhere.
};
using Places = std::map<int, std::vector<Place>>;  ///< By material.

Vec4f texel(const Pixels& pixels, int x, int y) {
    const auto wrapped = [](int i, int count) { return (i % count + count) % count; };
    const std::uint8_t* at =
        pixels.rgba.data() + 4 * static_cast<std::size_t>(wrapped(y, pixels.height) * pixels.width +
                                                          wrapped(x, pixels.width));
    return Vec4f(at[0], at[1], at[2], at[3]) / 255;
}

/// Between the four nearest texels; the picture repeats.
Vec4f bilinear(const Pixels& pixels, const Vec2f& coords) {
    const Vec2f within = coords.array() - coords.array().floor();  // coordinates may be vast
    const float x = within.x() * static_cast<float>(pixels.width) - 0.5F;
    const float y = within.y() * static_cast<float>(pixels.height) - 0.5F;
    const int left = static_cast<int>(std::floor(x));
    const int top = static_cast<int>(std::floor(y));
    const float u = x - static_cast<float>(left);
    const float v = y - static_cast<float>(top);
    return (1 - v) * ((1 - u) * texel(pixels, left, top) + u * texel(pixels, left + 1, top)) +
           v * ((1 - u) * texel(pixels, left, top + 1) + u * texel(pixels, left + 1, top + 1));
}

class MaterialBaker {
public:
    using Pages = std::vector<std::vector<int>>;  ///< Materials of each.

    MaterialBaker(Scene& scene, const std::vector<bool>& fixed, const Evidence& evidence,
                  const BakeSettings& settings)
        : scene_(scene), fixed_(fixed), evidence_(evidence), settings_(settings) {}

    /// [materials of the asset] `needed`: texels a metre at scale 1.
    [[nodiscard]] std::map<int, UvMapping> mappingsOf(const Asset& asset, Tiling tiling,
                                                      double needed) const {
        std::map<int, UvMapping> mappings;
        for (std::size_t level = 0; level < asset.levelCount(); ++level)
            for (const Part& part : tiledLevel(asset, level, tiling).parts) {
                UvMapping mapping = uvMappingOf(part, level == 0);
                mapping.needed = needed;
                const auto [at, isNew] = mappings.try_emplace(part.material, mapping);
                if (!isNew) at->second.join(mapping);
            }
        return mappings;
    }

    /// Materials that can be baked: one-sided ones first, those that need the least room first.
    [[nodiscard]] std::vector<int> fitOnes(const std::map<int, UvMapping>& mappings) const {
        std::vector<std::tuple<bool, double, int>> order;
        for (const auto& [material, mapping] : mappings)
            if (mapping.isFit)
                order.emplace_back(at(material).doubleSided, pixelsOf(material, mapping), material);
        std::sort(order.begin(), order.end());
        std::vector<int> materials;
        materials.reserve(order.size());
        for (const auto& entry : order) materials.push_back(std::get<int>(entry));
        return materials;
    }

    /// The `count` of them that share one page at the least cost; empty if there are too few.
    [[nodiscard]] Pages choose(const std::map<int, UvMapping>& mappings, std::size_t count) const {
        std::vector<int> best;
        double least = std::numeric_limits<double>::infinity();
        const std::vector<int> fit = fitOnes(mappings);
        for (std::size_t first = 0; first + count <= fit.size(); ++first) {
            const std::vector<int> chosen(fit.begin() + std::ptrdiff_t(first),
                                          fit.begin() + std::ptrdiff_t(first + count));
            double cost = 0;
            for (const int material : chosen) cost += pixelsOf(material, mappings.at(material));
            if (cost >= least || !canShare(chosen)) continue;
            least = cost;
            best = chosen;
        }
        std::sort(best.begin(), best.end());
        return best.empty() ? Pages() : Pages(1, best);
    }

    /// Pages with room for as many of the materials as make `fewer` materials fewer; empty if none
    /// do.
    [[nodiscard]] Pages divide(const std::map<int, UvMapping>& mappings, std::size_t fewer) const {
        Pages pages;
        std::vector<int> page;
        for (const int material : fitOnes(mappings)) {
            page.push_back(material);
            Places places;
            PageItem size;
            if (!canShare(page) || !layOut(page, mappings, places, size)) {
                page.pop_back();
                if (page.size() > 1) pages.push_back(page);
                page = {material};
            } else if (page.size() > 1 && --fewer == 0) {
                pages.push_back(page);
                return pages;
            }
        }
        return {};
    }

    /// Paints the page and lets the assets read from it. False if it has no room.
    bool bake(Baked& baked, const std::map<int, UvMapping>& mappings, Tiling tiling) {
        Places places;
        PageItem page;
        const std::optional<double> kept = layOut(baked.materials, mappings, places, page);
        if (!kept) return false;
        baked.kept = *kept;
        const int material = addMaterial(baked, places, page);
        for (const std::size_t a : baked.assets) {
            Asset& asset = scene_.assets[a];
            std::vector<MeshPtr> levels;
            for (std::size_t level = 0; level < asset.levelCount(); ++level)
                levels.push_back(moved(*asset.level(level), tiledLevel(asset, level, tiling),
                                       places, page, material));
            asset.mesh = levels.front();
            asset.ranges.clear();
            for (std::size_t level = 1; level < levels.size(); ++level)
                asset.ladder.levels[level - 1].mesh = levels[level];
        }
        return true;
    }

private:
    [[nodiscard]] const Material& at(int material) const {
        return elementOf(scene_.materials, material);
    }

    [[nodiscard]] Mesh tiledLevel(const Asset& asset, std::size_t level, Tiling tiling) const {
        return tiled(*asset.level(level), tiling, settings_.cutShare);
    }

    /// All that does not depend on a mesh.
    [[nodiscard]] bool isPlain(int index) const {
        if (index < 0 || static_cast<std::size_t>(index) >= fixed_.size() ||
            elementOf(fixed_, index))
            return false;
        const Material& material = at(index);
        if (material.alphaMode != AlphaMode::Opaque || material.unlit) return false;
        for (const auto& extension : jsonObject(material.source, "extensions").items())
            if (extension.key() != "KHR_materials_emissive_strength") return false;
        if (jsonOr(jsonObject(material.source, "normalTexture"), "scale", 1.0) != 1 ||
            jsonOr(jsonObject(material.source, "occlusionTexture"), "strength", 1.0) != 1)
            return false;
        return std::all_of(material.textures.begin(), material.textures.end(),
                           [&](const TextureUse& use) { return isReadable(use); });
    }

    [[nodiscard]] bool isReadable(const TextureUse& use) const {
        const auto role = std::find(kRoleNames.begin(), kRoleNames.end(), use.role);
        const int image = scene_.imageOf(use.texture);
        if (role == kRoleNames.end() || use.texCoord != 0 || use.isMoved() || image < 0)
            return false;
        const Image& source = elementOf(scene_.images, image);
        const bool isPicture = source.mime == "image/png" || source.mime == "image/jpeg";
        return source.data && isPicture && !hasDeepChannels(source);
    }

    [[nodiscard]] bool repeats(const Material& material) const {
        return std::all_of(
            material.textures.begin(), material.textures.end(), [&](const auto& use) {
                return repeatsBothWays(scene_, elementOf(scene_.textures, use.texture).sampler);
            });
    }

    [[nodiscard]] UvMapping uvMappingOf(const Part& part, bool isTop) const {
        UvMapping mapping;
        mapping.isFit = part.isTriangles() && !morphsCoords(part) && isPlain(part.material);
        if (!mapping.isFit) return mapping;
        const Stream* coords = part.find("TEXCOORD_0");
        if (at(part.material).textures.empty() || !coords) {
            mapping.isFit = at(part.material).textures.empty();
            return mapping;
        }
        const auto tiles = coords->components == 2 ? tileShifts(part, *coords) : std::nullopt;
        const bool inside =
            tiles && tiles->isNone() && tiles->reach.maxCoeff() <= 1 + kTileRounding;
        mapping.isFit = tiles && (inside || repeats(at(part.material)));
        if (!mapping.isFit) return mapping;
        mapping.rectangles.add(
            Vec2f::Constant(kTileRounding));  // also where there are no triangles
        for (const std::uint32_t index : part.indices)
            mapping.rectangles.add(tiles->reaches[index].cwiseMax(kTileRounding));
        if (isTop) {
            const LaidArea area = laidArea(part, *coords);
            mapping.surface = area.surface;
            mapping.picture = area.picture;
        }
        return mapping;
    }

    /// Of the largest of its textures.
    [[nodiscard]] PageItem sizeOf(int material) const {
        PageItem size;
        for (const TextureUse& use : at(material).textures) {
            const Image& image = elementOf(scene_.images, scene_.imageOf(use.texture));
            size.width = std::max(size.width, image.width);
            size.height = std::max(size.height, image.height);
        }
        return size;
    }

    /// Share of its texels along an edge that are needed: as its images are seen anywhere, and as
    /// near as anybody comes to the asset.
    [[nodiscard]] double shareOf(int material, const UvMapping& mapping) const {
        double share = 0;
        for (const TextureUse& use : at(material).textures) {
            const Image& image = elementOf(scene_.images, scene_.imageOf(use.texture));
            const Evidence::ImageNeed* need = evidence_.needOf(image);
            const double edge = std::max({image.width, image.height, 1});
            share = std::max(share, need ? std::min(1.0, need->edge / edge) : 1.0);
        }
        const PageItem size = sizeOf(material);
        const double texels = static_cast<double>(size.width) * size.height * mapping.picture;
        if (!(texels > 0) || !(mapping.surface > 0)) return share;
        return std::min(share, mapping.needed / std::sqrt(texels / mapping.surface));
    }

    /// Without corners.
    [[nodiscard]] std::vector<Place> placesOf(int material, const UvMapping& mapping,
                                              double scale) const {
        if (at(material).textures.empty()) return {{kPlainEdge, kPlainEdge}};
        const PageItem size = sizeOf(material);
        const double share = scale * shareOf(material, mapping);
        const auto edge = [&](float reach, int texels) {
            const double exact = share * static_cast<double>(reach) * texels;
            return std::max(kPlainEdge, static_cast<int>(std::min(1e6, std::ceil(exact - kHair))));
        };
        std::vector<Place> places;
        for (const Vec2f& reach : mapping.rectangles.all())
            places.push_back(
                {edge(reach.x(), size.width), edge(reach.y(), size.height), 0, 0, reach});
        return places;
    }

    [[nodiscard]] double pixelsOf(int material, const UvMapping& mapping) const {
        double pixels = 0;
        for (const Place& place : placesOf(material, mapping, 1))
            pixels += static_cast<double>(place.width) * place.height;
        return pixels;
    }

    /// All seen from one side or all from both. Normal maps need coordinates that run on.
    [[nodiscard]] bool canShare(const std::vector<int>& chosen) const {
        const auto is = [&](bool (*test)(const Material&)) {
            return [this, test](int material) { return test(at(material)); };
        };
        const auto twoSided = std::count_if(chosen.begin(), chosen.end(),
                                            is([](const Material& m) { return m.doubleSided; }));
        if (twoSided != 0 && twoSided != std::ssize(chosen)) return false;
        const bool bumpy =
            std::any_of(chosen.begin(), chosen.end(),
                        is([](const Material& m) { return m.texture("normalTexture") >= 0; }));
        return !bumpy || std::none_of(chosen.begin(), chosen.end(),
                                      is([](const Material& m) { return m.textures.empty(); }));
    }

    /// The share of the texels needed that a page has room for; nothing below the least.
    [[nodiscard]] std::optional<double> layOut(const std::vector<int>& materials,
                                               const std::map<int, UvMapping>& mappings,
                                               Places& places, PageItem& page) const {
        constexpr double kStep = 0.9;
        double kept = 1;
        while (kept >= settings_.leastKept) {
            places.clear();
            for (const int material : materials)
                places[material] = placesOf(material, mappings.at(material), kept);
            if (pack(places, page)) return kept;
            kept *= kStep;
        }
        return std::nullopt;
    }

    /// Gives the places their corners. False if they do not fit on one page.
    bool pack(Places& places, PageItem& page) const {
        const int frame = 2 * kGutter + kAlign - 1;
        std::vector<PageItem> items;
        for (const auto& [material, own] : places)
            for (const Place& place : own) {
                items.push_back({(place.width + frame) / kAlign * kAlign,
                                 (place.height + frame) / kAlign * kAlign});
                if (std::max(items.back().width, items.back().height) > settings_.page)
                    return false;
            }
        const Packed packed = packPages(items, settings_.page);
        if (packed.pages.size() != 1) return false;
        page = packed.pages.front();
        auto at = packed.places.begin();
        for (auto& [material, own] : places)
            for (Place& place : own) {
                place.x = at->x + kGutter;
                place.y = at->y + kGutter;
                ++at;
            }
        return true;
    }

    /// The texture of a role; nothing without one, or where it is damaged behind its header.
    [[nodiscard]] std::optional<Pixels> pictureOf(int material, Role role) const {
        const int texture = at(material).texture(kRoleNames[role]);
        const int image = texture < 0 ? -1 : scene_.imageOf(texture);
        if (image < 0) return std::nullopt;
        auto decoded = decodeImage(elementOf(scene_.images, image), kLargestImage);
        return decoded ? std::optional(std::move(*decoded)) : std::nullopt;
    }

    /// The picture with as many texels as it is laid down with.
    [[nodiscard]] static Pixels sized(const Pixels& picture, Role role, const Place& place) {
        const auto edge = [](int pixels, float reach, int most) {
            const auto exact = static_cast<int>(std::lround(static_cast<float>(pixels) / reach));
            return std::clamp(exact, 1, most);
        };
        ResampleOptions options;
        options.use = role == Color || role == Glow ? TextureClass::Color
                      : role == Normal              ? TextureClass::Normal
                                                    : TextureClass::PackedMasks;
        return resample(picture, edge(place.width, place.reach.x(), picture.width),
                        edge(place.height, place.reach.y(), picture.height), options);
    }

    /// What a page holds for a role of a material where its texture holds `own`, 0 to 1 as stored.
    /// `brightest`: of all that glows on the page.
    [[nodiscard]] Vec4f valueOf(int material, Role role, const std::optional<Vec4f>& own,
                                float brightest) const {
        const Material& m = at(material);
        Vec4f texel = own.value_or(Vec4f::Ones());
        const auto times = [&](const Vec3f& factor) {
            Vec4f value = Vec4f::Ones();
            for (int c = 0; c < 3; ++c) value[c] = toDisplay(toLinear(texel[c]) * factor[c]);
            return value;
        };
        switch (role) {
            case Color:
                return times(m.baseColor.head<3>());
            case Glow:
                return times(m.emissive / brightest);
            case Rough:
                return {1, texel.y() * m.roughness, texel.z() * m.metallic, 1};
            case Normal:
                return own.value_or(Vec4f(0.5F, 0.5F, 1, 1));
            default:
                return texel;
        }
    }

    /// `shrink`: by how much a page of plain numbers is smaller.
    [[nodiscard]] Pixels paint(const Places& places, const PageItem& page, Role role,
                               float brightest, int shrink) const {
        Pixels pixels{std::max(1, page.width / shrink), std::max(1, page.height / shrink), {}};
        pixels.rgba.assign(
            4 * static_cast<std::size_t>(pixels.width) * static_cast<std::size_t>(pixels.height),
            255);
        for (const auto& [material, own] : places) {
            const std::optional<Pixels> picture = pictureOf(material, role);
            for (const Place& place : own) {
                std::optional<Pixels> laid;
                if (picture && !place.reach.isZero()) laid = sized(*picture, role, place);
                const int bottom =
                    std::min(pixels.height, (place.y + place.height + kGutter) / shrink);
                const int right =
                    std::min(pixels.width, (place.x + place.width + kGutter) / shrink);
                for (int y = (place.y - kGutter) / shrink; y < bottom; ++y)
                    for (int x = (place.x - kGutter) / shrink; x < right; ++x) {
                        std::optional<Vec4f> texture;
                        if (laid) texture = bilinear(*laid, coordsOn(place, x, y));
                        put(valueOf(material, role, texture, brightest), x, y, pixels);
                    }
            }
        }
        return pixels;
    }

    /// Of the middle of a page's pixel, in copies of the texture; it goes on over the gutter.
    [[nodiscard]] static Vec2f coordsOn(const Place& place, int x, int y) {
        const Vec2f share(
            (static_cast<float>(x - place.x) + 0.5F) / static_cast<float>(place.width),
            (static_cast<float>(y - place.y) + 0.5F) / static_cast<float>(place.height));
        return share.cwiseProduct(place.reach);
    }

    static void put(const Vec4f& value, int x, int y, Pixels& pixels) {
        std::uint8_t* to = pixels.rgba.data() + 4 * static_cast<std::size_t>(y * pixels.width + x);
        for (int c = 0; c < 4; ++c)
            to[c] = static_cast<std::uint8_t>(std::lround(std::clamp(value[c], 0.0F, 1.0F) * 255));
    }

    int sampler() {
        constexpr int kLinear = 9729;
        constexpr int kLinearMipMaps = 9987;
        if (sampler_ < 0) {
            sampler_ = static_cast<int>(scene_.samplers.size());
            scene_.samplers.push_back(
                {kLinearMipMaps, {{"magFilter", kLinear}, {"minFilter", kLinearMipMaps}}});
        }
        return sampler_;
    }

    int addMaterial(const Baked& baked, const Places& places, const PageItem& page) {
        const std::string name = scene_.assets[baked.assets.front()].mesh->name + " baked";
        const Material& first = at(baked.materials.front());
        std::array<bool, kRoles> has{};
        bool isEven = true;
        float brightest = 0;
        for (const int index : baked.materials) {
            const Material& material = at(index);
            for (std::size_t role = 0; role < kRoles; ++role)
                has[role] = has[role] || material.texture(kRoleNames[role]) >= 0;
            isEven = isEven && material.roughness == first.roughness &&
                     material.metallic == first.metallic;
            brightest = std::max(brightest, material.emissive.maxCoeff());
        }
        const std::array<bool, kRoles> hasTexture = has;
        has[Color] = true;
        has[Rough] = has[Rough] || !isEven;
        has[Glow] = brightest > 0;
        Json json = {{"name", name}, {"doubleSided", first.doubleSided}};
        Json& pbr = json["pbrMetallicRoughness"] = {{"roughnessFactor", first.roughness},
                                                    {"metallicFactor", first.metallic}};
        if (has[Rough]) pbr["roughnessFactor"] = pbr["metallicFactor"] = 1;
        if (has[Glow]) putGlow(json, brightest);
        for (std::size_t role = 0; role < kRoles; ++role) {
            if (!has[role]) continue;
            Json& holder = role == Color || role == Rough ? json["pbrMetallicRoughness"] : json;
            holder[kRoleNames[role]] = {
                {"index", addTexture(scene_,
                                     pngImage(fmt::format("{} {}", name, kRoleNames[role]),
                                              paint(places, page, static_cast<Role>(role),
                                                    brightest, hasTexture[role] ? 1 : kPlainShare),
                                              3),
                                     sampler())}};
        }
        scene_.materials.push_back(parseMaterial(json));
        return static_cast<int>(scene_.materials.size()) - 1;
    }

    static void putGlow(Json& json, float brightest) {
        const float factor = std::min(brightest, 1.0F);
        json["emissiveFactor"] = {factor, factor, factor};
        if (brightest > 1)
            json["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"] = brightest;
    }

    /// Parts that read from the page are as in `tiled`.
    [[nodiscard]] static MeshPtr moved(const Mesh& mesh, Mesh tiled, const Places& places,
                                       const PageItem& page, int material) {
        Mesh copy = mesh;
        for (std::size_t i = 0; i < copy.parts.size(); ++i) {
            Part& part = copy.parts[i];
            const auto found = places.find(part.material);
            if (found == places.end()) continue;
            part = std::move(tiled.parts[i]);
            const std::vector<Place>& own = found->second;
            std::vector<Vec2f> coords(part.vertexCount(), onPage(own.front(), {0.5F, 0.5F}, page));
            const Stream* stored = part.find("TEXCOORD_0");
            if (stored && !own.front().reach.isZero()) {
                const TileShifts tiles = tileShifts(part, *stored).value();  // as judged
                for (std::size_t v = 0; v < coords.size(); ++v) {
                    const Place& place = smallestAround(own, tiles.reaches[v]);
                    const Vec2f at =
                        Vec2f(stored->value(v, 0), stored->value(v, 1)) + tiles.shifts[v];
                    coords[v] = onPage(place, at.cwiseQuotient(place.reach), page);
                }
            }
            part.set("TEXCOORD_0", makeStream(coords));
            part.material = material;
        }
        return joinParts(finishMesh(std::move(copy)));
    }

    [[nodiscard]] static const Place& smallestAround(const std::vector<Place>& places,
                                                     const Vec2f& reach) {
        const Place* best = nullptr;
        for (const Place& place : places)
            if ((reach.array() <= place.reach.array()).all() &&
                (!best || place.reach.prod() < best->reach.prod()))
                best = &place;
        assert(best);
        return *best;
    }

    /// Texture coordinates of a share of a place.
    [[nodiscard]] static Vec2f onPage(const Place& place, const Vec2f& share,
                                      const PageItem& page) {
        const Vec2f within = share.cwiseMax(0).cwiseMin(1);
        return {(static_cast<float>(place.x) + within.x() * static_cast<float>(place.width)) /
                    static_cast<float>(page.width),
                (static_cast<float>(place.y) + within.y() * static_cast<float>(place.height)) /
                    static_cast<float>(page.height)};
    }

    Scene& scene_;
    const std::vector<bool>& fixed_;
    const Evidence& evidence_;
    const BakeSettings& settings_;
    int sampler_ = -1;
};

/// Assets with the same choice.
struct PageGroup {
    std::vector<std::size_t> assets;
    std::map<int, UvMapping> mappings;  ///< Of all of them.

    void add(std::size_t asset, const std::map<int, UvMapping>& own) {
        assets.push_back(asset);
        for (const auto& [material, mapping] : own) {
            const auto [at, isNew] = mappings.try_emplace(material, mapping);
            if (!isNew) at->second.join(mapping);
        }
    }
};

/// [assets] Texels a metre at scale 1 that the nearest place sees apart.
std::vector<double> neededTexels(const Scene& scene, const Evidence& evidence, double perMetre) {
    std::vector<float> nearest(scene.originNames ? scene.originNames->size() : 0, 0);
    bool isSeen = false;
    for (const Evidence::Place& place : evidence.places)
        for (const Evidence::VisibilitySample& seen : place.seen) {
            if (seen.origin >= nearest.size()) continue;
            isSeen = true;
            float& distance = nearest[seen.origin];
            if (distance == 0 || seen.distance < distance) distance = seen.distance;
        }
    std::vector<double> needed(scene.assets.size(), isSeen ? 0 : UvMapping::kUnlimited);
    if (!isSeen) return needed;
    for (const Object& object : scene.objects)
        for (const std::uint32_t origin : object.origins) {
            if (origin >= nearest.size() || !(nearest[origin] > 0)) continue;
            double& most = elementOf(needed, object.asset);
            most = std::max(most, perMetre / static_cast<double>(nearest[origin]) * object.scale);
        }
    return needed;
}

}  // namespace

std::vector<Baked> bakeMaterials(Scene& scene, const std::vector<std::size_t>& assets,
                                 std::size_t limit, const std::vector<bool>& fixed,
                                 const Evidence& evidence, const BakeSettings& settings,
                                 Progress& progress) {
    const std::vector<double> needed = neededTexels(scene, evidence, settings.perMetre);
    MaterialBaker baker(scene, fixed, evidence, settings);
    std::vector<std::size_t> left = assets;
    std::vector<Baked> all;
    for (const bool isOnePage : {true, false})
        for (const Tiling tiling : {Tiling::Kept, Tiling::Detached, Tiling::Cut}) {
            std::map<MaterialBaker::Pages, PageGroup> groups;
            for (const std::size_t a : left) {
                if (progress.cancelled()) return {};
                const auto mappings = baker.mappingsOf(scene.assets[a], tiling, needed[a]);
                const std::size_t fewer = materialCount(*scene.assets[a].mesh) - limit;
                const MaterialBaker::Pages pages =
                    isOnePage ? baker.choose(mappings, fewer + 1) : baker.divide(mappings, fewer);
                if (!pages.empty()) groups[pages].add(a, mappings);
            }
            for (const auto& [pages, group] : groups)
                for (const std::vector<int>& materials : pages) {
                    if (progress.cancelled()) return {};
                    Baked baked{group.assets, materials};
                    if (!baker.bake(baked, group.mappings, tiling)) continue;
                    all.push_back(std::move(baked));
                }
            std::erase_if(
                left, [&](std::size_t a) { return materialCount(*scene.assets[a].mesh) <= limit; });
        }
    return all;
}

}  // namespace flentro
