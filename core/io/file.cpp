#include "io/file.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <cstring>

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

bool isInside(const fs::path& folder, const fs::path& path) {
    const fs::path relative = path.lexically_relative(folder);
    return !relative.empty() && *relative.begin() != "..";
}

}  // namespace

Expected<Bytes> readFile(const fs::path& path, std::size_t maxBytes) {
    const Descriptor file(::open(path.c_str(), O_RDONLY | O_CLOEXEC));
    if (file.get() < 0) return systemError("cannot be opened", path);
    struct stat info {};
    if (::fstat(file.get(), &info) != 0) return systemError("cannot be examined", path);
    if (!S_ISREG(info.st_mode)) return fail(ErrorCode::Io, "is not a file", path.string());
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

Expected<void> writeFileAtomic(const fs::path& path, std::span<const std::byte> data) {
    std::string temporary = path.string() + ".XXXXXX";
    const Descriptor file(::mkostemp(temporary.data(), O_CLOEXEC));
    if (file.get() < 0) return systemError("cannot be written", path);
    ::fchmod(file.get(), 0644);
    const bool written = writeAll(file.get(), data) && ::fsync(file.get()) == 0;
    if (written && ::rename(temporary.c_str(), path.c_str()) == 0) return {};
    auto error = systemError("cannot be written", path);
    ::unlink(temporary.c_str());
    return error;
}

Expected<void> writeFileAtomic(const fs::path& path, std::string_view text) {
    return writeFileAtomic(path, std::as_bytes(std::span(text)));
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
