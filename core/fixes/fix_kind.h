// Rows of the table of fixes, made from the types of one kind. For the folders of fixes only.

#pragma once

#include "fixes/field_table.h"
#include "fixes/fix.h"

namespace flentro {

/// A row with its types: S the settings, R the report (void: none), a FixReport that
/// nlohmann-json can write and read.
template <typename S>
struct FixRow {
    const char* key;
    const char* name;
    const char* shortName;
    const char* help;
    bool readsEvidence = false;
    FieldTable<S> fields;
    Expected<Fixed> (*apply)(const FixInput&, const S&);
    void (*propose)(S&, const Scene&) = nullptr;
    const char* (*uselessBecause)(const Scene&) = nullptr;
};

namespace detail {

template <typename R>
void addReport(FixKind& kind) {
    kind.writeReport = [](const FixReport& report) { return Json(dynamic_cast<const R&>(report)); };
    kind.readReport = [](const Json& json) { return std::make_shared<const R>(json.get<R>()); };
}

}  // namespace detail

template <typename S, typename R = void>
[[nodiscard]] FixKind makeFixKind(FixRow<S> row) {
    FixKind kind;
    kind.key = row.key;
    kind.name = row.name;
    kind.shortName = row.shortName;
    kind.help = row.help;
    kind.readsEvidence = row.readsEvidence;
    kind.fields = row.fields.fields();
    kind.defaults = [] { return FixSettings(S{}); };
    const auto table = std::make_shared<const FieldTable<S>>(std::move(row.fields));
    kind.toJson = [table](const FixSettings& s) { return table->toJson(*s.as<S>()); };
    kind.read = [table](const Json& json, FixSettings& s, int version) {
        return table->read(json, *s.as<S>(), version);
    };
    kind.get = [table](const FixSettings& s, std::size_t i) { return table->get(i, *s.as<S>()); };
    kind.set = [table](FixSettings& s, std::size_t i, const Json& value) {
        return table->set(i, *s.as<S>(), value);
    };
    kind.apply = [apply = row.apply](const FixInput& input, const FixSettings& s) {
        return apply(input, *s.as<S>());
    };
    if (row.propose)
        kind.propose = [propose = row.propose](FixSettings& s, const Scene& scene) {
            propose(*s.as<S>(), scene);
        };
    kind.uselessBecause = [why = row.uselessBecause](const Scene& scene) {
        return std::string(why ? why(scene) : "");
    };
    if constexpr (!std::is_void_v<R>) detail::addReport<R>(kind);
    return kind;
}

}  // namespace flentro
