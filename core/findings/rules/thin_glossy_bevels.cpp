#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "base/index.h"
#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr float kSmooth = 0.35F;
constexpr double kUsualShare = 0.5;
constexpr double kSlim = 8;
constexpr double kBend = 0.9659;  ///< Cosine of 15 degrees.
constexpr double kMinCount = 16;
constexpr double kMinShare = 0.1;

/// Triangles of a mesh with their planes and neighbours, by place.
class Strips {
public:
    explicit Strips(const WeldedMesh& mesh) : mesh_(mesh) {
        for (std::size_t c = 0; c + 2 < mesh.corners.size(); c += 3) {
            normals_.push_back((at(c + 1) - at(c)).cross(at(c + 2) - at(c)).stableNormalized());
            for (std::size_t k = 0; k < 3; ++k)
                edges_[edge(c, k)].push_back(static_cast<std::uint32_t>(c / 3));
        }
    }

    /// Width of a slim triangle with a crease along a long edge; the other is the diagonal of its
    /// strip, or a crease as well. Infinity for others.
    [[nodiscard]] double width(std::uint32_t triangle) const {
        double lengths[3];
        for (std::size_t k = 0; k < 3; ++k)
            lengths[k] = (at(3 * triangle + (k + 1) % 3) - at(3 * triangle + k)).norm();
        const auto longest =
            static_cast<std::size_t>(std::max_element(lengths, lengths + 3) - lengths);
        const double area = (at(3 * triangle + 1) - at(3 * triangle))
                                .cross(at(3 * triangle + 2) - at(3 * triangle))
                                .norm();
        const double wide = lengths[longest] > 0 ? area / lengths[longest] : 0;
        if (wide <= 0 || lengths[longest] < kSlim * wide) return kNone;
        for (std::size_t k = 0; k < 3; ++k)
            if (lengths[k] > 0.5 * lengths[longest] && isCrease(triangle, k)) return wide;
        return kNone;
    }

private:
    static constexpr double kNone = std::numeric_limits<double>::infinity();

    [[nodiscard]] Vec3d at(std::size_t corner) const {
        return mesh_.points[mesh_.corners[corner]].cast<double>();
    }
    [[nodiscard]] std::pair<std::uint32_t, std::uint32_t> edge(std::size_t first,
                                                               std::size_t k) const {
        return std::minmax(mesh_.corners[first + k], mesh_.corners[first + (k + 1) % 3]);
    }
    [[nodiscard]] bool isCrease(std::uint32_t triangle, std::size_t k) const {
        const auto& users = edges_.at(edge(3 * triangle, k));
        return std::any_of(users.begin(), users.end(), [&](std::uint32_t other) {
            return other != triangle && normals_[triangle].dot(normals_[other]) < kBend;
        });
    }

    const WeldedMesh& mesh_;
    std::vector<Vec3d> normals_;
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::vector<std::uint32_t>> edges_;
};

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    const std::vector<double> scales = glimpseScales(in, kUsualShare);
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        const Mesh& mesh = *in.scene.assets[a].mesh;
        const auto isSmooth = [&](const Part& part) {
            return part.material >= 0 && part.isTriangles() &&
                   elementOf(in.scene.materials, part.material).roughness < kSmooth &&
                   elementOf(in.scene.materials, part.material)
                           .texture("metallicRoughnessTexture") < 0;
        };
        if (scales[a] == 0 || std::none_of(mesh.parts.begin(), mesh.parts.end(), isSmooth))
            continue;
        const Strips strips(in.welded[a]);
        double thin = 0;
        double all = 0;
        double widest = 0;
        std::uint32_t triangle = 0;
        for (const Part& part : mesh.parts) {
            const auto end = triangle + static_cast<std::uint32_t>(part.triangleCount());
            if (!isSmooth(part)) {
                triangle = end;
                continue;
            }
            all += static_cast<double>(part.triangleCount());
            for (; triangle < end; ++triangle) {
                const double pixels = strips.width(triangle) * scales[a];
                if (!(pixels < 1)) continue;
                thin += 1;
                widest = std::max(widest, pixels);
            }
        }
        if (thin < kMinCount || thin < kMinShare * all) continue;
        findings.push_back(assetFinding(
            in, a,
            fmt::format("{} of {} glossy triangles are strips of less than a pixel, at most {:.2f}",
                        formatCount(thin), formatCount(all), widest),
            {{"thin triangles", thin, Quantity::Unit::Count, std::max(kMinCount, kMinShare * all)},
             {"widest strip", widest, Quantity::Unit::Pixels, 1.0}}));
    }
    return findings;
}

}  // namespace

const Rule& thinGlossyBevelsRule() {
    static const Rule rule = {
        .key = "thin-glossy-bevels",
        .name = "Glossy bevels below a pixel",
        .why =
            "A highlight on a strip of less than a pixel comes and goes with every step: it "
            "shimmers.",
        .measured =
            "Triangles of smooth materials (roughness below 0.35) that are narrower than a pixel "
            "from where half of all glimpses are nearer, eight times as long as they are wide, and "
            "meet what is beside them at 15 degrees or more along a long edge: told from 16 and a "
            "tenth of the smooth triangles on.",
        .advice =
            "Bake the bevel into a normal map, or make it rougher; the ladder drops it from afar.",
        .needsSurvey = true,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
