#include "panels/inventory_page.h"

#include <QHeaderView>
#include <QShowEvent>
#include <algorithm>
#include <cmath>
#include <set>

#include "base/index.h"
#include "base/text.h"
#include "widgets/show_me.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr std::size_t kMaxRows = 500;

/// Headers of each kind's table.
QStringList headersOf(InventoryPage::Kind kind) {
    switch (kind) {
        case InventoryPage::Assets:
            return {QObject::tr("Asset"), QObject::tr("Copies"), QObject::tr("Triangles"),
                    QObject::tr("Share"), QObject::tr("Spots"),  QObject::tr("Mark")};
        case InventoryPage::Textures:
            return {QObject::tr("Texture"), QObject::tr("Pixels"), QObject::tr("Memory"),
                    QObject::tr("File"),    QObject::tr("Uses"),   QObject::tr("Mips")};
        case InventoryPage::Materials:
            return {QObject::tr("Material"), QObject::tr("Objects"), QObject::tr("Assets"),
                    QObject::tr("Textures"), QObject::tr("Memory"),  QObject::tr("Drawn")};
        case InventoryPage::Lights:
            return {QObject::tr("Light"), QObject::tr("Kind"), QObject::tr("Strength"),
                    QObject::tr("Range"), QObject::tr("Shadows")};
        case InventoryPage::Skins:
            return {QObject::tr("Skin"), QObject::tr("Joints"), QObject::tr("Objects")};
    }
    return {};
}

QString countText(std::size_t count) {
    return toText(formatCount(static_cast<double>(count)));
}

QString kindOf(LightType type) {
    return type == LightType::Directional ? QObject::tr("sun")
           : type == LightType::Spot      ? QObject::tr("spot")
                                          : QObject::tr("point");
}

QString drawnAs(const Material& material) {
    QStringList words;
    if (material.alphaMode == AlphaMode::Blend) words << QObject::tr("blended");
    if (material.alphaMode == AlphaMode::Mask) words << QObject::tr("cut out");
    if (material.doubleSided) words << QObject::tr("two-sided");
    return words.isEmpty() ? QObject::tr("solid") : words.join(", ");
}

/// [assets] The most spots that see one of its objects; empty without a survey of the scene.
std::vector<std::size_t> spotsThatSee(const Document& document) {
    const Surveyed& surveyed = document.survey().surveyed();
    if (!surveyed.exists() || surveyed.scene != document.result() || !surveyed.survey->hasRays())
        return {};
    std::vector<std::size_t> spots(surveyed.scene->assets.size(), 0);
    const auto& seen = surveyed.survey->seen.objects;
    for (std::size_t i = 0; i < seen.size() && i < surveyed.scene->objects.size(); ++i) {
        std::size_t& most = elementOf(spots, surveyed.scene->objects[i].asset);
        most = std::max<std::size_t>(most, seen[i].spots);
    }
    return spots;
}

using Row = InventoryPage::Row;
using Cell = InventoryPage::Cell;

Cell figure(std::size_t count) {
    return {countText(count), static_cast<double>(count)};
}

Cell bytes(double value) {
    return {toText(formatBytes(value)), value};
}

Cell words(const QString& text) {
    return {text, 0, false};
}

/// `spots` [assets] that see each; empty: not known.
std::vector<Row> assetRows(const Inventory& all, const WorkOrder& order,
                           const std::vector<std::size_t>& spots) {
    std::vector<Row> rows;
    for (const AssetEntry& entry : all.assets) {
        const auto marked = order.importance.find(entry.name);
        const bool isKnown = entry.asset < spots.size();
        rows.push_back(
            {entry.asset,
             toText(entry.name),
             {figure(entry.instances),
              figure(entry.placed),
              {toText(formatShare(entry.share)), entry.share},
              isKnown ? figure(spots[entry.asset]) : Cell{"-", -1},
              words(marked == order.importance.end() ? QString()
                                                     : toText(importanceName(marked->second)))}});
    }
    return rows;
}

std::vector<Row> textureRows(const Inventory& all) {
    std::vector<Row> rows;
    for (const TextureEntry& entry : all.textures)
        rows.push_back({entry.image,
                        toText(entry.name),
                        {{QString("%1 x %2").arg(entry.width).arg(entry.height),
                          static_cast<double>(entry.width) * entry.height},
                         bytes(entry.memory),
                         bytes(static_cast<double>(entry.fileBytes)),
                         figure(entry.materials),
                         words(entry.mipMaps ? QObject::tr("yes") : QObject::tr("no"))}});
    return rows;
}

