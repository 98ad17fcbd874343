// Tidy's instrument: what each step saves, times the copies, and which assets it comes from.

#pragma once

#include <QCheckBox>

#include "sheets/sheet.h"

namespace flentro::app {

class TidyInstrument : public QWidget {
    Q_OBJECT

public:
    explicit TidyInstrument(Document& document, QWidget* parent = nullptr);
    void setFix(int id);

signals:
    /// The selected object is to be looked at with the edges of its triangles.
    void showRequested();
    /// The scene with what this fix takes away marked, and a line about it.
    void previewMade(const ScenePtr& scene, const QString& text);
    /// The original is to be shown, or the result again.
    void swapRequested();

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
    void addHoles(QGridLayout* grid);
    QLayout* makeUnseen();
    void refresh();
    void fillAssets(const FixRecord& record);
    void showAsset();
    void markGoing();
    void takeUnseenTriangles();
    void adoptUnseen(int fix, const std::vector<UnseenTriangles>& unseen, bool any);
    void change(const QString& text, const std::function<void(TidySettings&)>& apply);
    [[nodiscard]] const TidySettings* settings() const;

    Document& document_;
    int fix_ = 0;
    std::vector<Row> rows_;
    QDoubleSpinBox* holes_ = nullptr;
    QPushButton* unseen_ = nullptr;
    QPushButton* forget_ = nullptr;
    QLabel* unseenText_ = nullptr;
    QTableWidget* assets_;
    QPushButton* show_;
    QPushButton* mark_;
    QPushButton* swap_;
    bool refreshing_ = false;
};

}  // namespace flentro::app
