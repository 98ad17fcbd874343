#include "view/renderer.h"

#include <Eigen/LU>
#include <algorithm>
#include <map>

#include "base/index.h"
#include "scene/texture_use.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

/// Triangles between two looks at the clock: 10 to 20 ms on a software renderer.
constexpr GLsizei kSliceTriangles = 12'000;

/// Alpha below which a transparent surface leaves no trace.
constexpr float kInvisible = 1.0F / 255;

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
    gl_->glGenBuffers(1, &instanceBuffer_);
}

void Renderer::release() {
    if (instanceBuffer_) gl_->glDeleteBuffers(1, &instanceBuffer_);
    back_.reset();
    front_.reset();
}

QOpenGLShaderProgram& Renderer::program() {
    return gpu_->program(lensOf(frame_.lens));
}

void Renderer::collectBatches() {
    batches_.clear();
    const Scene& scene = *frame_.scene;
    const std::vector<DrawnObject> visible =
        selectDrawn(scene, frame_.target, frame_.view, &shown_, frame_.off.objects);
    const Lens& lens = lensOf(frame_.lens);
    const std::vector<QColor> tints = lens.tints
                                          ? lens.tints({scene, visible, frame_.seen})
                                          : std::vector<QColor>(visible.size(), QColor(Qt::white));
    std::map<std::pair<const Mesh*, bool>, std::size_t> known;
    for (std::size_t i = 0; i < visible.size(); ++i) {
        const DrawnObject& drawn = visible[i];
        const Object& object = scene.objects[drawn.object];
        MeshPtr mesh = scene.asset(object).level(drawn.level);
        if (frame_.coarse)
            if (MeshPtr light = gpu_->standIn(mesh)) mesh = light;
        const bool mirrored = object.world.topLeftCorner<3, 3>().determinant() < 0;
        const auto [at, isNew] = known.try_emplace({mesh.get(), mirrored}, batches_.size());
        if (isNew) batches_.push_back({mesh, {}, mirrored});
        Instance instance{};
        Eigen::Map<Eigen::Matrix4f>(instance.model) = object.world.cast<float>();
        const Vec3f tint = toVector(tints[i]);
        std::copy_n(tint.data(), 3, instance.tint);
        instance.tint[3] = visibleShare(object.culling, drawn.distance);
        batches_[at->second].instances.push_back(instance);
    }
}

bool Renderer::isBlended(const Part& part) const {
    return part.material >= 0 &&
           elementOf(frame_.scene->materials, part.material).alphaMode == AlphaMode::Blend;
}

/// Transparent parts come last, the farthest first, one copy at a time.
void Renderer::sortBlended() {
    const auto isOpaque = [&](const Slice& slice) {
        return !isBlended(batches_[slice.batch].mesh->parts[slice.part]);
    };
    const auto first = std::stable_partition(slices_.begin(), slices_.end(), isOpaque);
    std::vector<std::pair<float, Slice>> sorted;
    for (auto at = first; at != slices_.end(); ++at)
        for (int i = 0; i < at->instances; ++i) {
            const Instance& copy = elementOf(batches_[at->batch].instances, at->firstInstance + i);
            const Box& bounds = batches_[at->batch].mesh->bounds;
            Vec3f centre = Vec3f::Zero();
            if (!bounds.isEmpty()) centre = bounds.center().cast<float>();
            const Eigen::Map<const Eigen::Matrix4f> model(copy.model);
            const Vec3f world = model.topLeftCorner<3, 3>() * centre + model.topRightCorner<3, 1>();
            Slice slice = *at;
            slice.firstInstance += i;
            slice.instances = 1;
            sorted.emplace_back((world - frame_.view.eye.cast<float>()).squaredNorm(), slice);
        }
    std::stable_sort(sorted.begin(), sorted.end(),
                     [](const auto& a, const auto& b) { return a.first > b.first; });
    slices_.erase(first, slices_.end());
    for (const auto& [distance, slice] : sorted) slices_.push_back(slice);
}

void Renderer::addWhole(std::size_t batch, std::size_t part, int instances, GLsizei count) {
    if (count == 0) return;
    const int together = frame_.target.instancing ? instances : 1;
    for (int i = 0; i < instances; i += together)
        slices_.push_back({batch, part, i, together, 0, count});
}

