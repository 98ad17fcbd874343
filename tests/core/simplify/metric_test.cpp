// Quadrics, and what they make of attributes.

#include <gtest/gtest.h>

#include <cmath>

#include "simplify/error_metric.h"
#include "support/meshes.h"

namespace flentro {
namespace {

// --- quadrics -----------------------------------------------------------------------------

TEST(Quadric, IsTheWeightedSquaredDistanceToItsPlanes) {
    Quadric q;
    q.addPlane(Vec3f::UnitY(), -1, 2);  // y = 1
    EXPECT_FLOAT_EQ(q.at({5, 1, -3}), 0);
    EXPECT_FLOAT_EQ(q.at({0, 4, 0}), 2 * 9);
    Quadric other;
    other.addPlane(Vec3f::UnitX(), 0, 1);
    q += other;
    EXPECT_FLOAT_EQ(q.at({2, 4, 0}), 18 + 4);
}

TEST(Quadric, IsTheSameFunctionFromAnotherOrigin) {
    Quadric q;
    q.addPlane(Vec3f(1, 2, 2) / 3, 0.5F, 3);
    q.addPlane(Vec3f::UnitZ(), -2, 1);
    Quadric moved = q;
    const Vec3f origin(4, -1, 2);
    moved.moveOrigin(origin);
    for (const Vec3f& p : {Vec3f(0, 0, 0), Vec3f(1, 2, 3), Vec3f(-5, 0.5F, 2)})
        EXPECT_NEAR(moved.at(p - origin), q.at(p), 1e-3F);
}

TEST(Quadric, MinimumIsWherePlanesMeetAndElseNearby) {
    Quadric corner;
    corner.addPlane(Vec3f::UnitX(), -1, 1);
    corner.addPlane(Vec3f::UnitY(), -2, 1);
    corner.addPlane(Vec3f::UnitZ(), -3, 1);
    EXPECT_TRUE(corner.minimum(Vec3f::Zero(), 1e-6).isApprox(Vec3f(1, 2, 3), 1e-4F));
    Quadric plane;
    plane.addPlane(Vec3f::UnitY(), -2, 1);
    EXPECT_TRUE(plane.minimum({5, 0, 7}, 1e-6).isApprox(Vec3f(5, 2, 7), 1e-4F))
        << "the foot of the point that it is drawn to";
    EXPECT_EQ(Quadric{}.minimum({1, 2, 3}, 1e-6), Vec3f(1, 2, 3));
}

/// Two triangles in y = 0 with s = x as their texture coordinate.
WedgeMesh strip() {
    WedgeMesh mesh;
    mesh.positions = {{0, 0, 0}, {1, 0, 0}, {0, 0, -1}, {1, 0, -1}};
    mesh.wedgeVertex = {0, 1, 2, 3};
    mesh.corners = {0, 1, 2, 2, 1, 3};
    mesh.attributeCount = 1;
    mesh.attributes = {0, 0, 1, 0, 0, 0, 1, 0};
    return mesh;
}

TEST(ErrorMetric, IsNothingWhileTheAttributesAreLinear) {
    WedgeMesh mesh = strip();
    const Fans fans(mesh);
    const ErrorMetric metric(mesh, fans, {});
    const WedgeMerge pair{0, 2};
    EXPECT_NEAR(metric.onto(0, 2, {&pair, 1}).cost, 0, 1e-6) << "along the texture's grain";
    const ErrorMetric::Joined joined = metric.together(0, 2, {&pair, 1});
    EXPECT_NEAR(joined.cost, 0, 1e-6);
    EXPECT_NEAR(joined.offset.z(), 0.5, 1e-3) << "the middle, where nothing else decides";
}

TEST(ErrorMetric, AttributesThatJumpCost) {
    WedgeMesh mesh = strip();
    mesh.attributes = {0, 0, 1, 0, 5, 0, 1, 0};  // the corner at (0, 0, -1) is off
    const Fans fans(mesh);
    const ErrorMetric metric(mesh, fans, {});
    const WedgeMerge pair{1, 3};
    const ErrorMetric::Joined onto = metric.onto(1, 3, {&pair, 1});
    const ErrorMetric::Joined together = metric.together(1, 3, {&pair, 1});
    // The first triangle's texture goes on to 6 where the last corner has 1; it weighs 1 / 6.
    EXPECT_NEAR(onto.cost, 25.0 / 6, 1e-4);
    EXPECT_LE(together.cost, onto.cost) << "the best position costs no more";
    EXPECT_NEAR(onto.distance(), 0, 1e-6) << "the surface itself stays flat";
}

TEST(ErrorMetric, FitsAttributesToTheNewPlace) {
    WedgeMesh mesh = strip();
    const Fans fans(mesh);
    ErrorMetric metric(mesh, fans, {});
    const WedgeMerge pair{0, 1};
    const ErrorMetric::Joined joined = metric.together(0, 1, {&pair, 1});
    metric.join(0, 1, {&pair, 1}, joined.offset, true);
    EXPECT_NEAR(metric.attributes(1)[0], metric.position(1).x(), 1e-4F) << "s = x still";
}

}  // namespace
}  // namespace flentro
