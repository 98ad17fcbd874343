#include <fmt/format.h>

#include <array>
#include <set>

#include "base/parallel.h"
#include "base/text.h"
#include "fixes/fix.h"
#include "geometry/weld.h"

namespace flentro {
namespace {

struct Tidied {
    MeshPtr mesh;
    std::size_t degenerate = 0;
    std::size_t duplicate = 0;
    std::size_t vertices = 0;  ///< Welded or unused.
};

using Corners = std::array<std::uint32_t, 3>;

/// The triangle with its lowest corner first, so that equal faces are equal whatever corner
/// they start at; the winding is kept.
Corners rotated(Corners t) {
    while (t[0] > t[1] || t[0] > t[2]) t = {t[1], t[2], t[0]};
    return t;
}

void weld(Part& part) {
    const std::vector<std::uint32_t> first = firstEqualVertex(part);
    for (std::uint32_t& index : part.indices) index = first[index];
}

bool isDegenerate(const Vec3f& a, const Vec3f& b, const Vec3f& c) {
    return (b - a).cross(c - a).squaredNorm() == 0;
}

void dropTriangles(Part& part, const TidySettings& settings, Tidied& result) {
    const std::vector<Vec3f> positions = toVectors(*part.find("POSITION"));
    std::set<Corners> seen;
    std::size_t kept = 0;
    for (std::size_t i = 0; i + 2 < part.indices.size(); i += 3) {
        const Corners t = {part.indices[i], part.indices[i + 1], part.indices[i + 2]};
        if (settings.dropDegenerate &&
            isDegenerate(positions[t[0]], positions[t[1]], positions[t[2]])) {
            ++result.degenerate;
            continue;
        }
        if (settings.dropDuplicates && !seen.insert(rotated(t)).second) {
            ++result.duplicate;
            continue;
        }
        for (std::size_t k = 0; k < 3; ++k) part.indices[kept + k] = t[k];
        kept += 3;
    }
    part.indices.resize(kept);
}

Tidied tidy(const MeshPtr& mesh, const TidySettings& settings) {
    Tidied result;
    Mesh copy = *mesh;
    for (Part& part : copy.parts) {
        if (!part.isTriangles()) continue;
        if (settings.weld) weld(part);
        dropTriangles(part, settings, result);
        if (settings.dropUnused) part = dropUnusedVertices(part);
    }
    const bool emptied =
        std::erase_if(copy.parts, [](const Part& part) { return part.indices.empty(); }) > 0;
    if (copy.parts.empty() && emptied) copy.parts = mesh->parts;
    result.mesh = finishMesh(std::move(copy));
    result.vertices = mesh->vertices - std::min(mesh->vertices, result.mesh->vertices);
    if (result.mesh->hash == mesh->hash) result.mesh = mesh;
    return result;
}

std::vector<std::size_t> instanceCounts(const Scene& scene) {
    std::vector<std::size_t> counts(scene.assets.size());
    for (const Object& object : scene.objects) ++counts[static_cast<std::size_t>(object.asset)];
    return counts;
}

}  // namespace

Expected<Fixed> applyTidy(const Scene& scene, const TidySettings& settings, Progress& progress) {
    Fixed result{scene, {}};
    std::vector<Tidied> tidied(scene.assets.size());
    const bool finished = parallelFor(tidied.size(), "Tidying", progress, [&](std::size_t i) {
        tidied[i].mesh = scene.assets[i].mesh;
        if (scene.assets[i].importance != Importance::Keep)
            tidied[i] = tidy(scene.assets[i].mesh, settings);
    });
    if (!finished) return fail(ErrorCode::Cancelled, "Tidying was stopped");
    const std::vector<std::size_t> instances = instanceCounts(scene);
    std::size_t triangles = 0;
    std::size_t placed = 0;
    std::size_t vertices = 0;
    std::size_t changed = 0;
    for (std::size_t i = 0; i < tidied.size(); ++i) {
        const std::size_t dropped = tidied[i].degenerate + tidied[i].duplicate;
        triangles += dropped;
        placed += dropped * instances[i];
        vertices += tidied[i].vertices;
        changed += tidied[i].mesh != scene.assets[i].mesh;
        result.scene.assets[i].mesh = tidied[i].mesh;
    }
    result.record.summary = fmt::format(
        "{} of {} assets tidied: {} triangles ({} as placed) and {} vertices less", changed,
        tidied.size(), formatCount(triangles), formatCount(placed), formatCount(vertices));
    return result;
}

}  // namespace flentro
