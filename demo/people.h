// Market-goers: skinned figures of two kinds that share one skeleton and one walking clip.

#pragma once

#include "scene_builder.h"

namespace flentro::demo {

inline constexpr int kGoerKinds = 2;

/// 0: in coat and hat; 1: in a hooded cloak. Faces +Z, stands on y = 0, 1.7 m tall.
[[nodiscard]] MeshPtr makeGoer(const SceneBuilder& scene, int kind);

/// Joints of a figure as it stands; the first is the root of all.
[[nodiscard]] std::vector<Joint> goerJoints();

/// Keys of one walking step to the left and one to the right, for every figure at once.
/// `figures`: node of the first joint of each.
void animateWalk(SceneBuilder& scene, const std::vector<int>& figures);

}  // namespace flentro::demo
