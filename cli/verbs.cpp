#include "verbs.h"

#include <fmt/format.h>

#include "io/open.h"

namespace flentro::cli {

CLI::App* addVerb(CLI::App& app, Common& common, const char* name, const char* what,
                  const char* examples) {
    CLI::App* verb = app.add_subcommand(name, what);
    verb->add_flag("--quiet", common.quiet, "Print errors only");
    verb->add_option("--json", common.json, "Write the result as JSON ('-': standard output)")
        ->type_name("FILE");
    verb->footer(std::string("\nExamples:\n") + examples);
    return verb;
}

Expected<Scene> openForVerb(const std::string& file, const Common& common, Progress& progress) {
    auto scene = openScene(file, {}, progress);
    if (scene && !common.quiet)
        for (const Note& note : scene->notes)
            fmt::print(stderr, "note: {}: {}\n", note.where, note.what);
    return scene;
}

}  // namespace flentro::cli
