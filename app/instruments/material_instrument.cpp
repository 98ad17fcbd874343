#include "instruments/material_instrument.h"

#include "base/index.h"
#include "base/text.h"
#include "fixes/plain_materials/material_look.h"
#include "fixes/plain_materials/plain_materials.h"
#include "picture/scene_painter.h"

namespace flentro::app {
namespace {

QImage toImage(const DisplayPicture& picture) {
    const std::vector<std::uint8_t> bytes = toBytes(picture);
    return QImage(bytes.data(), picture.width, picture.height, 3 * picture.width,
                  QImage::Format_RGB888)
        .copy();
}

}  // namespace

MaterialInstrument::MaterialInstrument(Document& document, QWidget* parent)
    : PlainInstrument(document, PlainMaterialSettings::kind(),
                      resultsOf(PlainMaterialSettings::kind()), parent),
      stills_(new StillPair) {
    stills_->setAccessibleName(tr("Before and after"));
    static_cast<QVBoxLayout*>(layout())->addWidget(stills_, 1);
    connect(list(), &QTableWidget::itemSelectionChanged, this, &MaterialInstrument::look);
}

void MaterialInstrument::refresh() {
    PlainInstrument::refresh();
    if (list()->currentRow() < 0 && list()->rowCount() > 0) list()->selectRow(0);
    look();
}

/// Draws the thing that shows the chosen material largest, at that size.
void MaterialInstrument::look() {
    const Evaluator::Done done = document_.evaluator().doneBy(fix_);
    const auto* report = done ? done.record->reportAs<PlainMaterialReport>() : nullptr;
    const int row = list()->currentRow();
    if (!report || row < 0 || static_cast<std::size_t>(row) >= report->materials.size() ||
        elementOf(report->materials, row).object < 0)
        return stills_->setVisible(false);
    stills_->setVisible(true);
    worker_.request([this, material = elementOf(report->materials, row), before = done.before,
                     after = done.after, target = document_.target()] {
        const auto object = static_cast<std::size_t>(material.object);
        const MaterialLook made =
            materialLook(*before, object, material.material, after->materials[material.material],
                         material.pixels, target);
        const QString name = toText(before->objects[object].name);
        return [this, name, change = made.change, was = toImage(made.before),
                is = toImage(made.after)] {
            stills_->show(was, name, is, tr("%1 different").arg(toText(formatShare(change))));
        };
    });
}

}  // namespace flentro::app
