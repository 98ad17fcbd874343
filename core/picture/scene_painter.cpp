#include "picture/scene_painter.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/index.h"
#include "base/parallel.h"
#include "geometry/barycentric.h"
#include "measure/lighting.h"
#include "scene/shadow_lights.h"
#include "survey/look.h"

namespace flentro {
namespace {

constexpr std::size_t kMaxLayers = 6;  ///< Transparent ones before one another.
constexpr double kShadowShare = 0.02;  ///< Of a point's light: shadows of less are not asked.
constexpr float kAmbient = 0.03F;      ///< Of the lights' light, from all sides.
constexpr float kKey = 1;              ///< Lux from the eye where a scene has no lights ...
constexpr float kSky = 0.4F;           ///< ... and from above.
constexpr double kFarthestSun = 1e4;   ///< Metres from a point to where sun light starts.
constexpr int kTile = 4;               ///< Pixels an edge of what a packet of rays draws.
static_assert(kTile * kTile == RayPacket::kLanes);

/// Of a colour whose parts are whole 255ths, as texels are.
Vec3f linearOf(const Vec4f& display) {
    static const std::array<float, 256> table = [] {
        std::array<float, 256> linear{};
        for (std::size_t i = 0; i < linear.size(); ++i)
            linear[i] = toLinear(static_cast<float>(i) / 255);
        return linear;
    }();
    const auto of = [](float c) {
        return elementOf(table, std::clamp(c, 0.0F, 1.0F) * 255 + 0.5F);
    };
    return {of(display.x()), of(display.y()), of(display.z())};
}

/// The first opaque surface of each lane and what is before it.
class Layers : public RaySink {
public:
    void meet(int lane, const RayHit& hit, bool opaque) override {
        auto& own = elementOf(layers, lane);
        if (own.count < kMaxLayers || opaque) own.hits[std::min(own.count, kMaxLayers - 1)] = hit;
        own.count = std::min(own.count + 1, kMaxLayers);
    }
    struct Lane {
        std::array<RayHit, kMaxLayers> hits;
        std::size_t count = 0;
    };
    std::array<Lane, RayPacket::kLanes> layers;
};

/// A surface as a light finds it.
struct Surface {
    Vec3d at, normal, toEye;
    Vec3f albedo = Vec3f::Ones();
    Vec3f emitted = Vec3f::Zero();
    float alpha = 1;
    float roughness = 1;
    float metallic = 0;
    float occlusion = 1;
    bool unlit = false;
};

/// Diffuse and specular reflection towards the eye for light from a direction (glTF 2.0, appendix
/// B: Lambert, and GGX with Schlick's Fresnel term).
Vec3f reflected(const Surface& s, const Vec3d& toLight) {
    const Vec3f f0 = Vec3f::Constant(0.04F) * (1 - s.metallic) + s.albedo * s.metallic;
    const Vec3d half = (toLight + s.toEye).normalized();
    const auto nh = static_cast<float>(std::max(0.0, s.normal.dot(half)));
    const auto nv = static_cast<float>(std::max(1e-3, s.normal.dot(s.toEye)));
    const auto nl = static_cast<float>(std::max(1e-3, s.normal.dot(toLight)));
    const auto vh = static_cast<float>(std::max(0.0, s.toEye.dot(half)));
    const float alpha = std::max(1e-3F, s.roughness * s.roughness);
    const float a2 = alpha * alpha;
    const float d = nh * nh * (a2 - 1) + 1;
    const float lobe = a2 / (static_cast<float>(kPi) * d * d);
    const float shadowing =
        0.5F / (nl * std::sqrt(nv * nv * (1 - a2) + a2) + nv * std::sqrt(nl * nl * (1 - a2) + a2));
    const float away = 1 - vh;
    const float grazing = away * away * away * away * away;
    const Vec3f fresnel = f0 + (Vec3f::Ones() - f0) * grazing;
    const Vec3f diffuse = s.albedo * (1 - s.metallic) / static_cast<float>(kPi);
    return diffuse.cwiseProduct(Vec3f::Ones() - fresnel) + fresnel * (lobe * shadowing);
}

/// What one part's vertices hold for shading; null where they do not.
struct PartStreams {
    static constexpr int kCoordSets = 8;  ///< Further sets are not looked up.
    const Stream* normal = nullptr;
    std::array<const Stream*, kCoordSets> coords{};

