#include "support/meshes.h"

#include <fmt/format.h>

#include <cmath>
#include <map>

#include "geometry/weld.h"

namespace flentro::test {

Part makePart(std::vector<Vec3f> positions, std::vector<std::uint32_t> indices) {
    Part part;
    addStream(part, "POSITION", makeStream(positions));
    part.indices = std::move(indices);
    return part;
}

void addStream(Part& part, const char* semantic, Stream stream) {
    part.attributes.push_back({semantic, std::make_shared<const Stream>(std::move(stream))});
}

Mesh makeGrid(int columns, int rows, double size, double (*height)(double, double)) {
    std::vector<Vec3f> positions, normals;
    std::vector<Vec2f> texCoords;
    std::vector<std::uint32_t> indices;
    for (int r = 0; r <= rows; ++r)
        for (int c = 0; c <= columns; ++c) {
            const double u = static_cast<double>(c) / columns;
            const double v = static_cast<double>(r) / rows;
            const double y = height ? height(u, v) : 0;
            positions.push_back(Vec3d(u * size, y, v * size).cast<float>());
            normals.push_back(Vec3f::UnitY());
            texCoords.push_back({static_cast<float>(u), static_cast<float>(v)});
        }
    const auto stride = static_cast<std::uint32_t>(columns + 1);
    for (std::uint32_t r = 0; r < static_cast<std::uint32_t>(rows); ++r)
        for (std::uint32_t c = 0; c < static_cast<std::uint32_t>(columns); ++c) {
            const std::uint32_t a = r * stride + c;
            for (const std::uint32_t i : {a, a + stride, a + 1, a + 1, a + stride, a + stride + 1})
                indices.push_back(i);
        }
    Part part = makePart(std::move(positions), std::move(indices));
    addStream(part, "NORMAL", makeStream(normals));
    addStream(part, "TEXCOORD_0", makeStream(texCoords));
    Mesh mesh;
    mesh.name = "grid";
    mesh.parts.push_back(std::move(part));
    return mesh;
}

Mesh makeSphere(int around, int along, double radius) {
    Mesh mesh = makeGrid(around, along);
    Part& part = mesh.parts.front();
    std::vector<Vec3f> positions, normals;
    for (int r = 0; r <= along; ++r)
        for (int c = 0; c <= around; ++c) {
            const double heading = 2 * kPi * (c % around) / around;
            const double down = kPi * r / along;
            const double ring = r == 0 || r == along ? 0 : std::sin(down);
            const Vec3d n(ring * std::cos(heading), std::cos(down), -ring * std::sin(heading));
            normals.push_back(n.cast<float>());
            positions.push_back((radius * n).cast<float>());
        }
    part.attributes[0].stream = std::make_shared<const Stream>(makeStream(positions));
    part.attributes[1].stream = std::make_shared<const Stream>(makeStream(normals));
    mesh.name = "sphere";
    return mesh;
}

Mesh makeBox(const Vec3f& size) {
    std::vector<Vec3f> positions, normals;
    std::vector<std::uint32_t> indices;
    for (int axis = 0; axis < 3; ++axis)
        for (const float side : {-1.0F, 1.0F}) {
            Vec3f n = Vec3f::Zero();
            n[axis] = side;
            Vec3f u = Vec3f::Zero();
            u[(axis + 1) % 3] = side;
            const Vec3f v = n.cross(u);
            const auto base = static_cast<std::uint32_t>(positions.size());
            for (const Vec3f& corner :
                 {Vec3f(n - u - v), Vec3f(n + u - v), Vec3f(n + u + v), Vec3f(n - u + v)}) {
                positions.push_back(corner.cwiseProduct(size) / 2);
                normals.push_back(n);
            }
            for (const std::uint32_t i : {0U, 1U, 2U, 0U, 2U, 3U}) indices.push_back(base + i);
        }
    Part part = makePart(std::move(positions), std::move(indices));
    addStream(part, "NORMAL", makeStream(normals));
    Mesh mesh;
    mesh.name = "box";
    mesh.parts.push_back(std::move(part));
    return mesh;
}

Mesh makeBowtie() {
    Mesh mesh;
    mesh.name = "bowtie";
    mesh.parts.push_back(
        makePart({{0, 0, 0}, {1, 1, 0}, {1, -1, 0}, {-1, -1, 0}, {-1, 1, 0}}, {0, 2, 1, 0, 4, 3}));
    return mesh;
}

Mesh makeMoebius(int segments) {
    std::vector<Vec3f> positions;
    std::vector<std::uint32_t> indices;
    const auto count = static_cast<std::uint32_t>(segments);
    for (int i = 0; i < segments; ++i) {
        const double a = 2 * kPi * i / segments;
        for (const double side : {-0.3, 0.3}) {
            const double r = 1 + side * std::cos(a / 2);
            positions.push_back(
                Vec3d(r * std::cos(a), side * std::sin(a / 2), r * std::sin(a)).cast<float>());
        }
    }
    for (std::uint32_t i = 0; i < count; ++i) {
        const bool twist = i + 1 == count;
        const std::uint32_t a = 2 * i, b = a + 1;
        const std::uint32_t c = 2 * ((i + 1) % count) + (twist ? 1 : 0);
        const std::uint32_t d = 2 * ((i + 1) % count) + (twist ? 0 : 1);
        for (const std::uint32_t index : {a, b, c, b, d, c}) indices.push_back(index);
    }
    Mesh mesh;
    mesh.name = "moebius";
    mesh.parts.push_back(makePart(std::move(positions), std::move(indices)));
    return mesh;
}

Mesh makeFin() {
    Mesh mesh;
    mesh.name = "fin";
    mesh.parts.push_back(makePart({{0, 0, 0}, {0, 1, 0}, {1, 0, 0}, {-1, 0, 0}, {0, 0, 1}},
                                  {0, 1, 2, 0, 1, 3, 0, 1, 4}));
    return mesh;
}

Mesh makeUntidy() {
    const Mesh grid = makeGrid(3, 3);
    const Part& source = grid.parts[0];
    std::vector<std::uint32_t> order = source.indices;
    order.insert(order.end(), {0, 0, 1});
    order.insert(order.end(), {source.indices[1], source.indices[2], source.indices[0]});
    std::vector<std::uint32_t> indices(order.size());
    for (std::uint32_t i = 0; i < indices.size(); ++i) indices[i] = i;
    order.push_back(5);  // a vertex that nothing uses
    Mesh mesh;
    mesh.name = "untidy";
    mesh.parts.push_back(selectVertices(source, order, indices));
    return mesh;
}

Mesh named(Mesh mesh, const char* name) {
    mesh.name = name;
    return mesh;
}

Scene makeScene(std::vector<Placed> placed) {
    Scene scene;
    scene.name = "test";
    scene.rest = {{"asset", {{"version", "2.0"}}}};
    Json roots = Json::array();
    for (Placed& entry : placed) {
        Node node;
        node.name = entry.mesh.name + " node";
        node.mesh = static_cast<int>(scene.assets.size());
        node.local.topLeftCorner<3, 3>() *= entry.scale;
        node.local.topRightCorner<3, 1>() = entry.at;
        node.rest["translation"] = {entry.at.x(), entry.at.y(), entry.at.z()};
        if (entry.scale != 1) node.rest["scale"] = {entry.scale, entry.scale, entry.scale};
        const std::string name = entry.mesh.name;
        scene.assets.push_back({finishMesh(std::move(entry.mesh)), {}, {name}});
        roots.push_back(scene.nodes.size());
        scene.nodes.push_back(std::move(node));
    }
    scene.scenes.push_back({{"nodes", roots}});
    flatten(scene);
    return scene;
}

double areaOf(const Mesh& mesh) {
    double area = 0;
    for (const Part& part : mesh.parts) {
        const std::vector<Vec3f> p = positionsOf(part);
        for (std::size_t i = 0; i + 2 < part.indices.size(); i += 3) {
            const Vec3f a = p[part.indices[i]];
            area += 0.5 * (p[part.indices[i + 1]] - a).cross(p[part.indices[i + 2]] - a).norm();
        }
    }
    return area;
}

std::string describeEdges(const Mesh& mesh) {
    std::vector<Vec3f> points;
    std::vector<std::uint32_t> corners;
    for (const Part& part : mesh.parts) {
        const auto base = static_cast<std::uint32_t>(points.size());
        const std::vector<Vec3f> p = positionsOf(part);
        points.insert(points.end(), p.begin(), p.end());
        for (const std::uint32_t index : part.indices) corners.push_back(base + index);
    }
    const std::vector<std::uint32_t> first = firstEqualPosition(points);
    std::vector<std::uint32_t> welded;
    for (std::size_t i = 0; i + 2 < corners.size(); i += 3) {
        const std::uint32_t t[3] = {first[corners[i]], first[corners[i + 1]],
                                    first[corners[i + 2]]};
        if (t[0] != t[1] && t[1] != t[2] && t[2] != t[0]) welded.insert(welded.end(), t, t + 3);
    }
    std::map<std::pair<std::uint32_t, std::uint32_t>, int> edges;
    for (std::size_t i = 0; i < welded.size(); ++i) {
        const std::uint32_t next = welded[i % 3 == 2 ? i - 2 : i + 1];
        ++edges[std::minmax(welded[i], next)];
    }
    int border = 0;
    int crowded = 0;
    for (const auto& [edge, triangles] : edges) {
        border += triangles == 1;
        crowded += triangles > 2;
    }
    return fmt::format("{} border, {} non-manifold", border, crowded);
}

}  // namespace flentro::test
