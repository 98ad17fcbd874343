// Fixes that need no picture to be decided: their settings, what they found and refused.

#pragma once

#include <QCheckBox>

#include "sheets/sheet.h"

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
        const char* key = "";  ///< Of the kind of fix, as fixKey() tells.
        QString name;
        std::vector<Flag> flags;
        std::vector<Number> numbers;
        QStringList heads;  ///< Of the list of what was found; empty: there is none.
        std::function<std::vector<QStringList>(const FixRecord&)> rows;
        bool tinted = false;  ///< Has a button that tints what it made in the view.
    };
    PlainInstrument(Document& document, const Form& form, QWidget* parent = nullptr);
    void setFix(int id);

signals:
    void tintRequested();

private:
    /// Its fix, while it has one of its kind: undone and added again, others take its number.
    [[nodiscard]] static bool isOf(const Fix* fix, const char* key) {
        return fix && std::string_view(fixKey(fix->settings)) == key;
    }
    void refresh();
    void change(const QString& text, const std::function<void(FixSettings&)>& apply);

    Document& document_;
    Form form_;
    int fix_ = 0;
    std::vector<QCheckBox*> boxes_;
    std::vector<QDoubleSpinBox*> numbers_;
    QLabel* notes_;
    QTableWidget* list_ = nullptr;
    bool refreshing_ = false;
};

[[nodiscard]] PlainInstrument* makeShareInstrument(Document& document);
[[nodiscard]] PlainInstrument* makeSplitInstrument(Document& document);
[[nodiscard]] PlainInstrument* makeShadowInstrument(Document& document);
[[nodiscard]] PlainInstrument* makeStandInInstrument(Document& document);

}  // namespace flentro::app
