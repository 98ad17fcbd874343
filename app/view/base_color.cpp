#include "view/base_color.h"

#include "base/index.h"
#include "scene/texture_use.h"

namespace flentro::app {

const Image* shownImage(const Scene& scene, const Without& off, const TextureUse& use) {
    if (use.texture < 0) return nullptr;
    const int index = scene.imageOf(use.texture);
    if (index < 0) return nullptr;
    const Image& image = elementOf(scene.images, index);
    return off.image(image) ? nullptr : &image;
}

const Image* bindBaseColor(Gl& gl, GpuScene& gpu, QOpenGLShaderProgram& program, const Scene& scene,
                           const Without& off, const Material& material, float blendCutoff) {
    const TextureUse* found = useOf(material, "baseColorTexture");
    const TextureUse use = found ? *found : TextureUse();
    const Image* image = shownImage(scene, off, use);
    const GLuint picture = image ? gpu.texture(*image) : 0;
    gl.glActiveTexture(GL_TEXTURE0);
    gl.glBindTexture(GL_TEXTURE_2D, picture);
    program.setUniformValue("picture", 0);
    program.setUniformValue("textured", picture != 0 ? 1 : 0);
    gl.glUniform4fv(program.uniformLocation("baseColor"), 1, material.baseColor.data());
    const Vec3f lookUpU = use.transform.row(0);
    const Vec3f lookUpV = use.transform.row(1);
    gl.glUniform3fv(program.uniformLocation("lookUpU"), 1, lookUpU.data());
    gl.glUniform3fv(program.uniformLocation("lookUpV"), 1, lookUpV.data());
    program.setUniformValue("lookUpSet", use.texCoord);
    float cutoff = -1;
    if (material.alphaMode == AlphaMode::Blend) cutoff = blendCutoff;
    if (material.alphaMode == AlphaMode::Mask) cutoff = material.alphaCutoff;
    program.setUniformValue("cutoff", cutoff);
    return image;
}

}  // namespace flentro::app
