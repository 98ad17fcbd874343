#include "scene/poses.h"

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "base/index.h"
#include "geometry/bones.h"
#include "scene/references.h"

namespace flentro {
namespace {

/// Where between its keys a sampler is, and what it says there.
class SampledChannel {
public:
    SampledChannel(const Scene& scene, const Animation::Sampler& sampler, double seconds)
        : values_(*elementOf(scene.streams, sampler.output)) {
        const Stream& times = *elementOf(scene.streams, sampler.input);
        const std::string how = jsonOr<std::string>(sampler.rest, "interpolation", "LINEAR");
        isSpline_ = how == "CUBICSPLINE";
        const std::size_t keys = std::min(times.count(), values_.count() / (isSpline_ ? 3 : 1));
        if (keys == 0) return;
        std::size_t next = 0;
        while (next < keys && static_cast<double>(times.value(next, 0)) <= seconds) ++next;
        last_ = std::min(next, keys - 1);
        first_ = next == 0 ? 0 : next - 1;
        span_ = static_cast<double>(times.value(last_, 0) - times.value(first_, 0));
        const double into = seconds - static_cast<double>(times.value(first_, 0));
        share_ = span_ > 0 && how != "STEP" ? std::clamp(into / span_, 0.0, 1.0) : 0;
        exists_ = true;
    }
    [[nodiscard]] bool exists() const { return exists_; }

    [[nodiscard]] Vec3d vector() const { return blend().head<3>(); }
    [[nodiscard]] Eigen::Quaterniond rotation() const {
        if (isSpline_) return unit(blend());
        return unit(key(first_, 0)).slerp(share_, unit(key(last_, 0)));
    }

private:
    static Eigen::Quaterniond unit(const Eigen::Vector4d& v) {
        const double length = v.norm();
        return length > 0
                   ? Eigen::Quaterniond(v[3] / length, v[0] / length, v[1] / length, v[2] / length)
                   : Eigen::Quaterniond::Identity();
    }
    /// `part`: -1 the tangent before the key, 1 that after it.
    [[nodiscard]] Eigen::Vector4d key(std::size_t index, int part) const {
        const std::size_t at =
            isSpline_ ? static_cast<std::size_t>(static_cast<int>(3 * index) + 1 + part) : index;
        Eigen::Vector4d value = Eigen::Vector4d::Zero();
        for (int c = 0; c < std::min(values_.components, 4); ++c)
            value[c] = static_cast<double>(values_.value(at, c));
        return value;
    }
    [[nodiscard]] Eigen::Vector4d blend() const {
        const double t = share_;
        if (!isSpline_) return (1 - t) * key(first_, 0) + t * key(last_, 0);
        const double t2 = t * t, t3 = t2 * t;
        return (2 * t3 - 3 * t2 + 1) * key(first_, 0) + span_ * (t3 - 2 * t2 + t) * key(first_, 1) +
               (3 * t2 - 2 * t3) * key(last_, 0) + span_ * (t3 - t2) * key(last_, -1);
    }

    const Stream& values_;
    bool isSpline_ = false;
    bool exists_ = false;
    std::size_t first_ = 0, last_ = 0;
    double span_ = 0, share_ = 0;
};

struct Components {
    Vec3d translation = Vec3d::Zero();
    Eigen::Quaterniond rotation = Eigen::Quaterniond::Identity();
    Vec3d scale = Vec3d::Ones();

