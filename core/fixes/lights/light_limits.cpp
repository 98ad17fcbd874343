#include "fixes/lights/light_limits.h"

#include <algorithm>
#include <cmath>

#include "base/median.h"
#include "measure/view_meter.h"

namespace flentro {
namespace {

/// The headings from which one light is in view.
struct Arc {
    std::uint32_t light = 0;
    double begin = 0;  ///< Radians, 0 to 2 pi.
    double width = 0;  ///< 2 pi: every heading.

    [[nodiscard]] bool covers(double heading) const {
        double by = heading - begin;
        if (by < 0) by += 2 * kPi;
        return by <= width;
    }
};

Arc arcOf(const LimitedLight& light, std::uint32_t index, const Vec3d& eye, double halfFov) {
    const Vec3d by = light.position - eye;
    const double away = std::hypot(by.x(), by.z());
    if (!(light.range < away)) return {index, 0, 2 * kPi};
    const double half = halfFov + std::asin(light.range / away);
    double begin = std::atan2(by.x(), -by.z()) - half;
    if (begin < 0) begin += 2 * kPi;
    return {index, begin, std::min(2 * half, 2 * kPi)};
}

struct Crowd {
    std::size_t count = 0;
    double heading = 0;
};

/// The heading with most lights: one at which an arc begins.
Crowd mostCrowded(const std::vector<Arc>& arcs) {
    std::vector<std::pair<double, int>> events;  // ends come behind the beginnings at one angle
    std::size_t open = 0;
    for (const Arc& arc : arcs) {
        if (arc.covers(0)) ++open;
        if (arc.width >= 2 * kPi) continue;
        if (arc.begin > 0) events.emplace_back(arc.begin, 0);
        double end = arc.begin + arc.width;
        if (end >= 2 * kPi) end -= 2 * kPi;
        events.emplace_back(end, 1);
    }
    std::sort(events.begin(), events.end());
    Crowd most{open, 0};
    for (const auto& [angle, isEnd] : events) {
        if (isEnd) {
            --open;
        } else if (++open > most.count) {
            most = {open, angle};
        }
    }
    return most;
}

/// Where a light would be missed, nearest first.
struct MissedAt {
    std::vector<double> distances;
    std::vector<double> sums;  ///< Worth up to and with each.

    /// Worth between two distances: lost if the light ends at `from` and no more at `to`.
    [[nodiscard]] double between(double from, double to) const { return upTo(to) - upTo(from); }

private:
    [[nodiscard]] double upTo(double distance) const {
        const auto after = std::lower_bound(distances.begin(), distances.end(), distance);
        return after == distances.begin()
                   ? 0
                   : sums[static_cast<std::size_t>(after - distances.begin()) - 1];
    }
};

class Limiter {
public:
    Limiter(const std::vector<LimitedLight>& lights, std::size_t limit, std::span<const Vec3d> eyes,
            double halfFov, const std::vector<std::vector<LightWorth>>& worth, bool byDistance,
            double slack)
        : lights_(lights),
          limit_(limit),
          eyes_(eyes),
          halfFov_(halfFov),
          byDistance_(byDistance),
          slack_(slack) {
        for (const LimitedLight& light : lights) result_.ends.push_back(light.end);
        collect(worth);
    }

    LightLimits run() {
        std::vector<std::pair<std::size_t, std::size_t>> order;
        for (std::size_t e = 0; e < eyes_.size(); ++e)
            order.emplace_back(mostCrowded(arcsAt(e)).count, e);
        std::sort(order.begin(), order.end(), [](const auto& a, const auto& b) {
            return std::pair(b.first, a.second) < std::pair(a.first, b.second);
        });
        for (const auto& [count, e] : order)
            if (count > limit_) relieve(e);
        for (std::size_t e = 0; e < eyes_.size(); ++e) {
            const std::size_t count = mostCrowded(arcsAt(e)).count;
            result_.most = std::max(result_.most, count);
            result_.placesOver += count > limit_;
        }
        return std::move(result_);
    }

private:
    void collect(const std::vector<std::vector<LightWorth>>& worth) {
        std::vector<std::vector<std::pair<double, double>>> found(lights_.size());
        for (std::size_t e = 0; e < worth.size(); ++e)
            for (const LightWorth& w : worth[e])
                found[w.light].emplace_back((lights_[w.light].position - eyes_[e]).norm(),
                                            static_cast<double>(w.worth));
        missed_.resize(lights_.size());
        for (std::size_t l = 0; l < lights_.size(); ++l) {
            std::sort(found[l].begin(), found[l].end());
            double sum = 0;
            for (const auto& [distance, value] : found[l]) {
                missed_[l].distances.push_back(distance);
                missed_[l].sums.push_back(sum += value);
            }
        }
    }

