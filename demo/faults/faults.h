// The kinds of fault that the demo scene is planted with, one function each.

#pragma once

#include "faults/planter.h"

namespace flentro::demo {

struct FaultKind {
    const char* finding;  ///< The rule that should find it.
    void (*plant)(Planter& planter);
};

// By what they sit in, each list in its own file.
[[nodiscard]] const std::vector<FaultKind>& geometryFaults();
[[nodiscard]] const std::vector<FaultKind>& sharingFaults();
[[nodiscard]] const std::vector<FaultKind>& textureFaults();
[[nodiscard]] const std::vector<FaultKind>& materialFaults();
[[nodiscard]] const std::vector<FaultKind>& lightFaults();
[[nodiscard]] const std::vector<FaultKind>& layoutFaults();

/// All of them.
[[nodiscard]] std::vector<FaultKind> faultKinds();

/// Plants all kinds with their usual victims and amounts; with a seed a random half of the kinds on
/// random things in random amounts. Returns the truth about them.
[[nodiscard]] Json plantFaults(Scene& scene, std::optional<std::uint32_t> seed);

}  // namespace flentro::demo
