// How differently two pictures of one view look to the eye.

#pragma once

#include <vector>

#include "geometry/space.h"

namespace flentro {

/// Display (sRGB) values, 0 to 1, top row first. [height * width]
struct DisplayPicture {
    int width = 0;
    int height = 0;
    std::vector<Vec3f> pixels;
};

struct PictureError {
    /// Structural similarity of the luminance, mean over the picture; 1: equal (Wang et al. 2004,
    /// "Image quality assessment: from error visibility to structural similarity").
    double similarity = 1;
    /// Mean over the picture of the FLIP error, 0 to 1 (Andersson et al. 2020, "FLIP: a difference
    /// evaluator for alternating images").
    double flip = 0;
    double worstFlip = 0;               ///< Of the worst of 8 x 8 regions, its mean.
    int worstColumn = 0, worstRow = 0;  ///< Middle of that region, pixels.
    std::vector<float> map;             ///< [height * width] FLIP error of each pixel.
};

/// Both of the same size, at least 11 x 11. `pixelsPerDegree` of the eye that looks at them. Cost:
/// O(pixels) times the width of the filters, which grows with `pixelsPerDegree`.
[[nodiscard]] PictureError pictureError(const DisplayPicture& reference,
                                        const DisplayPicture& other, double pixelsPerDegree);

}  // namespace flentro
