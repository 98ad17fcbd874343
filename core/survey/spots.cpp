#include "survey/spots.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <deque>
#include <map>
#include <optional>
#include <set>
#include <unordered_map>

#include "base/index.h"
#include "base/parallel.h"
#include "base/text.h"
#include "scene/far.h"
#include "scene/origins.h"
#include "survey/coverage.h"
#include "survey/nearness.h"

namespace flentro {
namespace {

constexpr double kStride = 0.75;     ///< Metres between standing places, at least.
constexpr double kFoot = 0.15;       ///< Metres from a standing place that still carry.
constexpr double kMaxColumns = 1e6;  ///< Of the grid of standing places.
constexpr double kKnee = 0.5;        ///< Metres above the ground.
constexpr int kMaxFloors = 24;       ///< Surfaces above each other in one column.

/// Something to stand on.
struct Place {
    int column = 0;
    int row = 0;
    double height = 0;  ///< Of the ground, metres.
};

/// What may be stood on.
class Footing {
public:
    /// `area` is a node of `source`.
    static Expected<Footing> of(const Scene& source, const Scene& scene, const std::string& area) {
        Footing ground;
        if (area.empty()) return ground;
        ground.scene_ = &scene;
        ground.isMarked_.assign(source.objects.size(), false);
        bool found = false;
        for (std::size_t i = 0; i < source.objects.size(); ++i)
            if (isBelow(source, source.objects[i].node, area)) {
                ground.isMarked_[i] = true;
                ground.bounds_.extend(source.objects[i].bounds);
                found = true;
            }
        for (const Object& object : scene.objects)
            ground.allowed_.push_back(ground.shareOf(object));
        if (!found && !ground.layOut(source, area))
            return fail(ErrorCode::NotFound,
                        "no object is called that or lies below a node of "
                        "that name",
                        area, "Name a node of the scene");
        return ground;
    }
    /// The meshes of an area that is not drawn; null where the area is made of objects, or none.
    [[nodiscard]] const RayScene* aside() const { return aside_.get(); }
    /// `hit` of the walked scene's rays, or of aside()'s.
    [[nodiscard]] bool allows(const RayHit& hit, const RayScene& rays) const {
        if (aside_ || allowed_.empty()) return true;
        if (allowed_[hit.object] != Share::Some) return allowed_[hit.object] == Share::All;
        const int asset = scene_->objects[hit.object].asset;
        return isMarked_[originOf(*scene_, hit.object,
                                  hit.triangle - elementOf(rays.firstTriangles(), asset))];
    }
    [[nodiscard]] bool isArea() const { return aside_ || !allowed_.empty(); }
    [[nodiscard]] const Box& bounds() const { return bounds_; }

private:
    /// Of an object that stands on marked objects of the source.
    enum class Share : std::uint8_t { None, Some, All };

    [[nodiscard]] Share shareOf(const Object& object) const {
        const auto marked = std::count_if(object.origins.begin(), object.origins.end(),
                                          [&](std::uint32_t i) { return isMarked_[i]; });
        if (marked == 0) return Share::None;
        return static_cast<std::size_t>(marked) < object.origins.size() ? Share::Some : Share::All;
    }

    static bool isBelow(const Scene& scene, int node, const std::string& name) {
        for (; node >= 0; node = elementOf(scene.nodes, node).parent)
            if (elementOf(scene.nodes, node).name == name) return true;
        return false;
    }
    /// Lays out meshes of nodes that are in no scene that is drawn: areas made for tools. False if
    /// there are none.
    bool layOut(const Scene& scene, const std::string& area) {
        Scene meshes = scene;
        meshes.objects.clear();
        const std::vector<Mat4d> worlds = worldTransforms(scene.nodes);
        for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
            const int asset = scene.nodes[i].mesh;
            if (asset < 0 || !isBelow(scene, static_cast<int>(i), area)) continue;
            Object object;
            object.asset = asset;
            object.world = worlds[i];
            object.bounds = transformBox(worlds[i], elementOf(scene.assets, asset).mesh->bounds);
            bounds_.extend(object.bounds);
            meshes.objects.push_back(std::move(object));
        }
        if (bounds_.isEmpty()) return false;
        aside_ = std::make_unique<RayScene>(meshes);
        return true;
    }

