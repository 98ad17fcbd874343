// Original against result: one camera, every number, and the export.

#pragma once

#include <QButtonGroup>
#include <QComboBox>
#include <QSettings>

#include "project/between.h"
#include "view/view3d.h"
#include "widgets/elements.h"

namespace flentro::app {

class ProofPanel : public QWidget {
    Q_OBJECT

public:
    ProofPanel(Document& document, View3D& view, QWidget* parent = nullptr);

    /// What was chosen for the export last.
    void restoreChoices(const QSettings& settings);
    void rememberChoices(QSettings& settings) const;
    /// Asks for a name unless `file` is given.
    void exportResult(const QString& file = {});

private:
    void buildComparison(QVBoxLayout* layout);
    void buildBetween(QVBoxLayout* layout);
    void buildExport(QVBoxLayout* layout);
    void connectDocument();
    void refresh();
    [[nodiscard]] QString surveyedVerdict() const;
    [[nodiscard]] QString frameVerdict() const;
    void priceSoon();
    [[nodiscard]] QString price() const;
    void countBetween();
    void refreshBetween();
    [[nodiscard]] bool isBetweenCurrent() const;
    [[nodiscard]] ExportOptions options() const;

    Document& document_;
    View3D& view_;
    QButtonGroup* showing_;
    QTableWidget* table_;
    QLabel* verdict_;
    QPushButton* countBetween_;
    QLabel* between_;
    QComboBox* levels_;
    QCheckBox* dropEmpty_;
    QPushButton* export_;
    QLabel* exported_;
    /// What the order changes of the light of surveyed views, and the result that it is of.
    std::optional<LightingChange> lightChange_;
    ScenePtr pricedResult_;
    LatestRunner pricer_;
    /// The result counted between the spots, and what it was counted for.
    struct Between {
        BetweenProof counted;
        ScenePtr result;
        std::shared_ptr<const Survey> survey;
        std::string target;  ///< As JSON.
    };
    std::optional<Between> counted_;
};

}  // namespace flentro::app
