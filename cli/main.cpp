// flentro-cli: the command-line face of Flentro.

#include "io/open.h"
#include "verbs.h"

int main(int argc, char** argv) {
    using namespace flentro::cli;
    keepStreams();
    Program program("Brings heavy 3D scenes within a platform's frame budget.",
                    "flentro-cli " FLENTRO_VERSION,
                    [] { return "import: " + flentro::describeImporter(); });
    Common common;
    addInventory(program, common);
    addAudit(program, common);
    addSurvey(program, common);
    addCalibrate(program, common);
    addReduce(program, common);
    addFix(program, common);
    addFixes(program, common);
    addFindings(program, common);
    addTargets(program, common);
    catchSignals();
    const auto status = program.run(argc, argv);
    return finishOutput(status ? *status : complain(status.error()));
}
