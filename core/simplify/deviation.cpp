#include "simplify/deviation.h"

#include <algorithm>
#include <array>
#include <cassert>
#include <cmath>
#include <map>
#include <mutex>

#include "geometry/barycentric.h"
#include "geometry/ray_device.h"

namespace flentro {
namespace {

/// Squared sine of the angle of triangles that are taken for lines: which side of their edges a
/// point is on is chance.
constexpr double kSliver = 1e-12;

Vec3d closestOnLine(const Vec3d& p, const Vec3d& a, const Vec3d& b) {
    const Vec3d ab = b - a;
    const double square = ab.squaredNorm();
    return square > 0 ? Vec3d(a + ab * std::clamp(ab.dot(p - a) / square, 0.0, 1.0)) : a;
}

/// Ericson, "Real-Time Collision Detection", 2004, section 5.1.5. Twice the precision of what
/// goes in: products of four lengths are compared.
Vec3d closestOnTriangle(const Vec3d& p, const Vec3d& a, const Vec3d& b, const Vec3d& c) {
    const Vec3d ab = b - a;
    const Vec3d ac = c - a;
    const Vec3d ap = p - a;
    const double d1 = ab.dot(ap);
    const double d2 = ac.dot(ap);
    if (d1 <= 0 && d2 <= 0) return a;
    const Vec3d bp = p - b;
    const double d3 = ab.dot(bp);
    const double d4 = ac.dot(bp);
    if (d3 >= 0 && d4 <= d3) return b;
    const double vc = d1 * d4 - d3 * d2;
    if (vc <= 0 && d1 >= 0 && d3 <= 0) return a + ab * (d1 / (d1 - d3));
    const Vec3d cp = p - c;
    const double d5 = ab.dot(cp);
    const double d6 = ac.dot(cp);
    if (d6 >= 0 && d5 <= d6) return c;
    const double vb = d5 * d2 - d1 * d6;
    if (vb <= 0 && d2 >= 0 && d6 <= 0) return a + ac * (d2 / (d2 - d6));
    const double va = d3 * d6 - d5 * d4;
    if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0)
        return b + (c - b) * ((d4 - d3) / ((d4 - d3) + (d5 - d6)));
    const double sum = va + vb + vc;
    if (!(sum > kSliver * ab.squaredNorm() * ac.squaredNorm())) {
        const std::array edges = {closestOnLine(p, a, b), closestOnLine(p, b, c),
                                  closestOnLine(p, c, a)};
        return *std::ranges::min_element(edges, {}, [&](const Vec3d& q) { return (q - p).norm(); });
    }
    return a + ab * (vb / sum) + ac * (vc / sum);
}

/// The attribute at a point of a triangle, by the weights of its corners.
Vec3f blend(const Stream& stream, const Corners& corners, const Vec3f& weights) {
    Vec3f value = Vec3f::Zero();
    for (int k = 0; k < 3; ++k)
        for (int c = 0; c < std::min(3, stream.components); ++c)
            value[c] += weights[k] * stream.value(corners[k], c);
    return value;
}

/// Metres of the surface for one unit of texture coordinate.
double metresPerTexCoord(const std::vector<Part>& parts) {
    double surface = 0;
    double texture = 0;
    for (const Part& part : parts) {
        const Stream* coords = part.find("TEXCOORD_0");
        if (!coords) continue;
        const std::vector<Vec3f> points = positionsOf(part);
        forEachTriangle(part, [&](const Corners& t) {
            surface += static_cast<double>(
                (points[t[1]] - points[t[0]]).cross(points[t[2]] - points[t[0]]).norm());
            const Vec3f a = blend(*coords, t, Vec3f::UnitX());
            const Vec3f u = blend(*coords, t, Vec3f::UnitY()) - a;
            const Vec3f v = blend(*coords, t, Vec3f::UnitZ()) - a;
            texture += std::fabs(static_cast<double>(u.x() * v.y() - u.y() * v.x()));
        });
    }
    return texture > 0 ? std::sqrt(surface / texture) : 0;
}

}  // namespace

