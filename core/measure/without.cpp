#include "measure/without.h"

#include <algorithm>

#include "scene/origins.h"

namespace flentro {
namespace {

std::size_t marked(const std::vector<bool>& marks) {
    return static_cast<std::size_t>(std::count(marks.begin(), marks.end(), true));
}

}  // namespace

std::size_t Without::count() const {
    return marked(objects) + marked(lights) + images.size();
}

Without without(const Scene& result, const Without& origins) {
    Without here;
    here.images = origins.images;
    if (!origins.objects.empty()) here.objects = onlyFrom(result, origins.objects);
    if (origins.lights.empty()) return here;
    for (const PlacedLight& light : result.placedLights)
        here.lights.push_back(!light.origins.empty() &&
                              std::all_of(light.origins.begin(), light.origins.end(),
                                          [&](auto origin) { return origins.light(origin); }));
    return here;
}

TakeOut::TakeOut(const Scene& source, const Scene& result, Without origins)
    : source_(source), result_(result), origins_(std::move(origins)) {}

void TakeOut::object(std::size_t index) {
    origins_.objects.resize(source_.objects.size(), false);
    for (const std::uint32_t origin : result_.objects[index].origins)
        origins_.objects[origin] = true;
}

void TakeOut::asset(std::size_t index) {
    for (std::size_t i = 0; i < result_.objects.size(); ++i)
        if (static_cast<std::size_t>(result_.objects[i].asset) == index) object(i);
}

void TakeOut::light(std::size_t index) {
    origins_.lights.resize(source_.placedLights.size(), false);
    for (const std::uint32_t origin : result_.placedLights[index].origins)
        origins_.lights[origin] = true;
}

void TakeOut::image(std::size_t index) {
    origins_.images.insert(result_.images[index].source());
}

}  // namespace flentro
