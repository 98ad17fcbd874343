// A ranking as one bar: what shares of the whole its first entries take.

#pragma once

#include <QWidget>
#include <vector>

namespace flentro::app {

class FillBar : public QWidget {
    Q_OBJECT

public:
    explicit FillBar(QWidget* parent = nullptr);

    struct Segment {
        QString name;
        double share = 0;   ///< Of the whole, 0 to 1.
        double shadow = 0;  ///< Of `share`: what shadow passes take, hatched.
    };
    /// What the segments leave of the whole is drawn as the rest.
    void show(std::vector<Segment> segments);
    [[nodiscard]] const std::vector<Segment>& segments() const { return segments_; }
    [[nodiscard]] QSize sizeHint() const override { return {200, 34}; }

signals:
    void chosen(int segment);

protected:
    bool event(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;

private:
    static void paintName(QPainter& painter, const QRectF& box, const QColor& tone,
                          const QString& name);
    /// The segment at a pixel; -1: none.
    [[nodiscard]] int segmentAt(double x) const;

    std::vector<Segment> segments_;
};

}  // namespace flentro::app
