// How numbers are written, on screen and on the command line alike: with thin grouping, a
// unit, and no more digits than mean something.

#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace flentro {

/// 950, 12 300, 1.24 M (three significant digits above a million).
[[nodiscard]] std::string formatCount(double count);

/// 12.4 MiB, 820 KiB, 96 B.
[[nodiscard]] std::string formatBytes(double bytes);

/// 8.2 m, 120 m, 0.35 m, 3.1 mm below a decimetre's tenth; "no limit" for infinity.
[[nodiscard]] std::string formatMetres(double metres);

/// x0.72; x12.3 from ten; x140 from a hundred; x\u221e where none is allowed.
[[nodiscard]] std::string formatLoad(double load);

/// 12 %, 0.4 %, 0.01 %.
[[nodiscard]] std::string formatShare(double share);

/// "1 material", "3 materials": the noun agrees with its number. `many`: for those that do not
/// just take an s.
[[nodiscard]] std::string counted(std::size_t count, const char* noun, const char* many = nullptr);

/// ASCII letters in lower case; other bytes stay.
[[nodiscard]] std::string lowerCase(std::string_view text);

/// One cell of a CSV line (RFC 4180): quoted where it has to be; texts that spreadsheets would
/// take for formulas get an apostrophe in front.
[[nodiscard]] std::string csvCell(const std::string& text);

/// The cells of one CSV line; `separator` as found by csvSeparator(). Undoes csvCell().
[[nodiscard]] std::vector<std::string> splitCsvLine(std::string_view line, char separator);

/// Semicolon, tab or comma: the first of these that the line has outside of quotes.
[[nodiscard]] char csvSeparator(std::string_view line);

/// For terminals: control characters written out as \xNN, so that a name cannot pass for commands.
[[nodiscard]] std::string printable(std::string_view text);

/// 4 s, 2 min 10 s.
[[nodiscard]] std::string formatSeconds(double seconds);

}  // namespace flentro
