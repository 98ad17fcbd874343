// The queue by cost, its keys, and quadrics.

#include <gtest/gtest.h>

#include <limits>
#include <random>
#include <set>

#include "simplify/cost_queue.h"
#include "simplify/quadric.h"

namespace flentro {
namespace {

// --- keys ---------------------------------------------------------------------------------

TEST(CostKeys, RiseWithTheCost) {
    std::mt19937 random(3);
    for (int i = 0; i < 2000; ++i) {
        const auto a =
            static_cast<float>(std::exp(static_cast<double>(random() % 8000) / 100 - 40));
        const float b = a * 1.1F;
        EXPECT_LE(costKey(a), costKey(b));
        EXPECT_LT(costKey(a), costKey(a * 1.07F)) << "a tenth more is told apart: " << a;
        EXPECT_LT(bucketKey(a), bucketKey(a * 1.01F)) << a;
    }
    EXPECT_EQ(costKey(0), 0U);
    EXPECT_LT(costKey(std::numeric_limits<float>::max()), kCostKeys);
}

TEST(CostKeys, TheLeastNumberOfAKeyHasThatKey) {
    for (const float cost : {1e-20F, 0.003F, 1.0F, 7.5F, 3e9F}) {
        const std::uint16_t key = bucketKey(cost);
        const float least = valueOfFileKey(key);
        EXPECT_LE(least, cost);
        EXPECT_EQ(bucketKey(least), key);
        EXPECT_GT(least, cost * (1 - 1.0F / 256));
    }
}

// --- queue --------------------------------------------------------------------------------

TEST(CostQueue, GivesTheCheapestFirst) {
    CostQueue queue;
    queue.push(5, 50);
    queue.push(0.01F, 1);
    queue.push(700, 700);
    EXPECT_EQ(queue.pop()->what, 1U);
    queue.push(0.001F, 0);
    EXPECT_EQ(queue.pop()->what, 0U) << "cheaper than all before";
    EXPECT_EQ(queue.pop()->what, 50U);
    EXPECT_EQ(queue.pop()->what, 700U);
    EXPECT_FALSE(queue.pop());
}

TEST(CostQueue, EqualsComeInTheOrderInWhichTheyWait) {
    CostQueue queue;
    for (std::uint32_t i = 0; i < 5; ++i) queue.push(1, i);
    for (std::uint32_t i = 0; i < 5; ++i) EXPECT_EQ(queue.pop()->what, i);
}

TEST(CostQueue, EveryEntryComesOutOnceInTheOrderOfKeys) {
    std::mt19937 random(11);
    CostQueue queue;
    std::set<std::uint32_t> waiting;
    std::uint32_t last = 0;
    for (std::uint32_t i = 0; i < 3000; ++i) {
        queue.push(static_cast<float>(random() % 10007) / 100, i);
        waiting.insert(i);
    }
    while (const auto entry = queue.pop()) {
        EXPECT_GE(entry->key, last);
        last = entry->key;
        EXPECT_EQ(waiting.erase(entry->what), 1U);
    }
    EXPECT_TRUE(waiting.empty());
}

TEST(CostQueue, IsEmptyAfterClearAndCanBeUsedAgain) {
    CostQueue queue;
    queue.push(3, 1);
    queue.push(9, 2);
    queue.clear();
    EXPECT_FALSE(queue.pop());
    queue.push(4, 7);
    EXPECT_EQ(queue.pop()->what, 7U);
    EXPECT_FALSE(queue.pop());
}

// --- quadrics -----------------------------------------------------------------------------

/// Of the planes x = 1, y = 2, z = 3.
Quadric cornerAt123() {
    Quadric quadric;
    quadric.addPlane(Vec3f::UnitX(), -1, 1);
    quadric.addPlane(Vec3f::UnitY(), -2, 1);
    quadric.addPlane(Vec3f::UnitZ(), -3, 1);
    return quadric;
}

TEST(Quadrics, AreSquaredDistancesToTheirPlanes) {
    const Quadric quadric = cornerAt123();
    EXPECT_NEAR(quadric.at({1, 2, 3}), 0, 1e-5);
    EXPECT_NEAR(quadric.at({4, 2, 3}), 9, 1e-5);
    EXPECT_NEAR(quadric.at({0, 0, 0}), 1 + 4 + 9, 1e-5);
}

TEST(Quadrics, AddUp) {
    Quadric sum = cornerAt123();
    sum += cornerAt123();
    EXPECT_NEAR(sum.at({0, 0, 0}), 28, 1e-5);
    Quadric weighed;
    weighed.addPlane(Vec3f::UnitY(), 0, 3);
    EXPECT_NEAR(weighed.at({8, 2, 8}), 12, 1e-5);
}

TEST(Quadrics, AreTheSameFunctionFromAnotherOrigin) {
    Quadric moved = cornerAt123();
    const Vec3f origin(5, -4, 0.5F);
    moved.moveOrigin(origin);
    for (const Vec3f& x : {Vec3f(0, 0, 0), Vec3f(1, 2, 3), Vec3f(-2, 7, 1)})
        EXPECT_NEAR(moved.at(x - origin), cornerAt123().at(x), 1e-3);
}

TEST(Quadrics, AreLeastWhereTheirPlanesMeet) {
    EXPECT_NEAR((cornerAt123().minimum(Vec3f::Zero(), 1e-6) - Vec3f(1, 2, 3)).norm(), 0, 1e-3);
}

TEST(Quadrics, StayNearWhereTheyAreFlat) {
    Quadric plane;
    plane.addPlane(Vec3f::UnitY(), -2, 1);
    const Vec3f least = plane.minimum({7, 0, -3}, 1e-4);
    EXPECT_NEAR(least.y(), 2, 1e-2);
    EXPECT_NEAR(least.x(), 7, 1e-3) << "nothing draws it along the plane";
    EXPECT_NEAR(least.z(), -3, 1e-3);
}

}  // namespace
}  // namespace flentro
