#include "fixes/fewer_materials/fewer_materials.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <optional>
#include <set>

#include "base/index.h"
#include "base/parallel.h"
#include "base/text.h"
#include "fixes/fewer_materials/bake.h"
#include "fixes/fewer_materials/divide.h"
#include "fixes/fewer_materials/palette.h"
#include "fixes/merge/parcel_mesh.h"
#include "fixes/page_packer.h"
#include "fixes/seen_pixels.h"
#include "geometry/mesh_materials.h"
#include "picture/texels.h"
#include "scene/edit.h"
#include "scene/references.h"
#include "scene/variants.h"

namespace flentro {
namespace {

constexpr std::size_t kMaxTold = 12;
constexpr int kTextureEdge = 16;  ///< Pixels: means and rough places of colours are asked for.

/// [materials] Those that must stay what they are where they are.
std::vector<bool> fixedMaterials(const Scene& scene) {
    std::vector<bool> fixed = animatedMaterials(scene);
    const std::vector<bool> kept = keptMaterials(scene);
    for (std::size_t m = 0; m < fixed.size(); ++m) fixed[m] = fixed[m] || kept[m];
    for (const Asset& asset : scene.assets)
        for (std::size_t level = 0; level < asset.levelCount(); ++level)
            for (const Part& part : asset.level(level)->parts)
                forEachVariantMapping(part.rest, [&](const Json& mapping) {
                    const int other = jsonOr(mapping, "material", -1);
                    for (const int m : {other, part.material})
                        if (m >= 0 && static_cast<std::size_t>(m) < fixed.size())
                            elementOf(fixed, m) = true;
                });
    return fixed;
}

void layAt(Part& part, const Vec2f& coords) {
    part.set("TEXCOORD_0", makeStream(std::vector<Vec2f>(part.vertexCount(), coords)));
}

/// Parts of the palette's materials read from it; equal ones become one. Returns how many fewer.
MeshPtr withPalette(const MeshPtr& mesh, const PaletteResult& palette, std::size_t& joined) {
    Mesh copy = *mesh;
    bool changed = false;
    for (Part& part : copy.parts) {
        if (part.material < 0) continue;
        const auto own = static_cast<std::size_t>(part.material);
        if (own >= palette.materials.size() || palette.materials[own] < 0) continue;
        layAt(part, palette.coords[own]);
        part.material = palette.materials[own];
        changed = true;
    }
    if (!changed) return mesh;
    const MeshPtr finished = finishMesh(std::move(copy));
    MeshPtr result = joinParts(finished);
    joined += finished->parts.size() - result->parts.size();
    return result;
}

/// What a material shows as a whole, and where it shows which colour.
class Colours {
public:
    explicit Colours(const Scene& scene) : scene_(scene), textures_(scene, kTextureEdge) {}

    [[nodiscard]] Vec3f mean(std::size_t material) const {
        const Material& own = scene_.materials[material];
        Vec3f colour = own.baseColor.head<3>();
        if (const Texels* texels = textures_.find(own.texture("baseColorTexture")))
            colour = colour.cwiseProduct(linear(texels->mean()));
        return colour + own.emissive;
    }

    /// Texture coordinates at which a material comes nearest to a colour.
    [[nodiscard]] Vec2f nearest(std::size_t material, const Vec3f& wanted) const {
        const Material& own = scene_.materials[material];
        const Texels* texels = textures_.find(own.texture("baseColorTexture"));
        Vec2f best(0.5F, 0.5F);
        if (!texels) return best;
        float least = std::numeric_limits<float>::infinity();
        for (int i = 0; i < kTextureEdge * kTextureEdge; ++i) {
            const int row = i / kTextureEdge;
            const Vec2f at((static_cast<float>(i % kTextureEdge) + 0.5F) / kTextureEdge,
                           (static_cast<float>(row) + 0.5F) / kTextureEdge);
            const Vec3f colour =
                own.baseColor.head<3>().cwiseProduct(linear(texels->at(at, 1))) + own.emissive;
            const float by = (colour - wanted).squaredNorm();
            if (by < least) {
                least = by;
                best = at;
            }
        }
        return best;
    }

private:
    static Vec3f linear(const Vec4f& display) {
        return {toLinear(display.x()), toLinear(display.y()), toLinear(display.z())};
    }

