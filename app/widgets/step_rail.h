// The five steps of the work, each with its state in a few words.

#pragma once

#include <QAbstractButton>
#include <QWidget>

#include "model/document.h"

namespace flentro::app {

enum class WorkStep { Target, Survey, Findings, Fixes, Proof };
inline constexpr int kStepCount = 5;

class StepRail : public QWidget {
    Q_OBJECT

public:
    explicit StepRail(Document& document, QWidget* parent = nullptr);
    void setCurrent(WorkStep step);
    void setState(WorkStep step, const QString& words, const QString& tip = {});
    [[nodiscard]] QAbstractButton* button(WorkStep step) const;

signals:
    void chosen(WorkStep step);

private:
    void refresh();
    Document& document_;
    std::vector<QAbstractButton*> buttons_;
};

}  // namespace flentro::app
