#include "motion.h"
#include "base/index.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <numbers>

#include "base/text.h"

namespace flentro {
namespace {

template <std::size_t N>
using Values = std::vector<std::array<float, N>>;

template <std::size_t N>
int addStream(const Values<N>& values, Scene& scene) {
    Stream stream{ComponentType::Float32, static_cast<int>(N), false, false, {}};
    stream.data.resize(values.size() * sizeof values[0]);
    if (!values.empty()) std::memcpy(stream.data.data(), values.data(), stream.data.size());
    scene.streams.push_back(std::make_shared<const Stream>(std::move(stream)));
    return static_cast<int>(scene.streams.size()) - 1;
}

std::array<float, 3> toArray(const aiVector3D& v) {
    return {finiteOr(v.x, 0), finiteOr(v.y, 0), finiteOr(v.z, 0)};
}
std::array<float, 4> toArray(aiQuaternion q) {
    q.Normalize();
    return {finiteOr(q.x, 0), finiteOr(q.y, 0), finiteOr(q.z, 0), finiteOr(q.w, 1)};
}

/// Adds what moves one node, under the key times of the library.
class Channels {
public:
    Channels(double ticksPerSecond, Scene& scene, Animation& animation)
        : seconds_(ticksPerSecond > 0 ? 1 / ticksPerSecond : 1.0 / 25),
          scene_(scene),
          animation_(animation) {}

