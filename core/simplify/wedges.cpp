#include "simplify/wedges.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "geometry/bones.h"
#include "geometry/morton.h"
#include "geometry/weld.h"

namespace flentro {
namespace {

/// Attributes that the metric looks at, in the order of their slots.
struct Kind {
    const char* semantic;
    int components;
};
constexpr Kind kKinds[] = {{"NORMAL", 3},  {"TEXCOORD_0", 2},  {"TEXCOORD_1", 2},
                           {"COLOR_0", 3}, {kBonePosition, 3}, {kMorphPosition, 3}};

/// Takes over what comes first.
void append(std::vector<Vec3f>& values, std::vector<Vec3f> more) {
    if (values.empty())
        values = std::move(more);
    else
        values.insert(values.end(), more.begin(), more.end());
}

class WedgeMeshBuilder {
public:
    WedgeMeshBuilder(const Mesh& mesh, const AttributeWeights& weights)
        : mesh_(mesh), weights_(weights) {}

    Expected<WedgeMesh> run(const Progress& progress) {
        constexpr void (WedgeMeshBuilder::*kSteps[])() = {
            &WedgeMeshBuilder::weld,         &WedgeMeshBuilder::nameWedges,
            &WedgeMeshBuilder::normalise,    &WedgeMeshBuilder::numberWedges,
            &WedgeMeshBuilder::addTriangles, &WedgeMeshBuilder::addAttributes};
        for (const auto step : kSteps) {
            if (progress.cancelled()) return stopped("Reducing");
            (this->*step)();
        }
        return std::move(out_);
    }

private:
    /// Finds the vertices of all parts that lie at the same position.
    void weld() {
        for (const Part& part : mesh_.parts) {
            std::vector<Vec3f> more;
            if (part.isTriangles()) more = positionsOf(part);
            more.resize(part.vertexCount(), Vec3f::Zero());
            out_.names.firstOfPart.push_back(static_cast<std::uint32_t>(points_.size()));
            append(points_, std::move(more));
        }
        same_ = firstEqualPosition(points_);
    }

    /// The vertices of a part that share their position with others of any part.
    [[nodiscard]] std::vector<std::uint32_t> sharing(std::size_t part,
                                                     const std::vector<bool>& isShared) const {
        std::vector<std::uint32_t> result;
        const std::uint32_t begin = out_.names.firstOfPart[part];
        for (std::uint32_t v = 0; v < mesh_.parts[part].vertexCount(); ++v)
            if (isShared[same_[begin + v]]) result.push_back(v);
        return result;
    }

    /// One wedge for all vertices of a part that are equal, as far as triangles use them.
    void nameWedges() {
        std::vector<bool> isShared(points_.size(), false);
        for (std::uint32_t v = 0; v < same_.size(); ++v)
            if (same_[v] != v) isShared[same_[v]] = true;
        OriginalIndices& names = out_.names;
        names.wedges.assign(points_.size(), OriginalIndices::kNone);
        for (std::size_t p = 0; p < mesh_.parts.size(); ++p) {
            const Part& part = mesh_.parts[p];
            if (!part.isTriangles()) continue;
            const std::vector<std::uint32_t> first = firstEqualVertex(part, sharing(p, isShared));
            std::uint32_t* wedges = names.wedges.data() + names.firstOfPart[p];
            for (const std::uint32_t vertex : part.indices) {
                std::uint32_t& wedge = wedges[first[vertex]];
                if (wedge == OriginalIndices::kNone) {
                    wedge = static_cast<std::uint32_t>(names.originals.size());
                    names.originals.push_back(names.firstOfPart[p] + first[vertex]);
                }
                wedges[vertex] = wedge;
            }
        }
    }

    void normalise() {
        Eigen::AlignedBox3d box;
        for (const std::uint32_t original : out_.names.originals)
            box.extend(points_[original].cast<double>());
        if (box.isEmpty()) return;
        const double diagonal = box.diagonal().norm();
        out_.unit = diagonal > 0 ? diagonal : 1;
        out_.centre = box.center();
    }

