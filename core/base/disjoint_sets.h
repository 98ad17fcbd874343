// Sets that grow together (union-find with path halving; R. Tarjan, J. van Leeuwen 1984).

#pragma once

#include <algorithm>
#include <cstdint>
#include <numeric>
#include <utility>
#include <vector>

namespace flentro {

/// Of the members 0, 1, ...; the least member of a set stands for it.
class DisjointSets {
public:
    explicit DisjointSets(std::size_t count) : parents_(count) {
        std::iota(parents_.begin(), parents_.end(), 0U);
    }
    /// Begins with each member in the set of another that is no greater.
    explicit DisjointSets(std::vector<std::uint32_t> parents) : parents_(std::move(parents)) {}

    /// The member that stands for the set.
    [[nodiscard]] std::uint32_t find(std::uint32_t member) {
        while (parents_[member] != member) member = parents_[member] = parents_[parents_[member]];
        return member;
    }
    void join(std::uint32_t a, std::uint32_t b) {
        a = find(a);
        b = find(b);
        parents_[std::max(a, b)] = std::min(a, b);
    }

private:
    std::vector<std::uint32_t> parents_;
};

}  // namespace flentro