    explicit PartStreams(const Part& part) : normal(part.find("NORMAL")) {
        for (int set = 0; set < kCoordSets; ++set) {
            const Stream* stream = part.find("TEXCOORD_" + std::to_string(set));
            if (stream && stream->components == 2) elementOf(coords, set) = stream;
        }
    }
    [[nodiscard]] const Stream* coordsOf(int set) const {
        return set >= 0 && set < kCoordSets ? elementOf(coords, set) : nullptr;
    }
};

/// What one material reads, by place in the scene's lists.
struct Reading {
    const TextureUse* base = nullptr;
    const TextureUse* normal = nullptr;
    const TextureUse* rough = nullptr;
    const TextureUse* occlusion = nullptr;
    const TextureUse* glow = nullptr;
};

Reading readingOf(const Material& material) {
    Reading reading;
    for (const TextureUse& use : material.textures) {
        if (use.role == "baseColorTexture") reading.base = &use;
        if (use.role == "normalTexture") reading.normal = &use;
        if (use.role == "metallicRoughnessTexture") reading.rough = &use;
        if (use.role == "occlusionTexture") reading.occlusion = &use;
        if (use.role == "emissiveTexture") reading.glow = &use;
    }
    return reading;
}

}  // namespace

float LightPicture::adaptation() const {
    double sum = 0;
    std::size_t lit = 0;
    for (const Vec3f& p : pixels) {
        const float luminance = 0.2126F * p.x() + 0.7152F * p.y() + 0.0722F * p.z();
        sum += static_cast<double>(luminance);
        lit += luminance > 0;
    }
    return std::max(1e-4F,
                    static_cast<float>(sum / static_cast<double>(std::max<std::size_t>(1, lit))));
}

DisplayPicture toDisplay(const LightPicture& picture, float adaptation) {
    DisplayPicture result{picture.width, picture.height, {}};
    result.pixels.reserve(picture.pixels.size());
    for (const Vec3f& p : picture.pixels) {
        Vec3f shown;
        for (int c = 0; c < 3; ++c) shown[c] = toDisplay(p[c] / (p[c] + adaptation));
        result.pixels.push_back(shown);
    }
    return result;
}

std::vector<std::uint8_t> toBytes(const DisplayPicture& picture) {
    std::vector<std::uint8_t> bytes;
    bytes.reserve(3 * picture.pixels.size());
    for (const Vec3f& p : picture.pixels)
        for (int c = 0; c < 3; ++c)
            bytes.push_back(
                static_cast<std::uint8_t>(std::lround(std::clamp(p[c], 0.0F, 1.0F) * 255)));
    return bytes;
}

struct ScenePainter::State {
    const Scene& scene;
    const RayScene& rays;
    TextureCache textures;
    std::vector<Reading> readings;  ///< [materials]
    std::vector<Emitter> emitters;
    std::vector<Vec3f> tints;  ///< [placed lights] Colour of a lux.
    LightCells cells;
    std::vector<std::uint32_t> endless;
    std::vector<Eigen::Matrix3d> normalMatrices;  ///< [objects]
    std::vector<PartStreams> streams;             ///< [RayScene::parts()]

    State(const Scene& s, const RayScene& r, int edge)
        : scene(s), rays(r), textures(s, edge), emitters(emittersOf(s)), cells(s) {
        for (const Material& material : s.materials) readings.push_back(readingOf(material));
        for (std::uint32_t i = 0; i < emitters.size(); ++i) {
            if (!std::isfinite(emitters[i].range())) endless.push_back(i);
            const Vec3f& c = elementOf(s.lights, s.placedLights[i].light).color;
            const float weight = 0.2126F * c.x() + 0.7152F * c.y() + 0.0722F * c.z();
            tints.push_back(weight > 0 ? Vec3f(c / weight) : Vec3f(Vec3f::Ones()));
        }
        for (const Asset& asset : s.assets)
            for (const Part& part : asset.mesh->parts) streams.emplace_back(part);
        for (const Object& object : s.objects)
            normalMatrices.push_back(object.world.topLeftCorner<3, 3>().inverse().transpose());
    }
};

/// Shades the surfaces that the rays of one view meet.
class ScenePainter::Shader {
public:
    Shader(const State& state, const Vec3d& eye, double pixelAtOne)
        : s_(state), eye_(eye), pixelAtOne_(pixelAtOne) {
        for (const PlacedLight& light : s_.scene.placedLights) {
            fades_.push_back(light.fadeFor(eye));
        }
        casts_ = castingLights(s_.scene, eye);
    }

    using Ways = std::array<Vec3d, RayPacket::kLanes>;
    using Colours = std::array<Vec3f, RayPacket::kLanes>;