    const Scene& scene_;
    const TextureCache textures_;
};

/// Lets parts of one asset take materials beside them: likenesses, and those of small parts.
class PartMover {
public:
    PartMover(const Scene& scene, const std::vector<bool>& fixed, const Colours& colours)
        : scene_(scene), fixed_(fixed), colours_(colours) {}

    struct Move {
        int material = -1;
        std::optional<Vec2f> coords;  ///< Where its texture is looked up; none: as before.
    };
    using Moves = std::map<int, Move>;

    /// Where materials of an asset go that have a likeness in it. `edge`: see smallOnes().
    [[nodiscard]] Moves alikeOnes(const Mesh& mesh, std::size_t limit, double alikeColour) const {
        std::map<int, double> areas;
        for (const Part& part : mesh.parts)
            if (part.material >= 0) areas[part.material] += surfaceArea(part);
        std::vector<std::tuple<float, int, int>> pairs;  // difference, from, to
        for (const auto& [a, areaA] : areas)
            for (const auto& [b, areaB] : areas)
                if (isFree(a) && std::pair(areaA, -a) < std::pair(areaB, -b) && isOneKind(a, b))
                    pairs.emplace_back(difference(a, b), a, b);
        std::sort(pairs.begin(), pairs.end());
        Moves moves;
        std::set<int> stay;
        for (const auto& [by, from, to] : pairs) {
            if (areas.size() - moves.size() <= limit || static_cast<double>(by) > alikeColour)
                break;
            if (moves.contains(from) || moves.contains(to) || stay.contains(from)) continue;
            moves[from] = {to, std::nullopt};
            stay.insert(to);
        }
        return moves;
    }

    /// Where materials of an asset go whose parts are small. `edge`: at which the asset is seen,
    /// pixels.
    [[nodiscard]] Moves smallOnes(const Mesh& mesh, double edge, std::size_t limit,
                                  double smallPixels) const {
        std::map<int, double> areas;
        double whole = 0;
        for (const Part& part : mesh.parts) {
            if (part.isDeformable() || part.material < 0) return {};
            const double area = surfaceArea(part);
            areas[part.material] += area;
            whole += area;
        }
        std::vector<std::pair<double, int>> order;
        for (const auto& [material, area] : areas)
            if (isFree(material))
                order.emplace_back(whole > 0 ? edge * std::sqrt(area / whole) : 0, material);
        std::sort(order.begin(), order.end());
        Moves moves;
        std::size_t left = areas.size();
        for (const auto& [pixels, material] : order) {
            if (left <= limit || !(pixels <= smallPixels)) break;
            const int other = likest(material, areas, moves);
            if (other < 0) continue;
            const Vec3f own = colours_.mean(static_cast<std::size_t>(material));
            moves[material] = {other, colours_.nearest(static_cast<std::size_t>(other), own)};
            --left;
        }
        return moves;
    }

private:
    [[nodiscard]] bool isFree(int material) const {
        return static_cast<std::size_t>(material) < fixed_.size() && !elementOf(fixed_, material);
    }
    [[nodiscard]] const Material& at(int material) const {
        return elementOf(scene_.materials, material);
    }
    [[nodiscard]] bool isOneKind(int a, int b) const {
        return materialKind(at(a)) == materialKind(at(b));
    }
    /// The largest of any channel as shown, of roughness and of metalness.
    [[nodiscard]] float difference(int a, int b) const {
        const Vec3f colourA = colours_.mean(static_cast<std::size_t>(a));
        const Vec3f colourB = colours_.mean(static_cast<std::size_t>(b));
        float by = std::max(std::fabs(at(a).roughness - at(b).roughness),
                            std::fabs(at(a).metallic - at(b).metallic));
        for (int c = 0; c < 3; ++c)
            by = std::max(by, std::fabs(toDisplay(colourA[c]) - toDisplay(colourB[c])));
        return by;
    }

    [[nodiscard]] int likest(int material, const std::map<int, double>& areas,
                             const Moves& moves) const {
        const Material& own = elementOf(scene_.materials, material);
        const Vec3f mean = colours_.mean(static_cast<std::size_t>(material));
        int best = -1;
        float least = std::numeric_limits<float>::infinity();
        for (const auto& [other, area] : areas) {
            const Material& candidate = elementOf(scene_.materials, other);
            if (other == material || moves.contains(other) ||
                candidate.alphaMode != own.alphaMode || candidate.doubleSided != own.doubleSided)
                continue;
            const float by = (colours_.mean(static_cast<std::size_t>(other)) - mean).squaredNorm();
            if (by < least) {
                least = by;
                best = other;
            }
        }
        return best;
    }

