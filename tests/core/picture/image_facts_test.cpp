// What the pixels of images hold.

#include "picture/image_facts.h"

#include <gtest/gtest.h>

#include "support/pictures.h"
#include "support/process.h"

namespace flentro {
namespace {

TEST(ImageFacts, TellTheRangeOfEveryChannel) {
    const ImageFacts facts =
        imageFactsOf(test::makePicture(10, 4, [](int x, int y) -> std::array<int, 4> {
            return {10 * x, 50 + y, 7, 255 - x};
        }));
    ASSERT_TRUE(facts.isKnown);
    EXPECT_EQ(facts.least, (std::array<std::uint8_t, 4>{0, 50, 7, 246}));
    EXPECT_EQ(facts.most, (std::array<std::uint8_t, 4>{90, 53, 7, 255}));
    EXPECT_FALSE(facts.isOneColour());
    EXPECT_EQ(facts.thumbnail.size(), 16U * 16 * 4);
}

TEST(ImageFacts, ThumbnailsHoldMeans) {
    const auto thumbnail = [](int width, int height) {
        return imageFactsOf(test::makePicture(width, height,
                                              [](int x, int y) -> std::array<int, 4> {
                                                  return {10 * (x % 2), y / 2, 7, 255};
                                              }))
            .thumbnail;
    };
    const std::vector<std::uint8_t> even = thumbnail(32, 32);
    for (std::size_t y = 0; y < 16; ++y)
        for (std::size_t x = 0; x < 16; ++x) {
            const std::uint8_t* texel = &even[4 * (16 * y + x)];
            EXPECT_EQ(texel[0], 5) << "of 0 and 10";
            EXPECT_EQ(texel[1], y) << "two equal rows";
            EXPECT_EQ(texel[2], 7);
        }
    EXPECT_EQ(thumbnail(17, 50).size(), even.size()) << "fields of unequal size";
    EXPECT_EQ(thumbnail(3, 90).size(), even.size()) << "enlarged";
}

TEST(ImageFacts, CountClearAndOpaquePixels) {
    const ImageFacts facts =
        imageFactsOf(test::makePicture(8, 1, [](int x, int) -> std::array<int, 4> {
            return {9, 9, 9, x < 2 ? 0 : x < 3 ? 128 : 255};
        }));
    EXPECT_DOUBLE_EQ(facts.clear, 2.0 / 8);
    EXPECT_DOUBLE_EQ(facts.opaque, 5.0 / 8);
}

TEST(ImageFacts, WhatEncodingChangesIsStillOneColour) {
    const auto nearly = [](int spread) {
        return imageFactsOf(test::makePicture(6, 6, [spread](int x, int y) -> std::array<int, 4> {
            return {100 + (x + y) % 2 * spread, 90, 80, 255};
        }));
    };
    EXPECT_TRUE(nearly(0).isOneColour());
    EXPECT_TRUE(nearly(2).isOneColour());
    EXPECT_FALSE(nearly(3).isOneColour());
    EXPECT_FALSE(ImageFacts().isOneColour()) << "nothing is known of it";
}

TEST(ImageFacts, MissingAndDamagedImagesAreNotKnown) {
    Image image = test::makePicture(8, 8, test::plain({1, 2, 3, 255}));
    auto cut = *image.data;
    cut.resize(20);
    image.data = std::make_shared<const std::vector<std::byte>>(std::move(cut));
    EXPECT_FALSE(imageFactsOf(image).isKnown);
    image.data = nullptr;
    EXPECT_FALSE(imageFactsOf(image).isKnown);
}

TEST(EqualImages, AreFoundByTheirPixelsNotTheirBytes) {
    Scene scene;
    const auto picture = [&](std::array<int, 4> colour, int channels, int edge = 8) {
        test::addPicture(scene, test::makePicture(edge, edge, test::plain(colour), channels));
    };
    picture({10, 20, 30, 255}, 4);
    picture({40, 20, 30, 255}, 4);
    picture({10, 20, 30, 255}, 4);
    picture({10, 20, 30, 255}, 3);
    picture({10, 20, 30, 255}, 4, 16);
    scene.images.emplace_back();  // missing
    scene.images.emplace_back();
    const auto first = firstEqualImages(scene, imageFacts(scene, noProgress()).value());
    test::RecordingProgress stop(0);
    EXPECT_EQ(imageFacts(scene, stop).error().code, ErrorCode::Cancelled);
    EXPECT_EQ(first, (std::vector<int>{0, 1, 0, 3, 4, 5, 6}))
        << "channels and sizes differ, missing ones are equal to nothing";
}

}  // namespace
}  // namespace flentro
