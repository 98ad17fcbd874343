#include "instruments/tidy_instrument.h"

#include <QGridLayout>
#include <QPointer>
#include <cmath>

#include "base/index.h"
#include "base/text.h"
#include "fixes/tidy/removal_preview.h"
#include "fixes/tidy/unseen.h"
#include "widgets/show_me.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

QString count(std::size_t value) {
    return toText(formatCount(static_cast<double>(value)));
}

}  // namespace

TidyInstrument::TidyInstrument(Document& document, QWidget* parent)
    : FixInstrument(document, parent),
      more_(new FixForm(document, TidySettings::kind(), "More")),
      assets_(makeTable({tr("Asset"), tr("Triangles less"), tr("As placed")})),
      show_(new QPushButton(tr("Show me"))),
      mark_(new QPushButton(tr("Mark what goes"))),
      swap_(new QPushButton(tr("Before / after"))) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(12);
    grid->setVerticalSpacing(3);
    grid->setColumnStretch(0, 1);
    grid->addWidget(makeFaint(tr("triangles")), 0, 1, Qt::AlignRight);
    grid->addWidget(makeFaint(tr("placed")), 0, 2, Qt::AlignRight);
    addStep(
        grid, tr("Drop what was never seen"),
        tr("Triangles that no ray of the survey met, and no corner of which was met."),
        [](const auto& s) { return !s.unseen.empty(); }, [](auto&, bool) {});
    addStep(grid, "weld", &TidySettings::weld);
    addStep(grid, "dropDegenerate", &TidySettings::dropDegenerate);
    addStep(grid, "dropDuplicates", &TidySettings::dropDuplicates);
    addHoles(grid);
    addStep(grid, "dissolve", &TidySettings::dissolve);
    layout->addLayout(grid);
    layout->addWidget(more_);
    layout->addLayout(makeUnseen());
    assets_->setAccessibleName(tr("Assets that lose triangles"));
    assets_->setMinimumHeight(44);
    layout->addWidget(assets_, 1);
    auto* buttons = new QHBoxLayout;
    show_->setToolTip(tr("Goes to a copy of the asset and shows the edges of its triangles."));
    swap_->setToolTip(tr("Original or result (space)."));
    mark_->setToolTip(
        tr("The scene before this fix; triangles that go, or become part of larger "
           "ones, in plum."));
    buttons->addWidget(show_);
    buttons->addWidget(mark_);
    buttons->addWidget(swap_);
    buttons->addStretch(1);
    layout->addLayout(buttons);
    connect(show_, &QPushButton::clicked, this, &TidyInstrument::showAsset);
    connect(mark_, &QPushButton::clicked, this, &TidyInstrument::previewRemoval);
    connect(swap_, &QPushButton::clicked, this, &TidyInstrument::swapRequested);
    connect(assets_, &QTableWidget::itemDoubleClicked, this, &TidyInstrument::showAsset);
    connect(&document.survey(), &SurveyModel::changed, this, &TidyInstrument::refresh);
}

void TidyInstrument::addStep(QGridLayout* grid, const QString& name, const QString& tip,
                             std::function<bool(const TidySettings&)> get,
                             std::function<void(TidySettings&, bool)> set) {
    Row row{new QCheckBox(name), new QLabel, new QLabel, std::move(get)};
    row.box->setToolTip(tip);
    const int line = grid->rowCount();
    grid->addWidget(row.box, line, 0);
    int column = 1;
    for (QLabel* label : {row.triangles, row.placed}) {
        label->setFont(figureFont(12));
        grid->addWidget(label, line, column++, Qt::AlignRight);
    }
    connect(row.box, &QCheckBox::clicked, this, [this, name, set = std::move(set)](bool on) {
        change(tr("Tidy: %1").arg(name.toLower()), [&](TidySettings& s) { set(s, on); });
    });
    rows_.push_back(std::move(row));
}

void TidyInstrument::addStep(QGridLayout* grid, const char* field, bool TidySettings::*flag) {
    const FixKind& kind = TidySettings::kind();
    const FieldText& text = kind.fields[kind.fieldIndex(field)].text;
    addStep(
        grid, text.label, text.help, [flag](const TidySettings& s) { return s.*flag; },
        [flag](TidySettings& s, bool on) { s.*flag = on; });
}

void TidyInstrument::addHoles(QGridLayout* grid) {
    addStep(
        grid, tr("Close holes smaller than"),
        tr("Moves the outline of small holes to their middle. Unlike the other steps this can be "
           "seen, at the size given."),
        [](const auto& s) { return s.holeSize > 0; },
        [](auto& s, bool on) { s.holeSize = on ? 0.005 : 0; });
    const FixKind& kind = TidySettings::kind();
    holes_ = makeNumberBox(kind.fields[kind.fieldIndex("holeSize")], this, [this](double metres) {
        change(tr("Tidy: size of holes"), [&](TidySettings& s) { s.holeSize = metres; });
    });
    holes_->setFixedWidth(92);
    auto* cell = new QHBoxLayout;
    const int line = grid->rowCount() - 1;
    grid->removeWidget(rows_.back().box);
    cell->addWidget(rows_.back().box);
    cell->addWidget(holes_);
    cell->addStretch(1);
    grid->addLayout(cell, line, 0);
}

