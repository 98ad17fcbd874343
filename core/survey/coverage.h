// How much of a scene a survey has looked at: without that no conclusion holds.

#pragma once

#include "survey/spots.h"

namespace flentro {

/// Connected surfaces to stand on.
struct Ground {
    double area = 0;            ///< Square metres.
    double walked = 0;          ///< Of them within reach of a spot.
    Vec3d eye = Vec3d::Zero();  ///< At eye height above the place nearest to its middle.
};

/// Grounds of a scene on a coarse grid, largest first; those below a tenth of the largest
/// (tables, roofs) are left out. Two places are connected where their heights differ by no more
/// than a slope allows, the surface between them is even, and nothing is between them at knee and
/// eye height.
///
/// `spots`, `spacing`: places within 1.1 times the spacing of a spot are walked. `rays`: of the
/// scene that is walked; `source`: tells where to look, as in SpotPlan.
/// Cost: at most 20,000 columns with a few rays each. Errors: Cancelled.
[[nodiscard]] Expected<std::vector<Ground>> findGrounds(const Scene& source, const RayScene& rays,
                                                        const Walker& walker,
                                                        const std::vector<SurveySpot>& spots,
                                                        double spacing, Progress& progress);

/// What a survey rests on.
struct Coverage {
    static constexpr double kEnough = 0.6;  ///< Below this share nothing is concluded.
    static constexpr std::size_t kMaxGrounds = 6;

    std::vector<Ground> grounds;  ///< Largest first, at most kMaxGrounds.
    double ground = 0;            ///< Square metres of all grounds.
    double walked = 0;            ///< Of them within reach of a spot.
    double spread = 1;            ///< Share of where the objects are that the spots span, 0 to 1.
    bool isAround = false;        ///< Spots look at the whole scene from all sides.
    std::size_t objects = 0;      ///< Placed ones with a surface.
    std::size_t seen = 0;         ///< Of them seen from any spot; 0 without rays.
    bool hasRays = false;

    /// 0 to 1. Of the ground; 1 without ground. Where the spots span a small part of the scene, no
    /// more than they span or see of its objects.
    [[nodiscard]] double share() const;
    [[nodiscard]] bool isEnough() const { return share() >= kEnough; }
    /// "83 % of the ground", "all sides", "3 % of the scene".
    [[nodiscard]] std::string text() const;
};

/// Coverage of spots, before anything was seen. Errors: Cancelled.
[[nodiscard]] Expected<Coverage> coverageOf(const Scene& source, const RayScene& rays,
                                            const Walker& walker,
                                            const std::vector<SurveySpot>& spots, double spacing,
                                            Progress& progress);

/// True for a vehicle, a ship, a machine of up to 100 m: there is no ground around it.
[[nodiscard]] bool standsAlone(const Scene& scene, const RayScene& rays);

}  // namespace flentro
