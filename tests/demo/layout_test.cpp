// Sharing, splitting and merging the market change no picture: rays from places in it meet the
// same things in the same distances.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "fixes/fix.h"
#include "ottermere.h"
#include "scene/origins.h"
#include "survey/ray_scene.h"

namespace flentro::demo {
namespace {

constexpr int kRays = 96;            ///< Along an edge of the picture.
constexpr double kSame = 2e-3;       ///< Metres, and as a share of the distance.
constexpr double kMostEdges = 2e-3;  ///< Share of rays that slip past an edge by rounding.

const Scene& market() {
    static const Scene scene = makeOttermere({0.2, 0.15, 16}, 1).scene;
    return scene;
}

/// What shows at a hit, as far as it can be told by values.
std::string lookOf(const Scene& scene, const RayScene& rays, const RayHit& hit) {
    const int material = rays.parts()[hit.part].material;
    if (material < 0) return "none";
    const Material& m = scene.materials[static_cast<std::size_t>(material)];
    std::string look = std::to_string(static_cast<int>(m.alphaMode));
    for (int c = 0; c < 4; ++c) look += " " + std::to_string(m.baseColor[c]);
    const int texture = m.texture("baseColorTexture");
    if (texture < 0) return look;
    const int image = scene.textures[static_cast<std::size_t>(texture)].image;
    const Image& picture = scene.images[static_cast<std::size_t>(image)];
    return look + " " + std::to_string(picture.width) + "x" + std::to_string(picture.height);
}

/// Share of rays from four places that meet something else.
double differenceOfViews(const Scene& a, const Scene& b) {
    const RayScene first(a);
    const RayScene second(b);
    std::size_t rays = 0;
    std::size_t differ = 0;
    for (const Viewpoint& view :
         {Viewpoint{{-9, 1.7, -10.8}, 72, 0}, Viewpoint{{-3, 1.7, -11.5}, 0, 0},
          Viewpoint{{34, 4.3, 0}, 270, -8}, Viewpoint{{-52, 1.7, -34}, 180, 0}})
        for (int i = 0; i < kRays * kRays; ++i) {
            const double heading = view.heading + 80.0 * (i % kRays) / kRays - 40;
            const double pitch = view.pitch + 50.0 * (i / kRays) / kRays - 25;
            const Vec3d way = lookDirection(heading, pitch);
            const RayHit p = first.first(view.eye, way);
            const RayHit q = second.first(view.eye, way);
            ++rays;
            const double apart = std::fabs(static_cast<double>(p.distance - q.distance));
            const bool same =
                p.met() == q.met() &&
                (!p.met() || (apart <= kSame * (1 + static_cast<double>(p.distance)) &&
                              lookOf(a, first, p) == lookOf(b, second, q)));
            differ += !same;
        }
    return static_cast<double>(differ) / static_cast<double>(rays);
}

TEST(Layout, RaysTellScenesApart) {
    Scene other = market();
    ASSERT_GT(other.objects.size(), 100U);
    for (Object& object : other.objects) object.world(1, 3) += 0.05;
    EXPECT_GT(differenceOfViews(market(), other), 0.1) << "all of it 5 cm higher";
    EXPECT_EQ(differenceOfViews(market(), market()), 0);
}

TEST(Layout, SharingChangesNoPicture) {
    const Fixed fixed = applyShare(market(), {}, noProgress()).value();
    EXPECT_LT(fixed.scene.assets.size(), market().assets.size());
    EXPECT_LE(differenceOfViews(market(), fixed.scene), kMostEdges);
}

TEST(Layout, SplittingChangesNoPicture) {
    SplitSettings settings;
    settings.leastTriangles = 50;
    const Fixed fixed = applySplit(market(), settings, noProgress()).value();
    EXPECT_GT(fixed.scene.objects.size(), market().objects.size());
    EXPECT_LE(differenceOfViews(market(), fixed.scene), kMostEdges);
}

TEST(Layout, MergingChangesNoPictureAndLeadsBack) {
    MergeSettings settings;
    settings.parcel = 16;
    Target target;
    target.instancing = false;
    at(target.limits, Measure::DrawCalls) = 100;
    const Fixed fixed = applyMerge(market(), settings, target, {}, noProgress()).value();
    EXPECT_LT(fixed.scene.objects.size(), market().objects.size());
    EXPECT_LE(differenceOfViews(market(), fixed.scene), kMostEdges);
    const OriginMap map(fixed.scene);
    for (std::size_t i = 0; i < market().objects.size(); ++i)
        EXPECT_EQ(map.shownBy(i).size(), 1U) << market().objects[i].name;
}

}  // namespace
}  // namespace flentro::demo
