// Counts what views of one scene cost on one target: built once, asked often, from any thread.
//
// Standing somewhere settles distances, and so culling, levels and shadow passes; turning the
// head only changes what meets the frustum. Both are kept apart, so that many headings of one
// eye, and the same views without some object or light, cost little more than one.

#pragma once

#include <cassert>
#include <cstdint>
#include <memory>
#include <span>
#include <vector>

#include "measure/texture_memory.h"
#include "measure/viewcost.h"
#include "measure/without.h"

namespace flentro {

/// What the views from one eye take in; view v is bit v of the masks.
struct EyeVisibility {
    static constexpr std::uint8_t kGone = 255;       ///< Beyond its culling distance.
    static constexpr std::uint8_t kNoShadow = 0x80;  ///< Beyond its shadow distance.
    static constexpr std::size_t kMaxViews = 16;

    std::size_t views = 0;
    Vec3d eye = Vec3d::Zero();
    /// [objects] kGone, or the level with kNoShadow where there is no shadow.
    std::vector<std::uint8_t> levels;
    std::vector<std::uint16_t> objects;  ///< [objects] Whose frustum meets the bounds.
    std::vector<std::uint16_t> lights;   ///< [placed lights] Whose frustum meets the range.

    [[nodiscard]] bool isThere(std::size_t object) const { return levels[object] != kGone; }
    /// Of an object that is there.
    [[nodiscard]] std::size_t levelOf(std::size_t object) const {
        assert(isThere(object));
        return levels[object] & std::uint8_t{0x7F};
    }
    [[nodiscard]] bool castsShadow(std::size_t object) const {
        return (levels[object] & kNoShadow) == 0;
    }
};

/// Scene and target must outlive it. All calls are reentrant.
class ViewMeter {
public:
    /// Cost: O(objects log objects + casters in reach of each shadow light).
    ViewMeter(const Scene& scene, const Target& target);
    ~ViewMeter();

    /// At most EyeVisibility::kMaxViews views, all from `eye`. Cost: O(objects), and O(views) for
    /// the objects around the edges of the views.
    [[nodiscard]] EyeVisibility sight(const Vec3d& eye, std::span<const Viewpoint> views) const;

    /// Other views from the eye of `here`: levels and what is culled stay. Cost: O(objects around
    /// the edges of the views).
    [[nodiscard]] EyeVisibility turned(const EyeVisibility& here,
                                       std::span<const Viewpoint> views) const;

    /// One tally for each view. Cost: O(objects + casters + drawn objects).
    [[nodiscard]] std::vector<ViewTally> count(const EyeVisibility& sightings,
                                               const Without& without = {}) const;

    [[nodiscard]] ViewCost cost(const Viewpoint& view, const Without& without = {}) const;

    /// As if everything were in view, at level 0, and nothing culled.
    [[nodiscard]] ViewCost wholeScene() const;

private:
    /// What is asked of every object for every spot, close together in memory.
    struct Placed {
        Vec3d centre;  ///< Of the bounds.
        Vec3d half;
        double gone;  ///< Metres; culled from here on.
        double shadowGone;
        double start;  ///< Metres; a stand-in is there only from here on ...
        int standIn;   ///< ... in place of those that name it; or -1.
        double scale;
        double bones;
        std::uint32_t firstRow;
        std::uint32_t firstDraw;  ///< Of its batch, in as many draws as its asset has levels.
        std::uint32_t asset;

        /// Metres to the nearest point of the bounds.
        [[nodiscard]] double distanceTo(const Vec3d& eye) const {
            return ((eye - centre).cwiseAbs() - half).cwiseMax(0.0).norm();
        }
    };
    struct Row {  ///< One level of one asset.
        double triangles = 0;
        double vertices = 0;
        double parts = 0;
        double allMaterials = 0;          ///< Also the standard one.
        double verticesOfPart = 0;        ///< Of the largest.
        std::uint32_t firstMaterial = 0;  ///< In rowMaterials_.
        std::uint32_t materials = 0;
    };
    struct Pass {  ///< One shadow light, seen from one eye.
        double triangles = 0;
        double vertices = 0;
        double calls = 0;
    };
    class Marks;
    struct OfView;
    class Sweep;
    struct Tree;

    void face(std::span<const Viewpoint> views, EyeVisibility& sightings) const;
    void makeRows();
    void makeMaterials();
    void placeObjects();
    void growTree();
    void findCasters();
    [[nodiscard]] bool isReplaced(const Placed& object, const Vec3d& eye) const;
    void capCrowds(EyeVisibility& sightings, const Without& without) const;
    [[nodiscard]] std::size_t plainLevel(std::uint32_t object, const Vec3d& eye) const;
    [[nodiscard]] std::vector<std::uint32_t> rowsOf(const EyeVisibility& sightings,
                                                    const Without& without) const;
    void addShadows(std::uint32_t light, const EyeVisibility& sightings,
                    const std::vector<std::uint32_t>& rowsHere, Marks& batched,
                    std::vector<ShadowDraw>& draws) const;
    [[nodiscard]] Pass shadowPass(std::size_t light, const EyeVisibility& sightings,
                                  const std::vector<std::uint32_t>& rowsHere, Marks& batched) const;
    [[nodiscard]] std::uint32_t drawOf(std::uint32_t object, std::uint32_t row) const;
    void addDrawn(std::uint32_t object, std::uint32_t row, const Without& without, ViewTally& tally,
                  OfView& met) const;
    [[nodiscard]] std::vector<ViewTally> countDrawn(const EyeVisibility& sightings,
                                                    const std::vector<std::uint32_t>& rowsHere,
                                                    const Without& without) const;
    [[nodiscard]] ViewCost detail(const EyeVisibility& all, const Vec3d* eye,
                                  const Without& without) const;

    const Scene& scene_;
    const Target& target_;
    const TextureMemory textures_;
    std::vector<Row> rows_;
    std::uint32_t draws_ = 0;              ///< Levels of all batches.
    std::vector<std::uint32_t> firstRow_;  ///< [assets]
    std::vector<std::uint32_t> rowMaterials_;
    std::vector<std::vector<std::uint32_t>> imagesOf_;  ///< [materials]
    std::vector<Placed> placed_;                        ///< [objects]
    std::vector<std::vector<std::uint32_t>> crowds_;    ///< Objects that fill the same caps.
    std::unique_ptr<const Tree> tree_;                  ///< Over objects with bounds.
    std::vector<std::vector<std::uint32_t>> casters_;   ///< [placed lights]
};

}  // namespace flentro
