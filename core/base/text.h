// How numbers are written, on screen and on the command line alike: with thin grouping, a
// unit, and no more digits than mean something.

#pragma once

#include <cstdint>
#include <string>

namespace flentro {

/// 950, 12 300, 1.24 M (three significant digits above a million).
[[nodiscard]] std::string formatCount(double count);

/// 12.4 MiB, 820 KiB, 96 B.
[[nodiscard]] std::string formatBytes(double bytes);

/// 8.2 m, 120 m, 0.35 m, 3.1 mm below a decimetre's tenth; "no limit" for infinity.
[[nodiscard]] std::string formatMetres(double metres);

/// x0.72; x12.3 from ten; x140 from a hundred.
[[nodiscard]] std::string formatLoad(double load);

/// 12 %, 0.4 %, 0.01 %.
[[nodiscard]] std::string formatShare(double share);

/// 4 s, 2 min 10 s.
[[nodiscard]] std::string formatSeconds(double seconds);

}  // namespace flentro
