#include "survey/light_matrix.h"

#include <algorithm>
#include <cassert>
#include <cmath>
#include <numeric>

#include "base/index.h"
#include "base/parallel.h"
#include "scene/shadow_lights.h"
#include "survey/survey.h"

namespace flentro {
namespace {

constexpr int kColumns = 6;  ///< Rays across a view.
constexpr int kRows = 4;
constexpr std::size_t kMaxPoints = 400'000;
constexpr std::size_t kMaxLights = 24;   ///< At one point, those that add most.
constexpr double kNegligible = 0.002;    ///< Of what all lights together add.
constexpr float kMinAdaptation = 1e-3F;  ///< Lux.

/// [places] Mean of what is lit, lights that are blocked counted as if they were not.
std::vector<double> adaptationsOf(const LightMatrix& matrix, std::size_t places) {
    std::vector<double> sums(places, 0);
    std::vector<std::size_t> counts(places, 0);
    for (std::size_t p = 0; p < matrix.points().size(); ++p) {
        const std::size_t place = matrix.points()[p].place;
        for (const LightMatrix::Entry& entry : matrix.entriesOf(p))
            if (!entry.isBlocked) sums[place] += static_cast<double>(entry.lux);
        ++counts[place];
    }
    for (std::size_t i = 0; i < places; ++i)
        sums[i] = std::max(static_cast<double>(kMinAdaptation),
                           sums[i] / static_cast<double>(std::max<std::size_t>(1, counts[i])));
    return sums;
}

/// A number from 0 to 1 that is the same on every machine (splitmix64, Steele et al. 2014).
double jitter(std::uint64_t key) {
    key += 0x9E3779B97F4A7C15ULL;
    key = (key ^ (key >> 30U)) * 0xBF58476D1CE4E5B9ULL;
    key = (key ^ (key >> 27U)) * 0x94D049BB133111EBULL;
    return static_cast<double>((key ^ (key >> 31U)) >> 11U) * 0x1p-53;
}

/// Where the rays of a view go: one in each field of a grid over the picture.
struct Grid {
    int columns = kColumns;
    int rows = kRows;
    [[nodiscard]] int rays() const { return columns * rows; }
};

/// Fewer rays for each view where there are very many views.
Grid gridFor(std::size_t views) {
    Grid grid;
    while (grid.rays() > 6 && views * static_cast<std::size_t>(grid.rays()) > kMaxPoints)
        (grid.columns > grid.rows ? grid.columns : grid.rows) -= 1;
    return grid;
}

/// The nearest opaque surface of each lane.
class NearestOpaque : public RaySink {
public:
    void meet(int lane, const RayHit& hit, bool opaque) override {
        if (opaque) elementOf(hits, lane) = hit;
    }
    std::array<RayHit, RayPacket::kLanes> hits;
};

class Measurer {
public:
    Measurer(const Scene& source, const Scene& scene, const RayScene& rays, const Target& target,
             Grid grid)
        : scene_(scene),
          rays_(rays),
          target_(target),
          grid_(grid),
          emitters_(emittersOf(source)),
          cells_(source) {
        for (std::uint32_t i = 0; i < emitters_.size(); ++i)
            if (!std::isfinite(emitters_[i].range())) endless_.push_back(i);
    }

    struct OfPlace {
        std::vector<LightMatrix::Point> points;
        std::vector<LightMatrix::Entry> entries;
        std::vector<LightRay> rays;  ///< [entries] Until it is known which are blocked.
    };

    [[nodiscard]] OfPlace measure(const SpotResult& spot, std::uint32_t place) const {
        OfPlace found;
        const int rays = grid_.rays();
        for (std::uint32_t v = 0; v < spot.views.size(); ++v)
            for (int from = 0; from < rays; from += RayPacket::kLanes)
                trace(spot, place, v, from, std::min(rays, from + RayPacket::kLanes), found);
        markBlocked(found);
        return found;
    }

private:
    void trace(const SpotResult& spot, std::uint32_t place, std::uint32_t view, int from, int to,
               OfPlace& found) const {
        RayPacket packet{};
        const Mat4d toWorld = viewMatrix(spot.views[view]).inverse();
        const Projection projection = target_.projection();
        const double up = std::tan(toRadians(projection.verticalFov) / 2);
        std::array<Vec3d, RayPacket::kLanes> ways;
        for (int i = from; i < to; ++i) {
            const std::uint64_t key =
                ((std::uint64_t{place} * EyeVisibility::kMaxViews + view) << 16U) +
                static_cast<std::uint64_t>(i);
            const int column = i % grid_.columns;
            const int row = i / grid_.columns;
            const double x = (column + jitter(2 * key)) / grid_.columns * 2 - 1;
            const double y = (row + jitter(2 * key + 1)) / grid_.rows * 2 - 1;
            const Vec3d way =
                (toWorld.topLeftCorner<3, 3>() * Vec3d(x * up * projection.aspect, y * up, -1))
                    .normalized();
            const auto lane = static_cast<std::size_t>(i - from);
            ways[lane] = way;
            packet.x[lane] = static_cast<float>(way.x());
            packet.y[lane] = static_cast<float>(way.y());
            packet.z[lane] = static_cast<float>(way.z());
            packet.valid[lane] = -1;
        }
        NearestOpaque sink;
        rays_.trace(spot.eye, packet, static_cast<float>(target_.farPlane), spot.sightings, sink);
        for (std::size_t lane = 0; lane < static_cast<std::size_t>(to - from); ++lane)
            if (sink.hits[lane].met()) add(spot, place, view, ways[lane], sink.hits[lane], found);
    }

