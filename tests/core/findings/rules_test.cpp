// Rules on scenes whose numbers can be worked out on paper: each has a case that is told, one that
// is not, and where it matters one at the edge.

#include <set>

#include "fixes/culling/culling.h"
#include "fixes/tidy/tidy.h"
#include "fixes/work_order.h"
#include "scene/edit.h"
#include "support/process.h"
#include "support/rules_fixture.h"

namespace flentro {
namespace {

using test::makeBox;
using test::makeGrid;
using test::makeScene;
using test::named;
using testing::HasSubstr;

TEST_F(Rules, NothingIsInventedInASoundScene) {
    scene_ = makeScene({{named(makeBox({2, 2, 2}), "box"), {0, 0, -5}},
                        {named(makeGrid(4, 4, 3), "floor"), {0, -1, -5}}});
    paint(picture(64, 64, checks, 3));
    target_.farPlane = 10;  // 7 m are seen
    const Survey seen = survey({{0, 0, 0}, {0, 1, -8}});
    for (const Finding& finding : diagnosis(&seen).findings)
        ADD_FAILURE() << finding.rule->key << ": " << finding.sentence;
}

TEST_F(Rules, NoLevelsCountsWhatTheDisplayCannotShow) {
    // 2,592 triangles of a sphere of 2 m, 100 m away and filling the view.
    scene_ = makeScene({{named(test::makeSphere(36, 37), "far"), {0, 0, -100}}});
    at(target_.limits, Measure::Triangles) = 5000;
    auto findings = found("no-levels");
    ASSERT_EQ(findings.size(), 1U);
    const double all = static_cast<double>(scene_.assets[0].mesh->triangles);
    const double across = scene_.objects[0].bounds.diagonal().norm() *
                          pixelsPerMetreAtOne(target_) /
                          distanceTo(scene_.objects[0].bounds, {0, 0, 0});
    EXPECT_NEAR(at(findings[0].relief.worst, Measure::Triangles),
                all - std::max(24.0, kPi / 2 * across * across / 16), 1e-4)
        << "distances are single floats";
    EXPECT_STREQ(findings[0].fix->kind().key.c_str(), "ladder");
    scene_.assets[0].importance = Importance::Keep;
    EXPECT_TRUE(found("no-levels").empty());
    scene_.assets[0].importance = Importance::Normal;
    view_->eye = {0, 0, -98.5};
    EXPECT_TRUE(found("no-levels").empty()) << "it fills the view";
}

TEST_F(Rules, TidyRulesAgreeWithTheFixToTheTriangle) {
    Mesh mesh = makeGrid(20, 20, 4);
    auto& indices = mesh.parts[0].indices;
    const std::vector<std::uint32_t> first(indices.begin(), indices.begin() + 3 * 30);
    indices.insert(indices.end(), first.begin(), first.end());
    for (std::uint32_t i = 0; i < 20; ++i) indices.insert(indices.end(), {i, i, i + 1});
    scene_ = makeScene({{named(std::move(mesh), "old"), {0, 0, -5}}});
    const auto duplicates = found("duplicate-triangles");
    const auto degenerate = found("degenerate-triangles");
    ASSERT_EQ(duplicates.size(), 1U);
    ASSERT_EQ(degenerate.size(), 1U);
    EXPECT_EQ(at(duplicates[0].relief.here, Measure::Triangles), 30 * target_.eyes);
    EXPECT_EQ(at(degenerate[0].relief.here, Measure::Triangles), 20 * target_.eyes);
    const Fixed fixed =
        applyTidy(scene_, *duplicates[0].fix->as<TidySettings>(), noProgress()).value();
    scene_ = fixed.scene;
    EXPECT_TRUE(found("duplicate-triangles").empty());
    EXPECT_TRUE(found("degenerate-triangles").empty());
}

/// A grid whose triangles face the other way.
Mesh turned(Mesh mesh) {
    std::vector<std::uint32_t>& indices = mesh.parts[0].indices;
    for (std::size_t i = 0; i + 2 < indices.size(); i += 3) std::swap(indices[i], indices[i + 1]);
    return mesh;
}

TEST_F(Rules, CoincidentObjectsAreToldWithTheCopyNotTheOriginal) {
    const Mesh box = makeBox({2, 2, 2});
    scene_ = makeScene(
        {{named(box, "box"), {0, 0, -5}}, {named(makeBox({1, 1, 1}), "other"), {3, 0, -5}}});
    EXPECT_TRUE(found("coincident-objects").empty());
    Object copy = scene_.objects[0];
    copy.name = "box copy";
    addObject(scene_, copy, -1);
    const auto findings = found("coincident-objects");
    ASSERT_EQ(findings.size(), 1U);
    ASSERT_EQ(findings[0].subjects.size(), 2U);
    EXPECT_EQ(findings[0].subjects[1].name, "box copy");
    EXPECT_EQ(findings[0].sentence, "12 triangles of one copy lie exactly on those of 'box'");
    EXPECT_EQ(at(findings[0].relief.here, Measure::Triangles), 12 * target_.eyes);
}

TEST_F(Rules, CoincidentObjectsAreFoundWhicheverWayTheyFaceAndStand) {
    // The same sheet, stored 3 m aside and turned over; half of it goes on in another direction.
    const Mesh sheet = makeGrid(10, 10, 4);
    Mesh aside = turned(sheet);
    std::vector<Vec3f> moved = positionsOf(aside.parts[0]);
    for (Vec3f& at : moved) at.x() += 3;
    aside.parts[0].attributes[0].stream = std::make_shared<const Stream>(makeStream(moved));
    scene_ = makeScene(
        {{named(sheet, "front"), {0, -1, -5}}, {named(std::move(aside), "back"), {-3, -1, -5}}});
    auto findings = found("coincident-objects");
    ASSERT_EQ(findings.size(), 1U);
    EXPECT_EQ(findings[0].evidence[0].value, 200);
    Material glass;
    glass.alphaMode = AlphaMode::Blend;
    scene_.materials.push_back(glass);
    setMaterial(0);
    EXPECT_TRUE(found("coincident-objects").empty()) << "a decal of glass on glass is drawn after";
}

TEST_F(Rules, SolidsThatTouchAreNotCoincident) {
    scene_ = makeScene({{named(makeBox({2, 2, 2}), "left"), {-1, 0, -5}},
                        {named(makeBox({2, 2, 2}), "right"), {1, 0, -5}},
                        {named(makeBox({2, 2, 2}), "off by a millimetre"), {1, 0.001, -9}},
                        {named(makeBox({2, 2, 2}), "and its neighbour"), {1, 0, -9}}});
    EXPECT_TRUE(found("coincident-objects").empty());
}

TEST_F(Rules, AFewOddTrianglesInAScanAreNoFinding) {
    Mesh mesh = makeGrid(80, 80, 4, [](double x, double z) { return x * z; });
    mesh.parts[0].indices.insert(mesh.parts[0].indices.end(), {7, 7, 8, 9, 9, 10});
    scene_ = makeScene({{std::move(mesh), {0, 0, -5}}});
    EXPECT_TRUE(found("degenerate-triangles").empty());
}

TEST_F(Rules, RedundantTrianglesAreThoseThatDissolveTakes) {
    scene_ = makeScene({{named(makeGrid(30, 30, 10), "plank"), {0, -1, -5}},
                        {named(test::makeSphere(40, 20), "round"), {0, 1, -5}}});
    const auto findings = found("redundant-triangles");
    ASSERT_EQ(findings.size(), 1U);
    EXPECT_EQ(findings[0].subjects[0].name, "plank");
    EXPECT_EQ(at(findings[0].relief.here, Measure::Triangles), (1800 - 2) * target_.eyes);
}

TEST_F(Rules, IndicesAndAttributesOfAPart) {
    Mesh wide = makeGrid(260, 260, 4);
    Mesh soup;
    std::vector<Vec3f> corners;
    std::vector<std::uint32_t> indices;
    const Mesh grid = makeGrid(12, 12, 2, [](double x, double z) { return x * z; });
    const auto points = positionsOf(grid.parts[0]);
    for (const std::uint32_t i : grid.parts[0].indices) {
        indices.push_back(static_cast<std::uint32_t>(corners.size()));
        corners.push_back(points[i]);
    }
    soup.parts.push_back(test::makePart(corners, indices));
    Mesh dressed = makeGrid(10, 10, 2, [](double x, double z) { return x * z; });
    test::addStream(dressed.parts[0], "TANGENT",
                    makeStream(std::vector<Vec3f>(dressed.parts[0].vertexCount(), {1, 0, 0})));
    scene_ = makeScene({{named(std::move(wide), "wide"), {0, 0, -5}},
                        {named(std::move(soup), "soup"), {0, 1, -5}},
                        {named(std::move(dressed), "dressed"), {0, 2, -5}}});
    const auto only = [&](const char* rule) {
        const auto findings = found(rule);
        return findings.size() == 1 ? findings[0].subjects[0].name : "not one";
    };
    EXPECT_EQ(only("needs-32-bit-indices"), "wide") << "261 x 261 vertices";
    EXPECT_EQ(only("no-indices"), "soup");
    EXPECT_EQ(only("unused-attributes"), "dressed");
}

TEST_F(Rules, PartsThatShareAVertexBufferHaveIndices) {
    // Many corners use a vertex twice, though each part uses but a part of the buffer.
    Mesh mesh;
    const Mesh grid = makeGrid(40, 40, 4, [](double x, double z) { return x * z; });
    const auto& indices = grid.parts[0].indices;
    for (std::size_t first = 0; first < indices.size(); first += 960) {
        Part part = grid.parts[0];
        part.indices.assign(indices.begin() + static_cast<std::ptrdiff_t>(first),
                            indices.begin() + static_cast<std::ptrdiff_t>(first + 960));
        mesh.parts.push_back(std::move(part));
    }
    scene_ = makeScene({{named(std::move(mesh), "shared buffer"), {0, 0, -5}}});
    EXPECT_TRUE(found("no-indices").empty());
}

TEST_F(Rules, VertexOrderIsToldByTheMissesOfASmallCache) {
    Mesh shuffled = makeGrid(50, 50, 4, [](double x, double z) { return x * z; });
    auto& indices = shuffled.parts[0].indices;
    // Every 97th triangle after another: 97 and the 5,000 triangles share no factor.
    std::vector<std::uint32_t> mixed;
    for (std::size_t i = 0; i < 5000; ++i)
        for (std::size_t k = 0; k < 3; ++k) mixed.push_back(indices[3 * (i * 97 % 5000) + k]);
    const Mesh plain = shuffled;
    indices = mixed;
    scene_ = makeScene(
        {{named(std::move(shuffled), "mixed"), {0, 0, -5}}, {named(plain, "in rows"), {0, 1, -5}}});
    const auto findings = found("poor-vertex-order");
    ASSERT_EQ(findings.size(), 1U);
    EXPECT_EQ(findings[0].subjects[0].name, "mixed");
    EXPECT_GT(findings[0].evidence[0].value, 2.5);
}

TEST_F(Rules, FinsAreToldAndSolidsThatTouchAreNot) {
    Mesh fins;
    for (int i = 0; i < 10; ++i) {
        Part part = test::makeFin().parts[0];
        std::vector<Vec3f> moved = positionsOf(part);
        for (Vec3f& p : moved) p.x() += 3.0F * static_cast<float>(i);
        part.set("POSITION", makeStream(moved));
        fins.parts.push_back(std::move(part));
    }
    Mesh pair = makeBox({1, 1, 1});
    Part second = makeBox({1, 1, 1}).parts[0];
    std::vector<Vec3f> moved = positionsOf(second);
    for (Vec3f& p : moved) p += Vec3f(1, 1, 0);
    second.set("POSITION", makeStream(moved));
    pair.parts.push_back(second);
    scene_ = makeScene({{named(std::move(fins), "fins"), {0, 0, -9}},
                        {named(std::move(pair), "on an edge"), {0, 3, -9}}});
    const auto findings = found("non-manifold");
    ASSERT_EQ(findings.size(), 1U);
    EXPECT_EQ(findings[0].subjects[0].name, "fins");
    EXPECT_EQ(findings[0].evidence[0].value, 10);
}

TEST_F(Rules, FacesBetweenCubesAreInside) {
    Mesh wall;
    for (int i = 0; i < 12; ++i) {
        Part cube = makeBox({1, 1, 1}).parts[0];
        std::vector<Vec3f> points = positionsOf(cube);
        // Every other cube is mirrored, so that the diagonals of touching faces agree.
        for (Vec3f& p : points) p.x() = (i % 2 ? -p.x() : p.x()) + static_cast<float>(i);
        if (i % 2)
            for (std::size_t c = 0; c + 2 < cube.indices.size(); c += 3)
                std::swap(cube.indices[c], cube.indices[c + 1]);
        cube.set("POSITION", makeStream(points));
        wall.parts.push_back(std::move(cube));
    }
    scene_ = makeScene({{named(std::move(wall), "wall"), {-6, 0, -9}},
                        {named(makeBox({1, 1, 1}), "cube"), {0, 3, -9}}});
    const auto findings = found("interior-faces");
    ASSERT_EQ(findings.size(), 1U);
    EXPECT_EQ(findings[0].evidence[0].value, 11 * 4) << "two triangles on both sides of 11 joints";
}

TEST_F(Rules, EqualMeshesAreOneFindingWithItsMemory) {
    const Mesh sphere = test::makeSphere(60, 60);
    scene_ = makeScene({{named(sphere, "a"), {0, 0, -5}},
                        {named(sphere, "b"), {2, 0, -5}},
                        {named(sphere, "c"), {-2, 0, -5}},
                        {named(test::makeSphere(50, 60), "other"), {0, 2, -5}}});
    const auto findings = found("duplicate-meshes");
    ASSERT_EQ(findings.size(), 1U);
    ASSERT_EQ(findings[0].subjects.size(), 3U);
    EXPECT_EQ(findings[0].evidence[1].value, 2 * static_cast<double>(scene_.assets[0].mesh->bytes));
    EXPECT_EQ(at(findings[0].relief.here, Measure::DrawCalls),
              target_.batching == Batching::Mesh ? 2 : 0);
}

TEST_F(Rules, TexturesByTheirPixels) {
    const auto soften = [](int x, int y) {
        auto rgba = checks(x, y);
        rgba[0] = std::min(255, rgba[0] + 1);
        return rgba;
    };
    scene_ = makeScene({{named(makeBox({1, 1, 1}), "box"), {0, 0, -5}}});
    paint(picture(64, 64, checks));
    paint(picture(64, 64, checks));
    paint(picture(64, 64, soften));
    paint(picture(
        64, 64,
        [](int, int) {
            return std::array{9, 8, 7, 255};
        },
        3));
    paint(picture(
        60, 64,
        [](int x, int y) {
            const int value = x * 4 + y % 3;
            return std::array{value, 0, y * 3, 255};
        },
        3));
    // All materials on one mesh of as many parts.
    Mesh mesh = *scene_.assets[0].mesh;
    const Part part = mesh.parts[0];
    mesh.parts.clear();
    for (int m = 0; m < 5; ++m) {
        mesh.parts.push_back(part);
        mesh.parts.back().material = m;
    }
    scene_.assets[0].mesh = finishMesh(std::move(mesh));
    const auto names = [&](const char* rule) {
        std::vector<std::size_t> images;
        for (const Finding& finding : found(rule))
            for (const Subject& subject : finding.subjects)
                if (subject.kind == Subject::Kind::Image) images.push_back(subject.index);
        return images;
    };
    EXPECT_THAT(names("duplicate-textures"), testing::ElementsAre(0, 1));
    EXPECT_THAT(names("near-duplicate-textures"), testing::ElementsAre(0, 2));
    EXPECT_THAT(names("one-colour-texture"), testing::ElementsAre(3));
    EXPECT_THAT(names("not-power-of-two"), testing::ElementsAre(4));
    EXPECT_THAT(names("unused-alpha"), testing::UnorderedElementsAre(0, 1, 2));
    EXPECT_THAT(names("unused-texture"), testing::IsEmpty());
    const auto duplicates = found("duplicate-textures");
    EXPECT_EQ(at(duplicates[0].relief.here, Measure::TextureBytes),
              TextureMemory(scene_, target_).of(1));
    at(target_.limits, Measure::TextureEdge) = 63;
    EXPECT_EQ(names("over-largest-edge").size(), 5U);
    at(target_.limits, Measure::TextureEdge) = 64;
    EXPECT_TRUE(names("over-largest-edge").empty()) << "the limit itself is allowed";
}

TEST_F(Rules, SamplersAndCutOuts) {
    scene_ = makeScene({{named(makeGrid(2, 2, 2), "pane"), {0, -1, -5}}});
    paint(picture(64, 64, [](int x, int) { return std::array{x, 99, 9, x < 20 ? 0 : 255}; }));
    scene_.samplers.push_back({9729, Json::object()});
    scene_.textures[0].sampler = 0;
    EXPECT_EQ(found("no-mip-maps").size(), 1U);
    scene_.samplers[0].minFilter = 9987;
    EXPECT_TRUE(found("no-mip-maps").empty());
    EXPECT_EQ(found("unused-alpha").size(), 1U) << "no material reads it";
    scene_.materials[0].alphaMode = AlphaMode::Blend;
    EXPECT_EQ(found("blend-could-be-cut-out").size(), 1U);
    EXPECT_TRUE(found("unused-alpha").empty());
    scene_.materials[0].baseColor.w() = 0.5F;
    EXPECT_TRUE(found("blend-could-be-cut-out").empty()) << "it is meant to be seen through";
}

TEST_F(Rules, ClosedMeshesNeedNoSecondSide) {
    scene_ = makeScene({{named(makeBox({1, 1, 1}), "box"), {0, 0, -5}},
                        {named(makeGrid(4, 4, 2), "cloth"), {0, -1, -5}}});
    paint(picture(64, 64, checks, 3));
    scene_.materials[0].doubleSided = true;
    const auto findings = found("double-sided-closed");
    ASSERT_EQ(findings.size(), 1U);
    EXPECT_EQ(findings[0].subjects[0].name, "box");
}

TEST_F(Rules, LightsThatReachTooFarAreToldWithTheirUsefulReach) {
    scene_ = makeScene({{makeBox({1, 1, 1}), {0, 0, -5}}});
    const float endless = std::numeric_limits<float>::infinity();
    light(8, endless, false, {0, 2, -50});  // 0.5 lux at 4 m
    light(8, endless, false, {0, 2, 50});   // behind: its useful part is out of view
    light(8, 7.9F, false, {0, 2, -9});      // less than twice as far
    at(target_.limits, Measure::Lights) = 1;
    const auto findings = found("light-range-too-long");
    ASSERT_EQ(findings.size(), 1U);
    EXPECT_EQ(findings[0].subjects.size(), 2U);
    EXPECT_NEAR(findings[0].evidence[0].value, 4, 1e-9);
    EXPECT_EQ(at(findings[0].relief.here, Measure::Lights), 1);
    EXPECT_THAT(findings[0].sentence, HasSubstr("without a range"));
}

TEST_F(Rules, ShadowLightsOverTheLimitAreNamedByWhatTheyDraw) {
    scene_ = makeScene({{makeBox({1, 1, 1}), {0, 0, -5}}});
    for (int i = 0; i < 3; ++i) light(100, 10, true, {i * 0.1, 2, -5});
    at(target_.limits, Measure::ShadowLights) = 2;
    const auto findings = found("too-many-shadow-lights");
    ASSERT_EQ(findings.size(), 1U);
    EXPECT_EQ(findings[0].subjects.size(), 3U);
    EXPECT_EQ(at(findings[0].relief.here, Measure::ShadowLights), 1);
    EXPECT_EQ(at(findings[0].relief.here, Measure::Triangles), 12) << "one pass over the box";
    EXPECT_EQ(at(findings[0].relief.here, Measure::Lights), 0) << "it shines on";
    at(target_.limits, Measure::ShadowLights) = 3;
    EXPECT_TRUE(found("too-many-shadow-lights").empty());
    EXPECT_TRUE(found("static-light-could-be-baked").empty());
}

TEST_F(Rules, ScalesAndPlaces) {
    scene_ = makeScene({{test::makeSphere(16, 8), {0, 0, -5}},
                        {test::makeSphere(16, 9), {3, 0, -5}},
                        {test::makeSphere(16, 10), {0, 0, -9000}}});
    EXPECT_TRUE(found("mirrored-scale").empty());
    scene_.objects[0].world(0, 0) = -1;
    scene_.objects[1].world(1, 1) = 1.2;
    EXPECT_EQ(found("mirrored-scale").at(0).subjects[0].index, 0U);
    EXPECT_EQ(found("uneven-scale").at(0).subjects[0].index, 1U);
    EXPECT_EQ(found("far-from-origin").at(0).subjects[0].index, 2U);
}

TEST_F(Rules, ChainsOfEmptyNodes) {
    scene_ = makeScene({{makeBox({1, 1, 1}), {0, 0, -5}}});
    const auto chain = [&](int length) {
        scene_.nodes.resize(1);
        for (int i = 0; i < length; ++i) {
            Node node;
            node.name = "empty " + std::to_string(i);
            node.parent = i == 0 ? -1 : static_cast<int>(scene_.nodes.size()) - 1;
            if (i > 0) scene_.nodes.back().children = {static_cast<int>(scene_.nodes.size())};
            scene_.nodes.push_back(node);
        }
    };
    chain(5);
    EXPECT_TRUE(found("deep-empty-nodes").empty());
    chain(6);
    EXPECT_THAT(found("deep-empty-nodes").at(0).sentence, HasSubstr("6 empty nodes"));
}

TEST_F(Rules, WhatASurveyTells) {
    scene_ = makeScene({{named(makeBox({60, 30, 0.5F}), "wall"), {0, 0, -10}},
                        {named(test::makeSphere(40, 20), "behind"), {0, 0, -14}}});
    at(target_.limits, Measure::Triangles) = 1000;
    const Survey seen = survey({{0, 0, 0}});
    const auto hidden = found("drawn-but-hidden", &seen);
    ASSERT_EQ(hidden.size(), 1U);
    EXPECT_EQ(hidden[0].subjects[0].name, "behind");
    const auto never = found("never-seen-object", &seen);
    ASSERT_EQ(never.size(), 1U);
    EXPECT_EQ(at(never[0].relief.worst, Measure::Triangles),
              static_cast<double>(scene_.assets[1].mesh->triangles) * target_.eyes);
    const auto plane = found("far-plane-too-far", &seen);
    ASSERT_EQ(plane.size(), 1U);
    EXPECT_LE(plane[0].fix->as<CullingSettings>()->farPlane, 40) << "35 m to its corners";
    EXPECT_TRUE(found("drawn-but-hidden").empty()) << "without a survey nothing is known";
}

TEST_F(Rules, LossesOfAMeasureAreThoseOfAWhatIf) {
    scene_ = makeScene({{named(test::makeSphere(60, 60), "far"), {0, 0, -300}},
                        {named(makeBox({1, 1, 1}), "near"), {0, 0, -5}}});
    at(target_.limits, Measure::Triangles) = 100;
    const auto small = found("small-and-far");
    ASSERT_EQ(small.size(), 0U) << "11 pixels";
    scene_.objects[0].bounds.translate(Vec3d(0, 0, -600));
    const auto smaller = found("small-and-far");
    ASSERT_EQ(smaller.size(), 1U);
    const ViewMeter meter(scene_, target_);
    const ViewCost all = meter.cost(*view_);
    const ViewCost without = meter.cost(*view_, {{true, false}, {}, {}});
    for (const Measure measure : {Measure::Triangles, Measure::DrawCalls, Measure::Objects})
        EXPECT_EQ(at(smaller[0].relief.here, measure),
                  at(all.counts, measure) - at(without.counts, measure))
            << measureName(measure);
}

TEST_F(Rules, MostReliefComesFirstAndIsCountedOnce) {
    scene_ = makeScene({{named(test::makeSphere(100, 100), "heavy"), {0, 0, -90}},
                        {named(makeGrid(40, 40, 10), "flat"), {0, -1, -60}}});
    at(target_.limits, Measure::Triangles) = 1000;
    const Diagnosis found = diagnosis();
    ASSERT_GE(found.findings.size(), 3U);
    for (std::size_t i = 1; i < found.findings.size(); ++i)
        EXPECT_GE(found.reliefOf(found.findings[i - 1], target_),
                  found.reliefOf(found.findings[i], target_));
    EXPECT_EQ(found.findings[0].subjects[0].name, "heavy");
    // The grid lacks levels and lies flat: both claim its triangles.
    std::size_t shared = 0;
    double sum = 0;
    for (const Finding& finding : found.findings) {
        shared += !finding.sharedWith.empty();
        sum += at(finding.relief.worst, Measure::Triangles);
    }
    EXPECT_EQ(shared, 2U);
    EXPECT_LT(at(found.explained, Measure::Triangles), sum);
    EXPECT_LE(at(found.explained, Measure::Triangles), at(found.counts, Measure::Triangles));
    const Json json = toJson(found, target_);
    EXPECT_EQ(json.size(), found.findings.size());
    EXPECT_EQ(json[0]["subjects"][0]["name"], "heavy");
}

TEST_F(Rules, OddScenesAreNoTrouble) {
    Mesh odd = makeGrid(150, 150, 60);
    odd.parts.push_back(test::makePart({{0, 0, 0}, {1, 0, 0}}, {}));  // nothing drawn
    odd.parts.push_back(test::makePart({{0, 0, 0}, {1, 0, 0}}, {0, 1}));
    odd.parts.back().mode = 0;  // points
    scene_ = makeScene({{std::move(odd), {0, 0, -5}}});
    paint(Image{});  // missing
    Asset unplaced = scene_.assets[0];
    scene_.assets.push_back(unplaced);
    at(target_.limits, Measure::ShadowLights) = 0;
    at(target_.limits, Measure::Triangles) = 0;
    const Survey seen = survey({{0, 0, 0}, {0, 3, 0}});
    for (const Finding& finding : diagnosis(&seen).findings)
        EXPECT_FALSE(toJson(finding, target_).dump().empty()) << finding.rule->key;
    scene_ = Scene{};
    EXPECT_TRUE(diagnosis().findings.empty());
}

TEST_F(Rules, AreTheSameForAnyNumberOfRuns) {
    scene_ = makeScene({{named(test::makeSphere(60, 60), "a"), {0, 0, -90}},
                        {named(test::makeSphere(60, 60), "b"), {3, 0, -90}}});
    at(target_.limits, Measure::Triangles) = 1000;
    const Json first = toJson(diagnosis(), target_);
    for (int i = 0; i < 3; ++i) EXPECT_EQ(toJson(diagnosis(), target_), first);
}

TEST(RuleTable, EveryRuleSaysWhatItIs) {
    std::set<std::string> keys;
    for (const Rule* rule : findingRules()) {
        EXPECT_TRUE(keys.insert(rule->key).second) << rule->key << " twice";
        for (const std::string& text : {rule->name, rule->why, rule->measured, rule->advice})
            EXPECT_GT(text.size(), 8U) << rule->key;
        EXPECT_TRUE(rule->run) << rule->key;
    }
    EXPECT_EQ(test::readText(std::filesystem::path(FLENTRO_SOURCE_DIR) / "docs/findings.md"),
              findingsGuide())
        << "flentro-cli findings --markdown > docs/findings.md";
}

}  // namespace
}  // namespace flentro
