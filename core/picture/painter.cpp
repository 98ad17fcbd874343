#include "picture/painter.h"

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "survey/ray_scene.h"

namespace flentro {
namespace {

constexpr double kMargin = 1.04;  ///< Room around the mesh in its picture.
constexpr int kMinEdge = 4;       ///< Pixels of a picture.
constexpr int kGrid = 4;          ///< Rays along the edge of a pixel.
static_assert(kGrid * kGrid == RayPacket::kLanes);

/// One asset's mesh as a scene of its own.
Scene sceneOf(const Scene& scene, const MeshPtr& mesh) {
    Scene single;
    single.materials = scene.materials;
    single.textures = scene.textures;
    single.samplers = scene.samplers;
    single.images = scene.images;
    single.nodes.resize(1);
    single.assets = {{mesh, {}, {}}};
    Object object;
    object.node = 0;
    object.asset = 0;
    object.bounds = mesh->bounds;
    single.objects = {object};
    return single;
}

/// What the colour of one part is found by.
struct Paint {
    std::uint32_t firstTriangle = 0;
    const Part* part = nullptr;
    Vec4f factor = Vec4f::Ones();  ///< Display values, and alpha.
    const Texels* texels = nullptr;
    std::vector<Vec2f> texCoords;  ///< [V]
    std::vector<Vec3f> normals;    ///< [V]
    const Stream* colors = nullptr;
    std::uint32_t mapping = 0;  ///< Of the base colour, among those of its material.

    [[nodiscard]] Vec4f colorAt(const std::array<std::uint32_t, 3>& corners, const Vec3f& weights,
                                float metres, float density) const {
        Vec4f color = factor;
        if (colors) color = color.cwiseProduct(vertexColor(corners, weights));
        if (!texels || texCoords.empty()) return color;
        const Vec2f where = weights[0] * texCoords[corners[0]] +
                            weights[1] * texCoords[corners[1]] + weights[2] * texCoords[corners[2]];
        if (!where.allFinite()) return color;
        const float across = metres * density * static_cast<float>(texels->edge());
        return color.cwiseProduct(texels->at(where, across));
    }

private:
    /// Vertex colours are linear; multiplied in display values they come out near enough.
    [[nodiscard]] Vec4f vertexColor(const std::array<std::uint32_t, 3>& corners,
                                    const Vec3f& weights) const {
        Vec4f color = Vec4f::Ones();
        for (int c = 0; c < std::min(4, colors->components); ++c) {
            float value = 0;
            for (int k = 0; k < 3; ++k)
                value += weights[k] * static_cast<float>(colors->value(elementOf(corners, k), c));
            color[c] = c < 3 ? toDisplay(value) : value;
        }
        return color;
    }
};

}  // namespace

Aim aimAt(const Box& box, const Vec3d& side, double distance, double pixelsPerMetreAtOne,
          int maxEdge) {
    Aim aim;
    if (!box.isEmpty()) aim.at = box.center();
    // The eye moves out until the box is as far away as asked.
    double near = 0;
    double far = distance + (box.isEmpty() ? 0 : box.diagonal().norm());
    constexpr int kHalvings = 40;
    for (int i = 0; i < kHalvings; ++i) {
        const double middle = (near + far) / 2;
        const bool reached =
            box.isEmpty() || box.exteriorDistance(aim.at + middle * side) >= distance;
        (reached ? far : near) = middle;
    }
    aim.eye = aim.at + far * side;
    const double radius = box.isEmpty() ? 0 : box.diagonal().norm() / 2;
    const double apart = std::max(far * far - radius * radius, radius * radius * 0.01);
    const double across = 2 * kMargin * radius / std::sqrt(apart);  // tangents of the sphere
    aim.pixel = std::max(1 / pixelsPerMetreAtOne, across / maxEdge);
    aim.width = aim.height = std::clamp(static_cast<int>(std::ceil(across / aim.pixel)), kMinEdge,
                                        std::max(kMinEdge, maxEdge));
    return aim;
}

std::vector<std::uint8_t> toBytes(const Picture& picture) {
    std::vector<std::uint8_t> bytes;
    bytes.reserve(picture.pixels.size() * 4);
    for (const Vec4f& pixel : picture.pixels) {
        const float coverage = pixel.w();
        for (int c = 0; c < 3; ++c) {
            const float value = coverage > 0 ? pixel[c] / coverage : 0;
            bytes.push_back(
                static_cast<std::uint8_t>(std::lround(std::clamp(value, 0.0F, 1.0F) * 255)));
        }
        bytes.push_back(
            static_cast<std::uint8_t>(std::lround(std::clamp(coverage, 0.0F, 1.0F) * 255)));
    }
    return bytes;
}

struct MeshPainter::State {
    State(const Scene& scene, const MeshPtr& mesh, std::shared_ptr<const TextureCache> cache)
        : single(sceneOf(scene, mesh)), rays(single), textures(std::move(cache)) {
        std::uint32_t first = 0;
        for (const Part& part : mesh->parts) {
            paints.push_back(paintOf(part, first));
            first += static_cast<std::uint32_t>(part.triangleCount());
        }
        sightings.views = 1;
        sightings.levels = {0};
        sightings.objects = {1};
    }

