#include "picture/picture_error.h"

#include <algorithm>
#include <array>
#include <cassert>
#include <cmath>

#include "base/index.h"
#include "base/parallel.h"
#include "picture/texels.h"

namespace flentro {
namespace {

using Plane = std::vector<float>;  ///< [height * width]

struct Size {
    int width;
    int height;
    [[nodiscard]] std::size_t count() const {
        return static_cast<std::size_t>(width) * static_cast<std::size_t>(height);
    }
};

/// Rows, then columns, with one kernel each; the picture goes on at its edges.
Plane convolve(const Plane& plane, const Size& size, const std::vector<float>& across,
               const std::vector<float>& down) {
    const auto pass = [&](const Plane& from, const std::vector<float>& kernel, bool isAcross) {
        Plane to(size.count());
        const int radius = static_cast<int>(kernel.size()) / 2;
        parallelRanges(
            static_cast<std::size_t>(size.height), 32, [&](std::size_t a, std::size_t b) {
                for (auto y = static_cast<int>(a); y < static_cast<int>(b); ++y)
                    for (int x = 0; x < size.width; ++x) {
                        float sum = 0;
                        for (int k = -radius; k <= radius; ++k) {
                            const int column = isAcross ? std::clamp(x + k, 0, size.width - 1) : x;
                            const int row = isAcross ? y : std::clamp(y + k, 0, size.height - 1);
                            sum += elementOf(kernel, k + radius) *
                                   elementOf(from, row * size.width + column);
                        }
                        elementOf(to, y * size.width + x) = sum;
                    }
            });
        return to;
    };
    return pass(pass(plane, across, true), down, false);
}

std::vector<float> gaussian(double sigma, int radius) {
    std::vector<float> kernel;
    double sum = 0;
    for (int i = -radius; i <= radius; ++i) sum += std::exp(-i * i / (2 * sigma * sigma));
    for (int i = -radius; i <= radius; ++i)
        kernel.push_back(static_cast<float>(std::exp(-i * i / (2 * sigma * sigma)) / sum));
    return kernel;
}

// --- structural similarity ----------------------------------------------------------------

Plane luminance(const DisplayPicture& picture) {
    Plane plane;
    plane.reserve(picture.pixels.size());
    for (const Vec3f& p : picture.pixels)
        plane.push_back(0.2126F * p.x() + 0.7152F * p.y() + 0.0722F * p.z());
    return plane;
}

Plane product(const Plane& a, const Plane& b) {
    Plane result(a.size());
    for (std::size_t i = 0; i < a.size(); ++i) result[i] = a[i] * b[i];
    return result;
}

double similarityOf(const DisplayPicture& a, const DisplayPicture& b, const Size& size) {
    constexpr double kC1 = 0.01 * 0.01;
    constexpr double kC2 = 0.03 * 0.03;
    const std::vector<float> window = gaussian(1.5, 5);
    const auto smooth = [&](const Plane& plane) { return convolve(plane, size, window, window); };
    const Plane x = luminance(a);
    const Plane y = luminance(b);
    const Plane meanX = smooth(x);
    const Plane meanY = smooth(y);
    const Plane xx = smooth(product(x, x));
    const Plane yy = smooth(product(y, y));
    const Plane xy = smooth(product(x, y));
    double sum = 0;
    for (std::size_t i = 0; i < x.size(); ++i) {
        const double mx = static_cast<double>(meanX[i]);
        const double my = static_cast<double>(meanY[i]);
        const double varX = std::max(0.0, static_cast<double>(xx[i]) - mx * mx);
        const double varY = std::max(0.0, static_cast<double>(yy[i]) - my * my);
        const double both = static_cast<double>(xy[i]) - mx * my;
        sum += (2 * mx * my + kC1) * (2 * both + kC2) /
               ((mx * mx + my * my + kC1) * (varX + varY + kC2));
    }
    return sum / static_cast<double>(x.size());
}

// --- FLIP ---------------------------------------------------------------------------------

const Eigen::Matrix3f& toXyz() {
    static const Eigen::Matrix3f matrix =
        (Eigen::Matrix3f() << 0.4124564F, 0.3575761F, 0.1804375F, 0.2126729F, 0.7151522F,
         0.0721750F, 0.0193339F, 0.1191920F, 0.9503041F)
            .finished();
    return matrix;
}

/// CIE XYZ of white.
const Vec3f& white() {
    static const Vec3f value = toXyz() * Vec3f::Ones();
    return value;
}

Vec3f linearOf(const Vec3f& display) {
    return {toLinear(display.x()), toLinear(display.y()), toLinear(display.z())};
}

/// The opponent space in which contrast sensitivity is known.
Vec3f toOpponent(const Vec3f& linear) {
    const Vec3f xyz = (toXyz() * linear).cwiseQuotient(white());
    return {116 * xyz.y() - 16, 500 * (xyz.x() - xyz.y()), 200 * (xyz.y() - xyz.z())};
}

Vec3f fromOpponent(const Vec3f& value) {
    static const Eigen::Matrix3f inverse = toXyz().inverse();
    const float y = (value.x() + 16) / 116;
    const Vec3f xyz(value.y() / 500 + y, y, y - value.z() / 200);
    return inverse * xyz.cwiseProduct(white());
}

Vec3f toLab(const Vec3f& linear) {
    const Vec3f xyz = (toXyz() * linear).cwiseQuotient(white());
    const auto f = [](float t) {
        constexpr float kDelta = 6.0F / 29;
        return t > kDelta * kDelta * kDelta ? std::cbrt(t) : t / (3 * kDelta * kDelta) + 4.0F / 29;
    };
    const Vec3f v(f(xyz.x()), f(xyz.y()), f(xyz.z()));
    return {116 * v.y() - 16, 500 * (v.x() - v.y()), 200 * (v.y() - v.z())};
}

/// Colours seem paler in the dark (Hunt 1952).
Vec3f huntAdjusted(const Vec3f& lab) {
    return {lab.x(), 0.01F * lab.x() * lab.y(), 0.01F * lab.x() * lab.z()};
}

/// Distance for large differences: lightness apart from chroma (Abasi et al. 2020).
float labDistance(const Vec3f& a, const Vec3f& b) {
    return std::fabs(a.x() - b.x()) + (a - b).tail<2>().norm();
}

/// A sum of Gaussians by contrast sensitivity, as FLIP's table gives it.
struct Sensitivity {
    double a1, b1, a2, b2;
};
constexpr std::array<Sensitivity, 3> kSensitivities = {
    {{1, 0.0047, 0, 1e-5}, {1, 0.0053, 0, 1e-5}, {34.1, 0.04, 13.5, 0.025}}};

/// A Gaussian of width b in degrees, in space: separable.
std::vector<float> spatial(double b, double pixelsPerDegree, int radius) {
    std::vector<float> kernel;
    for (int i = -radius; i <= radius; ++i) {
        const double x = i / pixelsPerDegree;
        kernel.push_back(static_cast<float>(std::exp(-kPi * kPi * x * x / b)));
    }
    return kernel;
}

float sumOf(const std::vector<float>& kernel) {
    float sum = 0;
    for (const float value : kernel) sum += value;
    return sum;
}

/// One channel as the eye resolves it.
Plane filtered(const Plane& plane, const Size& size, const Sensitivity& s, double pixelsPerDegree) {
    const int radius =
        static_cast<int>(std::ceil(3 * std::sqrt(0.04 / (2 * kPi * kPi)) * pixelsPerDegree));
    struct Term {
        double weight;
        std::vector<float> kernel;
    };
    std::vector<Term> terms;
    for (const auto& [a, b] : {std::pair(s.a1, s.b1), std::pair(s.a2, s.b2)})
        if (a > 0) terms.push_back({a * std::sqrt(kPi / b), spatial(b, pixelsPerDegree, radius)});
    double whole = 0;
    for (const Term& term : terms) {
        const auto sum = static_cast<double>(sumOf(term.kernel));
        whole += term.weight * sum * sum;
    }
    Plane result(plane.size(), 0);
    for (const Term& term : terms) {
        const Plane part = convolve(plane, size, term.kernel, term.kernel);
        const auto weight = static_cast<float>(term.weight / whole);
        for (std::size_t i = 0; i < result.size(); ++i) result[i] += weight * part[i];
    }
    return result;
}

/// What the eye sees of a picture, as Hunt-adjusted L*a*b*.
std::vector<Vec3f> perceived(const DisplayPicture& picture, const Size& size,
                             double pixelsPerDegree) {
    std::array<Plane, 3> planes;
    for (Plane& plane : planes) plane.resize(size.count());
    for (std::size_t i = 0; i < size.count(); ++i) {
        const Vec3f value = toOpponent(linearOf(picture.pixels[i]));
        for (std::size_t c = 0; c < 3; ++c) planes[c][i] = value[static_cast<Eigen::Index>(c)];
    }
    for (std::size_t c = 0; c < 3; ++c)
        planes[c] = filtered(planes[c], size, kSensitivities[c], pixelsPerDegree);
    std::vector<Vec3f> result;
    result.reserve(size.count());
    for (std::size_t i = 0; i < size.count(); ++i) {
        const Vec3f linear =
            fromOpponent({planes[0][i], planes[1][i], planes[2][i]}).cwiseMax(0.0F).cwiseMin(1.0F);
        result.push_back(huntAdjusted(toLab(linear)));
    }
    return result;
}

/// Colour differences to 0 to 1: most of the range for those below the usual largest.
float remapped(float difference, float largest) {
    constexpr float kShare = 0.4F;
    constexpr float kTop = 0.95F;
    const float knee = kShare * largest;
    return difference < knee ? kTop / knee * difference
                             : kTop + (difference - knee) / (largest - knee) * (1 - kTop);
}

struct Features {
    Plane edges;
    Plane points;
};

Features featuresOf(const DisplayPicture& picture, const Size& size, double pixelsPerDegree) {
    constexpr double kWidth = 0.082;  // degrees
    const double sigma = 0.5 * kWidth * pixelsPerDegree;
    const int radius = static_cast<int>(std::ceil(3 * sigma));
    const std::vector<float> smooth = gaussian(sigma, radius);
    // First and second derivative, their halves of each sign normed to one.
    const auto derivative = [&](bool isSecond) {
        std::vector<float> kernel;
        float plus = 0;
        float minus = 0;
        for (int i = -radius; i <= radius; ++i) {
            const double g = std::exp(-i * i / (2 * sigma * sigma));
            const double value = isSecond ? (i * i / (sigma * sigma) - 1) * g : -i * g;
            kernel.push_back(static_cast<float>(value));
            (value > 0 ? plus : minus) += static_cast<float>(std::fabs(value));
        }
        for (float& value : kernel) value /= value > 0 ? plus : minus > 0 ? minus : 1;
        return kernel;
    };
    const std::vector<float> first = derivative(false);
    const std::vector<float> second = derivative(true);
    Plane luma(size.count());
    for (std::size_t i = 0; i < size.count(); ++i)
        luma[i] = (toOpponent(linearOf(picture.pixels[i])).x() + 16) / 116;
    const auto lengths = [&](const std::vector<float>& kernel) {
        Plane across = convolve(luma, size, kernel, smooth);
        const Plane down = convolve(luma, size, smooth, kernel);
        for (std::size_t i = 0; i < across.size(); ++i) across[i] = std::hypot(across[i], down[i]);
        return across;
    };
    return {lengths(first), lengths(second)};
}

Plane flipMap(const DisplayPicture& a, const DisplayPicture& b, const Size& size,
              double pixelsPerDegree) {
    constexpr float kPower = 0.7F;
    const std::vector<Vec3f> seenA = perceived(a, size, pixelsPerDegree);
    const std::vector<Vec3f> seenB = perceived(b, size, pixelsPerDegree);
    const float largest = std::pow(
        labDistance(huntAdjusted(toLab({0, 1, 0})), huntAdjusted(toLab({0, 0, 1}))), kPower);
    const Features featuresA = featuresOf(a, size, pixelsPerDegree);
    const Features featuresB = featuresOf(b, size, pixelsPerDegree);
    Plane map(size.count());
    for (std::size_t i = 0; i < map.size(); ++i) {
        const float colour = remapped(std::pow(labDistance(seenA[i], seenB[i]), kPower), largest);
        const float feature =
            std::sqrt(std::max(std::fabs(featuresA.edges[i] - featuresB.edges[i]),
                               std::fabs(featuresA.points[i] - featuresB.points[i])) /
                      std::sqrt(2.0F));
        map[i] = std::clamp(std::pow(colour, 1 - std::min(feature, 1.0F)), 0.0F, 1.0F);
    }
    return map;
}

void findWorst(const Size& size, PictureError& error) {
    constexpr int kRegions = 8;
    for (int r = 0; r < kRegions; ++r)
        for (int c = 0; c < kRegions; ++c) {
            const int left = size.width * c / kRegions;
            const int right = size.width * (c + 1) / kRegions;
            const int top = size.height * r / kRegions;
            const int bottom = size.height * (r + 1) / kRegions;
            double sum = 0;
            for (int y = top; y < bottom; ++y)
                for (int x = left; x < right; ++x)
                    sum += static_cast<double>(elementOf(error.map, y * size.width + x));
            const double mean = sum / std::max(1, (right - left) * (bottom - top));
            if (mean <= error.worstFlip) continue;
            error.worstFlip = mean;
            error.worstColumn = (left + right) / 2;
            error.worstRow = (top + bottom) / 2;
        }
}

}  // namespace

PictureError pictureError(const DisplayPicture& reference, const DisplayPicture& other,
                          double pixelsPerDegree) {
    assert(reference.width == other.width && reference.height == other.height);
    assert(reference.width >= 11 && reference.height >= 11 && pixelsPerDegree > 0);
    const Size size{reference.width, reference.height};
    PictureError error;
    error.similarity = similarityOf(reference, other, size);
    error.map = flipMap(reference, other, size, pixelsPerDegree);
    double sum = 0;
    for (const float value : error.map) sum += static_cast<double>(value);
    error.flip = sum / static_cast<double>(error.map.size());
    findWorst(size, error);
    return error;
}

}  // namespace flentro
