#include "instruments/merge_instrument.h"

#include <algorithm>

#include "base/index.h"
#include "base/text.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

/// The name without its kind, which the column's head says.
QString placeOf(const Parcel& parcel) {
    return toText(parcel.name).remove(QLatin1String("parcel "));
}

/// Triangles a view with one decimal below ten thousand: parcels pay little each.
QString signedCount(double value) {
    return (value < 0 ? "−" : "") + toText(formatCount(std::abs(value)));
}

/// Share of a limit, or of the most in the list where there is none.
double shareOf(double value, double limit, double most) {
    const double whole = limit > 0 && isLimit(limit) ? limit : most;
    return whole > 0 ? value / whole : 0;
}

}  // namespace

MergeInstrument::MergeInstrument(Document& document, QWidget* parent)
    : FixInstrument(document, parent),
      tabs_(new QTabBar),
      pages_(new QStackedWidget),
      plot_(new MergePlot),
      reading_(makeFaint("")),
      form_(new FixForm(document, MergeSettings::kind(), {}, 2)),
      parcels_(makeTable({tr("Parcel"), tr("Objects"), tr("Saved | paid"), tr("Calls"),
                          tr("Triangles"), tr("Memory")})),
      assets_(makeTable({tr("Asset"), tr("Copies"), tr("Calls apart"), tr("Merged"), tr("Is")})) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    for (const QString& name : {tr("Size"), tr("Parcels"), tr("Assets")}) tabs_->addTab(name);
    tabs_->setExpanding(false);
    tabs_->setDrawBase(false);
    layout->addWidget(tabs_);
    pages_->addWidget(makeSize());
    pages_->addWidget(makeParcels());
    pages_->addWidget(makeAssets());
    layout->addWidget(pages_, 1);
    connect(tabs_, &QTabBar::currentChanged, pages_, &QStackedWidget::setCurrentIndex);
    connect(&document.selection(), &Selection::changed, this, [this] {
        leaveSelected_->setEnabled(document_.selection().object() >= 0);
        const QSignalBlocker quiet(parcels_);
        if (document_.selection().parcel() >= 0)
            parcels_->selectRow(document_.selection().parcel());
    });
}

QWidget* MergeInstrument::makeSize() {
    auto* page = new QWidget;
    auto* layout = new QVBoxLayout(page);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    layout->addWidget(plot_, 1);
    reading_->setWordWrap(true);
    layout->addWidget(reading_);
    layout->addWidget(form_);
    connect(plot_, &Plot::handleMoved, this, [this](int, double x, double) { plot_->moveSize(x); });
    connect(plot_, &Plot::handleReleased, this, [this] {
        change(tr("Drag size of parcels"), [this](MergeSettings& s) { s.parcel = plot_->size(); });
    });
    return page;
}

QWidget* MergeInstrument::makeParcels() {
    auto* page = new QWidget;
    auto* layout = new QVBoxLayout(page);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    parcels_->setAccessibleName(tr("Parcels"));
    parcels_->setMinimumHeight(80);
    layout->addWidget(parcels_, 1);
    auto* row = new QHBoxLayout;
    auto* show = new QPushButton(tr("Show me"));
    auto* leave = new QPushButton(tr("Leave apart"));
    leaveSelected_ = new QPushButton(tr("Leave selected"));
    takeBack_ = new QPushButton(tr("Take all back"));
    show->setToolTip(tr("Goes to the parcel."));
    leave->setToolTip(tr("The objects of this parcel are never merged."));
    leaveSelected_->setToolTip(tr("The object that is selected in the view is never merged."));
    takeBack_->setToolTip(tr("Merges again what was left apart by hand."));
    auto* tint = new QPushButton(tr("Tint"));
    tint->setToolTip(tr("Parcels in colours of their own in the view (the lens Groups)."));
    connect(tint, &QPushButton::clicked, this, &MergeInstrument::tintRequested);
    auto* below = new QHBoxLayout;
    for (QPushButton* button : {show, tint, leave}) row->addWidget(button);
    for (QPushButton* button : {leaveSelected_, takeBack_}) below->addWidget(button);
    for (QHBoxLayout* line : {row, below}) {
        line->addStretch(1);
        layout->addLayout(line);
    }
    connect(show, &QPushButton::clicked, this, &MergeInstrument::showParcel);
    connect(leave, &QPushButton::clicked, this, &MergeInstrument::leaveParcel);
    connect(leaveSelected_, &QPushButton::clicked, this, &MergeInstrument::leaveSelected);
    connect(takeBack_, &QPushButton::clicked, this, [this] {
        change(tr("Merge: take all back"), [](MergeSettings& s) { s.excluded.clear(); });
    });
    connect(parcels_, &QTableWidget::itemSelectionChanged, this,
            [this] { document_.selection().selectParcel(parcels_->currentRow()); });
    connect(parcels_, &QTableWidget::itemDoubleClicked, this, &MergeInstrument::showParcel);
    return page;
}

