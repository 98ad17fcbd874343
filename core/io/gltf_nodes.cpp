#include "io/gltf_nodes.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <numeric>

#include "base/index.h"
#include "base/text.h"
#include "io/gltf_meshes.h"
#include "scene/edit.h"
#include "scene/own_extras.h"

namespace flentro {
namespace {

constexpr const char* kInstancing = "EXT_mesh_gpu_instancing";
constexpr const char* kLights = "KHR_lights_punctual";
constexpr const char* kLod = "MSFT_lod";

/// Memory of a placed copy: its transform on the node, and its object with a name.
constexpr std::size_t kInstanceBytes = sizeof(Mat4d) + sizeof(Object) + 64;

/// The index in `key` if it names one of `count` things, else -1.
int indexOr(const Json& source, const char* key, std::size_t count) {
    const int index = jsonOr(source, key, -1);
    return index >= 0 && static_cast<std::size_t>(index) < count ? index : -1;
}

template <int N>
Eigen::Matrix<double, N, 1> vectorOr(const Json& source, const char* key,
                                     Eigen::Matrix<double, N, 1> value) {
    const Json& array = jsonArray(source, key);
    if (array.size() != N) return value;
    for (int i = 0; i < N; ++i)
        if (elementOf(array, i).is_number()) value[i] = elementOf(array, i).get<double>();
    return value;
}

Mat4d compose(const Vec3d& translation, const Vec4d& rotation, const Vec3d& scale) {
    Eigen::Quaterniond turn(rotation[3], rotation[0], rotation[1], rotation[2]);
    if (turn.norm() > 0) turn.normalize();
    Mat4d m = Mat4d::Identity();
    m.topLeftCorner<3, 3>() = turn.toRotationMatrix() * scale.asDiagonal();
    m.topRightCorner<3, 1>() = translation;
    return m;
}

Mat4d localTransform(const Json& source) {
    const Json& matrix = jsonArray(source, "matrix");
    if (matrix.size() == 16) {
        const auto values = vectorOr<16>(source, "matrix", Eigen::Matrix<double, 16, 1>::Zero());
        return Eigen::Map<const Mat4d>(values.data());
    }
    return compose(vectorOr<3>(source, "translation", Vec3d::Zero()),
                   vectorOr<4>(source, "rotation", Vec4d(0, 0, 0, 1)),
                   vectorOr<3>(source, "scale", Vec3d::Ones()));
}

template <int N>
Eigen::Matrix<double, N, 1> elementOr(const Stream* stream, std::size_t i,
                                      Eigen::Matrix<double, N, 1> value) {
    if (!stream || stream->components != N || i >= stream->count()) return value;
    for (int c = 0; c < N; ++c) value[c] = stream->value(i, c);
    return value;
}

class NodeReader {
public:
    NodeReader(const Json& document, GltfAccessors& accessors, Scene& scene)
        : document_(document), accessors_(accessors), scene_(scene) {}

    Expected<void> run() {
        const Json& nodes = jsonArray(document_, "nodes");
        scene_.nodes.resize(nodes.size());
        for (std::size_t i = 0; i < nodes.size(); ++i)
            if (auto done = readNode(i, nodes[i]); !done) return done;
        if (auto done = checkForest(); !done) return done;
        readScenes();
        for (const Json& camera : jsonArray(document_, "cameras")) scene_.cameras.push_back(camera);
        if (auto done = readSkins(); !done) return done;
        if (auto done = readAnimations(); !done) return done;
        readLevels();
        return {};
    }

private:
    Expected<void> readNode(std::size_t index, const Json& source) {
        Node& node = scene_.nodes[index];
        node.name = jsonOr<std::string>(source, "name", "");
        if (node.name.empty()) node.name = fmt::format("node {}", index);
        node.local = localTransform(source);
        node.mesh = indexOr(source, "mesh", scene_.assets.size());
        node.skin = indexOr(source, "skin", jsonArray(document_, "skins").size());
        node.camera = indexOr(source, "camera", jsonArray(document_, "cameras").size());
        const Json& extensions = jsonObject(source, "extensions");
        node.light = indexOr(jsonObject(extensions, kLights), "light", scene_.lights.size());
        node.rest = without(source, {"name", "children", "mesh", "skin", "camera"},
                            {kInstancing, kLights, kLod});
        if (extensions.contains(kInstancing)) {
            auto done = readInstances(jsonObject(extensions, kInstancing), node);
            if (!done) {
                done.error().where = objectName("node", index, source) + ": " + done.error().where;
                return done;
            }
        }
        for (const Json& child : jsonArray(source, "children")) {
            const int to = child.get<int>();
            if (elementOf(scene_.nodes, to).parent >= 0)
                return fail(ErrorCode::InvalidInput, "has two parents", fmt::format("node {}", to));
            elementOf(scene_.nodes, to).parent = static_cast<int>(index);
            node.children.push_back(to);
        }
        return {};
    }