    Paint paintOf(const Part& part, std::uint32_t first) {
        Paint paint;
        paint.firstTriangle = first;
        paint.part = &part;
        if (const Stream* normals = part.find("NORMAL")) paint.normals = toVectors(*normals);
        paint.colors = part.find("COLOR_0");
        if (part.material < 0) return paint;
        const Material& material = elementOf(single.materials, part.material);
        for (int c = 0; c < 3; ++c) paint.factor[c] = toDisplay(material.baseColor[c]);
        paint.factor[3] = material.baseColor[3];
        for (std::size_t u = 0; u < material.textures.size(); ++u) {
            const TextureUse& use = material.textures[u];
            if (use.role != "baseColorTexture") continue;
            const auto index = static_cast<std::size_t>(part.material);
            paint.mapping = static_cast<std::uint32_t>(rays.mappings().of(index, u) -
                                                       rays.mappings().first(index));
            const Stream* stream = part.find("TEXCOORD_" + std::to_string(use.texCoord));
            if (!stream || stream->components != 2) continue;
            paint.texels = textures->find(use.texture);
            for (std::size_t i = 0; i < stream->count(); ++i)
                paint.texCoords.push_back(use.lookUp({stream->value(i, 0), stream->value(i, 1)}));
        }
        return paint;
    }

    Scene single;
    RayScene rays;
    std::shared_ptr<const TextureCache> textures;
    std::vector<Paint> paints;  ///< [parts]
    EyeVisibility sightings;
};

/// Lays the surfaces that the rays of one pixel meet over each other, nearest first.
class MeshPainter::Brush final : public RaySink {
public:
    Brush(const State& state, const Aim& aim, Channel channel)
        : state_(state), aim_(aim), channel_(channel) {
        forward_ = (aim.at - aim.eye).normalized();
        const bool upright = std::fabs(forward_.y()) < 0.999;
        right_ = forward_.cross(upright ? Vec3d::UnitY() : Vec3d::UnitX()).normalized();
        up_ = right_.cross(forward_);
        light_ = (-forward_ - 0.6 * right_ + 0.8 * up_).normalized().cast<float>();
    }

    Vec4f paint(int column, int row) {
        RayPacket packet;
        for (int lane = 0; lane < RayPacket::kLanes; ++lane) {
            const int across = lane % kGrid;
            const int down = lane / kGrid;
            const double x = column + (across + 0.5) / kGrid - 0.5 * aim_.width;
            const double y = row + (down + 0.5) / kGrid - 0.5 * aim_.height;
            const Vec3d ray =
                (forward_ + x * aim_.pixel * right_ - y * aim_.pixel * up_).normalized();
            packet.x[lane] = static_cast<float>(ray.x());
            packet.y[lane] = static_cast<float>(ray.y());
            packet.z[lane] = static_cast<float>(ray.z());
            packet.valid[lane] = -1;
            elementOf(rays_, lane) = ray;
        }
        sums_.fill(Vec4f::Zero());
        state_.rays.trace(aim_.eye, packet, std::numeric_limits<float>::max(), state_.sightings,
                          *this);
        Vec4f sum = Vec4f::Zero();
        for (const Vec4f& ray : sums_) sum += ray;
        return sum / RayPacket::kLanes;
    }

