#include "instruments/light_instrument.h"

#include <QHeaderView>
#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>
#include <map>

#include "base/index.h"
#include "base/text.h"
#include "scene/zones.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr int kCells = 48;     ///< Along an edge of the ground.
constexpr double kMargin = 4;  ///< Metres around the lights.
constexpr double kPick = 12;   ///< Pixels.

QString reachText(double metres) {
    return metres == LightLine::kEndless ? QObject::tr("any") : toText(formatMetres(metres));
}

/// "12 m to 4.1 m", or one where nothing changed.
QString changeText(double before, double after) {
    return before == after ? reachText(after)
                           : QObject::tr("%1 \u2192 %2").arg(reachText(before), reachText(after));
}

QString shadowText(double metres) {
    return metres == 0 ? QObject::tr("none") : reachText(metres);
}

}  // namespace

// --- plan ---------------------------------------------------------------------------------

LightPlan::LightPlan(QWidget* parent) : QWidget(parent) {
    setMinimumHeight(150);
    setAccessibleName(tr("Plan of the lights"));
    setToolTip(
        tr("Circles: how far lights reach, dashed before. Filled points cast shadows. The "
           "ground is darker where more lights lie over each other. A click chooses a "
           "light."));
}

void LightPlan::show(const Scene& before, const Scene& after) {
    std::map<std::uint32_t, const PlacedLight*> now;
    for (const PlacedLight& light : after.placedLights)
        for (const std::uint32_t origin : light.origins) now[origin] = &light;
    lights_.clear();
    QRectF all;
    for (const PlacedLight& light : before.placedLights) {
        Spot spot;
        spot.at = {light.position.x(), light.position.z()};
        spot.before = light.range;
        spot.castBefore = light.castsShadow;
        const auto found = light.origins.empty() ? now.end() : now.find(light.origins.front());
        spot.isGone = found == now.end();
        if (!spot.isGone) {
            spot.after = found->second->range;
            spot.castAfter = found->second->castsShadow;
        }
        const double margin = kMargin + (std::isfinite(spot.after) ? spot.after : 0);
        all |= QRectF(spot.at.x() - margin, spot.at.y() - margin, 2 * margin, 2 * margin);
        lights_.push_back(spot);
    }
    ground_ = all;
    countOverlap();
    update();
}

void LightPlan::choose(int light) {
    chosen_ = light;
    update();
}

void LightPlan::resizeEvent(QResizeEvent*) {
    update();
}

QPointF LightPlan::toScreen(const QPointF& metres) const {
    const double scale = std::min(width() / std::max(1.0, ground_.width()),
                                  height() / std::max(1.0, ground_.height()));
    return {width() / 2.0 + (metres.x() - ground_.center().x()) * scale,
            height() / 2.0 + (metres.y() - ground_.center().y()) * scale};
}

int LightPlan::overlapAt(const QPointF& metres, double Spot::*reach) const {
    int count = 0;
    for (const Spot& light : lights_) {
        const QPointF by = light.at - metres;
        count += std::hypot(by.x(), by.y()) < light.*reach;
    }
    return count;
}

void LightPlan::countOverlap() {
    overlap_.assign(std::size_t{kCells} * kCells, 0);
    mostBefore_ = mostAfter_ = 0;
    for (int row = 0; row < kCells; ++row)
        for (int column = 0; column < kCells; ++column) {
            const QPointF at(ground_.x() + (column + 0.5) / kCells * ground_.width(),
                             ground_.y() + (row + 0.5) / kCells * ground_.height());
            int& count = elementOf(overlap_, kCells * row + column);
            count = overlapAt(at, &Spot::after);
            mostAfter_ = std::max(mostAfter_, count);
            mostBefore_ = std::max(mostBefore_, overlapAt(at, &Spot::before));
        }
}

/// Steps of grey by the number of lights.
void LightPlan::paintOverlap(QPainter& painter) const {
    if (mostAfter_ == 0) return;
    painter.setPen(Qt::NoPen);
    const QPointF first = toScreen(ground_.topLeft());
    const QPointF last = toScreen(ground_.bottomRight());
    const double w = (last.x() - first.x()) / kCells;
    const double h = (last.y() - first.y()) / kCells;
    for (int row = 0; row < kCells; ++row)
        for (int column = 0; column < kCells; ++column) {
            const int count = elementOf(overlap_, kCells * row + column);
            if (count == 0) continue;
            QColor shade = theme().near;
            shade.setAlpha(20 + 110 * count / mostAfter_);
            painter.fillRect(QRectF(first.x() + column * w, first.y() + row * h, w + 0.5, h + 0.5),
                             shade);
        }
}

