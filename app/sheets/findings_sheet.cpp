#include "sheets/findings_sheet.h"

#include <QHeaderView>
#include <QShowEvent>
#include <algorithm>

#include "base/text.h"
#include "sheets/show_me.h"
#include "theme.h"

namespace flentro::app {
namespace {

constexpr std::size_t kMostRows = 200;
constexpr int kSettleMilliseconds = 150;  ///< Stillness of the view before it is ranked again.

QComboBox* makeChoice(const QString& name, const QStringList& entries) {
    auto* box = new QComboBox;
    box->addItems(entries);
    box->setAccessibleName(name);
    return box;
}

double valueOf(const CostShare& blame, Measure measure) {
    if (measure == Measure::DrawCalls) return blame.drawCalls;
    return measure == Measure::TextureBytes ? blame.textureBytes : blame.triangles;
}

}  // namespace

FindingsSheet::FindingsSheet(Document& document, QWidget* parent)
    : QWidget(parent),
      document_(document),
      tabs_(new QTabBar),
      causes_(new CausesPage(document)),
      inventory_(new InventoryPage(document)),
      where_(makeChoice(tr("Where"), {tr("In this view"), tr("Whole scene")})),
      what_(makeChoice(tr("What"), {tr("Assets"), tr("Objects"), tr("Lights")})),
      by_(makeChoice(tr("By"), {tr("Triangles"), tr("Draw calls"), tr("Texture memory")})),
      search_(new QLineEdit),
      table_(makeTable({tr("Name"), tr("Copies"), tr("Triangles"), tr("Share")})),
      evidence_(makeFaint("")),
      show_(new QPushButton(tr("Show me"))),
      fix_(makePrimary(tr("Fix this"))),
      aside_(new QPushButton(tr("Set aside"))),
      off_(new QPushButton(tr("What if off"))) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(16, 14, 16, 14);
    layout->setSpacing(8);
    addHeading(layout, tr("Findings"),
               tr("What is to blame, most relief first, as the work order leaves it."));
    auto* pages = new QStackedWidget;
    for (const QString& name : {tr("Causes"), tr("What fills this view"), tr("Inventory")})
        tabs_->addTab(name);
    tabs_->setAccessibleName(tr("Pages of the findings"));
    tabs_->setExpanding(false);
    tabs_->setDrawBase(false);
    layout->addWidget(tabs_);
    pages->addWidget(causes_);
    pages->addWidget(makeFills());
    pages->addWidget(inventory_);
    layout->addWidget(pages, 1);
    connect(tabs_, &QTabBar::currentChanged, this, [this, pages](int page) {
        pages->setCurrentIndex(page);
        if (page == Fills) rankSoon();
    });
    connect(causes_, &CausesPage::showRequested, this, &FindingsSheet::showRequested);
    connect(causes_, &CausesPage::viewRequested, this, &FindingsSheet::viewRequested);
    connect(inventory_, &InventoryPage::showRequested, this, &FindingsSheet::showRequested);
    connect(inventory_, &InventoryPage::viewRequested, this, &FindingsSheet::viewRequested);
    connect(causes_, &CausesPage::fixRequested, this, &FindingsSheet::fixRequested);
    connect(causes_, &CausesPage::counted, this, &FindingsSheet::counted);
}

void FindingsSheet::focusSearch() {
    if (tabs_->currentIndex() == Causes)
        causes_->focusSearch();
    else if (tabs_->currentIndex() == All)
        inventory_->focusSearch();
    else
        search_->setFocus();
}

