#include "instruments/texture_instrument.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QTabWidget>
#include <algorithm>
#include <cmath>
#include <map>

#include "base/index.h"
#include "base/text.h"
#include "io/image.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr int kRow = 18;       ///< Pixels.
constexpr int kHead = 20;      ///< Of the axis.
constexpr int kNames = 96;     ///< Width of the names.
constexpr int kSavings = 64;   ///< Width of the figures at the right.
constexpr double kMin = 4;     ///< Pixels of an edge at the left end of the axis.
constexpr double kMax = 8192;  ///< At the right end.
constexpr int kShownEdge = 512;

int edgeOf(int width, int height) {
    return std::max(width, height);
}

QImage toImage(const Image& image) {
    const auto pixels = decodeImage(image, kShownEdge);
    if (!pixels) return {};
    return QImage(pixels->rgba.data(), pixels->width, pixels->height, pixels->width * 4,
                  QImage::Format_RGBA8888)
        .copy();
}

}  // namespace

// --- dumbbells ----------------------------------------------------------------------------

DumbbellList::DumbbellList(QWidget* parent) : QWidget(parent) {
    setAccessibleName(tr("Sizes of textures"));
    setFocusPolicy(Qt::StrongFocus);
    setToolTip(
        tr("Ring: stored edge. Tick: edge that any view shows. Dot: proposed edge. Up and "
           "down choose an image."));
}

void DumbbellList::show(const std::vector<ResizedImage>& images, double limit) {
    images_ = images;
    limit_ = limit;
    chosen_ = std::clamp(chosen_, 0, std::max(0, static_cast<int>(images_.size()) - 1));
    setMinimumHeight(kHead + kRow * std::max(1, static_cast<int>(images_.size())));
    update();
}

double DumbbellList::xOf(double edge) const {
    const double share = std::log2(std::clamp(edge, kMin, kMax) / kMin) / std::log2(kMax / kMin);
    return kNames + 8 + share * std::max(10, width() - kNames - kSavings - 16);
}

void DumbbellList::choose(int row) {
    if (row < 0 || row >= static_cast<int>(images_.size())) return;
    chosen_ = row;
    update();
    emit imageChosen(row);
}

void DumbbellList::mousePressEvent(QMouseEvent* event) {
    choose((static_cast<int>(event->position().y()) - kHead) / kRow);
}

void DumbbellList::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Down)
        choose(chosen_ + 1);
    else if (event->key() == Qt::Key_Up)
        choose(chosen_ - 1);
    else
        QWidget::keyPressEvent(event);
}

void DumbbellList::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setFont(figureFont(10));
    for (double edge = 16; edge <= kMax; edge *= 8) {
        painter.setPen(theme().hairline);
        const double x = xOf(edge);
        painter.drawLine(QPointF(x, kHead - 4), QPointF(x, height()));
        painter.setPen(theme().faint);
        painter.drawText(QRectF(x - 30, 0, 60, kHead - 5), Qt::AlignCenter, QString::number(edge));
    }
    painter.drawText(QRectF(0, 0, kNames, kHead - 5), Qt::AlignLeft | Qt::AlignVCenter,
                     tr("edge, px"));
    painter.drawText(QRectF(width() - kSavings, 0, kSavings, kHead - 5),
                     Qt::AlignRight | Qt::AlignVCenter, tr("less"));
    if (isLimit(limit_)) {
        painter.setPen(QPen(theme().over, 1, Qt::DashLine));
        const double x = xOf(limit_);
        painter.drawLine(QPointF(x, kHead - 4), QPointF(x, height()));
    }
    for (int row = 0; row < static_cast<int>(images_.size()); ++row) paintRow(painter, row);
    if (!images_.empty()) return;
    painter.setPen(theme().faint);
    painter.setFont(textFont(12));
    painter.drawText(QRectF(0, kHead, width(), kRow), Qt::AlignLeft,
                     tr("Every image has the size that it needs."));
}

void DumbbellList::paintRow(QPainter& painter, int row) const {
    const ResizedImage& image = elementOf(images_, row);
    const double top = kHead + row * kRow;
    const double y = top + kRow / 2.0;
    if (row == chosen_) painter.fillRect(QRectF(0, top, width(), kRow), theme().raised);
    painter.setPen(theme().ink);
    painter.setFont(textFont(11));
    painter.drawText(QRectF(2, top, kNames - 6, kRow), Qt::AlignLeft | Qt::AlignVCenter,
                     painter.fontMetrics().elidedText(QString::fromStdString(image.name),
                                                      Qt::ElideMiddle, kNames - 6));
    painter.setFont(figureFont(11));
    painter.drawText(QRectF(width() - kSavings, top, kSavings - 2, kRow),
                     Qt::AlignRight | Qt::AlignVCenter,
                     QString::fromStdString(formatBytes(image.bytes - image.newBytes)));
    const double stored = xOf(edgeOf(image.width, image.height));
    const double proposed = xOf(edgeOf(image.newWidth, image.newHeight));
    painter.setPen(QPen(theme().faint, 2));
    painter.drawLine(QPointF(proposed, y), QPointF(stored, y));
    if (image.needed > 0) {
        painter.setPen(QPen(theme().near, 2));
        const double needed = xOf(image.needed);
        painter.drawLine(QPointF(needed, y - 6), QPointF(needed, y + 6));
    }
    painter.setPen(QPen(theme().ink, 1.5));
    painter.setBrush(theme().paper);
    painter.drawEllipse(QPointF(stored, y), 4, 4);
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme().within);
    painter.drawEllipse(QPointF(proposed, y), 4.5, 4.5);
}

