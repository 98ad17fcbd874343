// Sharing, splitting, packing and merging the market change no picture: from every spot that a
// survey would stand on, rays all around meet surfaces of the same colour in the same distance.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "base/index.h"
#include "base/parallel.h"
#include "fixes/atlas/atlas.h"
#include "fixes/fix.h"
#include "fixes/merge/merge.h"
#include "fixes/share/share.h"
#include "fixes/split/split.h"
#include "ottermere.h"
#include "picture/texels.h"
#include "scene/origins.h"
#include "survey/spots.h"

namespace flentro::demo {
namespace {

constexpr int kAround = 48;  ///< Rays in a row of the panorama.
constexpr int kRows = 24;
constexpr double kSame = 2e-3;       ///< Metres, and as a share of the distance.
constexpr float kSameColor = 0.02F;  ///< Of a channel.
constexpr double kMaxEdges = 2e-3;   ///< Share of rays that slip past an edge by rounding.
constexpr float kTexels = 4;         ///< What a lookup takes together.

const Scene& market() {
    static const Scene scene = makeOttermere({0.2, 0.15, 256}, 1).scene;
    return scene;
}

/// Spots all over the ground, 9 m apart.
const std::vector<SurveySpot>& spots() {
    static const std::vector<SurveySpot> all = [] {
        SpotPlan plan;
        plan.starts = {quayView().eye};
        plan.spacing = 9;
        return planSpots(market(), RayScene(market()), plan, noProgress()).value();
    }();
    return all;
}

/// Colours of what rays meet.
class Camera {
public:
    explicit Camera(const Scene& scene) : scene_(scene), rays_(scene), textures_(scene, 1024) {}

    struct Seen {
        double distance = -1;  ///< Nothing.
        Vec4f color = Vec4f::Zero();
    };
    [[nodiscard]] Seen look(const Vec3d& eye, const Vec3d& way) const {
        const RayHit hit = rays_.first(eye, way);
        if (!hit.met()) return {};
        const auto distance = static_cast<double>(hit.distance);
        return {distance, colorAt(hit, eye + distance * way)};
    }

private:
    [[nodiscard]] Vec4f colorAt(const RayHit& hit, const Vec3d& point) const {
        const auto asset = static_cast<std::size_t>(scene_.objects[hit.object].asset);
        const Mesh& mesh = *scene_.assets[asset].mesh;
        std::size_t triangle = hit.triangle - rays_.firstTriangles()[asset];
        std::size_t part = 0;
        while (triangle >= mesh.parts[part].triangleCount())
            triangle -= mesh.parts[part++].triangleCount();
        const Part& own = mesh.parts[part];
        if (own.material < 0) return Vec4f::Ones();
        const Material& material = elementOf(scene_.materials, own.material);
        const Texels* texels = textures_.find(material.texture("baseColorTexture"));
        const Stream* coords = own.find("TEXCOORD_0");
        if (!texels || !coords) return material.baseColor;
        const auto [a, b, c] = rays_.corners(hit.object, hit.triangle);
        const Vec3d across = (b - a).cross(c - a);
        const double inB = (point - a).cross(c - a).dot(across) / across.squaredNorm();
        const double inC = (b - a).cross(point - a).dot(across) / across.squaredNorm();
        const double weights[] = {1 - inB - inC, inB, inC};
        Vec2f where = Vec2f::Zero();
        for (std::size_t k = 0; k < 3; ++k) {
            const std::uint32_t v = own.indices[3 * triangle + k];
            where +=
                static_cast<float>(weights[k]) * Vec2f(coords->value(v, 0), coords->value(v, 1));
        }
        return material.baseColor.cwiseProduct(texels->at(where, kTexels));
    }

