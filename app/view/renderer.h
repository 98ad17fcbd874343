// Draws one picture of one scene, a slice at a time, so that the interface never waits for it.

#pragma once

#include <QOpenGLFramebufferObject>
#include <optional>

#include "view/draw_list.h"
#include "view/frame.h"
#include "view/shadow_maps.h"

namespace flentro::app {

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
    /// Lights whose shadows the picture in the making shows.
    [[nodiscard]] std::size_t shadowLights() const { return shadows_.count(); }
    [[nodiscard]] const Times& lastTimes() const { return lastTimes_; }
    /// The finished picture, copied.
    [[nodiscard]] QImage picture() const { return front_ ? front_->toImage() : QImage(); }

private:
    [[nodiscard]] DrawList visible();
    [[nodiscard]] bool drawOn(const TimeSlice& time);
    void setStates();
    void drawTimed();
    void useMaterial(int index);
    void setUniforms();
    [[nodiscard]] QOpenGLShaderProgram& program();

    Gl* gl_ = nullptr;
    GpuScene* gpu_ = nullptr;
    std::unique_ptr<QOpenGLFramebufferObject> back_;
    std::unique_ptr<QOpenGLFramebufferObject> front_;
    GLuint copies_ = 0;  ///< Buffer.
    Frame frame_;
    std::vector<std::uint8_t> shown_;  ///< [objects] Levels, for hysteresis.
    DrawList list_;
    ShadowMaps shadows_;
    bool drawing_ = false;
    double spent_ = 0;
    double lastDuration_ = 0;
    std::size_t lastTriangles_ = 0;
    Times lastTimes_;
};

}  // namespace flentro::app