    [[nodiscard]] double distance(std::uint32_t light, std::size_t eye) const {
        return (lights_[light].position - eyes_[eye]).norm();
    }

    /// Where a light ends if it is not to count around an eye.
    [[nodiscard]] double endAt(std::uint32_t light, std::size_t eye) const {
        return std::max(0.0, distance(light, eye) - slack_);
    }

    [[nodiscard]] std::vector<Arc> arcsAt(std::size_t eye) const {
        std::vector<Arc> arcs;
        for (std::uint32_t l = 0; l < lights_.size(); ++l)
            if (result_.ends[l] > 0 && distance(l, eye) - slack_ < result_.ends[l])
                arcs.push_back(arcOf(lights_[l], l, eyes_[eye], halfFov_));
        return arcs;
    }

    /// Cuts what costs least at the most crowded heading, until none is too crowded.
    void relieve(std::size_t eye) {
        for (;;) {
            const std::vector<Arc> arcs = arcsAt(eye);
            const Crowd crowd = mostCrowded(arcs);
            if (crowd.count <= limit_) return;
            std::vector<std::tuple<double, double, std::uint32_t>> costs;
            for (const Arc& arc : arcs) {
                if (lights_[arc.light].isFixed || !arc.covers(crowd.heading)) continue;
                const double from = byDistance_ ? endAt(arc.light, eye) : 0;
                costs.emplace_back(missed_[arc.light].between(from, result_.ends[arc.light]),
                                   -distance(arc.light, eye), arc.light);
            }
            if (costs.empty()) return;
            std::sort(costs.begin(), costs.end());
            const std::size_t cuts = std::min(crowd.count - limit_, costs.size());
            for (std::size_t i = 0; i < cuts; ++i) {
                const std::uint32_t light = std::get<2>(costs[i]);
                result_.ends[light] = byDistance_ ? endAt(light, eye) : 0;
            }
        }
    }

    const std::vector<LimitedLight>& lights_;
    const std::size_t limit_;
    const std::span<const Vec3d> eyes_;
    const double halfFov_;
    const bool byDistance_;
    const double slack_;
    std::vector<MissedAt> missed_;
    LightLimits result_;
};

}  // namespace

LightLimits limitLights(const std::vector<LimitedLight>& lights, std::size_t limit,
                        std::span<const Vec3d> eyes, double horizontalFov,
                        const std::vector<std::vector<LightWorth>>& worth, bool byDistance,
                        double slack) {
    return Limiter(lights, limit, eyes, toRadians(horizontalFov) / 2, worth, byDistance, slack)
        .run();
}

std::vector<Vec3d> eyesFor(const Scene& scene, const Evidence& evidence) {
    std::vector<Vec3d> eyes;
    for (const Evidence::Place& place : placesFor(scene, evidence)) eyes.push_back(place.eye);
    return eyes;
}

double slackBetween(std::span<const Vec3d> eyes) {
    constexpr std::size_t kAsked = 200;
    constexpr double kMax = 4;  // metres
    if (eyes.size() < 2) return 0;
    std::vector<double> nearest;
    for (std::size_t i = 0; i < eyes.size(); i += eyes.size() / kAsked + 1) {
        double least = std::numeric_limits<double>::infinity();
        for (std::size_t k = 0; k < eyes.size(); ++k)
            if (k != i) least = std::min(least, (eyes[k] - eyes[i]).norm());
        nearest.push_back(least);
    }
    return std::min(kMax, median(std::move(nearest)) / 2);
}

std::size_t mostInView(const std::vector<LimitedLight>& lights, const Vec3d& eye,
                       double horizontalFov) {
    return limitLights(lights, lights.size(), {&eye, 1}, horizontalFov, {}, true).most;
}

}  // namespace flentro
