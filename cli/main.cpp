// flentro-cli: the command-line face of Flentro.

#include "base/guarded.h"
#include "verbs.h"

int main(int argc, char** argv) {
    using namespace flentro::cli;
    CLI::App app{"Brings heavy 3D scenes within a platform's frame budget."};
    app.require_subcommand(1);
    app.set_version_flag("--version", "flentro-cli " FLENTRO_VERSION);
    Common common;
    Run run;
    addInventory(app, common, run);
    addAudit(app, common, run);
    addSurvey(app, common, run);
    addCalibrate(app, common, run);
    addReduce(app, common, run);
    addFix(app, common, run);
    addFixes(app, common, run);
    addFindings(app, common, run);
    addTargets(app, common, run);
    catchSignals();
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        return app.exit(error) == 0 ? kWithin : kBadInput;
    }
    const auto status = flentro::guarded([&]() -> flentro::Expected<int> { return run(); });
    return status ? *status : complain(status.error());
}
