// A queue by cost in which everything takes the same short time.
//
// R. Dial, "Algorithm 360: Shortest-Path Forest with Topological Ordering", CACM 12(11), 1969:
// a list for each cost, here for each key of one.

#pragma once

#include <optional>
#include <vector>

#include "simplify/cost_key.h"

namespace flentro {

/// The cheapest first, by keys; among those of one key the one that has waited longest.
class CostQueue {
public:
    struct Entry {
        std::uint32_t key = 0;
        std::uint32_t what = 0;
    };

    void push(float cost, std::uint32_t what) {
        const std::uint32_t key = costKey(cost);
        const auto index = static_cast<std::uint32_t>(items_.size());
        items_.push_back({what, kNone});
        List& list = lists_[key];
        (list.first == kNone ? list.first : items_[list.last].next) = index;
        list.last = index;
        if (key < lowest_) lowest_ = key;
        if (key > highest_) highest_ = key;
    }

    [[nodiscard]] std::optional<Entry> pop() {
        while (lowest_ <= highest_ && lists_[lowest_].first == kNone) ++lowest_;
        if (lowest_ > highest_) return {};
        std::uint32_t& first = lists_[lowest_].first;
        const Item& item = items_[first];
        first = item.next;
        return Entry{lowest_, item.what};
    }

    /// Cost: O(keys between the cheapest and the dearest).
    void clear() {
        for (std::uint32_t key = lowest_; key <= highest_; ++key) lists_[key].first = kNone;
        items_.clear();
        lowest_ = kCostKeys;
        highest_ = 0;
    }

private:
    static constexpr std::uint32_t kNone = ~0U;
    struct Item {
        std::uint32_t what;
        std::uint32_t next;
    };
    struct List {
        std::uint32_t first = kNone;
        std::uint32_t last = kNone;
    };
    std::vector<Item> items_;
    std::vector<List> lists_ = std::vector<List>(kCostKeys);
    std::uint32_t lowest_ = kCostKeys;
    std::uint32_t highest_ = 0;
};

}  // namespace flentro
