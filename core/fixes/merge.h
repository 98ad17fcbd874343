// Merging: what stands together is drawn together.
//
// Objects of one cell that cast shadows alike and go at similar distances become one object with
// one part for each material. What that saves in draw calls it costs in triangles, as the whole
// parcel is drawn when any of it is in view. Both sides are counted in the views that players
// reach, by the same ViewMeter as everything else, on stand-ins without geometry.

#pragma once

#include "fixes/fix.h"

namespace flentro {

/// Objects that become one.
struct Parcel {
    std::string name;
    std::vector<std::uint32_t> members;  ///< Objects of the scene before.
    std::vector<std::uint32_t> origins;
    Box bounds;
    // Means over all views; what is saved is positive, what is paid too.
    double callsSaved = 0;
    double trianglesPaid = 0;
    double bytesPaid = 0;  ///< Copies of what was shared before.
};

/// What parcels of one size would bring.
struct ParcelSize {
    double size = 0;       ///< Metres.
    double calls = 0;      ///< Mean of all views.
    double triangles = 0;  ///< Likewise.
    double load = 0;       ///< Of both together; above x1.00 it weighs five times.
};

/// Whether copies of an asset are merged, and why.
struct MergeVerdict {
    std::string asset;
    std::size_t copies = 0;
    bool merged = false;
    double callsAsInstances = 0;  ///< Mean of all views, by all copies.
    double callsMerged = 0;       ///< Their share of the parcels' calls.
    std::string why;
};

struct MergeReport {
    double size = 0;                ///< Metres; that was searched or given.
    bool estimated = false;         ///< Without a survey.
    ParcelSize before;              ///< Size 0.
    std::vector<ParcelSize> sizes;  ///< Rising.
    std::vector<Parcel> parcels;
    std::vector<MergeVerdict> verdicts;  ///< Assets with candidates, most copies first.
};

}  // namespace flentro
