#include "panels/findings_panel.h"

#include <QHeaderView>
#include <QShowEvent>
#include <QStandardItemModel>
#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "base/text.h"
#include "survey/analysis.h"
#include "widgets/page_stack.h"
#include "widgets/show_me.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr std::size_t kMaxRows = 200;
constexpr int kSettleMilliseconds = 150;  ///< Stillness of the view before it is ranked again.

QComboBox* makeChoice(const QString& name, const QStringList& entries) {
    auto* box = new QComboBox;
    box->addItems(entries);
    box->setAccessibleName(name);
    return box;
}

QStringList measureNames() {
    QStringList names;
    for (const Measure measure : kMeasures) names << measureName(measure);
    return names;
}

/// Measures that lights, not things, add to.
bool isOfLights(Measure measure) {
    return measure == Measure::Lights || measure == Measure::ShadowLights;
}

}  // namespace

FindingsPanel::FindingsPanel(Document& document, QWidget* parent)
    : QWidget(parent),
      document_(document),
      tabs_(new QTabBar),
      causes_(new CausesPage(document)),
      inventory_(new InventoryPage(document)),
      where_(makeChoice(tr("Where"), {tr("In this view"), tr("Worst view"), tr("Whole scene")})),
      what_(makeChoice(tr("What"), {tr("Assets"), tr("Objects"), tr("Lights")})),
      by_(makeChoice(tr("By"), measureNames())),
      bar_(new FillBar),
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
    auto* pages = new PageStack;
    for (const QString& name : {tr("Causes"), tr("What fills this view"), tr("Inventory")})
        tabs_->addTab(name);
    tabs_->setAccessibleName(tr("Pages of the findings"));
    tabs_->setExpanding(false);
    tabs_->setDrawBase(false);
    layout->addWidget(tabs_);
    pages->addPage(causes_);
    pages->addPage(makeFills());
    pages->addPage(inventory_);
    layout->addWidget(pages, 1);
    connect(tabs_, &QTabBar::currentChanged, this, [this, pages](int page) {
        pages->turnTo(page);
        if (page == Fills) rankSoon();
    });
    connect(causes_, &CausesPage::showRequested, this, &FindingsPanel::showRequested);
    connect(causes_, &CausesPage::viewRequested, this, &FindingsPanel::viewRequested);
    connect(inventory_, &InventoryPage::showRequested, this, &FindingsPanel::showRequested);
    connect(inventory_, &InventoryPage::viewRequested, this, &FindingsPanel::viewRequested);
    connect(causes_, &CausesPage::fixRequested, this, &FindingsPanel::fixRequested);
    connect(causes_, &CausesPage::counted, this, &FindingsPanel::counted);
    connect(causes_, &CausesPage::tried, this, &FindingsPanel::tried);
}

void FindingsPanel::focusSearch() {
    if (tabs_->currentIndex() == Causes)
        causes_->focusSearch();
    else if (tabs_->currentIndex() == All)
        inventory_->focusSearch();
    else
        search_->setFocus();
}

QWidget* FindingsPanel::makeFills() {
    auto* page = new QWidget;
    auto* layout = new QVBoxLayout(page);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    layout->addLayout(makeChoices());
    layout->addWidget(bar_);
    connect(bar_, &FillBar::chosen, this, [this](int segment) {
        search_->clear();
        table_->setCurrentCell(segment, 0);
    });
    search_->setPlaceholderText(tr("Filter by name (Ctrl+F)"));
    search_->setClearButtonEnabled(true);
    search_->setAccessibleName(tr("Filter"));
    connect(search_, &QLineEdit::textChanged, this, [this] { show(ranking_); });
    layout->addWidget(search_);
    table_->setAccessibleName(tr("Ranking"));
    connect(table_, &QTableWidget::itemSelectionChanged, this, &FindingsPanel::describeCurrent);
    connect(table_, &QTableWidget::cellDoubleClicked, show_, &QPushButton::click);
    layout->addWidget(table_, 1);
    evidence_->setWordWrap(true);
    evidence_->setMinimumHeight(54);
    evidence_->setAlignment(Qt::AlignTop);
    layout->addWidget(evidence_);
    layout->addLayout(makeButtons());
    settle_.setSingleShot(true);
    settle_.setInterval(kSettleMilliseconds);
    connect(&settle_, &QTimer::timeout, this, &FindingsPanel::rankSoon);
    connect(&document_.counter(), &ViewCounter::changed, &settle_, qOverload<>(&QTimer::start));
    connect(&document_.projectModel(), &ProjectModel::changed, this, [this] { show(ranking_); });
    connect(&themeWatch(), &ThemeWatch::changed, this, [this] { show(ranking_); });
    connect(&document_.survey(), &SurveyModel::changed, &settle_, qOverload<>(&QTimer::start));
    describeCurrent();
    return page;
}

