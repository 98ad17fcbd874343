#include "measure/frame_cost.h"

#include <fmt/format.h>

#include <Eigen/QR>
#include <algorithm>
#include <cmath>

#include "base/index.h"

namespace flentro {
namespace {

constexpr std::size_t kMinSamples = 8;
constexpr int kMaxTurns = 30;
constexpr double kMinVariation = 0.01;  ///< Standard deviation over mean.
constexpr double kDetermined = 0.999;   ///< R^2 of a term by the others.

using Matrix = Eigen::MatrixXd;
using Vector = Eigen::VectorXd;
using Columns = std::vector<Eigen::Index>;

double side(const CostTerms& terms, const CostTerms& cost, std::size_t from, std::size_t to) {
    double sum = 0;
    for (std::size_t i = from; i < to; ++i) sum += terms[i] * cost[i];
    return sum;
}

double modelled(const CostTerms& terms, const CostTerms& cost) {
    return std::max(side(terms, cost, 0, kCpuTerms), side(terms, cost, kCpuTerms, kCostTermCount));
}

Matrix pick(const Matrix& a, const Columns& columns) {
    Matrix result(a.rows(), static_cast<Eigen::Index>(columns.size()));
    for (std::size_t i = 0; i < columns.size(); ++i)
        result.col(static_cast<Eigen::Index>(i)) = a.col(columns[i]);
    return result;
}

/// Share of the variance of `b` that the columns of `a` and a constant explain.
double explainedBy(const Matrix& a, const Vector& b) {
    Matrix design(a.rows(), a.cols() + 1);
    design << a, Vector::Ones(a.rows());
    const Vector rest = b - design * design.colPivHouseholderQr().solve(b);
    const double variance = (b.array() - b.mean()).matrix().squaredNorm();
    return variance > 0 ? 1 - rest.squaredNorm() / variance : 1;
}

/// One side of the frame: which samples it limits, and the fit of its coefficients.
class SideFit {
public:
    SideFit(std::span<const FrameSample> samples, std::size_t first, std::size_t last)
        : samples_(samples), first_(first), last_(last) {}

    /// Fits `cost` to the samples in `rows`; true if any coefficient could be told.
    bool fit(const std::vector<std::size_t>& rows, CostTerms& cost,
             std::vector<Calibration::Held>& held) const {
        const auto count = static_cast<Eigen::Index>(rows.size());
        Matrix a(count, static_cast<Eigen::Index>(last_ - first_));
        Vector b(count);
        for (Eigen::Index r = 0; r < count; ++r) {
            const FrameSample& sample = samples_[elementOf(rows, r)];
            for (std::size_t t = first_; t < last_; ++t)
                a(r, static_cast<Eigen::Index>(t - first_)) = sample.terms[t];
            b[r] = sample.milliseconds;
        }
        Columns told;
        for (Eigen::Index c = 0; c < a.cols(); ++c) {
            const std::string why = whyNot(a, c, told);
            if (why.empty()) {
                told.push_back(c);
                continue;
            }
            held.push_back({static_cast<CostTerm>(first_ + static_cast<std::size_t>(c)), why});
            b -= a.col(c) * cost[first_ + static_cast<std::size_t>(c)];
        }
        if (told.empty()) return false;
        const Vector x = nonNegativeLeastSquares(pick(a, told), b);
        for (std::size_t i = 0; i < told.size(); ++i)
            cost[first_ + static_cast<std::size_t>(told[i])] = x[static_cast<Eigen::Index>(i)];
        return true;
    }

private:
    /// Why a term cannot be told beside those that can; empty if it can.
    [[nodiscard]] std::string whyNot(const Matrix& a, Eigen::Index column,
                                     const Columns& told) const {
        const Vector values = a.col(column);
        if (static_cast<std::size_t>(a.rows()) < told.size() + 3)
            return fmt::format("only {} frames are limited by this side", a.rows());
        const double mean = values.mean();
        if (mean <= 0) return "there is none of it in the frames";
        const double deviation = std::sqrt((values.array() - mean).square().mean());
        const bool constant = column == 0;  // the term of every frame
        if (constant) return "";
        if (deviation < kMinVariation * mean) return "it hardly varies between the frames";
        if (explainedBy(pick(a, told), values) > kDetermined)
            return "it rises and falls with the terms before it";
        return "";
    }

