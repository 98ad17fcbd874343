// The ladder's instrument: where levels of one asset take over, what they look like there, and
// the settings for all.

#pragma once

#include <QComboBox>
#include <QLineEdit>
#include <QSpinBox>
#include <QStackedWidget>
#include <QTabBar>

#include "fixes/ladder/ladder.h"
#include "instruments/fix_form.h"
#include "instruments/fix_instrument.h"
#include "instruments/ladder_plot.h"
#include "instruments/level_looks.h"
#include "instruments/yard_dialog.h"

namespace flentro::app {

class LadderInstrument : public FixInstrument<LadderSettings> {
    Q_OBJECT

public:
    explicit LadderInstrument(Document& document, QWidget* parent = nullptr);
    void setAsset(const QString& name);
    [[nodiscard]] LadderPlot& plot() { return *plot_; }
    [[nodiscard]] LevelLooks& looks() { return *looks_; }

    /// Keeps these settings and their levels beside those tried next.
    void hold();
    void openYard();
    /// The stress yard, once it was opened.
    [[nodiscard]] YardDialog* yard() { return yard_; }

    enum Page { Distances, Looks, Settings, ByHand, Comparison };
    void turnTo(Page page) { tabs_->setCurrentIndex(page); }

protected:
    void refresh() override;

private:
    /// The settings and levels that others are compared with.
    struct Held {
        LadderSettings settings;
        ScenePtr scene;
    };

    QWidget* makeDistances();
    QWidget* makeSettings();
    QWidget* makeComparison();
    void refreshSettings(const LadderSettings& now);
    void refreshAssets(const Scene& scene);
    void refreshAsset(const ScenePtr& scene, const LadderSettings& now);
    void refreshComparison(const ScenePtr& scene);
    void mark(Importance importance);
    void keepPosts();
    void keepCaps();
    void keepCrowd();
    QLayout* makeWeights();
    void takeSeenWeights();
    void adoptWeights(int fix, const std::vector<MeshRuns>& weights);
    void swapHeld();
    [[nodiscard]] double nearestCopy(const std::string& asset) const;

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
    FixForm* form_;
    FixForm* byHand_;  ///< What is set for single assets, and for which there are levels at all.
    std::optional<Held> held_;
    QPushButton* swap_ = nullptr;
    QLabel* comparison_ = nullptr;
    LatestRunner comparer_;
    YardDialog* yard_ = nullptr;
};

}  // namespace flentro::app
