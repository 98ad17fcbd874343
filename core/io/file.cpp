#include "io/file.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <signal.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cctype>
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <fstream>

namespace flentro {
namespace {

namespace fs = std::filesystem;

/// Closes a descriptor at the end of its scope.
class Descriptor {
public:
    explicit Descriptor(int fd) : fd_(fd) {}
    ~Descriptor() {
        if (fd_ >= 0) ::close(fd_);
    }
    Descriptor(const Descriptor&) = delete;
    Descriptor& operator=(const Descriptor&) = delete;
    [[nodiscard]] int get() const { return fd_; }

private:
    int fd_;
};

tl::unexpected<Error> systemError(const char* what, const fs::path& path) {
    const int number = errno;
    const ErrorCode code = number == ENOENT ? ErrorCode::NotFound : ErrorCode::Io;
    return fail(code, fmt::format("{}: {}", what, std::strerror(number)), path.string());
}

bool writeAll(int fd, std::span<const std::byte> data) {
    while (!data.empty()) {
        const ssize_t written = ::write(fd, data.data(), data.size());
        if (written < 0 && errno == EINTR) continue;
        if (written <= 0) return false;
        data = data.subspan(static_cast<std::size_t>(written));
    }
    return true;
}

int hexDigit(char c) {
    if (c >= '0' && c <= '9') return c - '0';
    if (c >= 'a' && c <= 'f') return c - 'a' + 10;
    if (c >= 'A' && c <= 'F') return c - 'A' + 10;
    return -1;
}

std::string decodePercent(const std::string& uri) {
    std::string text;
    for (std::size_t i = 0; i < uri.size(); ++i) {
        const bool escape = uri[i] == '%' && i + 2 < uri.size();
        const int high = escape ? hexDigit(uri[i + 1]) : -1;
        const int low = escape ? hexDigit(uri[i + 2]) : -1;
        if (high >= 0 && low >= 0) {
            text += static_cast<char>(high * 16 + low);
            i += 2;
        } else {
            text += uri[i];
        }
    }
    return text;
}

int base64Digit(char c) {
    if (c >= 'A' && c <= 'Z') return c - 'A';
    if (c >= 'a' && c <= 'z') return c - 'a' + 26;
    if (c >= '0' && c <= '9') return c - '0' + 52;
    if (c == '+' || c == '-') return 62;
    if (c == '/' || c == '_') return 63;
    return -1;
}

/// The file itself where `path` is a symbolic link. Errors: Io when it is there and no file.
Expected<fs::path> resolveOutput(const fs::path& path) {
    std::error_code error;
    const fs::path place = fs::is_symlink(path, error) ? fs::weakly_canonical(path, error) : path;
    const fs::file_status status = fs::status(place, error);
    if (fs::exists(status) && !fs::is_regular_file(status))
        return fail(ErrorCode::Io, "cannot be written: it is there and no file", path.string());
    return place;
}

constexpr std::string_view kTemporaryMark = ".flentro-";

fs::path temporaryFor(const fs::path& place) {
    static std::atomic<unsigned> count = 0;
    return place.string() + fmt::format("{}{}-{}.tmp", kTemporaryMark, ::getpid(), ++count);
}

/// Removes temporaries of `place` that a process left which is no more.
void sweepTemporaries(const fs::path& place) {
    const std::string start = place.filename().string() + std::string(kTemporaryMark);
    const fs::path folder = place.has_parent_path() ? place.parent_path() : fs::path(".");
    std::error_code error;
    for (fs::directory_iterator at(folder, error), end; !error && at != end; at.increment(error)) {
        const std::string name = at->path().filename().string();
        if (!name.starts_with(start) || !name.ends_with(".tmp")) continue;
        const auto pid = static_cast<pid_t>(std::atoi(name.c_str() + start.size()));
        std::error_code ignored;
        if (pid > 0 && ::kill(pid, 0) != 0 && errno == ESRCH) fs::remove(at->path(), ignored);
    }
}

/// Makes a rename last; file systems that cannot are not asked twice.
void syncFolder(const fs::path& folder) {
    const Descriptor directory(
        ::open(folder.empty() ? "." : folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    if (directory.get() >= 0) ::fsync(directory.get());
}

}  // namespace

Expected<Bytes> readFile(const fs::path& path, std::size_t maxBytes) {
    const Descriptor file(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK));
    if (file.get() < 0) return systemError("cannot be opened", path);
    struct stat info {};
    if (::fstat(file.get(), &info) != 0) return systemError("cannot be examined", path);
    if (!S_ISREG(info.st_mode))
        return fail(ErrorCode::Io, "is no file that can be read (a folder, pipe or device)",
                    path.string());
    const auto size = static_cast<std::size_t>(info.st_size);
    if (maxBytes != 0 && size > maxBytes)
        return fail(ErrorCode::Limit, "is larger than can be read", path.string());
    Bytes data(size);
    std::size_t done = 0;
    while (done < size) {
        const ssize_t got = ::read(file.get(), data.data() + done, size - done);
        if (got < 0 && errno == EINTR) continue;
        if (got < 0) return systemError("cannot be read", path);
        if (got == 0) break;
        done += static_cast<std::size_t>(got);
    }
    data.resize(done);
    return data;
}

Expected<std::string> readTextFile(const fs::path& path) {
    auto data = readFile(path, std::size_t{256} << 20);
    if (!data) return tl::unexpected(data.error());
    return std::string(reinterpret_cast<const char*>(data->data()), data->size());
}

std::string readBeginning(const fs::path& path, std::size_t bytes) {
    std::ifstream file(path, std::ios::binary);
    std::string text(bytes, '\0');
    file.read(text.data(), static_cast<std::streamsize>(text.size()));
    text.resize(static_cast<std::size_t>(file.gcount()));
    return text;
}

FileSet::~FileSet() {
    std::error_code ignored;
    for (const Entry& entry : entries_) fs::remove(entry.temporary, ignored);
}

Expected<void> FileSet::add(const fs::path& path, std::span<const std::byte> data) {
    auto place = resolveOutput(path);
    if (!place) return tl::unexpected(place.error());
    sweepTemporaries(*place);
    const fs::path temporary = temporaryFor(*place);
    const Descriptor file(::open(temporary.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0666));
    if (file.get() < 0) return systemError("cannot be written", path);
    entries_.push_back({*place, temporary});
    struct stat old {};
    if (::stat(place->c_str(), &old) == 0) ::fchmod(file.get(), old.st_mode & 07777);
    if (!writeAll(file.get(), data) || ::fsync(file.get()) != 0)
        return systemError("cannot be written", path);
    return {};
}

Expected<void> FileSet::add(const fs::path& path, std::string_view text) {
    return add(path, std::as_bytes(std::span(text)));
}

Expected<void> FileSet::commit() {
    while (!entries_.empty()) {
        const Entry& entry = entries_.front();
        if (::rename(entry.temporary.c_str(), entry.path.c_str()) != 0)
            return systemError("cannot be written", entry.path);
        syncFolder(entry.path.parent_path());
        entries_.erase(entries_.begin());
    }
    return {};
}

Expected<void> writeFileAtomic(const fs::path& path, std::span<const std::byte> data) {
    FileSet files;
    if (auto added = files.add(path, data); !added) return added;
    return files.commit();
}

Expected<void> writeFileAtomic(const fs::path& path, std::string_view text) {
    return writeFileAtomic(path, std::as_bytes(std::span(text)));
}

Expected<void> checkWritable(const fs::path& path) {
    FileSet files;
    return files.add(path, std::string_view());
}

bool isSameFile(const fs::path& a, const fs::path& b) {
    std::error_code error;
    if (fs::equivalent(a, b, error) && !error) return true;
    const fs::path one = fs::weakly_canonical(a, error);
    return !error && one == fs::weakly_canonical(b, error) && !error;
}

Expected<void> makeFolder(const fs::path& folder) {
    std::error_code failed;
    fs::create_directories(folder, failed);
    if (failed) return fail(ErrorCode::Io, "cannot be made: " + failed.message(), folder.string());
    return {};
}

bool isInside(const fs::path& folder, const fs::path& path) {
    const fs::path relative = path.lexically_relative(folder);
    return !relative.empty() && *relative.begin() != "..";
}

Expected<fs::path> resolveInside(const fs::path& folder, const std::string& uri) {
    const std::string text = decodePercent(uri);
    const auto forbidden = [&](const char* why) {
        return fail(ErrorCode::Forbidden, fmt::format("the path '{}' {}", text, why), {},
                    "Only files in the scene's folder are read");
    };
    if (text.empty() || text.find('\0') != std::string::npos) return forbidden("is not a path");
    if (text.find("://") != std::string::npos) return forbidden("is not a local file");
    if (fs::path(text).is_absolute() || text.find('\\') != std::string::npos)
        return forbidden("is not relative to the scene");
    std::error_code ignored;
    const fs::path base = fs::weakly_canonical(folder.empty() ? "." : folder, ignored);
    const fs::path path = fs::weakly_canonical(base / text, ignored);
    if (!isInside(base, path)) return forbidden("leads outside the scene's folder");
    return path;
}

std::string encodeUri(std::string_view name) {
    std::string uri;
    for (const char c : name) {
        const auto byte = static_cast<unsigned char>(c);
        const bool plain =
            std::isalnum(byte) != 0 || c == '-' || c == '.' || c == '_' || c == '~' || c == '/';
        uri += plain && byte < 0x80 ? std::string(1, c) : fmt::format("%{:02X}", byte);
    }
    return uri;
}

bool isDataUri(std::string_view uri) {
    constexpr std::string_view kScheme = "data:";
    return uri.size() >= kScheme.size() &&
           std::equal(kScheme.begin(), kScheme.end(), uri.begin(), [](char a, char b) {
               return a == std::tolower(static_cast<unsigned char>(b));
           });
}

Expected<Bytes> decodeDataUri(std::string_view uri) {
    const std::size_t comma = uri.find(";base64,");
    if (comma == std::string_view::npos)
        return fail(ErrorCode::InvalidInput, "the data URI is not base64");
    Bytes result;
    result.reserve(uri.size() * 3 / 4);
    std::uint32_t bits = 0;
    int count = 0;
    for (const char c : uri.substr(comma + 8)) {
        if (c == '=') break;
        const int digit = base64Digit(c);
        if (digit < 0) return fail(ErrorCode::InvalidInput, "the data URI is not base64");
        bits = bits << 6 | static_cast<std::uint32_t>(digit);
        count += 6;
        if (count < 8) continue;
        count -= 8;
        result.push_back(static_cast<std::byte>(bits >> count & 0xFF));
    }
    return result;
}

}  // namespace flentro
