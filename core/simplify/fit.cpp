#include "simplify/fit.h"

#include <Eigen/LU>
#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <string>

#include "base/parallel.h"
#include "geometry/barycentric.h"
#include "geometry/weld.h"

namespace flentro {
namespace {

/// Of more vertices samples would take more memory than the reduction did.
constexpr std::size_t kMostVertices = 250'000;
/// Pairings with nearest points, each followed by a solution.
constexpr int kRounds = 2;
/// Passes of Gauss and Seidel over all vertices in a round.
constexpr int kPasses = 4;
/// Samples of the original for each vertex that is left.
constexpr std::size_t kSamplesPerVertex = 8;
/// Samples of what is left for each of its triangles.
constexpr std::size_t kOwnPerTriangle = 3;
/// What holds a vertex where it is, as a share of what pulls at it: where the surface is flat
/// nothing tells where along it a vertex belongs.
constexpr double kStay = 0.005;
/// Looks for what the moves have taken too far.
constexpr int kChecks = 6;
/// Cosine of the most that a face may turn.
constexpr double kSmallestTurn = 0.7;
/// Of its area that a face keeps at the least.
constexpr double kSmallestShare = 0.25;
constexpr std::size_t kRange = 1024;

/// A sample that draws the triangle beside it.
struct Pull {
    Corners vertices{};
    Vec3f weights = Vec3f::Zero();  ///< Of the vertices at the nearest point.
    Vec3f direction = Vec3f::Zero();
    float distance = 0;  ///< Left along the direction, metres.
    float area = 0;      ///< 0: it draws nothing.
};

/// How many samples are paired.
struct Sampling {
    std::size_t original = kDeviationSamples;
    std::size_t reduced = kDeviationSamples;
};

bool isSlid(const std::string& semantic) {
    return semantic == "NORMAL" || semantic.starts_with("TEXCOORD_") ||
           semantic.starts_with("COLOR_");
}

/// One number of each vertex, carried to where the vertices have gone from `before`: along the
/// mean slope of the faces around each, no farther than the values of their corners.
void slideComponent(const Part& part, std::span<const Vec3f> before, const std::vector<Vec3f>& now,
                    Stream& stream, int component) {
    struct Slope {
        float change = 0, weight = 0;
        float least = std::numeric_limits<float>::infinity(), most = -least;
    };
    std::vector<Slope> slopes(before.size());
    forEachTriangle(part, [&](const Corners& t) {
        const std::array values{stream.value(t[0], component), stream.value(t[1], component),
                                stream.value(t[2], component)};
        const auto [least, most] = std::ranges::minmax(values);
        const Vec3f u = before[t[1]] - before[t[0]];
        const Vec3f v = before[t[2]] - before[t[0]];
        const Vec3f normal = u.cross(v);
        const float size = normal.norm();
        if (!(size > 0)) return;
        for (const std::uint32_t corner : t) {
            const Vec3f move = now[corner] - before[corner];
            Slope& slope = slopes[corner];
            slope.change += (move.cross(v).dot(normal) * (values[1] - values[0]) +
                             u.cross(move).dot(normal) * (values[2] - values[0])) /
                            size;
            slope.weight += size;
            slope.least = std::min(slope.least, least);
            slope.most = std::max(slope.most, most);
        }
    });
    for (std::size_t v = 0; v < slopes.size(); ++v) {
        const auto& [change, weight, least, most] = slopes[v];
        if (change == 0 || !(weight > 0)) continue;
        stream.set(v, component,
                   std::clamp(stream.value(v, component) + change / weight, least, most));
    }
}

void normalize(Stream& normals) {
    for (std::size_t v = 0; v < normals.count(); ++v) {
        const Vec3f n(normals.value(v, 0), normals.value(v, 1), normals.value(v, 2));
        const float length = n.norm();
        for (int c = 0; length > 0 && c < 3; ++c) normals.set(v, c, n[c] / length);
    }
}

/// Carries normals, texture coordinates and colours along with vertices that were at `before`.
void slide(Part& part, std::span<const Vec3f> before) {
    const std::vector<Vec3f> now = positionsOf(part);
    for (Attribute& attribute : part.attributes) {
        if (!isSlid(attribute.semantic)) continue;
        Stream stream = *attribute.stream;
        for (int c = 0; c < stream.components; ++c) slideComponent(part, before, now, stream, c);
        if (attribute.semantic == "NORMAL") normalize(stream);
        attribute.stream = std::make_shared<const Stream>(std::move(stream));
    }
}

/// By its normals of any length: true if a face looks elsewhere or has lost its area.
bool hasTurned(const Vec3f& before, const Vec3f& after) {
    const Vec3d from = before.cast<double>();
    const Vec3d to = after.cast<double>();
    return to.dot(from) < kSmallestTurn * to.norm() * from.norm() ||
           to.norm() < kSmallestShare * from.norm();
}

class Fit {
public:
    Fit(const Surface& original, const Mesh& reduced, std::span<const Vec3f> held)
        : original_(original),
          mesh_(reduced),
          welded_(weldPositions(reduced)),
          start_(welded_.points) {
        findFixed(held);
    }

