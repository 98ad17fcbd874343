#include "base/parallel.h"

#include <algorithm>

#ifdef __SANITIZE_THREAD__
#include <thread>
#include <vector>
#else
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>
#endif

namespace flentro {
namespace {

/// Calls `work` once for each thread that there is to use, at most `most` times, side by side.
#ifdef __SANITIZE_THREAD__
/// By threads that the sanitizer sees begin and end: TBB itself is not instrumented.
void onAllThreads(std::size_t most, const std::function<void()>& work) {
    std::vector<std::thread> others;
    const std::size_t count = std::min<std::size_t>(most, std::thread::hardware_concurrency());
    for (std::size_t i = 1; i < count; ++i) others.emplace_back(work);
    work();
    for (std::thread& other : others) other.join();
}
#else
void onAllThreads(std::size_t most, const std::function<void()>& work) {
    const auto threads = static_cast<std::size_t>(tbb::this_task_arena::max_concurrency());
    tbb::parallel_for(std::size_t{0}, std::min(threads, most), [&](std::size_t) { work(); });
}
#endif

}  // namespace

bool parallelFor(std::size_t count, std::string_view message, Progress& progress,
                 const std::function<void(std::size_t)>& body) {
    if (count == 0) return !progress.cancelled();
    std::atomic<std::size_t> next = 0;
    std::atomic<std::size_t> done = 0;
    onAllThreads(count, [&] {
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
