// Counts to milliseconds, and back from measured frames.

#include "measure/frame_cost.h"
#include "base/index.h"

#include <gtest/gtest.h>

#include <Eigen/Core>
#include <random>

#include "report/survey_report.h"
#include "support/meshes.h"

namespace flentro {
namespace {

Target display() {
    Target target;
    target.width = 1000;
    target.height = 1000;
    target.frameCost.fill(0);
    return target;
}

double& cost(Target& target, CostTerm term) {
    return elementOf(target.frameCost, term);
}
double termOf(const CostTerms& terms, CostTerm term) {
    return elementOf(terms, term);
}

TEST(FrameCost, TermsAreCountsInTheirUnits) {
    ViewTally tally;
    at(tally.counts, Measure::DrawCalls) = 1500;
    at(tally.counts, Measure::Objects) = 500;
    at(tally.counts, Measure::Lights) = 3;
    at(tally.counts, Measure::ShadowLights) = 2;
    at(tally.counts, Measure::TextureBytes) = 512.0 * 1024 * 1024;
    tally.vertices = 400'000;
    tally.shadowVertices = 100'000;
    tally.materials = 50;
    const CostTerms terms = termsOf(tally, display(), {2.5F, 4, 0.5F, 0.75F});
    EXPECT_DOUBLE_EQ(termOf(terms, CostTerm::CpuFrame), 1);
    EXPECT_DOUBLE_EQ(termOf(terms, CostTerm::DrawCall), 1.5);
    EXPECT_DOUBLE_EQ(termOf(terms, CostTerm::Object), 0.5);
    EXPECT_DOUBLE_EQ(termOf(terms, CostTerm::Material), 0.5);
    EXPECT_DOUBLE_EQ(termOf(terms, CostTerm::Vertex), 0.5);
    EXPECT_DOUBLE_EQ(termOf(terms, CostTerm::FilledPixel), 2.5);
    EXPECT_DOUBLE_EQ(termOf(terms, CostTerm::TexturedPixel), 4);
    EXPECT_DOUBLE_EQ(termOf(terms, CostTerm::BlendedPixel), 0.5);
    EXPECT_DOUBLE_EQ(termOf(terms, CostTerm::LitPixel), 0.75 * 3);
    EXPECT_DOUBLE_EQ(termOf(terms, CostTerm::ShadowPass), 2);
    EXPECT_DOUBLE_EQ(termOf(terms, CostTerm::Texture), 0.5);
}

TEST(FrameCost, TheSlowerSideLimits) {
    Target target = display();
    cost(target, CostTerm::CpuFrame) = 4;
    cost(target, CostTerm::DrawCall) = 2;
    cost(target, CostTerm::Vertex) = 3;
    CostTerms terms{};
    elementOf(terms, CostTerm::CpuFrame) = 1;
    elementOf(terms, CostTerm::DrawCall) = 1;
    elementOf(terms, CostTerm::Vertex) = 1;
    EXPECT_DOUBLE_EQ(frameCost(terms, target).milliseconds(), 6);
    EXPECT_STREQ(frameCost(terms, target).limitedBy(), "CPU");
    EXPECT_EQ(heaviestTerm(terms, target), CostTerm::CpuFrame);
    elementOf(terms, CostTerm::Vertex) = 3;
    EXPECT_DOUBLE_EQ(frameCost(terms, target).milliseconds(), 9);
    EXPECT_STREQ(frameCost(terms, target).limitedBy(), "GPU");
    EXPECT_EQ(heaviestTerm(terms, target), CostTerm::Vertex);
}

TEST(FrameCost, LeastSquaresStayAboveZero) {
    Eigen::MatrixXd a(3, 2);
    a << 1, 0, 0, 1, 1, 1;
    const Eigen::VectorXd x = nonNegativeLeastSquares(a, Eigen::Vector3d(2, -1, 1));
    // Unbounded it would be (2, -1); with the second at 0 the first is the mean of 2 and 1.
    EXPECT_NEAR(x[0], 1.5, 1e-9);
    EXPECT_EQ(x[1], 0);
    const Eigen::VectorXd inside = nonNegativeLeastSquares(a, Eigen::Vector3d(1, 2, 3));
    EXPECT_TRUE(inside.isApprox(Eigen::Vector2d(1, 2), 1e-9));
}

/// Frames of a machine whose cost is known.
std::vector<FrameSample> measured(const Target& truth, int count, double noise,
                                  const std::vector<CostTerm>& varying) {
    std::mt19937 rng(3);
    std::vector<FrameSample> samples;
    for (int i = 0; i < count; ++i) {
        FrameSample sample;
        sample.spot = std::to_string(i);
        sample.terms.fill(0);
        elementOf(sample.terms, CostTerm::CpuFrame) = 1;
        elementOf(sample.terms, CostTerm::GpuFrame) = 1;
        for (const CostTerm term : varying)
            elementOf(sample.terms, term) = 0.5 + rng() % 1000 / 250.0;
        sample.milliseconds = frameCost(sample.terms, truth).milliseconds() +
                              noise * (static_cast<double>(rng() % 1000) / 500 - 1);
        samples.push_back(sample);
    }
    return samples;
}

TEST(Calibrate, FindsTheCostsOfAKnownMachine) {
    Target truth = display();
    cost(truth, CostTerm::CpuFrame) = 2;
    cost(truth, CostTerm::DrawCall) = 3;
    cost(truth, CostTerm::GpuFrame) = 1;
    cost(truth, CostTerm::Vertex) = 2;
    cost(truth, CostTerm::FilledPixel) = 1.5;
    Target guess = display();
    guess.frameCost = {1, 1, 0, 0, 0, 1, 1, 1, 0, 0, 0, 0, 0};
    const auto fit = calibrate(
        measured(truth, 200, 0.02, {CostTerm::DrawCall, CostTerm::Vertex, CostTerm::FilledPixel}),
        guess);
    ASSERT_TRUE(fit);
    for (const CostTerm term : {CostTerm::CpuFrame, CostTerm::DrawCall, CostTerm::GpuFrame,
                                CostTerm::Vertex, CostTerm::FilledPixel})
        EXPECT_NEAR(elementOf(fit->frameCost, term), elementOf(truth.frameCost, term), 0.15)
            << costTermName(term);
    EXPECT_LT(fit->rms, 0.05);
    EXPECT_GT(fit->explained, 0.99);
    EXPECT_EQ(fit->residuals.size(), 200U);
}

TEST(Calibrate, KeepsWhatTheFramesCannotTell) {
    Target truth = display();
    cost(truth, CostTerm::GpuFrame) = 1;
    cost(truth, CostTerm::Vertex) = 2;
    Target guess = display();
    guess.frameCost = {0, 0, 0, 0, 7, 1, 1, 0.25, 0, 0, 0.125, 0, 0};
    std::vector<FrameSample> samples = measured(truth, 60, 0, {CostTerm::Vertex});
    for (FrameSample& sample : samples)  // pixels always the same; lights twice the vertices
        elementOf(sample.terms, CostTerm::LitPixel) = 2 * elementOf(sample.terms, CostTerm::Vertex);
    const auto fit = calibrate(samples, guess);
    ASSERT_TRUE(fit);
    const auto isHeld = [&](CostTerm term) {
        return std::any_of(fit->held.begin(), fit->held.end(),
                           [&](const Calibration::Held& held) { return held.term == term; });
    };
    EXPECT_TRUE(isHeld(CostTerm::Bone)) << "there are none";
    EXPECT_TRUE(isHeld(CostTerm::LitPixel)) << "they rise with the vertices";
    EXPECT_TRUE(isHeld(CostTerm::FilledPixel)) << "always none";
    EXPECT_FALSE(isHeld(CostTerm::Vertex));
    EXPECT_EQ(elementOf(fit->frameCost, CostTerm::Bone), 7);
    EXPECT_EQ(elementOf(fit->frameCost, CostTerm::LitPixel), 0.125);
}

TEST(Calibrate, RefusesTooFewOrSenselessFrames) {
    const Target target = display();
    Target truth = display();
    cost(truth, CostTerm::CpuFrame) = 5;
    EXPECT_FALSE(calibrate(measured(truth, 7, 0, {CostTerm::DrawCall}), target));
    auto samples = measured(truth, 20, 0, {CostTerm::DrawCall});
    samples[4].milliseconds = -1;
    const auto refused = calibrate(samples, target);
    ASSERT_FALSE(refused);
    EXPECT_NE(refused.error().where.find("spot 4"), std::string::npos);
}

TEST(FrameTimes, AreMatchedToSpotsAndHeadings) {
    const Scene scene = test::makeScene({{test::makeBox({1, 1, 1}), {0, 0, -5}}});
    SurveySettings settings;
    settings.faceSize = 0;
    settings.betweenHeadings = false;
    const Survey survey =
        takeSurvey(scene, display(), {{"door", {0, 0, 0}, 0, {}}}, settings, noProgress());
    const auto read = [&](const char* csv) { return readFrameTimes(csv, survey); };
    const auto samples = read("ms,spot,heading,note\n12.5,door,2,cold\n8, door ,181,\n");
    ASSERT_TRUE(samples);
    ASSERT_EQ(samples->size(), 2U);
    EXPECT_EQ((*samples)[0].milliseconds, 12.5);
    EXPECT_EQ(termOf((*samples)[0].terms, CostTerm::Object), 0.001) << "north sees the box";
    EXPECT_EQ(termOf((*samples)[1].terms, CostTerm::Object), 0) << "south sees nothing";
    EXPECT_EQ(read("spot,heading\ndoor,1\n").error().where, "line 1");
    EXPECT_EQ(read("spot,heading,ms\ndoor,1,fast\n").error().where, "line 2");
    EXPECT_EQ(read("spot,heading,ms\ndoor,1,2\ncellar,1,2\n").error().where, "line 3");
}

TEST(Target, FrameCostSurvivesARoundTrip) {
    Target target = shippedTargets()[0];
    cost(target, CostTerm::Vertex) = 1.25;
    target.calibrated = true;
    const auto back = parseTarget(toJson(target), "test");
    ASSERT_TRUE(back);
    EXPECT_EQ(back->frameCost, target.frameCost);
    EXPECT_TRUE(back->calibrated);
    Json json = toJson(target);
    json["frameCost"]["vertex"] = -1;
    EXPECT_FALSE(parseTarget(json, "test"));
}

}  // namespace
}  // namespace flentro
