#include "mutate.h"

#include <cstring>
#include <limits>
#include <optional>

#include "base/json.h"

namespace flentro::fuzz {
namespace {

std::size_t below(std::size_t end, Random& random) {
    return std::uniform_int_distribution<std::size_t>(0, end - 1)(random);
}

/// Values that readers forget.
Json oddValue(Random& random) {
    static const Json odd = {0,
                             1,
                             2,
                             -1,
                             99,
                             255,
                             65536,
                             4294967295U,
                             std::numeric_limits<std::int64_t>::min(),
                             1.5,
                             1e300,
                             -1e-300,
                             "",
                             "x",
                             "../../../etc/passwd",
                             true,
                             nullptr,
                             Json::array(),
                             Json::object(),
                             {0, 0, 0},
                             {1e38, 1e38, 1e38},
                             {{"name", "x"}}};
    return odd[below(odd.size(), random)];
}

/// Walks down at random and changes what is there.
void change(Json& json, Random& random) {
    Json* here = &json;
    while (here->is_structured() && !here->empty() && below(6, random) != 0) {
        auto child = here->begin();
        std::advance(child, below(here->size(), random));
        if (below(40, random) == 0) {
            here->erase(child);
            return;
        }
        if (here->is_array() && below(20, random) == 0) {
            const Json twice = *child;
            here->push_back(twice);
            return;
        }
        here = &*child;
    }
    if (here->is_number_integer() && below(2, random) == 0)
        *here = static_cast<std::int64_t>(here->get<std::uint64_t>() +  // wraps, as it may
                                          (below(2, random) == 0 ? 1U : ~std::uint64_t{0}));
    else if (!here->is_object() || below(4, random) == 0)
        *here = oddValue(random);
}

Bytes toBytes(const std::string& text) {
    Bytes bytes(text.size());
    std::memcpy(bytes.data(), text.data(), text.size());
    return bytes;
}

std::optional<Json> parse(const Bytes& file, std::size_t at, std::size_t size) {
    Json json = Json::parse(reinterpret_cast<const char*>(file.data()) + at,
                            reinterpret_cast<const char*>(file.data()) + at + size, nullptr, false);
    return json.is_discarded() ? std::nullopt : std::optional(std::move(json));
}

std::string changed(Json json, Random& random) {
    for (std::size_t n = 1 + below(3, random); n > 0; --n) change(json, random);
    return json.dump(-1, ' ', false, Json::error_handler_t::replace);
}

/// A .glb with another JSON chunk of the right length.
std::optional<Bytes> mutateGlb(const Bytes& file, Random& random) {
    if (file.size() < 20 || std::memcmp(file.data(), "glTF", 4) != 0) return std::nullopt;
    std::uint32_t length = 0;
    std::memcpy(&length, file.data() + 12, 4);
    if (length > file.size() - 20) return std::nullopt;
    const auto json = parse(file, 20, length);
    if (!json) return std::nullopt;
    std::string text = changed(*json, random);
    text.resize((text.size() + 3) / 4 * 4, ' ');
    Bytes result(file.begin(), file.begin() + 20);
    const Bytes middle = toBytes(text);
    result.insert(result.end(), middle.begin(), middle.end());
    result.insert(result.end(), file.begin() + 20 + length, file.end());
    const auto size = static_cast<std::uint32_t>(text.size());
    const auto whole = static_cast<std::uint32_t>(result.size());
    std::memcpy(result.data() + 8, &whole, 4);
    std::memcpy(result.data() + 12, &size, 4);
    return result;
}

Bytes mutateBytes(Bytes file, Random& random) {
    if (file.empty()) return file;
    if (below(8, random) == 0) file.resize(below(file.size(), random));
    for (std::size_t n = 1 + below(8, random); n > 0 && !file.empty(); --n) {
        std::byte& byte = file[below(file.size(), random)];
        byte = below(2, random) == 0 ? static_cast<std::byte>(below(256, random))
                                     : byte ^ static_cast<std::byte>(1 << below(8, random));
    }
    return file;
}

}  // namespace

Bytes mutate(const Bytes& file, Random& random) {
    if (below(4, random) == 0) return mutateBytes(file, random);
    if (auto glb = mutateGlb(file, random)) return *glb;
    if (const auto json = parse(file, 0, file.size())) return toBytes(changed(*json, random));
    return mutateBytes(file, random);
}

}  // namespace flentro::fuzz
