// Ours against the plain method, on surfaces of the kinds that people have.
//
// FLENTRO_TABLE=1 in the environment prints the table of docs/methods.md at its full size.

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <map>

#include "geometry/weld.h"
#include "simplify/deviation.h"
#include "simplify/reduce.h"
#include "support/kinds.h"
#include "support/meshes.h"
#include "support/textbook_collapse.h"

namespace flentro {
namespace {

constexpr std::size_t kSamples = 40'000;

struct Compared {
    double mean, largest;  ///< Ours divided by the textbook's.
};

Deviation deviationOf(const Surface& surface, const Mesh& mesh) {
    return measureDeviation(surface, *finishMesh(mesh), kSamples);
}

Mesh reducedTo(const Mesh& mesh, std::size_t triangles, Placement placement) {
    ReduceOptions options;
    options.targetTriangles = triangles;
    options.reducer.placement = placement;
    const auto reduced = reduce(mesh, options, noProgress());
    EXPECT_TRUE(reduced);
    return *reduced->mesh;
}

Compared compare(const Mesh& mesh, double share, Placement placement) {
    const auto wanted = static_cast<std::size_t>(share * static_cast<double>(mesh.triangles));
    const Surface surface(mesh);
    const Mesh ours = reducedTo(mesh, wanted, placement);
    const Deviation own = deviationOf(surface, ours);
    const Deviation theirs = deviationOf(surface, test::textbookCollapse(mesh, ours.triangles));
    const double floor = 1e-6 * mesh.bounds.diagonal().norm();  // Of what both lose nothing of.
    return {(own.mean + floor) / (theirs.mean + floor),
            (own.largest + floor) / (theirs.largest + floor)};
}

/// Edges, by position, with one triangle.
std::size_t openEdges(const Mesh& mesh) {
    const WeldedMesh welded = weldPositions(mesh);
    std::map<std::pair<std::uint32_t, std::uint32_t>, int> faces;
    for (std::size_t i = 0; i < welded.corners.size(); ++i) {
        const std::uint32_t a = welded.corners[i];
        const std::uint32_t b = welded.corners[i % 3 == 2 ? i - 2 : i + 1];
        ++faces[std::minmax(a, b)];
    }
    return static_cast<std::size_t>(
        std::count_if(faces.begin(), faces.end(), [](const auto& f) { return f.second == 1; }));
}

TEST(Textbook, Table) {
    if (!std::getenv("FLENTRO_TABLE")) GTEST_SKIP() << "prints a table for the documentation";
    for (const auto& [name, mesh] : test::surfaceKinds(60'000))
        for (const double share : {0.5, 0.1, 0.02, 0.005}) {
            fmt::print("| {} | {} | {:g} % |", name, mesh.triangles, 100 * share);
            for (const Placement placement : {Placement::Existing, Placement::Optimal}) {
                const Compared c = compare(mesh, share, placement);
                fmt::print(" {:.2f} | {:.2f} |", c.mean, c.largest);
            }
            fmt::print("\n");
        }
}

/// Nearer than the textbook's on every kind of surface but folds whose holes bind, where ours turns
/// no face and the plain method does.
TEST(Textbook, NoWorseOnAnyKindOfSurface) {
    double product = 1;
    int count = 0;
    for (const auto& [name, mesh] : test::surfaceKinds(12'000))
        for (const double share : {0.5, 0.1}) {
            const Compared c = compare(mesh, share, Placement::Optimal);
            EXPECT_LE(c.mean, name == "folds" ? 1.25 : 1.02) << name << " at " << share;
            product *= c.mean;
            ++count;
        }
    EXPECT_LE(std::pow(product, 1.0 / count), 0.85);
}

/// Open edges of the original may go with what they bound; none appears where it was closed.
TEST(Textbook, ClosedSurfacesStayClosedAndFacesStayForward) {
    for (const auto& [name, mesh] : test::surfaceKinds(12'000))
        for (const double share : {0.1, 0.01, 0.002}) {
            if (name != "folds" && name != "scan") continue;
            const Mesh ours = reducedTo(
                mesh, static_cast<std::size_t>(share * static_cast<double>(mesh.triangles)),
                Placement::Optimal);
            EXPECT_LE(openEdges(ours), openEdges(mesh)) << name << " at " << share;
        }
}

}  // namespace
}  // namespace flentro
