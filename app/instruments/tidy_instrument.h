// Tidy's instrument: what each step saves, times the copies, and which assets it comes from.

#pragma once

#include <QCheckBox>

#include "fixes/tidy/tidy.h"
#include "instruments/fix_form.h"
#include "instruments/fix_instrument.h"

namespace flentro::app {

class TidyInstrument : public FixInstrument<TidySettings> {
    Q_OBJECT

public:
    explicit TidyInstrument(Document& document, QWidget* parent = nullptr);

signals:
    /// The selected object is to be looked at with the edges of its triangles.
    void showRequested();
    /// The scene with what this fix takes away marked, and a line about it.
    void previewMade(const ScenePtr& scene, const QString& text);
    /// The original is to be shown, or the result again.
    void swapRequested();

protected:
    void refresh() override;

private:
    /// A row of the steps' table.
    struct Row {
        QCheckBox* box = nullptr;
        QLabel* triangles = nullptr;
        QLabel* placed = nullptr;
        std::function<bool(const TidySettings&)> get;
    };
    void addStep(QGridLayout* grid, const QString& name, const QString& tip,
                 std::function<bool(const TidySettings&)> get,
                 std::function<void(TidySettings&, bool)> set);
    void addStep(QGridLayout* grid, const char* field, bool TidySettings::*flag);
    void addHoles(QGridLayout* grid);
    QLayout* makeUnseen();
    void fillAssets(const FixRecord& record);
    void showAsset();
    void previewRemoval();
    void takeUnseenTriangles();
    void adoptUnseen(int fix, const std::vector<MeshRuns>& unseen, bool any);

    FixForm* more_;  ///< Steps that take no triangles.
    std::vector<Row> rows_;
    QDoubleSpinBox* holes_ = nullptr;
    QPushButton* unseen_ = nullptr;
    QPushButton* forget_ = nullptr;
    QLabel* unseenText_ = nullptr;
    QTableWidget* assets_;
    QPushButton* show_;
    QPushButton* mark_;
    QPushButton* swap_;
};

}  // namespace flentro::app
