#include "fixes/ladder/level_preview.h"

namespace flentro {
namespace {

constexpr std::size_t kMin = 4;         ///< Triangles that the analysis goes down to.
constexpr std::size_t kSamples = 4000;  ///< For deviations that are shown in passing.
const Vec3d kFront = Vec3d(0.35, 0.15, 1).normalized();

std::shared_ptr<const TextureCache> cacheOf(const Scene& scene) {
    return std::make_shared<const TextureCache>(scene, MeshPainter::kTextureEdge);
}

}  // namespace

LevelPreview::LevelPreview(std::shared_ptr<const Scene> before, std::shared_ptr<const Scene> after,
                           std::size_t asset, const Target& target)
    : before_(std::move(before)),
      after_(std::move(after)),
      index_(asset),
      target_(target),
      texturesBefore_(cacheOf(*before_)),
      texturesAfter_(cacheOf(*after_)),
      surface_(original()),
      painter_(*before_, before_->assets[index_].mesh, texturesBefore_),
      levels_(this->asset().levelCount()) {}

LevelPreview::Known LevelPreview::makeKnown(const Scene& scene, MeshPtr mesh) const {
    Known known;
    const auto& textures = &scene == before_.get() ? texturesBefore_ : texturesAfter_;
    known.painter = std::make_unique<const MeshPainter>(scene, mesh, textures);
    known.deviation = largestDeviation(surface_, *mesh, {kSamples});
    known.mesh = std::move(mesh);
    return known;
}

const LevelPreview::Known& LevelPreview::level(std::size_t level) {
    level = std::min(level, levels_.size() - 1);
    Known& known = levels_[level];
    if (!known.mesh) {
        known = makeKnown(*after_, asset().level(level));
        if (level > 0) known.deviation = asset().ladder.levels[level - 1].deviation;
    }
    return known;
}

const LevelPreview::Known& LevelPreview::count(std::size_t triangles) {
    if (!reducer_) {
        reducer_ = std::make_unique<Reducer>(original(), ReducerOptions{});
        (void)reducer_->reduceTo(kMin, std::numeric_limits<double>::infinity(), noProgress());
    }
    const std::size_t there = reducer_->log().trianglesAt(triangles);
    if (!anyCount_.mesh || anyCount_.mesh->triangles != there)
        anyCount_ = makeKnown(*before_, finishMesh(reducer_->log().meshAt(triangles)));
    return anyCount_;
}

LevelPreview::Shown LevelPreview::show(const Wanted& wanted) {
    const Known& known = wanted.level ? level(*wanted.level) : count(wanted.triangles);
    const double perMetre = pixelsPerMetreAtOne(target_);
    const Box& bounds = original().bounds;
    const Aim aim = aimAt(bounds, kFront, wanted.distance, perMetre, wanted.maxEdge);
    Shown shown;
    shown.original = painter_.paint(aim);
    shown.level = known.painter->paint(aim);
    shown.triangles = known.mesh->triangles;
    shown.deviation = known.deviation;
    shown.pixels = known.deviation * perMetre / std::max(wanted.distance, 1e-9);
    shown.difference =
        wanted.allSides ? differenceAt(painter_, *known.painter, bounds, wanted.distance, perMetre)
                        : compare(shown.original, shown.level);
    shown.shrunk = aim.pixel * perMetre;
    return shown;
}

}  // namespace flentro
