#include <fmt/format.h>

#include "fixes/fixes_guide.h"
#include "fixes/work_order.h"
#include "verbs.h"

namespace flentro::cli {
namespace {

struct Options {
    std::string name;
    bool schema = false;
    bool markdown = false;
};

void print(const FixKind& kind) {
    say("{} ({})\n  {}\n\n", kind.key, kind.name, kind.help);
    for (const FieldRow& row : fieldRows(kind.fields))
        say("  {:<26} {:<10} {:<12} {}\n", row.key, row.unit, row.fallback, row.values);
}

/// Without a name a line for each fix.
int runFixes(const Options& options, const Common& common) {
    if (options.schema) say("{}\n", workOrderSchema().dump(2));
    if (options.markdown) say("{}", fixesGuide());
    if (options.schema || options.markdown) return kWithin;
    const FixKind* chosen = options.name.empty() ? nullptr : findFixKind(options.name);
    if (!options.name.empty() && !chosen)
        return complain(parseSettings(options.name, Json(), kSettingsVersion).error());
    if (!common.quiet && common.json != "-") {
        if (chosen) print(*chosen);
        for (const FixKind* kind : fixKinds())
            if (!chosen) say("{:<10} {}\n", kind->key, kind->help);
    }
    if (common.json.empty()) return kWithin;
    Json json = Json::object();
    for (const FixKind* kind : fixKinds())
        if (!chosen || kind == chosen)
            json[kind->key] = {{"name", kind->name},
                               {"help", kind->help},
                               {"settings", schemaOf(kind->fields)["properties"]}};
    auto written = writeJson(json, common.json);
    return written ? kWithin : complain(written.error());
}

}  // namespace

void addFixes(Program& program, Common& common) {
    auto options = std::make_shared<Options>();
    Arguments verb = addVerb(program, common, "fixes", "All fixes, or one with its settings",
                             "  flentro-cli fixes\n"
                             "  flentro-cli fixes ladder\n"
                             "  flentro-cli fixes --schema > work-order.schema.json\n");
    verb.option("fix", options->name, "Only this one, with its settings");
    verb.flag("--schema", options->schema, "Print the JSON Schema of work orders");
    verb.flag("--markdown", options->markdown, "Print all fixes as a page of the manual");
    runs(verb, common, [=, &common] { return runFixes(*options, common); });
}

}  // namespace flentro::cli
