#include "fixes/culling/culling.h"
#include "fixes/fix.h"
#include "fixes/ladder/ladder.h"
#include "fixes/merge/merge.h"
#include "fixes/shadows/shadows.h"
#include "fixes/share/share.h"
#include "fixes/split/split.h"
#include "fixes/stand_ins/stand_ins.h"
#include "fixes/tidy/tidy.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "fixes/fixes_guide.h"
#include "fixes/merge_settings.h"
#include "fixes/work_order.h"
#include "measure/viewcost.h"
#include "project/order_file.h"
#include "support/display.h"
#include "support/meshes.h"
#include "support/process.h"

namespace flentro {
namespace {

using test::display;

using testing::HasSubstr;

/// H / (2 tan 30 degrees)
constexpr double kPixelsAtOneMetre = 935.3074;

// --- ladder -------------------------------------------------------------------------------

LadderSettings plain() {
    LadderSettings settings;
    settings.simplifyLevel0 = false;
    settings.minTriangles = 300;
    settings.levels = 3;
    settings.ratio = 0.4;
    return settings;
}

TEST(Ladder, MakesFallingLevelsAtRisingDistances) {
    const Scene scene = test::makeScene({{test::makeSphere(64, 32), {0, 0, 0}}});
    const Fixed fixed = applyLadder(scene, plain(), display(), noProgress()).value();
    const Ladder& ladder = fixed.scene.assets[0].ladder;
    ASSERT_EQ(ladder.levels.size(), 3U);
    std::size_t triangles = fixed.scene.assets[0].mesh->triangles;
    double distance = 0;
    for (const Ladder::Level& level : ladder.levels) {
        EXPECT_LE(static_cast<double>(level.mesh->triangles),
                  0.41 * static_cast<double>(triangles));
        EXPECT_GT(level.switchDistance, distance);
        triangles = level.mesh->triangles;
        distance = level.switchDistance;
    }
    EXPECT_EQ(scene.assets[0].ladder.levels.size(), 0U) << "the source is never touched";
}

TEST(Ladder, SwitchesWhereTheDeviationIsOnePixel) {
    const Scene scene = test::makeScene({{test::makeSphere(64, 32, 10), {0, 0, 0}}});
    LadderSettings settings = plain();
    settings.pixels = 2;
    const Fixed fixed = applyLadder(scene, settings, display(), noProgress()).value();
    const auto& levels = fixed.scene.assets[0].ladder.levels;
    ASSERT_GE(levels.size(), 2U);
    for (const Ladder::Level& level : levels)
        EXPECT_NEAR(level.deviation * kPixelsAtOneMetre / level.switchDistance, 2, 0.01);
}

TEST(Ladder, LeavesLightMeshesAlone) {
    const Scene scene = test::makeScene({{test::makeSphere(12, 8), {0, 0, 0}}});
    const Fixed fixed = applyLadder(scene, plain(), display(), noProgress()).value();
    EXPECT_TRUE(fixed.scene.assets[0].ladder.empty());
    EXPECT_EQ(fixed.scene.assets[0].mesh, scene.assets[0].mesh);
}

TEST(Ladder, TrimsTheTopToWhatTheNearestPlaceShows) {
    // Bumps of a tenth of a millimetre, seen from 2 m: far below a pixel of 2.1 mm.
    const Scene scene =
        test::makeScene({{test::makeGrid(60, 60, 1,
                                         [](double u, double v) {
                                             return 1e-4 * std::sin(40 * u) * std::sin(30 * v);
                                         }),
                          {0, 0, 0}}});
    LadderSettings settings = plain();
    settings.simplifyLevel0 = true;
    settings.nearest = 2;
    const Fixed fixed = applyLadder(scene, settings, display(), noProgress()).value();
    EXPECT_LT(fixed.scene.assets[0].mesh->triangles, 200U);
    EXPECT_THAT(fixed.record.summary, HasSubstr("lighter"));
}

TEST(Ladder, FollowsWhatWasDraggedByHand) {
    const Scene scene = test::makeScene({{test::makeSphere(48, 24), {0, 0, 0}}});
    LadderSettings settings = plain();
    settings.overrides["sphere"].switchDistances = {7, 21};
    const Fixed fixed = applyLadder(scene, settings, display(), noProgress()).value();
    const auto& levels = fixed.scene.assets[0].ladder.levels;
    EXPECT_DOUBLE_EQ(levels[0].switchDistance, 7);
    EXPECT_DOUBLE_EQ(levels[1].switchDistance, 21);
    settings.overrides["sphere"].skip = true;
    EXPECT_TRUE(
        applyLadder(scene, settings, display(), noProgress())->scene.assets[0].ladder.empty());
}

TEST(Ladder, SmallTrianglesAskForTheNextLevelToo) {
    const Scene scene = test::makeScene({{test::makeSphere(64, 32), {0, 0, 0}}});
    LadderSettings settings = plain();
    const auto distances = [&] {
        std::vector<double> result;
        const Fixed fixed = applyLadder(scene, settings, display(), noProgress()).value();
        for (const auto& level : fixed.scene.assets[0].ladder.levels)
            result.push_back(level.switchDistance);
        return result;
    };
    const std::vector<double> byDeviation = distances();
    settings.trianglePixels = 1e-9;  // no triangle is ever that small
    EXPECT_EQ(distances(), byDeviation);
    settings.trianglePixels = 400;
    const std::vector<double> bySize = distances();
    ASSERT_EQ(bySize.size(), byDeviation.size());
    // 4 pi over 64 * 31 * 2 triangles, half of it facing: 400 pixels each at that distance.
    const double area = 0.5 * 4 * kPi / (64 * 31 * 2);
    EXPECT_NEAR(bySize[0], pixelsPerMetreAtOne(display()) * std::sqrt(area / 400), 0.1);
    EXPECT_LT(bySize[0], byDeviation[0]);
}

TEST(Ladder, LevelsThatWouldHardlyShowAreNotMade) {
    // A headset of 20 cm, never seen from nearer than 1.5 m: its levels would crowd there.
    const Scene scene = test::makeScene({{test::makeSphere(96, 64, 0.1), {0, 0, 0}}});
    LadderSettings settings = plain();
    settings.nearest = 1.5;
    settings.hysteresis = 0.1;
    const auto levelsOf = [&](const LadderSettings& s) {
        return applyLadder(scene, s, display(), noProgress())->scene.assets[0].ladder.levels;
    };
    const auto levels = levelsOf(settings);
    ASSERT_FALSE(levels.empty());
    for (std::size_t i = 1; i < levels.size(); ++i)
        EXPECT_GE(levels[i].switchDistance, 1.1 / 0.9 * levels[i - 1].switchDistance);
    settings.overrides["sphere"].switchDistances = {2, 2.05, 2.1, 2.15};
    EXPECT_GT(levelsOf(settings).size(), levels.size()) << "set by hand";
}

TEST(Ladder, ALevelMustGain) {
    const Scene scene = test::makeScene({{test::makeSphere(64, 32), {0, 0, 0}}});
    LadderSettings settings = plain();
    settings.ratio = 0.7;
    settings.minReduction = 0.25;
    const auto levels = [&] {
        return applyLadder(scene, settings, display(), noProgress())
            ->scene.assets[0]
            .ladder.levels.size();
    };
    EXPECT_GT(levels(), 0U);
    settings.minReduction = 0.5;
    EXPECT_EQ(levels(), 0U) << "a ratio of 0.7 saves 0.3";
}

TEST(Ladder, BoxesOfHardEdgesGetRoughLevelsToo) {
    Mesh boxes = test::makeBox({1, 1, 1});
    const Part one = boxes.parts[0];
    for (int i = 1; i < 40; ++i) {
        Part moved = one;
        std::vector<Vec3f> positions = positionsOf(one);
        for (Vec3f& p : positions) p.x() += 3.0F * static_cast<float>(i);
        moved.attributes[0].stream = std::make_shared<const Stream>(makeStream(positions));
        boxes.parts.push_back(moved);
    }
    const Scene scene = test::makeScene({{boxes, {0, 0, 0}}});
    Target far = display();
    far.farPlane = 5000;
    const Fixed fixed = applyLadder(scene, plain(), far, noProgress()).value();
    const auto& levels = fixed.scene.assets[0].ladder.levels;
    ASSERT_FALSE(levels.empty());
    EXPECT_EQ(
        applyLadder(scene, plain(), display(), noProgress())->scene.assets[0].ladder.levels.size(),
        0U)
        << "beyond the far plane no level shows";
    EXPECT_GE(levels[0].deviation, 0.2) << "a corner of a box, at least, and it is measured";
    EXPECT_THAT(fixed.record.notes, testing::Each(testing::Not(HasSubstr("could not be reduced"))));
    for (const Ladder::Level& level : levels)
        EXPECT_GE(level.mesh->triangles, static_cast<std::size_t>(plain().smallestLevel));
}

TEST(Ladder, SaysWhatItCouldNotReduce) {
    // Every triangle twice: four at each edge, no manifold anywhere.
    Mesh doubled = test::makeGrid(20, 20);
    auto& indices = doubled.parts[0].indices;
    const std::vector<std::uint32_t> once = indices;
    indices.insert(indices.end(), once.begin(), once.end());
    const Scene scene = test::makeScene({{doubled, {0, 0, 0}}});
    const LadderSettings settings = plain();
    const Fixed fixed = applyLadder(scene, settings, display(), noProgress()).value();
    EXPECT_TRUE(fixed.scene.assets[0].ladder.empty());
    ASSERT_EQ(fixed.record.notes.size(), 1U);
    EXPECT_THAT(fixed.record.notes[0], HasSubstr("1 asset could not be reduced"));
}

TEST(Ladder, DeviationStepsAreKept) {
    const Scene scene = test::makeScene({{test::makeSphere(64, 48), {0, 0, 0}}});
    LadderSettings settings = plain();
    settings.rule = LevelRule::Deviation;
    settings.levels = 5;
    settings.firstDeviation = 0.006;
    settings.deviationStep = 3;
    settings.minReduction = 0.05;
    const Fixed fixed = applyLadder(scene, settings, display(), noProgress()).value();
    const auto& levels = fixed.scene.assets[0].ladder.levels;
    ASSERT_GE(levels.size(), 3U);
    double allowed = settings.firstDeviation;
    for (const Ladder::Level& level : levels) {
        EXPECT_LE(level.deviation, allowed * 1.0001);
        EXPECT_GT(level.deviation, allowed / 10) << "and made use of";
        allowed *= settings.deviationStep;
    }
}

TEST(Ladder, HalvingTakesOverAtEachDoublingOfTheDistance) {
    const Scene scene = test::makeScene({{test::makeSphere(96, 64), {0, 0, 0}}});
    LadderSettings settings = plain();
    settings.rule = LevelRule::Halving;
    settings.levels = 4;
    settings.nearest = 2;
    settings.minReduction = 0.05;
    const Fixed fixed = applyLadder(scene, settings, display(), noProgress()).value();
    const auto& levels = fixed.scene.assets[0].ladder.levels;
    ASSERT_EQ(levels.size(), 4U);
    double by = 4;
    for (const Ladder::Level& level : levels) {
        EXPECT_LE(level.switchDistance, by * 1.06) << "fine enough for its distance";
        by *= 2;
    }
}

TEST(Ladder, ImportanceSetsHowMuchMayBeSeen) {
    const auto firstSwitch = [](Importance importance) {
        Scene scene = test::makeScene({{test::makeSphere(48, 32), {0, 0, 0}}});
        scene.assets[0].importance = importance;
        const Fixed fixed = applyLadder(scene, plain(), display(), noProgress()).value();
        const Ladder& ladder = fixed.scene.assets[0].ladder;
        return ladder.empty() ? 0 : ladder.levels.back().switchDistance;
    };
    const double normal = firstSwitch(Importance::Normal);
    EXPECT_NEAR(firstSwitch(Importance::Hero), 2 * normal, 1e-6);
    EXPECT_NEAR(firstSwitch(Importance::Backdrop), normal / 2, 1e-6);
    EXPECT_EQ(firstSwitch(Importance::Keep), 0);
}

TEST(Ladder, PassesHysteresisAndCapsOn) {
    const Scene scene = test::makeScene({{test::makeSphere(48, 32), {0, 0, 0}}});
    LadderSettings settings = plain();
    settings.hysteresis = 0.25;
    settings.overrides[scene.assets[0].mesh->name].caps = {2, 5};
    const Fixed fixed = applyLadder(scene, settings, display(), noProgress()).value();
    EXPECT_EQ(fixed.scene.assets[0].ladder.hysteresis, 0.25);
    EXPECT_EQ(fixed.scene.assets[0].ladder.caps, (std::vector<int>{2, 5}));
}

/// Places all around a thing at the origin, one ring for each distance from its bounds.
Evidence ringsAround(const Scene& scene, const std::vector<double>& distances) {
    Evidence evidence;
    const double half = scene.bounds().sizes().maxCoeff() / 2;
    for (const double distance : distances)
        for (const Vec3d& way : {Vec3d(1, 0, 0), Vec3d(-1, 0, 0), Vec3d(0, 0, 1), Vec3d(0, 0, -1)})
            evidence.places.push_back({way * (half + distance), {}, {}});
    evidence.hash = Hasher().add(7).result();
    return evidence;
}

TEST(Ladder, DistancesAndLevelsGoByWhereASurveyStood) {
    // A headset of 20 cm that is held in a hand: looked at from 9 cm to half a metre.
    LadderSettings settings = plain();
    settings.levels = 6;
    const Scene scene = test::makeScene({{test::makeSphere(128, 64, 0.1F), {0, 0, 0}}});
    const auto levelsFrom = [&](const Evidence& evidence) {
        const auto fixed = applyLadder(scene, settings, display(), noProgress(), evidence);
        return fixed->scene.assets[0].ladder.levels;
    };
    const auto unseen = levelsFrom({});
    ASSERT_FALSE(unseen.empty());
    for (const Ladder::Level& level : unseen) EXPECT_GT(level.switchDistance, settings.nearest);
    const auto held = levelsFrom(ringsAround(scene, {0.09, 0.2, 0.3, 0.4, 0.5}));
    ASSERT_FALSE(held.empty()) << "there are levels that are drawn from there";
    EXPECT_LT(held.front().switchDistance, 0.5);
    EXPECT_LT(held.back().switchDistance, 0.5) << "what lies beyond is drawn from no place";
    // From one place in twenty it is seen from across the room.
    std::vector<double> mostlyNear(19, 0.09);
    mostlyNear.push_back(3);
    settings.minShown = 0.04;
    const auto seldom = levelsFrom(ringsAround(scene, mostlyNear));
    ASSERT_EQ(seldom.size(), 1U);
    EXPECT_LT(seldom[0].switchDistance, 3);
    settings.minShown = 0.06;
    EXPECT_TRUE(levelsFrom(ringsAround(scene, mostlyNear)).empty());
}

TEST(Ladder, DistancesByHandStayWhereverASurveyStood) {
    LadderSettings settings = plain();
    const Scene scene = test::makeScene({{test::makeSphere(128, 64, 0.1F), {0, 0, 0}}});
    settings.overrides[scene.assets[0].mesh->name].switchDistances = {5, 6, 7};
    const auto fixed =
        applyLadder(scene, settings, display(), noProgress(), ringsAround(scene, {0.09, 0.2}));
    const auto& levels = fixed->scene.assets[0].ladder.levels;
    ASSERT_FALSE(levels.empty());
    EXPECT_EQ(levels[0].switchDistance, 5);
    EXPECT_TRUE(fixed->record.notes.empty());
}

TEST(Ladder, CanBeCancelled) {
    const Scene scene = test::makeScene({{test::makeSphere(64, 32), {0, 0, 0}}});
    test::RecordingProgress stop(2);
    EXPECT_EQ(applyLadder(scene, plain(), display(), stop).error().code, ErrorCode::Cancelled);
}

TEST(WorkOrder, NewFixesGoWhereTheyDoMost) {
    WorkOrder order;
    order.add(TidySettings{});
    order.add(LadderSettings{});
    order.add(CullingSettings{});
    EXPECT_EQ(order.insert(ShareSettings{}).id, 4);
    order.insert(MergeSettings{});
    order.insert(ShadowSettings{});
    order.insert(TidySettings{});
    std::vector<std::string> keys;
    for (const Fix& fix : order.fixes) keys.emplace_back(fix.settings.kind().key);
    EXPECT_EQ(keys, (std::vector<std::string>{"tidy", "tidy", "share", "ladder", "culling",
                                              "shadows", "merge"}));
}

TEST(WorkOrder, EveryKindOfFixRoundTrips) {
    for (const FixKind* kind : fixKinds()) {
        const Json json = toJson(kind->defaults());
        const auto read = parseSettings(kind->key, json, kSettingsVersion);
        ASSERT_TRUE(read) << kind->key;
        EXPECT_EQ(&read->kind(), kind);
        EXPECT_EQ(toJson(*read), json) << kind->key;
    }
    MergeSettings merge;
    merge.grouping = MergeSettings::Grouping::Near;
    merge.parcel = 24;
    merge.overrides = {{"cup", MergeChoice::Leave}, {"jar", MergeChoice::Merge}};
    merge.excluded = {"otter"};
    const auto read = parseSettings("merge", toJson(FixSettings(merge)), kSettingsVersion);
    ASSERT_TRUE(read);
    EXPECT_EQ(toJson(*read), toJson(FixSettings(merge)));
    EXPECT_EQ((*read->as<MergeSettings>()).overrides.at("cup"), MergeChoice::Leave);
    EXPECT_THAT(parseSettings("share", {{"tolerance", 1}}, kSettingsVersion).error().what,
                HasSubstr("tolerance"));
    EXPECT_THAT(parseSettings("atlas", {{"page", 7}}, kSettingsVersion).error().what,
                HasSubstr("page"));
    EXPECT_THAT(parseSettings("glue", {}, kSettingsVersion).error().hint, HasSubstr("merge"));
}

// --- settings in files --------------------------------------------------------------------

TEST(Settings, RoundTripThroughJson) {
    LadderSettings ladder = plain();
    ladder.overrides["a b"] = {true, {1, 2.5}, {3, 0}};
    ladder.rule = LevelRule::Halving;
    ladder.plainFromLevel = 3;
    ladder.cardPixels = 64;
    CullingSettings culling;
    culling.overrides["x"] = 9;
    culling.classes[0].pixels = 7.5;
    TidySettings tidy;
    tidy.weld = false;
    tidy.holeSize = 0.02;
    tidy.unseen = {{"crate", Hash{0x0123456789ABCDEF, 42}, {3, 4, 9, 1}}};
    for (const FixSettings& settings :
         {FixSettings(tidy), FixSettings(ladder), FixSettings(culling)}) {
        const Json json = toJson(settings);
        const auto back = parseSettings(settings.kind().key, json, kSettingsVersion);
        ASSERT_TRUE(back) << describe(back.error());
        EXPECT_EQ(toJson(*back), json);
    }
}

/// Every member that the schema names is written, and a change of any number or flag survives.
TEST(Settings, AllOfTheSchemaIsReadAndWritten) {
    const Json schema = Json::parse(test::readText(std::filesystem::path(FLENTRO_SOURCE_DIR) /
                                                   "docs/formats/work-order.schema.json"));
    std::size_t checked = 0;
    for (const Json& rule : schema["properties"]["fixes"]["items"]["allOf"]) {
        const std::string key = rule["if"]["properties"]["fix"]["const"];
        const Json defaults = toJson(findFixKind(key)->defaults());
        for (const auto& [name, described] :
             rule["then"]["properties"]["settings"]["properties"].items()) {
            if (described.value("type", "") == "array" || described.value("type", "") == "object")
                continue;  // lists: empty ones are left out
            ASSERT_TRUE(defaults.contains(name)) << key << ": " << name;
            Json changed = defaults;
            if (changed[name].is_boolean()) changed[name] = !changed[name].get<bool>();
            if (changed[name].is_number()) {
                const double value = changed[name].get<double>();
                const bool whole = changed[name].is_number_integer();
                const double low = described.value("minimum", 0.0);
                double other = whole ? value + 1 : value * 1.25 + 0.01;
                if (other > described.value("maximum", 1e9)) other = whole ? value - 1 : value / 2;
                changed[name] = std::max(other, low);
                if (whole) changed[name] = static_cast<int>(other);
            }
            const auto read = parseSettings(key, changed, kSettingsVersion);
            ASSERT_TRUE(read) << key << ": " << name << ": " << describe(read.error());
            EXPECT_EQ(toJson(*read)[name], changed[name]) << key << ": " << name;
            ++checked;
        }
    }
    EXPECT_GT(checked, 40U);
}

TEST(Settings, SchemaAndGuideAreThoseOfTheTable) {
    const std::filesystem::path docs = std::filesystem::path(FLENTRO_SOURCE_DIR) / "docs";
    EXPECT_EQ(Json::parse(test::readText(docs / "formats/work-order.schema.json")),
              workOrderSchema())
        << "flentro-cli fixes --schema > docs/formats/work-order.schema.json";
    EXPECT_EQ(test::readText(docs / "fixes.md"), fixesGuide())
        << "flentro-cli fixes --markdown > docs/fixes.md";
}

/// Every field is described, and its default is one of the values that it takes.
TEST(Settings, FieldsHoldTogether) {
    for (const FixKind* kind : fixKinds()) {
        EXPECT_FALSE(kind->help.empty()) << kind->key;
        FixSettings settings = kind->defaults();
        for (std::size_t i = 0; i < kind->fields.size(); ++i) {
            const Field& field = kind->fields[i];
            SCOPED_TRACE(kind->key + ": " + field.key);
            EXPECT_TRUE(*field.text.help) << "says nothing";
            EXPECT_TRUE(*field.text.label || field.type == Field::Type::Runs);
            const Json value = kind->get(settings, i);
            if (value.is_null()) continue;
            EXPECT_FALSE(kind->set(settings, i, value));
            EXPECT_TRUE(kind->set(settings, i, Json::object({{"", "no"}})));
            EXPECT_EQ(toJson(settings), toJson(kind->defaults())) << "changed by what is refused";
            if (field.type != Field::Type::Number && field.type != Field::Type::Whole) continue;
            for (const double edge : {field.minimum, field.maximum})
                EXPECT_FALSE(kind->set(settings, i, edge));
            EXPECT_TRUE(kind->set(settings, i, field.minimum - 1));
            EXPECT_TRUE(kind->set(settings, i, field.maximum * 2 + 1));
            ASSERT_FALSE(kind->set(settings, i, value));
        }
    }
}

/// An order as version 1 wrote it: every key that has another name since.
TEST(Settings, FilesOfVersionOneAreRead) {
    const auto order = loadWorkOrder(std::filesystem::path(FLENTRO_SOURCE_DIR) /
                                     "tests/data/work_order_version_1.json");
    ASSERT_TRUE(order) << describe(order.error());
    ASSERT_EQ(order->fixes.size(), 6U);
    EXPECT_FALSE(order->fixes[0].settings.as<ShareSettings>()->matchTransformed);
    EXPECT_EQ(order->fixes[1].settings.as<SplitSettings>()->minGap, 7);
    EXPECT_EQ(order->fixes[1].settings.as<SplitSettings>()->minCellTriangles, 70);
    const auto& ladder = *order->fixes[2].settings.as<LadderSettings>();
    EXPECT_EQ(ladder.minReduction, 0.7);
    EXPECT_TRUE(ladder.simplifyLevel0);
    EXPECT_FALSE(ladder.keepSharedBorders);
    EXPECT_EQ(ladder.plainFromLevel, 2);
    EXPECT_EQ(ladder.singlePartFromLevel, 3);
    EXPECT_EQ(order->fixes[3].settings.as<ShadowSettings>()->minLux, 7);
    const auto& merge = *order->fixes[4].settings.as<MergeSettings>();
    EXPECT_EQ(merge.maxVertices, 7000);
    EXPECT_EQ(merge.maxCullRatio, 7);
    EXPECT_EQ(merge.excluded, std::set<std::string>{"quay"});
    EXPECT_EQ(order->fixes[5].settings.as<StandInSettings>()->startDistance, 70);
    // Written as version 2, and then the old names are unknown.
    Json json = toJson(*order);
    EXPECT_EQ(json["version"], 2);
    EXPECT_TRUE(parseWorkOrder(json, "order"));
    json["fixes"][2]["settings"]["meet"] = true;
    EXPECT_THAT(parseWorkOrder(json, "order").error().what, HasSubstr("'meet' is no setting"));
}

TEST(Settings, MergeKeepsWhatIsSetAndTakesTheRest) {
    TidySettings own;
    own.holeSize = 0.25;
    own.unseen = {{"crate", Hash{1, 1}, {0, 4}}};
    TidySettings prepared;
    prepared.holeSize = 0.5;
    prepared.joinTiles = !prepared.joinTiles;
    prepared.unseen = {{"crate", Hash{1, 1}, {0, 4}}, {"barrel", Hash{2, 2}, {8, 2}}};
    const FixSettings merged = mergeSettings(FixSettings(own), FixSettings(prepared));
    const TidySettings& both = *merged.as<TidySettings>();
    EXPECT_EQ(both.holeSize, 0.25) << "set by hand";
    EXPECT_EQ(both.joinTiles, prepared.joinTiles) << "was the default";
    ASSERT_EQ(both.unseen.size(), 2U) << "each once";
    EXPECT_EQ(both.unseen[1].asset, "barrel");
    EXPECT_EQ(toJson(mergeSettings(merged, FixSettings(prepared))), toJson(merged));
    EXPECT_EQ(toJson(mergeSettings(FixSettings(TidySettings()), FixSettings(prepared))),
              toJson(FixSettings(prepared)));
}

TEST(Settings, MergeOfTablesAddsNames) {
    CullingSettings own;
    own.overrides = {{"cup", 12}};
    CullingSettings prepared;
    prepared.overrides = {{"cup", 30}, {"jar", 20}};
    const FixSettings merged = mergeSettings(FixSettings(own), FixSettings(prepared));
    const auto& overrides = merged.as<CullingSettings>()->overrides;
    EXPECT_EQ(overrides.at("cup"), 12);
    EXPECT_EQ(overrides.at("jar"), 20);
    for (const FixKind* kind : fixKinds())
        EXPECT_EQ(toJson(mergeSettings(kind->defaults(), kind->defaults())),
                  toJson(kind->defaults()))
            << kind->key;
}

TEST(Settings, RefuseWhatIsOutOfRange) {
    EXPECT_THAT(parseSettings("ladder", {{"rule", "best"}}, kSettingsVersion).error().what,
                HasSubstr("'rule' is \"best\"; it must be one of: ratio, deviation, halving"));
    EXPECT_THAT(parseSettings("ladder", {{"ratio", 2}}, kSettingsVersion).error().what,
                HasSubstr("'ratio' is 2; it must be"));
    EXPECT_THAT(parseSettings("ladder", {{"pixels", "many"}}, kSettingsVersion).error().what,
                HasSubstr("'pixels'"));
    for (const Json& unseen : {Json{{"mesh", "short"}, {"runs", {1, 2}}},
                               Json{{"mesh", std::string(32, 'a')}, {"runs", {1, 2, 3}}},
                               Json{{"mesh", std::string(32, 'a')}, {"runs", {-1, 2}}}})
        EXPECT_THAT(parseSettings("tidy", {{"unseen", Json::array({unseen})}}, kSettingsVersion)
                        .error()
                        .what,
                    HasSubstr("pairs of numbers"));
    EXPECT_THAT(parseSettings("culling", {{"fade", -1}}, kSettingsVersion).error().what,
                HasSubstr("'fade'"));
    const Json falling = {{"classes", {{{"largest", 5}}, {{"largest", 2}}}}};
    EXPECT_THAT(parseSettings("culling", falling, kSettingsVersion).error().what,
                HasSubstr("must rise"));
    EXPECT_THAT(parseSettings("polish", {}, kSettingsVersion).error().what,
                HasSubstr("no fix called 'polish'"));
}

// --- work order ---------------------------------------------------------------------------

class Order : public testing::Test {
protected:
    Order()
        : source_(std::make_shared<const Scene>(test::makeScene(
              {{test::makeSphere(48, 24), {0, 0, -20}}, {test::makeUntidy(), {0, 0, -5}}}))) {
        order_.add(TidySettings{});
        order_.add(plain());
        order_.add(CullingSettings{});
    }
    Evaluation run(Progress& progress = noProgress()) {
        return evaluate(order_, source_, display(), cache_, progress).value();
    }
    std::shared_ptr<const Scene> source_;
    WorkOrder order_;
    StepCache cache_;
};

TEST_F(Order, FoldsItsFixesOverTheSource) {
    const Hash before = hashScene(*source_);
    const Evaluation evaluation = run();
    ASSERT_EQ(evaluation.steps.size(), 3U);
    EXPECT_FALSE(evaluation.result().assets[0].ladder.empty());
    EXPECT_EQ(evaluation.result().assets[1].mesh->triangles, 2U) << "a flat square";
    EXPECT_TRUE(std::isfinite(evaluation.result().objects[0].culling.end));
    EXPECT_EQ(hashScene(*source_), before) << "the source is never changed";
}

TEST_F(Order, FollowsTheMarksOfImportance) {
    const std::string ball = source_->assets[0].mesh->name;
    const std::string square = source_->assets[1].mesh->name;
    order_.importance = {{ball, Importance::Hero}, {square, Importance::Keep}};
    const Evaluation marked = run();
    EXPECT_EQ(marked.result().assets[1].mesh, source_->assets[1].mesh) << "kept as it is";
    EXPECT_EQ(marked.source, source_) << "the source carries no marks";
    order_.importance.erase(ball);
    const Evaluation plainly = run();
    EXPECT_NEAR(marked.result().assets[0].ladder.levels.back().switchDistance,
                2 * plainly.result().assets[0].ladder.levels.back().switchDistance, 1e-6);
    const auto back = parseWorkOrder(toJson(order_), "o.json");
    ASSERT_TRUE(back);
    EXPECT_EQ(back->importance, order_.importance);
    Json wrong = toJson(order_);
    wrong["importance"][square] = "darling";
    EXPECT_THAT(parseWorkOrder(wrong, "o.json").error().what,
                HasSubstr("must be hero, normal, backdrop or keep"));
}

TEST_F(Order, ImportanceSetsWhereThingsGo) {
    CullingSettings settings;
    settings.rounded = false;
    const double normal = cullingDistance(settings, display(), 0.5);
    EXPECT_DOUBLE_EQ(cullingDistance(settings, display(), 0.5, Importance::Hero), 2 * normal);
    EXPECT_DOUBLE_EQ(cullingDistance(settings, display(), 0.5, Importance::Backdrop), normal / 2);
    EXPECT_DOUBLE_EQ(cullingDistance(settings, display(), 0.5, Importance::Keep),
                     display().farPlane * (1 - CullingSettings().margin));
}

TEST_F(Order, SwitchingOneOffRecomputesOnlyWhatFollows) {
    const Evaluation first = run();
    order_.fixes[2].on = false;
    const Evaluation without = run();
    ASSERT_EQ(without.steps.size(), 2U);
    EXPECT_EQ(without.steps[1].result, first.steps[1].result) << "taken from the cache";
    order_.fixes[2].on = true;
    EXPECT_EQ(run().steps[2].result, first.steps[2].result);
    order_.fixes[0].on = false;
    const Evaluation changed = run();
    EXPECT_NE(changed.steps[0].result, first.steps[1].result);
}

TEST_F(Order, OrderMattersAndIdsStay) {
    std::swap(order_.fixes[0], order_.fixes[2]);
    const Evaluation evaluation = run();
    EXPECT_EQ(evaluation.steps[0].fix, 3);
    EXPECT_EQ(order_.add(TidySettings{}).id, 4);
    EXPECT_TRUE(order_.find(2)->settings.as<LadderSettings>());
    EXPECT_EQ(order_.find(99), nullptr);
}

TEST_F(Order, TargetIsPartOfTheKey) {
    const Evaluation first = run();
    Target other = display();
    other.height = 2160;
    const Evaluation second = evaluate(order_, source_, other, cache_, noProgress()).value();
    EXPECT_GT(second.result().assets[0].ladder.levels[0].switchDistance,
              first.result().assets[0].ladder.levels[0].switchDistance);
}

TEST_F(Order, EmptyOrderGivesTheSource) {
    order_.fixes.clear();
    EXPECT_EQ(&run().result(), source_.get());
}

TEST_F(Order, CancellingIsAnOutcome) {
    test::RecordingProgress stop(0);
    const auto evaluation = evaluate(order_, source_, display(), cache_, stop);
    ASSERT_FALSE(evaluation);
    EXPECT_EQ(evaluation.error().code, ErrorCode::Cancelled);
}

TEST_F(Order, RoundTripsThroughJson) {
    order_.fixes[1].on = false;
    const Json json = toJson(order_);
    const WorkOrder back = parseWorkOrder(json, "order.json").value();
    EXPECT_EQ(toJson(back), json);
    EXPECT_FALSE(back.fixes[1].on);
}

TEST_F(Order, RefusesFilesThatAreNoOrder) {
    EXPECT_FALSE(parseWorkOrder({{"format", "other"}}, "o.json"));
    EXPECT_EQ(
        parseWorkOrder({{"format", "flentro-work-order"}, {"version", 9}}, "o.json").error().code,
        ErrorCode::Unsupported);
    Json json = toJson(order_);
    json["fixes"][1]["settings"]["levels"] = 99;
    const auto bad = parseWorkOrder(json, "o.json");
    ASSERT_FALSE(bad);
    EXPECT_EQ(bad.error().where, "o.json: fix 2 (ladder)");
}

TEST_F(Order, CacheForgetsTheOldest) {
    const auto result = std::make_shared<const Fixed>();
    for (std::uint64_t i = 0; i < 100; ++i) cache_.insert({i, 0}, result);
    EXPECT_EQ(cache_.find({0, 0}), nullptr);
    EXPECT_EQ(cache_.find({99, 0}), result);
}

TEST_F(Order, ResultCostsLess) {
    const Viewpoint view{{0, 0, 0}, 0, 0};
    const Evaluation evaluation = run();
    const double before = at(viewCost(*source_, display(), view).counts, Measure::Triangles);
    const double after =
        at(viewCost(evaluation.result(), display(), view).counts, Measure::Triangles);
    EXPECT_LT(after, 0.5 * before);
}

TEST(Settings, SlipsOfThePenAreNotTaken) {
    EXPECT_THAT(parseSettings("ladder", {{"pixls", 2}}, kSettingsVersion).error().what,
                HasSubstr("'pixls' is no setting of it"));
    EXPECT_THAT(parseSettings("tidy", {{"weld", "no"}}, kSettingsVersion).error().what,
                HasSubstr("must be true or false"));
    EXPECT_THAT(parseSettings("ladder", {{"levels", 2.5}}, kSettingsVersion).error().what,
                HasSubstr("whole number"));
    EXPECT_THAT(
        parseSettings("ladder", {{"overrides", {{"crate", {{"switchDistances", {9, 4}}}}}}},
                      kSettingsVersion)
            .error()
            .what,
        HasSubstr("'overrides.crate.switchDistances' is [9,4]; it must be a list of rising"));
    EXPECT_THAT(
        parseSettings("culling", {{"overrides", {{"crate", -3}}}}, kSettingsVersion).error().what,
        HasSubstr("'overrides.crate' is -3; it must be a number"));
    EXPECT_FALSE(parseSettings("merge", {{"overrides", {{"crate", "maybe"}}}}, kSettingsVersion));
}

}  // namespace
}  // namespace flentro
