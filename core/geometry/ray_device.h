// The one Embree device of the process. It holds settings only; no thread count is set, since
// that would cap every other user of the thread pool.

#pragma once

#include <embree3/rtcore.h>

#include "base/error.h"
#include "base/progress.h"

namespace flentro {

[[nodiscard]] RTCDevice rayDevice();

/// Builds what was attached to a scene. Errors: Cancelled; nothing may be asked of the scene then.
[[nodiscard]] Expected<void> commitScene(RTCScene scene, const Progress& progress);

}  // namespace flentro
