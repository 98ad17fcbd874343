// The document: which scene, which target, which fixes, what was set aside.

#pragma once

#include <filesystem>
#include <map>
#include <set>

#include "fixes/work_order.h"
#include "geometry/frustum.h"
#include "io/import_settings.h"
#include "survey/spots.h"

namespace flentro {

/// A place to stand, kept with the project.
struct Spot {
    std::string name;
    Viewpoint view;
    Json rest = {};  ///< Unknown members, kept.
};

/// Where and how finely to survey.
struct SurveyRequest {
    enum class Where {
        Reach,  ///< Ground that can be walked to from the view and the kept spots.
        Kept,   ///< The project's own spots.
        Walk,   ///< Along the recorded walk.
        Path,   ///< Along the path of the animated `node`.
        Area,   ///< On the surfaces of `node` and those below it.
    };
    Where where = Where::Reach;
    std::string node;
    double spacing = 8;      ///< Metres.
    double eyeHeight = 1.7;  ///< Metres.
    Camera camera;           ///< Where it sits, and where it may look.
    int faceSize = 256;      ///< Rays along an edge of the cube of views; 0: drawn only.
};

struct Project {
    std::filesystem::path scene;  ///< Absolute; stored relative to the project file.
    ImportSettings import;        ///< How the scene's file is to be understood.
    Target target;
    WorkOrder order;
    std::vector<Spot> spots;
    SurveyRequest survey;
    std::vector<Viewpoint> walk;  ///< Recorded by walking, in its order.
    /// Reasons why findings are as they should be, by Finding::identity().
    std::map<std::string, std::string> findingsAside;
    std::set<std::string> setAside;  ///< Names of assets that are not to be shown as findings.
    Viewpoint view;                  ///< Where the artist stood last.
    Json rest;  ///< As it was read: unknown members are kept, also inside known ones.
};

/// Errors: NotFound, Io, InvalidInput naming file and member.
[[nodiscard]] Expected<Project> loadProject(const std::filesystem::path& path);

/// Atomic.
[[nodiscard]] Expected<void> saveProject(const Project& project, const std::filesystem::path& path);

}  // namespace flentro
