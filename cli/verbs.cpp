#include "verbs.h"

#include <fmt/format.h>

#include <charconv>

#include "io/file.h"
#include "io/open.h"

namespace flentro::cli {

CLI::App* addVerb(CLI::App& app, Common& common, const char* name, const char* what,
                  const char* examples) {
    CLI::App* verb = app.add_subcommand(name, what);
    verb->add_flag("--quiet", common.quiet, "Print errors only");
    verb->add_option("--json", common.json, "Write the result as JSON ('-': standard output)")
        ->type_name("FILE");
    verb->add_option("--memory", common.memory,
                     "MiB that a scene may take; half of the machine's if not given")
        ->check(between(1, 1e9))
        ->type_name("MIB");
    verb->footer(std::string("\nExamples:\n") + examples);
    return verb;
}

CLI::Validator between(double low, double high) {
    const auto check = [low, high](const std::string& text) -> std::string {
        double number = 0;
        const char* end = text.data() + text.size();
        const auto [at, error] = std::from_chars(text.data(), end, number);
        if (error == std::errc() && at == end && number >= low && number <= high) return {};
        return fmt::format("'{}' is not a number from {:g} to {:g}", text, low, high);
    };
    return {check, fmt::format("[{:g} to {:g}]", low, high)};
}

CLI::Validator finite() {
    return between(-1e9, 1e9);
}

Expected<void> checkOutputs(const std::vector<std::string>& files) {
    for (const std::string& file : files) {
        if (file.empty() || file == "-") continue;
        if (auto writable = checkWritable(file); !writable) return writable;
    }
    return {};
}

Expected<Scene> openForVerb(const std::string& file, const Common& common, Progress& progress) {
    OpenOptions options;
    options.memory = static_cast<std::size_t>(common.memory * 1024 * 1024);
    auto scene = openScene(file, options, progress);
    if (scene && !common.quiet)
        for (const Note& note : scene->notes) warn("note: {}: {}\n", note.where, note.what);
    return scene;
}

}  // namespace flentro::cli
