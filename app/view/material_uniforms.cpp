#include "view/material_uniforms.h"

#include "base/index.h"
#include "scene/texture_use.h"

namespace flentro::app {
namespace {

const Image* shownImage(const Scene& scene, const Without& off, const TextureUse& use) {
    if (use.texture < 0) return nullptr;
    const int index = scene.imageOf(use.texture);
    if (index < 0) return nullptr;
    const Image& image = elementOf(scene.images, index);
    return off.image(image) ? nullptr : &image;
}

}  // namespace

const Image* bindTexture(Gl& gl, GpuScene& gpu, QOpenGLShaderProgram& program, const Scene& scene,
                         const Without& off, const Material& material,
                         const TextureUniforms& uniforms) {
    const TextureUse* found = useOf(material, uniforms.role);
    const TextureUse use = found ? *found : TextureUse();
    const Image* image = shownImage(scene, off, use);
    const GLuint picture = image ? gpu.texture(*image) : 0;
    gl.glActiveTexture(GL_TEXTURE0 + uniforms.unit);
    gl.glBindTexture(GL_TEXTURE_2D, picture);
    gl.glActiveTexture(GL_TEXTURE0);
    program.setUniformValue(uniforms.sampler, static_cast<GLint>(uniforms.unit));
    program.setUniformValue(uniforms.isShown, picture != 0 ? 1 : 0);
    const Vec3f u = use.transform.row(0);
    const Vec3f v = use.transform.row(1);
    gl.glUniform3fv(program.uniformLocation(uniforms.u), 1, u.data());
    gl.glUniform3fv(program.uniformLocation(uniforms.v), 1, v.data());
    program.setUniformValue(uniforms.set, use.texCoord);
    return image;
}

const Image* bindBaseColor(Gl& gl, GpuScene& gpu, QOpenGLShaderProgram& program, const Scene& scene,
                           const Without& off, const Material& material, float blendCutoff) {
    gl.glUniform4fv(program.uniformLocation("baseColor"), 1, material.baseColor.data());
    float cutoff = -1;
    if (material.alphaMode == AlphaMode::Blend) cutoff = blendCutoff;
    if (material.alphaMode == AlphaMode::Mask) cutoff = material.alphaCutoff;
    program.setUniformValue("cutoff", cutoff);
    return bindTexture(gl, gpu, program, scene, off, material, kBaseColorTexture);
}

}  // namespace flentro::app
