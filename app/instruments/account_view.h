// Both sides of what a fix did: what the scene held before and after it.

#pragma once

#include <QGridLayout>

#include "fixes/work_order.h"
#include "widgets/elements.h"

namespace flentro::app {

class AccountView : public QWidget {
    Q_OBJECT

public:
    explicit AccountView(QWidget* parent = nullptr);
    void show(const Step& step);
    /// Says why there is nothing to show.
    void clear(const QString& text);

private:
    struct Row {
        QLabel* before = nullptr;
        QLabel* after = nullptr;
        QLabel* change = nullptr;
        std::function<double(const SceneTotals&)> value;  ///< Of a whole scene, or ...
        std::optional<Measure> worst;                     ///< ... of the worst view.
        QString (*text)(double);
    };
    void add(QGridLayout* grid, const QString& name, const QString& tip, Row row);
    static void show(const Row& row, double before, double after);
    QWidget* table_;
    std::vector<Row> rows_;
    QLabel* notes_;
};

}  // namespace flentro::app
