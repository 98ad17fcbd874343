#include <fmt/format.h>

#include "findings/rules/rule.h"
#include "fixes/tidy/tidy.h"
#include "fixes/tidy/unseen.h"
#include "survey/analysis.h"

namespace flentro {
namespace {

constexpr double kMinShare = 0.1;
constexpr double kMinCount = 200;

/// [assets] Removable triangles; 0 for assets that no spot saw at all.
std::vector<double> removableOf(const FindingInput& in) {
    const std::vector<bool> removable = removableTriangles(in.scene, *in.survey);
    std::vector<double> counts(in.scene.assets.size(), 0);
    std::size_t t = 0;
    for (std::size_t a = 0; a < counts.size(); ++a) {
        for (std::size_t i = 0; i < in.scene.assets[a].mesh->triangles; ++i, ++t)
            counts[a] += removable[t];
        bool isSeen = false;
        for (const std::uint32_t object : in.index.objectsOf[a])
            isSeen = isSeen || in.survey->seen.objects[object].spots > 0;
        if (!isSeen) counts[a] = 0;
    }
    return counts;
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    const std::vector<double> removable = removableOf(in);
    const std::vector<MeshRuns> unseen = takeUnseen(in.scene, *in.survey);
    for (std::size_t a = 0; a < removable.size(); ++a) {
        const Mesh& mesh = *in.scene.assets[a].mesh;
        const double count = removable[a];
        if (count < kMinCount || count < kMinShare * static_cast<double>(mesh.triangles)) continue;
        Finding finding =
            vainTriangles(in, a, count,
                          fmt::format("no spot sees {} of {} triangles", formatCount(count),
                                      formatCount(static_cast<double>(mesh.triangles))),
                          {{"never seen", count, Quantity::Unit::Count, kMinCount},
                           {"spots", static_cast<double>(in.survey->doneCount())}});
        FixSettings fix = proposedFix(in, "tidy");
        for (const MeshRuns& runs : unseen)
            if (runs.mesh == mesh.hash) fix.as<TidySettings>()->unseen.push_back(runs);
        if (!fix.as<TidySettings>()->unseen.empty()) finding.fix = fix;
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& neverSeenTrianglesRule() {
    static const Rule rule = {
        .key = "never-seen-triangles",
        .name = "Triangles that no spot sees",
        .why = "Undersides, backs and insides are transformed in every view and shadow pass.",
        .measured =
            "Triangles that no ray of any spot met and that share no corner with one that was "
            "seen: told from a tenth of a mesh and 200 on, for meshes that were seen at all.",
        .advice = "Drop what was never seen (fix Tidy); a closer survey makes it safer.",
        .needsSurvey = true,
        .needsCoverage = true,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
