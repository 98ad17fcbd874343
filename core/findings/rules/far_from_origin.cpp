#include <fmt/format.h>

#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr double kFarthest = 8192;  ///< Metres: steps of 2^-10 m.

double amount(const Scene&, const Object& object) {
    if (object.bounds.isEmpty() || object.bounds.contains(Vec3d::Zero())) return 0;
    const double away = object.bounds.center().cwiseAbs().maxCoeff();
    return away > kFarthest ? away : 0;
}

std::string sentence(std::size_t count, double most) {
    return fmt::format("{} up to {} from the origin", counted(count, "object is", "objects are"),
                       formatMetres(most));
}

std::vector<Finding> run(const FindingInput& in) {
    return objectsFinding(in, amount, sentence);
}

}  // namespace

const Rule& farFromOriginRule() {
    static const Rule rule = {
        .key = "far-from-origin",
        .name = "Far from the origin",
        .why =
            "Positions are stored in 24 bits: 8 km away they move in steps of a millimetre, and "
            "things tremble.",
        .measured =
            "Objects whose middle is more than 8,192 m from the origin; skies that enclose it are "
            "left out.",
        .advice = "Move the scene to its origin.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
