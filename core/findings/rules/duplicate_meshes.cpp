#include <fmt/format.h>
#include <map>

#include "base/cancel_only.h"
#include "base/index.h"
#include "findings/rules/rule.h"
#include "fixes/share/share.h"

namespace flentro {
namespace {

constexpr double kMinBytes = 64 * 1024;
constexpr double kWorth = 0.01;  ///< Of the limit for draw calls.

/// Assets of the scene that one asset of the result stands for, two and more; by their objects.
std::map<std::vector<std::size_t>, std::size_t> sharedGroups(const Scene& before,
                                                             const Scene& after) {
    std::map<int, std::set<std::size_t>> members;
    for (std::size_t i = 0; i < before.objects.size(); ++i)
        members[after.objects[i].asset].insert(static_cast<std::size_t>(before.objects[i].asset));
    std::map<std::vector<std::size_t>, std::size_t> groups;
    for (const auto& [asset, all] : members)
        if (all.size() > 1) groups[{all.begin(), all.end()}] = static_cast<std::size_t>(asset);
    return groups;
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    CancelOnly quiet(in.progress);
    Scene scene = in.scene;  // whose equal images are one already
    for (Texture& texture : scene.textures)
        if (texture.image >= 0) texture.image = elementOf(in.equalImages, texture.image);
    ShareSettings settings;
    settings.images = false;
    const auto shared = applyShare(scene, settings, in.target, quiet);
    if (!shared) return findings;
    for (const auto& [group, kept] : sharedGroups(in.scene, shared->scene)) {
        const std::vector<std::size_t>& members = group;
        const Mesh& mesh = *in.scene.assets[members.front()].mesh;
        const auto others = static_cast<double>(members.size() - 1);
        const double bytes = others * static_cast<double>(mesh.bytes);
        Finding finding;
        for (const std::size_t a : members) finding.subjects.push_back(assetSubject(in.scene, a));
        finding.sentence =
            fmt::format("{} are one mesh of {} triangles: {} could go",
                        counted(members.size(), "mesh", "meshes"),
                        formatCount(static_cast<double>(mesh.triangles)), formatBytes(bytes));
        finding.evidence = {{"equal meshes", static_cast<double>(members.size())},
                            {"memory", bytes, Quantity::Unit::Memory}};
        finding.relief = in.views.relief([&](const CountedView& view) {
            Counts saved{};
            double batches = 0;
            std::set<std::uint32_t> levels;
            for (const std::size_t a : members) {
                std::set<std::uint32_t> own;
                for (const DrawnObject& drawn : view.drawnOf(a)) own.insert(drawn.level);
                batches += static_cast<double>(own.size());
                levels.insert(own.begin(), own.end());
            }
            if (in.target.batching == Batching::Mesh)
                at(saved, Measure::DrawCalls) = (batches - static_cast<double>(levels.size())) *
                                                static_cast<double>(mesh.parts.size()) *
                                                in.target.passes();
            return saved;
        });
        if (bytes < kMinBytes && !isWorth(in, finding.relief, {Measure::DrawCalls}, kWorth))
            continue;
        finding.where = whereDrawn(in, members.front());
        finding.fix = proposedFix(in, "share");
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& duplicateMeshesRule() {
    static const Rule rule = {
        .key = "duplicate-meshes",
        .name = "Equal meshes, many names",
        .why =
            "Each is stored, loaded and drawn by itself, where one would serve for all its copies.",
        .measured =
            "Meshes that fix Share finds to be one, also turned, scaled or mirrored, by doing it: "
            "told from 64 KiB, or 1 % of the limit for draw calls, on.",
        .advice = "Fix Share.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
