#include "geometry/crease.h"

#include <algorithm>
#include <cassert>
#include <cmath>
#include <numbers>

#include "base/disjoint_sets.h"
#include "geometry/weld.h"

namespace flentro {
namespace {

constexpr double kRadians = std::numbers::pi / 180;

std::array<Vec3f, 3> cornersOf(const Part& part, const std::vector<Vec3f>& points, std::size_t t) {
    return {points[part.indices[3 * t]], points[part.indices[3 * t + 1]],
            points[part.indices[3 * t + 2]]};
}

/// Zero for triangles without area.
Vec3f faceNormal(const std::array<Vec3f, 3>& p) {
    const Vec3d cross = (p[1] - p[0]).cast<double>().cross((p[2] - p[0]).cast<double>());
    const double length = cross.norm();
    return length > 0 && std::isfinite(length) ? (cross / length).cast<float>().eval()
                                               : Vec3f::Zero().eval();
}

float cornerAngle(const std::array<Vec3f, 3>& p, std::size_t corner) {
    const Vec3f a = p[(corner + 1) % 3] - p[corner];
    const Vec3f b = p[(corner + 2) % 3] - p[corner];
    return std::atan2(a.cross(b).norm(), a.dot(b));
}

/// The attributes that do not follow from the faces.
std::vector<Attribute> withoutShading(const std::vector<Attribute>& attributes) {
    std::vector<Attribute> kept;
    for (const Attribute& attribute : attributes)
        if (attribute.semantic != "NORMAL" && attribute.semantic != "TANGENT")
            kept.push_back(attribute);
    return kept;
}

Part withoutShading(const Part& part) {
    Part plain = part;
    plain.attributes = withoutShading(part.attributes);
    for (auto& target : plain.targets) target = withoutShading(target);
    return plain;
}

/// An edge of one triangle between two places.
struct Edge {
    std::uint32_t low, high;              ///< Places.
    std::uint32_t cornerLow, cornerHigh;  ///< Of the triangle, at these places.
};

std::vector<Edge> sortedEdges(const Part& part, const std::vector<std::uint32_t>& places) {
    std::vector<Edge> edges;
    edges.reserve(part.indices.size());
    for (std::uint32_t corner = 0; corner < part.indices.size(); ++corner) {
        const std::uint32_t next = corner % 3 == 2 ? corner - 2 : corner + 1;
        Edge edge{places[part.indices[corner]], places[part.indices[next]], corner, next};
        if (edge.low > edge.high) {
            std::swap(edge.low, edge.high);
            std::swap(edge.cornerLow, edge.cornerHigh);
        }
        if (edge.low != edge.high) edges.push_back(edge);
    }
    std::sort(edges.begin(), edges.end(), [](const Edge& a, const Edge& b) {
        return std::tie(a.low, a.high, a.cornerLow) < std::tie(b.low, b.high, b.cornerLow);
    });
    return edges;
}

/// Corners that share one normal: those around a place that meet along smooth edges.
DisjointSets smoothCorners(const std::vector<Edge>& edges, const std::vector<Vec3f>& faces,
                           std::size_t corners, double degrees) {
    constexpr std::size_t kManyFaces = 8;  // At one edge: no surface any more.
    DisjointSets sets(corners);
    const auto least = static_cast<float>(std::cos(degrees * kRadians));
    for (std::size_t first = 0; first < edges.size();) {
        std::size_t last = first;
        while (last < edges.size() && edges[last].low == edges[first].low &&
               edges[last].high == edges[first].high)
            ++last;
        for (std::size_t i = first; i < last; ++i)
            for (std::size_t k = i + 1; k < std::min(last, i + kManyFaces); ++k)
                if (faces[edges[i].cornerLow / 3].dot(faces[edges[k].cornerLow / 3]) >= least) {
                    sets.join(edges[i].cornerLow, edges[k].cornerLow);
                    sets.join(edges[i].cornerHigh, edges[k].cornerHigh);
                }
        first = last;
    }
    return sets;
}

/// Vertices as pairs of a source vertex and a set of corners, numbered as they first occur.
class SplitVertices {
public:
    explicit SplitVertices(std::size_t sets) : heads_(sets, kNone) {}

