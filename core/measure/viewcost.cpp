#include "measure/viewcost.h"

#include <algorithm>
#include <set>
#include <tuple>
#include <unordered_set>

namespace flentro {
namespace {

/// Adds up what drawn objects cost.
class Counter {
public:
    Counter(const Scene& scene, const Target& target, ViewCost& cost)
        : scene_(scene), target_(target), cost_(cost) {}

    void addDrawn(const DrawnObject& drawn) {
        const Object& object = scene_.objects[drawn.object];
        const Asset& asset = scene_.assets[static_cast<std::size_t>(object.asset)];
        const Mesh& mesh = *asset.level(drawn.level);
        cost_.drawn.push_back(drawn);
        at(cost_.counts, Measure::Objects) += 1;
        triangles_ += static_cast<double>(mesh.triangles);
        calls_ += static_cast<double>(countCalls(mesh, object.asset, drawn.level, 0));
        raise(Measure::VerticesPerMesh, static_cast<double>(mesh.vertices));
        raise(Measure::MaterialsPerObject, static_cast<double>(mesh.parts.size()));
        for (const Part& part : mesh.parts) useMaterial(part.material);
    }

    /// A shadow pass draws every caster within the light's reach once.
    void addCaster(const Object& object, std::size_t level, std::size_t light) {
        const Asset& asset = scene_.assets[static_cast<std::size_t>(object.asset)];
        const Mesh& mesh = *asset.level(level);
        cost_.shadowTriangles += static_cast<double>(mesh.triangles);
        cost_.shadowCalls += static_cast<double>(countCalls(mesh, object.asset, level, light + 1));
    }

    /// Both eyes draw all triangles; with one pass they share the calls.
    void finish() {
        const double eyes = target_.eyes;
        at(cost_.counts, Measure::Triangles) = triangles_ * eyes + cost_.shadowTriangles;
        at(cost_.counts, Measure::DrawCalls) =
            calls_ * (target_.singlePass ? 1 : eyes) + cost_.shadowCalls;
    }

private:
    void raise(Measure measure, double value) {
        at(cost_.counts, measure) = std::max(at(cost_.counts, measure), value);
    }

    /// `pass`: 0 for the picture, else one for each shadow light.
    std::size_t countCalls(const Mesh& mesh, int asset, std::size_t level, std::size_t pass) {
        if (!target_.instancing) return mesh.parts.size();
        const bool isNew = batches_.insert(std::make_tuple(pass, asset, level)).second;
        return isNew ? mesh.parts.size() : 0;
    }

    void useMaterial(int index) {
        if (index < 0 || !materials_.insert(index).second) return;
        for (const TextureUse& use : scene_.materials[static_cast<std::size_t>(index)].textures) {
            const int image = scene_.textures[static_cast<std::size_t>(use.texture)].image;
            if (image < 0 || !images_.insert(image).second) continue;
            const Image& source = scene_.images[static_cast<std::size_t>(image)];
            at(cost_.counts, Measure::TextureBytes) += textureBytes(source, target_);
            raise(Measure::TextureEdge, std::max(source.width, source.height));
        }
    }

    const Scene& scene_;
    const Target& target_;
    ViewCost& cost_;
    double triangles_ = 0;
    double calls_ = 0;
    std::set<std::tuple<std::size_t, int, std::size_t>> batches_;
    std::unordered_set<int> materials_;
    std::unordered_set<int> images_;
};

bool lightReaches(const PlacedLight& light, const Box& bounds) {
    return distanceTo(bounds, light.position) <= light.range;
}

void addShadowPasses(const Scene& scene, const std::vector<std::uint32_t>& lights, const Vec3d* eye,
                     Counter& counter) {
    for (const std::uint32_t index : lights) {
        const PlacedLight& light = scene.placedLights[index];
        if (!light.castsShadow) continue;
        for (const Object& object : scene.objects) {
            if (!object.castsShadow || object.bounds.isEmpty()) continue;
            if (!lightReaches(light, object.bounds)) continue;
            const double distance = eye ? distanceTo(object.bounds, *eye) : 0;
            if (distance >= object.culling.end) continue;
            const Ladder& ladder = scene.assets[static_cast<std::size_t>(object.asset)].ladder;
            counter.addCaster(object, levelAt(ladder, object.scale, distance), index);
        }
    }
}

void countLights(const Scene& scene, ViewCost& cost) {
    for (const std::uint32_t index : cost.lights) {
        at(cost.counts, Measure::Lights) += 1;
        if (scene.placedLights[index].castsShadow) at(cost.counts, Measure::ShadowLights) += 1;
    }
}

}  // namespace

double distanceTo(const Box& box, const Vec3d& eye) {
    return box.isEmpty() ? std::numeric_limits<double>::infinity() : box.exteriorDistance(eye);
}

std::size_t levelAt(const Ladder& ladder, double scale, double distance) {
    std::size_t level = 0;
    while (level < ladder.levels.size() && ladder.levels[level].switchDistance * scale <= distance)
        ++level;
    return level;
}

double textureBytes(const Image& image, const Target& target) {
    const double texels = static_cast<double>(image.width) * image.height;
    return texels * target.bytesPerTexel * (target.mipMaps ? 4.0 / 3 : 1);
}

std::vector<DrawnObject> selectDrawn(const Scene& scene, const Target& target,
                                     const Viewpoint& view) {
    std::vector<DrawnObject> drawn;
    const Frustum frustum(view, target.lens());
    for (std::size_t i = 0; i < scene.objects.size(); ++i) {
        const Object& object = scene.objects[i];
        if (!frustum.meets(object.bounds)) continue;
        const double distance = distanceTo(object.bounds, view.eye);
        if (distance >= object.culling.end) continue;
        const Ladder& ladder = scene.assets[static_cast<std::size_t>(object.asset)].ladder;
        const std::size_t level = levelAt(ladder, object.scale, distance);
        drawn.push_back({static_cast<std::uint32_t>(i), static_cast<std::uint32_t>(level),
                         static_cast<float>(distance)});
    }
    return drawn;
}

ViewCost viewCost(const Scene& scene, const Target& target, const Viewpoint& view) {
    ViewCost cost;
    const Frustum frustum(view, target.lens());
    Counter counter(scene, target, cost);
    for (const DrawnObject& drawn : selectDrawn(scene, target, view)) counter.addDrawn(drawn);
    for (std::size_t i = 0; i < scene.placedLights.size(); ++i) {
        const PlacedLight& light = scene.placedLights[i];
        if (frustum.meetsSphere(light.position, light.range))
            cost.lights.push_back(static_cast<std::uint32_t>(i));
    }
    countLights(scene, cost);
    addShadowPasses(scene, cost.lights, &view.eye, counter);
    counter.finish();
    return cost;
}

ViewCost wholeSceneCost(const Scene& scene, const Target& target) {
    ViewCost cost;
    Counter counter(scene, target, cost);
    for (std::size_t i = 0; i < scene.objects.size(); ++i)
        if (!scene.objects[i].bounds.isEmpty())
            counter.addDrawn({static_cast<std::uint32_t>(i), 0, 0});
    for (std::size_t i = 0; i < scene.placedLights.size(); ++i)
        cost.lights.push_back(static_cast<std::uint32_t>(i));
    countLights(scene, cost);
    addShadowPasses(scene, cost.lights, nullptr, counter);
    counter.finish();
    return cost;
}

}  // namespace flentro
