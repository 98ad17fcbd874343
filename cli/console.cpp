#include "console.h"

#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <iostream>

#include "io/file.h"

namespace flentro::cli {
namespace {

volatile std::sig_atomic_t interrupted = 0;

void onInterrupt(int) {
    interrupted = 1;
}

/// Letters shown: UTF-8 continuation bytes do not count.
std::size_t displayWidth(const std::string& text) {
    return static_cast<std::size_t>(std::count_if(
        text.begin(), text.end(), [](unsigned char c) { return (c & 0xC0) != 0x80; }));
}

}  // namespace

void put(const std::string& text, std::FILE* stream) {
    (void)std::fwrite(text.data(), 1, text.size(), stream);
}

void keepStreams() {
    for (const int stream : {STDIN_FILENO, STDOUT_FILENO, STDERR_FILENO})
        if (::fcntl(stream, F_GETFD) < 0 && ::open("/dev/null", O_RDONLY) != stream)
            std::_Exit(kBadInput);
}

int finishOutput(int status) {
    // The parser prints its help through the other library.
    const bool isWhole =
        !std::cout.flush().fail() && std::fflush(stdout) == 0 && std::ferror(stdout) == 0;
    if (isWhole) return status;
    warn("flentro-cli: standard output: cannot be written, what was printed is lost\n");
    return kBadInput;
}

void catchSignals() {
    for (const int signal : {SIGINT, SIGTERM, SIGHUP}) std::signal(signal, onInterrupt);
    std::signal(SIGXFSZ, SIG_IGN);
}

TerminalProgress::TerminalProgress(bool quiet)
    : shown_(!quiet && ::isatty(STDERR_FILENO) == 1), started_(std::chrono::steady_clock::now()) {}

TerminalProgress::~TerminalProgress() {
    if (dirty_) put("\r\033[K", stderr);
}

void TerminalProgress::report(double fraction, std::string_view message) {
    if (!shown_) return;
    const std::lock_guard lock(mutex_);
    const auto now = std::chrono::steady_clock::now();
    if (now - last_ < std::chrono::milliseconds(80)) return;
    last_ = now;
    dirty_ = true;
    const double elapsed = std::chrono::duration<double>(now - started_).count();
    const std::string left = fraction > 0.02 && elapsed > 1
                                 ? ", " + formatSeconds(elapsed / fraction - elapsed) + " left"
                                 : "";
    put(fmt::format("\r\033[K{:3.0f} %  {}{}", fraction * 100, message, left), stderr);
    std::fflush(stderr);
}

bool TerminalProgress::cancelled() const {
    return interrupted != 0;
}

std::string formatTable(const std::vector<std::vector<std::string>>& rows) {
    std::vector<std::size_t> widths;
    for (const auto& row : rows)
        for (std::size_t i = 0; i < row.size(); ++i) {
            if (widths.size() <= i) widths.push_back(0);
            widths[i] = std::max(widths[i], displayWidth(row[i]));
        }
    std::string text;
    for (const auto& row : rows) {
        std::string line;
        for (std::size_t i = 0; i < row.size(); ++i) {
            std::string cell = row[i];
            std::replace(cell.begin(), cell.end(), '\n', ' ');
            const std::string padding(widths[i] - displayWidth(cell), ' ');
            line += (i > 0 ? "  " : "") + (i == 0 ? cell + padding : padding + cell);
        }
        while (!line.empty() && line.back() == ' ') line.pop_back();
        text += line + "\n";
    }
    return text;
}

int complain(const Error& error) {
    warn("flentro-cli: {}\n", describe(error));
    return error.code == ErrorCode::Cancelled ? kStopped : kBadInput;
}

Expected<void> writeJson(const Json& json, const std::string& file) {
    const std::string text = json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
    if (file != "-") return writeFileAtomic(file, text);
    put(text, stdout);
    return {};
}

}  // namespace flentro::cli
