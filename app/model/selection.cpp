#include "model/selection.h"

#include <utility>

namespace flentro::app {

void Selection::selectObject(int object) {
    if (std::exchange(object_, object) != object) emit changed();
}

void Selection::selectFix(int id) {
    if (std::exchange(fix_, id) == id) return;
    parcel_ = -1;
    emit fixChanged();
    emit changed();
}

void Selection::selectParcel(int index) {
    if (std::exchange(parcel_, index) != index) emit changed();
}

void Selection::showMarks(bool shown) {
    if (std::exchange(marksShown_, shown) != shown) emit changed();
}

void Selection::setWithout(Without off) {
    off_ = std::move(off);
    emit offChanged();
}

void Selection::reset() {
    object_ = -1;
    fix_ = 0;
    off_ = {};
}

void Selection::move(int object, Without off) {
    object_ = object;
    off_ = std::move(off);
}

}  // namespace flentro::app
