// What a scene must hold to: a device class with its display and its limits.

#pragma once

#include <array>
#include <filesystem>
#include <limits>
#include <string>
#include <vector>

#include "base/index.h"
#include "base/json.h"
#include "base/value.h"
#include "geometry/frustum.h"

namespace flentro {

/// Everything that is counted against a limit, in the order of the load board.
enum class Measure {
    Triangles,           ///< Drawn in a view, shadow passes and eyes included.
    DrawCalls,           ///< Likewise.
    Objects,             ///< Drawn in a view.
    Lights,              ///< Whose range meets the view.
    ShadowLights,        ///< Those of them that cast shadows.
    TextureBytes,        ///< Of the distinct textures in use, in the target's storage.
    TextureEdge,         ///< Pixels, largest edge in use.
    MaterialsPerObject,  ///< Largest in use.
    VerticesPerMesh,     ///< Largest in use.
};

/// True for what is not added up over a view: its largest counts.
[[nodiscard]] constexpr bool isLargestInUse(Measure measure) {
    return measure == Measure::TextureEdge || measure == Measure::MaterialsPerObject ||
           measure == Measure::VerticesPerMesh;
}

inline constexpr std::size_t kMeasureCount = 9;
inline constexpr std::array<Measure, kMeasureCount> kMeasures = {
    Measure::Triangles,   Measure::DrawCalls,          Measure::Objects,
    Measure::Lights,      Measure::ShadowLights,       Measure::TextureBytes,
    Measure::TextureEdge, Measure::MaterialsPerObject, Measure::VerticesPerMesh};

/// The limit of a measure that has none.
inline constexpr double kNoLimit = std::numeric_limits<double>::infinity();

/// One number for each measure; bytes for TextureBytes.
using Counts = std::array<double, kMeasureCount>;

inline constexpr Counts kNoLimits = {kNoLimit, kNoLimit, kNoLimit, kNoLimit, kNoLimit,
                                     kNoLimit, kNoLimit, kNoLimit, kNoLimit};

[[nodiscard]] inline double& at(Counts& counts, Measure measure) {
    return elementOf(counts, measure);
}
[[nodiscard]] inline double at(const Counts& counts, Measure measure) {
    return elementOf(counts, measure);
}

[[nodiscard]] const char* measureName(Measure measure);  ///< "Draw calls"
[[nodiscard]] const char* measureKey(Measure measure);   ///< "drawCalls", as in the files
[[nodiscard]] const char* measureHelp(Measure measure);  ///< How it is computed, one sentence.
[[nodiscard]] std::string formatMeasure(Measure measure, double value);  ///< With its unit.

/// What a frame's time is made of, in the order of docs/methods.md. The frame takes as long as
/// the slower of the two sides.
enum class CostTerm {
    CpuFrame,       ///< CPU side: every frame.
    DrawCall,       ///< Each thousand, shadow passes included.
    Object,         ///< Each thousand drawn.
    Material,       ///< Each hundred changes of state.
    Bone,           ///< Each thousand joints.
    GpuFrame,       ///< GPU side: every frame.
    Vertex,         ///< Each million, shadow passes included.
    FilledPixel,    ///< Each million pixels times layers.
    TexturedPixel,  ///< Each million images looked up for pixels.
    BlendedPixel,   ///< Each million pixels times blended layers.
    LitPixel,       ///< Each million pixels times lights in view.
    ShadowPass,     ///< Each shadow light in view.
    Texture,        ///< Each GiB of textures in use.
};

inline constexpr std::size_t kCostTermCount = 13;
inline constexpr std::size_t kCpuTerms = 5;  ///< The first so many are of the CPU side.

/// One number for each term: milliseconds for a unit of it, or units in a view.
using CostTerms = std::array<double, kCostTermCount>;

[[nodiscard]] const char* costTermName(CostTerm term);  ///< "Draw calls, each thousand"
[[nodiscard]] const char* costTermKey(CostTerm term);   ///< "drawCall", as in the files

/// How fast a scene is loaded: for estimates of a fix's other side.
struct LoadingRates {
    double bytesPerSecond = 150e6;   ///< Read and handed over, > 0.
    double pixelsPerSecond = 50e6;   ///< Of pictures decoded, > 0.
    double objectsPerSecond = 20e3;  ///< Placed, > 0.
};

/// What an image is for: decides how a target stores it.
enum class TextureClass {
    Color,           ///< Opaque colour.
    ColorWithAlpha,  ///< Colour whose alpha is used.
    Normal,          ///< Directions in tangent space.
    Mask,            ///< One channel is used.
    PackedMasks,     ///< Several channels of numbers.
    Data,            ///< Anything else.
};
inline constexpr std::size_t kTextureClassCount = 6;

[[nodiscard]] const char* textureClassName(TextureClass use);  ///< "Colour with alpha"
[[nodiscard]] const char* textureClassKey(TextureClass use);   ///< "colorWithAlpha"

/// How the images of one class lie in memory.
struct TextureStorage {
    std::string format;        ///< "bc7", "astc-6x6", ...; a name for the reader; may be empty.
    double bytesPerTexel = 1;  ///< 4 plain, 1 or less block-compressed.
    bool operator==(const TextureStorage&) const = default;
};

/// Objects that a program draws together: one call for each part and level.
enum class Batching {
    Nothing,  ///< Each object by itself.
    Node,     ///< The copies of one node: what an exported file guarantees by its instances.
    Mesh,     ///< Equal meshes, whichever nodes they are on.
};
inline constexpr std::array kBatchings = {Batching::Nothing, Batching::Node, Batching::Mesh};

[[nodiscard]] const char* batchingKey(Batching batching);  ///< "node", as in the files
/// "copies on one node share their draw calls": what counts of calls are based on.
[[nodiscard]] const char* batchingHelp(Batching batching);

struct Target {
    FLENTRO_DECLARE_VALUE(Target);

