#include "scene/variants.h"

#include <algorithm>

namespace flentro {
namespace {

/// The material that a part has in variant `index`, or -1.
int materialIn(const Part& part, int index) {
    int material = -1;
    forEachVariantMapping(part.rest, [&](const Json& mapping) {
        for (const Json& variant : jsonArray(mapping, "variants"))
            if (variant.is_number_integer() && variant.get<int>() == index)
                material = jsonOr(mapping, "material", -1);
    });
    return material;
}

/// The mesh itself if nothing changes.
MeshPtr withVariant(const MeshPtr& mesh, int index) {
    Mesh changed = *mesh;
    bool differs = false;
    for (Part& part : changed.parts) {
        const int material = materialIn(part, index);
        if (material < 0 || material == part.material) continue;
        part.material = material;
        differs = true;
    }
    return differs ? finishMesh(std::move(changed)) : mesh;
}

}  // namespace

std::vector<std::string> variantNames(const Scene& scene) {
    std::vector<std::string> names;
    const Json& extension =
        jsonObject(jsonObject(scene.rest, "extensions"), "KHR_materials_variants");
    for (const Json& variant : jsonArray(extension, "variants"))
        names.push_back(jsonOr<std::string>(variant, "name", ""));
    return names;
}

Expected<void> showVariant(Scene& scene, const std::string& name) {
    const std::vector<std::string> names = variantNames(scene);
    const auto at = std::find(names.begin(), names.end(), name);
    if (at == names.end()) {
        std::string known;
        for (const std::string& each : names) known += (known.empty() ? "" : ", ") + each;
        return fail(ErrorCode::NotFound, "the scene has no such variant of materials", name,
                    known.empty() ? "It has none at all" : "It has " + known);
    }
    const auto index = static_cast<int>(at - names.begin());
    for (Asset& asset : scene.assets) {
        asset.mesh = withVariant(asset.mesh, index);
        for (Ladder::Level& level : asset.ladder.levels)
            level.mesh = withVariant(level.mesh, index);
    }
    return {};
}

}  // namespace flentro
