#include "survey/look.h"

#include <Eigen/LU>
#include <algorithm>
#include <bit>
#include <cassert>
#include <cmath>

#include "base/index.h"

namespace flentro {
namespace {

constexpr int kBlock = 4;              ///< Rays along the edge of a packet's block.
constexpr int kTile = 16;              ///< Rays along the edge of a tile of blocks.
constexpr int kLayerFace = 12;         ///< Rays along an edge for counting layers.
constexpr std::size_t kLightStep = 4;  ///< Every fourth packet samples the lights.
constexpr double kSmallPixels = 250;   ///< Objects below this get rays of their own.
constexpr double kMinPixels = 0.5;     ///< Those below this are too small to be missed.
constexpr std::size_t kAimedRays = 4;

/// Forward, right and up of the cube's faces.
const std::array<std::array<Vec3d, 3>, 6> kFaces = {{
    {Vec3d(1, 0, 0), Vec3d(0, 0, 1), Vec3d(0, 1, 0)},
    {Vec3d(-1, 0, 0), Vec3d(0, 0, -1), Vec3d(0, 1, 0)},
    {Vec3d(0, 0, 1), Vec3d(-1, 0, 0), Vec3d(0, 1, 0)},
    {Vec3d(0, 0, -1), Vec3d(1, 0, 0), Vec3d(0, 1, 0)},
    {Vec3d(0, 1, 0), Vec3d(1, 0, 0), Vec3d(0, 0, 1)},
    {Vec3d(0, -1, 0), Vec3d(1, 0, 0), Vec3d(0, 0, -1)},
}};

/// Which directions a view takes in.
class ViewCone {
public:
    ViewCone(const Viewpoint& view, const Projection& projection)
        : turn_(viewMatrix(view).topLeftCorner<3, 3>()),
          up_(std::tan(toRadians(projection.verticalFov) / 2)),
          across_(up_ * projection.aspect) {}
    [[nodiscard]] bool holds(const Vec3d& direction) const {
        const Vec3d local = turn_ * direction;
        return local.z() < 0 && std::fabs(local.x()) <= -local.z() * across_ &&
               std::fabs(local.y()) <= -local.z() * up_;
    }

private:
    Eigen::Matrix3d turn_;
    double up_;
    double across_;
};

class PacketMaker {
public:
    PacketMaker(int size, const Target& target, std::span<const Viewpoint> views, bool onlyInViews)
        : size_(size), onlyInViews_(onlyInViews) {
        for (const Viewpoint& view : views) cones_.emplace_back(view, target.projection());
        const double perMetre = pixelsPerMetreAtOne(target);
        displayPixels_ = perMetre * perMetre;
    }

