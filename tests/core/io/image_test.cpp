// Images of the kinds that files hold, as pixels.

#include "io/image.h"

#include <gtest/gtest.h>

#include <string>

namespace flentro {
namespace {

using Bytes = std::vector<std::uint8_t>;

constexpr int kWhole = 64;  ///< Pixels an edge: none here has more.

void appendNumber(std::string& to, std::uint32_t number) {
    for (int shift = 24; shift >= 0; shift -= 8) to += static_cast<char>(number >> shift);
}

/// A chunk of a PNG file (W3C PNG, section 5.3), with its sum or with a wrong one.
std::string chunk(const std::string& name, const std::string& data, bool isSumRight = true) {
    std::uint32_t sum = ~0U;
    for (const char byte : name + data) {
        sum ^= static_cast<std::uint8_t>(byte);
        for (int bit = 0; bit < 8; ++bit) sum = sum & 1 ? sum >> 1 ^ 0xEDB88320U : sum >> 1;
    }
    std::string result;
    appendNumber(result, static_cast<std::uint32_t>(data.size()));
    result += name + data;
    appendNumber(result, isSumRight ? ~sum : sum);
    return result;
}

/// A zlib stream of one stored block (RFC 1950, RFC 1951).
std::string stored(const std::string& data) {
    std::uint32_t a = 1;
    std::uint32_t b = 0;
    for (const char byte : data) {
        a = (a + static_cast<std::uint8_t>(byte)) % 65521;
        b = (b + a) % 65521;
    }
    const auto size = static_cast<std::uint16_t>(data.size());
    std::string result = {'\x78',
                          '\x01',
                          '\x01',
                          static_cast<char>(size),
                          static_cast<char>(size >> 8),
                          static_cast<char>(~size),
                          static_cast<char>(static_cast<std::uint16_t>(~size) >> 8)};
    result += data;
    appendNumber(result, b << 16 | a);
    return result;
}

struct PngKind {
    std::uint32_t width, height;
    int depth, colour;  ///< As in the header.
    std::string extra;  ///< Chunks before the data.
    std::string rows;   ///< Each begins with its filter, 0.
    bool areSumsRight = true;
};

Image pngOf(const PngKind& kind) {
    std::string header;
    appendNumber(header, kind.width);
    appendNumber(header, kind.height);
    header += {static_cast<char>(kind.depth), static_cast<char>(kind.colour), 0, 0, 0};
    const std::string file = "\x89PNG\r\n\x1A\n" + chunk("IHDR", header, kind.areSumsRight) +
                             kind.extra + chunk("IDAT", stored(kind.rows), kind.areSumsRight) +
                             chunk("IEND", "", kind.areSumsRight);
    Image image;
    image.mime = "image/png";
    image.width = static_cast<int>(kind.width);
    image.height = static_cast<int>(kind.height);
    const auto* bytes = reinterpret_cast<const std::byte*>(file.data());
    image.data = std::make_shared<const std::vector<std::byte>>(bytes, bytes + file.size());
    return image;
}

Bytes pixelsOf(const PngKind& kind) {
    const auto pixels = decodeImage(pngOf(kind), kWhole);
    EXPECT_TRUE(pixels);
    return pixels ? pixels->rgba : Bytes();
}

std::string bytes(std::initializer_list<int> values) {
    std::string result;
    for (const int value : values) result += static_cast<char>(value);
    return result;
}

TEST(DecodePng, PalettesHaveTheAlphaOfTheirEntries) {
    const PngKind kind{
        2,
        1,
        8,
        3,
        chunk("PLTE", bytes({10, 20, 30, 200, 100, 50})) + chunk("tRNS", bytes({64})),
        bytes({0, 1, 0})};
    EXPECT_EQ(pixelsOf(kind), (Bytes{200, 100, 50, 255, 10, 20, 30, 64}));
}

TEST(DecodePng, DeepChannelsLoseTheirLowerHalf) {
    EXPECT_EQ(pixelsOf({2, 1, 16, 0, "", bytes({0, 0x80, 0x01, 0x12, 0xFF})}),
              (Bytes{0x80, 0x80, 0x80, 255, 0x12, 0x12, 0x12, 255}));
}

TEST(DecodePng, BitsBecomeBlackAndWhite) {
    EXPECT_EQ(pixelsOf({3, 1, 1, 0, "", bytes({0, 0xA0})}),
              (Bytes{255, 255, 255, 255, 0, 0, 0, 255, 255, 255, 255, 255}));
}

TEST(DecodePng, ClearColourOfTheHeaderIsClear) {
    const PngKind kind{
        2, 1, 8, 2, chunk("tRNS", bytes({0, 9, 0, 8, 0, 7})), bytes({0, 9, 8, 7, 9, 8, 6})};
    EXPECT_EQ(pixelsOf(kind), (Bytes{9, 8, 7, 0, 9, 8, 6, 255}));
}

TEST(DecodePng, WrongSumsDoNoHarm) {
    EXPECT_EQ(pixelsOf({1, 1, 8, 0, "", bytes({0, 77}), false}), (Bytes{77, 77, 77, 255}));
}

TEST(DecodePng, FilesThatEndTooSoonAreTold) {
    const Image whole = pngOf({2, 2, 8, 0, "", bytes({0, 1, 2, 0, 3, 4})});
    ASSERT_TRUE(decodeImage(whole, kWhole));
    for (std::size_t size = 0; size < whole.data->size() - 16; ++size) {
        Image cut = whole;
        cut.name = "plank";
        cut.data = std::make_shared<const std::vector<std::byte>>(
            whole.data->begin(), whole.data->begin() + static_cast<long>(size));
        const auto pixels = decodeImage(cut, kWhole);
        ASSERT_FALSE(pixels) << size;
        EXPECT_EQ(pixels.error().where, "plank");
    }
}

class Collector final : public RowVisitor {
public:
    Pixels pixels;

private:
    void begin(int width, int height) override { pixels = {width, height, {}}; }
    void row(std::span<const std::uint8_t> rgba) override {
        EXPECT_EQ(rgba.size(), 4U * static_cast<std::size_t>(pixels.width));
        pixels.rgba.insert(pixels.rgba.end(), rgba.begin(), rgba.end());
    }
};

TEST(VisitRows, AreThoseOfTheWholeImage) {
    Pixels drawn{20, 6, {}};
    for (int i = 0; i < 20 * 6 * 4; ++i) drawn.rgba.push_back(static_cast<std::uint8_t>(7 * i));
    for (const char* mime : {"image/png", "image/jpeg", "image/webp"}) {
        Image image = pngImage("leaf", drawn, 4);
        image.mime = mime;
        image.data = std::make_shared<const std::vector<std::byte>>(encodeLike(image, drawn));
        Collector rows;
        ASSERT_TRUE(visitRows(image, rows)) << mime;
        const auto whole = decodeImage(image, kWhole);
        ASSERT_TRUE(whole) << mime;
        EXPECT_EQ(rows.pixels.height, 6) << mime;
        EXPECT_EQ(rows.pixels.rgba, whole->rgba) << mime;
    }
}

TEST(VisitRows, AnImageThatEndsTooSoonIsTold) {
    Image image = pngOf({2, 2, 8, 0, "", bytes({0, 1, 2, 0, 3, 4})});
    image.name = "plank";
    image.data =
        std::make_shared<const std::vector<std::byte>>(image.data->begin(), image.data->end() - 24);
    Collector rows;
    const auto visited = visitRows(image, rows);
    ASSERT_FALSE(visited);
    EXPECT_EQ(visited.error().where, "plank");
}

TEST(DecodePng, SmallerWhereAskedFor) {
    const PngKind kind{4, 2, 8, 0, "", bytes({0, 8, 8, 8, 8, 0, 8, 8, 8, 8})};
    const auto pixels = decodeImage(pngOf(kind), 2);
    ASSERT_TRUE(pixels);
    EXPECT_EQ(pixels->width, 2);
    EXPECT_EQ(pixels->height, 1);
}

}  // namespace
}  // namespace flentro
