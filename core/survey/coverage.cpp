#include "survey/coverage.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <limits>
#include <map>
#include <unordered_map>

#include "base/disjoint_sets.h"
#include "base/index.h"
#include "base/parallel.h"
#include "base/text.h"
#include "survey/nearness.h"

namespace flentro {
namespace {

constexpr double kColumns = 20000;
constexpr double kStride = 0.75;  ///< Metres between columns, at least.
constexpr double kKnee = 0.5;     ///< Metres above the ground.
constexpr int kMaxFloors = 8;     ///< Surfaces above each other in one column.
constexpr double kSmall = 0.1;    ///< Of the largest ground: smaller ones are no ground.
constexpr double kReach = 1.1;    ///< Spacings around a spot that it covers.
constexpr double kUneven = 0.6;   ///< Metres off the line between two places.

/// A place to stand on.
struct Place {
    int column = 0;
    int row = 0;
    double height = 0;  ///< Metres, of the ground.
};

/// A coarse grid of columns with the places in them.
class Grid {
public:
    Grid(const Scene& source, const RayScene& rays, const Walker& walker, const Box& bounds)
        : rays_(rays), walker_(walker), bounds_(bounds) {
        top_ = source.bounds().max().y() + 1;
        bottom_ = source.bounds().min().y() - 1;
        const double area = bounds_.sizes().x() * bounds_.sizes().z();
        stride_ =
            std::max({kStride, std::sqrt(area / kColumns), bounds_.sizes().maxCoeff() / kColumns});
        columns_ = static_cast<int>(bounds_.sizes().x() / stride_) + 1;
        rows_ = static_cast<int>(bounds_.sizes().z() / stride_) + 1;
        places_.resize(static_cast<std::size_t>(columns_) * static_cast<std::size_t>(rows_));
    }

    /// False if cancelled.
    bool fill(Progress& progress) {
        return parallelFor(static_cast<std::size_t>(rows_), "Measuring the ground", progress,
                           [&](std::size_t row) {
                               for (int c = 0; c < columns_; ++c)
                                   fillColumn(c, static_cast<int>(row));
                           });
    }

    /// The grounds, with what `isWalked` says of the eyes above their places; nothing if cancelled.
    template <typename IsWalked>
    std::optional<std::vector<Ground>> connect(const IsWalked& isWalked, Progress& progress);

    /// Columns of the outermost ring that meet nothing at all, of those in the ring.
    [[nodiscard]] double emptyBorder() const {
        double empty = 0;
        double all = 0;
        for (int c = 0; c < columns_; ++c)
            for (int r = 0; r < rows_; ++r) {
                if (c > 0 && r > 0 && c + 1 < columns_ && r + 1 < rows_) continue;
                all += 1;
                empty += !rays_.first(at(c, r, top_), -Vec3d::UnitY(), 0, top_ - bottom_).met();
            }
        return empty / all;
    }

private:
    [[nodiscard]] Vec3d at(double column, double row, double height) const {
        return {bounds_.min().x() + (column + 0.5) * stride_, height,
                bounds_.min().z() + (row + 0.5) * stride_};
    }
    [[nodiscard]] std::vector<Place>& placesAt(int column, int row) {
        return places_[static_cast<std::size_t>(row) * static_cast<std::size_t>(columns_) +
                       static_cast<std::size_t>(column)];
    }

    void fillColumn(int column, int row) {
        double from = top_;
        double ceiling = std::numeric_limits<double>::infinity();
        for (int floor = 0; floor < kMaxFloors; ++floor) {
            const RayHit hit =
                rays_.first(at(column, row, from), -Vec3d::UnitY(), 0, from - bottom_);
            if (!hit.met()) return;
            const double height = from - static_cast<double>(hit.distance);
            if (ceiling - height >= walker_.headRoom && isLevel(hit))
                placesAt(column, row).push_back({column, row, height});
            ceiling = height;
            from = height - 1e-3;
        }
    }

    [[nodiscard]] bool isLevel(const RayHit& hit) const {
        const auto c = rays_.corners(hit.object, hit.triangle);
        const Vec3d normal = (c[1] - c[0]).cross(c[2] - c[0]);
        return std::fabs(normal.y()) >= std::cos(toRadians(walker_.steepest)) * normal.norm();
    }

