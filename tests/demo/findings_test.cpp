// The market's planted faults, as an audit finds them.

#include "findings/finding.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <set>

#include "ottermere.h"

namespace flentro {
namespace {

using testing::HasSubstr;

/// The full market without its pictures' pixels, held against a weak device from the quay.
class Planted : public testing::Test {
protected:
    static void SetUpTestSuite() {
        made_ = std::make_unique<demo::Ottermere>(demo::makeOttermere({1, 1, 64}, 1));
        const Scene& scene = made_->scene;
        std::vector<SurveySpot> spots;
        for (const Vec3d& eye :
             {Vec3d(-58, 1.7, -34), Vec3d(-9, 1.7, -10.8), Vec3d(10, 1.7, -12), Vec3d(40, 1.7, 12)})
            spots.push_back({std::to_string(spots.size() + 1), eye, 0, {}});
        SurveySettings settings;
        settings.faceSize = 128;
        const Target target = findTarget("Kiosk 60").value();
        const Survey survey = takeSurvey(scene, target, spots, settings, noProgress());
        diagnosis_ = diagnose(scene, target, &survey, std::nullopt, noProgress()).value();
    }
    static void TearDownTestSuite() { made_.reset(); }

    /// Names that a finding speaks of: of its subjects, and of the objects of its assets.
    static std::set<std::string> namesOf(const Finding& finding) {
        std::set<std::string> names;
        const Scene& scene = made_->scene;
        for (const Subject& subject : finding.subjects) {
            names.insert(subject.name);
            for (const Object& object : scene.objects)
                if (subject.kind == Subject::Kind::Asset &&
                    static_cast<std::size_t>(object.asset) == subject.index)
                    names.insert(object.name);
        }
        return names;
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

TEST_F(Planted, GeometryAndSharingAreFoundByName) {
    std::size_t asked = 0;
    for (const Json& fault : made_->groundTruth["faults"]) {
        const std::string rule = fault["finding"];
        if (rule != "too-dense" && rule != "huge-mesh-defeats-culling" &&
            rule != "duplicate-meshes" && rule != "light-range-too-long")
            continue;
        ++asked;
        const std::set<std::string> names = named(rule);
        std::size_t missed = 0;
        for (const Json& object : fault["objects"])
            missed += !names.contains(object.get<std::string>());
        EXPECT_EQ(missed, 0U) << rule << ": " << fault["what"];
    }
    EXPECT_EQ(asked, 5U);
}

TEST_F(Planted, AmountsAreThoseOfTheTruth) {
    std::size_t asked = 0;
    for (const Finding& finding : diagnosis_.findings) {
        if (finding.rule->key == "light-range-too-long") {
            EXPECT_EQ(finding.subjects.size(), 96U);
            ++asked;
        }
        if (finding.rule->key == "duplicate-meshes" && finding.subjects[0].name == "crate 01") {
            EXPECT_EQ(finding.subjects.size(), 30U);
            ++asked;
        }
    }
    EXPECT_EQ(asked, 2U);
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
