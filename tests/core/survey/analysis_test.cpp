// What follows from a survey.

#include "survey/analysis.h"

#include <gtest/gtest.h>

#include "report/survey_report.h"
#include "support/meshes.h"
#include "support/process.h"

namespace flentro {
namespace {

using test::makeBox;
using test::named;

/// A wall 10 m north with a box before it and a larger one behind it; open to the south.
class Analysis : public testing::Test {
protected:
    Analysis() {
        scene_ = test::makeScene({{makeBox({60, 30, 0.5F}), {0, 0, -10}},
                                  {named(makeBox({1, 1, 1}), "before"), {0, 0, -6}},
                                  {named(test::makeSphere(16, 8), "behind"), {0, 0, -14}}});
        target_.farPlane = 200;
        target_.limits.fill(1000);
        settings_.faceSize = 96;
        settings_.betweenHeadings = false;
    }
    Survey survey(const std::vector<Vec3d>& eyes) {
        std::vector<SurveySpot> spots;
        for (const Vec3d& eye : eyes)
            spots.push_back({std::to_string(spots.size() + 1), eye, 0, {}});
        return takeSurvey(scene_, target_, spots, settings_, noProgress());
    }
    Scene scene_;
    Target target_;
    SurveySettings settings_;
};

TEST_F(Analysis, WasteIsWhatIsDrawnAndNotSeen) {
    const Survey result = survey({{0, 0, 0}});
    const ViewWaste north = wasteOf(scene_, result, 0, 0);
    EXPECT_EQ(north.drawnObjects, 3U);
    EXPECT_EQ(north.drawnTriangles, 12 + 12 + 256);
    EXPECT_EQ(north.hiddenObjects, 1U);
    EXPECT_EQ(north.hiddenTriangles, 256);
    EXPECT_EQ(wasteOf(scene_, result, 0, 4).drawnObjects, 0U) << "south";
}

TEST_F(Analysis, WasteIsRankedByItsMeanOverAllViews) {
    const auto ranked = rankWaste(scene_, survey({{0, 0, 0}}));
    ASSERT_FALSE(ranked.empty());
    EXPECT_EQ(ranked[0].object, 2U);
    EXPECT_EQ(ranked[0].views, 3U) << "north and its neighbours draw it";
    EXPECT_DOUBLE_EQ(ranked[0].triangles, 3 * 256 / 8.0);
}

TEST_F(Analysis, NeverSeenShrinksAsSpotsAreAdded) {
    const NeverSeen one = findUnseen(scene_, survey({{0, 0, 0}}));
    EXPECT_EQ(one.objects, (std::vector<std::uint32_t>{2}));
    EXPECT_EQ(one.shareBound, 1) << "one spot proves nothing";
    EXPECT_EQ(one.seenAfter, (std::vector<std::size_t>{2}));
    const NeverSeen two = findUnseen(scene_, survey({{0, 0, 0}, {0, 0, -30}}));
    EXPECT_TRUE(two.objects.empty());
    EXPECT_EQ(two.seenAfter.back(), 3U);
    // "before" and "behind" are each seen from one of two spots: 2 / 2 at the next.
    EXPECT_DOUBLE_EQ(two.expectedNext, 1);
}

TEST_F(Analysis, TrianglesOfTheFarSideAreUnseenAndTheirSeenNeighboursKeepTheRim) {
    const Survey result = survey({{0, 0, 20}});  // sees one side of the wall and of the box
    const NeverSeen unseen = findUnseen(scene_, result);
    // Five of six sides of each box; every one shares corners with the seen side but the back.
    EXPECT_EQ(unseen.triangles, 20U);
    EXPECT_EQ(unseen.removable, 4U) << "only the backs touch nothing seen";
    const std::vector<bool> removable = removableTriangles(scene_, result);
    EXPECT_EQ(removable.size(), 12U + 12U + 256U);
}

TEST_F(Analysis, FarPlaneLosesWhatLiesBeyond) {
    const Survey result = survey({{0, 0, 0}});
    const auto losses = farPlaneLosses(result);
    ASSERT_GT(losses.size(), 2U);
    EXPECT_DOUBLE_EQ(losses.front().worstShare, 1);
    EXPECT_EQ(losses.front().objects, 2U);
    EXPECT_EQ(losses.back().worstShare, 0);
    EXPECT_EQ(losses.back().objects, 0U);
    for (const FarPlaneLoss& loss : losses) {
        if (loss.distance > 5 && loss.distance < 5.5) continue;  // the box itself
        if (loss.distance > 9) break;                            // the wall
        EXPECT_EQ(loss.objects, loss.distance <= 5 ? 2U : 1U) << loss.distance;
    }
    for (std::size_t i = 1; i < losses.size(); ++i)
        EXPECT_LE(losses[i].meanShare, losses[i - 1].meanShare);
}

TEST_F(Analysis, DistanceBinsCoverTheirDistances) {
    for (const float metres : {0.07F, 0.5F, 1.0F, 1.3F, 10.0F, 999.0F}) {
        const std::size_t bin = distanceBin(metres);
        EXPECT_LE(distanceOfBin(bin), metres);
        EXPECT_GT(distanceOfBin(bin + 1), metres);
    }
    EXPECT_EQ(distanceBin(0), 0U);
    EXPECT_EQ(distanceBin(1e30F), kDistanceBins - 1);
}

TEST_F(Analysis, ReportNamesTheWorstAndTheWaste) {
    const Survey result = survey({{0, 0, 0}, {100, 0, 100}});
    const Json json = toJson(scene_, result);
    EXPECT_EQ(json["spots"].size(), 2U);
    EXPECT_EQ(json["worst"][0]["spot"], "1");
    EXPECT_EQ(json["seen"]["waste"][0]["object"], "behind node");
    EXPECT_EQ(json["seen"]["neverSeen"]["names"][0], "behind node");
    const std::string csv = toCsv(result);
    EXPECT_EQ(std::count(csv.begin(), csv.end(), '\n'), 1 + 2 * 8);
}

TEST(SpotFiles, AreReadAndRefused) {
    const test::TemporaryFolder folder;
    const auto read = [&](const char* text) {
        test::writeText(folder / "spots.json", text);
        return readSpots(folder / "spots.json");
    };
    const auto spots =
        read(R"({"format": "flentro-spots", "spots": [{"eye": [1, 2, 3], "heading": 90}]})");
    ASSERT_TRUE(spots);
    EXPECT_EQ(spots->at(0).eye, Vec3d(1, 2, 3));
    EXPECT_EQ(spots->at(0).heading, 90);
    EXPECT_FALSE(read("{}"));
    EXPECT_FALSE(read(R"({"format": "flentro-spots", "spots": []})"));
    const auto bad = read(R"({"format": "flentro-spots", "spots": [{"eye": [1, "x", 3]}]})");
    ASSERT_FALSE(bad);
    EXPECT_EQ(bad.error().where, "spots.json: spot 1");
    EXPECT_FALSE(readSpots(folder / "missing.json"));
}

}  // namespace
}  // namespace flentro
