// The ladder's instrument: where levels of one asset take over, what they look like there, and
// the settings for all.

#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QLineEdit>
#include <QSpinBox>
#include <QStackedWidget>
#include <QTabBar>

#include "instruments/ladder_plot.h"
#include "instruments/level_looks.h"
#include "instruments/yard_dialog.h"

namespace flentro::app {

class LadderInstrument : public QWidget {
    Q_OBJECT

public:
    explicit LadderInstrument(Document& document, QWidget* parent = nullptr);
    void setFix(int id);
    void setAsset(const QString& name);
    [[nodiscard]] LadderPlot& plot() { return *plot_; }
    [[nodiscard]] LevelLooks& looks() { return *looks_; }

    /// Keeps these settings and their levels beside those tried next.
    void hold();
    void openYard();
    /// The stress yard, once it was opened.
    [[nodiscard]] YardDialog* yard() { return yard_; }

    enum Page { Distances, Looks, Settings, Comparison };
    void turnTo(Page page) { tabs_->setCurrentIndex(page); }

private:
    /// The settings and levels that others are compared with.
    struct Held {
        LadderSettings settings;
        ScenePtr scene;
    };

    QWidget* makeDistances();
    QWidget* makeSettings();
    void addNumbers(QGridLayout* grid, int firstRow);
    void addChoices(QVBoxLayout* layout, QGridLayout* grid);
    QWidget* makeComparison();
    void refresh();
    void refreshSettings(const LadderSettings& now);
    void refreshAssets(const Scene& scene);
    void refreshAsset(const ScenePtr& scene, const LadderSettings& now);
    void refreshComparison(const ScenePtr& scene);
    void change(const QString& text, const std::function<void(LadderSettings&)>& apply);
    void mark(Importance importance);
    void keepPosts();
    void keepCaps();
    void keepCrowd();
    QLayout* makeWeights();
    void takeSeenWeights();
    void adoptWeights(int fix, const std::vector<TriangleWeights>& weights);
    void swapHeld();
    [[nodiscard]] const LadderSettings* settings() const;
    [[nodiscard]] double nearestCopy(const std::string& asset) const;

    Document& document_;
    int fix_ = 0;
    QString asset_;
    QComboBox* assets_;
    QComboBox* importance_;
    QTabBar* tabs_;
    QStackedWidget* pages_;
    LadderPlot* plot_;
    LevelLooks* looks_;
    QLabel* reading_;
    QPushButton* reset_;
    std::array<QSpinBox*, 2> caps_{};  ///< Of LOD 0 and LOD 1.
    QLineEdit* crowd_ = nullptr;
    QPushButton* weigh_ = nullptr;
    QPushButton* forgetWeights_ = nullptr;
    QLabel* weightsText_ = nullptr;
    QComboBox* rule_ = nullptr;
    std::vector<std::pair<QDoubleSpinBox*, std::function<double(const LadderSettings&)>>> fields_;
    std::vector<std::pair<QCheckBox*, bool LadderSettings::*>> flags_;
    std::vector<QWidget*> ofRatio_, ofDeviation_;  ///< Fields that only one rule uses.
    std::optional<Held> held_;
    QPushButton* swap_ = nullptr;
    QLabel* comparison_ = nullptr;
    LatestRunner comparer_;
    YardDialog* yard_ = nullptr;
    bool refreshing_ = false;
};

}  // namespace flentro::app
