// Foliage made of many loose cards or leaves: fewer of them, each larger, so that as much is
// covered.
//
// After R. L. Cook, J. Halstead, M. Planck, D. Ryu, "Stochastic simplification of aggregate
// detail", SIGGRAPH 2007: a subset in a fixed order, the rest scaled to keep the total area.

#pragma once

#include "geometry/mesh.h"

namespace flentro {

class CardCloud {
public:
    /// `part` must outlive it. `area`: square metres that what is kept is to cover; that of the
    /// part if not given. Cost: O(V + T log T).
    explicit CardCloud(const Part& part, double area = 0);

    /// True if it is many loose pieces, either of very few triangles each, or leaves: small open
    /// sheets that lie at all angles to their neighbours. Cost: O(V + T log T).
    [[nodiscard]] static bool isOne(const Part& part);

    /// With no more than `share` of the triangles, spread evenly, and the whole area. Cards grow
    /// to thrice their edge at the most, which bounds the share from below. Smaller shares are
    /// subsets of larger ones. Cost: O(V + T).
    [[nodiscard]] Part thinned(double share) const;

    /// How far outlines move there, metres: those of what is gone by half its width, those of what
    /// is kept by its growth; all but a twentieth of the area moves by no more. Cost: O(cards).
    [[nodiscard]] double deviationAt(double share) const;

    /// Half the width of the cards, metres; all but a twentieth of the area is no wider.
    [[nodiscard]] double halfWidth() const { return halfWidth_; }

private:
    struct Card {
        std::vector<std::uint32_t> triangles;
        double area = 0;
        double extent = 0;  ///< Of its farthest vertex from the centre, metres.
        Vec3d centre = Vec3d::Zero();
        Vec3d normal = Vec3d::Zero();  ///< Times its area.

        /// Metres; exact for a square, nearly so for rectangles and ellipses.
        [[nodiscard]] double halfWidth() const;
    };
    struct Kept {
        std::size_t cards = 0;
        double growth = 1;  ///< Of their edges.
    };
    void order();
    [[nodiscard]] Kept keptAt(double share) const;
    [[nodiscard]] bool areLeaves() const;
    template <typename Measure>
    [[nodiscard]] double nearlyLargest(const Measure& measure) const;

    const Part& part_;
    std::vector<Vec3f> points_;
    std::vector<Card> cards_;  ///< In the order in which they are kept.
    double area_ = 0;          ///< To be covered, square metres.
    double halfWidth_ = 0;
};

}  // namespace flentro
