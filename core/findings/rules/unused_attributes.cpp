#include <fmt/ranges.h>

#include "base/index.h"
#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr double kMinShare = 0.1;
constexpr double kMinBytes = 64 * 1024;

/// True if a material of a part reads an attribute, as far as the format says.
bool isRead(const Scene& scene, const Part& part, const std::string& semantic) {
    if (semantic == "TANGENT" || semantic == "TEXCOORD_0" || semantic.starts_with("TEXCOORD_")) {
        if (semantic == "TEXCOORD_1") return true;  // light maps, which no material names
        if (part.material < 0) return semantic == "TEXCOORD_0";
        const Material& material = elementOf(scene.materials, part.material);
        for (const TextureUse& use : material.textures)
            if (semantic == "TANGENT" ? use.role.find("ormalTexture") != std::string::npos
                                      : semantic == fmt::format("TEXCOORD_{}", use.texCoord))
                return true;
        // Coordinates may serve a program that lays its own textures over a plain material.
        return semantic == "TEXCOORD_0" && material.textures.empty();
    }
    return !(semantic.starts_with("COLOR_") && semantic != "COLOR_0");
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        const Mesh& mesh = *in.scene.assets[a].mesh;
        double bytes = 0;
        std::set<std::string> names;
        std::set<const Stream*> known;
        for (const Part& part : mesh.parts)
            for (const Attribute& attribute : part.attributes) {
                if (isRead(in.scene, part, attribute.semantic)) continue;
                names.insert(attribute.semantic);
                if (known.insert(attribute.stream.get()).second)
                    bytes += static_cast<double>(attribute.stream->data.size());
            }
        if (names.empty() ||
            (bytes < kMinShare * static_cast<double>(mesh.bytes) && bytes < kMinBytes))
            continue;
        findings.push_back(assetFinding(
            in, a,
            fmt::format("{} {} nothing reads: {}", fmt::join(names, ", "),
                        names.size() == 1 ? "is there and" : "are there and", formatBytes(bytes)),
            {{"bytes", bytes, Quantity::Unit::Memory},
             {"share of the mesh", bytes / static_cast<double>(mesh.bytes), Quantity::Unit::Share,
              kMinShare}}));
    }
    return findings;
}

}  // namespace

const Rule& unusedAttributesRule() {
    static const Rule rule = {
        .key = "unused-attributes",
        .name = "Attributes nothing reads",
        .why = "They are stored, read and moved with every vertex.",
        .measured =
            "Tangents without a normal map, texture coordinates without a texture that reads them "
            "(a second set is kept: light maps), a second set of colours; told from 10 % of the "
            "bytes of a mesh or 64 KiB on.",
        .advice = "Leave them out when exporting from the modelling program.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
