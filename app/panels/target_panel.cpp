#include "panels/target_panel.h"

#include <QFileDialog>
#include <QGridLayout>
#include <QHeaderView>

#include "base/index.h"
#include "base/text.h"
#include "io/file.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr double kMebibyte = 1024.0 * 1024.0;

double unitOf(Measure measure) {
    return measure == Measure::TextureBytes ? kMebibyte : 1;
}

QString unitName(Measure measure) {
    return measure == Measure::TextureBytes ? "MiB" : measure == Measure::TextureEdge ? "px" : "";
}

}  // namespace

TargetPanel::TargetPanel(Document& document, QWidget* parent)
    : QWidget(parent), document_(document) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(16, 14, 16, 14);
    layout->setSpacing(6);
    addHeading(layout, tr("Target"), tr("The weakest machine, and what a view may cost on it."));
    addPicker(layout);
    addDisplay(layout);
    addBatching(layout);
    addRule(layout);
    addLimits(layout);
    addRule(layout);
    addComparison(layout);
    layout->addStretch(1);
    connect(&document.projectModel(), &ProjectModel::changed, this, &TargetPanel::refresh);
    connect(&themeWatch(), &ThemeWatch::changed, this, &TargetPanel::refresh);
    connect(&document.counter(), &ViewCounter::changed, this, &TargetPanel::compareSoon);
    refresh();
}

void TargetPanel::edit(const QString& change, const std::function<void(Target&)>& apply) {
    if (refreshing_) return;
    Target target = document_.target();
    apply(target);
    document_.projectModel().setTarget(target, change);
}

void TargetPanel::addPicker(QVBoxLayout* layout) {
    auto* row = new QHBoxLayout;
    picker_ = new QComboBox;
    picker_->setAccessibleName(tr("Target"));
    for (const Target& target : shippedTargets()) picker_->addItem(toText(target.name));
    connect(picker_, &QComboBox::activated, this, [this](int index) {
        const Target& target = elementOf(shippedTargets(), index);
        document_.projectModel().setTarget(target, tr("Target %1").arg(toText(target.name)));
    });
    row->addWidget(picker_, 1);
    auto* save = new QPushButton(tr("Save as ..."));
    save->setToolTip(tr("Write this target to a file that others can open."));
    connect(save, &QPushButton::clicked, this, &TargetPanel::saveTarget);
    row->addWidget(save);
    layout->addLayout(row);
    description_ = makeFaint("");
    description_->setWordWrap(true);
    layout->addWidget(description_);
}

void TargetPanel::addDisplay(QVBoxLayout* layout) {
    struct Entry {
        NumberField field;
        std::function<double(const Target&)> get;
        std::function<void(Target&, double)> set;
    };
    const std::vector<Entry> entries = {
        {{tr("Frame rate"), tr("Hz"), 1, 1000, 0, tr("Frames a second that must be held.")},
         [](const Target& t) { return t.frameRate; },
         [](Target& t, double v) { t.frameRate = v; }},
        {{tr("Field of view"), tr("°"), 5, 170, 0, tr("Vertical.")},
         [](const Target& t) { return t.verticalFov; },
         [](Target& t, double v) { t.verticalFov = v; }},
        {{tr("Width"), tr("px"), 16, 32768, 0, tr("Of one eye's picture.")},
         [](const Target& t) { return t.width; },
         [](Target& t, double v) { t.width = static_cast<int>(v); }},
        {{tr("Height"), tr("px"), 16, 32768, 0, tr("Of one eye's picture.")},
         [](const Target& t) { return t.height; },
         [](Target& t, double v) { t.height = static_cast<int>(v); }},
        {{tr("Far plane"), tr("m"), 1, 1e6, 0, tr("Nothing beyond is drawn.")},
         [](const Target& t) { return t.farPlane; },
         [](Target& t, double v) { t.farPlane = v; }},
        {{tr("Eyes"), "", 1, 2, 0, tr("Two for headsets.")},
         [](const Target& t) { return t.eyes; },
         [](Target& t, double v) { t.eyes = static_cast<int>(v); }}};
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(8);
    grid->setVerticalSpacing(3);
    for (std::size_t i = 0; i < entries.size(); ++i) {
        const Entry& entry = entries[i];
        QDoubleSpinBox* box = makeNumber(entry.field, this, [this, entry](double value) {
            edit(tr("Change %1").arg(entry.field.label.toLower()),
                 [&](Target& target) { entry.set(target, value); });
        });
        fields_.emplace_back(box, entry.get);
        const int row = static_cast<int>(i / 2);
        const int column = static_cast<int>(i % 2) * 2;
        grid->addWidget(makeFaint(entry.field.label), row, column);
        grid->addWidget(box, row, column + 1);
    }
    layout->addLayout(grid);
}

void TargetPanel::addBatching(QVBoxLayout* layout) {
    batching_ = new QComboBox;
    batching_->addItems({tr("each object by itself"), tr("copies on one node together"),
                         tr("equal meshes together")});
    batching_->setAccessibleName(tr("Draw calls"));
    batching_->setToolTip(
        tr("What one call draws, for each material and level. The file guarantees that copies on "
           "one node are together (EXT_mesh_gpu_instancing); equal meshes on many nodes only if "
           "the program puts them together by itself."));
    connect(batching_, &QComboBox::activated, this, [this](int index) {
        edit(tr("Change what a draw call draws"),
             [&](Target& target) { target.batching = elementOf(kBatchings, index); });
    });
    auto* row = new QHBoxLayout;
    row->addWidget(makeFaint(tr("Draw calls")));
    row->addWidget(batching_, 1);
    layout->addLayout(row);
}

