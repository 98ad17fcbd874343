#include "widgets/step_rail.h"

#include <QPainter>
#include <QVBoxLayout>

#include "base/index.h"
#include "base/text.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

const char* const kNames[] = {"Target", "Survey", "Findings", "Fixes", "Proof"};

/// A row: number, name, state; a bar of ink at the left of the current one.
class StepButton : public QAbstractButton {
public:
    StepButton(int number, QWidget* parent) : QAbstractButton(parent), number_(number) {
        setText(kNames[number - 1]);
        setCheckable(true);
        setAutoExclusive(true);
        setFixedHeight(40);
        setFocusPolicy(Qt::TabFocus);
        setToolTip(QObject::tr("Key %1").arg(number));
    }
    void setState(const QString& words, const QString& tip) {
        state_ = words;
        const QString key = QObject::tr("Key %1").arg(number_);
        setToolTip(tip.isEmpty() ? key : key + ". " + tip);
        setAccessibleDescription(words);
        update();
    }

protected:
    void paintEvent(QPaintEvent*) override {
        QPainter painter(this);
        if (isChecked()) {
            painter.fillRect(rect(), theme().raised);
            painter.fillRect(QRect(0, 0, 3, height()), theme().ink);
        }
        if (hasFocus()) {
            painter.setPen(theme().within);
            painter.drawRect(rect().adjusted(0, 0, -1, -1));
        }
        painter.setFont(figureFont(12));
        painter.setPen(theme().faint);
        painter.drawText(QRect(14, 0, 16, height()), Qt::AlignVCenter, QString::number(number_));
        painter.setFont(textFont(13, isChecked()));
        painter.setPen(theme().ink);
        const int wide = painter.fontMetrics().horizontalAdvance(text());
        painter.drawText(QRect(34, 0, wide + 1, height()), Qt::AlignVCenter, text());
        painter.setFont(textFont(12));
        painter.setPen(theme().faint);
        const int left = 34 + wide + 8;
        const QRect right(left, 0, width() - 10 - left, height());
        painter.drawText(right, Qt::AlignVCenter | Qt::AlignRight,
                         painter.fontMetrics().elidedText(state_, Qt::ElideRight, right.width()));
    }

private:
    int number_;
    QString state_;
};

QString proofState(const Document& document) {
    if (document.isOrderStopped()) return QObject::tr("order stopped");
    if (document.counter().freshness() != ViewCounter::Freshness::Current)
        return QObject::tr("counting");
    const Counts load = loads(document.here().after.counts, document.target());
    const Measure worst = worstMeasure(load);
    if (stateOf(at(load, worst)) != State::Over) return QObject::tr("within here");
    int over = 0;
    for (const double value : load) over += stateOf(value) == State::Over;
    return QObject::tr("%1 over here").arg(over);
}

}  // namespace

StepRail::StepRail(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 6, 0, 6);
    layout->setSpacing(0);
    for (int i = 0; i < kStepCount; ++i) {
        auto* button = new StepButton(i + 1, this);
        connect(button, &QAbstractButton::clicked, this,
                [this, i] { emit chosen(static_cast<WorkStep>(i)); });
        layout->addWidget(button);
        buttons_.push_back(button);
    }
    connect(&document.projectModel(), &ProjectModel::changed, this, &StepRail::refresh);
    connect(&themeWatch(), &ThemeWatch::changed, this, &StepRail::refresh);
    connect(&document.counter(), &ViewCounter::changed, this, &StepRail::refresh);
}

QAbstractButton* StepRail::button(WorkStep step) const {
    return elementOf(buttons_, step);
}

void StepRail::setCurrent(WorkStep step) {
    button(step)->setChecked(true);
}

void StepRail::setState(WorkStep step, const QString& words, const QString& tip) {
    static_cast<StepButton*>(button(step))->setState(words, tip);
}

void StepRail::refresh() {
    setState(WorkStep::Target, QString::fromStdString(document_.target().name));
    if (!document_.hasScene()) return;
    int on = 0;
    for (const Fix& fix : document_.project().order.fixes) on += fix.on;
    setState(WorkStep::Fixes, on == 0 ? tr("none yet") : tr("%1 on").arg(on));
    setState(WorkStep::Proof, proofState(document_));
}

}  // namespace flentro::app
