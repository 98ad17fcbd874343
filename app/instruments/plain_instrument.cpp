#include "instruments/plain_instrument.h"

#include <cmath>

#include "base/index.h"
#include "base/text.h"
#include "fixes/fewer_materials/fewer_materials.h"
#include "fixes/masks/masks.h"
#include "fixes/plain_materials/plain_materials.h"
#include "fixes/split/split.h"

namespace flentro::app {
namespace {

QString countText(std::size_t count) {
    return toText(formatCount(static_cast<double>(count)));
}

std::vector<QStringList> sharedAssets(const FixRecord& record) {
    std::vector<QStringList> rows;
    for (const Saving& asset : record.assets)
        rows.push_back({toText(asset.what), countText(asset.triangles), countText(asset.vertices)});
    return rows;
}

std::vector<QStringList> splitMeshes(const FixRecord& record) {
    std::vector<QStringList> rows;
    if (const auto* report = record.reportAs<SplitReport>())
        for (const SplitMesh& mesh : report->meshes)
            rows.push_back({toText(mesh.asset), countText(mesh.pieces), countText(mesh.copies),
                            countText(mesh.transparent)});
    return rows;
}

std::vector<QStringList> joinedMasks(const FixRecord& record) {
    std::vector<QStringList> rows;
    if (const auto* report = record.reportAs<MaskReport>())
        for (const JoinedMask& mask : report->masks)
            rows.push_back({toText(mask.occlusion), toText(mask.other),
                            QObject::tr("%1 x %2").arg(mask.width).arg(mask.height),
                            toText(formatBytes(mask.bytesSaved))});
    return rows;
}

std::vector<QStringList> plainMaterials(const FixRecord& record) {
    std::vector<QStringList> rows;
    if (const auto* report = record.reportAs<PlainMaterialReport>())
        for (const PlainMaterial& material : report->materials) {
            QStringList lost;
            for (const std::string& what : material.lost) lost << toText(what);
            rows.push_back(
                {toText(material.name),
                 material.pixels < 0 ? QObject::tr("not known")
                                     : toText(formatCount(std::round(material.pixels))) + " px",
                 material.change < 0 ? QString("–") : toText(formatShare(material.change)),
                 lost.join(", ")});
        }
    return rows;
}

std::vector<QStringList> stillOver(const FixRecord& record) {
    std::vector<QStringList> rows;
    if (const auto* report = record.reportAs<FewerMaterialReport>())
        for (const std::string& asset : report->still) rows.push_back({toText(asset)});
    return rows;
}

}  // namespace

PlainInstrument::Results resultsOf(const FixKind& kind) {
    const auto tr = [](const char* text) { return QObject::tr(text); };
    if (kind.key == "share")
        return {{tr("Kept for all its copies"), tr("Triangles less"), tr("Vertices less")},
                sharedAssets};
    if (kind.key == "split")
        return {{tr("Cut"), tr("Pieces"), tr("Copies"), tr("Of them glass")}, splitMeshes, true};
    if (kind.key == "masks")
        return {{tr("Occlusion"), tr("Joined with"), tr("Pixels"), tr("Memory less")}, joinedMasks};
    if (kind.key == "plain-materials")
        return {{tr("Material"), tr("Seen at most"), tr("Differs"), tr("Lost")}, plainMaterials};
    if (kind.key == "fewer-materials") return {{tr("Still too many materials")}, stillOver};
    return {{}, {}, kind.key == "standins"};
}

PlainInstrument::PlainInstrument(Document& document, const FixKind& kind, Results results,
                                 QWidget* parent)
    : FixInstrumentBase(document, parent),
      kind_(kind),
      results_(std::move(results)),
      form_(new FixForm(document, kind)),
      notes_(makeFaint("")) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    layout->addWidget(form_);
    notes_->setWordWrap(true);
    layout->addWidget(notes_);
    if (results_.tinted) {
        auto* tint = new QPushButton(tr("Tint in the view"));
        tint->setToolTip(tr("Each object that this and other fixes made in a colour of its own."));
        connect(tint, &QPushButton::clicked, this, &PlainInstrument::tintRequested);
        layout->addWidget(tint, 0, Qt::AlignLeft);
    }
    if (results_.heads.isEmpty()) {
        layout->addStretch(1);
        return;
    }
    list_ = makeTable(results_.heads);
    list_->setAccessibleName(results_.heads.front());
    list_->setMinimumHeight(44);
    layout->addWidget(list_, 1);
}

void PlainInstrument::refresh() {
    const Fix* fix = document_.project().order.find(fix_);
    if (!fix || &fix->settings.kind() != &kind_) return;
    form_->show(*fix);
    const Evaluator::Done done = document_.evaluator().doneBy(fix_);
    QStringList notes;
    if (done)
        for (const std::string& note : done.record->notes) notes << toText(note) + ".";
    notes_->setText(notes.join("\n"));
    notes_->setVisible(!notes.empty());
    if (!list_) return;
    const auto rows = done ? results_.rows(*done.record) : std::vector<QStringList>();
    list_->setRowCount(static_cast<int>(rows.size()));
    for (int row = 0; row < list_->rowCount(); ++row)
        for (int column = 0; column < results_.heads.size(); ++column)
            setCell(list_, row, column, elementOf(rows, row)[column], column > 0);
}

}  // namespace flentro::app
