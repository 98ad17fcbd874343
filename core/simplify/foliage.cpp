#include "simplify/foliage.h"

#include <algorithm>

#include "simplify/reducer.h"

namespace flentro {
namespace {

/// How far a leaf's own outline may move while it becomes simpler, in half widths: much less than
/// it moves when the leaf goes.
constexpr double kSimpler = 0.25;

}  // namespace

Expected<Foliage> Foliage::build(const Part& part, Progress& progress) {
    Mesh alone;
    alone.parts.push_back(part);
    const MeshPtr whole = finishMesh(std::move(alone));
    ReducerOptions options;
    options.crossSeams = false;
    auto reducer = Reducer::build(*whole, options, progress);
    if (!reducer) return tl::unexpected(reducer.error());
    const double most = kSimpler * CardCloud(whole->parts.front()).halfWidth();
    if (auto done = reducer->reduceTo(1, most, progress); !done)
        return tl::unexpected(done.error());
    return Foliage(whole, std::move(*reducer).takeLog());
}

Foliage::Foliage(MeshPtr whole, CollapseLog log)
    : whole_(std::move(whole)), log_(std::move(log)), area_(surfaceArea(*whole_)) {
    least_ = std::make_shared<const Part>(log_.meshAt(log_.fewestTriangles()).parts.front());
    cloud_ = std::make_shared<const CardCloud>(*least_, area_);
}

/// True if simpler leaves do not suffice.
bool Foliage::thinsOut(double share) const {
    return trianglesAt(share) < static_cast<double>(log_.fewestTriangles());
}

Part Foliage::simplerAt(double share) const {
    return log_.meshAt(static_cast<std::size_t>(trianglesAt(share))).parts.front();
}

Part Foliage::thinned(double share) const {
    if (share >= 1) return whole_->parts.front();
    if (thinsOut(share))
        return cloud_->thinned(trianglesAt(share) / static_cast<double>(least_->triangleCount()));
    const Part simpler = simplerAt(share);
    return CardCloud(simpler, area_).thinned(1);
}

double Foliage::deviationAt(double share) const {
    if (share >= 1) return 0;
    if (thinsOut(share))
        return log_.lastDeviation() +
               cloud_->deviationAt(trianglesAt(share) /
                                   static_cast<double>(least_->triangleCount()));
    const Part simpler = simplerAt(share);
    return log_.deviationAt(simpler.triangleCount()) + CardCloud(simpler, area_).deviationAt(1);
}

double Foliage::shareWithin(double deviation) const {
    constexpr double kStep = 0.9;
    constexpr double kLeast = 0.01;
    double share = 1;
    while (share * kStep > kLeast && deviationAt(share * kStep) <= deviation) share *= kStep;
    return share;
}

}  // namespace flentro
