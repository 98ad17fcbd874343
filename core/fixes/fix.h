// Fixes: named, ordered, non-destructive changes to a scene.
//
// Each kind of fix has a folder of its own here: settings with their fields, the function, its
// report, and one row of the table in registry.cpp that leads to all of it.

#pragma once

#include <any>
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "base/value.h"
#include "budget/target.h"
#include "fixes/account.h"
#include "fixes/field.h"
#include "scene/scene.h"

namespace flentro {

struct FixKind;

/// Settings of a fix of any kind: a value. The settings of a kind are a struct with a static
/// function kind() that gives its row.
class FixSettings {
public:
    template <typename S>
    requires requires { S::kind(); }
    FixSettings(S settings) : kind_(&S::kind()), value_(std::move(settings)) {}

    [[nodiscard]] const FixKind& kind() const { return *kind_; }
    /// Null where they are of another kind.
    template <typename S>
    [[nodiscard]] const S* as() const {
        return std::any_cast<S>(&value_);
    }
    template <typename S>
    [[nodiscard]] S* as() {
        return std::any_cast<S>(&value_);
    }

private:
    const FixKind* kind_;
    std::any value_;
};

/// One entry of a work order.
struct Fix {
    int id = 0;  ///< Unique in its work order.
    bool on = true;
    FixSettings settings;
};

/// What one part of a fix takes from one asset, or from all.
struct Saving {
    std::string what;
    std::size_t triangles = 0;  ///< Of the mesh.
    std::size_t placed = 0;     ///< The same times the copies.
    std::size_t vertices = 0;
};

/// What only one kind of fix tells of its work.
struct FixReport {
    FixReport() = default;
    FixReport(const FixReport&) = default;
    FixReport& operator=(const FixReport&) = default;
    virtual ~FixReport() = default;
    /// Members for the command line's report of the step; `source` names the objects.
    [[nodiscard]] virtual Json describe(const Scene& source) const;
};

/// What a fix did, for its card and the report.
struct FixRecord {
    FLENTRO_DECLARE_VALUE(FixRecord);

    std::string summary;        ///< One sentence with numbers.
    SceneTotals before, after;  ///< Filled in by evaluate(), as `kind`.
    const FixKind* kind = nullptr;
    std::vector<Saving> assets;               ///< Those that lost triangles, most as placed first.
    std::vector<std::string> notes;           ///< What was left alone, and why.
    std::shared_ptr<const FixReport> report;  ///< Of the fix's own type; null: it has none.

    /// The report of one kind of fix; null where there is none.
    template <typename R>
    [[nodiscard]] const R* reportAs() const {
        return dynamic_cast<const R*>(report.get());
    }
};

struct Fixed {
    Scene scene;
    FixRecord record;
};

/// What fixes may read besides their settings.
struct FixInput {
    const Scene& scene;
    const Target& target;
    const Evidence& evidence;
    Progress& progress;
};

/// All that is known of a kind of fix without its type.
struct FixKind {
    std::string key;             ///< As in files and on the command line: "ladder".
    std::string name;            ///< "Culling distance"
    std::string shortName;       ///< One word: "Culling".
    std::string help;            ///< One or two sentences on what it does.
    bool readsEvidence = false;  ///< Its result depends on the survey.
    std::vector<Field> fields;   ///< Of its settings, in the order in which they are shown.
    FixSettings (*defaults)() = nullptr;

    std::function<Json(const FixSettings&)> toJson;
    std::function<Check(const Json&, FixSettings&, int version)> read;
    std::function<Json(const FixSettings&, std::size_t field)> get;
    std::function<Check(FixSettings&, std::size_t field, const Json&)> set;
    /// A pure function from scene to scene. Errors: Cancelled.
    std::function<Expected<Fixed>(const FixInput&, const FixSettings&)> apply;
    /// Fits default settings to a scene; may be null.
    std::function<void(FixSettings&, const Scene&)> propose;
    /// Why the fix can be seen to do nothing in a scene: "there are no lights"; "" else.
    std::function<std::string(const Scene&)> uselessBecause;
    // Reports in the files of evaluated orders; null for fixes without a report.
    std::function<Json(const FixReport&)> writeReport;
    std::function<std::shared_ptr<const FixReport>(const Json&)> readReport;

    /// Place of a field among `fields`; asserts that there is one.
    [[nodiscard]] std::size_t fieldIndex(std::string_view key) const;
};

/// All kinds, in the order in which they do most: those that others build on come first.
[[nodiscard]] const std::vector<const FixKind*>& fixKinds();
/// Null where there is none.
[[nodiscard]] const FixKind* findFixKind(std::string_view key);

/// Names of the assets that the settings speak of.
[[nodiscard]] std::vector<std::string> assetsNamedIn(const FixSettings& settings);

/// Default settings, fitted to a scene that the fix is to be added to.
[[nodiscard]] FixSettings proposeSettings(const FixKind& kind, const Scene& scene);

[[nodiscard]] Json toJson(const FixSettings& settings);

/// Settings of the kind with this key, as a file of this version has them. Errors: InvalidInput
/// naming the member that is wrong or unknown, and what it must be.
[[nodiscard]] Expected<FixSettings> parseSettings(const std::string& key, const Json& json,
                                                  int version);

/// Bounds' diagonal in metres: the size that fixes go by.
[[nodiscard]] double sizeOf(const Object& object);

}  // namespace flentro
