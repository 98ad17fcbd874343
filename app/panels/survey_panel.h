// Every place: where to survey and how finely, what is worst, what is drawn in vain.

#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QTabBar>

#include "model/walk_recorder.h"
#include "report/survey_report.h"
#include "survey/analysis.h"
#include "widgets/elements.h"

namespace flentro::app {

class SurveyPanel : public QWidget {
    Q_OBJECT

public:
    explicit SurveyPanel(Document& document, QWidget* parent = nullptr);

    [[nodiscard]] WalkRecorder& recorder() { return recorder_; }

    /// Starts measuring with the present settings.
    void run();

signals:
    void chosen(const Viewpoint& view);
    void showRequested();  ///< Look at the selected object.
    /// `coverage`: "97 %"; empty where it is not known.
    void measured(int spots, int over, const QString& coverage);

private:
    enum Page { Worst, Waste, Textures, Kept };

    /// What a survey says beyond its views; computed on a worker.
    struct Analysis {
        std::vector<ObjectWaste> waste;
        NeverSeen unseen;
        std::vector<FarPlaneLoss> farPlane;
        std::vector<TextureNeed> textures;
        std::optional<SlowestView> slowest;
    };

    void buildSettings(QVBoxLayout* layout);
    void buildCamera(QVBoxLayout* layout);
    void buildRunButtons(QVBoxLayout* layout);
    void buildMeasureChoice(QVBoxLayout* layout);
    void buildTables(QVBoxLayout* layout);
    void buildKeepButtons(QVBoxLayout* layout);
    void turn();
    void change(const std::function<void(SurveyRequest&)>& edit);
    void refresh();
    void refreshSurvey();
    void fillWhere();
    void refreshWalk();
    void analyseSoon();
    void showWorst();
    void showAnalysis(const Analysis& analysis);
    void showTextures(const std::vector<TextureNeed>& needs);
    void showKept();
    void choose(int row);
    void keepSpot();
    void removeSpot();

    Document& document_;
    QComboBox* where_;
    QComboBox* detail_;
    QDoubleSpinBox* spacing_;
    QDoubleSpinBox* eyeHeight_;
    QCheckBox* limited_;
    QWidget* camera_;
    QDoubleSpinBox* behind_;
    QDoubleSpinBox* pitch_;
    QDoubleSpinBox* from_;
    QDoubleSpinBox* to_;
    QPushButton* run_;
    QPushButton* keep_;
    QPushButton* remove_;
    QPushButton* record_;
    QPushButton* play_;
    QLabel* summary_;
    QPushButton* startThere_;  ///< Offered where the spots cover too little.
    QLabel* facts_;
    QComboBox* measure_;
    QTabBar* pages_;
    QTableWidget* worstTable_;
    QTableWidget* wasteTable_;
    QTableWidget* textureTable_;
    QTableWidget* keptTable_;
    std::vector<Viewpoint> worstViews_;
    std::vector<std::size_t> wasted_;  ///< Objects of the waste table's rows.
    std::shared_ptr<const Survey> analysed_;
    LatestRunner analyser_;
    WalkRecorder recorder_;
    bool refreshing_ = false;
};

}  // namespace flentro::app