    const Scene* scene_ = nullptr;  ///< That is walked.
    std::vector<bool> isMarked_;    ///< [objects of the source]
    std::vector<Share> allowed_;    ///< [objects]
    std::unique_ptr<RayScene> aside_;
    Box bounds_;
};

class Planner {
public:
    static constexpr const char* kHint =
        "Choose another start (--start), name a walkable area (--area), or give spots (--spots)";

    Planner(const Scene& source, const RayScene& rays, const SpotPlan& plan, Footing ground)
        : rays_(rays), plan_(plan), ground_(std::move(ground)) {
        bounds_ = ground_.isArea() ? ground_.bounds() : walkableBounds(source);
        if (plan.region) bounds_ = bounds_.intersection(*plan.region);
        const Box heights = source.bounds().merged(ground_.bounds());
        top_ = heights.max().y() + 1;
        bottom_ = heights.min().y() - 1;
        const double area = bounds_.sizes().x() * bounds_.sizes().z();
        const auto most = static_cast<double>(std::max<std::size_t>(1, plan.most));
        // Also along what is long and narrow.
        const double longest = std::max(bounds_.sizes().x(), bounds_.sizes().z());
        spacing_ = std::max({plan.spacing, std::sqrt(area / most), 4 * longest / kMaxColumns});
        // The stride divides half the spacing, so that spots are standing places.
        stride_ = std::max(
            {kStride, std::sqrt(area / kMaxColumns), bounds_.sizes().maxCoeff() / kMaxColumns});
        perSpot_ = 2 * std::max(1, static_cast<int>(std::round(spacing_ / 2 / stride_)));
        stride_ = spacing_ / perSpot_;
        for (const int axis : {0, 2})
            bounds_.min()[axis] = std::floor(bounds_.min()[axis] / spacing_) * spacing_;
        columns_ = static_cast<int>(bounds_.sizes().x() / stride_) + 1;
        rows_ = static_cast<int>(bounds_.sizes().z() / stride_) + 1;
    }

    Expected<std::vector<SurveySpot>> run(Progress& progress) {
        const std::size_t count =
            static_cast<std::size_t>(columns_) * static_cast<std::size_t>(rows_);
        places_.resize(count);
        explored_.assign(count, 0);
        const bool finished = ground_.isArea() ? everywhere(progress) : flood(progress);
        if (!finished) return stopped("The search for spots");
        if (reached_.empty())
            return fail(ErrorCode::NotFound, "nothing can be stood on there", {}, kHint);
        std::vector<SurveySpot> spots = collect();
        if (spots.empty())
            return fail(ErrorCode::NotFound, "no place that can be reached is inside the region",
                        {}, kHint);
        return spots;
    }

private:
    [[nodiscard]] Vec3d at(int column, int row, double height) const {
        return {bounds_.min().x() + column * stride_, height, bounds_.min().z() + row * stride_};
    }
    [[nodiscard]] std::size_t indexOf(int column, int row) const {
        return static_cast<std::size_t>(row) * static_cast<std::size_t>(columns_) +
               static_cast<std::size_t>(column);
    }
    /// The standing places of one column, looked for when first asked.
    const std::vector<Place>& placesAt(int column, int row) {
        const std::size_t index = indexOf(column, row);
        if (explored_[index] == 0) findColumn(column, row, places_[index]);
        explored_[index] = 1;
        return places_[index];
    }

