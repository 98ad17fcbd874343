#include "scene/coincidence.h"

#include <algorithm>
#include <map>

#include "base/index.h"

namespace flentro {
namespace {

constexpr double kNear = 1e-5;          ///< Metres.
constexpr double kRounding = 4e-7;      ///< Of a place's largest coordinate.
constexpr std::size_t kMaxBoxes = 16;   ///< Of an object; with more all its triangles are asked.
constexpr std::size_t kMaxWindow = 64;  ///< Triangles that one is compared with.

using CornerPoints = std::array<Vec3d, 3>;

/// A placed triangle, by where its centre lies along a direction that no scene is aligned with.
struct Entry {
    double along = 0;
    std::uint32_t object = 0;
    std::uint32_t part = 0;
    std::uint32_t first = 0;  ///< In Part::indices.
};

bool isAsked(const Scene& scene, const Part& part) {
    if (!part.isTriangles() || part.isDeformable()) return false;
    return part.material < 0 ||
           elementOf(scene.materials, part.material).alphaMode != AlphaMode::Blend;
}

class Finder {
public:
    explicit Finder(const Scene& scene) : scene_(scene), positions_(scene.assets.size()) {}

    [[nodiscard]] std::vector<Coincidence> find() {
        collectBoxes();
        for (std::uint32_t i = 0; i < boxes_.size(); ++i)
            if (!boxes_[i].empty()) addTriangles(i);
        std::sort(entries_.begin(), entries_.end(), [](const Entry& a, const Entry& b) {
            return std::tie(a.along, a.object, a.part, a.first) <
                   std::tie(b.along, b.object, b.part, b.first);
        });
        std::map<std::pair<std::uint32_t, std::uint32_t>, std::size_t> counts;
        for (std::size_t i = 0; i < entries_.size(); ++i) matchFrom(i, counts);
        std::vector<Coincidence> result;
        for (const auto& [pair, count] : counts) result.push_back(orderedBySize(pair, count));
        std::sort(result.begin(), result.end(), [](const Coincidence& a, const Coincidence& b) {
            return std::tie(a.object, a.other) < std::tie(b.object, b.other);
        });
        return result;
    }

private:
    /// [objects] Boxes of others that overlap an object's own.
    void collectBoxes() {
        boxes_.resize(scene_.objects.size());
        std::vector<std::uint32_t> order;
        for (std::uint32_t i = 0; i < scene_.objects.size(); ++i)
            if (!scene_.objects[i].bounds.isEmpty() && !(scene_.objects[i].culling.start > 0))
                order.push_back(i);
        const auto boundsOf = [&](std::uint32_t i) -> const Box& {
            return scene_.objects[i].bounds;
        };
        std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
            return std::pair(boundsOf(a).min().x(), a) < std::pair(boundsOf(b).min().x(), b);
        });
        for (std::size_t i = 0; i < order.size(); ++i) {
            Box own = boundsOf(order[i]);
            const double margin = nearAt(own.min().cwiseAbs().cwiseMax(own.max().cwiseAbs()));
            own.min().array() -= margin;
            own.max().array() += margin;
            for (std::size_t k = i + 1;
                 k < order.size() && boundsOf(order[k]).min().x() <= own.max().x(); ++k) {
                auto& mine = boxes_[order[i]];
                auto& theirs = boxes_[order[k]];
                if (mine.size() > kMaxBoxes && theirs.size() > kMaxBoxes) continue;
                if (!own.intersects(boundsOf(order[k]))) continue;
                if (mine.size() <= kMaxBoxes) mine.push_back(boundsOf(order[k]));
                if (theirs.size() <= kMaxBoxes) theirs.push_back(boundsOf(order[i]));
            }
        }
    }

    [[nodiscard]] bool mayMatch(std::uint32_t object, const Vec3d& centre) const {
        const std::vector<Box>& boxes = boxes_[object];
        const double near = nearAt(centre);
        return boxes.size() > kMaxBoxes ||
               std::any_of(boxes.begin(), boxes.end(), [&](const Box& box) {
                   return box.squaredExteriorDistance(centre) <= near * near;
               });
    }

