// One window: rail and board on the left, the scene in the middle, the step's sheet on the
// right, the title block at the foot.

#pragma once

#include <QLabel>
#include <QMainWindow>
#include <QSplitter>
#include <QStackedWidget>

#include "model/journal.h"
#include "panels/findings_panel.h"
#include "panels/fixes_panel.h"
#include "panels/proof_panel.h"
#include "panels/survey_panel.h"
#include "panels/target_panel.h"
#include "view/plan_view.h"
#include "view/view3d.h"
#include "widgets/load_board.h"
#include "widgets/reading_bar.h"
#include "widgets/start_page.h"
#include "widgets/step_rail.h"
#include "widgets/strip.h"
#include "widgets/theme.h"
#include "widgets/title_block.h"

namespace flentro::app {

/// The 3D view with the plan as an inset; they can change places.
class Centre : public QWidget {
public:
    Centre(View3D* view, PlanView* plan, StartPage* start, QWidget* parent = nullptr);
    void swap();

protected:
    void resizeEvent(QResizeEvent* event) override;

private:
    void place();
    View3D* view_;
    PlanView* plan_;
    StartPage* start_;
    bool planLarge_ = false;
};

class MainWindow : public QMainWindow {
    Q_OBJECT

public:
    explicit MainWindow(QWidget* parent = nullptr);
    ~MainWindow() override;

    [[nodiscard]] Document& document() { return document_; }
    [[nodiscard]] View3D& view() { return *view_; }
    [[nodiscard]] FixesPanel& fixes() { return *fixes_; }
    [[nodiscard]] FindingsPanel& findings() { return *findings_; }
    [[nodiscard]] ProofPanel& proof() { return *proof_; }
    [[nodiscard]] SurveyPanel& survey() { return *survey_; }
    [[nodiscard]] PlanView& plan() { return *plan_; }
    [[nodiscard]] Strip& strip() { return *strip_; }
    [[nodiscard]] StepRail& rail() { return *rail_; }
    [[nodiscard]] TitleBlock& titleBlock() { return *title_; }

    void open(const QString& file);
    void showStep(WorkStep step);
    [[nodiscard]] WorkStep step() const;
    /// A sentence above everything, until the next scene is opened.
    void showFailure(const QString& message);
    /// Asks what to do with projects that a killed window left behind, one after the other.
    void offerRecovery();
    /// Writes the demo to the user's data folder if it is not there, and opens it.
    void openDemo();
    void showGuide();
    /// True when nothing is being computed or drawn.
    [[nodiscard]] bool isSettled() const { return document_.isSettled() && view_->isSettled(); }

protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void closeEvent(QCloseEvent* event) override;

private:
    void buildLayout();
    void connectViews();
    void connectFixes();
    void connectDocument();
    void buildMenus();
    void buildFileMenu();
    void buildStepMenu();
    void buildViewMenu();
    void buildHelpMenu();
    void buildRecoveryBar(QVBoxLayout* layout);
    void restoreChoices();
    void rememberChoices();
    void refreshHint();
    void chooseFile();
    bool save(bool as);
    [[nodiscard]] bool mayLoseChanges();
    void toggleTheme();
    void refreshTitle();
    void remember(const QString& file);
    void fillRecent(QMenu* menu);

    Document document_;
    Journal journal_;
    View3D* view_;
    PlanView* plan_;
    StepRail* rail_;
    LoadBoard* board_;
    ReadingBar* reading_;  ///< Asks what is unclear of the file.
    Strip* strip_;
    QStackedWidget* sheets_;
    TargetPanel* target_;
    SurveyPanel* survey_;
    FindingsPanel* findings_;
    FixesPanel* fixes_;
    ProofPanel* proof_;
    TitleBlock* title_;
    QLabel* failure_;
    QWidget* recovery_;
    QLabel* recoveryText_;
    std::optional<LeftBehind> left_;  ///< What the bar asks about.
    QLabel* hint_;
    StartPage* start_;
    QSplitter* splitter_;
    bool exported_ = false;  ///< This scene, since it was opened.
};

}  // namespace flentro::app
