#include "base/hash.h"

#include <fmt/format.h>

#include <charconv>

namespace flentro {

std::string toHex(const Hash& hash) {
    return fmt::format("{:016x}{:016x}", hash.high, hash.low);
}

std::optional<Hash> parseHash(std::string_view hex) {
    constexpr std::size_t kDigits = 16;
    if (hex.size() != 2 * kDigits) return std::nullopt;
    const auto parse = [&](std::size_t from, std::uint64_t& value) {
        const char* end = hex.data() + from + kDigits;
        return std::from_chars(hex.data() + from, end, value, 16).ptr == end;
    };
    Hash hash;
    if (!parse(0, hash.high) || !parse(kDigits, hash.low)) return std::nullopt;
    return hash;
}

Hasher::Hasher() : state_(XXH3_createState()) {
    XXH3_128bits_reset(state_.get());
}

void Hasher::raw(const void* data, std::size_t size) {
    XXH3_128bits_update(state_.get(), data, size);
}

Hasher& Hasher::bytes(std::span<const std::byte> data) {
    add(data.size());
    raw(data.data(), data.size());
    return *this;
}

Hasher& Hasher::text(std::string_view text) {
    return bytes(std::as_bytes(std::span(text)));
}

Hasher& Hasher::add(const Hash& hash) {
    return add(hash.low).add(hash.high);
}

Hash Hasher::result() const {
    const XXH128_hash_t digest = XXH3_128bits_digest(state_.get());
    return {digest.low64, digest.high64};
}

Hash hashBytes(std::span<const std::byte> data) {
    const XXH128_hash_t digest = XXH3_128bits(data.data(), data.size());
    return {digest.low64, digest.high64};
}

}  // namespace flentro
