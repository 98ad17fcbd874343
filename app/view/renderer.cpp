#include "view/renderer.h"

#include <algorithm>

#include "base/index.h"
#include "view/material_uniforms.h"
#include "view/shaders.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

Vec3f toVector(const QColor& color) {
    return {static_cast<float>(color.redF()), static_cast<float>(color.greenF()),
            static_cast<float>(color.blueF())};
}

/// What is left of an object inside its fade band, 1 before it.
float visibleShare(const Culling& culling, float distance) {
    const double band = culling.end - culling.fadeStart;
    if (!(band > 0) || !std::isfinite(band)) return 1;
    return static_cast<float>(
        std::clamp((culling.end - static_cast<double>(distance)) / band, 0.0, 1.0));
}

}  // namespace

void Renderer::initialise(Gl* gl, GpuScene* gpu) {
    gl_ = gl;
    gpu_ = gpu;
    gl_->glGenBuffers(1, &copies_);
    shadows_.initialise(gl, gpu);
}

void Renderer::release() {
    if (copies_) gl_->glDeleteBuffers(1, &copies_);
    shadows_.release();
    back_.reset();
    front_.reset();
}

QOpenGLShaderProgram& Renderer::program() {
    return gpu_->program(lensOf(frame_.lens));
}

DrawList Renderer::visible() {
    DrawList list;
    const Scene& scene = *frame_.scene;
    const std::vector<DrawnObject> drawn =
        selectDrawn(scene, frame_.target, frame_.view, &shown_, frame_.off.objects);
    const Lens& lens = lensOf(frame_.lens);
    const std::vector<QColor> tints = lens.tints
                                          ? lens.tints({scene, drawn, frame_.seen})
                                          : std::vector<QColor>(drawn.size(), QColor(Qt::white));
    for (std::size_t i = 0; i < drawn.size(); ++i) {
        const Object& object = scene.objects[drawn[i].object];
        MeshPtr mesh = scene.asset(object).level(drawn[i].level);
        if (frame_.coarse)
            if (MeshPtr light = gpu_->standIn(mesh)) mesh = light;
        list.add(mesh, object, toVector(tints[i]), visibleShare(object.culling, drawn[i].distance));
    }
    list.prepare(*gpu_);
    if (frame_.timed)
        list.cutWhole(frame_.target.batching != Batching::Nothing);
    else
        list.cut();
    list.sortBlended(scene.materials, frame_.view.eye.cast<float>());
    return list;
}

void Renderer::begin(const Frame& frame) {
    if (frame.scene != frame_.scene) shown_.clear();
    frame_ = frame;
    if (frame_.coarse) frame_.size = QSize(frame.size.width() / 2, frame.size.height() / 2);
    QOpenGLFramebufferObjectFormat format;
    format.setAttachment(QOpenGLFramebufferObject::CombinedDepthStencil);
    format.setSamples(frame_.coarse ? 0 : frame.samples);
    if (!back_ || back_->size() != frame_.size || back_->format().samples() != format.samples())
        back_ = std::make_unique<QOpenGLFramebufferObject>(frame_.size, format);
    list_ = visible();
    lastTriangles_ = list_.triangles();
    if (lensOf(frame_.lens).isShaded && !frame_.coarse && !frame_.timed)
        shadows_.begin(frame_);
    else
        shadows_.beginNone();
    spent_ = 0;
    drawing_ = true;
    back_->bind();
    const QColor ground = lensOf(frame_.lens).addsLayers ? QColor(Qt::black) : theme().scene;
    gl_->glClearColor(ground.redF(), ground.greenF(), ground.blueF(), 1);
    gl_->glClear(GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT);
}