    [[nodiscard]] Mat4d matrix() const {
        Mat4d matrix = Mat4d::Identity();
        matrix.topLeftCorner<3, 3>() = rotation.toRotationMatrix() * scale.asDiagonal();
        matrix.topRightCorner<3, 1>() = translation;
        return matrix;
    }
};

double numberAt(const Json& array, std::size_t index, double otherwise) {
    return index < array.size() && array[index].is_number() ? array[index].get<double>()
                                                            : otherwise;
}

Components componentsOf(const Node& node) {
    const Json& t = jsonArray(node.rest, "translation");
    const Json& r = jsonArray(node.rest, "rotation");
    const Json& s = jsonArray(node.rest, "scale");
    Components result;
    for (std::size_t i = 0; i < 3; ++i) {
        result.translation[static_cast<int>(i)] = numberAt(t, i, 0);
        result.scale[static_cast<int>(i)] = numberAt(s, i, 1);
    }
    result.rotation = Eigen::Quaterniond(numberAt(r, 3, 1), numberAt(r, 0, 0), numberAt(r, 1, 0),
                                         numberAt(r, 2, 0))
                          .normalized();
    return result;
}

/// The channel's target and path: "translation", "rotation" or "scale"; others move no bone.
std::string pathOf(const Json& channel) {
    return jsonOr<std::string>(jsonObject(channel, "target"), "path", "");
}

double lengthOf(const Scene& scene, const Animation& animation) {
    double length = 0;
    for (const Animation::Sampler& sampler : animation.samplers) {
        const Stream& times = *elementOf(scene.streams, sampler.input);
        if (times.count() > 0)
            length = std::max(length, static_cast<double>(times.value(times.count() - 1, 0)));
    }
    return std::isfinite(length) ? length : 0;
}

/// True if the animation moves a joint or any node above one.
bool moves(const Scene& scene, const Animation& animation, const Skin& skin) {
    std::set<int> nodes;
    for (int joint : skin.joints)
        for (; joint >= 0; joint = elementOf(scene.nodes, joint).parent)
            if (!nodes.insert(joint).second) break;
    return std::any_of(animation.channels.begin(), animation.channels.end(),
                       [&](const Json& channel) { return nodes.contains(animatedNode(channel)); });
}

std::vector<Mat4d> worldsOf(const Scene& scene, const std::vector<Mat4d>& locals) {
    std::vector<Mat4d> worlds(locals.size());
    visitDown(scene.nodes, [&](std::size_t i) {
        const int parent = scene.nodes[i].parent;
        worlds[i] = parent < 0 ? locals[i] : elementOf(worlds, parent) * locals[i];
    });
    return worlds;
}

}  // namespace

Mat4d inverseBindOf(const Skin& skin, std::size_t joint) {
    Mat4d bind = Mat4d::Identity();
    if (skin.inverseBind && joint < skin.inverseBind->count())
        for (int i = 0; i < 16; ++i)
            bind(i % 4, i / 4) = static_cast<double>(skin.inverseBind->value(joint, i));
    return bind;
}

std::vector<Mat4d> boneTransforms(const Scene& scene, const Object& object) {
    const int skinned = elementOf(scene.nodes, object.node).skin;
    if (skinned < 0) return {};
    const std::vector<Mat4d> worlds = worldTransforms(scene.nodes);
    const Skin& skin = elementOf(scene.skins, skinned);
    std::vector<Mat4d> transforms;
    for (std::size_t j = 0; j < skin.joints.size(); ++j)
        transforms.push_back(elementOf(worlds, skin.joints[j]) * inverseBindOf(skin, j));
    return transforms;
}

std::vector<Mat4d> localTransformsAt(const Scene& scene, const Animation& animation,
                                     double seconds) {
    std::vector<Mat4d> locals(scene.nodes.size());
    for (std::size_t i = 0; i < locals.size(); ++i) locals[i] = scene.nodes[i].local;
    std::map<std::size_t, Components> moved;
    for (const Json& channel : animation.channels) {
        const int node = animatedNode(channel);
        const int sampler = jsonOr(channel, "sampler", -1);
        const std::string path = pathOf(channel);
        if (node < 0 || sampler < 0 ||
            (path != "translation" && path != "rotation" && path != "scale"))
            continue;
        const SampledChannel sampled(scene, elementOf(animation.samplers, sampler), seconds);
        if (!sampled.exists()) continue;
        const auto index = static_cast<std::size_t>(node);
        Components& components =
            moved.try_emplace(index, componentsOf(scene.nodes[index])).first->second;
        if (path == "translation")
            components.translation = sampled.vector();
        else if (path == "scale")
            components.scale = sampled.vector();
        else
            components.rotation = sampled.rotation();
    }
    for (const auto& [index, components] : moved) locals[index] = components.matrix();
    return locals;
}

std::vector<Pose> samplePoses(const Scene& scene, int asset, std::size_t count) {
    const auto shown =
        std::find_if(scene.objects.begin(), scene.objects.end(), [&](const Object& o) {
            return o.asset == asset && elementOf(scene.nodes, o.node).skin >= 0;
        });
    if (shown == scene.objects.end()) return {};
    const Skin& skin = elementOf(scene.skins, elementOf(scene.nodes, shown->node).skin);
    std::vector<const Animation*> moving;
    for (const Animation& animation : scene.animations)
        if (moves(scene, animation, skin)) moving.push_back(&animation);
    const Mat4d toMesh = shown->world.inverse();
    if (moving.empty() || !toMesh.allFinite()) return {};
    std::vector<Pose> poses;
    const std::size_t each = (count + moving.size() - 1) / moving.size();
    for (std::size_t i = 0; i < count; ++i) {
        const Animation& animation = *moving[i % moving.size()];
        const std::size_t turn = i / moving.size();
        const double share = (static_cast<double>(turn) + 0.5) / static_cast<double>(each);
        const auto worlds = worldsOf(
            scene, localTransformsAt(scene, animation, share * lengthOf(scene, animation)));
        Pose pose;
        for (std::size_t j = 0; j < skin.joints.size(); ++j)
            pose.joints.push_back(toMesh * elementOf(worlds, skin.joints[j]) *
                                  inverseBindOf(skin, j));
        poses.push_back(std::move(pose));
    }
    return poses;
}

Mesh posed(const Mesh& mesh, const Pose& pose) {
    Mesh result = mesh;
    for (Part& part : result.parts) {
        if (!part.find("JOINTS_0")) continue;
        std::vector<Vec3f> points = positionsOf(part);
        const BoneSets bones(part);
        for (std::size_t v = 0; v < points.size(); ++v) {
            Vec3d sum = Vec3d::Zero();
            double total = 0;
            bones.forEach(v, [&](std::size_t joint, double weight) {
                if (joint >= pose.joints.size()) return;
                sum += weight * transformPoint(pose.joints[joint], points[v].cast<double>());
                total += weight;
            });
            if (total > 0 && sum.allFinite()) points[v] = (sum / total).cast<float>();
        }
        part.set("POSITION", makeStream(points));
    }
    return result;
}

}  // namespace flentro
