#include <fmt/format.h>

#include "findings/rules/rule.h"
#include "scene/coincidence.h"

namespace flentro {
namespace {

constexpr double kMinCount = 24;
constexpr double kMinShare = 0.5;  ///< Of an object with fewer triangles than that.

/// What lies on others, of the copies of one asset.
struct OfAsset {
    std::map<std::uint32_t, double> counts;  ///< By object.
    std::set<std::size_t> others;            ///< Assets below.
    double sum = 0;
};

std::map<std::size_t, OfAsset> collect(const Scene& scene) {
    std::map<std::size_t, OfAsset> assets;
    for (const Coincidence& pair : coincidentTriangles(scene)) {
        const Object& object = scene.objects[pair.object];
        const auto own = static_cast<double>(scene.mesh(object).triangles);
        const auto count = static_cast<double>(pair.triangles);
        if (count < std::min(kMinCount, kMinShare * own)) continue;
        OfAsset& asset = assets[static_cast<std::size_t>(object.asset)];
        double& sum = asset.counts[pair.object];
        const double before = sum;
        sum = std::min(own, sum + count);
        asset.sum += sum - before;
        asset.others.insert(static_cast<std::size_t>(scene.objects[pair.other].asset));
    }
    return assets;
}

std::string sentenceOf(const FindingInput& in, std::size_t asset, const OfAsset& found) {
    const std::string& other = in.scene.assets[*found.others.begin()].mesh->name;
    const std::size_t more = found.others.size() - 1;
    return fmt::format(
        "{} of {} lie exactly on those of '{}'{}",
        counted(static_cast<std::size_t>(found.sum), "triangle"),
        found.counts.size() == 1
            ? "one copy"
            : fmt::format("{} of {} copies", found.counts.size(), in.index.objectsOf[asset].size()),
        other, more > 0 ? fmt::format(" and {} more", more) : "");
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (const auto& [asset, found] : collect(in.scene)) {
        Finding finding =
            assetFinding(in, asset, sentenceOf(in, asset, found),
                         {{"triangles on others", found.sum, Quantity::Unit::Count, kMinCount}});
        for (const auto& [object, count] : found.counts)
            finding.subjects.push_back(objectSubject(in.scene, object));
        finding.relief =
            triangleRelief(in, asset, [&found = found](const DrawnObject& drawn, double all) {
                const auto at = found.counts.find(drawn.object);
                return drawn.level > 0 || at == found.counts.end() ? all : all - at->second;
            });
        finding.isExact = true;
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& coincidentObjectsRule() {
    static const Rule rule = {
        .key = "coincident-objects",
        .name = "Objects on one another",
        .why =
            "Where two objects have the same triangles at one place, both are drawn, one is never "
            "seen, and which of them shows may flicker.",
        .measured =
            "Triangles of an object whose corners are at one place with those of another object's "
            "triangle, whichever way they face, within 0.01 mm and the rounding of single floats: "
            "told from 24 triangles or half of a smaller object on. Blended surfaces are left out.",
        .advice =
            "Delete one of the two; where both faces of a sheet are meant, make its material "
            "two-sided.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
