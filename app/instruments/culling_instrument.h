// Every object a dot at (size, distance); lines above which it is not drawn.

#pragma once

#include <QTabBar>
#include <map>

#include "fixes/culling/culling.h"
#include "instruments/fix_form.h"
#include "instruments/fix_instrument.h"
#include "instruments/plot.h"
#include "survey/survey.h"

namespace flentro::app {

class CullingPlot : public Plot {
    Q_OBJECT

public:
    explicit CullingPlot(QWidget* parent = nullptr);
    void restyle() override;
    /// `sizes` [objects] as culling goes by them.
    void show(const Scene& scene, const std::vector<double>& sizes, const Target& target,
              const CullingSettings& settings, const Vec3d& eye);
    [[nodiscard]] const CullingSettings& settings() const { return settings_; }

    /// Drags the line of a size class so that it passes through (size, distance).
    void moveClass(std::size_t index, double distance);
    [[nodiscard]] QPointF classPixel(std::size_t index) const;
    [[nodiscard]] std::size_t goneCount() const { return gone_; }

protected:
    [[nodiscard]] int handleAt(const QPointF& pixel) const override;

private:
    void redraw();
    void addLevelLine(double distance, const QString& name, Qt::PenStyle style);
    void addFog();
    [[nodiscard]] double middleOf(std::size_t index) const;

    Target target_;
    CullingSettings settings_;
    struct Dot {
        double size, distance, end;  ///< Metres; `end` as the fix has set it.
    };
    std::vector<Dot> dots_;
    bool dragging_ = false;  ///< Lines have moved since: they decide instead of `end`.
    double largest_ = 100;
    double farthest_ = 1000;
    std::size_t gone_ = 0;
    QCPGraph* kept_ = nullptr;
    QCPGraph* lost_ = nullptr;
    QCPGraph* grips_ = nullptr;
};

class CullingInstrument : public FixInstrument<CullingSettings> {
    Q_OBJECT

public:
    explicit CullingInstrument(Document& document, QWidget* parent = nullptr);
    [[nodiscard]] CullingPlot& plot() { return *plot_; }

    enum Page { Classes, GoneFromHere, Missed, Far, ByHand };
    void turnTo(Page page) { tabs_->setCurrentIndex(page); }

signals:
    void showRequested();  ///< Look at the selection.

protected:
    void refresh() override;

private:
    QWidget* makeClasses();
    FixForm* makeForm(const QString& page, int columns);
    QWidget* makeFar();
    QWidget* makeList(QTableWidget* table, const QString& name);
    void refreshGone();
    void refreshMissed(const FixRecord* record);
    void refreshFar();
    void rebuildClasses(const CullingSettings& settings);

    std::vector<FixForm*> forms_;  ///< One for each page of settings.
    CullingPlot* plot_;
    QLabel* reading_;
    QWidget* classes_;
    std::vector<QDoubleSpinBox*> classFields_;
    QTabBar* tabs_;
    QTableWidget* gone_;
    QTableWidget* missed_;
    QLabel* farReading_;
    QTableWidget* losses_;
    std::vector<double> planes_;               ///< Metres, of its rows.
    std::shared_ptr<const Survey> farSurvey_;  ///< That they are of.
    QPushButton* take_ = nullptr;
    /// Origins of the rows of each table.
    std::map<QTableWidget*, std::vector<std::uint32_t>> rows_;
};

}  // namespace flentro::app
