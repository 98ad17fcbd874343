#include "widgets/start_page.h"

#include <QFileInfo>
#include <QLabel>
#include <QPainter>
#include <QPushButton>

#include "widgets/elements.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr int kWidth = 420;
constexpr int kMaxRecent = 5;

QPushButton* makeDoor(const QString& text, const QString& tip) {
    auto* door = new QPushButton(text);
    door->setToolTip(tip);
    door->setMinimumHeight(34);
    return door;
}

}  // namespace

StartPage::StartPage(Document& document, QWidget* parent)
    : QWidget(parent), document_(document), doors_(new QWidget(this)), recent_(new QVBoxLayout) {
    setAccessibleName(tr("Start"));
    doors_->setFixedWidth(kWidth);
    auto* doors = new QVBoxLayout(doors_);
    doors->setSpacing(10);
    auto* sentence = new QLabel(
        tr("See what a scene costs from every place a player can reach, and bring it within the "
           "frame budget of the weakest machine you promised."));
    sentence->setWordWrap(true);
    sentence->setFont(textFont(15));
    doors->addWidget(sentence);
    doors->addSpacing(8);
    auto* open = makePrimary(tr("Open a scene ..."));
    open->setMinimumHeight(34);
    open->setToolTip(
        tr("glTF, OBJ, PLY, STL, COLLADA and more; dropping a file here does the same"));
    doors->addWidget(open);
    connect(open, &QPushButton::clicked, this, &StartPage::openRequested);
    auto* demo = makeDoor(tr("Open the demo: a night market on a canal lock"),
                          tr("Ottermere Lock, a made-up scene with its faults planted on purpose; "
                             "it is written to your data folder first"));
    doors->addWidget(demo);
    connect(demo, &QPushButton::clicked, this, &StartPage::demoRequested);
    doors->addLayout(recent_);
    auto* centring = new QHBoxLayout(this);
    centring->addStretch(1);
    centring->addWidget(doors_, 0, Qt::AlignVCenter);
    centring->addStretch(1);
    connect(&document, &Document::sceneChanged, this, &StartPage::refresh);
    connect(&document.jobs(), &JobRunner::changed, this, &StartPage::refresh);
    refresh();
}

void StartPage::setRecent(const QStringList& files) {
    while (QLayoutItem* item = recent_->takeAt(0)) {
        delete item->widget();
        delete item;
    }
    int listed = 0;
    for (const QString& file : files) {
        const QFileInfo info(file);
        if (!info.exists() || listed == kMaxRecent) continue;
        if (listed++ == 0) recent_->addWidget(makeFaint(tr("Or go on with")));
        auto* door = makeDoor(info.fileName(), file);
        recent_->addWidget(door);
        connect(door, &QPushButton::clicked, this, [this, file] { emit fileChosen(file); });
    }
}

void StartPage::refresh() {
    setVisible(!document_.hasScene());
    doors_->setVisible(!document_.jobs().isRunning());
    update();
}

void StartPage::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), theme().paper);
    if (!document_.jobs().isRunning()) return;
    painter.setPen(theme().ink);
    painter.setFont(textFont(15));
    painter.drawText(rect(), Qt::AlignCenter, tr("Opening the scene ..."));
}

}  // namespace flentro::app
