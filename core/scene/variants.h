// KHR_materials_variants: whole sets of materials that a scene can be shown with.

#pragma once

#include <string>
#include <vector>

#include "base/error.h"
#include "scene/scene.h"

namespace flentro {

/// In the file's order; empty for scenes without the extension.
[[nodiscard]] std::vector<std::string> variantNames(const Scene& scene);

/// Gives every part the material that the variant maps it to; parts that it does not mention keep
/// theirs. The mappings stay, so that other variants can still be chosen where it is used.
/// Errors: NotFound listing the names that there are.
[[nodiscard]] Expected<void> showVariant(Scene& scene, const std::string& name);

/// Calls visit(mapping) for every mapping of a part; `rest` is that of the part.
template <typename JsonObject, typename Visit>
void forEachVariantMapping(JsonObject& rest, const Visit& visit) {
    const auto member = [](JsonObject& object, const char* key) -> JsonObject* {
        if (!object.is_object()) return nullptr;
        const auto at = object.find(key);
        return at == object.end() ? nullptr : &*at;
    };
    JsonObject* extensions = member(rest, "extensions");
    JsonObject* variants = extensions ? member(*extensions, "KHR_materials_variants") : nullptr;
    JsonObject* mappings = variants ? member(*variants, "mappings") : nullptr;
    if (!mappings || !mappings->is_array()) return;
    for (auto& mapping : *mappings) visit(mapping);
}

}  // namespace flentro
