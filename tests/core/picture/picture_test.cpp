#include <gtest/gtest.h>

#include <cmath>

#include "io/image.h"
#include "picture/difference.h"
#include "simplify/reduce.h"
#include "support/meshes.h"

namespace flentro {
namespace {

constexpr double kPerMetre = 1000;  ///< Pixels of a metre at one metre.

/// A square metre upright in the xy plane that faces +z.
Mesh makeWall() {
    Mesh mesh;
    Part part = test::makePart({{-0.5, -0.5, 0}, {0.5, -0.5, 0}, {0.5, 0.5, 0}, {-0.5, 0.5, 0}},
                               {0, 1, 2, 0, 2, 3});
    test::addStream(part, "TEXCOORD_0",
                    makeStream(std::vector<Vec2f>{{0, 1}, {1, 1}, {1, 0}, {0, 0}}));
    mesh.parts.push_back(std::move(part));
    return mesh;
}

int addMaterial(Scene& scene, AlphaMode mode, const Vec4f& color) {
    Material material;
    material.alphaMode = mode;
    material.baseColor = color;
    scene.materials.push_back(material);
    return static_cast<int>(scene.materials.size()) - 1;
}

/// Chequered black and white, `edge` texels, as base colour of a new material.
int addChequered(Scene& scene, int edge) {
    std::vector<std::uint8_t> pixels;
    for (int i = 0; i < edge * edge; ++i) {
        const auto value = static_cast<std::uint8_t>((i % edge + i / edge) % 2 == 0 ? 0 : 255);
        pixels.insert(pixels.end(), {value, value, value, 255});
    }
    Image image;
    image.width = image.height = edge;
    image.data =
        std::make_shared<const std::vector<std::byte>>(encodePng(pixels.data(), edge, edge, 4));
    scene.images.push_back(image);
    Texture texture;
    texture.image = static_cast<int>(scene.images.size()) - 1;
    scene.textures.push_back(texture);
    const int material = addMaterial(scene, AlphaMode::Opaque, Vec4f::Ones());
    scene.materials.back().textures.push_back(
        {"baseColorTexture", static_cast<int>(scene.textures.size()) - 1, 0});
    return material;
}

Picture paintFront(const Scene& scene, const MeshPtr& mesh, double distance,
                   MeshPainter::Channel channel = MeshPainter::Channel::Shaded) {
    const Aim aim = aimAt(mesh->bounds, Vec3d::UnitZ(), distance, kPerMetre);
    return MeshPainter(scene, mesh).paint(aim, channel);
}

double coverageOf(const Picture& picture) {
    double sum = 0;
    for (const Vec4f& pixel : picture.pixels) sum += static_cast<double>(pixel.w());
    return sum;
}

TEST(Picture, HasThePixelsThatTheDisplayWouldGiveIt) {
    const Scene scene = test::makeScene({{makeWall(), {0, 0, 0}}});
    for (const double distance : {5.0, 10.0, 20.0}) {
        const Picture picture = paintFront(scene, scene.assets[0].mesh, distance);
        const double edge = kPerMetre / distance;
        EXPECT_NEAR(coverageOf(picture), edge * edge, 0.02 * edge * edge) << distance << " m";
        EXPECT_EQ(picture.at(0, 0).w(), 0) << "room around it";
        EXPECT_EQ(picture.at(picture.width / 2, picture.height / 2).w(), 1);
    }
}

TEST(Picture, NeverExceedsTheEdgeItWasGiven) {
    const Scene scene = test::makeScene({{makeWall(), {0, 0, 0}}});
    const Box box = scene.assets[0].mesh->bounds;
    const Aim aim = aimAt(box, Vec3d::UnitZ(), 0.5, kPerMetre, 64);
    EXPECT_EQ(aim.width, 64);
    EXPECT_GT(aim.pixel, 1 / kPerMetre);
    EXPECT_NEAR(box.exteriorDistance(aim.eye), 0.5, 1e-6);
    EXPECT_EQ(aimAt(Box(), Vec3d::UnitZ(), 5, kPerMetre).width, 4) << "nothing to see";
}

TEST(Picture, BackFacesAreNotThereUnlessTwoSided) {
    Mesh wall = makeWall();
    Scene scene = test::makeScene({{wall, {0, 0, 0}}});
    const Box box = scene.assets[0].mesh->bounds;
    const Aim behind = aimAt(box, -Vec3d::UnitZ(), 5, kPerMetre);
    EXPECT_EQ(coverageOf(MeshPainter(scene, scene.assets[0].mesh).paint(behind)), 0);
    wall.parts[0].material = addMaterial(scene, AlphaMode::Opaque, Vec4f::Ones());
    scene.materials[0].doubleSided = true;
    EXPECT_GT(coverageOf(MeshPainter(scene, finishMesh(std::move(wall))).paint(behind)), 1000);
}

TEST(Picture, TransparentSurfacesCoverByTheirAlpha) {
    Scene scene;
    Mesh wall = makeWall();
    wall.parts[0].material = addMaterial(scene, AlphaMode::Blend, {1, 1, 1, 0.25F});
    // A second pane half a metre behind it.
    Part behind = wall.parts[0];
    std::vector<Vec3f> positions = positionsOf(behind);
    for (Vec3f& position : positions) position.z() -= 0.01F;
    behind.set("POSITION", makeStream(positions));
    wall.parts.push_back(behind);
    const MeshPtr mesh = finishMesh(std::move(wall));
    const Picture picture = paintFront(scene, mesh, 10);
    EXPECT_NEAR(picture.at(picture.width / 2, picture.height / 2).w(), 1 - 0.75F * 0.75F, 1e-4);
}

TEST(Picture, TexturesAreSharpNearAndGreyFarAway) {
    Scene scene;
    Mesh wall = makeWall();
    wall.parts[0].material = addChequered(scene, 64);
    const MeshPtr mesh = finishMesh(std::move(wall));
    const auto contrast = [&](double distance) {
        const Picture picture = paintFront(scene, mesh, distance, MeshPainter::Channel::BaseColor);
        double least = 1;
        double most = 0;
        for (const Vec4f& pixel : picture.pixels) {
            if (pixel.w() < 1) continue;
            least = std::min(least, static_cast<double>(pixel.x()));
            most = std::max(most, static_cast<double>(pixel.x()));
        }
        return most - least;
    };
    EXPECT_GT(contrast(3), 0.99) << "five pixels a texel";
    EXPECT_LT(contrast(300), 0.05) << "nineteen texels a pixel";
}

TEST(Picture, VertexColoursTint) {
    Mesh wall = makeWall();
    test::addStream(wall.parts[0], "COLOR_0",
                    makeStream(std::vector<Vec3f>{{1, 0, 0}, {1, 0, 0}, {1, 0, 0}, {1, 0, 0}}));
    const Picture picture = paintFront({}, finishMesh(std::move(wall)), 10);
    const Vec4f middle = picture.at(picture.width / 2, picture.height / 2);
    EXPECT_GT(middle.x(), 0.5);
    EXPECT_EQ(middle.y(), 0);
}

TEST(Picture, BytesAreStraightAlpha) {
    Picture picture{2, 1, {Vec4f(0.25F, 0.5F, 0, 0.5F), Vec4f::Zero()}};
    EXPECT_EQ(toBytes(picture), (std::vector<std::uint8_t>{128, 255, 0, 128, 0, 0, 0, 0}));
}

// --- difference ---------------------------------------------------------------------------

Picture filled(float value, float coverage) {
    Picture picture{4, 1, {}};
    picture.pixels.assign(4, Vec4f(value * coverage, value * coverage, value * coverage, coverage));
    return picture;
}

TEST(PictureDifference, TellsSilhouetteFromShading) {
    EXPECT_EQ(compare(filled(1, 1), filled(1, 1)).silhouette, 0);
    EXPECT_EQ(compare(filled(1, 1), filled(1, 1)).shading, 0);
    EXPECT_NEAR(compare(filled(1, 1), filled(0, 1)).shading, 1, 1e-6);
    EXPECT_EQ(compare(filled(1, 1), filled(0, 1)).silhouette, 0);
    EXPECT_NEAR(compare(filled(1, 1), filled(1, 0.75F)).silhouette, 0.25, 1e-6);
    EXPECT_NEAR(compare(filled(1, 1), filled(1, 0.75F)).shading, 0, 1e-6);
    EXPECT_EQ(compare(filled(1, 0), filled(1, 1)).silhouette, 1) << "something out of nothing";
    EXPECT_EQ(compare(filled(1, 0), filled(1, 0)).silhouette, 0);
}

TEST(PictureDifference, TakesFewerPixelsFarAway) {
    const Scene scene = test::makeScene({{test::makeSphere(64, 32), {0, 0, 0}}});
    const MeshPtr& sphere = scene.assets[0].mesh;
    ReduceOptions options;
    options.targetTriangles = 60;
    const Reduced rough = reduce(*sphere, options, noProgress()).value();
    const MeshPainter original(scene, sphere);
    const MeshPainter level(scene, rough.mesh);
    const Box box = sphere->bounds;
    const auto same = differenceAt(original, original, box, 10, kPerMetre);
    EXPECT_EQ(same.silhouette, 0);
    EXPECT_EQ(same.shading, 0);
    const auto near = differenceAt(original, level, box, 10, kPerMetre);
    const auto far = differenceAt(original, level, box, 40, kPerMetre);
    EXPECT_GT(near.silhouette, 0.01);
    EXPECT_GT(near.shading, 0.005);
    EXPECT_NEAR(far.silhouette, near.silhouette, 0.2 * near.silhouette) << "a share of the disc";
    // From 10 and 40 metres before the bounds the centre is at 11 and 41.
    EXPECT_NEAR(near.silhouettePixels / far.silhouettePixels, 41.0 * 41 / (11 * 11), 3);
}

}  // namespace
}  // namespace flentro
