#include "geometry/crease.h"

#include <algorithm>
#include <cassert>
#include <cmath>
#include <numbers>
#include <numeric>
#include <tuple>

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

/// By their places: first filed by the lower one, then sorted among the few there.
std::vector<Edge> sortedEdges(const Part& part, const std::vector<std::uint32_t>& places) {
    std::vector<Edge> found;
    found.reserve(part.indices.size());
    std::vector<std::uint32_t> begins(places.size() + 1, 0);
    for (std::uint32_t corner = 0; corner < part.indices.size(); ++corner) {
        const std::uint32_t next = corner % 3 == 2 ? corner - 2 : corner + 1;
        Edge edge{places[part.indices[corner]], places[part.indices[next]], corner, next};
        if (edge.low == edge.high) continue;
        if (edge.low > edge.high) {
            std::swap(edge.low, edge.high);
            std::swap(edge.cornerLow, edge.cornerHigh);
        }
        found.push_back(edge);
        ++begins[edge.low + 1];
    }
    std::partial_sum(begins.begin(), begins.end(), begins.begin());
    std::vector<Edge> edges(found.size());
    std::vector<std::uint32_t> ends(begins.begin(), begins.end() - 1);
    for (const Edge& edge : found) edges[ends[edge.low]++] = edge;
    for (std::size_t place = 0; place < places.size(); ++place)
        std::sort(edges.begin() + begins[place], edges.begin() + begins[place + 1],
                  [](const Edge& a, const Edge& b) {
                      return std::tie(a.high, a.cornerLow) < std::tie(b.high, b.cornerLow);
                  });
    return edges;
}

/// The triangle that an edge is of.
std::uint32_t faceOf(const Edge& edge) {
    return edge.cornerLow / 3;
}

/// Calls visit(edge, edge) for each two triangles at one edge.
template <typename Visit>
void forEachMeeting(const std::vector<Edge>& edges, Visit&& visit) {
    constexpr std::size_t kManyFaces = 8;  // At one edge: no surface any more.
    for (std::size_t first = 0; first < edges.size();) {
        std::size_t last = first;
        while (last < edges.size() && edges[last].low == edges[first].low &&
               edges[last].high == edges[first].high)
            ++last;
        for (std::size_t i = first; i < last; ++i)
            for (std::size_t k = i + 1; k < std::min(last, i + kManyFaces); ++k)
                visit(edges[i], edges[k]);
        first = last;
    }
}

/// Corners that share one normal: those around a place that meet along smooth edges.
template <typename IsSmooth>
DisjointSets smoothCorners(const std::vector<Edge>& edges, std::size_t corners,
                           const IsSmooth& isSmooth) {
    DisjointSets sets(corners);
    forEachMeeting(edges, [&](const Edge& one, const Edge& other) {
        if (!isSmooth(one, other)) return;
        sets.join(one.cornerLow, other.cornerLow);
        sets.join(one.cornerHigh, other.cornerHigh);
    });
    return sets;
}

