#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"
#include "fixes/fix.h"

namespace flentro {

double sizeOf(const Object& object) {
    return object.bounds.isEmpty() ? 0 : object.bounds.diagonal().norm();
}

double cullingDistance(const CullingSettings& settings, const Target& target, double size,
                       Importance importance) {
    const double farthest = target.farPlane * (1 - settings.margin);
    for (const SizeClass& sizeClass : settings.classes) {
        if (size > sizeClass.largest) continue;
        const double pixels = sizeClass.pixels * allowance(importance);
        if (pixels <= 0) return farthest;
        return std::min(farthest, size * pixelsPerMetreAtOne(target) / pixels);
    }
    return farthest;
}

Expected<Fixed> applyCulling(const Scene& scene, const CullingSettings& settings,
                             const Target& target, Progress& progress) {
    if (progress.cancelled()) return fail(ErrorCode::Cancelled, "Culling was stopped");
    Fixed result{scene, {}};
    const double farthest = target.farPlane * (1 - settings.margin);
    std::size_t bySize = 0;
    for (Object& object : result.scene.objects) {
        const Asset& asset = scene.assets[static_cast<std::size_t>(object.asset)];
        double end = cullingDistance(settings, target, sizeOf(object), asset.importance);
        const auto change = settings.overrides.find(asset.mesh->name);
        if (change != settings.overrides.end()) end = std::min(farthest, change->second);
        object.culling = {end * (1 - settings.fade), end};
        bySize += end < farthest;
    }
    result.record.summary =
        fmt::format("{} of {} objects go before the far plane, by their size on screen", bySize,
                    formatCount(scene.objects.size()));
    return result;
}

}  // namespace flentro
