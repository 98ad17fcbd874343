#include "fixes/instances/instances.h"

#include <fmt/format.h>

#include "base/text.h"
#include "scene/instances.h"

namespace flentro {

Expected<Fixed> applyInstances(const Scene& scene, const InstanceSettings& settings) {
    Fixed result{scene, {}};
    const NodeSharing done = shareNodes(result.scene, settings.cell, settings.reach);
    result.record.summary = done.objects == 0
                                ? "No copies share a node"
                                : fmt::format("{} share {}", counted(done.objects, "object"),
                                              counted(done.nodes, "node"));
    if (done.kept > 0)
        result.record.notes.push_back(fmt::format(
            "{} on nodes of their own: those move, bend or hold other things, or the copies are "
            "mirrored or sheared",
            counted(done.kept, "copy stays", "copies stay")));
    return result;
}

}  // namespace flentro
