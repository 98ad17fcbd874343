// The first view of a scene shows something of it.

#include <gtest/gtest.h>

#include <cmath>

#include "measure/viewcost.h"
#include "support/display.h"
#include "support/meshes.h"
#include "survey/spots.h"

namespace flentro {
namespace {

double objectsSeen(const Scene& scene, const Target& target) {
    return at(viewCost(scene, target, startingView(scene, target)).counts, Measure::Objects);
}

TEST(StartingView, IsThatOfACameraThatSeesSomething) {
    Scene scene = test::makeScene({{test::makeBox({1, 1, 1}), {0, 0, -9}}});
    scene.cameras.push_back(
        {{"type", "perspective"}, {"perspective", {{"yfov", 1}, {"znear", 0.1}}}});
    const auto addCamera = [&](const Vec3d& place, double turn) {
        Node node;
        node.camera = 0;
        node.local.topRightCorner<3, 1>() = place;
        node.local(0, 0) = node.local(2, 2) = std::cos(turn);
        node.local(0, 2) = std::sin(turn);
        node.local(2, 0) = -std::sin(turn);
        scene.nodes.push_back(node);
        scene.scenes[0]["nodes"].push_back(scene.nodes.size() - 1);
    };
    addCamera({1, 2, 3}, 3.14159);  // looks away from all there is
    addCamera({0, 0, 0}, 0);
    flatten(scene);
    const Viewpoint view = startingView(scene, test::display());
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
    const Viewpoint view = startingView(scene, target);
    EXPECT_LT(view.eye.y(), 5) << "not in the void above";
}

TEST(StartingView, OfNothingIsNoAccident) {
    EXPECT_TRUE(startingView(Scene{}, test::display()).eye.allFinite());
}

}  // namespace
}  // namespace flentro
