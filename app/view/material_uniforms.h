// What the shaders read of a material: textures, base colour and its holes.

#pragma once

#include "measure/without.h"
#include "view/gpu_scene.h"

namespace flentro::app {

/// The uniforms of one role of textures.
struct TextureUniforms {
    const char* role;  ///< In Material::textures.
    GLenum unit;
    const char* sampler;
    const char* isShown;
    const char* u;  ///< KHR_texture_transform, for (u, v, 1).
    const char* v;
    const char* set;  ///< Of texture coordinates.
};
inline constexpr TextureUniforms kBaseColorTexture = {
    "baseColorTexture", 0, "picture", "textured", "lookUpU", "lookUpV", "lookUpSet"};
inline constexpr TextureUniforms kGlowTexture = {
    "emissiveTexture", 2, "glowPicture", "glowing", "glowU", "glowV", "glowSet"};

/// Sets them, and the picture of their unit; images that are switched off are not shown. The image,
/// also while it is still being decoded; null: there is none to show.
const Image* bindTexture(Gl& gl, GpuScene& gpu, QOpenGLShaderProgram& program, const Scene& scene,
                         const Without& off, const Material& material,
                         const TextureUniforms& uniforms);

/// Alpha below which a transparent surface leaves no trace.
inline constexpr float kInvisibleAlpha = 1.0F / 255;

/// Sets the base colour, its texture, and `cutoff`. `blendCutoff`: alpha below which transparent
/// surfaces have a hole. The image as bindTexture().
const Image* bindBaseColor(Gl& gl, GpuScene& gpu, QOpenGLShaderProgram& program, const Scene& scene,
                           const Without& off, const Material& material, float blendCutoff);

}  // namespace flentro::app
