// Settings read and written by their fields: what is taken, what is refused, and in which words.

#include "fixes/field_table.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

namespace flentro {
namespace {

using testing::HasSubstr;

enum class Shape { Round, Square };

struct Band {
    double from = 0;
    int steps = 1;
};

struct Settings {
    double width = 2;
    int count = 3;
    bool on = true;
    std::string note;
    Shape shape = Shape::Square;
    std::vector<double> marks;
    std::set<std::string> names;
    std::vector<Band> bands = {{}};
    std::map<std::string, double> factors;
    std::map<std::string, Band> own;
};

const FieldTable<Settings>& table() {
    static const FieldTable<Band> bands =
        FieldTable<Band>()
            .number("from", &Band::from, 0, 100, {.label = "From"})
            .number("steps", &Band::steps, 1, 9, {.label = "Steps"});
    static const FieldTable<Settings> fields =
        FieldTable<Settings>()
            .number("width", &Settings::width, 0.5, 8, {.label = "Width", .unit = "m"})
            .number("count", &Settings::count, 0, 10, {.label = "Count", .formerly = "number"})
            .flag("on", &Settings::on, {.label = "On"})
            .string("note", &Settings::note, {.label = "Note"})
            .choice("shape", &Settings::shape, {{"round", "round"}, {"square", "square"}},
                    {.label = "Shape"})
            .numbers("marks", &Settings::marks, 0, 50, {.label = "Marks"})
            .names("names", &Settings::names, {.label = "Names"})
            .rows("bands", &Settings::bands, bands, "from", {.label = "Bands"})
            .byAsset("factors", &Settings::factors, 0, 4, 1, {.label = "Factor"},
                     {.label = "Factors"})
            .byAsset("own", &Settings::own, bands, {.label = "Own"});
    return fields;
}

/// What is wrong with a text of JSON; empty: nothing.
std::string problemOf(const char* text, Settings& settings, int version = kSettingsVersion) {
    const Check wrong = table().read(Json::parse(text), settings, version);
    return wrong ? describe(*wrong) : "";
}
std::string problemOf(const char* text) {
    Settings settings;
    return problemOf(text, settings);
}

TEST(FieldTable, ReadsWhatItWrites) {
    Settings settings;
    settings.width = 7.25;
    settings.count = 9;
    settings.on = false;
    settings.note = "a \"b\"";
    settings.shape = Shape::Round;
    settings.marks = {1, 2.5};
    settings.names = {"crate", "jar"};
    settings.bands = {{1, 2}, {3, 4}};
    settings.factors = {{"crate", 0.5}};
    settings.own = {{"jar", {5, 6}}};
    const Json json = table().toJson(settings);
    Settings back;
    ASSERT_FALSE(table().read(json, back, kSettingsVersion));
    EXPECT_EQ(table().toJson(back), json);
    EXPECT_EQ(back.bands[1].steps, 4);
    EXPECT_EQ(back.own.at("jar").from, 5);
    EXPECT_EQ(back.shape, Shape::Round);
}

TEST(FieldTable, MissingMembersStayAsTheyAre) {
    Settings settings;
    settings.width = 4;
    EXPECT_EQ(problemOf(R"({"count": 1})", settings), "");
    EXPECT_EQ(settings.width, 4);
    EXPECT_EQ(settings.count, 1);
    EXPECT_EQ(problemOf("null", settings), "");
}

TEST(FieldTable, WrongValuesAreNamedWithWhatIsTaken) {
    EXPECT_EQ(problemOf(R"({"width": 9})"), "'width' is 9; it must be a number from 0.5 to 8");
    EXPECT_EQ(problemOf(R"({"width": "wide"})"),
              "'width' is \"wide\"; it must be a number from 0.5 to 8");
    EXPECT_EQ(problemOf(R"({"count": 2.5})"),
              "'count' is 2.5; it must be a whole number from 0 to 10");
    EXPECT_EQ(problemOf(R"({"on": "yes"})"), "'on' is \"yes\"; it must be true or false");
    EXPECT_EQ(problemOf(R"({"note": 4})"), "'note' is 4; it must be a text");
    EXPECT_EQ(problemOf(R"({"shape": "oval"})"),
              "'shape' is \"oval\"; it must be one of: round, square");
    EXPECT_THAT(problemOf(R"({"names": ["a", 3]})"), HasSubstr("a list of names"));
    EXPECT_EQ(problemOf("[]"), "the settings must be an object");
}

TEST(FieldTable, UnknownNamesAreRefusedWithTheKnownOnes) {
    const std::string problem = problemOf(R"({"widht": 2})");
    EXPECT_THAT(problem, HasSubstr("'widht' is no setting of it"));
    EXPECT_THAT(problem, HasSubstr("width, count, on"));
}

TEST(FieldTable, ListsOfNumbersRise) {
    EXPECT_EQ(problemOf(R"({"marks": [1, 2, 50]})"), "");
    EXPECT_THAT(problemOf(R"({"marks": [1, 1]})"), HasSubstr("rising"));
    EXPECT_THAT(problemOf(R"({"marks": [1, 51]})"), HasSubstr("from 0 to 50"));
    EXPECT_THAT(problemOf(R"({"marks": 3})"), HasSubstr("a list"));
}

TEST(FieldTable, RowsAreNamedByTheirPlace) {
    EXPECT_THAT(problemOf(R"({"bands": [{"from": 1}, {"steps": 20}]})"),
                HasSubstr("'bands.1.steps' is 20"));
    EXPECT_THAT(problemOf(R"({"bands": [{"from": 5}, {"from": 2}]})"),
                HasSubstr("'bands' must rise in 'from'"));
    EXPECT_THAT(problemOf(R"({"bands": []})"), HasSubstr("at least one"));
}

TEST(FieldTable, WhatIsKeptByAssetIsNamedByTheAsset) {
    EXPECT_THAT(problemOf(R"({"factors": {"crate": 5}})"), HasSubstr("'factors.crate"));
    EXPECT_THAT(problemOf(R"({"own": {"jar": {"from": -1}}})"), HasSubstr("'own.jar.from' is -1"));
    EXPECT_THAT(problemOf(R"({"own": {"jar": {"form": 1}}})"), HasSubstr("'own.jar.form'"));
    EXPECT_THAT(problemOf(R"({"factors": [1]})"), HasSubstr("names of assets"));
}

TEST(FieldTable, WhatIsRefusedChangesNothingOfThatField) {
    Settings settings;
    settings.marks = {4};
    settings.bands = {{7, 7}};
    EXPECT_NE(problemOf(R"({"marks": [2, 1]})", settings), "");
    EXPECT_NE(problemOf(R"({"bands": [{"from": 101}]})", settings), "");
    EXPECT_EQ(settings.marks, std::vector<double>{4});
    EXPECT_EQ(settings.bands[0].from, 7);
}

TEST(FieldTable, FormerKeysAreReadInTheirVersionOnly) {
    Settings settings;
    EXPECT_EQ(problemOf(R"({"number": 5})", settings, 1), "");
    EXPECT_EQ(settings.count, 5);
    EXPECT_THAT(problemOf(R"({"number": 5})", settings, 2), HasSubstr("no setting"));
    EXPECT_EQ(problemOf(R"({"count": 6, "on": false})", settings, 1), "");
    EXPECT_EQ(settings.count, 6);
}

TEST(FieldTable, ItsSchemaTellsRangesDefaultsAndNothingElse) {
    const Json schema = schemaOf(table().fields());
    EXPECT_EQ(schema["additionalProperties"], false);
    EXPECT_EQ(schema["properties"].size(), 10U);
    EXPECT_EQ(schema["properties"]["width"]["minimum"], 0.5);
    EXPECT_EQ(schema["properties"]["width"]["default"], 2);
    EXPECT_EQ(schema["properties"]["width"]["description"], "[m]");
    EXPECT_EQ(schema["properties"]["shape"]["enum"], Json({"round", "square"}));
    EXPECT_EQ(schema["properties"]["bands"]["items"]["properties"]["steps"]["type"], "integer");
}

TEST(FieldTable, OneFieldIsGotAndSetByItsPlace) {
    Settings settings;
    EXPECT_EQ(table().get(0, settings), 2);
    EXPECT_FALSE(table().set(0, settings, 3.5));
    EXPECT_EQ(settings.width, 3.5);
    EXPECT_TRUE(table().set(0, settings, -1));
    EXPECT_EQ(settings.width, 3.5);
}

}  // namespace
}  // namespace flentro
