#include "instruments/level_looks.h"

#include <QPainter>
#include <QSignalBlocker>
#include <cmath>

#include "base/text.h"
#include "instruments/ladder_plot.h"
#include "measure/viewcost.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr int kSteps = 1000;         ///< Of a slider.
constexpr double kMin = 4;           ///< Triangles.
constexpr double kBeyondLast = 1.5;  ///< The walk turns at this multiple of the last switch.
constexpr double kWalkSeconds = 5;   ///< Away, and as long back.
constexpr int kStepMilliseconds = 40;
constexpr int kCaption = 20;  ///< Pixels.

double fromSlider(int value, double low, double high) {
    return low * std::pow(high / low, static_cast<double>(value) / kSteps);
}

int toSlider(double value, double low, double high) {
    if (!(high > low) || !(value > 0)) return 0;
    return static_cast<int>(std::lround(kSteps * std::log(value / low) / std::log(high / low)));
}

QImage toImage(const Picture& picture) {
    const std::vector<std::uint8_t> bytes = toBytes(picture);
    return QImage(bytes.data(), picture.width, picture.height, 4 * picture.width,
                  QImage::Format_RGBA8888)
        .copy();
}

}  // namespace

// --- stills -------------------------------------------------------------------------------

StillPair::StillPair(QWidget* parent) : QWidget(parent) {
    setAccessibleName(tr("Original and level"));
    setMinimumHeight(120);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
}

void StillPair::show(const QImage& original, const QString& left, const QImage& level,
                     const QString& right) {
    original_ = original;
    level_ = level;
    left_ = left;
    right_ = right;
    update();
}

int StillPair::pictureEdge() const {
    return std::max(16, std::min(width() / 2 - 6, height() - kCaption - 4));
}

void StillPair::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const int half = width() / 2 - 3;
    paintStill(painter, {0, 0, half, height()}, original_, left_);
    paintStill(painter, {width() - half, 0, half, height()}, level_, right_);
}

void StillPair::paintStill(QPainter& painter, const QRect& box, const QImage& image,
                           const QString& caption) const {
    painter.fillRect(box, theme().scene);
    painter.setFont(textFont(12));
    painter.setPen(QColor(0xE8, 0xE4, 0xDA));
    painter.drawText(box.adjusted(6, 0, -6, 0).adjusted(0, box.height() - kCaption, 0, 0),
                     Qt::AlignLeft | Qt::AlignVCenter, caption);
    if (image.isNull()) return;
    const QRect room = box.adjusted(2, 2, -2, -kCaption);
    const int times =
        std::max(1, std::min(room.width() / image.width(), room.height() / image.height()));
    QRect large(QPoint(), image.size() * times);
    large.moveCenter(room.center());
    painter.drawImage(large, image);
    if (times == 1) return;
    // The true size, where the eye judges it.
    QRect small(room.topLeft() + QPoint(4, 4), image.size());
    painter.fillRect(small.adjusted(-2, -2, 2, 2), theme().scene);
    painter.drawImage(small, image);
    painter.setPen(theme().faint);
    painter.drawRect(small.adjusted(-2, -2, 1, 1));
}

void addSlider(QVBoxLayout* layout, const QString& name, QSlider* slider, QLabel* text,
               const QString& tip) {
    slider->setRange(0, kSteps);
    slider->setAccessibleName(name);
    slider->setToolTip(tip);
    text->setFont(figureFont(12));
    text->setMinimumWidth(84);
    text->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    auto* row = new QHBoxLayout;
    QLabel* label = makeFaint(name);
    label->setMinimumWidth(64);
    row->addWidget(label);
    row->addWidget(slider, 1);
    row->addWidget(text);
    layout->addLayout(row);
}

// --- panel --------------------------------------------------------------------------------

