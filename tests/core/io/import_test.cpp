// Strangers' files, through the import process: what must come across, and what must be told.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <set>

#include "base/index.h"
#include "data/trap_fixture.h"
#include "findings/finding.h"
#include "io/gltf.h"
#include "io/image.h"
#include "io/open.h"
#include "support/meshes.h"
#include "support/process.h"

namespace flentro {
namespace {

using testing::Contains;
using testing::HasSubstr;
using testing::SizeIs;

class Import : public test::TrapTest {
protected:
    static Scene open(const std::string& file, const ImportSettings& settings = {}) {
        OpenOptions options;
        options.importer = std::filesystem::path(FLENTRO_BIN_DIR) / "flentro-import";
        options.settings = settings;
        auto scene = openScene(*folder_ / file, options, noProgress());
        EXPECT_TRUE(scene) << file << ": " << (scene ? "" : describe(scene.error()));
        return scene ? std::move(*scene) : Scene{};
    }
    static std::string notesOf(const Scene& scene) {
        std::string text;
        for (const Note& note : scene.notes) text += note.where + ": " + note.what + "\n";
        return text;
    }
    static Vec3d sizeOf(const Scene& scene) { return scene.bounds().sizes(); }
    static const Material& material(const Scene& scene, const std::string& name) {
        for (const Material& each : scene.materials)
            if (each.name == name) return each;
        ADD_FAILURE() << "no material " << name;
        return scene.materials.front();
    }
};

TEST_F(Import, EveryTrapOpensWithItsSizeAndItsNote) {
    for (const test::Trap& trap : traps_) {
        SCOPED_TRACE(trap.file);
        const Scene scene = open(trap.file);
        std::size_t triangles = 0;
        for (const Object& object : scene.objects) triangles += scene.mesh(object).triangles;
        EXPECT_EQ(triangles, trap.triangles);
        EXPECT_TRUE(sizeOf(scene).isApprox(trap.size, 1e-4)) << sizeOf(scene).transpose();
        EXPECT_THAT(notesOf(scene), HasSubstr(trap.note));
        EXPECT_THAT(scene.files, Contains(*folder_ / trap.file));
        for (const auto& file : scene.files)
            EXPECT_TRUE(std::filesystem::exists(file)) << file << " is watched but not there";
    }
}

TEST_F(Import, EveryTrapIsDiagnosedWithNumbersThatHold) {
    for (const test::Trap& trap : traps_) {
        SCOPED_TRACE(trap.file);
        const Scene scene = open(trap.file);
        for (const Target& target : {shippedTargets().front(), shippedTargets().back()}) {
            Memo memo;
            const auto found = diagnose(scene, target, nullptr, std::nullopt, memo, noProgress());
            ASSERT_TRUE(found);
            for (const Finding& finding : found->findings) {
                ASSERT_FALSE(finding.subjects.empty()) << finding.rule->key;
                for (std::size_t m = 0; m < kMeasureCount; ++m) {
                    EXPECT_GE(finding.relief.worst[m], 0) << finding.rule->key;
                    EXPECT_LE(finding.relief.worst[m], found->counts[m] * (1 + 1e-9))
                        << finding.rule->key << " saves more than there is";
                }
            }
        }
    }
}

TEST_F(Import, EveryTrapIsWrittenAsSoundGltf) {
    for (const test::Trap& trap : traps_) {
        const Scene scene = open(trap.file);
        ASSERT_TRUE(writeGltf(scene, *folder_ / "out.glb", {}, noProgress())) << trap.file;
        EXPECT_EQ(test::validatorErrors(*folder_ / "out.glb"), "") << trap.file;
    }
}

TEST_F(Import, FigureKeepsAllThatItHas) {
    for (const char* file : {"figure.dae", "figure.fbx"}) {
        SCOPED_TRACE(file);
        const Scene scene = open(file);
        ASSERT_THAT(scene.objects, SizeIs(1));
        ASSERT_THAT(scene.skins, SizeIs(1));
        EXPECT_THAT(scene.skins[0].joints, SizeIs(2));
        const Part& part = scene.mesh(scene.objects[0]).parts.at(0);
        EXPECT_EQ(part.vertexCount(), 24U);
        for (const char* semantic :
             {"NORMAL", "TEXCOORD_0", "TEXCOORD_1", "COLOR_0", "JOINTS_0", "WEIGHTS_0"})
            EXPECT_NE(part.find(semantic), nullptr) << semantic;
        ASSERT_THAT(scene.animations, SizeIs(1));
        std::set<std::string> moved;
        for (const Json& channel : scene.animations[0].channels) {
            moved.insert(channel["target"]["path"]);
            EXPECT_EQ(scene.nodes[channel["target"]["node"].get<std::size_t>()].name, "knee");
        }
        EXPECT_TRUE(moved.contains("rotation"));
        ASSERT_THAT(scene.placedLights, SizeIs(1));
        const double height = scene.placedLights[0].position.y();
        EXPECT_NEAR(height, std::string(file) == "figure.fbx" ? 0.03 : 3, 1e-5);
        EXPECT_TRUE(scene.lights[0].color.isApprox(Vec3f(1, 0.5F, 0.25F)));
    }
    EXPECT_THAT(open("figure.dae").cameras, SizeIs(1));
}

TEST_F(Import, BonesHoldTheirVerticesAtRest) {
    // World of a joint times its inverse bind matrix leaves what is at rest where it is.
    const Scene scene = open("figure.dae");
    const std::vector<Mat4d> worlds = worldTransforms(scene.nodes);
    const Skin& skin = scene.skins.at(0);
    for (std::size_t j = 0; j < skin.joints.size(); ++j) {
        Mat4d bind;
        for (int i = 0; i < 16; ++i) bind(i % 4, i / 4) = skin.inverseBind->value(j, i);
        const Mat4d rest = elementOf(worlds, skin.joints[j]) * bind;
        EXPECT_TRUE(rest.isApprox(Mat4d::Identity(), 1e-5)) << rest;
    }
}

TEST_F(Import, ColoursOfVerticesAreLight) {
    const Scene scene = open("colours.ply");
    const Stream* colours = scene.assets.at(0).mesh->parts.at(0).find("COLOR_0");
    ASSERT_NE(colours, nullptr);
    EXPECT_NEAR(colours->value(0, 0), 1, 1e-4);
    EXPECT_NEAR(colours->value(2, 2), 0.5029, 1e-3) << "188 of 255 shown is half the light";
}

TEST_F(Import, CutOutsBlendsAndPicturesFromElsewhere) {
    const Scene scene = open("dark.obj");
    EXPECT_EQ(material(scene, "a").alphaMode, AlphaMode::Mask);
    EXPECT_TRUE(material(scene, "a").baseColor.isApprox(Vec4f::Ones()))
        << "black under a picture is white";
    EXPECT_EQ(material(scene, "b").alphaMode, AlphaMode::Mask);
    EXPECT_EQ(material(scene, "c").alphaMode, AlphaMode::Blend);
    EXPECT_NEAR(material(scene, "c").baseColor[3], 0.5, 1e-6);
    EXPECT_TRUE(material(scene, "a").emissive.isZero()) << "ambient is no emission";
    for (const Image& image : scene.images) EXPECT_NE(image.data, nullptr) << image.name;
}

TEST_F(Import, EmissionIsColouredByThePicture) {
    const Scene shining = open("glow.ac");
    const Material& glow = shining.materials.at(0);
    EXPECT_TRUE(glow.emissive.isApprox(Vec3f::Ones()));
    EXPECT_EQ(glow.texture("emissiveTexture"), glow.texture("baseColorTexture"));
    const Scene dull = open("plain.acc");
    const Material& plain = dull.materials.at(0);
    EXPECT_TRUE(plain.emissive.isZero());
    EXPECT_EQ(plain.texture("emissiveTexture"), -1);
}

TEST_F(Import, BoxCornersStaySharpAndRoundThingsRound) {
    const Scene box = open("unwelded.stl");
    EXPECT_EQ(box.assets.at(0).mesh->vertices, 24U) << "six sides of four corners";
    ImportSettings round;
    round.creaseAngle = 120;
    const Scene ball = open("unwelded.stl", round);
    EXPECT_EQ(ball.assets.at(0).mesh->vertices, 8U) << "all edges smooth: one surface";
}

TEST_F(Import, SettingsDecideUnitAndAxis) {
    ImportSettings settings;
    settings.unit = "cm";
    settings.up = 'Z';
    const Scene scene = open("engine.obj", settings);
    EXPECT_TRUE(sizeOf(scene).isApprox(Vec3d(7.44, 4, 5), 1e-6)) << sizeOf(scene).transpose();
    EXPECT_THAT(notesOf(scene), testing::Not(HasSubstr("taken for")));
    EXPECT_FALSE(scene.sourceUnits.unitGuessed);
    EXPECT_EQ(scene.sourceUnits.unit, "cm");
}

TEST_F(Import, UnitOfAGltfFileCanBeSetAndItsLightsFollow) {
    const Scene figure = open("figure.dae");
    ASSERT_TRUE(writeGltf(figure, *folder_ / "figure.glb", {}, noProgress()));
    ImportSettings settings;
    settings.unit = "cm";
    const Scene small = open("figure.glb", settings);
    EXPECT_TRUE(sizeOf(small).isApprox(sizeOf(figure) / 100, 1e-6)) << sizeOf(small).transpose();
    EXPECT_NEAR(small.lights.at(0).intensity, figure.lights.at(0).intensity / 1e4, 1e-9);
    EXPECT_NEAR(small.placedLights.at(0).position.y(), 0.03, 1e-9);
    EXPECT_NEAR(small.cameras.at(0)["perspective"]["znear"].get<double>(), 0.001, 1e-9);
    // Once in metres it stays so.
    ASSERT_TRUE(writeGltf(small, *folder_ / "small.glb", {}, noProgress()));
    EXPECT_TRUE(sizeOf(open("small.glb")).isApprox(sizeOf(small), 1e-6));
}

TEST_F(Import, OddSizesAreAQuestion) {
    Scene box = test::makeScene({{test::makeBox(Vec3f(744, 500, 400)), Vec3d::Zero()}});
    ASSERT_TRUE(writeGltf(box, *folder_ / "box.glb", {}, noProgress()));
    EXPECT_THAT(notesOf(open("box.glb")), HasSubstr("choose its unit"));
    box = test::makeScene({{test::makeBox(Vec3f(2, 1, 1)), Vec3d::Zero()}});
    ASSERT_TRUE(writeGltf(box, *folder_ / "box.glb", {}, noProgress()));
    EXPECT_THAT(notesOf(open("box.glb")), testing::Not(HasSubstr("unit")));
}

TEST_F(Import, TgaPicturesBecomePng) {
    // 2 x 1 texels of 32 bits (Truevision TGA 2.0): opaque red, clear green.
    const std::string header("\0\0\2\0\0\0\0\0\0\0\0\0\2\0\1\0\40\10", 18);
    test::writeText(*folder_ / "dots.tga", header + std::string("\0\0\xFF\xFF\0\xFF\0\0", 8));
    test::writeText(*folder_ / "tga.mtl", "newmtl t\nmap_Kd dots.tga\n");
    test::writeText(*folder_ / "tga.obj",
                    "mtllib tga.mtl\nusemtl t\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\n"
                    "f 1/1 2/2 3/3\n");
    const Scene scene = open("tga.obj");
    ASSERT_THAT(scene.images, SizeIs(1));
    EXPECT_EQ(scene.images[0].mime, "image/png");
    const auto pixels = decodeImage(scene.images[0], 16);
    ASSERT_TRUE(pixels);
    EXPECT_THAT(pixels->rgba, testing::ElementsAre(255, 0, 0, 255, 0, 255, 0, 0));
    EXPECT_EQ(material(scene, "t").alphaMode, AlphaMode::Mask);
}

TEST_F(Import, OpacityPictureOfItsOwnGoesIntoTheColours) {
    const std::vector<std::uint8_t> grey = {255, 0};
    const std::vector<std::uint8_t> red = {255, 0, 0, 255, 0, 0};
    const auto save = [&](const char* name, const std::vector<std::uint8_t>& pixels, int channels) {
        const auto png = encodePng(pixels.data(), 2, 1, channels);
        test::writeText(*folder_ / name, {reinterpret_cast<const char*>(png.data()), png.size()});
    };
    save("mask.png", grey, 1);
    save("red.png", red, 3);
    test::writeText(*folder_ / "fence.mtl", "newmtl t\nmap_Kd red.png\nmap_d mask.png\n");
    test::writeText(
        *folder_ / "fence.obj",
        "mtllib fence.mtl\nusemtl t\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\n"
        "f 1/1 2/2 3/3\n");
    const Scene scene = open("fence.obj");
    const Material& fence = material(scene, "t");
    EXPECT_EQ(fence.alphaMode, AlphaMode::Mask);
    const auto texture = static_cast<std::size_t>(fence.texture("baseColorTexture"));
    const Image& image = elementOf(scene.images, scene.textures[texture].image);
    const auto pixels = decodeImage(image, 16);
    ASSERT_TRUE(pixels);
    EXPECT_THAT(pixels->rgba, testing::ElementsAre(255, 0, 0, 255, 255, 0, 0, 0));
}

TEST_F(Import, PathsThatLeadOutsideAreNotRead) {
    test::writeText(folder_->path().parent_path() / "flentro-outside.png", "secret");
    test::writeText(*folder_ / "out.mtl", "newmtl t\nmap_Kd ../flentro-outside.png\n");
    test::writeText(*folder_ / "out.obj",
                    "mtllib out.mtl\nusemtl t\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\n"
                    "f 1/1 2/2 3/3\n");
    const Scene scene = open("out.obj");
    std::filesystem::remove(folder_->path().parent_path() / "flentro-outside.png");
    for (const Image& image : scene.images) EXPECT_EQ(image.data, nullptr);
    EXPECT_THAT(notesOf(scene), HasSubstr("leads outside"));
}

TEST_F(Import, ContentCountsBeforeTheEnding) {
    const Scene scene = open("stl-inside.obj");
    EXPECT_EQ(scene.assets.at(0).mesh->triangles, 12U);
    EXPECT_EQ(scene.assets.at(0).mesh->vertices, 24U);
}

}  // namespace
}  // namespace flentro
