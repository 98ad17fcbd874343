// What is really seen from one spot: rays over a cube of six faces around the eye.

#pragma once

#include <algorithm>
#include <array>
#include <unordered_map>

#include "measure/pixel_work.h"
#include "measure/view_meter.h"
#include "survey/ray_scene.h"

namespace flentro {

/// Distances in quarters of an octave: bin b begins at 2^(b / 4 - 4) metres.
inline constexpr std::size_t kDistanceBins = 64;
[[nodiscard]] std::size_t distanceBin(float metres);
[[nodiscard]] double distanceOfBin(std::size_t bin);  ///< Where it begins, metres.

/// One object as one spot sees it.
struct SeenObject {
    std::uint32_t object = 0;
    float pixels = 0;         ///< On the target's display, all directions together.
    float distance = 0;       ///< Metres to the nearest ray that met it.
    std::uint16_t views = 0;  ///< In which of the spot's views.
};

struct SpotSeen {
    std::vector<SeenObject> objects;  ///< In object order; the others are not seen.
    float pixels = 0;                 ///< Of everything seen.
    std::array<float, kDistanceBins> pixelsByDistance{};
    float layersWorst = 0;       ///< Surfaces that any pixel is filled with, most.
    float plainLayersMean = 0;   ///< Without two-sided and transparent surfaces.
    PixelWork work{0, 0, 0, 0};  ///< All around.
    std::array<PixelWork, EyeVisibility::kMaxViews> workInView{};
};

/// What all spots together have seen. Merging is independent of the order.
struct SeenTally {
    struct Object {
        float mostPixels = 0;
        float nearest = std::numeric_limits<float>::infinity();  ///< Metres.
        std::uint32_t spots = 0;                                 ///< That saw it.

        void add(const SeenObject& seen) {
            mostPixels = std::max(mostPixels, seen.pixels);
            nearest = std::min(nearest, seen.distance);
            ++spots;
        }
    };
    std::vector<Object> objects;          ///< [objects]
    std::vector<float> trianglePixels;    ///< [unique triangles] Most pixels; 0: not met.
    std::vector<float> texCoordPerPixel;  ///< [texture mappings] Least; infinity: not met.
    std::vector<float> lightPixels;       ///< [placed lights] Most seen pixels within its range.
    std::vector<std::uint32_t> lightSpots;

    SeenTally() = default;
    SeenTally(const Scene& scene, const RayScene& rays);
    void merge(const SeenTally& other);
};

/// The rays of all spots: directions, the pixels that each stands for, the views it lies in.
class CubeRays {
public:
    /// `faceSize`: rays along an edge, a multiple of 16. With `onlyInViews` the rays outside
    /// every view are left out.
    CubeRays(int faceSize, const Target& target, std::span<const Viewpoint> views,
             bool onlyInViews);

    struct Packet {
        RayPacket rays;
        std::array<float, RayPacket::kLanes> pixels;
        std::array<std::uint16_t, RayPacket::kLanes> views;
        std::uint32_t depth;  ///< Where its first lane stands in a picture of all faces.
    };
    /// Index in a picture [6][faceSize][faceSize] of the ray nearest to a direction.
    [[nodiscard]] std::size_t pictureIndex(const Vec3d& direction) const;
    [[nodiscard]] int faceSize() const { return faceSize_; }
    [[nodiscard]] std::span<const Packet> packets() const { return packets_; }
    /// A sparse set in the same directions, for counting layers.
    [[nodiscard]] std::span<const Packet> layerPackets() const { return layers_; }

private:
    int faceSize_;
    std::vector<Packet> packets_;
    std::vector<Packet> layers_;
};

/// Lights by the cells that their ranges touch.
class LightCells {
public:
    explicit LightCells(const Scene& scene);
    [[nodiscard]] std::span<const std::uint32_t> near(const Vec3d& point) const;

private:
    double size_ = 1;
    std::unordered_map<std::uint64_t, std::vector<std::uint32_t>> cells_;
};

/// Looks from spots, one at a time; one for each thread. Everything given must outlive it.
class VisibilitySampler {
public:
    VisibilitySampler(const Scene& scene, const RayScene& rays, const CubeRays& cube,
                      const Target& target, const LightCells& lights);

    /// `sightings` tells what is culled and which objects the views take in. Adds to `tally`.
    /// Cost: 6 faceSize^2 rays and a few for each small object in view that none of them met.
    [[nodiscard]] SpotSeen look(const Vec3d& eye, const EyeVisibility& sightings, SeenTally& tally);

private:
    class Collector;
    class Finder;
    class LayerCounter;
    void collect(const RayHit& hit, float pixels, std::uint16_t views, SeenTally& tally);
    void addLights(const Vec3d& point, float pixels);
    [[nodiscard]] bool isHidden(const Vec3d& eye, const Box& bounds) const;
    void targetSmallObjects(const Vec3d& eye, const EyeVisibility& sightings, SeenTally& tally);
    void countLayers(const Vec3d& eye, const EyeVisibility& sightings, SpotSeen& seen) const;
    void finish(SeenTally& tally, SpotSeen& seen);

    const Scene& scene_;
    const RayScene& rays_;
    const CubeRays& cube_;
    const Target& target_;
    const LightCells& lights_;
    std::span<const RayScene::PartRow> parts_;
    std::vector<PixelWork> works_;        ///< [parts_]
    float texelScale_;                    ///< Metres a pixel at a distance of one metre.
    std::vector<SeenObject> here_;        ///< [objects] Of the present spot.
    std::vector<std::uint32_t> touched_;  ///< Objects met from it.
    std::vector<float> trianglesHere_;    ///< [unique triangles] Pixels.
    std::vector<std::uint32_t> trianglesTouched_;
    std::vector<float> lightsHere_;
    std::vector<float> depth_;  ///< [6][faceSize][faceSize] Metres to the first opaque surface.
};

}  // namespace flentro
