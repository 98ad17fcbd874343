#include "fixes/page_packer.h"

#include <algorithm>
#include <bit>
#include <cassert>
#include <limits>
#include <numeric>
#include <optional>

namespace flentro {

int pageEdge(int wanted, const Target& target) {
    const double limit = at(target.limits, Measure::TextureEdge);
    if (!isLimit(limit) || limit >= wanted) return wanted;
    return static_cast<int>(std::bit_floor(static_cast<unsigned>(std::max(limit, 1.0))));
}

namespace {

/// How high a page is filled, from left to right.
class Skyline {
public:
    explicit Skyline(PageItem page) : page_(page), steps_{{0, 0, page.width}} {}

    std::optional<PagePlace> add(const PageItem& item) {
        std::optional<PagePlace> best;
        for (std::size_t i = 0; i < steps_.size(); ++i) {
            const int x = steps_[i].x;
            if (x + item.width > page_.width) break;
            const int y = heightOver(i, item.width);
            if (y + item.height > page_.height) continue;
            if (!best || y < best->y) best = PagePlace{0, x, y};
        }
        if (best) raise(best->x, item.width, best->y + item.height);
        return best;
    }

private:
    struct Step {
        int x, y, width;
    };

    [[nodiscard]] int heightOver(std::size_t first, int width) const {
        int height = 0;
        for (std::size_t i = first; width > 0 && i < steps_.size(); ++i) {
            height = std::max(height, steps_[i].y);
            width -= steps_[i].width;
        }
        return height;
    }

    void raise(int x, int width, int y) {
        std::vector<Step> next;
        const int end = x + width;
        for (const Step& step : steps_) {
            const int stepEnd = step.x + step.width;
            if (step.x < x) next.push_back({step.x, step.y, std::min(stepEnd, x) - step.x});
            if (step.x <= x && x < stepEnd) next.push_back({x, y, width});
            if (stepEnd > end) {
                const int from = std::max(step.x, end);
                next.push_back({from, step.y, stepEnd - from});
            }
        }
        steps_ = std::move(next);
    }

    PageItem page_;
    std::vector<Step> steps_;
};

int powerOfTwo(int atLeast) {
    return static_cast<int>(std::bit_ceil(static_cast<unsigned>(std::max(1, atLeast))));
}

/// The smallest page for these items, or one of the largest size.
PageItem pageFor(const std::vector<PageItem>& items, const std::vector<std::size_t>& open,
                 int maxEdge) {
    long area = 0;
    PageItem page{1, 1};
    for (const std::size_t i : open) {
        area += static_cast<long>(items[i].width) * items[i].height;
        page.width = std::max(page.width, powerOfTwo(items[i].width));
        page.height = std::max(page.height, powerOfTwo(items[i].height));
    }
    while (static_cast<long>(page.width) * page.height < area &&
           std::min(page.width, page.height) < maxEdge)
        (page.width <= page.height ? page.width : page.height) *= 2;
    return {std::min(page.width, maxEdge), std::min(page.height, maxEdge)};
}

}  // namespace

Packed packPages(const std::vector<PageItem>& items, int maxEdge) {
    assert(maxEdge > 0);
    Packed packed;
    packed.places.assign(items.size(), {-1, 0, 0});
    std::vector<std::size_t> open;
    for (std::size_t i = 0; i < items.size(); ++i)
        if (items[i].width <= maxEdge && items[i].height <= maxEdge) open.push_back(i);
    std::stable_sort(open.begin(), open.end(), [&](std::size_t a, std::size_t b) {
        return items[a].height > items[b].height;
    });
    PageItem size = pageFor(items, open, maxEdge);
    while (!open.empty()) {
        Skyline skyline(size);
        std::vector<std::size_t> left;
        std::vector<std::pair<std::size_t, PagePlace>> placed;
        for (const std::size_t i : open) {
            if (const auto place = skyline.add(items[i]))
                placed.emplace_back(i, *place);
            else
                left.push_back(i);
        }
        const bool canGrow = std::min(size.width, size.height) < maxEdge;
        if (!left.empty() && canGrow) {
            (size.width <= size.height ? size.width : size.height) *= 2;
            continue;
        }
        for (auto& [i, place] : placed) {
            packed.places[i] = place;
            packed.places[i].page = static_cast<int>(packed.pages.size());
        }
        packed.pages.push_back(size);
        open = std::move(left);
        size = pageFor(items, open, maxEdge);
    }
    return packed;
}

}  // namespace flentro