QLayout* FindingsPanel::makeChoices() {
    auto* choices = new QHBoxLayout;
    choices->setSpacing(6);
    // First of all, so that what is ranked is what is shown: a measure of lights has lights, and
    // lights add to few others.
    connect(by_, &QComboBox::activated, this, [this] {
        if (isOfLights(measure())) what_->setCurrentIndex(static_cast<int>(CostKind::Light));
    });
    connect(what_, &QComboBox::activated, this, [this] {
        const bool drawn = measure() == Measure::Triangles || measure() == Measure::DrawCalls;
        if ((kind() == CostKind::Light) != isOfLights(measure()) && !drawn)
            by_->setCurrentIndex(static_cast<int>(Measure::Triangles));
    });
    for (QComboBox* box : {where_, what_, by_}) {
        choices->addWidget(box, 1);
        connect(box, &QComboBox::activated, this, &FindingsPanel::rankSoon);
    }
    where_->setItemData(WorstView, tr("Of the survey, in the chosen measure"), Qt::ToolTipRole);
    return choices;
}

QLayout* FindingsPanel::makeButtons() {
    auto* buttons = new QHBoxLayout;
    for (QPushButton* button : {fix_, show_, off_, aside_}) buttons->addWidget(button);
    connect(show_, &QPushButton::clicked, this, &FindingsPanel::showCurrent);
    connect(fix_, &QPushButton::clicked, this, [this] {
        if (const CostShare* blame = current())
            emit fixRequested(proposeSettings(*findFixKind(fixForCurrent()), *document_.source()),
                              kind() == CostKind::Light ? QString() : toText(assetOf(*blame)));
    });
    connect(aside_, &QPushButton::clicked, this, [this] {
        if (const CostShare* blame = current()) {
            const std::string asset = assetOf(*blame);
            document_.projectModel().setAside(asset, !document_.project().setAside.contains(asset));
        }
    });
    off_->setToolTip(
        tr("Counts and draws everything as if it were not there: board, plan and strip "
           "follow. Shift+X in the view switches all on again."));
    connect(off_, &QPushButton::clicked, this, &FindingsPanel::switchCurrentOff);
    return buttons;
}

void FindingsPanel::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    rankSoon();
}

Measure FindingsPanel::measure() const {
    return elementOf(kMeasures, by_->currentIndex());
}

CostKind FindingsPanel::kind() const {
    static constexpr CostKind kinds[] = {CostKind::Asset, CostKind::Object, CostKind::Light};
    return kinds[what_->currentIndex()];
}

const CostShare* FindingsPanel::current() const {
    const int row = table_->currentRow();
    if (row < 0 || static_cast<std::size_t>(row) >= rows_.size()) return nullptr;
    return &ranking_[elementOf(rows_, row)];
}

/// What is set aside or fixed with an entry; a light stands for itself.
std::string FindingsPanel::assetOf(const CostShare& blame) const {
    return kind() == CostKind::Object
               ? document_.result()->mesh(document_.result()->objects[blame.index]).name
               : blame.name;
}

const char* FindingsPanel::fixForCurrent() const {
    if (kind() != CostKind::Light || isOfLights(measure())) return fixFor(measure());
    return "shadow-lights";  // what else a light costs are its shadow passes
}