    Expected<void> readInstances(const Json& extension, Node& node) {
        for (const auto& [semantic, index] : jsonObject(extension, "attributes").items()) {
            auto stream = accessors_.stream(index.get<int>());
            if (!stream) return tl::unexpected(stream.error());
            node.instanceStreams.push_back({semantic, *stream});
        }
        evenOut(node);
        const auto find = [&](const char* semantic) -> const Stream* {
            for (const Attribute& attribute : node.instanceStreams)
                if (attribute.semantic == semantic) return attribute.stream.get();
            return nullptr;
        };
        const std::size_t count =
            node.instanceStreams.empty() ? 0 : node.instanceStreams.front().stream->count();
        if (auto fits =
                accessors_.memory().take(count * kInstanceBytes, fmt::format("{} copies", count));
            !fits)
            return fits;
        const Json& ours = ownExtras(node.rest);
        for (const Json& name : jsonArray(ours, "instances"))
            if (name.is_string()) node.instanceNames.push_back(name.get<std::string>());
        if (node.instanceNames.size() != count) node.instanceNames.clear();
        for (std::size_t i = 0; i < count; ++i)
            node.instances.push_back(compose(elementOr<3>(find("TRANSLATION"), i, Vec3d::Zero()),
                                             elementOr<4>(find("ROTATION"), i, Vec4d(0, 0, 0, 1)),
                                             elementOr<3>(find("SCALE"), i, Vec3d::Ones())));
        return {};
    }

    /// Copies are those that every stream tells of.
    void evenOut(Node& node) {
        std::size_t least = std::numeric_limits<std::size_t>::max();
        std::size_t most = 0;
        for (const Attribute& attribute : node.instanceStreams) {
            least = std::min(least, attribute.stream->count());
            most = std::max(most, attribute.stream->count());
        }
        if (least >= most) return;
        std::vector<std::uint32_t> first(least);
        std::iota(first.begin(), first.end(), 0U);
        for (Attribute& attribute : node.instanceStreams)
            attribute.stream = std::make_shared<const Stream>(gather(*attribute.stream, first));
        scene_.notes.push_back(
            {"node '" + node.name + "'",
             fmt::format("the streams of its copies have {} to {} values: {} are placed", least,
                         most, counted(least, "copy", "copies"))});
    }

    /// With at most one parent each, a cycle is whatever cannot be reached from a root.
    Expected<void> checkForest() {
        std::vector<bool> reached(scene_.nodes.size());
        visitDown(scene_.nodes, [&](std::size_t at) { reached[at] = true; });
        const auto lost = std::find(reached.begin(), reached.end(), false);
        if (lost == reached.end()) return {};
        const auto index = static_cast<std::size_t>(lost - reached.begin());
        return fail(ErrorCode::InvalidInput, "is its own ancestor",
                    objectName("node", index, jsonArray(document_, "nodes")[index]));
    }