    /// [W] The vertex of each wedge, in the order in which vertices appear, as they are in
    /// `out_.positions` now.
    std::vector<std::uint32_t> findVertices() {
        std::vector<std::uint32_t> vertexAt(points_.size(), OriginalIndices::kNone);  // by same_
        std::vector<std::uint32_t> result;
        result.reserve(wedgeCount());
        for (const std::uint32_t original : out_.names.originals) {
            std::uint32_t& vertex = vertexAt[same_[original]];
            if (vertex == OriginalIndices::kNone) {
                vertex = static_cast<std::uint32_t>(out_.positions.size());
                out_.positions.push_back(
                    ((points_[original].cast<double>() - out_.centre) / out_.unit).cast<float>());
            }
            result.push_back(vertex);
        }
        points_ = std::vector<Vec3f>();  // {} would keep the memory
        same_ = std::vector<std::uint32_t>();
        return result;
    }

    /// Numbers vertices along a curve through space. The first wedge at each gets its number, so
    /// that most need not be looked up; the others come after.
    void numberWedges() {
        const std::vector<std::uint32_t> vertices = findVertices();
        const std::vector<std::uint32_t> ranks = ranksAlongCurve(out_.positions);
        const std::vector<Vec3f> positions = out_.positions;
        for (std::size_t i = 0; i < positions.size(); ++i) out_.positions[ranks[i]] = positions[i];
        std::vector<bool> isTaken(positions.size(), false);
        auto further = static_cast<std::uint32_t>(positions.size());
        std::vector<std::uint32_t> numbers;
        numbers.reserve(vertices.size());
        for (const std::uint32_t vertex : vertices) {
            const std::uint32_t rank = ranks[vertex];
            numbers.push_back(isTaken[rank] ? further++ : rank);
            isTaken[rank] = true;
        }
        const std::vector<std::uint32_t> originals = out_.names.originals;
        out_.wedgeVertex.resize(numbers.size());
        for (std::size_t w = 0; w < numbers.size(); ++w) {
            out_.names.originals[numbers[w]] = originals[w];
            out_.wedgeVertex[numbers[w]] = ranks[vertices[w]];
        }
        for (std::uint32_t& wedge : out_.names.wedges)
            if (wedge != OriginalIndices::kNone) wedge = numbers[wedge];
    }

    /// Calls visit(corners) with the wedges of each triangle that has three vertices.
    template <typename Visit>
    void forEachTriangle(Visit&& visit) const {
        for (std::size_t p = 0; p < mesh_.parts.size(); ++p) {
            if (!mesh_.parts[p].isTriangles()) continue;
            const std::vector<std::uint32_t>& indices = mesh_.parts[p].indices;
            const std::uint32_t* wedges = out_.names.wedges.data() + out_.names.firstOfPart[p];
            for (std::size_t i = 0; i + 2 < indices.size(); i += 3) {
                const std::array corners{wedges[indices[i]], wedges[indices[i + 1]],
                                         wedges[indices[i + 2]]};
                const std::uint32_t a = out_.wedgeVertex[corners[0]];
                const std::uint32_t b = out_.wedgeVertex[corners[1]];
                const std::uint32_t c = out_.wedgeVertex[corners[2]];
                if (a != b && b != c && c != a) visit(corners);
            }
        }
    }

    /// In the order of the vertices of their first corners.
    void addTriangles() {
        std::vector<std::uint32_t> next(out_.positions.size() + 1, 0);
        forEachTriangle([&](const auto& corners) { next[out_.wedgeVertex[corners[0]] + 1] += 3; });
        for (std::size_t p = 1; p < next.size(); ++p) next[p] += next[p - 1];
        out_.corners.resize(next.back());
        out_.triangles = out_.corners.size() / 3;
        forEachTriangle([&](const auto& corners) {
            std::uint32_t& at = next[out_.wedgeVertex[corners[0]]];
            for (const std::uint32_t corner : corners) out_.corners[at++] = corner;
        });
    }

    void addAttributes() {
        findBonePositions();
        const double surface = surfaceArea();
        const auto texCoord = [&](const char* set) {
            return weights_.texCoord * unitsPerTexCoord(set, surface);
        };
        const double scales[] = {weights_.normal * meanEdge(surface),
                                 texCoord("TEXCOORD_0"),
                                 texCoord("TEXCOORD_1"),
                                 weights_.color,
                                 weights_.skin,
                                 1 / out_.unit};
        for (std::size_t s = 0; s < std::size(kKinds); ++s) {
            if (scales[s] <= 0 || !isPresent(kKinds[s].semantic)) continue;
            out_.attributeSlots.push_back({kKinds[s].semantic, kKinds[s].components, scales[s]});
            out_.attributeCount += kKinds[s].components;
        }
        const auto count = static_cast<std::size_t>(out_.attributeCount);
        if (count == 0) return;
        out_.attributes.resize(wedgeCount() * (count + 1));
        std::size_t first = 0;
        for (const AttributeSlot& slot : out_.attributeSlots) {
            fill(slot, first, count + 1);
            first += static_cast<std::size_t>(slot.components);
        }
    }

