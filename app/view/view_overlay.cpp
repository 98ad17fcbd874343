#include "view/view_overlay.h"

#include <QMenu>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>

#include "base/index.h"
#include "base/text.h"
#include "fixes/culling/culling.h"
#include "widgets/elements.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr int kMargin = 12;
const QColor kPaper(0xF4, 0xF1, 0xEA, 200);
constexpr int kSmallView = 320;  ///< Pixels; narrower views carry no tags.

/// A panel over the picture: paper, a hairline around it.
void paintPanel(QPainter& painter, const QRect& rect) {
    QColor ground = theme().paper;
    ground.setAlpha(225);
    painter.fillRect(rect, ground);
    painter.setPen(theme().hairline);
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(rect.adjusted(0, 0, -1, -1));
}

void paintTag(QPainter& painter, const QPoint& at, const QString& text, Qt::Alignment side) {
    const int width = painter.fontMetrics().horizontalAdvance(text) + 16;
    const int left = side == Qt::AlignRight ? at.x() - width : at.x();
    const QRect rect(left, at.y(), width, 22);
    paintPanel(painter, rect);
    painter.setPen(theme().ink);
    painter.drawText(rect, Qt::AlignCenter, text);
}

}  // namespace

ViewOverlay::ViewOverlay(Document& document, View3D& view)
    : QWidget(&view), document_(document), view_(view), lens_(new QToolButton(&view)) {
    setAttribute(Qt::WA_TransparentForMouseEvents);
    lens_->setPopupMode(QToolButton::InstantPopup);
    lens_->setAccessibleName(tr("Lens"));
    lens_->setFocusPolicy(Qt::TabFocus);
    fillLensMenu();
    const auto refresh = [this] { update(); };
    connect(&document.counter(), &ViewCounter::changed, this, refresh);
    connect(&document.selection(), &Selection::changed, this, refresh);
    connect(&document.projectModel(), &ProjectModel::viewChanged, this, refresh);
    connect(&document, &Document::sceneChanged, this, refresh);
    connect(&document.survey(), &SurveyModel::changed, this, refresh);
    connect(&document.selection(), &Selection::offChanged, this, refresh);
    connect(&document.evaluator(), &Evaluator::changed, this, refresh);
    connect(&view, &View3D::showingChanged, this, refresh);
    connect(&view, &View3D::drawn, this, refresh);
    connect(&view, &View3D::lensChanged, this, [this] {
        placeButtons();
        update();
    });
}

void ViewOverlay::fillLensMenu() {
    auto* menu = new QMenu(lens_);
    menu->setToolTipsVisible(true);
    for (const Lens& lens : lenses()) {
        // Its key is shown only: that of the menu entry works from everywhere.
        const QString keys = lensKeys(lens.kind).toString(QKeySequence::NativeText);
        QAction* action = menu->addAction(QString(lens.name) + "\t" + keys, this,
                                          [this, kind = lens.kind] { view_.setLens(kind); });
        action->setToolTip(lens.help);
    }
    lens_->setMenu(menu);
}

void ViewOverlay::placeButtons() {
    lens_->setText(tr("Lens: %1").arg(lensOf(view_.lens()).name) + "  ");
    lens_->setToolTip(lensOf(view_.lens()).help);
    lens_->adjustSize();
    lens_->move(width() - lens_->width() - kMargin, kMargin);
}

void ViewOverlay::resizeEvent(QResizeEvent*) {
    placeButtons();
}

void ViewOverlay::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setFont(textFont(12));
    const bool small = width() < kSmallView;
    lens_->setVisible(document_.hasScene() && !small);
    if (!document_.hasScene()) return paintEmpty(painter);
    if (small) return;  // as an inset it is only for looking
    paintFrame(painter);
    paintGhosts(painter);
    paintParcels(painter);
    paintSelection(painter);
    if (view_.showing() == Showing::Swipe) paintSwipe(painter);
    paintLegend(painter);
    paintPosts(painter);
    paintStarts(painter);
    paintOffBanner(painter);
    paintPreviewBanner(painter);
    paintCaption(painter);
}

