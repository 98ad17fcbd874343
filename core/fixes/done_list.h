// What a fix did: of several things those that happened.

#pragma once

#include <initializer_list>
#include <string>
#include <string_view>
#include <vector>

#include "base/text.h"

namespace flentro {

struct Done {
    std::size_t count = 0;  ///< 0: it did not happen.
    std::string text;       ///< With its count.
};

/// "2 assets, 1 material and 3 images"; `none` where nothing happened.
[[nodiscard]] inline std::string listDone(std::initializer_list<Done> all, std::string_view none) {
    std::vector<const Done*> done;
    for (const Done& one : all)
        if (one.count > 0) done.push_back(&one);
    std::string list;
    for (std::size_t i = 0; i < done.size(); ++i) {
        if (i > 0) list += i + 1 < done.size() ? ", " : " and ";
        list += done[i]->text;
    }
    return list.empty() ? std::string(none) : list;
}

/// "1 204 of 1 698 objects"; `many` as in counted().
[[nodiscard]] inline std::string countOf(std::size_t count, std::size_t all, const char* noun,
                                         const char* many = nullptr) {
    return formatCount(static_cast<double>(count)) + " of " + counted(all, noun, many);
}

}  // namespace flentro
