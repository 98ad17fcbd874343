// Faults of where and how things are placed.

#include <fmt/format.h>

#include "base/index.h"
#include "faults/faults.h"
#include "scene/edit.h"
#include "scene_builder.h"

namespace flentro::demo {
namespace {

/// Objects on nodes of their own without animation, of `triangles` or more.
Planter::Suits standing(Planter& p, std::size_t triangles) {
    return [&p, triangles](std::size_t i) {
        const Object& object = p.scene().objects[i];
        const Node& node = elementOf(p.scene().nodes, object.node);
        return object.instance < 0 && node.children.empty() && node.parent < 0 && node.skin < 0 &&
               p.scene().mesh(object).triangles >= triangles &&
               object.bounds.sizes().maxCoeff() < 20;
    };
}

void scaleObjects(Planter& p, const std::vector<std::size_t>& objects, const Vec3f& factors) {
    for (const std::size_t i : objects) {
        Node& node = elementOf(p.scene().nodes, p.scene().objects[i].node);
        setTransform(node,
                     node.local.cast<float>() * scaling(factors.x(), factors.y(), factors.z()));
    }
}

std::set<std::string> namesOf(const Scene& scene, const std::vector<std::size_t>& objects) {
    std::set<std::string> names;
    for (const std::size_t i : objects) names.insert(scene.objects[i].name);
    return names;
}

void mirrored(Planter& p) {
    const auto objects = p.objects({"bench 13"}, p.amount(1, 1, 6), standing(p, 12));
    scaleObjects(p, objects, {-1, 1, 1});
    p.tell(11, "mirrored-scale", "mirrored by a negative scale", namesOf(p.scene(), objects),
           {{"objects", objects.size()}});
}

void stretched(Planter& p) {
    const auto objects = p.objects({"bench 07"}, p.amount(1, 1, 6), standing(p, 50));
    const float factor = p.isRandom() ? p.dice().between(1.15F, 1.8F) : 1.25F;
    scaleObjects(p, objects, {1, factor, 1});
    p.tell(11, "uneven-scale", "longer along one axis", namesOf(p.scene(), objects),
           {{"objects", objects.size()}});
}

/// Nodes of an export tool above one object, one below the other.
void emptyNodes(Planter& p) {
    Scene& scene = p.scene();
    for (const std::size_t i : p.objects({"crate 01"}, 1, standing(p, 12))) {
        const int child = scene.objects[i].node;
        const int depth = p.amount(9, 6, 20);
        int parent = -1;
        for (int k = 0; k < depth; ++k) {
            Node node;
            node.name = fmt::format("import group {}", k + 1);
            node.parent = parent;
            parent = addNode(scene, std::move(node));
        }
        elementOf(scene.nodes, parent).children.push_back(child);
        elementOf(scene.nodes, child).parent = parent;
        Json& roots = scene.scenes.front()["nodes"];
        roots.erase(std::find(roots.begin(), roots.end(), Json(child)));
        p.tell(11, "deep-empty-nodes", "a chain of nodes that hold nothing",
               {fmt::format("import group {}", depth)}, {{"depth", depth}});
    }
}

/// The same thing at the same place once more, as pasting by mistake leaves it.
void placedTwice(Planter& p) {
    std::set<std::string> names;
    for (const std::size_t i : p.objects({"bench 21"}, p.amount(1, 1, 4), standing(p, 48))) {
        Node copy = elementOf(p.scene().nodes, p.scene().objects[i].node);
        copy.name += " copy";
        names.insert(copy.name);
        addNode(p.scene(), std::move(copy));
    }
    if (names.empty()) return;
    p.tell(11, "coincident-objects", "placed twice at one place", names,
           {{"objects", names.size()}});
}

}  // namespace

const std::vector<FaultKind>& layoutFaults() {
    static const std::vector<FaultKind> kinds = {
        {"mirrored-scale", mirrored},
        {"uneven-scale", stretched},
        {"deep-empty-nodes", emptyNodes},
        {"coincident-objects", placedTwice},
    };
    return kinds;
}

}  // namespace flentro::demo
