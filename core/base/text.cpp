#include "base/text.h"

#include <fmt/format.h>

#include <cmath>

namespace flentro {
namespace {

constexpr const char* kThinSpace = "\u2009";

std::string grouped(std::int64_t value) {
    std::string digits = std::to_string(std::llabs(value));
    for (int at = static_cast<int>(digits.size()) - 3; at > 0; at -= 3)
        digits.insert(static_cast<std::size_t>(at), kThinSpace);
    return value < 0 ? "-" + digits : digits;
}

/// Three significant digits, trailing zeros kept: 1.24, 12.4, 124.
std::string threeDigits(double value) {
    const double size = std::fabs(value);
    return fmt::format("{:.{}f}", value, size < 9.995 ? 2 : size < 99.95 ? 1 : 0);
}

}  // namespace

std::string formatCount(double count) {
    if (std::fabs(count) < 999'500) return grouped(std::llround(count));
    if (std::fabs(count) < 999.5e6) return threeDigits(count / 1e6) + " M";
    return threeDigits(count / 1e9) + " G";
}

std::string formatBytes(double bytes) {
    if (std::fabs(bytes) < 1024) return fmt::format("{:.0f} B", bytes);
    if (std::fabs(bytes) < 1024 * 1024) return fmt::format("{:.0f} KiB", bytes / 1024);
    const double mebibytes = bytes / (1024 * 1024);
    return (mebibytes < 999.5 ? threeDigits(mebibytes) : grouped(std::llround(mebibytes))) + " MiB";
}

std::string formatMetres(double metres) {
    if (!std::isfinite(metres)) return "no limit";
    const double size = std::fabs(metres);
    if (size == 0) return "0 m";
    if (size < 0.01) return fmt::format("{:.2g} mm", metres * 1000);
    if (size < 1) return fmt::format("{:.2f} m", metres);
    return fmt::format("{:.{}f} m", metres, size < 99.95 ? 1 : 0);
}

std::string formatLoad(double load) {
    if (!std::isfinite(load)) return "no limit";
    return fmt::format("x{:.{}f}", load, load < 9.995 ? 2 : load < 99.95 ? 1 : 0);
}

std::string formatShare(double share) {
    const double percent = share * 100;
    const int digits = percent <= 0 || percent >= 9.95 ? 0 : percent >= 0.095 ? 1 : 2;
    return fmt::format("{:.{}f} %", percent, digits);
}

std::string formatSeconds(double seconds) {
    const auto whole = static_cast<std::int64_t>(std::ceil(seconds));
    if (whole < 60) return fmt::format("{} s", whole);
    return fmt::format("{} min {} s", whole / 60, whole % 60);
}

}  // namespace flentro
