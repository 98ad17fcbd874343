#include <fmt/format.h>
#include <Eigen/LU>

#include "findings/rules/rule.h"

namespace flentro {
namespace {

double amount(const Scene&, const Object& object) {
    return object.world.topLeftCorner<3, 3>().determinant() < 0 ? 1 : 0;
}

std::string sentence(std::size_t count, double) {
    return fmt::format("{} mirrored by a negative scale",
                       counted(count, "object is", "objects are"));
}

std::vector<Finding> run(const FindingInput& in) {
    return objectsFinding(in, amount, sentence);
}

}  // namespace

const Rule& mirroredScaleRule() {
    static const Rule rule = {
        .key = "mirrored-scale",
        .name = "Mirrored by a negative scale",
        .why =
            "The facing of all triangles turns over: some engines draw such copies apart from the "
            "others, and some lose their lighting.",
        .measured = "Objects whose transform has a negative determinant.",
        .advice = "Apply the mirroring to the mesh; fix Share finds mirrored copies by itself.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
