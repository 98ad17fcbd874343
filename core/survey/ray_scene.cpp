#include "survey/ray_scene.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <map>

#include "base/cancel_only.h"
#include "base/index.h"
#include "base/parallel.h"
#include "geometry/ray_device.h"
#include "io/image.h"

namespace flentro {
namespace {

constexpr int kAlphaEdge = 256;         ///< Pixels; alpha is looked up in a picture this large.
constexpr int kMaxLayers = 64;          ///< Surfaces after which a ray is given up.
constexpr float kTransparent = 0.98F;   ///< Blended surfaces above this alpha hide all behind.
constexpr float kFarthestTexel = 1e6F;  ///< Beyond it a picture no longer repeats.
constexpr double kSingular = 1e-12;     ///< Of the determinant over the cubed scale.

struct ReleaseScene {
    void operator()(RTCScene scene) const { rtcReleaseScene(scene); }
};
using ScenePart = std::unique_ptr<RTCSceneTy, ReleaseScene>;

/// The alpha channel of one picture.
struct AlphaMap {
    int width = 0;
    int height = 0;
    std::vector<std::uint8_t> alpha;

    /// Texture coordinates within +-kFarthestTexel / edge; the picture repeats.
    [[nodiscard]] float at(float u, float v) const {
        // Asked for every ray among leaves: no call of floor(), which is one without SSE4.
        const auto wrap = [](float c, int size) {
            const float texel =
                std::clamp(c * static_cast<float>(size), -kFarthestTexel, kFarthestTexel);
            const int towardsZero = static_cast<int>(texel);
            const int i = (towardsZero - (texel < static_cast<float>(towardsZero))) % size;
            return i < 0 ? i + size : i;
        };
        const int index = wrap(v, height) * width + wrap(u, width);
        return static_cast<float>(elementOf(alpha, index)) / 255;
    }
};

/// How the alpha of one part is found.
struct AlphaSource {
    float factor = 1;
    float cutoff = 0;
    bool masked = false;  ///< Cut out at `cutoff`; else blended.
    const AlphaMap* map = nullptr;
    std::vector<std::array<Vec2f, 3>> corners;  ///< [triangles] Texture coordinates, finite.

