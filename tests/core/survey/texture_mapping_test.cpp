// How images lie over surfaces.

#include "survey/texture_mapping.h"

#include <gtest/gtest.h>

#include "support/pictures.h"

namespace flentro {
namespace {

constexpr float kNone = 0;

/// Of a triangle of two edges of a metre.
float density(const std::array<Vec2f, 3>& coords,
              const Eigen::Matrix2f& linear = Eigen::Matrix2f::Identity()) {
    return leastDensity({Vec3d(0, 0, 0), Vec3d(1, 0, 0), Vec3d(0, 1, 0)}, coords, linear);
}

TEST(LeastDensity, IsOneForOneImageAMetre) {
    EXPECT_NEAR(density({Vec2f(0, 0), Vec2f(1, 0), Vec2f(0, 1)}), 1, 1e-6);
}

TEST(LeastDensity, IsThatAlongTheStretchedAxis) {
    EXPECT_NEAR(density({Vec2f(0, 0), Vec2f(4, 0), Vec2f(0, 0.5F)}), 0.5, 1e-6);
    EXPECT_NEAR(density({Vec2f(0, 0), Vec2f(0, 4), Vec2f(0.5F, 0)}), 0.5, 1e-6)
        << "turned by a quarter";
}

TEST(LeastDensity, FollowsTheTransformOfTheTexture) {
    Eigen::Matrix2f twice = 2 * Eigen::Matrix2f::Identity();
    EXPECT_NEAR(density({Vec2f(0, 0), Vec2f(1, 0), Vec2f(0, 1)}, twice), 2, 1e-6);
    const float c = std::cos(0.6F), s = std::sin(0.6F);
    Eigen::Matrix2f turned;
    turned << c, -s, s, c;
    EXPECT_NEAR(density({Vec2f(0, 0), Vec2f(1, 0), Vec2f(0, 1)}, turned), 1, 1e-6);
}

TEST(LeastDensity, IsNoneForLinesAndForOneTexelOverAll) {
    EXPECT_EQ(density({Vec2f(0.5F, 0.5F), Vec2f(0.5F, 0.5F), Vec2f(0.5F, 0.5F)}), kNone);
    EXPECT_EQ(leastDensity({Vec3d(0, 0, 0), Vec3d(1, 0, 0), Vec3d(2, 0, 0)},
                           {Vec2f(0, 0), Vec2f(1, 0), Vec2f(0, 1)}, Eigen::Matrix2f::Identity()),
              kNone);
}

TEST(TextureMappings, AreOnePerMaterialAndWayToLayAnImage) {
    Scene scene;
    const auto square =
        test::addPicture(scene, test::makePicture(8, 8, test::plain({1, 2, 3, 255})));
    const auto wide =
        test::addPicture(scene, test::makePicture(32, 8, test::plain({1, 2, 3, 255})));
    const auto use = [](int texture, int set = 0) {
        return Json{{"index", texture}, {"texCoord", set}};
    };
    test::addMaterial(scene, {{"pbrMetallicRoughness", {{"baseColorTexture", use(square)}}},
                              {"normalTexture", use(square)},
                              {"occlusionTexture", use(square, 1)}});
    test::addMaterial(scene, {{"name", "plain"}});
    test::addMaterial(scene, {{"emissiveTexture", use(wide)}});
    const TextureMappings mappings(scene);
    EXPECT_EQ(mappings.size(), 3U);
    EXPECT_EQ(mappings.first(0), 0U);
    EXPECT_EQ(mappings.first(1), 2U);
    EXPECT_EQ(mappings.first(2), 2U);
    EXPECT_EQ(mappings.first(3), 3U);
    const auto of = [&](const char* role) {
        const auto& uses = scene.materials[0].textures;
        const auto found = std::find_if(uses.begin(), uses.end(),
                                        [&](const TextureUse& each) { return each.role == role; });
        return mappings.of(0, static_cast<std::size_t>(found - uses.begin()));
    };
    EXPECT_EQ(of("baseColorTexture"), of("normalTexture")) << "colour and normals lie alike";
    EXPECT_NE(of("baseColorTexture"), of("occlusionTexture"));
    // Four times as wide as high: square where it is stretched twice and halved.
    EXPECT_NEAR(mappings[2].linear(0, 0), 2, 1e-6);
    EXPECT_NEAR(mappings[2].linear(1, 1), 0.5, 1e-6);
}

}  // namespace
}  // namespace flentro
