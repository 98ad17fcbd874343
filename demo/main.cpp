// flentro-demo: writes Ottermere Lock, its ground truth and a project beside it.

#include <fmt/format.h>

#include <filesystem>

#include "arguments.h"
#include "exit_status.h"
#include "ottermere.h"

namespace {

namespace fs = std::filesystem;
using namespace flentro;

int complain(const Error& error) {
    fmt::print(stderr, "flentro-demo: {}\n", describe(error));
    return cli::kBadInput;
}

int write(const fs::path& folder, const demo::Detail& detail, int copies,
          std::optional<std::uint32_t> faults) {
    const demo::Ottermere made = demo::makeOttermere(detail, copies, faults);
    const auto written = demo::writeOttermere(made, folder);
    if (!written) return complain(written.error());
    std::size_t triangles = 0;
    for (const Object& object : made.scene.objects) triangles += made.scene.mesh(object).triangles;
    fmt::print(
        "{}: {} objects, {} meshes, {} materials, {} textures, {} lights, {} triangles as "
        "placed\n",
        written->scene.string(), made.scene.objects.size(), made.scene.assets.size(),
        made.scene.materials.size(), made.scene.images.size(), made.scene.placedLights.size(),
        triangles);
    return 0;
}

}  // namespace

int main(int argc, char** argv) {
    cli::Program program(
        "Writes the demo scene Ottermere Lock: ottermere.glb, its ground truth "
        "(ottermere.truth.json), a project (ottermere.flentro.json) and its work order "
        "(ottermere.order.json), and one with all fixes for weak targets "
        "(ottermere.weak-targets.order.json).");
    std::string folder = ".";
    bool small = false;
    int copies = 1;
    program.option("folder", folder, "Where to write; made if missing");
    program.flag("--small", small, "A version under 2 MB, for tests");
    program.option("--scale", copies, "Lay the market out N times, for stress").between(1, 64);
    std::string faults = "usual";
    std::uint32_t seed = 1;
    program
        .option("--faults", faults,
                "usual: the faults that the demo is known by; random: a random half of the kinds "
                "on random things, in a market that is sound otherwise")
        .oneOf({"usual", "random"});
    program.option("--seed", seed, "Of the random faults");
    program.runs([&] {
        const demo::Detail detail = small ? demo::Detail{0.2, 0.15, 16} : demo::Detail{};
        return write(folder, detail, copies,
                     faults == "random" ? std::optional(seed) : std::nullopt);
    });
    const auto status = program.run(argc, argv);
    return status ? *status : complain(status.error());
}