    [[nodiscard]] float at(std::uint32_t primitive, float u, float v) const {
        if (!map || corners.empty()) return factor;
        const std::array<Vec2f, 3>& c = corners[primitive];
        const Vec2f where = (1 - u - v) * c[0] + u * c[1] + v * c[2];
        return factor * map->at(where.x(), where.y());
    }
};

/// Lets rays through below the cut-off. Started again instead, rays among leaves would cost half
/// as much again as all others together.
void passHoles(const RTCFilterFunctionNArguments* args) {
    const auto& source = *static_cast<const AlphaSource*>(args->geometryUserPtr);
    for (unsigned i = 0; i < args->N; ++i) {
        if (args->valid[i] != -1) continue;
        const float alpha =
            source.at(RTCHitN_primID(args->hit, args->N, i), RTCHitN_u(args->hit, args->N, i),
                      RTCHitN_v(args->hit, args->N, i));
        if (alpha < source.cutoff) args->valid[i] = 0;
    }
}

std::vector<Vec2f> texCoordsOf(const Part& part, int set) {
    const Stream* stream = part.find("TEXCOORD_" + std::to_string(set));
    std::vector<Vec2f> result;
    if (!stream || stream->components != 2) return result;
    for (std::size_t i = 0; i < stream->count(); ++i)
        result.emplace_back(stream->value(i, 0), stream->value(i, 1));
    return result;
}

/// [triangles]; empty without such coordinates.
std::vector<std::array<Vec2f, 3>> cornerTexCoords(const Part& part, const TextureUse& use) {
    std::vector<Vec2f> coords = texCoordsOf(part, use.texCoord);
    if (use.isMoved())
        for (Vec2f& at : coords) at = use.lookUp(at);
    std::vector<std::array<Vec2f, 3>> result;
    if (coords.empty()) return result;
    forEachTriangle(part, [&](const Corners& t) {
        result.emplace_back();
        for (std::size_t k = 0; k < 3; ++k) {
            const Vec2f& at = coords[t[k]];
            result.back()[k] = at.allFinite() ? at : Vec2f(0, 0);
        }
    });
    return result;
}

bool isSingular(const Mat4d& m) {
    const double scale = maxScale(m);
    const double determinant = m.topLeftCorner<3, 3>().determinant();
    return !(scale > 0) || std::fabs(determinant) < kSingular * scale * scale * scale;
}

/// Copies positions, moved by `m`; indices are shared with the part.
void attachPart(RTCScene scene, unsigned id, const Part& part, const Mat4d& m,
                const AlphaSource* holes) {
    RTCGeometry geometry = rtcNewGeometry(rayDevice(), RTC_GEOMETRY_TYPE_TRIANGLE);
    const std::vector<Vec3f> points = positionsOf(part);
    auto* vertices = static_cast<float*>(rtcSetNewGeometryBuffer(
        geometry, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, sizeof(Vec3f), points.size()));
    for (std::size_t i = 0; i < points.size(); ++i)
        Eigen::Map<Vec3f>(vertices + 3 * i) =
            transformPoint(m, points[i].cast<double>()).cast<float>();
    rtcSetSharedGeometryBuffer(geometry, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3,
                               part.indices.data(), 0, 3 * sizeof(std::uint32_t),
                               part.triangleCount());
    if (holes) {
        rtcSetGeometryUserData(geometry, const_cast<AlphaSource*>(holes));
        rtcSetGeometryIntersectFilterFunction(geometry, passHoles);
        rtcSetGeometryOccludedFilterFunction(geometry, passHoles);
    }
    rtcCommitGeometry(geometry);
    rtcAttachGeometryByID(scene, geometry, id);
    rtcReleaseGeometry(geometry);
}

ScenePart newScene() {
    ScenePart scene(rtcNewScene(rayDevice()));
    rtcSetSceneFlags(scene.get(), RTC_SCENE_FLAG_CONTEXT_FILTER_FUNCTION);  // for shadowed()
    return scene;
}

/// `holes`: for each part what its rays are let through by, or null. Null where it is cancelled.
ScenePart buildMesh(const Mesh& mesh, const Mat4d& m, const std::unique_ptr<AlphaSource>* holes,
                    Progress& progress) {
    ScenePart scene = newScene();
    unsigned id = 0;
    for (const Part& part : mesh.parts) {
        if (part.triangleCount() > 0) {
            const AlphaSource* source = holes[id].get();
            attachPart(scene.get(), id, part, m, source && source->masked ? source : nullptr);
        }
        ++id;
    }
    return commitScene(scene.get(), progress) ? std::move(scene) : nullptr;
}

}  // namespace

struct RayScene::State {
    std::vector<MeshPtr> meshes;  ///< [assets]
    std::vector<ScenePart> meshScenes;
    std::vector<ScenePart> baked;
    std::vector<int> assetOf;               ///< [objects]
    std::vector<bool> standsIn;             ///< [objects] Far stand-ins: shown in place of others.
    std::vector<bool> castsShadow;          ///< [objects]
    std::vector<Mat4d> worlds;              ///< [objects]
    std::vector<Eigen::Matrix3f> inverses;  ///< [objects] World directions to own.
    std::vector<PartRow> parts;
    std::vector<std::unique_ptr<AlphaSource>> alphas;  ///< [parts]; null for opaque ones.
    std::map<int, AlphaMap> maps;                      ///< By image.
    std::vector<std::uint32_t> firstParts;
    std::vector<std::uint32_t> firstTriangles;
    std::uint32_t triangles = 0;   ///< So far.
    std::vector<float> densities;  ///< Of the asset's own space.
    std::vector<float> invScales;  ///< [objects] Own metres for a world metre; 0: not even.
    TextureMappings mappings;
    ScenePart top;

