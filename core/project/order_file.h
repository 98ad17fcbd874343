// Work orders in files of their own, or inside projects.

#pragma once

#include <filesystem>

#include "fixes/work_order.h"

namespace flentro {

/// True for the file of a project, from which loadWorkOrder() takes its order.
[[nodiscard]] bool isProjectFile(const std::filesystem::path& path);

/// That of an order's file, or of a project's. Errors: NotFound, InvalidInput naming fix and
/// member.
[[nodiscard]] Expected<WorkOrder> loadWorkOrder(const std::filesystem::path& path);

/// Atomic. Errors: Io.
[[nodiscard]] Expected<void> saveWorkOrder(const WorkOrder& order,
                                           const std::filesystem::path& path);

}  // namespace flentro
