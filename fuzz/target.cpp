#include "target.h"

#include <unistd.h>

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <random>
#include <string>

#include "base/json.h"
#include "budget/target.h"
#include "fixes/evaluation_file.h"
#include "fixes/work_order.h"
#include "io/gltf.h"
#include "io/image.h"
#include "io/meshopt.h"
#include "measure/inventory.h"
#include "measure/viewcost.h"
#include "project/project.h"
#include "report/export.h"
#include "scene/units.h"

namespace flentro {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t kMemory = std::size_t{256} << 20;  ///< Bytes that a scene may take.
constexpr std::size_t kMaxTriangles = 20'000;            ///< Of scenes that go through the fixes.
constexpr std::size_t kMaxObjects = 300;
constexpr int kEdge = 256;  ///< Pixels.

/// A folder of this process, taken away at its end; in memory where the system has such a place,
/// since exports wait for their disk.
const fs::path& folder() {
    struct Folder {
        fs::path path = (fs::is_directory("/dev/shm") ? "/dev/shm" : fs::temp_directory_path()) /
                        ("flentro-fuzz-" + std::to_string(::getpid()));
        Folder() { fs::create_directories(path); }
        ~Folder() {
            std::error_code ignored;
            fs::remove_all(path, ignored);
        }
    };
    static const Folder made;
    return made.path;
}

/// What must never happen; the input is at hand in the driver.
void require(bool holds, const char* what) {
    if (holds) return;
    std::fprintf(stderr, "%s\n", what);
    std::abort();
}

fs::path put(const char* name, std::string_view text) {
    const fs::path file = folder() / name;
    std::ofstream(file, std::ios::binary) << text;
    return file;
}

/// Some other value of the same kind.
void change(Json& value, std::mt19937_64& random) {
    constexpr double kFactors[] = {0, 0.01, 0.3, 1, 3, 100};
    if (value.is_boolean())
        value = random() % 2 == 0;
    else if (value.is_number_integer())
        value = static_cast<std::int64_t>(value.get<double>() * kFactors[random() % 6]);
    else if (value.is_number())
        value = value.get<double>() * kFactors[random() % 6];
}

/// The settings of a fix with some of them changed, where it takes them so.
FixSettings someSettings(const FixKind& kind, std::mt19937_64& random) {
    Json json = toJson(kind.defaults());
    for (auto& [name, value] : json.items())
        if (random() % 3 == 0) change(value, random);
    const auto changed = parseSettings(kind.key, json, kSettingsVersion);
    return changed ? *changed : kind.defaults();
}

/// All fixes, some left out, with settings that follow from the input.
WorkOrder someFixes(std::mt19937_64& random) {
    WorkOrder order;
    for (const FixKind* kind : fixKinds())
        if (random() % 4 != 0) order.add(someSettings(*kind, random));
    return order;
}

void throughFixes(Scene scene, std::uint64_t seed) {
    std::mt19937_64 random(seed);
    std::size_t triangles = 0;
    for (const Object& object : scene.objects) triangles += scene.mesh(object).triangles;
    if (triangles > kMaxTriangles || scene.objects.size() > kMaxObjects) return;
    const Target target;
    const auto source = std::make_shared<const Scene>(std::move(scene));
    (void)viewCost(*source, target, {{0, 1, 3}, 0, 0});
    StepCache cache;
    const auto evaluation = evaluate(someFixes(random), source, target, cache, noProgress());
    if (!evaluation) return;
    (void)viewCost(evaluation->result(), target, {{0, 1, 3}, 0, 0});
    const fs::path file = folder() / "out.glb";
    if (!exportScene(evaluation->result(), target, file, {}, noProgress())) return;
    const auto back = readGltf(file, noProgress());
    require(back.has_value(), back ? "" : describe(back.error()).c_str());
}

void readScene(std::string_view text, const char* name) {
    const fs::path file = put(name, text);
    GltfReadOptions options;
    options.memory = kMemory;
    auto scene = readGltf(file, noProgress(), options);
    if (!scene) return;
    const std::uint64_t seed = std::hash<std::string_view>()(text);
    if (seed % 4 == 0) convertUnits(*scene, *findUnit("mm"), 'Z');
    throughFixes(std::move(*scene), seed);
}

/// Of any mode, filter and size, told by the first bytes.
void decompress(std::span<const std::byte> bytes) {
    if (bytes.size() < 4) return;
    const auto at = [&](std::size_t i) { return std::to_integer<std::size_t>(bytes[i]); };
    (void)decodeMeshopt(bytes.subspan(3),
                        {static_cast<MeshoptMode>(at(0) % 3), static_cast<MeshoptFilter>(at(1) % 4),
                         at(2), at(0) / 3});
}

void readImage(std::span<const std::byte> bytes) {
    if (!probeImage(bytes)) return;
    Image image;
    image.data = std::make_shared<const std::vector<std::byte>>(bytes.begin(), bytes.end());
    (void)decodeImage(image, kEdge);
}

/// As every kind of file of ours; what is taken must be written and taken again.
void readJson(std::string_view text) {
    const auto json = parseJson(text, "input");
    if (!json) return;
    if (const auto target = parseTarget(*json, "input"))
        require(parseTarget(toJson(*target), "again").has_value(), "a target is not read again");
    if (const auto order = parseWorkOrder(*json, "input"))
        require(parseWorkOrder(toJson(*order), "again").has_value(), "an order is not read again");
    if (const auto project = loadProject(put("input.flentro.json", text))) {
        const fs::path again = folder() / "again.flentro.json";
        require(saveProject(*project, again).has_value(), "a project is not saved");
        require(loadProject(again).has_value(), "a project is not read again");
    }
}

void readEvaluation(std::string_view text) {
    StepCache cache;
    (void)loadEvaluation(put("kept.results", text), Hash{}, cache);
}

}  // namespace
}  // namespace flentro

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace flentro;
    const std::string_view text(reinterpret_cast<const char*>(data), size);
    if (text.starts_with("glTF")) return readScene(text, "input.glb"), 0;
    if (text.find("\"asset\"") != std::string_view::npos) readScene(text, "input.gltf");
    if (text.find('{') < 8) return readJson(text), 0;
    readImage(std::as_bytes(std::span(data, size)));
    decompress(std::as_bytes(std::span(data, size)));
    readEvaluation(text);
    return 0;
}