std::vector<Row> materialRows(const Inventory& all, const Scene& scene) {
    std::vector<Row> rows;
    for (const MaterialEntry& entry : all.materialEntries)
        rows.push_back(
            {entry.material,
             toText(entry.name),
             {figure(entry.objects), figure(entry.assets), figure(entry.images),
              bytes(entry.textureBytes), words(drawnAs(scene.materials[entry.material]))}});
    return rows;
}

std::vector<Row> lightRows(const Inventory& all) {
    std::vector<Row> rows;
    for (const LightEntry& entry : all.lightEntries) {
        const QString unit = entry.type == LightType::Directional ? "lx" : "cd";
        rows.push_back(
            {entry.light,
             toText(entry.name),
             {words(kindOf(entry.type)),
              {QString("%1 %2").arg(entry.intensity, 0, 'g', 4).arg(unit), entry.intensity},
              {std::isfinite(entry.range) ? toText(formatMetres(entry.range)) : QObject::tr("none"),
               entry.range},
              {entry.castsShadow ? QObject::tr("cast") : QObject::tr("none"),
               entry.castsShadow ? 1.0 : 0.0, false}}});
    }
    return rows;
}

std::vector<Row> skinRows(const Inventory& all) {
    std::vector<Row> rows;
    for (const SkinEntry& entry : all.skinEntries)
        rows.push_back(
            {entry.skin, toText(entry.name), {figure(entry.joints), figure(entry.objects)}});
    return rows;
}

}  // namespace

InventoryPage::InventoryPage(Document& document, QWidget* parent)
    : QWidget(parent),
      document_(document),
      kind_(new QComboBox),
      search_(new QLineEdit),
      table_(makeTable(headersOf(Assets))),
      evidence_(makeFaint("")),
      show_(new QPushButton(tr("Show me"))),
      off_(new QPushButton(tr("What if off"))),
      importance_(new QComboBox),
      cast_(new QPushButton(tr("Cast shadows"))),
      castNone_(new QPushButton(tr("Cast none"))) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    buildLayout(layout);
    connectAll();
    describe();
}

void InventoryPage::buildLayout(QVBoxLayout* layout) {
    auto* row = new QHBoxLayout;
    kind_->addItems({tr("Assets"), tr("Textures"), tr("Materials"), tr("Lights"), tr("Skins")});
    kind_->setAccessibleName(tr("Inventory of"));
    search_->setPlaceholderText(tr("Filter by name (Ctrl+F)"));
    search_->setClearButtonEnabled(true);
    search_->setAccessibleName(tr("Filter inventory"));
    row->addWidget(kind_);
    row->addWidget(search_, 1);
    layout->addLayout(row);
    table_->setAccessibleName(tr("Inventory"));
    table_->setSelectionMode(QAbstractItemView::ExtendedSelection);
    table_->horizontalHeader()->setSectionsClickable(true);
    layout->addWidget(table_, 1);
    evidence_->setWordWrap(true);
    layout->addWidget(evidence_);
    importance_->addItems(
        {tr("Mark as ..."), tr("Hero"), tr("Normal"), tr("Backdrop"), tr("Keep")});
    importance_->setAccessibleName(tr("Mark as"));
    importance_->setToolTip(
        tr("How much fixes may take: of a hero half the visible change, of a backdrop twice; what "
           "is kept stays as it is."));
    cast_->setToolTip(tr("The chosen lights cast shadows, besides those that do."));
    castNone_->setToolTip(tr("The chosen lights cast no shadows any more."));
    auto* buttons = new QHBoxLayout;
    for (QWidget* widget :
         std::initializer_list<QWidget*>{show_, off_, importance_, cast_, castNone_})
        buttons->addWidget(widget);
    buttons->addStretch(1);
    layout->addLayout(buttons);
}