    [[nodiscard]] bool isConnected(const Place& a, const Place& b) const {
        const double slope = std::tan(toRadians(walker_.steepest)) * stride_;
        if (std::fabs(a.height - b.height) > std::max(walker_.step, slope)) return false;
        const double floor = std::max(a.height, b.height);
        for (const double above : {kKnee, walker_.eyeHeight}) {
            const Vec3d from = at(a.column, a.row, floor + above);
            const Vec3d to = at(b.column, b.row, floor + above);
            if (rays_.first(from, to - from, 0, stride_).met()) return false;
        }
        for (const double share : {0.25, 0.5, 0.75}) {
            const double height = a.height + share * (b.height - a.height);
            const Vec3d above = at(a.column + share * (b.column - a.column),
                                   a.row + share * (b.row - a.row), floor + walker_.eyeHeight);
            const double low = height - kUneven;
            if (!rays_.first(above, -Vec3d::UnitY(), 0, above.y() - low).met()) return false;
        }
        return true;
    }

    const RayScene& rays_;
    const Walker& walker_;
    Box bounds_;
    double top_ = 0;
    double bottom_ = 0;
    double stride_ = 1;
    int columns_ = 0;
    int rows_ = 0;
    std::vector<std::vector<Place>> places_;  ///< [rows][columns]
};

template <typename IsWalked>
std::optional<std::vector<Ground>> Grid::connect(const IsWalked& isWalked, Progress& progress) {
    std::vector<std::uint32_t> first;  // [columns] of its places among all
    std::uint32_t count = 0;
    for (const auto& places : places_) {
        first.push_back(count);
        count += static_cast<std::uint32_t>(places.size());
    }
    std::vector<std::vector<std::pair<std::uint32_t, std::uint32_t>>> joined(
        static_cast<std::size_t>(rows_));
    const auto joinTo = [&](int c, int r, int toC, int toR) {
        if (toC >= columns_ || toR >= rows_) return;
        const auto from = static_cast<std::size_t>(&placesAt(c, r) - places_.data());
        const auto to = static_cast<std::size_t>(&placesAt(toC, toR) - places_.data());
        for (std::uint32_t i = 0; i < places_[from].size(); ++i)
            for (std::uint32_t k = 0; k < places_[to].size(); ++k)
                if (isConnected(places_[from][i], places_[to][k]))
                    elementOf(joined, r).emplace_back(first[from] + i, first[to] + k);
    };
    const bool finished = parallelFor(static_cast<std::size_t>(rows_), "Measuring the ground",
                                      progress, [&](std::size_t row) {
                                          const int r = static_cast<int>(row);
                                          for (int c = 0; c < columns_; ++c) {
                                              joinTo(c, r, c + 1, r);
                                              joinTo(c, r, c, r + 1);
                                          }
                                      });
    if (!finished) return std::nullopt;
    DisjointSets sets(count);
    for (const auto& row : joined)
        for (const auto& [a, b] : row) sets.join(a, b);
    std::map<std::uint32_t, std::vector<const Place*>> members;
    std::uint32_t index = 0;
    for (const auto& places : places_)
        for (const Place& place : places) members[sets.find(index++)].push_back(&place);
    std::vector<Ground> grounds;
    const auto eyeAt = [&](const Place& place) {
        return at(place.column, place.row, place.height + walker_.eyeHeight);
    };
    for (const auto& [set, places] : members) {
        Ground ground;
        Vec3d middle = Vec3d::Zero();
        for (const Place* place : places) {
            middle += eyeAt(*place) / static_cast<double>(places.size());
            ground.area += stride_ * stride_;
            if (isWalked(eyeAt(*place), stride_)) ground.walked += stride_ * stride_;
        }
        const auto nearest =
            std::min_element(places.begin(), places.end(), [&](const Place* a, const Place* b) {
                return (eyeAt(*a) - middle).squaredNorm() < (eyeAt(*b) - middle).squaredNorm();
            });
        ground.eye = eyeAt(**nearest);
        grounds.push_back(ground);
    }
    std::stable_sort(grounds.begin(), grounds.end(),
                     [](const Ground& a, const Ground& b) { return a.area > b.area; });
    std::erase_if(grounds, [most = grounds.empty() ? 0 : grounds.front().area](const Ground& g) {
        return g.area < kSmall * most;
    });
    return grounds;
}

/// Share of the rectangle around the objects that the one around the spots covers.
double spreadOf(const Scene& scene, const std::vector<SurveySpot>& spots, double spacing) {
    Box covered;
    for (const SurveySpot& spot : spots) {
        covered.extend(Vec3d(spot.eye - Vec3d::Constant(spacing)));
        covered.extend(Vec3d(spot.eye + Vec3d::Constant(spacing)));
    }
    const Box whole = middleOf(scene, 0);
    const auto area = [](const Box& box) { return box.sizes().x() * box.sizes().z(); };
    if (covered.isEmpty() || !(area(whole) > 0)) return 1;
    const Box both =
        covered.intersection(Box(Vec3d(whole.min().x(), covered.min().y(), whole.min().z()),
                                 Vec3d(whole.max().x(), covered.max().y(), whole.max().z())));
    return both.isEmpty() ? 0 : std::min(1.0, area(both) / area(whole));
}

/// True if spots are placed outside the scene in each of eight directions.
bool isAround(const Scene& scene, const std::vector<SurveySpot>& spots) {
    const Box bounds = scene.bounds();
    std::array<bool, 8> sides{};
    for (const SurveySpot& spot : spots) {
        if (bounds.contains(spot.eye) || spot.views.empty()) continue;
        const Vec3d way = spot.eye - bounds.center();
        const double turn = std::atan2(way.x(), -way.z()) / (2 * kPi) + 1;
        sides[static_cast<std::size_t>(std::lround(8 * turn)) % 8] = true;
    }
    return std::all_of(sides.begin(), sides.end(), [](bool side) { return side; });
}

}  // namespace

Expected<std::vector<Ground>> findGrounds(const Scene& source, const RayScene& rays,
                                          const Walker& walker,
                                          const std::vector<SurveySpot>& spots, double spacing,
                                          Progress& progress) {
    if (source.bounds().isEmpty()) return std::vector<Ground>{};
    Grid grid(source, rays, walker, walkableBounds(source));
    SubProgress filling(progress, 0, 0.5);
    SubProgress connecting(progress, 0.5, 1);
    if (!grid.fill(filling)) return stopped("Measuring the ground");
    // Columns may be farther apart than spots.
    std::optional<Nearness> near;
    const auto isWalked = [&](const Vec3d& eye, double stride) {
        if (!near) {
            near.emplace(std::max(kReach * spacing, stride));
            for (const SurveySpot& spot : spots) near->add(spot.eye);
        }
        return near->isNear(eye);
    };
    auto grounds = grid.connect(isWalked, connecting);
    if (!grounds) return stopped("Measuring the ground");
    return std::move(*grounds);
}

Expected<Coverage> coverageOf(const Scene& source, const RayScene& rays, const Walker& walker,
                              const std::vector<SurveySpot>& spots, double spacing,
                              Progress& progress) {
    Coverage coverage;
    for (const Object& object : source.objects)
        coverage.objects += !object.bounds.isEmpty() && source.mesh(object).triangles > 0;
    coverage.isAround = isAround(source, spots);
    coverage.spread = spreadOf(source, spots, spacing);
    auto grounds = findGrounds(source, rays, walker, spots, spacing, progress);
    if (!grounds) return tl::unexpected(grounds.error());
    for (const Ground& ground : *grounds) {
        coverage.ground += ground.area;
        coverage.walked += ground.walked;
    }
    if (grounds->size() > Coverage::kMaxGrounds) grounds->resize(Coverage::kMaxGrounds);
    coverage.grounds = std::move(*grounds);
    return coverage;
}

double Coverage::share() const {
    if (isAround) return 1;
    const double onGround = ground > 0 ? walked / ground : 1;
    const double ofObjects =
        hasRays && objects > 0 ? static_cast<double>(seen) / static_cast<double>(objects) : 1;
    return std::min(onGround, std::max(spread, ofObjects));
}

std::string Coverage::text() const {
    if (isAround) return "all sides";
    const bool byGround = ground > 0 && walked / ground <= share() + 1e-9;
    return fmt::format("{} of the {}", formatShare(share()), byGround ? "ground" : "scene");
}

bool standsAlone(const Scene& scene, const RayScene& rays) {
    constexpr double kLargest = 100;  ///< Metres.
    constexpr double kOpen = 0.7;     ///< Of the border without any surface.
    if (scene.bounds().isEmpty() || scene.bounds().diagonal().norm() > kLargest) return false;
    const Walker walker;
    return Grid(scene, rays, walker, scene.bounds()).emptyBorder() > kOpen;
}

}  // namespace flentro
