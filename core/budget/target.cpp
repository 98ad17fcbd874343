#include "budget/target.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "base/text.h"
#include "budget/shipped_targets.h"
#include "io/file.h"

namespace flentro {
namespace {

constexpr const char* kFormat = "flentro-target";
constexpr int kVersion = 5;
constexpr double kNearFrom = 0.85;
constexpr double kMebibyte = 1024.0 * 1024.0;

struct MeasureWords {
    const char* name;
    const char* key;
    const char* help;
};

constexpr std::array<MeasureWords, kMeasureCount> kWords = {{
    {"Triangles", "triangles",
     "Triangles of all drawn objects at their present level, plus shadow passes, times the eyes."},
    {"Draw calls", "drawCalls",
     "One per material of each drawn object; objects that the target batches count once at each "
     "level; plus shadow passes."},
    {"Visible objects", "visibleObjects",
     "Objects whose bounds meet the view and that are nearer than their culling distance."},
    {"Lights", "lights", "Lights whose range meets the view."},
    {"Shadow lights", "shadowLights", "Lights in view that cast shadows."},
    {"Texture memory", "textureMemory",
     "Distinct textures of the drawn objects, with mip maps, in the target's storage."},
    {"Largest texture", "largestTextureEdge", "Longest edge of any texture in view, in pixels."},
    {"Materials per object", "materialsPerObject", "Most materials on one drawn object."},
    {"Vertices per part", "verticesPerMesh",
     "Most vertices of one part of a drawn mesh: indices count within a part."},
}};

struct BatchingWords {
    const char* key;
    const char* help;
};

constexpr std::array<BatchingWords, kBatchings.size()> kBatchingWords = {{
    {"nothing", "every object takes draw calls of its own"},
    {"node", "copies on one node share their draw calls"},
    {"mesh", "equal meshes share their draw calls, whichever nodes they are on"},
}};

const MeasureWords& wordsOf(Measure measure) {
    return elementOf(kWords, measure);
}

/// Texture memory is written in MiB, everything else as it is.
double fileUnit(Measure measure) {
    return measure == Measure::TextureBytes ? kMebibyte : 1;
}

struct Range {
    double low;
    double high;
};

/// Reads numbers and remembers the first that is wrong.
class NumberReader {
public:
    void read(const Json& parent, const char* key, double& value, Range range) {
        if (!parent.contains(key)) return;
        const Json& member = parent[key];
        const double number = member.is_number() ? member.get<double>() : NAN;
        if (number >= range.low && number <= range.high)
            value = number;
        else if (problem_.empty())
            problem_ =
                fmt::format("'{}' must be a number from {} to {}", key, range.low, range.high);
    }
    void read(const Json& parent, const char* key, int& value, Range range) {
        double number = value;
        read(parent, key, number, range);
        value = static_cast<int>(number);
    }
    void read(const Json& parent, const char* key, Batching& value) {
        if (!parent.contains(key)) return;
        const auto known = std::find_if(kBatchings.begin(), kBatchings.end(), [&](Batching one) {
            return parent[key] == batchingKey(one);
        });
        if (known != kBatchings.end())
            value = *known;
        else if (problem_.empty())
            problem_ = fmt::format("'{}' must be nothing, node or mesh", key);
    }
    [[nodiscard]] const std::string& problem() const { return problem_; }

private:
    std::string problem_;
};

struct TermWords {
    const char* name;
    const char* key;
};
constexpr std::array<TermWords, kCostTermCount> kTermWords = {{
    {"CPU, every frame", "cpuFrame"},
    {"Draw calls, each thousand", "drawCall"},
    {"Objects, each thousand", "object"},
    {"Material changes, each hundred", "material"},
    {"Bones, each thousand", "bone"},
    {"GPU, every frame", "gpuFrame"},
    {"Vertices, each million", "vertex"},
    {"Filled pixels, each million", "filledPixel"},
    {"Textures looked up, each million", "texturedPixel"},
    {"Blended pixels, each million", "blendedPixel"},
    {"Pixels times lights, each million", "litPixel"},
    {"Shadow passes, each", "shadowPass"},
    {"Textures, each GiB", "texture"},
}};

struct ClassWords {
    const char* name;
    const char* key;
};
constexpr std::array<ClassWords, kTextureClassCount> kClassWords = {{
    {"Colour", "color"},
    {"Colour with alpha", "colorWithAlpha"},
    {"Normals", "normal"},
    {"Single mask", "mask"},
    {"Packed masks", "packedMasks"},
    {"Data", "data"},
}};
constexpr Range kBytesPerTexel = {0.05, 64};

/// Up to version 2 there was one number for all classes.
void readStorage(const Json& drawing, Target& target, NumberReader& numbers) {
    double all = 1;
    numbers.read(drawing, "bytesPerTexel", all, kBytesPerTexel);
    const Json& table = jsonObject(drawing, "textureStorage");
    for (std::size_t i = 0; i < kTextureClassCount; ++i) {
        TextureStorage& storage = target.storage[i];
        storage.bytesPerTexel = all;
        const Json& row = jsonObject(table, kClassWords[i].key);
        numbers.read(row, "bytesPerTexel", storage.bytesPerTexel, kBytesPerTexel);
        storage.format = jsonOr<std::string>(row, "format", "");
    }
}

void writeStorage(const Target& target, Json& drawing) {
    drawing.erase("bytesPerTexel");
    for (std::size_t i = 0; i < kTextureClassCount; ++i) {
        Json& row = drawing["textureStorage"][kClassWords[i].key];
        row["bytesPerTexel"] = target.storage[i].bytesPerTexel;
        if (!target.storage[i].format.empty()) row["format"] = target.storage[i].format;
    }
}

void readMembers(const Json& json, Target& target, NumberReader& numbers) {
    const Json& display = jsonObject(json, "display");
    const Json& drawing = jsonObject(json, "drawing");
    numbers.read(json, "frameRate", target.frameRate, {1, 1000});
    numbers.read(display, "width", target.width, {16, 32768});
    numbers.read(display, "height", target.height, {16, 32768});
    numbers.read(display, "verticalFieldOfView", target.verticalFov, {5, 170});
    numbers.read(display, "eyes", target.eyes, {1, 2});
    target.singlePass = jsonOr(display, "singlePass", target.singlePass);
    if (jsonOr(json, "version", 0) < 5)
        target.batching = jsonOr(drawing, "instancing", true) ? Batching::Mesh : Batching::Nothing;
    numbers.read(drawing, "batching", target.batching);
    target.mipMaps = jsonOr(drawing, "mipMaps", target.mipMaps);
    readStorage(drawing, target, numbers);
    numbers.read(drawing, "nearPlane", target.nearPlane, {1e-4, 1000});
    numbers.read(drawing, "farPlane", target.farPlane, {1, 1e7});
    const bool zeroIsNone = jsonOr(json, "version", 0) == 1;
    const Json& limits = jsonObject(json, "limits");
    for (const Measure measure : kMeasures) {
        const char* key = measureKey(measure);
        if (!limits.contains(key) || limits[key].is_null()) continue;
        double value = 0;
        numbers.read(limits, key, value, {0, 1e15});
        at(target.limits, measure) =
            zeroIsNone && value == 0 ? kNoLimit : value * fileUnit(measure);
    }
    const Json& cost = jsonObject(json, "frameCost");
    if (jsonOr(json, "version", 0) < 4 && !cost.empty())  // a pixel of any material cost the same
        for (const CostTerm term : {CostTerm::TexturedPixel, CostTerm::BlendedPixel})
            elementOf(target.frameCost, term) = 0;
    for (std::size_t i = 0; i < kCostTermCount; ++i)
        numbers.read(cost, kTermWords[i].key, target.frameCost[i], {0, 1e6});
    target.calibrated = jsonOr(cost, "calibrated", false);
    const Json& loading = jsonObject(json, "loading");
    numbers.read(loading, "bytesPerSecond", target.loading.bytesPerSecond, {1, 1e15});
    numbers.read(loading, "pixelsPerSecond", target.loading.pixelsPerSecond, {1, 1e15});
    numbers.read(loading, "objectsPerSecond", target.loading.objectsPerSecond, {1, 1e15});
}

}  // namespace

const char* measureName(Measure measure) {
    return wordsOf(measure).name;
}
const char* measureKey(Measure measure) {
    return wordsOf(measure).key;
}
const char* measureHelp(Measure measure) {
    return wordsOf(measure).help;
}

const char* batchingKey(Batching batching) {
    return elementOf(kBatchingWords, batching).key;
}
const char* batchingHelp(Batching batching) {
    return elementOf(kBatchingWords, batching).help;
}

const char* costTermName(CostTerm term) {
    return elementOf(kTermWords, term).name;
}
const char* costTermKey(CostTerm term) {
    return elementOf(kTermWords, term).key;
}

const char* textureClassName(TextureClass use) {
    return elementOf(kClassWords, use).name;
}
const char* textureClassKey(TextureClass use) {
    return elementOf(kClassWords, use).key;
}

std::string formatMeasure(Measure measure, double value) {
    if (!isLimit(value)) return "no limit";
    if (measure == Measure::TextureBytes) return formatBytes(value);
    if (measure == Measure::TextureEdge) return formatCount(value) + " px";
    return formatCount(value);
}

double pixelsPerMetreAtOne(const Target& target) {
    return target.height / (2 * std::tan(toRadians(target.verticalFov) / 2));
}

Target widened(const Target& target, double aspect) {
    Target wide = target;
    const double perMetre = pixelsPerMetreAtOne(target);
    const double across = std::tan(toRadians(target.verticalFov) / 2);
    const double up = across * std::max(1.0, target.projection().aspect / aspect);
    wide.verticalFov = std::min(2 * toDegrees(std::atan(up)), 175.0);
    wide.height = std::max(1, static_cast<int>(std::lround(2 * perMetre * up)));
    wide.width = std::max(1, static_cast<int>(std::lround(wide.height * aspect)));
    return wide;
}

double loadOf(double value, double limit) {
    if (!isLimit(limit) || !(value > 0)) return 0;
    return limit > 0 ? value / limit : std::numeric_limits<double>::infinity();
}

Counts loads(const Counts& counts, const Target& target) {
    Counts result{};
    for (std::size_t i = 0; i < kMeasureCount; ++i) result[i] = loadOf(counts[i], target.limits[i]);
    return result;
}

State stateOf(double load) {
    if (load > 1) return State::Over;
    return load >= kNearFrom ? State::Near : State::Within;
}

Measure worstMeasure(const Counts& loads) {
    return static_cast<Measure>(std::max_element(loads.begin(), loads.end()) - loads.begin());
}

Expected<Target> parseTarget(const Json& json, const std::string& where) {
    if (jsonOr<std::string>(json, "format", "") != kFormat)
        return fail(ErrorCode::InvalidInput,
                    "is not a target file: 'format' must be 'flentro-target'", where);
    const int version = jsonOr(json, "version", 0);
    if (version < 1 || version > kVersion)
        return fail(ErrorCode::Unsupported, "has a version that is not known", where);
    for (const char* member : {"display", "drawing", "limits", "frameCost", "loading"})
        if (json.contains(member) && !json[member].is_object())
            return fail(ErrorCode::InvalidInput, fmt::format("'{}' must be an object", member),
                        where);
    Target target;
    target.name = jsonOr<std::string>(json, "name", "");
    if (target.name.empty()) return fail(ErrorCode::InvalidInput, "has no 'name'", where);
    target.description = jsonOr<std::string>(json, "description", "");
    NumberReader numbers;
    readMembers(json, target, numbers);
    if (!numbers.problem().empty()) return fail(ErrorCode::InvalidInput, numbers.problem(), where);
    if (target.nearPlane >= target.farPlane)
        return fail(ErrorCode::InvalidInput, "'nearPlane' must be less than 'farPlane'", where);
    target.rest = json;
    return target;
}

Json toJson(const Target& target) {
    Json json = target.rest.is_object() ? target.rest : Json::object();
    json["format"] = kFormat;
    json["version"] = kVersion;
    json["name"] = target.name;
    json["description"] = target.description;
    json["frameRate"] = target.frameRate;
    json["display"]["width"] = target.width;
    json["display"]["height"] = target.height;
    json["display"]["verticalFieldOfView"] = target.verticalFov;
    json["display"]["eyes"] = target.eyes;
    json["display"]["singlePass"] = target.singlePass;
    dropMember(objectAt(json, "drawing"), "instancing");
    json["drawing"]["batching"] = batchingKey(target.batching);
    writeStorage(target, json["drawing"]);
    json["drawing"]["mipMaps"] = target.mipMaps;
    json["drawing"]["nearPlane"] = target.nearPlane;
    json["drawing"]["farPlane"] = target.farPlane;
    for (const Measure measure : kMeasures)
        json["limits"][measureKey(measure)] =
            isLimit(at(target.limits, measure))
                ? Json(at(target.limits, measure) / fileUnit(measure))
                : Json();
    for (std::size_t i = 0; i < kCostTermCount; ++i)
        json["frameCost"][kTermWords[i].key] = target.frameCost[i];
    json["frameCost"]["calibrated"] = target.calibrated;
    json["loading"]["bytesPerSecond"] = target.loading.bytesPerSecond;
    json["loading"]["pixelsPerSecond"] = target.loading.pixelsPerSecond;
    json["loading"]["objectsPerSecond"] = target.loading.objectsPerSecond;
    return json;
}

const std::vector<Target>& shippedTargets() {
    static const std::vector<Target> targets = [] {
        std::vector<Target> parsed;
        for (const char* text : kShippedTargets)
            parsed.push_back(parseTarget(Json::parse(text), "shipped target").value());
        return parsed;
    }();
    return targets;
}

Expected<Target> findTarget(const std::string& nameOrFile) {
    for (const Target& target : shippedTargets())
        if (lowerCase(target.name) == lowerCase(nameOrFile)) return target;
    if (!nameOrFile.ends_with(".json"))
        return fail(ErrorCode::NotFound, "there is no target of this name", nameOrFile,
                    "'flentro-cli targets' lists them");
    auto text = readTextFile(nameOrFile);
    if (!text) return tl::unexpected(text.error());
    auto json = parseJson(*text, nameOrFile);
    if (!json) return tl::unexpected(json.error());
    return parseTarget(*json, nameOrFile);
}

FLENTRO_DEFINE_VALUE(Target);

}  // namespace flentro
