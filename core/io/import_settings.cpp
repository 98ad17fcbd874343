#include "io/import_settings.h"

#include <fmt/format.h>

namespace flentro {
namespace {

/// "all", or a list of names. Nothing: anything else.
std::optional<ShadowLights> parseShadowLights(const Json& json) {
    if (json == "all") return ShadowLights{true};
    if (!json.is_array()) return std::nullopt;
    ShadowLights lights;
    for (const Json& name : json) {
        if (!name.is_string()) return std::nullopt;
        lights.names.insert(name.get<std::string>());
    }
    return lights;
}

}  // namespace

Json toJson(const ImportSettings& settings) {
    const ImportSettings usual;
    Json json = Json::object();
    if (!settings.unit.empty()) json["unit"] = settings.unit;
    if (settings.up != usual.up) json["up"] = std::string(1, settings.up);
    if (settings.creaseAngle != usual.creaseAngle) json["creaseAngle"] = settings.creaseAngle;
    if (!settings.variant.empty()) json["variant"] = settings.variant;
    if (settings.shadowLights && settings.shadowLights->all)
        json["shadowLights"] = "all";
    else if (settings.shadowLights)
        json["shadowLights"] = settings.shadowLights->names;
    return json;
}

Expected<ImportSettings> parseImportSettings(const Json& json) {
    const auto wrong = [](const std::string& what, const std::string& key) {
        return fail(ErrorCode::InvalidInput, what, "import." + key);
    };
    if (!json.is_object()) return fail(ErrorCode::InvalidInput, "is no object", "import");
    ImportSettings settings;
    for (const auto& [key, value] : json.items()) {
        const std::string text = value.is_string() ? value.get<std::string>() : "";
        if (key == "unit") {
            if (!findUnit(text)) return wrong("is none of mm, cm, in, ft, m, km", key);
            settings.unit = text;
        } else if (key == "up") {
            if (text != "Y" && text != "Z") return wrong("is neither Y nor Z", key);
            settings.up = text.front();
        } else if (key == "creaseAngle") {
            const double angle = value.is_number() ? value.get<double>() : -1;
            if (!(angle >= 0 && angle <= 180)) return wrong("is no angle from 0 to 180", key);
            settings.creaseAngle = angle;
        } else if (key == "shadowLights") {
            settings.shadowLights = parseShadowLights(value);
            if (!settings.shadowLights) return wrong("is neither 'all' nor a list of names", key);
        } else if (key == "variant") {
            if (text.empty()) return wrong("is no name", key);
            settings.variant = text;
        } else {
            return wrong("is not known", key);
        }
    }
    return settings;
}

}  // namespace flentro