LevelLooks::LevelLooks(QWidget* parent)
    : QWidget(parent),
      stills_(new StillPair),
      levels_(new QComboBox),
      distance_(new QSlider(Qt::Horizontal)),
      distanceText_(new QLabel),
      triangles_(new QSlider(Qt::Horizontal)),
      trianglesText_(new QLabel),
      reading_(makeFaint("")),
      walkButton_(new QPushButton(tr("Walk away"))) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(5);
    buildHead(layout);
    layout->addWidget(stills_, 1);
    addSlider(layout, tr("Distance"), distance_, distanceText_,
              tr("From the nearest point of its bounds, at scale 1. Shows the level that is drawn "
                 "there."));
    addSlider(layout, tr("Triangles"), triangles_, trianglesText_,
              tr("Any count, reduced from the original, whatever the levels are."));
    reading_->setWordWrap(true);
    layout->addWidget(reading_);
    connectControls();
}

void LevelLooks::buildHead(QVBoxLayout* layout) {
    auto* head = new QHBoxLayout;
    levels_->setAccessibleName(tr("Level to look at"));
    levels_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    walkButton_->setCheckable(true);
    walkButton_->setToolTip(tr("Walks away from it and back, with levels as they switch in play."));
    head->addWidget(levels_, 1);
    head->addWidget(walkButton_);
    auto* yard = new QPushButton(tr("Stress yard"));
    yard->setToolTip(
        tr("Draws many copies of this asset in each of its levels and measures them."));
    connect(yard, &QPushButton::clicked, this, &LevelLooks::yardRequested);
    head->addWidget(yard);
    layout->addLayout(head);
}

void LevelLooks::connectControls() {
    connect(levels_, &QComboBox::activated, this, &LevelLooks::standAtSwitch);
    connect(distance_, &QSlider::valueChanged, this,
            [this](int value) { setDistance(fromSlider(value, nearest(), farthest())); });
    connect(triangles_, &QSlider::valueChanged, this, [this](int value) {
        const auto most =
            static_cast<double>(before_ ? before_->assets[index_].mesh->triangles : 1);
        setTriangles(static_cast<std::size_t>(std::lround(fromSlider(value, kMin, most))));
    });
    walk_.setInterval(kStepMilliseconds);
    connect(&walk_, &QTimer::timeout, this, &LevelLooks::stepWalk);
    connect(walkButton_, &QPushButton::toggled, this, [this](bool on) {
        if (!on) return walk_.stop();
        walkClock_.start();
        walk_.start();
    });
}

/// True if a picture for this target would be the same.
bool LevelLooks::isAsSeenBy(const Target& target) const {
    return pixelsPerMetreAtOne(target) == pixelsPerMetreAtOne(target_) &&
           target.farPlane == target_.farPlane;
}

double LevelLooks::nearest() const {
    return nearestShown(asset().ladder);
}

double LevelLooks::farthest() const {
    return std::max(target_.farPlane, 2 * nearest());
}

void LevelLooks::setAsset(ScenePtr before, ScenePtr after, std::size_t asset,
                          const Target& target) {
    if (before == before_ && after == after_ && asset == index_ && isAsSeenBy(target)) return;
    before_ = std::move(before);
    after_ = std::move(after);
    index_ = asset;
    target_ = target;
    preview_ = nullptr;
    fillLevels();
    standAtSwitch(1);
}

void LevelLooks::clear() {
    walkButton_->setChecked(false);
    before_ = after_ = nullptr;
    preview_ = nullptr;
    levels_->clear();
    reading_->setText({});
    stills_->show({}, {}, {}, {});
}

void LevelLooks::fillLevels() {
    levels_->clear();
    const auto& levels = asset().ladder.levels;
    levels_->addItem(tr("LOD 0"));  // its triangles stand below its picture
    for (std::size_t i = 0; i < levels.size(); ++i)
        levels_->addItem(
            tr("LOD %1 from %2").arg(i + 1).arg(toText(formatMetres(levels[i].switchDistance))));
}

void LevelLooks::standAtSwitch(int level) {
    if (!after_) return;
    const auto& levels = asset().ladder.levels;
    const auto wanted = std::min(static_cast<std::size_t>(std::max(0, level)), levels.size());
    walkButton_->setChecked(false);
    wanted_.level = wanted;
    wanted_.distance = wanted == 0 ? nearest() : levels[wanted - 1].switchDistance;
    wanted_.allSides = true;
    request();
}

