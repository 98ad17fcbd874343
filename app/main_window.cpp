#include "main_window.h"

#include <QApplication>
#include <QCloseEvent>
#include <QDateTime>
#include <QDesktopServices>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QScrollArea>
#include <QSettings>
#include <QStandardPaths>
#include <QUrl>

#include "io/formats.h"
#include "ottermere.h"
#include "widgets/elements.h"
#include "widgets/key_sheet.h"

namespace flentro::app {
namespace {

constexpr int kMaxRecent = 8;
constexpr QSize kInset(236, 168);

QWidget* scrolled(QWidget* sheet) {
    auto* area = new QScrollArea;
    area->setWidget(sheet);
    area->setWidgetResizable(true);
    area->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    return area;
}

QString sceneFilter() {
    QStringList all;
    QStringList formats;
    for (const SceneFormat& format : sceneFormats()) {
        QStringList patterns;
        for (const char* ending : format.endings) patterns << QString("*") + ending;
        all += patterns;
        formats << QString("%1 (%2)").arg(format.name, patterns.join(' '));
    }
    all << "*.flentro.json"
        << "*.target.json";
    formats.push_front(QObject::tr("Scenes and projects (%1)").arg(all.join(' ')));
    formats << QObject::tr("All files (*)");
    return formats.join(";;");
}

}  // namespace

Centre::Centre(View3D* view, PlanView* plan, StartPage* start, QWidget* parent)
    : QWidget(parent), view_(view), plan_(plan), start_(start) {
    view->setParent(this);
    plan->setParent(this);
    start->setParent(this);
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
    start_->setGeometry(rect());
    start_->raise();
}

MainWindow::MainWindow(QWidget* parent)
    : QMainWindow(parent),
      journal_(document_),
      view_(new View3D(document_)),
      plan_(new PlanView(document_)),
      rail_(new StepRail(document_)),
      board_(new LoadBoard(document_)),
      reading_(new ReadingBar(document_)),
      strip_(new Strip(document_)),
      sheets_(new QStackedWidget),
      target_(new TargetPanel(document_)),
      survey_(new SurveyPanel(document_)),
      findings_(new FindingsPanel(document_)),
      fixes_(new FixesPanel(document_)),
      proof_(new ProofPanel(document_, *view_)),
      title_(new TitleBlock(document_)),
      failure_(new QLabel),
      recovery_(new QWidget),
      recoveryText_(new QLabel),
      hint_(new QLabel),
      start_(new StartPage(document_)),
      splitter_(new QSplitter(Qt::Horizontal)) {
    setAcceptDrops(true);
    setMinimumSize(1100, 700);
    buildLayout();
    buildMenus();
    connectViews();
    connectFixes();
    connectDocument();
    showStep(WorkStep::Target);
    restoreChoices();
    start_->setRecent(QSettings().value("recent").toStringList());
    refreshTitle();
}

void MainWindow::connectViews() {
    connect(rail_, &StepRail::chosen, this, &MainWindow::showStep);
    connect(plan_, &PlanView::chosen, view_, &View3D::goTo);
    connect(survey_, &SurveyPanel::chosen, view_, &View3D::goTo);
    connect(survey_, &SurveyPanel::showRequested, view_, &View3D::lookAtSelection);
    connect(strip_, &Strip::chosen, view_, &View3D::goTo);
    connect(board_, &LoadBoard::chosen, view_, &View3D::goTo);
    connect(survey_, &SurveyPanel::measured, this,
            [this](int spots, int over, const QString& coverage) {
                if (spots == 0) return rail_->setState(WorkStep::Survey, tr("not surveyed"));
                const QString state = tr("%1 of %2 over").arg(over).arg(spots);
                rail_->setState(WorkStep::Survey,
                                coverage.isEmpty() ? state : state + ", " + coverage,
                                tr("Spots with a view over a limit, of all that were surveyed, "
                                   "and how much of the ground they cover"));
            });
    connect(findings_, &FindingsPanel::showRequested, view_, &View3D::lookAtSelection);
    connect(findings_, &FindingsPanel::viewRequested, view_, &View3D::goTo);
    connect(findings_, &FindingsPanel::tried, fixes_, &FixesPanel::setTried);
    connect(findings_, &FindingsPanel::counted, this, [this](int count, const QString& explained) {
        if (explained.isEmpty())
            rail_->setState(WorkStep::Findings, tr("%1 open").arg(count));
        else
            rail_->setState(WorkStep::Findings, tr("%1: %2").arg(count).arg(explained),
                            tr("Open causes, and what they explain of the load that is most over"));
    });
    connect(start_, &StartPage::openRequested, this, &MainWindow::chooseFile);
    connect(start_, &StartPage::fileChosen, this, &MainWindow::open);
    connect(start_, &StartPage::demoRequested, this, &MainWindow::openDemo);
}

void MainWindow::connectFixes() {
    connect(findings_, &FindingsPanel::fixRequested, this,
            [this](const FixSettings& fix, const QString& asset) {
                showStep(WorkStep::Fixes);
                fixes_->addPrepared(fix, asset);
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
    connect(fixes_, &FixesPanel::tintRequested, this, [this] {
        view_->setShowing(Showing::Result);
        view_->setLens(LensKind::Groups);
    });
    connect(&fixes_->tidy(), &TidyInstrument::swapRequested, this, [this] {
        view_->setShowing(view_->showing() == Showing::Original ? Showing::Result
                                                                : Showing::Original);
    });
}

void MainWindow::connectDocument() {
    connect(&document_, &Document::failed, this, &MainWindow::showFailure);
    connect(&document_, &Document::readAgain, title_, &TitleBlock::say);
    connect(&document_, &Document::sceneChanged, this, [this] { exported_ = false; });
    connect(&document_, &Document::sceneChanged, this, &MainWindow::refreshHint);
    connect(&document_.projectModel(), &ProjectModel::changed, this, &MainWindow::refreshHint);
    connect(&document_.survey(), &SurveyModel::changed, this, &MainWindow::refreshHint);
    connect(&document_.evaluator(), &Evaluator::changed, this, &MainWindow::refreshHint);
    connect(&document_, &Document::opened, this, [this](const QString& file) {
        failure_->hide();
        if (left_ && !recovery_->isVisible()) {  // its changes are here now
            journal_.write();
            Journal::discard(*left_);
            offerRecovery();
        }
        remember(file);
        refreshTitle();
    });
    connect(&document_, &Document::exported, this, [this](const QString& file) {
        title_->say(tr("Exported %1").arg(QFileInfo(file).fileName()));
        exported_ = true;
        refreshHint();
    });
    connect(&document_.projectModel(), &ProjectModel::changed, this, &MainWindow::refreshTitle);
    connect(&document_.projectModel(), &ProjectModel::saved, this, &MainWindow::refreshTitle);
    connect(&document_.projectModel().undoStack(), &QUndoStack::cleanChanged, this,
            &MainWindow::refreshTitle);
}

/// The widgets look at the document, which is a member and would go before them.
MainWindow::~MainWindow() {
    document_.disconnect(this);
    document_.projectModel().undoStack().disconnect(this);
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
    auto* centre = new Centre(view_, plan_, start_);
    connect(plan_, &PlanView::swapRequested, centre, &Centre::swap);
    for (QWidget* sheet : {static_cast<QWidget*>(target_), static_cast<QWidget*>(survey_),
                           static_cast<QWidget*>(findings_), static_cast<QWidget*>(fixes_),
                           static_cast<QWidget*>(proof_)})
        sheets_->addWidget(scrolled(sheet));
    sheets_->setMinimumWidth(440);
    auto* right = new QWidget;
    auto* rightLayout = new QVBoxLayout(right);
    rightLayout->setContentsMargins(0, 0, 0, 0);
    rightLayout->setSpacing(0);
    hint_->setWordWrap(true);
    hint_->setContentsMargins(16, 7, 16, 7);
    hint_->setAccessibleName(tr("First step"));
    hint_->hide();
    rightLayout->addWidget(hint_);
    rightLayout->addWidget(sheets_, 1);
    splitter_->addWidget(left);
    auto* middle = new QWidget;
    auto* middleLayout = new QVBoxLayout(middle);
    middleLayout->setContentsMargins(0, 0, 0, 0);
    middleLayout->setSpacing(0);
    middleLayout->addWidget(reading_);
    middleLayout->addWidget(centre, 1);
    middleLayout->addWidget(strip_);
    splitter_->addWidget(middle);
    splitter_->addWidget(right);
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
    buildRecoveryBar(layout);
    layout->addWidget(splitter_, 1);
    addRule(layout);
    layout->addWidget(title_);
    setCentralWidget(whole);
    resize(1280, 800);
}

void MainWindow::buildRecoveryBar(QVBoxLayout* layout) {
    auto* row = new QHBoxLayout(recovery_);
    row->setContentsMargins(14, 6, 14, 6);
    recoveryText_->setWordWrap(true);
    row->addWidget(recoveryText_, 1);
    auto* recover = makePrimary(tr("Recover"));
    auto* discard = new QPushButton(tr("Discard"));
    row->addWidget(recover);
    row->addWidget(discard);
    recovery_->hide();
    layout->addWidget(recovery_);
    connect(recover, &QPushButton::clicked, this, [this] {
        if (!left_ || !mayLoseChanges()) return;
        recovery_->hide();
        document_.recover(left_->project, left_->projectFile, left_->wasSurveyed);
    });
    connect(discard, &QPushButton::clicked, this, [this] {
        if (left_) Journal::discard(*left_);
        offerRecovery();
    });
}

void MainWindow::offerRecovery() {
    const std::vector<LeftBehind> left = Journal::leftBehind();
    left_ = left.empty() ? std::nullopt : std::optional(left.front());
    recovery_->setVisible(left_.has_value());
    if (!left_) return;
    const QString name = left_->projectFile.isEmpty()
                             ? QFileInfo(toText(left_->project.scene.string())).fileName()
                             : QFileInfo(left_->projectFile).fileName();
    recoveryText_->setText(
        tr("Flentro ended without saving the changes to %1 of %2.")
            .arg(name, QFileInfo(left_->journal).lastModified().toString("d MMM yyyy, hh:mm")));
}

/// Where the window was and how it was used last.
void MainWindow::restoreChoices() {
    const QSettings settings;
    restoreGeometry(settings.value("geometry").toByteArray());
    splitter_->restoreState(settings.value("splitter").toByteArray());
    const int step = settings.value("step", 0).toInt();
    if (step >= 0 && step < kStepCount) showStep(static_cast<WorkStep>(step));
    proof_->restoreChoices(settings);
}

void MainWindow::rememberChoices() {
    QSettings settings;
    settings.setValue("geometry", saveGeometry());
    settings.setValue("splitter", splitter_->saveState());
    settings.setValue("step", static_cast<int>(step()));
    proof_->rememberChoices(settings);
}

/// The first thing to do in the panel that is open, until it is done.
void MainWindow::refreshHint() {
    const Project& project = document_.project();
    QString text;
    if (document_.hasScene()) switch (step()) {
            case WorkStep::Target:
                if (project.order.fixes.empty() && !document_.survey().surveyed().exists())
                    text = tr("First: pick the weakest machine that you promised to run on.");
                break;
            case WorkStep::Survey:
                if (!document_.survey().surveyed().exists())
                    text =
                        tr("First: press Survey. It finds the places and headings that cost "
                           "most.");
                break;
            case WorkStep::Findings:
                if (project.order.fixes.empty())
                    text = tr("First: choose the heaviest row and press Fix this.");
                break;
            case WorkStep::Fixes:
                if (project.order.fixes.empty())
                    text = fixes_->bestFix().isEmpty()
                               ? tr("First: add a fix. Findings says what each takes off.")
                               : tr("First: add a fix. %1.").arg(fixes_->bestFix());
                break;
            case WorkStep::Proof:
                if (!exported_ && !project.order.fixes.empty())
                    text = tr("First: compare with the swipe line, then export.");
                break;
        }
    hint_->setText(text);
    hint_->setVisible(!text.isEmpty());
    hint_->setStyleSheet(
        QString("background: %1; color: %2;").arg(theme().raised.name(), theme().ink.name()));
}

void MainWindow::buildMenus() {
    buildFileMenu();
    QMenu* edit = menuBar()->addMenu(tr("&Edit"));
    QAction* undo = document_.projectModel().undoStack().createUndoAction(this, tr("Undo"));
    QAction* redo = document_.projectModel().undoStack().createRedoAction(this, tr("Redo"));
    undo->setShortcut(QKeySequence::Undo);
    redo->setShortcut(QKeySequence("Ctrl+Shift+Z"));
    edit->addAction(undo);
    edit->addAction(redo);
    edit->addSeparator();
    edit->addAction(tr("Find"), QKeySequence::Find, this, [this] {
        showStep(WorkStep::Findings);
        findings_->focusSearch();
    });
    edit->addAction(tr("Work out the order again"), QKeySequence("F5"), &document_.evaluator(),
                    &Evaluator::evaluateAgain);
    buildStepMenu();
    buildViewMenu();
    buildHelpMenu();
}

/// As menu entries their keys work from everywhere but text fields, tables included.
void MainWindow::buildStepMenu() {
    static const char* const kNames[] = {"Target", "Survey", "Findings", "Fixes", "Proof"};
    QMenu* menu = menuBar()->addMenu(tr("&Step"));
    for (int i = 0; i < kStepCount; ++i)
        menu->addAction(tr(kNames[i]), QKeySequence(Qt::Key_1 + i), this,
                        [this, i] { showStep(static_cast<WorkStep>(i)); });
}

void MainWindow::buildHelpMenu() {
    QMenu* menu = menuBar()->addMenu(tr("&Help"));
    menu->addAction(tr("All keys"), QKeySequence("F1"), this, [this] {
        KeySheet sheet(*menuBar(), this);
        sheet.exec();
    });
    menu->addAction(tr("Guide"), this, &MainWindow::showGuide);
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
    for (const Lens& lens : lenses()) {
        menu->addAction(tr("Lens: %1").arg(lens.name), lensKeys(lens.kind), this,
                        [this, kind = lens.kind] { view_->setLens(kind); });
    }
    menu->addSeparator();
    menu->addAction(tr("Look at selection"), QKeySequence("L"), view_, &View3D::lookAtSelection);
    menu->addAction(tr("Previous viewpoint"), QKeySequence("B"), view_, &View3D::goBack);
    menu->addAction(tr("Lamp at the eye"), QKeySequence("K"), view_, &View3D::toggleEyeLight);
    menu->addAction(tr("Switch selection off"), QKeySequence("X"), this, [this] {
        if (document_.selection().object() >= 0)
            document_.switchOff({static_cast<std::size_t>(document_.selection().object())});
    });
    menu->addAction(tr("Survey"), QKeySequence("Ctrl+R"), survey_, &SurveyPanel::run);
    menu->addAction(tr("Switch all on"), QKeySequence("Shift+X"), &document_.selection(),
                    &Selection::switchAllOn);
    menu->addAction(tr("Swap plan and 3D view"), QKeySequence("Ctrl+P"), plan_,
                    &PlanView::swapRequested);
    menu->addSeparator();
    menu->addAction(tr("Day or Night sheet"), QKeySequence("Ctrl+D"), this,
                    &MainWindow::toggleTheme);
}

void MainWindow::showStep(WorkStep step) {
    document_.selection().showMarks(step == WorkStep::Fixes);
    sheets_->setCurrentIndex(static_cast<int>(step));
    rail_->setCurrent(step);
    if (step == WorkStep::Proof && view_->showing() == Showing::Result)
        view_->setShowing(Showing::Swipe);
    if (step != WorkStep::Proof && view_->showing() == Showing::Swipe)
        view_->setShowing(Showing::Result);
    refreshHint();
}

WorkStep MainWindow::step() const {
    return static_cast<WorkStep>(sheets_->currentIndex());
}

void MainWindow::toggleTheme() {
    const ThemeName next = currentTheme() == ThemeName::Night ? ThemeName::Day : ThemeName::Night;
    setTheme(*qApp, next);
    QSettings().setValue("sheet", next == ThemeName::Day ? "day" : "night");
    for (QWidget* widget : findChildren<QWidget*>()) widget->update();
    view_->requestFrame();
    refreshHint();
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
    QString file = document_.projectModel().file();
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
    return !document_.projectModel().isModified();
}

bool MainWindow::mayLoseChanges() {
    if (!document_.projectModel().isModified()) return true;
    const auto answer = QMessageBox::question(
        this, tr("Unsaved changes"), tr("The project has changes that are not saved."),
        QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel);
    if (answer == QMessageBox::Save) return save(false);
    return answer == QMessageBox::Discard;
}

/// Beside the program: as installed, or in the source tree.
void MainWindow::showGuide() {
    const QDir program(QCoreApplication::applicationDirPath());
    for (const char* place : {"../share/doc/flentro/guide.md", "../../../docs/guide.md"})
        if (const QString file = program.filePath(place); QFileInfo::exists(file)) {
            QDesktopServices::openUrl(QUrl::fromLocalFile(QFileInfo(file).absoluteFilePath()));
            return;
        }
    showFailure(tr("The guide is not installed: it is docs/guide.md of the source."));
}

void MainWindow::openDemo() {
    if (!mayLoseChanges()) return;
    const QString folder =
        QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/demo";
    const QString project = folder + "/ottermere.flentro.json";
    if (QFileInfo::exists(project)) return document_.open(project);
    document_.jobs().start(tr("Writing the demo"), [this, folder](Progress& progress) {
        progress.report(0, "Writing the demo scene");
        const auto written = demo::writeOttermere(demo::makeOttermere({}, 1), folder.toStdString());
        return JobRunner::Finish([this, written] {
            if (written)
                document_.open(toText(written->project.string()));
            else
                showFailure(toText(describe(written.error())));
        });
    });
}

void MainWindow::remember(const QString& file) {
    QSettings settings;
    QStringList recent = settings.value("recent").toStringList();
    recent.removeAll(file);
    recent.prepend(file);
    settings.setValue("recent", recent.mid(0, kMaxRecent));
    start_->setRecent(recent);
}

void MainWindow::fillRecent(QMenu* menu) {
    menu->clear();
    for (const QString& file : QSettings().value("recent").toStringList())
        menu->addAction(file, this, [this, file] { open(file); });
    if (menu->isEmpty()) menu->addAction(tr("Nothing opened yet"))->setEnabled(false);
}

void MainWindow::refreshTitle() {
    const QString name = document_.projectModel().file().isEmpty()
                             ? (document_.hasScene() ? toText(document_.source()->name) : "")
                             : QFileInfo(document_.projectModel().file()).completeBaseName();
    setWindowTitle(
        (name.isEmpty() ? "" : name + (document_.projectModel().isModified() ? "*" : "") + " - ") +
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
    rememberChoices();
    if (!mayLoseChanges()) return event->ignore();
    document_.projectModel().undoStack().setClean();  // what is discarded is not to be recovered
    event->accept();
}

}  // namespace flentro::app