void ViewOverlay::paintEmpty(QPainter& painter) {
    painter.setPen(QColor(0xE6, 0xE0, 0xD4));
    painter.setFont(textFont(15));
    painter.drawText(rect(), Qt::AlignCenter,
                     document_.jobs().isRunning()
                         ? tr("Opening the scene ...")
                         : tr("Drop a scene here, or open one with Ctrl+O."));
}

/// What the target shows, and so what is counted; the rest of the view is dimmed. Says so where
/// that is nothing.
void ViewOverlay::paintFrame(QPainter& painter) {
    const QRectF frame = view_.targetFrame();
    QPainterPath rest;
    rest.addRect(rect());
    rest.addRect(frame);
    painter.fillPath(rest, QColor(0x17, 0x1D, 0x24, 140));
    painter.setPen(QPen(QColor(0xF4, 0xF1, 0xEA, 110), 1));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(frame.adjusted(0.5, 0.5, -0.5, -0.5));
    const bool counted = document_.counter().freshness() != ViewCounter::Freshness::Nothing;
    if (!counted || at(view_.shownCost().counts, Measure::Objects) > 0) return;
    painter.setPen(QColor(0xE6, 0xE0, 0xD4));
    painter.drawText(frame, Qt::AlignCenter | Qt::TextWordWrap,
                     tr("Nothing is drawn from here within the far plane of %1 at %2.")
                         .arg(toText(document_.target().name),
                              toText(formatMetres(document_.target().farPlane))));
}

/// Surveyed spots as small posts, their state on top; near ones only.
void ViewOverlay::paintPosts(QPainter& painter) {
    const Surveyed& surveyed = document_.survey().surveyed();
    if (!surveyed.exists() || surveyed.after.empty()) return;
    constexpr double kFarthest = 45;  ///< Metres.
    const double eyeHeight = document_.project().survey.eyeHeight;
    const Vec3d& eye = document_.view().eye;
    for (std::size_t s = 0; s < surveyed.after.size(); ++s) {
        const Vec3d& head = surveyed.survey->spots[s].eye;
        const double distance = (head - eye).norm();
        if (distance > kFarthest || distance < 1) continue;
        const auto foot = view_.project(head - Vec3d(0, eyeHeight, 0));
        const auto top = view_.project(head - Vec3d(0, eyeHeight - 0.9, 0));
        if (!foot || !top || !rect().contains(top->toPoint())) continue;
        const auto& measure = document_.survey().shownMeasure();
        const std::size_t worst =
            surveyed.worstView(surveyed.after, s, measure, document_.target());
        const State state =
            stateOf(surveyed.load(surveyed.after, s, worst, measure, document_.target()));
        painter.setPen(QPen(QColor(0xF4, 0xF1, 0xEA, 170), 1.5));
        painter.drawLine(*foot, *top);
        paintStateMark(painter, *top, std::clamp(40 / distance, 2.5, 6.0), state);
    }
}

/// Where another survey may start, numbered as on the plan.
void ViewOverlay::paintStarts(QPainter& painter) {
    const std::vector<Ground> starts = document_.survey().surveyed().startsLeft();
    const double eyeHeight = document_.project().survey.eyeHeight;
    for (std::size_t i = 0; i < starts.size(); ++i) {
        const auto foot = view_.project(starts[i].eye - Vec3d(0, eyeHeight, 0));
        const auto head = view_.project(starts[i].eye);
        if (!foot || !head || !rect().contains(head->toPoint())) continue;
        painter.setPen(QPen(kPaper, 1.5));
        painter.drawLine(*foot, *head);
        paintTag(painter, head->toPoint(),
                 tr("Start %1: %2 m² not surveyed")
                     .arg(i + 1)
                     .arg(starts[i].area - starts[i].walked, 0, 'f', 0),
                 Qt::AlignLeft);
    }
}

