#include "geometry/mesh.h"

#include <fmt/format.h>

#include <cassert>
#include <unordered_set>

namespace flentro {
namespace {

Box boundsOfUsed(const Part& part) {
    const Stream* stream = part.find("POSITION");
    if (!stream || part.indices.empty()) return {};
    constexpr float kFar = std::numeric_limits<float>::infinity();
    Vec3f low = Vec3f::Constant(kFar);
    Vec3f high = Vec3f::Constant(-kFar);
    const std::vector<Vec3f> positions = toVectors(*stream);
    for (const std::uint32_t index : part.indices) {
        low = low.cwiseMin(positions[index]);
        high = high.cwiseMax(positions[index]);
    }
    return {low.cast<double>(), high.cast<double>()};
}

void hashAttributes(Hasher& hasher, const std::vector<Attribute>& attributes) {
    hasher.add(attributes.size());
    for (const Attribute& attribute : attributes)
        hasher.text(attribute.semantic).add(attribute.stream->hash());
}

/// No members at all and no object are the same.
std::string textOf(const Json& rest) {
    return rest.empty() ? "" : rest.dump();
}

void hashPart(Hasher& hasher, const Part& part) {
    hasher.add(part.material).add(part.mode).text(textOf(part.rest));
    hashAttributes(hasher, part.attributes);
    hasher.bytes(std::as_bytes(std::span(part.indices)));
    hasher.add(part.targets.size());
    for (const auto& target : part.targets) hashAttributes(hasher, target);
}

void countBytes(Mesh& mesh) {
    std::unordered_set<const Stream*> counted;
    const auto add = [&](const std::vector<Attribute>& attributes) {
        for (const Attribute& attribute : attributes)
            if (counted.insert(attribute.stream.get()).second)
                mesh.bytes += attribute.stream->data.size();
    };
    for (const Part& part : mesh.parts) {
        add(part.attributes);
        for (const auto& target : part.targets) add(target);
        mesh.bytes += part.indices.size() * indexSize(part.vertexCount());
    }
}

/// Vertices of distinct POSITION streams: parts may share one.
void countVertices(Mesh& mesh) {
    std::unordered_set<const Stream*> counted;
    for (const Part& part : mesh.parts)
        if (counted.insert(part.find("POSITION")).second) mesh.vertices += part.vertexCount();
}

std::vector<Attribute> gatherAll(const std::vector<Attribute>& attributes,
                                 const std::vector<std::uint32_t>& kept) {
    std::vector<Attribute> result;
    for (const Attribute& attribute : attributes)
        result.push_back(
            {attribute.semantic, std::make_shared<const Stream>(gather(*attribute.stream, kept))});
    return result;
}

}  // namespace

std::size_t Part::vertexCount() const {
    return attributes.empty() ? 0 : attributes.front().stream->count();
}

const Stream* Part::find(std::string_view semantic) const {
    for (const Attribute& attribute : attributes)
        if (attribute.semantic == semantic) return attribute.stream.get();
    return nullptr;
}

void Part::set(const char* semantic, Stream stream) {
    auto shared = std::make_shared<const Stream>(std::move(stream));
    for (Attribute& attribute : attributes)
        if (attribute.semantic == semantic) {
            attribute.stream = std::move(shared);
            return;
        }
    attributes.push_back({semantic, std::move(shared)});
}

std::vector<Vec3f> positionsOf(const Part& part) {
    const Stream* positions = part.find("POSITION");
    assert(positions);
    return toVectors(*positions);
}

double surfaceArea(const Part& part) {
    if (part.triangleCount() == 0) return 0;
    const std::vector<Vec3f> points = positionsOf(part);
    double area = 0;
    forEachTriangle(part, [&](const Corners& t) {
        const Vec3f& a = points[t[0]];
        area += 0.5 * static_cast<double>((points[t[1]] - a).cross(points[t[2]] - a).norm());
    });
    return area;
}

double surfaceArea(const Mesh& mesh) {
    double area = 0;
    for (const Part& part : mesh.parts) area += surfaceArea(part);
    return area;
}

MeshPtr finishMesh(Mesh mesh) {
    mesh.bounds.setEmpty();
    mesh.triangles = mesh.vertices = mesh.bytes = 0;
    Hasher hasher;
    hasher.text(textOf(mesh.rest));
    for (const Part& part : mesh.parts) {
        mesh.bounds.extend(boundsOfUsed(part));
        mesh.triangles += part.triangleCount();
        hashPart(hasher, part);
    }
    countVertices(mesh);
    countBytes(mesh);
    mesh.hash = hasher.result();
    return std::make_shared<const Mesh>(std::move(mesh));
}

Part selectVertices(const Part& part, const std::vector<std::uint32_t>& kept,
                    std::vector<std::uint32_t> indices) {
    Part result;
    result.material = part.material;
    result.mode = part.mode;
    result.attributes = gatherAll(part.attributes, kept);
    result.indices = std::move(indices);
    result.rest = part.rest;
    for (const auto& target : part.targets) result.targets.push_back(gatherAll(target, kept));
    return result;
}

Part dropUnusedVertices(const Part& part) {
    constexpr std::uint32_t kUnused = ~0U;
    std::vector<std::uint32_t> moved(part.vertexCount(), kUnused);
    for (const std::uint32_t index : part.indices) moved[index] = 0;
    std::vector<std::uint32_t> kept;
    for (std::uint32_t i = 0; i < moved.size(); ++i) {
        if (moved[i] == kUnused) continue;
        moved[i] = static_cast<std::uint32_t>(kept.size());
        kept.push_back(i);
    }
    if (kept.size() == moved.size()) return part;
    std::vector<std::uint32_t> indices(part.indices.size());
    for (std::size_t i = 0; i < indices.size(); ++i) indices[i] = moved[part.indices[i]];
    return selectVertices(part, kept, std::move(indices));
}

std::string describe(const Mesh& mesh) {
    std::string text;
    for (const Part& part : mesh.parts)
        text += fmt::format("{}{}v {}t", text.empty() ? "" : " + ", part.vertexCount(),
                            part.triangleCount());
    return text;
}

FLENTRO_DEFINE_VALUE(Part);
FLENTRO_DEFINE_VALUE(Mesh);

}  // namespace flentro