void TargetPanel::addLimits(QVBoxLayout* layout) {
    auto* grid = new QGridLayout;
    grid->setVerticalSpacing(3);
    grid->addWidget(makeFaint(tr("Limit for any view")), 0, 0);
    int row = 1;
    for (const Measure measure : kMeasures) {
        grid->addWidget(new QLabel(measureName(measure)), row, 0);
        QDoubleSpinBox* box =
            makeNumber({measureName(measure), unitName(measure), -1, 1e9, 0,
                        QString(measureHelp(measure)) + tr(" 0: none allowed; below: no limit.")},
                       this, [this, measure](double value) {
                           edit(tr("Limit for %1").arg(QString(measureName(measure)).toLower()),
                                [&](Target& target) {
                                    at(target.limits, measure) =
                                        value < 0 ? kNoLimit : value * unitOf(measure);
                                });
                       });
        box->setSpecialValueText(tr("no limit"));
        fields_.emplace_back(box, [measure](const Target& target) {
            const double limit = at(target.limits, measure);
            return isLimit(limit) ? limit / unitOf(measure) : -1;
        });
        grid->addWidget(box, row++, 1);
    }
    layout->addLayout(grid);
}

void TargetPanel::addComparison(QVBoxLayout* layout) {
    layout->addWidget(makeFaint(tr("This view on every shipped target, as load")));
    QStringList header = {""};
    for (const Target& target : shippedTargets()) header << toText(target.name).replace(' ', '\n');
    comparison_ = makeTable(header);
    comparison_->setAccessibleName(tr("Comparison of targets"));
    comparison_->setSelectionMode(QAbstractItemView::NoSelection);
    comparison_->setFocusPolicy(Qt::NoFocus);
    comparison_->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    comparison_->verticalHeader()->setDefaultSectionSize(19);
    for (int i = 0; i < header.size(); ++i)
        comparison_->horizontalHeaderItem(i)->setFont(textFont(10));
    comparison_->setRowCount(static_cast<int>(kMeasureCount));
    comparison_->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    comparison_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Fixed);
    comparison_->setColumnWidth(0, 90);
    comparison_->setFixedHeight(46 + 19 * static_cast<int>(kMeasureCount));
    static const char* kShort[] = {"Triangles",   "Draw calls", "Objects",   "Lights",  "Shadows",
                                   "Tex. memory", "Tex. edge",  "Materials", "Vertices"};
    for (int row = 0; row < static_cast<int>(kMeasureCount); ++row) {
        setCell(comparison_, row, 0, kShort[row], false);
        comparison_->item(row, 0)->setToolTip(measureName(elementOf(kMeasures, row)));
    }
    layout->addWidget(comparison_);
}

void TargetPanel::refresh() {
    refreshing_ = true;
    const Target& target = document_.target();
    picker_->setCurrentIndex(picker_->findText(toText(target.name)));
    description_->setText(toText(target.description) +
                          tr(" One frame may take %1 ms.").arg(target.frameTime(), 0, 'f', 1));
    batching_->setCurrentIndex(static_cast<int>(target.batching));
    for (auto& [box, get] : fields_) box->setValue(get(target));
    refreshing_ = false;
    compareSoon();
}

void TargetPanel::compareSoon() {
    if (!document_.hasScene() || !isVisible()) return;
    comparer_.request(
        [this, scene = document_.result(), view = document_.view()]() -> std::function<void()> {
            std::vector<Counts> compared;
            for (const Target& target : shippedTargets())
                compared.push_back(loads(viewCost(*scene, target, view).counts, target));
            return [this, compared] { showComparison(compared); };
        });
}

void TargetPanel::showComparison(const std::vector<Counts>& compared) {
    for (std::size_t column = 0; column < compared.size(); ++column)
        for (std::size_t row = 0; row < kMeasureCount; ++row) {
            const double load = compared[column][row];
            const State state = stateOf(load);
            const auto r = static_cast<int>(row);
            const auto c = static_cast<int>(column) + 1;
            const QString figure = load > 0 ? toText(formatLoad(load)).mid(1) : "-";
            setCell(comparison_, r, c, (state == State::Over ? "◆" : "") + figure);
            comparison_->item(r, c)->setFont(figureFont(11, state == State::Over));
            comparison_->item(r, c)->setForeground(state == State::Within ? theme().ink
                                                                          : stateColor(state));
            comparison_->item(r, c)->setToolTip(stateWord(state));
        }
}

void TargetPanel::saveTarget() {
    const QString file = QFileDialog::getSaveFileName(this, tr("Save target"), "ours.target.json",
                                                      tr("Targets (*.target.json)"));
    if (file.isEmpty()) return;
    const std::string json = toJson(document_.target()).dump(2) + "\n";
    if (auto done = writeFileAtomic(file.toStdString(), json); !done)
        emit document_.failed(toText(describe(done.error())));
}

}  // namespace flentro::app
