// Crowns of cards or real leaves at any number of triangles: first each leaf becomes simpler, then
// leaves become fewer and larger.

#pragma once

#include <memory>

#include "base/error.h"
#include "base/progress.h"
#include "simplify/card_cloud.h"
#include "simplify/collapse_log.h"

namespace flentro {

class Foliage {
public:
    /// A part for which CardCloud::isOne(). Errors: Cancelled. Cost: that of a Reducer.
    [[nodiscard]] static Expected<Foliage> build(const Part& part, Progress& progress);

    /// With no more than `share` of the triangles and the whole area, as CardCloud::thinned().
    [[nodiscard]] Part thinned(double share) const;
    /// How far outlines move there, metres. Cost: O(V + T).
    [[nodiscard]] double deviationAt(double share) const;
    /// The smallest share whose outlines move by no more than so many metres, to a tenth; 1 if
    /// there is none. Cost: O((V + T) log(1 / share)).
    [[nodiscard]] double shareWithin(double deviation) const;

private:
    Foliage(MeshPtr whole, CollapseLog log);
    [[nodiscard]] double trianglesAt(double share) const {
        return share * static_cast<double>(whole_->triangles);
    }
    [[nodiscard]] bool thinsOut(double share) const;
    [[nodiscard]] Part simplerAt(double share) const;

    MeshPtr whole_;                           ///< The part alone.
    CollapseLog log_;                         ///< Of whole_.
    double area_;                             ///< Square metres.
    std::shared_ptr<const Part> least_;       ///< Every leaf as simple as it becomes.
    std::shared_ptr<const CardCloud> cloud_;  ///< Of least_.
};

}  // namespace flentro
