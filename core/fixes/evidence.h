// What fixes know of the views that players reach.

#pragma once

#include <memory>
#include <vector>

#include "base/value.h"
#include "budget/target.h"
#include "measure/pixel_work.h"
#include "scene/changes.h"

namespace flentro {

class LightMatrix;
struct Survey;

/// What a survey says of its spots and of each object of the source. A value without the rest of
/// the survey: fixes that ask it are evaluated again when it changes, not when a survey does.
struct Evidence {
    FLENTRO_DECLARE_VALUE(Evidence);

    /// One origin as a place sees it.
    struct VisibilitySample {
        std::uint32_t origin = 0;
        float pixels = 0;
        float distance = 0;  ///< Metres to the nearest point of it that shows.
    };
    /// An eye and at most as many views as EyeVisibility hold.
    struct Place {
        Vec3d eye = Vec3d::Zero();
        std::vector<Viewpoint> views;
        std::vector<VisibilitySample> seen;  ///< Empty without rays.
        std::vector<PixelWork> work = {};    ///< [views] Likewise.
    };
    /// How large an image has to be for what was seen of it.
    struct ImageNeed {
        Hash image;    ///< As Image::source() tells.
        int edge = 0;  ///< The longer one, pixels: what serves at one texel a pixel; 0: not seen.
    };
    std::vector<Place> places;
    std::vector<ImageNeed> images;  ///< By hash, rising; empty without rays.
    /// What each placed light of the source adds to what was seen; null without rays.
    std::shared_ptr<const LightMatrix> lights;
    Hash hash;  ///< Of all that; zero if empty.

    [[nodiscard]] bool empty() const { return places.empty(); }
    /// Null for images that the survey does not know.
    [[nodiscard]] const ImageNeed* needOf(const Image& image) const;
};

/// `scene`: what was surveyed.
[[nodiscard]] Evidence evidenceOf(const Survey& survey, const Scene& scene);

/// The same for a scene that was read again, by where its things are now. What was measured of
/// lights is kept only where all of them are still there, in the same order.
[[nodiscard]] Evidence withMovedOrigins(const Evidence& evidence, const SceneMatch& where);

/// [origins] Diameter in metres of the disc that shows as many pixels as the most that any place
/// sees of it, at that distance; 0: not seen. `pixelsPerMetre`: at one metre.
[[nodiscard]] std::vector<double> seenSizes(const Evidence& evidence, std::size_t origins,
                                            double pixelsPerMetre);

/// The places of the evidence, or if there are none, some over the ground of the scene at the
/// height of an eye: then what follows from them is an estimate.
[[nodiscard]] std::vector<Evidence::Place> placesFor(const Scene& scene, const Evidence& evidence);

}  // namespace flentro
