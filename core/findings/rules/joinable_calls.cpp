#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <tuple>

#include "base/index.h"
#include "findings/rules/rule.h"
#include "fixes/merge/merge.h"
#include "fixes/share/share.h"
#include "measure/batches.h"

namespace flentro {
namespace {

constexpr double kCell = 64;      ///< Metres.
constexpr double kWorth = 0.05;   ///< Of the limit for draw calls or objects.
constexpr double kMinSaved = 16;  ///< Draw calls or objects.

/// Static objects in the worst view: draw calls and objects now, and after joining them by cell and
/// material.
struct Joined {
    double calls = 0, objects = 0;
    double callsLeft = 0, objectsLeft = 0;
};

Joined joinedOf(const FindingInput& in, const CountedView& view) {
    const std::vector<int> materials = firstEqualMaterials(in.scene, in.equalImages);
    const std::vector<double> calls = sharedCalls(in.scene, view.drawn, in.batches);
    std::set<std::pair<int, int>> cells;
    std::set<std::tuple<int, int, int>> groups;
    Joined joined;
    for (std::size_t d = 0; d < view.drawn.size(); ++d) {
        const DrawnObject& drawn = view.drawn[d];
        const Object& object = in.scene.objects[drawn.object];
        if (object.bounds.isEmpty() || elementOf(in.index.isMoving, object.node) ||
            elementOf(in.scene.nodes, object.node).skin >= 0)
            continue;
        const Vec3d middle = object.bounds.center();
        const int x = static_cast<int>(std::floor(middle.x() / kCell));
        const int z = static_cast<int>(std::floor(middle.z() / kCell));
        const Mesh& mesh = *in.scene.asset(object).level(drawn.level);
        joined.objects += 1;
        joined.calls += calls[d];
        cells.emplace(x, z);
        for (const Part& part : mesh.parts)
            groups.emplace(x, z, part.material < 0 ? -1 : elementOf(materials, part.material));
    }
    joined.callsLeft = static_cast<double>(groups.size());
    joined.objectsLeft = static_cast<double>(cells.size());
    return joined;
}

std::vector<Finding> run(const FindingInput& in) {
    const CountedView& view = in.views.worst(Measure::DrawCalls);
    const Joined joined = joinedOf(in, view);
    Finding finding;
    at(finding.relief.worst, Measure::DrawCalls) = std::max(0.0, joined.calls - joined.callsLeft);
    at(finding.relief.worst, Measure::Objects) = std::max(0.0, joined.objects - joined.objectsLeft);
    const double saved = std::max(at(finding.relief.worst, Measure::DrawCalls),
                                  at(finding.relief.worst, Measure::Objects));
    if (saved < kMinSaved ||
        !isWorth(in, finding.relief, {Measure::DrawCalls, Measure::Objects}, kWorth))
        return {};
    finding.subjects = {{Subject::Kind::Scene, 0, in.scene.name}};
    finding.sentence =
        fmt::format("{} of {} that stay where they are, with {} in {} of {:.0f} m",
                    counted(static_cast<std::size_t>(std::lround(joined.calls)), "draw call"),
                    counted(static_cast<std::size_t>(joined.objects), "object"),
                    counted(static_cast<std::size_t>(joined.callsLeft), "material"),
                    counted(static_cast<std::size_t>(joined.objectsLeft), "cell"), kCell);
    finding.evidence = {{"draw calls", std::round(joined.calls)},
                        {"materials by cell", joined.callsLeft},
                        {"objects", joined.objects}};
    finding.where = {view.view};
    finding.preparations = {proposedFix(in, "share")};
    finding.fix = proposedFix(in, "merge");
    FixSettings byMaterial = proposedFix(in, "merge");
    byMaterial.as<MergeSettings>()->grouping = MergeSettings::Grouping::Material;
    finding.alternatives = {std::move(byMaterial)};
    if (in.target.batching == Batching::Node)
        finding.alternatives.push_back(proposedFix(in, "instances"));
    return {std::move(finding)};
}

}  // namespace

const Rule& joinableCallsRule() {
    static const Rule rule = {
        .key = "joinable-calls",
        .name = "Calls that can be joined",
        .why =
            "Objects that stay where they are and show equal materials are drawn one by one, "
            "though one call could draw many.",
        .measured =
            "Draw calls and objects of any size in the view with most calls, against the distinct "
            "materials in cells of 64 m, where materials that differ only in name are one: "
            "reported from 16 and 5 % of a limit on, if fixes Share and Merge (or Instances) "
            "together save something.",
        .advice =
            "Fixes Share and Merge, in this order; by material where cells show the same "
            "ones.",
        .needsRelief = true,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
