// Fix settings in files: names, ranges, defaults.

#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "fixes/fix.h"

namespace flentro {
namespace {

// In the order of FixSettings.
constexpr const char* kKeys[] = {"tidy",  "ladder", "culling", "shadows", "share",
                                 "split", "merge",  "atlas",   "standins"};
constexpr const char* kNames[] = {
    "Tidy",  "Ladder", "Culling distance", "Shadows and lights", "Share", "Split",
    "Merge", "Atlas",  "Far stand-ins"};
constexpr const char* kGroupings[] = {"grid", "near"};
constexpr const char* kChoices[] = {"auto", "merge", "leave"};
constexpr const char* kRules[] = {"ratio", "deviation", "halving"};

/// Reads members within their ranges; the first wrong one is the error.
class Reader {
public:
    explicit Reader(const Json& json) : json_(json) {}

    template <typename T>
    Reader& number(const char* key, T& value, double low, double high) {
        if (!json_.is_object() || !json_.contains(key)) return *this;
        const double found = json_[key].is_number() ? json_[key].get<double>() : NAN;
        if (found >= low && found <= high)
            value = static_cast<T>(found);
        else if (problem_.empty())
            problem_ = fmt::format("'{}' must be a number from {} to {}", key, low, high);
        return *this;
    }
    /// One of the names, by its place among them.
    template <typename T, std::size_t N>
    Reader& choice(const char* key, T& value, const char* const (&names)[N]) {
        if (!json_.is_object() || !json_.contains(key)) return *this;
        const auto* found = std::find(std::begin(names), std::end(names), json_[key]);
        if (found != std::end(names))
            value = static_cast<T>(found - names);
        else if (problem_.empty())
            problem_ = fmt::format("'{}' must be one of: {}", key, fmt::join(names, ", "));
        return *this;
    }
    Reader& flag(const char* key, bool& value) {
        value = jsonOr(json_, key, value);
        return *this;
    }
    [[nodiscard]] Expected<FixSettings> result(FixSettings settings) const {
        if (problem_.empty()) return settings;
        return fail(ErrorCode::InvalidInput, problem_);
    }

private:
    const Json& json_;
    std::string problem_;
};

/// Triangles of one mesh, as runs of two numbers.
template <typename Runs>
Expected<Runs> parseRuns(const Json& json, const char* where, const char* pairs) {
    Runs parsed;
    parsed.asset = jsonOr<std::string>(json, "asset", "");
    const auto hash = parseHash(jsonOr<std::string>(json, "mesh", ""));
    const Json& runs = jsonArray(json, "runs");
    for (const Json& run : runs)
        if (run.is_number_unsigned()) parsed.runs.push_back(run.get<std::uint32_t>());
    if (!hash || parsed.runs.size() != runs.size() || runs.size() % 2 != 0)
        return fail(ErrorCode::InvalidInput,
                    fmt::format("'{}' of '{}' must have the hash of a mesh and pairs of {}", where,
                                parsed.asset, pairs));
    parsed.mesh = *hash;
    return parsed;
}

template <typename Runs>
Json writeRuns(const std::vector<Runs>& all) {
    Json json = Json::array();
    for (const Runs& runs : all)
        json.push_back({{"asset", runs.asset}, {"mesh", toHex(runs.mesh)}, {"runs", runs.runs}});
    return json;
}

std::map<std::string, double> parseDistances(const Json& json) {
    std::map<std::string, double> distances;
    for (const auto& [name, metres] : jsonObject(json, "overrides").items())
        if (metres.is_number() && metres.get<double>() >= 0) distances[name] = metres.get<double>();
    return distances;
}

Expected<FixSettings> parseTidy(const Json& json) {
    TidySettings s;
    for (const Json& entry : jsonArray(json, "unseen")) {
        const auto unseen = parseRuns<UnseenTriangles>(entry, "unseen", "first triangle and count");
        if (!unseen) return tl::unexpected(unseen.error());
        s.unseen.push_back(*unseen);
    }
    return Reader(json)
        .flag("joinTiles", s.joinTiles)
        .flag("dissolve", s.dissolve)
        .number("holeSize", s.holeSize, 0, 1e6)
        .flag("weld", s.weld)
        .flag("dropDegenerate", s.dropDegenerate)
        .flag("dropDuplicates", s.dropDuplicates)
        .flag("dropUnused", s.dropUnused)
        .result(s);
}

LadderOverride parseLadderOverride(const Json& json) {
    LadderOverride change;
    change.skip = jsonOr(json, "skip", false);
    for (const Json& distance : jsonArray(json, "switchDistances"))
        if (distance.is_number() && distance.get<double>() >= 0)
            change.switchDistances.push_back(distance.get<double>());
    for (const Json& cap : jsonArray(json, "caps"))
        if (cap.is_number_integer())
            change.caps.push_back(std::clamp(cap.get<int>(), 0, 1'000'000));
    change.crowd = jsonOr<std::string>(json, "crowd", "");
    return change;
}

Expected<FixSettings> parseLadder(const Json& json) {
    LadderSettings s;
    Reader reader(json);
    reader.choice("rule", s.rule, kRules)
        .number("levels", s.levels, 1, 8)
        .number("ratio", s.ratio, 0.05, 0.9)
        .number("firstDeviation", s.firstDeviation, 1e-9, 1e6)
        .number("deviationStep", s.deviationStep, 1.1, 10)
        .number("pixels", s.pixels, 0.01, 1000)
        .number("trianglePixels", s.trianglePixels, 0, 1e6)
        .number("gain", s.gain, 0.01, 0.9)
        .number("minTriangles", s.minTriangles, 1, 1e9)
        .number("smallestLevel", s.smallestLevel, 1, 1e9)
        .flag("trimTop", s.trimTop)
        .number("nearest", s.nearest, 0.01, 1e6)
        .number("hysteresis", s.hysteresis, 0, 0.5)
        .flag("meet", s.meet)
        .flag("thinCards", s.thinCards)
        .number("plainFrom", s.plainFrom, 0, 8)
        .number("onePartFrom", s.onePartFrom, 0, 8)
        .number("cardPixels", s.cardPixels, 0, 512);
    for (const auto& [name, change] : jsonObject(json, "overrides").items())
        s.overrides[name] = parseLadderOverride(change);
    for (const Json& entry : jsonArray(json, "weights")) {
        const auto weights = parseRuns<TriangleWeights>(entry, "weights", "count and weight");
        if (!weights) return tl::unexpected(weights.error());
        s.weights.push_back(*weights);
    }
    return reader.result(s);
}

Expected<FixSettings> parseCulling(const Json& json) {
    CullingSettings s;
    Reader reader(json);
    reader.number("fade", s.fade, 0, 0.9)
        .number("margin", s.margin, 0, 0.5)
        .flag("bySeen", s.bySeen)
        .number("transparent", s.transparent, 0.05, 1)
        .number("skyline", s.skyline, 1, 10)
        .flag("rounded", s.rounded)
        .number("farPlane", s.farPlane, 0, 1e6)
        .number("fogStart", s.fogStart, 0, 1e6)
        .number("fogEnd", s.fogEnd, 0, 1e6);
    const Json& classes = jsonArray(json, "classes");
    if (!classes.empty()) s.classes.clear();
    for (const Json& source : classes) {
        SizeClass sizeClass{jsonOr<std::string>(source, "name", ""),
                            std::numeric_limits<double>::infinity(), 0};
        Reader inClass(source);
        inClass.number("largest", sizeClass.largest, 0, 1e9)
            .number("pixels", sizeClass.pixels, 0, 1e5);
        if (auto sound = inClass.result(s); !sound) return sound;
        if (!s.classes.empty() && sizeClass.largest <= s.classes.back().largest)
            return fail(ErrorCode::InvalidInput, "'classes' must rise in 'largest'");
        s.classes.push_back(sizeClass);
    }
    s.overrides = parseDistances(json);
    return reader.result(s);
}

Expected<FixSettings> parseShadows(const Json& json) {
    ShadowSettings s;
    s.overrides = parseDistances(json);
    return Reader(json)
        .number("shadowPixels", s.shadowPixels, 0, 1e5)
        .flag("hiddenCastNone", s.hiddenCastNone)
        .number("lightPixels", s.lightPixels, 0, 1e5)
        .number("leastLux", s.leastLux, 1e-6, 1e6)
        .number("fade", s.fade, 0, 0.9)
        .result(s);
}

Expected<FixSettings> parseShare(const Json& json) {
    ShareSettings s;
    return Reader(json)
        .number("tolerance", s.tolerance, 1e-7, 0.01)
        .flag("moved", s.moved)
        .flag("materials", s.materials)
        .flag("images", s.images)
        .result(s);
}

Expected<FixSettings> parseSplit(const Json& json) {
    SplitSettings s;
    return Reader(json)
        .flag("transparent", s.transparent)
        .number("apart", s.apart, 0, 1e6)
        .number("cell", s.cell, 0, 1e6)
        .number("leastTriangles", s.leastTriangles, 1, 1e9)
        .result(s);
}

Expected<FixSettings> parseMerge(const Json& json) {
    MergeSettings s;
    Reader reader(json);
    reader.choice("grouping", s.grouping, kGroupings)
        .number("parcel", s.parcel, 0, 1000)
        .number("mostVertices", s.mostVertices, 100, 1e9)
        .number("growth", s.growth, 1, 1e3)
        .flag("sameLights", s.sameLights);
    for (const auto& [name, choice] : jsonObject(json, "overrides").items()) {
        Json one = {{"overrides", choice}};
        Reader(one).choice("overrides", s.overrides[name], kChoices);
    }
    for (const Json& name : jsonArray(json, "left"))
        if (name.is_string()) s.left.insert(name.get<std::string>());
    return reader.result(s);
}

Expected<FixSettings> parseAtlas(const Json& json) {
    AtlasSettings s;
    return Reader(json)
        .number("page", s.page, 64, 8192)
        .number("largest", s.largest, 1, 8192)
        .number("gutter", s.gutter, 0, 64)
        .result(s);
}

Expected<FixSettings> parseStandIns(const Json& json) {
    StandInSettings s;
    return Reader(json)
        .number("parcel", s.parcel, 1, 1e5)
        .number("from", s.from, 0.1, 1e6)
        .number("pixels", s.pixels, 0.1, 100)
        .result(s);
}

Json write(const AtlasSettings& s) {
    return {{"page", s.page}, {"largest", s.largest}, {"gutter", s.gutter}};
}

Json write(const StandInSettings& s) {
    return {{"parcel", s.parcel}, {"from", s.from}, {"pixels", s.pixels}};
}

Json write(const TidySettings& s) {
    Json json = {{"weld", s.weld},
                 {"dropDegenerate", s.dropDegenerate},
                 {"dropDuplicates", s.dropDuplicates},
                 {"dropUnused", s.dropUnused},
                 {"joinTiles", s.joinTiles},
                 {"dissolve", s.dissolve},
                 {"holeSize", s.holeSize}};
    if (!s.unseen.empty()) json["unseen"] = writeRuns(s.unseen);
    return json;
}

Json write(const LadderSettings& s) {
    Json json = {{"rule", kRules[static_cast<std::size_t>(s.rule)]},
                 {"levels", s.levels},
                 {"ratio", s.ratio},
                 {"firstDeviation", s.firstDeviation},
                 {"deviationStep", s.deviationStep},
                 {"pixels", s.pixels},
                 {"trianglePixels", s.trianglePixels},
                 {"gain", s.gain},
                 {"minTriangles", s.minTriangles},
                 {"smallestLevel", s.smallestLevel},
                 {"trimTop", s.trimTop},
                 {"nearest", s.nearest},
                 {"hysteresis", s.hysteresis},
                 {"meet", s.meet},
                 {"thinCards", s.thinCards},
                 {"plainFrom", s.plainFrom},
                 {"onePartFrom", s.onePartFrom},
                 {"cardPixels", s.cardPixels},
                 {"overrides", Json::object()}};
    for (const auto& [name, change] : s.overrides)
        json["overrides"][name] = {{"skip", change.skip},
                                   {"switchDistances", change.switchDistances},
                                   {"caps", change.caps},
                                   {"crowd", change.crowd}};
    if (!s.weights.empty()) json["weights"] = writeRuns(s.weights);
    return json;
}

Json write(const CullingSettings& s) {
    Json json = {{"fade", s.fade},          {"margin", s.margin},
                 {"bySeen", s.bySeen},      {"transparent", s.transparent},
                 {"skyline", s.skyline},    {"rounded", s.rounded},
                 {"farPlane", s.farPlane},  {"fogStart", s.fogStart},
                 {"fogEnd", s.fogEnd},      {"classes", Json::array()},
                 {"overrides", s.overrides}};
    for (const SizeClass& sizeClass : s.classes) {
        Json entry = {{"name", sizeClass.name}, {"pixels", sizeClass.pixels}};
        if (std::isfinite(sizeClass.largest)) entry["largest"] = sizeClass.largest;
        json["classes"].push_back(std::move(entry));
    }
    return json;
}

Json write(const ShadowSettings& s) {
    return {{"shadowPixels", s.shadowPixels},
            {"hiddenCastNone", s.hiddenCastNone},
            {"lightPixels", s.lightPixels},
            {"leastLux", s.leastLux},
            {"fade", s.fade},
            {"overrides", s.overrides}};
}

Json write(const ShareSettings& s) {
    return {{"tolerance", s.tolerance},
            {"moved", s.moved},
            {"materials", s.materials},
            {"images", s.images}};
}

Json write(const SplitSettings& s) {
    return {{"transparent", s.transparent},
            {"apart", s.apart},
            {"cell", s.cell},
            {"leastTriangles", s.leastTriangles}};
}

Json write(const MergeSettings& s) {
    Json json = {{"grouping", kGroupings[static_cast<std::size_t>(s.grouping)]},
                 {"parcel", s.parcel},
                 {"mostVertices", s.mostVertices},
                 {"growth", s.growth},
                 {"sameLights", s.sameLights},
                 {"overrides", Json::object()},
                 {"left", s.left}};
    for (const auto& [name, choice] : s.overrides)
        json["overrides"][name] = kChoices[static_cast<std::size_t>(choice)];
    return json;
}

}  // namespace

const char* fixName(const FixSettings& settings) {
    return kNames[settings.index()];
}
const char* fixShortName(const FixSettings& settings) {
    static constexpr const char* kShort[] = {"Tidy",  "Ladder", "Culling", "Shadows", "Share",
                                             "Split", "Merge",  "Atlas",   "Far"};
    static_assert(std::size(kShort) == std::size(kNames));
    return kShort[settings.index()];
}
const char* fixKey(const FixSettings& settings) {
    return kKeys[settings.index()];
}

namespace {

using Parse = Expected<FixSettings> (*)(const Json&);
constexpr Parse kParsers[] = {parseTidy,  parseLadder, parseCulling, parseShadows, parseShare,
                              parseSplit, parseMerge,  parseAtlas,   parseStandIns};
static_assert(std::size(kParsers) == std::variant_size_v<FixSettings> &&
              std::size(kKeys) == std::size(kParsers) && std::size(kNames) == std::size(kParsers));

}  // namespace

std::optional<FixSettings> makeSettings(const std::string& key) {
    const auto settings = parseSettings(key, Json::object());
    return settings ? std::optional(*settings) : std::nullopt;
}

Json toJson(const FixSettings& settings) {
    return std::visit([](const auto& s) { return write(s); }, settings);
}

Expected<FixSettings> parseSettings(const std::string& key, const Json& json) {
    for (std::size_t i = 0; i < std::size(kKeys); ++i)
        if (key == kKeys[i]) return kParsers[i](json);
    return fail(ErrorCode::InvalidInput, "there is no fix called '" + key + "'", {},
                fmt::format("Known fixes: {}", fmt::join(kKeys, ", ")));
}

}  // namespace flentro
