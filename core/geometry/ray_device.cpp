#include "geometry/ray_device.h"

namespace flentro {

RTCDevice rayDevice() {
    static const RTCDevice shared = rtcNewDevice(nullptr);
    return shared;
}

Expected<void> commitScene(RTCScene scene, const Progress& progress) {
    const auto goesOn = [](void* asked, double) {
        return !static_cast<const Progress*>(asked)->cancelled();
    };
    rtcSetSceneProgressMonitorFunction(scene, goesOn, const_cast<Progress*>(&progress));
    rtcCommitScene(scene);
    rtcSetSceneProgressMonitorFunction(scene, nullptr, nullptr);
    if (progress.cancelled()) return stopped("Preparing rays");
    return {};
}

}  // namespace flentro
