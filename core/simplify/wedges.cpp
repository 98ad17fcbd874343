#include "simplify/wedges.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "geometry/weld.h"

namespace flentro {
namespace {

/// Attributes that the metric looks at, in the order of their slots.
struct Kind {
    const char* semantic;
    int components;
};
constexpr Kind kKinds[] = {
    {"NORMAL", 3}, {"TEXCOORD_0", 2}, {"TEXCOORD_1", 2}, {"COLOR_0", 3}, {kBonePlace, 3}};

/// The joint sets that are read: four bones each.
constexpr std::pair<const char*, const char*> kBoneSets[] = {{"JOINTS_0", "WEIGHTS_0"},
                                                             {"JOINTS_1", "WEIGHTS_1"}};

/// Calls visit(joint, weight) for every bone of a vertex.
template <typename Visit>
void forEachBone(const Part& part, std::size_t vertex, Visit&& visit) {
    for (const auto& [joints, weights] : kBoneSets) {
        const Stream* j = part.find(joints);
        const Stream* w = part.find(weights);
        for (int c = 0; j && w && c < std::min(j->components, w->components); ++c)
            if (const float weight = w->value(vertex, c); weight > 0)
                visit(static_cast<int>(j->value(vertex, c)), static_cast<double>(weight));
    }
}

class Dismantler {
public:
    Dismantler(const Mesh& mesh, const AttributeWeights& weights)
        : mesh_(mesh), weights_(weights) {}

    WedgeMesh run() {
        for (const Part& part : mesh_.parts) addPart(part);
        normalise();
        weldPositions();
        dropDegenerate();
        addAttributes();
        return std::move(out_);
    }

private:
    void addPart(const Part& part) {
        WedgeNames& names = out_.names;
        const auto begin = static_cast<std::uint32_t>(names.wedges.size());
        names.firstOfPart.push_back(begin);
        names.wedges.resize(begin + part.vertexCount(), WedgeNames::kNone);
        if (!part.isTriangles()) return;
        const std::vector<std::uint32_t> first = firstEqualVertex(part);
        const std::vector<Vec3f> positions = toVectors(*part.find("POSITION"));
        out_.corners.reserve(out_.corners.size() + part.indices.size());
        for (const std::uint32_t vertex : part.indices) {
            std::uint32_t& wedge = names.wedges[begin + first[vertex]];
            if (wedge == WedgeNames::kNone) {
                wedge = static_cast<std::uint32_t>(names.vertices.size());
                names.vertices.push_back(begin + first[vertex]);
                points_.push_back(positions[first[vertex]]);
            }
            names.wedges[begin + vertex] = wedge;
            out_.corners.push_back(wedge);
        }
    }

    void normalise() {
        Eigen::AlignedBox3d box;
        for (const Vec3f& point : points_) box.extend(point.cast<double>());
        if (box.isEmpty()) return;
        const double diagonal = box.diagonal().norm();
        out_.unit = diagonal > 0 ? diagonal : 1;
        out_.centre = box.center();
    }

    /// The first wedge at each position gets its number, so that most need not be looked up.
    void weldPositions() {
        const std::vector<std::uint32_t> first = firstEqualPosition(points_);
        std::uint32_t further = 0;
        for (std::uint32_t w = 0; w < first.size(); ++w) further += first[w] == w;
        std::vector<std::uint32_t> numbers(first.size());
        out_.positions.reserve(further);
        for (std::uint32_t w = 0; w < first.size(); ++w) {
            if (first[w] != w) {
                numbers[w] = further++;
                continue;
            }
            numbers[w] = static_cast<std::uint32_t>(out_.positions.size());
            out_.positions.push_back(
                ((points_[w].cast<double>() - out_.centre) / out_.unit).cast<float>());
        }
        points_ = {};
        out_.wedgePosition.resize(first.size());
        for (std::uint32_t w = 0; w < first.size(); ++w)
            out_.wedgePosition[numbers[w]] = numbers[first[w]];
        if (first.size() == out_.positions.size()) return;
        for (std::uint32_t& corner : out_.corners) corner = numbers[corner];
        for (std::uint32_t& wedge : out_.names.wedges)
            if (wedge != WedgeNames::kNone) wedge = numbers[wedge];
        const std::vector<std::uint32_t> before = out_.names.vertices;
        for (std::uint32_t w = 0; w < first.size(); ++w)
            out_.names.vertices[numbers[w]] = before[w];
    }

    void dropDegenerate() {
        std::size_t kept = 0;
        auto& corners = out_.corners;
        for (std::size_t i = 0; i + 2 < corners.size(); i += 3) {
            const std::uint32_t a = out_.wedgePosition[corners[i]];
            const std::uint32_t b = out_.wedgePosition[corners[i + 1]];
            const std::uint32_t c = out_.wedgePosition[corners[i + 2]];
            if (a == b || b == c || c == a) continue;
            for (std::size_t k = 0; k < 3; ++k) corners[kept + k] = corners[i + k];
            kept += 3;
        }
        corners.resize(kept);
    }

