#include "report/export.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "base/index.h"
#include "io/file.h"
#include "measure/viewcost.h"
#include "scene/edit.h"
#include "scene/own_extras.h"
#include "scene/prune.h"

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

/// Names of the nodes from the top of the scene down to one, separated by slashes.
std::string pathOf(const Scene& scene, int node) {
    std::string path;
    for (; node >= 0; node = elementOf(scene.nodes, node).parent) {
        const std::string& name = elementOf(scene.nodes, node).name;
        path.insert(0, path.empty() ? name : name + "/");
    }
    return path;
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
                                  {"origin", range.origin},
                                  {"part", range.part},
                                  {"first", range.first},
                                  {"triangles", range.triangles}});
    return json;
}

Json describeObject(const Scene& scene, const Object& object) {
    Json json = {{"name", object.name},        {"path", pathOf(scene, object.node)},
                 {"node", object.node},        {"asset", scene.mesh(object).name},
                 {"assetIndex", object.asset}, {"scale", object.scale},
                 {"origins", object.origins}};
    if (object.instance >= 0) json["instance"] = object.instance;
    const Json names = namesOf(scene, object.origins);
    if (names != Json::array({object.name})) json["sources"] = names;
    if (std::isfinite(object.culling.end))
        json["culling"] = {{"fadeStart", object.culling.fadeStart}, {"end", object.culling.end}};
    if (!object.castsShadow) json["castsShadow"] = false;
    if (object.castsShadow && std::isfinite(object.culling.shadowEnd))
        json["shadowEnd"] = object.culling.shadowEnd;
    if (object.culling.start > 0) json["start"] = object.culling.start;
    if (object.standIn >= 0) json["standInIndex"] = object.standIn;
    if (object.standIn >= 0) json["standIn"] = elementOf(scene.objects, object.standIn).name;
    return json;
}

/// Shadow lights that no animation moves, the dearest first: light maps can hold what they add,
/// and then nothing is drawn for them.
Json bakeCandidates(const Scene& scene, const Target& target) {
    const std::vector<bool> moving = movingNodes(scene);
    std::vector<DrawnLight> found;
    for (std::uint32_t i = 0; i < scene.placedLights.size(); ++i) {
        const PlacedLight& light = scene.placedLights[i];
        if (!light.castsShadow || (light.node >= 0 && elementOf(moving, light.node))) continue;
        const ViewCost here = viewCost(scene, target, {light.position, 0, 0});
        const auto drawn = std::ranges::find(here.lights, i, &DrawnLight::light);
        if (drawn != here.lights.end() && drawn->castsShadow) found.push_back(*drawn);
    }
    std::ranges::stable_sort(found, std::greater(), &DrawnLight::shadowTriangles);
    Json list = Json::array();
    for (const DrawnLight& drawn : found) {
        const PlacedLight& light = scene.placedLights[drawn.light];
        list.push_back({{"name", light.name},
                        {"node", light.node},
                        {"shadowTriangles", drawn.shadowTriangles},
                        {"shadowCalls", drawn.shadowCalls}});
    }
    return list;
}

bool isSource(const Scene& scene, const fs::path& path) {
    return std::any_of(scene.files.begin(), scene.files.end(),
                       [&](const fs::path& file) { return isSameFile(path, file); });
}

fs::path manifestFor(const fs::path& path) {
    return fs::path(path).replace_extension(".manifest.json");
}

}  // namespace

Json makeManifest(const Scene& scene, const Target& target) {
    Json json = {{"format", "flentro-manifest"}, {"version", 1},
                 {"scene", scene.name},          {"target", target.name},
                 {"distancesTo", "bounds"},      {"assets", Json::array()},
                 {"objects", Json::array()}};
    for (const Asset& asset : scene.assets) json["assets"].push_back(describeAsset(scene, asset));
    for (const Object& object : scene.objects)
        json["objects"].push_back(describeObject(scene, object));
    if (const double plane = jsonOr(ownExtras(scene.rest), "farPlane", 0.0); plane > 0)
        json["farPlane"] = plane;
    if (scene.shadowLightsAtOnce > 0) json["shadowLightsAtOnce"] = scene.shadowLightsAtOnce;
    for (const PlacedLight& light : scene.placedLights) {
        Json row = {{"name", light.name}, {"node", light.node}};
        if (std::isfinite(light.end))
            row.update({{"fadeStart", light.fadeStart}, {"end", light.end}});
        if (light.castsShadow && std::isfinite(light.shadowEnd)) row["shadowEnd"] = light.shadowEnd;
        if (row.size() > 2) json["lights"].push_back(std::move(row));
    }
    if (Json candidates = bakeCandidates(scene, target); !candidates.empty())
        json["bakeCandidates"] = std::move(candidates);
    return json;
}

std::vector<fs::path> exportedFiles(const fs::path& path) {
    std::vector<fs::path> files = {path, manifestFor(path)};
    if (path.extension() == ".gltf") files.push_back(fs::path(path).replace_extension(".bin"));
    std::error_code error;
    for (const auto& entry : fs::directory_iterator(texturesFolder(path), error))
        files.push_back(entry.path());
    return files;
}

Expected<void> checkExport(const Scene& scene, const fs::path& path) {
    const std::string ending = path.extension().string();
    if (ending != ".glb" && ending != ".gltf")
        return fail(ErrorCode::Unsupported, "scenes are exported as .glb or .gltf", path.string());
    for (const fs::path& file : exportedFiles(path))
        if (isSource(scene, file))
            return fail(ErrorCode::Forbidden, "would write over the source scene", file.string(),
                        "Choose another name");
    return checkWritable(path);
}

Expected<Exported> exportScene(const Scene& scene, const Target& target, const fs::path& path,
                               const ExportOptions& options, Progress& progress) {
    if (auto sound = checkExport(scene, path); !sound) return tl::unexpected(sound.error());
    const fs::path manifest = manifestFor(path);
    GltfWriteOptions writing{options.levels, target.verticalFov};
    Scene written = scene;
    const std::size_t notes = written.notes.size();
    pruneUnused(written, {options.dropEmptyNodes});
    FileSet files;
    auto gltf = writeGltf(written, path, writing, progress, files);
    if (!gltf) return tl::unexpected(gltf.error());
    Exported result;
    result.bytes = gltf->bytes;
    result.notes.assign(written.notes.begin() + static_cast<std::ptrdiff_t>(notes),
                        written.notes.end());
    if (options.ktx2) {
        auto textures = storeTextures(written, target, path, options.storage, progress, files);
        if (!textures) return tl::unexpected(textures.error());
        result.textures = std::move(*textures);
    }
    if (options.manifest) {
        result.manifest = manifest;
        Json json = makeManifest(written, target);
        for (const StoredTexture& texture : result.textures)
            json["textures"].push_back(toJson(texture));
        json["file"] = {{"name", path.filename().string()}, {"hash", toHex(gltf->hash)}};
        if (auto added =
                files.add(manifest, json.dump(1, ' ', false, Json::error_handler_t::replace));
            !added)
            return tl::unexpected(added.error());
    }
    if (progress.cancelled()) return stopped("The export");
    // From here on there is no old manifest that could be taken for one of the new scene.
    std::error_code ignored;
    if (options.manifest) fs::remove(manifest, ignored);
    if (auto done = files.commit(); !done) return tl::unexpected(done.error());
    for (const fs::path& file : gltf->abandoned)
        if (!isSource(scene, file)) fs::remove(file, ignored);
    progress.report(1, "Saved");
    return result;
}

}  // namespace flentro
