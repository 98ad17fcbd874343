#include "instruments/culling_instrument.h"

#include <QGridLayout>
#include <QStackedWidget>
#include <cmath>

#include "base/index.h"
#include "base/text.h"
#include "fixes/culling/culling.h"
#include "survey/analysis.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr double kGrip = 9;
constexpr double kSmallest = 0.05;  ///< Metres at the left end of the axis.

}  // namespace

// --- plot ---------------------------------------------------------------------------------

CullingPlot::CullingPlot(QWidget* parent) : Plot(parent) {
    setAccessibleName(tr("Culling distances"));
    useLogScale(xAxis);
    useLogScale(yAxis);
    kept_ = addGraph();
    lost_ = addGraph();
    grips_ = addGraph();
    xAxis->setNumberFormat("g");
    xAxis->setNumberPrecision(5);
    for (QCPGraph* graph : {kept_, lost_, grips_}) graph->setLineStyle(QCPGraph::lsNone);
    setAxes(tr("size of the object, m"), tr("distance from here, m"));
    CullingPlot::restyle();
}

void CullingPlot::restyle() {
    Plot::restyle();
    if (!grips_) return;
    kept_->setScatterStyle(
        QCPScatterStyle(QCPScatterStyle::ssCircle, theme().within, Qt::NoBrush, 4));
    lost_->setScatterStyle(
        QCPScatterStyle(QCPScatterStyle::ssDiamond, theme().over, theme().over, 4.5));
    grips_->setScatterStyle(
        QCPScatterStyle(QCPScatterStyle::ssCircle, QPen(theme().ink, 1.5), theme().paper, 11));
    redraw();
}

void CullingPlot::show(const Scene& scene, const std::vector<double>& sizes, const Target& target,
                       const CullingSettings& settings, const Vec3d& eye) {
    target_ = target;
    settings_ = settings;
    dragging_ = false;
    dots_.clear();
    largest_ = 1;
    for (std::size_t i = 0; i < scene.objects.size(); ++i) {
        const Object& object = scene.objects[i];
        if (object.bounds.isEmpty()) continue;
        dots_.push_back({std::max(kSmallest, sizes[i]),
                         std::max(0.5, distanceTo(object.bounds, eye)), object.culling.end});
        largest_ = std::max(largest_, dots_.back().size);
    }
    farthest_ = target.farPlane * 1.3;
    redraw();
}

/// Where a class shows its handle: the middle of its span on the log axis.
double CullingPlot::middleOf(std::size_t index) const {
    const double low = index == 0 ? kSmallest : settings_.classes[index - 1].largest;
    const double high = std::min(settings_.classes[index].largest, largest_ * 1.5);
    return std::sqrt(low * std::max(high, low * 1.1));
}

QPointF CullingPlot::classPixel(std::size_t index) const {
    const double size = middleOf(index);
    return {xAxis->coordToPixel(size),
            yAxis->coordToPixel(cullingDistance(settings_, target_, size))};
}

int CullingPlot::handleAt(const QPointF& pixel) const {
    for (std::size_t i = 0; i < settings_.classes.size(); ++i)
        if ((classPixel(i) - pixel).manhattanLength() <= 2 * kGrip) return static_cast<int>(i);
    return -1;
}

void CullingPlot::moveClass(std::size_t index, double distance) {
    constexpr double kMaxPixels = 500;
    const double pixels = middleOf(index) * pixelsPerMetreAtOne(target_) / std::max(distance, 0.1);
    const bool never = distance >= farthestDrawn(settings_, target_);
    dragging_ = true;
    settings_.classes[index].pixels =
        never ? 0 : std::min(std::round(pixels * 10) / 10, kMaxPixels);
    redraw();
}

