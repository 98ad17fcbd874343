#include "instruments/fix_instrument.h"

namespace flentro::app {

FixInstrumentBase::FixInstrumentBase(Document& document, QWidget* parent)
    : QWidget(parent), document_(document) {
    connect(&document, &Document::resultChanged, this, [this] { refresh(); });
    connect(&document, &Document::projectChanged, this, [this] { refresh(); });
}

void FixInstrumentBase::setFix(int id) {
    fix_ = id;
    refresh();
}

void FixInstrumentBase::quietly(const std::function<void()>& fill) {
    refreshing_ = true;
    fill();
    refreshing_ = false;
}

}  // namespace flentro::app
