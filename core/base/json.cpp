#include "base/json.h"

namespace flentro {
namespace {

constexpr int kDeepest = 200;

/// Depth of nesting, ignoring brackets inside strings.
int deepestNesting(std::string_view text) {
    int depth = 0;
    int deepest = 0;
    bool inString = false;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (inString) {
            if (c == '\\') ++i;
            if (c == '"') inString = false;
        } else if (c == '"') {
            inString = true;
        } else if (c == '{' || c == '[') {
            deepest = std::max(deepest, ++depth);
        } else if (c == '}' || c == ']') {
            --depth;
        }
    }
    return deepest;
}

}  // namespace

Expected<Json> parseJson(std::string_view text, const std::string& where) {
    if (deepestNesting(text) > kDeepest)
        return fail(ErrorCode::InvalidInput, "the JSON is nested deeper than 200 levels", where);
    try {
        return Json::parse(text);
    } catch (const Json::exception& error) {
        return fail(ErrorCode::InvalidInput, std::string("not valid JSON: ") + error.what(), where);
    }
}

const Json& jsonObject(const Json& parent, const char* key) {
    static const Json empty = Json::object();
    const auto it = parent.is_object() ? parent.find(key) : parent.end();
    return it != parent.end() && it->is_object() ? *it : empty;
}

const Json& jsonArray(const Json& parent, const char* key) {
    static const Json empty = Json::array();
    const auto it = parent.is_object() ? parent.find(key) : parent.end();
    return it != parent.end() && it->is_array() ? *it : empty;
}

}  // namespace flentro
