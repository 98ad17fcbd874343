// What findings promise against what their fixes deliver, counted by another way than the
// program's.

#pragma once

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

#include "findings/trial.h"
#include "fixes/work_order.h"
#include "measure/view_meter.h"

namespace flentro::test {

/// One measure of one finding where it is worst.
struct Promise {
    std::string rule, fix, subject;
    Measure measure = Measure::Triangles;
    double before = 0;     ///< Load of the worst view.
    double promised = 0;   ///< Load taken off.
    double delivered = 0;  ///< Load taken off by the fix.

    /// Within 20 %, or a hundredth of the limit.
    [[nodiscard]] bool isKept() const {
        return std::fabs(promised - delivered) <= std::max(0.2 * std::fabs(delivered), 0.01);
    }
};

/// All that is shown neither by the finding's subjects nor, after its fix, as one thing with them:
/// to be left out of counts.
[[nodiscard]] inline Without allBut(const Scene& scene, const std::vector<Subject>& subjects,
                                    const Scene& after) {
    Without without;
    const auto originsOf = [](const auto& things) {
        std::size_t count = 0;
        for (const auto& thing : things)
            for (const auto origin : thing.origins)
                count = std::max<std::size_t>(count, origin + std::size_t{1});
        return count;
    };
    const auto keep = [](std::vector<bool>& marks, const auto& thing) {
        for (const auto origin : thing.origins) marks[origin] = false;
    };
    const auto keepJoined = [&](std::vector<bool>& marks, const auto& things) {
        const std::vector<bool> own = marks;
        for (const auto& thing : things)
            if (std::any_of(thing.origins.begin(), thing.origins.end(),
                            [&](const auto origin) { return origin < own.size() && !own[origin]; }))
                keep(marks, thing);
    };
    if (subjects.front().kind == Subject::Kind::Light) {
        without.lights.assign(originsOf(scene.placedLights), true);
        for (const Subject& subject : subjects)
            keep(without.lights, scene.placedLights[subject.index]);
        keepJoined(without.lights, after.placedLights);
        return without;
    }
    without.objects.assign(originsOf(scene.objects), true);
    for (const Subject& subject : subjects)
        for (std::size_t i = 0; i < scene.objects.size(); ++i) {
            const bool isOne =
                subject.kind == Subject::Kind::Object
                    ? i == subject.index
                    : static_cast<std::size_t>(scene.objects[i].asset) == subject.index;
            if (isOne) keep(without.objects, scene.objects[i]);
        }
    keepJoined(without.objects, after.objects);
    return without;
}

/// Measures that add up over objects or lights: for the others the rest of the view matters.
[[nodiscard]] inline std::vector<Measure> measuresOf(const Finding& finding) {
    switch (finding.subjects.front().kind) {
        case Subject::Kind::Light:
            return {Measure::Lights, Measure::ShadowLights};
        case Subject::Kind::Asset:
        case Subject::Kind::Object:
            return {Measure::Triangles, Measure::Objects};
        case Subject::Kind::Scene:
            return {kMeasures.begin(), kMeasures.end()};
        default:
            return {};
    }
}

/// Promises of all findings with a fix that was tried. `survey`: with its lights, where it has any.
[[nodiscard]] inline std::vector<Promise> promisesOf(const Scene& scene, const Target& target,
                                                     const Survey& survey) {
    Memo memo;
    Diagnosis diagnosis =
        diagnose(scene, target, &survey, std::nullopt, memo, noProgress()).value();
    EXPECT_TRUE(tryFixes(diagnosis, scene, target, &survey, std::nullopt, noProgress()));
    const auto source = std::make_shared<const Scene>(scene);
    const Evidence evidence = evidenceOf(survey, scene);
    StepCache cache;
    std::vector<Promise> promises;
    for (const Finding& finding : diagnosis.findings) {
        if (!finding.fix || !finding.isTried) continue;
        WorkOrder order;
        for (const FixSettings& first : finding.preparations) order.add(first);
        order.add(*finding.fix);
        const Evaluation after =
            evaluate(order, source, target, cache, noProgress(), evidence).value();
        const bool isWhole = finding.subjects.front().kind == Subject::Kind::Scene;
        const Without others =
            isWhole ? Without{} : allBut(scene, finding.subjects, after.result());
        const ViewMeter before(scene, target);
        const ViewMeter now(after.result(), target);
        for (const Measure measure : measuresOf(finding)) {
            const double limit = at(target.limits, measure);
            const auto worst = worstOf(survey, measure);
            if (!isLimit(limit) || !worst) continue;
            const Viewpoint& view = survey.spots[worst->spot].views[worst->view];
            const auto count = [&](const ViewMeter& meter, const Scene& shown) {
                return at(meter.cost(view, without(shown, others)).counts, measure) / limit;
            };
            const double delivered = count(before, scene) - count(now, after.result());
            const double promised = at(finding.relief.worst, measure) / limit;
            if (std::fabs(promised) < 0.005 && std::fabs(delivered) < 0.005) continue;
            promises.push_back({finding.rule->key, finding.fix->kind().key,
                                finding.subjects.front().name, measure, worst->load, promised,
                                delivered});
        }
    }
    return promises;
}

/// The table, and a failure for each promise that is not kept.
inline void expectKept(const std::string& scene, const std::vector<Promise>& promises) {
    for (const Promise& promise : promises) {
        const std::string row = fmt::format(
            "{:<22}{:<24}{:<16}{:<22}{:<22}x{:<8.2f}x{:<8.3f}x{:.3f}", scene, promise.rule,
            promise.fix, promise.subject.substr(0, 20), measureName(promise.measure),
            promise.before, promise.promised, promise.delivered);
        fmt::print("{}\n", row);
        EXPECT_TRUE(promise.isKept()) << row;
    }
}

}  // namespace flentro::test
