// Images made smaller as what they hold asks for: colour in linear light, directions as directions.

#pragma once

#include <vector>

#include "budget/target.h"
#include "io/image.h"

namespace flentro {

struct ResampleOptions {
    TextureClass use = TextureClass::Color;
    double sharpness = 0.3;  ///< 0: smooth (Mitchell and Netravali 1988); 1: Catmull-Rom.
    /// Alpha from which a cut-out shows: as large a share of the image shows after as before
    /// (Castano 2010, "Computing alpha mipmaps"). 0: alpha is only averaged.
    double alphaCutoff = 0;
};

/// The image at `width` x `height`, each at most its own. It repeats at its edges. Colour is
/// averaged in linear light, weighed by alpha; normals are averaged as vectors and made unit
/// length; numbers as they are. Cost: O(pixels).
[[nodiscard]] Pixels resample(const Pixels& pixels, int width, int height,
                              const ResampleOptions& options);

/// [height * width] Lengths of the averages of the unit normals of a map, 0 to 1: what is missing
/// to 1 is detail that no longer shows in directions.
[[nodiscard]] std::vector<float> meanNormalLengths(const Pixels& normals, int width, int height);

/// The roughness that shows the same highlights where the averaged normals have this length
/// (Toksvig 2005, "Mipmapping normal maps"); glTF's, 0 to 1.
[[nodiscard]] double roughnessFor(double roughness, double normalLength);

/// Root mean square difference of two images of one size over the channels that count, 0 to 1 of
/// what a channel can hold; transparent colour counts by its alpha.
[[nodiscard]] double differenceOf(const Pixels& a, const Pixels& b, TextureClass use);

}  // namespace flentro
