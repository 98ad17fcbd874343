// What each light adds to what players see: measured once, asked by every fix of lights.
//
// Points are spread over the views of a survey by their pixels. Each holds the lights that reach
// it, how much each adds, and whether something that casts shadows stands between. So it is known
// without rays how any view changes if lights lose their shadows, are cut short or go out.

#pragma once

#include <memory>
#include <span>
#include <vector>

#include "base/error.h"
#include "base/progress.h"
#include "measure/lighting.h"

namespace flentro {

class RayScene;
struct Survey;

class LightMatrix {
public:
    struct Point {
        Vec3f at = Vec3f::Zero();
        std::uint32_t place = 0;  ///< In eyes().
        std::uint32_t view = 0;   ///< Of that place.
        std::uint32_t first = 0;  ///< Of its entries.
    };
    /// A placed light of the scene as it was read.
    struct Row {
        Vec3f position = Vec3f::Zero();
        float range = 0;  ///< Metres; infinity: none, as for directional lights.
    };
    /// One light at one point.
    struct Entry {
        std::uint32_t light : 31;     ///< In rows().
        std::uint32_t isBlocked : 1;  ///< Something that casts shadows stands between.
        float lux;                    ///< If nothing did, with the author's range.
    };

    LightMatrix() = default;
    /// `points` by place; each one's entries follow those of the one before.
    LightMatrix(std::vector<Row> rows, std::vector<Vec3d> eyes, std::vector<Point> points,
                std::vector<Entry> entries, std::uint32_t raysOfView);

    [[nodiscard]] std::span<const Row> rows() const { return rows_; }
    [[nodiscard]] std::span<const Vec3d> eyes() const { return eyes_; }
    [[nodiscard]] std::span<const Point> points() const { return points_; }
    [[nodiscard]] std::span<const Entry> entries() const { return entries_; }
    [[nodiscard]] std::span<const Entry> entriesOf(std::size_t point) const {
        const std::size_t end =
            point + 1 < points_.size() ? points_[point + 1].first : entries_.size();
        return std::span(entries_).subspan(points_[point].first, end - points_[point].first);
    }
    /// Points of one place lie together: from here to that of the next place.
    [[nodiscard]] std::size_t firstPoint(std::size_t place) const { return firstOf_[place]; }
    /// Rays of each view, those that met nothing as well: one stands for this share of a view.
    [[nodiscard]] std::uint32_t raysOfView() const { return raysOfView_; }
    /// Lux at which the eye adapts to a place: the mean of what is lit there, at least a little.
    [[nodiscard]] double adaptation(std::size_t place) const { return adaptations_[place]; }

private:
    std::vector<Row> rows_;
    std::vector<Vec3d> eyes_;
    std::vector<Point> points_;
    std::vector<Entry> entries_;
    std::vector<std::size_t> firstOf_;  ///< [places + 1]
    std::vector<double> adaptations_;   ///< [places]
    std::uint32_t raysOfView_ = 1;
};

/// Traces a few dozen rays into each view of the spots that are done, and from each point one to
/// each light that matters there. `scene` and `rays` are what was surveyed; the lights are those
/// of `source`, the scene that it was made from by fixes, or the same. The same for any number of
/// threads. Null without lights. Errors: Cancelled. Cost: views x 24 rays, and for each point at
/// most 24 to lights.
[[nodiscard]] Expected<std::shared_ptr<const LightMatrix>> measureLights(const Scene& source,
                                                                         const Scene& scene,
                                                                         const RayScene& rays,
                                                                         const Survey& survey,
                                                                         Progress& progress);

/// What reaches the display of `lux` where the eye has adapted to `adaptation`: 0 to 1 (Reinhard
/// et al. 2002, "Photographic tone reproduction for digital images", the simple operator).
[[nodiscard]] inline double displayOf(double lux, double adaptation) {
    return lux / (lux + adaptation);
}

/// How a change of lights shows: mean over the pixels of a view, as a share of the display's range.
struct LightingChange {
    double mean = 0;        ///< Over all views.
    double worst = 0;       ///< In the view that changes most ...
    std::size_t place = 0;  ///< ... of this place.
    std::size_t view = 0;
};

/// What the lights of a scene let arrive of the entries of a matrix: with their ranges, shadows,
/// distances and fades. Lights that are gone let nothing arrive; one that stands for several lets
/// each arrive from where it is now.
class ArrivingLight {
public:
    /// `scene`: the one that the matrix is of, or made from it by fixes; both must outlive it.
    ArrivingLight(const Scene& scene, const LightMatrix& matrix);

    /// Lux of one entry of a point, as seen from its place.
    [[nodiscard]] double lux(const LightMatrix::Point& point,
                             const LightMatrix::Entry& entry) const;
    /// The same if the light cast no shadow.
    [[nodiscard]] double luxWithoutShadow(const LightMatrix::Point& point,
                                          const LightMatrix::Entry& entry) const;
    /// The placed light of the scene that shows a light of the source; -1: gone.
    [[nodiscard]] int placedOf(std::uint32_t light) const { return placedOf_[light]; }

private:
    const Scene& scene_;
    const LightMatrix& matrix_;
    std::vector<int> placedOf_;               ///< [rows]
    std::vector<std::vector<bool>> casting_;  ///< [places][placed lights]
};

/// How views change from one scene to another. Cost: O(entries).
[[nodiscard]] LightingChange lightingChange(const LightMatrix& matrix, const Scene& before,
                                            const Scene& after);

}  // namespace flentro
