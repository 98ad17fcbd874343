// Causes: what an audit finds, most relief first, with its evidence and what serves.

#pragma once

#include <QComboBox>
#include <QLineEdit>

#include "findings/finding.h"
#include "panels/evidence_view.h"
#include "widgets/elements.h"

namespace flentro::app {

class CausesPage : public QWidget {
    Q_OBJECT

public:
    explicit CausesPage(Document& document, QWidget* parent = nullptr);
    void focusSearch() { search_->setFocus(); }
    [[nodiscard]] const Diagnosis* diagnosis() const { return diagnosis_.get(); }
    [[nodiscard]] EvidenceView& evidence() { return *evidence_; }

signals:
    void showRequested();  ///< Look at the selection.
    void viewRequested(const Viewpoint& view);
    void fixRequested(const FixSettings& fix, const QString& asset);
    /// The fixes of all findings have been applied and counted.
    void tried(const std::shared_ptr<const Diagnosis>& diagnosis);
    /// Findings that are not set aside, and what they explain: "x4.2 of x4.5".
    void counted(int findings, const QString& explained);

protected:
    void showEvent(QShowEvent* event) override;

private:
    /// What a diagnosis was made from; another asks for another one.
    struct Basis {
        ScenePtr scene;
        std::shared_ptr<const Survey> survey;  ///< Null: not surveyed.
        std::shared_ptr<const Evidence> evidence;
        bool isOfScene = false;  ///< What the survey saw: true if it has looked at this scene.
        std::string target;
        bool operator==(const Basis&) const = default;
    };
    void buildLayout(QVBoxLayout* layout);
    void connectAll();
    [[nodiscard]] Basis basisNow() const;
    void diagnoseIfNew();
    /// `counted`: the survey as its views count now; null: only the present view was.
    void adopt(const Basis& basis, const std::shared_ptr<const Survey>& counted,
               std::shared_ptr<const Diagnosis> diagnosis);
    void tryFixesOf(const Basis& basis, const std::shared_ptr<const Survey>& counted,
                    const Diagnosis& diagnosis);
    void sayWhatIsTried();
    [[nodiscard]] QString cureText(const Finding& finding) const;
    void fillTable();
    void describeCurrent();
    void showCurrent();
    void fixCurrent();
    void fixAllOfKind();
    void switchCurrentOff();
    void setCurrentAside();
    [[nodiscard]] const Finding* current() const;
    [[nodiscard]] bool isAside(const Finding& finding) const;
    [[nodiscard]] std::vector<const Finding*> fixableLike(const Finding& finding) const;

    Document& document_;
    QLineEdit* search_;
    QComboBox* filter_;
    QTableWidget* table_;
    QPushButton* fold_;  ///< Shows findings about what is within its limits.
    QLabel* notSeen_;    ///< That the survey has not looked at what fixes have made since.
    QLabel* sentence_;
    EvidenceView* evidence_;
    QLabel* advice_;
    QPushButton* fix_;
    QPushButton* fixAll_;
    QPushButton* show_;
    QPushButton* off_;
    QPushButton* aside_;
    Basis basis_;
    ScenePtr scene_;  ///< That the findings are about.
    std::shared_ptr<const Diagnosis> diagnosis_;
    bool isTried_ = false;  ///< Its fixes have been applied and counted.
    std::shared_ptr<Memo> memo_ = std::make_shared<Memo>();  ///< Of former ones.
    std::vector<std::size_t> rows_;                          ///< Index of the finding of each row.
};

}  // namespace flentro::app
