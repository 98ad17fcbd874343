// A view or a scene held against a target, as numbers and as JSON.

#pragma once

#include <optional>

#include "measure/frame_cost.h"
#include "measure/inventory.h"
#include "measure/viewcost.h"

namespace flentro {

struct Audit {
    std::string scene;
    Target target;
    std::optional<Viewpoint> view;  ///< Missing: everything at once.
    Counts counts{};
    Counts loads{};

    [[nodiscard]] bool within() const;
};

[[nodiscard]] Audit makeAudit(const Scene& scene, const Target& target,
                              const std::optional<Viewpoint>& view);

[[nodiscard]] Json toJson(const Audit& audit);
[[nodiscard]] Json toJson(const Inventory& inventory);

}  // namespace flentro
