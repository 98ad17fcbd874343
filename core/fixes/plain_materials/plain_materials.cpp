#include "fixes/plain_materials/plain_materials.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numeric>
#include <optional>

#include "base/index.h"
#include "base/parallel.h"
#include "base/text.h"
#include "fixes/done_list.h"
#include "fixes/plain_materials/material_look.h"
#include "fixes/seen_pixels.h"
#include "geometry/weld.h"
#include "io/gltf_materials.h"
#include "picture/image_facts.h"
#include "picture/resample.h"
#include "scene/references.h"

namespace flentro {
namespace {

constexpr int kLookedAt = 512;  ///< Pixels an edge of images that only averages are asked of.

struct Coat {
    const char* extension;
    const char* name;
};
constexpr std::array kCoats = {Coat{"KHR_materials_clearcoat", "clear coat"},
                               Coat{"KHR_materials_sheen", "sheen"},
                               Coat{"KHR_materials_anisotropy", "anisotropy"},
                               Coat{"KHR_materials_iridescence", "iridescence"}};

/// [materials] True where every part that shows it is closed and looks outward.
std::vector<bool> closedMaterials(const Scene& scene) {
    std::vector<bool> closed(scene.materials.size(), true);
    for (const Asset& asset : scene.assets) {
        const bool asks =
            std::any_of(asset.mesh->parts.begin(), asset.mesh->parts.end(), [&](const Part& part) {
                return part.material >= 0 && elementOf(scene.materials, part.material).doubleSided;
            });
        if (!asks) continue;
        const WeldedMesh welded = weldPositions(*asset.mesh);
        std::size_t first = 0;
        for (const Part& part : asset.mesh->parts) {
            const std::size_t count = 3 * part.triangleCount();
            const auto corners = std::span(welded.corners).subspan(first, count);
            first += count;
            if (part.material < 0) continue;
            const bool isSound = part.isTriangles() && !part.isDeformable() &&
                                 isClosedOutward(welded.points, corners);
            if (!isSound) elementOf(closed, part.material) = false;
        }
    }
    return closed;
}

class Plainer {
public:
    Plainer(const Scene& scene, const PlainMaterialSettings& settings, const Evidence& evidence)
        : scene_(scene),
          settings_(settings),
          edges_(materialEdges(scene, evidence)),
          closed_(closedMaterials(scene)) {}

    /// The material without what it does not need; what it lost is appended, its maps first.
    [[nodiscard]] Material plain(std::size_t index, bool mayLoseMaps,
                                 std::vector<std::string>& lost) {
        const Material& material = scene_.materials[index];
        json_ = material.source.is_object() ? material.source : Json::object();
        lost_ = &lost;
        if (mayLoseMaps && edges_[index] < settings_.maxPixels) dropMaps(material);
        if (edges_[index] < settings_.unlitPixels && !material.unlit) {
            objectAt(json_, "extensions")["KHR_materials_unlit"] = Json::object();
            lost.emplace_back("light");
        }
        if (settings_.oneSided && material.doubleSided && material.alphaMode == AlphaMode::Opaque &&
            closed_[index]) {
            dropMember(json_, "doubleSided");
            lost.emplace_back("second side");
        }
        if (settings_.cutOut && material.alphaMode == AlphaMode::Blend) settleAlpha(material);
        if (lost.empty()) return material;
        Material plain = parseMaterial(json_);
        plain.name = material.name;
        return plain;
    }
    [[nodiscard]] double edge(std::size_t material) const { return edges_[material]; }

private:
    [[nodiscard]] std::optional<Pixels> pixelsOf(const Material& material, const char* role) const {
        const int texture = material.texture(role);
        const int image = scene_.imageOf(texture);
        if (image < 0) return std::nullopt;
        auto pixels = decodeImage(elementOf(scene_.images, image), kLookedAt);
        if (!pixels) return std::nullopt;
        return std::move(*pixels);
    }