    /// Every floor of one column with room to stand, from the top down.
    void findColumn(int column, int row, std::vector<Place>& places) const {
        const RayScene& floors = ground_.aside() ? *ground_.aside() : rays_;
        double from = top_;
        double ceiling = std::numeric_limits<double>::infinity();
        for (int floor = 0; floor < kMaxFloors; ++floor) {
            const RayHit hit =
                floors.first(at(column, row, from), -Vec3d::UnitY(), 0, from - bottom_);
            if (!hit.met()) return;
            const double height = from - static_cast<double>(hit.distance);
            const bool roomy = ground_.aside() ? isRoomy(at(column, row, height))
                                               : ceiling - height >= plan_.walker.headRoom;
            if (roomy && ground_.allows(hit, rays_) && isLevel(floors, hit))
                places.push_back({column, row, height});
            ceiling = height;
            from = height - 1e-3;
        }
    }

    /// Above an area that is not drawn; what is drawn need not meet it exactly.
    [[nodiscard]] bool isRoomy(const Vec3d& feet) const {
        const Vec3d knee = feet + kKnee * Vec3d::UnitY();
        return !rays_.first(knee, Vec3d::UnitY(), 0, plan_.walker.headRoom - kKnee).met();
    }

    [[nodiscard]] bool isLevel(const RayScene& rays, const RayHit& hit) const {
        const auto c = rays.corners(hit.object, hit.triangle);
        const Vec3d normal = (c[1] - c[0]).cross(c[2] - c[0]);
        return std::fabs(normal.y()) >= std::cos(toRadians(plan_.walker.steepest)) * normal.norm();
    }

    bool everywhere(Progress& progress) {
        const bool finished = parallelFor(static_cast<std::size_t>(rows_), "Looking for ground",
                                          progress, [&](std::size_t row) {
                                              for (int column = 0; column < columns_; ++column)
                                                  placesAt(column, static_cast<int>(row));
                                          });
        for (const auto& places : places_)
            reached_.insert(reached_.end(), places.begin(), places.end());
        return finished;
    }

    bool flood(Progress& progress) {
        std::deque<Place> open;
        std::set<std::tuple<int, int, double>> known;
        const auto visit = [&](const Place& place) {
            if (!known.emplace(place.column, place.row, place.height).second) return;
            reached_.push_back(place);
            open.push_back(place);
        };
        for (const Vec3d& start : plan_.starts)
            if (const auto first = startPlace(start, progress)) visit(*first);
        for (std::size_t visited = 0; !open.empty(); ++visited) {
            if (visited % 256 == 0) {
                if (progress.cancelled()) return false;
                // How far the flood goes is not known: half of the columns is a guess.
                progress.report(std::min(0.95, 2.0 * static_cast<double>(visited) /
                                                   static_cast<double>(places_.size())),
                                "Looking for ground");
            }
            const Place place = open.front();
            open.pop_front();
            for (const auto& [dc, dr] : {std::pair(1, 0), {-1, 0}, {0, 1}, {0, -1}}) {
                const int column = place.column + dc;
                const int row = place.row + dr;
                if (!isInside(column, row)) continue;
                findFoothold(place, column, row);
                for (const Place& next : placesAt(column, row))
                    if (canWalk(place, next)) visit(next);
            }
        }
        return true;
    }

    /// Where the ray down the middle of a column falls between boards or through a grating, ground
    /// a foot's width on both sides of it becomes a place of the column. `from`: where a step comes
    /// from.
    void findFoothold(const Place& from, int column, int row) {
        const std::vector<Place>& known = placesAt(column, row);
        const auto inStep = [&](const Place& place) { return isStep(from, place); };
        if (std::any_of(known.begin(), known.end(), inStep)) return;
        for (const Vec3d& aside : {Vec3d(0, 0, kFoot), Vec3d(kFoot, 0, 0)}) {
            const auto left = groundBeside(from, column, row, aside);
            const auto right = groundBeside(from, column, row, -aside);
            if (!left || !right) continue;
            places_[indexOf(column, row)].push_back({column, row, std::max(*left, *right)});
            return;
        }
    }

