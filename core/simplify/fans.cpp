#include "simplify/fans.h"

namespace flentro {
namespace {

/// Corners a triangle that there is room for besides: the fewer, the more often lists are made
/// anew.
constexpr double kSpare = 0.4;

}  // namespace

Fans::Fans(const WedgeMesh& mesh)
    : triangles_(mesh.corners.size() / 3), positions_(mesh), fans_(mesh.positions.size()) {
    for (std::size_t t = 0; t < triangles_.size(); ++t) {
        const std::uint32_t* wedges = mesh.corners.data() + 3 * t;
        const Vec3f& a = mesh.positions[positionOf(wedges[0])];
        const Vec3f normal = (mesh.positions[positionOf(wedges[1])] - a)
                                 .cross(mesh.positions[positionOf(wedges[2])] - a);
        triangles_[t].wedges = {wedges[0], wedges[1], wedges[2]};
        if (normal.norm() > kFlatArea) triangles_[t].facing = PackedDirection(normal);
    }
}

void Fans::join(std::uint32_t from, std::uint32_t to) {
    if (corners_.size() + fans_[from].count + fans_[to].count > corners_.capacity())
        return refresh();
    const auto first = static_cast<std::uint32_t>(corners_.size());
    for (const std::uint32_t position : {to, from})
        for (const Corner corner : at(position)) corners_.push_back(corner);
    fans_[from].count = 0;
    fans_[to] = {first, static_cast<std::uint32_t>(corners_.size()) - first};
}

void Fans::refresh() {
    for (Fan& fan : fans_) fan.count = 0;
    std::size_t kept = 0;
    for (const Triangle& triangle : triangles_) {
        if (triangle.wedges[0] == kGone) continue;
        for (const std::uint32_t wedge : triangle.wedges) ++fans_[positionOf(wedge)].count;
        triangles_[kept++] = triangle;
    }
    triangles_.resize(kept);
    if (corners_.empty())
        corners_.reserve(3 * kept + static_cast<std::size_t>(kSpare * static_cast<double>(kept)));
    corners_.resize(3 * kept);
    std::uint32_t first = 0;
    for (Fan& fan : fans_) {
        fan.first = first;
        first += fan.count;
        fan.count = 0;
    }
    for (std::uint32_t t = 0; t < kept; ++t)
        for (std::uint32_t k = 0; k < 3; ++k) {
            Fan& fan = fans_[positionAt(4 * t + k)];
            corners_[fan.first + fan.count++] = 4 * t + k;
        }
}

}  // namespace flentro
