#include "support/process.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <sys/wait.h>

#include <array>
#include <cstdio>
#include <fstream>
#include <sstream>

namespace flentro::test {

namespace fs = std::filesystem;

TemporaryFolder::TemporaryFolder() {
    std::string name = (fs::temp_directory_path() / "flentro-test-XXXXXX").string();
    path_ = ::mkdtemp(name.data());
}

TemporaryFolder::~TemporaryFolder() {
    std::error_code ignored;
    fs::permissions(path_, fs::perms::owner_all, ignored);
    fs::remove_all(path_, ignored);
}

std::size_t TemporaryFolder::fileCount() const {
    std::size_t count = 0;
    for ([[maybe_unused]] const auto& entry : fs::directory_iterator(path_)) ++count;
    return count;
}

Outcome run(const std::string& command) {
    Outcome outcome;
    FILE* pipe = ::popen((command + " 2>&1").c_str(), "r");
    if (!pipe) return outcome;
    std::array<char, 4096> buffer{};
    while (const std::size_t got = std::fread(buffer.data(), 1, buffer.size(), pipe))
        outcome.output.append(buffer.data(), got);
    const int status = ::pclose(pipe);
    outcome.status = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
    return outcome;
}

Outcome runOurs(const std::string& program, const std::string& arguments) {
    return run(fmt::format("'{}/{}' {}", FLENTRO_BIN_DIR, program, arguments));
}

std::string validatorErrors(const fs::path& file) {
    const Outcome outcome = run(fmt::format("cd '{}' && node scripts/validate-gltf.js '{}'",
                                            FLENTRO_SOURCE_DIR, fs::absolute(file).string()));
    return outcome.status == 0 ? "" : outcome.output;
}

std::string readText(const fs::path& file) {
    std::ifstream stream(file, std::ios::binary);
    std::ostringstream text;
    text << stream.rdbuf();
    return text.str();
}

void writeText(const fs::path& file, const std::string& text) {
    std::ofstream(file, std::ios::binary) << text;
}

void RecordingProgress::report(double fraction, std::string_view) {
    ++reports_;
    double seen = highest_;
    while (fraction > seen && !highest_.compare_exchange_weak(seen, fraction)) {
    }
}

bool RecordingProgress::cancelled() const {
    ++asked_;
    if (left_ < 0) return false;
    return left_.fetch_sub(1) <= 0 ? (left_ = 0, true) : false;
}

}  // namespace flentro::test
