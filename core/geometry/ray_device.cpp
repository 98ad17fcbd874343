#include "geometry/ray_device.h"

namespace flentro {

RTCDevice rayDevice() {
    static const RTCDevice shared = rtcNewDevice(nullptr);
    return shared;
}

}  // namespace flentro
