// Forms made from the fields of a fix: an editor for each setting, with the field's words, unit and
// range.

#pragma once

#include <QGridLayout>
#include <map>

#include "widgets/elements.h"

namespace flentro::app {

/// One page of the settings of a fix.
class FixForm : public QWidget {
    Q_OBJECT

public:
    /// Fields of the page `page`; `columns`: of numbers and choices beside each other.
    FixForm(Document& document, const FixKind& kind, const QString& page = {}, int columns = 1,
            QWidget* parent = nullptr);
    /// Shows the settings of a fix of the kind; another leaves the form as it is.
    void show(const Fix& fix);

private:
    /// One setting with what edits it.
    struct Editor {
        std::size_t field = 0;
        QWidget* widget = nullptr;
        std::function<void(const Json&)> fill;
    };
    [[nodiscard]] QWidget* makeEditor(std::size_t field);
    [[nodiscard]] QWidget* makeNumberEditor(std::size_t field);
    [[nodiscard]] QWidget* makeChoiceEditor(std::size_t field);
    [[nodiscard]] QWidget* makeSwitchEditor(std::size_t field);
    [[nodiscard]] QWidget* makeTableEditor(std::size_t field);
    void add(std::size_t field, QWidget* widget, std::function<void(const Json&)> fill);
    void change(std::size_t field, const Json& value);
    /// Fields that only one choice uses are enabled while it is made.
    void enableByChoice(const FixSettings& settings);

    Document& document_;
    const FixKind& kind_;
    int fix_ = 0;
    std::vector<Editor> editors_;
    bool filling_ = false;
};

/// The number box of a field, in its shown unit.
[[nodiscard]] QDoubleSpinBox* makeNumberBox(const Field& field, QWidget* parent,
                                            const std::function<void(double stored)>& commit);

}  // namespace flentro::app
