// The fixes and their settings in words, for the command line and the manual.

#pragma once

#include "fixes/fix.h"

namespace flentro {

/// A setting as a line of a table; members of tables follow it as "overrides.*.skip".
struct FieldRow {
    std::string key, unit, fallback, values, help;
};
[[nodiscard]] std::vector<FieldRow> fieldRows(const std::vector<Field>& fields);

/// All fixes with their settings, as Markdown: docs/fixes.md.
[[nodiscard]] std::string fixesGuide();

}  // namespace flentro
