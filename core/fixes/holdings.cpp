#include <unordered_set>

#include "fixes/fix.h"
#include "measure/viewcost.h"

namespace flentro {

Holdings holdingsOf(const Scene& scene, const Target& target) {
    Holdings held;
    held.objects = static_cast<double>(scene.objects.size());
    const ViewCost whole = wholeSceneCost(scene, target);
    held.triangles = (at(whole.counts, Measure::Triangles) - whole.shadowTriangles) / target.eyes;
    held.shadowTriangles = whole.shadowTriangles;
    held.calls = at(whole.counts, Measure::DrawCalls);
    held.textureBytes = at(whole.counts, Measure::TextureBytes);
    // Levels share streams with level 0: each counts once.
    std::unordered_set<const Stream*> streams;
    for (const Asset& asset : scene.assets)
        for (std::size_t level = 0; level < asset.levelCount(); ++level)
            for (const Part& part : asset.level(level)->parts) {
                held.meshBytes +=
                    static_cast<double>(part.indices.size() * indexSize(part.vertexCount()));
                for (const Attribute& attribute : part.attributes)
                    if (streams.insert(attribute.stream.get()).second)
                        held.meshBytes += static_cast<double>(attribute.stream->data.size());
            }
    held.diskBytes = held.meshBytes;
    for (const Image& image : scene.images)
        if (image.data) held.diskBytes += static_cast<double>(image.data->size());
    return held;
}

}  // namespace flentro