    void addTriangles(std::uint32_t object) {
        const Mesh& mesh = scene_.mesh(scene_.objects[object]);
        readPositions(static_cast<std::size_t>(scene_.objects[object].asset));
        for (std::uint32_t p = 0; p < mesh.parts.size(); ++p) {
            const Part& part = mesh.parts[p];
            if (!isAsked(scene_, part)) continue;
            for (std::uint32_t first = 0; first + 2 < part.indices.size(); first += 3) {
                const CornerPoints corners = cornersOf({0, object, p, first});
                const Vec3d centre = (corners[0] + corners[1] + corners[2]) / 3;
                if (mayMatch(object, centre))
                    entries_.push_back({centre.dot(Vec3d(0.53, 0.62, 0.578)), object, p, first});
            }
        }
    }

    void readPositions(std::size_t asset) {
        auto& parts = positions_[asset];
        if (!parts.empty()) return;
        for (const Part& part : scene_.assets[asset].mesh->parts)
            parts.push_back(isAsked(scene_, part) ? positionsOf(part) : std::vector<Vec3f>());
    }

    [[nodiscard]] CornerPoints cornersOf(const Entry& entry) const {
        const Object& object = scene_.objects[entry.object];
        const auto asset = static_cast<std::size_t>(object.asset);
        const std::vector<std::uint32_t>& indices =
            scene_.assets[asset].mesh->parts[entry.part].indices;
        const std::vector<Vec3f>& positions = positions_[asset][entry.part];
        CornerPoints corners;
        for (std::size_t k = 0; k < 3; ++k)
            corners[k] =
                transformPoint(object.world, positions[indices[entry.first + k]].cast<double>());
        return corners;
    }

    /// Within which two places are one.
    [[nodiscard]] static double nearAt(const Vec3d& place) {
        return kNear + kRounding * place.cwiseAbs().maxCoeff();
    }

    [[nodiscard]] static bool isSame(const CornerPoints& a, const CornerPoints& b) {
        const double near = nearAt(a[0]);
        return std::all_of(a.begin(), a.end(), [&](const Vec3d& corner) {
            return std::any_of(b.begin(), b.end(), [&](const Vec3d& other) {
                return (corner - other).cwiseAbs().maxCoeff() <= near;
            });
        });
    }

    /// Counts the next triangle of another object at the same place.
    void matchFrom(std::size_t i,
                   std::map<std::pair<std::uint32_t, std::uint32_t>, std::size_t>& counts) const {
        const std::size_t end = std::min(entries_.size(), i + 1 + kMaxWindow);
        const Entry& entry = entries_[i];
        if (i + 1 == end) return;
        const CornerPoints corners = cornersOf(entry);
        const double last = entry.along + 2 * nearAt(corners[0]);
        for (std::size_t k = i + 1; k < end && entries_[k].along <= last; ++k) {
            if (entries_[k].object == entry.object) continue;
            if (!isSame(corners, cornersOf(entries_[k]))) continue;
            ++counts[std::minmax(entry.object, entries_[k].object)];
            return;
        }
    }

    [[nodiscard]] Coincidence orderedBySize(const std::pair<std::uint32_t, std::uint32_t>& pair,
                                            std::size_t count) const {
        const bool firstIsLarger = scene_.mesh(scene_.objects[pair.first]).triangles >=
                                   scene_.mesh(scene_.objects[pair.second]).triangles;
        return firstIsLarger ? Coincidence{pair.second, pair.first, count}
                             : Coincidence{pair.first, pair.second, count};
    }

    const Scene& scene_;
    std::vector<std::vector<std::vector<Vec3f>>> positions_;  ///< [assets][parts][vertices]
    std::vector<std::vector<Box>> boxes_;                     ///< [objects]
    std::vector<Entry> entries_;
};

}  // namespace

std::vector<Coincidence> coincidentTriangles(const Scene& scene) {
    return Finder(scene).find();
}

}  // namespace flentro
