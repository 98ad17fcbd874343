#include "view/view3d.h"

#include <QGuiApplication>
#include <QMouseEvent>
#include <QOpenGLContext>
#include <cmath>

#include "base/index.h"
#include "measure/view_meter.h"
#include "scene/origins.h"
#include "view/view_overlay.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr double kSliceMilliseconds =
    22;  ///< Drawing at once; the rest of the window is served in between.
constexpr int kBusyMilliseconds = 60;   ///< Between looks at what the background has made.
constexpr int kRestMilliseconds = 180;  ///< Stillness after which the full picture is drawn.
constexpr double kWalkSpeed = 3.0;      ///< Metres a second.
constexpr double kRunFactor = 4;
constexpr double kEyeHeight = 1.7;  ///< Metres above what was double-clicked.
constexpr double kDegreesPerPixel = 0.25;
constexpr double kSteepest = 89;  ///< Degrees of pitch.
constexpr std::size_t kHistory = 64;
constexpr int kSwipeGrip = 8;  ///< Pixels beside the swipe line that take hold of it.

QSurfaceFormat contextFormat() {
    QSurfaceFormat format;
    format.setVersion(3, 3);
    format.setProfile(QSurfaceFormat::CoreProfile);
    format.setDepthBufferSize(24);
    return format;
}

bool isWalkKey(int key) {
    static const QSet<int> keys = {Qt::Key_W,    Qt::Key_A,    Qt::Key_S,  Qt::Key_D,
                                   Qt::Key_Q,    Qt::Key_E,    Qt::Key_Up, Qt::Key_Down,
                                   Qt::Key_Left, Qt::Key_Right};
    return keys.contains(key);
}

}  // namespace

View3D::View3D(Document& document, QWidget* parent) : QOpenGLWidget(parent), document_(document) {
    setFormat(contextFormat());
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setMinimumSize(320, 240);
    setAccessibleName(tr("The scene"));
    overlay_ = new ViewOverlay(document, *this);
    restTimer_.setSingleShot(true);
    restTimer_.setInterval(kRestMilliseconds);
    connect(&restTimer_, &QTimer::timeout, this, [this] {
        moving_ = false;
        requestFrame();
    });
    drawTimer_.setSingleShot(true);
    connect(&drawTimer_, &QTimer::timeout, this, &View3D::drawOn);
    walkTimer_.setInterval(16);
    connect(&walkTimer_, &QTimer::timeout, this, &View3D::walkStep);
    connect(&document, &Document::sceneChanged, this, [this] {
        history_.clear();
        eyeLight_ = EyeLight::Auto;
        requestFrame();
    });
    connect(&document.evaluator(), &Evaluator::changed, this, [this] {
        endPreview();
        requestFrame();
    });
    connect(&document.selection(), &Selection::changed, this, [this] {
        if (document_.selection().markedFix() != previewFix_) endPreview();
    });
    connect(&document.projectModel(), &ProjectModel::changed, this, &View3D::requestFrame);
    connect(&document.projectModel(), &ProjectModel::viewChanged, this, &View3D::requestFrame);
    connect(&document.selection(), &Selection::offChanged, this, &View3D::requestFrame);
    connect(&document.survey(), &SurveyModel::changed, this, [this] {
        if (lens_ == LensKind::Seen) requestFrame();
    });
}

/// The base class destroys the context, which would call back into what is gone by then.
View3D::~View3D() {
    if (context()) context()->disconnect(this);
    releaseGl();
}

/// Gathers the light of all lights as they are shown to the eye: without those that are switched
/// off, and of those that fade with distance what is left. Nothing is done where that is gathered
/// already.
void View3D::light(SceneState state, const ScenePtr& scene) {
    Without lights;
    lights.lights = document_.selection().without().lights;
    const Without off = without(*scene, lights);
    constexpr double kSteps = 16;  // of a fade: the light is not gathered anew for each stride
    std::vector<float> shares;
    for (std::size_t i = 0; i < scene->placedLights.size(); ++i) {
        const double share = scene->placedLights[i].fadeFor(document_.view().eye);
        shares.push_back(off.light(i) ? 0 : static_cast<float>(std::ceil(share * kSteps) / kSteps));
    }
    gpu_.setLights(state, scene, shares);
}

void View3D::releaseGl() {
    if (!context()) return;
    makeCurrent();
    before_.release();
    after_.release();
    gpu_.release();
    doneCurrent();
}

void View3D::initializeGL() {
    initializeOpenGLFunctions();
    const QByteArray card(reinterpret_cast<const char*>(glGetString(GL_RENDERER)));
    hardware_ = !card.contains("llvmpipe") && !card.contains("softpipe");
    gpu_.initialise(this);
    before_.initialise(this, &gpu_);
    after_.initialise(this, &gpu_);
    connect(context(), &QOpenGLContext::aboutToBeDestroyed, this, &View3D::releaseGl,
            Qt::UniqueConnection);
    requestFrame();
}

