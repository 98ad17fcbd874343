// Fix settings in files: names, ranges, defaults.

#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "fixes/fix.h"

namespace flentro {
namespace {

constexpr const char* kKeys[] = {"tidy", "ladder", "culling"};
constexpr const char* kNames[] = {"Tidy", "Ladder", "Culling distance"};
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

Expected<UnseenTriangles> parseUnseen(const Json& json) {
    UnseenTriangles unseen;
    unseen.asset = jsonOr<std::string>(json, "asset", "");
    const auto hash = parseHash(jsonOr<std::string>(json, "mesh", ""));
    const Json& runs = jsonArray(json, "runs");
    for (const Json& run : runs)
        if (run.is_number_unsigned()) unseen.runs.push_back(run.get<std::uint32_t>());
    if (!hash || unseen.runs.size() != runs.size() || runs.size() % 2 != 0)
        return fail(ErrorCode::InvalidInput,
                    fmt::format("'unseen' of '{}' must have the hash of a mesh and pairs of first "
                                "triangle and count",
                                unseen.asset));
    unseen.mesh = *hash;
    return unseen;
}

Expected<FixSettings> parseTidy(const Json& json) {
    TidySettings s;
    for (const Json& entry : jsonArray(json, "unseen")) {
        const auto unseen = parseUnseen(entry);
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
    return reader.result(s);
}

Expected<FixSettings> parseCulling(const Json& json) {
    CullingSettings s;
    Reader reader(json);
    reader.number("fade", s.fade, 0, 0.9).number("margin", s.margin, 0, 0.5);
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
    for (const auto& [name, end] : jsonObject(json, "overrides").items())
        if (end.is_number() && end.get<double>() >= 0) s.overrides[name] = end.get<double>();
    return reader.result(s);
}

Json write(const TidySettings& s) {
    Json json = {{"weld", s.weld},
                 {"dropDegenerate", s.dropDegenerate},
                 {"dropDuplicates", s.dropDuplicates},
                 {"dropUnused", s.dropUnused},
                 {"joinTiles", s.joinTiles},
                 {"dissolve", s.dissolve},
                 {"holeSize", s.holeSize}};
    for (const UnseenTriangles& unseen : s.unseen)
        json["unseen"].push_back(
            {{"asset", unseen.asset}, {"mesh", toHex(unseen.mesh)}, {"runs", unseen.runs}});
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
                                   {"caps", change.caps}};
    return json;
}

Json write(const CullingSettings& s) {
    Json json = {{"fade", s.fade},
                 {"margin", s.margin},
                 {"classes", Json::array()},
                 {"overrides", s.overrides}};
    for (const SizeClass& sizeClass : s.classes) {
        Json entry = {{"name", sizeClass.name}, {"pixels", sizeClass.pixels}};
        if (std::isfinite(sizeClass.largest)) entry["largest"] = sizeClass.largest;
        json["classes"].push_back(std::move(entry));
    }
    return json;
}

}  // namespace

const char* fixName(const FixSettings& settings) {
    return kNames[settings.index()];
}
const char* fixKey(const FixSettings& settings) {
    return kKeys[settings.index()];
}

std::optional<FixSettings> makeSettings(const std::string& key) {
    if (key == "tidy") return TidySettings{};
    if (key == "ladder") return LadderSettings{};
    if (key == "culling") return CullingSettings{};
    return std::nullopt;
}

Json toJson(const FixSettings& settings) {
    return std::visit([](const auto& s) { return write(s); }, settings);
}

Expected<FixSettings> parseSettings(const std::string& key, const Json& json) {
    if (key == "tidy") return parseTidy(json);
    if (key == "ladder") return parseLadder(json);
    if (key == "culling") return parseCulling(json);
    return fail(ErrorCode::InvalidInput, "there is no fix called '" + key + "'", {},
                "Known fixes: tidy, ladder, culling");
}

}  // namespace flentro
