// Images made smaller.

#include "picture/resample.h"

#include <gtest/gtest.h>

#include <cmath>

#include "picture/texels.h"
#include "support/pictures.h"

namespace flentro {
namespace {

using test::makePixels;

std::array<int, 4> at(const Pixels& pixels, int x, int y) {
    std::array<int, 4> rgba{};
    for (std::size_t c = 0; c < 4; ++c)
        rgba[c] = pixels.rgba[static_cast<std::size_t>(y * pixels.width + x) * 4 + c];
    return rgba;
}

/// Black and white squares of one pixel.
std::array<int, 4> checkers(int x, int y) {
    const int value = (x + y) % 2 * 255;
    return {value, value, value, 255};
}

TEST(Resample, ColourIsAveragedInLinearLight) {
    const Pixels half = resample(makePixels(32, 32, checkers), 8, 8, {TextureClass::Color, 0, 0});
    // Half the light shows as 188 of 255, not as 128.
    const int expected = static_cast<int>(std::lround(toDisplay(0.5F) * 255));
    EXPECT_NEAR(at(half, 3, 3)[0], expected, 3);
    EXPECT_NEAR(at(half, 0, 0)[1], expected, 3) << "it repeats at its edges";
    const Pixels mask = resample(makePixels(32, 32, checkers), 8, 8, {TextureClass::Mask, 0, 0});
    EXPECT_NEAR(at(mask, 3, 3)[0], 128, 3) << "numbers are averaged as they are";
}

TEST(Resample, ClearPixelsLendNoColour) {
    const auto pixel = [](int x, int) -> std::array<int, 4> {
        if (x % 2 == 0) return {200, 40, 40, 255};
        return {0, 255, 0, 0};
    };
    const Pixels half =
        resample(makePixels(16, 16, pixel), 8, 8, {TextureClass::ColorWithAlpha, 0, 0});
    EXPECT_NEAR(at(half, 4, 4)[0], 200, 6);
    EXPECT_NEAR(at(half, 4, 4)[1], 40, 6) << "green that nobody sees stays out";
    EXPECT_NEAR(at(half, 4, 4)[3], 128, 12);
}

double shareAbove(const Pixels& pixels, int cutoff) {
    double above = 0;
    for (std::size_t i = 3; i < pixels.rgba.size(); i += 4) above += pixels.rgba[i] >= cutoff;
    return above / static_cast<double>(pixels.rgba.size() / 4);
}

TEST(Resample, CutOutsKeepAsMuchAsShowed) {
    // Thin blades: one column of eight is opaque, and averages to what no cut-off lets through.
    const auto blades = [](int x, int) -> std::array<int, 4> {
        return {90, 160, 60, x % 8 == 0 ? 255 : 0};
    };
    const Pixels whole = makePixels(64, 64, blades);
    const Pixels plain = resample(whole, 32, 32, {TextureClass::ColorWithAlpha, 0, 0});
    const Pixels kept = resample(whole, 32, 32, {TextureClass::ColorWithAlpha, 0, 0.5});
    EXPECT_EQ(shareAbove(plain, 128), 0) << "without care the blades vanish";
    EXPECT_NEAR(shareAbove(kept, 128), 0.125, 0.13);
    EXPECT_GT(shareAbove(kept, 128), 0.05);
}

/// A ridge: normals that lean 45 degrees left and right.
std::array<int, 4> ridges(int x, int) {
    const double lean = x % 2 == 0 ? std::sqrt(0.5) : -std::sqrt(0.5);
    const auto byte = [](double v) { return static_cast<int>(std::lround((v + 1) / 2 * 255)); };
    return {byte(lean), 128, byte(std::sqrt(0.5)), 255};
}

TEST(Resample, NormalsStayUnitVectors) {
    const Pixels half = resample(makePixels(16, 16, ridges), 8, 8, {TextureClass::Normal, 0, 0});
    for (int i = 0; i < 8; ++i) {
        const auto n = at(half, i, i);
        const Vec3d v(n[0] / 127.5 - 1, n[1] / 127.5 - 1, n[2] / 127.5 - 1);
        EXPECT_NEAR(v.norm(), 1, 0.02);
        EXPECT_GT(v.z(), 0.98) << "left and right cancel";
    }
}

TEST(Resample, LostReliefIsKnownByTheLengthOfMeans) {
    const Pixels map = makePixels(16, 16, ridges);
    for (const float length : meanNormalLengths(map, 8, 8))
        EXPECT_NEAR(length, std::sqrt(0.5), 0.01) << "two unit vectors at a right angle";
    for (const float length : meanNormalLengths(map, 16, 16)) EXPECT_NEAR(length, 1, 0.01);
}

TEST(Resample, HighlightsWidenByToksvig) {
    EXPECT_NEAR(roughnessFor(0.5, 1), 0.5, 1e-9) << "nothing lost";
    // alpha = 0.25, power = 30; 30 * 0.7 / (0.7 + 30 * 0.3) = 2.165; alpha' = sqrt(2 / 4.165)
    EXPECT_NEAR(roughnessFor(0.5, 0.7), std::sqrt(std::sqrt(2 / (30 * 0.7 / (0.7 + 9) + 2))), 1e-9);
    EXPECT_EQ(roughnessFor(1, 0.2), 1);
    EXPECT_GT(roughnessFor(0.1, 0.95), 0.3);
    EXPECT_GE(roughnessFor(0, 0), 0) << "odd input stays a number";
}

TEST(Resample, SharperKeepsMoreContrast) {
    const auto bars = [](int x, int) -> std::array<int, 4> {
        const int v = x / 4 % 2 * 200 + 20;
        return {v, v, v, 255};
    };
    const Pixels whole = makePixels(64, 8, bars);
    const auto contrast = [&](double sharpness) {
        const Pixels half = resample(whole, 32, 4, {TextureClass::Color, sharpness, 0});
        return at(half, 3, 1)[0] - at(half, 1, 1)[0];
    };
    EXPECT_GT(std::abs(contrast(1)), std::abs(contrast(0)));
}

TEST(Resample, DifferenceIsRootMeanSquare) {
    const Pixels a = makePixels(8, 8, test::plain({100, 100, 100, 255}));
    const Pixels b = makePixels(8, 8, test::plain({151, 100, 100, 255}));
    EXPECT_EQ(differenceOf(a, a, TextureClass::Color), 0);
    EXPECT_NEAR(differenceOf(a, b, TextureClass::Color), 0.2 / std::sqrt(3), 1e-9);
    const Pixels clear = makePixels(8, 8, test::plain({151, 100, 100, 0}));
    const Pixels none = makePixels(8, 8, test::plain({0, 0, 0, 0}));
    EXPECT_EQ(differenceOf(clear, none, TextureClass::ColorWithAlpha), 0);
}

TEST(Encode, KeepsFormatSizeAndChannels) {
    const Pixels pixels = makePixels(20, 12, checkers);
    for (const char* mime : {"image/png", "image/jpeg", "image/webp"}) {
        Image image = test::makePicture(20, 12, checkers, 3);
        image.mime = mime;
        const auto bytes = encodeLike(image, pixels);
        const auto info = probeImage(bytes);
        ASSERT_TRUE(info) << mime;
        EXPECT_STREQ(info->mime, mime);
        EXPECT_EQ(info->width, 20);
        EXPECT_EQ(info->height, 12);
        EXPECT_EQ(info->channels, 3) << mime;
    }
    Image other = test::makePicture(4, 4, checkers);
    other.mime = "image/ktx2";
    EXPECT_TRUE(encodeLike(other, pixels).empty());
}

}  // namespace
}  // namespace flentro