    const Scene& scene_;
    const std::vector<bool>& fixed_;
    const Colours& colours_;
};

MeshPtr moved(const MeshPtr& mesh, const PartMover::Moves& moves) {
    Mesh copy = *mesh;
    for (Part& part : copy.parts) {
        const auto found = moves.find(part.material);
        if (found == moves.end()) continue;
        if (found->second.coords) layAt(part, *found->second.coords);
        part.material = found->second.material;
    }
    return joinParts(finishMesh(std::move(copy)));
}

std::vector<double> assetEdges(const Scene& scene, const Evidence& evidence) {
    const std::vector<double> ofObject = seenEdges(scene, evidence);
    std::vector<double> edges(scene.assets.size(), 0);
    for (std::size_t i = 0; i < scene.objects.size(); ++i) {
        double& edge = elementOf(edges, scene.objects[i].asset);
        edge = std::max(edge, ofObject[i]);
    }
    return edges;
}

/// Materials of assets that still have too many.
void bakeRest(Scene& scene, const std::vector<std::size_t>& over, double limit,
              const std::vector<bool>& fixed, const Evidence& evidence,
              const FewerMaterialSettings& settings, const Target& target,
              FewerMaterialReport& report, Progress& progress) {
    std::vector<std::size_t> assets;
    std::size_t before = 0;
    for (const std::size_t a : over)
        if (scene.assets[a].importance != Importance::Keep && limit >= 1) {
            assets.push_back(a);
            before += scene.assets[a].mesh->parts.size();
        }
    BakeSettings bake;
    bake.page = pageEdge(settings.bakePage, target);
    bake.leastKept = settings.bakeKept;
    bake.cutShare = settings.bakeCut;
    bake.perMetre = pixelsPerMetreAtOne(target);
    for (const Baked& baked : bakeMaterials(scene, assets, static_cast<std::size_t>(limit), fixed,
                                            evidence, bake, progress)) {
        ++report.pages;
        report.baked += baked.materials.size();
        report.kept = std::min(report.kept, baked.kept);
    }
    for (const std::size_t a : assets) before -= scene.assets[a].mesh->parts.size();
    report.joined += before;
}

/// Only what was done.
std::string describeReport(const FewerMaterialReport& report) {
    std::vector<std::string> done;
    const auto tell = [&](std::size_t count, std::string what) {
        if (count > 0) done.push_back(std::move(what));
    };
    tell(report.colours, fmt::format("{} from {}",
                                     counted(report.colours, "material reads its colour",
                                             "materials read their colours"),
                                     counted(report.palettes, "palette")));
    tell(report.alike,
         fmt::format("{} became one hardly different", counted(report.alike, "material")));
    tell(report.taken,
         fmt::format("{} took the material beside them", counted(report.taken, "small part")));
    tell(report.baked,
         fmt::format("{} baked onto {}", counted(report.baked, "material was", "materials were"),
                     counted(report.pages, "page")));
    if (report.divided > 0)
        done.push_back(fmt::format("{} divided: {} more",
                                   counted(report.divided, "asset is", "assets are"),
                                   counted(report.objects, "object")));
    if (done.empty()) return "No material could become one with another, or none had to";
    return fmt::format("{}; {} fewer", fmt::join(done, ", "), counted(report.joined, "part"));
}

}  // namespace

Json FewerMaterialReport::describe(const Scene&) const {
    return {{"palettes", palettes}, {"colours", colours}, {"joined", joined},  {"alike", alike},
            {"taken", taken},       {"baked", baked},     {"pages", pages},    {"kept", kept},
            {"divided", divided},   {"objects", objects}, {"stillOver", still}};
}

namespace {

/// Notes what was done, and which assets still have more than asked.
void tellReport(Fixed& result, FewerMaterialReport& report, const std::vector<std::size_t>& over,
                double asked) {
    std::vector<std::pair<std::size_t, std::string>> still;
    for (const std::size_t a : over) {
        const Mesh& mesh = *result.scene.assets[a].mesh;
        const std::size_t count = materialCount(mesh);
        still.emplace_back(count, fmt::format("{}: {} of {}", mesh.name, count, asked));
    }
    std::stable_sort(still.begin(), still.end(),
                     [](const auto& a, const auto& b) { return a.first > b.first; });
    for (const auto& [parts, text] : still)
        if (report.still.size() < kMaxTold) report.still.push_back(text);
    result.record.summary = describeReport(report);
    if (report.kept < 1)
        result.record.notes.push_back(
            fmt::format("Baked textures keep at least {} of the texels along an edge that the "
                        "nearest place sees",
                        formatShare(report.kept)));
    if (report.divided > 0)
        result.record.notes.push_back(
            fmt::format("Dividing lowers the materials on one object, not what a view costs: the "
                        "same parts are drawn by as many calls, of {} more",
                        counted(report.objects, "object")));
    if (!still.empty())
        result.record.notes.push_back(
            fmt::format("{} more materials than allowed: {}",
                        counted(still.size(), "asset still has", "assets still have"),
                        fmt::format("{}", fmt::join(report.still, ", "))));
}

}  // namespace

Expected<Fixed> applyFewerMaterials(const Scene& scene, const FewerMaterialSettings& settings,
                                    const Target& target, const Evidence& evidence,
                                    Progress& progress) {
    Fixed result{scene, {}};
    auto report = std::make_shared<FewerMaterialReport>();
    std::vector<bool> fixed = fixedMaterials(scene);
    const auto changeAll = [&](Asset& asset, const auto& change) {
        const MeshPtr before = asset.mesh;
        asset.mesh = change(asset.mesh);
        for (Ladder::Level& level : asset.ladder.levels) level.mesh = change(level.mesh);
        if (asset.mesh != before) asset.ranges.clear();
    };
    if (settings.palette) {
        const PaletteResult palette = addPalettes(result.scene, settings.wholeScene, fixed);
        report->palettes = palette.palettes;
        report->colours = palette.colours;
        for (Asset& asset : result.scene.assets)
            changeAll(asset, [&](const MeshPtr& mesh) {
                return withPalette(mesh, palette, report->joined);
            });
    }
    if (progress.cancelled()) return stopped("Choosing materials");
    fixed.resize(result.scene.materials.size(), false);
    const double asked =
        settings.limit > 0 ? settings.limit : at(target.limits, Measure::MaterialsPerObject);
    const std::vector<double> edges = assetEdges(result.scene, evidence);
    const Colours colours(result.scene);
    const PartMover mover(result.scene, fixed, colours);
    std::vector<std::size_t> over;
    for (std::size_t a = 0; a < result.scene.assets.size() && isLimit(asked); ++a) {
        Asset& asset = result.scene.assets[a];
        if (static_cast<double>(materialCount(*asset.mesh)) <= asked) continue;
        const auto limit = static_cast<std::size_t>(asked);
        const std::size_t before = asset.mesh->parts.size();
        const auto move = [&](const PartMover::Moves& moves, std::size_t& count) {
            count += moves.size();
            if (!moves.empty())
                changeAll(asset, [&](const MeshPtr& mesh) { return moved(mesh, moves); });
        };
        if (asset.importance != Importance::Keep) {
            move(mover.alikeOnes(*asset.mesh, limit, settings.alikeColour), report->alike);
            if (settings.smallPixels > 0)
                move(mover.smallOnes(*asset.mesh, edges[a], limit, settings.smallPixels),
                     report->taken);
        }
        report->joined += before - asset.mesh->parts.size();
        if (materialCount(*asset.mesh) > limit) over.push_back(a);
    }
    if (settings.bakePage > 0)
        bakeRest(result.scene, over, asked, fixed, evidence, settings, target, *report, progress);
    if (progress.cancelled()) return stopped("Choosing materials");
    std::erase_if(over, [&](std::size_t a) {
        return static_cast<double>(materialCount(*result.scene.assets[a].mesh)) <= asked;
    });
    if (settings.divide && asked >= 1 && !over.empty()) {
        const Division division =
            divideByMaterials(result.scene, over, static_cast<std::size_t>(asked));
        report->divided = division.assets;
        report->objects = division.objects;
        over = division.refused;
    }
    tellReport(result, *report, over, asked);
    if (report->divided > 0) dropUnusedAssets(result.scene);
    result.record.report = std::move(report);
    return result;
}

}  // namespace flentro
