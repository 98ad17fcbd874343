#include "widgets/title_block.h"

#include <QActionGroup>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QMenu>
#include <QPainter>

#include "base/text.h"
#include "io/formats.h"
#include "measure/inventory.h"
#include "scene/variants.h"
#include "widgets/theme.h"

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
      reading_(new QToolButton(this)),
      job_(new QLabel(this)),
      bar_(new Rule(this)),
      cancel_(new QPushButton(tr("Cancel"), this)) {
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(14, 2, 14, 2);
    layout->setSpacing(12);
    scene_->setMinimumWidth(1);
    layout->addWidget(scene_, 1);
    layout->addWidget(reading_);
    reading_->setObjectName("reading");
    reading_->setPopupMode(QToolButton::InstantPopup);
    reading_->setAutoRaise(true);
    reading_->setMenu(new QMenu(reading_));
    reading_->hide();
    connect(reading_->menu(), &QMenu::aboutToShow, this, &TitleBlock::fillReadingMenu);
    layout->addWidget(job_);
    layout->addWidget(bar_);
    layout->addWidget(cancel_);
    bar_->setFixedWidth(120);
    setFixedHeight(34);
    connect(cancel_, &QPushButton::clicked, &document.jobs(),
            [&document] { document.jobs().cancel(); });
    connect(&document.jobs(), &JobRunner::changed, this, &TitleBlock::showJob);
    connect(&document, &Document::sceneChanged, this, &TitleBlock::showScene);
    connect(&document.evaluator(), &Evaluator::changed, this, &TitleBlock::showScene);
    showJob();
}

void TitleBlock::showScene() {
    if (!document_.hasScene()) return;
    const Inventory before = takeInventory(*document_.source(), document_.target());
    const auto count = [](std::size_t n, const char* noun) { return text(counted(n, noun)); };
    QString line =
        tr("%1    %2    %3    %4 placed    %5 of textures")
            .arg(text(document_.source()->name), count(before.objects, "object"),
                 count(before.assets.size(), "asset"), count(before.placedTriangles, "triangle"),
                 text(formatBytes(before.textureMemory)));
    const std::size_t notes = document_.source()->notes.size();
    if (notes > 0) line += "    " + count(notes, "note");
    scene_->setText(line);
    QString tip;
    for (const Note& note : document_.source()->notes)
        tip += text(note.where + ": " + note.what) + "\n";
    scene_->setToolTip(tip.trimmed());
    showReading();
}

/// "mm?" where the file does not say and nobody has.
void TitleBlock::showReading() {
    const SourceUnits& units = document_.source()->sourceUnits;
    const auto marked = [](const QString& what, bool guessed) {
        return guessed ? what + "?" : what;
    };
    reading_->setText(tr("%1, %2").arg(marked(text(units.unit), units.unitGuessed),
                                       marked(tr("%1 up").arg(units.up), units.upGuessed)));
    reading_->setToolTip(text(describeReading(*document_.source())) + " " +
                         tr("Click to choose others."));
    reading_->show();
}

namespace {

/// Adds choices of which one is marked; each makes `change` of the settings that are there.
class Choices {
public:
    Choices(QMenu& menu, Document& document, const QString& title)
        : menu_(menu), document_(document), group_(new QActionGroup(&menu)) {
        menu.addSection(title);
    }
    void add(const QString& label, const std::function<void(ImportSettings&)>& change) {
        ImportSettings chosen = document_.project().import;
        change(chosen);
        QAction* action = group_->addAction(menu_.addAction(label));
        action->setCheckable(true);
        action->setChecked(chosen == document_.project().import);
        QObject::connect(action, &QAction::triggered, &document_, [=, &document = document_] {
            if (chosen != document.project().import)
                document.projectModel().setImport(chosen, QObject::tr("Read as %1").arg(label));
        });
    }

private:
    QMenu& menu_;
    Document& document_;
    QActionGroup* group_;
};

}  // namespace

void TitleBlock::fillReadingMenu() {
    QMenu& menu = *reading_->menu();
    menu.clear();
    qDeleteAll(menu.findChildren<QActionGroup*>());
    if (!document_.hasScene()) return;
    Choices unit(menu, document_, tr("Unit of the file"));
    unit.add(tr("As it says, or guessed"), [](ImportSettings& s) { s.unit.clear(); });
    for (const LengthUnit& each : lengthUnits())
        unit.add(tr("%1 (%2)").arg(each.name, each.key),
                 [&](ImportSettings& s) { s.unit = each.key; });
    Choices up(menu, document_, tr("Axis that points up"));
    up.add(tr("As it says, or guessed"), [](ImportSettings& s) { s.up = 0; });
    for (const UpAxis axis : {'Y', 'Z'})
        up.add(QString(QChar(axis)), [&](ImportSettings& s) { s.up = axis; });
    const SceneFormat* format = formatOfEnding(document_.project().scene);
    if (format != &sceneFormats().front()) {
        Choices crease(menu, document_, tr("Faces without normals look smooth"));
        for (const double angle : {0.0, 20.0, kCreaseAngle, 60.0, 180.0})
            crease.add(tr("up to %1 degrees").arg(angle),
                       [&](ImportSettings& s) { s.creaseAngle = angle; });
    }
    const std::vector<std::string> variants = variantNames(*document_.source());
    if (variants.empty()) return;
    Choices variant(menu, document_, tr("Variant of materials"));
    variant.add(tr("The file's own"), [](ImportSettings& s) { s.variant.clear(); });
    for (const std::string& name : variants)
        variant.add(text(name), [&](ImportSettings& s) { s.variant = name; });
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
