// Several materials of an object baked into one, or divided among several objects.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "fixes/fewer_materials/divide.h"
#include "fixes/fewer_materials/fewer_materials.h"
#include "fixes/ladder/ladder.h"
#include "geometry/mesh_materials.h"
#include "io/gltf.h"
#include "picture/painter.h"
#include "scene/edit.h"
#include "support/display.h"
#include "support/meshes.h"
#include "support/pictures.h"
#include "support/process.h"

namespace flentro {
namespace {

using testing::Contains;
using testing::HasSubstr;

/// A tile of four colours, two by two.
std::array<int, 4> tile(int x, int y) {
    return {x < 16 ? 220 : 60, y < 16 ? 200 : 40, 90, 255};
}

/// A row of panels of 2 x 2 m, one part and one material each. The first two repeat their texture
/// three and five times.
class Panels : public testing::Test {
protected:
    Panels() {
        scene_ = test::makeScene({{test::makeGrid(1, 1, 1), {}}});
        Mesh mesh = *scene_.assets[0].mesh;
        mesh.name = "panels";
        mesh.parts.clear();
        add(mesh, textured(tile, 0.9), 3);
        add(mesh, textured([](int x, int y) { return tile(y, 31 - x); }, 0.4), 5);
        add(mesh,
            {{"pbrMetallicRoughness",
              {{"baseColorFactor", {0.1, 0.5, 0.9, 1}}, {"metallicFactor", 0.25}}}},
            0);
        add(mesh,
            {{"emissiveFactor", {1, 0.5, 0.25}},
             {"extensions", {{"KHR_materials_emissive_strength", {{"emissiveStrength", 4}}}}}},
            0);
        setMesh(scene_, std::move(mesh));
    }

    Json textured(const test::PixelOf& pixel, double roughness) {
        const int texture = test::addPicture(scene_, test::makePicture(32, 32, pixel, 3));
        return {{"pbrMetallicRoughness",
                 {{"baseColorTexture", {{"index", texture}}}, {"roughnessFactor", roughness}}}};
    }

    /// `repeats`: copies of the texture along an edge; 0: no coordinates.
    void add(Mesh& mesh, Json material, float repeats) {
        const auto left = 2.5F * static_cast<float>(mesh.parts.size());
        Part part;
        part.material = test::addMaterial(scene_, material);
        part.indices = {0, 1, 2, 0, 2, 3};
        part.set("POSITION", makeStream(std::vector<Vec3f>{
                                 {left, 0, 0}, {left + 2, 0, 0}, {left + 2, 2, 0}, {left, 2, 0}}));
        part.set("NORMAL", makeStream(std::vector<Vec3f>(4, Vec3f(0, 0, 1))));
        // Three whole copies aside: they are shifted back.
        if (repeats > 0)
            part.set(
                "TEXCOORD_0",
                makeStream(std::vector<Vec2f>{
                    {-3, 4 + repeats}, {repeats - 3, 4 + repeats}, {repeats - 3, 4}, {-3, 4}}));
        mesh.parts.push_back(std::move(part));
    }

    /// Panels of textures only.
    void replaceParts(const std::vector<float>& repeats) {
        Mesh mesh = *scene_.assets[0].mesh;
        mesh.parts.clear();
        for (const float r : repeats) add(mesh, textured(tile, 0.9), r);
        setMesh(scene_, std::move(mesh));
    }

    static void setMesh(Scene& scene, Mesh mesh) {
        scene.assets[0].mesh = finishMesh(std::move(mesh));
        for (Object& object : scene.objects) object.bounds = scene.assets[0].mesh->bounds;
    }

    [[nodiscard]] static Fixed baked(const Scene& scene, int limit,
                                     FewerMaterialSettings settings = {}) {
        settings.palette = false;
        settings.alikeColour = 0;
        settings.smallPixels = 0;
        settings.limit = limit;
        settings.divide = false;
        return applyFewerMaterials(scene, settings, test::display(), {}, noProgress()).value();
    }

    [[nodiscard]] static const Mesh& meshOf(const Fixed& fixed) {
        return *fixed.scene.assets[0].mesh;
    }

