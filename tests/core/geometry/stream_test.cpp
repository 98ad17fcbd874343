// Vertex data in the type in which it was stored, packed directions, cells of grids.

#include "geometry/stream.h"

#include <gtest/gtest.h>

#include <cmath>

#include "geometry/cell.h"
#include "geometry/octahedral.h"

namespace flentro {
namespace {

Stream streamOf(ComponentType type, int components, bool normalized, std::size_t count) {
    Stream stream{type, components, normalized, false, {}};
    stream.data.resize(count * stream.elementSize());
    return stream;
}

class EveryType : public testing::TestWithParam<ComponentType> {};

TEST_P(EveryType, KeepsWholeNumbersThatFit) {
    Stream stream = streamOf(GetParam(), 3, false, 4);
    EXPECT_EQ(stream.count(), 4U);
    for (std::size_t i = 0; i < 4; ++i)
        for (int c = 0; c < 3; ++c)
            stream.set(i, c, static_cast<float>(10 * i) + static_cast<float>(c));
    for (std::size_t i = 0; i < 4; ++i)
        for (int c = 0; c < 3; ++c)
            EXPECT_EQ(stream.value(i, c), static_cast<float>(10 * i) + static_cast<float>(c));
}

TEST_P(EveryType, ElementsTakeTheBytesOfTheirComponents) {
    EXPECT_EQ(streamOf(GetParam(), 4, false, 2).data.size(), 8 * componentSize(GetParam()));
}

INSTANTIATE_TEST_SUITE_P(, EveryType,
                         testing::Values(ComponentType::Int8, ComponentType::UInt8,
                                         ComponentType::Int16, ComponentType::UInt16,
                                         ComponentType::UInt32, ComponentType::Float32),
                         [](const auto& tested) {
                             return "Type" + std::to_string(static_cast<int>(tested.param));
                         });

TEST(Streams, NormalizedIntegersStandForShares) {
    Stream bytes = streamOf(ComponentType::UInt8, 1, true, 1);
    bytes.set(0, 0, 0.5F);
    EXPECT_EQ(std::to_integer<int>(bytes.data[0]), 128);
    EXPECT_FLOAT_EQ(bytes.value(0, 0), 128 / 255.0F);
    Stream shorts = streamOf(ComponentType::Int16, 1, true, 1);
    shorts.set(0, 0, -1);
    EXPECT_EQ(shorts.value(0, 0), -1);
    shorts.set(0, 0, 1);
    EXPECT_EQ(shorts.value(0, 0), 1);
}

TEST(Streams, TheLowestIntegerIsMinusOneAsWell) {
    Stream bytes = streamOf(ComponentType::Int8, 1, true, 1);
    bytes.data[0] = std::byte{0x80};  // -128
    EXPECT_EQ(bytes.value(0, 0), -1);
}

TEST(Streams, WhatDoesNotFitIsTheNearestThatDoes) {
    Stream bytes = streamOf(ComponentType::UInt8, 1, false, 1);
    bytes.set(0, 0, 300);
    EXPECT_EQ(bytes.value(0, 0), 255);
    bytes.set(0, 0, -5);
    EXPECT_EQ(bytes.value(0, 0), 0);
}

TEST(Streams, MissingComponentsOfVectorsAreZero) {
    const std::vector<Vec3f> vectors = toVectors(makeStream(std::vector<Vec2f>{{1, 2}, {3, 4}}));
    ASSERT_EQ(vectors.size(), 2U);
    EXPECT_EQ(vectors[1], Vec3f(3, 4, 0));
    Stream four = streamOf(ComponentType::Float32, 4, false, 1);
    for (int c = 0; c < 4; ++c) four.set(0, c, static_cast<float>(c + 1));
    EXPECT_EQ(toVectors(four)[0], Vec3f(1, 2, 3));
}

TEST(Streams, GatherTakesElementsInTheOrderAskedFor) {
    const Stream stream = makeStream(std::vector<Vec3f>{{0, 0, 0}, {1, 1, 1}, {2, 2, 2}});
    const Stream some = gather(stream, {2, 0, 2});
    ASSERT_EQ(some.count(), 3U);
    EXPECT_EQ(some.value(0, 1), 2);
    EXPECT_EQ(some.value(1, 1), 0);
    EXPECT_EQ(some.value(2, 1), 2);
}

TEST(Streams, TheirHashTellsTypeAndBytes) {
    const Stream zeros = streamOf(ComponentType::UInt8, 4, false, 2);
    Stream other = zeros;
    EXPECT_EQ(zeros.hash(), other.hash());
    other.normalized = true;
    EXPECT_NE(zeros.hash(), other.hash()) << "the same bytes mean something else";
    other = zeros;
    other.data[7] = std::byte{1};
    EXPECT_NE(zeros.hash(), other.hash());
}

// --- packed directions --------------------------------------------------------------------

TEST(PackedDirection, ComesBackToAFewHundredthsOfADegree) {
    for (int i = 0; i < 500; ++i) {
        const double up = 2 * (i + 0.5) / 500 - 1;  // spiral over the sphere
        const double around = i * 2.399963;
        const double flat = std::sqrt(1 - up * up);
        const Vec3f direction =
            Vec3d(flat * std::cos(around), up, flat * std::sin(around)).cast<float>();
        const Vec3f back = PackedDirection(3 * direction).unpacked().normalized();
        EXPECT_LT(toDegrees(std::acos(std::min(1.0F, back.dot(direction)))), 0.05) << i;
    }
}

TEST(PackedDirection, KnowsTheAxesExactlyAndNone) {
    for (int axis = 0; axis < 3; ++axis)
        for (const float side : {-1.0F, 1.0F}) {
            Vec3f direction = Vec3f::Zero();
            direction[axis] = side;
            EXPECT_NEAR((PackedDirection(direction).unpacked() - direction).norm(), 0, 1e-4);
        }
    EXPECT_TRUE(PackedDirection().unpacked().isZero());
}

// --- cells --------------------------------------------------------------------------------

TEST(Cells, TakeInTheirLowerCorner) {
    EXPECT_EQ(cellAt({0, 0.99, -0.01}, 1), (Cell{0, 0, -1}));
    EXPECT_EQ(cellAt({2, -2, 4.5}, 2), (Cell{1, -1, 2}));
}

TEST(Cells, FarPlacesShareTheLast) {
    EXPECT_EQ(cellAt({1e300, 0, 0}, 1), cellAt({1e200, 0, 0}, 1));
    EXPECT_NE(cellAt({1e300, 0, 0}, 1), cellAt({-1e300, 0, 0}, 1));
    const HashCell hash;
    EXPECT_EQ(hash({1, 2, 3}), hash({1, 2, 3}));
    EXPECT_NE(hash({1, 2, 3}), hash({3, 2, 1}));
}

}  // namespace
}  // namespace flentro
