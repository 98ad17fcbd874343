// What a survey saw large keeps its triangles; bones and second coordinates are minded too.

#include "fixes/ladder/seen_weights.h"
#include "fixes/ladder/ladder.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "simplify/deviation.h"
#include "simplify/reduce.h"
#include "support/display.h"
#include "support/meshes.h"

namespace flentro {
namespace {

using test::display;

/// A sphere at the origin, looked at from the east alone.
struct SeenSphere {
    Scene scene = test::makeScene({{test::makeSphere(48, 24), {0, 0, 0}}});
    Survey survey;

    SeenSphere() {
        const RayScene rays(scene);
        SurveySettings settings;
        settings.faceSize = 128;
        survey = takeSurvey(scene, &rays, display(), {{"east", {3, 0, 0}, 0, {}}}, settings,
                            noProgress());
    }
};

TEST(SeenWeights, TheSideThatIsNeverSeenWeighsLeast) {
    const SeenSphere seen;
    const auto weights = takeWeights(seen.scene, seen.survey);
    ASSERT_EQ(weights.size(), 1U);
    EXPECT_EQ(weights[0].mesh, seen.scene.assets[0].mesh->hash);
    const Part& part = seen.scene.assets[0].mesh->parts[0];
    const std::vector<Vec3f> points = positionsOf(part);
    std::size_t triangle = 0;
    std::size_t west = 0;
    for (std::size_t i = 0; i < weights[0].runs.size(); i += 2)
        for (std::uint32_t n = 0; n < weights[0].runs[i]; ++n, ++triangle) {
            const float x = points[part.indices[3 * triangle]].x();
            if (x < -0.3F) {
                EXPECT_EQ(weights[0].runs[i + 1], 5U) << x;
                ++west;
            }
            if (x > 0.6F) {
                EXPECT_GE(weights[0].runs[i + 1], 50U) << x;
            }
        }
    EXPECT_EQ(triangle, seen.scene.assets[0].mesh->triangles);
    EXPECT_GT(west, 100U);
}

/// Triangles of a level on the west half.
double westShare(const Mesh& mesh) {
    std::size_t west = 0;
    for (const Part& part : mesh.parts) {
        const std::vector<Vec3f> points = positionsOf(part);
        for (std::size_t i = 0; i < part.indices.size(); i += 3)
            west += points[part.indices[i]].x() + points[part.indices[i + 1]].x() +
                        points[part.indices[i + 2]].x() <
                    0;
    }
    return static_cast<double>(west) / static_cast<double>(mesh.triangles);
}

TEST(SeenWeights, LevelsSpendTheirTrianglesWhereTheyAreSeen) {
    const SeenSphere seen;
    LadderSettings settings;
    settings.minTriangles = 100;
    settings.simplifyLevel0 = false;
    const Scene plain = applyLadder(seen.scene, settings, display(), noProgress())->scene;
    settings.weights = takeWeights(seen.scene, seen.survey);
    const Scene weighed = applyLadder(seen.scene, settings, display(), noProgress())->scene;
    ASSERT_GE(plain.assets[0].ladder.levels.size(), 2U);
    ASSERT_GE(weighed.assets[0].ladder.levels.size(), 2U);
    EXPECT_NEAR(westShare(*plain.assets[0].level(2)), 0.5, 0.1);
    EXPECT_LT(westShare(*weighed.assets[0].level(2)), 0.4);
    // Weights are for a mesh by its content: another one stays as it is.
    settings.weights[0].mesh = Hash{1, 2};
    const Scene other = applyLadder(seen.scene, settings, display(), noProgress())->scene;
    EXPECT_EQ(other.assets[0].level(2)->hash, plain.assets[0].level(2)->hash);
}

TEST(SeenWeights, LevelsTellHowFarTheirShadingIsOff) {
    LadderSettings settings;
    settings.minTriangles = 100;
    settings.simplifyLevel0 = false;
    const Scene scene = test::makeScene({{test::makeSphere(48, 24), {0, 0, 0}}});
    const Scene made = applyLadder(scene, settings, display(), noProgress())->scene;
    const auto& levels = made.assets[0].ladder.levels;
    ASSERT_GE(levels.size(), 3U);
    EXPECT_GT(levels[2].normalError, levels[0].normalError);
    EXPECT_LT(levels[0].normalError, 10);
    EXPECT_LT(levels[0].textureSlide, 0.1) << "of a sphere of 2 m";
    // Against itself nothing is off; turned normals are off by as much.
    const Surface surface(*scene.assets[0].mesh);
    EXPECT_LT(surface.attributesFrom(*scene.assets[0].mesh, 500).normal, 1);
    Mesh turned = *scene.assets[0].mesh;
    std::vector<Vec3f> normals = toVectors(*turned.parts[0].find("NORMAL"));
    for (Vec3f& n : normals) n = -n;
    turned.parts[0].set("NORMAL", makeStream(normals));
    EXPECT_GT(surface.attributesFrom(turned, 500).normal, 179);
}

/// A flat strip along x with a stream that changes at the middle only.
Mesh makeStrip(const char* semantic) {
    Mesh strip = test::makeGrid(40, 4, 40);
    Part& part = strip.parts[0];
    const std::vector<Vec3f> points = positionsOf(part);
    float middle = 0;
    for (const Vec3f& p : points) middle += p.x() / static_cast<float>(points.size());
    std::vector<Vec2f> coords;
    Stream joints{ComponentType::UInt8, 4, false, false, {}};
    Stream weights{ComponentType::Float32, 4, false, false, {}};
    joints.data.resize(points.size() * 4);
    weights.data.resize(points.size() * 16);
    for (std::size_t v = 0; v < points.size(); ++v) {
        const float along = points[v].x() - middle;
        const float second = std::clamp(along / 4 + 0.5F, 0.0F, 1.0F);
        coords.emplace_back(second, points[v].z() / 40);
        joints.set(v, 1, 1);
        weights.set(v, 0, 1 - second);
        weights.set(v, 1, second);
    }
    if (std::string_view(semantic) == "TEXCOORD_1") {
        part.set("TEXCOORD_1", makeStream(coords));
    } else {
        part.set("JOINTS_0", std::move(joints));
        part.set("WEIGHTS_0", std::move(weights));
    }
    return strip;
}

/// Vertices left on the two lines where the stream bends, two metres from the middle.
std::size_t leftAtTheBends(const Mesh& mesh, double weight) {
    const MeshPtr whole = finishMesh(Mesh(mesh));
    ReducerOptions options;
    options.weights.skin = weight;
    options.weights.texCoord = weight;
    options.weights.normal = 0;
    Reducer reducer(*whole, options);
    reducer.reduceTo(8, std::numeric_limits<double>::infinity(), noProgress());
    const MeshPtr reduced = finishMesh(reducer.mesh());
    const double middle = whole->bounds.center().x();
    std::size_t left = 0;
    for (const Vec3f& p : positionsOf(reduced->parts[0]))
        left += std::fabs(std::fabs(static_cast<double>(p.x()) - middle) - 2) < 0.1;
    return left;
}

TEST(Reduction, KeepsVerticesWhereBonesChange) {
    const Mesh strip = makeStrip("JOINTS_0");
    EXPECT_GE(leftAtTheBends(strip, 1), 4U) << "the ends of both lines";
    EXPECT_LT(leftAtTheBends(strip, 0), 4U) << "nothing is to be seen of them";
}

TEST(Reduction, KeepsVerticesWhereTheSecondCoordinatesBend) {
    const Mesh strip = makeStrip("TEXCOORD_1");
    EXPECT_GE(leftAtTheBends(strip, 1), 4U) << "the ends of both lines";
    EXPECT_LT(leftAtTheBends(strip, 0), 4U) << "nothing is to be seen of them";
}

}  // namespace
}  // namespace flentro
