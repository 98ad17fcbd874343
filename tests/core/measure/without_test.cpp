// What is taken out of a scene without changing it.

#include "measure/without.h"

#include <gtest/gtest.h>

#include "measure/view_meter.h"
#include "support/meshes.h"

namespace flentro {
namespace {

constexpr double kTexelBytes = 4;

/// Two boxes ahead, each with an image of its own: 64 x 64 and 256 x 128 pixels.
class WhatIf : public testing::Test {
protected:
    WhatIf() {
        scene_ = test::makeScene(
            {{test::makeBox({1, 1, 1}), {-1, 0, -5}}, {test::makeBox({1, 1, 1}), {1, 0, -5}}});
        addImage(64, 64);
        addImage(256, 128);
        for (std::size_t i = 0; i < 2; ++i) {
            Mesh mesh = *scene_.assets[i].mesh;
            mesh.parts[0].material = static_cast<int>(i);
            scene_.assets[i].mesh = finishMesh(std::move(mesh));
        }
        target_.mipMaps = false;
        for (TextureStorage& storage : target_.storage) storage.bytesPerTexel = kTexelBytes;
    }

    void addImage(int width, int height) {
        const auto index = static_cast<int>(scene_.images.size());
        Image image;
        image.width = width;
        image.height = height;
        image.hash = Hasher().add(width).result();
        scene_.images.push_back(image);
        Texture texture;
        texture.image = index;
        scene_.textures.push_back(texture);
        Material material;
        material.textures.push_back({"baseColorTexture", index});
        scene_.materials.push_back(material);
    }

    void addLights(int count) {
        scene_.placedLights.resize(static_cast<std::size_t>(count));
        numberOrigins(scene_);
    }

    [[nodiscard]] Counts counted(const Scene& scene, const Without& origins) const {
        const ViewMeter meter(scene, target_);
        const Viewpoint ahead;
        const Without here = without(scene, origins);
        const Counts counts = meter.cost(ahead, here).counts;
        EXPECT_EQ(meter.count(meter.sight(ahead.eye, {&ahead, 1}), here)[0].counts, counts);
        return counts;
    }

    Scene scene_;
    Target target_;
};

TEST_F(WhatIf, ImagesThatAreOutTakeNoMemory) {
    TakeOut out(scene_, scene_, {});
    EXPECT_EQ(at(counted(scene_, out.origins()), Measure::TextureBytes),
              (64 * 64 + 256 * 128) * kTexelBytes);
    out.image(1);
    const Counts without = counted(scene_, out.origins());
    EXPECT_EQ(at(without, Measure::TextureBytes), 64 * 64 * kTexelBytes);
    EXPECT_EQ(at(without, Measure::TextureEdge), 64);
    EXPECT_EQ(at(without, Measure::Objects), 2) << "what shows it stays";
    EXPECT_EQ(out.origins().count(), 1U);
}

TEST_F(WhatIf, SmallerCopiesOfAnImageAreOutWithIt) {
    Scene smaller = scene_;
    Image& copy = smaller.images[1];
    copy.madeFrom = copy.hash;
    copy.hash = Hasher().add(7).result();
    copy.width = 32;
    copy.height = 16;
    TakeOut out(scene_, smaller, {});
    out.image(1);
    EXPECT_EQ(at(counted(smaller, out.origins()), Measure::TextureBytes), 64 * 64 * kTexelBytes);
    EXPECT_EQ(at(counted(scene_, out.origins()), Measure::TextureBytes), 64 * 64 * kTexelBytes)
        << "and the source's own";
}

TEST_F(WhatIf, AllObjectsOfAnAssetAreOutInTheSourceAsInAResult) {
    Scene result = scene_;
    result.objects.erase(result.objects.begin());
    TakeOut out(scene_, result, {});
    out.asset(static_cast<std::size_t>(result.objects[0].asset));
    EXPECT_EQ(out.origins().objects, (std::vector<bool>{false, true}));
    EXPECT_EQ(at(counted(result, out.origins()), Measure::Objects), 0);
    EXPECT_EQ(at(counted(scene_, out.origins()), Measure::Objects), 1);
}

/// A fix that takes lights moves the others up in the list.
TEST_F(WhatIf, LightsAreKnownByTheirOriginsInAResult) {
    addLights(3);
    Scene fewer = scene_;
    fewer.placedLights.erase(fewer.placedLights.begin());
    TakeOut out(scene_, fewer, {});
    out.light(0);
    EXPECT_EQ(out.origins().lights, (std::vector<bool>{false, true, false}));
    EXPECT_EQ(without(fewer, out.origins()).lights, (std::vector<bool>{true, false}));
    EXPECT_EQ(at(counted(fewer, out.origins()), Measure::Lights),
              at(counted(fewer, {}), Measure::Lights) - 1);
}

TEST_F(WhatIf, ALightThatStandsForSeveralIsOutWhenAllOfThemAre) {
    addLights(3);
    Scene joined = scene_;
    joined.placedLights.erase(joined.placedLights.begin());
    joined.placedLights[0].origins = {0, 1};
    TakeOut one(scene_, scene_, {});
    one.light(0);
    EXPECT_EQ(without(joined, one.origins()).lights, (std::vector<bool>{false, false}));
    TakeOut both(scene_, joined, {});
    both.light(0);
    EXPECT_EQ(both.origins().lights, (std::vector<bool>{true, true, false}));
    EXPECT_EQ(without(joined, both.origins()).lights, (std::vector<bool>{true, false}));
}

}  // namespace
}  // namespace flentro
