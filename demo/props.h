// The things of the market, each as one asset. Material names are those of lookAround().

#pragma once

#include "scene_builder.h"

namespace flentro::demo {

inline constexpr float kTurn = 2 * static_cast<float>(kPi);  ///< Radians of a full turn.

/// "canvas teal", "canvas oxblood", ...: one of the six shades of a kind of material.
[[nodiscard]] std::string shade(const char* kind, int variant);

/// Paints the pictures and mixes the materials of the whole place. Sound: no picture is there
/// twice.
void lookAround(SceneBuilder& scene, bool sound);

[[nodiscard]] MeshPtr makeOtter(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makeBollard(const SceneBuilder& scene);
/// `before`: applied to the vertices, as a careless export does.
[[nodiscard]] MeshPtr makeCrate(const SceneBuilder& scene, const std::string& name,
                                const Mat4f& before);
[[nodiscard]] MeshPtr makeBarrel(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makeStall(const SceneBuilder& scene, int variant);
[[nodiscard]] MeshPtr makeAwning(const SceneBuilder& scene, int variant);
[[nodiscard]] MeshPtr makeLantern(const SceneBuilder& scene, int variant);
[[nodiscard]] MeshPtr makeJar(const SceneBuilder& scene, int variant);
[[nodiscard]] MeshPtr makeKettle(const SceneBuilder& scene, int variant);
[[nodiscard]] MeshPtr makeCup(const SceneBuilder& scene, int variant);
[[nodiscard]] MeshPtr makeBasket(const SceneBuilder& scene, int variant);
[[nodiscard]] MeshPtr makeHerb(const SceneBuilder& scene, int variant);
[[nodiscard]] MeshPtr makeScales(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makeSign(const SceneBuilder& scene, int variant);
[[nodiscard]] MeshPtr makeLampPost(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makeBench(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makeWinch(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makeTarKettle(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makeWeathercock(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makeRailing(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makeTable(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makeChair(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makeShelf(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makeChest(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makeNarrowboat(const SceneBuilder& scene, int variant);
[[nodiscard]] MeshPtr makeReeds(const SceneBuilder& scene, int variant);
[[nodiscard]] MeshPtr makePoplar(const SceneBuilder& scene, int variant);

[[nodiscard]] MeshPtr makeWater(const SceneBuilder& scene, int cells);
/// `coarse`: with short indices.
[[nodiscard]] MeshPtr makeQuay(const SceneBuilder& scene, bool coarse);
[[nodiscard]] MeshPtr makeLockGate(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makeLockWalls(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makeFootbridge(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makeWarehouse(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makeHouse(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makeCrane(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makePlinth(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makeHill(const SceneBuilder& scene, int variant);
[[nodiscard]] MeshPtr makeSky(const SceneBuilder& scene);
[[nodiscard]] MeshPtr makeMeadow(const SceneBuilder& scene);

}  // namespace flentro::demo