float cosOf(double degrees) {
    return static_cast<float>(std::cos(degrees * kRadians));
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

/// [3T] The normal of each corner's face, as long as the angle there is wide.
std::vector<Vec3f> cornerNormals(const Part& part, const std::vector<Vec3f>& points,
                                 const std::vector<Vec3f>& faces) {
    std::vector<Vec3f> normals(part.indices.size(), Vec3f::Zero());
    for (std::uint32_t corner = 0; corner < part.indices.size(); ++corner) {
        const Vec3f& face = faces[corner / 3];
        if (!face.isZero())
            normals[corner] = cornerAngle(cornersOf(part, points, corner / 3), corner % 3) * face;
    }
    return normals;
}

/// [3T] Of each set of corners, at its first.
std::vector<Vec3f> sumNormals(const std::vector<Vec3f>& normals, DisjointSets& sets) {
    std::vector<Vec3f> sums(normals.size(), Vec3f::Zero());
    for (std::uint32_t corner = 0; corner < normals.size(); ++corner)
        sums[sets.find(corner)] += normals[corner];
    for (Vec3f& sum : sums) {
        const float length = sum.norm();
        sum = length > 1e-12F ? (sum / length).eval() : Vec3f::UnitY().eval();
    }
    return sums;
}

/// The part with one vertex for each source vertex and set of corners, with the sets' normals.
Part withNormals(const Part& plain, const std::vector<Vec3f>& normals, DisjointSets& sets) {
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

std::vector<Vec3f> faceNormals(const Part& part, const std::vector<Vec3f>& points) {
    std::vector<Vec3f> faces(part.triangleCount());
    for (std::size_t t = 0; t < faces.size(); ++t)
        faces[t] = faceNormal(cornersOf(part, points, t));
    return faces;
}

/// [3T]
std::vector<Vec3f> normalsAtCorners(const Part& part) {
    const std::vector<Vec3f> normals = toVectors(*part.find("NORMAL"));
    std::vector<Vec3f> result;
    result.reserve(part.indices.size());
    for (const std::uint32_t vertex : part.indices) result.push_back(normals[vertex].normalized());
    return result;
}

/// The angle that divides edges whose corners share their normals best from those that do not.
double dividingAngle(const std::vector<Edge>& edges, const std::vector<Vec3f>& faces,
                     const std::vector<Vec3f>& given) {
    constexpr float kSame = 0.9998F;
    std::vector<std::pair<float, bool>> meetings;  // Cosine between the faces; is it smooth?
    forEachMeeting(edges, [&](const Edge& one, const Edge& other) {
        const bool isSmooth = given[one.cornerLow].dot(given[other.cornerLow]) > kSame &&
                              given[one.cornerHigh].dot(given[other.cornerHigh]) > kSame;
        meetings.emplace_back(-faces[faceOf(one)].dot(faces[faceOf(other)]), isSmooth);
    });
    std::sort(meetings.begin(), meetings.end());
    // An angle above that between the faces makes the edge smooth: right if it is, else wrong.
    long balance = 0;
    long best = 0;
    double angle = 0;
    for (std::size_t i = 0; i < meetings.size(); ++i) {
        balance += meetings[i].second ? 1 : -1;
        if (balance <= best) continue;
        best = balance;
        const float next = i + 1 < meetings.size() ? meetings[i + 1].first : 1.0F;
        const float between = std::clamp((meetings[i].first + next) / 2, -1.0F, 1.0F);
        angle = std::acos(static_cast<double>(-between)) / kRadians;
    }
    return angle;
}

/// True if nearly all corners have nearly the same normals.
bool areNearlyEqual(const std::vector<Vec3f>& given, const std::vector<Vec3f>& made) {
    constexpr double kMean = 6;
    constexpr double kMost = 12;  // Degrees, as the mean.
    constexpr double kShare = 0.85;
    double sum = 0;
    std::size_t near = 0;
    for (std::size_t i = 0; i < given.size(); ++i) {
        const auto cosine = static_cast<double>(std::clamp(given[i].dot(made[i]), -1.0F, 1.0F));
        const double angle = std::acos(cosine) / kRadians;
        sum += angle;
        near += angle <= kMost;
    }
    const auto all = static_cast<double>(given.size());
    return sum <= kMean * all && static_cast<double>(near) >= kShare * all;
}

/// Pieces of a surface that are rough. Beside the edges of what was made, faces are flat or smooth,
/// and the edges go on; on a rough scan no neighbour continues a face, and edges end anywhere.
class RoughPieces {
public:
    /// `least`: cosine between faces below which an edge is hard.
    RoughPieces(const std::vector<Edge>& edges, const std::vector<Vec3f>& faces, std::size_t places,
                float least)
        : pieces_(faces.size()), found_(faces.size()) {
        std::vector<float> highest(faces.size(), -1);  // Cosine to the neighbours of each face.
        std::vector<float> lowest(faces.size(), 1);
        std::vector<std::uint32_t> hardAt(places, 0);  // Edges.
        std::vector<std::uint32_t> faceAt(places, 0);
        forEachMeeting(edges, [&](const Edge& one, const Edge& other) {
            pieces_.join(faceOf(one), faceOf(other));
            if (faces[faceOf(one)].isZero() || faces[faceOf(other)].isZero()) return;
            const float cosine = faces[faceOf(one)].dot(faces[faceOf(other)]);
            for (const std::uint32_t face : {faceOf(one), faceOf(other)}) {
                highest[face] = std::max(highest[face], cosine);
                lowest[face] = std::min(lowest[face], cosine);
            }
            for (const std::uint32_t place : {one.low, one.high}) {
                hardAt[place] += cosine < least;
                faceAt[place] = faceOf(one);
            }
        });
        for (std::uint32_t face = 0; face < faces.size(); ++face) {
            if (lowest[face] >= least) continue;
            Found& found = found_[pieces_.find(face)];
            found.angles += std::acos(std::clamp(highest[face], -1.0F, 1.0F));
            ++found.faces;
        }
        for (std::size_t place = 0; place < places; ++place) {
            if (hardAt[place] == 0) continue;
            Found& found = found_[pieces_.find(faceAt[place])];
            ++found.places;
            found.ends += hardAt[place] == 1;
        }
    }

    [[nodiscard]] bool has(std::uint32_t face) {
        constexpr std::uint32_t kFew = 500;      // Fewer faces are no evidence.
        constexpr double kRough = 6 * kRadians;  // Mean to the flattest neighbour.
        constexpr std::uint32_t kEnds = 25;      // Places for each end, at most.
        const Found& found = found_[pieces_.find(face)];
        return found.faces > kFew && found.angles > kRough * found.faces &&
               kEnds * found.ends > found.places;
    }
    [[nodiscard]] bool hasAny() {
        for (std::uint32_t face = 0; face < found_.size(); ++face)
            if (found_[face].faces > 0 && has(face)) return true;
        return false;
    }

private:
    /// About the hard edges of a piece.
    struct Found {
        std::uint32_t faces = 0;   ///< That have one.
        double angles = 0;         ///< Sum of theirs to their flattest neighbours.
        std::uint32_t places = 0;  ///< That have one.
        std::uint32_t ends = 0;    ///< Of these, where one ends.
    };
    DisjointSets pieces_;
    std::vector<Found> found_;  ///< [T] At the first face of each piece.
};

/// [T] Normals of faces as their surroundings have them: noise goes, edges stay (Y. Zheng, H. Fu,
/// O. Au, C. Tai, "Bilateral normal filtering for mesh denoising", TVCG 2011, with neighbours at
/// edges, which weigh by their length).
std::vector<Vec3f> filteredNormals(const std::vector<Edge>& edges, const std::vector<Vec3f>& points,
                                   const std::vector<std::uint32_t>& corners,
                                   std::vector<Vec3f> normals) {
    constexpr int kPasses = 6;
    constexpr float kOwn = 0.5F;  // Weight of the face itself, for each of its edges.
    double sum = 0;
    std::size_t count = 0;
    forEachMeeting(edges, [&](const Edge& one, const Edge& other) {
        sum += static_cast<double>((normals[faceOf(one)] - normals[faceOf(other)]).squaredNorm());
        ++count;
    });
    // The width of the Gaussian is the usual difference of two neighbours.
    const auto width =
        static_cast<float>(2 * sum / static_cast<double>(std::max<std::size_t>(count, 1)));
    for (int pass = 0; pass < kPasses && width > 0; ++pass) {
        std::vector<Vec3f> sums(normals.size(), Vec3f::Zero());
        forEachMeeting(edges, [&](const Edge& one, const Edge& other) {
            const Vec3f& a = normals[faceOf(one)];
            const Vec3f& b = normals[faceOf(other)];
            const float length =
                (points[corners[one.cornerLow]] - points[corners[one.cornerHigh]]).norm();
            const float alike = std::exp(-(a - b).squaredNorm() / width);
            sums[faceOf(one)] += length * (kOwn * a + alike * b);
            sums[faceOf(other)] += length * (kOwn * b + alike * a);
        });
        for (std::size_t t = 0; t < normals.size(); ++t)
            if (const float length = sums[t].norm(); length > 0 && std::isfinite(length))
                normals[t] = sums[t] / length;
    }
    return normals;
}

/// A part without shading, and what normals are made from.
class Faceted {
public:
    explicit Faceted(const Part& part)
        : plain_(withoutShading(part)),
          points_(positionsOf(plain_)),
          faces_(faceNormals(plain_, points_)),
          edges_(sortedEdges(plain_, firstEqualPosition(points_))) {}

    [[nodiscard]] const Part& plain() const { return plain_; }
    /// [3T] Normals of faces, by the angles of the corners.
    [[nodiscard]] std::vector<Vec3f> normalsOfFaces() const {
        return cornerNormals(plain_, points_, faces_);
    }
    /// Corners that share a normal: edges below an angle between their faces are smooth.
    [[nodiscard]] DisjointSets setsBelow(double degrees) const {
        const float least = cosOf(degrees);
        return sets([&](const Edge& one, const Edge& other) {
            return faces_[faceOf(one)].dot(faces_[faceOf(other)]) >= least;
        });
    }
    /// The same, but on rough pieces those below it between their surroundings are smooth too.
    [[nodiscard]] DisjointSets setsOfSurface(double degrees) const {
        const float least = cosOf(degrees);
        RoughPieces rough(edges_, faces_, points_.size(), least);
        if (!rough.hasAny()) return setsBelow(degrees);
        const std::vector<Vec3f> around = filteredNormals(edges_, points_, plain_.indices, faces_);
        return sets([&](const Edge& one, const Edge& other) {
            const std::uint32_t a = faceOf(one);
            const std::uint32_t b = faceOf(other);
            return faces_[a].dot(faces_[b]) >= least ||
                   (rough.has(a) && around[a].dot(around[b]) >= least);
        });
    }
    template <typename IsSmooth>
    [[nodiscard]] DisjointSets sets(const IsSmooth& isSmooth) const {
        return smoothCorners(edges_, plain_.indices.size(), isSmooth);
    }
    [[nodiscard]] double dividingAngleOf(const std::vector<Vec3f>& given) const {
        return dividingAngle(edges_, faces_, given);
    }

private:
    Part plain_;
    std::vector<Vec3f> points_;
    std::vector<Vec3f> faces_;
    std::vector<Edge> edges_;
};

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
    const Faceted faceted(part);
    DisjointSets sets = faceted.setsOfSurface(degrees);
    return withNormals(faceted.plain(), sumNormals(faceted.normalsOfFaces(), sets), sets);
}

std::optional<double> creaseAngleOf(const Part& part) {
    if (!part.isTriangles() || part.indices.empty() || !part.targets.empty() ||
        !part.find("NORMAL") || part.find("TANGENT"))
        return std::nullopt;
    const std::vector<Vec3f> given = normalsAtCorners(part);
    const Faceted faceted(part);
    const std::vector<Vec3f> ofFaces = faceted.normalsOfFaces();
    const auto makes = [&](DisjointSets sets) {
        const std::vector<Vec3f> sums = sumNormals(ofFaces, sets);
        std::vector<Vec3f> made;
        made.reserve(sums.size());
        for (std::uint32_t corner = 0; corner < sums.size(); ++corner)
            made.push_back(sums[sets.find(corner)]);
        return areNearlyEqual(given, made);
    };
    for (const double usual : {kCreaseAngle, 180.0})
        if (makes(faceted.setsBelow(usual))) return usual;
    if (makes(faceted.setsOfSurface(kCreaseAngle))) return kCreaseAngle;
    const double angle = faceted.dividingAngleOf(given);
    if (makes(faceted.setsBelow(angle))) return angle;
    return std::nullopt;
}

Part withoutNormals(const Part& part) {
    return weldEqualVertices(withoutShading(part));
}

Part smoothByCorners(const Part& part, std::vector<Vec3f> normals, double degrees) {
    assert(normals.size() == part.indices.size());
    if (!part.isTriangles() || part.indices.empty()) return part;
    const Faceted faceted(part);
    const std::vector<Vec3f> byFace = faceted.normalsOfFaces();
    for (std::size_t i = 0; i < normals.size(); ++i)
        if (!(normals[i].squaredNorm() > 0)) normals[i] = 1e-6F * byFace[i];
    const float least = cosOf(degrees);
    const auto isNear = [&](std::uint32_t a, std::uint32_t b) {
        return normals[a].normalized().dot(normals[b].normalized()) >= least;
    };
    DisjointSets sets = faceted.sets([&](const Edge& one, const Edge& other) {
        return isNear(one.cornerLow, other.cornerLow) && isNear(one.cornerHigh, other.cornerHigh);
    });
    return withNormals(faceted.plain(), sumNormals(normals, sets), sets);
}

Part weldEqualVertices(const Part& part) {
    const std::vector<std::uint32_t> equal = firstEqualVertex(part);
    Part welded = part;
    for (std::uint32_t& index : welded.indices) index = equal[index];
    return dropUnusedVertices(welded);
}

}  // namespace flentro
