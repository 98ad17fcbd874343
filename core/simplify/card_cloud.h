// Foliage made of many loose cards: fewer of them, each larger, so that as much is covered.
//
// After R. L. Cook, J. Halstead, M. Planck, D. Ryu, "Stochastic simplification of aggregate
// detail", SIGGRAPH 2007: a subset in a fixed order, the rest scaled to keep the total area.

#pragma once

#include "geometry/mesh.h"

namespace flentro {

class CardCloud {
public:
    /// `part` must outlive it. Cost: O(V + T log T).
    explicit CardCloud(const Part& part);

    /// True if it is many loose pieces of very few triangles each.
    [[nodiscard]] static bool isOne(const Part& part);

    /// With no more than `share` of the triangles, spread evenly, and the whole area. Cards grow
    /// to thrice their edge at the most, which bounds the share from below. Smaller shares are
    /// subsets of larger ones. Cost: O(V + T).
    [[nodiscard]] Part thinned(double share) const;

private:
    struct Card {
        std::vector<std::uint32_t> triangles;
        double area = 0;
        Vec3d centre = Vec3d::Zero();
    };
    void order();

    const Part& part_;
    std::vector<Vec3f> points_;
    std::vector<Card> cards_;  ///< In the order in which they are kept.
    double area_ = 0;
};

}  // namespace flentro
