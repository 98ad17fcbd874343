// Reduction: what must stay, what may go, and how far the surface moves.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>
#include <set>

#include "base/index.h"
#include "simplify/deviation.h"
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
        const std::vector<Vec3f> p = positionsOf(part);
        for (std::size_t i = 0; i + 2 < part.indices.size(); i += 3) {
            const Vec3f a = p[part.indices[i]];
            const Vec3f n = (p[part.indices[i + 1]] - a).cross(p[part.indices[i + 2]] - a);
            least = std::min<double>(least, n.normalized().dot(up));
        }
    }
    return least;
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
    ASSERT_NEAR(static_cast<double>(result.mesh->triangles), 300, 3);
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

/// A box whose faces are grids, with hard edges.
Mesh makeGridBox() {
    Mesh box;
    box.name = "cube";
    Part all;
    std::vector<Vec3f> positions, normals;
    for (int axis = 0; axis < 3; ++axis)
        for (const float side : {-1.0F, 1.0F}) {
            const Mesh face = test::makeGrid(8, 8, 2);
            const Part& part = face.parts[0];
            const auto base = static_cast<std::uint32_t>(positions.size());
            for (const Vec3f& p : positionsOf(part)) {
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
    return box;
}

TEST(Reduce, HardEdgesOfABoxStay) {
    const Mesh box = makeGridBox();
    ASSERT_EQ(test::describeEdges(box), "0 border, 0 non-manifold");
    const Reduced result = reduceTo(box, 12);
    EXPECT_EQ(result.mesh->triangles, 12U);
    EXPECT_EQ(result.mesh->vertices, 24U) << "three normals at each corner";
    EXPECT_NEAR(result.deviation, 0, 1e-6);
    EXPECT_NEAR(test::areaOf(*result.mesh), 24, 1e-4);
}

TEST(Reduce, HardEdgesAreCrossedOnlyWhenNothingElseIsLeft) {
    const Mesh box = makeGridBox();
    const Reduced rough = reduceTo(box, 6);
    EXPECT_LT(rough.mesh->triangles, 12U);
    EXPECT_GT(rough.deviation, 0.5) << "corners of a box of 2 m are gone";
    EXPECT_EQ(test::describeEdges(*rough.mesh), "0 border, 0 non-manifold");
    ReducerOptions options;
    options.crossSeams = false;
    EXPECT_EQ(reduceTo(box, 6, options).mesh->triangles, 12U);
}

/// A bumpy ground with crumbs of a hundredth of its size at a height above it, reduced to 300
/// triangles; also how many corners of crumbs are left.
std::pair<Reduced, std::size_t> reduceCrumbs(float height) {
    Mesh mesh = test::makeGrid(40, 40, 1, bumps);
    Part& part = mesh.parts[0];
    std::vector<Vec3f> positions = positionsOf(part);
    for (int i = 0; i < 50; ++i) {
        const auto base = static_cast<std::uint32_t>(positions.size());
        const float u = 0.1F + 0.015F * static_cast<float>(i);
        const Vec3f at(u, height + static_cast<float>(bumps(u, 0.5)), 0.5F);
        for (const Vec3f& p : {Vec3f(0, 0, 0), Vec3f(0.004F, 0, 0), Vec3f(0, 0, 0.004F)})
            positions.push_back(at + p);
        part.indices.insert(part.indices.end(), {base, base + 1, base + 2});
    }
    Mesh bare;
    bare.parts.push_back(test::makePart(positions, part.indices));
    Reduced result = reduceTo(bare, 300);
    std::size_t crumbs = 0;
    for (const Vec3f& p : positionsOf(result.mesh->parts[0]))
        crumbs += p.y() > bumps(p.x(), p.z()) + 0.7F * height;
    return {std::move(result), crumbs};
}

TEST(Reduce, LooseBitsGoWhenThatTakesLessThanWhatElseWouldGo) {
    const auto [near, nearCrumbs] = reduceCrumbs(0.002F);
    EXPECT_TRUE(near.targetReached);
    EXPECT_LT(nearCrumbs, 30U) << "of 150 corners, just over the ground";
    const auto [far, farCrumbs] = reduceCrumbs(0.3F);
    EXPECT_TRUE(far.targetReached);
    EXPECT_EQ(farCrumbs, 150U) << "0.3 away from all else: the ground gives the triangles";
    EXPECT_LT(far.deviation, 0.05);
}

TEST(Reduce, MaterialBordersStayClosedBetweenParts) {
    Mesh mesh = test::makeGrid(20, 20);
    Part left = mesh.parts[0];
    Part right = mesh.parts[0];
    left.indices.clear();
    right.indices.clear();
    const std::vector<Vec3f> p = positionsOf(mesh.parts[0]);
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
    const std::vector<Vec3f> before = positionsOf(mesh.parts[0]);
    const std::vector<Vec3f> after = positionsOf(part);
    float last = -1;
    for (std::size_t i = 0; i < after.size(); ++i) {
        const float mark = part.find("_MARK")->value(i, 0);
        EXPECT_GT(mark, last) << "surviving vertices keep their order";
        last = mark;
        EXPECT_EQ(after[i], elementOf(before, mark));
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

/// At whichever question: while the mesh is taken apart, collapsed or measured.
TEST(Reduce, CanBeCancelledAtAnyTime) {
    const MeshPtr mesh = finishMesh(test::makeGrid(80, 80, 1, bumps));
    const auto reduceUntil = [&](int question) {
        ReduceOptions options;
        options.maxDeviation = 0.01;
        test::RecordingProgress stop(question);
        const auto result = reduce(*mesh, options, stop);
        EXPECT_TRUE(result || result.error().code == ErrorCode::Cancelled);
        return std::pair(result.has_value(), stop.asked());
    };
    const auto [finished, questions] = reduceUntil(-1);
    EXPECT_TRUE(finished);
    EXPECT_GT(questions, 20);
    for (int question = 0; question < questions * 3 / 4; ++question)
        EXPECT_FALSE(reduceUntil(question).first) << "question " << question;
}

TEST(Reduce, BuildingASurfaceCanBeStopped) {
    const MeshPtr mesh = finishMesh(test::makeGrid(80, 80, 1, bumps));
    const test::RecordingProgress stop(0);
    EXPECT_EQ(Surface::build(*mesh, stop).error().code, ErrorCode::Cancelled);
    EXPECT_EQ(PosedSurfaces::build(*mesh, {}, stop).error().code, ErrorCode::Cancelled);
    EXPECT_FALSE(Surface(*mesh).empty());
}

TEST(Reduce, GivesTheSameEveryTime) {
    const Mesh mesh = test::makeSphere(40, 20);
    EXPECT_EQ(reduceTo(mesh, 150).mesh->hash, reduceTo(mesh, 150).mesh->hash);
}

ReducerOptions optimal() {
    ReducerOptions options;
    options.placement = Placement::Optimal;
    return options;
}

TEST(Reduce, OptimalPlacesLieNearerThanExistingOnes) {
    const Mesh grid = test::makeGrid(80, 80, 1, bumps);
    const Surface surface(*finishMesh(grid));
    for (const std::size_t count : {1600, 400, 100}) {
        const Reduced existing = reduceTo(grid, count);
        const Reduced best = reduceTo(grid, count, optimal());
        ASSERT_TRUE(best.targetReached);
        const Deviation ofExisting = measureDeviation(surface, *existing.mesh);
        const Deviation ofBest = measureDeviation(surface, *best.mesh);
        EXPECT_LT(ofBest.mean, 0.75 * ofExisting.mean) << count;
        EXPECT_LT(ofBest.largest, 1.5 * ofExisting.largest) << count << ": one vertex, by chance";
        EXPECT_GT(leastFacing(*best.mesh, Vec3f::UnitY()), 0) << count;
    }
}

TEST(Reduce, OptimalNormalsAndTexturesFit) {
    const Reduced result = reduceTo(test::makeSphere(64, 32), 500, optimal());
    EXPECT_EQ(test::describeEdges(*result.mesh), "0 border, 0 non-manifold");
    const Part& part = result.mesh->parts[0];
    const std::vector<Vec3f> positions = positionsOf(part);
    const std::vector<Vec3f> normals = toVectors(*part.find("NORMAL"));
    const Stream& texCoords = *part.find("TEXCOORD_0");
    for (std::size_t i = 0; i < positions.size(); ++i) {
        EXPECT_NEAR(positions[i].norm(), 1, 0.03);
        EXPECT_NEAR(normals[i].norm(), 1, 1e-5);
        EXPECT_GT(normals[i].dot(positions[i].normalized()), 0.99F);
        if (std::fabs(positions[i].y()) < 0.9F) {
            EXPECT_NEAR(texCoords.value(i, 1), std::acos(positions[i].normalized().y()) / kPi,
                        0.02);
        }
    }
}

TEST(Reduce, ImportantPlacesKeepTheirTriangles) {
    const Mesh grid = test::makeGrid(60, 60, 1, bumps);
    ReducerOptions options;
    options.importance.resize(1);
    for (const Vec3f& p : positionsOf(grid.parts[0]))
        options.importance[0].push_back(p.x() < 0.5F ? 400.0F : 1.0F);
    const auto onTheLeft = [](const Mesh& mesh) {
        std::ptrdiff_t count = 0;
        for (const Vec3f& p : positionsOf(mesh.parts[0])) count += p.x() < 0.5F;
        return count;
    };
    const auto even = onTheLeft(*reduceTo(grid, 600).mesh);
    EXPECT_GT(onTheLeft(*reduceTo(grid, 600, options).mesh), even * 5 / 4);
}

TEST(Reduce, LeavesOutNothingOfHugeTinyAndFarAwayModels) {
    for (const double scale : {1e-6, 1.0, 1e6})
        for (const double away : {0.0, 1e3}) {
            Mesh mesh = test::makeSphere(48, 24);
            std::vector<Vec3f> positions = positionsOf(mesh.parts[0]);
            for (Vec3f& position : positions)
                position = (scale * (position.cast<double>() + Vec3d(away, 0, 0))).cast<float>();
            for (Attribute& attribute : mesh.parts[0].attributes)
                if (attribute.semantic == "POSITION")
                    attribute.stream = std::make_shared<const Stream>(makeStream(positions));
            const Reduced result = reduceTo(mesh, 300, optimal());
            EXPECT_TRUE(result.targetReached) << scale << ' ' << away;
            EXPECT_LT(result.deviation, 0.06 * scale) << away;
        }
}

/// A mesh that nobody would make: random triangles over few vertices, with seams, holes,
/// degenerate and doubled faces.
Mesh scribble(unsigned seed) {
    std::mt19937 random(seed);
    const auto number = [&] { return static_cast<float>(random() % 2001) / 1000 - 1; };
    Mesh mesh = test::makeGrid(3 + random() % 9, 3 + random() % 9, 1, bumps);
    mesh.name = "scribble " + std::to_string(seed);
    Part& part = mesh.parts[0];
    const auto vertices = static_cast<std::uint32_t>(part.vertexCount());
    std::vector<Vec3f> positions = positionsOf(part);
    for (unsigned i = random() % 12; i > 0; --i)
        positions[random() % vertices] = {number(), number(), number()};
    if (random() % 3 == 0) positions[random() % vertices] = positions[random() % vertices];
    part.attributes[0].stream = std::make_shared<const Stream>(makeStream(positions));
    for (unsigned i = random() % 20; i > 0; --i)
        part.indices[random() % part.indices.size()] = random() % vertices;
    for (unsigned i = random() % 9; i > 0; --i)
        for (int k = 0; k < 3; ++k) part.indices.push_back(random() % vertices);
    return mesh;
}

TEST(Reduce, ThousandsOfOddMeshesComeOutSound) {
    for (unsigned seed = 0; seed < 2000; ++seed) {
        const MeshPtr mesh = finishMesh(scribble(seed));
        ReducerOptions options = seed % 2 == 0 ? optimal() : ReducerOptions{};
        options.lockBorders = seed % 5 == 0;
        Reducer reducer(*mesh, options);
        const std::size_t wanted = mesh->triangles / (2 + seed % 7);
        ASSERT_TRUE(
            reducer.reduceTo(wanted, std::numeric_limits<double>::infinity(), noProgress()));
        const MeshPtr result = finishMesh(reducer.mesh());
        ASSERT_EQ(result->triangles, reducer.triangleCount()) << mesh->name;
        for (const Part& part : result->parts) {
            const std::size_t vertices = part.vertexCount();
            for (const std::uint32_t index : part.indices) ASSERT_LT(index, vertices);
            for (const Attribute& attribute : part.attributes)
                for (const Vec3f& value : toVectors(*attribute.stream))
                    ASSERT_TRUE(value.allFinite()) << mesh->name << ' ' << attribute.semantic;
        }
        if (options.lockBorders) {
            const auto border = [](const std::string& edges) { return std::stoi(edges); };
            ASSERT_GE(border(test::describeEdges(*result)), border(test::describeEdges(*mesh)))
                << mesh->name;
        }
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
    for (const Vec3f& p : positionsOf(result.mesh->parts[0])) columns.insert(p.x());
    EXPECT_TRUE(columns.contains(0.5F));
}

TEST(Reduce, AMorphedBumpKeepsItsVertices) {
    // Flat at rest: without a look at the target, two triangles would do.
    Mesh sheet = test::makeGrid(16, 16);
    const std::vector<Vec3f> at = positionsOf(sheet.parts[0]);
    std::vector<Vec3f> moves(at.size(), Vec3f::Zero());
    for (std::size_t v = 0; v < at.size(); ++v)
        moves[v].y() = 0.2F * std::exp(-40 * (at[v] - Vec3f(0.5F, 0, 0.5F)).squaredNorm());
    sheet.parts[0].targets = {{{"POSITION", std::make_shared<const Stream>(makeStream(moves))}}};
    const Reduced result = reduceTo(sheet, 100);
    ASSERT_EQ(result.mesh->parts[0].targets.size(), 1U);
    EXPECT_LT(PosedSurfaces(sheet).largestDeviation(*result.mesh), 0.05);
    float highest = 0;
    for (const Vec3f& move : toVectors(*result.mesh->parts[0].targets[0][0].stream))
        highest = std::max(highest, move.y());
    EXPECT_GT(highest, 0.15F) << "the bump still rises";
}

TEST(Reduce, ATownKeepsItsBlocks) {
    // 26 blocks of 10 x 10 quads a side, some of them small, apart from each other.
    Mesh town;
    std::vector<Vec3f> positions;
    std::vector<std::uint32_t> indices;
    for (int b = 0; b < 26; ++b) {
        const Mesh block = test::makeSphere(24, 12, b % 5 == 0 ? 0.5 : 3);
        const auto base = static_cast<std::uint32_t>(positions.size());
        for (const Vec3f& p : positionsOf(block.parts[0]))
            positions.push_back(
                p + Vec3f(12.0F * static_cast<float>(b % 6), 0, 12.0F * static_cast<float>(b / 6)));
        for (const std::uint32_t i : block.parts[0].indices) indices.push_back(base + i);
    }
    town.parts.push_back(test::makePart(positions, indices));
    const std::size_t whole = indices.size() / 3;
    const Reduced result = reduceTo(town, whole / 20);
    std::set<std::pair<int, int>> blocks;
    for (const Vec3f& p : positionsOf(result.mesh->parts[0]))
        blocks.insert(
            {static_cast<int>(std::lround(p.x() / 12)), static_cast<int>(std::lround(p.z() / 12))});
    EXPECT_EQ(blocks.size(), 26U);
    EXPECT_NEAR(static_cast<double>(result.mesh->triangles), static_cast<double>(whole) / 20,
                0.01 * static_cast<double>(whole) / 20 + 2);
    EXPECT_LT(result.deviation, 3) << "nothing as large as a block is gone";
}

/// Closed blocks of fine walls with a picture for each: seams hold no corner while the shape goes.
TEST(Reduce, BlocksWithPicturesStayBlocks) {
    constexpr int kBlocks = 12;
    Part town;
    std::vector<Vec3f> points;
    std::vector<Vec2f> texture;
    for (int b = 0; b < kBlocks; ++b) {
        const int cells = b % 3 == 0 ? 16 : 5;  // Some of them far too fine.
        const float size = 6.0F + static_cast<float>(b % 4);
        const Vec3f low(20.0F * static_cast<float>(b), 0, 0);
        for (int face = 0; face < 6; ++face) {
            const int axis = face / 2;
            const auto first = static_cast<std::uint32_t>(points.size());
            for (int i = 0; i <= cells; ++i)
                for (int k = 0; k <= cells; ++k) {
                    Vec3f at = Vec3f::Zero();
                    at[axis] = face % 2 ? size : 0;
                    at[(axis + 1) % 3] = size * static_cast<float>(i) / static_cast<float>(cells);
                    at[(axis + 2) % 3] = size * static_cast<float>(k) / static_cast<float>(cells);
                    points.push_back(low + at);
                    texture.emplace_back(
                        0.3F * static_cast<float>(face) + 0.02F * at[(axis + 1) % 3],
                        0.1F * static_cast<float>(b) + 0.02F * at[(axis + 2) % 3]);
                }
            const auto row = static_cast<std::uint32_t>(cells + 1);
            for (std::uint32_t i = 0; i + 1 < row; ++i)
                for (std::uint32_t k = 0; k + 1 < row; ++k) {
                    const std::uint32_t a = first + i * row + k;
                    Corners one = {a, a + row, a + row + 1};
                    Corners two = {a, a + row + 1, a + 1};
                    if (face % 2 == 0) std::swap(one[1], one[2]), std::swap(two[1], two[2]);
                    town.indices.insert(town.indices.end(), one.begin(), one.end());
                    town.indices.insert(town.indices.end(), two.begin(), two.end());
                }
        }
    }
    town.set("POSITION", makeStream(points));
    town.set("TEXCOORD_0", makeStream(texture));
    Mesh mesh;
    mesh.parts.push_back(std::move(town));
    const double area = test::areaOf(mesh);
    ReducerOptions anywhere;
    anywhere.placement = Placement::Optimal;
    const Reduced result = reduceTo(mesh, 14 * kBlocks, anywhere);
    EXPECT_LE(result.mesh->triangles, 14U * kBlocks);
    EXPECT_LT(result.deviation, 0.1);
    EXPECT_NEAR(test::areaOf(*result.mesh), area, 0.01 * area);
}

}  // namespace
}  // namespace flentro
