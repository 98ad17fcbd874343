#include "survey/analysis.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <random>

#include "base/index.h"
#include "geometry/weld.h"

namespace flentro {
namespace {

/// [objects] In which views each is seen from a spot.
std::vector<std::uint16_t> seenViews(const Scene& scene, const SpotResult& spot) {
    std::vector<std::uint16_t> views(scene.objects.size(), 0);
    for (const SeenObject& seen : spot.seen.objects) views[seen.object] = seen.views;
    return views;
}

double trianglesOf(const Scene& scene, std::size_t object, std::size_t level) {
    const auto asset = static_cast<std::size_t>(scene.objects[object].asset);
    return static_cast<double>(scene.assets[asset].level(level)->triangles);
}

std::uint16_t headingMask(const Survey& survey, const SpotResult& spot) {
    const std::size_t headings = std::min<std::size_t>(
        spot.views.size(), static_cast<std::size_t>(survey.settings.headings));
    return static_cast<std::uint16_t>((1U << headings) - 1);
}

bool wasSeen(const Survey& survey, std::size_t triangle) {
    return survey.seen.trianglePixels[triangle] > 0 ||
           (!survey.belowSampling.empty() && survey.belowSampling[triangle]);
}

}  // namespace

ViewWaste wasteOf(const Scene& scene, const Survey& survey, std::size_t spotIndex,
                  std::size_t view) {
    const SpotResult& spot = survey.spots[spotIndex];
    const std::vector<std::uint16_t> seen = seenViews(scene, spot);
    const bool between = view >= static_cast<std::size_t>(survey.settings.headings);
    ViewWaste waste;
    for (std::size_t i = 0; i < seen.size(); ++i) {
        if (!(spot.sightings.objects[i] >> view & 1U)) continue;
        const double triangles = trianglesOf(scene, i, spot.sightings.levelOf(i));
        ++waste.drawnObjects;
        waste.drawnTriangles += triangles;
        if (between ? seen[i] != 0 : (seen[i] >> view & 1U) != 0) continue;
        ++waste.hiddenObjects;
        waste.hiddenTriangles += triangles;
    }
    return waste;
}

std::vector<ObjectWaste> rankWaste(const Scene& scene, const Survey& survey) {
    std::vector<ObjectWaste> all(scene.objects.size());
    double views = 0;
    for (const SpotResult& spot : survey.spots) {
        if (!spot.done) continue;
        const std::vector<std::uint16_t> seen = seenViews(scene, spot);
        const std::uint16_t headings = headingMask(survey, spot);
        views += __builtin_popcount(headings);
        for (std::size_t i = 0; i < all.size(); ++i) {
            const unsigned vain = spot.sightings.objects[i] & headings & ~unsigned{seen[i]};
            if (vain == 0) continue;
            const int count = __builtin_popcount(vain);
            all[i].views += static_cast<std::size_t>(count);
            all[i].triangles += count * trianglesOf(scene, i, spot.sightings.levelOf(i));
        }
    }
    for (std::size_t i = 0; i < all.size(); ++i) {
        all[i].object = static_cast<std::uint32_t>(i);
        if (views > 0) all[i].triangles /= views;
    }
    std::erase_if(all, [](const ObjectWaste& waste) { return waste.views == 0; });
    std::sort(all.begin(), all.end(), [](const ObjectWaste& a, const ObjectWaste& b) {
        return std::tuple(-a.triangles, a.object) < std::tuple(-b.triangles, b.object);
    });
    return all;
}

std::vector<bool> removableTriangles(const Scene& scene, const Survey& survey) {
    std::vector<bool> removable;
    for (const Asset& asset : scene.assets) {
        const WeldedMesh welded = weldPositions(*asset.mesh);
        const std::vector<std::uint32_t>& corners = welded.corners;
        const std::size_t first = removable.size();
        std::vector<bool> touched(welded.points.size(), false);
        for (std::size_t c = 0; c < corners.size(); ++c)
            if (wasSeen(survey, first + c / 3)) touched[corners[c]] = true;
        for (std::size_t t = 0; t < corners.size() / 3; ++t)
            removable.push_back(!touched[corners[3 * t]] && !touched[corners[3 * t + 1]] &&
                                !touched[corners[3 * t + 2]]);
    }
    return removable;
}

NeverSeen findUnseen(const Scene& scene, const Survey& survey) {
    NeverSeen result;
    if (!survey.hasRays()) return result;
    std::vector<std::size_t> order;
    for (std::size_t s = 0; s < survey.spots.size(); ++s)
        if (survey.spots[s].done) order.push_back(s);
    std::mt19937 rng(1);  // NOLINT: the same order every time
    for (std::size_t i = order.size(); i > 1; --i) std::swap(order[i - 1], order[rng() % i]);
    std::vector<bool> known(scene.objects.size(), false);
    std::size_t seen = 0;
    for (const std::size_t s : order) {
        for (const SeenObject& object : survey.spots[s].seen.objects)
            if (!known[object.object]) {
                known[object.object] = true;
                ++seen;
            }
        result.seenAfter.push_back(seen);
    }
    double once = 0;
    double twice = 0;
    std::vector<bool> assetSeen(scene.assets.size(), false);
    for (std::size_t i = 0; i < scene.objects.size(); ++i) {
        const std::uint32_t spots = survey.seen.objects[i].spots;
        once += spots == 1;
        twice += spots == 2;
        if (spots > 0) elementOf(assetSeen, scene.objects[i].asset) = true;
        if (spots == 0 && scene.mesh(scene.objects[i]).triangles > 0)
            result.objects.push_back(static_cast<std::uint32_t>(i));
    }
    const auto count = static_cast<double>(order.size());
    if (count > 0) {
        result.expectedNext = once / count;
        // Chao 1987, in the form that also holds when nothing was seen exactly twice.
        result.expectedLeft =
            (count - 1) / count * once * std::max(0.0, once - 1) / (2 * (twice + 1));
        result.shareBound = std::min(1.0, 3 / count);
    }
    const std::vector<bool> removable = removableTriangles(scene, survey);
    std::size_t triangle = 0;
    for (std::size_t a = 0; a < scene.assets.size(); ++a)
        for (std::size_t t = 0; t < scene.assets[a].mesh->triangles; ++t, ++triangle) {
            const bool below = !survey.belowSampling.empty() && survey.belowSampling[triangle];
            result.belowSampling += below;
            if (!assetSeen[a] || wasSeen(survey, triangle)) continue;
            ++result.triangles;
            result.removable += removable[triangle];
        }
    return result;
}

std::vector<FarPlaneLoss> farPlaneLosses(const Survey& survey) {
    std::vector<FarPlaneLoss> losses;
    for (std::size_t bin = 0; bin < kDistanceBins; ++bin) {
        FarPlaneLoss loss;
        loss.distance = distanceOfBin(bin);
        double all = 0;
        double lost = 0;
        for (std::size_t s = 0; s < survey.spots.size(); ++s) {
            const SpotSeen& seen = survey.spots[s].seen;
            const double beyond =
                std::accumulate(seen.pixelsByDistance.begin() + static_cast<std::ptrdiff_t>(bin),
                                seen.pixelsByDistance.end(), 0.0);
            const double whole =
                std::accumulate(seen.pixelsByDistance.begin(), seen.pixelsByDistance.end(), 0.0);
            all += whole;
            lost += beyond;
            if (whole > 0 && beyond / whole > loss.worstShare) {
                loss.worstShare = beyond / whole;
                loss.worstSpot = s;
            }
        }
        loss.meanShare = all > 0 ? lost / all : 0;
        for (const SeenTally::Object& object : survey.seen.objects)
            loss.objects +=
                object.spots > 0 && static_cast<double>(object.nearest) >= loss.distance;
        losses.push_back(loss);
        if (lost <= 0) break;
    }
    return losses;
}

std::vector<float> texelsPerPixel(const Scene& scene, const Survey& survey) {
    const TextureMappings mappings(scene);
    std::vector<float> finest(scene.images.size(), std::numeric_limits<float>::infinity());
    for (std::size_t m = 0; m < scene.materials.size(); ++m)
        for (std::size_t u = 0; u < scene.materials[m].textures.size(); ++u) {
            const int texture = scene.materials[m].textures[u].texture;
            const int image = scene.imageOf(texture);
            if (image < 0) continue;
            float& least = elementOf(finest, image);
            least = std::min(least, survey.seen.texCoordPerPixel[mappings.of(m, u)]);
        }
    for (std::size_t i = 0; i < finest.size(); ++i) {
        const Image& image = scene.images[i];
        finest[i] = std::isfinite(finest[i]) && finest[i] > 0
                        ? finest[i] * std::sqrt(static_cast<float>(image.width) *
                                                static_cast<float>(image.height))
                        : 0;
    }
    return finest;
}

std::vector<TextureNeed> findTextureNeeds(const Scene& scene, const Survey& survey) {
    const std::vector<float> fineness = texelsPerPixel(scene, survey);
    const TextureMemory textures(scene, survey.target);
    std::vector<TextureNeed> needs;
    for (std::size_t i = 0; i < fineness.size(); ++i) {
        const Image& image = scene.images[i];
        TextureNeed need;
        need.image = static_cast<std::uint32_t>(i);
        need.texelsPerPixel = static_cast<double>(fineness[i]);
        if (need.texelsPerPixel < 2) continue;
        const int halvings = std::ilogb(need.texelsPerPixel);
        need.edge = std::max(1, std::max(image.width, image.height) >> halvings);
        need.bytes = textures.of(i) * (1 - std::ldexp(1.0, -2 * halvings));
        needs.push_back(need);
    }
    std::stable_sort(needs.begin(), needs.end(),
                     [](const TextureNeed& a, const TextureNeed& b) { return a.bytes > b.bytes; });
    return needs;
}

}  // namespace flentro