    void add(const SpotResult& spot, std::uint32_t place, std::uint32_t view, const Vec3d& way,
             const RayHit& hit, OfPlace& found) const {
        const Vec3d at = spot.eye + way * static_cast<double>(hit.distance);
        found.points.push_back(
            {at.cast<float>(), place, view, static_cast<std::uint32_t>(found.entries.size())});
        const int material = rays_.parts()[hit.part].material;
        if (material >= 0 && elementOf(scene_.materials, material).unlit) return;
        const auto corners = rays_.corners(hit.object, hit.triangle);
        Vec3d normal = (corners[1] - corners[0]).cross(corners[2] - corners[0]).normalized();
        if (!normal.allFinite()) return;
        if (normal.dot(way) > 0) normal = -normal;
        addLights(at, normal, found);
    }

    void addLights(const Vec3d& at, const Vec3d& normal, OfPlace& found) const {
        std::vector<std::pair<double, std::uint32_t>> lit;
        double sum = 0;
        const auto ask = [&](std::uint32_t light) {
            const double lux = emitters_[light].lux(at, normal);
            if (lux > 0) lit.emplace_back(-lux, light);
            sum += lux;
        };
        for (const std::uint32_t light : cells_.near(at)) ask(light);
        for (const std::uint32_t light : endless_) ask(light);
        std::sort(lit.begin(), lit.end());
        if (lit.size() > kMaxLights) lit.resize(kMaxLights);
        for (const auto& [lux, light] : lit) {
            if (-lux < kNegligible * sum) break;
            LightMatrix::Entry entry{};
            entry.light = light;
            entry.lux = static_cast<float>(-lux);
            found.entries.push_back(entry);
            found.rays.push_back(emitters_[light].rayTo(at, 2 * target_.farPlane));
        }
    }

    /// A light's rays go together.
    void markBlocked(OfPlace& found) const {
        std::vector<std::size_t> order(found.entries.size());
        std::iota(order.begin(), order.end(), std::size_t{0});
        std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
            return found.entries[a].light < found.entries[b].light;
        });
        std::vector<LightRay> rays;
        for (const std::size_t e : order) rays.push_back(found.rays[e]);
        const std::vector<bool> blocked = rays_.shadowed(rays);
        for (std::size_t i = 0; i < order.size(); ++i)
            found.entries[order[i]].isBlocked = blocked[i] ? 1 : 0;
        found.rays = {};
    }

    const Scene& scene_;
    const RayScene& rays_;
    const Target& target_;
    const Grid grid_;
    const std::vector<Emitter> emitters_;
    const LightCells cells_;
    std::vector<std::uint32_t> endless_;
};

std::vector<LightMatrix::Row> rowsOf(const Scene& scene) {
    std::vector<LightMatrix::Row> rows;
    for (const PlacedLight& light : scene.placedLights)
        rows.push_back({light.position.cast<float>(), static_cast<float>(light.range)});
    return rows;
}

}  // namespace

LightMatrix::LightMatrix(std::vector<Row> rows, std::vector<Vec3d> eyes, std::vector<Point> points,
                         std::vector<Entry> entries, std::uint32_t raysOfView)
    : rows_(std::move(rows)),
      eyes_(std::move(eyes)),
      points_(std::move(points)),
      entries_(std::move(entries)),
      raysOfView_(raysOfView) {
    firstOf_.assign(eyes_.size() + 1, points_.size());
    for (std::size_t p = points_.size(); p-- > 0;) firstOf_[points_[p].place] = p;
    for (std::size_t i = eyes_.size(); i-- > 0;)
        firstOf_[i] = std::min(firstOf_[i], firstOf_[i + 1]);
    adaptations_ = adaptationsOf(*this, eyes_.size());
}

