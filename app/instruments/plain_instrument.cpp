#include "instruments/plain_instrument.h"

#include "base/text.h"

namespace flentro::app {
namespace {

constexpr int kFieldWidth = 96;

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
    : QWidget(parent), document_(document), form_(form), account_(new AccountView) {
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
    addRule(layout);
    layout->addWidget(account_);
    if (!form_.listed.isEmpty()) {
        assets_ = makeTable({form_.listed, tr("Triangles less"), tr("Vertices less")});
        assets_->setAccessibleName(form_.listed);
        assets_->setMinimumHeight(44);
        layout->addWidget(assets_, 1);
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
    if (!fix) return;
    apply(fix->settings);
    document_.setOrder(order, text);
}

void PlainInstrument::refresh() {
    const Fix* fix = document_.project().order.find(fix_);
    if (!fix) return;
    refreshing_ = true;
    for (std::size_t i = 0; i < boxes_.size(); ++i)
        boxes_[i]->setChecked(form_.flags[i].get(fix->settings));
    for (std::size_t i = 0; i < numbers_.size(); ++i)
        numbers_[i]->setValue(form_.numbers[i].get(fix->settings));
    refreshing_ = false;
    const Document::Done done = document_.doneBy(fix_);
    if (done)
        account_->show(*done.record);
    else
        account_->clear(fix->on ? tr("Waiting for its turn.")
                                : tr("This fix is off: switch it on to see its account."));
    if (!assets_) return;
    assets_->setRowCount(done ? static_cast<int>(done.record->assets.size()) : 0);
    for (int row = 0; row < assets_->rowCount(); ++row) {
        const Saving& asset = done.record->assets[static_cast<std::size_t>(row)];
        setCell(assets_, row, 0, toText(asset.what), false);
        setCell(assets_, row, 1, toText(formatCount(static_cast<double>(asset.triangles))));
        setCell(assets_, row, 2, toText(formatCount(static_cast<double>(asset.vertices))));
    }
}

PlainInstrument* makeShareInstrument(Document& document) {
    const auto tr = [](const char* text) { return QObject::tr(text); };
    return new PlainInstrument(
        document,
        {tr("Share"),
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
         tr("Kept for all its copies")});
}

PlainInstrument* makeSplitInstrument(Document& document) {
    const auto tr = [](const char* text) { return QObject::tr(text); };
    return new PlainInstrument(
        document,
        {tr("Split"),
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
         {}});
}

PlainInstrument* makeStandInInstrument(Document& document) {
    const auto tr = [](const char* text) { return QObject::tr(text); };
    return new PlainInstrument(
        document,
        {tr("Far stand-ins"),
         {},
         {number({tr("Neighbourhood"), "m", 1, 1e5, 0, tr("Edge of what one stand-in shows.")},
                 &StandInSettings::parcel),
          number({tr("From"), "m", 0.1, 1e6, 0,
                  tr("Distance to its bounds at which the stand-in takes over from its objects.")},
                 &StandInSettings::from),
          number({tr("Deviation"), "px", 0.1, 100, 1,
                  tr("What the stand-in may deviate by on the display at that distance.")},
                 &StandInSettings::pixels)},
         {}});
}

PlainInstrument* makeShadowInstrument(Document& document) {
    const auto tr = [](const char* text) { return QObject::tr(text); };
    return new PlainInstrument(
        document,
        {tr("Shadows and lights"),
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
         {}});
}

}  // namespace flentro::app