    void readScenes() {
        const auto count = static_cast<std::int64_t>(scene_.nodes.size());
        for (Json source : jsonArray(document_, "scenes")) {
            Json roots = Json::array();
            for (const Json& root : jsonArray(source, "nodes")) {
                const std::int64_t at = root.is_number_integer() ? root.get<std::int64_t>() : -1;
                if (at >= 0 && at < count && elementOf(scene_.nodes, at).parent < 0)
                    roots.push_back(at);
                else
                    scene_.notes.push_back({"scene", "a root that is not a root node is left out"});
            }
            source["nodes"] = roots;  // empty lists are left out again when writing
            scene_.scenes.push_back(std::move(source));
        }
        scene_.defaultScene = std::max(0, indexOr(document_, "scene", scene_.scenes.size()));
    }

    Expected<void> readSkins() {
        for (const Json& source : jsonArray(document_, "skins")) {
            Skin skin;
            for (const Json& joint : jsonArray(source, "joints"))
                skin.joints.push_back(joint.get<int>());
            if (source.contains("inverseBindMatrices")) {
                auto stream = accessors_.stream(jsonOr(source, "inverseBindMatrices", -1));
                if (!stream) return tl::unexpected(stream.error());
                if ((*stream)->components == 16) skin.inverseBind = *stream;
            }
            skin.rest = without(source, {"joints", "inverseBindMatrices"});
            scene_.skins.push_back(std::move(skin));
        }
        return {};
    }

    Expected<int> keepStream(int accessor) {
        auto stream = accessors_.stream(accessor);
        if (!stream) return tl::unexpected(stream.error());
        scene_.streams.push_back(*stream);
        return static_cast<int>(scene_.streams.size()) - 1;
    }

    Expected<void> readAnimations() {
        for (const Json& source : jsonArray(document_, "animations")) {
            Animation animation;
            animation.name = jsonOr<std::string>(source, "name", "");
            animation.channels = jsonArray(source, "channels");
            animation.rest = without(source, {"name", "channels", "samplers"});
            for (const Json& sampler : jsonArray(source, "samplers")) {
                auto input = keepStream(jsonOr(sampler, "input", -1));
                auto output = keepStream(jsonOr(sampler, "output", -1));
                if (!input) return tl::unexpected(input.error());
                if (!output) return tl::unexpected(output.error());
                animation.samplers.push_back(
                    {*input, *output, without(sampler, {"input", "output"})});
            }
            scene_.animations.push_back(std::move(animation));
        }
        return {};
    }

    // --- levels of detail -----------------------------------------------------------------

    void readLevels() {
        const Json& nodes = jsonArray(document_, "nodes");
        std::vector<bool> isLevel(scene_.nodes.size());
        const std::vector<bool> placed = placedNodes();
        for (std::size_t i = 0; i < nodes.size(); ++i) {
            const Json& ids =
                jsonArray(jsonObject(jsonObject(nodes[i], "extensions"), kLod), "ids");
            for (const Json& id : ids)
                if (const int at = nodeOf(id); at >= 0) elementOf(isLevel, at) = true;
            if (ids.empty()) continue;
            if (scene_.nodes[i].mesh >= 0)
                readLadder(nodes[i], scene_.nodes[i], ids);
            else if (const int far = nodeOf(ids.front()); far >= 0 && !elementOf(placed, far))
                hangStandIn(i, nodes[i], far);
        }
        dropLevelNodes(std::move(isLevel), placed);
    }

    [[nodiscard]] int nodeOf(const Json& id) const {
        const auto at = id.is_number_integer() ? id.get<std::int64_t>() : -1;
        return at < 0 || static_cast<std::size_t>(at) >= scene_.nodes.size() ? -1
                                                                             : static_cast<int>(at);
    }

    /// A mesh that is a lower level of a group shows all below it from afar: it becomes a child
    /// of the group, if it has no other place.
    void hangStandIn(std::size_t group, const Json& source, int index) {
        Node& far = elementOf(scene_.nodes, index);
        if (far.mesh < 0 || far.parent >= 0 || !far.children.empty()) return;
        Json* ours = ownExtrasIn(far.rest);
        if (!ours) return;
        if (!jsonObject(*ours, "standIn").contains("start")) {
            const Json& coverage = jsonArray(jsonObject(source, "extras"), "MSFT_screencoverage");
            const Mesh& mesh = *elementOf(scene_.assets, far.mesh).mesh;
            *ours = {
                {"standIn", {{"start", distanceForCoverage(mesh, numberAt(coverage, 0, 0.01))}}}};
        }
        far.parent = static_cast<int>(group);
        scene_.nodes[group].children.push_back(index);
    }

