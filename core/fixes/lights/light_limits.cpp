#include "fixes/lights/light_limits.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numeric>

#include "base/parallel.h"
#include "base/text.h"
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
    constexpr double kMost = 4;  // metres
    if (eyes.size() < 2) return 0;
    std::vector<double> nearest;
    for (std::size_t i = 0; i < eyes.size(); i += eyes.size() / kAsked + 1) {
        double least = std::numeric_limits<double>::infinity();
        for (std::size_t k = 0; k < eyes.size(); ++k)
            if (k != i) least = std::min(least, (eyes[k] - eyes[i]).norm());
        nearest.push_back(least);
    }
    const auto middle = nearest.begin() + static_cast<std::ptrdiff_t>(nearest.size() / 2);
    std::nth_element(nearest.begin(), middle, nearest.end());
    return std::min(kMost, *middle / 2);
}

std::size_t mostInView(const std::vector<LimitedLight>& lights, const Vec3d& eye,
                       double horizontalFov) {
    return limitLights(lights, lights.size(), {&eye, 1}, horizontalFov, {}, true).most;
}

std::vector<std::vector<LightWorth>> worthOfLights(const LightMatrix& matrix, const Scene& scene,
                                                   WorthOf what) {
    const ArrivingLight arriving(scene, matrix);
    const auto rays = static_cast<float>(matrix.raysOfView());
    std::vector<std::vector<LightWorth>> worth(matrix.eyes().size());
    for (std::size_t place = 0; place < worth.size(); ++place) {
        std::map<std::uint32_t, std::array<float, Sightings::kMostViews>> ofLight;
        const double adapted = matrix.adaptation(place);
        for (std::size_t p = matrix.firstPoint(place); p < matrix.firstPoint(place + 1); ++p) {
            const LightMatrix::Point& point = matrix.points()[p];
            double all = 0;
            for (const LightMatrix::Entry& entry : matrix.entriesOf(p))
                all += arriving.lux(point, entry);
            for (const LightMatrix::Entry& entry : matrix.entriesOf(p)) {
                const int light = arriving.placedOf(entry.light);
                if (light < 0) continue;
                const double here = arriving.lux(point, entry);
                const double then = what == WorthOf::Light
                                        ? all - here
                                        : all - here + arriving.luxWithoutShadow(point, entry);
                const double by = displayOf(then, adapted) - displayOf(all, adapted);
                if (by == 0) continue;
                const auto index = static_cast<std::uint32_t>(light);
                ofLight.try_emplace(index).first->second[point.view] +=
                    static_cast<float>(std::fabs(by)) / rays;
            }
        }
        for (const auto& [light, views] : ofLight)
            worth[place].push_back({light, std::accumulate(views.begin(), views.end(), 0.0F),
                                    *std::max_element(views.begin(), views.end())});
    }
    return worth;
}

std::vector<float> mostInAnyView(const std::vector<std::vector<LightWorth>>& worth,
                                 std::size_t lights) {
    std::vector<float> most(lights, 0);
    for (const std::vector<LightWorth>& place : worth)
        for (const LightWorth& w : place) most[w.light] = std::max(most[w.light], w.worstView);
    return most;
}

std::vector<std::vector<LightWorth>> guessWorth(const Scene& scene, std::span<const Vec3d> eyes) {
    std::vector<std::vector<LightWorth>> worth(eyes.size());
    for (std::size_t e = 0; e < eyes.size(); ++e)
        for (std::uint32_t l = 0; l < scene.placedLights.size(); ++l) {
            const PlacedLight& light = scene.placedLights[l];
            const double away = std::max(1.0, (light.position - eyes[e]).norm());
            const double across = std::isfinite(light.range) ? light.range / away : 1;
            const auto share = static_cast<float>(std::min(1.0, across * across));
            worth[e].push_back({l, share, share});
        }
    return worth;
}

namespace {

/// Worst changes of groups over some places; scratch memory of one thread.
class GroupChanges {
public:
    GroupChanges(const LightMatrix& matrix, const ArrivingLight& was, const ArrivingLight& is,
                 const std::vector<int>& groupOf, std::size_t groups)
        : matrix_(matrix),
          was_(was),
          is_(is),
          groupOf_(groupOf),
          worst_(groups, 0),
          ofView_(groups * Sightings::kMostViews, 0) {}

