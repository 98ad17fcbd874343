#include "geometry/slabs.h"

#include <algorithm>
#include <cassert>
#include <limits>

namespace flentro {

std::vector<double> slabBounds(std::vector<std::pair<double, double>> things, double each) {
    assert(each > 0);
    constexpr double kEndless = std::numeric_limits<double>::infinity();
    std::sort(things.begin(), things.end());
    std::vector<double> bounds = {-kEndless};
    double sum = 0;
    for (const auto& [at, weight] : things) {
        if (sum >= each && at > bounds.back()) {
            bounds.push_back(at);
            sum = 0;
        }
        sum += weight;
    }
    bounds.push_back(kEndless);
    return bounds;
}

}  // namespace flentro
