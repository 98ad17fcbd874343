// The document: which scene, which target, which fixes, what was set aside.

#pragma once

#include <filesystem>
#include <set>

#include "fixes/work_order.h"
#include "geometry/frustum.h"

namespace flentro {

/// A place to stand, kept with the project.
struct Spot {
    std::string name;
    Viewpoint view;
};

struct Project {
    std::filesystem::path scene;  ///< Absolute; stored relative to the project file.
    Target target;
    WorkOrder order;
    std::vector<Spot> spots;
    std::set<std::string> setAside;  ///< Names of assets that are not to be shown as findings.
    Viewpoint view;                  ///< Where the artist stood last.
    Json rest;                       ///< Unknown members, kept.
};

/// Errors: NotFound, Io, InvalidInput naming file and member.
[[nodiscard]] Expected<Project> loadProject(const std::filesystem::path& path);

/// Atomic.
[[nodiscard]] Expected<void> saveProject(const Project& project, const std::filesystem::path& path);

}  // namespace flentro