    /// Height of what carries a foot there at a height that `from` can step to.
    [[nodiscard]] std::optional<double> groundBeside(const Place& from, int column, int row,
                                                     const Vec3d& aside) const {
        const double above = from.height + plan_.walker.eyeHeight;
        const Vec3d eye = at(column, row, above) + aside;
        const RayHit hit = rays_.first(eye, -Vec3d::UnitY(), 0, above - bottom_);
        if (!hit.met() || !ground_.allows(hit, rays_) || !isLevel(rays_, hit)) return std::nullopt;
        const double height = above - static_cast<double>(hit.distance);
        const double room = height + plan_.walker.headRoom - above;
        if (room > 0 && rays_.first(eye, Vec3d::UnitY(), 0, room).met()) return std::nullopt;
        return isStep(from, {column, row, height}) ? std::optional(height) : std::nullopt;
    }

    [[nodiscard]] bool isInside(int column, int row) const {
        return column >= 0 && row >= 0 && column < columns_ && row < rows_;
    }

    /// The standing place nearest to a start, which is at eye height: rings of columns around
    /// it, until one has any.
    [[nodiscard]] std::optional<Place> startPlace(const Vec3d& start, const Progress& progress) {
        const Vec3d feet = start - Vec3d(0, plan_.walker.eyeHeight, 0);
        const auto cell = [&](double c, double low) {
            return static_cast<int>(std::lround((c - low) / stride_));
        };
        const int column = std::clamp(cell(feet.x(), bounds_.min().x()), 0, columns_ - 1);
        const int row = std::clamp(cell(feet.z(), bounds_.min().z()), 0, rows_ - 1);
        std::optional<Place> nearest;
        double least = std::numeric_limits<double>::infinity();
        const auto look = [&](int c, int r) {
            for (const Place& place : placesAt(c, r)) {
                const double distance = (at(c, r, place.height) - feet).squaredNorm();
                if (distance >= least) continue;
                least = distance;
                nearest = place;
            }
        };
        for (int ring = 0; !nearest && ring <= std::max(columns_, rows_); ++ring) {
            if (ring % 64 == 0 && progress.cancelled()) return {};
            const int firstRow = std::max(row - ring, 0);
            const int lastRow = std::min(row + ring, rows_ - 1);
            const auto lookAlong = [&](int c) {
                for (int r = firstRow; c >= 0 && c < columns_ && r <= lastRow; ++r) look(c, r);
            };
            const bool hasFirst = firstRow == row - ring;
            const bool hasLast = lastRow == row + ring;
            const int lastColumn = std::min(column + ring, columns_) - 1;
            lookAlong(column - ring);
            for (int c = std::max(column - ring + 1, 0); (hasFirst || hasLast) && c <= lastColumn;
                 ++c) {
                if (hasFirst) look(c, firstRow);
                if (hasLast) look(c, lastRow);
            }
            if (ring > 0) lookAlong(column + ring);
        }
        return nearest;
    }

    /// By their heights alone.
    [[nodiscard]] bool isStep(const Place& from, const Place& to) const {
        const double slope = std::tan(toRadians(plan_.walker.steepest)) * stride_;
        return std::fabs(to.height - from.height) <= std::max(plan_.walker.step, slope);
    }

    [[nodiscard]] bool canWalk(const Place& from, const Place& to) const {
        if (!isStep(from, to)) return false;
        const double floor = std::max(from.height, to.height);
        for (const double above : {kKnee, plan_.walker.eyeHeight}) {
            const Vec3d a = at(from.column, from.row, floor + above);
            const Vec3d b = at(to.column, to.row, floor + above);
            if (rays_.first(a, b - a, 0, stride_).met()) return false;
            if (rays_.first(b, a - b, 0, stride_).met()) return false;
        }
        return true;
    }

    [[nodiscard]] Vec3d eyeAt(const Place& place) const {
        return at(place.column, place.row, place.height + plan_.walker.eyeHeight);
    }

