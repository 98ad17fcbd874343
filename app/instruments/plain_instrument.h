// Fixes that need no picture to be decided: their settings, what they found and refused.

#pragma once

#include "instruments/fix_form.h"
#include "instruments/fix_instrument.h"

namespace flentro::app {

class PlainInstrument : public FixInstrumentBase {
    Q_OBJECT

public:
    /// What is shown below the settings; all of it may be left out.
    struct Results {
        QStringList heads;  ///< Of the list of what was found; empty: there is none.
        std::function<std::vector<QStringList>(const FixRecord&)> rows;
        bool tinted = false;  ///< Has a button that tints what it made in the view.
    };
    PlainInstrument(Document& document, const FixKind& kind, Results results,
                    QWidget* parent = nullptr);

protected:
    void refresh() override;
    /// Null without a list.
    [[nodiscard]] QTableWidget* list() const { return list_; }

private:
    const FixKind& kind_;
    Results results_;
    FixForm* form_;
    QLabel* notes_;
    QTableWidget* list_ = nullptr;
};

/// What there is to show of a kind of fix that has no instrument of its own.
[[nodiscard]] PlainInstrument::Results resultsOf(const FixKind& kind);

}  // namespace flentro::app
