#include "measure/viewcost.h"

#include <algorithm>
#include <map>
#include <optional>
#include <tuple>

#include "base/index.h"
#include "measure/view_meter.h"

namespace flentro {

double distanceTo(const Box& box, const Vec3d& eye) {
    return box.isEmpty() ? std::numeric_limits<double>::infinity() : box.exteriorDistance(eye);
}

bool isThere(const Scene& scene, const Object& object, const Vec3d& eye) {
    const double distance = distanceTo(object.bounds, eye);
    if (!(distance < object.culling.end) || distance < object.culling.start) return false;
    if (object.standIn < 0) return true;
    const Object& standIn = elementOf(scene.objects, object.standIn);
    return distanceTo(standIn.bounds, eye) < standIn.culling.start;
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

std::vector<std::vector<std::uint32_t>> crowdsOf(const Scene& scene) {
    std::map<std::pair<std::string, int>, std::vector<std::uint32_t>> crowds;
    for (std::uint32_t i = 0; i < scene.objects.size(); ++i) {
        const int asset = scene.objects[i].asset;
        const Ladder& ladder = elementOf(scene.assets, asset).ladder;
        if (ladder.caps.empty()) continue;
        crowds[{ladder.crowd, ladder.crowd.empty() ? asset : -1}].push_back(i);
    }
    std::vector<std::vector<std::uint32_t>> result;
    for (auto& [key, objects] : crowds) result.push_back(std::move(objects));
    return result;
}

void capLevels(const Scene& scene, std::vector<CrowdMember>& members) {
    std::sort(members.begin(), members.end(), [](const CrowdMember& a, const CrowdMember& b) {
        return std::tie(a.distance, a.object) < std::tie(b.distance, b.object);
    });
    const auto ladderOf = [&](const CrowdMember& member) -> const Ladder& {
        const Object& object = scene.objects[member.object];
        return scene.asset(object).ladder;
    };
    std::vector<int> room;
    for (const CrowdMember& member : members) {
        const std::vector<int>& caps = ladderOf(member).caps;
        room.resize(std::max(room.size(), caps.size()), 0);
        for (std::size_t i = 0; i < caps.size(); ++i) room[i] = std::max(room[i], caps[i]);
    }
    for (CrowdMember& member : members) {
        const Ladder& ladder = ladderOf(member);
        const std::size_t capped = std::min(ladder.caps.size(), ladder.levels.size());
        while (member.level < capped && room[member.level] <= 0) ++member.level;
        if (member.level < capped) --room[member.level];
    }
}

namespace {

/// [objects] Those that are there as seen from an eye, at their levels; the others are left empty.
/// `before` [objects]: the levels that were shown last; or null.
std::vector<std::optional<CrowdMember>> membersFrom(const Scene& scene, const Vec3d& eye,
                                                    const std::vector<bool>& off,
                                                    const std::vector<std::uint8_t>* before) {
    std::vector<std::optional<CrowdMember>> there(scene.objects.size());
    for (std::uint32_t i = 0; i < there.size(); ++i) {
        const Object& object = scene.objects[i];
        if ((!off.empty() && off[i]) || !isThere(scene, object, eye)) continue;
        const double distance = distanceTo(object.bounds, eye);
        const std::size_t level = levelAfter(scene.asset(object).ladder, object.scale, distance,
                                             before ? (*before)[i] : 0);
        there[i] = CrowdMember{distance, i, static_cast<std::uint8_t>(level)};
    }
    for (const std::vector<std::uint32_t>& crowd : crowdsOf(scene)) {
        std::vector<CrowdMember> members;
        for (const std::uint32_t object : crowd)
            if (there[object]) members.push_back(*there[object]);
        capLevels(scene, members);
        for (const CrowdMember& member : members) there[member.object] = member;
    }
    return there;
}

DrawnObject drawnFrom(const CrowdMember& member) {
    return {member.object, member.level, static_cast<float>(member.distance)};
}

}  // namespace

std::vector<DrawnObject> selectDrawn(const Scene& scene, const Target& target,
                                     const Viewpoint& view, std::vector<std::uint8_t>* shown,
                                     const std::vector<bool>& off) {
    const bool continues = shown && shown->size() == scene.objects.size();
    const Frustum frustum(view, target.projection());
    std::vector<DrawnObject> drawn;
    for (const auto& member : membersFrom(scene, view.eye, off, continues ? shown : nullptr))
        if (member && frustum.meets(scene.objects[member->object].bounds))
            drawn.push_back(drawnFrom(*member));
    if (shown) {
        if (!continues) shown->assign(scene.objects.size(), 0);
        for (const DrawnObject& d : drawn) (*shown)[d.object] = static_cast<std::uint8_t>(d.level);
    }
    return drawn;
}

std::vector<std::vector<DrawnObject>> selectCasters(const Scene& scene, const Vec3d& eye,
                                                    std::span<const std::uint32_t> lights,
                                                    const std::vector<bool>& off) {
    std::vector<std::vector<DrawnObject>> passes(lights.size());
    for (const auto& member : membersFrom(scene, eye, off, nullptr)) {
        if (!member) continue;
        const Object& object = scene.objects[member->object];
        if (!object.castsShadow || !(member->distance < object.culling.shadowEnd)) continue;
        for (std::size_t i = 0; i < lights.size(); ++i) {
            const PlacedLight& light = elementOf(scene.placedLights, lights[i]);
            if (distanceTo(object.bounds, light.position) <= light.range)
                passes[i].push_back(drawnFrom(*member));
        }
    }
    return passes;
}

std::vector<std::uint32_t> culledFrom(const Scene& scene, const Target& target,
                                      const Viewpoint& view, std::size_t most) {
    const Frustum frustum(view, target.projection());
    std::vector<std::pair<double, std::uint32_t>> gone;
    for (std::uint32_t i = 0; i < scene.objects.size(); ++i) {
        const Object& object = scene.objects[i];
        const double distance = distanceTo(object.bounds, view.eye);
        if (distance < object.culling.end || distance >= target.farPlane) continue;
        if (object.culling.start > 0) continue;
        if (frustum.meets(object.bounds))
            gone.emplace_back(-object.bounds.diagonal().norm() / distance, i);
    }
    std::sort(gone.begin(), gone.end());
    gone.resize(std::min(gone.size(), most));
    std::vector<std::uint32_t> objects;
    for (const auto& [size, object] : gone) objects.push_back(object);
    return objects;
}

ViewCost viewCost(const Scene& scene, const Target& target, const Viewpoint& view) {
    return ViewMeter(scene, target).cost(view);
}

ViewCost wholeSceneCost(const Scene& scene, const Target& target) {
    return ViewMeter(scene, target).wholeScene();
}

FLENTRO_DEFINE_VALUE(ViewCost);

}  // namespace flentro