void InventoryPage::connectAll() {
    connect(kind_, &QComboBox::currentIndexChanged, this, [this] {
        sortedBy_ = -1;
        listSoon();
    });
    connect(search_, &QLineEdit::textChanged, this, &InventoryPage::fillTable);
    connect(table_->horizontalHeader(), &QHeaderView::sectionClicked, this, [this](int column) {
        sorting_ = sortedBy_ == column && sorting_ == Qt::DescendingOrder ? Qt::AscendingOrder
                                                                          : Qt::DescendingOrder;
        sortedBy_ = column;
        fillTable();
    });
    connect(table_, &QTableWidget::itemSelectionChanged, this, [this] {
        describe();
        selectFirst();
    });
    connect(table_, &QTableWidget::cellDoubleClicked, this, &InventoryPage::showFirst);
    connect(show_, &QPushButton::clicked, this, &InventoryPage::showFirst);
    connect(off_, &QPushButton::clicked, this, &InventoryPage::switchChosenOff);
    connect(importance_, &QComboBox::activated, this, [this](int entry) {
        importance_->setCurrentIndex(0);
        if (entry > 0) mark(static_cast<Importance>(entry - 1));
    });
    connect(cast_, &QPushButton::clicked, this, [this] { setShadows(true); });
    connect(castNone_, &QPushButton::clicked, this, [this] { setShadows(false); });
    connect(&document_.evaluator(), &Evaluator::changed, this, &InventoryPage::listSoon);
    connect(&document_.projectModel(), &ProjectModel::changed, this, &InventoryPage::listSoon);
    connect(&document_.survey(), &SurveyModel::changed, this, &InventoryPage::listSoon);
}

void InventoryPage::turnTo(Kind kind) {
    kind_->setCurrentIndex(kind);
}

void InventoryPage::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    listSoon();
}

void InventoryPage::listSoon() {
    if (!isVisible() || !document_.hasScene()) return;
    runner_.request([this, of = kind(), scene = document_.result(), target = document_.target(),
                     order = document_.project().order,
                     spots = spotsThatSee(document_)]() -> std::function<void()> {
        auto rows = rowsOf(of, *scene, target, order, spots);
        return [this, of, scene, rows = std::move(rows)]() mutable {
            if (of == kind()) adopt(scene, std::move(rows));
        };
    });
}

std::vector<InventoryPage::Row> InventoryPage::rowsOf(Kind kind, const Scene& scene,
                                                      const Target& target, const WorkOrder& order,
                                                      const std::vector<std::size_t>& spots) {
    const Inventory all = takeInventory(scene, target);
    switch (kind) {
        case Assets:
            return assetRows(all, order, spots);
        case Textures:
            return textureRows(all);
        case Materials:
            return materialRows(all, scene);
        case Lights:
            return lightRows(all);
        case Skins:
            return skinRows(all);
    }
    return {};
}

void InventoryPage::adopt(ScenePtr scene, std::vector<Row> rows) {
    scene_ = std::move(scene);
    rows_ = std::move(rows);
    fillTable();
}

std::vector<const InventoryPage::Row*> InventoryPage::chosen() const {
    std::vector<const Row*> some;
    for (const QModelIndex& line : table_->selectionModel()->selectedRows())
        if (static_cast<std::size_t>(line.row()) < order_.size())
            some.push_back(&rows_[elementOf(order_, line.row())]);
    return some;
}

void InventoryPage::fillTable() {
    std::set<QString> keep;
    for (const Row* row : chosen()) keep.insert(row->name);
    order_.clear();
    for (std::size_t i = 0; i < rows_.size(); ++i)
        if (rows_[i].name.contains(search_->text(), Qt::CaseInsensitive)) order_.push_back(i);
    if (sortedBy_ >= 0)
        std::stable_sort(order_.begin(), order_.end(), [this](std::size_t a, std::size_t b) {
            if (sorting_ == Qt::AscendingOrder) std::swap(a, b);
            if (sortedBy_ == 0) return rows_[a].name > rows_[b].name;
            const Cell& one = elementOf(rows_[a].cells, sortedBy_ - 1);
            const Cell& other = elementOf(rows_[b].cells, sortedBy_ - 1);
            return one.isFigure || one.key != other.key ? one.key > other.key
                                                        : one.text > other.text;
        });
    const std::size_t all = order_.size();
    order_.resize(std::min(order_.size(), kMaxRows));
    const QSignalBlocker quiet(table_);
    const QStringList headers = headersOf(kind());
    table_->clearContents();
    table_->setColumnCount(static_cast<int>(headers.size()));
    table_->setHorizontalHeaderLabels(headers);
    table_->horizontalHeaderItem(0)->setTextAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    table_->setRowCount(static_cast<int>(order_.size()));
    {
        // Hundreds of cells change at once: the view hears of it once, below.
        const QSignalBlocker still(table_->model());
        for (int line = 0; line < table_->rowCount(); ++line) {
            const Row& row = rows_[elementOf(order_, line)];
            setCell(table_, line, 0, row.name, false);
            for (std::size_t c = 0; c < row.cells.size(); ++c) {
                setCell(table_, line, static_cast<int>(c) + 1, row.cells[c].text,
                        row.cells[c].isFigure);
                table_->item(line, static_cast<int>(c) + 1)
                    ->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
            }
        }
    }
    table_->viewport()->update();
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    table_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    table_->horizontalHeader()->setSortIndicatorShown(sortedBy_ >= 0);
    if (sortedBy_ >= 0) table_->horizontalHeader()->setSortIndicator(sortedBy_, sorting_);
    for (int line = 0; line < table_->rowCount(); ++line)
        if (keep.contains(rows_[elementOf(order_, line)].name))
            table_->selectionModel()->select(
                table_->model()->index(line, 0),
                QItemSelectionModel::Select | QItemSelectionModel::Rows);
    evidence_->setToolTip(all > order_.size() ? tr("The first %1 of %2.").arg(kMaxRows).arg(all)
                                              : QString());
    describe();
}

