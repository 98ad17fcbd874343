#include "scene/edit.h"

#include <algorithm>
#include <cassert>

#include "base/index.h"
#include "scene/references.h"

namespace flentro {
namespace {

Json toJson(const Mat4d& matrix) {
    Json json = Json::array();
    for (int i = 0; i < 16; ++i) json.push_back(matrix(i % 4, i / 4));
    return json;
}

/// Keeps the copies that are not marked; all gone: the node shows nothing.
void removeInstances(Node& node, const std::vector<bool>& gone) {
    std::vector<std::uint32_t> kept;
    for (std::uint32_t i = 0; i < gone.size(); ++i)
        if (!gone[i]) kept.push_back(i);
    std::vector<Mat4d> instances;
    for (const std::uint32_t i : kept) instances.push_back(node.instances[i]);
    node.instances = std::move(instances);
    if (!node.instanceNames.empty()) {
        std::vector<std::string> names;
        for (const std::uint32_t i : kept) names.push_back(std::move(node.instanceNames[i]));
        node.instanceNames = std::move(names);
    }
    for (Attribute& attribute : node.instanceStreams)
        attribute.stream = std::make_shared<const Stream>(gather(*attribute.stream, kept));
    if (!kept.empty()) return;
    node.instanceStreams.clear();
    node.mesh = node.skin = -1;
}

}  // namespace

void removeObjects(Scene& scene, const std::vector<bool>& gone) {
    assert(gone.size() == scene.objects.size());
    std::vector<std::vector<bool>> goneOf(scene.nodes.size());
    for (std::size_t i = 0; i < scene.objects.size(); ++i) {
        const Object& object = scene.objects[i];
        const auto node = static_cast<std::size_t>(object.node);
        if (object.instance < 0) {
            if (gone[i]) scene.nodes[node].mesh = scene.nodes[node].skin = -1;
            continue;
        }
        goneOf[node].resize(scene.nodes[node].instances.size(), false);
        elementOf(goneOf[node], object.instance) = gone[i];
    }
    for (std::size_t i = 0; i < scene.nodes.size(); ++i)
        if (std::find(goneOf[i].begin(), goneOf[i].end(), true) != goneOf[i].end())
            removeInstances(scene.nodes[i], goneOf[i]);
    std::vector<Object> kept;
    std::vector<int> newIndex;
    for (std::size_t i = 0, count = 0; i < gone.size(); ++i)
        newIndex.push_back(gone[i] ? -1 : static_cast<int>(count++));
    for (std::size_t i = 0; i < scene.objects.size(); ++i) {
        if (gone[i]) continue;
        Object object = std::move(scene.objects[i]);
        if (object.instance >= 0) {
            const auto& marks = elementOf(goneOf, object.node);
            object.instance -=
                static_cast<int>(std::count(marks.begin(), marks.begin() + object.instance, true));
        }
        if (object.standIn >= 0) object.standIn = elementOf(newIndex, object.standIn);
        kept.push_back(std::move(object));
    }
    scene.objects = std::move(kept);
}

int addNode(Scene& scene, Node node) {
    const auto index = static_cast<int>(scene.nodes.size());
    const auto root = static_cast<std::size_t>(scene.defaultScene);
    if (node.parent >= 0)
        elementOf(scene.nodes, node.parent).children.push_back(index);
    else if (root < scene.scenes.size())
        scene.scenes[root]["nodes"].push_back(index);
    for (const char* member : {"translation", "rotation", "scale", "matrix"})
        dropMember(node.rest, member);
    if (node.local != Mat4d::Identity()) node.rest["matrix"] = toJson(node.local);
    scene.nodes.push_back(std::move(node));
    return index;
}

std::size_t addObject(Scene& scene, Object object, int parent) {
    Node node;
    node.name = object.name;
    node.parent = parent;
    node.local = object.world;
    node.mesh = object.asset;
    object.node = addNode(scene, std::move(node));
    object.instance = -1;
    object.bounds = transformBox(object.world, scene.mesh(object).bounds);
    object.scale = maxScale(object.world);
    scene.objects.push_back(std::move(object));
    return scene.objects.size() - 1;
}

void replaceAssets(Scene& scene, const std::vector<std::vector<Replacement>>& instead) {
    assert(instead.size() == scene.assets.size());
    // [nodes] Those that the stands of a node's asset are on.
    std::vector<std::vector<int>> holders(scene.nodes.size());
    const std::size_t nodes = scene.nodes.size();
    for (std::size_t i = 0; i < nodes; ++i) {
        const int mesh = scene.nodes[i].mesh;
        if (mesh < 0 || elementOf(instead, mesh).empty()) continue;
        const auto& stands = elementOf(instead, mesh);
        for (std::size_t s = 0; s < stands.size(); ++s) {
            const bool here = s == 0 && stands[s].local == Mat4d::Identity();
            if (here) {
                scene.nodes[i].mesh = stands[s].asset;
                holders[i].push_back(static_cast<int>(i));
                continue;
            }
            const Node& from = scene.nodes[i];
            Node child;
            child.name = elementOf(scene.assets, stands[s].asset).mesh->name;
            child.parent = static_cast<int>(i);
            child.local = stands[s].local;
            child.mesh = stands[s].asset;
            child.skin = from.skin;
            child.instances = from.instances;
            child.instanceStreams = from.instanceStreams;
            holders[i].push_back(addNode(scene, std::move(child)));
        }
        if (holders[i].front() == static_cast<int>(i)) continue;
        Node& emptied = scene.nodes[i];
        emptied.mesh = emptied.skin = -1;
        emptied.instances.clear();
        emptied.instanceStreams.clear();
    }
    const std::size_t objects = scene.objects.size();
    for (std::size_t i = 0; i < objects; ++i) {
        const Object before = scene.objects[i];
        const auto& stands = elementOf(instead, before.asset);
        for (std::size_t s = 0; s < stands.size(); ++s) {
            Object object = before;
            object.node = elementOf(holders, before.node)[s];
            object.asset = stands[s].asset;
            object.world = before.world * stands[s].local;
            object.bounds = transformBox(object.world, scene.mesh(object).bounds);
            object.scale = maxScale(object.world);
            if (s == 0)
                scene.objects[i] = std::move(object);
            else
                scene.objects.push_back(std::move(object));
        }
    }
}

void dropUnusedAssets(Scene& scene) {
    std::vector<int> newIndex(scene.assets.size(), -1);
    for (const Node& node : scene.nodes)
        if (node.mesh >= 0) elementOf(newIndex, node.mesh) = 0;
    for (const Object& object : scene.objects) elementOf(newIndex, object.asset) = 0;
    std::vector<Asset> kept;
    for (std::size_t i = 0; i < newIndex.size(); ++i) {
        if (newIndex[i] < 0) continue;
        newIndex[i] = static_cast<int>(kept.size());
        kept.push_back(std::move(scene.assets[i]));
    }
    scene.assets = std::move(kept);
    for (Node& node : scene.nodes)
        if (node.mesh >= 0) node.mesh = elementOf(newIndex, node.mesh);
    for (Object& object : scene.objects) object.asset = elementOf(newIndex, object.asset);
}

void dropNodes(Scene& scene, const std::vector<bool>& gone) {
    assert(gone.size() == scene.nodes.size());
    if (std::find(gone.begin(), gone.end(), true) == gone.end()) return;
    IndexMoves moves;
    moves.nodes.resize(scene.nodes.size(), -1);
    std::vector<Node> kept;
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        if (gone[i]) continue;
        moves.nodes[i] = static_cast<int>(kept.size());
        kept.push_back(std::move(scene.nodes[i]));
    }
    scene.nodes = std::move(kept);
    moveReferences(scene, moves);
}

std::vector<bool> movingNodes(const Scene& scene) {
    std::vector<bool> moving(scene.nodes.size(), false);
    std::vector<int> waiting;
    for (const Animation& animation : scene.animations)
        for (const Json& channel : animation.channels) {
            const int node = animatedNode(channel);
            if (node >= 0 && static_cast<std::size_t>(node) < moving.size())
                waiting.push_back(node);
        }
    while (!waiting.empty()) {
        const auto index = static_cast<std::size_t>(waiting.back());
        waiting.pop_back();
        if (moving[index]) continue;
        moving[index] = true;
        const auto& children = scene.nodes[index].children;
        waiting.insert(waiting.end(), children.begin(), children.end());
    }
    return moving;
}

}  // namespace flentro