void LightPlan::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), theme().paper);
    painter.setPen(theme().hairline);
    painter.drawRect(rect().adjusted(0, 0, -1, -1));
    if (lights_.empty()) return;
    painter.setClipRect(rect().adjusted(1, 1, -1, -1));
    paintOverlap(painter);
    painter.setRenderHint(QPainter::Antialiasing);
    const double scale = toScreen({1, 0}).x() - toScreen({0, 0}).x();
    for (std::size_t i = 0; i < lights_.size(); ++i) {
        const Spot& light = lights_[i];
        const QPointF at = toScreen(light.at);
        const bool isChosen = static_cast<int>(i) == chosen_;
        painter.setBrush(Qt::NoBrush);
        const bool changes = light.before != light.after;
        if ((changes || isChosen) && std::isfinite(light.before)) {
            painter.setPen(QPen(isChosen ? theme().ink : theme().hairline, 1, Qt::DashLine));
            painter.drawEllipse(at, light.before * scale, light.before * scale);
        }
        if (!light.isGone && std::isfinite(light.after)) {
            painter.setPen(QPen(isChosen ? theme().ink : theme().faint, isChosen ? 2 : 0.8));
            painter.drawEllipse(at, light.after * scale, light.after * scale);
        }
        const double r = isChosen ? 5 : 3;
        if (light.isGone) {
            painter.setPen(QPen(theme().over, 1.5));
            painter.drawLine(at - QPointF(r, r), at + QPointF(r, r));
            painter.drawLine(at - QPointF(r, -r), at + QPointF(r, -r));
            continue;
        }
        painter.setPen(QPen(light.castBefore && !light.castAfter ? theme().over : theme().ink, 1));
        painter.setBrush(light.castAfter ? QBrush(theme().ink) : QBrush(theme().paper));
        painter.drawEllipse(at, r, r);
    }
}

void LightPlan::mousePressEvent(QMouseEvent* event) {
    int nearest = -1;
    double least = kPick;
    for (std::size_t i = 0; i < lights_.size(); ++i) {
        const QPointF by = toScreen(lights_[i].at) - event->position();
        const double away = std::hypot(by.x(), by.y());
        if (away >= least) continue;
        least = away;
        nearest = static_cast<int>(i);
    }
    choose(nearest);
    emit lightChosen(nearest);
}

// --- instrument ---------------------------------------------------------------------------

LightInstrument::LightInstrument(Document& document, const FixKind& kind, QWidget* parent)
    : FixInstrumentBase(document, parent),
      kind_(kind),
      form_(new FixForm(document, kind)),
      reading_(makeFaint("")),
      plan_(new LightPlan),
      table_(makeTable(
          {tr("Light"), tr("Reach"), tr("Lit until"), tr("Shadow until"), tr("Seen change")})),
      notes_(makeFaint("")) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    layout->addWidget(form_);
    layout->addWidget(plan_, 3);
    layout->addWidget(reading_);
    table_->setAccessibleName(tr("Lights that change"));
    table_->setMinimumHeight(60);
    layout->addWidget(table_, 2);
    notes_->setWordWrap(true);
    layout->addWidget(notes_);
    connect(table_, &QTableWidget::itemSelectionChanged, this, &LightInstrument::chooseLight);
    connect(plan_, &LightPlan::lightChosen, this, [this](int light) {
        for (int row = 0; row < table_->rowCount(); ++row)
            if (table_->item(row, 0)->data(Qt::UserRole).toInt() == light) table_->selectRow(row);
    });
}

void LightInstrument::refresh() {
    const Fix* fix = document_.project().order.find(fix_);
    if (!fix || &fix->settings.kind() != &kind_) return;
    form_->show(*fix);
    const Evaluator::Done done = document_.evaluator().doneBy(fix_);
    const auto* report = done ? done.record->reportAs<LightReport>() : nullptr;
    const QSignalBlocker quiet(table_);
    table_->setRowCount(report ? static_cast<int>(report->lights.size()) : 0);
    notes_->setText("");
    reading_->setText("");
    if (!report) return;
    plan_->show(*done.before, *done.after);
    reading_->setText(tr("Over one place of the ground: up to %1 before, %2 after")
                          .arg(toCounted(plan_->mostBefore(), "light"))
                          .arg(plan_->mostAfter()));
    const bool isMeasured = document_.survey().evidence()->lights != nullptr;
    for (int row = 0; row < table_->rowCount(); ++row) {
        const LightLine& line = elementOf(report->lights, row);
        setCell(table_, row, 0, toText(line.name), false);
        table_->item(row, 0)->setData(Qt::UserRole, static_cast<int>(line.light));
        const bool isGone = line.endAfter == 0;
        setCell(table_, row, 1,
                isGone ? tr("gone") : changeText(line.rangeBefore, line.rangeAfter));
        setCell(table_, row, 2, isGone ? QString("-") : reachText(line.endAfter));
        setCell(table_, row, 3,
                line.shadowBefore == line.shadowAfter
                    ? shadowText(line.shadowAfter)
                    : tr("%1 \u2192 %2")
                          .arg(shadowText(line.shadowBefore), shadowText(line.shadowAfter)));
        setCell(table_, row, 4,
                isMeasured ? toText(formatShare(line.worstChange)) : tr("not measured"));
    }
    QStringList notes;
    for (const std::string& note : done.record->notes) notes << toText(note) + ".";
    notes_->setText(notes.join("\n"));
}

void LightInstrument::chooseLight() {
    const int row = table_->currentRow();
    plan_->choose(
        row < 0 || !table_->item(row, 0) ? -1 : table_->item(row, 0)->data(Qt::UserRole).toInt());
}

}  // namespace flentro::app
