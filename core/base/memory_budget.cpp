#include "base/memory_budget.h"

#include <fmt/format.h>
#include <unistd.h>

#include "base/text.h"

namespace flentro {
namespace {

double asDouble(std::size_t bytes) {
    return static_cast<double>(bytes);
}

}  // namespace

std::size_t defaultMemory() {
    const long pages = ::sysconf(_SC_PHYS_PAGES);
    const long size = ::sysconf(_SC_PAGESIZE);
    constexpr std::size_t kUnknown = std::size_t{4} << 30;
    if (pages <= 0 || size <= 0) return kUnknown;
    return static_cast<std::size_t>(pages) / 2 * static_cast<std::size_t>(size);
}

Expected<void> MemoryBudget::ask(std::size_t bytes, const std::string& what) const {
    const std::size_t taken = taken_;
    if (taken <= whole_ && bytes <= whole_ - taken) return {};
    return fail(ErrorCode::Limit,
                fmt::format("asks for {} of memory; {} of the {} that a scene may take are taken",
                            formatBytes(asDouble(bytes)), formatBytes(asDouble(taken)),
                            formatBytes(asDouble(whole_))),
                what, "Allow more with --memory, or make the scene smaller");
}

Expected<void> MemoryBudget::take(std::size_t bytes, const std::string& what) {
    const std::size_t before = taken_.fetch_add(bytes);
    if (before <= whole_ && bytes <= whole_ - before) return {};
    taken_ -= bytes;
    return ask(bytes, what);
}

Expected<void> MemoryBudget::takeFile(const std::filesystem::path& file, const std::string& what) {
    std::error_code unknown;
    const auto size = std::filesystem::file_size(file, unknown);
    return take(unknown ? 0 : size, what);
}

}  // namespace flentro