struct Surface::State {
    std::vector<Vec3f> positions;
    std::vector<std::uint32_t> indices;
    std::vector<Part> parts;                 ///< As they lie in `positions`.
    std::vector<std::uint32_t> firstOfPart;  ///< Triangles.
    RTCScene scene = nullptr;
    mutable std::mutex sampling;
    mutable std::map<std::size_t, std::vector<SurfaceSample>> samples;  ///< By their count.
    mutable std::once_flag measured;
    mutable double metresPerCoord = 0;  ///< Once textureScale() was asked.

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
            firstOfPart.push_back(static_cast<std::uint32_t>(indices.size() / 3));
            parts.push_back(part);
            const std::vector<Vec3f> points = positionsOf(part);
            positions.insert(positions.end(), points.begin(), points.end());
            for (const std::uint32_t index : part.indices) indices.push_back(base + index);
        }
    }

    Expected<void> build(const Progress& progress) {
        if (indices.empty()) return {};
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
        return commitScene(scene, progress);
    }

    [[nodiscard]] Vec3f closest(std::size_t triangle, const Vec3f& to) const {
        const auto at = [&](std::size_t k) -> Vec3d { return corner(triangle, k).cast<double>(); };
        return closestOnTriangle(to.cast<double>(), at(0), at(1), at(2)).cast<float>();
    }

    /// What a query looks for.
    static constexpr std::uint32_t kNone = ~0U;
    struct Nearest {
        const State& state;
        bool any = false;  ///< The first triangle within reach ends the search.
        std::uint32_t triangle = kNone;
        Vec3f point = Vec3f::Zero();
    };

    /// Shrinks the query to the triangle if that is nearer (Embree point query callback).
    static bool visit(RTCPointQueryFunctionArguments* args) {
        auto& best = *static_cast<Nearest*>(args->userPtr);
        const State& state = best.state;
        RTCPointQuery& query = *args->query;
        if (best.any && best.triangle != kNone) return false;
        const Vec3f p(query.x, query.y, query.z);
        const std::size_t t = args->primID;
        const Vec3f nearest = state.closest(t, p);
        const float found = (nearest - p).norm();
        if (!(found < query.radius)) return false;
        query.radius = best.any ? 0 : found;
        best.triangle = args->primID;
        best.point = nearest;
        return true;
    }

    /// Metres from a point, at most `within`; `nearest` tells where, if nearer.
    [[nodiscard]] double query(const Vec3f& point, double within, Nearest& nearest) const {
        RTCPointQuery query{};
        query.x = point.x();
        query.y = point.y();
        query.z = point.z();
        query.radius = static_cast<float>(within);
        RTCPointQueryContext context;
        rtcInitPointQueryContext(&context);
        rtcPointQuery(scene, &query, &context, &State::visit, &nearest);
        return query.radius;
    }

    /// Metres of the surface for one unit of texture coordinate. Cost: O(T), once.
    [[nodiscard]] double textureScale() const {
        std::call_once(measured, [this] { metresPerCoord = metresPerTexCoord(parts); });
        return metresPerCoord;
    }

    /// Weights of the corners for a point of a triangle.
    [[nodiscard]] Vec3f weightsAt(std::uint32_t triangle, const Vec3f& point) const {
        return barycentric<Vec3f>(corner(triangle, 0), corner(triangle, 1), corner(triangle, 2),
                                  point);
    }
};

Surface::Surface(std::unique_ptr<State> state) : state_(std::move(state)) {}
Surface::Surface(const Mesh& mesh) : Surface(build(mesh, noProgress()).value()) {}
Surface::~Surface() = default;
Surface::Surface(Surface&&) noexcept = default;
Surface& Surface::operator=(Surface&&) noexcept = default;

Expected<Surface> Surface::build(const Mesh& mesh, const Progress& progress) {
    auto state = std::make_unique<State>();
    state->collect(mesh);
    if (auto built = state->build(progress); !built) return tl::unexpected(built.error());
    return Surface(std::move(state));
}

bool Surface::empty() const {
    return state_->indices.empty();
}

double Surface::distanceTo(const Vec3f& point, double within) const {
    State::Nearest nearest{*state_};
    return state_->query(point, within, nearest);
}

