// The border where exceptions of libraries and of memory end and errors begin.

#pragma once

#include <exception>
#include <new>

#include "base/error.h"

namespace flentro {

/// Calls `work`, which returns an Expected; an exception becomes its error. For the outermost call
/// of a command, a job or an event: inside, errors are values.
template <typename Work>
auto guarded(Work&& work) -> decltype(work()) {
    try {
        return work();
    } catch (const std::bad_alloc&) {
        return fail(ErrorCode::Limit, "there is not enough memory for this", {},
                    "Close other programs, or make the scene smaller");
    } catch (const std::exception& error) {
        return fail(
            ErrorCode::InvalidInput,
            std::string("something unforeseen in the data stopped this (") + error.what() + ")", {},
            "Please report it together with the scene");
    }
}

}  // namespace flentro