    /// Nothing that is measured lies farther off than `most` afterwards, if nothing did before.
    /// Errors: Cancelled.
    Expected<void> run(float most, const Progress& progress) {
        for (int round = 0; round < kRounds; ++round) {
            const Sampling fine{std::max(kDeviationSamples, kSamplesPerVertex * mesh_.vertices),
                                std::max(kDeviationSamples, kOwnPerTriangle * mesh_.triangles)};
            if (auto paired = pairSamples(fine, progress); !paired) return paired;
            solve();
            apply();
        }
        for (int check = 0; check < kChecks; ++check) {
            if (auto paired = pairSamples({}, progress); !paired) return paired;
            if (!restoreBeyond(most)) break;
            apply();
        }
        return {};
    }

    /// The mesh with its attributes as they were where vertices are now.
    [[nodiscard]] Mesh take() {
        for (std::size_t p = 0; p < mesh_.parts.size(); ++p)
            if (mesh_.parts[p].isTriangles())
                slide(mesh_.parts[p],
                      {start_.data() + welded_.firstPoints[p], mesh_.parts[p].vertexCount()});
        return std::move(mesh_);
    }

private:
    [[nodiscard]] Corners cornersAt(std::size_t triangle) const {
        const std::uint32_t* first = welded_.corners.data() + 3 * triangle;
        return {first[0], first[1], first[2]};
    }
    [[nodiscard]] Vec3f crossAt(const Corners& t, const std::vector<Vec3f>& positions) const {
        return (positions[t[1]] - positions[t[0]]).cross(positions[t[2]] - positions[t[0]]);
    }

    /// Vertices of edges that are not between two triangles, and those held.
    void findFixed(std::span<const Vec3f> held) {
        std::vector<Vec3f> all(held.begin(), held.end());
        all.insert(all.end(), welded_.points.begin(), welded_.points.end());
        const std::vector<std::uint32_t> first = firstEqualPosition(all);
        fixed_.assign(welded_.points.size(), false);
        for (std::size_t v = 0; v < fixed_.size(); ++v)
            fixed_[v] = first[held.size() + v] < held.size();
        std::vector<std::pair<std::uint32_t, std::uint32_t>> edges;
        edges.reserve(welded_.corners.size());
        for (std::size_t t = 0; 3 * t < welded_.corners.size(); ++t) {
            const Corners corners = cornersAt(t);
            for (std::size_t k = 0; k < 3; ++k)
                edges.push_back(std::minmax(corners[k], corners[(k + 1) % 3]));
        }
        std::sort(edges.begin(), edges.end());
        for (auto edge = edges.begin(); edge != edges.end();) {
            const auto next = std::upper_bound(edge, edges.end(), *edge);
            if (next - edge != 2) fixed_[edge->first] = fixed_[edge->second] = true;
            edge = next;
        }
    }