    explicit State(const Scene& scene) : mappings(scene) {}
    void measureDensities(const Part& part, const PartRow& row);
    [[nodiscard]] std::array<Vec2f, 3> texCoords(const RayHit& hit, int set) const;

    void addParts(const Scene& scene, const Mesh& mesh, const Progress& progress);
    [[nodiscard]] bool buildMeshes(Progress& progress);
    [[nodiscard]] Expected<void> buildTop(const Scene& scene, Progress& progress);
    [[nodiscard]] std::unique_ptr<AlphaSource> alphaOf(const Scene& scene, const Part& part);
    void addInstance(const Object& object, unsigned id, Progress& progress);
    [[nodiscard]] RayHit hitOf(unsigned instance, unsigned geometry, unsigned primitive,
                               float distance) const;
    struct ShadowQuery;
    enum class Meeting { Through, Seen, Opaque };
    /// For a triangle that faces away; nothing of its alpha is asked.
    [[nodiscard]] bool isBackFace(const RayHit& hit, const Vec3f& direction,
                                  const Vec3f& normal) const {
        return !parts[hit.part].twoSided && (inverses[hit.object] * direction).dot(normal) > 0;
    }
    [[nodiscard]] Meeting meet(const RayHit& hit, unsigned primitive, float u, float v) const;
    template <typename Visit>
    void follow(const Vec3d& from, const Vec3d& direction, double nearest, double farthest,
                const Visit& visit) const;
};

std::unique_ptr<AlphaSource> RayScene::State::alphaOf(const Scene& scene, const Part& part) {
    const Material& material = elementOf(scene.materials, part.material);
    auto source = std::make_unique<AlphaSource>();
    source->factor = material.baseColor.w();
    source->cutoff = material.alphaCutoff;
    source->masked = material.alphaMode == AlphaMode::Mask;
    for (const TextureUse& use : material.textures) {
        if (use.role != "baseColorTexture") continue;
        const int image = scene.imageOf(use.texture);
        if (image < 0) continue;
        if (!maps.contains(image)) {
            const auto pixels = decodeImage(elementOf(scene.images, image), kAlphaEdge);
            AlphaMap map{1, 1, {255}};
            if (pixels) {
                map = {pixels->width, pixels->height, {}};
                for (std::size_t i = 3; i < pixels->rgba.size(); i += 4)
                    map.alpha.push_back(pixels->rgba[i]);
            }
            maps[image] = std::move(map);
        }
        source->map = &maps.at(image);
        source->corners = cornerTexCoords(part, use);
    }
    return source;
}

/// Rows for all parts. Cancelled: without their alpha.
void RayScene::State::addParts(const Scene& scene, const Mesh& mesh, const Progress& progress) {
    for (const Part& part : mesh.parts) {
        PartRow row;
        row.firstTriangle = triangles;
        row.material = part.material;
        alphas.emplace_back();
        if (part.material >= 0) {
            const Material& material = elementOf(scene.materials, part.material);
            row.twoSided = material.doubleSided;
            row.alpha = material.alphaMode;
            const bool hasAlpha = row.alpha != AlphaMode::Opaque && part.triangleCount() > 0;
            if (hasAlpha && !progress.cancelled()) alphas.back() = alphaOf(scene, part);
            const auto index = static_cast<std::size_t>(part.material);
            row.firstMapping = static_cast<std::uint32_t>(mappings.first(index));
            row.mappings =
                static_cast<std::uint32_t>(mappings.first(index + 1) - mappings.first(index));
        }
        row.firstDensity = densities.size();
        densities.resize(densities.size() + row.mappings * part.triangleCount());
        parts.push_back(row);
        triangles += static_cast<std::uint32_t>(part.triangleCount());
    }
}

/// Into the row's slots of `densities`, which stay 0 without such coordinates.
void RayScene::State::measureDensities(const Part& part, const PartRow& row) {
    if (part.triangleCount() == 0) return;
    const std::vector<Vec3f> points = positionsOf(part);
    for (std::uint32_t m = 0; m < row.mappings; ++m) {
        const TextureMapping& mapping = mappings[row.firstMapping + m];
        const std::vector<Vec2f> coords = texCoordsOf(part, mapping.texCoord);
        if (coords.empty()) continue;
        float* density = densities.data() + row.firstDensity + m * part.triangleCount();
        forEachTriangle(part, [&](const Corners& t) {
            std::array<Vec3d, 3> corners;
            std::array<Vec2f, 3> at;
            for (std::size_t k = 0; k < 3; ++k) {
                corners[k] = points[t[k]].cast<double>();
                at[k] = coords[t[k]];
            }
            *density++ = leastDensity(corners, at, mapping.linear);
        });
    }
}

std::array<Vec2f, 3> RayScene::State::texCoords(const RayHit& hit, int set) const {
    const auto asset = static_cast<std::size_t>(assetOf[hit.object]);
    const Part& part = meshes[asset]->parts[hit.part - firstParts[asset]];
    std::array<Vec2f, 3> coords = {Vec2f::Zero(), Vec2f::Zero(), Vec2f::Zero()};
    const Stream* stream = part.find("TEXCOORD_" + std::to_string(set));
    if (!stream || stream->components != 2) return coords;
    for (std::size_t k = 0; k < 3; ++k) {
        const std::size_t triangle = hit.triangle - parts[hit.part].firstTriangle;
        const std::uint32_t v = part.indices[3 * triangle + k];
        coords[k] = {stream->value(v, 0), stream->value(v, 1)};
    }
    return coords;
}

void RayScene::State::addInstance(const Object& object, unsigned id, Progress& progress) {
    const auto asset = static_cast<std::size_t>(object.asset);
    const bool singular = isSingular(object.world);
    if (singular) {
        baked.push_back(
            buildMesh(*meshes[asset], object.world, alphas.data() + firstParts[asset], progress));
        if (!baked.back()) return;
    }
    RTCGeometry instance = rtcNewGeometry(rayDevice(), RTC_GEOMETRY_TYPE_INSTANCE);
    rtcSetGeometryInstancedScene(instance, singular ? baked.back().get() : meshScenes[asset].get());
    const Eigen::Matrix4f world =
        singular ? Eigen::Matrix4f(Eigen::Matrix4f::Identity()) : object.world.cast<float>();
    rtcSetGeometryTransform(instance, 0, RTC_FORMAT_FLOAT4X4_COLUMN_MAJOR, world.data());
    rtcCommitGeometry(instance);
    rtcAttachGeometryByID(top.get(), instance, id);
    rtcReleaseGeometry(instance);
    inverses[id] = singular ? Eigen::Matrix3f(Eigen::Matrix3f::Identity())
                            : Eigen::Matrix3f(world.topLeftCorner<3, 3>().inverse());
}

RayHit RayScene::State::hitOf(unsigned instance, unsigned geometry, unsigned primitive,
                              float distance) const {
    RayHit hit;
    hit.object = instance;
    hit.part = elementOf(firstParts, assetOf[instance]) + geometry;
    hit.triangle = parts[hit.part].firstTriangle + primitive;
    hit.distance = distance;
    return hit;
}

/// A front face.
RayScene::State::Meeting RayScene::State::meet(const RayHit& hit, unsigned primitive, float u,
                                               float v) const {
    if (parts[hit.part].alpha != AlphaMode::Blend) return Meeting::Opaque;
    const float alpha = alphas[hit.part]->at(primitive, u, v);
    if (alpha <= 1.0F / 255) return Meeting::Through;
    return alpha < kTransparent ? Meeting::Seen : Meeting::Opaque;
}

namespace {

/// Own metres for a world metre; 0 where that depends on the direction.
float evenScale(const Mat4d& world) {
    constexpr float kEven = 1.001F;
    const auto lengths = world.topLeftCorner<3, 3>().colwise().norm().eval();
    const double least = lengths.minCoeff();
    const double most = lengths.maxCoeff();
    return least > 0 && most <= least * static_cast<double>(kEven) ? static_cast<float>(1 / most)
                                                                   : 0.0F;
}

}  // namespace

/// As parallelFor().
bool RayScene::State::buildMeshes(Progress& progress) {
    meshScenes.resize(meshes.size());
    return parallelFor(meshes.size(), "Preparing rays", progress, [&](std::size_t i) {
        const std::vector<Part>& own = meshes[i]->parts;
        for (std::size_t p = 0; p < own.size() && !progress.cancelled(); ++p)
            measureDensities(own[p], parts[firstParts[i] + p]);
        meshScenes[i] =
            buildMesh(*meshes[i], Mat4d::Identity(), alphas.data() + firstParts[i], progress);
    });
}

Expected<void> RayScene::State::buildTop(const Scene& scene, Progress& progress) {
    top = newScene();
    for (std::size_t i = 0; i < scene.objects.size() && !progress.cancelled(); ++i) {
        const Object& object = scene.objects[i];
        const bool solid = elementOf(meshes, object.asset)->triangles > 0;
        if (solid && !object.bounds.isEmpty())
            addInstance(object, static_cast<unsigned>(i), progress);
    }
    return commitScene(top.get(), progress);
}

RayScene::RayScene(std::unique_ptr<State> state) : state_(std::move(state)) {}
RayScene::RayScene(const Scene& scene) : RayScene(build(scene, noProgress()).value()) {}

Expected<RayScene> RayScene::build(const Scene& scene, Progress& progress) {
    auto state = std::make_unique<State>(scene);
    State& s = *state;
    for (const Asset& asset : scene.assets) {
        s.meshes.push_back(asset.mesh);
        s.firstParts.push_back(static_cast<std::uint32_t>(s.parts.size()));
        s.firstTriangles.push_back(s.triangles);
        s.addParts(scene, *asset.mesh, progress);
    }
    s.firstParts.push_back(static_cast<std::uint32_t>(s.parts.size()));
    s.firstTriangles.push_back(s.triangles);
    s.inverses.resize(scene.objects.size(), Eigen::Matrix3f::Identity());
    for (const Object& object : scene.objects) {
        s.assetOf.push_back(object.asset);
        s.standsIn.push_back(object.culling.start > 0);
        s.castsShadow.push_back(object.castsShadow);
        s.worlds.push_back(object.world);
        s.invScales.push_back(evenScale(object.world));
    }
    CancelOnly quiet(progress);  // a part of work that reports itself
    if (!s.buildMeshes(quiet)) return stopped("Preparing rays");
    if (auto built = s.buildTop(scene, quiet); !built) return tl::unexpected(built.error());
    return RayScene(std::move(state));
}

Expected<void> ensureRays(std::unique_ptr<RayScene>& rays, const Scene& scene, Progress& progress) {
    if (rays) return {};
    auto built = RayScene::build(scene, progress);
    if (!built) return tl::unexpected(built.error());
    rays = std::make_unique<RayScene>(std::move(*built));
    return {};
}

RayScene::~RayScene() = default;
RayScene::RayScene(RayScene&&) noexcept = default;
RayScene& RayScene::operator=(RayScene&&) noexcept = default;

namespace {

void startRays(const Vec3d& eye, const RayPacket& rays, float farthest, RTCRayHit16& packet) {
    for (int i = 0; i < RayPacket::kLanes; ++i) {
        packet.ray.org_x[i] = static_cast<float>(eye.x());
        packet.ray.org_y[i] = static_cast<float>(eye.y());
        packet.ray.org_z[i] = static_cast<float>(eye.z());
        packet.ray.dir_x[i] = rays.x[i];
        packet.ray.dir_y[i] = rays.y[i];
        packet.ray.dir_z[i] = rays.z[i];
        packet.ray.tnear[i] = 0;
        packet.ray.tfar[i] = farthest;
        packet.ray.time[i] = 0;
        packet.ray.mask[i] = 0xFFFFFFFFU;
        packet.ray.flags[i] = 0;
        packet.hit.geomID[i] = RTC_INVALID_GEOMETRY_ID;
        packet.hit.instID[0][i] = RTC_INVALID_GEOMETRY_ID;
    }
}

bool isSameTriangle(const RTCHit16& hits, int a, int b) {
    return hits.primID[a] == hits.primID[b] && hits.geomID[a] == hits.geomID[b] &&
           hits.instID[0][a] == hits.instID[0][b];
}

/// A little beyond a surface, so that the ray does not meet it again.
float beyond(float distance) {
    return distance * (1 + 1e-5F) + 1e-5F;
}

}  // namespace

void RayScene::trace(const Vec3d& eye, const RayPacket& rays, float farthest,
                     const EyeVisibility& sightings, RaySink& sink) const {
    RTCRayHit16 packet;
    startRays(eye, rays, farthest, packet);
    alignas(64) int valid[RayPacket::kLanes];
    std::copy(std::begin(rays.valid), std::end(rays.valid), valid);
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    context.flags = RTC_INTERSECT_CONTEXT_FLAG_COHERENT;
    const bool passesAll = sink.passesAll();
    for (int layer = 0; layer < kMaxLayers; ++layer) {
        rtcIntersect16(valid, state_->top.get(), &context, &packet);
        bool again = false;
        int last = -1;  // Neighbouring rays mostly meet one triangle: it is looked up once.
        RayHit hit;
        bool passes = false;
        for (int i = 0; i < RayPacket::kLanes; ++i) {
            if (valid[i] == 0) continue;
            valid[i] = 0;
            if (packet.hit.geomID[i] == RTC_INVALID_GEOMETRY_ID) continue;
            if (last < 0 || !isSameTriangle(packet.hit, i, last)) {
                hit = state_->hitOf(packet.hit.instID[0][i], packet.hit.geomID[i],
                                    packet.hit.primID[i], packet.ray.tfar[i]);
                passes = !sightings.isThere(hit.object) ||
                         state_->isBackFace(
                             hit, Vec3f(rays.x[i], rays.y[i], rays.z[i]),
                             Vec3f(packet.hit.Ng_x[i], packet.hit.Ng_y[i], packet.hit.Ng_z[i]));
            }
            last = i;
            hit.distance = packet.ray.tfar[i];
            const auto meeting =
                passes ? State::Meeting::Through
                       : state_->meet(hit, packet.hit.primID[i], packet.hit.u[i], packet.hit.v[i]);
            const bool opaque = meeting == State::Meeting::Opaque;
            if (meeting != State::Meeting::Through) sink.meet(i, hit, opaque);
            if (opaque && !passesAll) continue;
            packet.ray.tnear[i] = beyond(hit.distance);
            packet.ray.tfar[i] = farthest;
            packet.hit.geomID[i] = RTC_INVALID_GEOMETRY_ID;
            valid[i] = packet.ray.tnear[i] < farthest ? -1 : 0;
            again = again || valid[i] != 0;
        }
        if (!again) return;
    }
}

/// Hands the surfaces along one ray to `visit(hit, meeting)`, nearest first, until it returns true
/// or there are no more.
template <typename Visit>
void RayScene::State::follow(const Vec3d& from, const Vec3d& direction, double nearest,
                             double farthest, const Visit& visit) const {
    const Vec3f d = direction.normalized().cast<float>();
    RTCRayHit ray{};
    ray.ray.org_x = static_cast<float>(from.x());
    ray.ray.org_y = static_cast<float>(from.y());
    ray.ray.org_z = static_cast<float>(from.z());
    ray.ray.dir_x = d.x();
    ray.ray.dir_y = d.y();
    ray.ray.dir_z = d.z();
    ray.ray.mask = 0xFFFFFFFFU;
    ray.ray.tnear = static_cast<float>(nearest);
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    for (int layer = 0; layer < kMaxLayers; ++layer) {
        ray.ray.tfar = static_cast<float>(farthest);
        ray.hit.geomID = RTC_INVALID_GEOMETRY_ID;
        rtcIntersect1(top.get(), &context, &ray);
        if (ray.hit.geomID == RTC_INVALID_GEOMETRY_ID) return;
        const RayHit hit = hitOf(ray.hit.instID[0], ray.hit.geomID, ray.hit.primID, ray.ray.tfar);
        const bool passes =
            standsIn[hit.object] || isBackFace(hit, d, {ray.hit.Ng_x, ray.hit.Ng_y, ray.hit.Ng_z});
        const Meeting meeting =
            passes ? Meeting::Through : meet(hit, ray.hit.primID, ray.hit.u, ray.hit.v);
        if (visit(hit, meeting)) return;
        ray.ray.tnear = beyond(hit.distance);
        if (ray.ray.tnear >= farthest) return;
    }
}

RayHit RayScene::first(const Vec3d& from, const Vec3d& direction, double nearest,
                       double farthest) const {
    RayHit first;
    state_->follow(from, direction, nearest, farthest,
                   [&](const RayHit& hit, State::Meeting meeting) {
                       if (meeting == State::Meeting::Through) return false;
                       first = hit;
                       return true;
                   });
    return first;
}

/// What rays from lights pass, asked by Embree for each surface on their way.
struct RayScene::State::ShadowQuery {
    RTCIntersectContext context;  // first: Embree hands it back
    const State* state;
    std::span<const LightRay> rays;  ///< By the ray's id.

