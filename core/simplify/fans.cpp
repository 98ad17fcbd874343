#include "simplify/fans.h"

#include <algorithm>

namespace flentro {

Fans::Fans(WedgeMesh& mesh) : words_(kStride * (mesh.corners.size() / 3)), vertices_(mesh) {
    parallelRanges(mesh.corners.size() / 3, kBlock, [&](std::size_t begin, std::size_t end) {
        for (std::size_t t = begin; t < end; ++t) {
            const std::uint32_t* wedges = mesh.corners.data() + 3 * t;
            std::uint32_t* words = words_.data() + kStride * t;
            const Vec3f& a = mesh.positions[vertexOf(wedges[0])];
            const Vec3f normal = (mesh.positions[vertexOf(wedges[1])] - a)
                                     .cross(mesh.positions[vertexOf(wedges[2])] - a);
            std::copy_n(wedges, 3, words);
            const PackedDirection none;
            words[kFacing] = std::bit_cast<std::uint32_t>(
                normal.norm() > kFlatArea ? PackedDirection(normal) : none);
        }
    });
    mesh.corners = std::vector<std::uint32_t>();  // {} would keep the memory
    link(mesh.positions.size());
}

/// Lists the corners at each of so many vertices, in the order of the triangles.
void Fans::link(std::size_t vertices) {
    firsts_.assign(vertices, kNone);
    for (std::size_t end = words_.size(); end > 0; end -= kStride)
        for (std::size_t corner = end - kStride; corner < end - kStride + 3; ++corner) {
            Corner& first = firsts_[vertexAt(static_cast<Corner>(corner))];
            words_[corner + kAfter] = first;
            first = static_cast<Corner>(corner);
        }
}

Corner Fans::firstOfBlock(std::uint32_t block) const {
    Corner low = 0;
    Corner high = end() / kStride;
    while (low < high) {
        const Corner middle = low + (high - low) / 2;
        if (vertexAt(kStride * middle) / kBlock < block)
            low = middle + 1;
        else
            high = middle;
    }
    return kStride * low;
}

void Fans::gatherOneRing(std::uint32_t vertex, Star& star) const {
    star.vertex = vertex;
    star.incident.clear();
    for (const Corner corner : at(vertex))
        star.incident.push_back(
            {corner, vertexAt(nextCorner(corner)), vertexAt(previousCorner(corner))});
}

void Fans::join(const Star& from, const Star& to) {
    Corner* last = &firsts_[to.vertex];
    for (const Star* star : {&to, &from})
        for (const IncidentCorner& incident : star->incident) {
            *last = incident.corner;
            last = &words_[incident.corner + kAfter];
        }
    *last = kNone;
    firsts_[from.vertex] = kNone;
}

void Fans::renumber(const RemapTable& numbers) {
    std::size_t kept = 0;
    for (Corner corner = 0; corner < end(); corner += kStride) {
        if (!isAlive(corner)) continue;
        for (std::size_t k = 0; k < 3; ++k) words_[kept + k] = numbers.of(words_[corner + k]);
        words_[kept + kFacing] = words_[corner + kFacing];
        kept += kStride;
    }
    words_.resize(kept);
    vertices_.renumber(numbers);
    link(numbers.vertices());
}

}  // namespace flentro
