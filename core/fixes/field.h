// Fields: what is known of a setting, once, for all who read it: files, schema, forms, help.

#pragma once

#include <optional>
#include <string>
#include <vector>

#include "base/hash.h"
#include "base/json.h"
#include "base/value.h"

namespace flentro {

/// One of the values of a choice.
struct FieldChoice {
    const char* key;    ///< As in files.
    const char* label;  ///< As shown.
};

/// Words of a field and how it is shown; all optional but the label.
struct FieldText {
    const char* label = "";  ///< Empty: in files only.
    const char* help = "";   ///< A sentence.
    const char* unit = "";   ///< Of the stored number: "m", "px", ...; empty: none.
    // The shown number is the stored one times `scale`, in `shownUnit` where that is not empty.
    const char* shownUnit = "";
    double scale = 1;
    int decimals = 0;
    const char* zero = "";      ///< Shown in place of 0.
    const char* prefix = "";    ///< Shown before the number.
    const char* page = "";      ///< Of the form; empty: the first.
    const char* onlyFor = "";   ///< "rule=ratio": used only while that choice is made.
    const char* formerly = "";  ///< Key in files of version 1.
    bool byImage = false;       ///< The names of a table are those of images, not of assets.
};

/// A setting without its type.
struct Field {
    FLENTRO_DECLARE_VALUE(Field);

    enum class Type {
        Number,   ///< A real number from `minimum` to `maximum`.
        Whole,    ///< A whole number likewise.
        Switch,   ///< True or false.
        Choice,   ///< One of `choices`.
        Text,     ///< Any text.
        Numbers,  ///< A list of numbers, each likewise, rising.
        Wholes,   ///< A list of whole numbers, each likewise.
        Names,    ///< A set of names.
        Rows,     ///< A list of objects with the members `columns`.
        ByAsset,  ///< By asset name: objects of `columns`, or values of its one column without key.
        Runs,     ///< Pairs of numbers for the triangles of meshes: made by the program only.
    };
    std::string key;
    Type type = Type::Number;
    FieldText text;
    double minimum = 0, maximum = 0;
    std::vector<FieldChoice> choices;
    std::vector<Field> columns;
    std::string rising;  ///< Column of rows that must rise.
    Json fallback;       ///< Default; null: the member is left out.

    /// Unit of the number as it is shown.
    [[nodiscard]] const char* shownUnit() const {
        return *text.shownUnit ? text.shownUnit : text.unit;
    }
    /// Holds one value of each asset, not an object of values.
    [[nodiscard]] bool isPlainByAsset() const {
        return type == Type::ByAsset && columns.size() == 1 && columns.front().key.empty();
    }
};

/// "a number from 0.05 to 0.9", "one of: grid, near": what a field takes.
[[nodiscard]] std::string allowedValues(const Field& field);

/// JSON Schema (2020-12) of a field's value, or of an object with these members alone.
[[nodiscard]] Json schemaOf(const Field& field);
[[nodiscard]] Json schemaOf(const std::vector<Field>& fields);

/// What is wrong with a value: where, and what it must be.
struct Wrong {
    std::string path;  ///< "overrides.crate.caps"
    std::string what;  ///< "is -1; it must be ..."
};
using Check = std::optional<Wrong>;

/// As a sentence part: "'overrides.crate.caps' is -1; it must be ...".
[[nodiscard]] std::string describe(const Wrong& wrong);

/// Triangles of one mesh by pairs of numbers; see Field::Type::Runs.
struct MeshRuns {
    std::string asset;  ///< For the reader; the mesh is found by its hash.
    Hash mesh;
    std::vector<std::uint32_t> runs;
};

/// Version of the files that hold settings; version 1 is read too.
inline constexpr int kSettingsVersion = 2;

}  // namespace flentro