    void set(CubeRays::Packet& packet, int lane, int face, int column, int row) const {
        const double u = 2 * (column + 0.5) / size_ - 1;
        const double v = 2 * (row + 0.5) / size_ - 1;
        const auto& axes = elementOf(kFaces, face);
        const Vec3d direction = (axes[0] + u * axes[1] + v * axes[2]).normalized();
        packet.rays.x[lane] = static_cast<float>(direction.x());
        packet.rays.y[lane] = static_cast<float>(direction.y());
        packet.rays.z[lane] = static_cast<float>(direction.z());
        const double solidAngle = 4.0 / (size_ * size_) * std::pow(1 + u * u + v * v, -1.5);
        const auto i = static_cast<std::size_t>(lane);
        packet.pixels[i] = static_cast<float>(solidAngle * displayPixels_);
        packet.views[i] = 0;
        for (std::size_t c = 0; c < cones_.size(); ++c)
            if (cones_[c].holds(direction)) packet.views[i] |= static_cast<std::uint16_t>(1U << c);
        packet.rays.valid[lane] = onlyInViews_ && packet.views[i] == 0 ? 0 : -1;
    }

private:
    int size_;
    bool onlyInViews_;
    double displayPixels_;
    std::vector<ViewCone> cones_;
};

bool isEmpty(const CubeRays::Packet& packet) {
    return std::all_of(std::begin(packet.rays.valid), std::end(packet.rays.valid),
                       [](int valid) { return valid == 0; });
}

std::uint64_t cellKey(long x, long y, long z) {
    const auto part = [](long v) { return static_cast<std::uint64_t>(v) & 0x1FFFFFU; };
    return part(x) << 42U | part(y) << 21U | part(z);
}

}  // namespace

// The exponent and the first two bits of the mantissa of a float are its quarter octave, near
// enough; bounds are those of equal mantissa steps.
std::size_t distanceBin(float metres) {
    constexpr int kFirst = (127 - 4) * 4;
    const int quarter =
        static_cast<int>(std::bit_cast<std::uint32_t>(std::max(metres, 0.0F)) >> 21U);
    return static_cast<std::size_t>(
        std::clamp(quarter - kFirst, 0, static_cast<int>(kDistanceBins) - 1));
}

double distanceOfBin(std::size_t bin) {
    return std::ldexp(1 + 0.25 * static_cast<double>(bin % 4), static_cast<int>(bin / 4) - 4);
}

// --- rays ---------------------------------------------------------------------------------

CubeRays::CubeRays(int faceSize, const Target& target, std::span<const Viewpoint> views,
                   bool onlyInViews)
    : faceSize_(faceSize) {
    const PacketMaker maker(faceSize, target, views, onlyInViews);
    for (int face = 0; face < 6; ++face)
        for (int tile = 0; tile < (faceSize / kTile) * (faceSize / kTile); ++tile)
            for (int block = 0; block < kTile; ++block) {
                Packet packet;
                const int column = tile % (faceSize / kTile) * kTile + block % kBlock * kBlock;
                const int row = tile / (faceSize / kTile) * kTile + block / kBlock * kBlock;
                for (int lane = 0; lane < RayPacket::kLanes; ++lane)
                    maker.set(packet, lane, face, column + lane % kBlock, row + lane / kBlock);
                packet.depth =
                    static_cast<std::uint32_t>((face * faceSize + row) * faceSize + column);
                if (!isEmpty(packet)) packets_.push_back(packet);
            }
    const PacketMaker sparse(kLayerFace, target, views, onlyInViews);
    for (int face = 0; face < 6; ++face)
        for (int i = 0; i < kLayerFace * kLayerFace; i += RayPacket::kLanes) {
            Packet packet;
            for (int lane = 0; lane < RayPacket::kLanes; ++lane)
                sparse.set(packet, lane, face, (i + lane) % kLayerFace, (i + lane) / kLayerFace);
            if (!isEmpty(packet)) layers_.push_back(packet);
        }
}

std::size_t CubeRays::pictureIndex(const Vec3d& direction) const {
    Eigen::Index axis = 0;
    direction.cwiseAbs().maxCoeff(&axis);
    static constexpr int kFaceOfAxis[3][2] = {{0, 1}, {4, 5}, {2, 3}};
    const int face = kFaceOfAxis[axis][direction[axis] < 0 ? 1 : 0];
    const auto& axes = elementOf(kFaces, face);
    const double depth = direction.dot(axes[0]);
    const auto cell = [&](const Vec3d& along) {
        const double c = (direction.dot(along) / depth + 1) / 2 * faceSize_;
        return std::clamp(static_cast<int>(c), 0, faceSize_ - 1);
    };
    const int index = (face * faceSize_ + cell(axes[2])) * faceSize_ + cell(axes[1]);
    return static_cast<std::size_t>(index);
}

// --- lights -------------------------------------------------------------------------------

LightCells::LightCells(const Scene& scene) {
    double widest = 1;
    for (const PlacedLight& light : scene.placedLights)
        if (std::isfinite(light.range)) widest = std::max(widest, light.range);
    size_ = widest;
    for (std::size_t i = 0; i < scene.placedLights.size(); ++i) {
        const PlacedLight& light = scene.placedLights[i];
        if (!std::isfinite(light.range)) continue;  // reaches every pixel: nothing to count
        const auto cell = [&](double c, double by) {
            return static_cast<long>(std::floor((c + by) / size_));
        };
        const Vec3d& p = light.position;
        const double r = light.range;
        for (long x = cell(p.x(), -r); x <= cell(p.x(), r); ++x)
            for (long y = cell(p.y(), -r); y <= cell(p.y(), r); ++y)
                for (long z = cell(p.z(), -r); z <= cell(p.z(), r); ++z)
                    cells_[cellKey(x, y, z)].push_back(static_cast<std::uint32_t>(i));
    }
}

std::span<const std::uint32_t> LightCells::near(const Vec3d& point) const {
    const auto cell = [&](double c) { return static_cast<long>(std::floor(c / size_)); };
    const auto found = cells_.find(cellKey(cell(point.x()), cell(point.y()), cell(point.z())));
    if (found == cells_.end()) return {};
    return found->second;
}

// --- tally --------------------------------------------------------------------------------

SeenTally::SeenTally(const Scene& scene, const RayScene& rays)
    : objects(scene.objects.size()),
      trianglePixels(rays.triangleCount(), 0.0F),
      texCoordPerPixel(rays.mappings().size(), std::numeric_limits<float>::infinity()),
      lightPixels(scene.placedLights.size(), 0.0F),
      lightSpots(scene.placedLights.size(), 0) {}

void SeenTally::merge(const SeenTally& other) {
    assert(objects.size() == other.objects.size());
    assert(trianglePixels.size() == other.trianglePixels.size());
    for (std::size_t i = 0; i < objects.size(); ++i) {
        objects[i].mostPixels = std::max(objects[i].mostPixels, other.objects[i].mostPixels);
        objects[i].nearest = std::min(objects[i].nearest, other.objects[i].nearest);
        objects[i].spots += other.objects[i].spots;
    }
    for (std::size_t i = 0; i < trianglePixels.size(); ++i)
        trianglePixels[i] = std::max(trianglePixels[i], other.trianglePixels[i]);
    for (std::size_t i = 0; i < texCoordPerPixel.size(); ++i)
        texCoordPerPixel[i] = std::min(texCoordPerPixel[i], other.texCoordPerPixel[i]);
    for (std::size_t i = 0; i < lightPixels.size(); ++i) {
        lightPixels[i] = std::max(lightPixels[i], other.lightPixels[i]);
        lightSpots[i] += other.lightSpots[i];
    }
}

// --- looking ------------------------------------------------------------------------------

/// Hands the hits of the cube's rays to the sampler.
class VisibilitySampler::Collector final : public RaySink {
public:
    Collector(VisibilitySampler& sampler, SeenTally& tally, SpotSeen& seen)
        : sampler_(sampler), tally_(tally), seen_(seen) {}
    void start(const CubeRays::Packet& packet) {
        packet_ = &packet;
        sample_ = {};
    }
    void meet(int lane, const RayHit& hit, bool opaque) override {
        const auto i = static_cast<std::size_t>(lane);
        if (hit.triangle != run_.triangle || hit.object != run_.object) {
            flush();
            run_ = hit;
        }
        run_.distance = std::min(run_.distance, hit.distance);
        runPixels_ += packet_->pixels[i];
        runViews_ |= packet_->views[i];
        if (!opaque) return;
        sampler_.depth_[packet_->depth +
                        static_cast<std::size_t>(lane / kBlock * sampler_.cube_.faceSize() +
                                                 lane % kBlock)] = hit.distance;
        seen_.pixels += packet_->pixels[i];
        seen_.pixelsByDistance[distanceBin(hit.distance)] += packet_->pixels[i];
        if (lane == kSampleLane) sample_ = hit;
    }
    /// Hands on what is still held back: rays that met one triangle go together.
    void flush() {
        if (run_.met()) sampler_.collect(run_, runPixels_, runViews_, tally_);
        run_ = {};
        runPixels_ = 0;
        runViews_ = 0;
    }
    static constexpr int kSampleLane = 5;
    [[nodiscard]] const RayHit& sample() const { return sample_; }

private:
    VisibilitySampler& sampler_;
    SeenTally& tally_;
    SpotSeen& seen_;
    const CubeRays::Packet* packet_ = nullptr;
    RayHit sample_;
    RayHit run_;  ///< The nearest of a run.
    float runPixels_ = 0;
    std::uint16_t runViews_ = 0;
};

/// Keeps the hits of one object.
class VisibilitySampler::Finder final : public RaySink {
public:
    explicit Finder(std::uint32_t object) : object_(object) {}
    void meet(int, const RayHit& hit, bool) override {
        if (hit.object == object_) found.push_back(hit);
    }
    std::vector<RayHit> found;

private:
    std::uint32_t object_;
};

/// Counts every surface along the rays.
class VisibilitySampler::LayerCounter final : public RaySink {
public:
    explicit LayerCounter(const VisibilitySampler& sampler) : sampler_(sampler) {
        met.fill({0, 0, 0, 0});
    }
    void meet(int lane, const RayHit& hit, bool) override {
        const auto i = static_cast<std::size_t>(lane);
        const RayScene::PartRow& part = sampler_.parts_[hit.part];
        const PixelWork& work = sampler_.works_[hit.part];
        PixelWork& sum = met[i];
        sum.lit = (sum.lit * sum.layers + work.lit) / (sum.layers + 1);
        sum.layers += 1;
        sum.textures += work.textures;
        sum.blended += work.blended;
        if (!part.twoSided && part.alpha == AlphaMode::Opaque) plain[i] += 1;
    }
    [[nodiscard]] bool passesAll() const override { return true; }

