// Merging: what stands together is drawn together.
//
// Objects of one cell that cast shadows alike and go at similar distances become one object with
// one part for each material; or the parts of one material in a cell do. What that saves in draw
// calls and objects it costs in triangles, as the whole parcel is drawn when any of it is in view.
// Both sides are counted in the views that players reach, by the same ViewMeter as everything else,
// on stand-ins without geometry.

#pragma once

#include <set>

#include "fixes/fix.h"

namespace flentro {

/// What becomes of the copies of an asset.
enum class MergeChoice {
    Auto,   ///< What costs less in the views.
    Merge,  ///< Always.
    Leave,  ///< Never.
};

struct MergeSettings {
    enum class Grouping {
        Grid,  ///< By cells of a grid.
        Near,  ///< By nearness, up to the size of a cell.
        /// By cells of a grid, each material by itself: objects of several are divided for it.
        Material,
    };
    Grouping grouping = Grouping::Grid;
    double parcel = 0;        ///< Metres, edge of a parcel, up to 1000; 0: searched.
    int maxVertices = 65534;  ///< Of one part: with fewer than 65,535 indices take 16 bits.
    double maxCullRatio = 2;  ///< Culling distances in one parcel differ by this factor at most.
    /// Only what the same lights reach: for renderers that light each object by a list of its own.
    bool sameLights = false;
    std::map<std::string, MergeChoice> overrides;  ///< By asset name.
    std::set<std::string> excluded;                ///< Names of objects that are left alone.

    static const FixKind& kind();
};

/// Objects that become one.
struct Parcel {
    std::string name;
    std::vector<std::uint32_t> members;  ///< Objects of the scene before, also if in part.
    std::vector<std::uint32_t> origins;
    Box bounds;
    // Means over all views; what is saved is positive, what is paid too.
    double callsSaved = 0;
    double objectsSaved = 0;
    double trianglesPaid = 0;
    double bytesPaid = 0;  ///< Copies of what was shared before.
};

/// What parcels of one size would bring.
struct ParcelSize {
    double size = 0;       ///< Metres.
    double calls = 0;      ///< Mean of all views.
    double objects = 0;    ///< Likewise.
    double triangles = 0;  ///< Likewise.
    double load = 0;       ///< Likewise, of all three together.
    double overload = 0;  ///< Likewise, what is beyond the limits; 0.5 more in a view that is over.
};

/// Whether copies of an asset are merged, and why.
struct MergeVerdict {
    std::string asset;
    std::size_t copies = 0;  ///< By material each piece.
    bool merged = false;
    double callsAsInstances = 0;  ///< Mean of all views, by all copies.
    double callsMerged = 0;       ///< Their share of the parcels' calls.
    std::string why;
};

struct MergeReport final : FixReport {
    double size = 0;                ///< Metres; that was searched or given.
    bool estimated = false;         ///< Without a survey.
    ParcelSize before;              ///< Size 0.
    std::vector<ParcelSize> sizes;  ///< Rising.
    std::vector<Parcel> parcels;
    std::size_t spared = 0;              ///< Parcels taken back: views were over by them.
    std::vector<MergeVerdict> verdicts;  ///< Assets with candidates, most copies first.
    [[nodiscard]] Json describe(const Scene& source) const override;
};

/// Parcels of static objects. Errors: Cancelled. Cost: a count of all views for each size tried.
[[nodiscard]] Expected<Fixed> applyMerge(const Scene& scene, const MergeSettings& settings,
                                         const Target& target, const Evidence& evidence,
                                         Progress& progress);

}  // namespace flentro
