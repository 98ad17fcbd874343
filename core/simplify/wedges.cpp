#include "simplify/wedges.h"

#include <cmath>

#include "geometry/weld.h"

namespace flentro {
namespace {

/// Attributes that the metric looks at, in the order of their slots.
struct Slot {
    const char* semantic;
    int components;
};
constexpr Slot kSlots[] = {{"NORMAL", 3}, {"TEXCOORD_0", 2}, {"COLOR_0", 3}};

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
        centre_ = box.center();
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
            out_.positions.push_back((points_[w].cast<double>() - centre_) / out_.unit);
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
        const double texCoordScale = metresPerTexCoord() / out_.unit;
        const double scales[] = {weights_.normal, weights_.texCoord * texCoordScale,
                                 weights_.color};
        for (std::size_t s = 0; s < std::size(kSlots); ++s) {
            if (scales[s] <= 0 || !isPresent(kSlots[s].semantic)) continue;
            slots_.push_back({kSlots[s], scales[s]});
            out_.attributeCount += kSlots[s].components;
        }
        out_.attributes.reserve(out_.wedgeVertex.size() *
                                static_cast<std::size_t>(out_.attributeCount));
        for (std::size_t w = 0; w < out_.wedgeVertex.size(); ++w)
            for (const auto& [slot, scale] : slots_) appendValues(w, slot, scale);
    }

    [[nodiscard]] bool isPresent(const char* semantic) const {
        for (const Part& part : mesh_.parts)
            if (part.isTriangles() && part.find(semantic)) return true;
        return false;
    }

    void appendValues(std::size_t wedge, const Slot& slot, double scale) {
        const Stream* stream = mesh_.parts[out_.wedgePart[wedge]].find(slot.semantic);
        for (int c = 0; c < slot.components; ++c) {
            const bool there = stream && c < stream->components;
            out_.attributes.push_back(there ? scale * stream->value(out_.wedgeVertex[wedge], c)
                                            : 0);
        }
    }

    /// Square root of surface area over texture area: how far the surface slides under the
    /// texture for one unit of texture coordinate.
    [[nodiscard]] double metresPerTexCoord() const {
        double surface = 0;
        double texture = 0;
        for (std::size_t i = 0; i < out_.corners.size(); i += 3) {
            Vec3d p[3];
            Eigen::Vector2d t[3];
            for (std::size_t k = 0; k < 3; ++k) {
                const std::uint32_t w = out_.corners[i + k];
                p[k] = out_.positions[out_.wedgePosition[w]] * out_.unit;
                const Stream* stream = mesh_.parts[out_.wedgePart[w]].find("TEXCOORD_0");
                if (!stream || stream->components < 2) return 0;
                t[k] = {stream->value(out_.wedgeVertex[w], 0),
                        stream->value(out_.wedgeVertex[w], 1)};
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
    Vec3d centre_ = Vec3d::Zero();
    std::vector<std::pair<Slot, double>> slots_;
};

}  // namespace

WedgeMesh takeApart(const Mesh& mesh, const AttributeWeights& weights) {
    return Dismantler(mesh, weights).run();
}

}  // namespace flentro