void CullingPlot::redraw() {
    if (settings_.classes.empty()) return;
    clearItems();
    QVector<double> keptX, keptY, lostX, lostY;
    for (const auto& [size, distance, end] : dots_) {
        const bool gone = distance >= (dragging_ ? cullingDistance(settings_, target_, size) : end);
        (gone ? lostX : keptX).push_back(size);
        (gone ? lostY : keptY).push_back(distance);
    }
    gone_ = static_cast<std::size_t>(lostX.size());
    kept_->setData(keptX, keptY);
    lost_->setData(lostX, lostY);
    xAxis->setRange(kSmallest, largest_ * 1.5);
    yAxis->setRange(0.5, farthest_);
    for (std::size_t i = 0; i < settings_.classes.size(); ++i) {
        const double low = i == 0 ? kSmallest : settings_.classes[i - 1].largest;
        const double high = std::min(settings_.classes[i].largest, largest_ * 1.5);
        if (low >= high) continue;
        constexpr int kPieces = 24;
        for (int k = 0; k < kPieces; ++k) {
            const auto at = [&](int n) {
                return low * std::pow(high / low, n / double(kPieces)) * 1.0001;
            };
            auto* line = new QCPItemLine(this);
            line->start->setCoords(at(k), cullingDistance(settings_, target_, at(k)));
            line->end->setCoords(at(k + 1) * 0.9998,
                                 cullingDistance(settings_, target_, at(k + 1) * 0.9998));
            line->setPen(QPen(theme().ink, 2));
        }
    }
    QVector<double> gripX, gripY;
    for (std::size_t i = 0; i < settings_.classes.size(); ++i) {
        gripX.push_back(middleOf(i));
        gripY.push_back(cullingDistance(settings_, target_, gripX.back()));
    }
    grips_->setData(gripX, gripY, true);
    addLevelLine(target_.farPlane, tr("far plane"), Qt::DashLine);
    if (settings_.farPlane > 0 && settings_.farPlane < target_.farPlane)
        addLevelLine(settings_.farPlane, tr("nearer far plane"), Qt::SolidLine);
    if (settings_.fogEnd > 0) addFog();
    replot(QCustomPlot::rpQueuedReplot);
}

/// A distance all across the plot, with its name.
void CullingPlot::addLevelLine(double distance, const QString& name, Qt::PenStyle style) {
    auto* line = new QCPItemStraightLine(this);
    line->point1->setCoords(0.1, distance);
    line->point2->setCoords(1, distance);
    line->setPen(QPen(theme().faint, 1, style));
    auto* label = new QCPItemText(this);
    label->position->setTypeX(QCPItemPosition::ptAxisRectRatio);
    label->position->setTypeY(QCPItemPosition::ptPlotCoords);
    label->position->setCoords(0.01, distance);
    label->setPositionAlignment(Qt::AlignLeft | Qt::AlignTop);
    label->setText(name);
    label->setFont(textFont(10));
    label->setColor(theme().faint);
}

/// From clear at its start to closed at its end and beyond.
void CullingPlot::addFog() {
    auto* band = new QCPItemRect(this);
    const double start = std::max(settings_.fogStart, 0.5);
    band->topLeft->setCoords(kSmallest, farthest_);
    band->bottomRight->setCoords(largest_ * 1.5, start);
    QColor closed = theme().faint;
    closed.setAlpha(90);
    QColor clear = closed;
    clear.setAlpha(0);
    QLinearGradient fog(0, yAxis->coordToPixel(start), 0, yAxis->coordToPixel(settings_.fogEnd));
    fog.setColorAt(0, clear);
    fog.setColorAt(1, closed);
    band->setBrush(fog);
    band->setPen(Qt::NoPen);
    addLevelLine(settings_.fogEnd, tr("fog closes"), Qt::DotLine);
}

// --- instrument ---------------------------------------------------------------------------

CullingInstrument::CullingInstrument(Document& document, QWidget* parent)
    : FixInstrument(document, parent),
      plot_(new CullingPlot),
      reading_(makeFaint("")),
      classes_(new QWidget),
      tabs_(new QTabBar),
      gone_(makeTable({tr("Goes from here"), tr("Size"), tr("Distance"), tr("Pixels")})),
      missed_(makeTable({tr("Seen before"), tr("Spots"), tr("Pixels")})),
      farReading_(makeFaint("")),
      losses_(
          makeTable({tr("Far plane at"), tr("Worst spot loses"), tr("Mean"), tr("Objects lost")})) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    auto* pages = new QStackedWidget;
    for (const QString& name :
         {tr("Classes"), tr("Gone"), tr("Missed"), tr("Far plane"), tr("By hand")})
        tabs_->addTab(name);
    tabs_->setExpanding(false);
    tabs_->setDrawBase(false);
    layout->addWidget(tabs_);
    pages->addWidget(makeClasses());
    pages->addWidget(makeList(gone_, tr("Objects in view that are gone from here")));
    pages->addWidget(makeList(missed_, tr("Objects that spots saw and no longer would")));
    pages->addWidget(makeFar());
    pages->addWidget(makeForm("By hand", 1));
    layout->addWidget(pages, 1);
    connect(tabs_, &QTabBar::currentChanged, this, [this, pages](int page) {
        pages->setCurrentIndex(page);
        refresh();
    });
    connect(plot_, &Plot::handleMoved, this, [this](int index, double, double y) {
        plot_->moveClass(static_cast<std::size_t>(index), y);
    });
    connect(plot_, &Plot::handleReleased, this, [this] {
        change(tr("Drag size class"),
               [this](CullingSettings& s) { s.classes = plot_->settings().classes; });
    });
    connect(&document.survey(), &SurveyModel::changed, this, &CullingInstrument::refreshFar);
    connect(&document.projectModel(), &ProjectModel::viewChanged, this, [this] {
        if (isVisible()) refresh();
    });
}

