#include "base/json.h"

#include <fmt/format.h>

#include <algorithm>

template class nlohmann::basic_json<>;

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

/// "at line 3, column 7", from the number of bytes read.
std::string placeOf(std::string_view text, std::size_t byte) {
    const std::string_view before = text.substr(0, byte > 0 ? byte - 1 : 0);
    const auto line = 1 + std::count(before.begin(), before.end(), '\n');
    const std::size_t start = before.rfind('\n');
    const std::size_t column =
        before.size() - (start == std::string_view::npos ? 0 : start + 1) + 1;
    return fmt::format("at line {}, column {}", line, column);
}

}  // namespace

Expected<Json> parseJson(std::string_view text, const std::string& where) {
    if (deepestNesting(text) > kDeepest)
        return fail(ErrorCode::InvalidInput, "the JSON is nested deeper than 200 levels", where);
    try {
        return Json::parse(text);
    } catch (const Json::parse_error& error) {
        return fail(ErrorCode::InvalidInput, "is not valid JSON " + placeOf(text, error.byte),
                    where);
    } catch (const Json::exception&) {
        return fail(ErrorCode::InvalidInput, "is not valid JSON: a number is out of range", where);
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

Json& objectAt(Json& parent, const char* key) {
    if (!parent.is_object()) parent = Json::object();
    Json& member = parent[key];
    if (!member.is_object()) member = Json::object();
    return member;
}

bool dropMember(Json& parent, const char* key) {
    return parent.is_object() && parent.erase(key) > 0;
}

}  // namespace flentro
