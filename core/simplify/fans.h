// The triangles of a mesh under reduction, and the fan of corners around each position.

#pragma once

#include <array>
#include <iterator>
#include <span>

#include "geometry/octahedral.h"
#include "simplify/wedges.h"

namespace flentro {

/// A triangle's place: 4 t + k, k < 3.
using Corner = std::uint32_t;

[[nodiscard]] inline Corner nextCorner(Corner corner) {
    return (corner & 3U) == 2 ? corner - 2 : corner + 1;
}
[[nodiscard]] inline Corner previousCorner(Corner corner) {
    return (corner & 3U) == 0 ? corner + 2 : corner - 1;
}

/// Memory: 34 bytes a triangle. All of a triangle lies together, as do the corners of a fan.
class Fans {
public:
    /// refresh() is still to be called.
    explicit Fans(const WedgeMesh& mesh);

    /// Passes over the corners of triangles that have been removed.
    class Iterator {
    public:
        using value_type = Corner;
        using difference_type = std::ptrdiff_t;
        Iterator() = default;
        Iterator(const Fans& fans, const Corner* at, const Corner* end)
            : fans_(&fans), at_(at), end_(end) {
            settle();
        }
        [[nodiscard]] Corner operator*() const { return *at_; }
        Iterator& operator++() {
            ++at_;
            settle();
            return *this;
        }
        void operator++(int) { ++*this; }
        [[nodiscard]] bool operator==(std::default_sentinel_t) const { return at_ == end_; }

    private:
        void settle() {
            while (at_ != end_ && !fans_->isAlive(*at_)) ++at_;
        }
        const Fans* fans_ = nullptr;
        const Corner* at_ = nullptr;
        const Corner* end_ = nullptr;
    };
    struct Range {
        Iterator first;
        [[nodiscard]] Iterator begin() const { return first; }
        [[nodiscard]] std::default_sentinel_t end() const { return {}; }
    };
    /// The corners at a position. Triangles may be removed on the way.
    [[nodiscard]] Range at(std::uint32_t position) const {
        const Corner* first = corners_.data() + fans_[position].first;
        return {{*this, first, first + fans_[position].count}};
    }

    /// All triangles there were at the last refresh, those removed since among them.
    [[nodiscard]] std::uint32_t size() const {
        return static_cast<std::uint32_t>(triangles_.size());
    }
    [[nodiscard]] bool isAlive(Corner corner) const {
        return triangles_[corner >> 2U].wedges[0] != kGone;
    }
    [[nodiscard]] std::uint32_t wedgeAt(Corner corner) const {
        return triangles_[corner >> 2U].wedges[corner & 3U];
    }
    [[nodiscard]] std::uint32_t positionAt(Corner corner) const {
        return positionOf(wedgeAt(corner));
    }
    [[nodiscard]] std::uint32_t positionOf(std::uint32_t wedge) const {
        return positions_.of(wedge);
    }
    /// Which way the triangle lay in the original.
    [[nodiscard]] Vec3f facing(Corner corner) const {
        return triangles_[corner >> 2U].facing.unpacked();
    }
    void setWedge(Corner corner, std::uint32_t wedge) {
        triangles_[corner >> 2U].wedges[corner & 3U] = wedge;
    }
    void remove(Corner corner) { triangles_[corner >> 2U].wedges[0] = kGone; }

    /// All corners at `from`, whose wedges have been set, are at `to` from now on.
    /// Cost: O(corners of both), and now and then O(P + T).
    void join(std::uint32_t from, std::uint32_t to);

    /// Forgets the triangles that are gone, the rest keep their order; lists the fans anew.
    /// Cost: O(P + T).
    void refresh();

private:
    static constexpr std::uint32_t kGone = ~0U;
    struct Triangle {
        std::array<std::uint32_t, 3> wedges;
        PackedDirection facing;
    };
    struct Fan {
        std::uint32_t first = 0;  ///< In corners_.
        std::uint32_t count = 0;
    };
    std::vector<Triangle> triangles_;
    WedgePositions positions_;
    std::vector<Fan> fans_;        ///< [P]
    std::vector<Corner> corners_;  ///< With room for fans that have joined.
};

}  // namespace flentro
