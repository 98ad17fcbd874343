// Variants of materials, and units that are converted.

#include "scene/variants.h"
#include "io/import_settings.h"
#include "scene/shadow_lights.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "scene/units.h"
#include "support/meshes.h"

namespace flentro {
namespace {

using testing::ElementsAre;
using testing::HasSubstr;

Scene shoe() {
    Scene scene = test::makeScene({{test::makeBox(Vec3f(1, 1, 1)), Vec3d::Zero()}});
    scene.materials.resize(3);
    Mesh mesh = *scene.assets[0].mesh;
    mesh.parts[0].material = 0;
    mesh.parts[0].rest["extensions"]["KHR_materials_variants"]["mappings"] = {
        {{"material", 1}, {"variants", {0}}}, {{"material", 2}, {"variants", {1, 2}}}};
    scene.assets[0].mesh = finishMesh(std::move(mesh));
    scene.rest["extensions"]["KHR_materials_variants"]["variants"] = {
        {{"name", "red"}}, {{"name", "blue"}}, {{"name", "green"}}};
    return scene;
}

TEST(Variants, PartsTakeTheMaterialOfTheirMapping) {
    Scene scene = shoe();
    EXPECT_THAT(variantNames(scene), ElementsAre("red", "blue", "green"));
    ASSERT_TRUE(showVariant(scene, "green"));
    EXPECT_EQ(scene.assets[0].mesh->parts[0].material, 2);
    ASSERT_TRUE(showVariant(scene, "red"));
    EXPECT_EQ(scene.assets[0].mesh->parts[0].material, 1);
}

TEST(Variants, UnknownNamesAreRefusedWithThoseThereAre) {
    Scene scene = shoe();
    const auto unknown = showVariant(scene, "pink");
    ASSERT_FALSE(unknown);
    EXPECT_THAT(describe(unknown.error()), HasSubstr("red, blue, green"));
    EXPECT_EQ(scene.assets[0].mesh->parts[0].material, 0);
}

/// Three lamps on nodes of their own; the file lets the second cast shadows.
Scene lamps() {
    Scene scene;
    scene.scenes = {{{"nodes", {0, 1, 2}}}};
    scene.lights.push_back(Light{});
    for (const char* name : {"door", "hall", "yard"}) {
        Node node;
        node.name = name;
        node.light = 0;
        scene.nodes.push_back(node);
    }
    scene.nodes[1].rest["extras"] = {{"castsShadow", true}, {"owner", "x"}};
    flatten(scene);
    return scene;
}

std::vector<bool> casting(const Scene& scene) {
    std::vector<bool> cast;
    for (const PlacedLight& placed : scene.placedLights) cast.push_back(placed.castsShadow);
    return cast;
}

TEST(ShadowLights, AreTheNamedOnesAndNoOthers) {
    Scene scene = lamps();
    EXPECT_EQ(casting(scene), (std::vector<bool>{false, true, false}));
    castShadows(scene, {false, {"door", "cellar"}});
    EXPECT_EQ(casting(scene), (std::vector<bool>{true, false, false}));
    ASSERT_EQ(scene.notes.size(), 1U);
    EXPECT_THAT(scene.notes[0].where, HasSubstr("cellar"));
    flatten(scene);
    EXPECT_EQ(casting(scene), (std::vector<bool>{true, false, false})) << "kept in the nodes";
    EXPECT_EQ(scene.nodes[1].rest["extras"]["owner"], "x");
    castShadows(scene, {true});
    EXPECT_EQ(casting(scene), std::vector<bool>(3, true));
    castShadows(scene, {});
    EXPECT_EQ(casting(scene), std::vector<bool>(3, false));
}

TEST(ShadowLights, AreKeptInTheProject) {
    ImportSettings settings;
    for (const ShadowLights& lights :
         {ShadowLights{true, {}}, ShadowLights{}, ShadowLights{false, {"door", "hall"}}}) {
        settings.shadowLights = lights;
        const auto read = parseImportSettings(toJson(settings));
        ASSERT_TRUE(read);
        EXPECT_EQ(*read, settings);
    }
    for (const Json& wrong : {Json("some"), Json(3), Json({1, 2}), Json::object()}) {
        const auto read = parseImportSettings({{"shadowLights", wrong}});
        ASSERT_FALSE(read) << wrong;
        EXPECT_THAT(describe(read.error()), HasSubstr("import.shadowLights"));
    }
}

TEST(Units, EveryRootOfEverySceneIsConvertedOnce) {
    Scene scene = test::makeScene({{test::makeBox(Vec3f(1, 1, 1)), Vec3d(2, 0, 0)},
                                   {test::makeBox(Vec3f(1, 1, 1)), Vec3d(4, 0, 0)}});
    // The second root is in both scenes, the first in one.
    scene.scenes = {{{"nodes", {0, 1}}}, {{"nodes", {1}}}};
    const Box before = scene.bounds();
    convertUnits(scene, *findUnit("cm"), 'Z');
    EXPECT_TRUE(scene.bounds().sizes().isApprox(
        Vec3d(before.sizes().x(), before.sizes().z(), before.sizes().y()) / 100, 1e-9));
    EXPECT_EQ(scene.objects.size(), 2U);
    scene.defaultScene = 1;
    flatten(scene);
    ASSERT_EQ(scene.objects.size(), 1U) << "the other scene shows what it showed";
    EXPECT_NEAR(scene.objects[0].world(0, 3), 0.04, 1e-9);
}

}  // namespace
}  // namespace flentro
