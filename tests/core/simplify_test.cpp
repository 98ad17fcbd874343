// Reduction: what must stay, what may go, and how far the surface moves.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>
#include <set>

#include "simplify/cluster.h"
#include "simplify/collapse_queue.h"
#include "simplify/deviation.h"
#include "simplify/level_order.h"
#include "simplify/reduce.h"
#include "support/meshes.h"
#include "support/process.h"

namespace flentro {
namespace {

Reduced reduceTo(const Mesh& mesh, std::size_t triangles, ReducerOptions reducer = {}) {
    ReduceOptions options;
    options.targetTriangles = triangles;
    options.reducer = reducer;
    const MeshPtr whole = finishMesh(mesh);
    auto reduced = reduce(*whole, options, noProgress());
    EXPECT_TRUE(reduced);
    return *reduced;
}

double bumps(double u, double v) {
    return 0.05 * std::sin(9 * u) * std::cos(7 * v);
}

/// The smallest dot product of a face's normal with `up`, over all faces.
double leastFacing(const Mesh& mesh, const Vec3f& up) {
    double least = 1;
    for (const Part& part : mesh.parts) {
        const std::vector<Vec3f> p = toVectors(*part.find("POSITION"));
        for (std::size_t i = 0; i + 2 < part.indices.size(); i += 3) {
            const Vec3f a = p[part.indices[i]];
            const Vec3f n = (p[part.indices[i + 1]] - a).cross(p[part.indices[i + 2]] - a);
            least = std::min<double>(least, n.normalized().dot(up));
        }
    }
    return least;
}

// --- quadrics -----------------------------------------------------------------------------

TEST(Quadric, IsTheWeightedSquaredDistanceToItsPlanes) {
    Quadric q;
    q.addPlane(Vec3d::UnitY(), {0, 1, 0}, 2);
    EXPECT_DOUBLE_EQ(q.error({5, 1, -3}), 0);
    EXPECT_DOUBLE_EQ(q.error({0, 4, 0}), 2 * 9);
    Quadric other;
    other.addPlane(Vec3d::UnitX(), {0, 0, 0}, 1);
    q += other;
    EXPECT_DOUBLE_EQ(q.error({2, 4, 0}), 18 + 4);
    EXPECT_DOUBLE_EQ(q.weight, 3);
}

TEST(Quadric, AttributeErrorIsTheSquaredDifferenceToItsGradient) {
    AttributeQuadric q;
    q.addGradient(0, Vec3d(2, 0, 0), 1, 3);  // s = 2 x + 1
    q.weight = 3;
    const double right = 7;
    EXPECT_NEAR(q.error({3, 9, 9}, &right, 1), 0, 1e-9);
    const double wrong = 9;
    EXPECT_NEAR(q.error({3, 0, 0}, &wrong, 1), 3 * 4, 1e-9);
}

// --- adjacency and queue ------------------------------------------------------------------

TEST(Adjacency, FindsEdgesWithTheirTriangles) {
    const std::vector<Edge> edges = findEdges({0, 1, 2, 2, 1, 3});
    ASSERT_EQ(edges.size(), 5U);
    int shared = 0;
    for (const Edge& edge : edges)
        if (edge.triangles == 2) {
            ++shared;
            EXPECT_EQ(edge.a, 1U);
            EXPECT_EQ(edge.b, 2U);
        }
    EXPECT_EQ(shared, 1);
}

TEST(Adjacency, JoinsListsAndForgetsTheDead) {
    Adjacency adjacency({0, 1, 2, 2, 1, 3}, 4);
    std::vector<std::uint32_t> corners;
    adjacency.removeTriangle(0);
    adjacency.cornersAt(1, corners);
    EXPECT_EQ(corners, (std::vector<std::uint32_t>{4}));
    adjacency.join(3, 0);
    adjacency.cornersAt(0, corners);
    EXPECT_EQ(corners, (std::vector<std::uint32_t>{5}));
    EXPECT_EQ(adjacency.position(5), 0U);
    adjacency.cornersAt(3, corners);
    EXPECT_TRUE(corners.empty());
}

TEST(CollapseQueue, GivesTheCheapestFirstWhateverTheChanges) {
    std::mt19937 random(3);
    CollapseQueue queue(200);
    std::vector<double> cost(200, -1);
    for (int step = 0; step < 3000; ++step) {
        const auto position = static_cast<std::uint32_t>(random() % 200);
        if (random() % 4 == 0) {
            queue.remove(position);
            cost[position] = -1;
        } else {
            cost[position] = static_cast<double>(random() % 50);
            queue.set(position, cost[position]);
        }
    }
    double previous = -1;
    std::size_t taken = 0;
    while (!queue.empty()) {
        EXPECT_EQ(queue.topCost(), cost[queue.top()]);
        EXPECT_GE(queue.topCost(), previous);
        previous = queue.topCost();
        queue.remove(queue.top());
        ++taken;
    }
    EXPECT_EQ(taken, static_cast<std::size_t>(
                         std::count_if(cost.begin(), cost.end(), [](double c) { return c >= 0; })));
}

// --- reduction ----------------------------------------------------------------------------

TEST(Reduce, FlatGridBecomesTwoTriangles) {
    const Reduced result = reduceTo(test::makeGrid(20, 20), 2);
    EXPECT_EQ(result.mesh->triangles, 2U);
    EXPECT_TRUE(result.targetReached);
    EXPECT_NEAR(result.deviation, 0, 1e-6);
    EXPECT_NEAR(test::areaOf(*result.mesh), 1, 1e-6) << "no hole, no overhang";
}

TEST(Reduce, ReachesTheCountOnACurvedSurfaceAndStaysNear) {
    const Reduced result = reduceTo(test::makeSphere(64, 32), 400);
    EXPECT_LE(result.mesh->triangles, 400U);
    EXPECT_TRUE(result.targetReached);
    EXPECT_LT(result.deviation, 0.06);
    EXPECT_GT(result.deviation, 0.001);
    EXPECT_NEAR(test::areaOf(*result.mesh), 4 * kPi, 0.4);
}

TEST(Reduce, ClosedSurfacesStayClosed) {
    EXPECT_EQ(test::describeEdges(test::makeSphere(32, 16)), "0 border, 0 non-manifold");
    EXPECT_EQ(test::describeEdges(*reduceTo(test::makeSphere(32, 16), 100).mesh),
              "0 border, 0 non-manifold");
}

TEST(Reduce, NeverFlipsAFace) {
    const Mesh grid = test::makeGrid(40, 40, 1, bumps);
    for (const std::size_t triangles : {1600, 400, 100, 20})
        EXPECT_GT(leastFacing(*reduceTo(grid, triangles).mesh, Vec3f::UnitY()), 0) << triangles;
}

TEST(Reduce, KeepsTheOutlineOfOpenBorders) {
    const Reduced result = reduceTo(test::makeGrid(16, 16, 2, bumps), 60);
    const Box before = finishMesh(test::makeGrid(16, 16, 2, bumps))->bounds;
    EXPECT_NEAR(result.mesh->bounds.max().x(), before.max().x(), 1e-6);
    EXPECT_NEAR(result.mesh->bounds.max().z(), before.max().z(), 1e-6);
}

TEST(Reduce, LockedBordersKeepEveryBorderVertex) {
    ReducerOptions locked;
    locked.lockBorders = true;
    const Reduced result = reduceTo(test::makeGrid(10, 10), 2, locked);
    EXPECT_EQ(test::describeEdges(*result.mesh), "40 border, 0 non-manifold");
    EXPECT_FALSE(result.targetReached);
}

TEST(Reduce, KeepsUvSeamWhenBordersCollapse) {
    // The sphere's seam: positions at heading 0 have two wedges, u = 0 and u = 1.
    const Reduced result = reduceTo(test::makeSphere(48, 24), 300);
    const Part& part = result.mesh->parts[0];
    const Stream& texCoords = *part.find("TEXCOORD_0");
    for (std::size_t i = 0; i + 2 < part.indices.size(); i += 3) {
        float low = 2, high = -1;
        for (std::size_t k = 0; k < 3; ++k) {
            const float u = texCoords.value(part.indices[i + k], 0);
            low = std::min(low, u);
            high = std::max(high, u);
        }
        EXPECT_LT(high - low, 0.6F) << "a triangle that runs across the seam";
    }
}

TEST(Reduce, HardEdgesOfABoxStay) {
    // A box whose faces are grids: all that can go is inside the faces.
    Mesh box;
    box.name = "cube";
    Part all;
    std::vector<Vec3f> positions, normals;
    for (int axis = 0; axis < 3; ++axis)
        for (const float side : {-1.0F, 1.0F}) {
            const Mesh face = test::makeGrid(8, 8, 2);
            const Part& part = face.parts[0];
            const auto base = static_cast<std::uint32_t>(positions.size());
            for (const Vec3f& p : toVectors(*part.find("POSITION"))) {
                const Vec3f local(p.x() - 1, side, p.z() - 1);
                Vec3f placed;
                for (int c = 0; c < 3; ++c) placed[(axis + c) % 3] = local[(c + 1) % 3];
                positions.push_back(placed);
                Vec3f n = Vec3f::Zero();
                n[axis] = side;
                normals.push_back(n);
            }
            for (std::size_t i = 0; i + 2 < part.indices.size(); i += 3) {
                const std::uint32_t* t = &part.indices[i];
                const Vec3f a = positions[base + t[0]];
                const Vec3f cross = (positions[base + t[1]] - a).cross(positions[base + t[2]] - a);
                const bool outward = cross[axis] * side > 0;
                for (const std::uint32_t c : {t[0], outward ? t[1] : t[2], outward ? t[2] : t[1]})
                    all.indices.push_back(base + c);
            }
        }
    test::addStream(all, "POSITION", makeStream(positions));
    test::addStream(all, "NORMAL", makeStream(normals));
    box.parts.push_back(all);
    ASSERT_EQ(test::describeEdges(box), "0 border, 0 non-manifold");
    const Reduced result = reduceTo(box, 12);
    EXPECT_EQ(result.mesh->triangles, 12U);
    EXPECT_EQ(result.mesh->vertices, 24U) << "three normals at each corner";
    EXPECT_NEAR(result.deviation, 0, 1e-6);
    EXPECT_NEAR(test::areaOf(*result.mesh), 24, 1e-4);
}

TEST(Reduce, MaterialBordersStayClosedBetweenParts) {
    Mesh mesh = test::makeGrid(20, 20);
    Part left = mesh.parts[0];
    Part right = mesh.parts[0];
    left.indices.clear();
    right.indices.clear();
    const std::vector<Vec3f> p = toVectors(*mesh.parts[0].find("POSITION"));
    for (std::size_t i = 0; i + 2 < mesh.parts[0].indices.size(); i += 3) {
        const std::uint32_t* t = &mesh.parts[0].indices[i];
        const float middle = (p[t[0]].x() + p[t[1]].x() + p[t[2]].x()) / 3;
        auto& to = middle < 0.5F ? left : right;
        to.indices.insert(to.indices.end(), t, t + 3);
    }
    left.material = 0;
    right.material = 1;
    mesh.parts = {left, right};
    const Reduced result = reduceTo(mesh, 4);
    ASSERT_EQ(result.mesh->parts.size(), 2U);
    EXPECT_LE(result.mesh->triangles, 6U);
    EXPECT_NEAR(test::areaOf(*result.mesh), 1, 1e-6);
    for (const Part& part : result.mesh->parts) {
        Mesh alone;
        alone.parts.push_back(part);
        EXPECT_NEAR(test::areaOf(alone), 0.5, 1e-6) << "each material keeps its half";
    }
}

TEST(Reduce, AttributesAreThoseOfVerticesThatWereThere) {
    Mesh mesh = test::makeSphere(24, 12);
    std::vector<Vec3f> marks;
    for (std::size_t i = 0; i < mesh.parts[0].vertexCount(); ++i)
        marks.push_back({static_cast<float>(i), 1, 2});
    test::addStream(mesh.parts[0], "_MARK", makeStream(marks));
    const Reduced result = reduceTo(mesh, 100);
    const Part& part = result.mesh->parts[0];
    const std::vector<Vec3f> before = toVectors(*mesh.parts[0].find("POSITION"));
    const std::vector<Vec3f> after = toVectors(*part.find("POSITION"));
    float last = -1;
    for (std::size_t i = 0; i < after.size(); ++i) {
        const float mark = part.find("_MARK")->value(i, 0);
        EXPECT_GT(mark, last) << "surviving vertices keep their order";
        last = mark;
        EXPECT_EQ(after[i], before[static_cast<std::size_t>(mark)]);
    }
}

TEST(Reduce, StopsAtTheDeviationThatItMeasures) {
    for (const double limit : {0.001, 0.01, 0.05}) {
        ReduceOptions options;
        options.maxDeviation = limit;
        const MeshPtr sphere = finishMesh(test::makeSphere(96, 48));
        const Reduced result = reduce(*sphere, options, noProgress()).value();
        EXPECT_LE(result.deviation, limit);
        EXPECT_LT(result.mesh->triangles, sphere->triangles);
    }
}

TEST(Reduce, MoreDeviationMeansFewerTriangles) {
    const MeshPtr grid = finishMesh(test::makeGrid(60, 60, 1, bumps));
    std::size_t previous = grid->triangles;
    for (const double limit : {0.0005, 0.002, 0.01}) {
        ReduceOptions options;
        options.maxDeviation = limit;
        const std::size_t now = reduce(*grid, options, noProgress())->mesh->triangles;
        EXPECT_LT(now, previous) << limit;
        previous = now;
    }
}

TEST(Reduce, SurvivesWhatIsNotAManifold) {
    for (const Mesh& mesh : {test::makeBowtie(), test::makeMoebius(24), test::makeFin()}) {
        const Reduced result = reduceTo(mesh, 1);
        EXPECT_LE(result.mesh->triangles, finishMesh(mesh)->triangles) << mesh.name;
        EXPECT_GE(result.mesh->triangles, 1U) << mesh.name;
    }
}

TEST(Reduce, MoebiusBandKeepsItsOneBorder) {
    const Reduced result = reduceTo(test::makeMoebius(64), 30);
    EXPECT_LE(result.mesh->triangles, 40U);
    EXPECT_THAT(test::describeEdges(*result.mesh), testing::HasSubstr(", 0 non-manifold"));
}

TEST(Reduce, DropsDegenerateTrianglesOfTheInput) {
    Mesh mesh = test::makeGrid(4, 4);
    auto& indices = mesh.parts[0].indices;
    indices.insert(indices.end(), {0, 0, 1, 3, 3, 3});
    EXPECT_LE(reduceTo(mesh, 30).mesh->triangles, 30U);
}

TEST(Reduce, EmptyMeshesPass) {
    Mesh empty;
    empty.name = "empty";
    EXPECT_EQ(reduceTo(empty, 10).mesh->triangles, 0U);
}

TEST(Reduce, PointsAndLinesPassUnchanged) {
    Mesh mesh = test::makeGrid(10, 10);
    Part lines = test::makePart({{0, 0, 0}, {1, 1, 1}}, {0, 1});
    lines.mode = 1;
    mesh.parts.push_back(lines);
    const Reduced result = reduceTo(mesh, 20);
    ASSERT_EQ(result.mesh->parts.size(), 2U);
    EXPECT_EQ(result.mesh->parts[1].indices.size(), 2U);
}

TEST(Reduce, RefusesANegativeDeviation) {
    ReduceOptions options;
    options.maxDeviation = -1;
    const MeshPtr mesh = finishMesh(test::makeGrid(2, 2));
    EXPECT_EQ(reduce(*mesh, options, noProgress()).error().code, ErrorCode::InvalidInput);
    options.maxDeviation = std::nan("");
    EXPECT_FALSE(reduce(*mesh, options, noProgress()));
}

TEST(Reduce, CanBeCancelled) {
    ReduceOptions options;
    options.targetTriangles = 10;
    test::RecordingProgress stop(0);
    const MeshPtr mesh = finishMesh(test::makeGrid(80, 80, 1, bumps));
    const auto result = reduce(*mesh, options, stop);
    ASSERT_FALSE(result);
    EXPECT_EQ(result.error().code, ErrorCode::Cancelled);
}

TEST(Reduce, GivesTheSameEveryTime) {
    const Mesh mesh = test::makeSphere(40, 20);
    EXPECT_EQ(reduceTo(mesh, 150).mesh->hash, reduceTo(mesh, 150).mesh->hash);
}

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

TEST(Reduce, TextureThatChangesHoldsItsVertices) {
    // A flat grid whose texture bends in the middle: the bend must survive.
    Mesh mesh = test::makeGrid(20, 20);
    Stream texCoords = *mesh.parts[0].find("TEXCOORD_0");
    for (std::size_t i = 0; i < texCoords.count(); ++i) {
        const float u = texCoords.value(i, 0);
        texCoords.set(i, 0, u < 0.5F ? u : 0.5F + 4 * (u - 0.5F));
    }
    mesh.parts[0].attributes[2].stream = std::make_shared<const Stream>(texCoords);
    const Reduced result = reduceTo(mesh, 4);
    std::set<float> columns;
    for (const Vec3f& p : toVectors(*result.mesh->parts[0].find("POSITION"))) columns.insert(p.x());
    EXPECT_TRUE(columns.contains(0.5F));
}

// --- deviation ----------------------------------------------------------------------------

TEST(Deviation, IsTheOffsetOfParallelPlanes) {
    Mesh lifted = test::makeGrid(4, 4, 1, [](double, double) { return 0.25; });
    const MeshPtr a = finishMesh(test::makeGrid(4, 4));
    const MeshPtr b = finishMesh(lifted);
    EXPECT_NEAR(measureDeviation(*a, Surface(*a), *b), 0.25, 1e-6);
    EXPECT_NEAR(measureDeviation(*a, Surface(*a), *a), 0, 1e-7);
}

TEST(Deviation, LooksFromBothSides) {
    // Everything of the small one lies on the large one, but not the other way round.
    const MeshPtr large = finishMesh(test::makeGrid(8, 8, 3));
    const MeshPtr small = finishMesh(test::makeGrid(8, 8, 1));
    EXPECT_NEAR(measureDeviation(*large, Surface(*large), *small), std::hypot(2, 2), 1e-5);
}

TEST(Deviation, FindsANarrowSpike) {
    const MeshPtr flat = finishMesh(test::makeGrid(30, 30));
    const MeshPtr spiky = finishMesh(test::makeGrid(30, 30, 1, [](double u, double v) {
        return std::hypot(u - 0.5, v - 0.5) < 0.01 ? 0.4 : 0.0;
    }));
    EXPECT_NEAR(measureDeviation(*flat, Surface(*flat), *spiky), 0.4, 1e-6);
}

TEST(Surface, DistanceInEveryRegionOfATriangle) {
    Mesh mesh;
    mesh.parts.push_back(test::makePart({{0, 0, 0}, {4, 0, 0}, {0, 4, 0}}, {0, 1, 2}));
    const Surface surface(*finishMesh(mesh));
    EXPECT_NEAR(surface.distanceTo({1, 1, 3}), 3, 1e-6) << "face";
    EXPECT_NEAR(surface.distanceTo({-3, -4, 0}), 5, 1e-6) << "corner a";
    EXPECT_NEAR(surface.distanceTo({7, -4, 0}), 5, 1e-6) << "corner b";
    EXPECT_NEAR(surface.distanceTo({-4, 7, 0}), 5, 1e-6) << "corner c";
    EXPECT_NEAR(surface.distanceTo({2, -2, 0}), 2, 1e-6) << "edge ab";
    EXPECT_NEAR(surface.distanceTo({-2, 2, 0}), 2, 1e-6) << "edge ac";
    EXPECT_NEAR(surface.distanceTo({4, 4, 0}), 4 / std::numbers::sqrt2, 1e-5) << "edge bc";
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
