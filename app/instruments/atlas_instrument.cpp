#include "instruments/atlas_instrument.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "base/text.h"
#include "io/image.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr int kShownEdge = 512;  ///< Pixels: no page is shown larger.

const std::vector<Packing>& packingsOf(const FixRecord& record) {
    static const std::vector<Packing> none;
    const auto* report = record.reportAs<AtlasReport>();
    return report ? report->packings : none;
}

}  // namespace

PagePicture::PagePicture(QWidget* parent) : QWidget(parent) {
    setMinimumHeight(60);
    setAccessibleName(tr("Page of the atlas"));
}

void PagePicture::show(const QImage& image) {
    image_ = image;
    update();
}

void PagePicture::mark(std::vector<Place> places, int chosen) {
    places_ = std::move(places);
    chosen_ = chosen;
    update();
}

void PagePicture::paintEvent(QPaintEvent*) {
    if (image_.isNull()) return;
    QPainter painter(this);
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    const QSize size = image_.size().scaled(rect().size(), Qt::KeepAspectRatio);
    const QRect at(QPoint((width() - size.width()) / 2, 0), size);
    painter.drawImage(at, image_);
    for (std::size_t i = 0; i < places_.size(); ++i) {
        const QRectF& share = places_[i].at;
        const QRectF place(at.x() + share.x() * at.width(), at.y() + share.y() * at.height(),
                           share.width() * at.width(), share.height() * at.height());
        if (places_[i].tint.isValid()) painter.fillRect(place, places_[i].tint);
        if (static_cast<int>(i) != chosen_) continue;
        painter.setPen(QPen(theme().ink, 2));
        painter.drawRect(place);
    }
    painter.setPen(theme().hairline);
    painter.drawRect(at.adjusted(0, 0, -1, -1));
}

AtlasInstrument::AtlasInstrument(Document& document, QWidget* parent)
    : FixInstrument(document, parent),
      form_(new FixForm(document, AtlasSettings::kind())),
      pages_(new QComboBox),
      reading_(makeFaint("")),
      picture_(new PagePicture),
      density_(new QCheckBox(tr("Density"))),
      packings_(makeTable({tr("Material"), tr("On the page"), tr("Kept"), tr("Texels/m")})) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    layout->addWidget(form_);
    auto* row = new QHBoxLayout;
    pages_->setAccessibleName(tr("Page"));
    row->addWidget(pages_);
    row->addWidget(reading_, 1);
    row->addWidget(density_);
    layout->addLayout(row);
    layout->addWidget(picture_, 3);
    density_->setToolTip(
        tr("Tints by texels a metre of surface at scale 1: blue has fewer, plum more than the "
           "middle one of "
           "the page; each shade is a doubling."));
    packings_->setAccessibleName(tr("Textures on this page"));
    packings_->setMinimumHeight(54);
    layout->addWidget(packings_, 2);
    connect(density_, &QCheckBox::toggled, this, &AtlasInstrument::refreshPackings);
    connect(packings_, &QTableWidget::itemSelectionChanged, this,
            &AtlasInstrument::refreshPackings);
    connect(pages_, &QComboBox::activated, this, &AtlasInstrument::loadPage);
}

/// Pages are the images that the fix has added.
void AtlasInstrument::refresh() {
    if (!settings()) return;
    form_->show(*document_.project().order.find(fix_));
    const Evaluator::Done done = document_.evaluator().doneBy(fix_);
    const int shown = pages_->currentIndex();
    const QSignalBlocker quiet(pages_);
    pages_->clear();
    images_.clear();
    if (done)
        for (std::size_t i = done.before->images.size(); i < done.after->images.size(); ++i) {
            images_.push_back(i);
            pages_->addItem(toText(done.after->images[i].name));
        }
    pages_->setCurrentIndex(std::clamp(shown, images_.empty() ? -1 : 0, pages_->count() - 1));
    pages_->setEnabled(!images_.empty());
    loadPage();
}

void AtlasInstrument::loadPage() {
    const Evaluator::Done done = document_.evaluator().doneBy(fix_);
    const int page = pages_->currentIndex();
    if (!done || page < 0 || static_cast<std::size_t>(page) >= images_.size()) {
        reading_->setText(done ? tr("No page was made.") : QString());
        picture_->show({});
        packings_->setRowCount(0);
        picture_->mark({}, -1);
        return;
    }
    const Image& image = done.after->images[elementOf(images_, page)];
    reading_->setText(
        tr("%1 x %2 px, %3")
            .arg(image.width)
            .arg(image.height)
            .arg(toText(formatBytes(TextureMemory(*done.after, document_.target())
                                        .of(static_cast<std::size_t>(elementOf(images_, page)))))));
    pageSize_ = QSize(image.width, image.height);
    refreshPackings();
    loader_.request([this, image]() -> std::function<void()> {
        const auto pixels = decodeImage(image, kShownEdge);
        if (!pixels) return [] {};
        const QImage picture = QImage(pixels->rgba.data(), pixels->width, pixels->height,
                                      pixels->width * 4, QImage::Format_RGBA8888)
                                   .copy();
        return [this, picture] { picture_->show(picture); };
    });
}

/// Which textures are on the page that is shown, in the table and over the picture.
void AtlasInstrument::refreshPackings() {
    const Evaluator::Done done = document_.evaluator().doneBy(fix_);
    const int page = pages_->currentIndex();
    if (!done || page < 0 || pageSize_.isEmpty()) return;
    // Images of all roles of a page follow its first.
    const std::size_t image = elementOf(images_, page);
    std::size_t first = 0;
    for (const Packing& packing : packingsOf(*done.record))
        if (packing.image <= image) first = std::max(first, packing.image);
    std::vector<const Packing*> shown;
    std::vector<double> densities;
    for (const Packing& packing : packingsOf(*done.record)) {
        if (packing.image != first) continue;
        shown.push_back(&packing);
        if (packing.texelsPerMetre > 0) densities.push_back(packing.texelsPerMetre);
    }
    std::sort(densities.begin(), densities.end());
    const double middle = densities.empty() ? 1 : densities[densities.size() / 2];
    const QSignalBlocker quiet(packings_);
    packings_->setRowCount(static_cast<int>(shown.size()));
    std::vector<PagePicture::Place> places;
    for (int row = 0; row < packings_->rowCount(); ++row) {
        const Packing& packing = *elementOf(shown, row);
        setCell(packings_, row, 0, toText(packing.material), false);
        setCell(packings_, row, 1, tr("%1 x %2 px").arg(packing.width).arg(packing.height));
        setCell(packings_, row, 2, toText(formatShare(packing.kept)));
        setCell(packings_, row, 3,
                packing.texelsPerMetre > 0 ? tr("%1 /m").arg(packing.texelsPerMetre, 0, 'f', 0)
                                           : QString("-"));
        PagePicture::Place place;
        place.at = QRectF(
            double(packing.x) / pageSize_.width(), double(packing.y) / pageSize_.height(),
            double(packing.width) / pageSize_.width(), double(packing.height) / pageSize_.height());
        if (density_->isChecked() && packing.texelsPerMetre > 0) {
            constexpr double kDoublings = 6;  // over the whole scale
            place.tint = heat(std::clamp(
                0.5 + std::log2(packing.texelsPerMetre / middle) / kDoublings, 0.0, 1.0));
            place.tint.setAlpha(190);
        }
        places.push_back(place);
    }
    picture_->mark(std::move(places), packings_->currentRow());
}

}  // namespace flentro::app
