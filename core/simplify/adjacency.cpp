#include "simplify/adjacency.h"

#include <algorithm>
#include <tuple>

namespace flentro {

Adjacency::Adjacency(std::vector<std::uint32_t> corners, std::size_t positions)
    : corners_(std::move(corners)),
      next_(corners_.size(), kNone),
      head_(positions, kNone),
      tail_(positions, kNone),
      alive_(corners_.size() / 3, true) {
    for (std::uint32_t corner = 0; corner < corners_.size(); ++corner) {
        const std::uint32_t at = corners_[corner];
        if (head_[at] == kNone)
            head_[at] = corner;
        else
            next_[tail_[at]] = corner;
        tail_[at] = corner;
    }
}

void Adjacency::cornersAt(std::uint32_t position, std::vector<std::uint32_t>& corners) {
    corners.clear();
    std::uint32_t previous = kNone;
    for (std::uint32_t corner = head_[position]; corner != kNone; corner = next_[corner]) {
        if (!alive_[corner / 3]) continue;
        corners.push_back(corner);
        // Unlinks the dead ones in between.
        if (previous == kNone)
            head_[position] = corner;
        else
            next_[previous] = corner;
        previous = corner;
    }
    if (previous == kNone)
        head_[position] = kNone;
    else
        next_[previous] = kNone;
    tail_[position] = previous;
}

void Adjacency::join(std::uint32_t from, std::uint32_t to) {
    for (std::uint32_t corner = head_[from]; corner != kNone; corner = next_[corner])
        corners_[corner] = to;
    if (head_[from] == kNone) return;
    if (head_[to] == kNone)
        head_[to] = head_[from];
    else
        next_[tail_[to]] = head_[from];
    tail_[to] = tail_[from];
    head_[from] = tail_[from] = kNone;
}

std::vector<Edge> findEdges(const std::vector<std::uint32_t>& corners) {
    struct Half {
        std::uint32_t a, b, corner;
    };
    std::vector<Half> halves(corners.size());
    for (std::uint32_t corner = 0; corner < corners.size(); ++corner) {
        const std::uint32_t from = corners[corner];
        const std::uint32_t to = corners[corner / 3 * 3 + (corner + 1) % 3];
        halves[corner] = {std::min(from, to), std::max(from, to), corner};
    }
    std::sort(halves.begin(), halves.end(), [](const Half& x, const Half& y) {
        return std::tie(x.a, x.b, x.corner) < std::tie(y.a, y.b, y.corner);
    });
    std::vector<Edge> edges;
    for (const Half& half : halves) {
        const bool same = !edges.empty() && edges.back().a == half.a && edges.back().b == half.b;
        if (!same) edges.push_back({half.a, half.b, half.corner, kNone, 0});
        Edge& edge = edges.back();
        if (++edge.triangles == 2) edge.secondCorner = half.corner;
    }
    return edges;
}

}  // namespace flentro
