#include "geometry/congruence.h"

#include <Eigen/LU>
#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <unordered_map>

#include "base/index.h"
#include "geometry/cell.h"

namespace flentro {
namespace {

/// Attempts to lay a rare triangle onto those of the other mesh.
constexpr std::size_t kAttempts = 48;

/// How far a first motion, from one triangle, may be off, in tolerances.
constexpr double kCoarse = 20;

/// Descriptors of triangles that differ by less are of one kind, in sizes of the mesh.
constexpr double kKind = 2e-3;

/// What counts as the same attribute.
constexpr double kSameDirection = 0.9994;  ///< Cosine, 2 degrees.
constexpr float kSameValue = 1e-4F;        ///< Texture coordinates, in repeats.
constexpr float kSameColor = 0.006F;       ///< 1.5 of 255.

constexpr double kSameMotion = 1e-7;

using Triangle = std::array<std::uint32_t, 3>;
bool isDirection(const std::string& semantic) {
    return semantic == "NORMAL" || semantic == "TANGENT";
}

/// Sorted edges and distance of the middle from that of the mesh.
using Descriptor = std::array<double, 4>;

double apart(const Descriptor& a, const Descriptor& b) {
    double most = 0;
    for (std::size_t i = 0; i < a.size(); ++i) most = std::max(most, std::fabs(a[i] - b[i]));
    return most;
}

}  // namespace

struct Shape::State {
    struct Face {
        int material = -1;
        Triangle corners{};
        Descriptor descriptor{};
        double area = 0;
    };
    struct Slot {
        std::string semantic;
        int components = 0;
        std::size_t at = 0;  ///< In the values of a vertex.
    };

    const Mesh& mesh;
    Hash key;
    double radiusOfGyration = 0;
    double size = 0;  ///< Root of the area.
    double diagonal = 0;
    Vec3d middle = Vec3d::Zero();
    bool bends = false;
    std::vector<Vec3d> points;             ///< [V] of all parts.
    std::vector<std::uint32_t> rows;       ///< [V] First value in `values`.
    std::vector<float> values;             ///< Other attributes, each vertex's together.
    std::vector<std::vector<Slot>> slots;  ///< [parts]
    std::vector<std::uint32_t> partOf;     ///< [V]
    std::vector<Face> faces;

    State(const Mesh& of, std::span<const int> materials) : mesh(of) {
        Hasher hasher;
        std::map<Hash, std::size_t> kinds;
        for (std::uint32_t p = 0; p < mesh.parts.size(); ++p) {
            const Part& part = mesh.parts[p];
            bends = bends || part.isDeformable();
            const int own = part.material;
            const int material = own >= 0 && !materials.empty() ? elementOf(materials, own) : own;
            addPart(part, p, material);
            Hasher kind;
            kind.add(material).add(part.mode).add(part.triangleCount());
            std::vector<std::string> semantics;
            for (const Attribute& attribute : part.attributes)
                semantics.push_back(attribute.semantic);
            std::sort(semantics.begin(), semantics.end());
            for (const std::string& semantic : semantics) kind.text(semantic);
            ++kinds[kind.result()];
        }
        for (const auto& [kind, count] : kinds) hasher.add(kind).add(count);
        key = hasher.result();
        diagonal = mesh.bounds.isEmpty() ? 0 : mesh.bounds.diagonal().norm();
        measure();
    }

    void addPart(const Part& part, std::uint32_t index, int material) {
        const auto base = static_cast<std::uint32_t>(points.size());
        slots.emplace_back();
        std::size_t width = 0;
        for (const Attribute& attribute : part.attributes) {
            if (attribute.semantic == "POSITION") continue;
            slots.back().push_back({attribute.semantic, attribute.stream->components, width});
            width += static_cast<std::size_t>(attribute.stream->components);
        }
        const Stream* positions = part.find("POSITION");
        for (std::uint32_t v = 0; v < part.vertexCount(); ++v) {
            points.emplace_back(positions->value(v, 0), positions->value(v, 1),
                                positions->value(v, 2));
            partOf.push_back(index);
            rows.push_back(static_cast<std::uint32_t>(values.size()));
            for (const Attribute& attribute : part.attributes)
                if (attribute.semantic != "POSITION")
                    for (int c = 0; c < attribute.stream->components; ++c)
                        values.push_back(attribute.stream->value(v, c));
        }
        forEachTriangle(part, [&](const Corners& t) {
            faces.push_back({material, {base + t[0], base + t[1], base + t[2]}, {}, 0});
        });
    }