    std::uint32_t numberOf(std::uint32_t set, std::uint32_t source) {
        for (std::uint32_t at = heads_[set]; at != kNone; at = next_[at])
            if (sources_[at] == source) return at;
        const auto number = static_cast<std::uint32_t>(sources_.size());
        sources_.push_back(source);
        sets_.push_back(set);
        next_.push_back(heads_[set]);
        heads_[set] = number;
        return number;
    }
    [[nodiscard]] const std::vector<std::uint32_t>& sources() const { return sources_; }
    [[nodiscard]] const std::vector<std::uint32_t>& sets() const { return sets_; }

private:
    static constexpr std::uint32_t kNone = ~0U;
    std::vector<std::uint32_t> heads_;
    std::vector<std::uint32_t> sources_, sets_, next_;
};

std::vector<Vec3f> sumNormals(const Part& part, const std::vector<Vec3f>& points,
                              const std::vector<Vec3f>& faces, DisjointSets& sets) {
    std::vector<Vec3f> sums(part.indices.size(), Vec3f::Zero());
    for (std::uint32_t corner = 0; corner < part.indices.size(); ++corner) {
        const Vec3f& face = faces[corner / 3];
        if (face.isZero()) continue;
        const float angle = cornerAngle(cornersOf(part, points, corner / 3), corner % 3);
        sums[sets.find(corner)] += angle * face;
    }
    for (Vec3f& sum : sums) {
        const float length = sum.norm();
        sum = length > 1e-12F ? (sum / length).eval() : Vec3f::UnitY().eval();
    }
    return sums;
}

}  // namespace

bool isFaceShaded(const Part& part) {
    if (!part.isTriangles() || part.indices.empty()) return false;
    const Stream* normals = part.find("NORMAL");
    if (!normals) return true;
    const auto least = static_cast<float>(std::cos(2 * kRadians));
    const std::vector<Vec3f> points = positionsOf(part);
    const std::vector<Vec3f> given = toVectors(*normals);
    for (std::size_t t = 0; t < part.triangleCount(); ++t) {
        const Vec3f face = faceNormal(cornersOf(part, points, t));
        if (face.isZero()) continue;
        for (std::size_t c = 0; c < 3; ++c) {
            const Vec3f& normal = given[part.indices[3 * t + c]];
            const float length = normal.norm();
            if (length > 1e-6F && face.dot(normal) < least * length) return false;
        }
    }
    return true;
}

Part smoothByCrease(const Part& part, double degrees) {
    assert(degrees >= 0 && degrees <= 180);
    if (!part.isTriangles() || part.indices.empty()) return part;
    const Part plain = withoutShading(part);
    const std::vector<Vec3f> points = positionsOf(plain);
    std::vector<Vec3f> faces(plain.triangleCount());
    for (std::size_t t = 0; t < faces.size(); ++t)
        faces[t] = faceNormal(cornersOf(plain, points, t));
    DisjointSets sets = smoothCorners(sortedEdges(plain, firstEqualPosition(points)), faces,
                                      plain.indices.size(), degrees);
    const std::vector<Vec3f> normals = sumNormals(plain, points, faces, sets);
    const std::vector<std::uint32_t> equal = firstEqualVertex(plain);
    SplitVertices vertices(plain.indices.size());
    std::vector<std::uint32_t> indices(plain.indices.size());
    for (std::uint32_t corner = 0; corner < indices.size(); ++corner)
        indices[corner] = vertices.numberOf(sets.find(corner), equal[plain.indices[corner]]);
    std::vector<Vec3f> chosen;
    chosen.reserve(vertices.sets().size());
    for (const std::uint32_t set : vertices.sets()) chosen.push_back(normals[set]);
    Part result = selectVertices(plain, vertices.sources(), std::move(indices));
    result.set("NORMAL", makeStream(chosen));
    return result;
}

Part weldEqualVertices(const Part& part) {
    const std::vector<std::uint32_t> equal = firstEqualVertex(part);
    Part welded = part;
    for (std::uint32_t& index : welded.indices) index = equal[index];
    return dropUnusedVertices(welded);
}

}  // namespace flentro