    void meet(int lane, const RayHit& hit, bool opaque) override {
        Vec4f& sum = elementOf(sums_, lane);
        Vec4f color = colorOf(hit, elementOf(rays_, lane));
        if (opaque) color.w() = 1;
        const float share = (1 - sum.w()) * color.w();
        sum += Vec4f(color.x() * share, color.y() * share, color.z() * share, share);
    }

private:
    [[nodiscard]] Vec4f colorOf(const RayHit& hit, const Vec3d& ray) const {
        const Paint& paint = state_.paints[hit.part];
        const std::uint32_t triangle = hit.triangle - paint.firstTriangle;
        std::array<std::uint32_t, 3> corners{};
        for (std::size_t k = 0; k < 3; ++k) corners[k] = paint.part->indices[3 * triangle + k];
        const auto places = state_.rays.corners(0, hit.triangle);
        const Vec3d point = aim_.eye + static_cast<double>(hit.distance) * ray;
        const Vec3d across = (places[1] - places[0]).cross(places[2] - places[0]);
        const double whole = across.squaredNorm();
        if (!(whole > 0)) return paint.factor;
        Vec3f weights;
        for (int k = 0; k < 3; ++k) {
            const Vec3d& a = elementOf(places, (k + 1) % 3);
            const Vec3d& b = elementOf(places, (k + 2) % 3);
            weights[k] = static_cast<float>(
                std::clamp((b - a).cross(point - a).dot(across) / whole, 0.0, 1.0));
        }
        const float metres = hit.distance * static_cast<float>(aim_.pixel);
        Vec4f color = paint.colorAt(corners, weights, metres,
                                    state_.rays.texCoordDensity(hit, paint.mapping));
        if (channel_ == Channel::BaseColor) return color;
        Vec3f normal = across.cast<float>().normalized();
        if (!paint.normals.empty()) {
            const Vec3f smooth = weights[0] * paint.normals[corners[0]] +
                                 weights[1] * paint.normals[corners[1]] +
                                 weights[2] * paint.normals[corners[2]];
            if (smooth.squaredNorm() > 0 && smooth.allFinite()) normal = smooth.normalized();
        }
        if (across.dot(ray) > 0) normal = -normal;  // the back of a two-sided surface
        color.head<3>() *= kAmbient + (1 - kAmbient) * std::max(0.0F, normal.dot(light_));
        return color;
    }

    static constexpr float kAmbient = 0.4F;
    const State& state_;
    const Aim& aim_;
    Channel channel_;
    Vec3d forward_, right_, up_;
    Vec3f light_;
    std::array<Vec3d, RayPacket::kLanes> rays_;
    std::array<Vec4f, RayPacket::kLanes> sums_;
};

MeshPainter::MeshPainter(const Scene& scene, const MeshPtr& mesh)
    : MeshPainter(scene, mesh, std::make_shared<const TextureCache>(scene, kTextureEdge)) {}
MeshPainter::MeshPainter(const Scene& scene, const MeshPtr& mesh,
                         std::shared_ptr<const TextureCache> textures)
    : state_(std::make_unique<State>(scene, mesh, std::move(textures))) {}
MeshPainter::~MeshPainter() = default;
MeshPainter::MeshPainter(MeshPainter&&) noexcept = default;

Picture MeshPainter::paint(const Aim& aim, Channel channel) const {
    Picture picture{aim.width, aim.height, {}};
    picture.pixels.reserve(static_cast<std::size_t>(aim.width) *
                           static_cast<std::size_t>(aim.height));
    Brush brush(*state_, aim, channel);
    for (int row = 0; row < aim.height; ++row)
        for (int column = 0; column < aim.width; ++column)
            picture.pixels.push_back(brush.paint(column, row));
    return picture;
}

}  // namespace flentro
