#include <fmt/format.h>

#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr double kMaxRatio = 1.05;
constexpr std::size_t kMinTriangles = 50;  ///< Fewer: a block that a level is built of.

double amount(const Scene& scene, const Object& object) {
    if (scene.mesh(object).triangles < kMinTriangles) return 0;
    const auto axes = object.world.topLeftCorner<3, 3>().colwise().norm().eval();
    const double least = axes.minCoeff();
    const double ratio = least > 0 ? axes.maxCoeff() / least : 0;
    return ratio > kMaxRatio ? ratio : 0;
}

std::string sentence(std::size_t count, double most) {
    return fmt::format("{} stretched unevenly, by up to {:.1f}",
                       counted(count, "object is", "objects are"), most);
}

std::vector<Finding> run(const FindingInput& in) {
    return objectsFinding(in, amount, sentence);
}

}  // namespace

const Rule& unevenScaleRule() {
    static const Rule rule = {
        .key = "uneven-scale",
        .name = "Stretched unevenly",
        .why =
            "Normals and textures are stretched with the object, and engines that batch equal "
            "scales draw it apart.",
        .measured =
            "Objects whose longest axis is scaled more than 1.05 times the shortest; plain blocks "
            "of fewer than 50 triangles, which levels are built of, are left out.",
        .advice = "Apply the scale to the mesh.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
