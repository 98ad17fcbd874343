// Reduction as people run it: the command line on files as they come, against the plain method.
//
// FLENTRO_TABLE=1 in the environment prints the table of docs/methods.md at its full size.

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cstdlib>
#include <cstring>
#include <functional>

#include "geometry/weld.h"
#include "io/open.h"
#include "scene/scene.h"
#include "simplify/deviation.h"
#include "support/kinds.h"
#include "support/process.h"
#include "support/textbook_collapse.h"

namespace flentro {
namespace {

constexpr std::size_t kSamples = 40'000;

void append(std::string& bytes, const void* value, std::size_t size) {
    bytes.append(static_cast<const char*>(value), size);
}

/// Welded, binary, without normals.
std::string plyOf(const WeldedMesh& mesh) {
    std::string text = fmt::format(
        "ply\nformat binary_little_endian 1.0\nelement vertex {}\nproperty float x\n"
        "property float y\nproperty float z\nelement face {}\n"
        "property list uchar int vertex_indices\nend_header\n",
        mesh.points.size(), mesh.corners.size() / 3);
    for (const Vec3f& point : mesh.points) append(text, point.data(), 12);
    for (std::size_t i = 0; i < mesh.corners.size(); i += 3) {
        text += '\3';
        append(text, &mesh.corners[i], 12);
    }
    return text;
}

/// Millimetres, without normals.
std::string objOf(const WeldedMesh& mesh) {
    std::string text = "# File units = millimeters\n";
    for (const Vec3f& p : mesh.points)
        text += fmt::format("v {:.6f} {:.6f} {:.6f}\n", 1e3F * p.x(), 1e3F * p.y(), 1e3F * p.z());
    for (std::size_t i = 0; i < mesh.corners.size(); i += 3)
        text += fmt::format("f {} {} {}\n", mesh.corners[i] + 1, mesh.corners[i + 1] + 1,
                            mesh.corners[i + 2] + 1);
    return text;
}

/// Three corners of its own for each triangle.
std::string stlOf(const WeldedMesh& mesh) {
    std::string text(80, ' ');
    const auto count = static_cast<std::uint32_t>(mesh.corners.size() / 3);
    append(text, &count, 4);
    for (std::size_t i = 0; i < mesh.corners.size(); i += 3) {
        const Vec3f a = mesh.points[mesh.corners[i]];
        const Vec3f b = mesh.points[mesh.corners[i + 1]];
        const Vec3f c = mesh.points[mesh.corners[i + 2]];
        const Vec3f normal = (b - a).cross(c - a).normalized();
        for (const Vec3f& each : {normal, a, b, c}) append(text, each.data(), 12);
        text.append(2, '\0');
    }
    return text;
}

std::string offOf(const WeldedMesh& mesh) {
    std::string text = fmt::format("OFF\n{} {} 0\n", mesh.points.size(), mesh.corners.size() / 3);
    for (const Vec3f& p : mesh.points)
        text += fmt::format("{:.9g} {:.9g} {:.9g}\n", p.x(), p.y(), p.z());
    for (std::size_t i = 0; i < mesh.corners.size(); i += 3)
        text +=
            fmt::format("3 {} {} {}\n", mesh.corners[i], mesh.corners[i + 1], mesh.corners[i + 2]);
    return text;
}

struct Format {
    const char* name;
    std::string (*write)(const WeldedMesh&);
    const char* settings;
};
constexpr std::array kFormats = {
    Format{"ply", plyOf, "--unit m --up Y"}, Format{"obj", objOf, "--up Y"},
    Format{"stl", stlOf, "--unit m --up Y"}, Format{"off", offOf, "--unit m --up Y"}};

/// All objects of a scene as one mesh in the world, positions alone.
Mesh placed(const Scene& scene) {
    std::vector<Vec3f> points;
    std::vector<std::uint32_t> corners;
    for (const Object& object : scene.objects)
        for (const Part& part : scene.mesh(object).parts) {
            const auto first = static_cast<std::uint32_t>(points.size());
            for (const Vec3f& point : positionsOf(part))
                points.push_back(transformPoint(object.world, point.cast<double>()).cast<float>());
            for (const std::uint32_t corner : part.indices) corners.push_back(first + corner);
        }
    Part part;
    part.set("POSITION", makeStream(points));
    part.indices = std::move(corners);
    Mesh mesh;
    mesh.parts.push_back(std::move(part));
    return *finishMesh(std::move(mesh));
}

/// Ours divided by the textbook's, for a mesh as a file of a format.
struct Compared {
    std::size_t triangles;
    double mean, largest;
};

Compared compare(const Mesh& mesh, const Format& format, double share) {
    const test::TemporaryFolder folder;
    const WeldedMesh welded = weldPositions(mesh);
    test::writeText(folder / (std::string("in.") + format.name), format.write(welded));
    const test::Outcome outcome = test::runOurs(
        "flentro-cli", fmt::format("reduce '{}' {} --ratio {} --out '{}' --quiet",
                                   (folder / (std::string("in.") + format.name)).string(),
                                   format.settings, share, (folder / "out.glb").string()));
    EXPECT_EQ(outcome.status, 0) << outcome.output;
    const auto scene = openScene(folder / "out.glb", {}, noProgress());
    EXPECT_TRUE(scene);
    const Mesh ours = placed(*scene);
    const Surface surface(mesh);
    const Deviation own = measureDeviation(surface, ours, kSamples);
    const Mesh plain = *finishMesh(test::textbookCollapse(mesh, ours.triangles));
    const Deviation theirs = measureDeviation(surface, plain, kSamples);
    const double floor = 1e-6 * mesh.bounds.diagonal().norm();  // Of what both lose nothing of.
    return {ours.triangles, (own.mean + floor) / (theirs.mean + floor),
            (own.largest + floor) / (theirs.largest + floor)};
}

TEST(ReducedFiles, Table) {
    if (!std::getenv("FLENTRO_TABLE")) GTEST_SKIP() << "prints a table for the documentation";
    for (const auto& [name, mesh] : test::surfaceKinds(60'000))
        for (const double share : {0.5, 0.1, 0.02, 0.005}) {
            fmt::print("| {} | {:g} % |", name, 100 * share);
            for (const Format& format : kFormats) {
                const Compared c = compare(mesh, format, share);
                fmt::print(" {:.2f} | {:.2f} |", c.mean, c.largest);
            }
            fmt::print("\n");
            std::fflush(stdout);
        }
}

/// A tenth of what is in the file, whatever the format makes of it.
TEST(ReducedFiles, AreNoFartherOffThanTheTextbooks) {
    for (const auto& [name, mesh] : test::surfaceKinds(8000)) {
        if (name == "folds") continue;  // Their holes allow no tenth.
        for (const Format& format : kFormats) {
            const Compared c = compare(mesh, format, 0.1);
            EXPECT_LE(c.mean, 1.02) << name << '.' << format.name;
            EXPECT_NEAR(static_cast<double>(c.triangles), 0.1 * static_cast<double>(mesh.triangles),
                        0.01 * static_cast<double>(mesh.triangles))
                << name << '.' << format.name;
        }
    }
}

}  // namespace
}  // namespace flentro