namespace {

void setSuns(Gl& gl, QOpenGLShaderProgram& program, const GpuScene::Lighting& lighting) {
    program.setUniformValue("sunCount", static_cast<GLint>(lighting.suns.size()));
    Eigen::Matrix3Xf light = Eigen::Matrix3Xf::Zero(3, kMaxSuns);
    Eigen::Matrix3Xf way = light;
    for (int i = 0; i < std::min(kMaxSuns, static_cast<int>(lighting.suns.size())); ++i) {
        light.col(i) = elementOf(lighting.suns, i).light;
        way.col(i) = elementOf(lighting.suns, i).way;
    }
    gl.glUniform3fv(program.uniformLocation("sunLight"), kMaxSuns, light.data());
    gl.glUniform3fv(program.uniformLocation("sunWay"), kMaxSuns, way.data());
}

}  // namespace

void Renderer::setUniforms() {
    QOpenGLShaderProgram& p = program();
    p.bind();
    const Projection projection = frame_.target.projection();
    const Eigen::Matrix4f matrix =
        (projectionMatrix(projection) * viewMatrix(frame_.view)).cast<float>();
    gl_->glUniformMatrix4fv(p.uniformLocation("viewProjection"), 1, GL_FALSE, matrix.data());
    const auto set = [&](const char* name, const Vec3f& v) {
        gl_->glUniform3fv(p.uniformLocation(name), 1, v.data());
    };
    set("eye", frame_.view.eye.cast<float>());
    set("low", toVector(heat(0)));
    set("middle", toVector(heat(0.5)));
    set("high", toVector(heat(1)));
    set("layer", Vec3f(kLayerColor[0], kLayerColor[1], kLayerColor[2]));
    const GpuScene::Lighting& lighting = gpu_->lighting(frame_.state);
    const auto& grid = lensOf(frame_.lens).countsAllLights ? lighting.reach : lighting.glow;
    set("gridOrigin", grid.origin);
    set("gridSize", grid.size);
    p.setUniformValue("lit", grid.lit ? 1 : 0);
    const bool isFromEye = frame_.eyeLight == EyeLight::On || (frame_.eyeLight == EyeLight::Auto &&
                                                               frame_.scene->placedLights.empty());
    p.setUniformValue("fromEye", isFromEye ? 1 : 0);
    setSuns(*gl_, p, lighting);
    const float height = static_cast<float>(frame_.target.height);
    p.setUniformValue("viewport",
                      QVector2D(height * static_cast<float>(projection.aspect), height));
    p.setUniformValue("lightGrid", 1);
    gl_->glActiveTexture(GL_TEXTURE1);
    gl_->glBindTexture(GL_TEXTURE_3D, grid.texture);
    gl_->glActiveTexture(GL_TEXTURE0);
    shadows_.bind(p);
}

void Renderer::useMaterial(int index) {
    static const Material standard;
    const Scene& scene = *frame_.scene;
    const Material& material = index < 0 ? standard : elementOf(scene.materials, index);
    QOpenGLShaderProgram& p = program();
    bindTexture(*gl_, *gpu_, p, scene, frame_.off, material, kGlowTexture);
    const Image* picture =
        bindBaseColor(*gl_, *gpu_, p, scene, frame_.off, material, kInvisibleAlpha);
    // Texels a pixel are those of the target's display, not of this window.
    const float shown =
        static_cast<float>(frame_.size.height()) / static_cast<float>(frame_.target.height);
    QVector2D texels;
    if (picture)
        texels = QVector2D(static_cast<float>(picture->width), static_cast<float>(picture->height));
    p.setUniformValue("texels", texels * shown);
    gl_->glUniform3fv(p.uniformLocation("emissive"), 1, material.emissive.data());
    p.setUniformValue("gloss", 1 - material.roughness);
    const bool blended = material.alphaMode == AlphaMode::Blend;
    p.setUniformValue("blended", blended ? 1 : 0);
    gl_->glDepthMask(blended ? GL_FALSE : GL_TRUE);
    if (!lensOf(frame_.lens).addsLayers) {
        if (blended)
            gl_->glEnable(GL_BLEND);
        else
            gl_->glDisable(GL_BLEND);
    }
    if (material.doubleSided)
        gl_->glDisable(GL_CULL_FACE);
    else
        gl_->glEnable(GL_CULL_FACE);
}

