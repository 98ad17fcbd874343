// A view of a whole scene drawn by rays: as a renderer of glTF would light it, near enough to tell
// what a change of textures, materials or lights does to it.

#pragma once

#include <memory>

#include "budget/target.h"
#include "picture/picture_error.h"
#include "picture/texels.h"
#include "survey/ray_scene.h"

namespace flentro {

/// Linear light, top row first. [height * width]
struct LightPicture {
    int width = 0;
    int height = 0;
    std::vector<Vec3f> pixels;

    /// Mean luminance of what gives any light, at least a little: what an eye adapts to. Before a
    /// black sky, small things would else be shown white whatever their colours are.
    [[nodiscard]] float adaptation() const;
};

/// As a display shows it to an eye that has adapted so (Reinhard et al. 2002).
[[nodiscard]] DisplayPicture toDisplay(const LightPicture& picture, float adaptation);

/// [height * width * 3]
[[nodiscard]] std::vector<std::uint8_t> toBytes(const DisplayPicture& picture);

/// Draws level 0 of what is not culled from the eye: base colours, alpha, normal maps, roughness,
/// metalness, occlusion, emission, point, spot and directional lights with their ranges, fades and
/// shadows. Scenes without lights are lit from the eye and, dimly, from
/// above. Scene and rays must outlive it. Reentrant.
class ScenePainter {
public:
    /// Textures of up to `textureEdge` pixels an edge. Cost: that of decoding them, when first
    /// looked at.
    ScenePainter(const Scene& scene, const RayScene& rays, int textureEdge = 2048);
    ~ScenePainter();

    /// `share` of the target's pixels along an edge, (0, 1]. The same for any number of threads.
    /// Cost: a ray a pixel, and one to each shadow light that matters there.
    [[nodiscard]] LightPicture paint(const Viewpoint& view, const Target& target,
                                     double share) const;

private:
    struct State;
    class Shader;
    std::unique_ptr<State> state_;
};

}  // namespace flentro
