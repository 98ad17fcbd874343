// Levels of one mesh: all states of a run of collapses, shared vertices, clusters.

#include <gtest/gtest.h>

#include <cmath>

#include "base/index.h"
#include "simplify/cluster.h"
#include "simplify/level_order.h"
#include "simplify/reduce.h"
#include "support/meshes.h"
#include "support/process.h"

namespace flentro {
namespace {

TEST(Reducer, OneRunGivesEveryLevelOnTheWay) {
    const MeshPtr mesh = finishMesh(test::makeSphere(48, 24));
    Reducer reducer(*mesh, {});
    std::size_t previous = mesh->triangles;
    for (const std::size_t count : {1000, 400, 100}) {
        ASSERT_TRUE(reducer.reduceTo(count, std::numeric_limits<double>::infinity(), noProgress()));
        EXPECT_LE(reducer.triangleCount(), count);
        EXPECT_LT(reducer.triangleCount(), previous);
        EXPECT_EQ(finishMesh(reducer.mesh())->triangles, reducer.triangleCount());
        previous = reducer.triangleCount();
    }
}

TEST(CollapseLog, HasEveryCountBetween) {
    const MeshPtr mesh = finishMesh(test::makeSphere(48, 24));
    Reducer reducer(*mesh, {});
    ASSERT_TRUE(reducer.reduceTo(20, std::numeric_limits<double>::infinity(), noProgress()));
    const CollapseLog& log = reducer.log();
    // The triangles at the poles are degenerate: they are none.
    EXPECT_EQ(log.mostTriangles(), mesh->triangles - 2 * 48);
    double deviation = 0;
    for (std::size_t count = log.mostTriangles(); count > 110; count -= 90) {
        const std::size_t there = log.trianglesAt(count);
        EXPECT_LE(there, count);
        EXPECT_GE(there + 2, count) << "no collapse takes more than two";
        const MeshPtr state = finishMesh(log.meshAt(count));
        EXPECT_EQ(state->triangles, there);
        EXPECT_EQ(test::describeEdges(*state), "0 border, 0 non-manifold") << count;
        EXPECT_GE(log.deviationAt(count), deviation);
        deviation = log.deviationAt(count);
    }
    // As if it had been stopped there.
    Reducer stopped(*mesh, {});
    ASSERT_TRUE(stopped.reduceTo(20, std::numeric_limits<double>::infinity(), noProgress()));
    EXPECT_EQ(finishMesh(stopped.mesh())->hash, finishMesh(log.meshAt(20))->hash);
}

// --- levels and stand-ins -----------------------------------------------------------------

TEST(LevelOrder, EveryLevelUsesTheFirstVerticesOfTheTop) {
    const MeshPtr mesh = finishMesh(test::makeSphere(24, 12));
    Reducer reducer(*mesh, {});
    std::vector<LevelIndices> levels = {topIndices(*mesh)};
    for (const std::size_t count : {200, 60}) {
        ASSERT_TRUE(reducer.reduceTo(count, std::numeric_limits<double>::infinity(), noProgress()));
        levels.push_back(reducer.indices());
    }
    const std::vector<Mesh> shared = shareVertices(*mesh, levels);
    ASSERT_EQ(shared.size(), 3U);
    const Stream& top = *shared[0].parts[0].find("POSITION");
    for (std::size_t k = 1; k < shared.size(); ++k) {
        const Stream& level = *shared[k].parts[0].find("POSITION");
        EXPECT_LT(level.count(), shared[k - 1].parts[0].vertexCount());
        EXPECT_TRUE(std::equal(level.data.begin(), level.data.end(), top.data.begin()));
    }
    EXPECT_NEAR(test::areaOf(shared[0]), test::areaOf(*mesh), 1e-5);
    EXPECT_EQ(shared[2].parts[0].triangleCount(), reducer.triangleCount());
}

TEST(Cluster, LeavesFewTrianglesInTheSameBounds) {
    const MeshPtr sphere = finishMesh(test::makeSphere(128, 64));
    const MeshPtr coarse = finishMesh(clusterVertices(*sphere, 8));
    EXPECT_LT(coarse->triangles, sphere->triangles / 10);
    EXPECT_GT(coarse->triangles, 50U);
    EXPECT_LT((coarse->bounds.sizes() - sphere->bounds.sizes()).norm(), 0.6);
}

}  // namespace
}  // namespace flentro