    /// Largest difference of a channel of base colour as shown, and the mean of all.
    [[nodiscard]] static std::pair<float, float> difference(const Scene& a, const Scene& b) {
        const Aim aim = aimAt(a.assets[0].mesh->bounds, {0, 0, 1}, 6, 300, 512);
        const auto channel = MeshPainter::Channel::BaseColor;
        const Picture before = MeshPainter(a, a.assets[0].mesh).paint(aim, channel);
        const Picture after = MeshPainter(b, b.assets[0].mesh).paint(aim, channel);
        float most = 0;
        float sum = 0;
        for (std::size_t i = 0; i < before.pixels.size(); ++i) {
            const float by = (before.pixels[i] - after.pixels[i]).cwiseAbs().maxCoeff();
            most = std::max(most, by);
            sum += by;
        }
        return {most, sum / static_cast<float>(before.pixels.size())};
    }

    Scene scene_;
};

TEST_F(Panels, LookTheSameOnOnePage) {
    const Fixed fixed = baked(scene_, 1);
    ASSERT_EQ(meshOf(fixed).parts.size(), 1U);
    const auto [most, mean] = difference(scene_, fixed.scene);
    EXPECT_LT(mean, 0.004);
    EXPECT_LT(most, 0.3) << "borders of texels at most";
    const auto* report = fixed.record.reportAs<FewerMaterialReport>();
    EXPECT_EQ(report->baked, 4U);
    EXPECT_EQ(report->pages, 1U);
    EXPECT_EQ(report->joined, 3U);
    EXPECT_TRUE(report->still.empty());
}

TEST_F(Panels, NumbersAndGlowComeAlong) {
    const Fixed fixed = baked(scene_, 1);
    const Material& page = elementOf(fixed.scene.materials, meshOf(fixed).parts[0].material);
    EXPECT_EQ(page.emissive, Vec3f(4, 4, 4)) << "of the brightest";
    EXPECT_EQ(page.roughness, 1);
    EXPECT_EQ(page.metallic, 1);
    const auto valueAt = [&](const char* role, std::uint32_t vertex) {
        const int image = fixed.scene.imageOf(page.texture(role));
        const auto pixels = decodeImage(elementOf(fixed.scene.images, image), 4096).value();
        const Part& part = meshOf(fixed).parts[0];
        Vec2f at = Vec2f::Zero();  // the middle of the panel
        for (std::uint32_t v = vertex; v < vertex + 4; ++v)
            at +=
                Vec2f(part.find("TEXCOORD_0")->value(v, 0), part.find("TEXCOORD_0")->value(v, 1)) /
                4;
        const auto x = static_cast<int>(at.x() * static_cast<float>(pixels.width));
        const auto y = static_cast<int>(at.y() * static_cast<float>(pixels.height));
        const auto* texel = pixels.rgba.data() + 4 * (y * pixels.width + x);
        return std::array<int, 3>{texel[0], texel[1], texel[2]};
    };
    EXPECT_NEAR(valueAt("metallicRoughnessTexture", 0)[1], 0.9 * 255, 1);
    EXPECT_NEAR(valueAt("metallicRoughnessTexture", 4)[1], 0.4 * 255, 1);
    EXPECT_NEAR(valueAt("metallicRoughnessTexture", 8)[2], 0.25 * 255, 1);
    // Linear 1, 0.5 and 0.25 as sRGB holds them.
    EXPECT_THAT(valueAt("emissiveTexture", 12), testing::ElementsAre(255, 188, 137));
    EXPECT_THAT(valueAt("emissiveTexture", 0), testing::ElementsAre(0, 0, 0));
}

TEST_F(Panels, AreBakedOnlyDownToTheLimit) {
    const Fixed fixed = baked(scene_, 3);
    ASSERT_EQ(meshOf(fixed).parts.size(), 3U);
    EXPECT_EQ(fixed.record.reportAs<FewerMaterialReport>()->baked, 2U) << "the two without pixels";
    EXPECT_EQ(meshOf(fixed).parts[0].material, scene_.assets[0].mesh->parts[0].material);
    EXPECT_EQ(baked(scene_, 4).scene.assets[0].mesh, scene_.assets[0].mesh);
}

TEST_F(Panels, StayWhereAPageWouldBlurThem) {
    FewerMaterialSettings settings;
    settings.bakePage = 64;
    const Fixed fixed = baked(scene_, 1, settings);
    EXPECT_EQ(meshOf(fixed).parts.size(), 4U);
    EXPECT_THAT(fixed.record.notes, Contains(HasSubstr("panels: 4 of 1")));
    settings.bakeKept = 0.05;
    EXPECT_EQ(meshOf(baked(scene_, 1, settings)).parts.size(), 1U);
    settings.bakePage = 0;
    EXPECT_EQ(meshOf(baked(scene_, 1, settings)).parts.size(), 4U);
}

TEST_F(Panels, WhatCannotBeBakedStays) {
    const auto partsWith = [&](const Json& merged) {
        Scene scene = scene_;
        Json source = scene.materials[0].source;
        source.merge_patch(merged);
        scene.materials[0] = parseMaterial(source);
        return meshOf(baked(scene, 1)).parts.size();
    };
    EXPECT_EQ(partsWith({{"name", "only a name"}}), 1U);
    EXPECT_EQ(partsWith({{"alphaMode", "BLEND"}}), 4U);
    EXPECT_EQ(partsWith({{"doubleSided", true}}), 4U) << "too few of one kind";
    EXPECT_EQ(partsWith({{"extensions", {{"KHR_materials_clearcoat", Json::object()}}}}), 4U);
    const Json moved = {{"extensions", {{"KHR_texture_transform", {{"scale", {2, 2}}}}}}};
    EXPECT_EQ(partsWith({{"pbrMetallicRoughness", {{"baseColorTexture", moved}}}}), 4U);
    Scene scene = scene_;
    scene.samplers.push_back({0, {{"wrapS", 33071}}});
    scene.textures[0].sampler = 0;
    EXPECT_EQ(meshOf(baked(scene, 1)).parts.size(), 4U) << "its edge is drawn on, not repeated";
    scene = scene_;
    scene.assets[0].importance = Importance::Keep;
    EXPECT_EQ(meshOf(baked(scene, 1)).parts.size(), 4U);
}

TEST_F(Panels, PartsWithoutTrianglesAndVastCoordinatesDoNoHarm) {
    Mesh mesh = *scene_.assets[0].mesh;
    mesh.parts[0].indices.clear();
    setMesh(scene_, mesh);
    EXPECT_LE(meshOf(baked(scene_, 1)).parts.size(), 2U);
    mesh = *scene_.assets[0].mesh;
    mesh.parts[1].set("TEXCOORD_0",
                      makeStream(std::vector<Vec2f>{{0, 0}, {1e12F, 0}, {1e12F, 1e12F}, {0, 1}}));
    setMesh(scene_, mesh);
    EXPECT_GE(meshOf(baked(scene_, 1)).parts.size(), 3U) << "no page has room for that";
}

TEST_F(Panels, ObjectsWithTheSameChoiceShareAPage) {
    Asset twin = scene_.assets[0];
    Mesh mesh = *twin.mesh;
    mesh.name = "narrower";
    for (Part& part : mesh.parts) {
        std::vector<Vec3f> points = positionsOf(part);
        for (Vec3f& point : points) point.y() *= 0.5F;
        part.set("POSITION", makeStream(points));
    }
    twin.mesh = finishMesh(std::move(mesh));
    scene_.assets.push_back(twin);
    Object object = scene_.objects[0];
    object.asset = 1;
    scene_.objects.push_back(object);
    const Fixed fixed = baked(scene_, 1);
    EXPECT_EQ(fixed.record.reportAs<FewerMaterialReport>()->pages, 1U);
    EXPECT_EQ(fixed.scene.assets[0].mesh->parts[0].material,
              fixed.scene.assets[1].mesh->parts[0].material);
}

TEST_F(Panels, SeveralPagesWhereOneHasNoRoom) {
    replaceParts({3, 3, 3, 3, 3, 3});  // 96 pixels each: a page of 256 has room for four
    FewerMaterialSettings settings;
    settings.bakePage = 256;
    settings.bakeKept = 1;
    settings.bakeCut = 0;
    const Fixed fixed = baked(scene_, 2, settings);
    EXPECT_EQ(meshOf(fixed).parts.size(), 2U);
    EXPECT_EQ(fixed.record.reportAs<FewerMaterialReport>()->pages, 2U);
    EXPECT_LT(difference(scene_, fixed.scene).second, 0.004);
    EXPECT_EQ(meshOf(baked(scene_, 1, settings)).parts.size(), 6U) << "no two pages are one";
}

TEST_F(Panels, LongStripsAreTakenApartWhereTheTextureBeginsAnew) {
    replaceParts({1, 1});
    Mesh mesh = *scene_.assets[0].mesh;
    Part& strip = mesh.parts[1];
    std::vector<Vec3f> points;
    std::vector<Vec2f> coords;
    strip.indices.clear();
    for (std::uint32_t i = 0; i <= 12; ++i)
        for (const float y : {0.0F, 0.5F}) {
            points.emplace_back(3 + 0.5F * static_cast<float>(i), y, 0);
            coords.emplace_back(static_cast<float>(i), y);
        }
    for (std::uint32_t v = 0; v < 24; v += 2)
        strip.indices.insert(strip.indices.end(), {v, v + 2, v + 3, v, v + 3, v + 1});
    strip.set("POSITION", makeStream(points));
    strip.set("NORMAL", makeStream(std::vector<Vec3f>(points.size(), Vec3f(0, 0, 1))));
    strip.set("TEXCOORD_0", makeStream(coords));
    setMesh(scene_, mesh);
    FewerMaterialSettings settings;
    settings.bakePage = 128;
    settings.bakeKept = 1;
    settings.bakeCut = 0.5;  // 30 vertices: 15 more at most; each of 11 seams takes two
    EXPECT_EQ(meshOf(baked(scene_, 1, settings)).parts.size(), 2U);
    settings.bakeCut = 0.75;
    const Fixed fixed = baked(scene_, 1, settings);
    ASSERT_EQ(meshOf(fixed).parts.size(), 1U);
    EXPECT_EQ(meshOf(fixed).triangles, mesh.parts[0].triangleCount() + 24);
    EXPECT_EQ(meshOf(fixed).vertices, 4U + 48U);
    EXPECT_LT(difference(scene_, fixed.scene).second, 0.004);
}

TEST_F(Panels, LargeTrianglesAreCutWhereTheTextureBeginsAnew) {
    replaceParts({5, 5});
    FewerMaterialSettings settings;
    settings.bakePage = 128;
    settings.bakeKept = 1;
    EXPECT_EQ(meshOf(baked(scene_, 1, settings)).parts.size(), 2U) << "too many vertices";
    settings.bakeCut = 15;
    const Fixed fixed = baked(scene_, 1, settings);
    ASSERT_EQ(meshOf(fixed).parts.size(), 1U);
    EXPECT_GE(meshOf(fixed).triangles, 2U * 25 * 2);
    const float whole = difference(scene_, baked(scene_, 1).scene).second;
    EXPECT_LT(difference(scene_, fixed.scene).second, whole + 0.001F) << "no more than uncut";
}

template <typename Value>
StreamPtr streamOf(const std::vector<Value>& values) {
    return std::make_shared<const Stream>(makeStream(values));
}

TEST_F(Panels, WhatBendsIsBakedAsWellButStaysInParts) {
    Mesh mesh = *scene_.assets[0].mesh;
    for (Part& part : mesh.parts)
        part.targets = {
            {{"POSITION", streamOf(std::vector<Vec3f>(part.vertexCount(), Vec3f(0, 1, 0)))}}};
    setMesh(scene_, mesh);
    const Fixed fixed = baked(scene_, 1);
    ASSERT_EQ(meshOf(fixed).parts.size(), 4U);
    for (const Part& part : meshOf(fixed).parts) {
        EXPECT_EQ(part.material, meshOf(fixed).parts[0].material);
        EXPECT_EQ(part.targets.size(), 1U);
    }
    EXPECT_TRUE(fixed.record.reportAs<FewerMaterialReport>()->still.empty());
    mesh.parts[0].targets[0].push_back(
        {"TEXCOORD_0", streamOf(std::vector<Vec2f>(4, Vec2f(1, 0)))});
    setMesh(scene_, mesh);
    EXPECT_THAT(baked(scene_, 1).record.notes, Contains(HasSubstr("panels: 4 of 1")));
}

TEST_F(Panels, WhatIsLeftIsDividedAmongObjects) {
    FewerMaterialSettings settings;
    settings.palette = false;
    settings.bakePage = 0;
    settings.limit = 3;
    const auto apply = [&](const Scene& scene) {
        return applyFewerMaterials(scene, settings, test::display(), {}, noProgress()).value();
    };
    const Fixed fixed = apply(scene_);
    ASSERT_EQ(fixed.scene.objects.size(), 2U);
    ASSERT_EQ(fixed.scene.assets.size(), 2U) << "nothing shows the whole any more";
    EXPECT_EQ(fixed.scene.assets[0].mesh->parts.size(), 3U);
    EXPECT_EQ(fixed.scene.assets[1].mesh->parts.size(), 1U);
    EXPECT_EQ(fixed.scene.objects[1].origins, scene_.objects[0].origins);
    const auto* report = fixed.record.reportAs<FewerMaterialReport>();
    EXPECT_EQ(report->divided, 1U);
    EXPECT_EQ(report->objects, 1U);
    EXPECT_TRUE(report->still.empty());
    EXPECT_THAT(fixed.record.summary, HasSubstr("1 asset is divided: 1 object more"));
    const test::TemporaryFolder folder;
    ASSERT_TRUE(writeGltf(fixed.scene, folder / "divided.glb", {}, noProgress()));
    EXPECT_EQ(test::validatorErrors(folder / "divided.glb"), "");

    Scene kept = scene_;
    kept.assets[0].importance = Importance::Keep;
    EXPECT_EQ(apply(kept).scene.objects.size(), 1U);
    Scene levels = scene_;
    levels.assets[0].ladder.levels.push_back({.mesh = scene_.assets[0].mesh});
    const Fixed whole = apply(levels);
    EXPECT_EQ(whole.scene.objects.size(), 1U);
    EXPECT_THAT(whole.record.notes, Contains(HasSubstr("panels: 4 of 3")));
}

TEST_F(Panels, PartsOfOneMaterialStayInOneObject) {
    Mesh mesh = *scene_.assets[0].mesh;
    mesh.parts[2].material = mesh.parts[0].material;
    setMesh(scene_, mesh);
    Object twin = scene_.objects[0];
    twin.world(1, 3) = 9;
    addObject(scene_, twin);
    const Division division = divideByMaterials(scene_, {0}, 1);
    EXPECT_EQ(division.assets, 1U);
    EXPECT_EQ(division.objects, 4U) << "three each where one was";
    EXPECT_TRUE(division.refused.empty());
    std::size_t triangles = 0;
    for (const Object& object : scene_.objects) {
        const Mesh& piece = *scene_.asset(object).mesh;
        EXPECT_EQ(materialCount(piece), 1U);
        EXPECT_EQ(piece.parts.size(), piece.parts[0].material == mesh.parts[0].material ? 2U : 1U);
        triangles += piece.triangles;
    }
    EXPECT_EQ(triangles, 2 * scene_.assets[0].mesh->triangles);
}

TEST_F(Panels, LevelsReadTheSamePageAndTheFileIsSound) {
    Ladder::Level level;
    level.mesh = scene_.assets[0].mesh;
    level.switchDistance = 10;
    scene_.assets[0].ladder.levels.push_back(level);
    const Fixed fixed = baked(scene_, 1);
    const Asset& asset = fixed.scene.assets[0];
    ASSERT_EQ(asset.level(1)->parts.size(), 1U);
    EXPECT_EQ(asset.level(1)->parts[0].material, asset.mesh->parts[0].material);
    const test::TemporaryFolder folder;
    ASSERT_TRUE(writeGltf(fixed.scene, folder / "page.glb", {}, noProgress()));
    EXPECT_EQ(test::validatorErrors(folder / "page.glb"), "");
    const Scene again = readGltf(folder / "page.glb", noProgress()).value();
    EXPECT_EQ(difference(fixed.scene, again).first, 0);
}

}  // namespace
}  // namespace flentro
