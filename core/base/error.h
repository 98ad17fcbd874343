// Errors as values. Exceptions do not cross a module border; functions that can fail for a
// reason outside the program return Expected<T>.

#pragma once

#include <string>
#include <string_view>
#include <tl/expected.hpp>

namespace flentro {

enum class ErrorCode {
    InvalidInput,  ///< The data or a setting is wrong; `where` names the object.
    NotFound,      ///< A file, object or name does not exist.
    Unsupported,   ///< Valid, but a feature that we do not read.
    Forbidden,     ///< A path that leads outside the scene's folder.
    Io,            ///< Reading or writing failed (permissions, full disk).
    Limit,         ///< Larger than the memory or time that it may take.
    Cancelled,     ///< Asked to stop: an outcome, not a failure to show.
};

/// What happened, to what, and how to go on. Every text is a sentence part fit to be shown.
struct Error {
    ErrorCode code = ErrorCode::InvalidInput;
    std::string what;   ///< What happened.
    std::string where;  ///< File and object concerned; may be empty.
    std::string hint;   ///< What can be done; may be empty.
};

template <typename T>
using Expected = tl::expected<T, Error>;

[[nodiscard]] inline tl::unexpected<Error> fail(ErrorCode code, std::string what,
                                                std::string where = {}, std::string hint = {}) {
    return tl::unexpected<Error>(Error{code, std::move(what), std::move(where), std::move(hint)});
}

/// What long work answers that was given up because it was asked to stop; `work` as in "Reducing".
[[nodiscard]] tl::unexpected<Error> stopped(std::string_view work);

/// "where: what. hint" on one line.
[[nodiscard]] std::string describe(const Error& error);

}  // namespace flentro
