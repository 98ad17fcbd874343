// The one Embree device of the process. It holds settings only; no thread count is set, since
// that would cap every other user of the thread pool.

#pragma once

#include <embree3/rtcore.h>

namespace flentro {

[[nodiscard]] RTCDevice rayDevice();

}  // namespace flentro
