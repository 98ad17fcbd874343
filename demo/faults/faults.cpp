#include "faults/faults.h"

namespace flentro::demo {

std::vector<FaultKind> faultKinds() {
    std::vector<FaultKind> all;
    for (const auto* kinds : {&geometryFaults(), &sharingFaults(), &textureFaults(),
                              &materialFaults(), &lightFaults(), &layoutFaults()})
        all.insert(all.end(), kinds->begin(), kinds->end());
    return all;
}

Json plantFaults(Scene& scene, std::optional<std::uint32_t> seed) {
    Planter planter(scene, seed);
    const std::vector<FaultKind> kinds = faultKinds();
    if (!seed) {
        for (const FaultKind& kind : kinds) kind.plant(planter);
    } else {
        const std::vector<std::size_t> order = planter.dice().shuffled(kinds.size());
        for (std::size_t i = 0; i < kinds.size() / 2; ++i) kinds[order[i]].plant(planter);
    }
    flatten(scene);
    return planter.truth();
}

}  // namespace flentro::demo