QWidget* MergeInstrument::makeAssets() {
    auto* page = new QWidget;
    auto* layout = new QVBoxLayout(page);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    assets_->setAccessibleName(tr("Merge or instance"));
    assets_->setMinimumHeight(80);
    layout->addWidget(assets_, 1);
    auto* row = new QHBoxLayout;
    choice_ = new QComboBox;
    choice_->addItems({tr("as the numbers say"), tr("always merged"), tr("never merged")});
    choice_->setAccessibleName(tr("This asset is"));
    why_ = makeFaint("");
    row->addWidget(makeFaint(tr("This asset is")));
    row->addWidget(choice_);
    row->addWidget(why_, 1);
    layout->addLayout(row);
    connect(assets_, &QTableWidget::itemSelectionChanged, this, &MergeInstrument::refreshChoice);
    connect(choice_, &QComboBox::activated, this, [this](int index) {
        const QString asset = chosenAsset();
        if (asset.isEmpty()) return;
        change(tr("Merge: %1 %2").arg(asset, choice_->itemText(index)), [&](MergeSettings& s) {
            s.overrides[asset.toStdString()] = static_cast<MergeChoice>(index);
            if (index == 0) s.overrides.erase(asset.toStdString());
        });
    });
    return page;
}

const MergeReport* MergeInstrument::report() const {
    const Evaluator::Done done = document_.evaluator().doneBy(fix_);
    return done ? done.record->reportAs<MergeReport>() : nullptr;
}

QString MergeInstrument::chosenAsset() const {
    const QTableWidgetItem* item = assets_->item(assets_->currentRow(), 0);
    return item ? item->text() : QString();
}

void MergeInstrument::leaveParcel() {
    const MergeReport* now = report();
    const int row = parcels_->currentRow();
    if (!now || row < 0 || row >= static_cast<int>(now->parcels.size())) return;
    const Evaluator::Done done = document_.evaluator().doneBy(fix_);
    const Parcel parcel = elementOf(now->parcels, row);
    change(tr("Merge: leave %1 apart").arg(toText(parcel.name)), [&](MergeSettings& s) {
        for (const std::uint32_t member : parcel.members)
            s.excluded.insert(done.before->objects[member].name);
    });
}

void MergeInstrument::leaveSelected() {
    const int selected = document_.selection().object();
    if (selected < 0) return;
    const std::string name = elementOf(document_.source()->objects, selected).name;
    change(tr("Merge: leave %1").arg(toText(name)),
           [&](MergeSettings& s) { s.excluded.insert(name); });
}

/// Stands back from the parcel, looking as now.
void MergeInstrument::showParcel() {
    const MergeReport* now = report();
    const int row = parcels_->currentRow();
    if (!now || row < 0 || row >= static_cast<int>(now->parcels.size())) return;
    const Box& bounds = elementOf(now->parcels, row).bounds;
    Viewpoint view = document_.view();
    view.pitch = -20;
    view.eye = bounds.center() - 1.2 * std::max(2.0, bounds.diagonal().norm()) *
                                     lookDirection(view.heading, view.pitch);
    emit viewRequested(view);
}

void MergeInstrument::refresh() {
    const MergeSettings* now = settings();
    if (!now) return;
    form_->show(*document_.project().order.find(fix_));
    takeBack_->setEnabled(!now->excluded.empty());
    leaveSelected_->setEnabled(document_.selection().object() >= 0);
    const Evaluator::Done done = document_.evaluator().doneBy(fix_);
    const MergeReport* merged = report();
    const MergeReport nothing;
    plot_->show(merged ? *merged : nothing);
    refreshParcels(merged ? *merged : nothing);
    refreshAssets(merged ? *merged : nothing);
    if (!merged) {
        const QString why = document_.project().order.find(fix_)->on
                                ? tr("Waiting for its turn.")
                                : tr("This fix is off: switch it on to see its parcels.");
        reading_->setText(why);
        return;
    }
    QString text = tr("<font color='%1'>Blue</font>: calls; <font color='%2'>plum</font>: "
                      "triangles, both in the mean view; dashed: unmerged. Drag the line. ")
                       .arg(theme().within.name(), theme().over.name());
    if (merged->estimated) text += tr("<b>Estimated</b>: without a survey the views are guessed.");
    reading_->setText(text);
}

