// The next collapse: a binary heap over positions whose keys can change.

#pragma once

#include <cstdint>
#include <vector>

#include "simplify/adjacency.h"

namespace flentro {

/// Ties go to the lower position, so that the order is the same on every run.
class CollapseQueue {
public:
    explicit CollapseQueue(std::size_t positions) : slot_(positions, kNone) {}

    [[nodiscard]] bool empty() const { return heap_.empty(); }
    [[nodiscard]] std::uint32_t top() const { return heap_.front().position; }
    [[nodiscard]] double topCost() const { return heap_.front().cost; }

    /// Inserts the position or changes its cost.
    void set(std::uint32_t position, double cost);
    void remove(std::uint32_t position);

private:
    struct Entry {
        double cost;
        std::uint32_t position;
        bool operator<(const Entry& other) const {
            return cost != other.cost ? cost < other.cost : position < other.position;
        }
    };
    void place(std::size_t slot, const Entry& entry);
    void rise(std::size_t slot, const Entry& entry);
    void sink(std::size_t slot, const Entry& entry);

    std::vector<Entry> heap_;
    std::vector<std::uint32_t> slot_;  ///< [P] where a position stands in the heap.
};

}  // namespace flentro
