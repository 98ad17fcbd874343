#include "scene/instances.h"

#include <Eigen/LU>
#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <optional>
#include <tuple>

#include "base/index.h"
#include "scene/edit.h"

namespace flentro {
namespace {

constexpr double kShear = 1e-6;  ///< Cosine between axes that counts as a right angle.

/// A transform as glTF's instances have it.
struct Pose {
    Vec3f translation;
    Eigen::Quaternionf rotation;
    Vec3f scale;

    [[nodiscard]] Mat4d matrix() const {
        Mat4d m = Mat4d::Identity();
        m.topLeftCorner<3, 3>() = rotation.cast<double>().normalized().toRotationMatrix() *
                                  scale.cast<double>().asDiagonal();
        m.topRightCorner<3, 1>() = translation.cast<double>();
        return m;
    }
};

/// Nothing if the axes are mirrored or not at right angles.
std::optional<Pose> poseOf(const Mat4d& world, const Vec3d& middle) {
    const Eigen::Matrix3d axes = world.topLeftCorner<3, 3>();
    const Vec3d scale = axes.colwise().norm();
    if (!(scale.minCoeff() > 0) || !(axes.determinant() > 0)) return std::nullopt;
    const Eigen::Matrix3d turn = axes * scale.cwiseInverse().asDiagonal();
    const Eigen::Matrix3d off = turn.transpose() * turn - Eigen::Matrix3d::Identity();
    if (off.cwiseAbs().maxCoeff() > kShear) return std::nullopt;
    const Vec3d position = world.topRightCorner<3, 1>() - middle;
    return Pose{position.cast<float>(), Eigen::Quaterniond(turn).normalized().cast<float>(),
                scale.cast<float>()};
}

/// Properties that copies on one node have in common: asset, parent if it matters, shadow, cell.
using Kind = std::tuple<int, int, bool, std::array<double, 3>>;

Kind kindOf(const Object& object, int parent, double cell) {
    std::array<double, 3> in{};
    for (int axis = 0; cell > 0 && axis < 3; ++axis)
        elementOf(in, axis) = std::floor(object.world(axis, 3) / cell);
    return {object.asset, parent, object.castsShadow, in};
}

using Copies = std::vector<std::uint32_t>;

/// Copies of one kind in groups whose culling distances differ by the factor `reach` at most, as do
/// the distances of their shadows.
std::vector<Copies> byReach(const Scene& scene, Copies copies, double reach) {
    const auto distances = [&](std::uint32_t i) {
        const Culling& culling = scene.objects[i].culling;
        return std::pair(culling.end, culling.shadowEnd);
    };
    std::stable_sort(copies.begin(), copies.end(),
                     [&](std::uint32_t a, std::uint32_t b) { return distances(a) < distances(b); });
    struct Group {
        Copies copies;
        double end = 0;  ///< Of the nearest to go.
        double leastShadow = 0, mostShadow = 0;
    };
    std::vector<Group> groups;
    for (const std::uint32_t i : copies) {
        const auto [end, shadow] = distances(i);
        const auto fits = [&, end = end, shadow = shadow](const Group& group) {
            return end <= reach * group.end && std::max(group.mostShadow, shadow) <=
                                                   reach * std::min(group.leastShadow, shadow);
        };
        auto group = std::find_if(groups.begin(), groups.end(), fits);
        if (group == groups.end()) group = groups.insert(groups.end(), {{}, end, shadow, shadow});
        group->copies.push_back(i);
        group->leastShadow = std::min(group->leastShadow, shadow);
        group->mostShadow = std::max(group->mostShadow, shadow);
    }
    std::vector<Copies> result;
    for (Group& group : groups) {
        std::sort(group.copies.begin(), group.copies.end());
        result.push_back(std::move(group.copies));
    }
    return result;
}

/// Copies that share a node are culled where the last of them is.
void cullAlike(Scene& scene, const Copies& copies) {
    Culling last = scene.objects[copies.front()].culling;
    for (const std::uint32_t i : copies) {
        const Culling& own = scene.objects[i].culling;
        last.fadeStart = std::max(last.fadeStart, own.fadeStart);
        last.end = std::max(last.end, own.end);
        last.shadowEnd = std::max(last.shadowEnd, own.shadowEnd);
    }
    for (const std::uint32_t i : copies) scene.objects[i].culling = last;
}

/// [nodes] True for nodes that do nothing but show one object.
std::vector<bool> plainNodes(const Scene& scene) {
    std::vector<bool> plain = movingNodes(scene);
    plain.flip();
    for (const Skin& skin : scene.skins)
        for (const int joint : skin.joints) elementOf(plain, joint) = false;
    for (std::size_t i = 0; i < plain.size(); ++i) {
        const Node& node = scene.nodes[i];
        Json extras = jsonObject(node.rest, "extras");
        dropMember(extras, "castsShadow");  // the object knows
        const bool told = !extras.empty() || node.rest.contains("extensions");
        plain[i] = plain[i] && !told && node.children.empty() && node.instances.empty() &&
                   node.skin < 0 && node.camera < 0 && node.light < 0;
    }
    return plain;
}

Attribute streamOf(const char* semantic, const std::vector<Pose>& poses, int components,
                   const float* (*values)(const Pose&)) {
    Stream stream;
    stream.components = components;
    stream.data.resize(poses.size() * stream.elementSize());
    for (std::size_t i = 0; i < poses.size(); ++i)
        for (int c = 0; c < components; ++c) stream.set(i, c, values(poses[i])[c]);
    return {semantic, std::make_shared<const Stream>(std::move(stream))};
}

/// Puts copies on one new node.
void place(Scene& scene, const Copies& copies, int parent) {
    Box around;
    for (const std::uint32_t i : copies)
        around.extend(Vec3d(scene.objects[i].world.topRightCorner<3, 1>()));
    const Vec3d middle = around.center();
    std::vector<Pose> poses;
    for (const std::uint32_t i : copies) poses.push_back(*poseOf(scene.objects[i].world, middle));
    Node node;
    node.name = scene.mesh(scene.objects[copies.front()]).name;
    node.parent = parent;
    node.mesh = scene.objects[copies.front()].asset;
    node.local.topRightCorner<3, 1>() = middle;
    node.instanceStreams = {
        streamOf("TRANSLATION", poses, 3, [](const Pose& p) { return p.translation.data(); }),
        streamOf("ROTATION", poses, 4, [](const Pose& p) { return p.rotation.coeffs().data(); }),
        streamOf("SCALE", poses, 3, [](const Pose& p) { return p.scale.data(); })};
    for (std::size_t i = 0; i < copies.size(); ++i) {
        Object& object = scene.objects[copies[i]];
        node.instances.push_back(poses[i].matrix());
        node.instanceNames.push_back(object.name);
        object.node = static_cast<int>(scene.nodes.size());
        object.instance = static_cast<int>(i);
        object.world = node.local * node.instances.back();
        object.bounds = transformBox(object.world, scene.mesh(object).bounds);
        object.scale = maxScale(object.world);
    }
    addNode(scene, std::move(node));
}

}  // namespace

NodeSharing shareNodes(Scene& scene, double cell, double reach) {
    const std::vector<bool> plain = plainNodes(scene);
    const std::vector<Mat4d> worlds = worldTransforms(scene.nodes);
    std::map<Kind, Copies> kinds;
    std::vector<std::size_t> copiesOf(scene.assets.size(), 0);
    Copies kept;
    for (std::uint32_t i = 0; i < scene.objects.size(); ++i) {
        const Object& object = scene.objects[i];
        const auto node = static_cast<std::size_t>(object.node);
        ++elementOf(copiesOf, object.asset);
        if (object.instance >= 0) continue;
        // What a stand-in shows stays below its group.
        const int parent = object.standIn < 0 ? -1 : scene.nodes[node].parent;
        if (!plain[node] || object.culling.start > 0 || !poseOf(object.world, Vec3d::Zero()) ||
            (parent >= 0 && elementOf(worlds, parent) != Mat4d::Identity()))
            kept.push_back(i);
        else
            kinds[kindOf(object, parent, cell)].push_back(i);
    }
    NodeSharing done;
    for (const std::uint32_t i : kept) done.kept += elementOf(copiesOf, scene.objects[i].asset) > 1;
    std::vector<bool> left(scene.nodes.size(), false);
    for (const auto& [kind, all] : kinds)
        for (const Copies& copies : byReach(scene, all, reach)) {
            if (copies.size() < 2) continue;
            for (const std::uint32_t i : copies) elementOf(left, scene.objects[i].node) = true;
            cullAlike(scene, copies);
            place(scene, copies, std::get<1>(kind));
            done.objects += copies.size();
            ++done.nodes;
        }
    left.resize(scene.nodes.size(), false);
    dropNodes(scene, left);
    return done;
}

}  // namespace flentro