    const Scene& scene_;
    const RayScene rays_;
    const TextureCache textures_;
};

/// Share of all rays that meet something else: elsewhere, or in another colour.
struct Difference {
    double place = 0;
    double color = 0;
};

Difference differenceOfViews(const Scene& a, const Scene& b, float sameColor = kSameColor) {
    const Camera first(a);
    const Camera second(b);
    std::vector<Difference> ofSpot(spots().size());
    parallelEach(spots().size(), [&](std::size_t s) {
        for (int i = 0; i < kAround * kRows; ++i) {
            const Vec3d way = lookDirection(360.0 * (i % kAround) / kAround,
                                            120.0 * (i / kAround + 0.5) / kRows - 70);
            const Camera::Seen p = first.look(spots()[s].eye, way);
            const Camera::Seen q = second.look(spots()[s].eye, way);
            const bool there = std::fabs(p.distance - q.distance) <= kSame * (1 + p.distance);
            ofSpot[s].place += !there;
            ofSpot[s].color += there && !((p.color - q.color).cwiseAbs().maxCoeff() <= sameColor);
        }
    });
    Difference all;
    const double rays = static_cast<double>(spots().size()) * kAround * kRows;
    for (const Difference& spot : ofSpot) {
        all.place += spot.place / rays;
        all.color += spot.color / rays;
    }
    return all;
}

void expectSamePictures(const Scene& after) {
    const Difference difference = differenceOfViews(market(), after);
    EXPECT_LE(difference.place, kMaxEdges);
    EXPECT_LE(difference.color, kMaxEdges);
}

TEST(Layout, RaysTellScenesApart) {
    Scene other = market();
    ASSERT_GT(other.objects.size(), 100U);
    for (Object& object : other.objects) object.world(1, 3) += 0.05;
    EXPECT_GT(spots().size(), 50U);
    EXPECT_GT(differenceOfViews(market(), other).place, 0.1) << "all of it 5 cm higher";
    other = market();
    for (Material& material : other.materials) material.baseColor *= 0.9F;
    EXPECT_GT(differenceOfViews(market(), other).color, 0.3) << "all of it a little darker";
    const Difference none = differenceOfViews(market(), market());
    EXPECT_EQ(none.place + none.color, 0);
}

TEST(Layout, SharingChangesNoPicture) {
    const Fixed fixed = applyShare(market(), {}, Target{}, noProgress()).value();
    EXPECT_LT(fixed.scene.assets.size(), market().assets.size());
    expectSamePictures(fixed.scene);
}

TEST(Layout, SplittingChangesNoPicture) {
    SplitSettings settings;
    settings.minCellTriangles = 50;
    const Fixed fixed = applySplit(market(), settings, noProgress()).value();
    EXPECT_GT(fixed.scene.objects.size(), market().objects.size());
    expectSamePictures(fixed.scene);
}

/// Pages shrink what fills them by its gutter: texels move by less than one.
TEST(Layout, PackingChangesHardlyAnyTexel) {
    const Fixed fixed = applyAtlas(market(), {}, noProgress()).value();
    ASSERT_GT(fixed.scene.images.size(), market().images.size()) << fixed.record.summary;
    const Difference difference = differenceOfViews(market(), fixed.scene, 0.1F);
    EXPECT_LE(difference.place, kMaxEdges) << "only edges of cut-outs move";
    EXPECT_LE(difference.color, 0.01);
    for (const Packing& packing : fixed.record.reportAs<AtlasReport>()->packings) {
        EXPECT_GE(packing.kept, 1 - 2.0 / 16) << packing.material << ": an eighth at the most";
        EXPECT_LE(packing.kept, 1) << packing.material;
    }
}

TEST(Layout, MergingChangesNoPictureAndLeadsBack) {
    MergeSettings settings;
    settings.parcel = 16;
    Target target;
    target.batching = Batching::Nothing;
    at(target.limits, Measure::DrawCalls) = 100;
    const Fixed fixed = applyMerge(market(), settings, target, {}, noProgress()).value();
    EXPECT_LT(fixed.scene.objects.size(), market().objects.size());
    expectSamePictures(fixed.scene);
    const OriginMap map(fixed.scene);
    for (std::size_t i = 0; i < market().objects.size(); ++i)
        EXPECT_EQ(map.shownBy(i).size(), 1U) << market().objects[i].name;
}

}  // namespace
}  // namespace flentro::demo
