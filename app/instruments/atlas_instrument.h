// The atlas's instrument: its settings, the pages, and how densely each texture lies on surfaces.

#pragma once

#include <QCheckBox>
#include <QComboBox>

#include "fixes/atlas/atlas.h"
#include "instruments/fix_form.h"
#include "instruments/fix_instrument.h"

namespace flentro::app {

/// A picture that keeps its shape in whatever room it gets.
class PagePicture : public QWidget {
    Q_OBJECT

public:
    explicit PagePicture(QWidget* parent = nullptr);
    void show(const QImage& image);
    /// Places on the page, each a share of its edges; those with a colour are tinted in it.
    struct Place {
        QRectF at;
        QColor tint;
    };
    void mark(std::vector<Place> places, int chosen);
    [[nodiscard]] const std::vector<Place>& places() const { return places_; }
    [[nodiscard]] const QImage& image() const { return image_; }

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    QImage image_;
    std::vector<Place> places_;
    int chosen_ = -1;
};

class AtlasInstrument : public FixInstrument<AtlasSettings> {
    Q_OBJECT

public:
    explicit AtlasInstrument(Document& document, QWidget* parent = nullptr);
    [[nodiscard]] const PagePicture& picture() const { return *picture_; }

protected:
    void refresh() override;

private:
    void loadPage();
    void refreshPackings();

    FixForm* form_;
    QComboBox* pages_;
    QLabel* reading_;
    PagePicture* picture_;
    QCheckBox* density_;
    QTableWidget* packings_;
    QSize pageSize_;
    std::vector<std::size_t> images_;  ///< Of the scene after the fix, one for each page.
    LatestRunner loader_;
};

}  // namespace flentro::app
