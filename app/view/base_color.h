// A material's base colour and its holes, as the shaders read them.

#pragma once

#include "measure/without.h"
#include "view/gpu_scene.h"

namespace flentro::app {

/// The image that a texture shows; null where there is none or it is switched off.
[[nodiscard]] const Image* shownImage(const Scene& scene, const Without& off,
                                      const TextureUse& use);

/// Alpha below which a transparent surface leaves no trace.
inline constexpr float kInvisibleAlpha = 1.0F / 255;

/// Sets `baseColor`, `textured`, `lookUp...` and `cutoff` of a program, and the picture of unit 0.
/// `blendCutoff`: alpha below which transparent surfaces have a hole. The image that is shown, also
/// while it is still being decoded; or null.
const Image* bindBaseColor(Gl& gl, GpuScene& gpu, QOpenGLShaderProgram& program, const Scene& scene,
                           const Without& off, const Material& material, float blendCutoff);

}  // namespace flentro::app
