// What a picture of the view shows, and how.

#pragma once

#include <QSize>
#include <vector>

#include "budget/target.h"
#include "measure/without.h"
#include "view/gpu_scene.h"
#include "view/lens.h"

namespace flentro::app {

/// The lamp at the eye, with a dim one from above; never counted.
enum class EyeLight {
    Auto,  ///< Where the scene has no lights.
    On,    ///< Instead of the scene's lights.
    Off,
};

struct Frame {
    ScenePtr scene;
    SceneState state = SceneState::Original;  ///< Whose lights shine.
    Target target;
    Viewpoint view;
    LensKind lens = LensKind::Shaded;
    EyeLight eyeLight = EyeLight::Auto;
    std::vector<SeenState> seen;  ///< For the lens of what is seen.
    Without off;                  ///< Switched off: not drawn.
    QSize size;                   ///< Pixels.
    bool coarse = false;          ///< While moving: half the pixels, stand-ins for heavy meshes.
    int samples = 0;              ///< Multisampling.
    /// Draws each part of all copies in one call, or each copy in one on targets without
    /// instancing, and times it: for the stress yard. Waits for nothing in between.
    bool timed = false;
};

}  // namespace flentro::app