    std::string name = "Untitled";
    std::string description;
    double frameRate = 60;  ///< Frames a second, > 0.
    int width = 1920;       ///< Pixels of one eye's picture.
    int height = 1080;
    double verticalFov = 60;  ///< Degrees, in [5, 170].
    int eyes = 1;             ///< 1 or 2.
    bool singlePass = true;   ///< Both eyes in one set of draw calls.
    Batching batching = Batching::Node;
    std::array<TextureStorage, kTextureClassCount> storage;  ///< By TextureClass.
    bool mipMaps = true;                                     ///< Adds a third to texture memory.
    double nearPlane = 0.1;                                  ///< Metres.
    double farPlane = 1000;                                  ///< Metres; nothing beyond is drawn.
    Counts limits = kNoLimits;                               ///< 0: none allowed.
    /// Milliseconds for a unit of each term; guesses until they are calibrated.
    CostTerms frameCost = {1, 2, 0.4, 0.2, 0.2, 1, 1.5, 0.2, 0.05, 0.08, 0.02, 0.15, 0.5};
    LoadingRates loading;     ///< Guesses.
    bool calibrated = false;  ///< frameCost was fitted to measured frame times.
    Json rest;                ///< Unknown members, kept.

    [[nodiscard]] double bytesPerTexel(TextureClass use) const {
        return elementOf(storage, use).bytesPerTexel;
    }
    [[nodiscard]] Projection projection() const {
        return {verticalFov, static_cast<double>(width) / height, nearPlane, farPlane};
    }
    /// Passes that issue draw calls in each view.
    [[nodiscard]] double passes() const { return singlePass ? 1 : eyes; }
    /// Milliseconds that one frame may take.
    [[nodiscard]] double frameTime() const { return 1000 / frameRate; }
};

/// Pixels that a length of one metre covers at a distance of one metre:
/// H / (2 tan(fov / 2)) (Luebke et al. 2003).
[[nodiscard]] double pixelsPerMetreAtOne(const Target& target);

/// The target with a picture of another aspect (width / height) that takes in all of its own and
/// more at two sides; a metre at one metre has as many pixels as before.
[[nodiscard]] Target widened(const Target& target, double aspect);

[[nodiscard]] inline bool isLimit(double limit) {
    return limit < kNoLimit;
}
/// Value / limit: 0 without a limit; infinity for anything at all where none is allowed.
[[nodiscard]] double loadOf(double value, double limit);
/// The same for all measures.
[[nodiscard]] Counts loads(const Counts& counts, const Target& target);

enum class State { Within, Near, Over };
[[nodiscard]] State stateOf(double load);  ///< Near from x0.85, over above x1.00.

/// The measure with the highest load.
[[nodiscard]] Measure worstMeasure(const Counts& loads);

/// Version 5; read as well: version 4, where a flag chose between Batching::Mesh and
/// Batching::Nothing, version 3, where besides all materials cost the same a pixel, version 2,
/// where besides all textures took as many bytes a texel, and version 1, where besides a limit of 0
/// stood for none. Errors: InvalidInput naming the member that is missing, of another type or out
/// of range.
[[nodiscard]] Expected<Target> parseTarget(const Json& json, const std::string& where);
[[nodiscard]] Json toJson(const Target& target);

/// The device classes that ship with the program, weakest first.
[[nodiscard]] const std::vector<Target>& shippedTargets();

/// A shipped target by its name (case ignored), or a *.target.json file.
[[nodiscard]] Expected<Target> findTarget(const std::string& nameOrFile);

}  // namespace flentro