void View3D::resizeGL(int, int) {
    overlay_->setGeometry(rect());
    requestFrame();
}

// --- drawing ------------------------------------------------------------------------------

bool View3D::wants(Showing which) const {
    return showing_ == Showing::Swipe || showing_ == which;
}

void View3D::requestFrame() {
    wanted_ = true;
    drawTimer_.start(0);
}

void View3D::startFrames() {
    Frame frame;
    frame.target = shownTarget();
    frame.view = document_.view();
    frame.lens = lens_;
    frame.eyeLight = eyeLight_;
    frame.size = size() * devicePixelRatioF();
    frame.coarse = moving_ && !hardware_;
    frame.samples = hardware_ ? 4 : 0;
    drawingCoarse_ = frame.coarse;
    const auto begin = [&](Renderer& renderer, SceneState state, const ScenePtr& scene) {
        frame.scene = scene;
        frame.state = state;
        if (!moving_) light(state, scene);
        if (lens_ == LensKind::Seen) frame.seen = seenStates(document_, *scene);
        renderer.begin(frame);
    };
    if (wants(Showing::Original)) begin(before_, SceneState::Original, document_.source());
    const ScenePtr& result = preview_ ? preview_ : document_.result();
    frame.off = without(*result, document_.selection().without());
    if (wants(Showing::Result)) begin(after_, SceneState::Result, result);
    wanted_ = false;
}

/// A slice of drawing, outside of painting: putting the window together costs as much as a
/// slice, so that is left for finished pictures.
void View3D::drawOn() {
    if (!isValid() || !document_.hasScene()) return;
    makeCurrent();
    const bool uploaded = gpu_.uploadFinished();
    if (uploaded) wanted_ = true;
    const bool finished = !uploaded && drawSlice();
    doneCurrent();
    if (finished) {
        update();
        emit drawn();
    }
    if (uploaded || wanted_ || isDrawing())
        drawTimer_.start(0);
    else if (gpu_.isBusy())
        drawTimer_.start(kBusyMilliseconds);
}

/// True when a picture was finished by it.
bool View3D::drawSlice() {
    const bool outdated = moving_ && !drawingCoarse_;
    if (wanted_ && (!isDrawing() || outdated)) {
        startFrames();
        return false;
    }
    if (!isDrawing()) return false;
    if (before_.advance(kSliceMilliseconds)) after_.advance(kSliceMilliseconds);
    return !isDrawing();
}

void View3D::paintGL() {
    const QColor ground = theme().scene;
    glClearColor(ground.redF(), ground.greenF(), ground.blueF(), 1);
    glClear(GL_COLOR_BUFFER_BIT);
    if (!document_.hasScene()) return;
    const QSize pixels = size() * devicePixelRatioF();
    const int split = showing_ == Showing::Original ? pixels.width()
                      : showing_ == Showing::Result ? 0
                                                    : static_cast<int>(swipe_ * pixels.width());
    before_.present(defaultFramebufferObject(), pixels, 0, split);
    after_.present(defaultFramebufferObject(), pixels, split, pixels.width());
}

bool View3D::isSettled() const {
    if (!document_.hasScene()) return true;
    return !wanted_ && !moving_ && !isDrawing() && !gpu_.isBusy();
}

const Scene* View3D::shownScene() const {
    const ViewCounts& here = document_.here();
    return (showing_ == Showing::Original ? here.source : here.result).get();
}

const ViewCost& View3D::shownCost() const {
    return showing_ == Showing::Original ? document_.here().before : document_.here().after;
}

void View3D::setLens(LensKind lens) {
    lens_ = lens;
    requestFrame();
    emit lensChanged();
}

bool View3D::isLitFromEye() const {
    if (eyeLight_ != EyeLight::Auto) return eyeLight_ == EyeLight::On;
    return document_.hasScene() && document_.source()->placedLights.empty();
}

void View3D::toggleEyeLight() {
    eyeLight_ = isLitFromEye() ? EyeLight::Off : EyeLight::On;
    requestFrame();
}

void View3D::showPreview(const ScenePtr& scene, const QString& text) {
    preview_ = scene;
    previewText_ = text;
    previewFix_ = document_.selection().markedFix();
    requestFrame();
    emit showingChanged();
}

void View3D::endPreview() {
    if (!std::exchange(preview_, nullptr)) return;
    requestFrame();
    emit showingChanged();
}

void View3D::setShowing(Showing showing) {
    endPreview();
    showing_ = showing;
    requestFrame();
    emit showingChanged();
}

