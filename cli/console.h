// The terminal: progress, tables, messages and exit statuses.

#pragma once

#include <fmt/format.h>

#include <chrono>
#include <cstdio>
#include <mutex>
#include <string>
#include <vector>

#include "base/error.h"
#include "base/json.h"
#include "base/progress.h"
#include "base/text.h"
#include "exit_status.h"

namespace flentro::cli {

/// Writes text to a stream; what cannot be written is found by finishOutput().
void put(const std::string& text, std::FILE* stream);

/// Prints text in which names occur: control characters in them are written out.
template <typename... Args>
void say(fmt::format_string<Args...> format, Args&&... args) {
    put(printable(fmt::format(format, std::forward<Args>(args)...)), stdout);
}
/// The same on standard error.
template <typename... Args>
void warn(fmt::format_string<Args...> format, Args&&... args) {
    put(printable(fmt::format(format, std::forward<Args>(args)...)), stderr);
}

/// Streams that were closed before the start take nothing, instead of the first file that is
/// opened.
void keepStreams();

/// The status, or kBadInput where something printed on standard output got lost: no room, closed.
[[nodiscard]] int finishOutput(int status);

/// Makes Ctrl+C, the end of a session and a polite kill cancel the work, so that what it has
/// begun is cleaned up, and failed writes errors instead of deaths.
void catchSignals();

/// Writes one changing line to a terminal on standard error; silent elsewhere. Cancelled by the
/// signals of catchSignals().
class TerminalProgress final : public Progress {
public:
    explicit TerminalProgress(bool quiet);
    ~TerminalProgress() override;
    void report(double fraction, std::string_view message) override;
    [[nodiscard]] bool cancelled() const override;

private:
    bool shown_;
    bool dirty_ = false;
    std::mutex mutex_;
    std::chrono::steady_clock::time_point started_;
    std::chrono::steady_clock::time_point last_;
};

/// Columns padded to their widest cell; numbers (all columns but the first) to the right.
[[nodiscard]] std::string formatTable(const std::vector<std::vector<std::string>>& rows);

/// Prints "flentro-cli: ..." on standard error; returns kBadInput, or kStopped for Cancelled.
int complain(const Error& error);

/// Writes JSON to a file, or to standard output for "-".
[[nodiscard]] Expected<void> writeJson(const Json& json, const std::string& file);

}  // namespace flentro::cli