    /// Area, middle and spread, and what describes each triangle without its place.
    void measure() {
        double area = 0;
        for (Face& face : faces) {
            const Vec3d& a = points[face.corners[0]];
            const Vec3d& b = points[face.corners[1]];
            const Vec3d& c = points[face.corners[2]];
            face.area = 0.5 * (b - a).cross(c - a).norm();
            area += face.area;
            middle += face.area * (a + b + c) / 3;
        }
        if (!(area > 0)) return;
        middle /= area;
        size = std::sqrt(area);
        for (Face& face : faces) {
            const Vec3d centre =
                (points[face.corners[0]] + points[face.corners[1]] + points[face.corners[2]]) / 3;
            radiusOfGyration += face.area / area * (centre - middle).squaredNorm() / area;
            for (std::size_t k = 0; k < 3; ++k)
                face.descriptor[k] =
                    (points[face.corners[(k + 1) % 3]] - points[face.corners[k]]).norm() / size;
            std::sort(face.descriptor.begin(), face.descriptor.begin() + 3);
            face.descriptor[3] = (centre - middle).norm() / size;
        }
    }

    /// The largest triangle of a kind of which there are the fewest, and all triangles alike.
    [[nodiscard]] const Face& rarest() const {
        std::map<std::pair<int, std::array<long, 4>>, std::pair<std::size_t, const Face*>> kinds;
        for (const Face& face : faces) {
            std::array<long, 4> bin{};
            for (std::size_t i = 0; i < 4; ++i) bin[i] = std::lround(face.descriptor[i] / kKind);
            auto& [count, largest] = kinds[{face.material, bin}];
            ++count;
            if (!largest || face.area > largest->area) largest = &face;
        }
        // Many of a small kind do less harm than a direction from a sliver.
        const Face* best = &faces.front();
        double most = -1;
        for (const auto& [kind, entry] : kinds) {
            const double worth = entry.second->area / static_cast<double>(entry.first);
            if (worth <= most) continue;
            most = worth;
            best = entry.second;
        }
        return *best;
    }

    [[nodiscard]] bool isSameAttributes(std::uint32_t own, const State& other, std::uint32_t theirs,
                                        const Eigen::Matrix3d& turn) const {
        const float* a = values.data() + rows[own];
        const float* b = other.values.data() + other.rows[theirs];
        const auto& mine = slots[partOf[own]];
        const auto& yours = other.slots[other.partOf[theirs]];
        if (mine.size() != yours.size()) return false;
        for (const Slot& slot : mine) {
            const auto found = std::find_if(yours.begin(), yours.end(), [&](const Slot& s) {
                return s.semantic == slot.semantic && s.components == slot.components;
            });
            if (found == yours.end()) return false;
            const float* s = a + slot.at;
            const float* t = b + found->at;
            int from = 0;
            if (isDirection(slot.semantic)) {
                const Vec3d u = (turn * Vec3d(s[0], s[1], s[2])).normalized();
                const Vec3d v = Vec3d(t[0], t[1], t[2]).normalized();
                if (!(u.dot(v) >= kSameDirection) && !(u.isZero() && v.isZero())) return false;
                from = 3;
            }
            const float same = slot.semantic.starts_with("COLOR") ? kSameColor : kSameValue;
            for (int c = from; c < slot.components; ++c)
                if (!(std::fabs(s[c] - t[c]) <= same)) return false;
        }
        return true;
    }
};

namespace {

/// Vertices of one mesh by their places.
template <typename State>
class VertexGrid {
public:
    VertexGrid(const State& state, double tolerance) : state_(state), edge_(2 * tolerance) {
        for (std::uint32_t v = 0; v < state.points.size(); ++v)
            cells_[cellOf(state.points[v])].push_back(v);
    }

    /// Finds equal vertices: needed for first().
    void weld(double tolerance) {
        const Eigen::Matrix3d still = Eigen::Matrix3d::Identity();
        first_.resize(state_.points.size(), kNone);
        for (std::uint32_t v = 0; v < first_.size(); ++v)
            if (first_[v] == kNone)
                forEachNear(state_.points[v], tolerance, [&](std::uint32_t other) {
                    if (first_[other] == kNone && state_.isSameAttributes(v, state_, other, still))
                        first_[other] = v;
                });
    }

    static constexpr std::uint32_t kNone = ~0U;

    /// The first of the vertices that are equal to this one.
    [[nodiscard]] std::uint32_t first(std::uint32_t vertex) const { return first_[vertex]; }

    /// That of the vertices at a position, with the attributes of a vertex of another mesh.
    [[nodiscard]] std::uint32_t find(const Vec3d& position, double tolerance, const State& from,
                                     std::uint32_t vertex, const Eigen::Matrix3d& turn) const {
        std::uint32_t found = kNone;
        double nearest = tolerance;
        forEachNear(position, tolerance, [&](std::uint32_t v) {
            const double distance = (state_.points[v] - position).norm();
            if (distance > nearest || !from.isSameAttributes(vertex, state_, v, turn)) return;
            nearest = distance;
            found = v;
        });
        return found;
    }

private:
    [[nodiscard]] Cell cellOf(const Vec3d& p) const { return cellAt(p, edge_); }