    [[nodiscard]] std::vector<SurveySpot> collect() const {
        std::vector<Place> inside;
        for (const Place& place : reached_)
            if (!plan_.region || plan_.region->contains(eyeAt(place))) inside.push_back(place);
        // Whichever way they were reached, the spots are the same.
        std::sort(inside.begin(), inside.end(), [](const Place& a, const Place& b) {
            return std::tuple(a.row, a.column, a.height) < std::tuple(b.row, b.column, b.height);
        });
        std::vector<SurveySpot> spots;
        for (const Place& place : inside) {
            const int half = perSpot_ / 2;
            if (place.column % half != 0 || place.row % half != 0) continue;
            const bool coarse = place.column % perSpot_ == 0 && place.row % perSpot_ == 0;
            spots.push_back({{}, eyeAt(place), coarse ? 0 : 1, {}});
        }
        addMissed(inside, spots);
        std::sort(spots.begin(), spots.end(), [](const SurveySpot& a, const SurveySpot& b) {
            return std::tuple(a.level, a.eye.z(), a.eye.x(), a.eye.y()) <
                   std::tuple(b.level, b.eye.z(), b.eye.x(), b.eye.y());
        });
        for (std::size_t i = 0; i < spots.size(); ++i) spots[i].name = fmt::format("{}", i + 1);
        return spots;
    }

    /// Ground between the points of the coarse grid: bridges, corridors, lonely corners. Of places
    /// farther from all coarse spots than any of open ground is, some become spots as well.
    void addMissed(const std::vector<Place>& places, std::vector<SurveySpot>& spots) const {
        constexpr double kFarthest = 0.75;  // of the spacing; a square grid leaves 0.71
        Nearness covered(kFarthest * spacing_);
        for (const SurveySpot& spot : spots)
            if (spot.level == 0) covered.add(spot.eye);
        for (const Place& place : places) {
            const Vec3d eye = eyeAt(place);
            if (covered.isNear(eye)) continue;
            covered.add(eye);
            spots.push_back({{}, eye, 0, {}});
        }
    }

    const RayScene& rays_;
    const SpotPlan& plan_;
    Footing ground_;
    Box bounds_;
    double top_ = 0;
    double bottom_ = 0;
    double spacing_ = 1;
    double stride_ = 1;
    int perSpot_ = 2;
    int columns_ = 0;
    int rows_ = 0;
    std::vector<std::vector<Place>> places_;  ///< [rows][columns]
    std::vector<char> explored_;              ///< Of each column.
    std::vector<Place> reached_;
};

double headingOf(const Vec3d& direction) {
    const double degrees = toDegrees(std::atan2(direction.x(), -direction.z()));
    return degrees < 0 ? degrees + 360 : degrees;
}

const std::vector<SurveySpot> kNoSpots;

/// Values of an animated translation with the times between them filled in where they follow a
/// cubic spline: of each key the tangent before it, its value and the tangent after it are stored.
std::vector<Vec3d> positionsAlong(const Scene& scene, const Animation::Sampler& sampler) {
    constexpr int kBetween = 8;
    const auto streamAt = [&](int index) -> const Stream& {
        return *elementOf(scene.streams, index);
    };
    std::vector<Vec3d> values;
    for (const Vec3f& value : toVectors(streamAt(sampler.output)))
        values.push_back(value.cast<double>());
    if (jsonOr<std::string>(sampler.rest, "interpolation", "") != "CUBICSPLINE") return values;
    const Stream& times = streamAt(sampler.input);
    const std::size_t keys = std::min(values.size() / 3, times.count());
    std::vector<Vec3d> line;
    for (std::size_t k = 0; k < keys; ++k) {
        line.push_back(values[3 * k + 1]);
        if (k + 1 == keys) break;
        const double span = static_cast<double>(times.value(k + 1, 0) - times.value(k, 0));
        for (int i = 1; i < kBetween; ++i) {
            const double t = static_cast<double>(i) / kBetween;
            const double t2 = t * t;
            const double t3 = t2 * t;
            line.push_back((2 * t3 - 3 * t2 + 1) * values[3 * k + 1] +
                           span * (t3 - 2 * t2 + t) * values[3 * k + 2] +
                           (3 * t2 - 2 * t3) * values[3 * k + 4] +
                           span * (t3 - t2) * values[3 * k + 3]);
        }
    }
    return line;
}

constexpr double kRounding = 1e-6;  ///< Of sums of shares that make whole objects.

/// [objects] How many objects of the source each stands for: more where some were merged, parts of
/// one where it was split.
std::vector<double> sourceObjectsOf(const Scene& scene) {
    std::unordered_map<std::uint32_t, double> shownBy;
    for (const Object& object : scene.objects)
        for (const std::uint32_t origin : object.origins) shownBy[origin] += 1;
    std::vector<double> counts;
    for (const Object& object : scene.objects) {
        double count = object.origins.empty() ? 1 : 0;
        for (const std::uint32_t origin : object.origins) count += 1 / shownBy[origin];
        counts.push_back(count);
    }
    return counts;
}

}  // namespace