    template <typename Key>
    void add(const Key* keys, unsigned count, int node, const char* path) {
        Values<1> times;
        Values<std::tuple_size_v<decltype(toArray(keys->mValue))>> values;
        for (unsigned i = 0; i < count; ++i) {
            const auto time = static_cast<float>(keys[i].mTime * seconds_);
            if (!std::isfinite(time) || time < 0 || (!times.empty() && time <= times.back()[0]))
                continue;
            times.push_back({time});
            values.push_back(toArray(keys[i].mValue));
        }
        if (times.empty()) return;
        const int input = addStream(times, scene_);
        const int output = addStream(values, scene_);
        animation_.channels.push_back({{"sampler", animation_.samplers.size()},
                                       {"target", {{"node", node}, {"path", path}}}});
        animation_.samplers.push_back({input, output, {}});
    }

private:
    double seconds_;
    Scene& scene_;
    Animation& animation_;
};

/// A node below `parent` that turns -Z to `direction` and +Y to `up`.
int addAimed(const std::string& name, int parent, const aiVector3D& position, Vec3f direction,
             Vec3f up, Scene& scene) {
    if (direction.norm() < 1e-6F || !direction.allFinite()) direction = -Vec3f::UnitZ();
    direction.normalize();
    if (!up.allFinite() || direction.cross(up).norm() < 1e-3F)
        up = std::fabs(direction.y()) < 0.9F ? Vec3f::UnitY() : Vec3f::UnitX();
    const Vec3f right = direction.cross(up).normalized();
    const Vec3f above = right.cross(direction);
    Node node;
    node.name = name;
    node.parent = parent;
    const auto at = toArray(position);
    node.rest["matrix"] = {
        right.x(),      right.y(),      right.z(),      0, above.x(), above.y(), above.z(), 0,
        -direction.x(), -direction.y(), -direction.z(), 0, at[0],     at[1],     at[2],     1};
    const int index = static_cast<int>(scene.nodes.size());
    scene.nodes.push_back(std::move(node));
    elementOf(scene.nodes, parent).children.push_back(index);
    return index;
}

int nodeFor(const NodeIndex& nodes, const aiString& name) {
    const auto at = nodes.find(name.C_Str());
    return at == nodes.end() ? 0 : at->second;
}

const char* typeName(aiLightSourceType type) {
    switch (type) {
        case aiLightSource_DIRECTIONAL:
            return "directional";
        case aiLightSource_SPOT:
            return "spot";
        case aiLightSource_POINT:
            return "point";
        default:
            return nullptr;
    }
}

/// Candela that give at distance `d` what the old formula gives there.
float intensityOf(const aiLight& light, float brightest, double d) {
    if (light.mType == aiLightSource_DIRECTIONAL) return brightest;
    const double falloff = light.mAttenuationConstant + light.mAttenuationLinear * d +
                           light.mAttenuationQuadratic * d * d;
    const double intensity = falloff > 0 ? brightest * d * d / falloff : brightest * d * d;
    return std::isfinite(intensity) ? static_cast<float>(intensity) : brightest;
}

Light convertLight(const aiLight& source, const char* type, double distance) {
    const aiColor3D& c = source.mColorDiffuse;
    const float brightest = std::max({finiteOr(c.r, 1), finiteOr(c.g, 1), finiteOr(c.b, 1), 0.0F});
    const auto part = [&](float v) {
        return brightest > 0 ? std::clamp(finiteOr(v, 1) / brightest, 0.0F, 1.0F) : 0.0F;
    };
    Light light;
    light.name = source.mName.C_Str();
    light.rest = {{"type", type},
                  {"name", light.name},
                  {"color", {part(c.r), part(c.g), part(c.b)}},
                  {"intensity", intensityOf(source, brightest, distance)}};
    if (source.mType == aiLightSource_SPOT) {
        constexpr float kWidest = std::numbers::pi_v<float> / 2;
        const float outer = std::clamp(finiteOr(source.mAngleOuterCone, 0.8F) / 2, 0.01F, kWidest);
        const float inner =
            std::clamp(finiteOr(source.mAngleInnerCone, 0) / 2, 0.0F, outer * 0.99F);
        light.rest["spot"] = {{"innerConeAngle", inner}, {"outerConeAngle", outer}};
    }
    return light;
}

}  // namespace

std::set<std::string> animatedNodes(const aiScene& source) {
    std::set<std::string> names;
    for (unsigned a = 0; a < source.mNumAnimations; ++a)
        for (unsigned c = 0; c < source.mAnimations[a]->mNumChannels; ++c)
            names.insert(source.mAnimations[a]->mChannels[c]->mNodeName.C_Str());
    return names;
}

Json toComponents(const aiMatrix4x4& transform) {
    aiVector3D scale;
    aiVector3D position;
    aiQuaternion rotation;
    transform.Decompose(scale, rotation, position);
    return {{"translation", toArray(position)},
            {"rotation", toArray(rotation)},
            {"scale", toArray(scale)}};
}

void addAnimations(const aiScene& source, const NodeIndex& nodes, Scene& scene) {
    std::size_t unknown = 0;
    std::size_t morphs = 0;
    for (unsigned a = 0; a < source.mNumAnimations; ++a) {
        const aiAnimation& from = *source.mAnimations[a];
        Animation animation;
        animation.name = from.mName.C_Str();
        animation.channels = Json::array();
        morphs += from.mNumMorphMeshChannels + from.mNumMeshChannels;
        Channels channels(from.mTicksPerSecond, scene, animation);
        for (unsigned c = 0; c < from.mNumChannels; ++c) {
            const aiNodeAnim& moved = *from.mChannels[c];
            const auto node = nodes.find(moved.mNodeName.C_Str());
            unknown += node == nodes.end();
            if (node == nodes.end()) continue;
            channels.add(moved.mPositionKeys, moved.mNumPositionKeys, node->second, "translation");
            channels.add(moved.mRotationKeys, moved.mNumRotationKeys, node->second, "rotation");
            channels.add(moved.mScalingKeys, moved.mNumScalingKeys, node->second, "scale");
        }
        if (!animation.channels.empty()) scene.animations.push_back(std::move(animation));
    }
    if (unknown > 0)
        scene.notes.push_back({"animations", counted(unknown, "channel") +
                                                 " for nodes that are not there: left out"});
    if (morphs > 0)
        scene.notes.push_back(
            {"animations", counted(morphs, "channel") + " of changing shapes: left out"});
}

void addCameras(const aiScene& source, const NodeIndex& nodes, Scene& scene) {
    for (unsigned i = 0; i < source.mNumCameras; ++i) {
        const aiCamera& from = *source.mCameras[i];
        const float aspect =
            from.mAspect > 0.01F && std::isfinite(from.mAspect) ? from.mAspect : 16.0F / 9;
        const float across = std::clamp(finiteOr(from.mHorizontalFOV, 1), 0.02F, 2.9F);
        const float near = from.mClipPlaneNear > 0 && std::isfinite(from.mClipPlaneNear)
                               ? from.mClipPlaneNear
                               : 0.1F;
        Json camera = {{"type", "perspective"},
                       {"name", from.mName.C_Str()},
                       {"perspective",
                        {{"yfov", 2 * std::atan(std::tan(across / 2) / aspect)}, {"znear", near}}}};
        if (from.mClipPlaneFar > near && std::isfinite(from.mClipPlaneFar))
            camera["perspective"]["zfar"] = from.mClipPlaneFar;
        const int node = addAimed(from.mName.C_Str(), nodeFor(nodes, from.mName), from.mPosition,
                                  toVector(from.mLookAt), toVector(from.mUp), scene);
        elementOf(scene.nodes, node).camera = static_cast<int>(scene.cameras.size());
        scene.cameras.push_back(std::move(camera));
    }
}

void addLights(const aiScene& source, const NodeIndex& nodes, double size, Scene& scene) {
    std::size_t leftOut = 0;
    std::size_t guessed = 0;
    for (unsigned i = 0; i < source.mNumLights; ++i) {
        const aiLight& from = *source.mLights[i];
        const char* type = typeName(from.mType);
        leftOut += type == nullptr;
        if (!type) continue;
        guessed += from.mType != aiLightSource_DIRECTIONAL;
        const int node = addAimed(from.mName.C_Str(), nodeFor(nodes, from.mName), from.mPosition,
                                  toVector(from.mDirection), toVector(from.mUp), scene);
        elementOf(scene.nodes, node).light = static_cast<int>(scene.lights.size());
        scene.lights.push_back(convertLight(from, type, size / 10));
    }
    if (leftOut > 0)
        scene.notes.push_back(
            {"lights", counted(leftOut, "ambient or area light", "ambient or area lights") +
                           ", which glTF has no place for: left out"});
    if (guessed > 0)
        scene.notes.push_back(
            {"lights",
             fmt::format("{}: brightness is a guess, and they have no range",
                         counted(guessed, "light of an older kind", "lights of an older kind"))});
}

}  // namespace flentro
