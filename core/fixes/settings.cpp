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

/// Reads members within their ranges; the first wrong one is the error, and so is one that nobody
/// asked for: a slip of the pen must not pass for a setting.
class Reader {
public:
    explicit Reader(const Json& json) : json_(json) {}

    template <typename T>
    Reader& number(const char* key, T& value, double low, double high) {
        const Json* member = find(key);
        if (!member) return *this;
        const double found = member->is_number() ? member->get<double>() : NAN;
        const bool whole = !std::is_integral_v<T> || found == std::floor(found);
        if (found >= low && found <= high && whole)
            value = static_cast<T>(found);
        else
            complain(fmt::format("'{}' is {}; it must be a {}number from {} to {}", key,
                                 member->dump(), std::is_integral_v<T> ? "whole " : "", low, high));
        return *this;
    }
    /// One of the names, by its place among them.
    template <typename T, std::size_t N>
    Reader& choice(const char* key, T& value, const char* const (&names)[N]) {
        const Json* member = find(key);
        if (!member) return *this;
        const auto* found = std::find(std::begin(names), std::end(names), *member);
        if (found != std::end(names))
            value = static_cast<T>(found - names);
        else
            complain(fmt::format("'{}' is {}; it must be one of: {}", key, member->dump(),
                                 fmt::join(names, ", ")));
        return *this;
    }
    Reader& flag(const char* key, bool& value) {
        return take(key, value, &Json::is_boolean, "true or false");
    }
    Reader& text(const char* key, std::string& value) {
        return take(key, value, &Json::is_string, "a text");
    }
    /// Calls read(element) for each element of a list.
    template <typename Read>
    Reader& list(const char* key, const Read& read) {
        const Json* member = find(key);
        if (!member) return *this;
        if (!member->is_array())
            complain(fmt::format("'{}' must be a list", key));
        else
            for (const Json& element : *member) read(element);
        return *this;
    }
    /// Calls read(name, member) for each member of an object.
    template <typename Read>
    Reader& members(const char* key, const Read& read) {
        const Json* member = find(key);
        if (!member) return *this;
        if (!member->is_object())
            complain(fmt::format("'{}' must be an object", key));
        else
            for (const auto& [name, value] : member->items()) read(name, value);
        return *this;
    }
    void complain(const std::string& problem) {
        if (problem_.empty()) problem_ = problem;
    }
    /// What was wrong; also members that were not asked for.
    [[nodiscard]] std::string problem() const {
        if (!problem_.empty()) return problem_;
        if (!json_.is_object()) return json_.is_null() ? "" : "the settings must be an object";
        for (const auto& [key, value] : json_.items())
            if (std::find(asked_.begin(), asked_.end(), key) == asked_.end())
                return fmt::format("'{}' is no setting of it; these are: {}", key,
                                   fmt::join(asked_, ", "));
        return "";
    }
    [[nodiscard]] Expected<FixSettings> result(FixSettings settings) const {
        const std::string wrong = problem();
        if (wrong.empty()) return settings;
        return fail(ErrorCode::InvalidInput, wrong);
    }

private:
    const Json* find(const char* key) {
        asked_.emplace_back(key);
        if (!json_.is_object()) return nullptr;
        const auto found = json_.find(key);
        return found == json_.end() ? nullptr : &*found;
    }
    /// A member of one type of JSON.
    template <typename T>
    Reader& take(const char* key, T& value, bool (Json::*isRight)() const noexcept,
                 const char* what) {
        const Json* member = find(key);
        if (!member) return *this;
        if ((member->*isRight)())
            value = member->get<T>();
        else
            complain(fmt::format("'{}' is {}; it must be {}", key, member->dump(), what));
        return *this;
    }

    const Json& json_;
    std::string problem_;
    std::vector<std::string> asked_;
};