Box middleOf(const Scene& scene, double margin) {
    const std::vector<double> counts = sourceObjectsOf(scene);
    std::vector<std::pair<Box, double>> boxes;
    double total = 0;
    for (std::size_t i = 0; i < scene.objects.size(); ++i) {
        if (scene.objects[i].bounds.isEmpty()) continue;
        boxes.emplace_back(scene.objects[i].bounds, counts[i]);
        total += counts[i];
    }
    if (boxes.empty()) return {Vec3d(-1, 0, -1), Vec3d(1, 0, 1)};
    const double left = std::floor(total / 50 + kRounding);
    // The first edge beyond those that are left out.
    const auto edge = [&](const auto& of) {
        std::vector<std::pair<double, double>> edges;
        for (const auto& [box, count] : boxes) edges.emplace_back(of(box), count);
        std::sort(edges.begin(), edges.end());
        double passed = 0;
        for (const auto& [at, count] : edges)
            if ((passed += count) > left + kRounding) return at;
        return edges.back().first;
    };
    Box middle(Vec3d::Zero(), Vec3d::Zero());
    for (const int axis : {0, 2}) {
        middle.min()[axis] = edge([axis](const Box& box) { return box.min()[axis]; }) - margin;
        middle.max()[axis] = -edge([axis](const Box& box) { return -box.max()[axis]; }) + margin;
    }
    return middle;
}

Box walkableBounds(const Scene& scene) {
    constexpr std::size_t kFewObjects = 50;
    constexpr double kMargin = 6;  ///< Metres.
    const Box whole = scene.bounds();
    if (scene.objects.size() < kFewObjects) return whole;
    Box box = middleOf(scene, kMargin);
    box.min().y() = whole.min().y();
    box.max().y() = whole.max().y();
    return box;
}

namespace {

/// The plan, with a start on the largest ground if less than a tenth of it has been reached by
/// these spots; nothing where it stays.
Expected<std::optional<SpotPlan>> withLargestGround(const Scene& source, const RayScene& rays,
                                                    const SpotPlan& plan,
                                                    const std::vector<SurveySpot>& spots,
                                                    Progress& progress) {
    constexpr double kFew = 0.1;
    const auto grounds = findGrounds(source, rays, plan.walker, spots, plan.spacing, progress);
    if (!grounds) return tl::unexpected(grounds.error());
    if (grounds->empty() || grounds->front().walked >= kFew * grounds->front().area)
        return std::nullopt;
    SpotPlan more = plan;
    more.starts.push_back(grounds->front().eye);
    return more;
}

}  // namespace