    void readLadder(const Json& source, const Node& node, const Json& ids) {
        Asset& asset = elementOf(scene_.assets, node.mesh);
        if (!asset.ladder.empty()) return;
        const Json& ours = jsonObject(ownExtras(source), "ladder");
        asset.ladder.hysteresis = std::clamp(jsonOr(ours, "hysteresis", 0.0), 0.0, 0.5);
        asset.ladder.crowd = jsonOr<std::string>(ours, "crowd", "");
        for (const Json& cap : jsonArray(ours, "caps"))
            if (cap.is_number_unsigned()) asset.ladder.caps.push_back(cap.get<int>());
        const Json& coverage = jsonArray(jsonObject(source, "extras"), "MSFT_screencoverage");
        for (std::size_t i = 0; i < ids.size(); ++i) {
            const int at = nodeOf(ids[i]);
            if (at < 0) continue;
            const int mesh = elementOf(scene_.nodes, at).mesh;
            if (mesh < 0) continue;
            Ladder::Level level;
            level.mesh = elementOf(scene_.assets, mesh).mesh;
            level.deviation = numberAt(jsonArray(ours, "deviations"), i, 0);
            const double covered = numberAt(coverage, i, 0.01);
            level.switchDistance = numberAt(jsonArray(ours, "switchDistances"), i,
                                            distanceForCoverage(*asset.mesh, covered));
            asset.ladder.levels.push_back(std::move(level));
        }
    }

    static double numberAt(const Json& array, std::size_t i, double fallback) {
        return i < array.size() && array[i].is_number() ? array[i].get<double>() : fallback;
    }

    /// The distance at which a mesh covers this share of a 60 degree, 16:9 view.
    static double distanceForCoverage(const Mesh& mesh, double coverage) {
        const double size = mesh.bounds.isEmpty() ? 1 : mesh.bounds.diagonal().norm();
        return size / (2 * std::tan(toRadians(30)) * std::sqrt(std::max(coverage * 16 / 9, 1e-9)));
    }

    /// Level nodes live on as ladders; the writer makes them anew. Only nodes outside every
    /// scene are dropped, and indices of the others move up.
    void dropLevelNodes(std::vector<bool> isLevel, const std::vector<bool>& placed) {
        for (std::size_t i = 0; i < scene_.nodes.size(); ++i) {
            const Node& node = scene_.nodes[i];
            isLevel[i] = isLevel[i] && node.parent < 0 && !placed[i] && node.children.empty();
        }
        if (std::find(isLevel.begin(), isLevel.end(), true) == isLevel.end()) return;
        dropNodes(scene_, isLevel);
        dropUnusedLevelAssets();
    }

    std::vector<bool> placedNodes() const {
        std::vector<bool> placed(scene_.nodes.size());
        for (const Json& source : scene_.scenes)
            for (const Json& root : jsonArray(source, "nodes"))
                placed[root.get<std::size_t>()] = true;
        for (const Skin& skin : scene_.skins)
            for (const int joint : skin.joints) elementOf(placed, joint) = true;
        return placed;
    }

    /// Meshes that only level nodes used are no assets of their own.
    void dropUnusedLevelAssets() {
        std::vector<bool> used(scene_.assets.size());
        for (const Node& node : scene_.nodes)
            if (node.mesh >= 0) elementOf(used, node.mesh) = true;
        std::vector<bool> isLevel(scene_.assets.size());
        for (const Asset& asset : scene_.assets)
            for (const Ladder::Level& level : asset.ladder.levels)
                for (std::size_t i = 0; i < scene_.assets.size(); ++i)
                    if (scene_.assets[i].mesh == level.mesh) isLevel[i] = true;
        std::vector<int> moved(scene_.assets.size(), -1);
        std::vector<Asset> kept;
        for (std::size_t i = 0; i < scene_.assets.size(); ++i) {
            if (isLevel[i] && !used[i]) continue;
            moved[i] = static_cast<int>(kept.size());
            kept.push_back(scene_.assets[i]);
        }
        for (Node& node : scene_.nodes)
            if (node.mesh >= 0) node.mesh = elementOf(moved, node.mesh);
        scene_.assets = std::move(kept);
    }

