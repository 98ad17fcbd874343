// What our programs return to the shell.

#pragma once

namespace flentro::cli {

enum ExitStatus : int {
    kWithin = 0,    ///< Done; for an audit: within every limit.
    kOver = 1,      ///< An audit found a load above x1.00.
    kBadInput = 2,  ///< Anything that went wrong; the message is on standard error.
    kStopped = 3,   ///< Stopped before its end; what was written says that it is partial.
};

}  // namespace flentro::cli
