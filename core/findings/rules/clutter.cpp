#include <fmt/format.h>
#include <cmath>
#include <map>

#include "base/index.h"
#include "findings/rules/rule.h"
#include "measure/batches.h"

namespace flentro {
namespace {

constexpr double kMaxSize = 3;  ///< Metres.
constexpr double kCell = 16;    ///< Metres.
constexpr std::size_t kMinObjects = 8;
constexpr double kWorth = 0.05;

struct Cell {
    std::vector<std::uint32_t> objects;
    std::set<int> materials;
    double calls = 0;
};

std::vector<Finding> run(const FindingInput& in) {
    const CountedView& view = in.views.worst(Measure::DrawCalls);
    std::map<std::pair<int, int>, Cell> cells;
    const std::vector<double> calls = sharedCalls(in.scene, view.drawn, in.batches);
    for (std::size_t d = 0; d < view.drawn.size(); ++d) {
        const DrawnObject& drawn = view.drawn[d];
        const Object& object = in.scene.objects[drawn.object];
        if (object.bounds.isEmpty() || sizeOf(object) > kMaxSize ||
            elementOf(in.index.isMoving, object.node) ||
            elementOf(in.scene.nodes, object.node).skin >= 0)
            continue;
        const Vec3d middle = object.bounds.center();
        Cell& cell = cells[{static_cast<int>(std::floor(middle.x() / kCell)),
                            static_cast<int>(std::floor(middle.z() / kCell))}];
        cell.objects.push_back(drawn.object);
        const Mesh& mesh = *in.scene.asset(object).level(drawn.level);
        for (const Part& part : mesh.parts) cell.materials.insert(part.material);
        cell.calls += calls[d];
    }
    Finding finding;
    double saved = 0;
    for (const auto& [key, cell] : cells) {
        const double less = cell.calls - static_cast<double>(cell.materials.size());
        if (cell.objects.size() < kMinObjects || less <= 0) continue;
        saved += less;
        for (const std::uint32_t object : cell.objects)
            finding.subjects.push_back(objectSubject(in.scene, object));
    }
    const double whole = wholeOf(in, Measure::DrawCalls);
    if (finding.subjects.empty() || saved < kWorth * whole) return {};
    finding.sentence = fmt::format("{} stand close together: about {:.0f} draw calls less as one",
                                   counted(finding.subjects.size(), "small object"), saved);
    finding.evidence = {{"objects", static_cast<double>(finding.subjects.size())},
                        {"draw calls", saved, Quantity::Unit::Count, kWorth * whole}};
    at(finding.relief.worst, Measure::DrawCalls) = saved;
    finding.where = {view.view};
    finding.fix = proposedFix(in, "merge");
    return {std::move(finding)};
}

}  // namespace

const Rule& clutterRule() {
    static const Rule rule = {
        .key = "clutter",
        .name = "Many small things together",
        .why = "Each costs a draw call for each material, though they could be one.",
        .measured =
            "Draw calls of static objects under 3 m in cells of 16 m of the worst view, against "
            "the distinct materials there: told from 5 % of the limit for draw calls on, for cells "
            "of 8 objects or more.",
        .advice = "Fix Merge.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