/// The view that is looked at; nothing for the whole scene.
std::optional<Viewpoint> FindingsPanel::rankedView() const {
    if (where_->currentIndex() == WholeScene) return std::nullopt;
    if (where_->currentIndex() == ThisView) return document_.view();
    const Surveyed& surveyed = document_.survey().surveyed();
    const auto worst = surveyed.extremes(measure(), document_.target());
    return surveyed.survey->spots[worst.spot].views[worst.view];
}

/// The worst view can be chosen once there is a survey.
void FindingsPanel::offerWorstView() {
    const Surveyed& surveyed = document_.survey().surveyed();
    const bool isKnown = surveyed.exists() && surveyed.survey->doneCount() > 0;
    if (!isKnown && where_->currentIndex() == WorstView) where_->setCurrentIndex(ThisView);
    qobject_cast<QStandardItemModel*>(where_->model())->item(WorstView)->setEnabled(isKnown);
}

void FindingsPanel::rankSoon() {
    if (!document_.hasScene()) return;
    offerWorstView();
    runner_.request([this, scene = document_.result(), target = document_.target(),
                     view = rankedView(), by = measure(), of = kind()]() -> std::function<void()> {
        const ViewCost cost =
            view ? viewCost(*scene, target, *view) : wholeSceneCost(*scene, target);
        auto ranking = rank(*scene, target, cost, of, by);
        return [this, ranking = std::move(ranking)] { show(ranking); };
    });
}

void FindingsPanel::show(const std::vector<CostShare>& ranking) {
    if (!document_.hasScene()) return;
    const CostShare* chosen = current();
    const std::string keep = chosen ? chosen->name : "";
    ranking_ = ranking;
    fillBar();
    if (table_->isVisible()) fillTable(keep);
}

/// What is added up is shown as shares of a whole.
void FindingsPanel::fillBar() {
    constexpr std::size_t kMaxSegments = 12;
    std::vector<FillBar::Segment> segments;
    for (std::size_t i = 0; i < std::min(kMaxSegments, ranking_.size()); ++i) {
        const CostShare& entry = ranking_[i];
        if (isLargestInUse(measure()) || entry.share <= 0) break;
        const double value = valueOf(entry, kind(), measure());
        const double shadow = measure() == Measure::Triangles   ? entry.shadowTriangles
                              : measure() == Measure::DrawCalls ? entry.shadowCalls
                                                                : 0;
        segments.push_back({toText(entry.name), entry.share, value > 0 ? shadow / value : 0});
    }
    bar_->show(std::move(segments));
}

