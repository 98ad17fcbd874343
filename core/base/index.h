// Elements of lists by indices as files hold them: signed, -1 for none.

#pragma once

#include <cassert>
#include <cstddef>
#include <iterator>
#include <type_traits>

namespace flentro {

/// The element of a vector, array or the like at an index that must lie within; an enumeration
/// counts by its value.
template <typename List, typename Index>
[[nodiscard]] constexpr decltype(auto) elementOf(List&& list, Index index) {
    static_assert(
        !requires { typename std::remove_cvref_t<List>::mapped_type; },
        "maps have no elements by index");
    assert(static_cast<std::size_t>(index) < std::size(list));
    return list[static_cast<std::size_t>(index)];
}

}  // namespace flentro
