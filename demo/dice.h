// Random numbers that are the same with every standard library.

#pragma once

#include <algorithm>
#include <cstdint>
#include <random>
#include <vector>

#include "base/index.h"

namespace flentro::demo {

class Dice {
public:
    explicit Dice(std::uint32_t seed) : engine_(seed) {}

    float between(float low, float high) {
        return low + (high - low) * (static_cast<float>(engine_() >> 8) / 16777216.0F);
    }
    int below(int count) { return static_cast<int>(engine_() % static_cast<std::uint32_t>(count)); }

    /// The numbers below `count` in random order (Fisher & Yates 1938).
    [[nodiscard]] std::vector<std::size_t> shuffled(std::size_t count) {
        std::vector<std::size_t> order(count);
        for (std::size_t i = 0; i < count; ++i) order[i] = i;
        for (std::size_t i = count; i > 1; --i)
            std::swap(order[i - 1], elementOf(order, below(static_cast<int>(i))));
        return order;
    }

private:
    std::mt19937 engine_;
};

}  // namespace flentro::demo