    void look(std::size_t place) {
        for (std::size_t p = matrix_.firstPoint(place); p < matrix_.firstPoint(place + 1); ++p)
            look(matrix_.points()[p], matrix_.entriesOf(p), matrix_.adaptation(place));
        for (const std::size_t slot : touched_) {
            double& most = worst_[slot / Sightings::kMostViews];
            most = std::max(most, ofView_[slot] / matrix_.raysOfView());
            ofView_[slot] = 0;
        }
        touched_.clear();
    }
    [[nodiscard]] const std::vector<double>& worst() const { return worst_; }

private:
    void look(const LightMatrix::Point& point, std::span<const LightMatrix::Entry> entries,
              double adapted) {
        by_.clear();
        double all = 0;
        for (const LightMatrix::Entry& entry : entries) {
            const double lux = was_.lux(point, entry);
            all += lux;
            const int light = was_.placedOf(entry.light);
            const int group = light < 0 ? -1 : groupOf_[static_cast<std::size_t>(light)];
            const double change = group < 0 ? 0 : is_.lux(point, entry) - lux;
            if (change == 0) continue;
            const auto known = std::find_if(by_.begin(), by_.end(),
                                            [&](const auto& one) { return one.first == group; });
            if (known == by_.end())
                by_.emplace_back(group, change);
            else
                known->second += change;
        }
        for (const auto& [group, change] : by_) {
            const std::size_t slot =
                static_cast<std::size_t>(group) * Sightings::kMostViews + point.view;
            if (ofView_[slot] == 0) touched_.push_back(slot);
            ofView_[slot] += std::fabs(displayOf(std::max(0.0, all + change), adapted) -
                                       displayOf(all, adapted));
        }
    }

    const LightMatrix& matrix_;
    const ArrivingLight& was_;
    const ArrivingLight& is_;
    const std::vector<int>& groupOf_;
    std::vector<double> worst_;               ///< [groups]
    std::vector<double> ofView_;              ///< [groups][views] Of the present place.
    std::vector<std::size_t> touched_;        ///< Of ofView_.
    std::vector<std::pair<int, double>> by_;  ///< Groups at the present point.
};

}  // namespace

std::vector<double> worstChanges(const LightMatrix& matrix, const Scene& before, const Scene& after,
                                 const std::vector<int>& groupOf) {
    constexpr std::size_t kChunk = 64;  // places
    const ArrivingLight was(before, matrix);
    const ArrivingLight is(after, matrix);
    std::size_t groups = 0;
    for (const int group : groupOf) groups = std::max(groups, static_cast<std::size_t>(group + 1));
    const std::size_t places = matrix.eyes().size();
    std::vector<std::vector<double>> found((places + kChunk - 1) / kChunk);
    parallelRanges(places, kChunk, [&](std::size_t begin, std::size_t end) {
        GroupChanges changes(matrix, was, is, groupOf, groups);
        for (std::size_t place = begin; place < end; ++place) changes.look(place);
        found[begin / kChunk] = changes.worst();
    });
    std::vector<double> worst(groups, 0);
    for (const std::vector<double>& chunk : found)
        for (std::size_t g = 0; g < chunk.size(); ++g) worst[g] = std::max(worst[g], chunk[g]);
    return worst;
}

double horizontalFov(const Target& target) {
    const Lens lens = target.lens();
    return toDegrees(2 * std::atan(std::tan(toRadians(lens.verticalFov) / 2) * lens.aspect));
}

std::string describeChange(const LightMatrix& matrix, const LightingChange& change) {
    if (!(change.worst > 0)) return "no view changes";
    const Vec3d& eye = matrix.eyes()[change.place];
    return fmt::format(
        "the light in views changes by {} of the display's range in the mean and by {} in the "
        "worst "
        "(from {:.1f}, {:.1f}, {:.1f})",
        formatShare(change.mean), formatShare(change.worst), eye.x(), eye.y(), eye.z());
}

void takeShadow(Scene& scene, PlacedLight& light) {
    light.castsShadow = false;
    Json& rest = scene.nodes[static_cast<std::size_t>(light.node)].rest;
    if (!rest.contains("extras") || rest["extras"].is_object())
        rest["extras"]["castsShadow"] = false;
}

}  // namespace flentro
