// The strip at the foot: scene, totals, and the running job with its cancel.

#pragma once

#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QToolButton>
#include <QWidget>

#include "model/document.h"

namespace flentro::app {

class TitleBlock : public QWidget {
    Q_OBJECT

public:
    explicit TitleBlock(Document& document, QWidget* parent = nullptr);

    /// Says something until the next message or job.
    void say(const QString& message);
    [[nodiscard]] QString message() const { return job_->text(); }

private:
    void showScene();
    void showReading();
    void fillReadingMenu();
    void showJob();

    Document& document_;
    QLabel* scene_;
    QToolButton* reading_;  ///< Unit and axis of the file, and what else it is read by.
    QLabel* job_;
    QWidget* bar_;
    QPushButton* cancel_;
    QString said_;
};

}  // namespace flentro::app