void MergeInstrument::refreshParcels(const MergeReport& report) {
    const QSignalBlocker quiet(parcels_);
    const Counts& limits = document_.target().limits;
    double calls = 0;
    double objects = 0;
    double triangles = 0;
    for (const Parcel& parcel : report.parcels) {
        calls = std::max(calls, parcel.callsSaved);
        objects = std::max(objects, parcel.objectsSaved);
        triangles = std::max(triangles, parcel.trianglesPaid);
    }
    // Parcels are small beside limits: the longest bar fills its half.
    double most = 0;
    const auto saved = [&](const Parcel& p) {
        return std::max(0.0, shareOf(p.callsSaved, at(limits, Measure::DrawCalls), calls) +
                                 shareOf(p.objectsSaved, at(limits, Measure::Objects), objects));
    };
    const auto paid = [&](const Parcel& p) {
        return shareOf(p.trianglesPaid, at(limits, Measure::Triangles), triangles);
    };
    for (const Parcel& parcel : report.parcels)
        most = std::max({most, saved(parcel), paid(parcel)});
    parcels_->setRowCount(static_cast<int>(report.parcels.size()));
    for (int row = 0; row < parcels_->rowCount(); ++row) {
        const Parcel& parcel = elementOf(report.parcels, row);
        setCell(parcels_, row, 0, placeOf(parcel), false);
        parcels_->item(row, 0)->setToolTip(toText(parcel.name));
        setCell(parcels_, row, 1, QString::number(parcel.members.size()));
        setBalanceCell(parcels_, row, 2, most > 0 ? saved(parcel) / most : 0,
                       most > 0 ? paid(parcel) / most : 0);
        setCell(parcels_, row, 3,
                QString("%1%2")
                    .arg(parcel.callsSaved < 0 ? "+" : "−")
                    .arg(std::abs(parcel.callsSaved), 0, 'f', 1));
        setCell(parcels_, row, 4, signedCount(parcel.trianglesPaid));
        setCell(
            parcels_, row, 5,
            (parcel.bytesPaid < 0 ? "−" : "") + toText(formatBytes(std::abs(parcel.bytesPaid))));
    }
}

void MergeInstrument::refreshAssets(const MergeReport& report) {
    const QString before = chosenAsset();
    {
        const QSignalBlocker quiet(assets_);
        assets_->setRowCount(static_cast<int>(report.verdicts.size()));
        for (int row = 0; row < assets_->rowCount(); ++row) {
            const MergeVerdict& verdict = elementOf(report.verdicts, row);
            setCell(assets_, row, 0, toText(verdict.asset), false);
            setCell(assets_, row, 1, QString::number(verdict.copies));
            setCell(assets_, row, 2, QString::number(verdict.callsAsInstances, 'f', 2));
            setCell(assets_, row, 3,
                    verdict.callsMerged > 0 ? QString::number(verdict.callsMerged, 'f', 2) : "-");
            setCell(assets_, row, 4, verdict.merged ? tr("merged") : tr("apart"));
            assets_->item(row, 4)->setToolTip(toText(verdict.why));
            if (toText(verdict.asset) == before) assets_->selectRow(row);
        }
    }
    refreshChoice();
}

void MergeInstrument::refreshChoice() {
    const MergeSettings* now = settings();
    const QString asset = chosenAsset();
    choice_->setEnabled(!asset.isEmpty());
    const QTableWidgetItem* verdict = assets_->item(assets_->currentRow(), 4);
    why_->setText(verdict ? verdict->toolTip() : QString());
    if (!now) return;
    const auto found = now->overrides.find(asset.toStdString());
    choice_->setCurrentIndex(found == now->overrides.end() ? 0 : static_cast<int>(found->second));
}

}  // namespace flentro::app
