// Memory that a scene may take, counted before it is taken.

#pragma once

#include <atomic>
#include <cstddef>
#include <filesystem>
#include <string>

#include "base/error.h"

namespace flentro {

/// Half of the memory of this machine, bytes.
[[nodiscard]] std::size_t defaultMemory();

/// Shared by all that a scene is read into; calls may come from any thread.
class MemoryBudget {
public:
    /// `bytes`: 0 for defaultMemory().
    explicit MemoryBudget(std::size_t bytes = 0) : whole_(bytes > 0 ? bytes : defaultMemory()) {}

    /// Takes `bytes` for `what`, e.g. "accessor 3". Errors: Limit naming what asked for how much.
    [[nodiscard]] Expected<void> take(std::size_t bytes, const std::string& what);

    /// As many bytes as a file has; one that cannot be asked takes none: reading it will tell why.
    [[nodiscard]] Expected<void> takeFile(const std::filesystem::path& file,
                                          const std::string& what);

    /// As take() for memory that is given back soon: only asks whether it would fit.
    [[nodiscard]] Expected<void> ask(std::size_t bytes, const std::string& what) const;

    [[nodiscard]] std::size_t taken() const { return taken_; }

private:
    std::size_t whole_;
    std::atomic<std::size_t> taken_ = 0;
};

}  // namespace flentro
