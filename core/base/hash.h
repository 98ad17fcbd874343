// Content hashes: equal content, equal hash, on every run and machine of one byte order.

#pragma once

#include <xxhash.h>

#include <compare>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>

namespace flentro {

/// 128 bits of XXH3; collisions are not expected in practice.
struct Hash {
    std::uint64_t low = 0;
    std::uint64_t high = 0;
    auto operator<=>(const Hash&) const = default;
};

/// 32 hexadecimal digits.
[[nodiscard]] std::string toHex(const Hash& hash);

/// The reverse; nothing if it is none.
[[nodiscard]] std::optional<Hash> parseHash(std::string_view hex);

/// Collects values into one hash. Variable-length values are prefixed by their length, so
/// that neighbouring values cannot run into each other.
class Hasher {
public:
    Hasher();
    Hasher& bytes(std::span<const std::byte> data);
    Hasher& text(std::string_view text);
    Hasher& add(const Hash& hash);
    template <typename T>
    requires std::is_arithmetic_v<T> || std::is_enum_v<T> Hasher& add(T value) {
        raw(&value, sizeof value);
        return *this;
    }
    [[nodiscard]] Hash result() const;

private:
    struct Free {
        void operator()(XXH3_state_t* state) const { XXH3_freeState(state); }
    };
    void raw(const void* data, std::size_t size);
    std::unique_ptr<XXH3_state_t, Free> state_;
};

[[nodiscard]] Hash hashBytes(std::span<const std::byte> data);

}  // namespace flentro

template <>
struct std::hash<flentro::Hash> {
    std::size_t operator()(const flentro::Hash& value) const noexcept { return value.low; }
};
