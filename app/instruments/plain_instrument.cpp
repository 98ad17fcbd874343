#include "instruments/plain_instrument.h"

#include "base/text.h"

namespace flentro::app {
namespace {

constexpr int kFieldWidth = 96;

QString countText(std::size_t count) {
    return toText(formatCount(static_cast<double>(count)));
}

/// Reads and writes a member of one kind of settings.
template <typename Settings, typename Member>
PlainInstrument::Number number(const NumberField& field, Member Settings::*member,
                               double scale = 1) {
    return {field,
            [=](const FixSettings& s) {
                return static_cast<double>(std::get<Settings>(s).*member) * scale;
            },
            [=](FixSettings& s, double value) {
                std::get<Settings>(s).*member = static_cast<Member>(value / scale);
            }};
}

template <typename Settings>
PlainInstrument::Flag flag(const QString& name, const QString& tip, bool Settings::*member) {
    return {name, tip, [=](const FixSettings& s) { return std::get<Settings>(s).*member; },
            [=](FixSettings& s, bool on) { std::get<Settings>(s).*member = on; }};
}

}  // namespace

PlainInstrument::PlainInstrument(Document& document, const Form& form, QWidget* parent)
    : QWidget(parent), document_(document), form_(form), notes_(makeFaint("")) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    for (const Flag& entry : form_.flags) {
        auto* box = new QCheckBox(entry.name);
        box->setToolTip(entry.tip);
        layout->addWidget(box);
        boxes_.push_back(box);
        connect(box, &QCheckBox::clicked, this, [this, entry](bool on) {
            change(tr("%1: %2").arg(form_.name, entry.name.toLower()),
                   [&](FixSettings& s) { entry.set(s, on); });
        });
    }
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(8);
    grid->setVerticalSpacing(4);
    grid->setColumnStretch(2, 1);
    for (const Number& entry : form_.numbers) {
        QDoubleSpinBox* box = makeNumber(entry.field, this, [this, entry](double value) {
            change(tr("%1: %2").arg(form_.name, entry.field.label.toLower()),
                   [&](FixSettings& s) { entry.set(s, value); });
        });
        box->setMinimumWidth(kFieldWidth);
        if (entry.field.low == 0 && entry.field.unit != "%") box->setSpecialValueText(tr("never"));
        numbers_.push_back(box);
        grid->addWidget(makeFaint(entry.field.label), grid->rowCount(), 0);
        grid->addWidget(box, grid->rowCount() - 1, 1);
    }
    layout->addLayout(grid);
    notes_->setWordWrap(true);
    layout->addWidget(notes_);
    if (form_.tinted) {
        auto* tint = new QPushButton(tr("Tint in the view"));
        tint->setToolTip(tr("Each object that this and other fixes made in a colour of its own."));
        connect(tint, &QPushButton::clicked, this, &PlainInstrument::tintRequested);
        layout->addWidget(tint, 0, Qt::AlignLeft);
    }
    if (!form_.heads.isEmpty()) {
        list_ = makeTable(form_.heads);
        list_->setAccessibleName(form_.heads.front());
        list_->setMinimumHeight(44);
        layout->addWidget(list_, 1);
    } else {
        layout->addStretch(1);
    }
    connect(&document, &Document::resultChanged, this, &PlainInstrument::refresh);
    connect(&document, &Document::projectChanged, this, &PlainInstrument::refresh);
}

void PlainInstrument::setFix(int id) {
    fix_ = id;
    refresh();
}

void PlainInstrument::change(const QString& text, const std::function<void(FixSettings&)>& apply) {
    if (refreshing_) return;
    WorkOrder order = document_.project().order;
    Fix* fix = order.find(fix_);
    if (!isOf(fix, form_.key)) return;
    apply(fix->settings);
    document_.setOrder(order, text);
}

void PlainInstrument::refresh() {
    const Fix* fix = document_.project().order.find(fix_);
    if (!isOf(fix, form_.key)) return;
    refreshing_ = true;
    for (std::size_t i = 0; i < boxes_.size(); ++i)
        boxes_[i]->setChecked(form_.flags[i].get(fix->settings));
    for (std::size_t i = 0; i < numbers_.size(); ++i)
        numbers_[i]->setValue(form_.numbers[i].get(fix->settings));
    refreshing_ = false;
    const Document::Done done = document_.doneBy(fix_);
    QStringList notes;
    if (done)
        for (const std::string& note : done.record->notes) notes << toText(note) + ".";
    notes_->setText(notes.join("\n"));
    notes_->setVisible(!notes.empty());
    if (!list_) return;
    const auto rows = done ? form_.rows(*done.record) : std::vector<QStringList>();
    list_->setRowCount(static_cast<int>(rows.size()));
    for (int row = 0; row < list_->rowCount(); ++row)
        for (int column = 0; column < form_.heads.size(); ++column)
            setCell(list_, row, column, rows[static_cast<std::size_t>(row)][column], column > 0);
}

