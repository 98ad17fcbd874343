#include "report/audit.h"

#include <cmath>

namespace flentro {

bool Audit::within() const {
    for (const double load : loads)
        if (stateOf(load) == State::Over) return false;
    return true;
}

Audit makeAudit(const Scene& scene, const Target& target, const std::optional<Viewpoint>& view) {
    const ViewCost cost = view ? viewCost(scene, target, *view) : wholeSceneCost(scene, target);
    return {scene.name, target, view, cost.counts, loads(cost.counts, target)};
}

Json toJson(const Audit& audit) {
    Json json = {{"format", "flentro-audit"}, {"version", 1},
                 {"scene", audit.scene},      {"target", audit.target.name},
                 {"within", audit.within()},  {"measures", Json::array()}};
    if (audit.view)
        json["view"] = {{"eye", {audit.view->eye.x(), audit.view->eye.y(), audit.view->eye.z()}},
                        {"heading", audit.view->heading},
                        {"pitch", audit.view->pitch}};
    for (const Measure measure : kMeasures)
        json["measures"].push_back({{"measure", measureKey(measure)},
                                    {"value", at(audit.counts, measure)},
                                    {"limit", at(audit.target.limits, measure)},
                                    {"load", at(audit.loads, measure)}});
    return json;
}

Json toJson(const Inventory& inventory) {
    Json json = {{"format", "flentro-inventory"},
                 {"version", 1},
                 {"objects", inventory.objects},
                 {"uniqueTriangles", inventory.uniqueTriangles},
                 {"placedTriangles", inventory.placedTriangles},
                 {"vertices", inventory.vertices},
                 {"meshBytes", inventory.meshBytes},
                 {"materials", inventory.materials},
                 {"lights", inventory.lights},
                 {"shadowLights", inventory.shadowLights},
                 {"skins", inventory.skins},
                 {"textureBytes", inventory.textureMemory},
                 {"assets", Json::array()},
                 {"textures", Json::array()}};
    for (const AssetEntry& entry : inventory.assets)
        json["assets"].push_back({{"name", entry.name},
                                  {"instances", entry.instances},
                                  {"triangles", entry.triangles},
                                  {"placedTriangles", entry.placed},
                                  {"vertices", entry.vertices},
                                  {"bytes", entry.bytes},
                                  {"bytesPerVertex", entry.bytesPerVertex},
                                  {"materials", entry.materials},
                                  {"parts", entry.parts},
                                  {"levels", entry.levels},
                                  {"textureBytes", entry.textureBytes},
                                  {"share", entry.share}});
    for (const TextureEntry& entry : inventory.textures)
        json["textures"].push_back({{"name", entry.name},
                                    {"width", entry.width},
                                    {"height", entry.height},
                                    {"type", entry.mime},
                                    {"fileBytes", entry.fileBytes},
                                    {"memory", entry.memory},
                                    {"materials", entry.materials},
                                    {"mipMaps", entry.mipMaps}});
    for (const MaterialEntry& entry : inventory.materialEntries)
        json["materialEntries"].push_back({{"name", entry.name},
                                           {"assets", entry.assets},
                                           {"objects", entry.objects},
                                           {"textures", entry.images},
                                           {"textureBytes", entry.textureBytes}});
    for (const LightEntry& entry : inventory.lightEntries) {
        Json light = {{"name", entry.name},
                      {"intensity", entry.intensity},
                      {"castsShadow", entry.castsShadow}};
        if (std::isfinite(entry.range)) light["range"] = entry.range;
        json["lightEntries"].push_back(std::move(light));
    }
    for (const SkinEntry& entry : inventory.skinEntries)
        json["skinEntries"].push_back(
            {{"name", entry.name}, {"joints", entry.joints}, {"objects", entry.objects}});
    return json;
}

}  // namespace flentro
