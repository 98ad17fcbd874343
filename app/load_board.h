// One bar per measure on one common limit line.

#pragma once

#include <QWidget>

#include "document.h"

namespace flentro::app {

class LoadBoard : public QWidget {
    Q_OBJECT

public:
    explicit LoadBoard(Document& document, QWidget* parent = nullptr);
    [[nodiscard]] QSize sizeHint() const override;

protected:
    void paintEvent(QPaintEvent* event) override;
    bool event(QEvent* event) override;

private:
    [[nodiscard]] QRect rowRect(int row) const;
    [[nodiscard]] double xOf(double load) const;
    void paintRow(QPainter& painter, int row);
    [[nodiscard]] QString describe(int row) const;

    Document& document_;
};

}  // namespace flentro::app