    /// Linear light of each lane, black where nothing was met.
    [[nodiscard]] Colours shade(const Layers& layers, const Ways& ways) const {
        std::vector<Surface> surfaces;
        std::array<std::size_t, RayPacket::kLanes + 1> first{};
        for (std::size_t lane = 0; lane < layers.layers.size(); ++lane) {
            const Layers::Lane& own = layers.layers[lane];
            for (std::size_t i = 0; i < own.count; ++i)
                surfaces.push_back(surfaceAt(own.hits[i], ways[lane]));
            first[lane + 1] = surfaces.size();
        }
        const std::vector<Vec3f> lit = lightOf(surfaces);
        Colours colours;
        for (std::size_t lane = 0; lane < layers.layers.size(); ++lane) {
            Vec3f colour = Vec3f::Zero();
            for (std::size_t i = first[lane + 1]; i-- > first[lane];)
                colour = surfaces[i].alpha * lit[i] + (1 - surfaces[i].alpha) * colour;
            colours[lane] = colour;
        }
        return colours;
    }

private:
    struct Corner {
        const PartStreams* streams;
        std::array<std::uint32_t, 3> vertices;
        Vec3d weights;
    };

    /// Light on its way to a surface.
    struct Arriving {
        std::uint32_t surface;
        std::uint32_t light;
        double lux;
    };

    [[nodiscard]] static Vec2f coords(const Corner& corner, int set) {
        const Stream* stream = corner.streams->coordsOf(set);
        Vec2f sum = Vec2f::Zero();
        if (!stream) return sum;
        for (std::size_t k = 0; k < 3; ++k)
            sum +=
                static_cast<float>(corner.weights[static_cast<Eigen::Index>(k)]) *
                Vec2f(stream->value(corner.vertices[k], 0), stream->value(corner.vertices[k], 1));
        return sum.allFinite() ? sum : Vec2f(Vec2f::Zero());
    }

    [[nodiscard]] Vec4f look(const TextureUse* use, const Corner& corner, float across,
                             const Vec4f& without) const {
        const Texels* texels = use ? s_.textures.find(use->texture) : nullptr;
        if (!texels) return without;
        return texels->at(use->lookUp(coords(corner, use->texCoord)),
                          across * static_cast<float>(texels->edge()));
    }

    [[nodiscard]] Surface surfaceAt(const RayHit& hit, const Vec3d& way) const {
        Surface surface;
        surface.at = eye_ + way * static_cast<double>(hit.distance);
        surface.toEye = -way;
        const auto corners = s_.rays.corners(hit.object, hit.triangle);
        const Object& object = s_.scene.objects[hit.object];
        const auto asset = static_cast<std::size_t>(object.asset);
        const auto& row = s_.rays.parts()[hit.part];
        Corner corner;
        corner.streams = &s_.streams[hit.part];
        const Part& part =
            s_.scene.assets[asset].mesh->parts[hit.part - s_.rays.firstParts()[asset]];
        for (std::size_t k = 0; k < 3; ++k)
            corner.vertices[k] =
                part.indices[3 * std::size_t{hit.triangle - row.firstTriangle} + k];
        corner.weights = barycentric(corners[0], corners[1], corners[2], surface.at);
        const Vec3d face = (corners[1] - corners[0]).cross(corners[2] - corners[0]).normalized();
        surface.normal = normalAt(corner, hit.object, face);
        // Density of the first mapping; the least a pixel covers.
        const float density = row.mappings > 0 ? s_.rays.texCoordDensity(hit, 0) : 0;
        const float across = density * hit.distance * static_cast<float>(pixelAtOne_);
        if (row.material >= 0)
            dress(elementOf(s_.scene.materials, row.material), elementOf(s_.readings, row.material),
                  corner, corners, across, surface);
        if (surface.normal.dot(surface.toEye) < 0 && face.dot(surface.toEye) < 0)
            surface.normal = -surface.normal;
        return surface;
    }

    [[nodiscard]] Vec3d normalAt(const Corner& corner, std::uint32_t object,
                                 const Vec3d& face) const {
        const Stream* normals = corner.streams->normal;
        if (!normals) return face;
        Vec3d sum = Vec3d::Zero();
        for (std::size_t k = 0; k < 3; ++k)
            for (int c = 0; c < 3; ++c)
                sum[c] += corner.weights[static_cast<Eigen::Index>(k)] *
                          static_cast<double>(
                              normals->value(corner.vertices[k], static_cast<std::size_t>(c)));
        const Vec3d world = (s_.normalMatrices[object] * sum).normalized();
        return world.allFinite() ? world : face;
    }

