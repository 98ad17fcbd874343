#include "scene/origins.h"

#include <algorithm>

namespace flentro {

OriginMap::OriginMap(const Scene& scene) {
    std::size_t count = scene.originNames ? scene.originNames->size() : 0;
    for (const Object& object : scene.objects)
        for (const std::uint32_t origin : object.origins)
            count = std::max<std::size_t>(count, origin + 1);
    first_.assign(count + 1, 0);
    for (const Object& object : scene.objects)
        for (const std::uint32_t origin : object.origins) ++first_[origin + 1];
    for (std::size_t i = 0; i < count; ++i) first_[i + 1] += first_[i];
    objects_.resize(first_.back());
    std::vector<std::uint32_t> next(first_.begin(), first_.end() - 1);
    for (std::uint32_t i = 0; i < scene.objects.size(); ++i)
        for (const std::uint32_t origin : scene.objects[i].origins) objects_[next[origin]++] = i;
}

std::span<const std::uint32_t> OriginMap::shownBy(std::size_t origin) const {
    if (origin + 1 >= first_.size()) return {};
    return {objects_.data() + first_[origin], first_[origin + 1] - first_[origin]};
}

std::vector<bool> onlyFrom(const Scene& scene, const std::vector<bool>& origins) {
    std::vector<bool> only;
    for (const Object& object : scene.objects)
        only.push_back(
            !object.origins.empty() &&
            std::all_of(object.origins.begin(), object.origins.end(),
                        [&](std::uint32_t o) { return o < origins.size() && origins[o]; }));
    return only;
}

std::vector<Grouping> groupingOf(const Scene& scene) {
    std::vector<std::uint8_t> shown;  // [origins] 0, 1, or more
    for (const Object& object : scene.objects)
        for (const std::uint32_t origin : object.origins) {
            if (object.culling.start > 0) continue;
            if (shown.size() <= origin) shown.resize(origin + 1, 0);
            shown[origin] = static_cast<std::uint8_t>(std::min(shown[origin] + 1, 2));
        }
    std::vector<Grouping> grouping;
    for (const Object& object : scene.objects) {
        const bool alone = object.origins.size() == 1 && object.culling.start == 0;
        grouping.push_back(object.origins.size() > 1               ? Grouping::Merged
                           : alone && shown[object.origins[0]] > 1 ? Grouping::Piece
                                                                   : Grouping::Single);
    }
    return grouping;
}

std::uint32_t originOf(const Scene& scene, std::size_t index, std::size_t triangle) {
    const Object& object = scene.objects[index];
    const Asset& asset = scene.asset(object);
    std::vector<std::size_t> firstOfPart = {0};
    for (const Part& part : asset.mesh->parts)
        firstOfPart.push_back(firstOfPart.back() + part.triangleCount());
    for (const MergedRange& range : asset.ranges) {
        const std::size_t first = firstOfPart[range.part] + range.first;
        if (triangle >= first && triangle < first + range.triangles) return range.origin;
    }
    return object.origins.empty() ? 0 : object.origins.front();
}

}  // namespace flentro
