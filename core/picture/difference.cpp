#include "picture/difference.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace flentro {

PictureDifference compare(const Picture& a, const Picture& b) {
    double covered = 0;
    double apart = 0;
    double both = 0;
    double square = 0;
    for (std::size_t i = 0; i < a.pixels.size(); ++i) {
        const Vec4d p = a.pixels[i].cast<double>();
        const Vec4d q = b.pixels[i].cast<double>();
        covered += p.w();
        apart += std::fabs(p.w() - q.w());
        const double weight = std::min(p.w(), q.w());
        if (weight <= 0) continue;
        both += weight;
        square += weight * (p.head<3>() / p.w() - q.head<3>() / q.w()).squaredNorm() / 3;
    }
    PictureDifference result;
    result.silhouettePixels = apart;
    if (covered > 0)
        result.silhouette = apart / covered;
    else
        result.silhouette = apart > 0 ? 1 : 0;
    if (both > 0) result.shading = std::sqrt(square / both);
    return result;
}

std::span<const Vec3d> sidesAround() {
    static const std::array<Vec3d, 6> sides = [] {
        std::array<Vec3d, 6> made;
        for (std::size_t i = 0; i < made.size(); ++i) {
            const double turn = 2 * kPi * static_cast<double>(i) / made.size();
            made[i] = Vec3d(std::sin(turn), 0.15, std::cos(turn)).normalized();
        }
        return made;
    }();
    return sides;
}

PictureDifference differenceAt(const MeshPainter& original, const MeshPainter& other,
                               const Box& bounds, double distance, double pixelsPerMetreAtOne) {
    PictureDifference worst;
    for (const Vec3d& side : sidesAround()) {
        const Aim aim = aimAt(bounds, side, distance, pixelsPerMetreAtOne);
        const PictureDifference here = compare(original.paint(aim), other.paint(aim));
        worst.silhouette = std::max(worst.silhouette, here.silhouette);
        worst.silhouettePixels = std::max(worst.silhouettePixels, here.silhouettePixels);
        worst.shading = std::max(worst.shading, here.shading);
    }
    return worst;
}

}  // namespace flentro
