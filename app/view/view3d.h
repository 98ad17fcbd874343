// The scene, as seen from the present viewpoint.

#pragma once

#include <QElapsedTimer>
#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLWidget>
#include <QSet>
#include <QTimer>

#include "measure/pick.h"
#include "view/renderer.h"

namespace flentro::app {

class ViewOverlay;

enum class Showing { Result, Original, Swipe };

class View3D : public QOpenGLWidget, private Gl {
    Q_OBJECT

public:
    explicit View3D(Document& document, QWidget* parent = nullptr);
    ~View3D() override;

    [[nodiscard]] LensKind lens() const { return lens_; }
    void setLens(LensKind lens);
    [[nodiscard]] Showing showing() const { return showing_; }
    void setShowing(Showing showing);
    /// True if a lamp at the eye shines instead of the scene's lights.
    [[nodiscard]] bool isLitFromEye() const;
    void toggleEyeLight();
    [[nodiscard]] int swipeX() const;
    void setSwipe(double share);

    /// Moves there and remembers where the view was.
    void goTo(const Viewpoint& view);
    void goBack();
    void lookAtSelection();
    /// Draws a new picture soon.
    void requestFrame();

    /// True when the picture on screen is the full one of the present view.
    [[nodiscard]] bool isSettled() const;
    [[nodiscard]] double frameMilliseconds() const { return after_.lastDuration(); }
    [[nodiscard]] std::size_t frameTriangles() const { return after_.lastTriangles(); }
    [[nodiscard]] std::size_t frameShadowLights() const { return after_.shadowLights(); }
    /// The scene that shownCost() is of; null before the first count.
    [[nodiscard]] const Scene* shownScene() const;
    [[nodiscard]] const ViewCost& shownCost() const;

    /// Shows this scene instead of the result, with a line about it, until the result changes,
    /// another fix or side is shown, or Escape is pressed.
    void showPreview(const ScenePtr& scene, const QString& text);
    void endPreview();
    [[nodiscard]] bool hasPreview() const { return preview_ != nullptr; }
    [[nodiscard]] const QString& previewText() const { return previewText_; }

    /// Screen position of a world point; nothing behind the eye.
    [[nodiscard]] std::optional<QPointF> project(const Vec3d& point) const;
    /// Where the picture of the target lies in the view: all that is counted. The rest is shown
    /// beside it, dimmed.
    [[nodiscard]] QRectF targetFrame() const;

signals:
    void lensChanged();
    void showingChanged();
    void drawn();

protected:
    void initializeGL() override;
    void paintGL() override;
    void resizeGL(int width, int height) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;

private:
    enum class Drag { None, Turn, Slide, Swipe };

    void releaseGl();
    void startFrames();
    void drawOn();
    bool drawSlice();
    [[nodiscard]] bool isDrawing() const { return before_.isDrawing() || after_.isDrawing(); }
    void moved(const Viewpoint& view);
    void walkStep();
    void turn(const QPoint& by);
    void slide(const QPoint& by);
    [[nodiscard]] Vec3d rayThrough(const QPointF& point) const;
    [[nodiscard]] std::optional<Picked> pickAt(const QPointF& point) const;
    [[nodiscard]] std::uint32_t originAt(const Picked& picked) const;
    [[nodiscard]] double metresPerPixel(double depth) const;
    void light(SceneState state, const ScenePtr& scene);
    [[nodiscard]] Target shownTarget() const;
    [[nodiscard]] double halfTangent() const;
    [[nodiscard]] bool wants(Showing which) const;

    Document& document_;
    GpuScene gpu_;
    Renderer before_;
    Renderer after_;
    ViewOverlay* overlay_ = nullptr;
    LensKind lens_ = LensKind::Shaded;
    EyeLight eyeLight_ = EyeLight::Auto;
    Showing showing_ = Showing::Result;
    ScenePtr preview_;
    QString previewText_;
    int previewFix_ = 0;
    double swipe_ = 0.5;
    bool wanted_ = true;
    bool moving_ = false;
    bool drawingCoarse_ = false;
    bool hardware_ = false;
    QTimer restTimer_;
    QTimer drawTimer_;
    QTimer walkTimer_;
    QElapsedTimer walkClock_;
    QSet<int> keys_;
    Drag drag_ = Drag::None;
    bool dragged_ = false;
    QPoint last_;
    Vec3d pivot_ = Vec3d::Zero();
    std::vector<Viewpoint> history_;
};

}  // namespace flentro::app