void FindingsPanel::fillTable(const std::string& keep) {
    rows_.clear();
    int selected = -1;
    for (std::size_t i = 0; i < ranking_.size() && rows_.size() < kMaxRows; ++i) {
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

void FindingsPanel::fillRow(int row, const CostShare& blame) {
    setCell(table_, row, 0, toText(blame.name), false);
    setCell(table_, row, 1, toText(formatCount(static_cast<double>(blame.copies))));
    setCell(table_, row, 2, toText(formatMeasure(measure(), valueOf(blame, kind(), measure()))));
    setCell(table_, row, 3, toText(formatShare(blame.share)));
    const double most = std::max(1e-9, ranking_.front().share);
    table_->item(row, 3)->setData(CellDelegate::kShareRole, blame.share / most);
    const bool aside = document_.project().setAside.contains(assetOf(blame));
    for (int column = 0; column < table_->columnCount(); ++column)
        table_->item(row, column)
            ->setForeground(aside ? theme().hairline.lighter(150) : theme().ink);
}

void FindingsPanel::selectCurrent() {
    const CostShare* blame = current();
    if (!blame || kind() == CostKind::Light) return;
    const Scene& scene = *document_.result();
    const auto select = [&](std::size_t object) {
        document_.selection().selectObject(static_cast<int>(scene.objects[object].origins.front()));
    };
    if (kind() == CostKind::Object) return select(blame->index);
    const auto nearest = nearestObject(scene, document_.view().eye, [&](std::size_t i) {
        return static_cast<std::size_t>(scene.objects[i].asset) == blame->index;
    });
    if (nearest) select(*nearest);
}

/// What the surveyed view at hand draws, and how much of that nobody sees there; empty without a
/// survey with rays, and for the whole scene.
QString FindingsPanel::drawnAndSeen() const {
    const Surveyed& surveyed = document_.survey().surveyed();
    if (!surveyed.exists() || !surveyed.survey->hasRays() || where_->currentIndex() == WholeScene ||
        document_.survey().nearestSpot() < 0)
        return {};
    auto spot = static_cast<std::size_t>(document_.survey().nearestSpot());
    std::size_t view = 0;
    if (where_->currentIndex() == WorstView) {
        const auto worst = surveyed.extremes(measure(), document_.target());
        spot = worst.spot;
        view = worst.view;
    } else {
        const auto turned = [&](std::size_t v) {
            const double by =
                surveyed.survey->spots[spot].views[v].heading - document_.view().heading;
            return std::fabs(std::remainder(by, 360.0));
        };
        for (std::size_t v = 1; v < surveyed.survey->spots[spot].views.size(); ++v)
            if (turned(v) < turned(view)) view = v;
    }
    const SpotResult& place = surveyed.survey->spots[spot];
    if (!place.done) return {};
    const ViewWaste waste = wasteOf(*surveyed.scene, *surveyed.survey, spot, view);
    return tr("At spot %1, %2°: of %3 (%4 triangles) that are drawn, %5 (%6) are not seen.")
        .arg(toText(place.name))
        .arg(place.views[view].heading, 0, 'f', 0)
        .arg(toCounted(waste.drawnObjects, "object"))
        .arg(toText(formatCount(waste.drawnTriangles)))
        .arg(waste.hiddenObjects)
        .arg(toText(formatCount(waste.hiddenTriangles)));
}

void FindingsPanel::describeCurrent() {
    const CostShare* blame = current();
    show_->setEnabled(blame != nullptr);
    const bool light = kind() == CostKind::Light;
    fix_->setEnabled(blame != nullptr);
    fix_->setToolTip(toText(findFixKind(fixForCurrent())->help));
    aside_->setEnabled(blame != nullptr);
    off_->setEnabled(blame != nullptr);
    if (!blame) {
        const QString seen = drawnAndSeen();
        evidence_->setText(seen.isEmpty()
                               ? tr("Choose a row to see where it stands and what would serve.")
                               : seen);
        return;
    }
    const bool aside = document_.project().setAside.contains(assetOf(*blame));
    aside_->setText(aside ? tr("Take up again") : tr("Set aside"));
    const double limit = at(document_.target().limits, measure());
    const double load = loadOf(valueOf(*blame, kind(), measure()), limit);
    if (light) {
        evidence_->setText(tr("%1: its shadow pass draws %2 triangles in %3.")
                               .arg(toText(blame->name), toText(formatCount(blame->triangles)),
                                    toCounted(blame->drawCalls, "draw call")));
        return;
    }
    QString text =
        tr("%1: %2 triangles, %3, %4 of textures in %5.")
            .arg(toText(blame->name), toText(formatCount(blame->triangles)),
                 toCounted(blame->drawCalls, "draw call"), toText(formatBytes(blame->textureBytes)),
                 toCounted(blame->copies, "copy", "copies"));
    if (isLimit(limit) && limit > 0)
        text += " " + tr("Alone it takes %1 of the limit for %2.")
                          .arg(toText(formatShare(load)), by_->currentText().toLower());
    evidence_->setText(text);
    selectCurrent();
}

/// Flies to the selected object, or in front of a light.
void FindingsPanel::showCurrent() {
    const CostShare* blame = current();
    if (blame && kind() == CostKind::Light)
        return emit viewRequested(viewBefore(
            document_.result()->placedLights[blame->index].position, document_.view().heading));
    selectCurrent();
    emit showRequested();
}

/// An object or a light alone, or every copy of an asset.
void FindingsPanel::switchCurrentOff() {
    const CostShare* blame = current();
    if (!blame) return;
    TakeOut out(*document_.source(), *document_.result(), document_.selection().without());
    if (kind() == CostKind::Light) out.light(blame->index);
    if (kind() == CostKind::Object) out.object(blame->index);
    if (kind() == CostKind::Asset) out.asset(blame->index);
    document_.selection().setWithout(out.origins());
}

}  // namespace flentro::app