Expected<std::shared_ptr<const LightMatrix>> measureLights(const Scene& source, const Scene& scene,
                                                           const RayScene& rays,
                                                           const Survey& survey,
                                                           Progress& progress) {
    if (source.placedLights.empty()) return nullptr;
    std::vector<const SpotResult*> spots;
    std::vector<Vec3d> eyes;
    std::size_t views = 0;
    for (const SpotResult& spot : survey.spots) {
        if (!spot.done) continue;
        spots.push_back(&spot);
        eyes.push_back(spot.eye);
        views += spot.views.size();
    }
    const Grid grid = gridFor(views);
    const Measurer measurer(source, scene, rays, survey.target, grid);
    std::vector<Measurer::OfPlace> found(spots.size());
    const bool finished =
        parallelFor(spots.size(), "Measuring lights", progress, [&](std::size_t i) {
            found[i] = measurer.measure(*spots[i], static_cast<std::uint32_t>(i));
        });
    if (!finished) return stopped("Measuring lights");
    std::vector<LightMatrix::Point> points;
    std::vector<LightMatrix::Entry> entries;
    for (Measurer::OfPlace& place : found) {
        for (LightMatrix::Point& point : place.points) {
            point.first += static_cast<std::uint32_t>(entries.size());
            points.push_back(point);
        }
        entries.insert(entries.end(), place.entries.begin(), place.entries.end());
        place = {};
    }
    return std::make_shared<const LightMatrix>(rowsOf(source), std::move(eyes), std::move(points),
                                               std::move(entries),
                                               static_cast<std::uint32_t>(grid.rays()));
}

ArrivingLight::ArrivingLight(const Scene& scene, const LightMatrix& matrix)
    : scene_(scene), matrix_(matrix), placedOf_(matrix.rows().size(), -1) {
    for (std::size_t i = 0; i < scene.placedLights.size(); ++i)
        for (const std::uint32_t origin : scene.placedLights[i].origins)
            if (origin < placedOf_.size()) placedOf_[origin] = static_cast<int>(i);
    for (const Vec3d& eye : matrix.eyes()) casting_.push_back(castingLights(scene, eye));
}

double ArrivingLight::lux(const LightMatrix::Point& point, const LightMatrix::Entry& entry) const {
    const int index = placedOf_[entry.light];
    if (index >= 0 && entry.isBlocked && elementOf(casting_[point.place], index)) return 0;
    return luxWithoutShadow(point, entry);
}

double ArrivingLight::luxWithoutShadow(const LightMatrix::Point& point,
                                       const LightMatrix::Entry& entry) const {
    const int index = placedOf_[entry.light];
    if (index < 0) return 0;
    const PlacedLight& light = elementOf(scene_.placedLights, index);
    const LightMatrix::Row& row = matrix_.rows()[entry.light];
    const double lux = static_cast<double>(entry.lux) * light.fadeFor(matrix_.eyes()[point.place]);
    const bool isSame = static_cast<float>(light.range) == row.range &&
                        light.position.cast<float>() == row.position;
    const Light& kind = elementOf(scene_.lights, light.light);
    if (isSame || kind.type == LightType::Directional) return lux;
    const Vec3d at = point.at.cast<double>();
    const double before =
        attenuation((at - row.position.cast<double>()).norm(), static_cast<double>(row.range));
    return before > 0 ? lux * attenuation((at - light.position).norm(), light.range) / before : 0;
}

LightingChange lightingChange(const LightMatrix& matrix, const Scene& before, const Scene& after) {
    const ArrivingLight was(before, matrix);
    const ArrivingLight is(after, matrix);
    LightingChange change;
    const auto rays = static_cast<double>(matrix.raysOfView());
    double sum = 0;
    std::size_t views = 0;
    for (std::size_t place = 0; place < matrix.eyes().size(); ++place) {
        std::array<double, EyeVisibility::kMaxViews> ofView{};
        std::size_t viewsHere = 0;
        for (std::size_t p = matrix.firstPoint(place); p < matrix.firstPoint(place + 1); ++p) {
            const LightMatrix::Point& point = matrix.points()[p];
            double luxBefore = 0;
            double luxAfter = 0;
            for (const LightMatrix::Entry& entry : matrix.entriesOf(p)) {
                luxBefore += was.lux(point, entry);
                luxAfter += is.lux(point, entry);
            }
            const double adapted = matrix.adaptation(place);
            ofView[point.view] +=
                std::fabs(displayOf(luxAfter, adapted) - displayOf(luxBefore, adapted)) / rays;
            viewsHere = std::max<std::size_t>(viewsHere, point.view + 1);
        }
        for (std::size_t v = 0; v < viewsHere; ++v) {
            sum += ofView[v];
            ++views;
            if (ofView[v] > change.worst) {
                change.worst = ofView[v];
                change.place = place;
                change.view = v;
            }
        }
    }
    if (views > 0) change.mean = sum / static_cast<double>(views);
    return change;
}

}  // namespace flentro
