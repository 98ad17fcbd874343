// Faults that sit in materials and in how parts use them.

#include <fmt/format.h>

#include "faults/faults.h"
#include "mesh_builder.h"

namespace flentro::demo {
namespace {

/// Cuts the parts of a mesh until it has so many, each with a material of its own.
void manyMaterials(Planter& p) {
    for (const std::size_t asset : p.assets({"stall 3"}, p.amount(1, 1, 2), [&](auto a) {
             const Mesh& mesh = *p.scene().assets[a].mesh;
             return mesh.parts.size() < 5 && mesh.parts.front().triangleCount() >= 24;
         })) {
        const auto wanted = static_cast<std::size_t>(p.amount(7, 9, 14));
        const std::size_t first = p.scene().assets[asset].mesh->parts.size();
        p.editMesh(asset, [&](Mesh& mesh) {
            const std::size_t pieces = wanted - first + 1;
            const Part whole = mesh.parts.front();
            const std::size_t triangles = whole.triangleCount();
            for (std::size_t k = 0; k < pieces; ++k) {
                Part piece = whole;
                piece.indices.assign(
                    whole.indices.begin() +
                        static_cast<std::ptrdiff_t>(3 * (k * triangles / pieces)),
                    whole.indices.begin() +
                        static_cast<std::ptrdiff_t>(3 * ((k + 1) * triangles / pieces)));
                piece = dropUnusedVertices(piece);
                if (k == 0)
                    mesh.parts.front() = std::move(piece);
                else
                    mesh.parts.push_back(std::move(piece));
            }
        });
        for (std::size_t part = first; part < wanted; ++part)
            p.editMaterial(
                asset, part, fmt::format("{} board {}", p.nameOf(asset), part), [&](Json& source) {
                    const double tint = 1 - 0.02 * static_cast<double>(part - first + 1) -
                                        1e-4 * static_cast<double>(asset);
                    source["pbrMetallicRoughness"]["baseColorFactor"] = {tint, tint, tint, 1};
                });
        p.tell(4, "many-materials", "each board a material of its own", {p.nameOf(asset)},
               {{"materials", wanted}});
    }
}

/// Panes of glass around a thing, in the same mesh.
void transparentPart(Planter& p) {
    for (const std::size_t asset : p.assets({"lantern 4"}, p.amount(1, 1, 2), [&](auto a) {
             return p.scene().assets[a].mesh->triangles >= 60;
         })) {
        const Mesh& mesh = *p.scene().assets[asset].mesh;
        const Vec3f size = mesh.bounds.sizes().cast<float>();
        const Vec3f middle = mesh.bounds.center().cast<float>();
        const double clear = 0.05 + 1e-3 * static_cast<double>(asset);
        const int glass = p.addMaterial(
            mesh.parts.front().material, "glass of " + p.nameOf(asset), [&](Json& source) {
                source["alphaMode"] = "BLEND";
                source["pbrMetallicRoughness"] = {{"baseColorFactor", {0.9, 0.75, 0.5, 0.25}},
                                                  {"roughnessFactor", clear},
                                                  {"metallicFactor", 0}};
            });
        MeshBuilder builder("panes");
        builder.material(glass);
        for (int side = 0; side < 4; ++side)
            builder
                .at(translation(middle.x(),
                                static_cast<float>(mesh.bounds.min().y()) + 0.1F * size.y(),
                                middle.z()) *
                    rotationY(90.0F * static_cast<float>(side)) *
                    translation(0, 0, 0.42F * (side % 2 ? size.x() : size.z())))
                .card(0.8F * (side % 2 ? size.z() : size.x()), 0.6F * size.y());
        const MeshPtr panes = builder.finish();
        p.editMesh(asset, [&](Mesh& own) { own.parts.push_back(panes->parts.front()); });
        p.tell(4, "transparent-part", "frame and glass in one mesh", {p.nameOf(asset)},
               {{"triangles", 8}});
    }
}

void doubleSidedClosed(Planter& p) {
    const std::set<std::string> closed = {"crate", "lock walls", "lock gate", "bench", "warehouse"};
    for (const std::size_t asset : p.assets({"awning 1", "awning 8"}, p.amount(2, 1, 2),
                                            [&](auto a) { return closed.contains(p.nameOf(a)); })) {
        const std::string name = "two-sided " + p.nameOf(asset);
        p.editMaterial(asset, 0, name, [](Json& source) { source["doubleSided"] = true; });
        p.tell(4, "double-sided-closed", "closed, and drawn from both sides",
               {p.nameOf(asset), name}, Json::object());
    }
}

/// Leaves that are cut out sharply, blended all the same.
void blendedLeaves(Planter& p) {
    const std::set<std::string> leafy = {"poplar 1", "poplar 2", "poplar 3", "poplar 4"};
    for (const std::size_t asset : p.assets({"poplar 2"}, p.amount(1, 1, 2),
                                            [&](auto a) { return leafy.contains(p.nameOf(a)); })) {
        const std::string name = "blended leaves of " + p.nameOf(asset);
        p.editMaterial(asset, 1, name, [&](Json& source) {
            source["alphaMode"] = "BLEND";
            source["pbrMetallicRoughness"]["roughnessFactor"] =
                0.8 + 1e-3 * static_cast<double>(asset);
        });
        p.tell(4, "blend-could-be-cut-out", "clear or opaque, hardly anything between",
               {name, "leaves poplar"}, Json::object());
    }
}

}  // namespace

const std::vector<FaultKind>& materialFaults() {
    static const std::vector<FaultKind> kinds = {
        {"many-materials", manyMaterials},
        {"transparent-part", transparentPart},
        {"double-sided-closed", doubleSidedClosed},
        {"blend-could-be-cut-out", blendedLeaves},
    };
    return kinds;
}

}  // namespace flentro::demo
