#include "title_block.h"

#include <QHBoxLayout>
#include <QPainter>

#include "base/text.h"
#include "theme.h"

namespace flentro::app {
namespace {

/// A thin rule that fills with ink.
class Rule : public QWidget {
public:
    using QWidget::QWidget;
    double fraction = 0;

protected:
    void paintEvent(QPaintEvent*) override {
        QPainter painter(this);
        const int y = height() / 2;
        painter.fillRect(QRect(0, y, width(), 1), theme().hairline);
        painter.fillRect(QRect(0, y - 1, static_cast<int>(width() * fraction), 3), theme().ink);
    }
};

QString text(const std::string& s) {
    return QString::fromStdString(s);
}

}  // namespace

TitleBlock::TitleBlock(Document& document, QWidget* parent)
    : QWidget(parent),
      document_(document),
      scene_(new QLabel(tr("No scene"), this)),
      job_(new QLabel(this)),
      bar_(new Rule(this)),
      cancel_(new QPushButton(tr("Cancel"), this)) {
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(14, 2, 14, 2);
    layout->setSpacing(12);
    scene_->setMinimumWidth(1);
    layout->addWidget(scene_, 1);
    layout->addWidget(job_);
    layout->addWidget(bar_);
    layout->addWidget(cancel_);
    bar_->setFixedWidth(120);
    setFixedHeight(34);
    connect(cancel_, &QPushButton::clicked, &document.jobs(),
            [&document] { document.jobs().cancel(); });
    connect(&document.jobs(), &JobRunner::changed, this, &TitleBlock::showJob);
    connect(&document, &Document::sceneChanged, this, &TitleBlock::showScene);
    connect(&document, &Document::resultChanged, this, &TitleBlock::showScene);
    showJob();
}

void TitleBlock::showScene() {
    if (!document_.hasScene()) return;
    const Inventory before = takeInventory(*document_.source(), document_.target());
    const auto count = [](std::size_t n) { return text(formatCount(static_cast<double>(n))); };
    QString line =
        tr("%1    %2 objects    %3 assets    %4 triangles placed    %5 textures")
            .arg(text(document_.source()->name), count(before.objects), count(before.assets.size()),
                 count(before.placedTriangles), text(formatBytes(before.textureMemory)));
    const std::size_t notes = document_.source()->notes.size();
    if (notes > 0) line += tr("    %1 notes").arg(notes);
    scene_->setText(line);
    QString tip;
    for (const Note& note : document_.source()->notes)
        tip += text(note.where + ": " + note.what) + "\n";
    scene_->setToolTip(tip.trimmed());
}

void TitleBlock::say(const QString& message) {
    said_ = message;
    showJob();
}

void TitleBlock::showJob() {
    const JobRunner& jobs = document_.jobs();
    bar_->setVisible(jobs.isRunning());
    cancel_->setVisible(jobs.isRunning());
    if (!jobs.isRunning()) {
        job_->setText(said_);
        return;
    }
    const double left = jobs.secondsLeft();
    QString line = jobs.message().isEmpty() ? jobs.name() : jobs.message();
    if (left >= 0) line += tr(", %1 left").arg(text(formatSeconds(left)));
    job_->setText(line);
    static_cast<Rule*>(bar_)->fraction = jobs.fraction();
    bar_->update();
}

}  // namespace flentro::app
