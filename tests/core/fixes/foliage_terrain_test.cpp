// What ladders do with foliage of loose cards, with terrain in cells, and with painted importance.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <random>
#include <set>

#include "base/index.h"
#include "fixes/fix.h"
#include "fixes/ladder/ladder.h"
#include "fixes/shared_borders.h"
#include "simplify/card_cloud.h"
#include "support/display.h"
#include "support/meshes.h"

namespace flentro {
namespace {

using test::display;

LadderSettings plain() {
    LadderSettings settings;
    settings.minTriangles = 1;
    settings.simplifyLevel0 = false;
    settings.levels = 3;
    return settings;
}

// --- cards --------------------------------------------------------------------------------

/// Loose squares of different sizes in a ball of two metres.
Mesh makeFoliage(std::size_t cards) {
    std::mt19937 random(7);
    std::uniform_real_distribution<float> unit(-1, 1);
    std::vector<Vec3f> places;
    std::vector<std::uint32_t> indices;
    while (places.size() < 4 * cards) {
        const Vec3f centre(unit(random), unit(random) + 3, unit(random));
        const Vec3f across = 0.05F * (1.5F + unit(random)) *
                             Vec3f(unit(random), unit(random), unit(random)).normalized();
        const Vec3f up =
            across.cross(Vec3f(unit(random), unit(random), unit(random))).normalized() *
            across.norm();
        const auto first = static_cast<std::uint32_t>(places.size());
        for (const auto& [x, y] : {std::pair(-1, -1), {1, -1}, {1, 1}, {-1, 1}})
            places.emplace_back(centre + static_cast<float>(x) * across +
                                static_cast<float>(y) * up);
        for (const std::uint32_t k : {0U, 1U, 2U, 0U, 2U, 3U}) indices.push_back(first + k);
    }
    Mesh mesh;
    mesh.parts.push_back(test::makePart(std::move(places), std::move(indices)));
    return mesh;
}

double areaOfPart(const Part& part) {
    Mesh mesh;
    mesh.parts.push_back(part);
    return test::areaOf(mesh);
}

TEST(CardCloud, IsManyLoosePiecesOfFewTriangles) {
    EXPECT_TRUE(CardCloud::isOne(makeFoliage(100).parts[0]));
    EXPECT_FALSE(CardCloud::isOne(makeFoliage(10).parts[0])) << "a handful";
    EXPECT_FALSE(CardCloud::isOne(test::makeSphere(24, 16).parts[0]));
    EXPECT_FALSE(CardCloud::isOne(test::makeGrid(20, 20).parts[0]));
}

TEST(CardCloud, ThinnedItCoversAsMuch) {
    const Mesh foliage = makeFoliage(500);
    const CardCloud cloud(foliage.parts[0]);
    const double area = areaOfPart(foliage.parts[0]);
    for (const double share : {0.9, 0.5, 0.25, 0.15}) {
        const Part thin = cloud.thinned(share);
        EXPECT_LE(static_cast<double>(thin.triangleCount()), 1000 * share);
        EXPECT_GE(static_cast<double>(thin.triangleCount()), 1000 * share - 2);
        EXPECT_NEAR(areaOfPart(thin), area, 1e-4 * area) << share;
    }
    const Part least = cloud.thinned(0.001);
    EXPECT_NEAR(areaOfPart(least), area, 1e-4 * area);
    EXPECT_GT(least.triangleCount(), 1000U / 9 / 2) << "cards grow to thrice their edge";
    EXPECT_EQ(cloud.thinned(1).triangleCount(), 1000U);
}

TEST(CardCloud, KeepsCardsAllOver) {
    const Mesh foliage = makeFoliage(800);
    const Part thin = CardCloud(foliage.parts[0]).thinned(0.1);
    std::array<int, 8> inOctant{};
    const std::vector<Vec3f> places = positionsOf(thin);
    for (std::size_t i = 0; i < places.size(); i += 4) {
        const Vec3f centre = (places[i] + places[i + 2]) / 2;
        ++inOctant[(centre.x() > 0 ? 1U : 0U) | (centre.y() > 3 ? 2U : 0U) |
                   (centre.z() > 0 ? 4U : 0U)];
    }
    const auto mean = static_cast<double>(places.size()) / 4 / 8;
    for (const int count : inOctant) EXPECT_NEAR(count, mean, 0.6 * mean);
}

TEST(Foliage, ThinsOutWhileTheTrunkIsReduced) {
    Mesh tree = test::makeSphere(40, 30);
    tree.parts.push_back(makeFoliage(400).parts[0]);
    tree.parts[0].attributes.resize(1);  // positions only, as the cards
    const double leaves = areaOfPart(tree.parts[1]);
    const Scene scene = test::makeScene({{tree, {0, 0, 0}}});
    const Asset asset = applyLadder(scene, plain(), display(), noProgress())->scene.assets[0];
    ASSERT_GE(asset.ladder.levels.size(), 2U) << "those that would hardly show are left out";
    double previous = static_cast<double>(scene.assets[0].mesh->triangles);
    for (const Ladder::Level& level : asset.ladder.levels) {
        const auto triangles = static_cast<double>(level.mesh->triangles);
        EXPECT_LT(triangles / previous, 0.52);
        EXPECT_NEAR(areaOfPart(level.mesh->parts.back()), leaves, 1e-3 * leaves);
        EXPECT_GT(level.mesh->parts.front().triangleCount(), 0U) << "the trunk";
        previous = triangles;
    }
    LadderSettings settings = plain();
    settings.thinCards = false;
    const Asset before = applyLadder(scene, settings, display(), noProgress())->scene.assets[0];
    EXPECT_LT(areaOfPart(before.ladder.levels.back().mesh->parts.back()), 0.9 * leaves)
        << "cards were dropped without others growing";
}

// --- cells --------------------------------------------------------------------------------

double hill(double x, double z) {
    return 0.3 * std::sin(3 * x) + 0.2 * std::cos(5 * z) * x;
}

/// Two cells of 4 x 4 m side by side, cut from one field; the right one holds its own middle as
/// origin, as exporters do.
Scene makeCells() {
    constexpr int kCells = 24;
    std::array<Mesh, 2> cells;
    for (int side = 0; side < 2; ++side) {
        Mesh grid = test::makeGrid(kCells, kCells, 4);
        std::vector<Vec3f> positions = positionsOf(grid.parts[0]);
        for (Vec3f& position : positions)
            position.y() = static_cast<float>(hill(static_cast<double>(position.x()) + 4 * side,
                                                   static_cast<double>(position.z())));
        grid.parts[0].set("POSITION", makeStream(positions));
        elementOf(cells, side) = grid;
    }
    return test::makeScene({{cells[0], {0, 0, 0}}, {cells[1], {4, 0, 0}}});
}

/// Positions, in millimetres, of a mesh's used vertices on the plane x = `at` of the world.
std::set<std::pair<long, long>> alongSeam(const Mesh& mesh, double shift, double at) {
    std::set<std::pair<long, long>> found;
    for (const Part& part : mesh.parts) {
        const std::vector<Vec3f> positions = positionsOf(part);
        for (const std::uint32_t index : part.indices) {
            const Vec3d position = positions[index].cast<double>();
            if (std::fabs(position.x() + shift - at) > 1e-4) continue;
            found.insert({std::lround(position.y() * 1000), std::lround(position.z() * 1000)});
        }
    }
    return found;
}

TEST(Cells, MeetAtAnyCombinationOfLevels) {
    const Scene scene = makeCells();
    const double seam = scene.objects[0].bounds.max().x();
    ASSERT_NEAR(scene.objects[1].bounds.min().x(), seam, 1e-5) << "they touch";
    const Scene laddered = applyLadder(scene, plain(), display(), noProgress())->scene;
    const auto& left = laddered.assets[0];
    const auto& right = laddered.assets[1];
    ASSERT_EQ(left.ladder.levels.size(), 3U);
    ASSERT_EQ(right.ladder.levels.size(), 3U);
    const auto whole = alongSeam(*left.mesh, 0, seam);
    ASSERT_EQ(whole.size(), 25U);
    for (std::size_t i = 0; i < 4; ++i)
        for (std::size_t k = 0; k < 4; ++k)
            EXPECT_EQ(alongSeam(*left.level(i), 0, seam), alongSeam(*right.level(k), 4, seam))
                << "LOD " << i << " beside LOD " << k;
    // The other three sides are free.
    EXPECT_LT(left.ladder.levels.back().mesh->triangles, 24U * 24 * 2 / 8);
}

TEST(Cells, WithoutTheRuleTheyGape) {
    LadderSettings settings = plain();
    settings.keepSharedBorders = false;
    const Scene laddered = applyLadder(makeCells(), settings, display(), noProgress())->scene;
    EXPECT_LT(alongSeam(*laddered.assets[0].ladder.levels.back().mesh, 0, 4).size(), 25U);
}

TEST(SharedBorders, AreThoseOfOtherObjectsOnly) {
    const auto lockedIn = [](const Scene& scene, std::size_t asset) {
        std::size_t count = 0;
        const auto shared = findSharedBorders(scene);
        for (const auto& part : shared[asset])
            count += static_cast<std::size_t>(std::count(part.begin(), part.end(), true));
        return count;
    };
    EXPECT_EQ(lockedIn(makeCells(), 0), 25U);
    EXPECT_EQ(lockedIn(test::makeScene({{test::makeGrid(4, 4), {0, 0, 0}}}), 0), 0U);
    EXPECT_EQ(lockedIn(test::makeScene({{test::makeBox({1, 1, 1}), {0, 0, 0}},
                                        {test::makeBox({1, 1, 1}), {1, 0, 0}}}),
                       0),
              0U)
        << "boxes have no open borders";
    // Copies of one asset count for both of its sides.
    Scene row = test::makeScene({{test::makeGrid(4, 4, 2), {0, 0, 0}}});
    Object next = row.objects[0];
    next.world(0, 3) += 2;
    next.bounds = transformBox(next.world, row.mesh(next).bounds);
    row.objects.push_back(next);
    EXPECT_EQ(lockedIn(row, 0), 10U);
}

// --- importance ---------------------------------------------------------------------------

TEST(PaintedImportance, KeepsTrianglesWhereItIsHigh) {
    Mesh ball = test::makeSphere(64, 48);
    Part& part = ball.parts[0];
    const std::vector<Vec3f> places = positionsOf(part);
    Stream painted;
    painted.components = 1;
    painted.data.resize(places.size() * sizeof(float));
    for (std::size_t v = 0; v < places.size(); ++v)
        painted.set(v, 0, places[v].x() > 0 ? 100.0F : 1.0F);
    test::addStream(part, "_IMPORTANCE", painted);
    const auto rightShare = [&](const Mesh& mesh) {
        const Scene scene = test::makeScene({{mesh, {0, 0, 0}}});
        const Asset asset = applyLadder(scene, plain(), display(), noProgress())->scene.assets[0];
        const Part& level = asset.ladder.levels.back().mesh->parts[0];
        const std::vector<Vec3f> at = positionsOf(level);
        double right = 0;
        for (std::size_t i = 0; i < level.indices.size(); i += 3)
            right +=
                (at[level.indices[i]] + at[level.indices[i + 1]] + at[level.indices[i + 2]]).x() > 0
                    ? 1
                    : 0;
        return right / static_cast<double>(level.triangleCount());
    };
    EXPECT_GT(rightShare(ball), 0.7);
    EXPECT_NEAR(rightShare(test::makeSphere(64, 48)), 0.5, 0.1);
}

}  // namespace
}  // namespace flentro
