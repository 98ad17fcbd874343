// Many copies of one asset side by side, to measure what each of its variants costs for real.

#pragma once

#include "budget/target.h"
#include "scene/scene.h"

namespace flentro {

/// One way to show the asset.
struct YardVariant {
    std::string name;
    Asset asset;
};

/// The asset as it came, each level of its ladder alone, and all levels by distance.
/// `original` may be null.
[[nodiscard]] std::vector<YardVariant> yardVariants(const Asset& asset, const MeshPtr& original);

/// `copies` of the asset in a square of rows, a quarter of its size apart, with the materials of
/// `from` and no lights. Cost: O(copies + materials).
[[nodiscard]] Scene makeYard(const Scene& from, const Asset& asset, std::size_t copies);

/// Looks down at the yard with all copies in view.
[[nodiscard]] Viewpoint yardView(const Scene& yard, const Target& target);

}  // namespace flentro
