// The indices of a glTF document, each checked once, before anything is read by them.

#pragma once

#include <set>
#include <string>
#include <vector>

#include "base/error.h"
#include "base/json.h"
#include "scene/scene.h"

namespace flentro {

/// What becomes of an index that names nothing.
enum class DanglingPolicy {
    Refuse,       ///< The document has no meaning without it.
    DropMember,   ///< The member is optional: taken away, and told.
    DropElement,  ///< The element of the innermost list that holds it goes, and it is told.
};

/// One kind of index. `path` leads to it from the document: "[]" stands for each element, "*" for
/// each member. `list` is the list it counts in; ".samplers" one of the outermost element.
struct IndexRule {
    const char* path;
    const char* list;
    DanglingPolicy policy;
};

/// Every index that glTF 2.0 and the extensions we know have outside of materials, whose textures
/// are found by their names ("...Texture": {"index": ...}).
[[nodiscard]] const std::vector<IndexRule>& indexRules();

/// Checks that lists hold objects, that extensions are objects, and that every index names
/// something; takes away what is optional and tells it in `notes`. Afterwards any of these
/// indices can be used without a look. Cost: O(document).
///
/// Errors: InvalidInput naming the object and the member.
[[nodiscard]] Expected<void> checkReferences(Json& document, std::vector<Note>& notes);

/// Names of all extensions that have an object anywhere, but in extras.
[[nodiscard]] std::set<std::string> extensionNames(const Json& value);

}  // namespace flentro
