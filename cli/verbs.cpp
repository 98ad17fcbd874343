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

void addImportOptions(CLI::App& verb, Common& common) {
    std::vector<std::string> units;
    for (const LengthUnit& unit : lengthUnits()) units.emplace_back(unit.key);
    verb.add_option("--unit", common.import.unit,
                    "Unit of the scene's file; as it says, or guessed, if not given")
        ->check(CLI::IsMember(units));
    verb.add_option_function<std::string>(
            "--up", [&common](const std::string& axis) { common.import.up = axis.front(); },
            "Axis that points up in the scene's file, likewise")
        ->check(CLI::IsMember({"Y", "Z"}, CLI::ignore_case));
    verb.add_option("--crease", common.import.creaseAngle,
                    "Degrees up to which faces without normals look smooth")
        ->check(between(0, 180))
        ->capture_default_str();
    verb.add_option_function<std::vector<std::string>>(
            "--shadow-lights",
            [&common](const std::vector<std::string>& names) {
                common.import.shadowLights = ShadowLights{};
                if (names == std::vector<std::string>{"all"})
                    common.import.shadowLights->all = true;
                else if (names != std::vector<std::string>{"none"})
                    common.import.shadowLights->names = {names.begin(), names.end()};
            },
            "Lights that cast shadows: all, none, or their names; as the file says if not given")
        ->delimiter(',')
        ->allow_extra_args(false)
        ->type_name("NAME");
    verb.add_option("--variant", common.import.variant, "Materials of this variant of the scene")
        ->type_name("NAME");
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
    options.settings = common.import;
    auto scene = openScene(file, options, progress);
    if (scene && !common.quiet)
        for (const Note& note : scene->notes) warn("note: {}: {}\n", note.where, note.what);
    return scene;
}

}  // namespace flentro::cli
