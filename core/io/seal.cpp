#include "io/seal.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sodium.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cstdlib>
#include <optional>

namespace flentro {
namespace {

namespace fs = std::filesystem;

using Key = std::array<unsigned char, crypto_generichash_KEYBYTES>;
using Seal = std::array<unsigned char, crypto_generichash_BYTES>;

std::optional<fs::path> keyFile() {
    const char* data = std::getenv("XDG_DATA_HOME");
    if (data && *data == '/') return fs::path(data) / "flentro/seal.key";
    const char* home = std::getenv("HOME");
    if (home && *home == '/') return fs::path(home) / ".local/share/flentro/seal.key";
    return std::nullopt;
}

std::optional<Key> readKey(const fs::path& file) {
    const auto bytes = readFile(file, sizeof(Key));
    if (!bytes || bytes->size() != sizeof(Key)) return std::nullopt;
    Key key{};
    std::transform(bytes->begin(), bytes->end(), key.begin(),
                   [](std::byte byte) { return static_cast<unsigned char>(byte); });
    return key;
}

/// Whole or not at all, and never over another's: of two at the same time the first one stays.
void keepKey(const Key& key, const fs::path& file) {
    if (!makeFolder(file.parent_path())) return;
    const fs::path own = fmt::format("{}.{}", file.string(), ::getpid());
    const int to = ::open(own.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0600);
    if (to < 0) return;
    const bool isWhole =
        ::write(to, key.data(), key.size()) == static_cast<ssize_t>(key.size()) && ::fsync(to) == 0;
    ::close(to);
    if (isWhole) (void)::link(own.c_str(), file.c_str());
    ::unlink(own.c_str());
}

Key makeKey() {
    Key key{};
    [[maybe_unused]] const int begun = sodium_init();  // Random numbers come without it too.
    randombytes_buf(key.data(), key.size());
    const auto file = keyFile();
    if (!file) return key;
    if (const auto known = readKey(*file)) return *known;
    keepKey(key, *file);
    return readKey(*file).value_or(key);
}

Seal sealOf(std::span<const std::byte> content) {
    static const Key key = makeKey();
    Seal seal;
    crypto_generichash(seal.data(), seal.size(),
                       reinterpret_cast<const unsigned char*>(content.data()), content.size(),
                       key.data(), key.size());
    return seal;
}

}  // namespace

Expected<void> writeSealed(const fs::path& path, std::span<const std::byte> content) {
    Bytes bytes(content.begin(), content.end());
    for (const unsigned char each : sealOf(content)) bytes.push_back(std::byte{each});
    return writeFileAtomic(path, bytes);
}

Expected<Bytes> readSealed(const fs::path& path) {
    auto bytes = readFile(path);
    if (!bytes) return bytes;
    if (bytes->size() >= sizeof(Seal)) {
        const std::size_t size = bytes->size() - sizeof(Seal);
        const Seal seal = sealOf(std::span(*bytes).first(size));
        if (sodium_memcmp(seal.data(), bytes->data() + size, seal.size()) == 0) {
            bytes->resize(size);
            return bytes;
        }
    }
    return fail(ErrorCode::Forbidden, "was not written by this user's Flentro, or was changed",
                path.string());
}

}  // namespace flentro
