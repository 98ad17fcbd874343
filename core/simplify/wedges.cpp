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
        for (std::uint32_t p = 0; p < mesh_.parts.size(); ++p)
            if (mesh_.parts[p].isTriangles()) addPart(p);
        normalise();
        weldPositions();
        dropDegenerate();
        addAttributes();
        return std::move(out_);
    }

private:
    void addPart(std::uint32_t index) {
        const Part& part = mesh_.parts[index];
        const std::vector<std::uint32_t> first = firstEqualVertex(part);
        const std::vector<Vec3f> positions = toVectors(*part.find("POSITION"));
        std::vector<std::uint32_t> wedge(first.size(), kUnset);
        for (const std::uint32_t vertex : part.indices) {
            const std::uint32_t equal = first[vertex];
            if (wedge[equal] == kUnset) {
                wedge[equal] = static_cast<std::uint32_t>(out_.wedgeVertex.size());
                out_.wedgeVertex.push_back(equal);
                out_.wedgePart.push_back(index);
                points_.push_back(positions[equal]);
            }
            out_.corners.push_back(wedge[equal]);
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

    void weldPositions() {
        const std::vector<std::uint32_t> first = firstEqualPosition(points_);
        out_.wedgePosition.resize(first.size());
        for (std::uint32_t w = 0; w < first.size(); ++w) {
            if (first[w] != w) {
                out_.wedgePosition[w] = out_.wedgePosition[first[w]];
                continue;
            }
            out_.wedgePosition[w] = static_cast<std::uint32_t>(out_.positions.size());
            out_.positions.push_back(
                ((points_[w].cast<double>() - out_.centre) / out_.unit).cast<float>());
        }
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
        const auto texCoord = [&](const char* set) {
            return weights_.texCoord * metresPerTexCoord(set) / out_.unit;
        };
        const double scales[] = {weights_.normal * meanEdge(), texCoord("TEXCOORD_0"),
                                 texCoord("TEXCOORD_1"), weights_.color, weights_.skin};
        for (std::size_t s = 0; s < std::size(kKinds); ++s) {
            if (scales[s] <= 0 || !isPresent(kKinds[s].semantic)) continue;
            out_.attributeSlots.push_back({kKinds[s].semantic, kKinds[s].components, scales[s]});
            out_.attributeCount += kKinds[s].components;
        }
        const auto count = static_cast<std::size_t>(out_.attributeCount);
        out_.attributes.resize(out_.wedgeVertex.size() * count);
        std::size_t first = 0;
        for (const AttributeSlot& slot : out_.attributeSlots) {
            fill(slot, first, count);
            first += static_cast<std::size_t>(slot.components);
        }
    }

    /// The middle of what each bone holds, units.
    void findBonePlaces() {
        if (std::none_of(mesh_.parts.begin(), mesh_.parts.end(),
                         [](const Part& part) { return part.find("JOINTS_0"); }))
            return;
        std::map<int, std::pair<Vec3d, double>> sums;
        for (std::size_t w = 0; w < out_.wedgeVertex.size(); ++w)
            forEachBone(
                mesh_.parts[out_.wedgePart[w]], out_.wedgeVertex[w], [&](int joint, double weight) {
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

    /// One attribute of all wedges, from number `first` of `count` on.
    void fill(const AttributeSlot& slot, std::size_t first, std::size_t count) {
        if (slot.semantic == kBonePlace) return fillBonePlaces(slot, first, count);
        std::vector<const Stream*> streams;
        for (const Part& part : mesh_.parts) streams.push_back(part.find(slot.semantic));
        for (std::size_t w = 0; w < out_.wedgeVertex.size(); ++w) {
            const Stream* stream = streams[out_.wedgePart[w]];
            if (!stream) continue;
            float* values = out_.attributes.data() + w * count + first;
            for (int c = 0; c < std::min(slot.components, stream->components); ++c)
                values[c] = static_cast<float>(
                    slot.scale * static_cast<double>(stream->value(out_.wedgeVertex[w], c)));
        }
    }

    void fillBonePlaces(const AttributeSlot& slot, std::size_t first, std::size_t count) {
        for (std::size_t w = 0; w < out_.wedgeVertex.size(); ++w) {
            Vec3d place = Vec3d::Zero();
            forEachBone(mesh_.parts[out_.wedgePart[w]], out_.wedgeVertex[w],
                        [&](int joint, double weight) {
                            place += slot.scale * weight * bonePlaces_.at(joint);
                        });
            Eigen::Map<Vec3f>(out_.attributes.data() + w * count + first) = place.cast<float>();
        }
    }

    /// Of equilateral triangles with the mean area, units.
    [[nodiscard]] double meanEdge() const {
        double area = 0;
        for (std::size_t i = 0; i < out_.corners.size(); i += 3) {
            const auto place = [&](std::size_t k) -> Vec3d {
                return out_.positions[out_.wedgePosition[out_.corners[i + k]]].cast<double>();
            };
            area += 0.5 * (place(1) - place(0)).cross(place(2) - place(0)).norm();
        }
        const auto triangles = static_cast<double>(out_.corners.size() / 3);
        return triangles > 0 ? std::sqrt(4 / std::sqrt(3.0) * area / triangles) : 0;
    }

    /// Square root of surface area over texture area: how far the surface slides under the
    /// texture for one unit of texture coordinate.
    [[nodiscard]] double metresPerTexCoord(const char* set) const {
        std::vector<const Stream*> streams;
        for (const Part& part : mesh_.parts) {
            streams.push_back(part.find(set));
            const bool there = streams.back() && streams.back()->components >= 2;
            if (part.isTriangles() && part.triangleCount() > 0 && !there) return 0;
        }
        double surface = 0;
        double texture = 0;
        for (std::size_t i = 0; i < out_.corners.size(); i += 3) {
            Vec3d p[3];
            Eigen::Vector2d t[3];
            for (std::size_t k = 0; k < 3; ++k) {
                const std::uint32_t w = out_.corners[i + k];
                p[k] = out_.positions[out_.wedgePosition[w]].cast<double>() * out_.unit;
                const Stream& stream = *streams[out_.wedgePart[w]];
                t[k] = {stream.value(out_.wedgeVertex[w], 0), stream.value(out_.wedgeVertex[w], 1)};
            }
            surface += (p[1] - p[0]).cross(p[2] - p[0]).norm();
            const Eigen::Vector2d u = t[1] - t[0];
            const Eigen::Vector2d v = t[2] - t[0];
            texture += std::fabs(u.x() * v.y() - u.y() * v.x());
        }
        return texture > 0 ? std::sqrt(surface / texture) : 0;
    }

    static constexpr std::uint32_t kUnset = ~0U;

    const Mesh& mesh_;
    const AttributeWeights& weights_;
    WedgeMesh out_;
    std::vector<Vec3f> points_;
    std::map<int, Vec3d> bonePlaces_;  ///< By joint, units.
};

}  // namespace

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
