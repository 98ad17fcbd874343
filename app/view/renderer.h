// Draws one picture of one scene, a slice at a time, so that the interface never waits for it.

#pragma once

#include <QElapsedTimer>
#include <QOpenGLFramebufferObject>
#include <optional>

#include "view/gpu_scene.h"
#include "view/lens.h"

namespace flentro::app {

/// What to draw.
struct Frame {
    ScenePtr scene;
    SceneState state = SceneState::Original;  ///< Whose lights shine.
    Target target;
    Viewpoint view;
    LensKind lens = LensKind::Shaded;
    std::vector<SeenState> seen;  ///< For the lens of what is seen.
    Without off;                  ///< Switched off: not drawn.
    QSize size;                   ///< Pixels.
    bool coarse = false;          ///< While moving: half the pixels, stand-ins for heavy meshes.
    int samples = 0;              ///< Multisampling.
    /// Draws each part of all copies in one call, or each copy in one on targets without
    /// instancing, and times it: for the stress yard. Waits for nothing in between.
    bool timed = false;
};

class Renderer {
public:
    void initialise(Gl* gl, GpuScene* gpu);
    void release();

    /// Starts a picture; the one before stays readable until this one is finished.
    void begin(const Frame& frame);

    /// Draws until `milliseconds` have passed. True when the picture is finished.
    bool advance(double milliseconds);

    [[nodiscard]] bool isDrawing() const { return drawing_; }
    [[nodiscard]] bool hasPicture() const { return front_ != nullptr; }

    /// Copies the finished picture into the bound framebuffer, columns [from, to) of `size`.
    void present(GLuint target, const QSize& size, int from, int to);

    /// Milliseconds that the last finished picture took, waiting included.
    [[nodiscard]] double lastDuration() const { return lastDuration_; }
    [[nodiscard]] std::size_t lastTriangles() const { return lastTriangles_; }
    /// Of the last timed picture, milliseconds.
    struct Times {
        double frame = 0;  ///< Until all was drawn.
        double gpu = 0;    ///< By the renderer's own timer.
        double cpu = 0;    ///< Until all was handed over.
    };
    [[nodiscard]] const Times& lastTimes() const { return lastTimes_; }
    /// The finished picture, copied.
    [[nodiscard]] QImage picture() const { return front_ ? front_->toImage() : QImage(); }

private:
    struct Instance {
        float model[16];
        float tint[4];
    };
    struct Batch {
        MeshPtr mesh;
        std::vector<Instance> instances;
        bool mirrored = false;
    };
    struct Slice {
        std::size_t batch;
        std::size_t part;
        int firstInstance;
        int instances;
        GLsizei firstIndex;
        GLsizei indices;
    };

    void collectBatches();
    void cutSlices();
    void sortBlended();
    [[nodiscard]] bool isBlended(const Part& part) const;
    void addWhole(std::size_t batch, std::size_t part, int instances, GLsizei count);
    void drawTimed();
    void drawSlice(const Slice& slice);
    void useMaterial(int index);
    void setUniforms();
    [[nodiscard]] QOpenGLShaderProgram& program();
    void finish();

    Gl* gl_ = nullptr;
    GpuScene* gpu_ = nullptr;
    std::unique_ptr<QOpenGLFramebufferObject> back_;
    std::unique_ptr<QOpenGLFramebufferObject> front_;
    GLuint instanceBuffer_ = 0;
    Frame frame_;
    std::vector<std::uint8_t> shown_;  ///< [objects] Levels, for hysteresis.
    std::vector<Batch> batches_;
    std::vector<Slice> slices_;
    std::size_t next_ = 0;
    bool drawing_ = false;
    double spent_ = 0;
    double lastDuration_ = 0;
    std::size_t lastTriangles_ = 0;
    Times lastTimes_;
};

}  // namespace flentro::app