namespace {

/// Points of a mesh, each once: vertices where a triangle first uses them, middles of edges and
/// of faces. Of an open border only the edges that run upwards have theirs. Calls
/// visit(sum of points, how many, corners of the triangle, its index).
template <typename Visit>
void forEachSample(const Part& part, Visit&& visit) {
    const std::vector<Vec3f> points = positionsOf(part);
    std::vector<bool> seen(points.size(), false);
    std::size_t triangle = 0;
    forEachTriangle(part, [&](const Corners& t) {
        const std::array<Vec3f, 3> corners = {points[t[0]], points[t[1]], points[t[2]]};
        for (std::size_t k = 0; k < 3; ++k) {
            const std::size_t next = (k + 1) % 3;
            if (!seen[t[k]]) visit(corners[k], 1, corners, triangle);
            seen[t[k]] = true;
            if (t[k] < t[next]) visit(corners[k] + corners[next], 2, corners, triangle);
        }
        visit(corners[0] + corners[1] + corners[2], 3, corners, triangle++);
    });
}

/// Those points evenly thinned to about so many.
std::vector<SurfaceSample> samplesOf(std::span<const Part> parts, std::size_t triangles,
                                     std::size_t samples) {
    assert(samples > 0);
    constexpr double kSamplesPerFace = 3;
    const double all = kSamplesPerFace * static_cast<double>(triangles);
    const double stride = std::max(1.0, all / static_cast<double>(samples));
    std::vector<SurfaceSample> result;
    double next = 0;
    std::size_t sample = 0;
    std::size_t first = 0;  // triangle of the part
    for (const Part& part : parts) {
        if (!part.isTriangles()) continue;
        forEachSample(part, [&](const Vec3f& sum, int points, const auto& corners, std::size_t t) {
            if (static_cast<double>(sample++) < next) return;
            next += stride;
            const Vec3f normal = (corners[1] - corners[0]).cross(corners[2] - corners[0]);
            result.push_back({sum / static_cast<float>(points), normal,
                              static_cast<double>(normal.norm()),
                              static_cast<std::uint32_t>(first + t)});
        });
        first += part.triangleCount();
    }
    return result;
}

}  // namespace

const std::vector<SurfaceSample>& Surface::samples(std::size_t count) const {
    const std::scoped_lock lock(state_->sampling);
    const auto [entry, isNew] = state_->samples.try_emplace(count);
    if (isNew) entry->second = samplesOf(state_->parts, state_->indices.size() / 3, count);
    return entry->second;
}

namespace {

/// How far the nearest point of a surface can be: points come along a way, so no farther than
/// that of the one before, and the way from there to here.
class Reach {
public:
    /// Metres, for the next point.
    [[nodiscard]] double within(const Vec3f& point) const {
        const auto step = static_cast<double>((point - before_).norm());
        const auto slack = 1e-5 * static_cast<double>(point.norm());
        return (distance_ + step) * 1.001 + slack;
    }
    void note(const Vec3f& point, double distance) {
        before_ = point;
        distance_ = distance;
    }

private:
    double distance_ = std::numeric_limits<double>::infinity();
    Vec3f before_ = Vec3f::Zero();
};

}  // namespace

Deviation Surface::distancesFrom(std::span<const SurfaceSample> points) const {
    Deviation deviation;
    double weights = 0;
    Reach reach;
    for (const SurfaceSample& sample : points) {
        const double distance = distanceTo(sample.point, reach.within(sample.point));
        reach.note(sample.point, distance);
        deviation.largest = std::max(deviation.largest, distance);
        deviation.mean += sample.area * distance;
        weights += sample.area;
    }
    if (weights > 0) deviation.mean /= weights;
    return deviation;
}

void Surface::forEachNearest(
    std::span<const SurfaceSample> points,
    const std::function<void(std::size_t, const NearestPoint&)>& visit) const {
    if (empty()) return;
    Reach reach;
    for (std::size_t i = 0; i < points.size(); ++i) {
        State::Nearest found{*state_};
        const Vec3f& point = points[i].point;
        const double distance = state_->query(point, reach.within(point), found);
        if (found.triangle == State::kNone) continue;  // a point that is no number
        reach.note(point, distance);
        const Vec3f a = state_->corner(found.triangle, 0);
        visit(i,
              {found.point,
               (state_->corner(found.triangle, 1) - a).cross(state_->corner(found.triangle, 2) - a),
               found.triangle});
    }
}

