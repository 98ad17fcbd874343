// The way back from a result to the scene as it was read.

#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "scene/scene.h"

namespace flentro {

/// Which objects of a scene show each object of the one that it was made from.
class OriginMap {
public:
    /// Cost: O(objects + origins).
    explicit OriginMap(const Scene& scene);

    /// None where all that showed it is gone.
    [[nodiscard]] std::span<const std::uint32_t> shownBy(std::size_t origin) const;

private:
    std::vector<std::uint32_t> first_;
    std::vector<std::uint32_t> objects_;
};

/// [objects] True for those that show nothing but marked origins.
[[nodiscard]] std::vector<bool> onlyFrom(const Scene& scene, const std::vector<bool>& origins);

/// The origin that a triangle of level 0 shows, counted over all parts; that of the object's
/// first where merged geometry was changed since.
[[nodiscard]] std::uint32_t originOf(const Scene& scene, std::size_t object, std::size_t triangle);

/// How an object relates to those of the source.
enum class Grouping : std::uint8_t {
    Single,  ///< As it was.
    Merged,  ///< Shows several of them.
    Piece,   ///< One of several that show one of them; far stand-ins do not count.
};
/// [objects] Cost: O(objects).
[[nodiscard]] std::vector<Grouping> groupingOf(const Scene& scene);

}  // namespace flentro
