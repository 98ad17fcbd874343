// Fixes that need no picture to be decided: their settings, their account, what they found.

#pragma once

#include <QCheckBox>

#include "instruments/account_view.h"

namespace flentro::app {

class PlainInstrument : public QWidget {
    Q_OBJECT

public:
    /// What can be set; numbers as shown.
    struct Number {
        NumberField field;
        std::function<double(const FixSettings&)> get;
        std::function<void(FixSettings&, double)> set;
    };
    struct Flag {
        QString name, tip;
        std::function<bool(const FixSettings&)> get;
        std::function<void(FixSettings&, bool)> set;
    };
    struct Form {
        QString name;
        std::vector<Flag> flags;
        std::vector<Number> numbers;
        QString listed;  ///< Head of the list of assets; empty: there is none.
    };
    PlainInstrument(Document& document, const Form& form, QWidget* parent = nullptr);
    void setFix(int id);

private:
    void refresh();
    void change(const QString& text, const std::function<void(FixSettings&)>& apply);

    Document& document_;
    Form form_;
    int fix_ = 0;
    std::vector<QCheckBox*> boxes_;
    std::vector<QDoubleSpinBox*> numbers_;
    AccountView* account_;
    QTableWidget* assets_ = nullptr;
    bool refreshing_ = false;
};

[[nodiscard]] PlainInstrument* makeShareInstrument(Document& document);
[[nodiscard]] PlainInstrument* makeSplitInstrument(Document& document);
[[nodiscard]] PlainInstrument* makeShadowInstrument(Document& document);
[[nodiscard]] PlainInstrument* makeStandInInstrument(Document& document);

}  // namespace flentro::app