    template <typename Visit>
    void forEachNear(const Vec3d& position, double tolerance, Visit&& visit) const {
        const Vec3d reach = Vec3d::Constant(tolerance);
        const Cell low = cellOf(position - reach);
        const Cell high = cellOf(position + reach);
        for (long x = low[0]; x <= high[0]; ++x)
            for (long y = low[1]; y <= high[1]; ++y)
                for (long z = low[2]; z <= high[2]; ++z) {
                    const auto cell = cells_.find({x, y, z});
                    if (cell == cells_.end()) continue;
                    for (const std::uint32_t v : cell->second)
                        if ((state_.points[v] - position).norm() <= tolerance) visit(v);
                }
    }

    const State& state_;
    double edge_;
    std::unordered_map<Cell, std::vector<std::uint32_t>, HashCell> cells_;
    std::vector<std::uint32_t> first_;
};

Triangle lowestFirst(Triangle t) {
    while (t[0] > t[1] || t[0] > t[2]) t = {t[1], t[2], t[0]};
    return t;
}

}  // namespace

namespace {

/// Tries motions from one shape to another.
template <typename State>
class Matcher {
public:
    Matcher(const State& from, const State& to, double tolerance)
        : from_(from),
          to_(to),
          tolerance_(tolerance * to.diagonal),
          fine_(to, tolerance_),
          coarse_(to, kCoarse * tolerance_) {
        fine_.weld(tolerance_);
        for (const auto& face : to.faces) target_.push_back(faceKey(face, fine_));
        std::sort(target_.begin(), target_.end());
    }

    /// The motion, settled over all vertices, if it takes one mesh to the other.
    [[nodiscard]] std::optional<Mat4d> settle(const Mat4d& motion) const {
        if (isExact(motion)) return motion;
        auto better = fitted(motion);
        if (better && isExact(*better)) return better;
        return std::nullopt;
    }

private:
    using FaceKey = std::pair<int, Triangle>;

    template <typename Face>
    static FaceKey faceKey(const Face& face, const VertexGrid<State>& grid) {
        Triangle corners{};
        for (std::size_t k = 0; k < 3; ++k) corners[k] = grid.first(face.corners[k]);
        return {face.material, lowestFirst(corners)};
    }

    /// Unit rotation, or rotation with mirroring, of a motion.
    static Eigen::Matrix3d turnOf(const Mat4d& motion) {
        const Eigen::Matrix3d linear = motion.topLeftCorner<3, 3>();
        return linear / std::cbrt(std::fabs(linear.determinant()));
    }

    [[nodiscard]] bool isExact(const Mat4d& motion) const {
        const Eigen::Matrix3d turn = turnOf(motion);
        const bool mirrored = turn.determinant() < 0;
        std::vector<std::uint32_t> moved(from_.points.size(), VertexGrid<State>::kNone);
        std::vector<FaceKey> faces;
        faces.reserve(from_.faces.size());
        for (const auto& face : from_.faces) {
            Triangle corners{};
            for (std::size_t k = 0; k < 3; ++k) {
                std::uint32_t& to = moved[face.corners[k]];
                if (to == VertexGrid<State>::kNone) {
                    to = fine_.find(transformPoint(motion, from_.points[face.corners[k]]),
                                    tolerance_, from_, face.corners[k], turn);
                    if (to == VertexGrid<State>::kNone) return false;
                    to = fine_.first(to);
                }
                corners[k] = to;
            }
            if (mirrored) std::swap(corners[1], corners[2]);
            faces.emplace_back(face.material, lowestFirst(corners));
        }
        std::sort(faces.begin(), faces.end());
        return faces == target_;
    }

