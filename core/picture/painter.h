// One mesh drawn by rays, at the size and from the distance at which it is to be judged.

#pragma once

#include <memory>
#include <vector>

#include "base/index.h"
#include "picture/texels.h"

namespace flentro {

/// A pinhole that looks at a point.
struct Aim {
    Vec3d eye = Vec3d::Zero();
    Vec3d at = Vec3d::Zero();
    double pixel = 1e-3;  ///< Edge of a pixel at a distance of one metre, metres.
    int width = 0;        ///< Pixels.
    int height = 0;
};

/// From `side` (a unit vector from the box to the eye) at `distance` metres before the box, with
/// all of it in the picture, `pixelsPerMetreAtOne` as on a target's display. Pixels are made
/// larger rather than let an edge exceed `maxEdge`.
[[nodiscard]] Aim aimAt(const Box& box, const Vec3d& side, double distance,
                        double pixelsPerMetreAtOne, int maxEdge = 512);

struct Picture {
    int width = 0;
    int height = 0;
    /// [height * width], top row first: colour times coverage, and coverage, each 0 to 1.
    std::vector<Vec4f> pixels;

    [[nodiscard]] const Vec4f& at(int column, int row) const {
        return elementOf(pixels, row * width + column);
    }
};

/// [height * width * 4] with straight alpha, as files and widgets take it.
[[nodiscard]] std::vector<std::uint8_t> toBytes(const Picture& picture);

/// Sixteen rays a pixel; textures through their mip maps; transparent surfaces in order.
/// Reentrant once built.
class MeshPainter {
public:
    enum class Channel {
        Shaded,     ///< Base colour in one soft light from the upper left.
        BaseColor,  ///< Display (sRGB) values.
    };

    /// Textures of up to this many pixels an edge; finer detail does not show in a still.
    static constexpr int kTextureEdge = 512;

    /// Cost: O(T log T) and the decoding of the base colour textures.
    MeshPainter(const Scene& scene, const MeshPtr& mesh);
    /// With textures of that scene that others use as well.
    MeshPainter(const Scene& scene, const MeshPtr& mesh,
                std::shared_ptr<const TextureCache> textures);
    ~MeshPainter();
    MeshPainter(MeshPainter&&) noexcept;

    /// Cost: 16 rays a pixel.
    [[nodiscard]] Picture paint(const Aim& aim, Channel channel = Channel::Shaded) const;

private:
    struct State;
    class Brush;
    std::unique_ptr<State> state_;
};

}  // namespace flentro
