// Progress for parts of a work whose whole is reported elsewhere.

#pragma once

#include "base/progress.h"

namespace flentro {

/// Passes cancelling on but no fractions: those of single parts would jump about.
class CancelOnly final : public Progress {
public:
    explicit CancelOnly(Progress& whole) : whole_(whole) {}
    void report(double, std::string_view) override {}
    [[nodiscard]] bool cancelled() const override { return whole_.cancelled(); }

private:
    Progress& whole_;
};

}  // namespace flentro
