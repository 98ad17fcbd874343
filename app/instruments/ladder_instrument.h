// Levels of one asset on a log distance axis: what is drawn, how far it deviates, and posts at
// the switch distances that can be dragged.

#pragma once

#include <QComboBox>

#include "instruments/plot.h"
#include "sheets/sheet.h"

namespace flentro::app {

class LadderPlot : public Plot {
    Q_OBJECT

public:
    explicit LadderPlot(QWidget* parent = nullptr);
    void restyle() override;

    /// `asset` as the fix made it; `distance`: of the nearest copy in the present view, or 0.
    void show(const Asset& asset, const Target& target, double pixels, double distance);
    [[nodiscard]] const std::vector<double>& posts() const { return posts_; }
    void movePost(std::size_t post, double distance);
    [[nodiscard]] QPointF postPixel(std::size_t post) const;

protected:
    [[nodiscard]] int handleAt(const QPointF& pixel) const override;

private:
    void redraw();

    Asset asset_;
    Target target_;
    double pixels_ = 1;
    double here_ = 0;
    std::vector<double> posts_;
    QCPGraph* triangles_ = nullptr;
    QCPGraph* deviation_ = nullptr;
    QCPGraph* density_ = nullptr;
};

class LadderInstrument : public QWidget {
    Q_OBJECT

public:
    explicit LadderInstrument(Document& document, QWidget* parent = nullptr);
    void setFix(int id);
    void setAsset(const QString& name);
    [[nodiscard]] LadderPlot& plot() { return *plot_; }

private:
    void addSettings(QVBoxLayout* layout);
    void refresh();
    void refreshAssets(const Scene& scene);
    void change(const QString& text, const std::function<void(LadderSettings&)>& apply);
    void keepPosts();
    [[nodiscard]] const LadderSettings* settings() const;
    [[nodiscard]] const Scene* stepScene() const;

    Document& document_;
    int fix_ = 0;
    QString asset_;
    QComboBox* assets_;
    LadderPlot* plot_;
    QLabel* reading_;
    QPushButton* reset_;
    std::vector<std::pair<QDoubleSpinBox*, std::function<double(const LadderSettings&)>>> fields_;
    bool refreshing_ = false;
};

}  // namespace flentro::app
