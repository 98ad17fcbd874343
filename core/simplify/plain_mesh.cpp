#include "simplify/plain_mesh.h"

#include <algorithm>
#include <map>
#include <queue>
#include <unordered_map>

#include "geometry/barycentric.h"
#include "geometry/crease.h"
#include "geometry/weld.h"

namespace flentro {
namespace {

constexpr std::uint32_t kNone = ~0U;

/// The other side of each triangle of a part.
class Twins {
public:
    explicit Twins(const Part& part) : part_(part), places_(firstEqualPosition(positionsOf(part))) {
        for (const auto& attribute : part.attributes)
            if (attribute.semantic.starts_with("TEXCOORD") ||
                attribute.semantic.starts_with("COLOR"))
                looks_.push_back(attribute.stream.get());
        twin_.assign(part.triangleCount(), kNone);
        pairUp();
    }

    [[nodiscard]] bool any() const { return any_; }
    [[nodiscard]] bool isPaired(std::size_t triangle) const { return twin_[triangle] != kNone; }

    /// [triangles] True for one of each pair, such that neighbours look the same way.
    [[nodiscard]] std::vector<bool> fronts() const {
        std::map<std::pair<std::uint32_t, std::uint32_t>, std::vector<std::uint32_t>> edges;
        for (std::uint32_t t = 0; t < twin_.size(); ++t)
            for (std::size_t k = 0; isPaired(t) && k < 3; ++k)
                edges[{placeOf(t, k), placeOf(t, (k + 1) % 3)}].push_back(t);
        std::vector<bool> isFront(twin_.size(), false);
        std::vector<bool> isKnown(twin_.size(), false);
        for (std::uint32_t first = 0; first < twin_.size(); ++first) {
            if (!isPaired(first) || isKnown[first]) continue;
            std::queue<std::uint32_t> waiting({first});
            isKnown[first] = isKnown[twin_[first]] = true;
            while (!waiting.empty()) {
                const std::uint32_t t = waiting.front();
                waiting.pop();
                isFront[t] = true;
                for (std::size_t k = 0; k < 3; ++k)
                    for (const std::uint32_t next :
                         edges[{placeOf(t, (k + 1) % 3), placeOf(t, k)}]) {
                        if (isKnown[next]) continue;
                        isKnown[next] = isKnown[twin_[next]] = true;
                        waiting.push(next);
                    }
            }
        }
        return isFront;
    }

private:
    [[nodiscard]] std::uint32_t placeOf(std::size_t triangle, std::size_t corner) const {
        return places_[part_.indices[3 * triangle + corner]];
    }

    /// Equal places the other way round, and the same pictures and colours there.
    void pairUp() {
        std::map<Corners, std::vector<std::uint32_t>> open;  // By their places, in order.
        for (std::uint32_t t = 0; t < twin_.size(); ++t) {
            Corners key = {placeOf(t, 0), placeOf(t, 1), placeOf(t, 2)};
            std::sort(key.begin(), key.end());
            if (key[0] == key[1] || key[1] == key[2]) continue;
            auto& waiting = open[key];
            const auto other = std::find_if(waiting.begin(), waiting.end(),
                                            [&](std::uint32_t o) { return isOtherSide(t, o); });
            if (other == waiting.end()) {
                waiting.push_back(t);
                continue;
            }
            twin_[t] = *other;
            twin_[*other] = t;
            waiting.erase(other);
            any_ = true;
        }
    }

    [[nodiscard]] bool isOtherSide(std::uint32_t a, std::uint32_t b) const {
        for (std::size_t k = 0; k < 3; ++k) {
            // a runs forward from its first corner, b backward from where that is.
            if (placeOf(b, k) != placeOf(a, 0)) continue;
            for (std::size_t i = 0; i < 3; ++i) {
                const std::size_t back = (k + 3 - i) % 3;
                if (placeOf(b, back) != placeOf(a, i)) return false;
                if (!looksTheSame(part_.indices[3 * a + i], part_.indices[3 * b + back]))
                    return false;
            }
            return true;
        }
        return false;
    }

    [[nodiscard]] bool looksTheSame(std::uint32_t a, std::uint32_t b) const {
        constexpr float kSame = 1e-4F;
        for (const Stream* stream : looks_)
            for (int c = 0; c < stream->components; ++c)
                if (std::fabs(stream->value(a, c) - stream->value(b, c)) > kSame) return false;
        return true;
    }