void LevelLooks::setDistance(double distance) {
    if (!after_) return;
    const Ladder& ladder = asset().ladder;
    const std::size_t shown = wanted_.level.value_or(0);
    wanted_.distance = distance;
    wanted_.level =
        walk_.isActive() ? levelAfter(ladder, 1, distance, shown) : levelAt(ladder, 1, distance);
    wanted_.allSides = false;
    request();
}

void LevelLooks::setTriangles(std::size_t triangles) {
    if (!after_) return;
    walkButton_->setChecked(false);
    wanted_.level.reset();
    wanted_.triangles = triangles;
    wanted_.allSides = false;
    request();
}

void LevelLooks::stepWalk() {
    if (!after_) return walkButton_->setChecked(false);
    if (!worker_.isIdle()) return;  // the walk waits for its pictures
    const auto& levels = asset().ladder.levels;
    const double turn =
        levels.empty() ? 10 : std::min(farthest(), kBeyondLast * levels.back().switchDistance);
    const double part = static_cast<double>(walkClock_.elapsed()) / 1000 / kWalkSeconds;
    const double away = std::max(0.0, part < 1 ? part : 2 - part);
    setDistance(nearest() * std::pow(turn / nearest(), away));
    if (part >= 2) walkButton_->setChecked(false);
}

void LevelLooks::request() {
    const QSignalBlocker quietDistance(distance_);
    const QSignalBlocker quietTriangles(triangles_);
    distance_->setValue(toSlider(wanted_.distance, nearest(), farthest()));
    distanceText_->setText(toText(formatMetres(wanted_.distance)));
    if (wanted_.level) {
        levels_->setCurrentIndex(static_cast<int>(*wanted_.level));
        wanted_.triangles = asset().level(*wanted_.level)->triangles;
    } else {
        levels_->setCurrentIndex(-1);
    }
    const auto most = static_cast<double>(before_->assets[index_].mesh->triangles);
    triangles_->setValue(toSlider(static_cast<double>(wanted_.triangles), kMin, most));
    trianglesText_->setText(toText(formatCount(static_cast<double>(wanted_.triangles))));
    stale_ = !isVisible();
    if (stale_) return;
    wanted_.maxEdge = stills_->pictureEdge();
    if (!preview_) reading_->setText(tr("Looking closely ..."));
    worker_.request([this, before = before_, after = after_, index = index_, target = target_,
                     preview = preview_, wanted = wanted_]() -> std::function<void()> {
        const auto used =
            preview ? preview : std::make_shared<LevelPreview>(before, after, index, target);
        auto shown = std::make_shared<LevelPreview::Shown>(used->show(wanted));
        return [this, after, index, used, wanted, shown] {
            if (after != after_ || index != index_) return;
            preview_ = used;
            adopt(wanted, *shown);
        };
    });
}

void LevelLooks::adopt(const LevelPreview::Wanted& wanted, const LevelPreview::Shown& shown) {
    const QString count = toText(formatCount(static_cast<double>(shown.triangles)));
    stills_->show(toImage(shown.original), tr("Original"), toImage(shown.level),
                  wanted.level ? tr("LOD %1, %2 triangles").arg(*wanted.level).arg(count)
                               : tr("%1 triangles").arg(count));
    if (!wanted.level) trianglesText_->setText(count);
    QString text = tr("Within %1 of the original: %2 px at %3. Outline differs by %4, shading by "
                      "%5%6.")
                       .arg(toText(formatMetres(shown.deviation)))
                       .arg(shown.pixels, 0, 'f', 2)
                       .arg(toText(formatMetres(wanted.distance)),
                            toText(formatShare(shown.difference.silhouette)),
                            toText(formatShare(shown.difference.shading)),
                            wanted.allSides ? tr(" at worst, from six sides") : QString());
    if (shown.shrunk > 1.01) text += tr(" Shown at 1 : %1.").arg(shown.shrunk, 0, 'f', 1);
    reading_->setText(text);
}

void LevelLooks::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    if (stale_ && after_) request();
}

void LevelLooks::hideEvent(QHideEvent* event) {
    QWidget::hideEvent(event);
    walkButton_->setChecked(false);
}

}  // namespace flentro::app
