// JSON as we use it: members in alphabetical order, so that equal values give equal texts.

#pragma once

#include <nlohmann/json.hpp>
#include <string>

#include "base/error.h"

// Instantiated once, in json.cpp: a fifth off the time of each compilation.
extern template class nlohmann::basic_json<>;

namespace flentro {

using Json = nlohmann::json;

/// Parses UTF-8 text. Errors: InvalidInput naming `where` with line and column, also for
/// nesting deeper than 200 levels (no honest file needs it, and some readers recurse).
[[nodiscard]] Expected<Json> parseJson(std::string_view text, const std::string& where);

/// Member `key` of an object if it has the type of `fallback`, else `fallback`.
template <typename T>
[[nodiscard]] T jsonOr(const Json& object, const char* key, T fallback) {
    if (!object.is_object()) return fallback;
    const auto it = object.find(key);
    if (it == object.end()) return fallback;
    if constexpr (std::is_same_v<T, bool>) {
        return it->is_boolean() ? it->get<bool>() : fallback;
    } else if constexpr (std::is_arithmetic_v<T>) {
        if (!it->is_number()) return fallback;
        const double value = it->get<double>();
        const bool fits = value >= static_cast<double>(std::numeric_limits<T>::lowest()) &&
                          value <= static_cast<double>(std::numeric_limits<T>::max());
        return fits ? it->get<T>() : fallback;
    } else {
        return it->is_string() ? it->get<T>() : fallback;
    }
}

/// The member, or an empty object / null when it is missing or of another type.
[[nodiscard]] const Json& jsonObject(const Json& parent, const char* key);
[[nodiscard]] const Json& jsonArray(const Json& parent, const char* key);

/// The member, made an empty object where it is missing or of another type, as is `parent`.
[[nodiscard]] Json& objectAt(Json& parent, const char* key);

/// Takes a member out and returns whether there was one; only objects have members.
bool dropMember(Json& parent, const char* key);

}  // namespace flentro
