// Faults that sit in meshes.

#include <array>
#include <map>

#include "faults/faults.h"
#include "mesh_builder.h"
#include "scene/edit.h"

namespace flentro::demo {
namespace {

using Triangle = std::array<std::uint32_t, 3>;
using Edge = std::pair<std::uint32_t, std::uint32_t>;

Triangle triangleOf(const Part& part, std::size_t t) {
    return {part.indices[3 * t], part.indices[3 * t + 1], part.indices[3 * t + 2]};
}

void add(Part& part, const Triangle& triangle) {
    part.indices.insert(part.indices.end(), triangle.begin(), triangle.end());
}

std::size_t largestPart(const Mesh& mesh) {
    std::size_t best = 0;
    for (std::size_t p = 1; p < mesh.parts.size(); ++p)
        if (mesh.parts[p].triangleCount() > mesh.parts[best].triangleCount()) best = p;
    return best;
}

/// True if all corners of each triangle have one normal.
bool isFlat(const Part& part) {
    const std::vector<Vec3f> normals = toVectors(*part.find("NORMAL"));
    for (std::size_t t = 0; t < part.triangleCount(); ++t) {
        const auto [a, b, c] = triangleOf(part, t);
        if (normals[a] != normals[b] || normals[b] != normals[c]) return false;
    }
    return true;
}

/// Edges that two triangles share by their indices.
std::vector<Edge> innerEdges(const Part& part) {
    std::map<Edge, int> uses;
    for (std::size_t t = 0; t < part.triangleCount(); ++t) {
        const Triangle c = triangleOf(part, t);
        for (std::size_t k = 0; k < 3; ++k) ++uses[std::minmax(c[k], c[(k + 1) % 3])];
    }
    std::vector<Edge> inner;
    for (const auto& [edge, count] : uses)
        if (count == 2) inner.push_back(edge);
    return inner;
}

/// Makes vectors from `first` on of unit length.
void normalize(Stream& stream, std::size_t first) {
    for (std::size_t i = first; i < stream.count(); ++i) {
        const Vec3f mean(stream.value(i, 0), stream.value(i, 1), stream.value(i, 2));
        const Vec3f unit = mean.norm() > 1e-6F ? Vec3f(mean.normalized()) : Vec3f::UnitY();
        for (int c = 0; c < 3; ++c) stream.set(i, c, unit[c]);
    }
}

/// Adds vertices halfway between pairs of others; every attribute is their mean.
void appendMidpoints(Part& part, const std::vector<Edge>& ends) {
    for (Attribute& attribute : part.attributes) {
        Stream stream = *attribute.stream;
        const std::size_t first = stream.count();
        stream.data.resize(stream.data.size() + ends.size() * stream.elementSize());
        for (std::size_t i = 0; i < ends.size(); ++i)
            for (int c = 0; c < stream.components; ++c)
                stream.set(first + i, c,
                           (stream.value(ends[i].first, c) + stream.value(ends[i].second, c)) / 2);
        if (attribute.semantic == "NORMAL") normalize(stream, first);
        attribute.stream = std::make_shared<const Stream>(std::move(stream));
    }
}

/// Cuts every triangle into four at the middles of its edges: the surface stays as it is.
void subdivide(Part& part) {
    std::vector<Edge> ends;
    std::map<Edge, std::uint32_t> middles;
    const auto vertices = static_cast<std::uint32_t>(part.vertexCount());
    const auto middle = [&](std::uint32_t a, std::uint32_t b) {
        const auto [it, isNew] = middles.try_emplace(
            std::minmax(a, b), vertices + static_cast<std::uint32_t>(ends.size()));
        if (isNew) ends.emplace_back(a, b);
        return it->second;
    };
    std::vector<std::uint32_t> indices;
    for (std::size_t t = 0; t < part.triangleCount(); ++t) {
        const auto [a, b, c] = triangleOf(part, t);
        const std::uint32_t ab = middle(a, b), bc = middle(b, c), ca = middle(c, a);
        indices.insert(indices.end(), {a, ab, ca, ab, b, bc, ca, bc, c, ab, bc, ca});
    }
    part.indices = std::move(indices);
    appendMidpoints(part, ends);
}

// --- surplus triangles -------------------------------------------------------------------------

void degenerateTriangles(Planter& p) {
    for (const std::size_t asset : p.assets({"mooring winch"}, p.amount(1, 1, 3), [&](auto a) {
             return p.scene().assets[a].mesh->triangles >= 200;
         })) {
        const std::size_t before = p.scene().assets[asset].mesh->triangles;
        const int share = p.amount(12, 3, 40);  // per cent
        const std::size_t count =
            std::max<std::size_t>(8, before * static_cast<unsigned>(share) / 100);
        p.editMesh(asset, [&](Mesh& mesh) {
            Part& part = mesh.parts[largestPart(mesh)];
            const std::size_t own = part.triangleCount();
            for (std::size_t i = 0; i < count; ++i) {
                const Triangle t = triangleOf(part, i % own);
                add(part, {t[0], t[1], t[i % 2]});
            }
        });
        p.tell(9, "degenerate-triangles", "triangles with two corners in one place",
               {p.nameOf(asset)}, {{"triangles", count}});
    }
}

void duplicateTriangles(Planter& p) {
    for (const std::size_t asset : p.assets({"tar kettle"}, p.amount(1, 1, 3), [&](auto a) {
             return p.scene().assets[a].mesh->triangles >= 200;
         })) {
        const int share = p.amount(20, 5, 60);  // per cent of its largest part
        std::size_t count = 0;
        p.editMesh(asset, [&](Mesh& mesh) {
            Part& part = mesh.parts[largestPart(mesh)];
            count =
                std::max<std::size_t>(8, part.triangleCount() * static_cast<unsigned>(share) / 100);
            for (std::size_t t = 0; t < count; ++t) add(part, triangleOf(part, t));
        });
        p.tell(9, "duplicate-triangles", "triangles that are there twice", {p.nameOf(asset)},
               {{"triangles", count}});
    }
}

void redundantTriangles(Planter& p) {
    const auto suits = [&](std::size_t a) {
        const auto& parts = p.scene().assets[a].mesh->parts;
        return std::any_of(parts.begin(), parts.end(), [](const Part& part) {
            return part.triangleCount() >= 24 && isFlat(part);
        });
    };
    for (const std::size_t asset : p.assets({"lock gate", "table"}, p.amount(2, 1, 3), suits)) {
        const std::size_t before = p.scene().assets[asset].mesh->triangles;
        p.editMesh(asset, [&](Mesh& mesh) {
            for (Part& part : mesh.parts) {
                if (part.triangleCount() < 24 || !isFlat(part)) continue;
                do subdivide(part);
                while (part.triangleCount() < 600 || part.triangleCount() < before);
                break;
            }
        });
        p.tell(9, "redundant-triangles", "loops along flat planks that change nothing",
               {p.nameOf(asset)},
               {{"triangles", p.scene().assets[asset].mesh->triangles - before}});
    }
}

void nonManifold(Planter& p) {
    for (const std::size_t asset : p.assets({"weathercock"}, p.amount(1, 1, 3), [&](auto a) {
             return p.scene().assets[a].mesh->triangles >= 100;
         })) {
        const std::size_t triangles = p.scene().assets[asset].mesh->triangles;
        std::size_t count =
            std::max<std::size_t>(16, triangles * static_cast<unsigned>(p.amount(8, 4, 20)) / 100);
        p.editMesh(asset, [&](Mesh& mesh) {
            Part& part = mesh.parts[largestPart(mesh)];
            // A fin on every so many edges between two triangles.
            const std::vector<Edge> inner = innerEdges(part);
            count = std::min(count, inner.size());
            std::vector<Edge> ends;
            auto next = static_cast<std::uint32_t>(part.vertexCount());
            for (std::size_t i = 0; i < count; ++i) {
                ends.push_back(inner[i * inner.size() / count]);
                add(part, {ends.back().first, ends.back().second, next++});
            }
            appendMidpoints(part, ends);
            Stream stream = *part.find("POSITION");
            const float height = 0.05F * mesh.bounds.sizes().cast<float>().maxCoeff();
            for (std::size_t i = 0; i < ends.size(); ++i) {
                const std::size_t v = stream.count() - ends.size() + i;
                stream.set(v, 1, stream.value(v, 1) + height);
                stream.set(v, 0, stream.value(v, 0) + 0.37F * height);
            }
            part.set("POSITION", std::move(stream));
        });
        p.tell(9, "non-manifold", "fins: edges of three faces", {p.nameOf(asset)},
               {{"fins", count}});
    }
}

/// A wall of unit cubes that keep the faces between them.
void interiorFaces(Planter& p) {
    Scene& scene = p.scene();
    const int columns = p.amount(8, 4, 14), rows = p.amount(4, 2, 5);
    const float edge = 0.5F;
    int material = -1;
    for (std::size_t m = 0; m < scene.materials.size(); ++m)
        if (scene.materials[m].name == "lock stone") material = static_cast<int>(m);
    MeshBuilder builder("coal store");
    builder.material(material);
    for (int x = 0; x < columns; ++x)
        for (int y = 0; y < rows; ++y)
            builder.at(translation(edge * static_cast<float>(x), edge * static_cast<float>(y), 0))
                .box(edge, edge, edge);
    const MeshPtr mesh = builder.finish();
    Node node;
    node.name = "coal store";
    node.mesh = static_cast<int>(p.addAsset({mesh, {}, {mesh->name}}));
    const Vec3d at(p.isRandom() ? p.dice().between(-60, 60) : -64, 0,
                   p.isRandom() ? p.dice().between(26, 40) : -20);
    node.local.topRightCorner<3, 1>() = at;
    addNode(scene, std::move(node));
    const int contacts = (columns - 1) * rows + columns * (rows - 1);
    p.tell(9, "interior-faces", "a wall of blocks that keep the faces between them", {"coal store"},
           {{"triangles", 4 * contacts}});
}

// --- vertices
// -------------------------------------------------------------------------------------

void noIndices(Planter& p) {
    const auto suits = [&](std::size_t a) {
        const Mesh& mesh = *p.scene().assets[a].mesh;
        return mesh.triangles >= 200 && mesh.triangles < 8000 &&
               static_cast<double>(mesh.vertices) < 1.2 * static_cast<double>(mesh.triangles);
    };
    for (const std::size_t asset : p.assets({"plinth"}, p.amount(1, 1, 4), suits)) {
        p.editMesh(asset, [](Mesh& mesh) {
            for (Part& part : mesh.parts) {
                const std::vector<std::uint32_t> corners = part.indices;
                std::vector<std::uint32_t> own(corners.size());
                for (std::size_t i = 0; i < own.size(); ++i) own[i] = static_cast<std::uint32_t>(i);
                part = selectVertices(part, corners, std::move(own));
            }
        });
        p.tell(9, "no-indices", "every corner is a vertex of its own", {p.nameOf(asset)},
               {{"vertices", p.scene().assets[asset].mesh->vertices}});
    }
}

void unusedAttributes(Planter& p) {
    for (const std::size_t asset : p.assets({"lamp post"}, p.amount(1, 1, 4), [&](auto a) {
             return p.scene().assets[a].mesh->triangles >= 100;
         })) {
        double bytes = 0;
        p.editMesh(asset, [&](Mesh& mesh) {
            for (Part& part : mesh.parts) {
                const std::size_t count = part.vertexCount();
                Stream tangents{ComponentType::Float32, 4, false, false, {}};
                tangents.data.resize(count * tangents.elementSize());
                Stream colors{ComponentType::UInt8, 4, true, false, {}};
                colors.data.resize(count * colors.elementSize());
                for (std::size_t v = 0; v < count; ++v) {
                    tangents.set(v, 0, 1);
                    tangents.set(v, 3, 1);
                    for (int c = 0; c < 4; ++c) colors.set(v, c, 1);
                }
                bytes += static_cast<double>(tangents.data.size() + colors.data.size());
                part.set("TANGENT", std::move(tangents));
                part.set("COLOR_0", colors);
                part.set("COLOR_1", std::move(colors));
            }
        });
        p.tell(9, "unused-attributes", "tangents without a normal map, a second set of colours",
               {p.nameOf(asset)}, {{"bytes", bytes}});
    }
}

void poorVertexOrder(Planter& p) {
    for (const std::size_t asset : p.assets({"hill 2"}, p.amount(1, 1, 2), [&](auto a) {
             const Mesh& mesh = *p.scene().assets[a].mesh;
             return mesh.parts[largestPart(mesh)].triangleCount() >= 3000;
         })) {
        p.editMesh(asset, [&](Mesh& mesh) {
            Part& part = mesh.parts[largestPart(mesh)];
            const Part before = part;
            const auto order = p.dice().shuffled(part.triangleCount());
            part.indices.clear();
            for (const std::size_t t : order) add(part, triangleOf(before, t));
        });
        p.tell(9, "poor-vertex-order", "triangles in random order", {p.nameOf(asset)},
               {{"triangles", p.scene().assets[asset].mesh->triangles}});
    }
}

void wideIndices(Planter& p) {
    if (!p.isRandom()) return;  // the quay is built so
    for (const std::size_t asset : p.assets({}, 1, [&](auto a) {
             const Mesh& mesh = *p.scene().assets[a].mesh;
             return mesh.parts[largestPart(mesh)].triangleCount() >= 2000;
         })) {
        bool wasFlat = false;
        p.editMesh(asset, [&](Mesh& mesh) {
            Part& part = mesh.parts[largestPart(mesh)];
            wasFlat = isFlat(part);
            while (part.vertexCount() < 65'535) subdivide(part);
        });
        p.tell(5, "needs-32-bit-indices", "too many vertices in one part", {p.nameOf(asset)},
               {{"vertices", p.scene().assets[asset].mesh->vertices}});
        if (wasFlat || p.nameOf(asset) == "quay")
            p.tell(5, "redundant-triangles", "cut up without any change", {p.nameOf(asset)},
                   Json::object());
        if (p.scene().assets[asset].mesh->bounds.sizes().maxCoeff() > 100)
            p.tell(5, "huge-mesh-defeats-culling", "across the map, always drawn",
                   {p.nameOf(asset)}, Json::object());
    }
}

/// A sheet across the map, cut up finely.
void hugeMesh(Planter& p) {
    if (!p.isRandom()) return;  // the water is built so
    for (const std::size_t asset : p.assets(
             {}, 1, [&](auto a) { return p.nameOf(a) == "water" || p.nameOf(a) == "meadow"; })) {
        const auto wanted = static_cast<std::size_t>(p.amount(0, 20'000, 60'000));
        p.editMesh(asset, [&](Mesh& mesh) {
            Part& part = mesh.parts.front();
            while (part.triangleCount() < wanted) subdivide(part);
        });
        const Json amounts = {{"triangles", p.scene().assets[asset].mesh->triangles}};
        p.tell(5, "huge-mesh-defeats-culling", "across the map, always drawn", {p.nameOf(asset)},
               amounts);
        p.tell(9, "redundant-triangles", "a flat sheet cut up finely", {p.nameOf(asset)}, amounts);
        if (p.scene().assets[asset].mesh->parts.front().vertexCount() >= 65'535)
            p.tell(5, "needs-32-bit-indices", "too many vertices in one part", {p.nameOf(asset)},
                   Json::object());
    }
}

}  // namespace

const std::vector<FaultKind>& geometryFaults() {
    static const std::vector<FaultKind> kinds = {
        {"degenerate-triangles", degenerateTriangles},
        {"duplicate-triangles", duplicateTriangles},
        {"redundant-triangles", redundantTriangles},
        {"non-manifold", nonManifold},
        {"interior-faces", interiorFaces},
        {"no-indices", noIndices},
        {"unused-attributes", unusedAttributes},
        {"poor-vertex-order", poorVertexOrder},
        {"needs-32-bit-indices", wideIndices},
        {"huge-mesh-defeats-culling", hugeMesh},
    };
    return kinds;
}

}  // namespace flentro::demo
