#include "fixes/lights/light_report.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>

#include "fixes/lights/light_limits.h"

namespace flentro {
namespace {

double told(double metres) {
    return std::isfinite(metres) ? metres : LightLine::kEndless;
}

double shadowOf(const PlacedLight& light) {
    return light.castsShadow ? told(light.shadowEnd) : 0;
}

/// [placed lights of `after`] by the first origin of each.
std::map<std::uint32_t, const PlacedLight*> byOrigin(const Scene& scene) {
    std::map<std::uint32_t, const PlacedLight*> lights;
    for (const PlacedLight& light : scene.placedLights)
        for (const std::uint32_t origin : light.origins) lights[origin] = &light;
    return lights;
}

std::vector<int> eachByItself(const Scene& scene) {
    std::vector<int> groups(scene.placedLights.size());
    std::iota(groups.begin(), groups.end(), 0);
    return groups;
}

bool isSame(const LightLine& line) {
    return line.rangeBefore == line.rangeAfter && line.endBefore == line.endAfter &&
           line.shadowBefore == line.shadowAfter;
}

}  // namespace

Json LightReport::describe(const Scene&) const {
    Json rows = Json::array();
    for (const LightLine& line : lights)
        rows.push_back({{"light", line.name},
                        {"rangeBefore", line.rangeBefore},
                        {"rangeAfter", line.rangeAfter},
                        {"endAfter", line.endAfter},
                        {"shadowBefore", line.shadowBefore},
                        {"shadowAfter", line.shadowAfter},
                        {"worstChange", line.worstChange}});
    return {{"lights", rows}, {"meanChange", meanChange}, {"worstChange", worstChange}};
}

void reportLights(const Scene& before, const Scene& after, const Evidence& evidence,
                  FixRecord& record) {
    auto report = std::make_shared<LightReport>();
    const auto now = byOrigin(after);
    const std::vector<double> changes =
        evidence.lights ? worstChanges(*evidence.lights, before, after, eachByItself(before))
                        : std::vector<double>(before.placedLights.size(), 0);
    for (std::uint32_t i = 0; i < before.placedLights.size(); ++i) {
        const PlacedLight& light = before.placedLights[i];
        LightLine line{light.name,      i, told(light.range), 0, told(light.end), 0,
                       shadowOf(light), 0, changes[i]};
        const auto found = light.origins.empty() ? now.end() : now.find(light.origins.front());
        if (found != now.end()) {
            line.rangeAfter = told(found->second->range);
            line.endAfter = told(found->second->end);
            line.shadowAfter = shadowOf(*found->second);
        }
        if (!isSame(line)) report->lights.push_back(std::move(line));
    }
    std::stable_sort(
        report->lights.begin(), report->lights.end(),
        [](const LightLine& a, const LightLine& b) { return a.worstChange > b.worstChange; });
    if (evidence.lights) {
        const LightingChange change = lightingChange(*evidence.lights, before, after);
        report->meanChange = change.mean;
        report->worstChange = change.worst;
        record.notes.push_back("By what the survey saw, " +
                               describeChange(*evidence.lights, change));
    } else {
        record.notes.emplace_back(
            "Not measured: without a survey with rays this is an estimate from ranges alone");
    }
    record.report = std::move(report);
}

}  // namespace flentro
