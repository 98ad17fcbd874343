// Sharing: copies found however they were stored, and nothing else.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <Eigen/LU>
#include <random>

#include "base/index.h"
#include "fixes/fix.h"
#include "fixes/share/share.h"
#include "geometry/congruence.h"
#include "io/gltf_materials.h"
#include "io/image.h"
#include "support/display.h"
#include "support/meshes.h"
#include "support/process.h"
#include "support/surface.h"

namespace flentro {
namespace {

using testing::HasSubstr;

Mat4d turned(double degrees, const Vec3d& axis, const Vec3d& by = Vec3d::Zero()) {
    Mat4d m = Mat4d::Identity();
    m.topLeftCorner<3, 3>() =
        Eigen::AngleAxisd(toRadians(degrees), axis.normalized()).toRotationMatrix();
    m.topRightCorner<3, 1>() = by;
    return m;
}

/// The mesh as it would have been stored with that motion applied before.
Mesh moved(Mesh mesh, const Mat4d& motion) {
    const Eigen::Matrix3d linear = motion.topLeftCorner<3, 3>();
    const Eigen::Matrix3d turn = linear / std::cbrt(std::fabs(linear.determinant()));
    for (Part& part : mesh.parts) {
        std::vector<Vec3f> points = positionsOf(part);
        for (Vec3f& p : points) p = transformPoint(motion, p.cast<double>()).cast<float>();
        part.set("POSITION", makeStream(points));
        if (part.find("NORMAL")) {
            std::vector<Vec3f> normals = toVectors(*part.find("NORMAL"));
            for (Vec3f& n : normals) n = (turn * n.cast<double>()).cast<float>();
            part.set("NORMAL", makeStream(normals));
        }
        if (linear.determinant() < 0)
            for (std::size_t i = 0; i + 2 < part.indices.size(); i += 3)
                std::swap(part.indices[i + 1], part.indices[i + 2]);
    }
    return mesh;
}

/// Vertices and triangles in another order.
Mesh shuffled(Mesh mesh, unsigned seed) {
    std::mt19937 random(seed);
    for (Part& part : mesh.parts) {
        std::vector<std::uint32_t> order(part.vertexCount());
        for (std::uint32_t i = 0; i < order.size(); ++i) order[i] = i;
        std::shuffle(order.begin(), order.end(), random);
        std::vector<std::uint32_t> rank(order.size());
        for (std::uint32_t i = 0; i < order.size(); ++i) rank[order[i]] = i;
        std::vector<std::array<std::uint32_t, 3>> triangles;
        for (std::size_t i = 0; i + 2 < part.indices.size(); i += 3)
            triangles.push_back(
                {rank[part.indices[i + 1]], rank[part.indices[i + 2]], rank[part.indices[i]]});
        std::shuffle(triangles.begin(), triangles.end(), random);
        std::vector<std::uint32_t> indices;
        for (const auto& t : triangles) indices.insert(indices.end(), t.begin(), t.end());
        part = selectVertices(part, order, indices);
    }
    return mesh;
}

/// Nothing about it is the same from two sides.
Mesh makeOddThing() {
    return test::named(
        test::makeGrid(7, 5, 2,
                       [](double x, double z) { return 0.3 * std::sin(3 * x) + 0.2 * x * z * z; }),
        "odd");
}

std::optional<Mat4d> motionBetween(const Mesh& a, const Mesh& b, bool anyMotion = true) {
    const MeshPtr from = finishMesh(Mesh(a));
    const MeshPtr to = finishMesh(Mesh(b));
    return Shape(*from, {}).similarityTo(Shape(*to, {}), 1e-4, anyMotion);
}

TEST(Congruence, FindsOrderTurnScaleAndMirror) {
    const Mesh odd = makeOddThing();
    EXPECT_EQ(motionBetween(odd, shuffled(odd, 7)), Mat4d(Mat4d::Identity()));
    Mat4d mirror = Mat4d::Identity();
    mirror(0, 0) = -1;
    const Mat4d turn = turned(37, {1, 2, 3}, {4, -5, 6});
    Mat4d scaled = turn;
    scaled.topLeftCorner<3, 3>() *= 2.5;
    const Mat4d mirrored = turn * mirror;
    for (const Mat4d& motion : {turn, scaled, mirrored}) {
        const auto found = motionBetween(odd, shuffled(moved(odd, motion), 3));
        ASSERT_TRUE(found);
        EXPECT_LT((*found - motion).cwiseAbs().maxCoeff(), 1e-4) << motion;
        EXPECT_FALSE(motionBetween(odd, moved(odd, motion), false)) << "only where asked";
    }
}

TEST(Congruence, SymmetricThingsAndTinyOnesToo) {
    for (const double size : {1e-5, 1.0, 1e5}) {
        const Mesh box = test::makeBox(Vec3f::Constant(static_cast<float>(size)));
        const auto found = motionBetween(box, moved(box, turned(30, {0, 1, 0})));
        ASSERT_TRUE(found) << size;
    }
}

TEST(Congruence, TellsWhatDiffers) {
    const Mesh odd = makeOddThing();
    Mesh bent = odd;
    std::vector<Vec3f> points = positionsOf(bent.parts[0]);
    points[11].y() += 0.01F;
    bent.parts[0].set("POSITION", makeStream(points));
    EXPECT_FALSE(motionBetween(odd, bent)) << "one vertex 1 cm off";
    Mesh slid = odd;
    std::vector<Vec2f> coords;
    for (std::size_t v = 0; v < slid.parts[0].vertexCount(); ++v)
        coords.emplace_back(slid.parts[0].find("TEXCOORD_0")->value(v, 0) + 0.1F,
                            slid.parts[0].find("TEXCOORD_0")->value(v, 1));
    slid.parts[0].set("TEXCOORD_0", makeStream(coords));
    EXPECT_FALSE(motionBetween(odd, slid)) << "another place in the texture";
    Mesh painted = odd;
    painted.parts[0].material = 0;
    EXPECT_FALSE(motionBetween(odd, painted)) << "another material";
    Mesh turned = odd;
    for (std::size_t i = 0; i < turned.parts[0].indices.size(); i += 3)
        std::swap(turned.parts[0].indices[i], turned.parts[0].indices[i + 1]);
    EXPECT_FALSE(motionBetween(odd, turned)) << "facing the other way";
}

TEST(Share, EqualMeshesBecomeOneAndNothingMoves) {
    const Mesh odd = makeOddThing();
    Mat4d mirror = Mat4d::Identity();
    mirror(2, 2) = -1;
    const Scene scene = test::makeScene(
        {{odd, {0, 0, 0}},
         {test::named(shuffled(odd, 1), "odd again"), {5, 0, 0}},
         {test::named(moved(odd, turned(80, {1, 1, 0}, {1, 0, 2})), "odd turned"), {0, 0, 9}, 3},
         {test::named(moved(odd, mirror), "odd mirrored"), {0, 7, 0}},
         {test::makeBox({1, 1, 1}), {20, 0, 0}}});
    const Fixed fixed = applyShare(scene, {}, Target{}, noProgress()).value();
    EXPECT_EQ(fixed.scene.assets.size(), 2U);
    EXPECT_EQ(fixed.scene.objects.size(), 5U);
    EXPECT_EQ(test::differenceOfSurfaces(scene, fixed.scene, 1e-3), "");
    for (std::size_t i = 0; i < 5; ++i)
        EXPECT_EQ(fixed.scene.objects[i].origins, std::vector<std::uint32_t>{std::uint32_t(i)});
    EXPECT_THAT(fixed.record.summary, HasSubstr("3 assets"));
    EXPECT_THAT(fixed.scene.assets[0].sources, testing::SizeIs(4));
    // The nodes say the same as the objects.
    Scene again = fixed.scene;
    flatten(again);
    EXPECT_EQ(test::differenceOfSurfaces(scene, again, 1e-3), "");
}

TEST(Share, OnlyAsMuchAsIsAsked) {
    const Mesh odd = makeOddThing();
    const Scene scene = test::makeScene(
        {{odd, {0, 0, 0}}, {test::named(moved(odd, turned(80, {1, 1, 0})), "turned"), {0, 0, 9}}});
    ShareSettings settings;
    settings.matchTransformed = false;
    EXPECT_EQ(applyShare(scene, settings, Target{}, noProgress())->scene.assets.size(), 2U);
    Scene marked = scene;
    marked.assets[1].importance = Importance::Hero;
    EXPECT_EQ(applyShare(marked, {}, Target{}, noProgress())->scene.assets.size(), 2U)
        << "what the artist treats otherwise stays apart";
}

/// Two pieces of a track that differ by 0.1 mm, which is less than what sharing allows.
Scene makeTrack(double gap) {
    Mesh piece = test::makeGrid(4, 4, 2);
    Mesh other = piece;
    std::vector<Vec3f> points = positionsOf(other.parts[0]);
    points[7].y() += 0.0001F;
    other.parts[0].set("POSITION", makeStream(points));
    return test::makeScene({{test::named(piece, "piece"), {0, 0, 0}},
                            {test::named(other, "next piece"), {2 + gap, 0, 0}}});
}

TEST(Share, NeverWhereBordersMeet) {
    EXPECT_EQ(applyShare(makeTrack(0), {}, Target{}, noProgress())->scene.assets.size(), 2U)
        << "a gap would open between them";
    EXPECT_EQ(applyShare(makeTrack(1), {}, Target{}, noProgress())->scene.assets.size(), 1U);
}

TEST(Share, ACornerThatTouchesAnotherIsChance) {
    // The second stands with one corner of its border on a corner of the first.
    const Mesh thing = makeOddThing();
    const std::vector<Vec3f> points = positionsOf(thing.parts[0]);
    const Mesh turnedOne = moved(thing, turned(40, {0, 1, 0}));
    const Vec3d to = (points.front() - positionsOf(turnedOne.parts[0]).back()).cast<double>();
    const Scene scene = test::makeScene(
        {{test::named(Mesh(thing), "one"), {0, 0, 0}}, {test::named(Mesh(turnedOne), "two"), to}});
    EXPECT_EQ(applyShare(scene, {}, Target{}, noProgress())->scene.assets.size(), 1U);
}

Image makeImage(const char* name, std::uint8_t value, bool spare = false) {
    const std::vector<std::uint8_t> pixels(4 * 4 * 4, value);
    std::vector<std::byte> png = encodePng(pixels.data(), 4, 4, 4);
    if (spare) png.push_back(std::byte{0});  // behind the picture's end: other bytes, same pixels
    Image image;
    image.name = name;
    image.mime = "image/png";
    image.width = image.height = 4;
    image.channels = 4;
    image.hash = hashBytes(png);
    image.data = std::make_shared<const std::vector<std::byte>>(std::move(png));
    return image;
}

Scene makePainted() {
    Scene scene = test::makeScene({{test::named(makeOddThing(), "a"), {0, 0, 0}},
                                   {test::named(makeOddThing(), "b"), {5, 0, 0}},
                                   {test::named(makeOddThing(), "c"), {9, 0, 0}}});
    scene.images = {makeImage("one", 90), makeImage("same", 90, true), makeImage("other", 91)};
    scene.textures = {{"", 0, -1, {}}, {"", 1, -1, {}}, {"", 2, -1, {}}};
    for (int i = 0; i < 3; ++i) {
        const Json source = {{"name", "paint " + std::to_string(i)},
                             {"pbrMetallicRoughness", {{"baseColorTexture", {{"index", i}}}}}};
        scene.materials.push_back(parseMaterial(source));
        Mesh mesh = *elementOf(scene.assets, i).mesh;
        mesh.parts[0].material = i;
        elementOf(scene.assets, i).mesh = finishMesh(std::move(mesh));
    }
    return scene;
}

TEST(Share, EqualImagesMakeMaterialsAndMeshesEqual) {
    const Fixed fixed = applyShare(makePainted(), {}, Target{}, noProgress()).value();
    const Scene& scene = fixed.scene;
    EXPECT_EQ(scene.assets.size(), 2U) << "the third shows another picture";
    EXPECT_EQ(scene.textures[1].image, 0);
    EXPECT_EQ(scene.textures[2].image, 2);
    EXPECT_FALSE(scene.images[1].data) << "nothing reads it any more";
    EXPECT_THAT(fixed.record.summary, HasSubstr("1 asset, 1 material and 1 image"));
    ShareSettings settings;
    settings.images = false;
    EXPECT_EQ(applyShare(makePainted(), settings, Target{}, noProgress())->scene.assets.size(), 3U);
}

TEST(Share, SamplersAndFactorsKeepMaterialsApart) {
    Scene scene = makePainted();
    scene.samplers.resize(1);
    scene.samplers[0].rest = {{"wrapS", 33071}};
    scene.textures[1].sampler = 0;
    EXPECT_EQ(applyShare(scene, {}, Target{}, noProgress())->scene.assets.size(), 3U);
    scene = makePainted();
    scene.materials[1].source["doubleSided"] = true;
    EXPECT_EQ(applyShare(scene, {}, Target{}, noProgress())->scene.assets.size(), 3U);
}

TEST(Share, CancelledInTheMiddle) {
    test::RecordingProgress stop(0);
    EXPECT_EQ(applyShare(makePainted(), {}, Target{}, stop).error().code, ErrorCode::Cancelled);
}

/// Twenty boxes as parts of one mesh, each of its own material; the materials differ in name only.
Scene fenceOfEqualParts() {
    Mesh mesh;
    for (int i = 0; i < 20; ++i) {
        Part part = test::makeBox({1, 1, 1}).parts[0];
        std::vector<Vec3f> moved = positionsOf(part);
        for (Vec3f& p : moved) p.x() += 2.0F * static_cast<float>(i);
        part.set("POSITION", makeStream(moved));
        part.material = i;
        mesh.parts.push_back(std::move(part));
    }
    Scene scene = test::makeScene({{test::named(std::move(mesh), "fence"), {0, 0, -5}}});
    for (int i = 0; i < 20; ++i) {
        Material material;
        material.name = "plank " + std::to_string(i);
        material.source = {{"name", material.name}};
        scene.materials.push_back(material);
    }
    return scene;
}

TEST(Share, PartsThatBecomeEqualAreOneCall) {
    const Scene scene = fenceOfEqualParts();
    const Fixed fixed = applyShare(scene, {}, Target{}, noProgress()).value();
    const Mesh& mesh = *fixed.scene.assets[0].mesh;
    EXPECT_EQ(mesh.parts.size(), 1U);
    EXPECT_EQ(mesh.triangles, scene.assets[0].mesh->triangles);
    EXPECT_EQ(mesh.vertices, scene.assets[0].mesh->vertices);
    EXPECT_NEAR(test::areaOf(mesh), test::areaOf(*scene.assets[0].mesh), 1e-6);
    EXPECT_EQ(fixed.record.notes.size(), 1U);
    ShareSettings apart;
    apart.parts = false;
    EXPECT_EQ(applyShare(scene, apart, Target{}, noProgress())->scene.assets[0].mesh->parts.size(),
              20U);
}

TEST(Share, PartsStayApartWhereOneWouldBeTooLarge) {
    Target target;
    at(target.limits, Measure::VerticesPerMesh) = 100;
    const Fixed fixed = applyShare(fenceOfEqualParts(), {}, target, noProgress()).value();
    EXPECT_EQ(fixed.scene.assets[0].mesh->parts.size(), 20U) << "20 boxes have more vertices";
}

TEST(Share, PartsOfOneVertexBufferAreJoinedWithoutCopyingItForEach) {
    Scene scene = fenceOfEqualParts();
    Mesh mesh;
    const Mesh grid = test::makeGrid(10, 2, 5);
    const auto& indices = grid.parts[0].indices;
    for (std::size_t first = 0; first < indices.size(); first += 30) {
        Part part = grid.parts[0];
        part.indices.assign(indices.begin() + static_cast<std::ptrdiff_t>(first),
                            indices.begin() + static_cast<std::ptrdiff_t>(first + 30));
        part.material = static_cast<int>(first / 30);
        mesh.parts.push_back(std::move(part));
    }
    scene.assets[0].mesh = finishMesh(std::move(mesh));
    const MeshPtr joined = applyShare(scene, {}, Target{}, noProgress())->scene.assets[0].mesh;
    EXPECT_EQ(joined->parts.size(), 1U);
    EXPECT_EQ(joined->triangles, indices.size() / 3);
    EXPECT_LE(joined->vertices, 2 * grid.parts[0].vertexCount());
}

}  // namespace
}  // namespace flentro
