#include "report/picture_change.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <span>

#include "base/cancel_only.h"
#include "io/file.h"
#include "io/image.h"
#include "picture/scene_painter.h"
#include "picture/shown_levels.h"
#include "report/changed_views.h"

namespace flentro {
namespace {

Expected<std::vector<LightPicture>> paintAll(const Scene& scene,
                                             const std::vector<Viewpoint>& views,
                                             const Target& target, double share,
                                             Progress& progress) {
    CancelOnly quiet(progress);
    std::vector<LightPicture> pictures;
    const auto paint = [&](const Scene& shown, std::span<const Viewpoint> from) -> Expected<void> {
        const auto rays = RayScene::build(shown, quiet);
        if (!rays) return tl::unexpected(rays.error());
        const ScenePainter painter(shown, *rays);
        for (const Viewpoint& view : from) {
            if (progress.cancelled()) return stopped("Drawing what players see");
            progress.report(
                static_cast<double>(pictures.size()) / static_cast<double>(views.size()),
                "Drawing what players see");
            pictures.push_back(painter.paint(view, target, share));
        }
        return {};
    };
    if (!hasLevels(scene)) {
        if (auto painted = paint(scene, views); !painted) return tl::unexpected(painted.error());
        return pictures;
    }
    for (const Viewpoint& view : views)
        if (auto painted = paint(shownFrom(scene, target, view), {&view, 1}); !painted)
            return tl::unexpected(painted.error());
    return pictures;
}

Expected<void> save(const DisplayPicture& picture, const std::filesystem::path& path) {
    return writeFileAtomic(path,
                           encodePng(toBytes(picture).data(), picture.width, picture.height, 3));
}

}  // namespace

double pixelsPerDegree(const Target& target, double share) {
    return pixelsPerMetreAtOne(target) * share * kPi / 180;
}

Expected<std::vector<PictureChange>> pictureChanges(const Evaluation& evaluation,
                                                    const Target& target, const Evidence& evidence,
                                                    const PictureChangeSettings& settings,
                                                    Progress& progress) {
    const std::vector<Viewpoint> views = changedViews(evaluation, target, evidence, settings.views);
    std::size_t candidates = 0;
    for (const Evidence::Place& place : evidence.places) candidates += place.views.size();
    std::vector<PictureChange> changes;
    if (views.empty() || evaluation.steps.empty()) return changes;
    const double perDegree = pixelsPerDegree(target, settings.share);
    const auto painted = static_cast<double>(evaluation.steps.size() + 1);
    SubProgress first(progress, 0, 1 / painted);
    auto before = paintAll(*evaluation.source, views, target, settings.share, first);
    if (!before) return tl::unexpected(before.error());
    for (std::size_t s = 0; s < evaluation.steps.size(); ++s) {
        SubProgress rest(progress, static_cast<double>(s + 1) / painted,
                         static_cast<double>(s + 2) / painted);
        auto after =
            paintAll(evaluation.steps[s].result->scene, views, target, settings.share, rest);
        if (!after) return tl::unexpected(after.error());
        PictureChange change;
        change.views = views.size();
        change.candidates = candidates;
        std::size_t worst = 0;
        for (std::size_t v = 0; v < views.size(); ++v) {
            const float adapted = (*before)[v].adaptation();
            const PictureError error = pictureError(toDisplay((*before)[v], adapted),
                                                    toDisplay((*after)[v], adapted), perDegree);
            change.meanFlip += error.flip / static_cast<double>(views.size());
            change.meanSimilarity += (error.similarity - 1) / static_cast<double>(views.size());
            change.leastSimilarity = std::min(change.leastSimilarity, error.similarity);
            change.worstRegion = std::max(change.worstRegion, error.worstFlip);
            if (error.flip >= change.worstFlip) {
                change.worstFlip = error.flip;
                worst = v;
            }
        }
        change.worst = views[worst];
        if (!settings.folder.empty()) {
            const float adapted = (*before)[worst].adaptation();
            const auto path = [&](const char* side) {
                return settings.folder / fmt::format("step-{}-{}.png", s + 1, side);
            };
            for (const auto& [picture, side] :
                 {std::pair(&(*before)[worst], "before"), std::pair(&(*after)[worst], "after")}) {
                if (auto saved = save(toDisplay(*picture, adapted), path(side)); !saved)
                    return tl::unexpected(saved.error());
                change.pictures.push_back(path(side));
            }
        }
        changes.push_back(std::move(change));
        before = std::move(after);
    }
    return changes;
}

}  // namespace flentro
