// Temporary folders, child processes and recording fakes.

#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "base/progress.h"

namespace flentro::test {

/// A folder that is gone at the end of the test.
class TemporaryFolder {
public:
    TemporaryFolder();
    ~TemporaryFolder();
    TemporaryFolder(const TemporaryFolder&) = delete;
    TemporaryFolder& operator=(const TemporaryFolder&) = delete;
    [[nodiscard]] const std::filesystem::path& path() const { return path_; }
    [[nodiscard]] std::filesystem::path operator/(const std::string& name) const {
        return path_ / name;
    }
    [[nodiscard]] std::size_t fileCount() const;

private:
    std::filesystem::path path_;
};

struct Outcome {
    int status = -1;
    std::string output;  ///< Standard output and error, in order.
};

/// Runs a shell command.
[[nodiscard]] Outcome run(const std::string& command);

/// Runs a program of ours from the build's bin folder.
[[nodiscard]] Outcome runOurs(const std::string& program, const std::string& arguments);

/// What the glTF validator says about a file; empty: no errors. Fails the test when the
/// validator is not installed.
[[nodiscard]] std::string validatorErrors(const std::filesystem::path& file);

[[nodiscard]] std::string readText(const std::filesystem::path& file);
void writeText(const std::filesystem::path& file, const std::string& text);

/// Cancels after a number of questions; remembers what was reported.
class RecordingProgress final : public Progress {
public:
    explicit RecordingProgress(int cancelAfter = -1) : left_(cancelAfter) {}
    void report(double fraction, std::string_view message) override;
    [[nodiscard]] bool cancelled() const override;
    [[nodiscard]] int reports() const { return reports_; }
    [[nodiscard]] int asked() const { return asked_; }  ///< Questions so far.
    [[nodiscard]] double highest() const { return highest_; }

private:
    mutable std::atomic<int> left_;
    mutable std::atomic<int> asked_ = 0;
    std::atomic<int> reports_ = 0;
    std::atomic<double> highest_ = 0;
};

}  // namespace flentro::test
