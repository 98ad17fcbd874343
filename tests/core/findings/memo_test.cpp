// A diagnosis after another looks only at what is new, and finds the same.

#include "findings/memo.h"

#include <gtest/gtest.h>

#include "findings/finding.h"
#include "support/meshes.h"
#include "support/pictures.h"
#include "support/surveys.h"

namespace flentro {
namespace {

Hash hashOf(int value) {
    return Hasher().add(value).result();
}

TEST(Memo, MakesWhatItDoesNotKnow) {
    Memo memo;
    int asked = 0;
    const auto length = [&](int content) {
        return memo.get("length", hashOf(content), [&] { return ++asked * 100 + content; });
    };
    memo.begin();
    EXPECT_EQ(length(7), 107);
    EXPECT_EQ(length(7), 107);
    EXPECT_EQ(length(8), 208);
    EXPECT_EQ(memo.made(), 2U);
    EXPECT_EQ(memo.get("width", hashOf(7), [] { return 3.5; }), 3.5) << "another name";
    EXPECT_EQ(*memo.find<int>("length", hashOf(8)), 208);
    EXPECT_EQ(memo.find<int>("length", hashOf(9)), nullptr);
}

TEST(Memo, ForgetsWhatADiagnosisDidNotAskFor) {
    Memo memo;
    memo.begin();
    memo.put("size", hashOf(1), 10);
    memo.put("size", hashOf(2), 20);
    memo.begin();
    EXPECT_TRUE(memo.find<int>("size", hashOf(1))) << "of the one before";
    memo.begin();
    EXPECT_TRUE(memo.find<int>("size", hashOf(1)));
    EXPECT_FALSE(memo.find<int>("size", hashOf(2)));
}

/// Fine flat ground, a row of cubes that touch, two pictures.
Scene makeYard(int columns) {
    Mesh row;
    for (int i = 0; i < 12; ++i) {
        Part cube = test::makeBox({1, 1, 1}).parts[0];
        std::vector<Vec3f> points = positionsOf(cube);
        for (Vec3f& point : points) point.x() += static_cast<float>(i);
        cube.set("POSITION", makeStream(points));
        row.parts.push_back(std::move(cube));
    }
    Scene scene =
        test::makeScene({{test::named(test::makeGrid(columns, 40, 20), "ground"), {-10, 0, -20}},
                         {test::named(std::move(row), "row"), {-6, 1, -9}}});
    const int texture =
        test::addPicture(scene, test::makePicture(64, 64, test::plain({9, 8, 7, 255})));
    test::setMaterial(scene, 0,
                      test::addMaterial(scene, {{"pbrMetallicRoughness",
                                                 {{"baseColorTexture", {{"index", texture}}}}}}));
    return scene;
}

std::vector<std::string> sentences(const Scene& scene, Memo& memo) {
    const Diagnosis diagnosis =
        diagnose(scene, test::surveyDisplay(), nullptr, Viewpoint(), memo, noProgress()).value();
    std::vector<std::string> all;
    for (const Finding& finding : diagnosis.findings)
        all.push_back(finding.identity() + ": " + finding.sentence);
    return all;
}

TEST(Memo, ASecondDiagnosisFindsTheSameAndMakesNothingAnew) {
    const Scene scene = makeYard(40);
    Memo memo;
    const auto first = sentences(scene, memo);
    EXPECT_GT(memo.made(), 0U);
    EXPECT_FALSE(first.empty());
    EXPECT_EQ(sentences(scene, memo), first);
    EXPECT_EQ(memo.made(), 0U);
}

TEST(Memo, OnlyWhatChangedIsLookedAtAgain) {
    Memo memo;
    (void)sentences(makeYard(40), memo);
    const std::size_t whole = memo.made();
    const Scene changed = makeYard(44);
    const auto found = sentences(changed, memo);
    EXPECT_GT(memo.made(), 0U);
    EXPECT_LT(memo.made(), whole) << "the row and the picture are as they were";
    Memo fresh;
    EXPECT_EQ(found, sentences(changed, fresh));
}

}  // namespace
}  // namespace flentro
