// Rules about how things are used: nodes, densities of texels, shadows, backdrops and bevels.

#include "io/gltf_materials.h"
#include "support/rules_fixture.h"

namespace flentro {
namespace {

using test::makeBox;
using test::makeGrid;
using test::makeScene;
using test::named;
using testing::HasSubstr;

TEST_F(Rules, ManyNodesOfOneMesh) {
    const auto row = [](std::size_t count) {
        std::vector<test::Placed> placed;
        for (std::size_t i = 0; i < count; ++i)
            placed.push_back(
                {named(makeBox({1, 1, 1}), "post"), Vec3d(2.0 * static_cast<double>(i), 0, -9)});
        Scene scene = makeScene(std::move(placed));
        for (Object& object : scene.objects) object.asset = 0;
        for (Node& node : scene.nodes) node.mesh = 0;
        return scene;
    };
    target_.batching = Batching::Mesh;
    scene_ = row(31);
    EXPECT_TRUE(found("same-mesh-many-nodes").empty());
    scene_ = row(40);
    EXPECT_THAT(found("same-mesh-many-nodes").at(0).sentence, HasSubstr("40 nodes"));
    for (std::size_t i = 0; i < 10; ++i) scene_.objects[i].instance = static_cast<int>(i);
    EXPECT_TRUE(found("same-mesh-many-nodes").empty()) << "copies of one node are no nodes";
}

TEST_F(Rules, FewNodesOfAMeshCountWhereTheirCallsDo) {
    std::vector<test::Placed> placed;
    for (int i = 0; i < 6; ++i)
        placed.push_back({named(makeBox({1, 1, 1}), "post"), {2.0 * i - 5, 1.7, -9}});
    scene_ = makeScene(std::move(placed));
    for (Object& object : scene_.objects) object.asset = 0;
    for (Node& node : scene_.nodes) node.mesh = 0;
    at(target_.limits, Measure::DrawCalls) = 100;
    target_.batching = Batching::Mesh;
    EXPECT_TRUE(found("same-mesh-many-nodes").empty());
    target_.batching = Batching::Node;
    const auto findings = found("same-mesh-many-nodes");
    ASSERT_EQ(findings.size(), 1U);
    EXPECT_EQ(at(findings[0].relief.here, Measure::DrawCalls), 5);
    ASSERT_TRUE(findings[0].fix);
    EXPECT_EQ(findings[0].fix->kind().key, "instances");
    at(target_.limits, Measure::DrawCalls) = 1000;
    EXPECT_TRUE(found("same-mesh-many-nodes").empty()) << "half a per cent of the limit";
}

TEST_F(Rules, AFrameThatTakesTooLongNamesWhatTakesMost) {
    std::vector<test::Placed> placed = {{test::makeGrid(4, 4, 60), {-30, 0, -30}}};
    for (int i = 0; i < 9; ++i)
        placed.push_back({named(makeBox({1, 1, 1}), "post"), {2.0 * i - 9, 1, -9}});
    scene_ = makeScene(std::move(placed));
    target_.frameCost = {};
    elementOf(target_.frameCost, CostTerm::DrawCall) = 1000;  // a millisecond each
    elementOf(target_.frameCost, CostTerm::Object) = 300;
    elementOf(target_.frameCost, CostTerm::GpuFrame) = 12.9;
    target_.frameRate = 100;
    const Survey seen = survey({{0, 1.7, 0}});
    const auto findings = found("slow-frame", &seen);
    ASSERT_EQ(findings.size(), 1U);
    EXPECT_EQ(findings[0].sentence,
              "A frame takes about 13.0 ms of 10.0 ms allowed at 1, limited by the CPU: Draw calls "
              "10.0 ms, Objects 3.0 ms");
    EXPECT_EQ(findings[0].over, Measure::DrawCalls);
    EXPECT_EQ(findings[0].where.at(0).heading, 0);
    target_.frameRate = 70;
    const Survey within = survey({{0, 1.7, 0}});
    EXPECT_TRUE(found("slow-frame", &within).empty()) << "14.3 ms";
}

/// Squares of a metre whose coordinates show their image once.
TEST_F(Rules, TexelsFarFromTheUsualDensity) {
    std::vector<test::Placed> placed;
    for (int i = 0; i < 9; ++i)
        placed.push_back({named(makeGrid(1, 1, 1), ("tile " + std::to_string(i)).c_str()),
                          Vec3d(2.0 * i, 0, -9)});
    scene_ = makeScene(std::move(placed));
    for (std::size_t i = 0; i < 9; ++i) {
        const int edge = i == 3 ? 128 : i == 5 ? 127 : i == 7 ? 8 : 32;
        Image image;
        image.name = "image";
        image.width = image.height = edge;
        scene_.images.push_back(image);
        Texture texture;
        texture.image = static_cast<int>(i);
        scene_.textures.push_back(texture);
        Material material;
        material.textures.push_back({"baseColorTexture", static_cast<int>(i)});
        scene_.materials.push_back(material);
        Mesh mesh = *scene_.assets[i].mesh;
        mesh.parts[0].material = static_cast<int>(i);
        std::vector<Vec2f> coords;
        for (const Vec3f& p : positionsOf(mesh.parts[0])) coords.push_back({p.x(), p.z()});
        mesh.parts[0].set("TEXCOORD_0", makeStream(coords));
        scene_.assets[i].mesh = finishMesh(std::move(mesh));
    }
    const auto told = found("uneven-texel-density");
    ASSERT_EQ(told.size(), 2U) << "127 is less than four times 32";
    EXPECT_EQ(told[0].subjects[0].name, "tile 3");
    EXPECT_THAT(told[0].sentence, HasSubstr("128 texels a metre and less where 32 are usual"));
    EXPECT_EQ(told[0].subjects.size(), 1U);
    EXPECT_EQ(told[1].subjects[0].name, "tile 7");
    scene_.objects[7].bounds = Box(Vec3d(0, 0, 0), Vec3d(60, 0, 60));
    EXPECT_EQ(found("uneven-texel-density").size(), 1U) << "a ground may be coarse";
}

TEST_F(Rules, ShadowsThatFallOnNothing) {
    // One ball above a floor, one beside it in the air: the light is above both.
    scene_ = makeScene({{named(makeBox({4, 0.2F, 4}), "floor"), {0, -2, -8}},
                        {named(test::makeSphere(20, 10), "over the floor"), {0, 0, -8}},
                        {named(test::makeSphere(20, 10), "over nothing"), {9, 0, -8}}});
    light(100, 30, true, {0, 6, -8});
    at(target_.limits, Measure::Triangles) = 1000;
    const auto told = found("hidden-caster");
    // Nothing stands below the floor either.
    ASSERT_EQ(told.size(), 1U);
    ASSERT_EQ(told[0].subjects.size(), 2U);
    EXPECT_EQ(told[0].subjects[0].name, "over nothing");
    EXPECT_EQ(told[0].subjects[1].name, "floor");
    EXPECT_EQ(told[0].sentence, "2 objects cast shadows that fall on nothing");
    EXPECT_EQ(at(told[0].relief.here, Measure::Triangles),
              static_cast<double>(scene_.assets[2].mesh->triangles + 12))
        << "once, in the pass of the light";
    const MeshPtr coarse = finishMesh(test::makeSphere(6, 4));
    scene_.assets[2].ladder.levels.push_back({coarse, 0.1, 4});
    EXPECT_EQ(at(found("hidden-caster")[0].relief.here, Measure::Triangles),
              static_cast<double>(coarse->triangles + 12))
        << "the pass draws the level that is shown";
    scene_.placedLights[0].castsShadow = false;
    EXPECT_TRUE(found("hidden-caster").empty());
}

TEST_F(Rules, CostlyMaterialsOnWhatIsFarAway) {
    const auto place = [&](double distance) {
        scene_ = makeScene({{named(makeBox({1, 1, 1}), "house"), {0, 0, -distance}}});
        Image normals = picture(8, 8, checks);
        paint(normals, "normalTexture");
        const Survey seen = survey({{0, 0, 0}});
        return found("costly-on-backdrop", &seen);
    };
    EXPECT_TRUE(place(4).empty());
    const auto told = place(200);
    ASSERT_EQ(told.size(), 1U);
    EXPECT_EQ(told[0].subjects[0].kind, Subject::Kind::Material);
    EXPECT_TRUE(place(4).empty());
    scene_.assets[0].importance = Importance::Backdrop;
    const Survey seen = survey({{0, 0, 0}});
    EXPECT_EQ(found("costly-on-backdrop", &seen).size(), 1U) << "it is marked as one";
}

TEST_F(Rules, ManyMaterialsOnOneMesh) {
    scene_ = makeScene({{named(makeBox({1, 1, 1}), "stall"), {0, 0, -8}}});
    at(target_.limits, Measure::MaterialsPerObject) = 4;
    const auto withMaterials = [&](const std::vector<int>& materials) {
        scene_.materials.resize(6);
        Mesh mesh = *scene_.assets[0].mesh;
        const Part side = mesh.parts[0];
        mesh.parts.clear();
        for (const int material : materials) {
            mesh.parts.push_back(side);
            mesh.parts.back().material = material;
        }
        scene_.assets[0].mesh = finishMesh(std::move(mesh));
        return found("many-materials");
    };
    EXPECT_TRUE(withMaterials({0, 1, 2, 3}).empty()) << "as many as are allowed";
    EXPECT_TRUE(withMaterials({0, 1, 2, 3, 0, 1, 2, 3}).empty()) << "parts are no materials";
    EXPECT_EQ(withMaterials({0, 1, 2, 3, -1}).size(), 1U) << "the standard one is one";
    const auto told = withMaterials({0, 1, 2, 3, 4, 5, 0, 1});
    ASSERT_EQ(told.size(), 1U);
    EXPECT_THAT(told[0].sentence, HasSubstr("6 materials where 4 are allowed"));
    EXPECT_EQ(at(told[0].relief.here, Measure::MaterialsPerObject), 2);
    EXPECT_EQ(at(told[0].relief.here, Measure::DrawCalls), 2) << "of eight parts";
}

TEST_F(Rules, LightMapsNeedCoordinates) {
    scene_ = makeScene({{named(makeBox({4, 4, 4}), "with"), {0, 0, -8}},
                        {named(makeBox({2, 2, 2}), "without"), {6, 0, -8}}});
    EXPECT_TRUE(found("no-light-map-coordinates").empty()) << "nothing asks for them";
    Mesh mesh = *scene_.assets[0].mesh;
    mesh.parts[0].set("TEXCOORD_1", makeStream(std::vector<Vec2f>(mesh.parts[0].vertexCount())));
    scene_.assets[0].mesh = finishMesh(std::move(mesh));
    EXPECT_TRUE(found("no-light-map-coordinates").empty()) << "half of the triangles, no more";
    light(100, 30, true, {0, 6, -8});
    at(target_.limits, Measure::ShadowLights) = 0;
    const auto told = found("no-light-map-coordinates");
    ASSERT_EQ(told.size(), 1U) << "baking would serve";
    ASSERT_EQ(told[0].subjects.size(), 1U);
    EXPECT_EQ(told[0].subjects[0].name, "without");
}

/// A plate of two metres between two strips that lean back by 45 degrees: `wide` metres each.
Mesh bevelledPlate(float wide) {
    std::vector<Vec3f> points;
    std::vector<std::uint32_t> indices;
    for (int i = 0; i < 9; ++i) {  // nine plates one above the other
        const auto y = 0.3F * static_cast<float>(i);
        const float rows[4][2] = {
            {y - wide, -wide}, {y, 0}, {y + 0.2F, 0}, {y + 0.2F + wide, -wide}};
        for (int r = 0; r < 3; ++r) {
            const auto first = static_cast<std::uint32_t>(points.size());
            for (const int k : {r, r + 1})
                for (const float x : {-1.0F, 1.0F}) points.emplace_back(x, rows[k][0], rows[k][1]);
            for (const std::uint32_t v : {0U, 1U, 3U, 0U, 3U, 2U}) indices.push_back(first + v);
        }
    }
    Mesh mesh;
    mesh.parts.push_back(test::makePart(points, indices));
    return mesh;
}

TEST_F(Rules, GlossyBevelsThinnerThanAPixel) {
    const auto look = [&](float wide, float roughness) {
        scene_ = makeScene({{named(bevelledPlate(wide), "plate"), {0, -1, -20}}});
        Material material;
        material.name = "gloss";
        material.roughness = roughness;
        scene_.materials = {material};
        setMaterial(0);
        const Survey seen = survey({{0, 0, 0}});
        return found("thin-glossy-bevels", &seen);
    };
    // A metre 20 m away takes so many pixels.
    const double pixels = pixelsPerMetreAtOne(target_) / 20;
    const auto thin = static_cast<float>(0.5 / pixels / std::sqrt(2.0));
    const auto told = look(thin, 0.1F);
    ASSERT_EQ(told.size(), 1U);
    EXPECT_NEAR(told[0].evidence[1].value, 0.5, 0.05) << "half a pixel wide";
    EXPECT_EQ(told[0].evidence[0].value, 18)
        << "two strips on nine plates: of each the triangle at the crease";
    EXPECT_TRUE(look(thin, 0.6F).empty()) << "rough";
    EXPECT_TRUE(look(4 * thin, 0.1F).empty()) << "wide enough";
}

TEST_F(Rules, LampsOfALightMappedSceneAreBakedAlready) {
    scene_ = test::makeScene({{test::makeBox({1, 1, 1}), {0, 0, -5}}});
    for (int i = 0; i < 3; ++i) light(100, 10, true, {i * 0.1, 2, -5});
    at(target_.limits, Measure::ShadowLights) = 2;
    at(target_.limits, Measure::Lights) = 2;
    paint(picture(64, 64, checks, 3));
    EXPECT_TRUE(found("lamps-already-baked").empty()) << "it has no light map";
    EXPECT_EQ(found("static-light-could-be-baked").size(), 1U);
    scene_.materials[0].textures.push_back({"emissiveTexture", 0, 1});
    const auto findings = found("lamps-already-baked");
    ASSERT_EQ(findings.size(), 1U);
    EXPECT_EQ(findings[0].subjects.size(), 3U);
    EXPECT_EQ(at(findings[0].relief.here, Measure::Lights), 3);
    EXPECT_TRUE(found("static-light-could-be-baked").empty()) << "they are";
}

}  // namespace
}  // namespace flentro
