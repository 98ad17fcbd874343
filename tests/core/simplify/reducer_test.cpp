// What the reducer is made of: directions in four bytes, wedges and their names, fans, costs that
// only grow, queues, the log; and what its sweeps promise.

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <tbb/global_control.h>

#include <atomic>
#include <cmath>
#include <map>
#include <random>
#include <set>

#include "simplify/reducer.h"
#include "support/meshes.h"
#include "support/process.h"

namespace flentro {
namespace {

using testing::ElementsAre;

constexpr double kNoLimit = std::numeric_limits<double>::infinity();

double waves(double u, double v) {
    return 0.02 * std::sin(40 * u) * std::cos(33 * v);
}

// --- directions ---------------------------------------------------------------------------

TEST(PackedDirection, KeepsEveryDirectionToAHundredthOfADegree) {
    std::mt19937 random(3);
    std::normal_distribution<float> normal;
    for (int i = 0; i < 20'000; ++i) {
        const Vec3f direction(normal(random), normal(random), normal(random));
        const Vec3f unpacked = PackedDirection(direction).unpacked();
        const float sine = direction.normalized().cross(unpacked.normalized()).norm();
        EXPECT_LT(sine, 2e-4F) << direction.transpose();
        EXPECT_GT(direction.dot(unpacked), 0);
        EXPECT_GE(unpacked.norm(), 0.57F);
        EXPECT_LE(unpacked.norm(), 1.001F);
    }
}

TEST(PackedDirection, KeepsTheAxesExactly) {
    for (int axis = 0; axis < 3; ++axis)
        for (const float sign : {-1.0F, 1.0F})
            EXPECT_EQ(PackedDirection(7 * sign * Vec3f::Unit(axis)).unpacked(),
                      sign * Vec3f::Unit(axis));
}

TEST(PackedDirection, CanBeNone) {
    EXPECT_EQ(PackedDirection().unpacked(), Vec3f::Zero());
}

// --- wedges -------------------------------------------------------------------------------

TEST(Wedges, TheFirstAtEachPositionHasItsNumber) {
    // A box: eight positions of three wedges each.
    const WedgeMesh wedges = buildWedgeMesh(test::makeBox({1, 2, 3}), {}).value();
    ASSERT_EQ(wedges.positions.size(), 8U);
    ASSERT_EQ(wedges.wedgeVertex.size(), 24U);
    std::array<int, 8> count{};
    for (std::uint32_t w = 0; w < 8; ++w) EXPECT_EQ(wedges.wedgeVertex[w], w);
    for (const std::uint32_t vertex : wedges.wedgeVertex) ++count[vertex];
    EXPECT_THAT(count, testing::Each(3));
}

TEST(RemapTable, CountWhatIsLeftAcrossWords) {
    const auto isLeft = [](std::uint32_t w) { return w % 3 != 0; };
    const RemapTable numbers(200, 150, isLeft);
    std::vector<std::uint32_t> values, expected;
    std::uint32_t next = 0;
    for (std::uint32_t w = 0; w < 200; ++w) {
        EXPECT_EQ(numbers.of(w), isLeft(w) ? next++ : RemapTable::kNone) << w;
        for (const std::uint32_t value : {10 * w, 10 * w + 1}) {
            values.push_back(value);
            if (isLeft(w)) expected.push_back(value);
        }
    }
    EXPECT_EQ(numbers.vertices(), 100U);
    numbers.apply(values, 2);
    EXPECT_EQ(values, expected);
    const RemapTable all(64, 64, [](std::uint32_t) { return true; });
    EXPECT_EQ(all.vertices(), 64U);
    EXPECT_EQ(all.of(63), 63U);
}

TEST(Wedges, NamesLeadFromVerticesToWedgesAndBack) {
    Mesh mesh = test::makeUntidy();  // equal vertices stored apart
    mesh.parts.push_back(test::makeSphere(8, 6).parts.front());
    const WedgeMesh wedges = buildWedgeMesh(mesh, {}).value();
    const OriginalIndices& names = wedges.names;
    ASSERT_EQ(names.wedges.size(), mesh.parts[0].vertexCount() + mesh.parts[1].vertexCount());
    for (std::uint32_t p = 0; p < 2; ++p) {
        const Stream& positions = *mesh.parts[p].find("POSITION");
        for (const std::uint32_t vertex : mesh.parts[p].indices) {
            const std::uint32_t wedge = names.wedges[names.firstOfPart[p] + vertex];
            ASSERT_EQ(names.partOf(wedge), p);
            for (int c = 0; c < 3; ++c)
                EXPECT_EQ(positions.value(names.originalOf(wedge), c), positions.value(vertex, c));
        }
    }
}

// --- fans ---------------------------------------------------------------------------------

/// Two triangles on the diagonal 1 - 2 of a square.
WedgeMesh square() {
    WedgeMesh mesh;
    mesh.positions = {{0, 0, 0}, {1, 0, 0}, {0, 0, -1}, {1, 0, -1}};
    mesh.wedgeVertex = {0, 1, 2, 3};
    mesh.corners = {0, 1, 2, 2, 1, 3};
    mesh.triangles = 2;
    return mesh;
}

std::vector<Corner> cornersAt(const Fans& fans, std::uint32_t vertex) {
    std::vector<Corner> corners;
    for (const Corner corner : fans.at(vertex)) corners.push_back(corner);
    return corners;
}

TEST(Fans, ListTheCornersAtEachPosition) {
    WedgeMesh mesh = square();
    const Fans fans(mesh);
    constexpr Corner kSecond = Fans::kStride;
    EXPECT_THAT(cornersAt(fans, 0), ElementsAre(0));
    EXPECT_THAT(cornersAt(fans, 1), ElementsAre(1, kSecond + 1));
    EXPECT_THAT(cornersAt(fans, 2), ElementsAre(2, kSecond));
    EXPECT_EQ(nextCorner(2), 0U);
    EXPECT_EQ(previousCorner(kSecond), kSecond + 2);
    EXPECT_EQ(fans.vertexAt(nextCorner(kSecond)), 1U);
    EXPECT_EQ(fans.facing(1), Vec3f::UnitY());
    EXPECT_EQ(fans.end(), 2 * kSecond);
}

TEST(Fans, PassOverWhatHasBeenRemoved) {
    WedgeMesh mesh = square();
    Fans fans(mesh);
    fans.remove(1);
    EXPECT_TRUE(cornersAt(fans, 0).empty());
    EXPECT_THAT(cornersAt(fans, 1), ElementsAre(Fans::kStride + 1));
    EXPECT_EQ(fans.end(), 2 * Fans::kStride) << "its words are still there";
}

TEST(Fans, JoinUntilOneIsLeft) {
    WedgeMesh wedges = buildWedgeMesh(test::makeGrid(30, 30), {}).value();
    Fans fans(wedges);
    const auto positions = static_cast<std::uint32_t>(wedges.positions.size());
    Star from, to;
    for (std::uint32_t p = positions - 1; p > 0; --p) {
        fans.gatherOneRing(p, from);
        fans.gatherOneRing(p - 1, to);
        for (const IncidentCorner& incident : from.incident) fans.setWedge(incident.corner, p - 1);
        fans.join(from, to);
        EXPECT_TRUE(cornersAt(fans, p).empty());
        for (const Corner corner : fans.at(p - 1)) ASSERT_EQ(fans.vertexAt(corner), p - 1);
    }
    EXPECT_EQ(cornersAt(fans, 0).size(), 3 * wedges.triangles) << "none was lost, none is twice";
}

TEST(Fans, AreGatheredWithBothNeighboursOfEachTriangle) {
    WedgeMesh mesh = square();
    const Fans fans(mesh);
    Star star;
    fans.gatherOneRing(0, star);
    EXPECT_EQ(star.vertex, 0U);
    ASSERT_EQ(star.incident.size(), cornersAt(fans, 0).size());
    for (const IncidentCorner& incident : star.incident) {
        EXPECT_EQ(fans.vertexAt(incident.corner), 0U);
        EXPECT_EQ(incident.next, fans.vertexAt(nextCorner(incident.corner)));
        EXPECT_EQ(incident.previous, fans.vertexAt(previousCorner(incident.corner)));
    }
}

TEST(Fans, AreTheSameByNewNumbers) {
    WedgeMesh box = buildWedgeMesh(test::makeBox({1, 2, 3}), {}).value();
    Fans fans(box);
    for (const Corner corner : fans.at(3)) fans.remove(corner);
    std::map<std::uint32_t, std::multiset<std::array<float, 3>>> facings;  // by vertex
    const auto facing = [](const Fans& of, Corner corner) {
        const Vec3f f = of.facing(corner);
        return std::array{f.x(), f.y(), f.z()};
    };
    for (std::uint32_t p = 0; p < 8; ++p)
        for (const Corner corner : fans.at(p)) facings[p].insert(facing(fans, corner));
    const RemapTable numbers(24, 8, [&](std::uint32_t w) { return box.wedgeVertex[w] != 3; });
    EXPECT_EQ(numbers.of(2), 2U);
    EXPECT_EQ(numbers.of(3), RemapTable::kNone);
    EXPECT_EQ(numbers.of(7), 6U);
    fans.renumber(numbers);
    std::size_t corners = 0;
    for (std::uint32_t p = 0; p < 8; ++p) {
        if (p == 3) continue;
        std::multiset<std::array<float, 3>> now;
        for (const Corner corner : fans.at(numbers.of(p))) {
            EXPECT_EQ(fans.vertexAt(corner), numbers.of(p));
            now.insert(facing(fans, corner));
        }
        EXPECT_EQ(now, facings[p]) << p;
        corners += now.size();
    }
    EXPECT_EQ(fans.end(), corners / 3 * Fans::kStride) << "no room is kept for the others";
    EXPECT_EQ(numbers.vertices(), 7U);
}

TEST(Fans, VisitEachTriangleOnceThoughBlocksGoSideBySide) {
    WedgeMesh wedges = buildWedgeMesh(test::makeGrid(150, 150, 1, waves), {}).value();
    ASSERT_GT(wedges.positions.size(), 5 * kBlock);
    const Fans fans(wedges);
    std::vector<std::uint32_t> first;
    for (Corner corner = 0; corner < fans.end(); corner += Fans::kStride)
        first.push_back(fans.vertexAt(corner));
    EXPECT_TRUE(std::ranges::is_sorted(first)) << "triangles lie with their vertices";
    std::vector<int> visits(wedges.triangles, 0);
    fans.visitBlocks([&](Corner corner) { ++visits[corner / Fans::kStride]; });
    EXPECT_THAT(visits, testing::Each(1));
}

// --- queues -------------------------------------------------------------------------------

TEST(CostQueue, GivesTheCheapestFirstAndAmongEqualsTheFirst) {
    CostQueue queue;
    EXPECT_FALSE(queue.pop());
    queue.push(4, 10);
    queue.push(0.5F, 11);
    queue.push(4, 12);
    queue.push(-1, 13);  // a bound: by its size
    EXPECT_EQ(queue.pop()->what, 11U);
    EXPECT_EQ(queue.pop()->what, 13U);
    queue.push(0, 14);
    EXPECT_EQ(queue.pop()->what, 14U) << "cheaper than all that were taken";
    EXPECT_EQ(queue.pop()->what, 10U);
    EXPECT_EQ(queue.pop()->what, 12U);
    EXPECT_FALSE(queue.pop());
}

TEST(CostQueue, ForgetsAllWhenCleared) {
    CostQueue queue;
    for (std::uint32_t i = 0; i < 100; ++i) queue.push(static_cast<float>(i), i);
    EXPECT_EQ(queue.pop()->what, 0U);
    queue.clear();
    EXPECT_FALSE(queue.pop());
    queue.push(1e30F, 7);
    EXPECT_EQ(queue.pop()->what, 7U);
}

TEST(CostQueue, KeysLieInTheOrderOfCosts) {
    float before = 0;
    for (float cost = 1e-20F; cost < 1e20F; cost *= 1.3F) {
        EXPECT_GT(costKey(cost), costKey(before)) << cost;
        EXPECT_EQ(costKey(cost), costKey(-cost));
        EXPECT_LT(costKey(cost), kCostKeys);
        before = cost;
    }
    EXPECT_GT(costKey(std::numeric_limits<float>::infinity()), costKey(before));
}

// --- costs --------------------------------------------------------------------------------

TEST(ErrorMetric, TheShortWayToACostIsTheSameAndBounded) {
    WedgeMesh wedges = buildWedgeMesh(test::makeGrid(12, 12, 1, waves), {}).value();
    const Fans fans(wedges);
    const ErrorMetric metric(wedges, fans, {});
    const auto positions = static_cast<std::uint32_t>(wedges.positions.size());
    for (std::uint32_t p = 0; p + 1 < positions; ++p) {
        const WedgeMerge merge{p, p + 1};
        const float cost = metric.onto(p, p + 1, {&merge, 1}).cost;
        EXPECT_FLOAT_EQ(metric.costOnto(p, p + 1, 1e9F), cost);
        EXPECT_LE(metric.least(p, p + 1), cost);
        EXPECT_GE(metric.costOnto(p, p + 1, 0), 0) << "at the limit at once";
    }
}

TEST(ErrorMetric, CostsOnlyGrowAsVerticesJoin) {
    WedgeMesh wedges = buildWedgeMesh(test::makeGrid(20, 20, 1, waves), {}).value();
    const Fans fans(wedges);
    ErrorMetric metric(wedges, fans, {});
    const auto positions = static_cast<std::uint32_t>(wedges.positions.size());
    std::mt19937 random(5);
    for (int i = 0; i < 2000; ++i) {
        const std::uint32_t a = random() % positions;
        const std::uint32_t b = random() % positions;
        const std::uint32_t c = random() % positions;
        if (a == b || b == c || c == a) continue;
        const float before = metric.costOnto(a, b, 1e9F);
        const WedgeMerge merge{c, a};
        metric.join(c, a, {&merge, 1}, Vec3f::Zero(), false);
        EXPECT_GE(metric.costOnto(a, b, 1e9F), before * (1 - 1e-3F) - 1e-9F);
    }
}

// --- the log ------------------------------------------------------------------------------

TEST(CollapseLog, PutsBatchesTogetherByCost) {
    const MeshPtr mesh = finishMesh(test::makeGrid(8, 8, 1, waves));
    CollapseLog log(*mesh, buildWedgeMesh(*mesh, {}).value());
    const auto batch = [&](std::uint32_t from, const std::vector<float>& costs, float more) {
        CollapseBatch made(log.attributeCount());
        for (std::uint32_t i = 0; i < costs.size(); ++i) {
            const WedgeMerge merge{from + i, 70};
            made.add({{&merge, 1}, 2, costs[i] + more, {}, {}}, bucketKey(costs[i]));
        }
        return made;
    };
    const std::vector<CollapseBatch> batches = {batch(0, {1, 16, 2}, 0), batch(10, {4, 16}, 4)};
    EXPECT_EQ(batches[0].triangles, 6U);
    CollapseBatch none(log.attributeCount());
    log.add(batches, none);
    EXPECT_EQ(log.fewestTriangles(), 128U - 10);
    const double expected[] = {1, 2, 8, 16, 20};  // among equals the first batch is first
    for (std::size_t i = 0; i < 5; ++i)
        EXPECT_EQ(log.deviationAt(128 - 2 * (i + 1)), expected[i]) << i;
    EXPECT_EQ(log.lastDeviation(), 20);
    log.add({}, batches[0]);
    EXPECT_EQ(log.deviationAt(0), 20) << "later ones come later, and deviations never fall";
}

TEST(CollapseSteps, GiveBackWhatTheyWereGiven) {
    CollapseSteps steps(2);
    const std::array<WedgeMerge, 2> merges{{{1, 2}, {3, 4}}};
    const std::array<float, 4> attributes{5, 6, 7, 8};
    steps.add({merges, 2, 0.5F, {}, {}});
    steps.add({merges, 1, 0.7F, Vec3f(1, 2, 3), attributes});
    steps.add({{merges.data(), 1}, 2, 0.9F, {}, {}});
    CollapseSteps::Cursor cursor;
    EXPECT_FALSE(steps.at(cursor).position);
    steps.advance(cursor);
    const CollapseStep moved = steps.at(cursor);
    EXPECT_EQ(moved.position, Vec3f(1, 2, 3));
    EXPECT_THAT(moved.attributes, ElementsAre(5, 6, 7, 8));
    EXPECT_EQ(moved.merges[1].from, 3U);
    EXPECT_EQ(moved.triangles, 1U);
    steps.advance(cursor);
    const CollapseStep last = steps.at(cursor);
    EXPECT_EQ(last.merges.size(), 1U);
    EXPECT_FALSE(last.position);
    EXPECT_NEAR(last.deviation, 0.9F, 0.9F / 128);
}

TEST(CollapseLog, TellsOfLoosePiecesAtEveryCount) {
    Mesh mesh = test::makeGrid(30, 30, 1, waves);
    std::vector<Vec3f> positions = positionsOf(mesh.parts[0]);
    std::vector<std::uint32_t> indices = mesh.parts[0].indices;
    for (int i = 0; i < 20; ++i) {
        const auto base = static_cast<std::uint32_t>(positions.size());
        const Vec3f at(0.05F * static_cast<float>(i), 0.2F, 0.5F);
        for (const Vec3f& p : {Vec3f(0, 0, 0), Vec3f(0.003F, 0, 0), Vec3f(0, 0, 0.003F)})
            positions.push_back(at + p);
        indices.insert(indices.end(), {base, base + 1, base + 2});
    }
    Mesh crumbs;
    crumbs.parts.push_back(test::makePart(positions, indices));
    const MeshPtr whole = finishMesh(std::move(crumbs));
    Reducer reducer(*whole, {});
    ASSERT_TRUE(reducer.reduceTo(50, kNoLimit, noProgress()));
    const CollapseLog& log = reducer.log();
    EXPECT_EQ(log.fewestTriangles(), reducer.triangleCount());
    for (std::size_t count = 50; count <= whole->triangles; count += 37) {
        const MeshPtr state = finishMesh(log.meshAt(count));
        EXPECT_LE(state->triangles, count);
        EXPECT_EQ(state->triangles, log.trianglesAt(count));
    }
    EXPECT_EQ(log.trianglesAt(whole->triangles), whole->triangles) << "nothing has gone yet";
    EXPECT_EQ(log.deviationAt(whole->triangles), 0);
}

TEST(CollapseLog, TrianglesThatHadNoSurfaceNeverComeBack) {
    // Slits along an edge whose ends are wedges of their own: both ends lie at one vertex, and what
    // is on either side of it moves away.
    Mesh mesh = test::makeGrid(10, 10, 1, waves);
    std::vector<Vec3f> positions = positionsOf(mesh.parts[0]);
    std::vector<std::uint32_t> indices = mesh.parts[0].indices;
    for (const std::uint32_t vertex : {24U, 37U, 60U, 61U}) {
        const auto twin = static_cast<std::uint32_t>(positions.size());
        positions.push_back(positions[vertex]);
        indices.insert(indices.end(), {vertex, twin, vertex + 1});
    }
    Part part = test::makePart(positions, indices);
    std::vector<Vec3f> marks;
    for (std::size_t i = 0; i < positions.size(); ++i)
        marks.push_back({static_cast<float>(i), 0, 0});
    test::addStream(part, "_MARK", makeStream(marks));
    Mesh slits;
    slits.parts.push_back(std::move(part));
    const MeshPtr whole = finishMesh(std::move(slits));
    Reducer reducer(*whole, {});
    EXPECT_EQ(reducer.triangleCount(), whole->triangles - 4);
    while (reducer.triangleCount() > 8) {
        const std::size_t before = reducer.triangleCount();
        ASSERT_TRUE(reducer.reduceTo(before - 1, kNoLimit, noProgress()));
        if (reducer.triangleCount() == before) break;
        EXPECT_EQ(finishMesh(reducer.mesh())->triangles, reducer.triangleCount());
    }
    EXPECT_LT(reducer.triangleCount(), 100U);
}

// --- sweeps -------------------------------------------------------------------------------

/// Compares the states at some counts on the way to the last, made by all threads and by one.
void expectTheSameForAnyNumberOfThreads(const Mesh& mesh,
                                        std::initializer_list<std::size_t> counts) {
    for (const Placement placement : {Placement::Existing, Placement::Optimal}) {
        ReducerOptions options;
        options.placement = placement;
        const auto states = [&] {
            Reducer reducer(mesh, options);
            EXPECT_TRUE(reducer.reduceTo(std::min(counts), kNoLimit, noProgress()));
            std::vector<Hash> hashes;
            for (const std::size_t count : counts)
                hashes.push_back(finishMesh(reducer.log().meshAt(count))->hash);
            return hashes;
        };
        const auto many = states();
        const tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
        EXPECT_EQ(many, states());
    }
}

TEST(Reducer, IsTheSameForAnyNumberOfThreads) {
    expectTheSameForAnyNumberOfThreads(*finishMesh(test::makeGrid(130, 130, 1, waves)), {2000});
}

TEST(Reducer, BlocksOfWedgesAndPiecesAreTheSameForAnyNumberOfThreads) {
    // Seams along every tenth row, a second part with edges of its own, and crumbs.
    Mesh mesh = test::makeGrid(150, 150, 1, waves);
    std::vector<Vec2f> coords;
    for (int z = 0; z <= 150; ++z)
        for (int x = 0; x <= 150; ++x)
            coords.push_back({static_cast<float>(x) / 10, static_cast<float>(z % 10)});
    test::addStream(mesh.parts[0], "TEXCOORD_0", makeStream(coords));
    Mesh other = test::makeGrid(90, 90, 0.5, waves);
    mesh.parts.push_back(other.parts[0]);
    mesh.parts.push_back(test::makePart({{0, 1, 0}, {1e-4F, 1, 0}, {0, 1, 1e-4F}}, {0, 1, 2}));
    expectTheSameForAnyNumberOfThreads(*finishMesh(std::move(mesh)),
                                       {40'000, 20'000, 5'000, 1'000});
}

TEST(Reducer, ThinsOutTheRimsOfBlocksLikeTheRest) {
    const MeshPtr mesh = finishMesh(test::makeGrid(160, 160, 1, waves));
    const WedgeMesh wedges = buildWedgeMesh(*mesh, {}).value();
    std::vector<bool> onRim(mesh->parts[0].vertexCount(), false);
    for (std::size_t i = 0; i < wedges.corners.size(); i += 3)
        for (std::size_t k = 0; k < 3; ++k)
            if (wedges.corners[i] / kBlock != wedges.corners[i + k] / kBlock)
                for (std::size_t j = 0; j < 3; ++j)
                    onRim[wedges.names.originals[wedges.corners[i + j]]] = true;
    const auto rims = static_cast<double>(std::ranges::count(onRim, true));
    ASSERT_GT(rims, 1000);
    Reducer reducer(*mesh, {});
    ASSERT_TRUE(reducer.reduceTo(5000, kNoLimit, noProgress()));
    for (const std::size_t count : {40'000U, 20'000U, 5'000U}) {
        std::set<std::uint32_t> left;
        double leftOnRims = 0;
        const auto parts = reducer.log().indicesAt(count);
        for (const std::uint32_t vertex : parts[0])
            if (left.insert(vertex).second) leftOnRims += onRim[vertex];
        const double share = static_cast<double>(left.size()) / static_cast<double>(onRim.size());
        EXPECT_NEAR(leftOnRims / rims / share, 1, 0.25) << count;
    }
}

/// Triangles whose middles lie in each quarter of the unit square.
std::array<std::size_t, 4> quarters(const Mesh& mesh) {
    std::array<std::size_t, 4> count{};
    for (const Part& part : mesh.parts) {
        const std::vector<Vec3f> p = positionsOf(part);
        for (std::size_t i = 0; i + 2 < part.indices.size(); i += 3) {
            const Vec3f sum = p[part.indices[i]] + p[part.indices[i + 1]] + p[part.indices[i + 2]];
            ++count[(sum.x() > 1.5F ? 1U : 0U) + (sum.z() > 1.5F ? 2U : 0U)];
        }
    }
    return count;
}

TEST(Reducer, TakesAsMuchEverywhereThoughItGoesThroughBlocks) {
    // Whole waves: each quarter of the square has as much to it as the others.
    const auto even = [](double u, double v) { return 0.02 * std::sin(37.7 * u + 37.7 * v); };
    const MeshPtr mesh = finishMesh(test::makeGrid(160, 160, 1, +even));
    for (const std::size_t wanted : {30'000U, 10'000U, 3'000U}) {
        Reducer reducer(*mesh, {});
        ASSERT_TRUE(reducer.reduceTo(wanted, kNoLimit, noProgress()));
        EXPECT_LE(reducer.triangleCount(), wanted);
        EXPECT_GE(reducer.triangleCount() + 2, wanted);
        for (const std::size_t count : quarters(reducer.mesh()))
            EXPECT_NEAR(4.0 * static_cast<double>(count) / static_cast<double>(wanted), 1, 0.12)
                << wanted;
    }
}

TEST(Reducer, EveryStateOnTheWayIsEven) {
    // Ladders and sliders stop where they like, in the middle of a sweep too.
    const auto even = [](double u, double v) { return 0.02 * std::sin(37.7 * u + 37.7 * v); };
    const MeshPtr mesh = finishMesh(test::makeGrid(160, 160, 1, +even));
    Reducer reducer(*mesh, {});
    ASSERT_TRUE(reducer.reduceTo(500, kNoLimit, noProgress()));
    for (std::size_t count = 2000; count < mesh->triangles; count += 3777)
        for (const std::size_t quarter : quarters(reducer.log().meshAt(count)))
            EXPECT_NEAR(4.0 * static_cast<double>(quarter) / static_cast<double>(count), 1, 0.25)
                << count;
}

TEST(Reducer, AHubOfThousandsOfSpokesComesOutSound) {
    constexpr std::uint32_t kSpokes = 3000;
    std::vector<Vec3f> positions = {Vec3f(0, 0.1F, 0)};
    std::vector<std::uint32_t> indices;
    for (std::uint32_t i = 0; i < kSpokes; ++i) {
        const float angle = 2 * static_cast<float>(kPi) * static_cast<float>(i) / kSpokes;
        positions.push_back({std::cos(angle), 0, std::sin(angle)});
        indices.insert(indices.end(), {0, 1 + (i + 1) % kSpokes, 1 + i});
    }
    Mesh disc;
    disc.parts.push_back(test::makePart(positions, indices));
    const MeshPtr whole = finishMesh(std::move(disc));
    Reducer reducer(*whole, {});
    ASSERT_TRUE(reducer.reduceTo(48, kNoLimit, noProgress()));
    EXPECT_LE(reducer.triangleCount(), 48U);
    const Mesh reduced = reducer.mesh();
    EXPECT_EQ(test::describeEdges(reduced),
              std::to_string(reducer.triangleCount()) + " border, 0 non-manifold")
        << "a wheel still: each spoke's triangle has one edge on the rim";
    EXPECT_NEAR(test::areaOf(reduced), test::areaOf(*whole), 0.05);
}

TEST(Reducer, WhatIsLockedStaysWhereverVerticesMayGo) {
    const Mesh sphere = test::makeSphere(40, 20);
    const std::vector<Vec3f> before = positionsOf(sphere.parts[0]);
    ReducerOptions options;
    options.locked = {std::vector<bool>(before.size(), false)};
    std::vector<Vec3f> kept;
    for (std::size_t i = 0; i < before.size(); i += 37) {
        options.locked[0][i] = true;
        kept.push_back(before[i]);
    }
    for (const Placement placement : {Placement::Existing, Placement::Optimal}) {
        options.placement = placement;
        const MeshPtr whole = finishMesh(sphere);
        Reducer reducer(*whole, options);
        ASSERT_TRUE(reducer.reduceTo(200, kNoLimit, noProgress()));
        const Mesh reduced = reducer.mesh();
        const std::vector<Vec3f> after = positionsOf(reduced.parts[0]);
        for (const Vec3f& position : kept)
            EXPECT_TRUE(std::ranges::any_of(after, [&](const Vec3f& p) {
                return (p - position).norm() < 1e-6F;
            })) << position.transpose();
    }
}

TEST(Reducer, GoesOnWithALargerAllowance) {
    const MeshPtr mesh = finishMesh(test::makeGrid(60, 60, 1, waves));
    Reducer step(*mesh, {});
    std::size_t previous = mesh->triangles;
    for (const double allowed : {1e-4, 1e-3, 1e-2}) {
        ASSERT_TRUE(step.reduceTo(2, allowed, noProgress()));
        EXPECT_LE(step.estimatedDeviation(), allowed);
        EXPECT_LT(step.triangleCount(), previous) << allowed;
        previous = step.triangleCount();
    }
    Reducer once(*mesh, {});
    ASSERT_TRUE(once.reduceTo(2, 1e-2, noProgress()));
    EXPECT_NEAR(static_cast<double>(step.triangleCount()),
                static_cast<double>(once.triangleCount()),
                0.15 * static_cast<double>(once.triangleCount()))
        << "what was refused for the smaller allowance is looked at again";
}

/// Asks to stop at the n-th time that it is asked.
class StopLater final : public Progress {
public:
    explicit StopLater(int asks) : asks_(asks) {}
    void report(double, std::string_view) override {}
    [[nodiscard]] bool cancelled() const override { return asks_-- <= 0; }

private:
    mutable std::atomic<int> asks_;
};

TEST(Reducer, StopsInTheMiddleOfASweepWithASoundMesh) {
    const MeshPtr mesh = finishMesh(test::makeGrid(120, 120, 1, waves));
    Reducer reducer(*mesh, {});
    StopLater stop(6);  // a sweep asks for each of four blocks, twice
    EXPECT_FALSE(reducer.reduceTo(100, kNoLimit, stop));
    EXPECT_LT(reducer.triangleCount(), mesh->triangles);
    EXPECT_GT(reducer.triangleCount(), mesh->triangles / 2);
    EXPECT_EQ(finishMesh(reducer.mesh())->triangles, reducer.triangleCount());
    ASSERT_TRUE(reducer.reduceTo(100, kNoLimit, noProgress())) << "and can go on";
    EXPECT_LE(reducer.triangleCount(), 100U);
}

}  // namespace
}  // namespace flentro
