#include "widgets/reading_bar.h"

#include <QHBoxLayout>
#include <QPainter>
#include <algorithm>
#include <cmath>

#include "scene/placed_triangles.h"
#include "scene/units.h"
#include "widgets/elements.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr QSize kPicture(132, 84);

/// A triangle in the picture.
struct Face {
    std::array<QPointF, 3> corners;
    double depth = 0;  ///< Larger is nearer.
    double light = 0;  ///< Share of full brightness.
};

/// Projected from a corner above, the farthest first.
std::vector<Face> facesOf(const Scene& scene, bool turned) {
    constexpr std::size_t kSample = 20'000;
    constexpr std::size_t kMost = 6000;
    std::vector<PlacedTriangle> triangles = samplePlacedTriangles(scene, kSample);
    if (triangles.size() > kMost) {
        std::nth_element(
            triangles.begin(), triangles.begin() + kMost, triangles.end(),
            [](const PlacedTriangle& a, const PlacedTriangle& b) { return a.area > b.area; });
        triangles.resize(kMost);
    }
    Eigen::Matrix3d project =
        (Eigen::AngleAxisd(0.45, Vec3d::UnitX()) * Eigen::AngleAxisd(-0.6, Vec3d::UnitY()))
            .toRotationMatrix();
    // A scene read with Z up has been rotated to Y up: its alternative undoes that.
    if (turned) {
        Eigen::Matrix3d turn = toYUp('Z');
        if (scene.sourceUnits.up == 'Z') turn.transposeInPlace();
        project *= turn;
    }
    const Vec3d lamp(0.3, 0.75, 0.6);
    std::vector<Face> faces;
    for (const PlacedTriangle& triangle : triangles) {
        Face face;
        for (std::size_t k = 0; k < 3; ++k) {
            const Vec3d at = project * triangle.corners[k];
            face.corners[k] = {at.x(), -at.y()};
        }
        face.depth = (project * triangle.middle).z();
        face.light = std::fabs((project * triangle.normal).dot(lamp));
        faces.push_back(face);
    }
    std::sort(faces.begin(), faces.end(),
              [](const Face& a, const Face& b) { return a.depth < b.depth; });
    return faces;
}

}  // namespace

QImage drawSmall(const Scene& scene, bool turned, const QSize& size) {
    QImage image(size, QImage::Format_ARGB32_Premultiplied);
    image.fill(Qt::transparent);
    const std::vector<Face> faces = facesOf(scene, turned);
    QRectF bounds;
    for (const Face& face : faces)
        for (const QPointF& corner : face.corners)
            bounds = bounds.isNull() ? QRectF(corner, QSizeF(1e-9, 1e-9))
                                     : bounds.united(QRectF(corner, QSizeF(1e-9, 1e-9)));
    if (faces.empty()) return image;
    constexpr double kMargin = 4;
    const double scale = std::min((size.width() - 2 * kMargin) / bounds.width(),
                                  (size.height() - 2 * kMargin) / bounds.height());
    QPainter painter(&image);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.translate(size.width() / 2.0, size.height() / 2.0);
    painter.scale(scale, scale);
    painter.translate(-bounds.center());
    for (const Face& face : faces) {
        const int grey = std::clamp(static_cast<int>(70 + 160 * face.light), 0, 255);
        const QColor color(grey, grey, std::min(255, grey + 6));
        painter.setPen(QPen(color, 0));
        painter.setBrush(color);
        painter.drawConvexPolygon(face.corners.data(), 3);
    }
    return image;
}

