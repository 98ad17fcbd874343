#include "instruments/account_view.h"

#include "base/text.h"
#include "theme.h"

namespace flentro::app {

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
    struct Entry {
        QString name, tip;
        double Holdings::*value;
        bool bytes;
    };
    const Entry entries[] = {
        {tr("Objects"), tr("That stand in the scene."), &Holdings::objects, false},
        {tr("Triangles"), tr("As placed, at level 0."), &Holdings::triangles, false},
        {tr("In shadows"), tr("Triangles of all shadow passes, if everything were in view."),
         &Holdings::shadowTriangles, false},
        {tr("Draw calls"), tr("If everything were in view, on this target, with shadow passes."),
         &Holdings::calls, false},
        {tr("Meshes"), tr("Vertices and indices of all levels, what is shared once."),
         &Holdings::meshBytes, true},
        {tr("Textures"), tr("In this target's storage, if everything were in view."),
         &Holdings::textureBytes, true},
        {tr("On disk"),
         tr("Meshes and encoded images: about the size of an export. Loading takes "
            "time in proportion."),
         &Holdings::diskBytes, true}};
    for (const Entry& entry : entries) {
        Row row{new QLabel, new QLabel, new QLabel, entry.value, entry.bytes};
        const int line = grid->rowCount();
        auto* name = new QLabel(entry.name);
        name->setToolTip(entry.tip);
        grid->addWidget(name, line, 0);
        int at = 1;
        for (QLabel* label : {row.before, row.after, row.change}) {
            label->setFont(figureFont(12));
            grid->addWidget(label, line, at++, Qt::AlignRight);
        }
        rows_.push_back(row);
    }
    layout->addWidget(table_);
    notes_->setWordWrap(true);
    notes_->setAlignment(Qt::AlignTop | Qt::AlignLeft);
    layout->addWidget(notes_, 1);
}

void AccountView::show(const FixRecord& record) {
    table_->show();
    const auto text = [](double value, bool bytes) {
        return toText(bytes ? formatBytes(value) : formatCount(value));
    };
    for (const Row& row : rows_) {
        const double before = record.before.*row.value;
        const double after = record.after.*row.value;
        row.before->setText(text(before, row.bytes));
        row.after->setText(text(after, row.bytes));
        const QColor color = after < before   ? theme().within
                             : after > before ? theme().over
                                              : theme().faint;
        const QString sign = after < before ? "−" : after > before ? "+" : "±";
        row.change->setText(
            QString("<font color='%1'>%2%3</font>")
                .arg(color.name(), sign, text(std::abs(after - before), row.bytes)));
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
