// What follows from a survey: waste, what is never seen, where the world may end.

#pragma once

#include "survey/survey.h"

namespace flentro {

/// Drawn and seen in one view.
struct ViewWaste {
    double drawnTriangles = 0;   ///< Without shadow passes.
    double hiddenTriangles = 0;  ///< Of drawn objects that no ray met.
    std::size_t drawnObjects = 0;
    std::size_t hiddenObjects = 0;
};

/// Needs a survey with rays; a view found between the headings counts objects as seen that any
/// heading sees.
[[nodiscard]] ViewWaste wasteOf(const Scene& scene, const Survey& survey, std::size_t spot,
                                std::size_t view);

/// One object's waste over all headings of all spots.
struct ObjectWaste {
    std::uint32_t object = 0;
    std::size_t views = 0;  ///< That draw it in vain.
    double triangles = 0;   ///< Mean over all views, as drawn.
};
/// Objects that are drawn in vain, most triangles first. Cost: O(spots x objects x headings).
[[nodiscard]] std::vector<ObjectWaste> rankWaste(const Scene& scene, const Survey& survey);

/// What no spot has seen, and how far that can be trusted.
struct NeverSeen {
    std::vector<std::uint32_t> objects;
    std::size_t triangles = 0;      ///< Unique ones that neither pass met, of assets seen at all.
    std::size_t belowSampling = 0;  ///< Met by the targeted pass only: kept.
    /// Those of `triangles` that share no corner with a triangle that was seen.
    std::size_t removable = 0;
    std::vector<std::size_t> seenAfter;  ///< [spots done] Objects seen by then, in mixed order.
    /// Objects that one more spot is expected to reveal: those seen by one spot only, over the
    /// spots (Good 1953; Chao 1987 for the estimate of all that are left).
    double expectedNext = 0;
    double expectedLeft = 0;
    /// With 95 % confidence an object that no spot saw is seen from less than this share of
    /// places like them: 3 / spots (Hanley & Lippman-Hand 1983).
    double shareBound = 1;
};
[[nodiscard]] NeverSeen findUnseen(const Scene& scene, const Survey& survey);

/// [unique triangles] True where neither the triangle nor one that shares a corner was seen.
[[nodiscard]] std::vector<bool> removableTriangles(const Scene& scene, const Survey& survey);

/// [images] Texels of each that lay in one pixel where it was seen largest; 0: not seen.
[[nodiscard]] std::vector<float> texelsPerPixel(const Scene& scene, const Survey& survey);

/// How finely an image was ever seen, beside what it stores. All its roles share coordinates, so
/// it holds for normal maps as for colours.
struct TextureNeed {
    std::uint32_t image = 0;
    double texelsPerPixel = 0;  ///< Where it was seen largest; above 2 a mip level is never shown.
    int edge = 0;               ///< The longer one that would serve, pixels; as stored below 2.
    double bytes = 0;           ///< Of the target's texture memory that would be saved.
};
/// Images that are larger than any view needs, most bytes first, by every set of coordinates and
/// transform that a material lays them with. Left out: images that were not seen.
[[nodiscard]] std::vector<TextureNeed> findTextureNeeds(const Scene& scene, const Survey& survey);

/// What a nearer far plane would cut off.
struct FarPlaneLoss {
    double distance = 0;    ///< Metres.
    double meanShare = 0;   ///< Of the seen pixels, over all spots, 0 to 1.
    double worstShare = 0;  ///< Of those of the spot that loses most.
    std::size_t worstSpot = 0;
    std::size_t objects = 0;  ///< Seen ones that no spot would see any more.
};
/// Rising distances, up to the first that loses nothing.
[[nodiscard]] std::vector<FarPlaneLoss> farPlaneLosses(const Survey& survey);

}  // namespace flentro