QWidget* CullingInstrument::makeClasses() {
    auto* page = new QWidget;
    auto* layout = new QVBoxLayout(page);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    layout->addWidget(plot_, 1);
    reading_->setWordWrap(true);
    layout->addWidget(reading_);
    layout->addWidget(classes_);
    new QGridLayout(classes_);
    layout->addWidget(makeForm({}, 3));
    return page;
}

FixForm* CullingInstrument::makeForm(const QString& page, int columns) {
    forms_.push_back(new FixForm(document_, CullingSettings::kind(), page, columns));
    return forms_.back();
}

/// What ends the view for everything: a nearer far plane, fog; and how distances are rounded.
QWidget* CullingInstrument::makeFar() {
    auto* page = new QWidget;
    auto* layout = new QVBoxLayout(page);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    layout->addWidget(makeForm("Far plane", 1));
    farReading_->setWordWrap(true);
    layout->addWidget(farReading_);
    losses_->setAccessibleName(tr("What nearer far planes would cost"));
    losses_->setMinimumHeight(80);
    layout->addWidget(losses_, 1);
    auto* take = new QPushButton(tr("Take this far plane"));
    take_ = take;
    connect(take, &QPushButton::clicked, this, [this] {
        const auto row = static_cast<std::size_t>(losses_->currentRow());
        if (losses_->currentRow() < 0 || row >= planes_.size()) return;
        change(tr("Culling: far plane"), [&](CullingSettings& s) { s.farPlane = planes_[row]; });
    });
    layout->addWidget(take, 0, Qt::AlignLeft);
    return page;
}

QWidget* CullingInstrument::makeList(QTableWidget* table, const QString& name) {
    auto* page = new QWidget;
    auto* layout = new QVBoxLayout(page);
    layout->setContentsMargins(0, 0, 0, 0);
    table->setAccessibleName(name);
    table->setMinimumHeight(80);
    layout->addWidget(table, 1);
    auto* show = new QPushButton(tr("Show me"));
    auto* row = new QHBoxLayout;
    row->addWidget(show);
    row->addStretch(1);
    layout->addLayout(row);
    const auto select = [this, table] {
        const auto& origins = rows_[table];
        const auto index = static_cast<std::size_t>(table->currentRow());
        if (table->currentRow() >= 0 && index < origins.size())
            document_.selection().selectObject(static_cast<int>(origins[index]));
    };
    connect(table, &QTableWidget::itemSelectionChanged, this, select);
    connect(show, &QPushButton::clicked, this, [this, select] {
        select();
        emit showRequested();
    });
    return page;
}

void CullingInstrument::rebuildClasses(const CullingSettings& settings) {
    auto* grid = static_cast<QGridLayout*>(classes_->layout());
    while (QLayoutItem* old = grid->takeAt(0)) {
        old->widget()->deleteLater();
        delete old;
    }
    classFields_.clear();
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(6);
    grid->setVerticalSpacing(3);
    for (std::size_t i = 0; i < settings.classes.size(); ++i) {
        const SizeClass& sizeClass = settings.classes[i];
        const QString upTo =
            std::isfinite(sizeClass.largest)
                ? tr("%1 to %2")
                      .arg(toText(sizeClass.name), toText(formatMetres(sizeClass.largest)))
                : tr("%1").arg(toText(sizeClass.name));
        const auto row = static_cast<int>(i / 2);
        const auto column = static_cast<int>(i % 2) * 2;
        grid->addWidget(makeFaint(upTo), row, column);
        QDoubleSpinBox* box = makeNumber(
            {toText(sizeClass.name), "px", 0, 500, 1,
             tr("Goes when smaller than this on the target's display; 0: never by size.")},
            this, [this, i](double value) {
                change(tr("Size class"), [&](CullingSettings& s) {
                    if (i < s.classes.size()) s.classes[i].pixels = value;
                });
            });
        classFields_.push_back(box);
        grid->addWidget(box, row, column + 1);
    }
}

