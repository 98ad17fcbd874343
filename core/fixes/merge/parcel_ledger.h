// Both sides of merging, counted in views: calls and objects saved, triangles paid.

#pragma once

#include "fixes/merge/merge.h"
#include "fixes/merge/parcels.h"
#include "measure/view_meter.h"

namespace flentro {

/// The scene with these groups merged, without geometry: its objects cost what the merged ones
/// would, with parts of at most `maxVertices`, and nothing else may be asked of it. The groups'
/// parcels are its last objects.
[[nodiscard]] Scene withoutGeometry(const Scene& scene, const std::vector<Group>& groups,
                                    std::size_t maxVertices);

/// Counts views of one scene, its groups left apart or merged. Copies of one mesh share their calls
/// unless the target batches nothing. Scene and places must outlive it.
class ParcelLedger {
public:
    /// Cost: that of a ViewMeter and a count for each place.
    ParcelLedger(const Scene& scene, const Target& target,
                 const std::vector<Evidence::Place>& places, std::size_t maxVertices);

    /// Means over all views with these groups merged. Cost: that of a ViewMeter and a count for
    /// each place.
    [[nodiscard]] ParcelSize count(const std::vector<Group>& groups, double size) const;

    /// What each asset's members cost as they are, and merged; and what each group saves and pays.
    /// A call that several share, as copies or as members of one parcel, is shared among them.
    struct Shares {
        struct Asset {
            double callsApart = 0;  ///< Mean over all views.
            double callsMerged = 0;
            double objectsApart = 0;
            double objectsMerged = 0;
            double trianglesPaid = 0;
            double worth = 0;  ///< See Account.
        };
        struct Account {
            double callsSaved = 0;
            double objectsSaved = 0;
            double trianglesPaid = 0;
            /// Saved less paid, in shares of the limits; a view that is over a measure weighs a
            /// thousand times for it, one that comes near the limit up to that. Calls where there
            /// is no limit at all.
            double worth = 0;
        };
        std::vector<Asset> assets;    ///< [assets]
        std::vector<Account> groups;  ///< [groups]
    };
    [[nodiscard]] Shares share(const std::vector<Group>& groups) const;

    /// At how many places a group would have to go for no view's overload to grow by merging: what
    /// its loads are beyond their limits, together. Of each place the groups that pay most
    /// triangles there, as many as make up the growth. [groups] Cost: that of count().
    [[nodiscard]] std::vector<std::size_t> overloading(const std::vector<Group>& groups) const;

    /// Highest load of the visible objects in any view of the scene as it is.
    [[nodiscard]] double worstObjects() const;

    /// Of an account, all views alike.
    [[nodiscard]] double meanWorth(const Shares::Account& account) const;

private:
    /// One object as it is, over all views of one place.
    struct Drawn {
        std::uint32_t object = 0;
        double calls = 0;
        double views = 0;      ///< Of the place, in which it is.
        double triangles = 0;  ///< For one eye.
    };
    class Sharing;
    [[nodiscard]] static double worth(const Counts& prices, double calls, double objects,
                                      double triangles);
    [[nodiscard]] std::vector<Drawn> drawnApart(const EyeVisibility& sightings) const;

    /// One view of the scene as it is.
    struct ViewLoad {
        double overload = 0;
        double triangles = 0;
        double objects = 0;  ///< Load.
    };
    /// The largest share of what merging pays in a view of that place that has to go for its
    /// overload not to grow; 0 where none does.
    [[nodiscard]] double excessShare(std::size_t place, const std::vector<ViewTally>& merged) const;

    const Scene& scene_;
    const std::size_t maxVertices_;  ///< Of one part of a parcel.
    const Target target_;
    const std::vector<std::uint32_t> batches_;  ///< [objects]
    const std::vector<Evidence::Place>& places_;
    std::vector<Counts> prices_;  ///< [places] Of one call, object and triangle in its views.
    std::vector<std::vector<Drawn>> apart_;      ///< [places] The objects that are drawn.
    std::vector<std::vector<ViewLoad>> before_;  ///< [places][views]
};

}  // namespace flentro
