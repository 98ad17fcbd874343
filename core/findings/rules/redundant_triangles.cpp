#include <fmt/format.h>
#include <algorithm>

#include "base/cancel_only.h"
#include "findings/rules/rule.h"
#include "fixes/tidy/tidy.h"

namespace flentro {
namespace {

constexpr double kMinShare = 0.2;
constexpr double kMinCount = 200;

constexpr const char* kLeft = "triangles left flat";
constexpr double kMinFlat = 0.3;         ///< Share of the edges inside a mesh.
constexpr float kSameNormal = 0.99999F;  ///< Cosine: 0.26 degrees.

/// Share of the edges of two triangles across which the surface runs on flat: where that is small
/// nothing is worth trying.
double flatShare(const WeldedMesh& welded) {
    std::vector<Vec3f> normals;
    std::vector<std::pair<std::uint64_t, std::uint32_t>> edges;
    for (std::size_t c = 0; c + 2 < welded.corners.size(); c += 3) {
        const std::uint32_t* t = &welded.corners[c];
        const Vec3f a = welded.points[t[0]];
        normals.push_back(
            (welded.points[t[1]] - a).cross(welded.points[t[2]] - a).stableNormalized());
        for (std::size_t k = 0; k < 3; ++k) {
            const auto [low, high] = std::minmax(t[k], t[(k + 1) % 3]);
            edges.emplace_back(std::uint64_t{low} << 32 | high, static_cast<std::uint32_t>(c / 3));
        }
    }
    std::sort(edges.begin(), edges.end());
    double all = 0;
    double flat = 0;
    for (std::size_t i = 1; i < edges.size(); ++i) {
        if (edges[i].first != edges[i - 1].first) continue;
        all += 1;
        flat += normals[edges[i].second].dot(normals[edges[i - 1].second]) > kSameNormal;
    }
    return all > 0 ? flat / all : 0;
}

std::vector<Finding> run(const FindingInput& in) {
    TidySettings dissolving;
    dissolving.weld = true;
    dissolving.dropDegenerate = dissolving.dropDuplicates = dissolving.textures = false;
    CancelOnly quiet(in.progress);
    Scene scene = in.scene;
    std::vector<std::size_t> left;
    std::vector<std::size_t> tried;
    for (std::size_t a = 0; a < scene.assets.size(); ++a) {
        const Mesh& mesh = *scene.assets[a].mesh;
        left.push_back(mesh.triangles);
        if (scene.assets[a].importance == Importance::Keep) continue;
        const auto known = in.memo.find<std::size_t>(kLeft, contentOf(scene, mesh));
        if (known)
            left[a] = *known;
        else if (static_cast<double>(mesh.triangles) >= kMinCount &&
                 flatShare(in.welded[a]) >= kMinFlat)
            tried.push_back(a);
        else
            in.memo.put(kLeft, contentOf(scene, mesh), left[a]);
        if (tried.empty() || tried.back() != a) scene.assets[a].importance = Importance::Keep;
    }
    const auto done = applyTidy(scene, dissolving, quiet);
    std::vector<Finding> findings;
    if (!done) return findings;
    for (const std::size_t a : tried) {
        left[a] = done->scene.assets[a].mesh->triangles;
        in.memo.put(kLeft, contentOf(in.scene, *in.scene.assets[a].mesh), left[a]);
    }
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        const std::size_t before = in.scene.assets[a].mesh->triangles;
        const std::size_t after = left[a];
        if (after >= before) continue;
        // Those without surface and those that are there twice have findings of their own.
        const double less = static_cast<double>(before - after) - countDegenerate(in.welded[a]) -
                            countDuplicate(in.welded[a]);
        if (less < kMinCount || less < kMinShare * static_cast<double>(before)) continue;
        Finding finding = vainTriangles(
            in, a, less,
            fmt::format("{} of {} triangles lie in flat surfaces that fewer would fill",
                        formatCount(less), formatCount(static_cast<double>(before))),
            {{"triangles too many", less, Quantity::Unit::Count,
              kMinShare * static_cast<double>(before)}});
        finding.fix = proposedFix(in, "tidy");
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& redundantTrianglesRule() {
    static const Rule rule = {
        .key = "redundant-triangles",
        .name = "Flat but in many triangles",
        .why = "Loops along planks and rails change nothing that can be seen.",
        .measured =
            "What dissolving flat surfaces takes without any loss, by doing it: told from a fifth "
            "of a mesh and 200 triangles on.",
        .advice = "Dissolve flat surfaces (fix Tidy).",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
