#include <fmt/format.h>

#include "base/text.h"
#include "budget/target.h"
#include "verbs.h"

namespace flentro::cli {
namespace {

int runTargets(const std::string& name, const Common& common) {
    std::vector<Target> targets = shippedTargets();
    if (!name.empty()) {
        auto target = findTarget(name);
        if (!target) return complain(target.error());
        targets = {*target};
    }
    std::vector<std::vector<std::string>> table = {{""}};
    for (const Target& target : targets) table[0].push_back(target.name);
    const auto addRow = [&](std::string label, auto&& value) {
        table.push_back({std::move(label)});
        for (const Target& target : targets) table.back().push_back(value(target));
    };
    addRow("Display", [](const Target& t) { return fmt::format("{}x{}", t.width, t.height); });
    addRow("Eyes", [](const Target& t) { return std::to_string(t.eyes); });
    addRow("Frame rate", [](const Target& t) { return fmt::format("{:.0f} Hz", t.frameRate); });
    addRow("Field of view",
           [](const Target& t) { return fmt::format("{:.0f} deg", t.verticalFov); });
    for (const Measure measure : kMeasures)
        addRow(measureName(measure),
               [&](const Target& t) { return formatMeasure(measure, at(t.limits, measure)); });
    if (!common.quiet && common.json != "-") say("{}", formatTable(table));
    if (common.json.empty()) return kWithin;
    Json json = Json::array();
    for (const Target& target : targets) json.push_back(toJson(target));
    auto written = writeJson(targets.size() == 1 ? json[0] : json, common.json);
    return written ? kWithin : complain(written.error());
}

}  // namespace

void addTargets(Program& program, Common& common) {
    auto name = std::make_shared<std::string>();
    Arguments verb =
        addVerb(program, common, "targets", "The device classes that ship with Flentro",
                "  flentro-cli targets\n"
                "  flentro-cli targets \"Kiosk 60\" --json ours.target.json\n");
    verb.option("target", *name, "Only this one");
    common.files.reads("the target", *name);
    runs(verb, common, [=, &common] { return runTargets(*name, common); });
}

}  // namespace flentro::cli
