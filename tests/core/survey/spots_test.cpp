// Where a survey stands, on scenes whose ground can be walked on paper.

#include "survey/spots.h"

#include <gtest/gtest.h>

#include "support/surveys.h"

namespace flentro {
namespace {

using test::ground;
using test::makeBox;
using test::plainSurvey;
using test::seenFrom;
using test::spotsAt;
using test::surveyDisplay;
using test::surveyed;

std::vector<SurveySpot> planned(const Scene& scene, const SpotPlan& plan) {
    auto spots = planSpots(scene, RayScene(scene), plan, noProgress());
    EXPECT_TRUE(spots) << (spots ? "" : spots.error().what);
    return spots ? *spots : std::vector<SurveySpot>();
}

TEST(Spots, StandOnTheGroundAtEyeHeight) {
    SpotPlan plan;
    plan.spacing = 4;
    const auto spots = planned(test::makeScene({ground(20)}), plan);
    ASSERT_GE(spots.size(), 25U);
    for (const SurveySpot& spot : spots) EXPECT_NEAR(spot.eye.y(), 1.7, 1e-3);
    EXPECT_EQ(spots.front().level, 0);
    EXPECT_EQ(spots.back().level, 1);
}

TEST(Spots, APatchThatMissesTheGridIsStoodOn) {
    SpotPlan plan;
    plan.spacing = 8;
    plan.starts = {{1.5, 3.7, 1.5}};
    // A block of 1 m that no point of the coarse grid is on, beside ground that is far below.
    const Scene scene = test::makeScene({ground(40), {makeBox({1, 2, 1}), {1.5, 1, 1.5}}});
    const auto spots = planned(scene, plan);
    ASSERT_EQ(spots.size(), 1U);
    EXPECT_NEAR(spots[0].eye.y(), 3.7, 0.01);
    EXPECT_EQ(spots[0].level, 0);
}

TEST(Spots, ASingleThingIsLookedAtFromAllAround) {
    const Scene scene = test::makeScene({{makeBox({1, 2, 1}), {5, 1, 5}}});
    const auto spots = planned(scene, {});
    ASSERT_EQ(spots.size(), 72U);
    const Survey result = surveyed(scene, spots);
    for (const SpotResult& spot : result.spots) {
        ASSERT_EQ(spot.views.size(), 1U);
        EXPECT_EQ(at(spot.tallies[0].counts, Measure::Objects), 1) << spot.name;
        EXPECT_EQ(spot.seen.objects.size(), 1U) << spot.name;
    }
    const Scene floor = test::makeScene({ground(20), {makeBox({1, 2, 1}), {5, 1, 5}}});
    EXPECT_FALSE(isSingleThing(floor, planned(floor, {})));
}

TEST(Spots, StoreysAboveEachOtherKeepTheSpacing) {
    // Two floors with spots right above each other; the load differs along the lower one.
    std::vector<SurveySpot> spots;
    for (const double x : {0.0, 8.0, 16.0})
        for (const double y : {1.7, 4.7}) spots.push_back({"s", {x, y, 0}, 0, {}});
    spots.push_back({"between", {4, 1.7, 0}, 1, {}});
    std::vector<test::Placed> placed;
    for (int i = 0; i < 80; ++i)
        placed.push_back({makeBox({0.2F, 0.2F, 0.2F}), {8.0 + i * 0.1, 1.7, -2}});
    const Scene scene = test::makeScene(placed);
    Target target = surveyDisplay();
    target.farPlane = 4;
    const Survey result = surveyed(scene, spots, plainSurvey(0), target);
    const bool refined = std::any_of(result.spots.begin(), result.spots.end(),
                                     [](const SpotResult& s) { return s.name == "between"; });
    EXPECT_TRUE(refined);
}

TEST(Spots, ACubicSplineRunsThroughItsKeysNotItsTangents) {
    Scene scene = test::makeScene({ground(10)});
    Node camera;
    camera.name = "ride";
    scene.nodes.push_back(camera);
    const int node = static_cast<int>(scene.nodes.size()) - 1;
    Stream times;
    times.components = 1;
    times.data.resize(8);
    times.set(1, 0, 2);
    scene.streams = {std::make_shared<const Stream>(times),
                     std::make_shared<const Stream>(makeStream(std::vector<Vec3f>{
                         {99, 99, 99}, {0, 1, 0}, {1, 0, 0}, {1, 0, 0}, {2, 1, 0}, {99, 99, 99}}))};
    Animation animation;
    animation.samplers = {{0, 1, {{"interpolation", "CUBICSPLINE"}}}};
    animation.channels =
        Json::array({{{"sampler", 0}, {"target", {{"node", node}, {"path", "translation"}}}}});
    scene.animations = {animation};
    const auto path = animatedPath(scene, "ride");
    ASSERT_TRUE(path);
    ASSERT_EQ(path->size(), 9U);
    EXPECT_NEAR(path->front().eye.x(), 0, 1e-6);
    EXPECT_NEAR(path->back().eye.x(), 2, 1e-6);
    for (const Viewpoint& view : *path) {
        EXPECT_NEAR(view.eye.y(), 1, 1e-6);
        EXPECT_LE(view.eye.x(), 2 + 1e-6);
    }
    // With tangents of one metre a second the way is even: a quarter of the time, a quarter of it.
    EXPECT_NEAR((*path)[2].eye.x(), 0.5, 1e-6);
}

TEST(Spots, DoNotClimbATableOrEnterWhatIsTooLow) {
    SpotPlan plan;
    plan.spacing = 2;
    plan.starts = {{-8, 1.7, 0}};
    const auto spots =
        planned(test::makeScene({ground(20),
                                 {makeBox({6, 1, 6}), {-3, 0.5, -3}},
                                 {test::named(makeBox({6, 0.2F, 6}), "low roof"), {4, 1.5, 4}}}),
                plan);
    for (const SurveySpot& spot : spots) {
        EXPECT_NEAR(spot.eye.y(), 1.7, 1e-3) << "on the table at " << spot.eye.transpose();
        const bool below = std::fabs(spot.eye.x() - 4) < 2.9 && std::fabs(spot.eye.z() - 4) < 2.9;
        EXPECT_FALSE(below) << "under the roof at " << spot.eye.transpose();
    }
}

TEST(Spots, WallsAreNotPassedButDoorwaysAre) {
    std::vector<test::Placed> placed = {
        ground(24), {makeBox({10, 6, 0.4F}), {-7, 3, 0}}, {makeBox({10, 6, 0.4F}), {7, 3, 0}}};
    SpotPlan plan;
    plan.spacing = 3;
    plan.starts = {{0, 1.7, 8}};
    const auto beyond = [&](const Scene& scene) {
        const auto spots = planned(scene, plan);
        return std::any_of(spots.begin(), spots.end(),
                           [](const SurveySpot& spot) { return spot.eye.z() < -2; });
    };
    EXPECT_TRUE(beyond(test::makeScene(placed))) << "through the gap of 4 m";
    placed.push_back({makeBox({6, 6, 0.4F}), {0, 3, 0}});
    EXPECT_FALSE(beyond(test::makeScene(placed)));
}

/// Islands of 16 x 16 m whose middles are `apart` metres from each other along z, and what lies
/// between them.
Scene islands(double apart, std::vector<test::Placed> between) {
    between.push_back({makeBox({16, 1, 16}), {0, -0.5, 0}});
    between.push_back({makeBox({16, 1, 16}), {0, -0.5, apart}});
    between.push_back({makeBox({16, 1, 60}), {0, -9.5, 10}});  // far below
    return test::makeScene(std::move(between));
}

std::size_t countBeyond(const std::vector<SurveySpot>& spots, double z) {
    return static_cast<std::size_t>(std::count_if(
        spots.begin(), spots.end(), [&](const SurveySpot& spot) { return spot.eye.z() > z; }));
}

TEST(Spots, AFootSpansTheGapsBetweenBoards) {
    // Standing places are at multiples of 0.8 m: that at z = 8.8 is in the middle of the gap.
    SpotPlan plan;
    plan.spacing = 8;
    plan.largestGround = false;
    const auto boards = [&](double gap) {
        return planned(islands(24, {{makeBox({16, 1, 0.8F - static_cast<float>(gap / 2)}),
                                     {0, -0.5, 8.4 - gap / 4}},
                                    {makeBox({16, 1, 7.2F - static_cast<float>(gap / 2)}),
                                     {0, -0.5, 12.4 + gap / 4}}}),
                       plan);
    };
    EXPECT_GE(countBeyond(boards(0.06), 16), 4U);
    EXPECT_EQ(countBeyond(boards(0.9), 16), 0U) << "no foot spans that";
}

TEST(Spots, StandOnABridgeThatTheGridMisses) {
    // 1.6 m wide between two rows of the grid.
    SpotPlan plan;
    plan.spacing = 8;
    const auto spots = planned(islands(40, {{makeBox({1.6F, 0.2F, 24}), {4, -0.1, 20}}}), plan);
    EXPECT_GE(countBeyond(spots, 32), 4U);
    const auto onBridge = std::count_if(spots.begin(), spots.end(), [](const SurveySpot& spot) {
        return spot.level == 0 && spot.eye.z() > 10 && spot.eye.z() < 30 &&
               std::fabs(spot.eye.x() - 4) < 0.8;
    });
    EXPECT_GE(onBridge, 2);
    EXPECT_LE(onBridge, 4) << "no more than it takes";
}

TEST(Spots, AreTheSameWhateverTheStartAndHoweverTheSceneIsCutUp) {
    std::vector<test::Placed> tiles;
    for (int i = 0; i < 64; ++i)
        tiles.push_back({test::makeGrid(1, 1, 5), {5.0 * (i % 8) - 17.3, 0, 5.0 * (i / 8) - 16.1}});
    const Scene many = test::makeScene(tiles);
    const Scene one = test::makeScene({{test::makeGrid(8, 8, 40), {-17.3, 0, -16.1}}});
    const auto eyesOf = [](const Scene& scene, const Vec3d& start) {
        SpotPlan plan;
        plan.starts = {start};
        std::vector<std::tuple<double, double, int>> eyes;
        for (const SurveySpot& spot : planned(scene, plan))
            eyes.emplace_back(spot.eye.x(), spot.eye.z(), spot.level);
        return eyes;
    };
    const auto eyes = eyesOf(one, {0, 1.7, 0});
    EXPECT_GE(eyes.size(), 50U);
    EXPECT_EQ(eyesOf(one, {15, 1.7, -11}), eyes);
    EXPECT_EQ(eyesOf(many, {0, 1.7, 0}), eyes);
}

TEST(Spots, AnAreaNeedsNoWayThere) {
    SpotPlan plan;
    plan.spacing = 2;
    plan.area = "island node";
    const Scene scene =
        test::makeScene({ground(10), {test::named(test::makeGrid(2, 2, 8), "island"), {40, 5, 0}}});
    const auto spots = planned(scene, plan);
    ASSERT_FALSE(spots.empty());
    for (const SurveySpot& spot : spots) EXPECT_NEAR(spot.eye.y(), 6.7, 1e-3);
    plan.area = "nowhere";
    const auto missing = planSpots(scene, RayScene(scene), plan, noProgress());
    ASSERT_FALSE(missing);
    EXPECT_EQ(missing.error().where, "nowhere");
}

/// An area for tools: its node is in no scene that is drawn, a little below what is.
TEST(Spots, AnAreaNeedNotBeDrawn) {
    Scene scene =
        test::makeScene({ground(10),
                         {test::makeBox({4, 1, 4}), {2, 1.2, 0}},
                         {test::named(test::makeGrid(2, 2, 8), "walkable"), {-4, 0, -4}}});
    scene.scenes[0]["nodes"] = {0, 1};
    Node& area = scene.nodes[2];
    area.local(1, 3) = -0.1;
    flatten(scene);
    ASSERT_EQ(scene.objects.size(), 2U);
    SpotPlan plan;
    plan.spacing = 2;
    plan.area = area.name;
    const auto spots = planned(scene, plan);
    ASSERT_FALSE(spots.empty());
    for (const SurveySpot& spot : spots) {
        EXPECT_NEAR(spot.eye.y(), 1.6, 1e-3);
        EXPECT_LE(std::fabs(spot.eye.x()), 4 + 1e-3);
        EXPECT_FALSE(spot.eye.x() > 0.1 && spot.eye.x() < 3.9 && std::fabs(spot.eye.z()) < 1.9)
            << "below the box";
    }
}

TEST(Spots, ALineIsCutIntoEqualSteps) {
    const auto spots =
        spotsAlong({{{0, 1, 0}, 350, 0}, {{10, 1, 0}, 10, 0}, {{10, 1, 5}, 10, 0}}, 4).value();
    ASSERT_EQ(spots.size(), 5U);
    EXPECT_NEAR(spots[1].eye.x(), 4, 1e-9);
    EXPECT_NEAR(spots[1].views[0].heading, 358, 1e-9) << "the short way round";
    EXPECT_NEAR(spots[3].eye.z(), 2, 1e-9);
    EXPECT_NEAR(spots[4].eye.z(), 5, 1e-9);
    EXPECT_TRUE(spotsAlong({}, 1)->empty());
}

/// By the area alone its grid would be one row of millions, and the search for the nearest place
/// takes the square of its length.
TEST(Spots, AStripOfAMillionKilometresIsSearchedAtOnce) {
    const Scene scene = test::makeScene(
        {{test::makeGrid(1, 1, 1), {0, 0, 0}}, {test::makeGrid(1, 1, 1), {9e8, 0, 0}}});
    SpotPlan plan;
    plan.starts = {{4.5e8, 1.7, 0.5}};
    const auto spots = planSpots(scene, RayScene(scene), plan, noProgress());
    EXPECT_TRUE(!spots || spots->size() < 10);
}

TEST(Spots, ALineOfTooManySpotsIsRefusedBeforeItIsCut) {
    const auto tooMany = spotsAlong({{{-5e8, 1, 0}, 0, 0}, {{5e8, 1, 0}, 0, 0}}, 4);
    ASSERT_FALSE(tooMany);
    EXPECT_EQ(tooMany.error().code, ErrorCode::Limit);
    const auto outside = spotsAlong({{{0, 1, 0}, 0, 0}, {{1e308, 1, 0}, 0, 0}}, 4);
    ASSERT_FALSE(outside);
    EXPECT_EQ(outside.error().where, "point 2 of the route");
}

TEST(Spots, AFreeCameraIsThePlayersEye) {
    const std::vector<SurveySpot> spots = {{"1", {1, 2, 3}, 0, {}}};
    const auto same = throughCamera(spots, {}, 8);
    ASSERT_EQ(same.size(), 1U);
    EXPECT_TRUE(same[0].views.empty());
    EXPECT_EQ(same[0].eye, spots[0].eye);
}

TEST(Spots, AFollowingCameraLooksAtThePlayer) {
    Camera camera;
    camera.distances = {10, 20};
    camera.pitches = {-60};
    const Vec3d player(5, 0, 5);
    const auto spots = throughCamera({{"gate", player, 1, {}}}, camera, 4);
    ASSERT_EQ(spots.size(), 8U);
    for (const SurveySpot& spot : spots) {
        const Vec3d ahead = lookDirection(spot.views[0].heading, spot.views[0].pitch);
        EXPECT_TRUE((player - spot.eye).normalized().isApprox(ahead, 1e-9));
        EXPECT_GT(spot.eye.y(), 8);
        EXPECT_EQ(spot.views[0].eye, spot.eye);
        EXPECT_EQ(spot.level, 1);
        EXPECT_EQ(spot.name.substr(0, 4), "gate");
    }
}

TEST(Spots, ALimitedHeadTurnsToBothEnds) {
    Camera camera;
    camera.firstHeading = 300;
    camera.lastHeading = 390;
    EXPECT_EQ(camera.headings(8), (std::vector<double>{300, 345, 30}));
    camera.lastHeading = 300;
    EXPECT_EQ(camera.headings(8), std::vector<double>{300}) << "a side camera";
    EXPECT_EQ(Camera{}.headings(4), (std::vector<double>{0, 90, 180, 270}));
    camera.lastHeading = 390;
    const auto spots = throughCamera({{"1", {0, 1, 0}, 0, {}}}, camera, 8);
    ASSERT_EQ(spots.size(), 1U) << "one eye, its views together";
    EXPECT_EQ(spots[0].views.size(), 3U);
}

TEST(Spots, LimitedViewsSeeOnlyWhatTheyLookAt) {
    Camera camera;
    camera.distances = {10};
    camera.pitches = {-89};
    SurveySettings settings = plainSurvey();
    settings.onlyInViews = true;
    // From straight above the lower side of the box and what is far aside are never seen.
    const Scene scene =
        test::makeScene({{makeBox({1, 1, 1}), {0, 0, 0}}, {makeBox({1, 1, 1}), {60, 0, 0}}});
    const Survey result =
        surveyed(scene, throughCamera({{"1", Vec3d::Zero(), 0, {}}}, camera, 1), settings);
    EXPECT_EQ(seenFrom(result), (std::vector<std::uint32_t>{0}));
    int seen = 0;
    for (std::size_t t = 0; t < 12; ++t)
        seen += result.seen.trianglePixels[t] > 0 || result.belowSampling[t];
    EXPECT_LE(seen, 4) << "the top, and a side for the degree that it is off";
}

/// A row of 100 boxes on a meadow; fixes merge the boxes and cut the meadow into 16.
TEST(Spots, TheMiddleIsThatOfTheSourceHoweverItWasMergedAndSplit) {
    std::vector<test::Placed> placed = {{test::makeGrid(4, 4, 800), {-400, 0, -400}}};
    for (int i = 0; i < 100; ++i) placed.push_back({test::makeBox({1, 1, 1}), {0.2 * i, 0.5, 0}});
    const Scene source = test::makeScene(std::move(placed));
    const Box middle = middleOf(source, 1);
    EXPECT_LT(middle.max().x(), 25);
    Scene result = source;
    result.objects.resize(2);
    for (std::size_t i = 2; i < source.objects.size(); ++i) {
        result.objects[1].bounds.extend(source.objects[i].bounds);
        const auto& origins = source.objects[i].origins;
        result.objects[1].origins.insert(result.objects[1].origins.end(), origins.begin(),
                                         origins.end());
    }
    for (int i = 1; i < 16; ++i) result.objects.push_back(result.objects[0]);
    const Box again = middleOf(result, 1);
    EXPECT_NEAR(again.max().x(), middle.max().x(), 1);
    EXPECT_NEAR(again.min().z(), middle.min().z(), 1);
}

}  // namespace
}  // namespace flentro