    void dropMaps(const Material& material) {
        Json& pbr = objectAt(json_, "pbrMetallicRoughness");
        if (settings_.meanRoughness && pbr.contains("metallicRoughnessTexture")) {
            if (const auto pixels = pixelsOf(material, "metallicRoughnessTexture")) {
                pbr["roughnessFactor"] = material.roughness * mean(*pixels, 1);
                pbr["metallicFactor"] = material.metallic * mean(*pixels, 2);
                pbr.erase("metallicRoughnessTexture");
                lost_->emplace_back("roughness map");
            }
        }
        if (settings_.dropNormals && json_.contains("normalTexture")) dropNormals(material, pbr);
        if (settings_.dropOcclusion && dropMember(json_, "occlusionTexture"))
            lost_->emplace_back("occlusion map");
        if (settings_.dropCoats && !jsonObject(json_, "extensions").empty()) {
            for (const Coat& coat : kCoats)
                if (dropMember(json_["extensions"], coat.extension)) lost_->emplace_back(coat.name);
            if (json_["extensions"].empty()) json_.erase("extensions");
        }
    }

    /// Its relief goes on as roughness: highlights stay as wide as they look from afar.
    void dropNormals(const Material& material, Json& pbr) {
        const auto pixels = pixelsOf(material, "normalTexture");
        if (pixels && !pbr.contains("metallicRoughnessTexture")) {
            const std::vector<float> lengths = meanNormalLengths(*pixels, 1, 1);
            const auto roughness = jsonOr(pbr, "roughnessFactor", 1.0);
            pbr["roughnessFactor"] = roughnessFor(roughness, static_cast<double>(lengths[0]));
        }
        dropMember(json_, "normalTexture");
        lost_->emplace_back("normal map");
    }

    [[nodiscard]] static double mean(const Pixels& pixels, std::size_t channel) {
        double sum = 0;
        for (std::size_t i = channel; i < pixels.rgba.size(); i += 4) sum += pixels.rgba[i];
        return sum / (255.0 * static_cast<double>(pixels.rgba.size()) / 4);
    }

    void settleAlpha(const Material& material) {
        if (material.baseColor.w() < 0.99F) return;
        // Glass lets light through by other means.
        if (jsonObject(json_, "extensions").contains("KHR_materials_transmission")) return;
        const int texture = material.texture("baseColorTexture");
        const int image = scene_.imageOf(texture);
        double clear = 0;
        double opaque = 1;
        if (image >= 0) {
            const ImageFacts& facts = factsOf(image);
            if (!facts.isKnown) return;
            clear = facts.clear;
            opaque = facts.opaque;
        }
        if (clear + opaque < settings_.minSettled) return;
        if (clear > 0) {
            json_["alphaMode"] = "MASK";
            json_["alphaCutoff"] = 0.5;
        } else {
            dropMember(json_, "alphaMode");
        }
        lost_->emplace_back("blending");
    }

    const ImageFacts& factsOf(int image) {
        const auto found = facts_.find(image);
        if (found != facts_.end()) return found->second;
        return facts_[image] = imageFactsOf(elementOf(scene_.images, image));
    }