/// Triangles of one mesh, as runs of two numbers.
template <typename Runs>
Expected<Runs> parseRuns(const Json& json, const char* where, const char* pairs) {
    Runs parsed;
    parsed.asset = jsonOr<std::string>(json, "asset", "");
    const auto hash = parseHash(jsonOr<std::string>(json, "mesh", ""));
    const Json& runs = jsonArray(json, "runs");
    for (const Json& run : runs)
        if (run.is_number_integer() && run >= 0 && run <= 0xFFFFFFFFU)
            parsed.runs.push_back(run.get<std::uint32_t>());
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

/// Metres by asset name.
void readDistances(Reader& reader, std::map<std::string, double>& distances) {
    reader.members("overrides", [&](const std::string& name, const Json& metres) {
        if (metres.is_number() && metres.get<double>() >= 0)
            distances[name] = metres.get<double>();
        else
            reader.complain(
                fmt::format("the override of '{}' is {}; it must be a distance in "
                            "metres",
                            name, metres.dump()));
    });
}

/// Runs of triangles for several meshes.
template <typename Runs>
void readRuns(Reader& reader, const char* key, const char* pairs, std::vector<Runs>& all) {
    reader.list(key, [&](const Json& entry) {
        const auto runs = parseRuns<Runs>(entry, key, pairs);
        if (runs)
            all.push_back(*runs);
        else
            reader.complain(runs.error().what);
    });
}

Expected<FixSettings> parseTidy(const Json& json) {
    TidySettings s;
    Reader reader(json);
    reader.flag("joinTiles", s.joinTiles)
        .flag("dissolve", s.dissolve)
        .number("holeSize", s.holeSize, 0, 1e6)
        .flag("weld", s.weld)
        .flag("dropDegenerate", s.dropDegenerate)
        .flag("dropDuplicates", s.dropDuplicates)
        .flag("dropUnused", s.dropUnused);
    readRuns(reader, "unseen", "first triangle and count", s.unseen);
    return reader.result(s);
}

/// Switch distances must rise: a level behind a nearer one would never show.
void readSwitchDistances(Reader& reader, std::vector<double>& distances) {
    reader.list("switchDistances", [&](const Json& distance) {
        const double metres = distance.is_number() ? distance.get<double>() : NAN;
        if (metres >= 0 && (distances.empty() || metres > distances.back()))
            distances.push_back(metres);
        else
            reader.complain("'switchDistances' must be rising distances in metres");
    });
}

LadderOverride parseLadderOverride(Reader& ladder, const std::string& name, const Json& json) {
    LadderOverride change;
    Reader reader(json);
    reader.flag("skip", change.skip).text("crowd", change.crowd);
    readSwitchDistances(reader, change.switchDistances);
    reader.list("caps", [&](const Json& cap) {
        if (cap.is_number_integer() && cap >= 0 && cap <= 1'000'000)
            change.caps.push_back(cap.get<int>());
        else
            reader.complain("'caps' must be whole numbers from 0 to 1000000");
    });
    const std::string wrong = reader.problem();
    if (!wrong.empty()) ladder.complain(fmt::format("the override of '{}': {}", name, wrong));
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
    reader.members("overrides", [&](const std::string& name, const Json& change) {
        s.overrides[name] = parseLadderOverride(reader, name, change);
    });
    readRuns(reader, "weights", "count and weight", s.weights);
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
    std::vector<SizeClass> classes;
    reader.list("classes", [&](const Json& source) {
        SizeClass sizeClass{"", std::numeric_limits<double>::infinity(), 0};
        Reader inClass(source);
        inClass.text("name", sizeClass.name)
            .number("largest", sizeClass.largest, 0, 1e9)
            .number("pixels", sizeClass.pixels, 0, 1e5);
        if (const std::string wrong = inClass.problem(); !wrong.empty())
            reader.complain("'classes': " + wrong);
        if (!classes.empty() && sizeClass.largest <= classes.back().largest)
            reader.complain("'classes' must rise in 'largest'");
        classes.push_back(sizeClass);
    });
    if (!classes.empty()) s.classes = std::move(classes);
    readDistances(reader, s.overrides);
    return reader.result(s);
}

Expected<FixSettings> parseShadows(const Json& json) {
    ShadowSettings s;
    Reader reader(json);
    reader.number("shadowPixels", s.shadowPixels, 0, 1e5)
        .flag("hiddenCastNone", s.hiddenCastNone)
        .number("lightPixels", s.lightPixels, 0, 1e5)
        .number("leastLux", s.leastLux, 1e-6, 1e6)
        .number("fade", s.fade, 0, 0.9);
    readDistances(reader, s.overrides);
    return reader.result(s);
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
    reader.members("overrides", [&](const std::string& name, const Json& choice) {
        const auto* found = std::find(std::begin(kChoices), std::end(kChoices), choice);
        if (found != std::end(kChoices))
            s.overrides[name] = static_cast<MergeChoice>(found - kChoices);
        else
            reader.complain(fmt::format("the override of '{}' is {}; it must be one of: {}", name,
                                        choice.dump(), fmt::join(kChoices, ", ")));
    });
    reader.list("left", [&](const Json& name) {
        if (name.is_string())
            s.left.insert(name.get<std::string>());
        else
            reader.complain("'left' must be names of objects");
    });
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

std::optional<FixSettings> proposeSettings(const std::string& key, const Scene& scene) {
    constexpr double kLargestThing = 12;   ///< Metres.
    constexpr double kNearestEver = 0.05;  ///< Metres that an eye comes near.
    auto settings = makeSettings(key);
    const Box bounds = scene.bounds();
    auto* ladder = settings ? std::get_if<LadderSettings>(&*settings) : nullptr;
    if (!ladder || bounds.isEmpty() || bounds.diagonal().norm() > kLargestThing) return settings;
    ladder->nearest = std::clamp(bounds.diagonal().norm() / 2, kNearestEver, ladder->nearest);
    return settings;
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
