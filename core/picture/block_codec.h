// Block-compressed images: encoded by libraries, decoded again to know what was lost.

#pragma once

#include "budget/target.h"
#include "io/image.h"
#include "io/ktx2.h"

namespace flentro {

/// Blocks of an image; pixels beyond its edges repeat the last ones. What of the image counts
/// follows from `use`: BC4 stores red, BC5 red and green, BC1 no alpha. Errors: Unsupported where
/// the encoder refuses. Cost: O(pixels), for ASTC about a hundred times that of BC.
[[nodiscard]] Expected<Bytes> encodeBlocks(const Pixels& pixels, BlockFormat format,
                                           TextureClass use);

/// What a graphics processor would read. Needs as many blocks as the size asks for.
[[nodiscard]] Expected<Pixels> decodeBlocks(std::span<const std::byte> blocks, int width,
                                            int height, BlockFormat format, TextureClass use);

/// Loss of an image by its storage: for colours and numbers the peak signal-to-noise ratio in
/// decibels over the channels that count (infinity: none), for normals the mean angle in degrees.
struct StorageLoss {
    double decibels = 0;
    double degrees = 0;
};
[[nodiscard]] StorageLoss lossOf(const Pixels& before, const Pixels& after, TextureClass use);

}  // namespace flentro
