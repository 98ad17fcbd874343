#include "fixes/field_table.h"

#include <fmt/ranges.h>

#include <cmath>
#include <limits>

namespace flentro {
namespace {

std::vector<const char*> keysOf(const std::vector<FieldChoice>& choices) {
    std::vector<const char*> keys;
    for (const FieldChoice& choice : choices) keys.push_back(choice.key);
    return keys;
}

bool isWhole(const Field& field) {
    return field.type == Field::Type::Whole || field.type == Field::Type::Wholes;
}

/// The schema of one number of a field.
Json numberSchema(const Field& field) {
    return {{"type", isWhole(field) ? "integer" : "number"},
            {"minimum", field.minimum},
            {"maximum", field.maximum}};
}

Json runsSchema() {
    return {
        {"type", "array"},
        {"items",
         {{"type", "object"},
          {"required", {"mesh", "runs"}},
          {"properties",
           {{"asset", {{"type", "string"}, {"description", "For the reader."}}},
            {"mesh",
             {{"type", "string"},
              {"description", "Hash of the mesh; others stay as they are."},
              {"pattern", "^[0-9a-f]{32}$"}}},
            {"runs", {{"type", "array"}, {"items", {{"type", "integer"}, {"minimum", 0}}}}}}}}}};
}

/// Without description and default.
Json bareSchema(const Field& field) {
    using Type = Field::Type;
    switch (field.type) {
        case Type::Number:
        case Type::Whole:
            return numberSchema(field);
        case Type::Switch:
            return {{"type", "boolean"}};
        case Type::Choice:
            return {{"enum", keysOf(field.choices)}};
        case Type::Text:
            return {{"type", "string"}};
        case Type::Numbers:
        case Type::Wholes:
            return {{"type", "array"}, {"items", numberSchema(field)}};
        case Type::Names:
            return {{"type", "array"}, {"uniqueItems", true}, {"items", {{"type", "string"}}}};
        case Type::Rows:
            return {{"type", "array"}, {"minItems", 1}, {"items", schemaOf(field.columns)}};
        case Type::ByAsset:
            return {
                {"type", "object"},
                {"additionalProperties", field.isPlainByAsset() ? schemaOf(field.columns.front())
                                                                : schemaOf(field.columns)}};
        case Type::Runs:
            return runsSchema();
    }
    return {};
}

/// What a field is, with its unit.
std::string descriptionOf(const Field& field) {
    std::string text = field.text.help;
    if (*field.text.unit) text += fmt::format("{}[{}]", text.empty() ? "" : " ", field.text.unit);
    return text;
}

}  // namespace

std::string allowedValues(const Field& field) {
    using Type = Field::Type;
    const std::string range = fmt::format("from {} to {}", field.minimum, field.maximum);
    switch (field.type) {
        case Type::Number:
            return "a number " + range;
        case Type::Whole:
            return "a whole number " + range;
        case Type::Switch:
            return "true or false";
        case Type::Choice:
            return fmt::format("one of: {}", fmt::join(keysOf(field.choices), ", "));
        case Type::Text:
            return "a text";
        case Type::Numbers:
            return "a list of rising numbers, each " + range;
        case Type::Wholes:
            return "a list of whole numbers, each " + range;
        case Type::Names:
            return "a list of names";
        case Type::Rows:
            return "a list of objects, at least one";
        case Type::ByAsset:
            return "an object with the names of assets";
        case Type::Runs:
            return "a list of meshes, each with its hash and pairs of numbers";
    }
    return {};
}

Json schemaOf(const Field& field) {
    Json schema = bareSchema(field);
    if (const std::string text = descriptionOf(field); !text.empty()) schema["description"] = text;
    if (!field.fallback.is_null() && !field.key.empty()) schema["default"] = field.fallback;
    return schema;
}

Json schemaOf(const std::vector<Field>& fields) {
    Json schema = {
        {"type", "object"}, {"additionalProperties", false}, {"properties", Json::object()}};
    for (const Field& field : fields) schema["properties"][field.key] = schemaOf(field);
    return schema;
}

std::string describe(const Wrong& wrong) {
    return wrong.path.empty() ? "the settings " + wrong.what
                              : fmt::format("'{}' {}", wrong.path, wrong.what);
}

namespace detail {

Check checkNumber(const Field& field, const Json& value) {
    const double found = value.is_number() ? value.get<double>() : NAN;
    const bool fits = found >= field.minimum && found <= field.maximum &&
                      (!isWhole(field) || found == std::floor(found));
    return fits ? Check() : refuse(field, value);
}

Check refuse(const Field& field, const Json& value) {
    return Wrong{field.key, fmt::format("is {}; it must be {}",
                                        value.dump(-1, ' ', false, Json::error_handler_t::replace),
                                        allowedValues(field))};
}

Check checkRising(const Field& field, const Json& rows) {
    constexpr double kEndless = std::numeric_limits<double>::infinity();
    for (std::size_t i = 1; i < rows.size(); ++i)
        if (jsonOr(rows[i], field.rising.c_str(), kEndless) <=
            jsonOr(rows[i - 1], field.rising.c_str(), kEndless))
            return Wrong{field.key, fmt::format("must rise in '{}'", field.rising)};
    return {};
}

Check inside(const std::string& key, Check check) {
    if (check) check->path = check->path.empty() ? key : key + "." + check->path;
    return check;
}

Check unknownMember(const std::string& name, const std::vector<Field>& fields) {
    std::vector<std::string> keys;
    for (const Field& field : fields) keys.push_back(field.key);
    return Wrong{name, fmt::format("is no setting of it; these are: {}", fmt::join(keys, ", "))};
}

Check readRuns(const Field& field, const Json& value, std::vector<MeshRuns>& runs) {
    if (!value.is_array()) return refuse(field, value);
    for (const Json& entry : value) {
        MeshRuns read;
        read.asset = jsonOr<std::string>(entry, "asset", "");
        const auto hash = parseHash(jsonOr<std::string>(entry, "mesh", ""));
        const Json& numbers = jsonArray(entry, "runs");
        for (const Json& number : numbers)
            if (number.is_number_integer() && number >= 0 && number <= 0xFFFFFFFFU)
                read.runs.push_back(number.get<std::uint32_t>());
        if (!hash || read.runs.size() != numbers.size() || numbers.size() % 2 != 0)
            return Wrong{field.key,
                         fmt::format("of '{}' must have the hash of a mesh and pairs of numbers",
                                     read.asset)};
        read.mesh = *hash;
        runs.push_back(std::move(read));
    }
    return {};
}

Json writeRuns(const std::vector<MeshRuns>& runs) {
    if (runs.empty()) return {};
    Json json = Json::array();
    for (const MeshRuns& mesh : runs)
        json.push_back({{"asset", mesh.asset}, {"mesh", toHex(mesh.mesh)}, {"runs", mesh.runs}});
    return json;
}

const Json* findMember(const Json& object, const Field& field, int version) {
    auto found = object.find(field.key);
    if (found == object.end() && version == 1 && *field.text.formerly)
        found = object.find(field.text.formerly);
    return found == object.end() ? nullptr : &*found;
}

}  // namespace detail

FLENTRO_DEFINE_VALUE(Field);

}  // namespace flentro
