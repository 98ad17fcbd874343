#include "io/open.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cctype>
#include <chrono>
#include <fstream>
#include <thread>

#include "io/file.h"
#include "io/gltf.h"

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

std::string endingOf(const fs::path& path) {
    std::string ending = path.extension().string();
    std::transform(ending.begin(), ending.end(), ending.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return ending;
}

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

/// Starts the importer with its output and messages going to `log`.
Expected<pid_t> start(const fs::path& importer, const std::vector<std::string>& arguments,
                      const fs::path& log) {
    std::vector<char*> argv;
    std::string program = importer.string();
    argv.push_back(program.data());
    std::vector<std::string> copies = arguments;
    for (std::string& argument : copies) argv.push_back(argument.data());
    argv.push_back(nullptr);
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, 1, log.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
    posix_spawn_file_actions_adddup2(&actions, 1, 2);
    pid_t pid = 0;
    const int failed = posix_spawn(&pid, program.c_str(), &actions, nullptr, argv.data(), environ);
    posix_spawn_file_actions_destroy(&actions);
    if (failed) return fail(ErrorCode::Io, "the importer cannot be started", importer.string());
    return pid;
}

/// The child's wait status; kills it when time is up or the work is cancelled.
Expected<int> await(pid_t pid, int seconds, Progress& progress) {
    const auto deadline = std::chrono::steady_clock::now() + std::chrono::seconds(seconds);
    int status = 0;
    while (::waitpid(pid, &status, WNOHANG) == 0) {
        const bool late = std::chrono::steady_clock::now() > deadline;
        if (late || progress.cancelled()) {
            ::kill(pid, SIGKILL);
            ::waitpid(pid, &status, 0);
            if (!late) return fail(ErrorCode::Cancelled, "Opening was stopped");
            return fail(ErrorCode::Limit, fmt::format("took longer than {} s to import", seconds));
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
    if (WIFSIGNALED(status) && isStop(WTERMSIG(status)))
        return fail(ErrorCode::Cancelled, "Opening was stopped");
    if (WIFEXITED(status) && WEXITSTATUS(status) == 2)
        return fail(ErrorCode::InvalidInput, "cannot be imported: " + lastLine(log));
    return fail(ErrorCode::Limit,
                fmt::format("the importer gave up on it: the file is damaged, or needs more than "
                            "{} MiB",
                            options.importMemory >> 20),
                {}, "Convert the file to glTF in the program that made it");
}

Expected<Scene> importScene(const fs::path& path, const OpenOptions& options, Progress& progress) {
    auto importer = findImporter(options);
    if (!importer) return tl::unexpected(importer.error());
    const TemporaryFolder folder;
    if (folder.path().empty())
        return fail(ErrorCode::Io, "no temporary folder can be made", fs::temp_directory_path());
    const fs::path converted = folder.path() / "scene.glb";
    const fs::path log = folder.path() / "log.txt";
    progress.report(0, "Importing");
    auto child =
        start(*importer,
              {fs::absolute(path).string(), converted.string(),
               std::to_string(options.importMemory), std::to_string(options.importSeconds)},
              log);
    if (!child) return tl::unexpected(child.error());
    auto status = await(*child, options.importSeconds, progress);
    if (!status) return tl::unexpected(status.error());
    if (auto done = explain(*status, log, options); !done) return tl::unexpected(done.error());
    SubProgress reading(progress, 0.7, 1);
    return readGltf(converted, reading,
                    {.folder = fs::absolute(path).parent_path(), .memory = options.memory});
}

/// Material files that an .obj names and that are not there: its surfaces come without colours.
void noteMissingMaterials(const fs::path& path, Scene& scene) {
    if (endingOf(path) != ".obj") return;
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

}  // namespace

const std::vector<std::string>& readableEndings() {
    static const std::vector<std::string> endings = {".glb", ".gltf", ".obj", ".ply", ".stl",
                                                     ".dae", ".ac",   ".x",   ".off", ".3ds"};
    return endings;
}

Expected<Scene> openScene(const fs::path& path, const OpenOptions& options, Progress& progress) {
    const std::string ending = endingOf(path);
    const auto& known = readableEndings();
    std::error_code error;
    const fs::file_status status = fs::status(path, error);
    if (!fs::exists(status)) return fail(ErrorCode::NotFound, "does not exist", path.string());
    if (!fs::is_regular_file(status))
        return fail(ErrorCode::Io, "is no file that can be read (a folder, pipe or device)",
                    path.string());
    if (std::find(known.begin(), known.end(), ending) == known.end())
        return fail(ErrorCode::Unsupported, "is of a format that is not read", path.string(),
                    "Convert it to glTF 2.0 (.glb)");
    if (ending == ".glb" || ending == ".gltf")
        return readGltf(path, progress, {.folder = {}, .memory = options.memory});
    auto scene = importScene(path, options, progress);
    if (!scene) {
        if (scene.error().where.empty()) scene.error().where = path.filename().string();
        return scene;
    }
    noteMissingMaterials(path, *scene);
    scene->name = path.stem().string();
    scene->files.push_back(path);
    return scene;
}

}  // namespace flentro
