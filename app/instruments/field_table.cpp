#include "instruments/field_table.h"

#include <QInputDialog>
#include <cmath>

#include "base/index.h"
#include "base/text.h"

namespace flentro::app {
namespace {

/// What a cell shows of a value: lists as "4, 9, 20", nothing for what is not given.
QString cellText(const Field& field, const Json& value) {
    using Type = Field::Type;
    switch (field.type) {
        case Type::Number:
        case Type::Whole:
            return value.is_number() ? QString::number(value.get<double>() * field.text.scale)
                                     : QString();
        case Type::Text:
            return toText(value.is_string() ? value.get<std::string>() : "");
        case Type::Choice:
            for (const FieldChoice& choice : field.choices)
                if (value == choice.key) return choice.label;
            return {};
        case Type::Numbers:
        case Type::Wholes: {
            QStringList numbers;
            for (const Json& number : value) numbers << QString::number(number.get<double>());
            return numbers.join(", ");
        }
        default:
            return {};
    }
}

/// The value that a cell's text means; the text itself where it is none, for the check to refuse.
Json cellValue(const Field& field, const QString& text) {
    using Type = Field::Type;
    bool ok = true;
    const auto number = [&](const QString& word) {
        const double value = word.trimmed().toDouble(&ok);
        const bool isWhole = value == std::floor(value) && field.text.scale == 1;
        return isWhole ? Json(static_cast<std::int64_t>(value)) : Json(value / field.text.scale);
    };
    if (field.type == Type::Number || field.type == Type::Whole) {
        const Json value = number(text);
        return ok ? value : Json(text.toStdString());
    }
    if (field.type == Type::Numbers || field.type == Type::Wholes) {
        Json list = Json::array();
        for (const QString& word : text.split(',', Qt::SkipEmptyParts)) {
            const Json value = number(word);
            list.push_back(ok ? value : Json(word.toStdString()));
        }
        return list;
    }
    if (field.type == Type::Choice)
        for (const FieldChoice& choice : field.choices)
            if (text == choice.label) return choice.key;
    return text.toStdString();
}

QString heading(const Field& field) {
    const QString unit = field.shownUnit();
    return unit.isEmpty() ? QString(field.text.label)
                          : QString("%1, %2").arg(field.text.label, unit);
}

}  // namespace

FieldTableEditor::FieldTableEditor(Document& document, const Field& field, QWidget* parent)
    : QWidget(parent),
      document_(document),
      field_(field),
      hint_(makeFaint(!isByAsset()         ? tr("None yet.")
                      : field.text.byImage ? tr("None: all images are treated alike.")
                                           : tr("None: all assets are treated alike."))) {
    QStringList heads;
    if (isByAsset()) heads << (field.text.byImage ? tr("Image") : tr("Asset"));
    for (const Field& column : columns()) heads << heading(column);
    table_ = makeTable(heads);
    table_->setAccessibleName(field.text.label);
    table_->setToolTip(field.text.help);
    table_->setMinimumHeight(60);
    table_->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed |
                            QAbstractItemView::SelectedClicked);
    hint_->setWordWrap(true);
    hint_->setAlignment(Qt::AlignCenter);
    hint_->setAttribute(Qt::WA_TransparentForMouseEvents);
    auto* empty = new QVBoxLayout(table_->viewport());
    empty->addWidget(hint_);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(4);
    layout->addWidget(table_, 1);
    auto* row = new QHBoxLayout;
    auto* add = new QPushButton(tr("Add"));
    auto* remove = new QPushButton(tr("Remove"));
    add->setToolTip(!isByAsset()         ? tr("A row before the last.")
                    : field.text.byImage ? tr("An image by its name.")
                                         : tr("An asset, that of the selected object first."));
    row->addWidget(add);
    row->addWidget(remove);
    row->addStretch(1);
    layout->addLayout(row);
    connect(add, &QPushButton::clicked, this, &FieldTableEditor::addRow);
    connect(remove, &QPushButton::clicked, this, &FieldTableEditor::removeRow);
    connect(table_, &QTableWidget::cellChanged, this, &FieldTableEditor::takeCell);
}

/// The values of a row's columns.
Json FieldTableEditor::rowOf(const Json& entry) const {
    Json values = Json::array();
    for (const Field& column : columns())
        values.push_back(field_.isPlainByAsset() ? entry : entry.value(column.key, Json()));
    return values;
}