// --- pair ---------------------------------------------------------------------------------

ImagePair::ImagePair(QWidget* parent) : QWidget(parent) {
    setAccessibleName(tr("Image before and after"));
    setMinimumHeight(90);
}

void ImagePair::show(const QImage& before, const QImage& after) {
    before_ = before;
    after_ = after;
    update();
}

void ImagePair::paintEvent(QPaintEvent*) {
    if (before_.isNull() || after_.isNull()) return;
    QPainter painter(this);
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    painter.setFont(textFont(11));
    const int half = width() / 2 - 3;
    const QSize size = before_.size().scaled(half, height() - 16, Qt::KeepAspectRatio);
    const auto draw = [&](const QImage& image, int left, const QString& name) {
        const QRect at(QPoint(left, 0), size);
        painter.drawImage(at, image);
        painter.setPen(theme().hairline);
        painter.drawRect(at.adjusted(0, 0, -1, -1));
        painter.setPen(theme().faint);
        painter.drawText(QRect(left, size.height() + 1, half, 15), Qt::AlignLeft, name);
    };
    draw(before_, 0, tr("as it is"));
    draw(after_, half + 6, tr("proposed, at the same size"));
}

// --- instrument ---------------------------------------------------------------------------

TextureInstrument::TextureInstrument(Document& document, QWidget* parent)
    : FixInstrument(document, parent),
      form_(new FixForm(document, TextureSizeSettings::kind())),
      single_(new FixForm(document, TextureSizeSettings::kind(), "Single images")),
      notes_(makeFaint("")),
      totals_(makeFaint("")),
      list_(new DumbbellList),
      pair_(new ImagePair) {
    auto* whole = new QVBoxLayout(this);
    whole->setContentsMargins(0, 0, 0, 0);
    auto* tabs = new QTabWidget;
    whole->addWidget(tabs);
    auto* sizes = new QWidget;
    tabs->addTab(sizes, tr("Sizes"));
    tabs->addTab(single_, tr("Single images"));
    auto* layout = new QVBoxLayout(sizes);
    layout->setContentsMargins(6, 6, 6, 6);
    layout->setSpacing(6);
    layout->addWidget(form_);
    totals_->setWordWrap(true);
    totals_->setAccessibleName(tr("Texture memory by class"));
    layout->addWidget(totals_);
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setWidget(list_);
    scroll->setMinimumHeight(80);
    layout->addWidget(scroll, 3);
    layout->addWidget(pair_, 2);
    notes_->setWordWrap(true);
    layout->addWidget(notes_);
    connect(list_, &DumbbellList::imageChosen, this, &TextureInstrument::loadPair);
}

const TextureSizeReport* TextureInstrument::report() const {
    const Evaluator::Done done = document_.evaluator().doneBy(fix_);
    return done ? done.record->reportAs<TextureSizeReport>() : nullptr;
}

void TextureInstrument::refresh() {
    if (!settings()) return;
    for (FixForm* form : {form_, single_}) form->show(*document_.project().order.find(fix_));
    const TextureSizeReport* found = report();
    list_->show(found ? found->images : std::vector<ResizedImage>(),
                at(document_.target().limits, Measure::TextureEdge));
    QStringList notes;
    if (found)
        for (const std::string& note : document_.evaluator().doneBy(fix_).record->notes)
            notes << toText(note) + ".";
    notes_->setText(notes.join("\n"));
    std::map<std::string, std::pair<double, double>> classes;
    if (found)
        for (const ResizedImage& image : found->images) {
            classes[image.use].first += image.bytes;
            classes[image.use].second += image.newBytes;
        }
    QStringList totals;
    for (std::size_t i = 0; i < kTextureClassCount; ++i) {
        const auto use = static_cast<TextureClass>(i);
        const auto at = classes.find(textureClassKey(use));
        if (at == classes.end()) continue;
        totals << tr("%1 %2 \u2192 %3")
                      .arg(textureClassName(use), toText(formatBytes(at->second.first)),
                           toText(formatBytes(at->second.second)));
    }
    totals_->setText(totals.join(QStringLiteral("   ")));
    totals_->setVisible(!totals.empty());
    loadPair();
}

void TextureInstrument::loadPair() {
    const TextureSizeReport* found = report();
    const Evaluator::Done done = document_.evaluator().doneBy(fix_);
    const auto row = static_cast<std::size_t>(list_->chosen());
    if (!found || row >= found->images.size()) return pair_->show({}, {});
    const std::uint32_t index = found->images[row].image;
    loader_.request([this, before = done.before->images[index],
                     after = done.after->images[index]]() -> std::function<void()> {
        const QImage was = toImage(before);
        const QImage is = toImage(after);
        return [this, was, is] { pair_->show(was, is); };
    });
}

}  // namespace flentro::app