QWidget* FindingsSheet::makeFills() {
    auto* page = new QWidget;
    auto* layout = new QVBoxLayout(page);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    auto* choices = new QHBoxLayout;
    choices->setSpacing(6);
    for (QComboBox* box : {where_, what_, by_}) {
        choices->addWidget(box, 1);
        connect(box, &QComboBox::activated, this, &FindingsSheet::rankSoon);
    }
    layout->addLayout(choices);
    search_->setPlaceholderText(tr("Filter by name (Ctrl+F)"));
    search_->setClearButtonEnabled(true);
    search_->setAccessibleName(tr("Filter"));
    connect(search_, &QLineEdit::textChanged, this, [this] { show(ranking_); });
    layout->addWidget(search_);
    table_->setAccessibleName(tr("Ranking"));
    layout->addWidget(table_, 1);
    evidence_->setWordWrap(true);
    evidence_->setMinimumHeight(54);
    evidence_->setAlignment(Qt::AlignTop);
    layout->addWidget(evidence_);
    auto* buttons = new QHBoxLayout;
    for (QPushButton* button : {fix_, show_, off_, aside_}) buttons->addWidget(button);
    layout->addLayout(buttons);
    connect(table_, &QTableWidget::itemSelectionChanged, this, &FindingsSheet::describeCurrent);
    connect(table_, &QTableWidget::cellDoubleClicked, show_, &QPushButton::click);
    connect(show_, &QPushButton::clicked, this, &FindingsSheet::showCurrent);
    connect(fix_, &QPushButton::clicked, this, [this] {
        if (const CostShare* blame = current())
            emit fixRequested(proposeSettings(*findFixKind(fixFor(*blame)), *document_.source()),
                              toText(assetOf(*blame)));
    });
    connect(aside_, &QPushButton::clicked, this, [this] {
        if (const CostShare* blame = current()) {
            const std::string asset = assetOf(*blame);
            document_.setAside(asset, !document_.project().setAside.contains(asset));
        }
    });
    off_->setToolTip(
        tr("Counts and draws everything as if it were not there: board, plan and strip "
           "follow. Shift+X in the view switches all on again."));
    connect(off_, &QPushButton::clicked, this, &FindingsSheet::switchCurrentOff);
    settle_.setSingleShot(true);
    settle_.setInterval(kSettleMilliseconds);
    connect(&settle_, &QTimer::timeout, this, &FindingsSheet::rankSoon);
    connect(&document_, &Document::countsChanged, &settle_, qOverload<>(&QTimer::start));
    connect(&document_, &Document::projectChanged, this, [this] { show(ranking_); });
    describeCurrent();
    return page;
}

void FindingsSheet::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    rankSoon();
}

Measure FindingsSheet::measure() const {
    static constexpr Measure measures[] = {Measure::Triangles, Measure::DrawCalls,
                                           Measure::TextureBytes};
    return measures[by_->currentIndex()];
}

CostKind FindingsSheet::kind() const {
    static constexpr CostKind kinds[] = {CostKind::Asset, CostKind::Object, CostKind::Light};
    return kinds[what_->currentIndex()];
}

const CostShare* FindingsSheet::current() const {
    const int row = table_->currentRow();
    if (row < 0 || static_cast<std::size_t>(row) >= rows_.size()) return nullptr;
    return &ranking_[rows_[static_cast<std::size_t>(row)]];
}

/// What is set aside or fixed with an entry; a light stands for itself.
std::string FindingsSheet::assetOf(const CostShare& blame) const {
    return kind() == CostKind::Object
               ? document_.result()->mesh(document_.result()->objects[blame.index]).name
               : blame.name;
}

/// The fix that serves: levels against triangles, culling against calls and small things.
const char* FindingsSheet::fixFor(const CostShare&) const {
    return measure() == Measure::Triangles ? "ladder" : "culling";
}

void FindingsSheet::rankSoon() {
    if (!document_.hasScene()) return;
    const bool here = where_->currentIndex() == 0;
    runner_.request([this, here, scene = document_.result(), target = document_.target(),
                     view = document_.view(), by = measure(),
                     of = kind()]() -> std::function<void()> {
        const ViewCost cost =
            here ? viewCost(*scene, target, view) : wholeSceneCost(*scene, target);
        auto ranking = rank(*scene, target, cost, of, by);
        return [this, ranking = std::move(ranking)] { show(ranking); };
    });
}

void FindingsSheet::show(const std::vector<CostShare>& ranking) {
    if (!document_.hasScene()) return;
    const CostShare* chosen = current();
    const std::string keep = chosen ? chosen->name : "";
    ranking_ = ranking;
    if (table_->isVisible()) fillTable(keep);
}

void FindingsSheet::fillTable(const std::string& keep) {
    rows_.clear();
    int selected = -1;
    for (std::size_t i = 0; i < ranking_.size() && rows_.size() < kMostRows; ++i) {
        if (!toText(ranking_[i].name).contains(search_->text(), Qt::CaseInsensitive)) continue;
        if (ranking_[i].name == keep) selected = static_cast<int>(rows_.size());
        rows_.push_back(i);
    }
    const QSignalBlocker quiet(table_);
    table_->horizontalHeaderItem(2)->setText(by_->currentText());
    table_->setRowCount(static_cast<int>(rows_.size()));
    {
        // Hundreds of cells change at once: the view hears of it once, below.
        const QSignalBlocker still(table_->model());
        for (std::size_t row = 0; row < rows_.size(); ++row)
            fillRow(static_cast<int>(row), ranking_[rows_[row]]);
    }
    table_->viewport()->update();
    table_->setCurrentCell(selected, selected >= 0 ? 0 : -1);
    describeCurrent();
}