    const Part& part_;
    std::vector<std::uint32_t> places_;  ///< [V]
    std::vector<const Stream*> looks_;
    std::vector<std::uint32_t> twin_;  ///< [T]
    bool any_ = false;
};

/// The triangles of a part that `chosen` is true for.
template <typename Chosen>
Part selectTriangles(const Part& part, const Chosen& chosen) {
    Part some = part;
    some.indices.clear();
    for (std::size_t t = 0; t < part.triangleCount(); ++t) {
        if (!chosen(t)) continue;
        const Corners corners = cornersOf(part, t);
        some.indices.insert(some.indices.end(), corners.begin(), corners.end());
    }
    return dropUnusedVertices(some);
}

/// The same triangles seen from behind.
Part reversed(const Part& part) {
    Part back = part;
    for (std::size_t i = 0; i + 2 < back.indices.size(); i += 3)
        std::swap(back.indices[i + 1], back.indices[i + 2]);
    for (const char* semantic : {"NORMAL", "TANGENT"})
        if (const Stream* stream = part.find(semantic)) {
            Stream turned = *stream;
            for (std::size_t v = 0; v < turned.count(); ++v)
                for (int c = 0; c < 3; ++c) turned.set(v, c, -stream->value(v, c));
            back.set(semantic, std::move(turned));
        }
    return back;
}

bool isStoredAlike(const Part& a, const Part& b) {
    return a.targets.size() == b.targets.size() &&
           std::equal(a.attributes.begin(), a.attributes.end(), b.attributes.begin(),
                      b.attributes.end(), [](const Attribute& x, const Attribute& y) {
                          return x.semantic == y.semantic && x.stream->type == y.stream->type &&
                                 x.stream->components == y.stream->components &&
                                 x.stream->normalized == y.stream->normalized;
                      });
}

StreamPtr together(const Stream& a, const Stream& b) {
    auto both = std::make_shared<Stream>(a);
    both->data.insert(both->data.end(), b.data.begin(), b.data.end());
    return both;
}

/// Adds the triangles of a part that is stored alike.
void append(Part& part, const Part& more) {
    const auto first = static_cast<std::uint32_t>(part.vertexCount());
    for (std::size_t i = 0; i < part.attributes.size(); ++i)
        part.attributes[i].stream =
            together(*part.attributes[i].stream, *more.attributes[i].stream);
    for (std::size_t t = 0; t < part.targets.size(); ++t)
        for (std::size_t i = 0; i < part.targets[t].size(); ++i)
            part.targets[t][i].stream =
                together(*part.targets[t][i].stream, *more.targets[t][i].stream);
    for (const std::uint32_t index : more.indices) part.indices.push_back(first + index);
}

/// [parts][3T] Sums of the normals of an original's faces that lie before each corner of a mesh
/// and look its way (to 60 degrees), by their areas and nearness to it.
std::vector<std::vector<Vec3f>> normalsBefore(const Mesh& mesh, const Surface& original) {
    constexpr std::size_t kSamplesOfTriangle = 6;
    constexpr float kItsWay = 0.5F;
    const Surface surface(mesh);
    std::vector<Corners> corners;  // Of all parts, one after the other.
    std::vector<Vec3f> points;
    std::vector<std::vector<Vec3f>> sums;
    std::vector<Vec3f*> sumOf;
    for (const Part& part : mesh.parts)
        sums.emplace_back(part.isTriangles() ? part.indices.size() : 0, Vec3f::Zero());
    for (std::size_t p = 0; p < mesh.parts.size(); ++p) {
        const Part& part = mesh.parts[p];
        if (!part.isTriangles()) continue;
        const auto first = static_cast<std::uint32_t>(points.size());
        const std::vector<Vec3f> own = positionsOf(part);
        points.insert(points.end(), own.begin(), own.end());
        for (std::size_t t = 0; t < part.triangleCount(); ++t) {
            Corners at = cornersOf(part, t);
            for (std::uint32_t& vertex : at) vertex += first;
            corners.push_back(at);
            sumOf.push_back(&sums[p][3 * t]);
        }
    }
    const auto& samples =
        original.samples(std::max(kDeviationSamples, kSamplesOfTriangle * corners.size()));
    surface.forEachNearest(samples, [&](std::size_t i, const NearestPoint& found) {
        const SurfaceSample& sample = samples[i];
        const float length = sample.normal.norm();
        if (!(length > 0) ||
            sample.normal.dot(found.normal) < kItsWay * length * found.normal.norm())
            return;
        const auto& [a, b, c] = corners[found.triangle];
        const Vec3f weights = barycentric(points[a], points[b], points[c], found.point);
        const Vec3f normal = (static_cast<float>(sample.area) / length) * sample.normal;
        for (int k = 0; k < 3; ++k) sumOf[found.triangle][k] += std::max(weights[k], 0.0F) * normal;
    });
    return sums;
}

}  // namespace

PlainMesh::PlainMesh(const Mesh& mesh, bool keepsNormals) : source_(mesh) {
    plain_.name = mesh.name;
    plain_.rest = mesh.rest;
    std::vector<std::optional<double>> creases(mesh.parts.size());
    makesNormals_ = !keepsNormals;
    for (std::size_t p = 0; p < mesh.parts.size() && makesNormals_; ++p) {
        if (!mesh.parts[p].isTriangles()) continue;
        creases[p] = creaseAngleOf(mesh.parts[p]);
        makesNormals_ = creases[p].has_value();
    }
    for (std::size_t p = 0; p < mesh.parts.size(); ++p) {
        const Part& part = mesh.parts[p];
        const auto add = [&](Part some, bool isSheet) {
            if (some.indices.empty()) return;
            hasSheets_ = hasSheets_ || isSheet;
            const bool strips = makesNormals_ && some.isTriangles();
            plain_.parts.push_back(strips ? withoutNormals(some) : std::move(some));
            sources_.push_back({p, isSheet, strips ? creases[p] : std::nullopt});
        };
        const std::optional<Twins> twins =
            part.isTriangles() ? std::optional<Twins>(part) : std::nullopt;
        if (!twins || !twins->any()) {
            add(part, false);
            continue;
        }
        const std::vector<bool> isFront = twins->fronts();
        add(selectTriangles(part, [&](std::size_t t) { return !twins->isPaired(t); }), false);
        add(selectTriangles(part, [&](std::size_t t) { return isFront[t]; }), true);
    }
    plain_ = *finishMesh(std::move(plain_));
}

std::size_t PlainMesh::restoredTriangles(
    const std::vector<std::vector<std::uint32_t>>& indices) const {
    std::size_t triangles = 0;
    for (std::size_t p = 0; p < indices.size(); ++p)
        if (plain_.parts[p].isTriangles())
            triangles += indices[p].size() / 3 * (sources_[p].isSheet ? 2 : 1);
    return triangles;
}

std::vector<std::vector<bool>> PlainMesh::carryOver(
    const std::vector<std::vector<bool>>& flags) const {
    if (flags.empty()) return {};
    std::vector<std::vector<bool>> result;
    for (std::size_t p = 0; p < plain_.parts.size(); ++p) {
        const std::vector<bool>& own = flags[sources_[p].part];
        std::vector<Vec3f> places = positionsOf(source_.parts[sources_[p].part]);
        const std::size_t first = places.size();
        const std::vector<Vec3f> left = positionsOf(plain_.parts[p]);
        places.insert(places.end(), left.begin(), left.end());
        const std::vector<std::uint32_t> same = firstEqualPosition(places);
        std::vector<bool> isSet(first, false);
        for (std::size_t v = 0; v < own.size(); ++v)
            if (own[v]) isSet[same[v]] = true;
        result.emplace_back(left.size(), false);
        for (std::size_t v = 0; v < left.size(); ++v) result.back()[v] = isSet[same[first + v]];
    }
    return result;
}

MeshPtr PlainMesh::restore(const MeshPtr& reduced, const std::vector<std::size_t>& parts,
                           const Surface& original) const {
    if (!hasSheets_ && !makesNormals_) return reduced;
    std::vector<std::vector<Vec3f>> normals;
    if (makesNormals_) normals = normalsBefore(*reduced, original);
    Mesh restored;
    restored.name = reduced->name;
    restored.rest = reduced->rest;
    std::size_t last = kNone;  // Part of the mesh that the last one comes from.
    for (std::size_t p = 0; p < reduced->parts.size(); ++p) {
        const Source& source = sources_[parts[p]];
        Part part = reduced->parts[p];
        constexpr double kFlat = 1;
        if (source.crease)
            part = *source.crease < kFlat
                       ? smoothByCrease(part, 0)
                       : smoothByCorners(part, std::move(normals[p]), *source.crease);
        if (source.isSheet) append(part, reversed(part));
        if (last == source.part && isStoredAlike(restored.parts.back(), part))
            append(restored.parts.back(), part);
        else
            restored.parts.push_back(std::move(part));
        last = source.part;
    }
    return finishMesh(std::move(restored));
}

}  // namespace flentro