ReadingBar::ReadingBar(Document& document, QWidget* parent)
    : QWidget(parent),
      document_(document),
      question_(new QLabel),
      axes_(new QWidget),
      asRead_(new QToolButton),
      turned_(new QToolButton),
      units_(new QWidget),
      right_(makePrimary(tr("It is right"))) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(14, 6, 14, 6);
    row->setSpacing(10);
    question_->setWordWrap(true);
    question_->setAccessibleName(tr("How the file was read"));
    row->addWidget(question_, 1);
    auto* axes = new QHBoxLayout(axes_);
    axes->setContentsMargins(0, 0, 0, 0);
    for (QToolButton* button : {asRead_, turned_}) {
        button->setToolButtonStyle(Qt::ToolButtonTextUnderIcon);
        button->setIconSize(kPicture);
        axes->addWidget(button);
    }
    row->addWidget(axes_);
    (new QVBoxLayout(units_))->setContentsMargins(0, 0, 0, 0);
    row->addWidget(units_);
    row->addWidget(right_);
    hide();
    connect(&document, &Document::sceneChanged, this, &ReadingBar::ask);
    connect(right_, &QPushButton::clicked, this, [this] {
        settled_ = asked_;
        hide();
    });
    const auto chooseUp = [this](bool isTurned) {
        const char now = document_.source()->sourceUnits.up;
        const char up = isTurned == (now == 'Y') ? 'Z' : 'Y';
        choose([up](ImportSettings& settings) { settings.up = up; }, tr("%1 up").arg(up));
    };
    connect(asRead_, &QToolButton::clicked, this, [chooseUp] { chooseUp(false); });
    connect(turned_, &QToolButton::clicked, this, [chooseUp] { chooseUp(true); });
}

void ReadingBar::choose(const std::function<void(ImportSettings&)>& change, const QString& label) {
    ImportSettings chosen = document_.project().import;
    change(chosen);
    if (chosen != document_.project().import)
        document_.projectModel().setImport(chosen, tr("Read as %1").arg(label));
}

void ReadingBar::ask() {
    if (!document_.hasScene()) return hide();
    const ScenePtr scene = document_.source();
    const SourceUnits& units = scene->sourceUnits;
    setVisible(isReadingUnclear(units) && scene != settled_);
    if (isHidden()) return;
    asked_ = scene;
    const bool asksUp = isUpUnclear(units);
    const bool asksUnit = isUnitUnclear(units);
    QStringList words;
    if (!units.doubt.empty())
        words << tr("Is this right? %1.").arg(toText(units.doubt));
    else
        words << tr("The file does not say all of how it is meant.");
    if (asksUp)
        words << tr("Taken with %1 up (%2).")
                     .arg(units.up)
                     .arg(toText(describeProbability(units.upProbability)));
    if (asksUnit && units.unitGuessed)
        words << tr("Taken in %1 (%2).")
                     .arg(toText(findUnit(units.unit)->name),
                          toText(describeProbability(units.unitProbability)));
    question_->setText(words.join(" "));
    axes_->setVisible(asksUp);
    units_->setVisible(asksUnit);
    if (asksUp) drawBoth();
    if (asksUnit) offerUnits(units);
}

/// How long the scene would be in the usual units.
void ReadingBar::offerUnits(const SourceUnits& units) {
    qDeleteAll(units_->findChildren<QPushButton*>());
    const Box box = asked_->bounds();
    const double length = box.isEmpty() ? 0 : box.sizes().maxCoeff();
    const double inFile = length / findUnit(units.unit)->metres;
    std::vector<std::string> keys = {units.unit};
    for (const char* usual : {units.secondUnit.c_str(), "m", "cm", "mm"})
        if (findUnit(usual) && std::ranges::count(keys, usual) == 0 && keys.size() < 3)
            keys.emplace_back(usual);
    for (const std::string& key : keys) {
        const LengthUnit& unit = *findUnit(key);
        auto* button = new QPushButton(
            tr("%1 long (%2)").arg(toText(formatMetres(inFile * unit.metres)), unit.name));
        connect(button, &QPushButton::clicked, this, [this, key] {
            choose([&](ImportSettings& settings) { settings.unit = key; }, findUnit(key)->name);
        });
        units_->layout()->addWidget(button);
    }
}

void ReadingBar::drawBoth() {
    const QChar now(asked_->sourceUnits.up);
    const QChar other(asked_->sourceUnits.up == 'Y' ? 'Z' : 'Y');
    asRead_->setText(tr("%1 up, as read").arg(now));
    turned_->setText(tr("%1 up").arg(other));
    for (QToolButton* button : {asRead_, turned_}) button->setIcon({});
    drawer_.request([this, scene = asked_]() -> std::function<void()> {
        const double scale = devicePixelRatioF();
        const QImage asRead = drawSmall(*scene, false, kPicture * scale);
        const QImage turned = drawSmall(*scene, true, kPicture * scale);
        return [this, scene, asRead, turned] {
            if (scene != asked_) return;
            asRead_->setIcon(QIcon(QPixmap::fromImage(asRead)));
            turned_->setIcon(QIcon(QPixmap::fromImage(turned)));
        };
    });
}

}  // namespace flentro::app
