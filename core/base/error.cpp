#include "base/error.h"

namespace flentro {

tl::unexpected<Error> stopped(std::string_view work) {
    return fail(ErrorCode::Cancelled, std::string(work) + " was stopped");
}

std::string describe(const Error& error) {
    std::string text = error.where.empty() ? error.what : error.where + ": " + error.what;
    if (!error.hint.empty()) text += ". " + error.hint;
    return text;
}

}  // namespace flentro