    std::array<PixelWork, RayPacket::kLanes> met;
    std::array<float, RayPacket::kLanes> plain{};

private:
    const VisibilitySampler& sampler_;
};

VisibilitySampler::VisibilitySampler(const Scene& scene, const RayScene& rays, const CubeRays& cube,
                                     const Target& target, const LightCells& lights)
    : scene_(scene),
      rays_(rays),
      cube_(cube),
      target_(target),
      lights_(lights),
      parts_(rays.parts()),
      texelScale_(static_cast<float>(1 / pixelsPerMetreAtOne(target))),
      here_(scene.objects.size()),
      trianglesHere_(rays.triangleCount(), 0.0F),
      lightsHere_(scene.placedLights.size(), 0.0F),
      depth_(std::size_t{6} * static_cast<std::size_t>(cube.faceSize() * cube.faceSize())) {
    for (const RayScene::PartRow& part : parts_) works_.push_back(workOf(scene, part.material));
}

void VisibilitySampler::collect(const RayHit& hit, float pixels, std::uint16_t views,
                                SeenTally& tally) {
    SeenObject& object = here_[hit.object];
    if (object.pixels == 0) {
        object = {hit.object, 0, hit.distance, 0};
        touched_.push_back(hit.object);
    }
    object.pixels += pixels;
    object.distance = std::min(object.distance, hit.distance);
    object.views |= views;
    float& triangle = trianglesHere_[hit.triangle];
    if (triangle == 0) trianglesTouched_.push_back(hit.triangle);
    triangle += pixels;
    const RayScene::PartRow& row = parts_[hit.part];
    for (std::uint32_t m = 0; m < row.mappings; ++m) {
        const float density = rays_.texCoordDensity(hit, m);
        if (density == 0) continue;
        float& least = tally.texCoordPerPixel[row.firstMapping + m];
        least = std::min(least, density * hit.distance * texelScale_);
    }
}

void VisibilitySampler::addLights(const Vec3d& point, float pixels) {
    for (const std::uint32_t index : lights_.near(point)) {
        const PlacedLight& light = scene_.placedLights[index];
        if ((light.position - point).squaredNorm() < light.range * light.range)
            lightsHere_[index] += pixels;
    }
}

/// True if the rays at its middle and corners all end well before it: not worth aiming at.
bool VisibilitySampler::isHidden(const Vec3d& eye, const Box& bounds) const {
    const double near = bounds.exteriorDistance(eye);
    const auto endsBefore = [&](const Vec3d& point) {
        return static_cast<double>(depth_[cube_.pictureIndex(point - eye)]) < near;
    };
    if (!endsBefore(bounds.center())) return false;
    for (int i = 0; i < 8; ++i)
        if (!endsBefore(bounds.corner(static_cast<Box::CornerType>(i)))) return false;
    return true;
}

/// Objects of few pixels slip between the rays: rays at their own surface find them.
void VisibilitySampler::targetSmallObjects(const Vec3d& eye, const EyeVisibility& sightings,
                                           SeenTally& tally) {
    const double perMetre = pixelsPerMetreAtOne(target_);
    const std::span<const std::uint32_t> first = rays_.firstTriangles();
    for (std::uint32_t i = 0; i < sightings.objects.size(); ++i) {
        if (sightings.objects[i] == 0 || here_[i].pixels > 0) continue;
        const Box& bounds = scene_.objects[i].bounds;
        const double distance = std::max(1e-3, (bounds.center() - eye).norm());
        const double radius = 0.5 * bounds.diagonal().norm() * perMetre / distance;
        const double area = kPi * radius * radius;
        const auto asset = static_cast<std::size_t>(scene_.objects[i].asset);
        const std::uint32_t triangles = first[asset + 1] - first[asset];
        if (area > kSmallPixels || area < kMinPixels || triangles == 0) continue;
        if (isHidden(eye, bounds)) continue;
        RayPacket packet{};
        for (std::size_t k = 0; k < kAimedRays; ++k) {
            const auto chosen =
                static_cast<std::uint32_t>(triangles * (2 * k + 1) / (2 * kAimedRays));
            const auto corners = rays_.corners(i, first[asset] + chosen);
            const Vec3d at = ((corners[0] + corners[1] + corners[2]) / 3 - eye).normalized();
            packet.x[k] = static_cast<float>(at.x());
            packet.y[k] = static_cast<float>(at.y());
            packet.z[k] = static_cast<float>(at.z());
            packet.valid[k] = -1;
        }
        Finder finder(i);
        rays_.trace(eye, packet, static_cast<float>(target_.farPlane), sightings, finder);
        for (const RayHit& hit : finder.found)
            collect(hit, static_cast<float>(area / kAimedRays), sightings.objects[i], tally);
    }
}

void VisibilitySampler::countLayers(const Vec3d& eye, const EyeVisibility& sightings,
                                    SpotSeen& seen) const {
    PixelWorkSum all;
    double weights = 0;
    double plain = 0;
    std::array<PixelWorkSum, EyeVisibility::kMaxViews> inView;
    for (const CubeRays::Packet& packet : cube_.layerPackets()) {
        LayerCounter counter(*this);
        rays_.trace(eye, packet.rays, static_cast<float>(target_.farPlane), sightings, counter);
        for (std::size_t i = 0; i < RayPacket::kLanes; ++i) {
            if (packet.rays.valid[i] == 0) continue;
            const auto weight = static_cast<double>(packet.pixels[i]);
            weights += weight;
            plain += weight * static_cast<double>(counter.plain[i]);
            all.add(counter.met[i], weight);
            seen.layersWorst = std::max(seen.layersWorst, counter.met[i].layers);
            for (std::uint32_t views = packet.views[i]; views != 0; views &= views - 1)
                inView[static_cast<std::size_t>(std::countr_zero(views))].add(counter.met[i],
                                                                              weight);
        }
    }
    if (weights <= 0) return;
    seen.plainLayersMean = static_cast<float>(plain / weights);
    seen.work = all.mean();
    for (std::size_t v = 0; v < inView.size(); ++v)
        seen.workInView[v] = inView[v].empty() ? seen.work : inView[v].mean();
}

void VisibilitySampler::finish(SeenTally& tally, SpotSeen& seen) {
    std::sort(touched_.begin(), touched_.end());
    for (const std::uint32_t index : touched_) {
        SeenObject& object = here_[index];
        seen.objects.push_back(object);
        tally.objects[index].add(object);
        object = {};
    }
    for (const std::uint32_t index : trianglesTouched_) {
        tally.trianglePixels[index] = std::max(tally.trianglePixels[index], trianglesHere_[index]);
        trianglesHere_[index] = 0;
    }
    for (std::size_t i = 0; i < lightsHere_.size(); ++i) {
        tally.lightPixels[i] = std::max(tally.lightPixels[i], lightsHere_[i]);
        if (lightsHere_[i] > 0) ++tally.lightSpots[i];
        lightsHere_[i] = 0;
    }
    touched_.clear();
    trianglesTouched_.clear();
}

SpotSeen VisibilitySampler::look(const Vec3d& eye, const EyeVisibility& sightings,
                                 SeenTally& tally) {
    SpotSeen seen;
    Collector collector(*this, tally, seen);
    std::fill(depth_.begin(), depth_.end(), std::numeric_limits<float>::infinity());
    std::size_t count = 0;
    for (const CubeRays::Packet& packet : cube_.packets()) {
        collector.start(packet);
        rays_.trace(eye, packet.rays, static_cast<float>(target_.farPlane), sightings, collector);
        if (++count % kLightStep != 0 || !collector.sample().met()) continue;
        constexpr int lane = Collector::kSampleLane;
        const Vec3d direction(packet.rays.x[lane], packet.rays.y[lane], packet.rays.z[lane]);
        constexpr float kStandsFor = RayPacket::kLanes * kLightStep;
        addLights(eye + static_cast<double>(collector.sample().distance) * direction,
                  packet.pixels[lane] * kStandsFor);
    }
    collector.flush();
    targetSmallObjects(eye, sightings, tally);
    countLayers(eye, sightings, seen);
    finish(tally, seen);
    return seen;
}

}  // namespace flentro
