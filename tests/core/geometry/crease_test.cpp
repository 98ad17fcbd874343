// Normals made from faces.

#include "geometry/crease.h"

#include <gtest/gtest.h>

#include <numbers>

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