    void dress(const Material& material, const Reading& reading, const Corner& corner,
               const std::array<Vec3d, 3>& corners, float across, Surface& surface) const {
        const Vec4f base = look(reading.base, corner, across, Vec4f::Ones());
        surface.albedo = linearOf(base).cwiseProduct(material.baseColor.head<3>());
        surface.alpha = material.alphaMode == AlphaMode::Blend
                            ? std::clamp(base.w() * material.baseColor.w(), 0.0F, 1.0F)
                            : 1;
        const Vec4f rough = look(reading.rough, corner, across, Vec4f::Ones());
        surface.roughness = rough.y() * material.roughness;
        surface.metallic = rough.z() * material.metallic;
        surface.occlusion = look(reading.occlusion, corner, across, Vec4f::Ones()).x();
        surface.emitted = material.emissive.cwiseProduct(
            linearOf(look(reading.glow, corner, across, Vec4f::Ones())));
        surface.unlit = material.unlit;
        if (reading.normal) bend(*reading.normal, corner, corners, across, surface);
    }

    /// Turns the normal as a normal map says.
    void bend(const TextureUse& use, const Corner& corner, const std::array<Vec3d, 3>& corners,
              float across, Surface& surface) const {
        const Texels* texels = s_.textures.find(use.texture);
        const Stream* stream = corner.streams->coordsOf(use.texCoord);
        if (!texels || !stream) return;
        std::array<Eigen::Vector2d, 3> at;
        for (std::size_t k = 0; k < 3; ++k)
            at[k] = use.lookUp({stream->value(corner.vertices[k], 0),
                                stream->value(corner.vertices[k], 1)})
                        .cast<double>();
        const Eigen::Vector2d du = at[1] - at[0];
        const Eigen::Vector2d dv = at[2] - at[0];
        const double det = du.x() * dv.y() - du.y() * dv.x();
        if (std::fabs(det) < 1e-20) return;
        const Vec3d e1 = corners[1] - corners[0];
        const Vec3d e2 = corners[2] - corners[0];
        const Vec3d& n = surface.normal;
        Vec3d tangent = (e1 * dv.y() - e2 * du.y()) / det;
        Vec3d bitangent = (e2 * du.x() - e1 * dv.x()) / det;
        tangent = (tangent - n * n.dot(tangent)).normalized();
        bitangent = (bitangent - n * n.dot(bitangent)).normalized();
        const Vec4f texel = look(&use, corner, across, Vec4f(0.5F, 0.5F, 1, 1));
        // glTF's green points up, texture coordinates run down.
        const Vec3d bent = (tangent * (static_cast<double>(texel.x()) * 2 - 1) -
                            bitangent * (static_cast<double>(texel.y()) * 2 - 1) +
                            n * (static_cast<double>(texel.z()) * 2 - 1))
                               .normalized();
        if (bent.allFinite()) surface.normal = bent;
    }

    /// [surfaces]
    [[nodiscard]] std::vector<Vec3f> lightOf(const std::vector<Surface>& surfaces) const {
        std::vector<Vec3f> sums;
        std::vector<Arriving> arriving;
        std::vector<Arriving> asked;  // what a shadow may take away
        for (std::uint32_t i = 0; i < surfaces.size(); ++i) {
            const Surface& surface = surfaces[i];
            sums.push_back(surface.emitted);
            if (surface.unlit) {
                sums[i] += surface.albedo;
            } else if (s_.emitters.empty()) {
                const auto up = static_cast<float>(0.5 + 0.5 * surface.normal.y());
                const auto facing =
                    static_cast<float>(std::max(0.0, surface.normal.dot(surface.toEye)));
                sums[i] += surface.albedo * ((kKey * facing + kSky * up) / static_cast<float>(kPi));
            } else {
                addLights(surface, i, arriving, asked, sums[i]);
            }
        }
        dropShadowed(surfaces, asked);
        arriving.insert(arriving.end(), asked.begin(), asked.end());
        for (const auto& [i, light, lux] : arriving)
            sums[i] += reflected(surfaces[i], s_.emitters[light].toLight(surfaces[i].at))
                           .cwiseProduct(s_.tints[light] * static_cast<float>(lux));
        return sums;
    }

