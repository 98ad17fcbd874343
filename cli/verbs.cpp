#include "verbs.h"

#include <fmt/format.h>

#include "io/file.h"
#include "io/open.h"

namespace flentro::cli {

Arguments addVerb(Program& program, Common& common, const char* name, const char* what,
                  const char* examples) {
    Arguments verb = program.verb(name, what, examples);
    verb.flag("--quiet", common.quiet, "Print errors only");
    verb.option("--json", common.json, "Write the result as JSON ('-': standard output)")
        .as("FILE");
    common.files.writes("--json", common.json);
    verb.option("--memory", common.memory,
                "MiB that a scene may take; half of the machine's if not given")
        .between(1, 1e9)
        .as("MIB");
    return verb;
}

namespace {

std::optional<ShadowLights> shadowLightsOf(const std::vector<std::string>& names) {
    ShadowLights lights;
    if (names == std::vector<std::string>{"all"})
        lights.all = true;
    else if (names != std::vector<std::string>{"none"})
        lights.names = {names.begin(), names.end()};
    return lights;
}

}  // namespace

void addScene(Arguments& verb, Common& common, std::string& scene) {
    verb.option("scene", scene, "The scene").required();
    common.files.reads("the scene", scene);
    ImportSettings& import = common.import;
    std::vector<std::string> units;
    for (const LengthUnit& unit : lengthUnits()) units.emplace_back(unit.key);
    verb.option("--unit", import.unit,
                "Unit of the scene's file; as it says, or guessed, if not given")
        .oneOf(units);
    const auto takeAxis = [&import](const std::vector<std::string>& axis) {
        import.up = axis.front().front();
    };
    verb.option("--up", takeAxis, "Axis that points up in the scene's file, likewise")
        .list(1)
        .oneOf({"Y", "Z"}, true);
    verb.option("--crease", import.creaseAngle,
                "Degrees up to which faces without normals look smooth")
        .between(0, 180)
        .showsDefault();
    const auto takeLights = [&import](const std::vector<std::string>& names) {
        import.shadowLights = shadowLightsOf(names);
    };
    verb.option("--shadow-lights", takeLights,
                "Lights that cast shadows: all, none, or their names; as the file says if not "
                "given")
        .list()
        .onceEach()
        .as("NAME");
    verb.option("--variant", import.variant, "Materials of this variant of the scene").as("NAME");
}

void runs(Arguments& verb, const Common& common, std::function<int()> run) {
    verb.runs([&common, run = std::move(run)] {
        const auto sound = common.files.check();
        return sound ? run() : complain(sound.error());
    });
}

Expected<Scene> openForVerb(const std::string& file, const Common& common, Progress& progress) {
    OpenOptions options;
    options.memory = static_cast<std::size_t>(common.memory * 1024 * 1024);
    options.settings = common.import;
    auto scene = openScene(file, options, progress);
    if (!scene) return scene;
    if (auto apart = common.files.checkSources(scene->files); !apart)
        return tl::unexpected(apart.error());
    if (!common.quiet)
        for (const Note& note : scene->notes) warn("note: {}: {}\n", note.where, note.what);
    return scene;
}

}  // namespace flentro::cli
