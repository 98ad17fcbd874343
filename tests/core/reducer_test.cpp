// What the reducer is made of: directions in four bytes, wedges and their names, fans, costs that
// only grow, the log; and what its sweeps promise.

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <tbb/global_control.h>

#include <cmath>
#include <random>

#include "simplify/reducer.h"
#include "support/meshes.h"
#include "support/process.h"

namespace flentro {
namespace {

using testing::UnorderedElementsAre;

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
    const WedgeMesh wedges = takeApart(test::makeBox({1, 2, 3}), {});
    ASSERT_EQ(wedges.positions.size(), 8U);
    ASSERT_EQ(wedges.wedgePosition.size(), 24U);
    std::array<int, 8> count{};
    for (std::uint32_t w = 0; w < 8; ++w) EXPECT_EQ(wedges.wedgePosition[w], w);
    for (const std::uint32_t position : wedges.wedgePosition) ++count[position];
    EXPECT_THAT(count, testing::Each(3));
}

TEST(Wedges, NamesLeadFromVerticesToWedgesAndBack) {
    Mesh mesh = test::makeUntidy();  // equal vertices stored apart
    mesh.parts.push_back(test::makeSphere(8, 6).parts.front());
    const WedgeMesh wedges = takeApart(mesh, {});
    const WedgeNames& names = wedges.names;
    ASSERT_EQ(names.wedges.size(), mesh.parts[0].vertexCount() + mesh.parts[1].vertexCount());
    for (std::uint32_t p = 0; p < 2; ++p) {
        const Stream& positions = *mesh.parts[p].find("POSITION");
        for (const std::uint32_t vertex : mesh.parts[p].indices) {
            const std::uint32_t wedge = names.wedges[names.firstOfPart[p] + vertex];
            ASSERT_EQ(names.partOf(wedge), p);
            for (int c = 0; c < 3; ++c)
                EXPECT_EQ(positions.value(names.vertexOf(wedge), c), positions.value(vertex, c));
        }
    }
}

// --- fans ---------------------------------------------------------------------------------

/// Two triangles on the diagonal 1 - 2 of a square.
WedgeMesh square() {
    WedgeMesh mesh;
    mesh.positions = {{0, 0, 0}, {1, 0, 0}, {0, 0, -1}, {1, 0, -1}};
    mesh.wedgePosition = {0, 1, 2, 3};
    mesh.corners = {0, 1, 2, 2, 1, 3};
    return mesh;
}

std::vector<Corner> cornersAt(const Fans& fans, std::uint32_t position) {
    std::vector<Corner> corners;
    for (const Corner corner : fans.at(position)) corners.push_back(corner);
    return corners;
}

TEST(Fans, ListTheCornersAtEachPosition) {
    Fans fans(square());
    fans.refresh();
    EXPECT_THAT(cornersAt(fans, 0), UnorderedElementsAre(0));
    EXPECT_THAT(cornersAt(fans, 1), UnorderedElementsAre(1, 5));
    EXPECT_THAT(cornersAt(fans, 2), UnorderedElementsAre(2, 4));
    EXPECT_EQ(nextCorner(2), 0U);
    EXPECT_EQ(previousCorner(4), 6U);
    EXPECT_EQ(fans.positionAt(nextCorner(4)), 1U);
    EXPECT_EQ(fans.facing(1), Vec3f::UnitY());
}

TEST(Fans, PassOverWhatHasBeenRemoved) {
    Fans fans(square());
    fans.refresh();
    fans.remove(1);
    EXPECT_TRUE(cornersAt(fans, 0).empty());
    EXPECT_THAT(cornersAt(fans, 1), UnorderedElementsAre(5));
    fans.refresh();
    EXPECT_EQ(fans.size(), 1U);
    EXPECT_THAT(cornersAt(fans, 1), UnorderedElementsAre(1)) << "numbered anew";
}

TEST(Fans, JoinUntilOneIsLeftHoweverOftenTheyAreListedAnew) {
    const WedgeMesh wedges = takeApart(test::makeGrid(30, 30), {});
    Fans fans(wedges);
    fans.refresh();
    const auto positions = static_cast<std::uint32_t>(wedges.positions.size());
    for (std::uint32_t from = positions - 1; from > 0; --from) {
        for (const Corner corner : fans.at(from)) fans.setWedge(corner, from - 1);
        fans.join(from, from - 1);
        EXPECT_TRUE(cornersAt(fans, from).empty());
        for (const Corner corner : fans.at(from - 1)) ASSERT_EQ(fans.positionAt(corner), from - 1);
    }
    EXPECT_EQ(cornersAt(fans, 0).size(), wedges.corners.size()) << "none was lost, none is twice";
}

// --- costs --------------------------------------------------------------------------------

TEST(ErrorMetric, TheShortWayToACostIsTheSameAndBounded) {
    WedgeMesh wedges = takeApart(test::makeGrid(12, 12, 1, waves), {});
    const ErrorMetric metric(wedges, {});
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
    WedgeMesh wedges = takeApart(test::makeGrid(20, 20, 1, waves), {});
    ErrorMetric metric(wedges, {});
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

TEST(CollapseLog, TellsOfLoosePiecesAtEveryCount) {
    Mesh mesh = test::makeGrid(30, 30, 1, waves);
    std::vector<Vec3f> positions = toVectors(*mesh.parts[0].find("POSITION"));
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
    // Slits along an edge whose ends are wedges of their own: both ends lie in one place, and what
    // is on either side of it moves away.
    Mesh mesh = test::makeGrid(10, 10, 1, waves);
    std::vector<Vec3f> positions = toVectors(*mesh.parts[0].find("POSITION"));
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

TEST(Reducer, IsTheSameForAnyNumberOfThreads) {
    const MeshPtr mesh = finishMesh(test::makeGrid(130, 130, 1, waves));
    for (const Placement placement : {Placement::Existing, Placement::Optimal}) {
        ReducerOptions options;
        options.placement = placement;
        const auto reduced = [&] {
            Reducer reducer(*mesh, options);
            EXPECT_TRUE(reducer.reduceTo(2000, kNoLimit, noProgress()));
            return finishMesh(reducer.mesh())->hash;
        };
        const auto many = reduced();
        const tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
        EXPECT_EQ(many, reduced());
    }
}

/// Triangles whose middles lie in each quarter of the unit square.
std::array<std::size_t, 4> quarters(const Mesh& mesh) {
    std::array<std::size_t, 4> count{};
    for (const Part& part : mesh.parts) {
        const std::vector<Vec3f> p = toVectors(*part.find("POSITION"));
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
    const std::vector<Vec3f> before = toVectors(*sphere.parts[0].find("POSITION"));
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
        const std::vector<Vec3f> after = toVectors(*reduced.parts[0].find("POSITION"));
        for (const Vec3f& place : kept)
            EXPECT_TRUE(std::ranges::any_of(after, [&](const Vec3f& p) {
                return (p - place).norm() < 1e-6F;
            })) << place.transpose();
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
    mutable int asks_;
};

TEST(Reducer, StopsInTheMiddleOfASweepWithASoundMesh) {
    const MeshPtr mesh = finishMesh(test::makeGrid(120, 120, 1, waves));
    Reducer reducer(*mesh, {});
    StopLater stop(6);  // a sweep asks fifteen times
    EXPECT_FALSE(reducer.reduceTo(100, kNoLimit, stop));
    EXPECT_LT(reducer.triangleCount(), mesh->triangles);
    EXPECT_GT(reducer.triangleCount(), mesh->triangles / 2);
    EXPECT_EQ(finishMesh(reducer.mesh())->triangles, reducer.triangleCount());
    ASSERT_TRUE(reducer.reduceTo(100, kNoLimit, noProgress())) << "and can go on";
    EXPECT_LE(reducer.triangleCount(), 100U);
}

}  // namespace
}  // namespace flentro