    /// The middle of what each bone holds, units.
    void findBonePositions() {
        if (std::none_of(mesh_.parts.begin(), mesh_.parts.end(),
                         [](const Part& part) { return part.find("JOINTS_0"); }))
            return;
        std::map<std::size_t, std::pair<Vec3d, double>> sums;
        for (std::uint32_t w = 0; w < wedgeCount(); ++w)
            BoneSets(partOf(w)).forEach(
                out_.names.originalOf(w), [&](std::size_t joint, double weight) {
                    auto& [sum, total] = sums.try_emplace(joint, Vec3d::Zero(), 0.0).first->second;
                    sum += weight * out_.positions[out_.wedgeVertex[w]].cast<double>();
                    total += weight;
                });
        for (const auto& [joint, entry] : sums) bonePositions_[joint] = entry.first / entry.second;
    }

    [[nodiscard]] bool isPresent(std::string_view semantic) const {
        if (semantic == kBonePosition) return bonePositions_.size() > 1;
        if (semantic == kMorphPosition)
            return std::any_of(mesh_.parts.begin(), mesh_.parts.end(), [](const Part& part) {
                return part.isTriangles() && !part.targets.empty();
            });
        for (const Part& part : mesh_.parts)
            if (part.isTriangles() && part.find(semantic)) return true;
        return false;
    }

    /// One attribute of all wedges, from number `first` of every `stride` on.
    void fill(const AttributeSlot& slot, std::size_t first, std::size_t stride) {
        if (slot.semantic == kBonePosition) return fillBonePositions(slot, first, stride);
        const auto scale = static_cast<float>(slot.scale);
        const std::vector<Vec3f> values =
            slot.semantic == kMorphPosition ? morphPositions() : valuesOf(slot.semantic);
        for (std::size_t w = 0; w < wedgeCount(); ++w) {
            const Vec3f& value = values[out_.names.originals[w]];
            float* to = out_.attributes.data() + w * stride + first;
            for (int c = 0; c < slot.components; ++c) to[c] = scale * value[c];
        }
    }

    /// [V] The first three numbers of an attribute; zero where there is none.
    [[nodiscard]] std::vector<Vec3f> valuesOf(std::string_view semantic) const {
        std::vector<Vec3f> values;
        for (const Part& part : mesh_.parts) {
            const std::size_t end = values.size() + part.vertexCount();
            if (const Stream* stream = part.find(semantic)) append(values, toVectors(*stream));
            values.resize(end, Vec3f::Zero());
        }
        return values;
    }

    /// [V] See kMorphPosition; metres.
    [[nodiscard]] std::vector<Vec3f> morphPositions() const {
        std::vector<Vec3f> positions;
        for (const Part& part : mesh_.parts) {
            const std::size_t first = positions.size();
            positions.resize(first + part.vertexCount(), Vec3f::Zero());
            float sign = 1;
            for (const auto& target : part.targets) {
                for (const Attribute& attribute : target)
                    if (attribute.semantic == "POSITION") {
                        const std::vector<Vec3f> moved = toVectors(*attribute.stream);
                        for (std::size_t v = 0; v < moved.size(); ++v)
                            positions[first + v] += sign * moved[v];
                    }
                sign = -sign;
            }
        }
        return positions;
    }

    [[nodiscard]] std::size_t wedgeCount() const { return out_.names.originals.size(); }
    [[nodiscard]] const Part& partOf(std::uint32_t wedge) const {
        return mesh_.parts[out_.names.partOf(wedge)];
    }

