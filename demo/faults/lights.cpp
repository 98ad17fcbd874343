// Faults of lights and shadows.

#include "base/index.h"
#include "faults/faults.h"
#include "scene_builder.h"

namespace flentro::demo {
namespace {

Light& lightOf(Scene& scene, std::size_t placed) {
    return elementOf(scene.lights, scene.placedLights[placed].light);
}

void lightRange(Planter& p) {
    if (!p.isRandom()) return;  // the lanterns are hung so
    std::set<std::string> names;
    const bool endless = p.dice().below(3) == 0;
    const float range = p.dice().between(16, 70);
    for (const std::size_t placed : p.lights({}, p.amount(0, 3, 60), [&](auto i) {
             return p.scene().placedLights[i].name != "barge light";
         })) {
        Light& light = lightOf(p.scene(), placed);
        light.range = endless ? std::numeric_limits<float>::infinity() : range;
        if (endless)
            light.rest.erase("range");
        else
            light.rest["range"] = range;
        names.insert(p.scene().placedLights[placed].name);
    }
    p.tell(6, "light-range-too-long", "reach far beyond where they help", names,
           {{"lights", names.size()}});
}

/// Lights around the quay that ask for shadows.
void shadowLights(Planter& p) {
    if (!p.isRandom()) return;  // the lanterns are hung so
    Scene& scene = p.scene();
    std::set<std::string> names;
    for (const std::size_t placed : p.lights({}, p.amount(0, 8, 30), [&](auto i) {
             return std::fabs(scene.placedLights[i].position.z()) < 16;
         })) {
        Node& node = elementOf(scene.nodes, scene.placedLights[placed].node);
        node.rest["extras"]["castsShadow"] = true;
        names.insert(node.name);
    }
    p.tell(6, "too-many-shadow-lights", "ask for shadows", names, {{"lights", names.size()}});
    p.tell(6, "static-light-could-be-baked", "ask for shadows and never move", names,
           {{"lights", names.size()}});
}

void movingLight(Planter& p) {
    Scene& scene = p.scene();
    for (const std::size_t placed :
         p.lights({"barge light"}, p.amount(1, 1, 3), [](auto) { return true; })) {
        const std::string name = scene.placedLights[placed].name;
        Light& light = lightOf(scene, placed);
        light.range = static_cast<float>(p.amount(30, 24, 60));
        light.rest["range"] = light.range;
        if (p.isRandom()) {
            const Vec3f at = scene.placedLights[placed].position.cast<float>();
            animatePath(scene, scene.placedLights[placed].node, name + " swings",
                        {at, at + Vec3f(2, 0, 1), at}, 1);
        }
        p.tell(6, "large-moving-light", "moves, and reaches far", {name},
               {{"rangeMetres", light.range}});
        p.tell(6, "light-range-too-long", "reaches far beyond where it helps", {name},
               {{"rangeMetres", light.range}});
    }
}

}  // namespace

const std::vector<FaultKind>& lightFaults() {
    static const std::vector<FaultKind> kinds = {
        {"light-range-too-long", lightRange},
        {"too-many-shadow-lights", shadowLights},
        {"large-moving-light", movingLight},
    };
    return kinds;
}

}  // namespace flentro::demo
