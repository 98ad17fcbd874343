// Atlas pages: the same texels in the same places, on fewer textures.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <set>

#include "base/index.h"
#include "fixes/atlas/atlas.h"
#include "fixes/fix.h"
#include "fixes/stand_ins/stand_ins.h"
#include "fixes/tile_shifts.h"
#include "fixes/work_order.h"
#include "geometry/tile_cut.h"
#include "io/gltf_materials.h"
#include "io/image.h"
#include "measure/viewcost.h"
#include "picture/texels.h"
#include "simplify/deviation.h"
#include "support/display.h"
#include "support/meshes.h"

namespace flentro {
namespace {

using testing::Contains;
using testing::HasSubstr;
using testing::IsEmpty;

/// A picture of which every texel tells where it is, and in which picture.
Image makeImage(std::uint8_t which, int width, int height) {
    std::vector<std::uint8_t> pixels;
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x)
            for (const int value : {x * 255 / (width - 1), y * 255 / (height - 1), int{which}, 255})
                pixels.push_back(static_cast<std::uint8_t>(value));
    std::vector<std::byte> png = encodePng(pixels.data(), width, height, 4);
    Image image;
    image.name = "picture " + std::to_string(which);
    image.mime = "image/png";
    image.width = width;
    image.height = height;
    image.channels = 4;
    image.hash = hashBytes(png);
    image.data = std::make_shared<const std::vector<std::byte>>(std::move(png));
    return image;
}

Json paint(int texture) {
    return {{"name", "paint " + std::to_string(texture)},
            {"pbrMetallicRoughness", {{"baseColorTexture", {{"index", texture}}}}}};
}

/// Three squares, each with a picture of its own, 64 x 64, 32 x 64 and 64 x 32.
Scene makePainted() {
    Scene scene = test::makeScene({{test::named(test::makeGrid(2, 2), "a"), {0, 0, 0}},
                                   {test::named(test::makeGrid(3, 2), "b"), {5, 0, 0}},
                                   {test::named(test::makeGrid(2, 4), "c"), {9, 0, 0}}});
    scene.images = {makeImage(10, 64, 64), makeImage(20, 32, 64), makeImage(30, 64, 32)};
    for (int i = 0; i < 3; ++i) {
        scene.textures.push_back({"", i, -1, {}});
        scene.materials.push_back(parseMaterial(paint(i)));
        Mesh mesh = *elementOf(scene.assets, i).mesh;
        mesh.parts[0].material = i;
        elementOf(scene.assets, i).mesh = finishMesh(std::move(mesh));
    }
    return scene;
}

/// The colour that a vertex shows.
Vec4f colorAt(const Scene& scene, const Part& part, std::size_t vertex) {
    const TextureCache textures(scene, 4096);
    const Material& material = elementOf(scene.materials, part.material);
    const Stream& coords = *part.find("TEXCOORD_0");
    const Vec2f at(coords.value(vertex, 0), coords.value(vertex, 1));
    return textures.find(material.texture("baseColorTexture"))->at(at, 0);
}

TEST(Atlas, TexturesShareAPageAndShowTheSameTexels) {
    const Scene scene = makePainted();
    const Fixed fixed = applyAtlas(scene, {}, noProgress()).value();
    EXPECT_THAT(fixed.record.summary, HasSubstr("3 materials share 1 page"));
    ASSERT_EQ(fixed.scene.images.size(), 4U);
    for (std::size_t i = 0; i < 3; ++i) EXPECT_FALSE(fixed.scene.images[i].data) << "not read now";
    const int material = fixed.scene.assets[0].mesh->parts[0].material;
    for (std::size_t a = 0; a < 3; ++a) {
        const Part& before = scene.assets[a].mesh->parts[0];
        const Part& after = fixed.scene.assets[a].mesh->parts[0];
        EXPECT_EQ(after.material, material) << "one material, one draw call";
        // The middle of every triangle, away from borders.
        for (std::size_t v = 0; v < before.vertexCount(); ++v) {
            const Vec2f old(before.find("TEXCOORD_0")->value(v, 0),
                            before.find("TEXCOORD_0")->value(v, 1));
            if (old.minCoeff() < 0.1F || old.maxCoeff() > 0.9F) continue;
            EXPECT_LT((colorAt(scene, before, v) - colorAt(fixed.scene, after, v)).norm(), 0.06F);
        }
        EXPECT_FLOAT_EQ(colorAt(fixed.scene, after, 4).z(), static_cast<float>(10 * (a + 1)) / 255);
    }
}

TEST(Atlas, PagesStayWithinTheTargetsLargestTexture) {
    WorkOrder order;
    order.add(AtlasSettings{});
    Target target = test::display();
    const auto source = std::make_shared<const Scene>(makePainted());
    const auto images = [&] {
        StepCache cache;
        return evaluate(order, source, target, cache, noProgress()).value().result().images.size();
    };
    EXPECT_EQ(images(), 4U) << "one page more";
    at(target.limits, Measure::TextureEdge) = 64;
    EXPECT_EQ(images(), 3U) << "64 and their gutters have no room on 64";
}

TEST(Atlas, TexelDensityIsKept) {
    const Fixed fixed = applyAtlas(makePainted(), {}, noProgress()).value();
    const Image& page = fixed.scene.images[3];
    const Part& part = fixed.scene.assets[0].mesh->parts[0];
    float low = 1;
    float high = 0;
    for (std::size_t v = 0; v < part.vertexCount(); ++v) {
        low = std::min(low, part.find("TEXCOORD_0")->value(v, 0));
        high = std::max(high, part.find("TEXCOORD_0")->value(v, 0));
    }
    EXPECT_NEAR((high - low) * static_cast<float>(page.width), 64, 1e-3) << "texels as before";
    EXPECT_EQ(page.width & (page.width - 1), 0) << "a power of two";
}

TEST(Atlas, LargeTexturesGiveTheirGutterThemselves) {
    Scene scene = makePainted();
    for (std::uint8_t i = 0; i < 3; ++i)
        scene.images[i] = makeImage(static_cast<std::uint8_t>(10 * (i + 1)), 256, 256);
    const Fixed fixed = applyAtlas(scene, {}, noProgress()).value();
    const Image& page = fixed.scene.images[3];
    EXPECT_EQ(page.width * page.height, 4 * 256 * 256) << "no larger than four of them";
    EXPECT_FLOAT_EQ(colorAt(fixed.scene, fixed.scene.assets[2].mesh->parts[0], 4).z(), 30 / 255.0F);
}

TEST(Atlas, GuttersRepeatTheEdge) {
    AtlasSettings settings;
    settings.gutter = 4;
    const Fixed fixed = applyAtlas(makePainted(), settings, noProgress()).value();
    const auto page = decodeImage(fixed.scene.images[3], 4096).value();
    const Part& part = fixed.scene.assets[0].mesh->parts[0];
    float left = 1;
    float top = 1;
    for (std::size_t v = 0; v < part.vertexCount(); ++v) {
        left = std::min(left, part.find("TEXCOORD_0")->value(v, 0));
        top = std::min(top, part.find("TEXCOORD_0")->value(v, 1));
    }
    const auto x = static_cast<int>(std::lround(left * static_cast<float>(page.width)));
    const auto y = static_cast<int>(std::lround(top * static_cast<float>(page.height)));
    const auto texel = [&](int dx, int dy) {
        const auto at = static_cast<std::size_t>((y + dy) * page.width + x + dx) * 4;
        return std::array{page.rgba[at], page.rgba[at + 1], page.rgba[at + 2]};
    };
    for (int away = 1; away <= 4; ++away) EXPECT_EQ(texel(-away, 9), texel(0, 9)) << away;
}

TEST(Atlas, PartsOfOneMeshBecomeOne) {
    Scene scene = makePainted();
    Mesh both = *scene.assets[0].mesh;
    both.parts.push_back(scene.assets[1].mesh->parts[0]);
    scene.assets[0].mesh = finishMesh(std::move(both));
    const Fixed fixed = applyAtlas(scene, {}, noProgress()).value();
    EXPECT_EQ(fixed.scene.assets[0].mesh->parts.size(), 1U);
    EXPECT_EQ(fixed.scene.assets[0].mesh->triangles, scene.assets[0].mesh->triangles);
    EXPECT_THAT(fixed.record.summary, HasSubstr("1 part of meshes became one"));
}

TEST(Atlas, LeavesOutWhatCannotShare) {
    const auto packed = [](const std::function<void(Scene&)>& spoil) {
        Scene scene = makePainted();
        spoil(scene);
        AtlasSettings settings;
        settings.bakeFactors = false;
        settings.gutter = 0;  // else two small pictures would leave most of a page empty
        return applyAtlas(scene, settings, noProgress())->record;
    };
    const FixRecord repeats = packed([](Scene& scene) {
        Mesh mesh = *scene.assets[0].mesh;
        std::vector<Vec2f> coords(mesh.parts[0].vertexCount(), Vec2f(2.5F, 0));
        coords.front() = Vec2f(0, 0);  // from one tile into another
        mesh.parts[0].set("TEXCOORD_0", makeStream(coords));
        scene.assets[0].mesh = finishMesh(std::move(mesh));
    });
    EXPECT_THAT(repeats.summary, HasSubstr("2 materials share 1 page"));
    EXPECT_THAT(repeats.notes, Contains(HasSubstr("1 material stays alone: the texture repeats")));
    const FixRecord metal = packed([](Scene& scene) {
        Json json = paint(1);
        json["pbrMetallicRoughness"]["metallicFactor"] = 0.25;
        scene.materials[1] = parseMaterial(json);
    });
    EXPECT_THAT(metal.summary, HasSubstr("2 materials")) << "it differs by more than a texture";
    const FixRecord second = packed([](Scene& scene) {
        Json json = paint(1);
        json["pbrMetallicRoughness"]["baseColorTexture"]["texCoord"] = 1;
        scene.materials[1] = parseMaterial(json);
    });
    EXPECT_THAT(
        second.notes,
        Contains(HasSubstr("1 material stays alone: moved texture coordinates, or others")));
    const FixRecord lost = packed([](Scene& scene) { scene.images[2].data = nullptr; });
    EXPECT_THAT(lost.notes, Contains(HasSubstr("cannot be read")));
    AtlasSettings small;
    small.largest = 32;
    const FixRecord large = applyAtlas(makePainted(), small, noProgress())->record;
    EXPECT_THAT(large.notes, Contains(HasSubstr("3 materials stay alone: textures larger")));
    EXPECT_THAT(large.summary, HasSubstr("0 materials share 0 pages"));
}

/// The painted squares with a shadow baked into a fourth picture, read by a second set of
/// coordinates: each square has its own strip of it.
Scene makeLightMapped() {
    Scene scene = makePainted();
    scene.images.push_back(makeImage(40, 64, 64));
    scene.textures.push_back({"", 3, -1, {}});
    for (int i = 0; i < 3; ++i) {
        Json json = paint(i);
        json["occlusionTexture"] = {{"index", 3}, {"texCoord", 1}};
        elementOf(scene.materials, i) = parseMaterial(json);
        Mesh mesh = *elementOf(scene.assets, i).mesh;
        const Stream& own = *mesh.parts[0].find("TEXCOORD_0");
        std::vector<Vec2f> strip;
        for (std::size_t v = 0; v < own.count(); ++v)
            strip.emplace_back((static_cast<float>(i) + own.value(v, 0)) / 3, own.value(v, 1));
        mesh.parts[0].set("TEXCOORD_1", makeStream(strip));
        elementOf(scene.assets, i).mesh = finishMesh(std::move(mesh));
    }
    return scene;
}

TEST(Atlas, LightMapsStayWhereTheyAreWhileBaseTexturesShareAPage) {
    const Scene scene = makeLightMapped();
    const Fixed fixed = applyAtlas(scene, {}, noProgress()).value();
    EXPECT_THAT(fixed.record.summary, HasSubstr("3 materials share 1 page"));
    EXPECT_TRUE(fixed.scene.images[3].data) << "the light map is still read";
    const int material = fixed.scene.assets[0].mesh->parts[0].material;
    const Material& shared = elementOf(fixed.scene.materials, material);
    EXPECT_EQ(shared.source["occlusionTexture"], Json({{"index", 3}, {"texCoord", 1}}));
    for (std::size_t a = 0; a < 3; ++a) {
        const Part& before = scene.assets[a].mesh->parts[0];
        const Part& after = fixed.scene.assets[a].mesh->parts[0];
        EXPECT_EQ(after.material, material);
        EXPECT_EQ(after.find("TEXCOORD_1")->data, before.find("TEXCOORD_1")->data);
        EXPECT_FLOAT_EQ(colorAt(fixed.scene, after, 4).z(), static_cast<float>(10 * (a + 1)) / 255);
    }
}

TEST(Atlas, MaterialsWithOtherLightMapsDoNotShareAPage) {
    Scene scene = makeLightMapped();
    scene.images.push_back(makeImage(50, 64, 64));
    scene.textures.push_back({"", 4, -1, {}});
    Json json = scene.materials[2].source;
    json["occlusionTexture"]["index"] = 4;
    scene.materials[2] = parseMaterial(json);
    AtlasSettings settings;
    settings.gutter = 0;
    const Fixed fixed = applyAtlas(scene, settings, noProgress()).value();
    EXPECT_THAT(fixed.record.summary, HasSubstr("2 materials share 1 page"));
    EXPECT_EQ(fixed.scene.assets[2].mesh, scene.assets[2].mesh);
}

TEST(Atlas, NumbersAreNotBakedWhereTheirTextureStays) {
    Scene scene = makeLightMapped();
    Json json = scene.materials[1].source;
    json["pbrMetallicRoughness"]["metallicRoughnessTexture"] = {{"index", 3}, {"texCoord", 1}};
    for (const int i : {1, 2}) {
        Json own = json;
        own["pbrMetallicRoughness"]["baseColorTexture"]["index"] = i;
        own["pbrMetallicRoughness"]["roughnessFactor"] = 0.25 * i;
        elementOf(scene.materials, i) = parseMaterial(own);
    }
    AtlasSettings settings;
    settings.gutter = 0;
    EXPECT_THAT(applyAtlas(scene, settings, noProgress())->record.summary,
                HasSubstr("0 materials share 0 pages"))
        << "they differ by numbers that no page holds";
}

TEST(Atlas, PicturesOfSixteenBitsStayAlone) {
    Scene scene = makePainted();
    std::vector<std::byte> deep = *scene.images[1].data;
    deep[24] = std::byte{16};  // bits a channel (ISO 15948, 11.2.2)
    scene.images[1].data = std::make_shared<const std::vector<std::byte>>(deep);
    EXPECT_TRUE(hasDeepChannels(scene.images[1]));
    EXPECT_FALSE(hasDeepChannels(scene.images[0]));
    const auto fixed = applyAtlas(scene, {}, noProgress());
    ASSERT_TRUE(fixed);
    EXPECT_EQ(*fixed->scene.images[1].data, deep) << "its other eight bits are kept";
    EXPECT_THAT(fixed->record.notes, Contains(HasSubstr("1 material stays alone")));
}

TEST(Atlas, PagesThatWouldBeMostlyEmptyAreNotMade) {
    AtlasSettings settings;
    settings.gutter = 64;
    const FixRecord record = applyAtlas(makePainted(), settings, noProgress())->record;
    EXPECT_THAT(record.summary, HasSubstr("0 materials share 0 pages"));
    EXPECT_THAT(record.notes,
                Contains(HasSubstr("3 materials would leave most of the pages empty")));
}

TEST(Atlas, AllRolesFollowOneLayout) {
    Scene scene = makePainted();
    for (int i = 0; i < 3; ++i) {
        scene.images.push_back(makeImage(static_cast<std::uint8_t>(100 + i), 32, 32));
        scene.textures.push_back({"", 3 + i, -1, {}});
        Json json = paint(i);
        json["normalTexture"] = {{"index", 3 + i}};
        elementOf(scene.materials, i) = parseMaterial(json);
    }
    const Fixed fixed = applyAtlas(scene, {}, noProgress()).value();
    ASSERT_EQ(fixed.scene.images.size(), 8U);
    EXPECT_EQ(fixed.scene.images[6].width, fixed.scene.images[7].width);
    const Material& material =
        elementOf(fixed.scene.materials, fixed.scene.assets[0].mesh->parts[0].material);
    EXPECT_NE(material.texture("normalTexture"), material.texture("baseColorTexture"));
    const TextureCache textures(fixed.scene, 4096);
    const Stream& coords = *fixed.scene.assets[1].mesh->parts[0].find("TEXCOORD_0");
    const Vec2f middle(coords.value(5, 0), coords.value(5, 1));
    EXPECT_NEAR(textures.find(material.texture("normalTexture"))->at(middle, 0).z(), 101 / 255.0F,
                1e-3);
}

// --- far stand-ins ------------------------------------------------------------------------

/// Two heaps of nine coloured boxes, 500 m apart.
Scene makeHeaps() {
    std::vector<test::Placed> placed;
    for (int heap = 0; heap < 2; ++heap)
        for (int i = 0; i < 9; ++i)
            placed.push_back(
                {test::makeBox({1, 1, 1}), {500.0 * heap + 2.0 * (i % 3), 0, 2.0 * (i / 3)}});
    Scene scene = test::makeScene(placed);
    scene.materials = {parseMaterial({{"name", "red"}})};
    return scene;
}

StandInSettings from(double metres) {
    StandInSettings settings;
    settings.parcel = 64;
    settings.startDistance = metres;
    return settings;
}

TEST(StandIns, ShowInPlaceOfTheirObjects) {
    const Scene scene = makeHeaps();
    Target target = test::display();
    const Fixed fixed = applyStandIns(scene, from(50), target, noProgress()).value();
    ASSERT_EQ(fixed.scene.objects.size(), 18U + 2);
    // Near the first heap: its own boxes, and the stand-in of the other.
    const Viewpoint east{{-3, 0.5, 2}, 90, 0};
    const auto names = [&](const Viewpoint& view) {
        std::multiset<std::string> drawn;
        for (const DrawnObject& d : viewCost(fixed.scene, target, view).drawn)
            drawn.insert(fixed.scene.objects[d.object].name);
        std::multiset<std::string> selected;
        for (const DrawnObject& d : selectDrawn(fixed.scene, target, view))
            selected.insert(fixed.scene.objects[d.object].name);
        EXPECT_EQ(drawn, selected) << "view and counters agree";
        return drawn;
    };
    target.farPlane = 2000;
    EXPECT_EQ(names(east).count("neighbourhood 2 far"), 1U);
    EXPECT_EQ(names(east).count("neighbourhood 1 far"), 0U);
    EXPECT_EQ(names(east).size(), 9U + 1);
    EXPECT_EQ(names({{-200, 0.5, 2}, 90, 0}).size(), 2U) << "both from afar";
    for (const Object& object : fixed.scene.objects)
        EXPECT_EQ(object.origins.size(), object.standIn < 0 ? 9U : 1U);
}

TEST(StandIns, OnlyForWhatIsStillThere) {
    Scene scene = makeHeaps();
    for (Object& object : scene.objects) object.culling.end = 40;
    EXPECT_EQ(applyStandIns(scene, from(50), test::display(), noProgress())->scene.objects.size(),
              18U);
}

/// The triangles of objects side by side, in the world.
Mesh joinedMesh(const Scene& scene, const std::vector<std::uint32_t>& objects) {
    Mesh joined;
    for (const std::uint32_t i : objects)
        for (const Part& part : scene.mesh(scene.objects[i]).parts) {
            std::vector<Vec3f> points = positionsOf(part);
            for (Vec3f& point : points)
                point = transformPoint(scene.objects[i].world, point.cast<double>()).cast<float>();
            joined.parts.push_back(test::makePart(points, part.indices));
        }
    return *finishMesh(std::move(joined));
}

TEST(StandIns, KeepToTheirDeviation) {
    std::vector<test::Placed> balls;
    for (int i = 0; i < 4; ++i) balls.push_back({test::makeSphere(48, 24), {3.0 * i, 0, 0}});
    Scene scene = test::makeScene(balls);
    scene.materials = {parseMaterial({{"name", "red"}})};
    const Target target = test::display();
    const StandInSettings settings = from(50);
    const Fixed fixed = applyStandIns(scene, settings, target, noProgress()).value();
    const double allowed = settings.pixels * 50 / pixelsPerMetreAtOne(target);
    std::size_t found = 0;
    for (std::uint32_t i = 0; i < fixed.scene.objects.size(); ++i) {
        const Object& object = fixed.scene.objects[i];
        if (object.culling.start <= 0) continue;
        ++found;
        EXPECT_EQ(object.culling.start, 50);
        EXPECT_LT(fixed.scene.mesh(object).triangles, scene.assets[0].mesh->triangles);
        EXPECT_EQ(fixed.scene.mesh(object).parts.size(), 1U);
        const Surface surface(joinedMesh(scene, {0, 1, 2, 3}));
        const double deviation = largestDeviation(surface, joinedMesh(fixed.scene, {i}));
        EXPECT_GT(deviation, 0.1 * allowed) << "it uses what it may";
        EXPECT_LT(deviation, 1.05 * allowed);
    }
    EXPECT_EQ(found, 1U);
}

TEST(Atlas, CoordinatesWithinOneTileAreMovedByWholeNumbers) {
    Scene scene = makePainted();
    const Scene plain = scene;
    Mesh mesh = *scene.assets[1].mesh;
    std::vector<Vec2f> coords;
    const Stream& before = *mesh.parts[0].find("TEXCOORD_0");
    for (std::size_t v = 0; v < mesh.parts[0].vertexCount(); ++v)
        coords.emplace_back(before.value(v, 0) + 3, before.value(v, 1) - 2);
    mesh.parts[0].set("TEXCOORD_0", makeStream(coords));
    scene.assets[1].mesh = finishMesh(std::move(mesh));
    const Fixed fixed = applyAtlas(scene, {}, noProgress()).value();
    EXPECT_THAT(fixed.record.summary, HasSubstr("3 materials share 1 page"));
    for (const std::size_t vertex : {0U, 5U}) {
        const Vec4f was = colorAt(plain, plain.assets[1].mesh->parts[0], vertex);
        const Vec4f is = colorAt(fixed.scene, fixed.scene.assets[1].mesh->parts[0], vertex);
        EXPECT_TRUE(was.isApprox(is, 0.05F)) << vertex;
    }
}

TEST(Atlas, VariantsAndWhatIsToBeKeptStayAlone) {
    Scene scene = makePainted();
    scene.assets[0].importance = Importance::Keep;
    const Fixed kept = applyAtlas(scene, {}, noProgress()).value();
    EXPECT_EQ(kept.scene.assets[0].mesh, scene.assets[0].mesh);
    EXPECT_THAT(kept.record.notes, Contains(HasSubstr("shown by assets that are to be kept")));
    Scene variants = makePainted();
    Mesh mesh = *variants.assets[2].mesh;
    mesh.parts[0].rest["extensions"]["KHR_materials_variants"]["mappings"] = {
        {{"material", 1}, {"variants", {0}}}};
    variants.assets[2].mesh = finishMesh(std::move(mesh));
    const Fixed fixed = applyAtlas(variants, {}, noProgress()).value();
    EXPECT_THAT(fixed.record.notes, Contains(HasSubstr("shown by variants")));
    EXPECT_EQ(fixed.scene.assets[2].mesh->parts[0].rest["extensions"]["KHR_materials_variants"]
                                                       ["mappings"][0]["material"],
              1);
}

TEST(Atlas, NumbersThatDifferGoOntoThePage) {
    Scene scene = makePainted();
    const auto dress = [&](std::size_t m, double red, double roughness) {
        Json json = scene.materials[m].source;
        json["pbrMetallicRoughness"]["baseColorFactor"] = {red, 1, 1, 1};
        json["pbrMetallicRoughness"]["roughnessFactor"] = roughness;
        scene.materials[m] = parseMaterial(json);
    };
    dress(0, 1, 0.9);
    dress(1, 0.25, 0.9);
    dress(2, 1, 0.2);
    AtlasSettings settings;
    settings.bakeFactors = false;
    EXPECT_THAT(applyAtlas(scene, settings, noProgress())->record.summary,
                HasSubstr("0 materials share"));
    const Fixed fixed = applyAtlas(scene, {}, noProgress()).value();
    EXPECT_THAT(fixed.record.summary, HasSubstr("3 materials share 1 page"));
    const TextureCache textures(fixed.scene, 4096);
    for (std::size_t a = 0; a < 3; ++a) {
        const Part& before = scene.assets[a].mesh->parts[0];
        const Part& after = fixed.scene.assets[a].mesh->parts[0];
        const Material& own = scene.materials[a];
        const Material& page = elementOf(fixed.scene.materials, after.material);
        const std::size_t v = 4;
        const Vec4f was = colorAt(scene, before, v);
        const Vec4f is = colorAt(fixed.scene, after, v);
        EXPECT_NEAR(toLinear(is.x()) * page.baseColor.x(), toLinear(was.x()) * own.baseColor.x(),
                    0.03F)
            << a;
        const Stream& coords = *after.find("TEXCOORD_0");
        const Texels* rough = textures.find(page.texture("metallicRoughnessTexture"));
        ASSERT_TRUE(rough);
        const Vec4f numbers = rough->at({coords.value(v, 0), coords.value(v, 1)}, 0);
        EXPECT_NEAR(numbers.y() * page.roughness, own.roughness, 0.01F) << a;
    }
}

// --- textures that repeat -----------------------------------------------------------------

/// Texture coordinates times a factor, so that a picture repeats.
void repeat(Scene& scene, std::size_t asset, float times) {
    Mesh mesh = *scene.assets[asset].mesh;
    const Stream& coords = *mesh.parts[0].find("TEXCOORD_0");
    std::vector<Vec2f> places;
    for (std::size_t v = 0; v < coords.count(); ++v)
        places.emplace_back(times * coords.value(v, 0), times * coords.value(v, 1));
    mesh.parts[0].set("TEXCOORD_0", makeStream(places));
    scene.assets[asset].mesh = finishMesh(std::move(mesh));
}

TEST(TileCut, CutsASquareAlongItsTiles) {
    Part square = test::makeGrid(1, 1, 6).parts[0];
    square.set("TEXCOORD_0", makeStream(std::vector<Vec2f>{{0, 0}, {2, 0}, {0, 2}, {2, 2}}));
    Mesh mesh;
    mesh.parts = {square};
    const Part cut = cutAtTiles(square).value();
    Mesh after;
    after.parts = {cut};
    EXPECT_NEAR(test::areaOf(after), test::areaOf(mesh), 1e-4) << "nothing is lost";
    std::set<std::pair<int, int>> tiles;
    for (std::size_t i = 0; i < cut.indices.size(); i += 3) {
        Vec2f low(9, 9);
        Vec2f high(-9, -9);
        for (std::size_t k = 0; k < 3; ++k) {
            const Stream& coords = *cut.find("TEXCOORD_0");
            const Vec2f at(coords.value(cut.indices[i + k], 0),
                           coords.value(cut.indices[i + k], 1));
            low = low.cwiseMin(at);
            high = high.cwiseMax(at);
        }
        const Vec2f tile = (low.array() + 1e-4F).floor();
        EXPECT_LE((high - tile).maxCoeff(), 1 + 1e-4F) << "on one tile only";
        tiles.emplace(static_cast<int>(tile.x()), static_cast<int>(tile.y()));
    }
    EXPECT_EQ(tiles.size(), 4U);
    const Stream& normals = *cut.find("NORMAL");
    for (std::size_t v = 0; v < normals.count(); ++v) EXPECT_NEAR(normals.value(v, 1), 1, 1e-6);
}

/// A strip of six squares over three repeats: each triangle is half a repeat wide.
TEST(TileDetach, GivesEachTileItsOwnVertices) {
    std::vector<Vec3f> points;
    std::vector<Vec2f> coords;
    std::vector<std::uint32_t> indices;
    for (std::uint32_t i = 0; i <= 6; ++i)
        for (const float y : {0.0F, 1.0F}) {
            points.emplace_back(static_cast<float>(i), y, 0);
            coords.emplace_back(5 + 0.5F * static_cast<float>(i), 0.5F * y);
        }
    for (std::uint32_t v = 0; v < 12; v += 2)
        indices.insert(indices.end(), {v, v + 2, v + 3, v, v + 3, v + 1});
    Part strip = test::makePart(points, indices);
    strip.set("TEXCOORD_0", makeStream(coords));
    const Part apart = detachAtTiles(strip).value();
    EXPECT_EQ(apart.triangleCount(), 12U) << "none is cut";
    EXPECT_EQ(apart.vertexCount(), 14U + 2 * 2) << "two seams of two vertices";
    const Stream& after = *apart.find("TEXCOORD_0");
    const std::vector<Vec3f> places = positionsOf(apart);
    for (std::size_t i = 0; i < indices.size(); ++i) {
        EXPECT_EQ(places[apart.indices[i]], points[indices[i]]);
        EXPECT_EQ(after.value(apart.indices[i], 0), coords[indices[i]].x());
    }
    const TileShifts tiles = tileShifts(apart, after).value();
    EXPECT_FLOAT_EQ(tiles.reach.x(), 1) << "three before";
    EXPECT_EQ(detachAtTiles(apart)->vertexCount(), 18U) << "nothing is left to do";
}

TEST(TileDetach, RefusesWhatHasNoCoordinates) {
    Part square = test::makeGrid(1, 1, 6).parts[0];
    square.set("TEXCOORD_0", makeStream(std::vector<Vec2f>{{0, 0}, {NAN, 0}, {0, 1}, {1, 1}}));
    EXPECT_FALSE(detachAtTiles(square));
    square.set("TEXCOORD_0", makeStream(std::vector<Vec2f>{{0, 0}, {1e9F, 0}, {0, 1}, {1, 1}}));
    EXPECT_FALSE(detachAtTiles(square)) << "tiles beyond number";
    EXPECT_FALSE(detachAtTiles(test::makePart({{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}, {0, 1, 2})));
}

TEST(TileCut, LeavesAloneWhatItCannotCut) {
    Part square = test::makeGrid(1, 1, 6).parts[0];
    EXPECT_EQ(cutAtTiles(square)->vertexCount(), 4U) << "nothing to cut";
    square.set("TEXCOORD_0", makeStream(std::vector<Vec2f>{{0, 0}, {90, 0}, {0, 90}, {90, 90}}));
    EXPECT_FALSE(cutAtTiles(square)) << "thousands of tiles";
    square.set("TEXCOORD_0", makeStream(std::vector<Vec2f>{{0, 0}, {NAN, 0}, {0, 1}, {1, 1}}));
    EXPECT_FALSE(cutAtTiles(square));
    EXPECT_FALSE(cutAtTiles(test::makePart({{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}, {0, 1, 2})));
}

TEST(Atlas, TexturesThatRepeatAFewTimesArePackedWhereThatAddsLittle) {
    Scene scene = makePainted();
    repeat(scene, 1, 2);
    AtlasSettings settings;
    settings.cutShare = 0;
    EXPECT_THAT(applyAtlas(scene, settings, noProgress())->record.notes,
                Contains(HasSubstr("1 material stays alone: the texture repeats")));
    settings.cutShare = 3;
    const Fixed fixed = applyAtlas(scene, settings, noProgress()).value();
    EXPECT_THAT(fixed.record.summary, HasSubstr("3 materials share 1 page"));
    EXPECT_THAT(fixed.record.notes, Contains(HasSubstr("1 material is cut")));
    // The surface is whole, and shows the second picture all over.
    EXPECT_NEAR(test::areaOf(*fixed.scene.assets[1].mesh), test::areaOf(*scene.assets[1].mesh),
                1e-4);
    const Part& part = fixed.scene.assets[1].mesh->parts[0];
    for (std::size_t v = 0; v < part.vertexCount(); ++v)
        EXPECT_NEAR(colorAt(fixed.scene, part, v).z(), 20 / 255.0F, 0.01F) << v;
    settings.cutShare = 0.01;
    const Fixed dear = applyAtlas(scene, settings, noProgress()).value();
    EXPECT_EQ(dear.scene.assets[1].mesh, scene.assets[1].mesh) << "too many vertices: as it was";
}

TEST(Atlas, CutsOfRepeatingTexturesKeepTheLightMapsCoordinates) {
    Scene scene = makeLightMapped();
    repeat(scene, 1, 2);
    AtlasSettings settings;
    settings.cutShare = 3;
    const Fixed fixed = applyAtlas(scene, settings, noProgress()).value();
    ASSERT_THAT(fixed.record.summary, HasSubstr("3 materials share 1 page"));
    // The strip of the second square lies evenly over its surface, before and after.
    const Part& part = fixed.scene.assets[1].mesh->parts[0];
    const Box& bounds = fixed.scene.assets[1].mesh->bounds;
    const std::vector<Vec3f> points = positionsOf(part);
    ASSERT_GT(points.size(), scene.assets[1].mesh->parts[0].vertexCount());
    for (std::size_t v = 0; v < points.size(); ++v) {
        const double across = (points[v].x() - bounds.min().x()) / bounds.sizes().x();
        EXPECT_NEAR(part.find("TEXCOORD_1")->value(v, 0), (1 + across) / 3, 1e-4);
    }
}

}  // namespace
}  // namespace flentro
