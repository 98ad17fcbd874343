// Scenes of lamps, walls and floors whose light can be worked out on paper.

#pragma once

#include "base/json.h"
#include "support/meshes.h"
#include "support/surveys.h"

namespace flentro::test {

struct Lamp {
    Vec3d at = Vec3d::Zero();
    double candela = 100;
    float range = 20;  ///< Infinity: none.
    bool castsShadow = true;
};

/// Adds a point light on a node of its own; names count from "lamp 1".
inline void addLamp(Scene& scene, const Lamp& lamp) {
    Light light;
    light.name = "lamp";
    light.intensity = static_cast<float>(lamp.candela);
    light.range = lamp.range;
    light.rest = {{"type", "point"}, {"intensity", lamp.candela}};
    if (std::isfinite(lamp.range)) light.rest["range"] = lamp.range;
    Node node;
    node.name = "lamp " + std::to_string(scene.lights.size() + 1);
    node.light = static_cast<int>(scene.lights.size());
    node.local.topRightCorner<3, 1>() = lamp.at;
    node.rest = {{"translation", {lamp.at.x(), lamp.at.y(), lamp.at.z()}}};
    if (lamp.castsShadow) node.rest["extras"]["castsShadow"] = true;
    scene.lights.push_back(light);
    scene.scenes[0]["nodes"].push_back(scene.nodes.size());
    scene.nodes.push_back(node);
    flatten(scene);
}

/// Level ground of 60 m, and boxes on it.
[[nodiscard]] inline Scene groundWith(const std::vector<Placed>& things,
                                      const std::vector<Lamp>& lamps) {
    std::vector<Placed> placed = {{named(makeGrid(4, 4, 60), "ground"), {-30, 0, -30}}};
    placed.insert(placed.end(), things.begin(), things.end());
    Scene scene = makeScene(std::move(placed));
    for (const Lamp& lamp : lamps) addLamp(scene, lamp);
    return scene;
}

/// A survey from these eyes, with its lights measured.
[[nodiscard]] inline Survey litSurvey(const Scene& scene, std::initializer_list<Vec3d> eyes,
                                      const Target& target = surveyDisplay()) {
    const RayScene rays(scene);
    Survey survey = takeSurvey(scene, &rays, target, spotsAt(eyes), plainSurvey(), noProgress());
    survey.lights = measureLights(scene, scene, rays, survey, noProgress()).value();
    return survey;
}

}  // namespace flentro::test