Expected<std::vector<SurveySpot>> planSpots(const Scene& scene, const RayScene& rays,
                                            const SpotPlan& plan, Progress& progress) {
    if (progress.cancelled()) return stopped("The search for spots");
    if (scene.bounds().isEmpty())
        return fail(ErrorCode::NotFound, "the scene has nothing to stand on", scene.name);
    const Scene& source = plan.source ? *plan.source : scene;
    auto ground = Footing::of(source, scene, plan.area);
    if (!ground) return tl::unexpected(ground.error());
    auto spots = Planner(source, rays, plan, std::move(*ground)).run(progress);
    const bool isFree = plan.area.empty() && !plan.region;
    if (!isFree || (!spots && spots.error().code != ErrorCode::NotFound)) return spots;
    if (plan.aroundThings && isSingleThing(source, spots.value_or(kNoSpots)))
        return spotsAround(source, plan.verticalFov);
    if (plan.largestGround && spots) {
        const auto more = withLargestGround(source, rays, plan, *spots, progress);
        if (!more) return tl::unexpected(more.error());
        if (*more) spots = Planner(source, rays, **more, Footing()).run(progress);
    }
    if (plan.aroundThings && spots && standsAlone(source, rays))
        for (SurveySpot& spot : spotsAround(source, plan.verticalFov))
            spots->push_back(std::move(spot));
    return spots;
}

bool isSingleThing(const Scene& scene, const std::vector<SurveySpot>& spots) {
    constexpr double kLargest = 12;  ///< Metres of something that is walked around, not on.
    const Box bounds = scene.bounds();
    if (bounds.isEmpty()) return false;
    if (spots.empty()) return true;
    const double top = bounds.max().y();
    const bool onTop = std::all_of(spots.begin(), spots.end(),
                                   [&](const SurveySpot& spot) { return spot.eye.y() > top; });
    return onTop && bounds.diagonal().norm() < kLargest;
}

std::vector<SurveySpot> spotsAround(const Scene& scene, double verticalFov) {
    constexpr int kDirections = 8;
    constexpr double kPitches[] = {0, -25, -60};  ///< Degrees: level, from above, steeply.
    const Box bounds = scene.bounds();
    const double radius = std::max(bounds.diagonal().norm() / 2, 1e-3);
    const double whole = radius / std::sin(toRadians(verticalFov) / 2);
    std::vector<SurveySpot> spots;
    for (const double distance : {1.15 * radius, whole, 3 * whole})
        for (const double pitch : kPitches)
            for (int i = 0; i < kDirections; ++i) {
                Viewpoint view{{}, 360.0 * i / kDirections, pitch};
                view.eye = bounds.center() - distance * lookDirection(view.heading, pitch);
                spots.push_back({fmt::format("{} at {:.3g} m", spots.size() + 1, distance),
                                 view.eye,
                                 0,
                                 {view}});
            }
    return spots;
}

std::vector<Viewpoint> allAround(const Vec3d& eye, int count, double pitch) {
    std::vector<Viewpoint> views;
    for (int i = 0; i < count; ++i) views.push_back({eye, 360.0 * i / count, pitch});
    return views;
}

Expected<std::vector<SurveySpot>> spotsAlong(const std::vector<Viewpoint>& line, double spacing) {
    double all = 0;
    for (std::size_t i = 0; i < line.size(); ++i) {
        if (!isInReach(line[i].eye))
            return fail(ErrorCode::InvalidInput, std::string("lies ") + kBeyondReach,
                        fmt::format("point {} of the route", i + 1));
        if (i > 0) all += (line[i].eye - line[i - 1].eye).norm();
    }
    if (all > spacing * static_cast<double>(kMostSpots))
        return fail(ErrorCode::Limit,
                    fmt::format("the route of {} has more than {} every {}", formatMetres(all),
                                counted(kMostSpots, "spot"), formatMetres(spacing)),
                    {}, "Choose a wider spacing");
    std::vector<SurveySpot> spots;
    const auto add = [&](const Viewpoint& view) {
        SurveySpot spot;
        spot.name = fmt::format("{}", spots.size() + 1);
        spot.eye = view.eye;
        spot.views = {view};
        spots.push_back(std::move(spot));
    };
    double left = 0;  // metres to the next spot
    for (std::size_t i = 0; i + 1 < line.size(); ++i) {
        const Vec3d step = line[i + 1].eye - line[i].eye;
        const double length = step.norm();
        double turn = std::fmod(line[i + 1].heading - line[i].heading + 540, 360) - 180;
        while (left < length) {
            const double t = left / length;
            Viewpoint view = line[i];
            view.eye += t * step;
            view.heading = std::fmod(view.heading + t * turn + 360, 360);
            view.pitch += t * (line[i + 1].pitch - view.pitch);
            add(view);
            left += spacing;
        }
        left -= length;
    }
    if (!line.empty()) add(line.back());
    return spots;
}

