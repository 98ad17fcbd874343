// Pages of which one is shown.

#pragma once

#include <QVBoxLayout>

namespace flentro::app {

/// Asks for the room of the page that is shown. A QStackedWidget asks for that of the largest one,
/// and the others scroll for it.
class PageStack : public QWidget {
public:
    PageStack() : layout_(new QVBoxLayout(this)) { layout_->setContentsMargins(0, 0, 0, 0); }

    void addPage(QWidget* page) {
        page->setVisible(layout_->isEmpty());
        layout_->addWidget(page);
    }
    void turnTo(int page) {
        for (int i = 0; i < layout_->count(); ++i)
            layout_->itemAt(i)->widget()->setVisible(i == page);
    }

private:
    QVBoxLayout* layout_;
};

}  // namespace flentro::app
