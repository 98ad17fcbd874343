#include "base/parallel.h"

#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <algorithm>

namespace flentro {

bool parallelFor(std::size_t count, std::string_view message, Progress& progress,
                 const std::function<void(std::size_t)>& body) {
    if (count == 0) return !progress.cancelled();
    std::atomic<std::size_t> next = 0;
    std::atomic<std::size_t> done = 0;
    const auto workers = static_cast<std::size_t>(tbb::this_task_arena::max_concurrency());
    tbb::parallel_for(std::size_t{0}, std::min(workers, count), [&](std::size_t) {
        for (std::size_t i = next++; i < count; i = next++) {
            if (progress.cancelled()) return;
            body(i);
            progress.report(static_cast<double>(++done) / static_cast<double>(count), message);
        }
    });
    return !progress.cancelled();
}

void parallelEach(std::size_t count, const std::function<void(std::size_t)>& body) {
    (void)parallelFor(count, "", noProgress(), body);
}

}  // namespace flentro
