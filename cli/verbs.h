// The verbs of the command line; each adds its options to the parser and runs when chosen.

#pragma once

#include <CLI/CLI.hpp>
#include <functional>

#include "console.h"
#include "io/import_settings.h"
#include "scene/scene.h"

namespace flentro::cli {

/// Options that every verb has.
struct Common {
    bool quiet = false;
    std::string json;   ///< File for machine-readable output, "-" for standard output.
    double memory = 0;  ///< MiB that a scene may take; 0: half of the machine's.
    ImportSettings import;
};

/// A check for numbers from `low` to `high`; unlike that of the library it takes no NaN.
[[nodiscard]] CLI::Validator between(double low, double high);
/// Any coordinate in metres or angle in degrees that is a number.
[[nodiscard]] CLI::Validator finite();

/// Set by the verb that was chosen; returns the exit status.
using Run = std::function<int()>;

void addInventory(CLI::App& app, Common& common, Run& run);
void addAudit(CLI::App& app, Common& common, Run& run);
void addSurvey(CLI::App& app, Common& common, Run& run);
void addCalibrate(CLI::App& app, Common& common, Run& run);
void addReduce(CLI::App& app, Common& common, Run& run);
void addFix(CLI::App& app, Common& common, Run& run);
void addFixes(CLI::App& app, Common& common, Run& run);
void addFindings(CLI::App& app, Common& common, Run& run);
void addTargets(CLI::App& app, Common& common, Run& run);

/// A verb with --quiet and --json. `examples` go under its help.
CLI::App* addVerb(CLI::App& app, Common& common, const char* name, const char* what,
                  const char* examples);

/// --unit, --up, --crease and --variant, for verbs that open a scene.
void addImportOptions(CLI::App& verb, Common& common);

/// Tries the files that a verb will write, before its work. Empty names and "-" are passed over.
[[nodiscard]] Expected<void> checkOutputs(const std::vector<std::string>& files);

/// Opens a scene and prints its notes on standard error unless quiet.
[[nodiscard]] Expected<Scene> openForVerb(const std::string& file, const Common& common,
                                          Progress& progress);

}  // namespace flentro::cli
