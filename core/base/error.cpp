#include "base/error.h"

namespace flentro {

std::string describe(const Error& error) {
    std::string text = error.where.empty() ? error.what : error.where + ": " + error.what;
    if (!error.hint.empty()) text += ". " + error.hint;
    return text;
}

}  // namespace flentro
