#include "simplify/deviation.h"

#include <algorithm>
#include <cmath>

#include "geometry/ray_device.h"

namespace flentro {
namespace {

/// Ericson, "Real-Time Collision Detection", 2004, section 5.1.5.
Vec3f closestOnTriangle(const Vec3f& p, const Vec3f& a, const Vec3f& b, const Vec3f& c) {
    const Vec3f ab = b - a;
    const Vec3f ac = c - a;
    const Vec3f ap = p - a;
    const float d1 = ab.dot(ap);
    const float d2 = ac.dot(ap);
    if (d1 <= 0 && d2 <= 0) return a;
    const Vec3f bp = p - b;
    const float d3 = ab.dot(bp);
    const float d4 = ac.dot(bp);
    if (d3 >= 0 && d4 <= d3) return b;
    const float vc = d1 * d4 - d3 * d2;
    if (vc <= 0 && d1 >= 0 && d3 <= 0) return a + ab * (d1 / (d1 - d3));
    const Vec3f cp = p - c;
    const float d5 = ab.dot(cp);
    const float d6 = ac.dot(cp);
    if (d6 >= 0 && d5 <= d6) return c;
    const float vb = d5 * d2 - d1 * d6;
    if (vb <= 0 && d2 >= 0 && d6 <= 0) return a + ac * (d2 / (d2 - d6));
    const float va = d3 * d6 - d5 * d4;
    if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0)
        return b + (c - b) * ((d4 - d3) / ((d4 - d3) + (d5 - d6)));
    const float scale = 1 / (va + vb + vc);
    return a + ab * (vb * scale) + ac * (vc * scale);
}

}  // namespace

struct Surface::State {
    std::vector<Vec3f> positions;
    std::vector<std::uint32_t> indices;
    RTCScene scene = nullptr;

    ~State() {
        if (scene) rtcReleaseScene(scene);
    }

    [[nodiscard]] Vec3f corner(std::size_t triangle, std::size_t k) const {
        return positions[indices[3 * triangle + k]];
    }

    void collect(const Mesh& mesh) {
        for (const Part& part : mesh.parts) {
            if (!part.isTriangles()) continue;
            const auto base = static_cast<std::uint32_t>(positions.size());
            const std::vector<Vec3f> points = toVectors(*part.find("POSITION"));
            positions.insert(positions.end(), points.begin(), points.end());
            for (const std::uint32_t index : part.indices) indices.push_back(base + index);
        }
    }

    void build() {
        RTCGeometry geometry = rtcNewGeometry(rayDevice(), RTC_GEOMETRY_TYPE_TRIANGLE);
        auto* vertices = static_cast<float*>(
            rtcSetNewGeometryBuffer(geometry, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3,
                                    sizeof(Vec3f), positions.size()));
        std::copy_n(positions.front().data(), positions.size() * 3, vertices);
        auto* corners = static_cast<std::uint32_t*>(
            rtcSetNewGeometryBuffer(geometry, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3,
                                    3 * sizeof(std::uint32_t), indices.size() / 3));
        std::copy(indices.begin(), indices.end(), corners);
        rtcCommitGeometry(geometry);
        scene = rtcNewScene(rayDevice());
        rtcAttachGeometry(scene, geometry);
        rtcReleaseGeometry(geometry);
        rtcCommitScene(scene);
    }

    /// Shrinks the query to the triangle if that is nearer (Embree point query callback).
    static bool visit(RTCPointQueryFunctionArguments* args) {
        const auto& state = *static_cast<const State*>(args->userPtr);
        RTCPointQuery& query = *args->query;
        const Vec3f p(query.x, query.y, query.z);
        const std::size_t t = args->primID;
        const Vec3f nearest =
            closestOnTriangle(p, state.corner(t, 0), state.corner(t, 1), state.corner(t, 2));
        const float found = (nearest - p).norm();
        if (found >= query.radius) return false;
        query.radius = found;
        return true;
    }
};

Surface::Surface(const Mesh& mesh) : state_(std::make_unique<State>()) {
    state_->collect(mesh);
    if (!state_->indices.empty()) state_->build();
}
Surface::~Surface() = default;
Surface::Surface(Surface&&) noexcept = default;
Surface& Surface::operator=(Surface&&) noexcept = default;

bool Surface::empty() const {
    return state_->indices.empty();
}

double Surface::distanceTo(const Vec3f& point, double within) const {
    RTCPointQuery query{};
    query.x = point.x();
    query.y = point.y();
    query.z = point.z();
    query.radius = static_cast<float>(within);
    RTCPointQueryContext context;
    rtcInitPointQueryContext(&context);
    rtcPointQuery(state_->scene, &query, &context, &State::visit, state_.get());
    return query.radius;
}

namespace {

/// Points of a mesh, each once: vertices where a triangle first uses them, middles of edges and
/// of faces. Of an open border only the edges that run upwards have theirs.
template <typename Visit>
void forEachSample(const Part& part, Visit&& visit) {
    const std::vector<Vec3f> points = toVectors(*part.find("POSITION"));
    std::vector<bool> seen(points.size(), false);
    for (std::size_t i = 0; i + 2 < part.indices.size(); i += 3) {
        const std::uint32_t* t = part.indices.data() + i;
        const Vec3f& a = points[t[0]];
        const Vec3f& b = points[t[1]];
        const Vec3f& c = points[t[2]];
        const auto area = static_cast<double>((b - a).cross(c - a).norm());
        for (std::size_t k = 0; k < 3; ++k) {
            const std::uint32_t from = t[k];
            const std::uint32_t to = t[(k + 1) % 3];
            if (!seen[from]) visit(points[from], area);
            seen[from] = true;
            if (from < to) visit((points[from] + points[to]) / 2, area);
        }
        visit((a + b + c) / 3, area);
    }
}

}  // namespace

Deviation Surface::distancesFrom(const Mesh& mesh, std::size_t samples) const {
    constexpr double kSamplesPerFace = 3;
    const double all = kSamplesPerFace * static_cast<double>(mesh.triangles);
    const double stride = std::max(1.0, all / static_cast<double>(samples));
    Deviation deviation;
    double weights = 0;
    double next = 0;
    std::size_t sample = 0;
    double distance = std::numeric_limits<double>::infinity();
    Vec3f before = Vec3f::Zero();
    for (const Part& part : mesh.parts) {
        if (!part.isTriangles()) continue;
        forEachSample(part, [&](const Vec3f& point, double area) {
            if (static_cast<double>(sample++) < next) return;
            next += stride;
            // No farther than the sample before was, and the way from there to here.
            const auto step = static_cast<double>((point - before).norm());
            const auto slack = 1e-5 * static_cast<double>(point.norm());
            distance = distanceTo(point, (distance + step) * 1.001 + slack);
            before = point;
            deviation.largest = std::max(deviation.largest, distance);
            deviation.mean += area * distance;
            weights += area;
        });
    }
    if (weights > 0) deviation.mean /= weights;
    return deviation;
}

Deviation measureDeviation(const Mesh& a, const Surface& surfaceOfA, const Mesh& b,
                           std::size_t samples) {
    const Surface surfaceOfB(b);
    if (surfaceOfA.empty() || surfaceOfB.empty()) return {};
    const Deviation there = surfaceOfB.distancesFrom(a, samples);
    const Deviation back = surfaceOfA.distancesFrom(b, samples);
    return {std::max(there.largest, back.largest), std::max(there.mean, back.mean)};
}

}  // namespace flentro