    const Json& document_;
    GltfAccessors& accessors_;
    Scene& scene_;
};

/// extras.flentro of a node, as the writer leaves it.
const Json& oursOf(const Scene& scene, int node) {
    return ownExtras(elementOf(scene.nodes, node).rest);
}

/// A distance in metres, if it is one.
double distanceOr(const Json& json, const char* key, double value) {
    const double found = jsonOr(json, key, value);
    return found >= 0 ? found : value;
}

void readDistances(Scene& scene) {
    for (Object& object : scene.objects) {
        const Json& ours = oursOf(scene, object.node);
        const Json& culling = jsonObject(ours, "culling");
        object.culling.end = distanceOr(culling, "end", object.culling.end);
        object.culling.fadeStart = distanceOr(culling, "fadeStart", object.culling.end);
        object.culling.shadowEnd = distanceOr(ours, "shadowEnd", object.culling.shadowEnd);
        object.culling.start = distanceOr(jsonObject(ours, "standIn"), "start", 0);
    }
    for (PlacedLight& light : scene.placedLights) {
        const Json& ours = jsonObject(oursOf(scene, light.node), "light");
        light.end = distanceOr(ours, "end", light.end);
        light.fadeStart = distanceOr(ours, "fadeStart", light.end);
        light.shadowEnd = distanceOr(ours, "shadowEnd", light.shadowEnd);
    }
}

/// A far stand-in shows all objects below its parent.
void linkStandIns(Scene& scene) {
    std::vector<int> standInOf(scene.nodes.size(), -1);
    bool any = false;
    for (std::size_t i = 0; i < scene.objects.size(); ++i) {
        const Object& object = scene.objects[i];
        const int parent = elementOf(scene.nodes, object.node).parent;
        if (!(object.culling.start > 0) || parent < 0) continue;
        elementOf(standInOf, parent) = static_cast<int>(i);
        any = true;
    }
    if (!any) return;
    visitDown(scene.nodes, [&](std::size_t index) {
        const int parent = scene.nodes[index].parent;
        if (standInOf[index] < 0 && parent >= 0) standInOf[index] = elementOf(standInOf, parent);
    });
    std::map<int, Box> shown;
    for (std::size_t i = 0; i < scene.objects.size(); ++i) {
        Object& object = scene.objects[i];
        const int standIn = elementOf(standInOf, object.node);
        if (standIn < 0 || object.culling.start > 0) continue;
        object.standIn = standIn;
        shown[standIn].extend(object.bounds);
    }
    // Distances of both are asked of the same bounds.
    for (const auto& [standIn, bounds] : shown) elementOf(scene.objects, standIn).bounds = bounds;
}

/// Takes objects out whose transform is not finite, also from their nodes, before anything
/// counts on their numbers.
void dropUnplaceable(Scene& scene) {
    std::vector<bool> gone(scene.objects.size());
    for (std::size_t i = 0; i < gone.size(); ++i) {
        const Object& object = scene.objects[i];
        gone[i] = !isFinite(object.world) || !std::isfinite(object.scale);
        if (gone[i])
            scene.notes.push_back(
                {"object '" + object.name + "'", "left out: its transform is not finite"});
    }
    if (std::find(gone.begin(), gone.end(), true) == gone.end()) return;
    removeObjects(scene, gone);
    numberOrigins(scene);
}

}  // namespace

Expected<void> readNodes(const Json& document, GltfAccessors& accessors, Scene& scene) {
    return NodeReader(document, accessors, scene).run();
}

Expected<void> placeObjects(Scene& scene, MemoryBudget& memory) {
    if (auto fits = memory.take(scene.nodes.size() * kInstanceBytes, "the objects"); !fits)
        return fits;
    flatten(scene);
    dropUnplaceable(scene);
    readDistances(scene);
    linkStandIns(scene);
    return {};
}

}  // namespace flentro