    std::span<const FrameSample> samples_;
    std::size_t first_;
    std::size_t last_;
};

Expected<void> check(std::span<const FrameSample> samples) {
    if (samples.size() < kMinSamples)
        return fail(ErrorCode::InvalidInput,
                    fmt::format("{} frames are too few to fit a cost model to", samples.size()), {},
                    fmt::format("Measure at least {} views", kMinSamples));
    for (const FrameSample& sample : samples)
        if (!(sample.milliseconds > 0) || !std::isfinite(sample.milliseconds))
            return fail(ErrorCode::InvalidInput, "a frame time is not a positive number",
                        fmt::format("spot {}, heading {:g}", sample.spot, sample.heading));
    return {};
}

void judge(std::span<const FrameSample> samples, Calibration& result) {
    double mean = 0;
    for (const FrameSample& sample : samples) mean += sample.milliseconds;
    mean /= static_cast<double>(samples.size());
    double squares = 0;
    double variance = 0;
    for (const FrameSample& sample : samples) {
        const double rest = sample.milliseconds - modelled(sample.terms, result.frameCost);
        result.residuals.push_back(rest);
        result.worst = std::max(result.worst, std::fabs(rest));
        squares += rest * rest;
        variance += (sample.milliseconds - mean) * (sample.milliseconds - mean);
    }
    result.rms = std::sqrt(squares / static_cast<double>(samples.size()));
    result.explained = variance > 0 ? 1 - squares / variance : 0;
}

}  // namespace

CostTerms termsOf(const ViewTally& tally, const Target& target, const PixelWork& work) {
    constexpr double kMillion = 1e6;
    constexpr double kGiB = 1024.0 * 1024 * 1024;
    const double pixels =
        static_cast<double>(target.width) * target.height * target.eyes / kMillion;
    CostTerms terms{};
    const auto set = [&](CostTerm term, double value) { elementOf(terms, term) = value; };
    set(CostTerm::CpuFrame, 1);
    set(CostTerm::DrawCall, at(tally.counts, Measure::DrawCalls) / 1000);
    set(CostTerm::Object, at(tally.counts, Measure::Objects) / 1000);
    set(CostTerm::Material, tally.materials / 100);
    set(CostTerm::Bone, tally.bones / 1000);
    set(CostTerm::GpuFrame, 1);
    set(CostTerm::Vertex, (tally.vertices + tally.shadowVertices) / kMillion);
    set(CostTerm::FilledPixel, pixels * static_cast<double>(work.layers));
    set(CostTerm::TexturedPixel, pixels * static_cast<double>(work.textures));
    set(CostTerm::BlendedPixel, pixels * static_cast<double>(work.blended));
    set(CostTerm::LitPixel,
        pixels * static_cast<double>(work.lit) * at(tally.counts, Measure::Lights));
    set(CostTerm::ShadowPass, at(tally.counts, Measure::ShadowLights));
    set(CostTerm::Texture, at(tally.counts, Measure::TextureBytes) / kGiB);
    return terms;
}

FrameCost frameCost(const CostTerms& terms, const Target& target) {
    return {side(terms, target.frameCost, 0, kCpuTerms),
            side(terms, target.frameCost, kCpuTerms, kCostTermCount)};
}

CostTerm heaviestTerm(const CostTerms& terms, const Target& target) {
    const FrameCost cost = frameCost(terms, target);
    const std::size_t from = cost.cpu > cost.gpu ? 0 : kCpuTerms;
    const std::size_t to = cost.cpu > cost.gpu ? kCpuTerms : kCostTermCount;
    std::size_t heaviest = from;
    for (std::size_t i = from; i < to; ++i)
        if (terms[i] * target.frameCost[i] > terms[heaviest] * target.frameCost[heaviest])
            heaviest = i;
    return static_cast<CostTerm>(heaviest);
}

// The active set method of Lawson & Hanson, "Solving Least Squares Problems", 1974, ch. 23.
Vector nonNegativeLeastSquares(const Matrix& a, const Vector& b) {
    const Eigen::Index n = a.cols();
    const double tolerance = 1e-10 * (a.transpose() * b).cwiseAbs().maxCoeff();
    Vector x = Vector::Zero(n);
    std::vector<bool> passive(static_cast<std::size_t>(n), false);
    const auto solvePassive = [&] {
        Columns columns;
        for (Eigen::Index i = 0; i < n; ++i)
            if (elementOf(passive, i)) columns.push_back(i);
        Vector full = Vector::Zero(n);
        const Vector part = pick(a, columns).colPivHouseholderQr().solve(b);
        for (std::size_t i = 0; i < columns.size(); ++i)
            full[columns[i]] = part[static_cast<Eigen::Index>(i)];
        return full;
    };
    for (Eigen::Index turn = 0; turn < 3 * n; ++turn) {
        const Vector gradient = a.transpose() * (b - a * x);
        Eigen::Index best = -1;
        for (Eigen::Index i = 0; i < n; ++i)
            if (!elementOf(passive, i) && gradient[i] > tolerance &&
                (best < 0 || gradient[i] > gradient[best]))
                best = i;
        if (best < 0) break;
        elementOf(passive, best) = true;
        Vector next = solvePassive();
        // Step back to the first bound that the solution would cross.
        for (Eigen::Index inner = 0; inner < n && next.minCoeff() < 0; ++inner) {
            double step = 1;
            for (Eigen::Index i = 0; i < n; ++i)
                if (next[i] < 0) step = std::min(step, x[i] / (x[i] - next[i]));
            x += step * (next - x);
            for (Eigen::Index i = 0; i < n; ++i)
                if (next[i] < 0 && x[i] <= 1e-12) elementOf(passive, i) = false;
            next = solvePassive();
        }
        x = next.cwiseMax(0.0);
    }
    return x;
}

Expected<Calibration> calibrate(std::span<const FrameSample> samples, const Target& target) {
    if (auto sound = check(samples); !sound) return tl::unexpected(sound.error());
    Calibration result;
    result.frameCost = target.frameCost;
    const SideFit cpu(samples, 0, kCpuTerms);
    const SideFit gpu(samples, kCpuTerms, kCostTermCount);
    std::vector<bool> before;
    bool told = false;
    for (int turn = 0; turn < kMaxTurns; ++turn) {
        std::vector<bool> byCpu;
        std::vector<std::size_t> rows[2];
        for (std::size_t i = 0; i < samples.size(); ++i) {
            const CostTerms& terms = samples[i].terms;
            byCpu.push_back(side(terms, result.frameCost, 0, kCpuTerms) >
                            side(terms, result.frameCost, kCpuTerms, kCostTermCount));
            rows[byCpu.back() ? 0 : 1].push_back(i);
        }
        if (byCpu == before) break;
        before = byCpu;
        result.held.clear();
        const bool first = cpu.fit(rows[0], result.frameCost, result.held);
        const bool second = gpu.fit(rows[1], result.frameCost, result.held);
        told = first || second;
    }
    if (!told)
        return fail(ErrorCode::InvalidInput, "the frames are too alike to tell any cost", {},
                    "Measure views that differ in what they draw");
    judge(samples, result);
    return result;
}

}  // namespace flentro
