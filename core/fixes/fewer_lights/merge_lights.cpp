#include "fixes/fewer_lights/merge_lights.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/index.h"
#include "fixes/lights/light_limits.h"
#include "scene/edit.h"

namespace flentro {
namespace {

constexpr float kLikeColour = 0.1F;  ///< Of a colour whose largest channel is 1.
constexpr std::size_t kMaxTogether = 8;

const Light& lightOf(const Scene& scene, std::size_t placed) {
    return elementOf(scene.lights, scene.placedLights[placed].light);
}

Vec3f hueOf(const Light& light) {
    return light.color / std::max(light.color.maxCoeff(), 1e-6F);
}

bool isLike(const Light& a, const Light& b) {
    return (hueOf(a) - hueOf(b)).cwiseAbs().maxCoeff() < kLikeColour;
}

/// [placed lights] The group of each, -1 for those that stay alone; the strongest leads.
std::vector<int> groupsOf(const Scene& scene, double within) {
    const std::vector<bool> moving = movingNodes(scene);
    const std::size_t count = scene.placedLights.size();
    std::vector<std::size_t> order;
    for (std::size_t i = 0; i < count; ++i)
        if (lightOf(scene, i).type == LightType::Point &&
            !elementOf(moving, scene.placedLights[i].node))
            order.push_back(i);
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
        return lightOf(scene, a).intensity > lightOf(scene, b).intensity;
    });
    std::vector<int> groups(count, -1);
    int next = 0;
    for (std::size_t a = 0; a < order.size(); ++a) {
        if (groups[order[a]] >= 0) continue;
        std::vector<std::size_t> members = {order[a]};
        for (std::size_t b = a + 1; b < order.size() && members.size() < kMaxTogether; ++b) {
            const Vec3d by =
                scene.placedLights[order[b]].position - scene.placedLights[order[a]].position;
            if (groups[order[b]] < 0 && by.norm() <= within &&
                isLike(lightOf(scene, order[a]), lightOf(scene, order[b])))
                members.push_back(order[b]);
        }
        if (members.size() < 2) continue;
        for (const std::size_t member : members) groups[member] = next;
        ++next;
    }
    return groups;
}

/// One light of the summed power in the middle of several, weighed by power.
PlacedLight together(Scene& scene, const std::vector<std::size_t>& members) {
    Light light = lightOf(scene, members.front());
    PlacedLight placed = scene.placedLights[members.front()];
    double power = 0;
    Vec3d middle = Vec3d::Zero();
    placed.origins.clear();
    for (const std::size_t i : members) {
        const PlacedLight& member = scene.placedLights[i];
        const auto own = static_cast<double>(lightOf(scene, i).intensity);
        power += own;
        middle += own * member.position;
        placed.castsShadow = placed.castsShadow || member.castsShadow;
        placed.origins.insert(placed.origins.end(), member.origins.begin(), member.origins.end());
    }
    if (power > 0) placed.position = middle / power;
    for (const std::size_t i : members) {
        const PlacedLight& member = scene.placedLights[i];
        const double by = (member.position - placed.position).norm();
        placed.range = std::max(placed.range, member.range + by);
        placed.end = std::max(placed.end, member.end);
        placed.fadeStart = std::max(placed.fadeStart, member.fadeStart);
    }
    light.intensity = static_cast<float>(power);
    light.range = static_cast<float>(placed.range);
    light.name = placed.name = fmt::format("{} x {}", placed.name, members.size());
    light.rest["name"] = light.name;
    light.rest["intensity"] = light.intensity;
    if (std::isfinite(light.range)) light.rest["range"] = light.range;
    placed.light = static_cast<int>(scene.lights.size());
    scene.lights.push_back(light);
    Node node;
    node.name = placed.name;
    node.light = placed.light;
    node.local.topRightCorner<3, 1>() = placed.position;
    node.rest = Json::object();
    if (placed.castsShadow) node.rest["extras"]["castsShadow"] = true;
    placed.node = addNode(scene, std::move(node));
    return placed;
}

struct Applied {
    Scene scene;
    std::size_t lights = 0;
    std::size_t into = 0;
};

Applied withGroups(const Scene& scene, const std::vector<int>& groups) {
    Applied applied{scene};
    std::vector<std::vector<std::size_t>> members;
    std::vector<bool> gone(groups.size(), false);
    for (std::size_t i = 0; i < groups.size(); ++i) {
        if (groups[i] < 0) continue;
        members.resize(std::max(members.size(), static_cast<std::size_t>(groups[i]) + 1));
        elementOf(members, groups[i]).push_back(i);
        gone[i] = true;
    }
    std::vector<PlacedLight> made;
    for (std::vector<std::size_t>& group : members) {
        if (group.empty()) continue;
        std::stable_sort(group.begin(), group.end(), [&](std::size_t a, std::size_t b) {
            return lightOf(scene, a).intensity > lightOf(scene, b).intensity;
        });
        made.push_back(together(applied.scene, group));
        applied.lights += group.size();
        ++applied.into;
    }
    removeLights(applied.scene, gone);
    auto& placed = applied.scene.placedLights;
    placed.insert(placed.end(), made.begin(), made.end());
    return applied;
}

}  // namespace

void removeLights(Scene& scene, const std::vector<bool>& gone) {
    std::vector<PlacedLight> kept;
    for (std::size_t i = 0; i < gone.size(); ++i)
        if (gone[i])
            elementOf(scene.nodes, scene.placedLights[i].node).light = -1;
        else
            kept.push_back(std::move(scene.placedLights[i]));
    scene.placedLights = std::move(kept);
}

MergedLights mergeLights(const Scene& scene, const LightMatrix& matrix, double within,
                         double maxChange) {
    std::vector<int> groups = groupsOf(scene, within);
    const Applied all = withGroups(scene, groups);
    const std::vector<double> changes = worstChanges(matrix, scene, all.scene, groups);
    MergedLights merged;
    for (const double change : changes) merged.rejected += change > maxChange;
    for (int& group : groups)
        if (group >= 0 && elementOf(changes, group) > maxChange) group = -1;
    Applied accepted = withGroups(scene, groups);
    merged.scene = std::move(accepted.scene);
    merged.lights = accepted.lights;
    merged.into = accepted.into;
    return merged;
}

}  // namespace flentro