    /// A better motion from the vertices that a rough one brings near to their like.
    [[nodiscard]] std::optional<Mat4d> fitted(const Mat4d& motion) const {
        constexpr std::size_t kMax = 2000;
        const Eigen::Matrix3d turn = turnOf(motion);
        const double flip = turn.determinant() < 0 ? -1 : 1;
        const std::size_t step = from_.points.size() / kMax + 1;
        std::vector<Vec3d> here;
        std::vector<Vec3d> there;
        for (std::uint32_t v = 0; v < from_.points.size(); v += static_cast<std::uint32_t>(step)) {
            const std::uint32_t found = coarse_.find(transformPoint(motion, from_.points[v]),
                                                     kCoarse * tolerance_, from_, v, turn);
            if (found == VertexGrid<State>::kNone) return std::nullopt;
            here.emplace_back(flip * from_.points[v]);
            there.push_back(to_.points[found]);
        }
        if (here.size() < 3) return std::nullopt;
        const auto columns = static_cast<Eigen::Index>(here.size());
        const Eigen::Map<const Eigen::Matrix3Xd> source(here.front().data(), 3, columns);
        const Eigen::Map<const Eigen::Matrix3Xd> target(there.front().data(), 3, columns);
        Mat4d better = Eigen::umeyama(source, target, true);
        better.topLeftCorner<3, 3>() *= flip;
        return isFinite(better) ? std::optional(better) : std::nullopt;
    }

    const State& from_;
    const State& to_;
    const double tolerance_;
    VertexGrid<State> fine_;
    const VertexGrid<State> coarse_;
    std::vector<FaceKey> target_;
};

/// The similarity that takes three points to three others; nothing if they are on a line.
std::optional<Mat4d> motionOf(const std::array<Vec3d, 3>& from, const std::array<Vec3d, 3>& to,
                              double scale, bool mirrored) {
    const auto frame = [](const std::array<Vec3d, 3>& p) {
        Eigen::Matrix3d axes;
        axes.col(0) = (p[1] - p[0]).normalized();
        axes.col(2) = (p[1] - p[0]).cross(p[2] - p[0]).normalized();
        axes.col(1) = axes.col(2).cross(axes.col(0));
        return axes;
    };
    const Eigen::Matrix3d a = frame(from);
    Eigen::Matrix3d b = frame(to);
    if (!a.allFinite() || !b.allFinite()) return std::nullopt;
    if (mirrored) b.col(2) = -b.col(2);
    Mat4d motion = Mat4d::Identity();
    motion.topLeftCorner<3, 3>() = scale * b * a.transpose();
    motion.topRightCorner<3, 1>() =
        (to[0] + to[1] + to[2]) / 3 -
        motion.topLeftCorner<3, 3>() * (from[0] + from[1] + from[2]) / 3;
    return motion;
}

}  // namespace

Shape::Shape(const Mesh& mesh, std::span<const int> materials)
    : state_(std::make_unique<const State>(mesh, materials)) {}
Shape::~Shape() = default;
Shape::Shape(Shape&&) noexcept = default;
Shape& Shape::operator=(Shape&&) noexcept = default;

const Hash& Shape::key() const {
    return state_->key;
}
double Shape::radiusOfGyration() const {
    return state_->radiusOfGyration;
}

std::optional<Mat4d> Shape::similarityTo(const Shape& other, double tolerance, bool moved) const {
    const State& a = *state_;
    const State& b = *other.state_;
    if (a.bends || b.bends || a.key != b.key || !(a.size > 0) || !(b.size > 0)) return std::nullopt;
    const Matcher<State> matcher(a, b, tolerance);
    if (auto still = matcher.settle(Mat4d::Identity())) {
        const bool same = (*still - Mat4d::Identity()).cwiseAbs().maxCoeff() < kSameMotion;
        if (same) return Mat4d(Mat4d::Identity());
        if (moved) return still;
    }
    if (!moved) return std::nullopt;
    const auto& rare = a.rarest();
    const auto cornersOf = [](const State& state, const State::Face& face, std::size_t first,
                              bool backwards) {
        std::array<Vec3d, 3> corners;
        for (std::size_t k = 0; k < 3; ++k)
            corners[k] = state.points[face.corners[(first + (backwards ? 3 - k : k)) % 3]];
        return corners;
    };
    const std::array<Vec3d, 3> from = cornersOf(a, rare, 0, false);
    const double scale = b.size / a.size;
    std::size_t attempts = 0;
    for (const State::Face& face : b.faces) {
        if (face.material != rare.material || apart(face.descriptor, rare.descriptor) > kKind)
            continue;
        for (const bool mirrored : {false, true})
            for (std::size_t first = 0; first < 3; ++first) {
                const std::array<Vec3d, 3> to = cornersOf(b, face, first, mirrored);
                double worst = 0;
                for (std::size_t k = 0; k < 3; ++k)
                    worst = std::max(worst, std::fabs((from[(k + 1) % 3] - from[k]).norm() * scale -
                                                      (to[(k + 1) % 3] - to[k]).norm()));
                if (worst > kKind * b.size) continue;
                if (++attempts > kAttempts) return std::nullopt;
                const auto rough = motionOf(from, to, scale, mirrored);
                if (!rough) continue;
                if (auto motion = matcher.settle(*rough)) return motion;
            }
    }
    return std::nullopt;
}

}  // namespace flentro