/// Draws of a bounded number of triangles each: a few instances, or a piece of a heavy mesh.
void Renderer::cutSlices() {
    slices_.clear();
    lastTriangles_ = 0;
    for (std::size_t b = 0; b < batches_.size(); ++b) {
        const Mesh& mesh = *batches_[b].mesh;
        const int instances = static_cast<int>(batches_[b].instances.size());
        for (std::size_t p = 0; p < mesh.parts.size(); ++p) {
            const auto count = static_cast<GLsizei>(mesh.parts[p].triangleCount() * 3);
            lastTriangles_ +=
                static_cast<std::size_t>(count) / 3 * static_cast<std::size_t>(instances);
            if (frame_.timed) {
                addWhole(b, p, instances, count);
                continue;
            }
            const int together = std::max(1, kSliceTriangles * 3 / std::max(1, count));
            for (int i = 0; i < instances; i += together)
                for (GLsizei from = 0; from < count; from += kSliceTriangles * 3)
                    slices_.push_back({b, p, i, std::min(together, instances - i), from,
                                       std::min(kSliceTriangles * 3, count - from)});
        }
    }
    sortBlended();
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
    collectBatches();
    for (const Batch& batch : batches_) gpu_->prepare(batch.mesh);
    cutSlices();
    next_ = 0;
    spent_ = 0;
    drawing_ = true;
    back_->bind();
    const QColor ground = lensOf(frame_.lens).addsLayers ? QColor(Qt::black) : theme().scene;
    gl_->glClearColor(ground.redF(), ground.greenF(), ground.blueF(), 1);
    gl_->glClear(GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT);
}

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
    const float height = static_cast<float>(frame_.target.height);
    p.setUniformValue("viewport",
                      QVector2D(height * static_cast<float>(projection.aspect), height));
    p.setUniformValue("picture", 0);
    p.setUniformValue("lightGrid", 1);
    p.setUniformValue("glowPicture", 2);
    gl_->glActiveTexture(GL_TEXTURE1);
    gl_->glBindTexture(GL_TEXTURE_3D, grid.texture);
    gl_->glActiveTexture(GL_TEXTURE0);
}

namespace {

/// The texture of a role, or one that names none.
TextureUse useOrNone(const Material& material, std::string_view role) {
    const TextureUse* use = useOf(material, role);
    return use ? *use : TextureUse();
}

/// Null where there is none or it is switched off.
const Image* imageOf(const Frame& frame, const TextureUse& use) {
    if (use.texture < 0) return nullptr;
    const int index = frame.scene->imageOf(use.texture);
    if (index < 0) return nullptr;
    const Image& image = elementOf(frame.scene->images, index);
    return frame.off.image(image) ? nullptr : &image;
}

}  // namespace

