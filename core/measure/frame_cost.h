// From counts to an estimate of milliseconds.

#pragma once

#include <span>
#include <string>

#include "measure/pixel_work.h"
#include "measure/viewcost.h"

namespace flentro {

/// Units of each term in one view. `work`: from a survey; without one, of one plain surface.
[[nodiscard]] CostTerms termsOf(const ViewTally& tally, const Target& target,
                                const PixelWork& work = {});

/// An estimate, unless the target was calibrated; and then for scenes like those measured.
struct FrameCost {
    double cpu = 0;  ///< Milliseconds.
    double gpu = 0;

    [[nodiscard]] double milliseconds() const { return cpu > gpu ? cpu : gpu; }
    [[nodiscard]] const char* limitedBy() const { return cpu > gpu ? "CPU" : "GPU"; }
};

[[nodiscard]] FrameCost frameCost(const CostTerms& terms, const Target& target);

/// The term that takes most of the slower side.
[[nodiscard]] CostTerm heaviestTerm(const CostTerms& terms, const Target& target);

/// One measured frame.
struct FrameSample {
    std::string spot;
    double heading = 0;  ///< Degrees.
    CostTerms terms{};   ///< Units in that view.
    double milliseconds = 0;
};

struct Calibration {
    CostTerms frameCost{};
    struct Held {
        CostTerm term;
        std::string why;
    };
    std::vector<Held> held;         ///< Left as they were: the data cannot tell them.
    std::vector<double> residuals;  ///< [samples] Measured less modelled, milliseconds.
    double rms = 0;                 ///< Of the residuals, milliseconds.
    double worst = 0;
    double explained = 0;  ///< Share of the variance, at most 1.
};

/// Fits the coefficients to measured times, none negative (Lawson & Hanson 1974, chapter 23).
/// Each frame belongs to its slower side; sides and coefficients are found in turns. Terms that
/// hardly vary, or that others determine to 99.9 %, keep their values and are named.
///
/// Errors: InvalidInput with fewer than 8 samples, times that are not positive, or no term that
/// the data can tell. Cost: O(samples x terms^2) for each of at most 30 turns.
[[nodiscard]] Expected<Calibration> calibrate(std::span<const FrameSample> samples,
                                              const Target& target);

/// min |A x - b| with x >= 0. A: [rows][columns]. For calibrate() and its tests.
[[nodiscard]] Eigen::VectorXd nonNegativeLeastSquares(const Eigen::MatrixXd& a,
                                                      const Eigen::VectorXd& b);

}  // namespace flentro
