#include "io/open.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cctype>
#include <chrono>
#include <fstream>
#include <map>
#include <optional>
#include <set>
#include <thread>

#include "base/index.h"
#include "base/text.h"
#include "io/file.h"
#include "io/formats.h"
#include "io/gltf.h"
#include "io/import_process/message.h"
#include "scene/far.h"
#include "scene/prune.h"
#include "scene/unit_guess.h"
#include "scene/variants.h"

extern char** environ;

namespace flentro {
namespace {

namespace fs = std::filesystem;

constexpr auto kPollInterval = std::chrono::milliseconds(20);

/// A folder that is gone at the end of its scope.
class TemporaryFolder {
public:
    TemporaryFolder() {
        std::string name = (fs::temp_directory_path() / "flentro-XXXXXX").string();
        if (::mkdtemp(name.data())) path_ = name;
    }
    ~TemporaryFolder() {
        std::error_code ignored;
        if (!path_.empty()) fs::remove_all(path_, ignored);
    }
    TemporaryFolder(const TemporaryFolder&) = delete;
    TemporaryFolder& operator=(const TemporaryFolder&) = delete;
    [[nodiscard]] const fs::path& path() const { return path_; }

private:
    fs::path path_;
};

/// Beside our own program, where the build and the installation put it.
Expected<fs::path> findImporter(const OpenOptions& options) {
    std::error_code error;
    const fs::path self = fs::read_symlink("/proc/self/exe", error).parent_path();
    for (const fs::path& candidate :
         {options.importer, self / "flentro-import", self / "../lib/flentro/flentro-import"})
        if (!candidate.empty() && fs::exists(candidate, error)) return candidate;
    return fail(ErrorCode::NotFound, "the program that reads other formats is missing",
                "flentro-import", "Reinstall Flentro, or convert the file to glTF");
}

/// Environment of the import process: a locale, and the options of sanitizers if set.
std::vector<std::string> importEnvironment() {
    std::vector<std::string> kept = {"LC_ALL=C.UTF-8"};
    for (char** variable = environ; *variable; ++variable)
        for (const char* name : {"ASAN_OPTIONS=", "UBSAN_OPTIONS=", "TSAN_OPTIONS="})
            if (std::string_view(*variable).starts_with(name)) kept.emplace_back(*variable);
    return kept;
}

/// With a null pointer at the end, as programs are given their texts.
std::vector<char*> pointersTo(std::vector<std::string>& texts) {
    std::vector<char*> pointers;
    for (std::string& text : texts) pointers.push_back(text.data());
    pointers.push_back(nullptr);
    return pointers;
}

/// Starts the importer with its output and messages going to `log`.
Expected<pid_t> start(const fs::path& importer, const std::vector<std::string>& arguments,
                      const fs::path& log) {
    std::vector<std::string> words = {importer.string()};
    words.insert(words.end(), arguments.begin(), arguments.end());
    std::vector<std::string> variables = importEnvironment();
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, 1, log.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
    posix_spawn_file_actions_adddup2(&actions, 1, 2);
    pid_t pid = 0;
    const int failed = posix_spawn(&pid, importer.c_str(), &actions, nullptr,
                                   pointersTo(words).data(), pointersTo(variables).data());
    posix_spawn_file_actions_destroy(&actions);
    if (failed) return fail(ErrorCode::Io, "the importer cannot be started", importer.string());
    return pid;
}

tl::unexpected<Error> tookTooLong(int seconds) {
    return fail(ErrorCode::Limit,
                fmt::format("took longer than {} s of processor time to import", seconds));
}

/// The child's wait status; kills it when the work is cancelled. Its processor time has a limit
/// of its own: where that is shared with others it has so many times longer.
Expected<int> await(pid_t pid, int seconds, Progress& progress) {
    constexpr int kShared = 10;
    const auto deadline =
        std::chrono::steady_clock::now() + std::chrono::seconds(kShared) * seconds;
    int status = 0;
    while (::waitpid(pid, &status, WNOHANG) == 0) {
        const bool late = std::chrono::steady_clock::now() > deadline;
        if (late || progress.cancelled()) {
            ::kill(pid, SIGKILL);
            ::waitpid(pid, &status, 0);
            if (!late) return stopped("Opening");
            return tookTooLong(seconds);
        }
        std::this_thread::sleep_for(kPollInterval);
    }
    return status;
}

std::string lastLine(const fs::path& log) {
    std::string text = readTextFile(log).value_or("");
    while (!text.empty() && text.back() == '\n') text.pop_back();
    const std::size_t start = text.rfind('\n');
    return start == std::string::npos ? text : text.substr(start + 1);
}

/// Ctrl+C reaches the child as well as us; so does the end of a session.
bool isStop(int signal) {
    return signal == SIGINT || signal == SIGTERM || signal == SIGHUP;
}

Expected<void> explain(int status, const fs::path& log, const OpenOptions& options) {
    if (WIFEXITED(status) && WEXITSTATUS(status) == 0) return {};
    if (WIFSIGNALED(status) && isStop(WTERMSIG(status))) return stopped("Opening");
    if (WIFSIGNALED(status) && WTERMSIG(status) == SIGXCPU)
        return tookTooLong(options.importSeconds);
    if (WIFEXITED(status) && WEXITSTATUS(status) == 2)
        return fail(ErrorCode::InvalidInput, "cannot be imported: " + lastLine(log));
    return fail(ErrorCode::Limit,
                fmt::format("the importer gave up on it: the file is damaged, or needs more than "
                            "{} MiB",
                            options.importMemory >> 20),
                {}, "Convert the file to glTF in the program that made it");
}

/// The child's arguments; see import_process/main.cpp.
std::vector<std::string> argumentsFor(const fs::path& path, const fs::path& converted,
                                      const SceneFormat& format, const OpenOptions& options) {
    return {fs::absolute(path).string(),
            converted.string(),
            format.endings.front(),
            std::to_string(options.importMemory),
            std::to_string(options.importSeconds),
            fmt::format("{}", options.settings.creaseAngle),
            std::to_string(::getpid())};
}

Expected<Scene> importScene(const fs::path& path, const SceneFormat& format,
                            const OpenOptions& options, Progress& progress) {
    auto importer = findImporter(options);
    if (!importer) return tl::unexpected(importer.error());
    const TemporaryFolder folder;
    if (folder.path().empty())
        return fail(ErrorCode::Io, "no temporary folder can be made", fs::temp_directory_path());
    const fs::path converted = folder.path() / "scene.glb";
    const fs::path log = folder.path() / "log.txt";
    progress.report(0, "Importing");
    auto child = start(*importer, argumentsFor(path, converted, format, options), log);
    if (!child) return tl::unexpected(child.error());
    auto status = await(*child, options.importSeconds, progress);
    if (!status) return tl::unexpected(status.error());
    if (auto done = explain(*status, log, options); !done) return tl::unexpected(done.error());
    SubProgress reading(progress, 0.7, 1);
    auto scene = readGltf(converted, reading,
                          {.folder = fs::absolute(path).parent_path(), .memory = options.memory});
    if (scene) std::erase(scene->files, converted);  // gone with its folder
    return scene;
}

/// Material files that an .obj names and that are not there: its surfaces come without colours.
void noteMissingMaterials(const fs::path& path, Scene& scene) {
    std::ifstream lines(path);
    for (std::string line; std::getline(lines, line);) {
        constexpr std::string_view kKey = "mtllib ";
        if (!line.starts_with(kKey)) continue;
        std::string name = line.substr(kKey.size());
        while (!name.empty() && std::isspace(static_cast<unsigned char>(name.back())) != 0)
            name.pop_back();
        std::error_code error;
        if (!fs::exists(path.parent_path() / name, error))
            scene.notes.push_back({name, "is missing: materials and textures of " +
                                             path.filename().string() + " are not known"});
    }
}

/// Metres of one unit as the child has read it from the file; 0 without. Adds its notes, and the
/// files that it read besides `path`.
double takeMessage(Scene& scene, const fs::path& path) {
    Json& asset = scene.rest["asset"];
    const Json message = jsonObject(jsonObject(asset, "extras"), kImportMessage);
    dropMember(asset, "extras");
    for (const Json& note : jsonArray(message, "notes"))
        scene.notes.push_back(
            {jsonOr<std::string>(note, "where", ""), jsonOr<std::string>(note, "what", "")});
    for (const Json& file : jsonArray(message, "files"))
        if (file.is_string() && !isSameFile(file.get<std::string>(), path))
            scene.files.emplace_back(file.get<std::string>());
    return jsonOr(message, "metres", 0.0);
}

std::string lengthOf(const Scene& scene) {
    const Box box = scene.bounds();
    return box.isEmpty() ? "nothing" : formatMetres(box.sizes().maxCoeff());
}

/// A length that only few scenes honestly have: the unit may be another than the file says.
std::string doubtOf(const Scene& scene) {
    const Box box = scene.bounds();
    if (box.isEmpty()) return "";
    constexpr double kSmallest = 0.005;
    constexpr double kLargest = 50'000;
    constexpr double kLargestThing = 200;
    constexpr double kLargestMachine = 60;
    constexpr std::size_t kParts = 2;
    const double length = box.sizes().maxCoeff();
    const std::vector<std::string> parts = machineParts(scene);
    const bool isThing = scene.objects.size() == 1 && box.sizes().minCoeff() > 0.2 * length;
    const bool isMachine = parts.size() >= kParts && length > kLargestMachine;
    if (!isMachine && length >= kSmallest && length <= (isThing ? kLargestThing : kLargest))
        return "";
    return fmt::format(
        "the scene is {} long, as its file says{}: if that is wrong, choose its unit",
        lengthOf(scene),
        isMachine ? fmt::format(", with parts such as '{}' and '{}'", parts[0], parts[1])
                  : std::string());
}

/// Images that are missing, by what is shown without them.
void noteMissingImages(Scene& scene) {
    const auto isMissing = [&](const TextureUse& use) {
        const int image = use.texture < 0 ? -1 : elementOf(scene.textures, use.texture).image;
        return image >= 0 && !elementOf(scene.images, image).data;
    };
    std::vector<bool> lacks;
    for (const Material& material : scene.materials)
        lacks.push_back(std::any_of(material.textures.begin(), material.textures.end(), isMissing));
    std::size_t without = 0;
    std::size_t all = 0;
    for (const Object& object : scene.objects)
        for (const Part& part : scene.mesh(object).parts) {
            all += part.triangleCount();
            if (part.material >= 0 && elementOf(lacks, part.material))
                without += part.triangleCount();
        }
    if (without > 0)
        scene.notes.push_back(
            {"images",
             fmt::format("{} of all triangles are shown without a texture of theirs, as "
                         "its image is missing or not read",
                         formatShare(static_cast<double>(without) / static_cast<double>(all)))});
}

/// Replaces more than three notes of the same text by one, which names the first object.
void joinEqualNotes(Scene& scene) {
    constexpr std::size_t kMany = 3;
    std::map<std::string, std::size_t> counts;
    for (const Note& note : scene.notes) ++counts[note.what];
    std::vector<Note> kept;
    std::set<std::string> told;
    for (Note& note : scene.notes) {
        const std::size_t count = counts[note.what];
        if (count > kMany && !told.insert(note.what).second) continue;
        if (count > kMany) note.where += fmt::format(" and {} others", count - 1);
        kept.push_back(std::move(note));
    }
    scene.notes = std::move(kept);
}

void applyUnits(Scene& scene, const SceneFormat& format, const std::string& unitInFile,
                const ImportSettings& settings) {
    SourceUnits& units = scene.sourceUnits;
    units.upGuessed = settings.up == 0 && !format.saysUp;
    units.up = settings.up != 0 ? settings.up : format.up;
    units.unit = settings.unit.empty() ? unitInFile : settings.unit;
    units.unitGuessed = units.unit.empty();
    std::optional<ReadingGuess> reading;
    if (units.upGuessed || units.unitGuessed)
        reading.emplace(scene, GuessHints{format.up, format.isSmall});
    if (units.upGuessed) {
        const Guess<UpAxis> guess = reading->up();
        units.up = guess.choice;
        units.upProbability = guess.probability;
        units.upReason = guess.reasons.empty() ? "" : guess.reasons.front();
    }
    if (units.unitGuessed) {
        const Guess<const LengthUnit*> guess = reading->unit();
        units.unit = guess.choice->key;
        units.secondUnit = guess.second->key;
        units.unitProbability = guess.probability;
        units.unitReason =
            guess.reasons.empty() ? "" : fmt::format("{}", fmt::join(guess.reasons, ", "));
    }
    const LengthUnit& unit = *findUnit(units.unit);
    convertUnits(scene, unit, units.up);
    if (units.unitGuessed)
        scene.notes.push_back(
            {"units",
             fmt::format("the file does not say its unit: taken for {} ({}), so the "
                         "scene is {} long",
                         unit.name, describeProbability(units.unitProbability), lengthOf(scene))});
    if (units.upGuessed)
        scene.notes.push_back(
            {"units", fmt::format("the file does not say which way is up: taken for {} ({}{})",
                                  units.up, describeProbability(units.upProbability),
                                  units.upReason.empty() ? "" : ": " + units.upReason)});
    if (settings.unit.empty() && !units.unitGuessed) units.doubt = doubtOf(scene);
    if (!units.doubt.empty()) scene.notes.push_back({"units", units.doubt});
}

Expected<Scene> openFormat(const fs::path& path, const SceneFormat& format,
                           const OpenOptions& options, Progress& progress) {
    const bool isGltf = &format == &sceneFormats().front();
    auto scene = isGltf ? readGltf(path, progress, {.folder = {}, .memory = options.memory})
                        : importScene(path, format, options, progress);
    const bool isOld = isGltf && !scene && scene.error().code == ErrorCode::Unsupported &&
                       isOldGltf(readTextFile(path).value_or(""));
    if (isOld) scene = importScene(path, format, options, progress);
    if (!scene) {
        if (scene.error().where.empty()) scene.error().where = path.filename().string();
        return scene;
    }
    std::string unit = format.unit;
    if (!isGltf || isOld) {
        const double metres = takeMessage(*scene, path);
        scene->name = path.stem().string();
        scene->files.push_back(path);
        if (format.endings.front() == std::string_view(".obj")) noteMissingMaterials(path, *scene);
        pruneUnused(*scene);
        if (const LengthUnit* known = unitOfLength(metres)) unit = known->key;
    }
    noteMissingImages(*scene);
    joinEqualNotes(*scene);
    leaveOutFar(*scene);  // so that guesses are of what is left
    applyUnits(*scene, format, unit, options.settings);
    leaveOutFar(*scene);
    if (options.settings.shadowLights) castShadows(*scene, *options.settings.shadowLights);
    if (!options.settings.variant.empty())
        if (auto shown = showVariant(*scene, options.settings.variant); !shown)
            return tl::unexpected(shown.error());
    return scene;
}

}  // namespace

std::string describeImporter(const OpenOptions& options) {
    const auto importer = findImporter(options);
    if (!importer) return describe(importer.error());
    const TemporaryFolder folder;
    const fs::path log = folder.path() / "log.txt";
    constexpr int kSeconds = 1;
    const auto child = start(*importer, {"--walls"}, log);
    if (!child) return describe(child.error());
    const auto status = await(*child, kSeconds, noProgress());
    return status ? lastLine(log) : describe(status.error());
}

Expected<Scene> openScene(const fs::path& path, const OpenOptions& options, Progress& progress) {
    std::error_code error;
    const fs::file_status status = fs::status(path, error);
    if (!fs::exists(status)) return fail(ErrorCode::NotFound, "does not exist", path.string());
    if (!fs::is_regular_file(status))
        return fail(ErrorCode::Io, "is no file that can be read (a folder, pipe or device)",
                    path.string());
    constexpr std::size_t kEnoughForFormats = 4096;
    const SceneFormat* format = formatOfContent(readBeginning(path, kEnoughForFormats));
    if (!format) format = formatOfEnding(path);
    if (!format)
        return fail(ErrorCode::Unsupported, "is of a format that is not read", path.string(),
                    "Convert it to glTF 2.0 (.glb). Read are " + describeFormats());
    return openFormat(path, *format, options, progress);
}

}  // namespace flentro