/// Says that what is counted is not the whole scene.
void ViewOverlay::paintOffBanner(QPainter& painter) {
    const std::size_t count = document_.selection().without().count();
    if (count == 0) return;
    const QString banner =
        tr("What if: %1 things switched off. Shift+X switches all on.").arg(count);
    const QRect panel((width() - painter.fontMetrics().horizontalAdvance(banner)) / 2 - 12, 44,
                      painter.fontMetrics().horizontalAdvance(banner) + 24, 26);
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme().near);
    painter.drawRoundedRect(panel, 3, 3);
    painter.setPen(QColor(0x1E, 0x2A, 0x38));
    painter.drawText(panel, Qt::AlignCenter, banner);
}

/// The edges of the selected object's bounds, in ink over a paper halo.
void ViewOverlay::paintSelection(QPainter& painter) {
    const int index = document_.selection().object();
    if (index < 0) return;
    const Object& object = elementOf(document_.source()->objects, index);
    if (object.bounds.isEmpty()) return;
    const Box local = document_.source()->mesh(object).bounds;
    for (const auto& [color, width] :
         {std::pair(kPaper, 3.5), std::pair(QColor(0x1E, 0x2A, 0x38), 1.5)}) {
        painter.setPen(QPen(color, width));
        paintBox(painter, object.world, local);
    }
}

/// The edges of a box that are in front of the eye.
void ViewOverlay::paintBox(QPainter& painter, const Mat4d& world, const Box& box) const {
    std::optional<QPointF> corners[8];
    for (int i = 0; i < 8; ++i)
        corners[i] =
            view_.project(transformPoint(world, box.corner(static_cast<Box::CornerType>(i))));
    for (int i = 0; i < 8; ++i)
        for (int axis = 0; axis < 3; ++axis) {
            const int j = i ^ (1 << axis);
            if (j > i && corners[i] && corners[j]) painter.drawLine(*corners[i], *corners[j]);
        }
}

/// The bounds of what a merge makes one object of: the nearest, as hundreds would drown the view,
/// and the chosen parcel bold.
void ViewOverlay::paintParcels(QPainter& painter) {
    constexpr std::size_t kNearest = 16;
    const MergeReport* report = document_.evaluator().shownParcels();
    if (!report) return;
    std::vector<std::pair<double, std::size_t>> near;  // by distance
    for (std::size_t i = 0; i < report->parcels.size(); ++i)
        near.emplace_back(report->parcels[i].bounds.squaredExteriorDistance(document_.view().eye),
                          i);
    std::sort(near.begin(), near.end());
    for (std::size_t turn = 0; turn < near.size(); ++turn) {
        const std::size_t i = near[turn].second;
        const bool chosen = static_cast<int>(i) == document_.selection().parcel();
        // With the lens the objects are tinted themselves.
        if (!chosen && (turn >= kNearest || view_.lens() == LensKind::Groups)) continue;
        painter.setPen(QPen(chosen ? theme().near : parcelColor(i), chosen ? 2.5 : 1.2));
        paintBox(painter, Mat4d::Identity(), report->parcels[i].bounds);
    }
}

/// Dotted bounds of what the marked culling fix takes out of the present view.
void ViewOverlay::paintGhosts(QPainter& painter) {
    const auto* settings =
        document_.projectModel().settingsOf<CullingSettings>(document_.selection().markedFix());
    if (!settings || view_.showing() == Showing::Original) return;
    const Scene& scene = *document_.result();
    painter.setPen(QPen(kPaper, 1, Qt::DotLine));
    for (const std::uint32_t i : culledFrom(scene, document_.target(), document_.view()))
        paintBox(painter, scene.objects[i].world, scene.mesh(scene.objects[i]).bounds);
}

void ViewOverlay::paintPreviewBanner(QPainter& painter) {
    if (!view_.hasPreview()) return;
    paintTag(painter, {kMargin, kMargin + 28}, view_.previewText() + tr("   Esc: back"),
             Qt::AlignLeft);
}

