#include "fixes/fixes_guide.h"

#include <fmt/format.h>

namespace flentro {
namespace {

constexpr std::size_t kMaxFallback = 24;  ///< Characters of a default that fit a table.

/// A default; tables and lists that are not empty are too long for a line.
std::string fallbackText(const Field& field) {
    if (field.fallback.is_null()) return "";
    const std::string text = field.fallback.dump();
    return text.size() > kMaxFallback ? "..." : text;
}

void addRows(const std::vector<Field>& fields, const std::string& prefix,
             std::vector<FieldRow>& rows) {
    for (const Field& field : fields) {
        const std::string key = prefix + field.key;
        const bool isPlain = field.isPlainByAsset();
        const Field& value = isPlain ? field.columns.front() : field;
        rows.push_back({key, value.text.unit, fallbackText(field),
                        (!isPlain             ? ""
                         : field.text.byImage ? "by image name: "
                                              : "by asset name: ") +
                            allowedValues(value),
                        field.text.help});
        if (!field.columns.empty() && !isPlain) addRows(field.columns, key + ".*.", rows);
    }
}

}  // namespace

std::vector<FieldRow> fieldRows(const std::vector<Field>& fields) {
    std::vector<FieldRow> rows;
    addRows(fields, "", rows);
    return rows;
}

std::string fixesGuide() {
    std::string text =
        "# Fixes\n\nMade from the program's table of fixes (`flentro-cli fixes --markdown`), in "
        "the order in which they do most.\nIn a work order each is an entry `{\"fix\": key, "
        "\"on\": true, \"settings\": {...}}`; settings that are left out\nhave their default.\n";
    for (const FixKind* kind : fixKinds()) {
        text += fmt::format("\n## {} (`{}`)\n\n{}\n\n", kind->name, kind->key, kind->help);
        text += "| setting | unit | default | values | |\n|---|---|---|---|---|\n";
        for (const FieldRow& row : fieldRows(kind->fields))
            text += fmt::format("| `{}` | {} | {} | {} | {} |\n", row.key, row.unit, row.fallback,
                                row.values, row.help);
    }
    return text;
}

}  // namespace flentro