    void fillBonePositions(const AttributeSlot& slot, std::size_t first, std::size_t stride) {
        for (std::uint32_t w = 0; w < wedgeCount(); ++w) {
            Vec3d position = Vec3d::Zero();
            BoneSets(partOf(w)).forEach(
                out_.names.originalOf(w), [&](std::size_t joint, double weight) {
                    position += slot.scale * weight * bonePositions_.at(joint);
                });
            Eigen::Map<Vec3f>(out_.attributes.data() + w * stride + first) = position.cast<float>();
        }
    }

    /// Squared units.
    [[nodiscard]] double surfaceArea() const {
        double area = 0;
        for (std::size_t i = 0; i < out_.corners.size(); i += 3) {
            const auto position = [&](std::size_t k) -> const Vec3f& {
                return out_.positions[out_.wedgeVertex[out_.corners[i + k]]];
            };
            area += static_cast<double>(
                0.5F * (position(1) - position(0)).cross(position(2) - position(0)).norm());
        }
        return area;
    }

    /// Of equilateral triangles with the mean area, units.
    [[nodiscard]] double meanEdge(double surface) const {
        const std::size_t triangles = out_.corners.size() / 3;
        if (triangles == 0) return 0;
        return std::sqrt(4 / std::sqrt(3.0) * surface / static_cast<double>(triangles));
    }

    /// Square root of surface area over texture area: how far, in units, the surface slides under
    /// the texture for one unit of texture coordinate.
    [[nodiscard]] double unitsPerTexCoord(const char* set, double surface) const {
        for (const Part& part : mesh_.parts) {
            const Stream* stream = part.find(set);
            const bool there = stream && stream->components >= 2;
            if (part.isTriangles() && part.triangleCount() > 0 && !there) return 0;
        }
        const std::vector<Vec3f> values = valuesOf(set);
        double texture = 0;
        for (std::size_t i = 0; i < out_.corners.size(); i += 3) {
            const auto coord = [&](std::size_t k) -> const Vec3f& {
                return values[out_.names.originals[out_.corners[i + k]]];
            };
            const Vec3f u = coord(1) - coord(0);
            const Vec3f v = coord(2) - coord(0);
            texture += static_cast<double>(0.5F * std::fabs(u.x() * v.y() - u.y() * v.x()));
        }
        return texture > 0 ? std::sqrt(surface / texture) : 0;
    }

    const Mesh& mesh_;
    const AttributeWeights& weights_;
    WedgeMesh out_;
    std::vector<Vec3f> points_;                   ///< [V] Metres.
    std::vector<std::uint32_t> same_;             ///< [V] The first at the same position.
    std::map<std::size_t, Vec3d> bonePositions_;  ///< By joint, units.
};

}  // namespace

std::uint32_t OriginalIndices::partOf(std::uint32_t wedge) const {
    const auto next = std::upper_bound(firstOfPart.begin(), firstOfPart.end(), originals[wedge]);
    return static_cast<std::uint32_t>(next - firstOfPart.begin()) - 1;
}

WedgeVertices::WedgeVertices(const WedgeMesh& mesh)
    : count_(static_cast<std::uint32_t>(mesh.positions.size())),
      further_(mesh.wedgeVertex.begin() + static_cast<std::ptrdiff_t>(mesh.positions.size()),
               mesh.wedgeVertex.end()) {}

void WedgeVertices::renumber(const RemapTable& numbers) {
    std::size_t kept = 0;
    for (std::uint32_t i = 0; i < further_.size(); ++i)
        if (numbers.of(count_ + i) != RemapTable::kNone) further_[kept++] = numbers.of(further_[i]);
    further_.resize(kept);
    count_ = static_cast<std::uint32_t>(numbers.vertices());
}

float AttributeSlot::stored(const float* values, int c) const {
    double length = scale;
    if (semantic == "NORMAL") {
        const double x = static_cast<double>(values[0]);
        const double y = static_cast<double>(values[1]);
        const double z = static_cast<double>(values[2]);
        length = std::sqrt(x * x + y * y + z * z);
        if (!(length > 0)) return c == 2 ? 1 : 0;
    }
    const double value = static_cast<double>(values[c]) / length;
    return static_cast<float>(semantic == "COLOR_0" ? std::clamp(value, 0.0, 1.0) : value);
}

Expected<WedgeMesh> buildWedgeMesh(const Mesh& mesh, const AttributeWeights& weights,
                                   const Progress& progress) {
    return WedgeMeshBuilder(mesh, weights).run(progress);
}

}  // namespace flentro
