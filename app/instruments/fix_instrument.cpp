#include "instruments/fix_instrument.h"
#include "widgets/theme.h"

namespace flentro::app {

FixInstrumentBase::FixInstrumentBase(Document& document, QWidget* parent)
    : QWidget(parent), document_(document) {
    connect(&document.evaluator(), &Evaluator::changed, this, [this] { refresh(); });
    connect(&document.projectModel(), &ProjectModel::changed, this, [this] { refresh(); });
    connect(&themeWatch(), &ThemeWatch::changed, this, [this] { refresh(); });
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
