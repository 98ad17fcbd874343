// So many triangles among several meshes.

#include "simplify/distribution.h"

#include <gtest/gtest.h>

namespace flentro {
namespace {

using Counts = std::vector<std::size_t>;

TEST(Distribution, EachDeviatesAsMuchAsTheOthers) {
    // The second loses the same for a tenth of the deviation.
    const std::vector<DeviationCurve> curves = {{{100, 0}, {50, 1}, {20, 2}, {4, 8}},
                                                {{100, 0}, {50, 0.1}, {20, 0.2}, {4, 0.8}}};
    EXPECT_EQ(distributeTriangles(curves, 200), (Counts{100, 100}));
    EXPECT_EQ(distributeTriangles(curves, 104), (Counts{100, 4}));
    EXPECT_EQ(distributeTriangles(curves, 54), (Counts{50, 4}));
    EXPECT_EQ(distributeTriangles(curves, 24), (Counts{20, 4}));
    EXPECT_EQ(distributeTriangles(curves, 1), (Counts{4, 4})) << "the fewest there are";
}

TEST(Distribution, WhatIsLeftOverIsUsed) {
    const std::vector<DeviationCurve> equal(10, DeviationCurve{{100, 0}, {10, 1}});
    // All come to ten at the same deviation: nine of them with 100 triangles are too many for 500.
    const Counts counts = distributeTriangles(equal, 500);
    std::size_t sum = 0;
    for (const std::size_t count : counts) sum += count;
    EXPECT_EQ(sum, 500U);
    EXPECT_EQ(counts.front(), 100U);
    EXPECT_EQ(counts.back(), 10U);
}

TEST(Distribution, MeshesWithoutTrianglesAskForNothing) {
    const std::vector<DeviationCurve> curves = {{{0, 0}}, {{10, 0}, {2, 1}}};
    EXPECT_EQ(distributeTriangles(curves, 5), (Counts{0, 5}));
}

}  // namespace
}  // namespace flentro
