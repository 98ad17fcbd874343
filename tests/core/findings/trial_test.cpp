// What findings promise is what their fixes deliver, on scenes of the kinds that people bring.

#include "findings/trial.h"

#include "fixes/merge/merge.h"
#include "fixes/share/share.h"
#include "io/gltf_materials.h"
#include "support/lights.h"
#include "support/process.h"
#include "support/promises.h"
#include "support/rules_fixture.h"

namespace flentro {
namespace {

using test::makeBox;
using test::named;
using test::Placed;

class Trials : public Rules {
protected:
    /// Small limits, nothing batched.
    Trials() {
        target_ = test::surveyDisplay();
        view_ = std::nullopt;
    }
    /// Eyes of a row through the scene.
    Survey surveyedFrom(const std::vector<Vec3d>& eyes) {
        const RayScene rays(scene_);
        std::vector<SurveySpot> spots;
        for (const Vec3d& eye : eyes)
            spots.push_back({std::to_string(spots.size() + 1), eye, 0, {}});
        Survey survey =
            takeSurvey(scene_, &rays, target_, spots, test::plainSurvey(), noProgress());
        if (!scene_.placedLights.empty())
            survey.lights = measureLights(scene_, scene_, rays, survey, noProgress()).value();
        return survey;
    }
    Diagnosis tried(const Survey& survey) {
        Memo memo;
        Diagnosis found = diagnose(scene_, target_, &survey, view_, memo, noProgress()).value();
        EXPECT_TRUE(tryFixes(found, scene_, target_, &survey, view_, noProgress()));
        return found;
    }
    static const Finding* only(const Diagnosis& diagnosis, const char* rule) {
        const Finding* found = nullptr;
        for (const Finding& finding : diagnosis.findings)
            if (finding.rule->key == rule) found = &finding;
        return found;
    }
    /// A street of 64 boxes of its own mesh and material each; the materials differ in name only.
    void buildTown() {
        std::vector<Placed> placed = {test::ground(120)};
        for (int i = 0; i < 64; ++i)
            placed.push_back({named(makeBox({2, 3 + 0.1F * static_cast<float>(i), 2}),
                                    fmt::format("house {}", i).c_str()),
                              {-28.0 + 8 * (i % 8), 1.5, -34.0 + 8 * (i / 8)}});
        scene_ = test::makeScene(placed);
        for (std::size_t a = 0; a < scene_.assets.size(); ++a) {
            Material material;
            material.name = fmt::format("brick {}", a);
            material.source = {{"name", material.name}};
            Mesh mesh = *scene_.assets[a].mesh;
            for (Part& part : mesh.parts) part.material = static_cast<int>(a);
            scene_.assets[a].mesh = finishMesh(std::move(mesh));
            scene_.materials.push_back(material);
        }
        at(target_.limits, Measure::DrawCalls) = 20;
    }
};

TEST_F(Trials, ATownOfEqualMaterialsHasOneCure) {
    buildTown();
    const Survey survey = surveyedFrom({{-40, 1.7, -40}, {0, 1.7, 20}});
    const Diagnosis found = tried(survey);
    const Finding* cure = only(found, "joinable-calls");
    ASSERT_TRUE(cure);
    ASSERT_EQ(cure->preparations.size(), 1U);
    EXPECT_EQ(cure->preparations[0].kind().key, "share");
    EXPECT_EQ(cure->fix->kind().key, "merge");
    EXPECT_EQ(&found.findings.front(), cure) << found.findings.front().rule->key;
    const auto changes = found.changes(cure->relief, target_);
    ASSERT_FALSE(changes.empty());
    EXPECT_EQ(changes.front().measure, Measure::DrawCalls);
    EXPECT_GT(changes.front().before, 3);
    EXPECT_LT(changes.front().after, 2) << formatChanges(changes);
    test::expectKept("town", test::promisesOf(scene_, target_, survey));
}

TEST_F(Trials, CopiesThatAreDrawnTogetherNeedNoJoining) {
    std::vector<Placed> placed = {test::ground(120)};
    for (int i = 0; i < 64; ++i)
        placed.push_back({makeBox({2, 3, 2}), {-28.0 + 8 * (i % 8), 1.5, -34.0 + 8 * (i / 8)}});
    scene_ = test::makeScene(placed);
    for (std::size_t i = 2; i < scene_.objects.size(); ++i) scene_.objects[i].asset = 1;
    target_.batching = Batching::Mesh;
    at(target_.limits, Measure::DrawCalls) = 20;
    at(target_.limits, Measure::Objects) = 1000;
    EXPECT_FALSE(only(tried(surveyedFrom({{0, 1.7, 20}})), "joinable-calls"));
}

TEST_F(Trials, CellsOfTheSameMaterialsAreJoinedByMaterial) {
    // A level in 24 cells, each a mesh that shows the same ten materials side by side.
    std::vector<Placed> placed;
    for (int cell = 0; cell < 24; ++cell) {
        Mesh mesh;
        for (int m = 0; m < 10; ++m) {
            Part part = makeBox({1, 1 + 0.1F * static_cast<float>(cell), 8}).parts[0];
            std::vector<Vec3f> moved = positionsOf(part);
            for (Vec3f& p : moved) p.x() += static_cast<float>(m);
            part.set("POSITION", makeStream(moved));
            part.material = m;
            mesh.parts.push_back(std::move(part));
        }
        placed.push_back({named(std::move(mesh), fmt::format("cell {}", cell).c_str()),
                          {12.0 * (cell % 6) + 3, -1, 12.0 * (cell / 6) + 6}});
    }
    scene_ = test::makeScene(placed);
    for (int m = 0; m < 10; ++m) {
        Material material;
        material.source = {{"name", fmt::format("stone {}", m)},
                           {"pbrMetallicRoughness", {{"roughnessFactor", 0.05 * m}}}};
        scene_.materials.push_back(material);
    }
    at(target_.limits, Measure::DrawCalls) = 60;
    at(target_.limits, Measure::MaterialsPerObject) = 8;
    for (const Measure measure : {Measure::Triangles, Measure::VerticesPerMesh})
        at(target_.limits, measure) = 10'000;
    const Survey survey = surveyedFrom({{36, 1.7, 60}, {36, 1.7, 30}});
    const Diagnosis found = tried(survey);
    const Finding* finding = only(found, "joinable-calls");
    ASSERT_TRUE(finding);
    ASSERT_TRUE(finding->fix);
    EXPECT_EQ(finding->fix->as<MergeSettings>()->grouping, MergeSettings::Grouping::Material);
    const auto changes = found.changes(finding->relief, target_);
    EXPECT_GT(changes.front().before, 3);
    EXPECT_LT(changes.front().after, 1) << formatChanges(changes);
    test::expectKept("cells", test::promisesOf(scene_, target_, survey));
}

TEST_F(Trials, CopiesOnManyNodesArePutOnOne) {
    std::vector<Placed> placed = {test::ground(120)};
    for (int i = 0; i < 64; ++i)
        placed.push_back({makeBox({2, 3, 2}), {-28.0 + 8 * (i % 8), 1.5, -34.0 + 8 * (i / 8)}});
    scene_ = test::makeScene(placed);
    for (std::size_t i = 2; i < scene_.objects.size(); ++i) scene_.objects[i].asset = 1;
    for (std::size_t i = 2; i < scene_.nodes.size(); ++i)
        if (scene_.nodes[i].mesh >= 0) scene_.nodes[i].mesh = 1;
    target_.batching = Batching::Node;
    at(target_.limits, Measure::DrawCalls) = 20;
    at(target_.limits, Measure::Objects) = 1000;
    const Survey survey = surveyedFrom({{0, 1.7, 20}});
    const Diagnosis found = tried(survey);
    const Finding* finding = only(found, "same-mesh-many-nodes");
    ASSERT_TRUE(finding);
    EXPECT_EQ(at(found.counts, Measure::DrawCalls) - at(finding->relief.worst, Measure::DrawCalls),
              2)
        << "ground and boxes";
    test::expectKept("copies", test::promisesOf(scene_, target_, survey));
}

TEST_F(Trials, OfEqualFixesTheFirstThatIsProposedIsKept) {
    // Equal materials: sharing them and baking them save the same, but one changes nothing.
    Mesh mesh;
    for (int i = 0; i < 20; ++i) {
        Part part = makeBox({1, 1, 1}).parts[0];
        part.material = i;
        mesh.parts.push_back(std::move(part));
    }
    scene_ = test::makeScene({test::ground(60), {named(std::move(mesh), "fence"), {0, 1, -10}}});
    for (int i = 0; i < 20; ++i)
        scene_.materials.push_back(parseMaterial({{"name", fmt::format("plank {}", i)}}));
    at(target_.limits, Measure::MaterialsPerObject) = 4;
    const Diagnosis found = tried(surveyedFrom({{0, 1.7, 5}}));
    const Finding* finding = only(found, "many-materials");
    ASSERT_TRUE(finding && finding->fix);
    EXPECT_EQ(finding->fix->kind().key, "share");
}

TEST_F(Trials, OfSeveralFixesTheOneThatHelpsIsProposed) {
    // One mesh of 20 parts whose materials differ in name only: no atlas and no palette is needed.
    Mesh mesh;
    for (int i = 0; i < 20; ++i) {
        Part part = makeBox({1, 1, 1}).parts[0];
        std::vector<Vec3f> moved = positionsOf(part);
        for (Vec3f& p : moved) p.x() += 2.0F * static_cast<float>(i);
        part.set("POSITION", makeStream(moved));
        part.material = i;
        mesh.parts.push_back(std::move(part));
    }
    scene_ = test::makeScene({test::ground(60), {named(std::move(mesh), "fence"), {-19, 1, -10}}});
    for (int i = 0; i < 20; ++i) {
        Material material;
        material.name = fmt::format("plank {}", i);
        material.source = {{"name", material.name}};
        scene_.materials.push_back(material);
    }
    at(target_.limits, Measure::MaterialsPerObject) = 4;
    at(target_.limits, Measure::DrawCalls) = 10;
    at(target_.limits, Measure::VerticesPerMesh) = 1000;
    const Survey survey = surveyedFrom({{0, 1.7, 5}});
    const Diagnosis found = tried(survey);
    const Finding* finding = only(found, "many-materials");
    ASSERT_TRUE(finding);
    ASSERT_TRUE(finding->fix);
    EXPECT_EQ(finding->fix->kind().key, "share");
    EXPECT_EQ(at(finding->relief.worst, Measure::MaterialsPerObject), 19);
    EXPECT_EQ(at(finding->relief.worst, Measure::DrawCalls), 19);
}

TEST_F(Trials, LightsWithoutRangeThatMatterEverywhereAreNotOffered) {
    // Strong lamps close together light all that is seen: any useful range meets every view.
    std::vector<test::Lamp> lamps;
    for (int i = 0; i < 12; ++i)
        lamps.push_back(
            {{-3.0 + 0.5 * i, 4, 0}, 40000, std::numeric_limits<float>::infinity(), false});
    scene_ = test::groundWith({{makeBox({1, 2, 1}), {0, 1, -8}}}, lamps);
    at(target_.limits, Measure::Lights) = 4;
    const Survey survey = surveyedFrom({{0, 1.7, 0}, {6, 1.7, 6}});
    const Diagnosis found = tried(survey);
    for (const Finding& finding : found.findings) {
        if (!finding.fix || finding.fix->kind().key != "light-reach") continue;
        EXPECT_GT(at(finding.relief.worst, Measure::Lights), 0) << finding.rule->key;
    }
    test::expectKept("lights everywhere", test::promisesOf(scene_, target_, survey));
}

TEST_F(Trials, ManyLightsWithoutRangeAreOneFinding) {
    std::vector<test::Lamp> lamps;
    for (int i = 0; i < 30; ++i)
        lamps.push_back({{-25.0 + 10 * (i % 6), 3, -25.0 + 10.0 * (i / 6)},
                         5,
                         std::numeric_limits<float>::infinity(),
                         false});
    scene_ = test::groundWith({{makeBox({1, 2, 1}), {0, 1, -8}}}, lamps);
    at(target_.limits, Measure::Lights) = 10;
    const Survey survey = surveyedFrom({{0, 1.7, 0}, {20, 1.7, 20}});
    const Diagnosis found = tried(survey);
    std::size_t rows = 0;
    for (const Finding& finding : found.findings)
        rows += finding.rule->key == "light-range-too-long";
    EXPECT_LE(rows, 1U);
    const auto promises = test::promisesOf(scene_, target_, survey);
    EXPECT_FALSE(promises.empty());
    test::expectKept("lights without range", promises);
}

TEST_F(Trials, DenseThingsAndDoubledFacesDeliverWhatTheyPromise) {
    Mesh doubled = test::makeGrid(20, 20, 4);
    auto& indices = doubled.parts[0].indices;
    const std::vector<std::uint32_t> first(indices.begin(), indices.begin() + 900);
    indices.insert(indices.end(), first.begin(), first.end());
    scene_ = test::makeScene({test::ground(80),
                              {named(test::makeSphere(60, 61), "scan"), {0, 2, -35}},
                              {named(std::move(doubled), "doubled"), {-6, 0.5, -12}},
                              {named(test::makeGrid(30, 30, 6), "plank"), {6, 0.5, -12}}});
    at(target_.limits, Measure::Triangles) = 2000;
    const Survey survey = surveyedFrom({{0, 1.7, 0}, {5, 1.7, -4}});
    const auto promises = test::promisesOf(scene_, target_, survey);
    EXPECT_GE(promises.size(), 3U);
    test::expectKept("dense", promises);
}

TEST_F(Trials, SmallThingsFarAwayDeliverWhatTheyPromise) {
    std::vector<Placed> placed = {test::ground(200)};
    for (int i = 0; i < 120; ++i)
        placed.push_back({named(makeBox({0.1F, 0.1F, 0.1F}), fmt::format("nail {}", i).c_str()),
                          {-55.0 + 10 * (i % 12), 0.05, -90.0 + 8.0 * (i / 12)}});
    scene_ = test::makeScene(placed);
    at(target_.limits, Measure::Objects) = 40;
    const Survey survey = surveyedFrom({{0, 1.7, 0}, {20, 1.7, -20}});
    const auto promises = test::promisesOf(scene_, target_, survey);
    EXPECT_FALSE(promises.empty());
    test::expectKept("nails", promises);
}

TEST_F(Trials, ShadowsOfSmallThingsDeliverWhatTheyPromise) {
    std::vector<Placed> things;
    for (int i = 0; i < 60; ++i)
        things.push_back({named(test::makeSphere(12, 10, 0.05), fmt::format("cup {}", i).c_str()),
                          {-10.0 + 4 * (i % 6), 0.05, -4.0 - 4.0 * (i / 6)}});
    scene_ = test::groundWith(things, {{{0, 6, -10}, 500, 60, true}, {{8, 6, -20}, 500, 60, true}});
    at(target_.limits, Measure::Triangles) = 4000;
    const Survey survey = surveyedFrom({{0, 1.7, 0}, {4, 1.7, -10}});
    const auto promises = test::promisesOf(scene_, target_, survey);
    EXPECT_FALSE(promises.empty());
    test::expectKept("cups", promises);
}

TEST_F(Trials, LargeTexturesDeliverWhatTheyPromise) {
    scene_ = test::makeScene({test::ground(40), {named(makeBox({1, 1, 1}), "box"), {0, 1, -15}}});
    paint(picture(512, 512, [](int x, int y) {
        return std::array<int, 4>{(x * 7 + y * 13) % 256, (x * y) % 256, (x ^ y) % 256, 255};
    }));
    Mesh box = *scene_.assets[1].mesh;
    test::addStream(box.parts[0], "TEXCOORD_0",
                    makeStream(std::vector<Vec2f>(box.parts[0].vertexCount(), {0.3F, 0.4F})));
    at(target_.limits, Measure::TextureEdge) = 256;
    at(target_.limits, Measure::TextureBytes) = 1e6;
    const Survey survey = surveyedFrom({{0, 1.7, 0}});
    const Diagnosis found = tried(survey);
    const Finding* finding = only(found, "over-largest-edge");
    ASSERT_TRUE(finding);
    ASSERT_TRUE(finding->fix);
    EXPECT_GE(at(finding->relief.worst, Measure::TextureEdge), 256) << "it ends within the limit";
    EXPECT_EQ(found.changes(finding->relief, target_).front().measure, Measure::TextureEdge)
        << "what is over comes first";
}

TEST_F(Trials, WhatIsWithinItsLimitIsNoReliefAndComesLast) {
    buildTown();
    at(target_.limits, Measure::Triangles) = 1e6;
    const Diagnosis found = tried(surveyedFrom({{-40, 1.7, -40}, {0, 1.7, 20}}));
    const std::size_t relieving = found.relieving(target_);
    for (std::size_t i = 0; i < found.findings.size(); ++i)
        EXPECT_EQ(i < relieving, found.findings[i].over.has_value() ||
                                     found.reliefOf(found.findings[i], target_) > 1e-6);
    Relief relief;
    at(relief.worst, Measure::Triangles) = 1000;
    EXPECT_EQ(found.reliefOf(relief, target_), 0) << "triangles are within";
    at(relief.worst, Measure::DrawCalls) = at(found.counts, Measure::DrawCalls);
    EXPECT_NEAR(found.reliefOf(relief, target_), at(found.loads, Measure::DrawCalls) - 1, 1e-9)
        << "counts down to x1.00";
}

TEST_F(Trials, CancelledTrialsLeaveTheDiagnosisAsItWas) {
    buildTown();
    const Survey survey = surveyedFrom({{0, 1.7, 20}});
    Memo memo;
    Diagnosis found = diagnose(scene_, target_, &survey, std::nullopt, memo, noProgress()).value();
    const Json before = toJson(found, target_);
    test::RecordingProgress progress(0);
    const auto outcome = tryFixes(found, scene_, target_, &survey, std::nullopt, progress);
    ASSERT_FALSE(outcome);
    EXPECT_EQ(outcome.error().code, ErrorCode::Cancelled);
    EXPECT_EQ(toJson(found, target_), before);
}

}  // namespace
}  // namespace flentro
