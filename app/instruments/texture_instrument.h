// Texture size: what each image stores, what is seen of it and what it becomes, on one axis.

#pragma once

#include <QImage>
#include <QScrollArea>

#include "fixes/texture_size/texture_size.h"
#include "instruments/fix_form.h"
#include "instruments/fix_instrument.h"
#include "model/jobs.h"

namespace flentro::app {

/// A line for each image: from its edge to the one proposed, with a tick where need ends, on a log
/// axis; most memory saved first.
class DumbbellList : public QWidget {
    Q_OBJECT

public:
    explicit DumbbellList(QWidget* parent = nullptr);
    void show(const std::vector<ResizedImage>& images, double limit);
    [[nodiscard]] int chosen() const { return chosen_; }
    /// Where an edge lies across the widget, pixels.
    [[nodiscard]] double xOf(double edge) const;

signals:
    void imageChosen(int row);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    void choose(int row);
    void paintRow(QPainter& painter, int row) const;

    std::vector<ResizedImage> images_;
    double limit_ = kNoLimit;
    int chosen_ = 0;
};

/// One image as it was and as it becomes, at the same size.
class ImagePair : public QWidget {
    Q_OBJECT

public:
    explicit ImagePair(QWidget* parent = nullptr);
    void show(const QImage& before, const QImage& after);

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    QImage before_, after_;
};

class TextureInstrument : public FixInstrument<TextureSizeSettings> {
    Q_OBJECT

public:
    explicit TextureInstrument(Document& document, QWidget* parent = nullptr);

protected:
    void refresh() override;

private:
    void loadPair();
    [[nodiscard]] const TextureSizeReport* report() const;

    FixForm* form_;
    FixForm* single_;  ///< Sizes set by hand.
    QLabel* notes_;
    QLabel* totals_;
    DumbbellList* list_;
    ImagePair* pair_;
    LatestRunner loader_;
};

}  // namespace flentro::app
