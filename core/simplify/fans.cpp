#include "simplify/fans.h"

#include <algorithm>

namespace flentro {

Fans::Fans(WedgeMesh& mesh) : words_(kStride * (mesh.corners.size() / 3)), positions_(mesh) {
    parallelRanges(mesh.corners.size() / 3, kBlock, [&](std::size_t begin, std::size_t end) {
        for (std::size_t t = begin; t < end; ++t) {
            const std::uint32_t* wedges = mesh.corners.data() + 3 * t;
            std::uint32_t* words = words_.data() + kStride * t;
            const Vec3f& a = mesh.positions[positionOf(wedges[0])];
            const Vec3f normal = (mesh.positions[positionOf(wedges[1])] - a)
                                     .cross(mesh.positions[positionOf(wedges[2])] - a);
            std::copy_n(wedges, 3, words);
            const PackedDirection none;
            words[kFacing] = std::bit_cast<std::uint32_t>(
                normal.norm() > kFlatArea ? PackedDirection(normal) : none);
        }
    });
    mesh.corners = std::vector<std::uint32_t>();  // {} would keep the memory
    link(mesh.positions.size());
}

/// Lists the corners at each of so many positions, in the order of the triangles.
void Fans::link(std::size_t positions) {
    firsts_.assign(positions, kNone);
    for (std::size_t end = words_.size(); end > 0; end -= kStride)
        for (std::size_t corner = end - kStride; corner < end - kStride + 3; ++corner) {
            Corner& first = firsts_[positionAt(static_cast<Corner>(corner))];
            words_[corner + kAfter] = first;
            first = static_cast<Corner>(corner);
        }
}

Corner Fans::firstOfBlock(std::uint32_t block) const {
    Corner low = 0;
    Corner high = end() / kStride;
    while (low < high) {
        const Corner middle = low + (high - low) / 2;
        if (positionAt(kStride * middle) / kBlock < block)
            low = middle + 1;
        else
            high = middle;
    }
    return kStride * low;
}

void Fans::gatherOneRing(std::uint32_t position, Star& star) const {
    star.position = position;
    star.incident.clear();
    for (const Corner corner : at(position))
        star.incident.push_back(
            {corner, positionAt(nextCorner(corner)), positionAt(previousCorner(corner))});
}

void Fans::join(const Star& from, const Star& to) {
    Corner* last = &firsts_[to.position];
    for (const Star* star : {&to, &from})
        for (const IncidentCorner& incident : star->incident) {
            *last = incident.corner;
            last = &words_[incident.corner + kAfter];
        }
    *last = kNone;
    firsts_[from.position] = kNone;
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
    positions_.renumber(numbers);
    link(numbers.positions());
}

}  // namespace flentro