bool Renderer::advance(double milliseconds) {
    if (!drawing_) return true;
    const TimeSlice time(milliseconds);
    const bool isDrawn = shadows_.advance(time) && drawOn(time);
    spent_ += time.spent();
    if (!isDrawn) return false;
    drawing_ = false;
    lastDuration_ = spent_;
    front_.swap(back_);
    return true;
}

void Renderer::setStates() {
    back_->bind();
    gl_->glViewport(0, 0, frame_.size.width(), frame_.size.height());
    gl_->glEnable(GL_DEPTH_TEST);
    gl_->glDisable(GL_BLEND);
    gl_->glBlendFuncSeparate(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA, GL_ONE, GL_ONE_MINUS_SRC_ALPHA);
    if (lensOf(frame_.lens).addsLayers) {
        gl_->glDisable(GL_DEPTH_TEST);
        gl_->glEnable(GL_BLEND);
        gl_->glBlendFunc(GL_ONE, GL_ONE);
    }
}

/// True when all is drawn.
bool Renderer::drawOn(const TimeSlice& time) {
    if (frame_.timed && !list_.isReady(*gpu_)) return false;
    setStates();
    setUniforms();
    if (frame_.timed)
        drawTimed();
    else
        list_.draw(
            *gl_, *gpu_, copies_, [this](int material) { useMaterial(material); }, time);
    gl_->glFinish();
    gl_->glDepthMask(GL_TRUE);
    gl_->glDisable(GL_CULL_FACE);
    gl_->glDisable(GL_BLEND);
    return list_.isDrawn();
}

/// All at once, between two looks at the clocks of both sides.
void Renderer::drawTimed() {
    list_.upload(*gpu_);
    gl_->glFinish();
    GLuint query = 0;
    gl_->glGenQueries(1, &query);
    QElapsedTimer clock;
    clock.start();
    gl_->glBeginQuery(GL_TIME_ELAPSED, query);
    list_.draw(
        *gl_, *gpu_, copies_, [this](int material) { useMaterial(material); },
        TimeSlice(std::numeric_limits<double>::infinity()));
    gl_->glEndQuery(GL_TIME_ELAPSED);
    lastTimes_.cpu = static_cast<double>(clock.nsecsElapsed()) * 1e-6;
    gl_->glFinish();
    lastTimes_.frame = static_cast<double>(clock.nsecsElapsed()) * 1e-6;
    GLuint64 nanoseconds = 0;
    gl_->glGetQueryObjectui64v(query, GL_QUERY_RESULT, &nanoseconds);
    lastTimes_.gpu = static_cast<double>(nanoseconds) * 1e-6;
    gl_->glDeleteQueries(1, &query);
}

void Renderer::present(GLuint target, const QSize& size, int from, int to) {
    if (!front_ || from >= to) return;
    GLuint source = front_->handle();
    const QSize picture = front_->size();
    std::unique_ptr<QOpenGLFramebufferObject> resolved;
    if (front_->format().samples() > 0) {
        resolved = std::make_unique<QOpenGLFramebufferObject>(picture);
        QOpenGLFramebufferObject::blitFramebuffer(resolved.get(), front_.get());
        source = resolved->handle();
    }
    const auto scaled = [&](int x) { return x * picture.width() / size.width(); };
    gl_->glBindFramebuffer(GL_READ_FRAMEBUFFER, source);
    gl_->glBindFramebuffer(GL_DRAW_FRAMEBUFFER, target);
    gl_->glBlitFramebuffer(scaled(from), 0, scaled(to), picture.height(), from, 0, to,
                           size.height(), GL_COLOR_BUFFER_BIT,
                           picture == size ? GL_NEAREST : GL_LINEAR);
    gl_->glBindFramebuffer(GL_FRAMEBUFFER, target);
}

}  // namespace flentro::app
