// What any level of one asset looks like from any distance, beside the original.

#pragma once

#include "budget/target.h"
#include "picture/difference.h"
#include "simplify/deviation.h"
#include "simplify/reducer.h"

namespace flentro {

/// Not for use by two threads at once; keeps both scenes alive.
class LevelPreview {
public:
    /// `before` and `after` a ladder was made, with the asset at the same index.
    LevelPreview(std::shared_ptr<const Scene> before, std::shared_ptr<const Scene> after,
                 std::size_t asset, const Target& target);

    struct Wanted {
        double distance = 10;  ///< Metres before the bounds, at scale 1.
        /// A level of the ladder, 0 the finest; nothing: any count of the original's triangles.
        std::optional<std::size_t> level = 0;
        std::size_t triangles = 0;
        int maxEdge = 190;      ///< Pixels of a picture.
        bool allSides = false;  ///< Differences from all sides, not only from the front.
    };
    struct Shown {
        Picture original;
        Picture level;
        std::size_t triangles = 0;
        double deviation = 0;  ///< Metres from the original, sampled.
        double pixels = 0;     ///< The same on the display from that distance.
        PictureDifference difference;
        double shrunk = 1;  ///< Pixels of the display for one of the pictures; 1: true size.
    };
    /// Cost: 32 rays a pixel; once for each level its analysis, for counts that of the original.
    [[nodiscard]] Shown show(const Wanted& wanted);

    [[nodiscard]] const Asset& asset() const { return after_->assets[index_]; }

private:
    struct Known {
        MeshPtr mesh;
        std::unique_ptr<const MeshPainter> painter;
        double deviation = 0;
    };
    [[nodiscard]] const Mesh& original() const { return *before_->assets[index_].mesh; }
    [[nodiscard]] const Known& level(std::size_t level);
    [[nodiscard]] const Known& count(std::size_t triangles);
    [[nodiscard]] Known makeKnown(const Scene& scene, MeshPtr mesh) const;

    std::shared_ptr<const Scene> before_, after_;
    std::size_t index_;
    Target target_;
    std::shared_ptr<const TextureCache> texturesBefore_, texturesAfter_;
    Surface surface_;
    MeshPainter painter_;  ///< Of the original.
    std::vector<Known> levels_;
    std::unique_ptr<Reducer> reducer_;
    Known anyCount_;
};

}  // namespace flentro
