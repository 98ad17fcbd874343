#include "base/parallel.h"

#include <tbb/parallel_for.h>

namespace flentro {

bool parallelFor(std::size_t count, std::string_view message, Progress& progress,
                 const std::function<void(std::size_t)>& body) {
    if (count == 0) return !progress.cancelled();
    std::atomic<std::size_t> done = 0;
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, count, 1), [&](const auto& range) {
        for (std::size_t i = range.begin(); i != range.end(); ++i) {
            if (progress.cancelled()) return;
            body(i);
            progress.report(static_cast<double>(++done) / static_cast<double>(count), message);
        }
    });
    return !progress.cancelled();
}

}  // namespace flentro
