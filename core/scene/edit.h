// Changing what stands in a scene, nodes and objects together.

#pragma once

#include <vector>

#include "scene/scene.h"

namespace flentro {

/// Takes objects out. Their nodes stay, for what else hangs on them; copies of an instanced node
/// go one by one. Cost: O(objects + nodes).
void removeObjects(Scene& scene, const std::vector<bool>& gone);

/// Adds a node with its `local` transform below its `parent`, or at the top of the default scene.
/// Returns its index.
int addNode(Scene& scene, Node node);

/// Places an object on a node of its own, at the top of the default scene or below a node that
/// stands at the origin; `node` and `instance` are filled in. Returns its index.
std::size_t addObject(Scene& scene, Object object, int parent = -1);

/// What an object shows from now on: an asset and its place in the space of the old one.
struct Replacement {
    int asset = -1;
    Mat4d local = Mat4d::Identity();
};
/// Puts other assets where those of `instead` were: the objects stay and show the first of their
/// asset's stands, objects like them are added for the others. Empty: the asset stays.
/// [assets before]; nodes with several stands, or a stand elsewhere, get children for them.
/// Copies of instanced nodes only with stands at the identity.
void replaceAssets(Scene& scene, const std::vector<std::vector<Replacement>>& instead);

/// Drops assets that no node shows. Cost: O(objects + nodes + assets).
void dropUnusedAssets(Scene& scene);

/// Takes nodes out that nothing refers to but their parents and scenes: leaves without objects,
/// lights, joints or animations. The others move up. Cost: O(nodes + objects).
void dropNodes(Scene& scene, const std::vector<bool>& gone);

/// [nodes] True where an animation moves the node or one above it.
[[nodiscard]] std::vector<bool> movingNodes(const Scene& scene);

}  // namespace flentro
