#include <fmt/format.h>

#include "findings/finding.h"
#include "verbs.h"

namespace flentro::cli {
namespace {

/// Without a name a line for each rule.
int runFindings(const std::string& name, bool markdown, const Common& common) {
    if (markdown) {
        say("{}", findingsGuide());
        return kWithin;
    }
    const Rule* chosen = name.empty() ? nullptr : findRule(name);
    if (!name.empty() && !chosen)
        return complain({ErrorCode::InvalidInput, "there is no rule called '" + name + "'", "",
                         "'flentro-cli findings' lists them"});
    Json json = Json::object();
    for (const Rule* rule : findingRules()) {
        if (chosen && rule != chosen) continue;
        json[rule->key] = {{"name", rule->name},
                           {"why", rule->why},
                           {"measured", rule->measured},
                           {"advice", rule->advice},
                           {"needsSurvey", rule->needsSurvey}};
        if (common.quiet || common.json == "-") continue;
        if (chosen)
            say("{} ({})\n  {}\n  Measured: {}\n  What serves: {}\n", rule->key, rule->name,
                rule->why, rule->measured, rule->advice);
        else
            say("{:<28} {}\n", rule->key, rule->name);
    }
    if (common.json.empty()) return kWithin;
    auto written = writeJson(json, common.json);
    return written ? kWithin : complain(written.error());
}

}  // namespace

void addFindings(Program& program, Common& common) {
    auto name = std::make_shared<std::string>();
    auto markdown = std::make_shared<bool>(false);
    Arguments verb =
        addVerb(program, common, "findings", "All rules that an audit goes by, or one in full",
                "  flentro-cli findings\n"
                "  flentro-cli findings light-range-too-long\n");
    verb.option("rule", *name, "Only this one, in full");
    verb.flag("--markdown", *markdown, "Print all rules as a page of the manual");
    runs(verb, common, [=, &common] { return runFindings(*name, *markdown, common); });
}

}  // namespace flentro::cli
