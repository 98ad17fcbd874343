// What fixes know of the views that players reach.

#pragma once

#include <vector>

#include "budget/target.h"
#include "scene/scene.h"

namespace flentro {

struct Survey;

/// What a survey says of its spots and of each object of the source. A value without the rest of
/// the survey: fixes that ask it are evaluated again when it changes, not when a survey does.
struct Evidence {
    /// One origin as a place sees it.
    struct Glimpse {
        std::uint32_t origin = 0;
        float pixels = 0;
        float distance = 0;  ///< Metres to the nearest point of it that shows.
    };
    /// An eye and at most as many views as Sightings hold.
    struct Place {
        Vec3d eye = Vec3d::Zero();
        std::vector<Viewpoint> views;
        std::vector<Glimpse> seen;  ///< Empty without rays.
    };
    std::vector<Place> places;
    Hash hash;  ///< Of all that; zero if empty.

    [[nodiscard]] bool empty() const { return places.empty(); }
};

/// `scene`: what was surveyed.
[[nodiscard]] Evidence evidenceOf(const Survey& survey, const Scene& scene);

/// The same for a scene that was read again: `where` [origins before] tells where each is now,
/// -1 for those that are gone.
[[nodiscard]] Evidence withMovedOrigins(const Evidence& evidence, const std::vector<int>& where);

/// [origins] Diameter in metres of the disc that shows as many pixels as the most that any place
/// sees of it, at that distance; 0: not seen. `pixelsPerMetre`: at one metre.
[[nodiscard]] std::vector<double> seenSizes(const Evidence& evidence, std::size_t origins,
                                            double pixelsPerMetre);

/// The places of the evidence, or if there are none, some over the ground of the scene at the
/// height of an eye: then what follows from them is an estimate.
[[nodiscard]] std::vector<Evidence::Place> placesFor(const Scene& scene, const Evidence& evidence);

}  // namespace flentro
