#include "faults/planter.h"

#include "base/index.h"
#include "io/gltf_materials.h"
#include "io/image.h"
#include "scene_builder.h"

namespace flentro::demo {

Planter::Planter(Scene& scene, std::optional<std::uint32_t> seed)
    : scene_(scene), random_(seed.has_value()), dice_(seed.value_or(7)) {}

int Planter::amount(int usual, int low, int high) {
    return random_ ? low + dice_.below(high - low + 1) : usual;
}

std::vector<std::size_t> Planter::pick(std::size_t count,
                                       const std::function<const std::string&(std::size_t)>& name,
                                       std::set<std::size_t>& taken,
                                       const std::set<std::string>& usual, int wanted,
                                       const Suits& suits) {
    std::vector<std::size_t> picked;
    if (!random_) {
        for (std::size_t i = 0; i < count; ++i)
            if (usual.contains(name(i))) picked.push_back(i);
    } else {
        for (const std::size_t i : dice_.shuffled(count))
            if (picked.size() < static_cast<std::size_t>(wanted) && !taken.contains(i) && suits(i))
                picked.push_back(i);
    }
    taken.insert(picked.begin(), picked.end());
    std::sort(picked.begin(), picked.end());
    return picked;
}

std::vector<std::size_t> Planter::assets(const std::set<std::string>& usual, int count,
                                         const Suits& suits) {
    return pick(
        scene_.assets.size(),
        [&](std::size_t i) -> const std::string& { return scene_.assets[i].mesh->name; },
        takenAssets_, usual, count,
        [&](std::size_t i) {
            return isPlaced(i) && !scene_.assets[i].mesh->parts.front().isDeformable() && suits(i);
        });
}

std::vector<std::size_t> Planter::objects(const std::set<std::string>& usual, int count,
                                          const Suits& suits) {
    return pick(
        scene_.objects.size(),
        [&](std::size_t i) -> const std::string& { return scene_.objects[i].name; }, takenObjects_,
        usual, count, suits);
}

std::vector<std::size_t> Planter::images(const std::set<std::string>& usual, int count,
                                         const Suits& suits) {
    return pick(
        scene_.images.size(),
        [&](std::size_t i) -> const std::string& { return scene_.images[i].name; }, takenImages_,
        usual, count, suits);
}

std::vector<std::size_t> Planter::lights(const std::set<std::string>& usual, int count,
                                         const Suits& suits) {
    return pick(
        scene_.placedLights.size(),
        [&](std::size_t i) -> const std::string& { return scene_.placedLights[i].name; },
        takenLights_, usual, count, suits);
}

std::size_t Planter::addAsset(Asset asset) {
    scene_.assets.push_back(std::move(asset));
    takenAssets_.insert(scene_.assets.size() - 1);
    return scene_.assets.size() - 1;
}

void Planter::tell(int fault, const char* finding, std::string what,
                   const std::set<std::string>& names, Json amounts) {
    if (names.empty()) return;
    truth_.push_back({{"fault", fault},
                      {"finding", finding},
                      {"what", std::move(what)},
                      {"objects", names},
                      {"amounts", std::move(amounts)}});
}

void Planter::editMesh(std::size_t asset, const std::function<void(Mesh&)>& change) {
    Mesh mesh = *scene_.assets[asset].mesh;
    change(mesh);
    scene_.assets[asset].mesh = finishMesh(std::move(mesh));
}

int Planter::addMaterial(int like, const std::string& name,
                         const std::function<void(Json&)>& change) {
    Json source = elementOf(scene_.materials, like).source;
    source["name"] = name;
    change(source);
    scene_.materials.push_back(parseMaterial(source));
    return static_cast<int>(scene_.materials.size()) - 1;
}

void Planter::editMaterial(std::size_t asset, std::size_t part, const std::string& name,
                           const std::function<void(Json&)>& change) {
    const int made = addMaterial(scene_.assets[asset].mesh->parts[part].material, name, change);
    editMesh(asset, [&](Mesh& mesh) { mesh.parts[part].material = made; });
}

int Planter::addTexture(int image) {
    Texture texture;
    texture.name = elementOf(scene_.images, image).name;
    texture.image = image;
    texture.sampler = 0;
    scene_.textures.push_back(texture);
    return static_cast<int>(scene_.textures.size()) - 1;
}

int Planter::addImage(const std::string& name, const std::vector<std::uint8_t>& pixels, int width,
                      int height, int channels) {
    scene_.images.push_back(pngImage(name, pixels.data(), width, height, channels));
    takenImages_.insert(scene_.images.size() - 1);
    return static_cast<int>(scene_.images.size()) - 1;
}

void Planter::setImage(std::size_t image, const std::vector<std::uint8_t>& pixels, int width,
                       int height, int channels) {
    scene_.images[image] =
        pngImage(scene_.images[image].name, pixels.data(), width, height, channels);
}

bool Planter::isPlaced(std::size_t asset) const {
    for (const Object& object : scene_.objects)
        if (object.asset == static_cast<int>(asset)) return true;
    return false;
}

int Planter::imageOf(int material, const char* role) const {
    if (material < 0) return -1;
    const int texture = elementOf(scene_.materials, material).texture(role);
    return texture < 0 ? -1 : elementOf(scene_.textures, texture).image;
}

bool Planter::isShown(std::size_t image) const {
    for (std::size_t a = 0; a < scene_.assets.size(); ++a)
        for (const Part& part : scene_.assets[a].mesh->parts)
            if (imageOf(part.material, "baseColorTexture") == static_cast<int>(image) &&
                isPlaced(a))
                return true;
    return false;
}

std::vector<std::uint8_t> pixelsOf(const Image& image, int width, int height, int channels) {
    Pixels pixels = decodeImage(image, std::max(image.width, image.height)).value();
    if (pixels.width != width || pixels.height != height)
        pixels = resizeImage(pixels, width, height);
    const auto wanted = static_cast<std::size_t>(channels);
    std::vector<std::uint8_t> result(pixels.count() * wanted);
    for (std::size_t i = 0; i < pixels.count(); ++i)
        for (std::size_t c = 0; c < wanted; ++c) result[wanted * i + c] = pixels.rgba[4 * i + c];
    return result;
}

}  // namespace flentro::demo
