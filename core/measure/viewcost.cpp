#include "measure/viewcost.h"

#include <algorithm>
#include <map>
#include <tuple>

#include "measure/view_meter.h"

namespace flentro {

double distanceTo(const Box& box, const Vec3d& eye) {
    return box.isEmpty() ? std::numeric_limits<double>::infinity() : box.exteriorDistance(eye);
}

std::size_t levelAt(const Ladder& ladder, double scale, double distance) {
    std::size_t level = 0;
    while (level < ladder.levels.size() && ladder.levels[level].switchDistance * scale <= distance)
        ++level;
    return level;
}

std::size_t levelAfter(const Ladder& ladder, double scale, double distance, std::size_t shown) {
    const std::size_t now = levelAt(ladder, scale, distance);
    std::size_t level = std::min(shown, ladder.levels.size());
    const double kept = 1 - ladder.hysteresis;
    while (level > now && ladder.levels[level - 1].switchDistance * scale * kept > distance)
        --level;
    return std::max(level, now);
}

void capLevels(const Ladder& ladder, std::vector<CrowdMember>& members) {
    std::sort(members.begin(), members.end(), [](const CrowdMember& a, const CrowdMember& b) {
        return std::tie(a.distance, a.object) < std::tie(b.distance, b.object);
    });
    std::vector<int> room = ladder.caps;
    room.resize(std::min(room.size(), ladder.levels.size()));
    for (CrowdMember& member : members) {
        while (member.level < room.size() && room[member.level] <= 0) ++member.level;
        if (member.level < room.size()) --room[member.level];
    }
}

double textureBytes(const Image& image, const Target& target) {
    const double texels = static_cast<double>(image.width) * image.height;
    return texels * target.bytesPerTexel * (target.mipMaps ? 4.0 / 3 : 1);
}

std::vector<DrawnObject> selectDrawn(const Scene& scene, const Target& target,
                                     const Viewpoint& view) {
    std::vector<DrawnObject> drawn;
    std::map<int, std::vector<CrowdMember>> crowds;
    const Frustum frustum(view, target.lens());
    for (std::uint32_t i = 0; i < scene.objects.size(); ++i) {
        const Object& object = scene.objects[i];
        const Ladder& ladder = scene.assets[static_cast<std::size_t>(object.asset)].ladder;
        const bool inView = frustum.meets(object.bounds);
        if (!inView && ladder.caps.empty()) continue;
        const double distance = distanceTo(object.bounds, view.eye);
        if (!(distance < object.culling.end)) continue;
        const std::size_t level = levelAt(ladder, object.scale, distance);
        if (!ladder.caps.empty())
            crowds[object.asset].push_back({distance, i, static_cast<std::uint8_t>(level)});
        if (inView)
            drawn.push_back({i, static_cast<std::uint32_t>(level), static_cast<float>(distance)});
    }
    for (auto& [asset, members] : crowds) {
        capLevels(scene.assets[static_cast<std::size_t>(asset)].ladder, members);
        for (const CrowdMember& member : members) {
            const auto found = std::lower_bound(
                drawn.begin(), drawn.end(), member.object,
                [](const DrawnObject& d, std::uint32_t object) { return d.object < object; });
            if (found != drawn.end() && found->object == member.object) found->level = member.level;
        }
    }
    return drawn;
}

ViewCost viewCost(const Scene& scene, const Target& target, const Viewpoint& view) {
    return ViewMeter(scene, target).cost(view);
}

ViewCost wholeSceneCost(const Scene& scene, const Target& target) {
    return ViewMeter(scene, target).wholeScene();
}

}  // namespace flentro
