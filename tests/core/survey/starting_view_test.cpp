// The first view of a scene shows something of it.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "measure/viewcost.h"
#include "support/display.h"
#include "support/meshes.h"
#include "survey/spots.h"
#include "survey/starting_view.h"

namespace flentro {
namespace {

double objectsSeen(const Scene& scene, const Target& target) {
    return at(viewCost(scene, target, startingView(scene, target, noProgress()).value()).counts,
              Measure::Objects);
}

void addCamera(Scene& scene, const Vec3d& place, double turn) {
    scene.cameras.push_back(
        {{"type", "perspective"}, {"perspective", {{"yfov", 1}, {"znear", 0.1}}}});
    Node node;
    node.camera = static_cast<int>(scene.cameras.size()) - 1;
    node.local.topRightCorner<3, 1>() = place;
    node.local(0, 0) = node.local(2, 2) = std::cos(turn);
    node.local(0, 2) = std::sin(turn);
    node.local(2, 0) = -std::sin(turn);
    scene.nodes.push_back(node);
    scene.scenes[0]["nodes"].push_back(scene.nodes.size() - 1);
}

TEST(StartingView, IsThatOfACameraThatSeesSomething) {
    Scene scene = test::makeScene({{test::makeBox({1, 1, 1}), {0, 0, -9}}});
    addCamera(scene, {1, 2, 3}, 3.14159);  // looks away from all there is
    addCamera(scene, {0, 0, 0}, 0);
    flatten(scene);
    const Viewpoint view = startingView(scene, test::display(), noProgress()).value();
    EXPECT_TRUE(view.eye.isZero());
    EXPECT_NEAR(std::remainder(view.heading, 360), 0, 1e-6);
}

TEST(StartingView, FramesWhatFitsBeforeTheFarPlane) {
    const Scene scene = test::makeScene({{test::makeBox({1, 1, 1}), {3, 0, 0}},
                                         {test::makeBox({1, 1, 1}), {-3, 2, 5}},
                                         {test::makeBox({1, 1, 1}), {0, 0, -4}}});
    EXPECT_EQ(objectsSeen(scene, test::display()), 3);
}

TEST(StartingView, StandsOnTheGroundOfWhatIsLargerThanTheFarPlane) {
    std::vector<test::Placed> cells;
    for (int i = 0; i < 40; ++i) cells.push_back({test::makeGrid(2, 2, 100), {100.0 * i, 0, 0}});
    const Scene scene = test::makeScene(std::move(cells));
    Target target = test::display();
    target.farPlane = 300;
    EXPECT_GE(objectsSeen(scene, target), 2);
    const Viewpoint view = startingView(scene, target, noProgress()).value();
    EXPECT_LT(view.eye.y(), 5) << "not in the void above";
}

TEST(StartingView, WalksStartWhereverACameraStands) {
    Scene scene = test::makeScene({{test::makeGrid(2, 2, 20), {0, 0, 0}},
                                   {test::makeGrid(2, 2, 20), {100, 3, 0}},
                                   {test::makeGrid(2, 2, 20), {200, 0, 0}}});
    addCamera(scene, {10, 1.7, 5}, 0);
    addCamera(scene, {110, 4.9, 9}, 0);
    addCamera(scene, {210, 9, 9}, 0);    // on a mast
    addCamera(scene, {400, 1.7, 0}, 0);  // above nothing
    flatten(scene);
    const RayScene rays(scene);
    const auto standing = standingCameras(scene, rays, 1.7);
    ASSERT_EQ(standing.size(), 2U);
    EXPECT_EQ(standing[0], Vec3d(10, 1.7, 5));
    EXPECT_EQ(standing[1], Vec3d(110, 4.9, 9));
    SpotPlan plan;
    plan.starts = walkStarts(scene, rays, test::display(), 1.7, noProgress()).value();
    const auto spots = planSpots(scene, rays, plan, noProgress()).value();
    const auto at = [&](double x) {
        return std::count_if(spots.begin(), spots.end(), [&](const SurveySpot& spot) {
            return std::fabs(spot.eye.x() - x) < 10;
        });
    };
    EXPECT_GE(at(10), 4);
    EXPECT_GE(at(110), 4);
    EXPECT_EQ(at(210), 0);
}

TEST(StartingView, OfNothingIsNoAccident) {
    EXPECT_TRUE(startingView(Scene{}, test::display(), noProgress())->eye.allFinite());
}

}  // namespace
}  // namespace flentro
