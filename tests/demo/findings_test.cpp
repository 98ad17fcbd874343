// The market's planted faults, as an audit finds them.

#include "findings/finding.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <map>
#include <set>

#include "ottermere.h"
#include "survey/spots.h"

namespace flentro {
namespace {

using testing::HasSubstr;

/// The full market without its pictures' pixels, held against a weak device from the quay.
class Planted : public testing::Test {
protected:
    static void SetUpTestSuite() {
        made_ = std::make_unique<demo::Ottermere>(demo::makeOttermere({1, 1, 128}, 1));
        const Scene& scene = made_->scene;
        SpotPlan plan;
        plan.starts = {demo::quayView().eye};
        plan.spacing = 9;
        const auto spots = planSpots(scene, RayScene(scene), plan, noProgress()).value();
        SurveySettings settings;
        settings.faceSize = 96;
        const Target target = findTarget("Kiosk 60").value();
        const Survey survey = takeSurvey(scene, target, spots, settings, noProgress());
        Memo memo;
        diagnosis_ = diagnose(scene, target, &survey, std::nullopt, memo, noProgress()).value();
    }
    static void TearDownTestSuite() { made_.reset(); }

    /// Names that a subject goes by: its own, and those of the objects of an asset.
    static std::set<std::string> namesOf(const Subject& subject) {
        std::set<std::string> names = {subject.name};
        if (subject.kind == Subject::Kind::Asset)
            for (const Object& object : made_->scene.objects)
                if (static_cast<std::size_t>(object.asset) == subject.index)
                    names.insert(object.name);
        return names;
    }
    static std::set<std::string> namesOf(const Finding& finding) {
        std::set<std::string> names;
        for (const Subject& subject : finding.subjects) names.merge(namesOf(subject));
        return names;
    }
    static bool isOfSomeViews(const std::string& rule) {
        return rule == "too-many-shadow-lights" || rule == "static-light-could-be-baked" ||
               rule == "small-casts-shadow" || rule == "drawn-but-hidden";
    }
    /// Asked of the demo as it is written, not of its pictures in small.
    static bool isOfPicturesInFullSize(const std::string& rule) {
        return rule == "oversize-texture" || rule == "over-largest-edge" ||
               rule == "texture-never-seen";
    }
    static std::set<std::string> named(const std::string& rule) {
        std::set<std::string> names;
        for (const Finding& finding : diagnosis_.findings)
            if (finding.rule->key == rule) names.merge(namesOf(finding));
        return names;
    }

    static std::unique_ptr<demo::Ottermere> made_;
    static Diagnosis diagnosis_;
};
std::unique_ptr<demo::Ottermere> Planted::made_;
Diagnosis Planted::diagnosis_;

TEST_F(Planted, EveryFaultIsFoundByName) {
    std::set<std::string> rules;
    for (const Json& fault : made_->groundTruth["faults"]) {
        const std::string rule = fault["finding"];
        if (isOfPicturesInFullSize(rule)) continue;
        rules.insert(rule);
        const std::set<std::string> names = named(rule);
        for (const Json& object : fault["objects"]) {
            const auto name = object.get<std::string>();
            // Of lights that cast shadows those of one view are told, of small things those in a
            // pass, of what is hidden what costs.
            if (isOfSomeViews(rule))
                EXPECT_FALSE(names.empty()) << rule;
            else
                EXPECT_TRUE(names.contains(name)) << rule << " of '" << name << "'";
        }
    }
    EXPECT_GT(rules.size(), 25U);
}

/// Findings of these rules about other things than the planted ones are false alarms.
TEST_F(Planted, NothingElseIsFoundOfTheirKinds) {
    std::map<std::string, std::set<std::string>> planted;
    for (const Json& fault : made_->groundTruth["faults"])
        planted[fault["finding"]].merge(fault["objects"].get<std::set<std::string>>());
    for (const Json& maybe : made_->groundTruth["borderline"])
        planted[maybe["finding"]].merge(maybe["objects"].get<std::set<std::string>>());
    for (const auto& [rule, truth] : planted) {
        if (isOfSomeViews(rule) || rule == "never-seen-object" || rule == "too-dense")
            continue;  // small things may stand behind others, and more than those is dense
        for (const Finding& finding : diagnosis_.findings) {
            if (finding.rule->key != rule) continue;
            for (const Subject& subject : finding.subjects) {
                bool known = false;
                for (const std::string& name : namesOf(subject)) known |= truth.contains(name);
                EXPECT_TRUE(known) << rule << " of '" << subject.name << "': " << finding.sentence;
            }
        }
    }
}

/// Where a kind of fault has an amount that a finding tells: its names in the truth and there.
struct Amount {
    const char* rule;
    const char* planted;
    const char* told;
};

TEST_F(Planted, AmountsAreThoseOfTheTruth) {
    std::size_t asked = 0;
    for (const auto& [rule, planted, told] :
         {Amount{"degenerate-triangles", "triangles", "degenerate triangles"},
          {"duplicate-triangles", "triangles", "duplicate triangles"},
          {"interior-faces", "triangles", "triangles inside"},
          {"redundant-triangles", "triangles", "triangles too many"},
          {"many-materials", "materials", "materials"},
          {"deep-empty-nodes", "depth", "depth"},
          {"duplicate-meshes", "copies", "equal meshes"}})
        for (const Json& fault : made_->groundTruth["faults"]) {
            if (fault["finding"] != rule || !fault["amounts"].contains(planted)) continue;
            const double wanted = fault["amounts"][planted];
            for (const Finding& finding : diagnosis_.findings) {
                if (finding.rule->key != rule ||
                    !namesOf(finding).contains(fault["objects"][0].get<std::string>()))
                    continue;
                for (const Quantity& quantity : finding.evidence)
                    if (quantity.label == told) {
                        EXPECT_NEAR(quantity.value, wanted, 0.05 * wanted)
                            << rule << ": " << finding.sentence;
                        ++asked;
                    }
            }
        }
    EXPECT_GE(asked, 8U);
    for (const Finding& finding : diagnosis_.findings)
        if (finding.rule->key == "light-range-too-long" &&
            finding.subjects.front().name.starts_with("lantern")) {
            EXPECT_EQ(finding.subjects.size(), 96U);
        }
    // Of the 22 that cast shadows those in the worst view, and no others.
    for (const Json& fault : made_->groundTruth["faults"])
        if (fault["finding"] == "too-many-shadow-lights") {
            const auto planted = fault["objects"].get<std::set<std::string>>();
            const std::set<std::string> told = named("too-many-shadow-lights");
            EXPECT_GT(told.size(), 2U);
            for (const std::string& light : told) EXPECT_TRUE(planted.contains(light)) << light;
        }
}

TEST_F(Planted, SharedBarrelsAreNotTakenForCopies) {
    for (const std::string& name : named("duplicate-meshes"))
        EXPECT_THAT(name, testing::Not(HasSubstr("barrel")));
}

TEST_F(Planted, MostOfTheOverloadIsExplained) {
    EXPECT_GT(at(diagnosis_.loads, Measure::Triangles), 10);
    EXPECT_GT(at(diagnosis_.explained, Measure::Triangles),
              0.8 * at(diagnosis_.counts, Measure::Triangles));
    EXPECT_GT(diagnosis_.reliefOf(diagnosis_.findings.front(), findTarget("Kiosk 60").value()), 1);
}

}  // namespace
}  // namespace flentro
