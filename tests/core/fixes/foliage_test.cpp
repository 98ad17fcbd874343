// What ladders do with foliage of cards and leaves, and with painted importance.

#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <random>

#include "base/index.h"
#include "fixes/fix.h"
#include "simplify/foliage.h"
#include "support/display.h"
#include "support/ladders.h"
#include "support/meshes.h"

namespace flentro {
namespace {

using test::display;
using test::ladderSettings;

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

/// Places a folded leaf of 12 triangles, 100 mm long and 40 mm wide, by a frame.
void addLeaf(const Eigen::Matrix3f& frame, const Vec3f& centre, std::vector<Vec3f>& places,
             std::vector<std::uint32_t>& indices) {
    constexpr int kRows = 4;
    const auto first = static_cast<std::uint32_t>(places.size());
    for (int row = 0; row < kRows; ++row)
        for (int side = -1; side <= 1; ++side) {
            const float along = 0.1F * (static_cast<float>(row) / (kRows - 1) - 0.5F);
            const float across =
                0.02F * static_cast<float>(side) * (row == 0 || row == 3 ? 0.3F : 1);
            const float fold = 0.003F * static_cast<float>(std::abs(side));
            places.push_back(centre + frame * Vec3f(along, across, fold));
        }
    for (std::uint32_t row = 0; row + 1 < kRows; ++row)
        for (std::uint32_t side = 0; side < 2; ++side) {
            const std::uint32_t a = first + 3 * row + side;
            for (const std::uint32_t corner : {a, a + 3, a + 4, a, a + 4, a + 1})
                indices.push_back(corner);
        }
}

/// Leaves in a ball of two metres; `atRandom`: at all angles, else all alike, as tiles are.
Mesh makeLeaves(std::size_t count, bool atRandom = true) {
    std::mt19937 random(11);
    std::uniform_real_distribution<float> unit(-1, 1);
    std::vector<Vec3f> places;
    std::vector<std::uint32_t> indices;
    for (std::size_t i = 0; i < count; ++i) {
        Eigen::Quaternionf turn(unit(random), unit(random), unit(random), unit(random));
        const Vec3f centre(unit(random), unit(random) + 3, unit(random));
        if (!atRandom) turn.setIdentity();
        addLeaf(turn.normalized().toRotationMatrix(), centre, places, indices);
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

TEST(CardCloud, IsLeavesAtAllAngles) {
    EXPECT_TRUE(CardCloud::isOne(makeLeaves(100).parts[0]));
    EXPECT_FALSE(CardCloud::isOne(makeLeaves(100, false).parts[0])) << "tiles";
    // Stones, which are closed.
    const Part stone = test::makeSphere(6, 4, 0.03).parts[0];
    const std::vector<Vec3f> one = positionsOf(stone);
    std::vector<Vec3f> places;
    std::vector<std::uint32_t> indices;
    for (std::uint32_t i = 0; i < 125; ++i) {
        const auto cell = [&](std::uint32_t each) { return static_cast<float>(i / each % 5); };
        const auto first = static_cast<std::uint32_t>(places.size());
        for (const Vec3f& point : one) places.push_back(point + Vec3f(cell(1), cell(5), cell(25)));
        for (const std::uint32_t corner : stone.indices) indices.push_back(first + corner);
    }
    EXPECT_FALSE(CardCloud::isOne(test::makePart(std::move(places), std::move(indices))));
}

TEST(CardCloud, OutlinesMoveByHalfTheWidthOfWhatIsGone) {
    // 64 squares of 0.2 m.
    std::vector<Vec3f> places;
    std::vector<std::uint32_t> indices;
    for (std::uint32_t i = 0; i < 64; ++i) {
        const Vec3f at(static_cast<float>(i % 8), static_cast<float>(i / 8), 0);
        for (const auto& [x, y] : {std::pair(-1, -1), {1, -1}, {1, 1}, {-1, 1}})
            places.push_back(at + 0.1F * Vec3f(static_cast<float>(x), static_cast<float>(y), 0));
        for (const std::uint32_t k : {0U, 1U, 2U, 0U, 2U, 3U}) indices.push_back(4 * i + k);
    }
    const Part part = test::makePart(std::move(places), std::move(indices));
    const CardCloud cloud(part);
    EXPECT_NEAR(cloud.halfWidth(), 0.1, 1e-5);
    EXPECT_EQ(cloud.deviationAt(1), 0);
    EXPECT_NEAR(cloud.deviationAt(0.75), 0.1, 1e-5) << "what is kept grows by less";
    // A quarter of them grow to twice their edge: corners move by half a diagonal.
    EXPECT_NEAR(cloud.deviationAt(0.25), 0.1 * std::numbers::sqrt2, 1e-5);
}

TEST(Foliage, LeavesBecomeSimplerBeforeTheyBecomeFewer) {
    const Mesh crown = makeLeaves(500);
    const auto foliage = Foliage::build(crown.parts[0], noProgress());
    ASSERT_TRUE(foliage);
    const double area = areaOfPart(crown.parts[0]);
    const double half = CardCloud(crown.parts[0]).halfWidth();
    double before = 0;
    for (const double share : {1.0, 0.5, 0.2, 0.1, 0.05}) {
        const Part part = foliage->thinned(share);
        EXPECT_LE(static_cast<double>(part.triangleCount()), share * 6000 + 1e-9);
        EXPECT_NEAR(areaOfPart(part), area, 1e-3 * area) << share;
        EXPECT_GE(foliage->deviationAt(share), before);
        before = foliage->deviationAt(share);
        EXPECT_EQ(before == 0, share == 1);
    }
    EXPECT_LT(foliage->deviationAt(0.5), 0.7 * half) << "no leaf is gone";
    EXPECT_GT(foliage->deviationAt(0.1), half) << "leaves are gone";
    for (const double allowed : {0.3 * half, 1.5 * half, 4 * half}) {
        const double share = foliage->shareWithin(allowed);
        EXPECT_LE(foliage->deviationAt(share), allowed);
        EXPECT_GT(foliage->deviationAt(0.89 * share), allowed);
    }
}

TEST(Foliage, LevelsOfLeavesBeginByTheSizeOfALeaf) {
    Mesh tree = test::makeSphere(40, 30);
    tree.parts.push_back(makeLeaves(600).parts[0]);
    tree.parts[0].attributes.resize(1);
    const Scene scene = test::makeScene({{tree, {0, 0, 0}}});
    const double leaves = areaOfPart(tree.parts[1]);
    LadderSettings settings = ladderSettings(3);
    settings.rule = LevelRule::Deviation;
    settings.firstDeviation = 0.01;
    settings.levels = 4;
    const Asset asset = applyLadder(scene, settings, display(), noProgress())->scene.assets[0];
    ASSERT_GE(asset.ladder.levels.size(), 3U);
    for (const Ladder::Level& level : asset.ladder.levels)
        EXPECT_NEAR(areaOfPart(level.mesh->parts.back()), leaves, 1e-3 * leaves);
    EXPECT_LE(asset.ladder.levels.front().deviation, 0.01);
    EXPECT_LT(asset.ladder.levels.front().mesh->triangles, asset.mesh->triangles * 6 / 10);
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
    const Asset asset =
        applyLadder(scene, ladderSettings(3), display(), noProgress())->scene.assets[0];
    ASSERT_GE(asset.ladder.levels.size(), 2U) << "those that would hardly show are left out";
    double previous = static_cast<double>(scene.assets[0].mesh->triangles);
    for (const Ladder::Level& level : asset.ladder.levels) {
        const auto triangles = static_cast<double>(level.mesh->triangles);
        EXPECT_LT(triangles / previous, 0.52);
        EXPECT_NEAR(areaOfPart(level.mesh->parts.back()), leaves, 1e-3 * leaves);
        EXPECT_GT(level.mesh->parts.front().triangleCount(), 0U) << "the trunk";
        previous = triangles;
    }
    LadderSettings settings = ladderSettings(3);
    settings.thinCards = false;
    const Asset before = applyLadder(scene, settings, display(), noProgress())->scene.assets[0];
    EXPECT_LT(areaOfPart(before.ladder.levels.back().mesh->parts.back()), 0.9 * leaves)
        << "cards were dropped without others growing";
}

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
        const Asset asset =
            applyLadder(scene, ladderSettings(3), display(), noProgress())->scene.assets[0];
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
