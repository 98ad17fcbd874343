#include "instruments/atlas_instrument.h"

#include <QPainter>

#include "base/text.h"
#include "io/image.h"
#include "theme.h"

namespace flentro::app {
namespace {

constexpr int kShownEdge = 512;  ///< Pixels: no page is shown larger.

PlainInstrument::Number number(const NumberField& field, int AtlasSettings::*member) {
    return {field,
            [=](const FixSettings& s) {
                return static_cast<double>(std::get<AtlasSettings>(s).*member);
            },
            [=](FixSettings& s, double value) {
                std::get<AtlasSettings>(s).*member = static_cast<int>(value);
            }};
}

}  // namespace

PagePicture::PagePicture(QWidget* parent) : QWidget(parent) {
    setMinimumHeight(120);
    setAccessibleName(tr("Page of the atlas"));
}

void PagePicture::show(const QImage& image) {
    image_ = image;
    update();
}

void PagePicture::paintEvent(QPaintEvent*) {
    if (image_.isNull()) return;
    QPainter painter(this);
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    const QSize size = image_.size().scaled(rect().size(), Qt::KeepAspectRatio);
    const QRect at(QPoint((width() - size.width()) / 2, 0), size);
    painter.drawImage(at, image_);
    painter.setPen(theme().hairline);
    painter.drawRect(at.adjusted(0, 0, -1, -1));
}

AtlasInstrument::AtlasInstrument(Document& document, QWidget* parent)
    : QWidget(parent),
      document_(document),
      form_(new PlainInstrument(
          document,
          {tr("Atlas"),
           {},
           {number({tr("Longest edge"), "px", 64, 8192, 0, tr("Of a page; a power of two.")},
                   &AtlasSettings::page),
            number({tr("Textures up to"), "px", 1, 8192, 0, tr("Larger ones stay alone.")},
                   &AtlasSettings::largest),
            number({tr("Gutter"), "px", 0, 64, 0,
                    tr("Of its own edge around each texture: keeps mip maps apart.")},
                   &AtlasSettings::gutter)},
           {},
           {}})),
      pages_(new QComboBox),
      reading_(makeFaint("")),
      picture_(new PagePicture) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    layout->addWidget(form_);
    auto* row = new QHBoxLayout;
    pages_->setAccessibleName(tr("Page"));
    row->addWidget(pages_);
    row->addWidget(reading_, 1);
    layout->addLayout(row);
    layout->addWidget(picture_, 1);
    connect(pages_, &QComboBox::activated, this, &AtlasInstrument::loadPage);
    connect(&document, &Document::resultChanged, this, &AtlasInstrument::refresh);
}

void AtlasInstrument::setFix(int id) {
    fix_ = id;
    form_->setFix(id);
    refresh();
}

/// Pages are the images that the fix has added.
void AtlasInstrument::refresh() {
    const Document::Done done = document_.doneBy(fix_);
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
    const Document::Done done = document_.doneBy(fix_);
    const int page = pages_->currentIndex();
    if (!done || page < 0 || static_cast<std::size_t>(page) >= images_.size()) {
        reading_->setText(done ? tr("No page was made.") : QString());
        picture_->show({});
        return;
    }
    const Image& image = done.after->images[images_[static_cast<std::size_t>(page)]];
    reading_->setText(tr("%1 x %2 px, %3 on this target")
                          .arg(image.width)
                          .arg(image.height)
                          .arg(toText(formatBytes(textureBytes(image, document_.target())))));
    loader_.request([this, image]() -> std::function<void()> {
        const auto pixels = decodeImage(image, kShownEdge);
        if (!pixels) return [] {};
        const QImage picture = QImage(pixels->rgba.data(), pixels->width, pixels->height,
                                      pixels->width * 4, QImage::Format_RGBA8888)
                                   .copy();
        return [this, picture] { picture_->show(picture); };
    });
}

}  // namespace flentro::app
