// What the empty window offers: a scene, the recent ones, the demo.

#pragma once

#include <QVBoxLayout>
#include <QWidget>

#include "model/document.h"

namespace flentro::app {

/// Lies over the view while nothing is open.
class StartPage : public QWidget {
    Q_OBJECT

public:
    explicit StartPage(Document& document, QWidget* parent = nullptr);
    /// Lists recent files that are still there.
    void setRecent(const QStringList& files);

signals:
    void openRequested();
    void fileChosen(const QString& file);
    void demoRequested();

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    void refresh();

    Document& document_;
    QWidget* doors_;
    QVBoxLayout* recent_;
};

}  // namespace flentro::app
