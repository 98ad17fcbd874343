// The one way in which long work reports and is stopped.

#pragma once

#include <atomic>
#include <cassert>
#include <string_view>

namespace flentro {

/// Implemented by the command line (a line on the terminal), the window (a job) and the tests
/// (recorders). Both calls may come from any thread.
class Progress {
public:
    virtual ~Progress() = default;

    /// `fraction` in [0, 1] of the present step; `message` says what is being done.
    virtual void report(double fraction, std::string_view message) = 0;

    /// True once the work should stop; asked at least every 50 ms of work.
    [[nodiscard]] virtual bool cancelled() const = 0;
};

/// Ignores reports and never cancels.
[[nodiscard]] Progress& noProgress();

/// Maps [0, 1] of a part of the work onto [from, to] of the whole.
class SubProgress final : public Progress {
public:
    SubProgress(Progress& whole, double from, double to) : whole_(whole), from_(from), to_(to) {
        assert(0 <= from && from <= to && to <= 1);
    }
    void report(double fraction, std::string_view message) override {
        whole_.report(from_ + (to_ - from_) * fraction, message);
    }
    [[nodiscard]] bool cancelled() const override { return whole_.cancelled(); }

private:
    Progress& whole_;
    double from_;
    double to_;
};

}  // namespace flentro