void FindingsSheet::fillRow(int row, const CostShare& blame) {
    setCell(table_, row, 0, toText(blame.name), false);
    setCell(table_, row, 1, toText(formatCount(static_cast<double>(blame.copies))));
    setCell(table_, row, 2, toText(formatMeasure(measure(), valueOf(blame, measure()))));
    setCell(table_, row, 3, toText(formatShare(blame.share)));
    const double most = std::max(1e-9, ranking_.front().share);
    table_->item(row, 3)->setData(CellDelegate::kShareRole, blame.share / most);
    const bool aside = document_.project().setAside.contains(assetOf(blame));
    for (int column = 0; column < table_->columnCount(); ++column)
        table_->item(row, column)
            ->setForeground(aside ? theme().hairline.lighter(150) : theme().ink);
}

void FindingsSheet::selectCurrent() {
    const CostShare* blame = current();
    if (!blame || kind() == CostKind::Light) return;
    const Scene& scene = *document_.result();
    const auto select = [&](std::size_t object) {
        document_.selectObject(static_cast<int>(scene.objects[object].origins.front()));
    };
    if (kind() == CostKind::Object) return select(blame->index);
    const auto nearest = nearestObject(scene, document_.view().eye, [&](std::size_t i) {
        return static_cast<std::size_t>(scene.objects[i].asset) == blame->index;
    });
    if (nearest) select(*nearest);
}

void FindingsSheet::describeCurrent() {
    const CostShare* blame = current();
    const bool textures = measure() == Measure::TextureBytes;
    show_->setEnabled(blame != nullptr);
    const bool light = kind() == CostKind::Light;
    fix_->setEnabled(blame != nullptr && !textures && !light);
    fix_->setToolTip(textures ? tr("Texture sizes cannot be changed yet.")
                     : light ? tr("Lights cannot be changed yet; What if off tells what one costs.")
                             : "");
    aside_->setEnabled(blame != nullptr);
    off_->setEnabled(blame != nullptr);
    if (!blame) {
        evidence_->setText(tr("Choose a row to see where it stands and what would serve."));
        return;
    }
    const bool aside = document_.project().setAside.contains(assetOf(*blame));
    aside_->setText(aside ? tr("Take up again") : tr("Set aside"));
    const double limit = at(document_.target().limits, measure());
    const double load = loadOf(valueOf(*blame, measure()), limit);
    if (light) {
        evidence_->setText(tr("%1: its shadow pass draws %2 triangles in %3 draw calls.")
                               .arg(toText(blame->name), toText(formatCount(blame->triangles)),
                                    toText(formatCount(blame->drawCalls))));
        return;
    }
    evidence_->setText(
        tr("%1: %2 triangles, %3 draw calls, %4 of textures in %5 copies. Alone it takes %6 of the "
           "limit for %7.")
            .arg(toText(blame->name), toText(formatCount(blame->triangles)),
                 toText(formatCount(blame->drawCalls)), toText(formatBytes(blame->textureBytes)))
            .arg(blame->copies)
            .arg(toText(formatShare(load)), by_->currentText().toLower()));
    selectCurrent();
}

/// Flies to the selected object, or in front of a light.
void FindingsSheet::showCurrent() {
    const CostShare* blame = current();
    if (blame && kind() == CostKind::Light)
        return emit viewRequested(viewBefore(
            document_.result()->placedLights[blame->index].position, document_.view().heading));
    selectCurrent();
    emit showRequested();
}

/// An object or a light alone, or every copy of an asset.
void FindingsSheet::switchCurrentOff() {
    const CostShare* blame = current();
    if (!blame) return;
    if (kind() == CostKind::Light) return document_.switchLightsOff({blame->index});
    std::vector<std::size_t> copies;
    const auto& objects = document_.result()->objects;
    for (std::size_t i = 0; i < objects.size(); ++i) {
        const auto found =
            kind() == CostKind::Object ? i : static_cast<std::size_t>(objects[i].asset);
        if (found != blame->index) continue;
        copies.insert(copies.end(), objects[i].origins.begin(), objects[i].origins.end());
    }
    document_.switchOff(copies);
}

}  // namespace flentro::app
