// Markets with faults planted at random, audited: what is found of them, and what is invented.

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <map>
#include <set>

#include "faults/faults.h"
#include "findings/finding.h"
#include "ottermere.h"

namespace flentro::demo {
namespace {

constexpr std::uint32_t kVariants = 40;

/// Rules whose findings need no faults to be true: the market has no levels and no far plane, its
/// goods are small, and its walls hide things. They say nothing about what was planted.
bool isAboutTheMarket(const std::string& rule) {
    static const std::set<std::string> always = {"over-limit",
                                                 "no-levels",
                                                 "too-dense",
                                                 "too-many-lights",
                                                 "small-casts-shadow",
                                                 "small-and-far",
                                                 "clutter",
                                                 "joinable-calls",
                                                 "drawn-but-hidden",
                                                 "never-seen-object",
                                                 "oversize-texture",
                                                 "texture-never-seen",
                                                 "never-seen-triangles",
                                                 "far-plane-too-far",
                                                 "hidden-caster",
                                                 "same-mesh-many-nodes",
                                                 "uneven-texel-density",
                                                 "no-light-map-coordinates",
                                                 "thin-glossy-bevels",
                                                 "costly-on-backdrop"};
    return always.contains(rule);
}

/// What there is of each rule: planted, found, and both.
struct Tally {
    std::size_t planted = 0, found = 0, right = 0, recalled = 0;
};

/// Names that a finding's subject goes by: its own, and those of an asset's objects.
std::set<std::string> namesOf(const Scene& scene, const Subject& subject) {
    std::set<std::string> names = {subject.name};
    if (subject.kind == Subject::Kind::Asset)
        for (const Object& object : scene.objects)
            if (static_cast<std::size_t>(object.asset) == subject.index) names.insert(object.name);
    return names;
}

/// A view told too many lights: only those that it takes in can be named.
bool isOfOneView(const std::string& rule) {
    return rule == "too-many-shadow-lights" || rule == "static-light-could-be-baked";
}

void compare(const Ottermere& made, const Diagnosis& diagnosis, std::uint32_t seed,
             std::map<std::string, Tally>& tallies) {
    std::map<std::string, std::set<std::string>> planted, found;
    for (const Json& fault : made.groundTruth["faults"])
        planted[fault["finding"]].merge(fault["objects"].get<std::set<std::string>>());
    for (const Finding& finding : diagnosis.findings) {
        if (isAboutTheMarket(finding.rule->key)) continue;
        Tally& tally = tallies[finding.rule->key];
        for (const Subject& subject : finding.subjects) {
            ++tally.found;
            bool right = false;
            for (const std::string& name : namesOf(made.scene, subject)) {
                found[finding.rule->key].insert(name);
                right = right || planted[finding.rule->key].contains(name);
            }
            tally.right += right;
            if (!right)
                fmt::print("seed {}: {} invented of '{}': {}\n", seed, finding.rule->key,
                           subject.name, finding.sentence);
        }
    }
    for (const auto& [rule, names] : planted) {
        if (names.empty()) continue;
        Tally& tally = tallies[rule];
        if (isOfOneView(rule)) {
            ++tally.planted;
            tally.recalled += !found[rule].empty();
            continue;
        }
        for (const std::string& name : names) {
            ++tally.planted;
            tally.recalled += found[rule].contains(name);
            if (!found[rule].contains(name))
                fmt::print("seed {}: {} missed of '{}'\n", seed, rule, name);
        }
    }
}

std::vector<SurveySpot> spots() {
    return {{"quay", quayView().eye, 0, {}}, {"market", {10, 1.7, 19}, 0, {}}};
}

SurveySettings coarse() {
    SurveySettings settings;
    settings.faceSize = 32;
    return settings;
}

TEST(RandomFaults, AreFoundAndNothingIsInvented) {
    Target target = findTarget("Kiosk 60").value();
    at(target.limits, Measure::MaterialsPerObject) = 8;
    std::map<std::string, Tally> tallies;
    for (std::uint32_t seed = 1; seed <= kVariants; ++seed) {
        const Ottermere made = makeOttermere({0.2, 0.15, 128}, 1, seed);
        const Survey survey = takeSurvey(made.scene, target, spots(), coarse(), noProgress());
        Memo memo;
        const auto diagnosis =
            diagnose(made.scene, target, &survey, quayView(), memo, noProgress());
        ASSERT_TRUE(diagnosis);
        compare(made, *diagnosis, seed, tallies);
    }
    Tally all;
    fmt::print("{:30} {:>8} {:>8} {:>8} {:>8}\n", "rule", "planted", "recalled", "found", "right");
    for (const auto& [rule, tally] : tallies) {
        fmt::print("{:30} {:8} {:8} {:8} {:8}\n", rule, tally.planted, tally.recalled, tally.found,
                   tally.right);
        all.planted += tally.planted;
        all.recalled += tally.recalled;
        all.found += tally.found;
        all.right += tally.right;
    }
    const auto share = [](std::size_t part, std::size_t whole) {
        return static_cast<double>(part) / static_cast<double>(whole);
    };
    fmt::print("recall {:.3f}, precision {:.3f}\n", share(all.recalled, all.planted),
               share(all.right, all.found));
    EXPECT_GE(share(all.recalled, all.planted), 0.98);
    EXPECT_GE(share(all.right, all.found), 0.98);
    for (const FaultKind& kind : faultKinds())
        EXPECT_GT(tallies[kind.finding].planted, 0U) << kind.finding << " is planted somewhere";
}

TEST(RandomFaults, AreTheSameForASeed) {
    const Ottermere first = makeOttermere({0.2, 0.15, 16}, 1, 5);
    EXPECT_EQ(hashScene(first.scene), hashScene(makeOttermere({0.2, 0.15, 16}, 1, 5).scene));
    EXPECT_EQ(first.groundTruth, makeOttermere({0.2, 0.15, 16}, 1, 5).groundTruth);
    EXPECT_NE(first.groundTruth, makeOttermere({0.2, 0.15, 16}, 1, 6).groundTruth);
}

}  // namespace
}  // namespace flentro::demo
