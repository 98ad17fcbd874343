#include "base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>

namespace flentro {
namespace {

constexpr const char* kThinSpace = "\u202f";  ///< Narrow, and no line breaks at it.

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
    if (!std::isfinite(load)) return "x\u221e";
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

std::string counted(std::size_t count, const char* noun, const char* many) {
    const std::string number = formatCount(static_cast<double>(count));
    if (count == 1) return number + " " + noun;
    return number + " " + (many ? std::string(many) : std::string(noun) + "s");
}

namespace {

std::string escaped(char byte) {
    return fmt::format("\\x{:02X}", static_cast<unsigned char>(byte));
}

/// The mark of direction that a text begins with (UAX #9: U+061C, U+200E, U+200F, U+202A to U+202E,
/// U+2066 to U+2069): a name with one reads as another. Empty if there is none.
std::string_view directionMark(std::string_view text) {
    for (const char* mark : {"\u061C", "\u200E", "\u200F", "\u202A", "\u202B", "\u202C", "\u202D",
                             "\u202E", "\u2066", "\u2067", "\u2068", "\u2069"})
        if (text.starts_with(mark)) return text.substr(0, std::string_view(mark).size());
    return {};
}

}  // namespace

std::string printable(std::string_view text) {
    std::string shown;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const auto byte = static_cast<unsigned char>(text[i]);
        // C1 controls are U+0080 to U+009F: C2 80 to C2 9F in UTF-8.
        const bool second = byte >= 0x80 && byte < 0xA0 && i > 0 && text[i - 1] == '\xC2';
        if (const std::string_view mark = directionMark(text.substr(i)); !mark.empty()) {
            for (const char each : mark) shown += escaped(each);
            i += mark.size() - 1;
        } else if ((byte < 0x20 && byte != '\n') || byte == 0x7F || second) {
            if (second) shown.pop_back();
            shown += escaped(text[i]);
        } else {
            shown += text[i];
        }
    }
    return shown;
}

std::string lowerCase(std::string_view text) {
    std::string lower(text);
    std::transform(lower.begin(), lower.end(), lower.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return lower;
}

std::string csvCell(const std::string& text) {
    const bool formula =
        !text.empty() && std::string_view("=+-@\t\r").find(text[0]) != std::string_view::npos;
    std::string cell = formula ? "'" + text : text;
    if (cell.find_first_of(",;\t\"\r\n") == std::string::npos) return cell;
    for (std::size_t at = 0; (at = cell.find('"', at)) != std::string::npos; at += 2)
        cell.insert(at, 1, '"');
    return '"' + cell + '"';
}

std::vector<std::string> splitCsvLine(std::string_view line, char separator) {
    std::vector<std::string> cells(1);
    bool quoted = false;
    for (std::size_t i = 0; i < line.size(); ++i) {
        const char c = line[i];
        if (c == '"' && quoted && i + 1 < line.size() && line[i + 1] == '"')
            cells.back() += line[++i];
        else if (c == '"')
            quoted = !quoted;
        else if (c == separator && !quoted)
            cells.emplace_back();
        else if (c != '\r' || quoted)
            cells.back() += c;
    }
    for (std::string& cell : cells) {
        const auto first = cell.find_first_not_of(' ');
        const auto last = cell.find_last_not_of(' ');
        cell = first == std::string::npos ? "" : cell.substr(first, last - first + 1);
        if (cell.size() > 1 && cell[0] == '\'' &&
            std::string_view("=+-@").find(cell[1]) != std::string_view::npos)
            cell.erase(0, 1);
    }
    return cells;
}

char csvSeparator(std::string_view line) {
    bool quoted = false;
    for (const char c : line) {
        if (c == '"') quoted = !quoted;
        if (!quoted && (c == ';' || c == '\t' || c == ',')) return c;
    }
    return ',';
}

}  // namespace flentro
