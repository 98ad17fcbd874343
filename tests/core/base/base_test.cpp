#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <atomic>
#include <limits>
#include <numeric>

#include "base/hash.h"
#include "base/json.h"
#include "base/memory_budget.h"
#include "base/parallel.h"
#include "base/text.h"
#include "support/process.h"

namespace flentro {
namespace {

std::string plain(std::string text) {
    const std::string thin = "\u202f";
    for (std::size_t at; (at = text.find(thin)) != std::string::npos;)
        text.replace(at, thin.size(), " ");
    return text;
}

TEST(Text, GroupsCountsAndKeepsThreeDigitsOfMillions) {
    EXPECT_EQ(plain(formatCount(0)), "0");
    EXPECT_EQ(plain(formatCount(950)), "950");
    EXPECT_EQ(plain(formatCount(12'300)), "12 300");
    EXPECT_EQ(plain(formatCount(999'499)), "999 499");
    EXPECT_EQ(plain(formatCount(999'500)), "1.00 M");
    EXPECT_EQ(plain(formatCount(1'240'000)), "1.24 M");
    EXPECT_EQ(plain(formatCount(124'000'000)), "124 M");
    EXPECT_EQ(plain(formatCount(-4'200)), "-4 200");
}

TEST(Text, WritesBytesInBinaryUnits) {
    EXPECT_EQ(formatBytes(96), "96 B");
    EXPECT_EQ(formatBytes(1024), "1 KiB");
    EXPECT_EQ(formatBytes(13.0 * 1024 * 1024), "13.0 MiB");
    EXPECT_EQ(plain(formatBytes(3072.0 * 1024 * 1024)), "3 072 MiB");
}

TEST(Text, WritesLoadsMetresSharesAndSeconds) {
    EXPECT_EQ(formatLoad(0.724), "x0.72");
    EXPECT_EQ(formatLoad(12.34), "x12.3");
    EXPECT_EQ(formatLoad(140.2), "x140");
    EXPECT_EQ(formatMetres(0), "0 m");
    EXPECT_EQ(formatMetres(0.0031), "3.1 mm");
    EXPECT_EQ(formatMetres(0.35), "0.35 m");
    EXPECT_EQ(formatMetres(8.2), "8.2 m");
    EXPECT_EQ(formatMetres(120), "120 m");
    EXPECT_EQ(formatMetres(std::numeric_limits<double>::infinity()), "no limit");
    EXPECT_EQ(formatShare(0.123), "12 %");
    EXPECT_EQ(formatShare(0.004), "0.4 %");
    EXPECT_EQ(formatShare(0.0001), "0.01 %");
    EXPECT_EQ(formatSeconds(3.2), "4 s");
    EXPECT_EQ(formatSeconds(130), "2 min 10 s");
}

TEST(Json, RefusesBrokenTextNamingTheFile) {
    const auto json = parseJson("{\"a\": ", "scene.gltf");
    ASSERT_FALSE(json);
    EXPECT_EQ(json.error().where, "scene.gltf");
    EXPECT_EQ(json.error().code, ErrorCode::InvalidInput);
}

TEST(Json, RefusesNestingThatNoHonestFileNeeds) {
    EXPECT_TRUE(parseJson(std::string(150, '[') + std::string(150, ']'), "x"));
    EXPECT_FALSE(parseJson(std::string(100'000, '[') + std::string(100'000, ']'), "x"));
    // Brackets inside strings are no nesting.
    EXPECT_TRUE(
        parseJson("\"" + std::string(500, '[') + "\\\"" + std::string(500, '{') + "\"", "x"));
}

TEST(Json, FallsBackOnMembersOfAnotherType) {
    const Json json = {{"number", 4}, {"text", "four"}, {"huge", 1e300}, {"flag", true}};
    EXPECT_EQ(jsonOr(json, "number", 0), 4);
    EXPECT_EQ(jsonOr(json, "text", 7), 7);
    EXPECT_EQ(jsonOr(json, "huge", 3), 3);
    EXPECT_EQ(jsonOr<std::string>(json, "number", "none"), "none");
    EXPECT_TRUE(jsonOr(json, "flag", false));
    EXPECT_EQ(jsonOr(Json(5), "number", 1), 1);
    EXPECT_TRUE(jsonArray(json, "text").empty());
    EXPECT_TRUE(jsonObject(json, "missing").is_object());
}

TEST(Json, MembersAreMadeObjectsAndDroppedWhateverIsThere) {
    Json json;
    objectAt(objectAt(json, "extras"), "ours")["end"] = 5;
    EXPECT_EQ(json, Json::parse(R"({"extras": {"ours": {"end": 5}}})"));
    json = {{"extras", "text"}, {"list", {1, 2}}};
    objectAt(json, "extras")["end"] = 5;
    EXPECT_EQ(json["extras"], Json({{"end", 5}})) << "what was no object is replaced";
    EXPECT_TRUE(dropMember(json, "extras"));
    EXPECT_FALSE(dropMember(json, "extras"));
    EXPECT_FALSE(dropMember(json["list"], "extras")) << "a list has no members";
    Json nothing;
    EXPECT_FALSE(dropMember(nothing, "extras"));
    EXPECT_TRUE(nothing.is_null());
}

TEST(Hash, TellsNeighbouringTextsApart) {
    const Hash ab_c = Hasher().text("ab").text("c").result();
    const Hash a_bc = Hasher().text("a").text("bc").result();
    EXPECT_NE(ab_c, a_bc);
    EXPECT_EQ(ab_c, Hasher().text("ab").text("c").result());
    EXPECT_EQ(toHex(Hash{0xAB, 0}), "000000000000000000000000000000ab");
}

TEST(Parallel, CallsEachIndexOnceAndReportsTheEnd) {
    std::vector<int> calls(1000);
    test::RecordingProgress progress;
    EXPECT_TRUE(
        parallelFor(calls.size(), "Counting", progress, [&](std::size_t i) { ++calls[i]; }));
    EXPECT_EQ(std::accumulate(calls.begin(), calls.end(), 0), 1000);
    EXPECT_EQ(*std::max_element(calls.begin(), calls.end()), 1);
    EXPECT_DOUBLE_EQ(progress.highest(), 1);
}

TEST(Parallel, StopsWhenCancelled) {
    std::atomic<int> calls = 0;
    test::RecordingProgress progress(5);
    EXPECT_FALSE(parallelFor(10'000, "Counting", progress, [&](std::size_t) { ++calls; }));
    EXPECT_LT(calls, 10'000);
}

TEST(ParallelRanges, CoverAllOnceAndTheLastIsShorter) {
    for (const std::size_t count : {0U, 1U, 7U, 8U, 9U, 1003U}) {
        std::vector<int> calls(count, 0);
        std::atomic<std::size_t> longest = 0;
        parallelRanges(count, 8, [&](std::size_t begin, std::size_t end) {
            EXPECT_EQ(begin % 8, 0U);
            for (std::size_t i = begin; i < end; ++i) ++calls[i];
            if (end - begin > longest) longest = end - begin;
        });
        EXPECT_EQ(calls, std::vector<int>(count, 1)) << count;
        EXPECT_LE(longest, 8U);
    }
}

TEST(Progress, MapsAPartOntoTheWhole) {
    test::RecordingProgress whole;
    SubProgress part(whole, 0.25, 0.75);
    part.report(0.5, "half");
    EXPECT_DOUBLE_EQ(whole.highest(), 0.5);
    EXPECT_FALSE(part.cancelled());
}

TEST(Error, IsDescribedWithPlaceAndHint) {
    EXPECT_EQ(describe({ErrorCode::Io, "is full", "disk", "Free some space"}),
              "disk: is full. Free some space");
    EXPECT_EQ(describe({ErrorCode::Io, "is full", "", ""}), "is full");
}

TEST(Text, NounsAgreeWithTheirNumbers) {
    EXPECT_EQ(counted(1, "material"), "1 material");
    EXPECT_EQ(counted(0, "material"), "0 materials");
    EXPECT_EQ(counted(2, "vertex", "vertices"), "2 vertices");
    EXPECT_EQ(counted(1, "vertex", "vertices"), "1 vertex");
}

TEST(Text, CsvCellsComeBackWhateverTheyHold) {
    for (const char* text : {"plain", "a,b", "a\"b", "two\nlines", "=1+1", "@x", ""}) {
        const std::string line = csvCell(text) + "," + csvCell("end");
        const std::vector<std::string> cells = splitCsvLine(line, ',');
        ASSERT_EQ(cells.size(), 2U) << line;
        EXPECT_EQ(cells[0], text);
        EXPECT_EQ(cells[1], "end");
    }
    EXPECT_NE(csvCell("=1+1").substr(0, 1), "=") << "spreadsheets would count it";
    EXPECT_EQ(csvSeparator("spot;heading;ms"), ';');
    EXPECT_EQ(csvSeparator("\"a;b\",c"), ',');
}

TEST(Text, ControlCharactersAreWrittenOut) {
    EXPECT_EQ(printable("a\x1b[31mb"), "a\\x1B[31mb");
    EXPECT_EQ(printable("caf\u00e9"), "caf\u00e9");
    EXPECT_EQ(printable("gate\u202Eblg.\u2069"), "gate\\xE2\\x80\\xAEblg.\\xE2\\x81\\xA9")
        << "a name that would read backwards";
}

TEST(MemoryBudget, IsCountedBeforeItIsTaken) {
    MemoryBudget memory(1000);
    EXPECT_TRUE(memory.take(600, "accessor 3"));
    const auto more = memory.take(500, "accessor 4");
    ASSERT_FALSE(more);
    EXPECT_EQ(more.error().code, ErrorCode::Limit);
    EXPECT_THAT(describe(more.error()), testing::HasSubstr("accessor 4"));
    EXPECT_EQ(memory.taken(), 600U) << "what was refused is not counted";
    EXPECT_TRUE(memory.ask(400, "image 0"));
    EXPECT_TRUE(memory.take(400, "accessor 5")) << "asking takes nothing";
    EXPECT_FALSE(memory.take(static_cast<std::size_t>(-1), "accessor 6")) << "no overflow";
}

}  // namespace
}  // namespace flentro
