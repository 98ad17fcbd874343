// The atlas's instrument: its settings and account, and the pages themselves.

#pragma once

#include <QComboBox>

#include "instruments/plain_instrument.h"

namespace flentro::app {

/// A picture that keeps its shape in whatever room it gets.
class PagePicture : public QWidget {
    Q_OBJECT

public:
    explicit PagePicture(QWidget* parent = nullptr);
    void show(const QImage& image);
    [[nodiscard]] const QImage& image() const { return image_; }

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    QImage image_;
};

class AtlasInstrument : public QWidget {
    Q_OBJECT

public:
    explicit AtlasInstrument(Document& document, QWidget* parent = nullptr);
    void setFix(int id);
    [[nodiscard]] const PagePicture& picture() const { return *picture_; }

private:
    void refresh();
    void loadPage();

    Document& document_;
    int fix_ = 0;
    PlainInstrument* form_;
    QComboBox* pages_;
    QLabel* reading_;
    PagePicture* picture_;
    std::vector<std::size_t> images_;  ///< Of the scene after the fix, one for each page.
    LatestRunner loader_;
};

}  // namespace flentro::app
