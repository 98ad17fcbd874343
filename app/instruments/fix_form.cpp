#include "instruments/fix_form.h"

#include <QCheckBox>
#include <QComboBox>
#include <algorithm>
#include <cmath>

#include "instruments/field_table.h"

namespace flentro::app {
namespace {

constexpr int kBoxWidth = 70;  ///< Pixels.

bool isInGrid(const Field& field) {
    return field.type == Field::Type::Number || field.type == Field::Type::Whole ||
           field.type == Field::Type::Choice;
}

bool isTable(const Field& field) {
    return field.type == Field::Type::Rows || field.type == Field::Type::ByAsset;
}

}  // namespace

QDoubleSpinBox* makeNumberBox(const Field& field, QWidget* parent,
                              const std::function<void(double stored)>& commit) {
    const FieldText& text = field.text;
    // What is more than nothing stays so in the decimals that are shown.
    const double finest = field.minimum > 0 ? std::pow(10, -text.decimals) : 0;
    const NumberField number{text.label,
                             field.shownUnit(),
                             std::max(field.minimum * text.scale, finest),
                             field.maximum * text.scale,
                             text.decimals,
                             text.help};
    QDoubleSpinBox* box = makeNumber(number, parent, [commit, field](double shown) {
        commit(std::clamp(shown / field.text.scale, field.minimum, field.maximum));
    });
    if (*text.zero) box->setSpecialValueText(text.zero);
    box->setPrefix(text.prefix);
    // Ranges are wide: the box takes the room that there is, not that of its largest number.
    box->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    box->setMinimumWidth(kBoxWidth);
    return box;
}

FixForm::FixForm(Document& document, const FixKind& kind, const QString& page, int columns,
                 QWidget* parent)
    : QWidget(parent), document_(document), kind_(kind) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(8);
    grid->setVerticalSpacing(4);
    for (int column = 0; column < columns; ++column) grid->setColumnStretch(2 * column + 1, 1);
    layout->addLayout(grid);
    int cell = 0;
    for (std::size_t i = 0; i < kind.fields.size(); ++i) {
        const Field& field = kind.fields[i];
        if (!*field.text.label || page != field.text.page) continue;
        QWidget* editor = makeEditor(i);
        if (!editor) continue;
        if (isInGrid(field)) {
            grid->addWidget(makeFaint(field.text.label), cell / columns, cell % columns * 2);
            grid->addWidget(editor, cell / columns, cell % columns * 2 + 1);
            ++cell;
        } else {
            if (isTable(field)) layout->addWidget(makeFaint(field.text.label));
            layout->addWidget(editor, isTable(field) ? 1 : 0);
        }
    }
}

QWidget* FixForm::makeEditor(std::size_t field) {
    switch (kind_.fields[field].type) {
        case Field::Type::Number:
        case Field::Type::Whole:
            return makeNumberEditor(field);
        case Field::Type::Choice:
            return makeChoiceEditor(field);
        case Field::Type::Switch:
            return makeSwitchEditor(field);
        case Field::Type::Rows:
        case Field::Type::ByAsset:
            return makeTableEditor(field);
        default:
            return nullptr;
    }
}

void FixForm::add(std::size_t field, QWidget* widget, std::function<void(const Json&)> fill) {
    widget->setAccessibleName(kind_.fields[field].text.label);
    widget->setToolTip(kind_.fields[field].text.help);
    editors_.push_back({field, widget, std::move(fill)});
}

QWidget* FixForm::makeNumberEditor(std::size_t field) {
    const Field& about = kind_.fields[field];
    const bool isWhole = about.type == Field::Type::Whole;
    QDoubleSpinBox* box = makeNumberBox(about, this, [this, field, isWhole](double stored) {
        change(field, isWhole ? Json(std::llround(stored)) : Json(stored));
    });
    add(field, box, [box, scale = about.text.scale](const Json& value) {
        box->setValue(value.get<double>() * scale);
    });
    return box;
}

QWidget* FixForm::makeChoiceEditor(std::size_t field) {
    auto* box = new QComboBox;
    for (const FieldChoice& choice : kind_.fields[field].choices)
        box->addItem(choice.label, QString(choice.key));
    box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    box->setMinimumContentsLength(7);
    connect(box, &QComboBox::activated, this, [this, field, box](int index) {
        change(field, box->itemData(index).toString().toStdString());
    });
    add(field, box, [box](const Json& value) {
        box->setCurrentIndex(box->findData(toText(value.get<std::string>())));
    });
    return box;
}

QWidget* FixForm::makeSwitchEditor(std::size_t field) {
    auto* box = new QCheckBox(kind_.fields[field].text.label);
    connect(box, &QCheckBox::clicked, this, [this, field](bool on) { change(field, on); });
    add(field, box, [box](const Json& value) { box->setChecked(value.get<bool>()); });
    return box;
}

QWidget* FixForm::makeTableEditor(std::size_t field) {
    auto* editor = new FieldTableEditor(document_, kind_.fields[field]);
    connect(editor, &FieldTableEditor::edited, this,
            [this, field](const Json& value) { change(field, value); });
    add(field, editor, [editor](const Json& value) { editor->fill(value); });
    return editor;
}

void FixForm::change(std::size_t field, const Json& value) {
    if (filling_) return;
    const QString label = kind_.fields[field].text.label;
    WorkOrder order = document_.project().order;
    Fix* fix = order.find(fix_);
    if (!fix || &fix->settings.kind() != &kind_) return;
    if (const Check wrong = kind_.set(fix->settings, field, value)) {
        emit document_.failed(toText(kind_.name + ": " + describe(*wrong)));
        return show(*document_.project().order.find(fix_));
    }
    document_.projectModel().setOrder(order,
                                      QString("%1: %2").arg(toText(kind_.name), label.toLower()));
}

void FixForm::show(const Fix& fix) {
    if (&fix.settings.kind() != &kind_) return;
    fix_ = fix.id;
    filling_ = true;
    for (const Editor& editor : editors_) editor.fill(kind_.get(fix.settings, editor.field));
    enableByChoice(fix.settings);
    filling_ = false;
}

void FixForm::enableByChoice(const FixSettings& settings) {
    for (const Editor& editor : editors_) {
        const std::string rule = kind_.fields[editor.field].text.onlyFor;
        const std::size_t equals = rule.find('=');
        if (equals == std::string::npos) continue;
        const Json chosen = kind_.get(settings, kind_.fieldIndex(rule.substr(0, equals)));
        editor.widget->setEnabled(chosen == rule.substr(equals + 1));
    }
}

}  // namespace flentro::app
