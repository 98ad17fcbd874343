#include "sheets/survey_sheet.h"

#include "base/text.h"

namespace flentro::app {
namespace {

constexpr int kHeadings = 8;

struct Worst {
    double heading = 0;
    Measure measure = Measure::Triangles;
    double load = -1;
};

Worst worstHeading(const Scene& scene, const Target& target, Viewpoint view) {
    Worst worst;
    for (int i = 0; i < kHeadings; ++i) {
        view.heading = 360.0 * i / kHeadings;
        const Counts load = loads(viewCost(scene, target, view).counts, target);
        const Measure measure = worstMeasure(load);
        if (at(load, measure) > worst.load) worst = {view.heading, measure, at(load, measure)};
    }
    return worst;
}

SpotLoad measureSpot(const Scene& before, const Scene& after, const Target& target,
                     const Viewpoint& spot) {
    const Worst now = worstHeading(after, target, spot);
    SpotLoad result{spot, now.measure, now.load, worstHeading(before, target, spot).load};
    result.view.heading = now.heading;
    return result;
}

}  // namespace

SurveySheet::SurveySheet(Document& document, QWidget* parent)
    : QWidget(parent), document_(document) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(16, 14, 16, 14);
    layout->setSpacing(8);
    addHeading(layout, tr("Survey"),
               tr("The spots that matter, each with the worst of eight "
                  "headings. Click one to stand there and look that way."));
    auto* row = new QHBoxLayout;
    auto* add = makePrimary(tr("Add this spot"));
    add->setToolTip(tr("Keeps the place where the view stands now."));
    remove_ = new QPushButton(tr("Remove"));
    row->addWidget(add);
    row->addWidget(remove_);
    row->addStretch(1);
    layout->addLayout(row);
    empty_ = makeFaint(tr("No spots yet: walk to a place that players reach and add it."));
    empty_->setWordWrap(true);
    layout->addWidget(empty_);
    table_ = makeTable({tr("Spot"), tr("Heading"), tr("Worst measure"), tr("Before"), tr("Load")});
    table_->setAccessibleName(tr("Spots"));
    layout->addWidget(table_, 1);
    connect(add, &QPushButton::clicked, this, &SurveySheet::addSpot);
    connect(remove_, &QPushButton::clicked, this, &SurveySheet::removeSpot);
    connect(table_, &QTableWidget::itemSelectionChanged, this, [this] {
        const int row_ = table_->currentRow();
        remove_->setEnabled(row_ >= 0);
        if (row_ >= 0 && row_ < static_cast<int>(loads_.size()))
            emit chosen(loads_[static_cast<std::size_t>(row_)].view);
    });
    connect(&document, &Document::projectChanged, this, &SurveySheet::refresh);
    connect(&document, &Document::resultChanged, this, &SurveySheet::measureSoon);
    refresh();
}

void SurveySheet::refresh() {
    const auto& spots = document_.project().spots;
    empty_->setVisible(spots.empty());
    table_->setVisible(!spots.empty());
    remove_->setEnabled(table_->currentRow() >= 0);
    measureSoon();
}

void SurveySheet::measureSoon() {
    if (!document_.hasScene()) return;
    runner_.request([this, before = document_.source(), after = document_.result(),
                     target = document_.target(),
                     spots = document_.project().spots]() -> std::function<void()> {
        std::vector<SpotLoad> measuredLoads;
        for (const Spot& spot : spots)
            measuredLoads.push_back(measureSpot(*before, *after, target, spot.view));
        return [this, measuredLoads] { show(measuredLoads); };
    });
}

void SurveySheet::show(const std::vector<SpotLoad>& measuredLoads) {
    const auto& spots = document_.project().spots;
    if (measuredLoads.size() != spots.size()) return;
    loads_ = measuredLoads;
    const QSignalBlocker quiet(table_);
    table_->setRowCount(static_cast<int>(spots.size()));
    int over = 0;
    for (std::size_t i = 0; i < spots.size(); ++i) {
        const auto row = static_cast<int>(i);
        const SpotLoad& load = loads_[i];
        over += stateOf(load.load) == State::Over;
        setCell(table_, row, 0, toText(spots[i].name), false);
        setCell(table_, row, 1, tr("%1°").arg(load.view.heading, 0, 'f', 0));
        setCell(table_, row, 2, measureName(load.measure), false);
        setLoadCell(table_, row, 3, load.before);
        setLoadCell(table_, row, 4, load.load);
    }
    emit measured(static_cast<int>(spots.size()), over);
}

void SurveySheet::addSpot() {
    if (!document_.hasScene()) return;
    std::vector<Spot> spots = document_.project().spots;
    spots.push_back({tr("Spot %1").arg(spots.size() + 1).toStdString(), document_.view()});
    document_.setSpots(spots, tr("Add spot"));
}

void SurveySheet::removeSpot() {
    std::vector<Spot> spots = document_.project().spots;
    const int row = table_->currentRow();
    if (row < 0 || row >= static_cast<int>(spots.size())) return;
    spots.erase(spots.begin() + row);
    table_->clearSelection();
    table_->setCurrentItem(nullptr);
    document_.setSpots(spots, tr("Remove spot"));
}

}  // namespace flentro::app
