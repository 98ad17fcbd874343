// The bones that hold the vertices of a part.

#pragma once

#include <algorithm>
#include <array>

#include "geometry/mesh.h"

namespace flentro {

/// The joint sets of a part that are read: two of four bones each. `part` must outlive it.
class BoneSets {
public:
    explicit BoneSets(const Part& part)
        : sets_{{{part.find("JOINTS_0"), part.find("WEIGHTS_0")},
                 {part.find("JOINTS_1"), part.find("WEIGHTS_1")}}} {}

    /// Calls visit(joint, weight) for each bone of a vertex whose weight is positive. Joints are
    /// those of the file, not checked against a skin.
    template <typename Visit>
    void forEach(std::size_t vertex, Visit&& visit) const {
        for (const auto& [joints, weights] : sets_)
            for (int c = 0;
                 joints && weights && c < std::min(joints->components, weights->components); ++c)
                if (const float weight = weights->value(vertex, c); weight > 0)
                    visit(static_cast<std::size_t>(joints->value(vertex, c)),
                          static_cast<double>(weight));
    }

private:
    struct Set {
        const Stream* joints;
        const Stream* weights;
    };
    std::array<Set, 2> sets_;
};

}  // namespace flentro
