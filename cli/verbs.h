// The verbs of the command line; each adds its options to the parser and runs when chosen.

#pragma once

#include "arguments.h"
#include "console.h"
#include "io/import_settings.h"
#include "named_files.h"
#include "scene/scene.h"

namespace flentro::cli {

/// Options that every verb has.
struct Common {
    bool quiet = false;
    std::string json;   ///< File for machine-readable output, "-" for standard output.
    double memory = 0;  ///< MiB that a scene may take; 0: half of the machine's.
    ImportSettings import;
    NamedFiles files;  ///< Of all verbs.
};

void addInventory(Program& program, Common& common);
void addAudit(Program& program, Common& common);
void addSurvey(Program& program, Common& common);
void addCalibrate(Program& program, Common& common);
void addReduce(Program& program, Common& common);
void addFix(Program& program, Common& common);
void addFixes(Program& program, Common& common);
void addFindings(Program& program, Common& common);
void addTargets(Program& program, Common& common);

/// A verb with --quiet, --json and --memory.
Arguments addVerb(Program& program, Common& common, const char* name, const char* what,
                  const char* examples);

/// The scene that a verb opens, with --unit, --up, --crease, --shadow-lights and --variant.
void addScene(Arguments& verb, Common& common, std::string& scene);

/// Sets what a verb does. NamedFiles::check() runs first; its error ends the verb.
void runs(Arguments& verb, const Common& common, std::function<int()> run);

/// Opens a scene and prints its notes on standard error unless quiet.
[[nodiscard]] Expected<Scene> openForVerb(const std::string& file, const Common& common,
                                          Progress& progress);

}  // namespace flentro::cli
