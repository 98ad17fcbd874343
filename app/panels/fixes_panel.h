// The work order: a staircase of load, a card for each fix, the instrument of the chosen one.

#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QScrollArea>
#include <QToolButton>

#include "findings/trial.h"
#include "instruments/account_view.h"
#include "instruments/atlas_instrument.h"
#include "instruments/culling_instrument.h"
#include "instruments/ladder_instrument.h"
#include "instruments/material_instrument.h"
#include "instruments/merge_instrument.h"
#include "instruments/plain_instrument.h"
#include "instruments/staircase.h"
#include "instruments/tidy_instrument.h"
#include "widgets/elements.h"

class QMenu;

namespace flentro::app {

class FixCard;

class FixesPanel : public QWidget {
    Q_OBJECT

public:
    explicit FixesPanel(Document& document, QWidget* parent = nullptr);

    /// Adds the fix if the order has none of its kind, chooses it, and shows the asset in it.
    void addOrShow(const QString& key, const QString& asset);
    /// The same with settings that were prepared for a finding.
    void addPrepared(const FixSettings& settings, const QString& asset);
    /// The fixes of a file, which may be a project's, take the place of those that are there.
    void readOrder(const QString& file);
    void writeOrder(const QString& file);
    [[nodiscard]] LadderInstrument& ladder() { return *ladder_; }
    [[nodiscard]] CullingInstrument& culling() { return *culling_; }
    [[nodiscard]] TidyInstrument& tidy() { return *tidy_; }
    [[nodiscard]] MergeInstrument& merge() { return *merge_; }
    /// The chosen fix's account instead of its instrument.
    void showAccount(bool shown);
    [[nodiscard]] AccountView& account() { return *account_; }
    /// What the fixes of findings take off the present result; null where they were not tried.
    void setTried(const std::shared_ptr<const Diagnosis>& diagnosis);
    [[nodiscard]] QString bestFix() const;

signals:
    void tintRequested();  ///< What fixes merged and split, in the view.

private:
    void buildHead(QVBoxLayout* layout);
    [[nodiscard]] const Diagnosis* tried() const;
    [[nodiscard]] const Diagnosis::Trial* trialOf(const FixKind& kind) const;
    void orderAdditions(QMenu& menu);
    void addInstruments();
    void rebuildCards();
    void refreshCards();
    void describeAdditions();
    void followWorstMeasure();
    void chooseOrderToRead();
    void chooseOrderToWrite();
    void choose(int id);
    void add(const FixSettings& settings);
    void change(const QString& text, const std::function<void(WorkOrder&)>& apply);
    void move(int id, int by);
    void addInstrument(const std::string& key, FixInstrumentBase* instrument);
    void showInstrument();
    void refreshAccount(const Fix& fix);

    Document& document_;
    QComboBox* measure_;
    bool measureChosen_ = false;  ///< By the artist: else it follows what is most over.
    std::vector<std::pair<const FixKind*, QAction*>> addActions_;
    std::shared_ptr<const Diagnosis> tried_;
    ScenePtr triedScene_;  ///< That it is about.
    std::string triedTarget_;
    Staircase* staircase_;
    QWidget* cardHolder_;
    std::vector<FixCard*> cards_;
    /// Holds the shown instrument alone: others would be asked for their sizes at every change.
    QVBoxLayout* instruments_;
    QWidget* shownInstrument_ = nullptr;
    LadderInstrument* ladder_;
    CullingInstrument* culling_;
    TidyInstrument* tidy_;
    MergeInstrument* merge_;
    std::map<std::string, FixInstrumentBase*> byKind_;  ///< By the key of a kind of fix.
    /// Whose instrument is shown, and its kind: a fix may take the number of one that was undone.
    std::pair<int, std::string> shownFix_;
    AccountView* account_;
    bool accountShown_ = false;
    QLabel* nothing_;  ///< What to do while no fix is chosen.
};

/// One fix of the work order.
class FixCard : public QFrame {
    Q_OBJECT

public:
    FixCard(const Fix& fix, int position, int count, QWidget* parent);
    [[nodiscard]] int fix() const { return fix_; }
    void setChosen(bool chosen);
    void setResult(const QString& summary, const QString& tip);
    /// Change of load for each measure that this fix brought, negative: saved.
    void setContribution(const std::vector<std::pair<Measure, double>>& change);
    [[nodiscard]] QCheckBox* box() const { return on_; }
    void setAccountShown(bool shown) { account_->setChecked(shown); }

signals:
    void chosen();
    void toggled(bool on);
    void moved(int by);
    void removed();
    void accountAsked(bool shown);

protected:
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void paintEvent(QPaintEvent* event) override;

private:
    int fix_;
    bool chosen_ = false;
    QCheckBox* on_;
    QWidget* details_;  ///< Of the chosen card: what it did, and marks to move or remove it.
    QLabel* summary_;
    QLabel* contribution_;
    QToolButton* account_;
};

}  // namespace flentro::app