void CullingInstrument::refresh() {
    const CullingSettings* now = settings();
    if (!now || !document_.hasScene()) return;
    quietly([&] {
        if (classFields_.size() != now->classes.size()) rebuildClasses(*now);
        for (std::size_t i = 0; i < now->classes.size(); ++i)
            classFields_[i]->setValue(now->classes[i].pixels);
    });
    for (FixForm* form : forms_) form->show(*document_.project().order.find(fix_));
    const Evaluator::Done done = document_.evaluator().doneBy(fix_);
    const Scene& scene = done ? *done.after : *document_.source();
    plot_->show(scene,
                cullingSizes(scene, *now, document_.target(), *document_.survey().evidence()),
                document_.target(), *now, document_.view().eye);
    reading_->setText(tr("%1 of %2 objects are beyond their distance from here (plum). Drag a ring "
                         "to move its size class.")
                          .arg(toText(formatCount(static_cast<double>(plot_->goneCount()))),
                               toText(formatCount(static_cast<double>(scene.objects.size())))));
    if (tabs_->currentIndex() == GoneFromHere) refreshGone();
    refreshMissed(done.record);
    refreshFar();
}

/// What the ghosts in the view are.
void CullingInstrument::refreshGone() {
    const Evaluator::Done done = document_.evaluator().doneBy(fix_);
    std::vector<std::uint32_t>& origins = rows_[gone_];
    origins.clear();
    const QSignalBlocker quiet(gone_);
    gone_->setRowCount(0);
    if (!done) return;
    const double perMetre = pixelsPerMetreAtOne(document_.target());
    for (const std::uint32_t i : culledFrom(*done.after, document_.target(), document_.view())) {
        const Object& object = done.after->objects[i];
        const int row = gone_->rowCount();
        gone_->insertRow(row);
        const double distance = distanceTo(object.bounds, document_.view().eye);
        setCell(gone_, row, 0, toText(object.name), false);
        setCell(gone_, row, 1, toText(formatMetres(sizeOf(object))));
        setCell(gone_, row, 2, toText(formatMetres(distance)));
        setCell(gone_, row, 3, tr("%1 px").arg(sizeOf(object) * perMetre / distance, 0, 'f', 1));
        origins.push_back(object.origins.front());
    }
}

/// Far planes nearer than the target's and what they lose, from the survey; worked out once for
/// each.
void CullingInstrument::refreshFar() {
    const Surveyed& surveyed = document_.survey().surveyed();
    const bool known = surveyed.exists() && surveyed.survey->hasRays();
    take_->setEnabled(known);
    if (!known) {
        planes_.clear();
        losses_->setRowCount(0);
        farSurvey_ = nullptr;
        farReading_->setText(tr("A survey with rays tells what a nearer far plane would cost."));
        return;
    }
    if (std::exchange(farSurvey_, surveyed.survey) == surveyed.survey) return;
    planes_.clear();
    losses_->setRowCount(0);
    double free = 0;
    for (const FarPlaneLoss& loss : farPlaneLosses(*surveyed.survey)) {
        if (loss.distance >= document_.target().farPlane) break;
        const int row = losses_->rowCount();
        losses_->insertRow(row);
        setCell(losses_, row, 0, toText(formatMetres(loss.distance)));
        setCell(losses_, row, 1, toText(formatShare(loss.worstShare)));
        setCell(losses_, row, 2, toText(formatShare(loss.meanShare)));
        setCell(losses_, row, 3, QString::number(loss.objects));
        planes_.push_back(loss.distance);
        if (loss.worstShare == 0 && free == 0) free = loss.distance;
    }
    if (losses_->rowCount() > 0) losses_->selectRow(losses_->rowCount() - 1);
    farReading_->setText(
        free > 0 ? tr("Proposal: %1 loses nothing that any spot has seen. The target's is %2.")
                       .arg(toText(formatMetres(free)),
                            toText(formatMetres(document_.target().farPlane)))
                 : tr("Every plane nearer than the target's %1 loses something.")
                       .arg(toText(formatMetres(document_.target().farPlane))));
}

void CullingInstrument::refreshMissed(const FixRecord* record) {
    std::vector<std::uint32_t>& origins = rows_[missed_];
    origins.clear();
    const QSignalBlocker quiet(missed_);
    const auto* report = record ? record->reportAs<CullingReport>() : nullptr;
    missed_->setRowCount(report ? static_cast<int>(report->losses.size()) : 0);
    for (int row = 0; row < missed_->rowCount(); ++row) {
        const VisibleLoss& loss = elementOf(report->losses, row);
        const Object& object = document_.source()->objects[loss.origin];
        setCell(missed_, row, 0, toText(object.name), false);
        setCell(missed_, row, 1, QString::number(loss.spots));
        setCell(missed_, row, 2, tr("%1 px").arg(loss.pixels, 0, 'f', 0));
        origins.push_back(loss.origin);
    }
    const bool surveyed =
        document_.survey().surveyed().exists() && document_.survey().surveyed().survey->hasRays();
    tabs_->setTabToolTip(
        2, surveyed ? tr("What spots saw and no longer would.") : tr("Needs a survey with rays."));
}

}  // namespace flentro::app
