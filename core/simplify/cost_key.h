// Costs counted by the upper bits of their sizes, which lie in the order of the numbers.

#pragma once

#include <bit>
#include <cstdint>

namespace flentro {

/// The upper bits of a cost, or of minus a cost: the more, the finer. Eight are its power of two.
template <unsigned bits>
[[nodiscard]] constexpr std::uint32_t upperBits(float cost) {
    return std::bit_cast<std::uint32_t>(cost) << 1U >> (32U - bits);
}

inline constexpr unsigned kCostKeyBits = 13;
inline constexpr std::size_t kCostKeys = std::size_t{1} << kCostKeyBits;

/// < kCostKeys, to a 32nd of a cost: what is taken for the same when vertices are queued.
[[nodiscard]] constexpr std::uint32_t costKey(float cost) {
    return upperBits<kCostKeyBits>(cost);
}

/// A number >= 0 in two bytes, to a 256th of it and in the order of numbers.
[[nodiscard]] constexpr std::uint16_t bucketKey(float cost) {
    return static_cast<std::uint16_t>(upperBits<16>(cost));
}

/// The least number that has that key.
[[nodiscard]] constexpr float valueOfFileKey(std::uint16_t key) {
    return std::bit_cast<float>(std::uint32_t{key} << 15U);
}

}  // namespace flentro