int View3D::swipeX() const {
    return static_cast<int>(swipe_ * width());
}

void View3D::setSwipe(double share) {
    swipe_ = std::clamp(share, 0.02, 0.98);
    overlay_->update();
    update();
}

// --- moving -------------------------------------------------------------------------------

void View3D::moved(const Viewpoint& view) {
    moving_ = true;
    restTimer_.start();
    document_.projectModel().setView(view);
}

void View3D::goTo(const Viewpoint& view) {
    history_.push_back(document_.view());
    if (history_.size() > kHistory) history_.erase(history_.begin());
    document_.projectModel().setView(view);
}

void View3D::goBack() {
    if (history_.empty()) return;
    const Viewpoint view = history_.back();
    history_.pop_back();
    document_.projectModel().setView(view);
}

/// Steps back from the selection until it fills a good part of the view.
void View3D::lookAtSelection() {
    const int index = document_.selection().object();
    if (index < 0 || !document_.hasScene()) return;
    const Box& bounds = elementOf(document_.source()->objects, index).bounds;
    if (bounds.isEmpty()) return;
    const double size = std::max(0.2, bounds.diagonal().norm());
    Viewpoint view = document_.view();
    view.pitch = -12;
    view.eye = bounds.center() - 1.25 * size * lookDirection(view.heading, view.pitch);
    goTo(view);
}

/// With the view's aspect around the target's picture.
Target View3D::shownTarget() const {
    return widened(document_.target(), static_cast<double>(width()) / std::max(1, height()));
}

double View3D::halfTangent() const {
    return std::tan(toRadians(shownTarget().verticalFov) / 2);
}

QRectF View3D::targetFrame() const {
    const Projection projection = document_.target().projection();
    const double high = height() * std::tan(toRadians(projection.verticalFov) / 2) / halfTangent();
    const double wide = high * projection.aspect;
    return {(width() - wide) / 2, (height() - high) / 2, wide, high};
}

Vec3d View3D::rayThrough(const QPointF& point) const {
    const Viewpoint& view = document_.view();
    const double tangent = halfTangent();
    const double x = (2 * point.x() / width() - 1) * tangent * width() / height();
    const double y = (1 - 2 * point.y() / height()) * tangent;
    const Vec3d local(x, y, -1);
    return (viewMatrix(view).topLeftCorner<3, 3>().transpose() * local).normalized();
}

std::optional<QPointF> View3D::project(const Vec3d& point) const {
    const Vec3d local = transformPoint(viewMatrix(document_.view()), point);
    if (local.z() > -1e-3) return std::nullopt;
    const double tangent = halfTangent();
    const double scale = height() / (2 * tangent * -local.z());
    return QPointF(width() / 2.0 + local.x() * scale, height() / 2.0 - local.y() * scale);
}

std::optional<Picked> View3D::pickAt(const QPointF& point) const {
    const Scene* scene = shownScene();
    if (!scene) return std::nullopt;
    return pick(*scene, shownCost().drawn, document_.view().eye, rayThrough(point));
}

double View3D::metresPerPixel(double depth) const {
    return 2 * depth * halfTangent() / height();
}

void View3D::mousePressEvent(QMouseEvent* event) {
    setFocus();
    last_ = event->pos();
    dragged_ = false;
    if (showing_ == Showing::Swipe && std::abs(event->pos().x() - swipeX()) <= kSwipeGrip) {
        drag_ = Drag::Swipe;
        return;
    }
    drag_ = event->button() == Qt::RightButton ? Drag::Slide : Drag::Turn;
    const auto picked = pickAt(event->position());
    constexpr double kWithoutHit = 10;
    pivot_ = picked ? picked->point
                    : Vec3d(document_.view().eye + kWithoutHit * rayThrough(event->position()));
}

void View3D::mouseMoveEvent(QMouseEvent* event) {
    const QPoint by = event->pos() - last_;
    if (drag_ == Drag::None || by.isNull()) return;
    last_ = event->pos();
    dragged_ = true;
    if (drag_ == Drag::Swipe) setSwipe(static_cast<double>(event->pos().x()) / width());
    if (drag_ == Drag::Turn) turn(by);
    if (drag_ == Drag::Slide) slide(by);
}

/// Turns the eye around the point that was under the pointer.
void View3D::turn(const QPoint& by) {
    Viewpoint view = document_.view();
    const double heading = by.x() * kDegreesPerPixel;
    const double pitch =
        std::clamp(view.pitch - by.y() * kDegreesPerPixel, -kSteepest, kSteepest) - view.pitch;
    const double h = toRadians(view.heading);
    const Eigen::Matrix3d turned =
        (Eigen::AngleAxisd(toRadians(-heading), Vec3d::UnitY()) *
         Eigen::AngleAxisd(toRadians(pitch), Vec3d(std::cos(h), 0, std::sin(h))))
            .toRotationMatrix();
    view.eye = pivot_ + turned * (view.eye - pivot_);
    view.heading = std::fmod(view.heading + heading + 360, 360);
    view.pitch += pitch;
    moved(view);
}

