#include "fixes/ladder/ladder_maker.h"

#include <algorithm>
#include <cmath>

#include "simplify/level_order.h"

namespace flentro {
namespace {

constexpr std::size_t kShadingSamples = 500;
constexpr double kNoDistance = 1e-6;  ///< Metres: levels that deviate by nothing are looked at too.
constexpr double kUnlimited = std::numeric_limits<double>::infinity();

/// Artists paint how much the surface matters into this vertex attribute; 1 is usual.
constexpr const char* kImportance = "_IMPORTANCE";
constexpr float kMinImportance = 1e-3F;

/// The mesh without the triangles of parts that are foliage; the same if it has none.
MeshPtr withoutFoliage(const MeshPtr& mesh, bool thin) {
    Mesh solid = *mesh;
    bool any = false;
    for (Part& part : solid.parts) {
        if (!thin || !CardCloud::isOne(part)) continue;
        part.indices.clear();
        any = true;
    }
    return any ? finishMesh(std::move(solid)) : mesh;
}

/// [parts][vertices] The heaviest of the triangles around each, by what a survey saw of them.
std::vector<std::vector<float>> weightsOf(const Mesh& mesh, const MeshRuns& weights) {
    std::vector<float> ofTriangle;
    for (std::size_t i = 0; i + 1 < weights.runs.size(); i += 2)
        ofTriangle.insert(
            ofTriangle.end(),
            std::min<std::size_t>(weights.runs[i], mesh.triangles - ofTriangle.size()),
            static_cast<float>(weights.runs[i + 1]) / 100);
    ofTriangle.resize(mesh.triangles, 1);
    std::vector<std::vector<float>> importance;
    std::size_t first = 0;
    for (const Part& part : mesh.parts) {
        auto& own = importance.emplace_back(part.vertexCount(), kMinImportance);
        for (std::size_t i = 0; part.isTriangles() && i < part.indices.size(); ++i) {
            float& weight = own[part.indices[i]];
            weight = std::max(weight, ofTriangle[first + i / 3]);
        }
        first += part.triangleCount();
    }
    return importance;
}

std::vector<std::vector<float>> paintedImportance(const Mesh& mesh) {
    std::vector<std::vector<float>> importance(mesh.parts.size());
    bool any = false;
    for (std::size_t p = 0; p < mesh.parts.size(); ++p) {
        const Stream* painted = mesh.parts[p].find(kImportance);
        if (!painted) continue;
        any = true;
        for (std::size_t v = 0; v < painted->count(); ++v) {
            const float value = painted->value(v, 0);
            importance[p].push_back(std::isfinite(value) ? std::max(value, kMinImportance) : 1);
        }
    }
    if (!any) importance.clear();
    return importance;
}

/// What was painted times what was seen.
std::vector<std::vector<float>> importanceOf(const Mesh& mesh, const std::vector<MeshRuns>& seen) {
    std::vector<std::vector<float>> painted = paintedImportance(mesh);
    const auto found = std::find_if(seen.begin(), seen.end(), [&](const MeshRuns& weights) {
        return weights.mesh == mesh.hash;
    });
    if (found == seen.end()) return painted;
    std::vector<std::vector<float>> importance = weightsOf(mesh, *found);
    for (std::size_t p = 0; p < painted.size(); ++p)
        for (std::size_t v = 0; v < painted[p].size(); ++v) importance[p][v] *= painted[p][v];
    return importance;
}

}  // namespace

LadderMaker::LadderMaker(const Asset& asset, const LadderSettings& settings, double nearest,
                         const Target& target, const std::vector<std::vector<bool>>& locked,
                         const std::vector<PoseMesh>& poses, Progress& progress)
    : asset_(asset),
      settings_(settings),
      nearest_(nearest),
      poses_(poses),
      progress_(progress),
      perMetre_(pixelsPerMetreAtOne(target)),
      pixels_(settings.pixels * errorScale(asset.importance)),
      solid_(withoutFoliage(asset.mesh, settings.thinCards)) {
    options_.importance = importanceOf(*asset.mesh, settings.weights);
    options_.locked = locked;
}

/// Builds the surfaces that levels are measured against, and the foliage.
Expected<void> LadderMaker::prepare() {
    auto surfaces = PosedSurfaces::build(*solid_, poses_, progress_);
    if (!surfaces) return tl::unexpected(surfaces.error());
    surfaces_ = std::move(*surfaces);
    for (std::size_t p = 0; p < solid_->parts.size(); ++p) {
        const Part& part = asset_.mesh->parts[p];
        if (solid_->parts[p].triangleCount() == part.triangleCount()) continue;
        auto foliage = Foliage::build(part, progress_);
        if (!foliage) return tl::unexpected(foliage.error());
        foliage_.push_back(std::move(*foliage));
    }
    return {};
}

Expected<Asset> LadderMaker::run() {
    if (auto prepared = prepare(); !prepared) return tl::unexpected(prepared.error());
    auto reducer = Reducer::build(*solid_, options_, progress_);
    if (!reducer) return tl::unexpected(reducer.error());
    // Foliage counts as well: the rest may have fewer triangles than the smallest level.
    const auto fewest = foliage_.empty() ? static_cast<std::size_t>(settings_.smallestLevel) : 1;
    if (auto done = reducer->reduceTo(fewest, kUnlimited, progress_); !done)
        return tl::unexpected(done.error());
    const CollapseLog& log = reducer->log();
    const auto top = topCount(log);
    if (!top) return tl::unexpected(top.error());
    const Expected<Steps> steps =
        settings_.rule == LevelRule::Ratio ? stepsByRatio(log, *top) : stepsByDeviation(log, *top);
    if (!steps) return tl::unexpected(steps.error());
    Asset result = asset_;
    result.ladder.levels.clear();
    result.ladder.hysteresis = settings_.hysteresis;
    const bool trimmed = *top < solid_->triangles;
    if (!trimmed && steps->empty()) return result;
    std::vector<LevelIndices> levels = {trimmed ? log.indicesAt(*top) : topIndices(*solid_)};
    for (const Step& step : *steps) levels.push_back(log.indicesAt(step.solid));
    if (auto added = addLevels(result, shareVertices(*solid_, levels), *steps); !added)
        return tl::unexpected(added.error());
    return result;
}

/// `shares` of foliage_.
LadderMaker::Step LadderMaker::makeStep(const CollapseLog& log, std::size_t solid,
                                        const std::vector<double>& shares) const {
    Step step;
    step.solid = log.trianglesAt(solid);
    step.triangles = step.solid;
    for (std::size_t i = 0; i < foliage_.size(); ++i) {
        step.leaves.push_back(foliage_[i].thinned(shares[i]));
        step.leafDeviation = std::max(step.leafDeviation, foliage_[i].deviationAt(shares[i]));
        step.triangles += step.leaves.back().triangleCount();
    }
    return step;
}

/// Returns the triangles of level 0 if its solid parts have `solid`.
std::size_t LadderMaker::trianglesWith(std::size_t solid) const {
    return solid + asset_.mesh->triangles - solid_->triangles;
}

LadderMaker::Steps LadderMaker::stepsByRatio(const CollapseLog& log, std::size_t top) const {
    std::vector<Step> steps;
    std::size_t previous = trianglesWith(top);
    double share = 1;
    while (steps.size() < static_cast<std::size_t>(settings_.levels)) {
        share *= settings_.ratio;
        Step step = makeStep(log, static_cast<std::size_t>(share * static_cast<double>(top)),
                             std::vector<double>(foliage_.size(), share));
        if (isTooSmall(step.triangles) || !gains(step.triangles, previous)) break;
        previous = step.triangles;
        steps.push_back(std::move(step));
    }
    return steps;
}

/// Steps that would not gain are left out.
Expected<LadderMaker::Steps> LadderMaker::stepsByDeviation(const CollapseLog& log,
                                                           std::size_t top) {
    std::vector<Step> steps;
    std::size_t previous = trianglesWith(top);
    double allowed = settings_.firstDeviation;
    double growth = settings_.deviationStep;
    if (settings_.rule == LevelRule::Halving) {
        growth = 2;
        allowed = growth * nearest_ * pixels_ / perMetre_;
    }
    const double widest = asset_.mesh->bounds.diagonal().norm();
    std::size_t most = log.mostTriangles();  // a larger allowance never needs more
    for (; steps.size() < static_cast<std::size_t>(settings_.levels) && allowed < widest;
         allowed *= growth) {
        const auto level = fewestWithin(*solid_, *surfaces_, log, allowed, progress_, most);
        if (!level) return tl::unexpected(level.error());
        most = level->mesh->triangles;
        std::vector<double> shares;
        for (const Foliage& foliage : foliage_) shares.push_back(foliage.shareWithin(allowed));
        Step step = makeStep(log, most, shares);
        if (isTooSmall(step.triangles)) break;
        if (!gains(step.triangles, previous)) continue;
        previous = step.triangles;
        steps.push_back(std::move(step));
    }
    return steps;
}

bool LadderMaker::gains(std::size_t triangles, std::size_t before) const {
    return static_cast<double>(triangles) <=
           static_cast<double>(before) * (1 - settings_.minReduction);
}

bool LadderMaker::isTooSmall(std::size_t triangles) const {
    return triangles < static_cast<std::size_t>(settings_.smallestLevel);
}

/// Triangles of level 0 that are reduced: no more detail than shows from the nearest place, if
/// that saves enough. Errors: Cancelled.
Expected<std::size_t> LadderMaker::topCount(const CollapseLog& log) {
    const std::size_t all = solid_->triangles;
    if (!settings_.simplifyLevel0 || all == 0) return all;
    const double limit = pixels_ * nearest_ / perMetre_;
    const auto trimmed = fewestWithin(*solid_, *surfaces_, log, limit, progress_);
    if (!trimmed) return tl::unexpected(trimmed.error());
    const std::size_t count = trimmed->mesh->triangles;
    return gains(count, all) ? count : all;
}

/// How a level differs from the asset.
Ladder::Level LadderMaker::measureLevel(const MeshPtr& solid, const Step& step) const {
    Ladder::Level level;
    level.deviation = step.leafDeviation;
    if (solid->triangles == 0) return level;
    level.deviation = std::max(level.deviation, surfaces_->largestDeviation(*solid));
    const AttributeDeviation shading =
        surfaces_->rest().attributesFrom(*solid, kShadingSamples, level.deviation + kNoDistance);
    level.normalError = shading.normal;
    level.textureSlide = shading.texture;
    return level;
}

/// `solids`: level 0 and those of the steps, without foliage. Errors: Cancelled.
Expected<void> LadderMaker::addLevels(Asset& result, std::vector<Mesh> solids, const Steps& steps) {
    for (std::size_t p = 0; p < solid_->parts.size(); ++p)
        if (solid_->parts[p].triangleCount() < asset_.mesh->parts[p].triangleCount())
            solids.front().parts.push_back(asset_.mesh->parts[p]);
    result.mesh = finishMesh(std::move(solids.front()));
    result.ranges.clear();  // its triangles have another order now
    for (std::size_t i = 0; i < steps.size(); ++i) {
        if (progress_.cancelled()) return stopped("Making levels");
        Mesh whole = solids[i + 1];
        Ladder::Level level = measureLevel(finishMesh(std::move(solids[i + 1])), steps[i]);
        if (progress_.cancelled()) return stopped("Making levels");
        whole.parts.insert(whole.parts.end(), steps[i].leaves.begin(), steps[i].leaves.end());
        level.mesh = finishMesh(std::move(whole));
        dropBunched(result, level.deviation);
        const Mesh& before = *result.level(result.ladder.levels.size());
        level.switchDistance = switchDistance(level.deviation, before, result.ladder);
        result.ladder.levels.push_back(std::move(level));
    }
    return {};
}

/// Takes away the levels before one of this deviation that would be shown for less than hysteresis
/// and a tenth more: it may take their place where they begin. What was set by hand stays.
void LadderMaker::dropBunched(Asset& result, double deviation) const {
    constexpr double kShown = 1.1;
    const auto own = settings_.overrides.find(asset_.mesh->name);
    if (own != settings_.overrides.end() && !own->second.switchDistances.empty()) return;
    const double apart = kShown / (1 - settings_.hysteresis);
    std::vector<Ladder::Level>& levels = result.ladder.levels;
    while (!levels.empty() &&
           ownDistance(deviation, *levels.back().mesh) < apart * levels.back().switchDistance)
        levels.pop_back();
}

/// Where the deviation shrinks to the allowed pixels, or before that where the triangles of
/// the level before become too small.
double LadderMaker::ownDistance(double deviation, const Mesh& before) const {
    const double distance = deviation * perMetre_ / pixels_;
    if (settings_.trianglePixels <= 0) return distance;
    // Faces lie at all angles: on average a projected area is half of the whole one.
    const double area = 0.5 * surfaceArea(before) / static_cast<double>(before.triangles);
    return std::min(distance, perMetre_ * std::sqrt(area / settings_.trianglePixels));
}

/// Its own, and beyond that of the level before in any case.
double LadderMaker::switchDistance(double deviation, const Mesh& before,
                                   const Ladder& ladder) const {
    constexpr double kStep = 1.05;
    const double distance = ownDistance(deviation, before);
    const double least = ladder.empty() ? nearest_ : ladder.levels.back().switchDistance;
    return std::max(distance, least * kStep);
}

}  // namespace flentro
