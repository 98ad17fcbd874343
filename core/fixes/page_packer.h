// Rectangles on pages of a power of two, by the skyline's lowest place that has room (J. Jylanki,
// "A thousand ways to pack the bin", 2010: skyline, bottom-left).

#pragma once

#include <vector>

#include "budget/target.h"

namespace flentro {

struct PageItem {
    int width = 0;  ///< Pixels.
    int height = 0;
};

struct PagePlace {
    int page = 0;
    int x = 0;
    int y = 0;
};

struct Packed {
    std::vector<PagePlace> places;  ///< [items]; page -1 for those larger than a page.
    std::vector<PageItem> pages;    ///< Edges are powers of two.
};

/// The longest edge of pages: `wanted`, or the power of two that the target's largest texture
/// allows.
[[nodiscard]] int pageEdge(int wanted, const Target& target);

/// The tallest first; as few and small pages as that order gives. Cost: O(n^2) a page at worst.
[[nodiscard]] Packed packPages(const std::vector<PageItem>& items, int maxEdge);

}  // namespace flentro