void ViewOverlay::paintSwipe(QPainter& painter) {
    const int x = view_.swipeX();
    painter.setPen(QPen(QColor(0x1E, 0x2A, 0x38), 3));
    painter.drawLine(x, 0, x, height());
    painter.setPen(QPen(QColor(0xF4, 0xF1, 0xEA), 1));
    painter.drawLine(x, 0, x, height());
    painter.setBrush(QColor(0xF4, 0xF1, 0xEA));
    painter.setPen(QPen(QColor(0x1E, 0x2A, 0x38), 1.5));
    painter.drawRoundedRect(QRect(x - 7, height() / 2 - 16, 14, 32), 3, 3);
    const int y = kMargin + 40;
    paintTag(painter, {x - 8, y}, tr("Original"), Qt::AlignRight);
    paintTag(painter, {x + 8, y}, tr("Result"), Qt::AlignLeft);
}

void ViewOverlay::paintLegend(QPainter& painter) {
    const Scene* scene = view_.shownScene();
    if (!scene) return;
    const auto entries = legendFor(
        view_.lens(), *scene, view_.shownCost(),
        view_.lens() == LensKind::Seen ? seenStates(document_, *scene) : std::vector<SeenState>());
    if (entries.empty()) return;
    constexpr int kRow = 20;
    const QString title = legendTitle(view_.lens(), document_);
    int textWidth = painter.fontMetrics().horizontalAdvance(title);
    for (const LegendEntry& entry : entries)
        textWidth = std::max(textWidth, painter.fontMetrics().horizontalAdvance(entry.text) + 24);
    const int tall = kRow * (static_cast<int>(entries.size()) + 1) + 10;
    const QRect panel(kMargin, height() - tall - kMargin, textWidth + 20, tall);
    paintPanel(painter, panel);
    painter.setPen(theme().faint);
    painter.drawText(panel.adjusted(10, 6, 0, 0), Qt::AlignLeft, title);
    int y = panel.top() + 6 + kRow;
    for (const LegendEntry& entry : entries) {
        painter.fillRect(QRect(panel.left() + 10, y + 2, 14, 12), entry.color);
        painter.setPen(theme().ink);
        painter.drawText(QRect(panel.left() + 34, y - 2, textWidth, kRow), Qt::AlignVCenter,
                         entry.text);
        y += kRow;
    }
}

void ViewOverlay::paintCaption(QPainter& painter) {
    const Showing showing = view_.showing();
    const QString what = showing == Showing::Original ? tr("Original")
                         : showing == Showing::Result ? tr("Result")
                                                      : tr("Original | Result");
    QString drawn =
        tr("%1   %2 triangles drawn here in %3 ms")
            .arg(what,
                 QString::fromStdString(formatCount(static_cast<double>(view_.frameTriangles()))))
            .arg(view_.frameMilliseconds(), 0, 'f', 0);
    if (const std::size_t lights = view_.frameShadowLights(); lights > 0)
        drawn += tr(", with shadows of %1").arg(QString::fromStdString(counted(lights, "light")));
    const bool isDark = document_.source()->placedLights.empty();
    const QString lit = view_.isLitFromEye()
                            ? (isDark ? tr("lit from the eye: no lights in the scene (K)")
                                      : tr("lit from the eye (K)"))
                        : isDark ? tr("no lights in the scene (K: from the eye)")
                                 : QString();
    const QString shown = showing == Showing::Result ? drawn : what;
    const QString all = lit.isEmpty() ? shown : shown + "   " + lit;
    constexpr int kTagPadding = 16;
    const bool fits = painter.fontMetrics().horizontalAdvance(all) + kTagPadding + 2 * kMargin <
                      lens_->geometry().left();
    paintTag(painter, {kMargin, kMargin}, fits ? all : shown, Qt::AlignLeft);
    constexpr int kBelow = 26;
    if (!fits && !lit.isEmpty()) paintTag(painter, {kMargin, kMargin + kBelow}, lit, Qt::AlignLeft);
}

}  // namespace flentro::app
