// Load of one measure, step by step from the original to the present result.

#pragma once

#include <QWidget>

#include "model/document.h"

namespace flentro::app {

class Staircase : public QWidget {
    Q_OBJECT

public:
    explicit Staircase(Document& document, QWidget* parent = nullptr);
    void setMeasure(Measure measure);
    [[nodiscard]] Measure measure() const { return measure_; }

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    struct Tread {
        QString name;
        double load;
    };
    struct Layout;
    [[nodiscard]] std::vector<Tread> treads() const;
    void drawTread(QPainter& painter, const Layout& layout, std::size_t i, const Tread& step) const;

    Document& document_;
    Measure measure_ = Measure::Triangles;
};

}  // namespace flentro::app