    /// What draws a point of the triangle `t` to `target`; nothing if that surface looks the other
    /// way, as the far side of a thin thing does.
    [[nodiscard]] Pull pullOf(const Corners& t, const Vec3f& at,
                              const SurfaceSample& target) const {
        const std::vector<Vec3f>& positions = welded_.points;
        const Vec3f normal = crossAt(t, positions);
        const float size = normal.squaredNorm();
        if (!(size > 0) || !(target.normal.dot(normal) > 0))
            return {t, Vec3f::Zero(), Vec3f::Zero(), (target.point - at).norm(), 0};
        const Vec3f weights = barycentric(positions[t[0]], positions[t[1]], positions[t[2]], at);
        Pull pull{t, weights, target.point - at, 0, 0};
        pull.distance = pull.direction.norm();
        pull.direction = pull.distance > 0 ? Vec3f(pull.direction / pull.distance)
                                           : Vec3f(normal / std::sqrt(size));
        pull.area = static_cast<float>(target.area);
        return pull;
    }

    /// Samples of the original with the nearest points of the reduced surface, and the other way.
    /// Errors: Cancelled.
    Expected<void> pairSamples(const Sampling& sampling, const Progress& progress) {
        const auto built = Surface::build(mesh_, progress);
        if (!built) return tl::unexpected(built.error());
        const Surface& surface = *built;
        const auto& theirs = original_.samples(sampling.original);
        const auto& own = surface.samples(sampling.reduced);
        pulls_.assign(theirs.size() + own.size(), {});
        const auto pair = [&](const Surface& with, const std::vector<SurfaceSample>& samples,
                              auto&& pullAt) {
            parallelRanges(samples.size(), kRange, [&](std::size_t begin, std::size_t end) {
                if (progress.cancelled()) return;
                with.forEachNearest(
                    {samples.data() + begin, end - begin},
                    [&](std::size_t i, const NearestPoint& found) { pullAt(begin + i, found); });
            });
        };
        pair(surface, theirs, [&](std::size_t i, const NearestPoint& found) {
            pulls_[i] = pullOf(cornersAt(found.triangle), found.point, theirs[i]);
        });
        pair(original_, own, [&](std::size_t i, const NearestPoint& found) {
            pulls_[theirs.size() + i] =
                pullOf(cornersAt(own[i].triangle), own[i].point,
                       {found.point, found.normal, own[i].area, found.triangle});
        });
        if (progress.cancelled()) return stopped("Reducing");
        return {};
    }

    /// Puts vertices back around what lies farther off than that. Returns true if any were.
    bool restoreBeyond(float most) {
        bool found = false;
        moves_.assign(moves_.size(), Vec3f::Zero());
        for (const Pull& pull : pulls_) {
            if (!(pull.distance > most)) continue;
            for (const std::uint32_t v : pull.vertices) {
                moves_[v] = start_[v] - welded_.points[v];
                found = found || moves_[v] != Vec3f::Zero();
            }
        }
        return found;
    }

    /// Gauss-Seidel over the vertices; of each a system of three by three.
    void solve() {
        const std::size_t vertices = welded_.points.size();
        std::vector<std::uint32_t> begins(vertices + 1, 0);
        const auto forEachEnd = [&](auto&& visit) {
            for (std::uint32_t p = 0; p < pulls_.size(); ++p)
                for (std::uint32_t k = 0; pulls_[p].area > 0 && k < 3; ++k)
                    if (!fixed_[pulls_[p].vertices[k]]) visit(pulls_[p].vertices[k], 3 * p + k);
        };
        forEachEnd([&](std::uint32_t v, std::uint32_t) { ++begins[v + 1]; });
        for (std::size_t v = 0; v < vertices; ++v) begins[v + 1] += begins[v];
        std::vector<std::uint32_t> ends(begins.back());
        std::vector<std::uint32_t> next(begins.begin(), begins.end() - 1);
        forEachEnd([&](std::uint32_t v, std::uint32_t end) { ends[next[v]++] = end; });
        const auto endsOf = [&](std::size_t v) {
            return std::span(ends).subspan(begins[v], begins[v + 1] - begins[v]);
        };
        std::vector<Spring> springs(vertices);
        parallelRanges(vertices, kRange, [&](std::size_t begin, std::size_t end) {
            for (std::size_t v = begin; v < end; ++v) springs[v] = springOf(endsOf(v));
        });
        moves_.assign(vertices, Vec3f::Zero());
        for (int pass = 0; pass < kPasses; ++pass)
            for (std::size_t v = 0; v < vertices; ++v)
                if (springs[v].stay > 0) relax(v, springs[v], endsOf(v));
    }

