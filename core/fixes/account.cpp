#include "fixes/account.h"

#include <algorithm>
#include <cassert>
#include <unordered_set>

#include "base/cancel_only.h"
#include "base/parallel.h"
#include "measure/view_meter.h"

namespace flentro {

bool isBeginningOf(const Stream& stream, const Mesh& top) {
    const auto begins = [&](const Attribute& attribute) {
        const auto& all = attribute.stream->data;
        return all.size() >= stream.data.size() &&
               std::equal(stream.data.begin(), stream.data.end(), all.begin());
    };
    return std::any_of(top.parts.begin(), top.parts.end(), [&](const Part& part) {
        return std::any_of(part.attributes.begin(), part.attributes.end(), begins);
    });
}

SceneTotals sceneTotals(const Scene& scene, const Target& target) {
    SceneTotals held;
    held.objects = static_cast<double>(scene.objects.size());
    const ViewCost whole = wholeSceneCost(scene, target);
    held.triangles = (at(whole.counts, Measure::Triangles) - whole.shadowTriangles) / target.eyes;
    held.shadowTriangles = whole.shadowTriangles;
    held.calls = at(whole.counts, Measure::DrawCalls);
    held.textureBytes = at(whole.counts, Measure::TextureBytes);
    // Each stream counts once, and what is the beginning of one of level 0 not at all.
    std::unordered_set<const Stream*> streams;
    for (const Asset& asset : scene.assets)
        for (std::size_t level = 0; level < asset.levelCount(); ++level)
            for (const Part& part : asset.level(level)->parts) {
                held.meshBytes +=
                    static_cast<double>(part.indices.size() * indexSize(part.vertexCount()));
                for (const Attribute& attribute : part.attributes)
                    if (streams.insert(attribute.stream.get()).second &&
                        !(level > 0 && isBeginningOf(*attribute.stream, *asset.mesh)))
                        held.meshBytes += static_cast<double>(attribute.stream->data.size());
            }
    held.diskBytes = held.meshBytes;
    double pixels = 0;
    for (const Image& image : scene.images) {
        if (!image.data) continue;
        held.diskBytes += static_cast<double>(image.data->size());
        pixels += static_cast<double>(image.width) * image.height;
    }
    held.loadSeconds = held.diskBytes / target.loading.bytesPerSecond +
                       pixels / target.loading.pixelsPerSecond +
                       held.objects / target.loading.objectsPerSecond;
    return held;
}

Expected<Counts> worstOver(const Scene& scene, const Target& target, const Evidence& evidence,
                           Progress& progress) {
    assert(!evidence.empty());
    const ViewMeter meter(scene, target);
    std::vector<Counts> most(evidence.places.size(), Counts{});
    const auto keepMost = [](Counts& kept, const Counts& counts) {
        for (std::size_t m = 0; m < kMeasureCount; ++m) kept[m] = std::max(kept[m], counts[m]);
    };
    CancelOnly quiet(progress);
    const auto count = [&](std::size_t p) {
        const Evidence::Place& place = evidence.places[p];
        for (const ViewTally& tally : meter.count(meter.sight(place.eye, place.views)))
            keepMost(most[p], tally.counts);
    };
    if (!parallelFor(most.size(), "Counting the worst views", quiet, count))
        return stopped("Counting the worst views");
    Counts worst{};
    for (const Counts& counts : most) keepMost(worst, counts);
    return worst;
}

}  // namespace flentro
