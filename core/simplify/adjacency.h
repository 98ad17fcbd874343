// Which triangles meet at a position. Positions are welded: vertices that differ only in
// attributes ("wedges", Hoppe 1999) share one.

#pragma once

#include <array>
#include <cstdint>
#include <vector>

namespace flentro {

inline constexpr std::uint32_t kNone = ~0U;

/// Per position a linked list of corners, so that two lists join without allocation when an
/// edge collapses. Corner c belongs to triangle c / 3.
class Adjacency {
public:
    /// `corners` [3T]: the position of each corner.
    Adjacency(std::vector<std::uint32_t> corners, std::size_t positions);

    [[nodiscard]] std::size_t positionCount() const { return head_.size(); }
    [[nodiscard]] std::size_t triangleCount() const { return corners_.size() / 3; }
    [[nodiscard]] bool isAlive(std::uint32_t triangle) const { return alive_[triangle]; }
    [[nodiscard]] std::uint32_t position(std::uint32_t corner) const { return corners_[corner]; }

    /// Corners of living triangles at a position.
    void cornersAt(std::uint32_t position, std::vector<std::uint32_t>& corners);

    void removeTriangle(std::uint32_t triangle) { alive_[triangle] = false; }

    /// Moves all corners at `from` to `to`.
    void join(std::uint32_t from, std::uint32_t to);

private:
    std::vector<std::uint32_t> corners_;
    std::vector<std::uint32_t> next_;  ///< [3T] next corner at the same position.
    std::vector<std::uint32_t> head_;  ///< [P]
    std::vector<std::uint32_t> tail_;
    std::vector<bool> alive_;
};

/// An undirected edge between positions and how many triangles share it.
struct Edge {
    std::uint32_t a = 0;  ///< a < b
    std::uint32_t b = 0;
    std::uint32_t firstCorner = 0;  ///< The corner at which the edge starts in one triangle.
    std::uint32_t secondCorner = kNone;
    std::uint32_t triangles = 0;
};

/// All edges, sorted by (a, b). Cost: O(T log T).
[[nodiscard]] std::vector<Edge> findEdges(const std::vector<std::uint32_t>& corners);

}  // namespace flentro
