#include <fmt/format.h>

#include <cmath>

#include "base/text.h"
#include "report/audit.h"
#include "verbs.h"

namespace flentro::cli {
namespace {

struct Options {
    std::string scene;
    std::string target = "Kiosk 60";
    std::size_t rows = 15;
};

std::vector<std::vector<std::string>> assetRows(const Inventory& inventory, std::size_t rows) {
    std::vector<std::vector<std::string>> table = {{"asset", "copies", "triangles", "as placed",
                                                    "share", "vertices", "memory", "materials",
                                                    "parts", "levels"}};
    for (const AssetEntry& entry : inventory.assets) {
        if (table.size() > rows) break;
        table.push_back({entry.name, std::to_string(entry.instances),
                         formatCount(static_cast<double>(entry.triangles)),
                         formatCount(static_cast<double>(entry.placed)), formatShare(entry.share),
                         formatCount(static_cast<double>(entry.vertices)),
                         formatBytes(static_cast<double>(entry.bytes)),
                         std::to_string(entry.materials), std::to_string(entry.parts),
                         std::to_string(entry.levels)});
    }
    return table;
}

std::vector<std::vector<std::string>> textureRows(const Inventory& inventory, std::size_t rows) {
    std::vector<std::vector<std::string>> table = {
        {"texture", "size", "memory", "file", "materials", "mip maps"}};
    for (const TextureEntry& entry : inventory.textures) {
        if (table.size() > rows) break;
        table.push_back({entry.name, fmt::format("{} x {} px", entry.width, entry.height),
                         formatBytes(entry.memory),
                         formatBytes(static_cast<double>(entry.fileBytes)),
                         std::to_string(entry.materials), entry.mipMaps ? "yes" : "no"});
    }
    return table;
}

std::vector<std::vector<std::string>> materialRows(const Inventory& inventory, std::size_t rows) {
    std::vector<std::vector<std::string>> table = {
        {"material", "objects", "assets", "textures", "memory"}};
    for (const MaterialEntry& entry : inventory.materialEntries) {
        if (table.size() > rows) break;
        table.push_back({entry.name, formatCount(static_cast<double>(entry.objects)),
                         std::to_string(entry.assets), std::to_string(entry.images),
                         formatBytes(entry.textureBytes)});
    }
    return table;
}

std::vector<std::vector<std::string>> lightRows(const Inventory& inventory, std::size_t rows) {
    std::vector<std::vector<std::string>> table = {{"light", "strength", "range", "shadows"}};
    for (const LightEntry& entry : inventory.lightEntries) {
        if (table.size() > rows) break;
        table.push_back({entry.name,
                         fmt::format("{:.4g} {}", entry.intensity,
                                     entry.type == LightType::Directional ? "lx" : "cd"),
                         std::isfinite(entry.range) ? formatMetres(entry.range) : "none",
                         entry.castsShadow ? "cast" : "none"});
    }
    return table;
}

void print(const Inventory& inventory, std::size_t rows) {
    say("{} of {}; {} as placed, {} unique; {} of meshes\n"
        "{}; {}, {}; {}, {} with shadows; {}\n\n",
        counted(inventory.objects, "object"), counted(inventory.assets.size(), "asset"),
        counted(inventory.placedTriangles, "triangle"), formatCount(inventory.uniqueTriangles),
        formatBytes(static_cast<double>(inventory.meshBytes)),
        counted(inventory.materials, "material"), counted(inventory.textures.size(), "texture"),
        formatBytes(inventory.textureMemory), counted(inventory.lights, "light"),
        formatCount(inventory.shadowLights), counted(inventory.skins, "skin"));
    say("{}\n{}\n{}", formatTable(assetRows(inventory, rows)),
        formatTable(textureRows(inventory, rows)), formatTable(materialRows(inventory, rows)));
    if (inventory.lights > 0) say("\n{}", formatTable(lightRows(inventory, rows)));
}

int runInventory(const Options& options, const Common& common) {
    TerminalProgress progress(common.quiet);
    auto target = findTarget(options.target);
    if (!target) return complain(target.error());
    auto scene = openForVerb(options.scene, common, progress);
    if (!scene) return complain(scene.error());
    const Inventory inventory = takeInventory(*scene, *target);
    if (!common.quiet && common.json != "-") print(inventory, options.rows);
    if (common.json.empty()) return kWithin;
    auto written = writeJson(toJson(inventory), common.json);
    return written ? kWithin : complain(written.error());
}

}  // namespace

void addInventory(Program& program, Common& common) {
    auto options = std::make_shared<Options>();
    Arguments verb =
        addVerb(program, common, "inventory", "What is in a scene, and what it weighs",
                "  flentro-cli inventory market.glb\n"
                "  flentro-cli inventory market.glb --rows 50 --json inventory.json\n");
    addScene(verb, common, options->scene);
    verb.option("--target", options->target, "Whose texture storage to assume");
    common.files.reads("--target", options->target);
    verb.option("--rows", options->rows, "Rows of each table");
    runs(verb, common, [=, &common] { return runInventory(*options, common); });
}

}  // namespace flentro::cli
