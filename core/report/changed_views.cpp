#include "report/changed_views.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "geometry/frustum.h"
#include "geometry/mesh_materials.h"
#include "measure/viewcost.h"
#include "scene/origins.h"
#include "survey/light_matrix.h"

namespace flentro {
namespace {

/// What an eye is shown of the objects of the source, as hashes.
class Look {
public:
    explicit Look(const Scene& scene) : scene_(scene), shownBy_(scene) {
        for (const Material& material : scene.materials) {
            Hasher hasher;
            hasher.text(material.source.dump());
            for (const TextureUse& use : material.textures)
                if (const int image = scene.imageOf(use.texture); image >= 0)
                    hasher.add(elementOf(scene.images, image).hash);
            materials_.push_back(hasher.result());
        }
    }

    /// Of one origin from an eye: meshes at the levels shown there, with their materials.
    [[nodiscard]] Hash of(std::uint32_t origin, const Vec3d& eye) const {
        Hasher hasher;
        for (const std::uint32_t i : shownBy_.shownBy(origin)) {
            const Object& object = scene_.objects[i];
            if (!isThere(scene_, object, eye)) continue;
            const Asset& asset = scene_.asset(object);
            const std::size_t level =
                levelAt(asset.ladder, object.scale, distanceTo(object.bounds, eye));
            const Mesh& mesh = *asset.level(level);
            hasher.add(mesh.hash);
            for (const int material : materialsOf(mesh))
                if (material >= 0) hasher.add(elementOf(materials_, material));
        }
        return hasher.result();
    }

private:
    const Scene& scene_;
    const OriginMap shownBy_;
    std::vector<Hash> materials_;
};

using Scores = std::vector<std::vector<double>>;  ///< [places][views]

/// Adds the share of a view's pixels that show something else after a step.
void addSurfaces(const Scene& source, const Scene& before, const Scene& after, const Target& target,
                 const Evidence& evidence, Scores& scores) {
    const Look was(before);
    const Look is(after);
    for (std::size_t p = 0; p < evidence.places.size(); ++p) {
        const Evidence::Place& place = evidence.places[p];
        std::vector<Frustum> frusta;
        for (const Viewpoint& view : place.views) frusta.emplace_back(view, target.projection());
        for (const Evidence::VisibilitySample& seen : place.seen) {
            if (was.of(seen.origin, place.eye) == is.of(seen.origin, place.eye)) continue;
            const Box& bounds = source.objects[seen.origin].bounds;
            for (std::size_t v = 0; v < frusta.size(); ++v)
                if (frusta[v].sideOf(bounds.center(), 0.5 * bounds.sizes()) !=
                    Frustum::Side::Outside)
                    scores[p][v] +=
                        static_cast<double>(seen.pixels) / (target.width * target.height);
        }
    }
}

/// Adds how much the light of each view changes.
void addLight(const LightMatrix& matrix, const Scene& before, const Scene& after, Scores& scores) {
    const ArrivingLight was(before, matrix);
    const ArrivingLight is(after, matrix);
    for (std::size_t p = 0; p < matrix.points().size(); ++p) {
        const LightMatrix::Point& point = matrix.points()[p];
        double change = 0;
        double luxBefore = 0;
        for (const LightMatrix::Entry& entry : matrix.entriesOf(p)) {
            luxBefore += was.lux(point, entry);
            change += is.lux(point, entry) - was.lux(point, entry);
        }
        const double adapted = matrix.adaptation(point.place);
        if (point.place < scores.size() && point.view < scores[point.place].size())
            scores[point.place][point.view] +=
                std::fabs(displayOf(luxBefore + change, adapted) - displayOf(luxBefore, adapted)) /
                matrix.raysOfView();
    }
}

/// Views of places spread over all of them, each another way.
std::vector<Viewpoint> spreadViews(const Evidence& evidence, std::size_t count) {
    std::vector<Viewpoint> views;
    const std::size_t places = evidence.places.size();
    for (std::size_t i = 0; i < std::min(count, places); ++i) {
        const Evidence::Place& place = evidence.places[i * places / std::min(count, places)];
        if (!place.views.empty()) views.push_back(place.views[3 * i % place.views.size()]);
    }
    return views;
}

}  // namespace

std::vector<Viewpoint> changedViews(const Evaluation& evaluation, const Target& target,
                                    const Evidence& evidence, std::size_t count) {
    std::vector<std::vector<std::tuple<double, std::size_t, std::size_t>>> wishes;  // [steps]
    for (std::size_t s = 0; s < evaluation.steps.size(); ++s) {
        const Scene& before = s == 0 ? *evaluation.source : evaluation.steps[s - 1].result->scene;
        const Scene& after = evaluation.steps[s].result->scene;
        Scores scores;
        for (const Evidence::Place& place : evidence.places)
            scores.emplace_back(place.views.size(), 0.0);
        addSurfaces(*evaluation.source, before, after, target, evidence, scores);
        if (evidence.lights) addLight(*evidence.lights, before, after, scores);
        wishes.emplace_back();
        for (std::size_t p = 0; p < scores.size(); ++p)
            for (std::size_t v = 0; v < scores[p].size(); ++v)
                if (scores[p][v] > 0) wishes.back().emplace_back(-scores[p][v], p, v);
        std::sort(wishes.back().begin(), wishes.back().end());
    }
    std::vector<Viewpoint> chosen;
    std::vector<bool> isTaken(evidence.places.size(), false);
    std::vector<std::size_t> next(wishes.size(), 0);
    for (bool found = true; found && chosen.size() < count;) {
        found = false;
        for (std::size_t s = 0; s < wishes.size() && chosen.size() < count; ++s) {
            while (next[s] < wishes[s].size() && isTaken[std::get<1>(wishes[s][next[s]])])
                ++next[s];
            if (next[s] == wishes[s].size()) continue;
            const auto& [score, place, view] = wishes[s][next[s]];
            isTaken[place] = true;
            chosen.push_back(evidence.places[place].views[view]);
            found = true;
        }
    }
    return chosen.empty() ? spreadViews(evidence, count) : chosen;
}

}  // namespace flentro
