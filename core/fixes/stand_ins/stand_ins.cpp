// Far stand-ins: a neighbourhood as one mesh in the colours of its vertices.

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "base/parallel.h"
#include "base/text.h"
#include "fixes/far_levels.h"
#include "fixes/merge/parcel_mesh.h"
#include "fixes/merge/parcels.h"
#include "fixes/stand_ins/stand_ins.h"
#include "measure/viewcost.h"
#include "picture/texels.h"
#include "scene/edit.h"
#include "simplify/reduce.h"

namespace flentro {
namespace {

constexpr int kTextureEdge = 128;               ///< Pixels: only means of them are looked at.
constexpr std::size_t kUnlimited = 0xFFFFFFFF;  ///< Vertices of a part.
constexpr std::size_t kWorthReducing = 200;     ///< Triangles.
constexpr double kMinSaving = 0.2;              ///< Of the triangles, for the memory it takes.
constexpr std::size_t kMin = 12;                ///< Triangles that are left of a mesh.

/// What a neighbourhood looks like from afar.
struct StandIn {
    Group members;
    Box bounds;
    MeshPtr mesh;
};

/// The scene with each object at the level that shows at a distance, each mesh reduced once to
/// half of what the stand-ins may deviate by (estimated): theirs is measured later.
Scene atDistance(const Scene& scene, double distance, double allowed, Progress& progress) {
    Scene far = scene;
    const std::size_t first = scene.assets.size();
    std::vector<double> scales;
    std::map<std::pair<int, std::size_t>, int> known;
    for (Object& object : far.objects) {
        const Asset& asset = scene.asset(object);
        const std::size_t level = levelAt(asset.ladder, object.scale, distance);
        const auto [at, isNew] =
            known.try_emplace({object.asset, level}, static_cast<int>(far.assets.size()));
        if (isNew) {
            Asset alone;
            alone.mesh = asset.level(level);
            far.assets.push_back(std::move(alone));
            scales.push_back(0);
        }
        object.asset = at->second;
        double& scale = scales[static_cast<std::size_t>(at->second) - first];
        scale = std::max(scale, object.scale);
    }
    (void)parallelFor(scales.size(), "Reducing meshes", progress, [&](std::size_t i) {
        MeshPtr& mesh = far.assets[first + i].mesh;
        if (mesh->triangles < kWorthReducing || !(scales[i] > 0)) return;
        auto reducer = Reducer::build(*mesh, {}, progress);
        if (reducer && reducer->reduceTo(kMin, allowed / 2 / scales[i], progress))
            mesh = finishMesh(reducer->mesh());
    });
    return far;
}

/// As few triangles as the deviation allows.
void reduceStandIn(StandIn& standIn, double allowed, Progress& progress) {
    ReduceOptions options;
    options.maxDeviation = allowed;
    auto reduced = reduce(*standIn.mesh, options, progress);
    if (!reduced) return;  // cancelled: the caller sees it too
    standIn.mesh = reduced->mesh;
}

/// Groups whose members are still drawn where the stand-in would take over.
std::vector<StandIn> gather(const Scene& scene, const StandInSettings& settings) {
    MergeSettings grouping;
    grouping.maxCullRatio = 1e3;
    const std::vector<MergeEligibility> eligibility = eligibilityOf(scene, grouping);
    std::vector<bool> marked;
    for (std::size_t i = 0; i < scene.objects.size(); ++i)
        marked.push_back(eligibility[i] == MergeEligibility::Static &&
                         scene.objects[i].culling.end > settings.startDistance);
    std::vector<StandIn> all;
    for (const Group& group : groupObjects(scene, marked, grouping, settings.parcel)) {
        StandIn standIn;
        standIn.members = group;
        standIn.bounds = joinObjects(scene, group).bounds;
        all.push_back(std::move(standIn));
    }
    return all;
}

std::size_t trianglesOf(const Scene& scene, const Group& members) {
    std::size_t triangles = 0;
    for (const std::uint32_t i : members) triangles += scene.mesh(scene.objects[i]).triangles;
    return triangles;
}

/// Vertices of the members' meshes, each mesh once.
std::size_t uniqueVerticesOf(const Scene& scene, const Group& members) {
    std::set<const Mesh*> meshes;
    std::size_t vertices = 0;
    for (const std::uint32_t i : members)
        if (const Mesh& mesh = scene.mesh(scene.objects[i]); meshes.insert(&mesh).second)
            vertices += mesh.vertices;
    return vertices;
}

/// True when a stand-in saves a good part of the triangles, or draw calls for next to no memory.
bool isWorthwhile(const Scene& far, const StandIn& standIn) {
    const std::size_t before = trianglesOf(far, standIn.members);
    if (static_cast<double>(standIn.mesh->triangles) <=
        (1 - kMinSaving) * static_cast<double>(before))
        return true;
    return standIn.members.size() > 1 && standIn.mesh->triangles <= before &&
           standIn.mesh->vertices <= uniqueVerticesOf(far, standIn.members);
}

/// The members move below a node of their own, so that readers can show one or the other.
void place(const Scene& before, const std::vector<StandIn>& all, double from, Scene& scene) {
    std::vector<Group> groups;
    for (const StandIn& standIn : all) groups.push_back(standIn.members);
    removeObjects(scene, membersOf(groups, before.objects.size()));
    int number = 0;
    for (const StandIn& standIn : all) {
        const std::string name = fmt::format("neighbourhood {}", ++number);
        Node holder;
        holder.name = name;
        const int parent = addNode(scene, std::move(holder));
        const std::size_t index = scene.objects.size();
        Object far = joinObjects(before, standIn.members);
        far.name = name + " far";
        far.asset = static_cast<int>(scene.assets.size());
        far.world.topRightCorner<3, 1>() = standIn.bounds.center();
        far.culling.start = from;
        far.castsShadow = false;
        Asset asset;
        asset.mesh = standIn.mesh;
        scene.assets.push_back(std::move(asset));
        addObject(scene, std::move(far), parent);
        // Distances are asked of the same bounds, whatever is left of the surface.
        scene.objects[index].bounds = standIn.bounds;
        for (const std::uint32_t i : standIn.members) {
            Object member = before.objects[i];
            member.standIn = static_cast<int>(index);
            addObject(scene, std::move(member), parent);
        }
    }
}

}  // namespace

Expected<Fixed> applyStandIns(const Scene& scene, const StandInSettings& settings,
                              const Target& target, Progress& progress) {
    Fixed result{scene, {}};
    std::vector<StandIn> all = gather(scene, settings);
    const double allowed = settings.pixels * settings.startDistance / pixelsPerMetreAtOne(target);
    SubProgress reducing(progress, 0, 0.6);
    const Scene far = atDistance(scene, settings.startDistance, allowed, reducing);
    const auto textures = std::make_shared<const TextureCache>(scene, kTextureEdge);
    for (std::size_t i = 0; i < all.size(); ++i) {
        if (progress.cancelled()) return stopped("Making stand-ins");
        Mesh joined = *mergeGroup(far, all[i].members, all[i].bounds.center(), kUnlimited, "").mesh;
        joined.name = fmt::format("neighbourhood {} far", i + 1);
        all[i].mesh = onePart(result.scene, *textures, finishMesh(std::move(joined)));
    }
    SubProgress joining(progress, 0.6, 1);
    const bool finished = parallelFor(all.size(), "Making stand-ins", joining, [&](std::size_t i) {
        reduceStandIn(all[i], allowed / 2, joining);
    });
    if (!finished) return stopped("Making stand-ins");
    const std::size_t made = all.size();
    std::erase_if(all, [&](const StandIn& standIn) { return !isWorthwhile(far, standIn); });
    place(scene, all, settings.startDistance, result.scene);
    std::size_t members = 0;
    std::size_t before = 0;
    std::size_t after = 0;
    for (const StandIn& standIn : all) {
        members += standIn.members.size();
        before += trianglesOf(far, standIn.members);
        after += standIn.mesh->triangles;
    }
    result.record.summary =
        fmt::format("{} {} {} from {}: {} triangles instead of {}", counted(all.size(), "stand-in"),
                    all.size() == 1 ? "shows" : "show", counted(members, "object"),
                    formatMetres(settings.startDistance), formatCount(after), formatCount(before));
    if (made > all.size())
        result.record.notes.push_back(fmt::format(
            "{} as they are: a stand-in would save less than a fifth of the triangles and "
            "take more memory than what it stands for",
            counted(made - all.size(), "neighbourhood stays", "neighbourhoods stay")));
    return result;
}

}  // namespace flentro