    const Scene& scene_;
    const PlainMaterialSettings& settings_;
    const std::vector<double> edges_;
    const std::vector<bool> closed_;
    std::map<int, ImageFacts> facts_;
    Json json_;
    std::vector<std::string>* lost_ = nullptr;
};

std::string summaryOf(const PlainMaterialReport& report, std::size_t all) {
    std::map<std::string, std::size_t> counts;
    for (const PlainMaterial& material : report.materials)
        for (const std::string& lost : material.lost) ++counts[lost];
    std::vector<std::string> parts;
    for (const auto& [what, count] : counts)
        parts.push_back(fmt::format("{} lost {}", count, what));
    return fmt::format("{} plainer{}{}", countOf(report.materials.size(), all, "material"),
                       parts.empty() ? "" : ": ", fmt::join(parts, ", "));
}

/// Other losses are no question of looks: they change nothing that is seen, or were asked for.
bool lostMaps(const PlainMaterial& row) {
    return std::any_of(row.lost.begin(), row.lost.end(), [](const std::string& what) {
        return what != "second side" && what != "blending" && what != "light";
    });
}

/// [materials] The object that is seen largest of all that show each; -1: none is.
std::vector<int> largestObjects(const Scene& scene, const Evidence& evidence) {
    const std::vector<double> edges = seenEdges(scene, evidence);
    std::vector<int> largest(scene.materials.size(), -1);
    for (std::size_t i = 0; i < scene.objects.size(); ++i)
        for (const Part& part : scene.mesh(scene.objects[i]).parts) {
            if (part.material < 0) continue;
            int& best = elementOf(largest, part.material);
            if (best < 0 || edges[i] > elementOf(edges, best)) best = static_cast<int>(i);
        }
    return largest;
}

/// How each looks by what it lost; nothing is known of it without rays. False: cancelled.
bool measureChanges(const Scene& before, const Scene& after, const Target& target,
                    const Evidence& evidence, std::vector<PlainMaterial>& rows,
                    Progress& progress) {
    if (evidence.images.empty()) return true;
    const std::vector<int> largest = largestObjects(before, evidence);
    return parallelFor(rows.size(), "Looking at plainer materials", progress, [&](std::size_t i) {
        PlainMaterial& row = rows[i];
        const int object = largest[row.material];
        if (object < 0 || row.pixels < 0) return;
        Material plainer = after.materials[row.material];
        plainer.unlit = before.materials[row.material].unlit;  // asked for: not what is judged
        row.object = object;
        row.change = materialLook(before, static_cast<std::size_t>(object), row.material, plainer,
                                  row.pixels, target)
                         .change;
    });
}

void tell(std::size_t missed, const PlainMaterialSettings& settings, const Evidence& evidence,
          const std::vector<bool>& animated, FixRecord& record) {
    if (missed > 0)
        record.notes.push_back(fmt::format(
            "{} maps: without them the largest thing of each would look different by more than {}",
            counted(missed, "material keeps its", "materials keep their"),
            formatShare(settings.maxChange)));
    if (evidence.images.empty())
        record.notes.emplace_back(
            "Without a survey with rays nothing is known of sizes: only backdrops lose maps");
    const auto still = static_cast<std::size_t>(std::count(animated.begin(), animated.end(), true));
    if (still > 0)
        record.notes.push_back(fmt::format("{} as they are: animations change them",
                                           counted(still, "material stays", "materials stay")));
}

}  // namespace

Json PlainMaterialReport::describe(const Scene&) const {
    Json rows = Json::array();
    for (const PlainMaterial& row : materials)
        rows.push_back({{"material", row.name},
                        {"pixels", row.pixels},
                        {"lost", row.lost},
                        {"change", row.change}});
    return {{"materials", rows}};
}

Expected<Fixed> applyPlainMaterials(const Scene& scene, const PlainMaterialSettings& settings,
                                    const Target& target, const Evidence& evidence,
                                    Progress& progress) {
    Fixed result{scene, {}};
    Plainer plainer(scene, settings, evidence);
    const std::vector<bool> kept = keptMaterials(scene);
    const std::vector<bool> animated = animatedMaterials(scene);
    std::vector<PlainMaterial> rows;
    SubProgress first(progress, 0, 0.5);
    for (std::size_t m = 0; m < scene.materials.size(); ++m) {
        if (progress.cancelled()) return stopped("Making materials plainer");
        first.report(static_cast<double>(m) / static_cast<double>(scene.materials.size()),
                     "Making materials plainer");
        if (kept[m] || animated[m]) continue;
        const double edge = plainer.edge(m);
        PlainMaterial row;
        row.name = scene.materials[m].name;
        row.material = static_cast<std::uint32_t>(m);
        row.pixels = std::isfinite(edge) ? edge : -1;
        result.scene.materials[m] = plainer.plain(m, true, row.lost);
        if (!row.lost.empty()) rows.push_back(std::move(row));
    }
    SubProgress second(progress, 0.5, 1);
    if (!measureChanges(scene, result.scene, target, evidence, rows, second))
        return stopped("Looking at materials");
    std::size_t missed = 0;
    for (PlainMaterial& row : rows) {
        if (!lostMaps(row) || row.change <= settings.maxChange) continue;
        ++missed;
        row.lost.clear();
        result.scene.materials[row.material] = plainer.plain(row.material, false, row.lost);
    }
    std::erase_if(rows, [](const PlainMaterial& row) { return row.lost.empty(); });
    auto report = std::make_shared<PlainMaterialReport>();
    report->materials = std::move(rows);
    result.record.summary = summaryOf(*report, scene.materials.size());
    tell(missed, settings, evidence, animated, result.record);
    result.record.report = std::move(report);
    return result;
}

}  // namespace flentro