void FieldTableEditor::fill(const Json& value) {
    value_ = value;
    filling_ = true;
    table_->setRowCount(static_cast<int>(value.size()));
    hint_->setVisible(value.empty());
    int row = 0;
    for (const auto& [key, entry] : value.items()) {
        int column = 0;
        if (isByAsset()) setCell(table_, row, column++, toText(key), false);
        if (isByAsset()) table_->item(row, 0)->setFlags(Qt::ItemIsSelectable | Qt::ItemIsEnabled);
        const Json values = rowOf(entry);
        for (std::size_t i = 0; i < columns().size(); ++i, ++column) {
            const Field& about = columns()[i];
            setCell(table_, row, column, cellText(about, values[i]),
                    about.type != Field::Type::Text && about.type != Field::Type::Choice);
            QTableWidgetItem* item = table_->item(row, column);
            item->setToolTip(about.text.help);
            if (about.type != Field::Type::Switch) continue;
            item->setFlags(Qt::ItemIsSelectable | Qt::ItemIsEnabled | Qt::ItemIsUserCheckable);
            item->setCheckState(values[i] == true ? Qt::Checked : Qt::Unchecked);
        }
        ++row;
    }
    filling_ = false;
}

void FieldTableEditor::takeCell(int row, int column) {
    if (filling_) return;
    const int index = column - (isByAsset() ? 1 : 0);
    if (index < 0 || row >= static_cast<int>(value_.size())) return;
    const Field& about = elementOf(columns(), index);
    const QTableWidgetItem* item = table_->item(row, column);
    const Json read = about.type == Field::Type::Switch ? Json(item->checkState() == Qt::Checked)
                                                        : cellValue(about, item->text().trimmed());
    Json value = value_;
    auto entry = value.begin();
    std::advance(entry, row);
    const bool isNone = item->text().trimmed().isEmpty() && about.fallback.is_null();
    if (field_.isPlainByAsset())
        *entry = read;
    else if (isNone)
        entry->erase(about.key);
    else
        (*entry)[about.key] = read;
    emit edited(value);
}

QStringList FieldTableEditor::freeNames() const {
    QStringList names;
    if (!document_.hasScene()) return names;
    const Scene& scene = *document_.source();
    const auto add = [&](const std::string& name) {
        if (!value_.contains(name)) names << toText(name);
    };
    if (field_.text.byImage)
        for (const Image& image : scene.images) add(image.name);
    else
        for (const Asset& asset : scene.assets) add(asset.mesh->name);
    names.removeDuplicates();
    names.sort(Qt::CaseInsensitive);
    if (field_.text.byImage) return names;
    const int selected = document_.selection().object();
    if (selected < 0) return names;
    const QString own = toText(scene.mesh(elementOf(scene.objects, selected)).name);
    if (names.removeOne(own)) names.prepend(own);
    return names;
}

/// Like the last row, and between it and the one before in what must rise.
Json FieldTableEditor::rowBeforeLast() const {
    Json row = value_.back();
    const char* rising = field_.rising.c_str();
    const double below = value_.size() > 1 ? jsonOr(value_[value_.size() - 2], rising, 0.0) : 0;
    const double above = jsonOr(value_.back(), rising, below > 0 ? 3 * below : 2.0);
    row[field_.rising] = (below + above) / 2;
    return row;
}

void FieldTableEditor::addRow() {
    Json value = value_;
    if (!isByAsset()) {
        value.insert(value.end() - 1, rowBeforeLast());
        return emit edited(value);
    }
    const QStringList names = freeNames();
    if (names.isEmpty()) return;
    bool ok = false;
    const QString asset = QInputDialog::getItem(this, field_.text.label,
                                                field_.text.byImage ? tr("Image") : tr("Asset"),
                                                names, 0, false, &ok);
    if (!ok) return;
    value[asset.toStdString()] =
        field_.isPlainByAsset() ? columns().front().fallback : Json::object();
    emit edited(value);
}

void FieldTableEditor::removeRow() {
    const int row = table_->currentRow();
    if (row < 0 || row >= static_cast<int>(value_.size())) return;
    Json value = value_;
    auto entry = value.begin();
    std::advance(entry, row);
    value.erase(entry);
    emit edited(value);
}

}  // namespace flentro::app
