#include "instruments/culling_instrument.h"

#include <QGridLayout>
#include <QStackedWidget>
#include <cmath>

#include "base/text.h"
#include "fixes/culling.h"
#include "theme.h"

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
    constexpr double kMostPixels = 500;
    const double pixels = middleOf(index) * pixelsPerMetreAtOne(target_) / std::max(distance, 0.1);
    const bool never = distance >= target_.farPlane;
    dragging_ = true;
    settings_.classes[index].pixels =
        never ? 0 : std::min(std::round(pixels * 10) / 10, kMostPixels);
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
    auto* farPlane = new QCPItemStraightLine(this);
    farPlane->point1->setCoords(0.1, target_.farPlane);
    farPlane->point2->setCoords(1, target_.farPlane);
    farPlane->setPen(QPen(theme().faint, 1, Qt::DashLine));
    auto* label = new QCPItemText(this);
    label->position->setTypeX(QCPItemPosition::ptAxisRectRatio);
    label->position->setTypeY(QCPItemPosition::ptPlotCoords);
    label->position->setCoords(0.01, target_.farPlane);
    label->setPositionAlignment(Qt::AlignLeft | Qt::AlignTop);
    label->setText(tr("far plane"));
    label->setFont(textFont(10));
    label->setColor(theme().faint);
    replot(QCustomPlot::rpQueuedReplot);
}

// --- instrument ---------------------------------------------------------------------------

CullingInstrument::CullingInstrument(Document& document, QWidget* parent)
    : QWidget(parent),
      document_(document),
      plot_(new CullingPlot),
      reading_(makeFaint("")),
      classes_(new QWidget),
      tabs_(new QTabBar),
      gone_(makeTable({tr("Goes from here"), tr("Size"), tr("Distance"), tr("Pixels")})),
      missed_(makeTable({tr("Seen before"), tr("Spots"), tr("Pixels")})) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    auto* pages = new QStackedWidget;
    for (const QString& name : {tr("Classes"), tr("Gone from here"), tr("Missed")})
        tabs_->addTab(name);
    tabs_->setExpanding(false);
    tabs_->setDrawBase(false);
    layout->addWidget(tabs_);
    pages->addWidget(makeClasses());
    pages->addWidget(makeList(gone_, tr("Objects in view that are gone from here")));
    pages->addWidget(makeList(missed_, tr("Objects that spots saw and no longer would")));
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
    connect(&document, &Document::projectChanged, this, &CullingInstrument::refresh);
    connect(&document, &Document::resultChanged, this, &CullingInstrument::refresh);
    connect(&document, &Document::viewChanged, this, [this] {
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
    auto* row = new QHBoxLayout;
    row->setSpacing(4);
    const auto add = [&](const NumberField& field,
                         const std::function<void(CullingSettings&, double)>& set) {
        QDoubleSpinBox* box = makeNumber(field, this, [this, field, set](double value) {
            change(tr("Culling: %1").arg(field.label.toLower()),
                   [&](CullingSettings& s) { set(s, value); });
        });
        row->addWidget(makeFaint(field.label));
        row->addWidget(box);
        return box;
    };
    fade_ = add({tr("Fade"), "%", 0, 90, 0,
                 tr("Share of the culling distance over which an object fades out.")},
                [](CullingSettings& s, double v) { s.fade = v / 100; });
    transparent_ = add({tr("Glass at"), "%", 5, 100, 0,
                        tr("What is only transparent goes at this share of its distance.")},
                       [](CullingSettings& s, double v) { s.transparent = v / 100; });
    skyline_ = add({tr("Skyline"), "x", 1, 10, 1,
                    tr("What stands against the sky stays this many times as far. Needs a survey "
                       "with rays.")},
                   [](CullingSettings& s, double v) { s.skyline = v; });
    row->addStretch(1);
    layout->addLayout(row);
    bySeen_ = new QCheckBox(tr("By the pixels that the survey saw"));
    bySeen_->setToolTip(tr("Thin and half-hidden things go earlier than their bounds tell."));
    connect(bySeen_, &QCheckBox::clicked, this, [this](bool on) {
        change(tr("Culling: by seen pixels"), [on](CullingSettings& s) { s.bySeen = on; });
    });
    layout->addWidget(bySeen_);
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
            document_.selectObject(static_cast<int>(origins[index]));
    };
    connect(table, &QTableWidget::itemSelectionChanged, this, select);
    connect(show, &QPushButton::clicked, this, [this, select] {
        select();
        emit showRequested();
    });
    return page;
}

const CullingSettings* CullingInstrument::settings() const {
    return document_.settingsOf<CullingSettings>(fix_);
}

void CullingInstrument::setFix(int id) {
    fix_ = id;
    refresh();
}

void CullingInstrument::change(const QString& text,
                               const std::function<void(CullingSettings&)>& apply) {
    if (!refreshing_) document_.changeFix<CullingSettings>(fix_, text, apply);
}

void CullingInstrument::rebuildClasses(const CullingSettings& settings) {
    auto* grid = static_cast<QGridLayout*>(classes_->layout());
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
    refreshing_ = true;
    if (classFields_.size() != now->classes.size()) rebuildClasses(*now);
    for (std::size_t i = 0; i < now->classes.size(); ++i)
        classFields_[i]->setValue(now->classes[i].pixels);
    fade_->setValue(now->fade * 100);
    transparent_->setValue(now->transparent * 100);
    skyline_->setValue(now->skyline);
    bySeen_->setChecked(now->bySeen);
    refreshing_ = false;
    const Document::Done done = document_.doneBy(fix_);
    const Scene& scene = done ? *done.after : *document_.source();
    plot_->show(scene, cullingSizes(scene, *now, document_.target(), document_.evidence()),
                document_.target(), *now, document_.view().eye);
    reading_->setText(tr("%1 of %2 objects are beyond their distance from here (plum). Drag a ring "
                         "to move its size class.")
                          .arg(toText(formatCount(static_cast<double>(plot_->goneCount()))),
                               toText(formatCount(static_cast<double>(scene.objects.size())))));
    if (tabs_->currentIndex() > 0) refreshGone();
    refreshMissed(done.record);
}

/// What the ghosts in the view are.
void CullingInstrument::refreshGone() {
    const Document::Done done = document_.doneBy(fix_);
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

void CullingInstrument::refreshMissed(const FixRecord* record) {
    std::vector<std::uint32_t>& origins = rows_[missed_];
    origins.clear();
    const QSignalBlocker quiet(missed_);
    missed_->setRowCount(record ? static_cast<int>(record->vanishing.size()) : 0);
    for (int row = 0; row < missed_->rowCount(); ++row) {
        const Vanishing& vanishing = record->vanishing[static_cast<std::size_t>(row)];
        const Object& object = document_.source()->objects[vanishing.origin];
        setCell(missed_, row, 0, toText(object.name), false);
        setCell(missed_, row, 1, QString::number(vanishing.spots));
        setCell(missed_, row, 2, tr("%1 px").arg(vanishing.pixels, 0, 'f', 0));
        origins.push_back(vanishing.origin);
    }
    const bool surveyed = document_.surveyed().exists() && document_.surveyed().survey->hasRays();
    tabs_->setTabToolTip(
        2, surveyed ? tr("What spots saw and no longer would.") : tr("Needs a survey with rays."));
}

}  // namespace flentro::app
