// What all instruments share: the fix they are for, and changes of its settings that can be undone.

#pragma once

#include "widgets/elements.h"

namespace flentro::app {

class FixInstrumentBase : public QWidget {
    Q_OBJECT

public:
    explicit FixInstrumentBase(Document& document, QWidget* parent = nullptr);
    void setFix(int id);

signals:
    void tintRequested();  ///< What fixes merged and split, in the view.

protected:
    /// Shows the settings and what the fix did; asked when either has changed.
    virtual void refresh() = 0;
    /// Sets editors without taking that for a change by the artist.
    void quietly(const std::function<void()>& fill);

    Document& document_;
    int fix_ = 0;
    bool refreshing_ = false;
};

/// An instrument for one kind of settings.
template <typename Settings>
class FixInstrument : public FixInstrumentBase {
public:
    using FixInstrumentBase::FixInstrumentBase;

protected:
    /// Null while the fix is not there or of another kind: undone and added again, others take its
    /// number.
    [[nodiscard]] const Settings* settings() const {
        return document_.projectModel().template settingsOf<Settings>(fix_);
    }
    void change(const QString& text, const std::function<void(Settings&)>& apply) {
        if (!refreshing_) document_.projectModel().template changeFix<Settings>(fix_, text, apply);
    }
};

}  // namespace flentro::app