    static void pass(const RTCFilterFunctionNArguments* args) {
        const auto& query = *reinterpret_cast<const ShadowQuery*>(args->context);
        for (unsigned i = 0; i < args->N; ++i)
            if (args->valid[i] == -1 && query.passes(*args, i)) args->valid[i] = 0;
    }

    [[nodiscard]] bool passes(const RTCFilterFunctionNArguments& args, unsigned i) const {
        const unsigned instance = RTCHitN_instID(args.hit, args.N, i, 0);
        if (!state->castsShadow[instance] || state->standsIn[instance]) return true;
        const unsigned primitive = RTCHitN_primID(args.hit, args.N, i);
        const RayHit hit =
            state->hitOf(instance, RTCHitN_geomID(args.hit, args.N, i), primitive, 0);
        const LightRay& ray = rays[RTCRayN_id(args.ray, args.N, i)];
        const Vec3f normal(RTCHitN_Ng_x(args.hit, args.N, i), RTCHitN_Ng_y(args.hit, args.N, i),
                           RTCHitN_Ng_z(args.hit, args.N, i));
        return state->isBackFace(hit, ray.direction.cast<float>(), normal) ||
               state->meet(hit, primitive, RTCHitN_u(args.hit, args.N, i),
                           RTCHitN_v(args.hit, args.N, i)) != Meeting::Opaque;
    }
};

bool RayScene::isShadowed(const LightRay& ray) const {
    return shadowed({&ray, 1}).front();
}

std::vector<bool> RayScene::shadowed(std::span<const LightRay> rays) const {
    constexpr std::size_t kLanes = 16;
    std::vector<bool> blocked;
    blocked.reserve(rays.size());
    for (std::size_t first = 0; first < rays.size(); first += kLanes) {
        const auto some = rays.subspan(first, std::min(kLanes, rays.size() - first));
        RTCRay16 packet{};
        alignas(64) int valid[kLanes] = {};
        for (std::size_t i = 0; i < some.size(); ++i) {
            const Vec3f from = some[i].from.cast<float>();
            const Vec3f way = some[i].direction.cast<float>();
            packet.org_x[i] = from.x();
            packet.org_y[i] = from.y();
            packet.org_z[i] = from.z();
            packet.dir_x[i] = way.x();
            packet.dir_y[i] = way.y();
            packet.dir_z[i] = way.z();
            packet.tfar[i] = static_cast<float>(some[i].length);
            packet.mask[i] = 0xFFFFFFFFU;
            packet.id[i] = static_cast<unsigned>(i);
            valid[i] = -1;
        }
        State::ShadowQuery query{{}, state_.get(), some};
        rtcInitIntersectContext(&query.context);
        query.context.filter = State::ShadowQuery::pass;
        rtcOccluded16(valid, state_->top.get(), &query.context, &packet);
        for (std::size_t i = 0; i < some.size(); ++i) blocked.push_back(packet.tfar[i] < 0);
    }
    return blocked;
}

bool RayScene::reaches(const Vec3d& from, const Vec3d& direction, double farthest,
                       std::uint32_t object, std::uint32_t triangle,
                       const EyeVisibility* sightings) const {
    bool reached = false;
    state_->follow(from, direction, 0, farthest, [&](const RayHit& hit, State::Meeting meeting) {
        if (meeting == State::Meeting::Through) return false;
        if (sightings && !sightings->isThere(hit.object)) return false;
        reached = hit.object == object && hit.triangle == triangle;
        return reached || meeting == State::Meeting::Opaque;
    });
    return reached;
}

const RayScene::PartRow& RayScene::partOf(std::uint32_t triangle) const {
    const auto& parts = state_->parts;
    const auto after = std::upper_bound(
        parts.begin(), parts.end(), triangle,
        [](std::uint32_t t, const PartRow& part) { return t < part.firstTriangle; });
    return *std::prev(after);
}

std::size_t RayScene::traceBare(const Vec3d& eye, const RayPacket& rays) const {
    RTCRayHit16 packet;
    startRays(eye, rays, std::numeric_limits<float>::infinity(), packet);
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    context.flags = RTC_INTERSECT_CONTEXT_FLAG_COHERENT;
    rtcIntersect16(rays.valid, state_->top.get(), &context, &packet);
    std::size_t met = 0;
    for (int i = 0; i < RayPacket::kLanes; ++i)
        if (rays.valid[i] != 0 && packet.hit.geomID[i] != RTC_INVALID_GEOMETRY_ID) ++met;
    return met;
}

std::size_t RayScene::triangleCount() const {
    return state_->triangles;
}
std::span<const RayScene::PartRow> RayScene::parts() const {
    return state_->parts;
}
std::span<const std::uint32_t> RayScene::firstTriangles() const {
    return state_->firstTriangles;
}
std::span<const std::uint32_t> RayScene::firstParts() const {
    return state_->firstParts;
}
const TextureMappings& RayScene::mappings() const {
    return state_->mappings;
}

float RayScene::texCoordDensity(const RayHit& hit, std::uint32_t mapping) const {
    const State& s = *state_;
    const PartRow& row = s.parts[hit.part];
    if (mapping >= row.mappings) return 0;
    const auto asset = static_cast<std::size_t>(s.assetOf[hit.object]);
    const std::size_t count =
        s.meshes[asset]->parts[hit.part - s.firstParts[asset]].triangleCount();
    const float own =
        s.densities[row.firstDensity + mapping * count + hit.triangle - row.firstTriangle];
    if (own <= 0 || s.invScales[hit.object] > 0) return own * s.invScales[hit.object];
    const TextureMapping& laid = s.mappings[row.firstMapping + mapping];
    return leastDensity(corners(hit.object, hit.triangle), s.texCoords(hit, laid.texCoord),
                        laid.linear);
}

std::array<Vec3d, 3> RayScene::corners(std::uint32_t object, std::uint32_t triangle) const {
    const State& s = *state_;
    const auto asset = static_cast<std::size_t>(s.assetOf[object]);
    std::uint32_t part = s.firstParts[asset];
    while (part + 1 < s.firstParts[asset + 1] && s.parts[part + 1].firstTriangle <= triangle)
        ++part;
    const Part& geometry = s.meshes[asset]->parts[part - s.firstParts[asset]];
    const Stream& positions = *geometry.find("POSITION");
    std::array<Vec3d, 3> result;
    for (std::size_t k = 0; k < 3; ++k) {
        const std::uint32_t v =
            geometry.indices[std::size_t{3} * (triangle - s.parts[part].firstTriangle) + k];
        const Vec3d own(positions.value(v, 0), positions.value(v, 1), positions.value(v, 2));
        result[k] = transformPoint(s.worlds[object], own);
    }
    return result;
}

}  // namespace flentro
