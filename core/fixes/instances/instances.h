// Instances: copies of one mesh share one node, which programs draw together.

#pragma once

#include "fixes/fix.h"

namespace flentro {

struct InstanceSettings {
    double cell = 0;   ///< Metres: copies share a node within cells of this edge; 0: anywhere.
    double reach = 4;  ///< Culling distances on one node differ by this factor at most, from 1 on.

    static const FixKind& kind();
};

/// Applies shareNodes() and reports what moved and what stays. Errors: none. Cost: O(n log n) in
/// objects and nodes.
[[nodiscard]] Expected<Fixed> applyInstances(const Scene& scene, const InstanceSettings& settings);

}  // namespace flentro
