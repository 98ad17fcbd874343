// What-if: things taken out of a scene without changing it.

#pragma once

#include <set>
#include <vector>

#include "scene/scene.h"

namespace flentro {

/// Empty members take out nothing.
struct Without {
    std::vector<bool> objects;  ///< [objects]
    std::vector<bool> lights;   ///< [placed lights]
    std::set<Hash> images;      ///< As Image::source() tells: smaller copies are out with them.

    [[nodiscard]] bool object(std::size_t i) const { return !objects.empty() && objects[i]; }
    [[nodiscard]] bool light(std::size_t i) const { return !lights.empty() && lights[i]; }
    [[nodiscard]] bool image(const Image& i) const { return images.contains(i.source()); }
    [[nodiscard]] bool empty() const { return objects.empty() && lights.empty() && images.empty(); }
    /// Things that are out.
    [[nodiscard]] std::size_t count() const;
};

/// The same in a result of the scene that `origins` is about: what shows nothing else is out.
/// Pages made of several images stay.
[[nodiscard]] Without without(const Scene& result, const Without& origins);

/// Takes out things of a result, told as what they show of its source.
class TakeOut {
public:
    /// `origins`: what is out already. Both scenes must outlive it.
    TakeOut(const Scene& source, const Scene& result, Without origins);

    void object(std::size_t index);
    void asset(std::size_t index);  ///< All objects of it.
    void light(std::size_t index);
    void image(std::size_t index);

    [[nodiscard]] const Without& origins() const { return origins_; }

private:
    const Scene& source_;
    const Scene& result_;
    Without origins_;
};

}  // namespace flentro
