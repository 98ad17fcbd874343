// Plainer materials: what each lost, and the thing that shows it largest before and after.

#pragma once

#include "instruments/level_looks.h"
#include "instruments/plain_instrument.h"

namespace flentro::app {

class MaterialInstrument : public PlainInstrument {
    Q_OBJECT

public:
    explicit MaterialInstrument(Document& document, QWidget* parent = nullptr);
    [[nodiscard]] StillPair& stills() { return *stills_; }
    /// True while a picture is being made.
    [[nodiscard]] bool isBusy() const { return !worker_.isIdle(); }

protected:
    void refresh() override;

private:
    void look();

    StillPair* stills_;
    LatestRunner worker_;
};

}  // namespace flentro::app