QLayout* TidyInstrument::makeUnseen() {
    auto* row = new QHBoxLayout;
    unseen_ = new QPushButton(tr("Never seen, from survey"));
    forget_ = new QPushButton(tr("Forget"));
    unseenText_ = makeFaint("");
    unseenText_->setWordWrap(true);
    row->addWidget(unseen_);
    row->addWidget(forget_);
    row->addWidget(unseenText_, 1);
    unseen_->setToolTip(
        tr("Keeps the list of triangles that the present survey has never met in "
           "this fix. A closer survey makes it safer."));
    connect(unseen_, &QPushButton::clicked, this, &TidyInstrument::takeUnseenTriangles);
    connect(forget_, &QPushButton::clicked, this, [this] {
        change(tr("Tidy: keep what was never seen"), [](TidySettings& s) { s.unseen.clear(); });
    });
    return row;
}

/// What the source's meshes lose; those that other fixes had changed when the survey was made
/// are not among them.
void TidyInstrument::takeUnseenTriangles() {
    const Surveyed& surveyed = document_.survey().surveyed();
    if (!surveyed.exists() || !surveyed.survey->hasRays()) return;
    document_.jobs().start(
        tr("Never seen triangles"),
        [self = QPointer<TidyInstrument>(this), scene = surveyed.scene, survey = surveyed.survey,
         source = document_.source(), fix = fix_](Progress&) -> JobRunner::Finish {
            std::vector<MeshRuns> unseen = takeUnseen(*scene, *survey);
            const bool any = !unseen.empty();
            std::erase_if(unseen, [&](const MeshRuns& u) {
                return std::none_of(source->assets.begin(), source->assets.end(),
                                    [&](const Asset& asset) { return asset.mesh->hash == u.mesh; });
            });
            return [self, fix, any, unseen = std::move(unseen)] {
                if (self) self->adoptUnseen(fix, unseen, any);
            };
        });
}

void TidyInstrument::adoptUnseen(int fix, const std::vector<MeshRuns>& unseen, bool any) {
    if (!unseen.empty())
        return document_.projectModel().changeFix<TidySettings>(
            fix, tr("Tidy: drop what was never seen"), [&](TidySettings& s) { s.unseen = unseen; });
    unseenText_->setText(any ? tr("Other fixes had changed these meshes when the survey was made. "
                                  "Switch them off and survey again.")
                             : tr("The survey has seen everything."));
}

void TidyInstrument::refresh() {
    const TidySettings* now = settings();
    if (!now) return;
    quietly([&] { holes_->setValue(now->holeSize * 1000); });
    more_->show(*document_.project().order.find(fix_));
    const FixRecord* done = document_.evaluator().doneBy(fix_).record;
    const auto* report = done ? done->reportAs<TidyReport>() : nullptr;
    for (std::size_t i = 0; i < rows_.size(); ++i) {
        rows_[i].box->setChecked(rows_[i].get(*now));
        const Saving* saving = report && i < report->steps.size() ? &report->steps[i] : nullptr;
        rows_[i].triangles->setText(saving ? count(saving->triangles) : QString());
        rows_[i].placed->setText(saving ? count(saving->placed) : QString());
    }
    rows_.front().box->setEnabled(false);  // switched by the buttons below
    const bool surveyed =
        document_.survey().surveyed().exists() && document_.survey().surveyed().survey->hasRays();
    unseen_->setEnabled(surveyed);
    forget_->setEnabled(!now->unseen.empty());
    unseenText_->setText(!now->unseen.empty()
                             ? tr("of %1").arg(toCounted(now->unseen.size(), "mesh", "meshes"))
                         : surveyed ? QString()
                                    : tr("Needs a survey with rays."));
    fillAssets(done ? *done : FixRecord());
}

void TidyInstrument::fillAssets(const FixRecord& record) {
    assets_->setRowCount(static_cast<int>(record.assets.size()));
    for (int row = 0; row < assets_->rowCount(); ++row) {
        const Saving& asset = elementOf(record.assets, row);
        setCell(assets_, row, 0, toText(asset.what), false);
        setCell(assets_, row, 1, count(asset.triangles));
        setCell(assets_, row, 2, count(asset.placed));
    }
    if (assets_->rowCount() > 0 && assets_->currentRow() < 0) assets_->selectRow(0);
    show_->setEnabled(assets_->rowCount() > 0);
    mark_->setEnabled(assets_->rowCount() > 0);
}

/// Selects the copy nearest to the eye.
void TidyInstrument::showAsset() {
    const QTableWidgetItem* item = assets_->item(assets_->currentRow(), 0);
    if (!item) return;
    const std::string name = item->text().toStdString();
    const Scene& scene = *document_.source();
    const auto nearest = nearestObject(scene, document_.view().eye, [&](std::size_t i) {
        return scene.mesh(scene.objects[i]).name == name;
    });
    if (!nearest) return;
    document_.selection().selectObject(static_cast<int>(*nearest));
    emit showRequested();
}

void TidyInstrument::previewRemoval() {
    const Evaluator::Done done = document_.evaluator().doneBy(fix_);
    if (!done) return;
    const QColor plum = theme().over;
    const auto linear = [](double value) { return static_cast<float>(std::pow(value, 2.2)); };
    const Vec3f color(linear(plum.redF()), linear(plum.greenF()), linear(plum.blueF()));
    document_.jobs().start(
        tr("Marking what goes"),
        [self = QPointer<TidyInstrument>(this), color, before = done.before,
         after = done.after](Progress& progress) -> JobRunner::Finish {
            auto preview = flentro::previewRemoval(*before, *after, color, progress);
            if (!preview) return {};
            const QString text = tr("Plum goes or becomes part of larger triangles: %1, placed %2")
                                     .arg(count(preview->triangles), count(preview->placed));
            auto scene = std::make_shared<const Scene>(std::move(preview->scene));
            return [self, scene, text] {
                if (self) emit self->previewMade(scene, text);
            };
        });
}

}  // namespace flentro::app