    void addAttributes() {
        findBonePlaces();
        const double surface = surfaceArea();
        const auto texCoord = [&](const char* set) {
            return weights_.texCoord * unitsPerTexCoord(set, surface);
        };
        const double scales[] = {weights_.normal * meanEdge(surface), texCoord("TEXCOORD_0"),
                                 texCoord("TEXCOORD_1"), weights_.color, weights_.skin};
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
    void findBonePlaces() {
        if (std::none_of(mesh_.parts.begin(), mesh_.parts.end(),
                         [](const Part& part) { return part.find("JOINTS_0"); }))
            return;
        std::map<int, std::pair<Vec3d, double>> sums;
        for (std::uint32_t w = 0; w < wedgeCount(); ++w)
            forEachBone(partOf(w), out_.names.vertexOf(w), [&](int joint, double weight) {
                auto& [sum, total] = sums.try_emplace(joint, Vec3d::Zero(), 0.0).first->second;
                sum += weight * out_.positions[out_.wedgePosition[w]].cast<double>();
                total += weight;
            });
        for (const auto& [joint, entry] : sums) bonePlaces_[joint] = entry.first / entry.second;
    }

    [[nodiscard]] bool isPresent(std::string_view semantic) const {
        if (semantic == kBonePlace) return bonePlaces_.size() > 1;
        for (const Part& part : mesh_.parts)
            if (part.isTriangles() && part.find(semantic)) return true;
        return false;
    }

    /// One attribute of all wedges, from number `first` of every `stride` on.
    void fill(const AttributeSlot& slot, std::size_t first, std::size_t stride) {
        if (slot.semantic == kBonePlace) return fillBonePlaces(slot, first, stride);
        const auto scale = static_cast<float>(slot.scale);
        const std::vector<Vec3f> values = valuesOf(slot.semantic);
        for (std::size_t w = 0; w < wedgeCount(); ++w) {
            const Vec3f& value = values[out_.names.vertices[w]];
            float* to = out_.attributes.data() + w * stride + first;
            for (int c = 0; c < slot.components; ++c) to[c] = scale * value[c];
        }
    }

    /// [V] The first three numbers of an attribute; zero where there is none.
    [[nodiscard]] std::vector<Vec3f> valuesOf(std::string_view semantic) const {
        std::vector<Vec3f> values;
        for (const Part& part : mesh_.parts) {
            const std::size_t end = values.size() + part.vertexCount();
            if (const Stream* stream = part.find(semantic)) {
                const std::vector<Vec3f> more = toVectors(*stream);
                values.insert(values.end(), more.begin(), more.end());
            }
            values.resize(end, Vec3f::Zero());
        }
        return values;
    }

    [[nodiscard]] std::size_t wedgeCount() const { return out_.names.vertices.size(); }
    [[nodiscard]] const Part& partOf(std::uint32_t wedge) const {
        return mesh_.parts[out_.names.partOf(wedge)];
    }

    void fillBonePlaces(const AttributeSlot& slot, std::size_t first, std::size_t stride) {
        for (std::uint32_t w = 0; w < wedgeCount(); ++w) {
            Vec3d place = Vec3d::Zero();
            forEachBone(partOf(w), out_.names.vertexOf(w), [&](int joint, double weight) {
                place += slot.scale * weight * bonePlaces_.at(joint);
            });
            Eigen::Map<Vec3f>(out_.attributes.data() + w * stride + first) = place.cast<float>();
        }
    }

    /// Squared units.
    [[nodiscard]] double surfaceArea() const {
        double area = 0;
        for (std::size_t i = 0; i < out_.corners.size(); i += 3) {
            const auto place = [&](std::size_t k) -> const Vec3f& {
                return out_.positions[out_.wedgePosition[out_.corners[i + k]]];
            };
            area +=
                static_cast<double>(0.5F * (place(1) - place(0)).cross(place(2) - place(0)).norm());
        }
        return area;
    }

    /// Of equilateral triangles with the mean area, units.
    [[nodiscard]] double meanEdge(double surface) const {
        const auto triangles = static_cast<double>(out_.corners.size() / 3);
        return triangles > 0 ? std::sqrt(4 / std::sqrt(3.0) * surface / triangles) : 0;
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
                return values[out_.names.vertices[out_.corners[i + k]]];
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
    std::vector<Vec3f> points_;
    std::map<int, Vec3d> bonePlaces_;  ///< By joint, units.
};

}  // namespace

std::uint32_t WedgeNames::partOf(std::uint32_t wedge) const {
    const auto next = std::upper_bound(firstOfPart.begin(), firstOfPart.end(), vertices[wedge]);
    return static_cast<std::uint32_t>(next - firstOfPart.begin()) - 1;
}

WedgePositions::WedgePositions(const WedgeMesh& mesh)
    : count_(static_cast<std::uint32_t>(mesh.positions.size())),
      further_(mesh.wedgePosition.begin() + static_cast<std::ptrdiff_t>(mesh.positions.size()),
               mesh.wedgePosition.end()) {}

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

WedgeMesh takeApart(const Mesh& mesh, const AttributeWeights& weights) {
    return Dismantler(mesh, weights).run();
}

}  // namespace flentro
