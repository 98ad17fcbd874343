#include "fixes/evidence.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "base/median.h"
#include "survey/analysis.h"
#include "survey/survey.h"

namespace flentro {
namespace {

constexpr int kRow = 6;             ///< Estimated places along an edge.
constexpr double kMargin = 5;       ///< Metres around what stands there.
constexpr double kEyeHeight = 1.7;  ///< Metres.
constexpr int kHeadings = 8;

void addTo(Hasher& hasher, const LightMatrix& lights) {
    const auto add = [&](const auto& span) { hasher.bytes(std::as_bytes(span)); };
    add(lights.rows());
    add(lights.points());
    add(lights.entries());
}

Hash hashOf(const Evidence& evidence) {
    Hasher hasher;
    for (const Evidence::Place& place : evidence.places) {
        hasher.add(place.eye.x()).add(place.eye.y()).add(place.eye.z()).add(place.views.size());
        for (const Viewpoint& view : place.views) hasher.add(view.heading).add(view.pitch);
        for (const Evidence::VisibilitySample& seen : place.seen)
            hasher.add(seen.origin).add(seen.pixels).add(seen.distance);
    }
    for (const Evidence::ImageNeed& need : evidence.images) hasher.add(need.image).add(need.edge);
    hasher.add(evidence.lights != nullptr);
    if (evidence.lights) addTo(hasher, *evidence.lights);
    return hasher.result();
}

/// What serves for each image: what it stores, if that lies in a pixel or more.
std::vector<Evidence::ImageNeed> imageNeeds(const Survey& survey, const Scene& scene) {
    std::map<Hash, Evidence::ImageNeed> needs;
    const std::vector<float> fineness = texelsPerPixel(scene, survey);
    for (std::size_t i = 0; i < fineness.size(); ++i) {
        const Image& image = scene.images[i];
        if (!image.data) continue;
        Evidence::ImageNeed& need = needs[image.source()];
        need.image = image.source();
        if (!(fineness[i] > 0)) continue;
        const float edge = static_cast<float>(std::max(image.width, image.height)) / fineness[i];
        need.edge = std::max(need.edge, static_cast<int>(std::ceil(std::min(edge, 1e6F))));
    }
    std::vector<Evidence::ImageNeed> all;
    for (const auto& [hash, need] : needs) all.push_back(need);
    return all;
}

/// Where most things of the scene stand.
double groundOf(const Scene& scene, const Box& middle) {
    std::vector<double> bottoms;
    for (const Object& object : scene.objects) {
        if (object.bounds.isEmpty()) continue;
        const Vec3d centre = object.bounds.center();
        if (middle.exteriorDistance(Vec3d(centre.x(), middle.min().y(), centre.z())) == 0)
            bottoms.push_back(object.bounds.min().y());
    }
    return median(std::move(bottoms));
}

}  // namespace

Evidence evidenceOf(const Survey& survey, const Scene& scene) {
    Evidence evidence;
    for (const SpotResult& spot : survey.spots) {
        if (!spot.done) continue;
        Evidence::Place place{spot.eye, spot.views, {}};
        for (const SeenObject& seen : spot.seen.objects)
            for (const std::uint32_t origin : scene.objects[seen.object].origins)
                place.seen.push_back({origin, seen.pixels, seen.distance});
        if (survey.hasRays())
            place.work.assign(
                spot.seen.workInView.begin(),
                spot.seen.workInView.begin() + static_cast<std::ptrdiff_t>(place.views.size()));
        evidence.places.push_back(std::move(place));
    }
    if (evidence.empty()) return evidence;
    if (survey.hasRays()) evidence.images = imageNeeds(survey, scene);
    evidence.lights = survey.lights;
    evidence.hash = hashOf(evidence);
    return evidence;
}

const Evidence::ImageNeed* Evidence::needOf(const Image& image) const {
    const auto found = std::lower_bound(
        images.begin(), images.end(), image.source(),
        [](const ImageNeed& need, const Hash& wanted) { return need.image < wanted; });
    return found != images.end() && found->image == image.source() ? &*found : nullptr;
}

Evidence withMovedOrigins(const Evidence& evidence, const SceneMatch& where) {
    Evidence moved = evidence;
    for (Evidence::Place& place : moved.places) {
        for (Evidence::VisibilitySample& seen : place.seen) {
            const int to = seen.origin < where.objects.size() ? where.objects[seen.origin] : -1;
            seen.origin = static_cast<std::uint32_t>(to);  // those that are gone go below
        }
        std::erase_if(place.seen,
                      [](const Evidence::VisibilitySample& seen) { return seen.origin == ~0U; });
    }
    for (std::size_t i = 0; moved.lights && i < moved.lights->rows().size(); ++i)
        if (i >= where.placedLights.size() || where.placedLights[i] != static_cast<int>(i))
            moved.lights = nullptr;
    if (!moved.empty()) moved.hash = hashOf(moved);
    return moved;
}

std::vector<double> seenSizes(const Evidence& evidence, std::size_t origins,
                              double pixelsPerMetre) {
    std::vector<double> sizes(origins, 0);
    for (const Evidence::Place& place : evidence.places)
        for (const Evidence::VisibilitySample& seen : place.seen) {
            const double across = std::sqrt(4 * static_cast<double>(seen.pixels) / kPi);
            const double metres = across * static_cast<double>(seen.distance) / pixelsPerMetre;
            sizes[seen.origin] = std::max(sizes[seen.origin], metres);
        }
    return sizes;
}

std::vector<Evidence::Place> placesFor(const Scene& scene, const Evidence& evidence) {
    if (!evidence.empty()) return evidence.places;
    std::vector<Evidence::Place> places;
    const Box middle = middleOf(scene, kMargin);
    const double height = groundOf(scene, middle) + kEyeHeight;
    for (int i = 0; i < kRow * kRow; ++i) {
        const int column = i % kRow;
        const int row = i / kRow;
        const Vec3d share((column + 0.5) / kRow, 0, (row + 0.5) / kRow);
        Vec3d eye = middle.min() + share.cwiseProduct(middle.sizes());
        eye.y() = height;
        places.push_back({eye, allAround(eye, kHeadings, 0), {}});
    }
    return places;
}

FLENTRO_DEFINE_VALUE(Evidence);

}  // namespace flentro