    /// What comes from all sides goes to `sum` at once.
    void addLights(const Surface& surface, std::uint32_t index, std::vector<Arriving>& arriving,
                   std::vector<Arriving>& asked, Vec3f& sum) const {
        const std::size_t first = arriving.size();
        double all = 0;
        Vec3f around = Vec3f::Zero();
        const auto ask = [&](std::uint32_t light) {
            if (fades_[light] <= 0) return;
            const double lux = fades_[light] * s_.emitters[light].lux(surface.at, surface.normal);
            if (!(lux > 0)) return;
            arriving.push_back({index, light, lux});
            all += lux;
            around += s_.tints[light] * static_cast<float>(lux);
        };
        for (const std::uint32_t light : s_.cells.near(surface.at)) ask(light);
        for (const std::uint32_t light : s_.endless) ask(light);
        sum += surface.albedo.cwiseProduct(around) *
               (kAmbient * surface.occlusion / static_cast<float>(kPi));
        // Those whose shadow matters move to `asked`.
        std::size_t kept = first;
        for (std::size_t i = first; i < arriving.size(); ++i) {
            const Arriving one = arriving[i];
            if (casts_[one.light] && one.lux > kShadowShare * all)
                asked.push_back(one);
            else
                arriving[kept++] = one;
        }
        arriving.resize(kept);
    }

    /// Takes out what something stands before; a light's rays go together.
    void dropShadowed(const std::vector<Surface>& surfaces, std::vector<Arriving>& asked) const {
        std::stable_sort(asked.begin(), asked.end(),
                         [](const Arriving& a, const Arriving& b) { return a.light < b.light; });
        std::vector<LightRay> rays;
        for (const Arriving& one : asked)
            rays.push_back(s_.emitters[one.light].rayTo(surfaces[one.surface].at, kFarthestSun));
        const std::vector<bool> blocked = s_.rays.shadowed(rays);
        std::size_t kept = 0;
        for (std::size_t i = 0; i < asked.size(); ++i)
            if (!blocked[i]) asked[kept++] = asked[i];
        asked.resize(kept);
    }

    const State& s_;
    const Vec3d eye_;
    const double pixelAtOne_;
    std::vector<double> fades_;
    std::vector<bool> casts_;
};

ScenePainter::ScenePainter(const Scene& scene, const RayScene& rays, int textureEdge)
    : state_(std::make_unique<State>(scene, rays, textureEdge)) {}

ScenePainter::~ScenePainter() = default;

LightPicture ScenePainter::paint(const Viewpoint& view, const Target& target, double share) const {
    LightPicture picture;
    picture.width = std::max(16, static_cast<int>(std::lround(target.width * share)));
    picture.height = std::max(16, static_cast<int>(std::lround(target.height * share)));
    picture.pixels.assign(
        static_cast<std::size_t>(picture.width) * static_cast<std::size_t>(picture.height),
        Vec3f::Zero());
    const ViewMeter meter(state_->scene, target);
    const EyeVisibility sightings = meter.sight(view.eye, {&view, 1});
    const double up = std::tan(toRadians(target.verticalFov) / 2);
    const double pixelAtOne = 2 * up / picture.height;
    const Shader shader(*state_, view.eye, pixelAtOne);
    const Eigen::Matrix3d toWorld = viewMatrix(view).inverse().topLeftCorner<3, 3>();
    const int rows = (picture.height + kTile - 1) / kTile;
    parallelEach(static_cast<std::size_t>(rows), [&](std::size_t row) {
        for (int left = 0; left < picture.width; left += kTile) {
            const int top = static_cast<int>(row) * kTile;
            RayPacket packet{};
            Shader::Ways ways;
            for (int i = 0; i < RayPacket::kLanes; ++i) {
                const int px = left + i % kTile;
                const int py = top + i / kTile;
                if (px >= picture.width || py >= picture.height) continue;
                const double x = (px + 0.5 - picture.width / 2.0) * pixelAtOne;
                const double y = up - (py + 0.5) * pixelAtOne;
                const auto lane = static_cast<std::size_t>(i);
                ways[lane] = (toWorld * Vec3d(x, y, -1)).normalized();
                packet.x[i] = static_cast<float>(ways[lane].x());
                packet.y[i] = static_cast<float>(ways[lane].y());
                packet.z[i] = static_cast<float>(ways[lane].z());
                packet.valid[i] = -1;
            }
            Layers layers;
            state_->rays.trace(view.eye, packet, static_cast<float>(target.farPlane), sightings,
                               layers);
            const Shader::Colours colours = shader.shade(layers, ways);
            for (int i = 0; i < RayPacket::kLanes; ++i)
                if (packet.valid[i] != 0)
                    elementOf(picture.pixels, (top + i / kTile) * picture.width + left +
                                                  i % kTile) = elementOf(colours, i);
        }
    });
    return picture;
}

}  // namespace flentro
