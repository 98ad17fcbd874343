#include "main_window.h"

#include <QApplication>
#include <QCloseEvent>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QScrollArea>
#include <QSettings>

#include "io/open.h"

namespace flentro::app {
namespace {

constexpr int kMostRecent = 8;
constexpr QSize kInset(236, 168);

QWidget* scrolled(QWidget* sheet) {
    auto* area = new QScrollArea;
    area->setWidget(sheet);
    area->setWidgetResizable(true);
    area->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    return area;
}

QString sceneFilter() {
    QStringList patterns;
    for (const std::string& ending : readableEndings()) patterns << "*" + toText(ending);
    return QObject::tr("Scenes and projects (%1 *.flentro.json *.target.json)")
        .arg(patterns.join(' '));
}

}  // namespace

Centre::Centre(View3D* view, PlanView* plan, QWidget* parent)
    : QWidget(parent), view_(view), plan_(plan) {
    view->setParent(this);
    plan->setParent(this);
    setMinimumSize(360, 300);
}

void Centre::swap() {
    planLarge_ = !planLarge_;
    place();
}

void Centre::resizeEvent(QResizeEvent*) {
    place();
}

void Centre::place() {
    const QRect inset(width() - kInset.width() - 12, height() - kInset.height() - 12,
                      kInset.width(), kInset.height());
    QWidget* large = planLarge_ ? static_cast<QWidget*>(plan_) : view_;
    QWidget* small = planLarge_ ? static_cast<QWidget*>(view_) : plan_;
    view_->setMinimumSize(1, 1);
    large->setGeometry(rect());
    small->setGeometry(inset);
    small->raise();
}

MainWindow::MainWindow(QWidget* parent)
    : QMainWindow(parent),
      view_(new View3D(document_)),
      plan_(new PlanView(document_)),
      rail_(new StepRail(document_)),
      board_(new LoadBoard(document_)),
      strip_(new Strip(document_)),
      sheets_(new QStackedWidget),
      target_(new TargetSheet(document_)),
      survey_(new SurveySheet(document_)),
      findings_(new FindingsSheet(document_)),
      fixes_(new FixesSheet(document_)),
      proof_(new ProofSheet(document_, *view_)),
      title_(new TitleBlock(document_)),
      failure_(new QLabel),
      splitter_(new QSplitter(Qt::Horizontal)) {
    setAcceptDrops(true);
    setMinimumSize(1100, 700);
    buildLayout();
    buildMenus();
    connect(rail_, &StepRail::chosen, this, &MainWindow::showStep);
    connect(plan_, &PlanView::chosen, view_, &View3D::goTo);
    connect(survey_, &SurveySheet::chosen, view_, &View3D::goTo);
    connect(survey_, &SurveySheet::showRequested, view_, &View3D::lookAtSelection);
    connect(strip_, &Strip::chosen, view_, &View3D::goTo);
    connect(board_, &LoadBoard::chosen, view_, &View3D::goTo);
    connect(survey_, &SurveySheet::measured, this, [this](int spots, int over) {
        rail_->setState(WorkStep::Survey, spots == 0
                                              ? tr("not surveyed")
                                              : tr("%1 spots, %2 over").arg(spots).arg(over));
    });
    connect(findings_, &FindingsSheet::showRequested, view_, &View3D::lookAtSelection);
    connect(findings_, &FindingsSheet::viewRequested, view_, &View3D::goTo);
    connect(findings_, &FindingsSheet::counted, this,
            [this](int count) { rail_->setState(WorkStep::Findings, tr("%1 heavy").arg(count)); });
    connect(findings_, &FindingsSheet::fixRequested, this,
            [this](const QString& key, const QString& asset) {
                showStep(WorkStep::Fixes);
                fixes_->addOrShow(key, asset);
            });
    connect(&fixes_->merge(), &MergeInstrument::viewRequested, view_, &View3D::goTo);
    connect(&fixes_->culling(), &CullingInstrument::showRequested, view_, &View3D::lookAtSelection);
    connect(&fixes_->tidy(), &TidyInstrument::showRequested, this, [this] {
        view_->setLens(LensKind::Wireframe);
        view_->lookAtSelection();
    });
    connect(&fixes_->tidy(), &TidyInstrument::previewMade, this,
            [this](const ScenePtr& scene, const QString& text) {
                view_->setShowing(Showing::Result);
                view_->showPreview(scene, text);
            });
    connect(fixes_, &FixesSheet::tintRequested, this, [this] {
        view_->setShowing(Showing::Result);
        view_->setLens(LensKind::Groups);
    });
    connect(&fixes_->tidy(), &TidyInstrument::swapRequested, this, [this] {
        view_->setShowing(view_->showing() == Showing::Original ? Showing::Result
                                                                : Showing::Original);
    });
    connect(&document_, &Document::failed, this, &MainWindow::showFailure);
    connect(&document_, &Document::opened, this, [this](const QString& file) {
        failure_->hide();
        remember(file);
        refreshTitle();
    });
    connect(&document_, &Document::exported, this, [this](const QString& file) {
        title_->say(tr("Exported %1").arg(QFileInfo(file).fileName()));
    });
    connect(&document_, &Document::projectChanged, this, &MainWindow::refreshTitle);
    connect(&document_.undoStack(), &QUndoStack::cleanChanged, this, &MainWindow::refreshTitle);
    showStep(WorkStep::Target);
    refreshTitle();
}

/// The widgets look at the document, which is a member and would go before them.
MainWindow::~MainWindow() {
    document_.disconnect(this);
    document_.undoStack().disconnect(this);
    delete takeCentralWidget();
}

void MainWindow::buildLayout() {
    auto* left = new QWidget;
    auto* leftLayout = new QVBoxLayout(left);
    leftLayout->setContentsMargins(0, 0, 0, 0);
    leftLayout->setSpacing(0);
    leftLayout->addWidget(rail_);
    addRule(leftLayout);
    leftLayout->addWidget(board_);
    leftLayout->addStretch(1);
    left->setMinimumWidth(236);
    auto* centre = new Centre(view_, plan_);
    connect(plan_, &PlanView::swapRequested, centre, &Centre::swap);
    for (QWidget* sheet : {static_cast<QWidget*>(target_), static_cast<QWidget*>(survey_),
                           static_cast<QWidget*>(findings_), static_cast<QWidget*>(fixes_),
                           static_cast<QWidget*>(proof_)})
        sheets_->addWidget(scrolled(sheet));
    sheets_->setMinimumWidth(440);
    splitter_->addWidget(left);
    auto* middle = new QWidget;
    auto* middleLayout = new QVBoxLayout(middle);
    middleLayout->setContentsMargins(0, 0, 0, 0);
    middleLayout->setSpacing(0);
    middleLayout->addWidget(centre, 1);
    middleLayout->addWidget(strip_);
    splitter_->addWidget(middle);
    splitter_->addWidget(sheets_);
    splitter_->setHandleWidth(1);
    splitter_->setChildrenCollapsible(false);
    splitter_->setStretchFactor(1, 1);
    splitter_->setSizes({236, 604, 440});
    auto* whole = new QWidget;
    auto* layout = new QVBoxLayout(whole);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    failure_->setWordWrap(true);
    failure_->setContentsMargins(14, 8, 14, 8);
    failure_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    failure_->hide();
    layout->addWidget(failure_);
    layout->addWidget(splitter_, 1);
    addRule(layout);
    layout->addWidget(title_);
    setCentralWidget(whole);
    resize(1280, 800);
    QSettings settings;
    splitter_->restoreState(settings.value("splitter").toByteArray());
}

void MainWindow::buildMenus() {
    buildFileMenu();
    QMenu* edit = menuBar()->addMenu(tr("&Edit"));
    QAction* undo = document_.undoStack().createUndoAction(this, tr("Undo"));
    QAction* redo = document_.undoStack().createRedoAction(this, tr("Redo"));
    undo->setShortcut(QKeySequence::Undo);
    redo->setShortcut(QKeySequence("Ctrl+Shift+Z"));
    edit->addAction(undo);
    edit->addAction(redo);
    edit->addSeparator();
    edit->addAction(tr("Find"), QKeySequence::Find, this, [this] {
        showStep(WorkStep::Findings);
        findings_->focusSearch();
    });
    buildViewMenu();
}

void MainWindow::buildFileMenu() {
    QMenu* file = menuBar()->addMenu(tr("&File"));
    file->addAction(tr("Open ..."), QKeySequence::Open, this, &MainWindow::chooseFile);
    QMenu* recent = file->addMenu(tr("Open recent"));
    connect(recent, &QMenu::aboutToShow, this, [this, recent] { fillRecent(recent); });
    file->addSeparator();
    file->addAction(tr("Save project"), QKeySequence::Save, this, [this] { save(false); });
    file->addAction(tr("Save project as ..."), QKeySequence("Ctrl+Shift+S"), this,
                    [this] { save(true); });
    file->addAction(tr("Export result ..."), QKeySequence("Ctrl+E"), this, [this] {
        showStep(WorkStep::Proof);
        proof_->exportResult();
    });
    file->addSeparator();
    file->addAction(tr("Quit"), QKeySequence("Ctrl+Q"), this, &QWidget::close);
}

void MainWindow::buildViewMenu() {
    QMenu* menu = menuBar()->addMenu(tr("&View"));
    for (int i = 0; i < kLensCount; ++i) {
        const auto kind = static_cast<LensKind>(i);
        menu->addAction(tr("Lens: %1").arg(lensName(kind)), lensKeys(kind), this,
                        [this, kind] { view_->setLens(kind); });
    }
    menu->addSeparator();
    menu->addAction(tr("Look at selection (L)"), view_, &View3D::lookAtSelection);
    menu->addAction(tr("Previous viewpoint (B)"), view_, &View3D::goBack);
    menu->addAction(tr("Survey"), QKeySequence("Ctrl+R"), survey_, &SurveySheet::run);
    menu->addAction(tr("Switch all on (Shift+X)"), &document_, &Document::switchAllOn);
    menu->addAction(tr("Swap plan and 3D view"), QKeySequence("Ctrl+P"), plan_,
                    &PlanView::swapRequested);
    menu->addSeparator();
    menu->addAction(tr("Day or Night sheet"), QKeySequence("Ctrl+D"), this,
                    &MainWindow::toggleSheet);
}

void MainWindow::showStep(WorkStep step) {
    document_.showMarks(step == WorkStep::Fixes);
    sheets_->setCurrentIndex(static_cast<int>(step));
    rail_->setCurrent(step);
    if (step == WorkStep::Proof && view_->showing() == Showing::Result)
        view_->setShowing(Showing::Swipe);
    if (step != WorkStep::Proof && view_->showing() == Showing::Swipe)
        view_->setShowing(Showing::Result);
}

WorkStep MainWindow::step() const {
    return static_cast<WorkStep>(sheets_->currentIndex());
}

void MainWindow::keyPressEvent(QKeyEvent* event) {
    const int number = event->key() - Qt::Key_1;
    if (number >= 0 && number < kStepCount && event->modifiers() == Qt::NoModifier)
        showStep(static_cast<WorkStep>(number));
    else
        QMainWindow::keyPressEvent(event);
}

void MainWindow::toggleSheet() {
    const Sheet next = currentSheet() == Sheet::Night ? Sheet::Day : Sheet::Night;
    setSheet(*qApp, next);
    QSettings().setValue("sheet", next == Sheet::Day ? "day" : "night");
    fixes_->ladder().plot().restyle();
    fixes_->culling().plot().restyle();
    emit document_.sceneChanged();
    emit document_.projectChanged();
    emit document_.countsChanged();
}

// --- files --------------------------------------------------------------------------------

void MainWindow::open(const QString& file) {
    if (!file.endsWith(".target.json") && !mayLoseChanges()) return;
    title_->say("");
    document_.open(file);
}

void MainWindow::chooseFile() {
    const QString file = QFileDialog::getOpenFileName(
        this, tr("Open"), QSettings().value("folder").toString(), sceneFilter());
    if (file.isEmpty()) return;
    QSettings().setValue("folder", QFileInfo(file).absolutePath());
    open(file);
}

bool MainWindow::save(bool as) {
    if (!document_.hasScene()) return true;
    QString file = document_.projectFile();
    if (file.isEmpty() || as) {
        const QFileInfo scene(toText(document_.project().scene.string()));
        file = QFileDialog::getSaveFileName(
            this, tr("Save project"),
            scene.dir().filePath(scene.completeBaseName() + ".flentro.json"),
            tr("Projects (*.flentro.json)"));
    }
    if (file.isEmpty()) return false;
    document_.saveProject(file);
    remember(file);
    return !document_.isModified();
}

bool MainWindow::mayLoseChanges() {
    if (!document_.isModified()) return true;
    const auto answer = QMessageBox::question(
        this, tr("Unsaved changes"), tr("The project has changes that are not saved."),
        QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel);
    if (answer == QMessageBox::Save) return save(false);
    return answer == QMessageBox::Discard;
}

void MainWindow::remember(const QString& file) {
    QSettings settings;
    QStringList recent = settings.value("recent").toStringList();
    recent.removeAll(file);
    recent.prepend(file);
    settings.setValue("recent", recent.mid(0, kMostRecent));
}

void MainWindow::fillRecent(QMenu* menu) {
    menu->clear();
    for (const QString& file : QSettings().value("recent").toStringList())
        menu->addAction(file, this, [this, file] { open(file); });
    if (menu->isEmpty()) menu->addAction(tr("Nothing opened yet"))->setEnabled(false);
}

void MainWindow::refreshTitle() {
    const QString name = document_.projectFile().isEmpty()
                             ? (document_.hasScene() ? toText(document_.source()->name) : "")
                             : QFileInfo(document_.projectFile()).completeBaseName();
    setWindowTitle((name.isEmpty() ? "" : name + (document_.isModified() ? "*" : "") + " - ") +
                   "Flentro");
}

void MainWindow::showFailure(const QString& message) {
    failure_->setStyleSheet(QString("background: %1; color: white;").arg(theme().over.name()));
    failure_->setText(message);
    failure_->show();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    for (const QUrl& url : event->mimeData()->urls())
        if (url.isLocalFile()) return open(url.toLocalFile());
}

void MainWindow::closeEvent(QCloseEvent* event) {
    QSettings().setValue("splitter", splitter_->saveState());
    if (mayLoseChanges())
        event->accept();
    else
        event->ignore();
}

}  // namespace flentro::app