double Surface::farthest(std::span<const SurfaceSample> points,
                         const DeviationSampling& sampling) const {
    // A few from all over first: the larger what is found early, the less is left to look for.
    constexpr std::size_t kFirst = 16;
    const State& own = *state_;
    double largest = sampling.least;
    std::uint32_t near = State::kNone;  // triangle
    const auto look = [&](const Vec3f& point) {
        double within = std::numeric_limits<double>::infinity();
        if (near != State::kNone) {
            within = static_cast<double>((own.closest(near, point) - point).norm());
            if (within <= largest) return;
        }
        State::Nearest nearest{own, true};
        (void)own.query(point, largest, nearest);
        if (nearest.triangle == State::kNone) {
            nearest.any = false;
            largest = std::max(largest, own.query(point, within, nearest));
        }
        if (nearest.triangle != State::kNone) near = nearest.triangle;
    };
    for (std::size_t i = 0; i < points.size() && largest <= sampling.most; i += kFirst)
        look(points[i].point);
    for (std::size_t i = 0; i < points.size() && largest <= sampling.most; ++i)
        if (i % kFirst != 0) look(points[i].point);
    return largest;
}

AttributeDeviation Surface::attributesFrom(const Mesh& mesh, std::size_t samples,
                                           double within) const {
    if (empty() || mesh.triangles == 0) return {};
    constexpr double kKept = 0.95;
    const State& own = *state_;
    const std::size_t step = mesh.triangles / samples + 1;
    const Vec3f third = Vec3f::Constant(1.0F / 3);
    double turned = 0;
    double normals = 0;
    std::vector<double> slides;
    for (const Part& part : mesh.parts) {
        if (!part.isTriangles()) continue;
        const Stream& positions = *part.find("POSITION");
        for (std::size_t t = 0; t < part.triangleCount(); t += step) {
            const Corners corners = cornersOf(part, t);
            const Vec3f middle = blend(positions, corners, third);
            State::Nearest nearest{own};
            (void)own.query(middle, within, nearest);
            if (nearest.triangle == State::kNone) continue;
            const auto after =
                std::upper_bound(own.firstOfPart.begin(), own.firstOfPart.end(), nearest.triangle);
            const auto p = static_cast<std::size_t>(after - own.firstOfPart.begin()) - 1;
            const Part& there = own.parts[p];
            const Corners met = cornersOf(there, nearest.triangle - own.firstOfPart[p]);
            const Vec3f weights = own.weightsAt(nearest.triangle, nearest.point);
            const auto pair = [&](const char* semantic) {
                return std::pair(part.find(semantic), there.find(semantic));
            };
            if (const auto [a, b] = pair("NORMAL"); a && b) {
                const Vec3f n = blend(*a, corners, third).normalized();
                const Vec3f m = blend(*b, met, weights).normalized();
                turned +=
                    toDegrees(std::acos(std::clamp(static_cast<double>(n.dot(m)), -1.0, 1.0)));
                normals += 1;
            }
            if (const auto [a, b] = pair("TEXCOORD_0"); a && b) {
                // Where pictures repeat a whole repeat makes no difference.
                const Vec3f off = blend(*a, corners, third) - blend(*b, met, weights);
                slides.push_back(static_cast<double>((off - off.array().round().matrix()).norm()));
            }
        }
    }
    AttributeDeviation result;
    if (normals > 0) result.normal = turned / normals;
    std::sort(slides.begin(), slides.end());
    slides.resize(static_cast<std::size_t>(kKept * static_cast<double>(slides.size())));
    for (const double slide : slides) result.texture += slide;
    if (!slides.empty()) result.texture *= own.textureScale() / static_cast<double>(slides.size());
    return result;
}

