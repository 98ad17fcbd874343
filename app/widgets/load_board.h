// One bar per measure on one common limit line.

#pragma once

#include <QWidget>

#include "model/document.h"

namespace flentro::app {

class LoadBoard : public QWidget {
    Q_OBJECT

public:
    explicit LoadBoard(Document& document, QWidget* parent = nullptr);
    [[nodiscard]] QSize sizeHint() const override;

signals:
    void chosen(const Viewpoint& view);  ///< The worst view of a measure.

protected:
    void mousePressEvent(QMouseEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    bool event(QEvent* event) override;

private:
    struct Surveyed {
        double worst = 0;  ///< Load.
        double median = 0;
        Viewpoint view;  ///< Where it is worst.
    };
    void summarise();
    std::array<Surveyed, kMeasureCount> surveyed_{};
    bool hasSurvey_ = false;
    [[nodiscard]] QRect rowRect(int row) const;
    [[nodiscard]] double xOf(double load) const;
    void paintRow(QPainter& painter, int row);
    [[nodiscard]] QString describe(int row) const;
    [[nodiscard]] QString describeFrame() const;
    [[nodiscard]] double valueOf(Measure measure) const;
    [[nodiscard]] QString heading() const;

    Document& document_;
};

}  // namespace flentro::app
