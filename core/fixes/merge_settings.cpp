#include "fixes/merge_settings.h"

#include <algorithm>
#include <cassert>

namespace flentro {
namespace {

bool isListOfThings(const Json& value) {
    return value.is_array() && !value.empty() && value.front().is_object();
}

void addMissing(Json& own, const Json& prepared) {
    if (own.is_null()) own = Json::array();
    for (const Json& thing : prepared)
        if (std::find(own.begin(), own.end(), thing) == own.end()) own.push_back(thing);
}

}  // namespace

FixSettings mergeSettings(const FixSettings& own, const FixSettings& prepared) {
    const FixKind& kind = own.kind();
    assert(&kind == &prepared.kind());
    const Json defaults = toJson(kind.defaults());
    const Json wanted = toJson(prepared);
    Json merged = toJson(own);
    for (const auto& [name, value] : wanted.items()) {
        if (isListOfThings(value))
            addMissing(merged[name], value);
        else if (value.is_object())
            for (const auto& [key, entry] : value.items()) merged[name].emplace(key, entry);
        else if (!merged.contains(name) ||
                 (defaults.contains(name) && merged[name] == defaults[name]))
            merged[name] = value;
    }
    const auto settings = parseSettings(kind.key, merged, kSettingsVersion);
    return settings ? *settings : own;
}

}  // namespace flentro
