// What the view draws, pixel by pixel: transparency and the light lens.

#include "support/gltf_builder.h"
#include "support/lights.h"
#include "support/pictures.h"
#include "window_fixture.h"

namespace flentro::app {
namespace {

class Pixels : public Window {
protected:
    /// A red wall behind a blue pane of some opacity, and a camera before both. The lamp is shown
    /// up to `lampEnd` metres from the eye; 0: from anywhere.
    void openPane(const char* mode, double alpha, bool lamp = false, double lampEnd = 0) {
        Scene scene;
        const auto addMaterial = [&](Json color, const char* alphaMode) {
            Material material;
            material.source = {{"pbrMetallicRoughness",
                                {{"baseColorFactor", std::move(color)}, {"metallicFactor", 0}}},
                               {"alphaMode", alphaMode},
                               {"doubleSided", true}};
            scene.materials.push_back(std::move(material));
        };
        addMaterial({1, 0, 0, 1}, "OPAQUE");
        addMaterial({0, 0, 1, alpha}, mode);
        const auto addWall = [&](int material, double z, float half) {
            Part part;
            part.material = material;
            part.set("POSITION",
                     makeStream(std::vector<Vec3f>{
                         {-half, -half, 0}, {half, -half, 0}, {half, half, 0}, {-half, half, 0}}));
            part.set("NORMAL", makeStream(std::vector<Vec3f>(4, Vec3f::UnitZ())));
            part.indices = {0, 1, 2, 0, 2, 3};
            Mesh mesh;
            mesh.parts.push_back(std::move(part));
            mesh.name = material == 0 ? "wall" : "pane";
            scene.assets.push_back({finishMesh(std::move(mesh)), {}, {}});
            Node node;
            node.mesh = material;
            node.rest["translation"] = {0, 0, z};
            scene.nodes.push_back(std::move(node));
        };
        addWall(0, -10, 40);
        addWall(1, -3, 10);
        Node eye;
        eye.camera = 0;
        scene.cameras.push_back(
            {{"type", "perspective"}, {"perspective", {{"yfov", 1}, {"znear", 0.1}}}});
        scene.nodes.push_back(std::move(eye));
        if (lamp) {
            Light light;
            light.rest = {{"type", "point"}, {"intensity", 40}, {"range", 30}};
            scene.lights.push_back(std::move(light));
            Node node;
            node.light = 0;
            node.rest["translation"] = {0, 14, -9};
            if (lampEnd > 0)
                node.rest["extras"]["flentro"]["light"] = {{"fadeStart", lampEnd / 2},
                                                           {"end", lampEnd}};
            scene.nodes.push_back(std::move(node));
        }
        scene.scenes.push_back({{"nodes", Json::array()}});
        for (std::size_t i = 0; i < scene.nodes.size(); ++i) scene.scenes[0]["nodes"].push_back(i);
        scene.rest = {{"asset", {{"version", "2.0"}}}};
        const std::string file = (folder_ / "pane.glb").string();
        ASSERT_TRUE(writeGltf(scene, file, {}, noProgress()));
        window_->open(QString::fromStdString(file));
        ASSERT_TRUE(settle());
        ASSERT_EQ(failure_, "");
    }
    QColor middle() {
        const QImage image = window_->view().grabFramebuffer();
        return image.pixelColor(image.width() / 2, image.height() / 2);
    }
};

TEST_F(Pixels, AGlassPaneLetsThroughWhatItShould) {
    openPane("OPAQUE", 1);
    const QColor shut = middle();
    EXPECT_GT(shut.blue(), shut.red() + 50);
    openPane("BLEND", 0.3);
    const QColor glass = middle();
    EXPECT_GT(glass.red(), shut.red() + 50) << "the wall is seen through it";
    EXPECT_GT(glass.blue(), 10) << "and the pane as well";
    openPane("BLEND", 0.8);
    const QColor dense = middle();
    EXPECT_LT(dense.red(), glass.red());
    EXPECT_GT(dense.blue(), glass.blue());
}

/// A wall whose first coordinates lie in the red half of a picture, the second in its green half.
TEST_F(Pixels, TheSecondSetOfTextureCoordinatesIsDrawn) {
    const auto colourWith = [&](int set) {
        test::GltfBuilder file;
        const Image picture = test::makePicture(16, 16, [](int x, int) {
            return x < 8 ? std::array{220, 0, 0, 255} : std::array{0, 220, 0, 255};
        });
        file.document["images"] = {
            {{"bufferView", file.addView(picture.data->data(), picture.data->size())},
             {"mimeType", "image/png"}}};
        file.document["textures"] = {{{"source", 0}}};
        file.document["materials"] = {
            {{"doubleSided", true},
             {"pbrMetallicRoughness",
              {{"metallicFactor", 0}, {"baseColorTexture", {{"index", 0}, {"texCoord", set}}}}}}};
        const int mesh = file.addTriangle();
        Json& primitive = file.document["meshes"][0]["primitives"][0];
        primitive["material"] = 0;
        primitive["attributes"]["TEXCOORD_0"] =
            file.addFloats({0.2F, 0.5F, 0.2F, 0.5F, 0.2F, 0.5F}, "VEC2");
        primitive["attributes"]["TEXCOORD_1"] =
            file.addFloats({0.8F, 0.5F, 0.8F, 0.5F, 0.8F, 0.5F}, "VEC2");
        file.addNode({{"mesh", mesh}, {"scale", {80, 80, 1}}, {"translation", {-30, -30, -10}}});
        file.document["cameras"] = {
            {{"type", "perspective"}, {"perspective", {{"yfov", 1}, {"znear", 0.1}}}}};
        file.addNode({{"camera", 0}});
        const auto path = file.write(folder_.path(), "sets " + std::to_string(set) + ".glb");
        window_->open(QString::fromStdString(path.string()));
        EXPECT_TRUE(settle());
        EXPECT_EQ(failure_, "");
        return middle();
    };
    const QColor first = colourWith(0);
    EXPECT_GT(first.red(), first.green() + 50);
    const QColor second = colourWith(1);
    EXPECT_GT(second.green(), second.red() + 50);
}

TEST_F(Pixels, LightLensCountsWhereALampStillReaches) {
    openPane("BLEND", 0.0, true);
    window_->view().setLens(LensKind::LightCount);
    ASSERT_TRUE(settle());
    const QColor lit = middle();  // 14 m below the lamp, within its 30 m
    openPane("BLEND", 0.0, false);
    window_->view().setLens(LensKind::LightCount);
    ASSERT_TRUE(settle());
    EXPECT_NE(lit, middle());
}

/// 40 cd end where they send 0.5 lux, 9 m away: the middle of the wall, 14 m below the lamp, is
/// dark in the result, and was not before.
TEST_F(Pixels, LightsShineAsTheFixesLeaveThem) {
    openPane("BLEND", 0.0, true);
    const QColor lit = middle();
    addFix("light-reach");
    ASSERT_EQ(window_->document().result()->placedLights.size(), 1U);
    ASSERT_NEAR(window_->document().result()->placedLights[0].range, std::sqrt(40 / 0.5), 1e-3);
    const QColor result = middle();
    EXPECT_LT(result.red(), lit.red());
    window_->view().setShowing(Showing::Original);
    ASSERT_TRUE(settle());
    EXPECT_EQ(middle(), lit);
    window_->document().projectModel().undoStack().undo();
    window_->view().setShowing(Showing::Result);
    ASSERT_TRUE(settle());
    EXPECT_EQ(middle(), lit) << "without the fix as before";
}

/// The lamp is 16.6 m from the camera.
TEST_F(Pixels, LightsThatEndBeforeTheEyeShineNoMore) {
    openPane("BLEND", 0.0, true);
    const QColor lit = middle();
    openPane("BLEND", 0.0, true, 12);
    const QColor dark = middle();
    EXPECT_LT(dark.red(), lit.red());
    Viewpoint nearer = window_->document().view();
    nearer.eye.y() += 12;
    window_->document().projectModel().setView(nearer);
    ASSERT_TRUE(settle());
    EXPECT_GT(middle().red(), dark.red()) << "from where it is not too far";
    openPane("BLEND", 0.0, true, 40);
    EXPECT_EQ(middle(), lit);
}

/// Ground under a lamp 5 m above it, looked at from below a slab that hangs between the two.
class Shadows : public Pixels {
protected:
    struct Yard {
        bool lampCasts = true;
        bool hasSlab = true;
        bool slabCasts = true;
    };
    QColor groundOf(const Yard& yard) {
        std::vector<test::Placed> things;
        if (yard.hasSlab)
            things = {{test::named(test::makeBox({3, 0.2F, 3}), "slab"), {0, 2.5F, 0}}};
        Scene scene = test::groundWith(things, {{{0, 5, 0}, 60, 30, yard.lampCasts}});
        if (!yard.slabCasts) scene.nodes[1].rest["extras"]["castsShadow"] = false;
        Node eye;
        eye.camera = 0;
        const double half = std::atan2(1.5, 4) / 2;  // down to the origin
        eye.rest = {{"translation", {0, 1.5, 4}},
                    {"rotation", {-std::sin(half), 0, 0, std::cos(half)}}};
        scene.cameras.push_back(
            {{"type", "perspective"}, {"perspective", {{"yfov", 1}, {"znear", 0.1}}}});
        scene.scenes[0]["nodes"].push_back(scene.nodes.size());
        scene.nodes.push_back(std::move(eye));
        const std::string file = (folder_ / "yard.glb").string();
        EXPECT_TRUE(writeGltf(scene, file, {}, noProgress()));
        window_->open(QString::fromStdString(file));
        EXPECT_TRUE(settle());
        EXPECT_EQ(failure_, "");
        return middle();
    }
};

TEST_F(Shadows, FallWhereALampIsHidden) {
    const int lit = groundOf({.lampCasts = false}).value();
    EXPECT_LT(groundOf({}).value(), lit - 20);
    EXPECT_NEAR(groundOf({.slabCasts = false}).value(), lit, 2);
}

TEST_F(Shadows, OfNothingDoNotFall) {
    const int lit = groundOf({.lampCasts = false, .hasSlab = false}).value();
    EXPECT_NEAR(groundOf({.hasSlab = false}).value(), lit, 2) << "the ground does not shade itself";
}

TEST_F(Shadows, AFlatSceneIsLitAsWell) {
    const int flat = groundOf({.lampCasts = false, .hasSlab = false}).value();
    EXPECT_NEAR(flat, groundOf({.lampCasts = false}).value(), 25);
}

TEST_F(Shadows, GoWithALampThatIsSwitchedOff) {
    const int hidden = groundOf({}).value();
    window_->document().selection().setWithout({.objects = {}, .lights = {true}, .images = {}});
    ASSERT_TRUE(settle());
    EXPECT_LE(middle().value(), hidden) << "no light, and none to be kept";
}

}  // namespace
}  // namespace flentro::app