    /// What a vertex gives way by.
    struct Spring {
        Eigen::Matrix3f inverse = Eigen::Matrix3f::Zero();
        float stay = 0;
    };

    [[nodiscard]] Spring springOf(std::span<const std::uint32_t> ends) const {
        Eigen::Matrix3d form = Eigen::Matrix3d::Zero();
        for (const std::uint32_t end : ends) {
            const Pull& pull = pulls_[end / 3];
            const Vec3d along = (pull.weights[end % 3] * pull.direction).cast<double>();
            form += static_cast<double>(pull.area) * along * along.transpose();
        }
        const double stay = kStay * form.trace();
        if (!(stay > 0)) return {};
        form += stay * Eigen::Matrix3d::Identity();
        return {form.inverse().cast<float>(), static_cast<float>(stay)};
    }

    /// Moves one vertex to where what draws at it is least, while all others stay.
    void relax(std::size_t vertex, const Spring& spring, std::span<const std::uint32_t> ends) {
        Vec3f right = -spring.stay * moves_[vertex];
        for (const std::uint32_t end : ends) {
            const Pull& pull = pulls_[end / 3];
            right += pull.area * pull.distance * pull.weights[end % 3] * pull.direction;
        }
        const Vec3f step = spring.inverse * right;
        moves_[vertex] += step;
        for (const std::uint32_t end : ends) {
            Pull& pull = pulls_[end / 3];
            pull.distance -= pull.weights[end % 3] * pull.direction.dot(step);
        }
    }

    /// Puts vertices back until no face has turned from where it was at first.
    void undoTurned() {
        std::vector<Vec3f> moved = welded_.points;
        for (std::size_t v = 0; v < moved.size(); ++v) moved[v] += moves_[v];
        for (bool again = true; again;) {
            again = false;
            for (std::size_t t = 0; 3 * t < welded_.corners.size(); ++t) {
                const Corners corners = cornersAt(t);
                if (!hasTurned(crossAt(corners, start_), crossAt(corners, moved))) continue;
                for (const std::uint32_t v : corners) {
                    again = again || moved[v] != start_[v];
                    moved[v] = start_[v];
                    moves_[v] = start_[v] - welded_.points[v];
                }
            }
        }
    }

    /// Moves the vertices, as far as no face turns.
    void apply() {
        undoTurned();
        for (std::size_t v = 0; v < welded_.points.size(); ++v)
            if (welded_.same[v] == v) welded_.points[v] += moves_[v];
        for (std::size_t v = 0; v < welded_.points.size(); ++v)
            welded_.points[v] = welded_.points[welded_.same[v]];
        for (std::size_t p = 0; p < mesh_.parts.size(); ++p) {
            Part& part = mesh_.parts[p];
            if (!part.isTriangles()) continue;
            const auto first = welded_.points.begin() + welded_.firstPoints[p];
            part.set("POSITION", makeStream(std::vector<Vec3f>(
                                     first, first + static_cast<long>(part.vertexCount()))));
        }
    }

    const Surface& original_;
    Mesh mesh_;
    WeldedMesh welded_;
    std::vector<Vec3f> start_;  ///< [V]
    std::vector<bool> fixed_;   ///< [V]
    std::vector<Vec3f> moves_;  ///< [V]
    std::vector<Pull> pulls_;
};

}  // namespace

Expected<MeshPtr> fitVertices(const Surface& original, const MeshPtr& reduced,
                              std::span<const Vec3f> held, double maxDeviation,
                              const Progress& progress) {
    const bool deforms = std::ranges::any_of(reduced->parts, &Part::isDeformable);
    if (deforms || reduced->triangles == 0 || original.empty()) return reduced;
    if (reduced->vertices > kMostVertices) return reduced;
    const Deviation before = measureDeviation(original, *reduced);
    const double most = std::isfinite(maxDeviation) ? maxDeviation : before.largest;
    Fit fit(original, *reduced, held);
    if (auto done = fit.run(static_cast<float>(most), progress); !done)
        return tl::unexpected(done.error());
    MeshPtr fitted = finishMesh(fit.take());
    const Deviation after = measureDeviation(original, *fitted);
    return after.mean < before.mean && after.largest <= most ? fitted : reduced;
}

}  // namespace flentro
