// Asks whether a file whose unit or axis is unclear was read as it is meant: like this, or like
// that?

#pragma once

#include <QImage>
#include <QLabel>
#include <QToolButton>
#include <QWidget>

#include "model/document.h"

namespace flentro::app {

/// The scene from a corner above, small; `turned`: as if the other axis pointed up. Largest
/// triangles first, no more than some thousands. Any thread.
[[nodiscard]] QImage drawSmall(const Scene& scene, bool turned, const QSize& size);

/// Above the view while there is a doubt that nobody has settled.
class ReadingBar : public QWidget {
    Q_OBJECT

public:
    explicit ReadingBar(Document& document, QWidget* parent = nullptr);

private:
    void ask();
    void offerUnits(const SourceUnits& units);
    void drawBoth();
    void choose(const std::function<void(ImportSettings&)>& change, const QString& label);

    Document& document_;
    QLabel* question_;
    QWidget* axes_;
    QToolButton* asRead_;
    QToolButton* turned_;
    QWidget* units_;
    QPushButton* right_;
    ScenePtr asked_;    ///< The scene that the pictures are of.
    ScenePtr settled_;  ///< That is right as it is.
    LatestRunner drawer_;
};

}  // namespace flentro::app
