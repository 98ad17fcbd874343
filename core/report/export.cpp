#include "report/export.h"

#include <algorithm>
#include <cmath>

#include "io/file.h"
#include "scene/instances.h"

namespace flentro {
namespace {

namespace fs = std::filesystem;

Json describeLevel(const Mesh& mesh, double deviation, double switchDistance, double hysteresis) {
    return {{"triangles", mesh.triangles},
            {"vertices", mesh.vertices},
            {"deviation", deviation},
            {"switchDistance", switchDistance},
            {"returnDistance", switchDistance * (1 - hysteresis)}};
}

/// Names of what it shows of the scene as it was read.
Json namesOf(const Scene& scene, const std::vector<std::uint32_t>& origins) {
    Json names = Json::array();
    for (const std::uint32_t origin : origins)
        if (scene.originNames && origin < scene.originNames->size())
            names.push_back((*scene.originNames)[origin]);
    return names;
}

Json describeAsset(const Scene& scene, const Asset& asset) {
    Json json = {{"name", asset.mesh->name}, {"sources", asset.sources}, {"levels", Json::array()}};
    json["levels"].push_back(describeLevel(*asset.mesh, 0, 0, 0));
    for (const Ladder::Level& level : asset.ladder.levels) {
        json["levels"].push_back(describeLevel(*level.mesh, level.deviation, level.switchDistance,
                                               asset.ladder.hysteresis));
        json["levels"].back()["normalError"] = level.normalError;
        json["levels"].back()["textureSlide"] = level.textureSlide;
    }
    if (!asset.ladder.caps.empty()) json["caps"] = asset.ladder.caps;
    if (!asset.ladder.crowd.empty()) json["crowd"] = asset.ladder.crowd;
    for (const MergedRange& range : asset.ranges)
        json["ranges"].push_back({{"object", namesOf(scene, {range.origin})[0]},
                                  {"part", range.part},
                                  {"first", range.first},
                                  {"triangles", range.triangles}});
    return json;
}

Json describeObject(const Scene& scene, const Object& object) {
    Json json = {
        {"name", object.name}, {"asset", scene.mesh(object).name}, {"scale", object.scale}};
    const Json names = namesOf(scene, object.origins);
    if (names != Json::array({object.name})) json["sources"] = names;
    if (std::isfinite(object.culling.end))
        json["culling"] = {{"fadeStart", object.culling.fadeStart}, {"end", object.culling.end}};
    if (!object.castsShadow) json["castsShadow"] = false;
    if (object.castsShadow && std::isfinite(object.culling.shadowEnd))
        json["shadowEnd"] = object.culling.shadowEnd;
    if (object.culling.start > 0) json["start"] = object.culling.start;
    if (object.standIn >= 0)
        json["standIn"] = scene.objects[static_cast<std::size_t>(object.standIn)].name;
    return json;
}

bool isSameFile(const fs::path& a, const fs::path& b) {
    std::error_code error;
    return fs::weakly_canonical(a, error) == fs::weakly_canonical(b, error) ||
           fs::equivalent(a, b, error);
}

bool isSource(const Scene& scene, const fs::path& path) {
    return std::any_of(scene.files.begin(), scene.files.end(),
                       [&](const fs::path& file) { return isSameFile(path, file); });
}

}  // namespace

Json makeManifest(const Scene& scene, const Target& target) {
    Json json = {{"format", "flentro-manifest"}, {"version", 1},
                 {"scene", scene.name},          {"target", target.name},
                 {"assets", Json::array()},      {"objects", Json::array()}};
    for (const Asset& asset : scene.assets) json["assets"].push_back(describeAsset(scene, asset));
    for (const Object& object : scene.objects)
        json["objects"].push_back(describeObject(scene, object));
    const Json& ours = jsonObject(jsonObject(scene.rest, "extras"), "flentro");
    if (const double plane = jsonOr(ours, "farPlane", 0.0); plane > 0) json["farPlane"] = plane;
    for (const PlacedLight& light : scene.placedLights)
        if (std::isfinite(light.end))
            json["lights"].push_back(
                {{"name", light.name}, {"fadeStart", light.fadeStart}, {"end", light.end}});
    return json;
}

Expected<Exported> exportScene(const Scene& scene, const Target& target, const fs::path& path,
                               const ExportOptions& options, Progress& progress) {
    fs::path manifest = path;
    manifest.replace_extension(".manifest.json");
    fs::path binary = path;
    binary.replace_extension(".bin");
    if (path.extension() != ".glb" && path.extension() != ".gltf")
        return fail(ErrorCode::Unsupported, "scenes are exported as .glb or .gltf", path.string());
    const bool separate = path.extension() == ".gltf";
    for (const fs::path& written : {path, manifest, separate ? binary : path})
        if (isSource(scene, written))
            return fail(ErrorCode::Forbidden, "would write over the source scene", written.string(),
                        "Choose another name");
    GltfWriteOptions writing{options.levels, target.verticalFov};
    Scene written = scene;
    if (options.instances) shareNodes(written);
    if (auto done = writeGltf(written, path, writing, progress); !done)
        return tl::unexpected(done.error());
    Exported result;
    result.bytes = fs::file_size(path);
    if (separate && fs::exists(binary)) result.bytes += fs::file_size(binary);
    if (!options.manifest) return result;
    result.manifest = manifest;
    const std::string text =
        makeManifest(scene, target).dump(1, ' ', false, Json::error_handler_t::replace);
    if (auto done = writeFileAtomic(manifest, text); !done) return tl::unexpected(done.error());
    return result;
}

}  // namespace flentro
