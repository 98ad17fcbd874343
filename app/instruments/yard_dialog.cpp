#include "instruments/yard_dialog.h"

#include <QPointer>

#include "base/index.h"
#include "base/text.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr int kMaxCopies = 10'000;
const QSize kPicture(560, 315);

}  // namespace

YardDialog::YardDialog(Document& document, QWidget* parent)
    : QDialog(parent),
      document_(document),
      bench_(std::make_shared<YardBench>()),
      title_(new QLabel),
      copies_(new QSpinBox),
      single_(new QCheckBox(tr("One call a copy"))),
      measure_(makePrimary(tr("Measure"))),
      table_(makeTable({tr("Variant"), tr("Triangles"), tr("Draw calls"), tr("Frame, ms"),
                        tr("GPU, ms"), tr("CPU, ms")})),
      picture_(new QLabel),
      reading_(makeFaint("")) {
    setWindowTitle(tr("Stress yard"));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(16, 14, 16, 12);
    layout->setSpacing(8);
    title_->setFont(textFont(17, true));
    layout->addWidget(title_);
    auto* row = new QHBoxLayout;
    copies_->setRange(1, kMaxCopies);
    copies_->setValue(100);
    copies_->setAccessibleName(tr("Copies"));
    single_->setToolTip(tr("As on a target that cannot draw equal things together."));
    row->addWidget(makeFaint(tr("Copies")));
    row->addWidget(copies_);
    row->addWidget(single_);
    row->addStretch(1);
    row->addWidget(measure_);
    layout->addLayout(row);
    table_->setAccessibleName(tr("Figures of the stress yard"));
    table_->setMinimumHeight(210);
    layout->addWidget(table_, 1);
    picture_->setFixedSize(kPicture);
    picture_->setAlignment(Qt::AlignCenter);
    picture_->setAutoFillBackground(true);
    layout->addWidget(picture_);
    reading_->setWordWrap(true);
    reading_->setMinimumHeight(3 * fontMetrics().height());
    reading_->setAlignment(Qt::AlignTop);
    layout->addWidget(reading_);
    connect(measure_, &QPushButton::clicked, this, &YardDialog::measure);
    connect(table_, &QTableWidget::itemSelectionChanged, this, &YardDialog::showPicture);
}

void YardDialog::setAsset(const ScenePtr& scene, std::size_t asset, const MeshPtr& original) {
    scene_ = scene;
    index_ = asset;
    original_ = original;
    const Asset& shown = scene->assets[asset];
    title_->setText(tr("Stress yard: %1").arg(toText(shown.mesh->name)));
    single_->setChecked(document_.target().batching == Batching::Nothing);
    adopt({});
    reading_->setText(
        tr("Draws the copies in every variant, off screen, and takes the time on "
           "both sides. Press Measure."));
}

void YardDialog::measure() {
    if (!scene_) return;
    Target target = document_.target();
    target.batching = single_->isChecked() ? Batching::Nothing : Batching::Mesh;
    reading_->setText(tr("Measuring ..."));
    document_.jobs().start(
        tr("Stress yard"),
        [alive = QPointer<YardDialog>(this), bench = bench_, scene = scene_, index = index_,
         original = original_, target, copies = static_cast<std::size_t>(copies_->value())](
            Progress& progress) -> JobRunner::Finish {
            auto report = std::make_shared<YardReport>(bench->run(
                *scene, yardVariants(scene->assets[index], original), copies, target, progress));
            return [alive, report] {
                if (alive) alive->adopt(*report);
            };
        });
}

void YardDialog::adopt(const YardReport& report) {
    report_ = report;
    table_->setRowCount(static_cast<int>(report.figures.size()));
    for (int row = 0; row < table_->rowCount(); ++row) {
        const YardFigures& figures = elementOf(report.figures, row);
        setCell(table_, row, 0, figures.variant, false);
        setCell(table_, row, 1, toText(formatCount(at(figures.counts, Measure::Triangles))));
        setCell(table_, row, 2, toText(formatCount(at(figures.counts, Measure::DrawCalls))));
        setCell(table_, row, 3, QString::number(figures.frameMilliseconds, 'f', 2));
        setCell(table_, row, 4, QString::number(figures.gpuMilliseconds, 'f', 2));
        setCell(table_, row, 5, QString::number(figures.cpuMilliseconds, 'f', 2));
    }
    if (table_->rowCount() > 0) table_->selectRow(0);
    showPicture();
    if (!report.failure.isEmpty()) reading_->setText(report.failure);
    if (report.figures.empty()) return;
    reading_->setText(tr("Measured on %1 at %2 x %3, median of %4 frames. Frame: until all "
                         "was drawn; GPU: by the renderer's own timer; CPU: until all was handed "
                         "over. Another machine has other times.")
                          .arg(report.renderer)
                          .arg(report.size.width())
                          .arg(report.size.height())
                          .arg(report.frames));
}

void YardDialog::showPicture() {
    const auto row = static_cast<std::size_t>(std::max(0, table_->currentRow()));
    if (row >= report_.figures.size()) return picture_->clear();
    picture_->setPixmap(QPixmap::fromImage(report_.figures[row].picture)
                            .scaled(kPicture, Qt::KeepAspectRatio, Qt::SmoothTransformation));
}

}  // namespace flentro::app
