// What the artist has chosen in the window: an object, a fix, a parcel; and what is switched off.

#pragma once

#include <QObject>
#include <vector>

#include "measure/without.h"

namespace flentro::app {

class Selection : public QObject {
    Q_OBJECT

public:
    /// In the source's objects; -1: nothing.
    [[nodiscard]] int object() const { return object_; }
    /// The fix that is chosen, or 0.
    [[nodiscard]] int fix() const { return fix_; }
    /// That fix while its marks are shown, or 0.
    [[nodiscard]] int markedFix() const { return marksShown_ ? fix_ : 0; }
    /// Of the parcels of a merge, the one that is drawn bold; -1: none.
    [[nodiscard]] int parcel() const { return parcel_; }
    void selectObject(int object);
    void selectFix(int id);
    void selectParcel(int index);
    /// What the chosen fix does is marked in view and plan only while fixes are worked on.
    void showMarks(bool shown);

    /// What-if: things that are counted and drawn as if they were not there; told as of the
    /// source, those of a result lead back to them as its origins.
    [[nodiscard]] const Without& without() const { return off_; }
    /// All that is to be out from now on.
    void setWithout(Without off);
    void switchAllOn() { setWithout({}); }

    /// For another scene: nobody is told.
    void reset();
    /// The same things of a scene that was read again: nobody is told.
    void move(int object, Without off);

signals:
    void changed();
    void fixChanged();  ///< Another fix; before changed().
    void offChanged();  ///< Something was switched off or on.

private:
    int object_ = -1;
    int fix_ = 0;
    int parcel_ = -1;
    bool marksShown_ = false;
    Without off_;
};

}  // namespace flentro::app
