#include <fmt/format.h>

#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr double kMaxBytes = 56;
constexpr double kMinMeshBytes = 256 * 1024;

/// Bytes of one vertex of an attribute with the smallest types that the format allows.
double smallest(const std::string& semantic) {
    return semantic == "POSITION" ? 8 : 4;
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        const Mesh& mesh = *in.scene.assets[a].mesh;
        double bytes = 0;
        double needed = 0;
        double vertices = 0;
        for (const Part& part : mesh.parts)
            for (const Attribute& attribute : part.attributes) {
                const auto count = static_cast<double>(attribute.stream->count());
                bytes += static_cast<double>(attribute.stream->data.size());
                needed += count * smallest(attribute.semantic);
                if (attribute.semantic == "POSITION") vertices += count;
            }
        if (vertices == 0 || bytes < kMinMeshBytes || bytes <= kMaxBytes * vertices) continue;
        findings.push_back(
            assetFinding(in, a,
                         fmt::format("{:.0f} bytes a vertex where {:.0f} would serve: {} of {}",
                                     bytes / vertices, needed / vertices,
                                     formatBytes(bytes - needed), formatBytes(bytes)),
                         {{"bytes a vertex", bytes / vertices, Quantity::Unit::Count, kMaxBytes},
                          {"would serve", needed / vertices},
                          {"saved", bytes - needed, Quantity::Unit::Memory}}));
    }
    return findings;
}

}  // namespace

const Rule& heavyVerticesRule() {
    static const Rule rule = {
        .key = "heavy-vertices",
        .name = "Heavy vertices",
        .why =
            "Every vertex is read from memory each time it is drawn; the format allows much "
            "smaller ones (KHR_mesh_quantization).",
        .measured =
            "Bytes a vertex: told above 56 for meshes of 256 KiB or more, beside what short "
            "integers would take (positions 8, normals 4, tangents 4, coordinates 4, colours 4, "
            "joints 4, weights 4).",
        .advice = "Export with quantised attributes.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
