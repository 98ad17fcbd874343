// Both sides of what a fix did: what the scene held before and after it.

#pragma once

#include <QGridLayout>

#include "fixes/fix.h"
#include "sheets/sheet.h"

namespace flentro::app {

class AccountView : public QWidget {
    Q_OBJECT

public:
    explicit AccountView(QWidget* parent = nullptr);
    void show(const FixRecord& record);
    /// Says why there is nothing to show.
    void clear(const QString& text);

private:
    struct Row {
        QLabel* before;
        QLabel* after;
        QLabel* change;
        double Holdings::*value;
        bool bytes;
    };
    QWidget* table_;
    std::vector<Row> rows_;
    QLabel* notes_;
};

}  // namespace flentro::app
