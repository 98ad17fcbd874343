#include "instruments/account_view.h"

#include "base/text.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

QString countText(double value) {
    return toText(formatCount(value));
}
QString bytesText(double value) {
    return toText(formatBytes(value));
}
QString secondsText(double value) {
    return QObject::tr("%1 s").arg(value, 0, 'f', 2);
}

}  // namespace

AccountView::AccountView(QWidget* parent)
    : QWidget(parent), table_(new QWidget), notes_(makeFaint("")) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    auto* grid = new QGridLayout(table_);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(14);
    grid->setVerticalSpacing(0);
    grid->setColumnStretch(0, 1);
    int column = 1;
    for (const QString& head : {tr("before"), tr("after"), tr("change")})
        grid->addWidget(makeFaint(head), 0, column++, Qt::AlignRight);
    const auto whole = [&](const QString& name, const QString& tip, double SceneTotals::*value,
                           QString (*text)(double)) {
        add(grid, name, tip, {nullptr, nullptr, nullptr, std::mem_fn(value), {}, text});
    };
    const auto worst = [&](const QString& name, Measure measure) {
        add(grid, name,
            tr("In the view of the survey that has most of them, on this target, with shadow "
               "passes. Needs a survey."),
            {nullptr, nullptr, nullptr, {}, measure, countText});
    };
    worst(tr("Worst view: triangles"), Measure::Triangles);
    worst(tr("Worst view: draw calls"), Measure::DrawCalls);
    worst(tr("Worst view: objects"), Measure::Objects);
    whole(tr("Objects"), tr("That stand in the scene."), &SceneTotals::objects, countText);
    whole(tr("Triangles"), tr("As placed, at level 0."), &SceneTotals::triangles, countText);
    whole(tr("In shadows"), tr("Triangles of all shadow passes, if everything were in view."),
          &SceneTotals::shadowTriangles, countText);
    whole(tr("Draw calls"), tr("If everything were in view, on this target, with shadow passes."),
          &SceneTotals::calls, countText);
    whole(tr("Meshes"), tr("Vertices and indices of all levels, what is shared once."),
          &SceneTotals::meshBytes, bytesText);
    whole(tr("Textures"), tr("In this target's storage, if everything were in view."),
          &SceneTotals::textureBytes, bytesText);
    whole(tr("On disk"), tr("Meshes and encoded images: about the size of an export."),
          &SceneTotals::diskBytes, bytesText);
    whole(tr("Load time, estimate"),
          tr("Reading the file, decoding its pictures and placing its objects, by the target's "
             "rates."),
          &SceneTotals::loadSeconds, secondsText);
    layout->addWidget(table_);
    notes_->setWordWrap(true);
    notes_->setAlignment(Qt::AlignTop | Qt::AlignLeft);
    layout->addWidget(notes_, 1);
}

void AccountView::add(QGridLayout* grid, const QString& name, const QString& tip, Row row) {
    const int line = grid->rowCount();
    auto* label = new QLabel(name);
    label->setToolTip(tip);
    grid->addWidget(label, line, 0);
    int column = 1;
    for (QLabel** figure : {&row.before, &row.after, &row.change}) {
        *figure = new QLabel;
        (*figure)->setFont(figureFont(12));
        grid->addWidget(*figure, line, column++, Qt::AlignRight);
    }
    rows_.push_back(std::move(row));
}

void AccountView::show(const Row& row, double before, double after) {
    row.before->setText(row.text(before));
    row.after->setText(row.text(after));
    const QColor color = after < before   ? theme().within
                         : after > before ? theme().over
                                          : theme().faint;
    const QString sign = after < before ? "−" : after > before ? "+" : "±";
    row.change->setText(QString("<font color='%1'>%2%3</font>")
                            .arg(color.name(), sign, row.text(std::abs(after - before))));
}

void AccountView::show(const Step& step) {
    table_->show();
    const FixRecord& record = step.result->record;
    for (const Row& row : rows_) {
        if (!row.worst) {
            show(row, row.value(record.before), row.value(record.after));
        } else if (step.worstBefore && step.worstAfter) {
            show(row, at(*step.worstBefore, *row.worst), at(*step.worstAfter, *row.worst));
        } else {
            for (QLabel* label : {row.before, row.after, row.change}) label->setText("-");
        }
    }
    QStringList notes;
    for (const std::string& note : record.notes) notes << toText(note) + ".";
    notes_->setText(notes.join("\n"));
    notes_->setVisible(!notes.empty());
}

void AccountView::clear(const QString& text) {
    table_->hide();
    notes_->show();
    notes_->setText(text);
}

}  // namespace flentro::app