namespace {

/// From something to nothing.
constexpr double kNowhere = std::numeric_limits<double>::infinity();

/// [targets] The farthest that each moves any vertex, metres.
std::vector<float> reachOfTargets(const Mesh& mesh) {
    std::vector<float> reach;
    for (const Part& part : mesh.parts) {
        reach.resize(std::max(reach.size(), part.targets.size()), 0);
        for (std::size_t t = 0; t < part.targets.size(); ++t)
            for (const Attribute& attribute : part.targets[t])
                if (attribute.semantic == "POSITION")
                    for (const Vec3f& moved : toVectors(*attribute.stream))
                        reach[t] = std::max(reach[t], moved.norm());
    }
    return reach;
}

}  // namespace

Mesh posed(const Mesh& mesh, std::size_t target) {
    Mesh result = mesh;
    for (Part& part : result.parts) {
        if (target >= part.targets.size()) continue;
        for (const Attribute& attribute : part.targets[target]) {
            if (attribute.semantic != "POSITION") continue;
            std::vector<Vec3f> points = positionsOf(part);
            const std::vector<Vec3f> moved = toVectors(*attribute.stream);
            for (std::size_t v = 0; v < std::min(points.size(), moved.size()); ++v)
                points[v] += moved[v];
            part.set("POSITION", makeStream(points));
        }
    }
    return result;
}

PosedSurfaces::PosedSurfaces(const Mesh& mesh, std::vector<PoseMesh> poses)
    : PosedSurfaces(build(mesh, std::move(poses), noProgress()).value()) {}

Expected<PosedSurfaces> PosedSurfaces::build(const Mesh& mesh, std::vector<PoseMesh> poses,
                                             const Progress& progress) {
    constexpr std::size_t kMaxPoses = 16;
    const std::vector<float> reach = reachOfTargets(mesh);
    std::vector<std::size_t> targets;
    for (std::size_t t = 0; t < reach.size(); ++t)
        if (reach[t] > 0) targets.push_back(t);
    std::stable_sort(targets.begin(), targets.end(),
                     [&](std::size_t a, std::size_t b) { return reach[a] > reach[b]; });
    targets.resize(std::min(targets.size(), kMaxPoses));
    for (const std::size_t target : targets)
        poses.emplace_back([target](const Mesh& each) { return posed(each, target); });
    auto rest = Surface::build(mesh, progress);
    if (!rest) return tl::unexpected(rest.error());
    PosedSurfaces result(std::move(*rest), std::move(poses));
    for (const PoseMesh& pose : result.poses_) {
        auto moved = Surface::build(pose(mesh), progress);
        if (!moved) return tl::unexpected(moved.error());
        result.posed_.push_back(std::move(*moved));
    }
    return result;
}

double PosedSurfaces::largestDeviation(const Mesh& mesh, const DeviationSampling& sampling) const {
    double largest = flentro::largestDeviation(rest_, mesh, sampling);
    for (std::size_t i = 0; i < poses_.size() && largest <= sampling.most; ++i)
        largest =
            std::max(largest, flentro::largestDeviation(posed_[i], poses_[i](mesh), sampling));
    return largest;
}

Deviation measureDeviation(const Surface& a, const Mesh& b, std::size_t samples) {
    const Surface surfaceOfB(b);
    if (a.empty() && surfaceOfB.empty()) return {};
    if (a.empty() || surfaceOfB.empty()) return {kNowhere, kNowhere};
    const Deviation there = surfaceOfB.distancesFrom(a.samples(samples));
    const Deviation back = a.distancesFrom(surfaceOfB.samples(samples));
    return {std::max(there.largest, back.largest), std::max(there.mean, back.mean)};
}

double largestDeviation(const Surface& a, const Mesh& b, const DeviationSampling& sampling) {
    if (a.empty() && b.triangles == 0) return 0;
    if (a.empty() || b.triangles == 0) return kNowhere;
    const double back = a.farthest(samplesOf(b.parts, b.triangles, sampling.samples), sampling);
    if (back > sampling.most) return back;
    return Surface(b).farthest(a.samples(sampling.samples),
                               {sampling.samples, back, sampling.most});
}

}  // namespace flentro