PlainInstrument* makeShareInstrument(Document& document) {
    const auto tr = [](const char* text) { return QObject::tr(text); };
    return new PlainInstrument(
        document,
        {"share",
         tr("Share"),
         {flag(tr("Meshes that were turned, scaled or mirrored too"),
               tr("Copies that were moved before they were stored become instances of one mesh."),
               &ShareSettings::moved),
          flag(tr("Materials equal in value"), tr("Whatever they are called."),
               &ShareSettings::materials),
          flag(tr("Images equal in every pixel"), tr("Whatever files they come from."),
               &ShareSettings::images)},
         {number({tr("Tolerance"), "‰", 0.0001, 10, 4,
                  tr("How far vertices of equal meshes may lie apart, in sizes of the mesh.")},
                 &ShareSettings::tolerance, 1000)},
         {tr("Kept for all its copies"), tr("Triangles less"), tr("Vertices less")},
         [](const FixRecord& record) {
             std::vector<QStringList> rows;
             for (const Saving& asset : record.assets)
                 rows.push_back(
                     {toText(asset.what), countText(asset.triangles), countText(asset.vertices)});
             return rows;
         }});
}

PlainInstrument* makeSplitInstrument(Document& document) {
    const auto tr = [](const char* text) { return QObject::tr(text); };
    return new PlainInstrument(
        document,
        {"split",
         tr("Split"),
         {flag(tr("Transparent parts apart from opaque ones"),
               tr("Both keep their place; the culling fix can let the transparent one go earlier."),
               &SplitSettings::transparent)},
         {number({tr("Loose pieces apart by"), "m", 0, 1e5, 1,
                  tr("Pieces of one mesh with at least this gap become objects; 0: never.")},
                 &SplitSettings::apart),
          number({tr("Cells of"), "m", 0, 1e5, 1,
                  tr("Larger meshes are cut along their triangles, so that culling and levels have "
                     "something to act on. The cells meet at any levels; 0: never.")},
                 &SplitSettings::cell),
          number({tr("At least"), "triangles", 1, 1e8, 0,
                  tr("Of a cell, in the mean: where meshes are coarser cells are larger.")},
                 &SplitSettings::leastTriangles)},
         {tr("Cut"), tr("Pieces"), tr("Copies"), tr("Of them glass")},
         [](const FixRecord& record) {
             std::vector<QStringList> rows;
             for (const Cut& cut : record.cuts)
                 rows.push_back({toText(cut.asset), countText(cut.pieces), countText(cut.copies),
                                 countText(cut.transparent)});
             return rows;
         },
         true});
}

PlainInstrument* makeStandInInstrument(Document& document) {
    const auto tr = [](const char* text) { return QObject::tr(text); };
    return new PlainInstrument(
        document,
        {"standins",
         tr("Far stand-ins"),
         {},
         {number({tr("Neighbourhood"), "m", 1, 1e5, 0, tr("Edge of what one stand-in shows.")},
                 &StandInSettings::parcel),
          number({tr("From"), "m", 0.1, 1e6, 0,
                  tr("Distance to its bounds at which the stand-in takes over from its objects.")},
                 &StandInSettings::from),
          number({tr("Deviation"), "px", 0.1, 100, 1,
                  tr("What the stand-in may deviate by on the display at that distance.")},
                 &StandInSettings::pixels)},
         {},
         {},
         true});
}

PlainInstrument* makeShadowInstrument(Document& document) {
    const auto tr = [](const char* text) { return QObject::tr(text); };
    return new PlainInstrument(
        document,
        {"shadows",
         tr("Shadows and lights"),
         {flag(tr("No shadow where none can fall"),
               tr("Objects that no shadow light reaches, or with nothing behind them to catch the "
                  "shadow, found by rays from the lights."),
               &ShadowSettings::hiddenCastNone)},
         {number({tr("Shadows from"), "px", 0, 1e4, 1,
                  tr("Where a shadow would be smaller than this on the display, the object casts "
                     "none. 0: shadows stay.")},
                 &ShadowSettings::shadowPixels),
          number({tr("Lights from"), "px", 0, 1e4, 1,
                  tr("Where what a light lights is smaller than this on the display, it is off. 0: "
                     "lights stay.")},
                 &ShadowSettings::lightPixels),
          number({tr("Lit means"), "lux", 0.001, 1e5, 3,
                  tr("What a light must add to a surface to count as lighting it.")},
                 &ShadowSettings::leastLux),
          number({tr("Fade band"), "%", 0, 90, 0,
                  tr("Share of its distance over which a light fades out.")},
                 &ShadowSettings::fade, 100)},
         {},
         {}});
}

}  // namespace flentro::app
