// Markets with faults planted at random: what each finding promises against what its fix delivers.

#include <cstdlib>

#include "ottermere.h"
#include "support/promises.h"

namespace flentro::demo {
namespace {

TEST(Promises, AreKeptInMarketsWithRandomFaults) {
    const char* all = std::getenv("FLENTRO_TABLE");
    const std::uint32_t variants = all ? 20 : 2;
    const Target target = findTarget("Kiosk 60").value();
    std::size_t kept = 0;
    std::size_t made = 0;
    for (std::uint32_t seed = 1; seed <= variants; ++seed) {
        const Ottermere market = makeOttermere({0.2, 0.15, 128}, 1, seed);
        SurveySettings settings;
        settings.faceSize = 32;
        const RayScene rays(market.scene);
        Survey survey =
            takeSurvey(market.scene, &rays, target,
                       {{"quay", quayView().eye, 0, {}}, {"market", {10, 1.7, 19}, 0, {}}},
                       settings, noProgress());
        survey.lights =
            measureLights(market.scene, market.scene, rays, survey, noProgress()).value();
        const auto promises = test::promisesOf(market.scene, target, survey);
        EXPECT_GT(promises.size(), 2U);
        test::expectKept(fmt::format("market {}", seed), promises);
        for (const test::Promise& promise : promises) kept += promise.isKept();
        made += promises.size();
    }
    fmt::print("{} of {} promises kept\n", kept, made);
}

}  // namespace
}  // namespace flentro::demo