void View3D::slide(const QPoint& by) {
    Viewpoint view = document_.view();
    const double scale = metresPerPixel((pivot_ - view.eye).norm());
    const Mat4d m = viewMatrix(view);
    const Vec3d right = m.block<1, 3>(0, 0);
    const Vec3d up = m.block<1, 3>(1, 0);
    view.eye += scale * (-by.x() * right + by.y() * up);
    moved(view);
}

void View3D::mouseReleaseEvent(QMouseEvent* event) {
    const bool click = drag_ == Drag::Turn && !dragged_;
    drag_ = Drag::None;
    if (!click || !document_.hasScene()) return;
    const auto picked = pickAt(event->position());
    document_.selection().selectObject(picked ? static_cast<int>(originAt(*picked)) : -1);
}

/// The object of the source that shows there. Merged levels do not tell their triangles apart:
/// then it is the one whose bounds are nearest.
std::uint32_t View3D::originAt(const Picked& picked) const {
    const Scene& scene = *shownScene();
    if (picked.level == 0) return originOf(scene, picked.object, picked.triangle);
    const auto& origins = scene.objects[picked.object].origins;
    const auto apart = [&](std::uint32_t origin) {
        return document_.source()->objects[origin].bounds.squaredExteriorDistance(picked.point);
    };
    return *std::min_element(origins.begin(), origins.end(),
                             [&](std::uint32_t a, std::uint32_t b) { return apart(a) < apart(b); });
}

void View3D::mouseDoubleClickEvent(QMouseEvent* event) {
    const auto picked = pickAt(event->position());
    if (!picked) return;
    Viewpoint view = document_.view();
    view.eye = picked->point + Vec3d(0, kEyeHeight, 0);
    view.pitch = 0;
    goTo(view);
}

void View3D::wheelEvent(QWheelEvent* event) {
    const auto picked = pickAt(event->position());
    const double reach = picked ? picked->distance : 10;
    const double notches = event->angleDelta().y() / 120.0;
    Viewpoint view = document_.view();
    view.eye += rayThrough(event->position()) * reach * (1 - std::pow(0.82, notches));
    moved(view);
}

void View3D::keyPressEvent(QKeyEvent* event) {
    const bool plain = !(event->modifiers() & (Qt::ControlModifier | Qt::AltModifier));
    if (plain && isWalkKey(event->key())) {
        if (event->isAutoRepeat()) return;
        keys_.insert(event->key());
        walkClock_.start();
        walkTimer_.start();
    } else if (plain && event->key() == Qt::Key_Space) {
        setShowing(showing_ == Showing::Original ? Showing::Result : Showing::Original);
    } else if (event->key() == Qt::Key_Escape && preview_) {
        endPreview();
    } else {
        QOpenGLWidget::keyPressEvent(event);
    }
}

void View3D::keyReleaseEvent(QKeyEvent* event) {
    if (!event->isAutoRepeat()) keys_.remove(event->key());
    if (keys_.isEmpty()) walkTimer_.stop();
}

void View3D::focusOutEvent(QFocusEvent* event) {
    keys_.clear();
    walkTimer_.stop();
    QOpenGLWidget::focusOutEvent(event);
}

void View3D::walkStep() {
    constexpr double kLongestStep = 0.25;
    const double seconds = std::min(kLongestStep, static_cast<double>(walkClock_.restart()) / 1000);
    Viewpoint view = document_.view();
    const Vec3d ahead = lookDirection(view.heading, 0);
    const Vec3d right(-ahead.z(), 0, ahead.x());
    const auto held = [this](int a, int b) {
        return keys_.contains(a) || keys_.contains(b) ? 1 : 0;
    };
    const Vec3d step = (held(Qt::Key_W, Qt::Key_Up) - held(Qt::Key_S, Qt::Key_Down)) * ahead +
                       (held(Qt::Key_D, Qt::Key_Right) - held(Qt::Key_A, Qt::Key_Left)) * right +
                       (held(Qt::Key_E, Qt::Key_E) - held(Qt::Key_Q, Qt::Key_Q)) * Vec3d::UnitY();
    const bool fast = QGuiApplication::keyboardModifiers() & Qt::ShiftModifier;
    view.eye += step * seconds * kWalkSpeed * (fast ? kRunFactor : 1);
    moved(view);
}

}  // namespace flentro::app
