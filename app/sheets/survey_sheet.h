// Places to measure: spots with their worst heading.

#pragma once

#include "sheets/sheet.h"

namespace flentro::app {

/// A spot's worst of eight headings.
struct SpotLoad {
    Viewpoint view;
    Measure measure = Measure::Triangles;
    double load = 0;
    double before = 0;  ///< Of the source, same measure, worst of its own eight headings.
};

class SurveySheet : public QWidget {
    Q_OBJECT

public:
    explicit SurveySheet(Document& document, QWidget* parent = nullptr);

signals:
    void chosen(const Viewpoint& view);
    void measured(int spots, int over);

private:
    void refresh();
    void measureSoon();
    void show(const std::vector<SpotLoad>& loads);
    void addSpot();
    void removeSpot();

    Document& document_;
    QTableWidget* table_;
    QLabel* empty_;
    QPushButton* remove_;
    std::vector<SpotLoad> loads_;
    LatestRunner runner_;
};

}  // namespace flentro::app