Expected<std::vector<Viewpoint>> animatedPath(const Scene& scene, const std::string& node) {
    for (const Animation& animation : scene.animations)
        for (const Json& channel : animation.channels) {
            const Json& target = jsonObject(channel, "target");
            const int index = jsonOr(target, "node", -1);
            if (index < 0 || static_cast<std::size_t>(index) >= scene.nodes.size()) continue;
            if (elementOf(scene.nodes, index).name != node) continue;
            if (jsonOr<std::string>(target, "path", "") != "translation") continue;
            const int sampler = jsonOr(channel, "sampler", -1);
            if (sampler < 0 || static_cast<std::size_t>(sampler) >= animation.samplers.size())
                continue;
            const int output = elementOf(animation.samplers, sampler).output;
            if (output < 0) continue;
            const int parent = elementOf(scene.nodes, index).parent;
            const Mat4d above = parent < 0 ? Mat4d(Mat4d::Identity())
                                           : elementOf(worldTransforms(scene.nodes), parent);
            std::vector<Viewpoint> path;
            const auto& moved = elementOf(animation.samplers, sampler);
            for (const Vec3d& p : positionsAlong(scene, moved))
                path.push_back({transformPoint(above, p), 0, 0});
            if (path.empty()) continue;
            for (std::size_t i = 0; i + 1 < path.size(); ++i)
                path[i].heading = headingOf(path[i + 1].eye - path[i].eye);
            if (path.size() > 1) path.back().heading = path[path.size() - 2].heading;
            return path;
        }
    return fail(ErrorCode::NotFound, "no animation moves a node of that name", node,
                "Name an animated camera of the scene");
}

bool Camera::isFree() const {
    return distances == std::vector<double>{0} && pitches == std::vector<double>{0} &&
           lastHeading - firstHeading >= 360;
}

std::vector<double> Camera::headings(int count) const {
    const double turn = std::clamp(lastHeading - firstHeading, 0.0, 360.0);
    const int steps = std::max(1, static_cast<int>(std::ceil(count * turn / 360 - 1e-9)));
    const int ends = turn > 0 && turn < 360 ? 1 : 0;
    std::vector<double> result;
    for (int i = 0; i < (turn > 0 ? steps : 1) + ends; ++i)
        result.push_back(std::fmod(firstHeading + turn * i / steps + 720, 360));
    return result;
}

std::vector<SurveySpot> throughCamera(const std::vector<SurveySpot>& spots, const Camera& camera,
                                      int headings) {
    if (camera.isFree()) return spots;
    std::vector<SurveySpot> result;
    const std::vector<double> turned = camera.headings(headings);
    const auto add = [&](const SurveySpot& spot, double distance, double pitch) {
        SurveySpot still = spot;
        still.views.clear();
        for (const double heading : turned) {
            const Vec3d eye = spot.eye - distance * lookDirection(heading, pitch);
            still.views.push_back({eye, heading, pitch});
            if (distance == 0) continue;
            SurveySpot moved = spot;
            moved.name = fmt::format("{} from {:g} m, {:g} degrees, pitch {:g}", spot.name,
                                     distance, heading, pitch);
            moved.eye = eye;
            moved.views = {still.views.back()};
            result.push_back(std::move(moved));
        }
        if (distance == 0) result.push_back(std::move(still));
    };
    for (const SurveySpot& spot : spots)
        for (const double distance : camera.distances)
            for (const double pitch : camera.pitches) add(spot, distance, pitch);
    return result;
}

}  // namespace flentro
