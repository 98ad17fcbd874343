// Normals made from faces.

#include "geometry/crease.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numbers>
#include <random>

#include "support/meshes.h"

namespace flentro {
namespace {

using test::makePart;

/// Two squares that meet along an edge under `degrees`, each with corners of its own.
Part roof(double degrees) {
    const double a = degrees * std::numbers::pi / 180;
    const auto x = static_cast<float>(-std::cos(a));
    const auto y = static_cast<float>(-std::sin(a));
    return makePart(
        {{1, 0, 0}, {0, 0, 0}, {0, 0, 1}, {1, 0, 1}, {0, 0, 0}, {x, y, 0}, {x, y, 1}, {0, 0, 1}},
        {0, 1, 2, 0, 2, 3, 4, 5, 6, 4, 6, 7});
}

TEST(Crease, EdgesBelowTheAngleAreSmoothAndOthersHard) {
    EXPECT_EQ(smoothByCrease(roof(30), 40).vertexCount(), 6U);
    EXPECT_EQ(smoothByCrease(roof(50), 40).vertexCount(), 8U);
}

TEST(Crease, NormalsAtASmoothEdgeLieBetweenTheFaces) {
    const Part part = smoothByCrease(roof(30), 40);
    const std::vector<Vec3f> points = positionsOf(part);
    const std::vector<Vec3f> normals = toVectors(*part.find("NORMAL"));
    for (std::size_t v = 0; v < points.size(); ++v) {
        if (points[v].x() != 0) continue;
        const double tilt = std::acos(std::clamp(double{std::fabs(normals[v].y())}, 0.0, 1.0));
        EXPECT_NEAR(tilt * 180 / std::numbers::pi, 15, 0.01);
    }
}

TEST(Crease, SeamsOfTextureCoordinatesStaySmooth) {
    Part part = roof(30);
    test::addStream(part, "TEXCOORD_0",
                    makeStream(std::vector<Vec2f>{
                        {0, 0}, {1, 0}, {1, 1}, {0, 1}, {5, 0}, {6, 0}, {6, 1}, {5, 1}}));
    const Part smooth = smoothByCrease(part, 40);
    EXPECT_EQ(smooth.vertexCount(), 8U) << "the seam keeps two vertices a place";
    const std::vector<Vec3f> points = positionsOf(smooth);
    const std::vector<Vec3f> normals = toVectors(*smooth.find("NORMAL"));
    for (std::size_t v = 0; v < 8; ++v)
        for (std::size_t w = 0; w < 8; ++w)
            EXPECT_TRUE(points[v] != points[w] || normals[v].isApprox(normals[w], 1e-5F));
}

TEST(Crease, TwinsBackToBackKeepTheirOwnNormals) {
    const Part part = makePart({{0, 0, 0}, {1, 0, 0}, {0, 0, 1}}, {0, 2, 1, 0, 1, 2});
    const Part both = smoothByCrease(part, 40);
    EXPECT_EQ(both.vertexCount(), 6U);
    const std::vector<Vec3f> normals = toVectors(*both.find("NORMAL"));
    EXPECT_TRUE(normals[both.indices[0]].isApprox(Vec3f::UnitY()));
    EXPECT_TRUE(normals[both.indices[3]].isApprox(-Vec3f::UnitY()));
}

TEST(Crease, FaceShadingIsTold) {
    EXPECT_TRUE(isFaceShaded(roof(30)));
    EXPECT_TRUE(isFaceShaded(test::makeBox(Vec3f(1, 1, 1)).parts.at(0)));
    EXPECT_FALSE(isFaceShaded(test::makeSphere(12, 6).parts.at(0)));
    EXPECT_FALSE(isFaceShaded(Part{}));
}

/// A field of 100 x 100 squares of 1 m with a step of 20 m in its middle, each vertex up to `noise`
/// metres off.
Part steppedField(double noise) {
    constexpr std::uint32_t kCells = 100;
    std::mt19937 random(3);
    std::uniform_real_distribution<float> off(static_cast<float>(-noise),
                                              static_cast<float>(noise));
    std::vector<Vec3f> points;
    std::vector<std::uint32_t> corners;
    for (std::uint32_t row = 0; row <= kCells; ++row)
        for (std::uint32_t column = 0; column <= kCells; ++column) {
            // Columns 40 to 60 climb the wall.
            const auto at = static_cast<float>(column);
            const float up = std::clamp(at - 40, 0.0F, 20.0F);
            points.emplace_back(at - up + off(random), up + off(random),
                                static_cast<float>(row) + off(random));
        }
    for (std::uint32_t row = 0; row < kCells; ++row)
        for (std::uint32_t column = 0; column < kCells; ++column) {
            const std::uint32_t a = row * (kCells + 1) + column;
            const std::uint32_t b = a + kCells + 1;
            for (const std::uint32_t corner : {a, b, b + 1, a, b + 1, a + 1})
                corners.push_back(corner);
        }
    return makePart(std::move(points), std::move(corners));
}

TEST(Crease, NoiseOfAScanMakesNoHardEdges) {
    const Part clean = smoothByCrease(steppedField(0), 40);
    const std::size_t places = std::size_t{101} * 101;
    EXPECT_EQ(clean.vertexCount(), places + 2 * 101) << "both edges of the step";
    const Part rough = steppedField(0.25);
    const Part smooth = smoothByCrease(rough, 40);
    EXPECT_LT(smooth.vertexCount(), places + 900) << "half of all would be twice";
    // The step stays an edge.
    const std::vector<Vec3f> points = positionsOf(smooth);
    std::map<std::array<float, 3>, int> copies;
    for (const Vec3f& point : points) ++copies[{point.x(), point.y(), point.z()}];
    int hard = 0;
    const std::vector<Vec3f> given = positionsOf(rough);
    for (std::uint32_t row = 0; row <= 100; ++row)
        for (const std::uint32_t column : {40U, 60U}) {
            const Vec3f& point = given[row * 101 + column];
            hard += copies[{point.x(), point.y(), point.z()}] > 1;
        }
    EXPECT_GT(hard, 150) << "of 202";
}

TEST(Crease, FacetsOfWhatWasMadeStayHard) {
    // Cogs: rings of teeth whose flanks meet under 60 degrees, 1,440 hard edges in one piece.
    constexpr std::uint32_t kTeeth = 60;
    constexpr std::uint32_t kRings = 12;
    std::vector<Vec3f> points;
    std::vector<std::uint32_t> corners;
    for (std::uint32_t ring = 0; ring <= kRings; ++ring)
        for (std::uint32_t i = 0; i < 2 * kTeeth; ++i) {
            const double turn = std::numbers::pi * i / kTeeth;
            const double radius = i % 2 == 0 ? 1 : 1.06;
            points.emplace_back(static_cast<float>(radius * std::cos(turn)),
                                static_cast<float>(radius * std::sin(turn)),
                                0.1F * static_cast<float>(ring));
        }
    for (std::uint32_t ring = 0; ring < kRings; ++ring)
        for (std::uint32_t i = 0; i < 2 * kTeeth; ++i) {
            const std::uint32_t a = ring * 2 * kTeeth + i;
            const std::uint32_t b = ring * 2 * kTeeth + (i + 1) % (2 * kTeeth);
            const std::uint32_t up = 2 * kTeeth;
            for (const std::uint32_t corner : {a, b, b + up, a, b + up, a + up})
                corners.push_back(corner);
        }
    const std::size_t places = points.size();
    const Part part = makePart(std::move(points), std::move(corners));
    EXPECT_EQ(smoothByCrease(part, 40).vertexCount(), 2 * places);
    EXPECT_EQ(smoothByCrease(part, 180).vertexCount(), places);
}

TEST(Crease, SliversAndEmptyPartsPass) {
    const Part sliver = makePart({{0, 0, 0}, {1, 0, 0}, {2, 0, 0}}, {0, 1, 2, 0, 0, 1});
    const Part made = smoothByCrease(sliver, 40);
    for (const Vec3f& normal : toVectors(*made.find("NORMAL"))) EXPECT_NEAR(normal.norm(), 1, 1e-5);
    EXPECT_EQ(smoothByCrease(makePart({}, {}), 40).vertexCount(), 0U);
}

/// Normals that follow from the faces are found out with their angle, others are not.
TEST(Crease, TheAngleThatMadeNormalsIsFound) {
    const Part ball = test::makeSphere(24, 12).parts[0];
    const auto angleOf = [&](double degrees) {
        return creaseAngleOf(smoothByCrease(ball, degrees)).value_or(-1);
    };
    EXPECT_EQ(angleOf(kCreaseAngle), kCreaseAngle) << "a ball of 15 degrees an edge is smooth";
    EXPECT_LT(angleOf(5), 15) << "nearly every edge is hard";
    EXPECT_GE(angleOf(5), 0);
    EXPECT_EQ(creaseAngleOf(smoothByCrease(roof(50), 60)), 180) << "no edge is hard";
    EXPECT_EQ(creaseAngleOf(smoothByCrease(roof(50), 40)), kCreaseAngle);
    Part bent = smoothByCrease(ball, 40);
    std::vector<Vec3f> normals = toVectors(*bent.find("NORMAL"));
    for (Vec3f& normal : normals) normal = (normal + 2 * Vec3f::UnitY()).normalized();
    bent.set("NORMAL", makeStream(normals));
    EXPECT_FALSE(creaseAngleOf(bent)) << "as leaves are lit from above";
    EXPECT_FALSE(creaseAngleOf(withoutNormals(ball))) << "has none";
}

TEST(Crease, CornersShareTheirNormalsWhereTheyAgree) {
    const Part plain = withoutNormals(roof(50));
    EXPECT_EQ(plain.vertexCount(), 6U);
    const std::vector<Vec3f> up(plain.indices.size(), 3 * Vec3f::UnitY());
    const Part smooth = smoothByCorners(plain, up, 40);
    EXPECT_EQ(smooth.vertexCount(), 6U) << "whatever the faces say";
    for (const Vec3f& normal : toVectors(*smooth.find("NORMAL")))
        EXPECT_TRUE(normal.isApprox(Vec3f::UnitY()));
    const Part hard =
        smoothByCorners(plain, std::vector<Vec3f>(plain.indices.size(), Vec3f::Zero()), 40);
    EXPECT_EQ(hard.vertexCount(), 8U) << "without any, those of the faces";
}

}  // namespace
}  // namespace flentro