void InventoryPage::describe() {
    const std::size_t count = chosen().size();
    const bool assets = kind() == Assets, lights = kind() == Lights;
    show_->setVisible(assets || lights);
    off_->setVisible(assets || lights || kind() == Textures);
    importance_->setVisible(assets);
    cast_->setVisible(lights);
    castNone_->setVisible(lights);
    show_->setEnabled(count > 0);
    off_->setEnabled(count > 0);
    importance_->setEnabled(count > 0);
    cast_->setEnabled(count > 0);
    castNone_->setEnabled(count > 0);
    if (!document_.hasScene())
        evidence_->setText(tr("Open a scene first."));
    else if (count == 0)
        evidence_->setText(
            tr("%1 in all. A click on a column sorts by it.").arg(countText(rows_.size())));
    else
        evidence_->setText(tr("%1 of %2 chosen.").arg(count).arg(rows_.size()));
}

/// The copy of the first chosen asset that is nearest to the eye.
void InventoryPage::selectFirst() {
    const auto some = chosen();
    if (some.empty() || kind() != Assets || scene_ != document_.result()) return;
    const auto nearest = nearestObject(*scene_, document_.view().eye, [&](std::size_t i) {
        return static_cast<std::size_t>(scene_->objects[i].asset) == some.front()->index;
    });
    if (nearest)
        document_.selection().selectObject(
            static_cast<int>(scene_->objects[*nearest].origins.front()));
}

void InventoryPage::showFirst() {
    const auto some = chosen();
    if (some.empty() || scene_ != document_.result()) return;
    if (kind() == Lights)
        return emit viewRequested(viewBefore(scene_->placedLights[some.front()->index].position,
                                             document_.view().heading));
    selectFirst();
    if (kind() == Assets) emit showRequested();
}

void InventoryPage::switchChosenOff() {
    if (scene_ != document_.result()) return;
    TakeOut out(*document_.source(), *scene_, document_.selection().without());
    for (const Row* row : chosen()) {
        if (kind() == Assets) out.asset(row->index);
        if (kind() == Lights) out.light(row->index);
        if (kind() == Textures) out.image(row->index);
    }
    document_.selection().setWithout(out.origins());
}

void InventoryPage::mark(Importance importance) {
    WorkOrder order = document_.project().order;
    for (const Row* row : chosen()) {
        const std::string name = row->name.toStdString();
        if (importance == Importance::Normal)
            order.importance.erase(name);
        else
            order.importance[name] = importance;
    }
    document_.projectModel().setOrder(order, tr("Mark %1").arg(toText(importanceName(importance))));
}

/// The scene is read again with them: its own counts change as well.
void InventoryPage::setShadows(bool cast) {
    ShadowLights wanted;
    for (const PlacedLight& placed : document_.source()->placedLights)
        if (placed.castsShadow) wanted.names.insert(placed.name);
    for (const Row* row : chosen())
        if (cast)
            wanted.names.insert(row->name.toStdString());
        else
            wanted.names.erase(row->name.toStdString());
    ImportSettings settings = document_.project().import;
    settings.shadowLights = wanted;
    document_.projectModel().setImport(settings,
                                       cast ? tr("Lights cast shadows") : tr("Lights cast none"));
}

}  // namespace flentro::app