void Renderer::useMaterial(int index) {
    static const Material standard;
    const Scene& scene = *frame_.scene;
    const Material& material = index < 0 ? standard : elementOf(scene.materials, index);
    QOpenGLShaderProgram& p = program();
    GLuint picture = 0;
    QVector2D texels;
    const TextureUse use = useOrNone(material, "baseColorTexture");
    if (const Image* source = imageOf(frame_, use)) {
        picture = gpu_->texture(*source);
        texels = QVector2D(static_cast<float>(source->width), static_cast<float>(source->height));
    }
    const TextureUse glow = useOrNone(material, "emissiveTexture");
    const Image* glowImage = imageOf(frame_, glow);
    const GLuint glowPicture = glowImage ? gpu_->texture(*glowImage) : 0;
    gl_->glActiveTexture(GL_TEXTURE2);
    gl_->glBindTexture(GL_TEXTURE_2D, glowPicture);
    gl_->glActiveTexture(GL_TEXTURE0);
    p.setUniformValue("glowing", glowPicture != 0 ? 1 : 0);
    const Vec3f glowU = glow.transform.row(0);
    const Vec3f glowV = glow.transform.row(1);
    gl_->glUniform3fv(p.uniformLocation("glowU"), 1, glowU.data());
    gl_->glUniform3fv(p.uniformLocation("glowV"), 1, glowV.data());
    p.setUniformValue("glowSet", glow.texCoord);
    // Texels a pixel are those of the target's display, not of this window.
    const float shown =
        static_cast<float>(frame_.size.height()) / static_cast<float>(frame_.target.height);
    p.setUniformValue("texels", texels * shown);
    gl_->glBindTexture(GL_TEXTURE_2D, picture);
    p.setUniformValue("textured", picture != 0 ? 1 : 0);
    gl_->glUniform4fv(p.uniformLocation("baseColor"), 1, material.baseColor.data());
    gl_->glUniform3fv(p.uniformLocation("emissive"), 1, material.emissive.data());
    p.setUniformValue("gloss", 1 - material.roughness);
    const Vec3f lookUpU = use.transform.row(0);
    const Vec3f lookUpV = use.transform.row(1);
    gl_->glUniform3fv(p.uniformLocation("lookUpU"), 1, lookUpU.data());
    gl_->glUniform3fv(p.uniformLocation("lookUpV"), 1, lookUpV.data());
    p.setUniformValue("lookUpSet", use.texCoord);
    const bool blended = material.alphaMode == AlphaMode::Blend;
    p.setUniformValue("blended", blended ? 1 : 0);
    p.setUniformValue("cutoff", blended                                 ? kInvisible
                                : material.alphaMode == AlphaMode::Mask ? material.alphaCutoff
                                                                        : -1.0F);
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

void Renderer::drawSlice(const Slice& slice) {
    const Batch& batch = batches_[slice.batch];
    const GpuPart& part = gpu_->mesh(batch.mesh).parts[slice.part];
    useMaterial(part.material);
    gl_->glFrontFace(batch.mirrored ? GL_CW : GL_CCW);
    gl_->glBindVertexArray(part.vao);
    gl_->glBindBuffer(GL_ARRAY_BUFFER, instanceBuffer_);
    gl_->glBufferData(GL_ARRAY_BUFFER, static_cast<GLsizeiptr>(sizeof(Instance)) * slice.instances,
                      &elementOf(batch.instances, slice.firstInstance), GL_STREAM_DRAW);
    for (GLuint i = 0; i < 5; ++i)
        gl_->glVertexAttribPointer(3 + i, 4, GL_FLOAT, GL_FALSE, sizeof(Instance),
                                   reinterpret_cast<const void*>(i * 4 * sizeof(float)));
    gl_->glDrawElementsInstanced(
        GL_TRIANGLES, slice.indices, GL_UNSIGNED_INT,
        reinterpret_cast<const void*>(static_cast<std::size_t>(slice.firstIndex) *
                                      sizeof(std::uint32_t)),
        slice.instances);
}

bool Renderer::advance(double milliseconds) {
    if (!drawing_) return true;
    QElapsedTimer clock;
    clock.start();
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
    setUniforms();
    if (frame_.timed) {
        const bool ready = std::all_of(batches_.begin(), batches_.end(), [&](const Batch& batch) {
            return gpu_->isReady(batch.mesh);
        });
        if (!ready) return false;
        drawTimed();
    }
    GLsizei unfinished = 0;
    while (next_ < slices_.size()) {
        const Slice& slice = slices_[next_];
        if (!gpu_->isReady(batches_[slice.batch].mesh)) break;
        ++next_;
        drawSlice(slice);
        unfinished += slice.indices / 3 * slice.instances;
        if (unfinished >= kSliceTriangles) {
            gl_->glFinish();
            unfinished = 0;
        }
        if (static_cast<double>(clock.nsecsElapsed()) * 1e-6 > milliseconds) break;
    }
    gl_->glFinish();
    gl_->glBindVertexArray(0);
    gl_->glDepthMask(GL_TRUE);
    gl_->glDisable(GL_CULL_FACE);
    gl_->glDisable(GL_BLEND);
    gl_->glFrontFace(GL_CCW);
    spent_ += static_cast<double>(clock.nsecsElapsed()) * 1e-6;
    if (next_ == slices_.size()) finish();
    return !drawing_;
}

/// All at once, between two looks at the clocks of both sides.
void Renderer::drawTimed() {
    for (const Batch& batch : batches_) (void)gpu_->mesh(batch.mesh);
    gl_->glFinish();
    GLuint query = 0;
    gl_->glGenQueries(1, &query);
    QElapsedTimer clock;
    clock.start();
    gl_->glBeginQuery(GL_TIME_ELAPSED, query);
    for (; next_ < slices_.size(); ++next_) drawSlice(slices_[next_]);
    gl_->glEndQuery(GL_TIME_ELAPSED);
    lastTimes_.cpu = static_cast<double>(clock.nsecsElapsed()) * 1e-6;
    gl_->glFinish();
    lastTimes_.frame = static_cast<double>(clock.nsecsElapsed()) * 1e-6;
    GLuint64 nanoseconds = 0;
    gl_->glGetQueryObjectui64v(query, GL_QUERY_RESULT, &nanoseconds);
    lastTimes_.gpu = static_cast<double>(nanoseconds) * 1e-6;
    gl_->glDeleteQueries(1, &query);
}

void Renderer::finish() {
    drawing_ = false;
    lastDuration_ = spent_;
    front_.swap(back_);
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
