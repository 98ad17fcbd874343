#include "survey/survey_file.h"

#include <cstring>
#include <type_traits>

#include "io/seal.h"

namespace flentro {
namespace {

constexpr const char* kFormat = "flentro-survey-cache";
constexpr int kVersion = 8;

/// Thrown at damaged files, caught in loadSurvey.
struct Damaged {};

template <typename T>
Json pack(const std::vector<T>& values) {
    static_assert(std::is_trivially_copyable_v<T>);
    std::vector<std::uint8_t> bytes(values.size() * sizeof(T));
    if (!bytes.empty()) std::memcpy(bytes.data(), values.data(), bytes.size());
    return Json::binary(std::move(bytes));
}

Json pack(const std::vector<bool>& values) {
    return pack(std::vector<std::uint8_t>(values.begin(), values.end()));
}

template <typename T>
Json packOne(const T& value) {
    return pack(std::vector<T>{value});
}

template <typename T>
std::vector<T> unpack(const Json& json, const char* key) {
    static_assert(std::is_trivially_copyable_v<T>);
    const Json& member = json.at(key);
    if (!member.is_binary() || member.get_binary().size() % sizeof(T) != 0) throw Damaged{};
    const auto& bytes = member.get_binary();
    std::vector<T> values(bytes.size() / sizeof(T));
    if (!bytes.empty()) std::memcpy(static_cast<void*>(values.data()), bytes.data(), bytes.size());
    return values;
}

template <typename T>
std::vector<T> unpack(const Json& json, const char* key, std::size_t count) {
    std::vector<T> values = unpack<T>(json, key);
    if (values.size() != count) throw Damaged{};
    return values;
}

/// The members of SpotSeen that are plain numbers.
struct SeenNumbers {
    float pixels, layersWorst, plainLayersMean;
    std::array<float, kDistanceBins> pixelsByDistance;
    PixelWork work;
    std::array<PixelWork, EyeVisibility::kMaxViews> workInView;
};

struct ViewNumbers {
    double x, y, z, heading, pitch;
};

Json toJson(const SpotResult& spot) {
    std::vector<ViewNumbers> views;
    for (const Viewpoint& view : spot.views)
        views.push_back({view.eye.x(), view.eye.y(), view.eye.z(), view.heading, view.pitch});
    const SpotSeen& seen = spot.seen;
    return {{"name", spot.name},
            {"eye", {spot.eye.x(), spot.eye.y(), spot.eye.z()}},
            {"views", pack(views)},
            {"tallies", pack(spot.tallies)},
            {"levels", pack(spot.sightings.levels)},
            {"drawn", pack(spot.sightings.objects)},
            {"lights", pack(spot.sightings.lights)},
            {"objects", pack(seen.objects)},
            {"numbers", packOne(SeenNumbers{seen.pixels, seen.layersWorst, seen.plainLayersMean,
                                            seen.pixelsByDistance, seen.work, seen.workInView})}};
}

SpotResult parseSpot(const Json& json, const Scene& scene) {
    SpotResult spot;
    spot.done = true;
    spot.name = json.at("name").get<std::string>();
    const Json& eye = json.at("eye");
    spot.eye = {eye.at(0).get<double>(), eye.at(1).get<double>(), eye.at(2).get<double>()};
    for (const ViewNumbers& view : unpack<ViewNumbers>(json, "views"))
        spot.views.push_back({{view.x, view.y, view.z}, view.heading, view.pitch});
    if (spot.views.empty() || spot.views.size() > EyeVisibility::kMaxViews) throw Damaged{};
    spot.tallies = unpack<ViewTally>(json, "tallies", spot.views.size());
    spot.sightings.views = spot.views.size();
    spot.sightings.eye = spot.eye;
    spot.sightings.levels = unpack<std::uint8_t>(json, "levels", scene.objects.size());
    spot.sightings.objects = unpack<std::uint16_t>(json, "drawn", scene.objects.size());
    spot.sightings.lights = unpack<std::uint16_t>(json, "lights", scene.placedLights.size());
    for (std::size_t i = 0; i < scene.objects.size(); ++i) {
        const auto asset = static_cast<std::size_t>(scene.objects[i].asset);
        const bool sound = spot.sightings.isThere(i)
                               ? spot.sightings.levelOf(i) < scene.assets[asset].levelCount()
                               : spot.sightings.objects[i] == 0;
        if (!sound) throw Damaged{};
    }
    spot.seen.objects = unpack<SeenObject>(json, "objects");
    for (const SeenObject& object : spot.seen.objects)
        if (object.object >= scene.objects.size()) throw Damaged{};
    const SeenNumbers numbers = unpack<SeenNumbers>(json, "numbers", 1).front();
    spot.seen.pixels = numbers.pixels;
    spot.seen.layersWorst = numbers.layersWorst;
    spot.seen.plainLayersMean = numbers.plainLayersMean;
    spot.seen.pixelsByDistance = numbers.pixelsByDistance;
    spot.seen.work = numbers.work;
    spot.seen.workInView = numbers.workInView;
    return spot;
}

void parseTally(const Json& json, const Scene& scene, Survey& survey) {
    std::size_t triangles = 0;
    for (const Asset& asset : scene.assets) triangles += asset.mesh->triangles;
    SeenTally& seen = survey.seen;
    seen.objects = unpack<SeenTally::Object>(json, "objects", scene.objects.size());
    seen.trianglePixels = unpack<float>(json, "triangles", triangles);
    seen.texCoordPerPixel = unpack<float>(json, "texCoords", TextureMappings(scene).size());
    seen.lightPixels = unpack<float>(json, "lights", scene.placedLights.size());
    seen.lightSpots = unpack<std::uint32_t>(json, "lightSpots", scene.placedLights.size());
    const auto below = unpack<std::uint8_t>(json, "below");
    if (!below.empty() && below.size() != triangles) throw Damaged{};
    survey.belowSampling.assign(below.begin(), below.end());
}

/// Numbers of a light matrix without Eigen's types, which cannot be copied as bytes.
struct RowNumbers {
    std::array<float, 3> position;
    float range;
};
struct PointNumbers {
    std::array<float, 3> at;
    std::uint32_t place, view, first;
};

Json toJson(const LightMatrix& lights) {
    std::vector<RowNumbers> rows;
    for (const LightMatrix::Row& row : lights.rows())
        rows.push_back({{row.position.x(), row.position.y(), row.position.z()}, row.range});
    std::vector<std::array<double, 3>> eyes;
    for (const Vec3d& eye : lights.eyes()) eyes.push_back({eye.x(), eye.y(), eye.z()});
    std::vector<PointNumbers> points;
    for (const LightMatrix::Point& point : lights.points())
        points.push_back(
            {{point.at.x(), point.at.y(), point.at.z()}, point.place, point.view, point.first});
    return {{"rows", pack(rows)},
            {"eyes", pack(eyes)},
            {"points", pack(points)},
            {"entries", pack(std::vector(lights.entries().begin(), lights.entries().end()))},
            {"raysOfView", lights.raysOfView()}};
}

std::shared_ptr<const LightMatrix> parseLights(const Json& json) {
    std::vector<LightMatrix::Row> rows;
    for (const RowNumbers& row : unpack<RowNumbers>(json, "rows"))
        rows.push_back({{row.position[0], row.position[1], row.position[2]}, row.range});
    std::vector<Vec3d> eyes;
    for (const auto& eye : unpack<std::array<double, 3>>(json, "eyes"))
        eyes.emplace_back(eye[0], eye[1], eye[2]);
    auto entries = unpack<LightMatrix::Entry>(json, "entries");
    std::vector<LightMatrix::Point> points;
    std::uint32_t place = 0;
    std::uint32_t first = 0;
    for (const PointNumbers& p : unpack<PointNumbers>(json, "points")) {
        const bool isSound = p.place >= place && p.place < eyes.size() &&
                             p.view < EyeVisibility::kMaxViews && p.first >= first &&
                             p.first <= entries.size();
        if (!isSound) throw Damaged{};
        place = p.place;
        first = p.first;
        points.push_back({{p.at[0], p.at[1], p.at[2]}, p.place, p.view, p.first});
    }
    for (const LightMatrix::Entry& entry : entries)
        if (entry.light >= rows.size()) throw Damaged{};
    const auto raysOfView = json.at("raysOfView").get<std::uint32_t>();
    if (raysOfView == 0) throw Damaged{};
    return std::make_shared<const LightMatrix>(std::move(rows), std::move(eyes), std::move(points),
                                               std::move(entries), raysOfView);
}

Json toJson(const Coverage& coverage) {
    Json json = {{"ground", coverage.ground},   {"walked", coverage.walked},
                 {"spread", coverage.spread},   {"around", coverage.isAround},
                 {"objects", coverage.objects}, {"seen", coverage.seen},
                 {"rays", coverage.hasRays},    {"grounds", Json::array()}};
    for (const Ground& ground : coverage.grounds)
        json["grounds"].push_back(
            {ground.area, ground.walked, ground.eye.x(), ground.eye.y(), ground.eye.z()});
    return json;
}

Coverage parseCoverage(const Json& json) {
    Coverage coverage;
    coverage.ground = json.at("ground").get<double>();
    coverage.walked = json.at("walked").get<double>();
    coverage.spread = json.at("spread").get<double>();
    coverage.isAround = json.at("around").get<bool>();
    coverage.objects = json.at("objects").get<std::size_t>();
    coverage.seen = json.at("seen").get<std::size_t>();
    coverage.hasRays = json.at("rays").get<bool>();
    for (const auto& numbers : json.at("grounds").get<std::vector<std::array<double, 5>>>())
        coverage.grounds.push_back({numbers[0], numbers[1], {numbers[2], numbers[3], numbers[4]}});
    return coverage;
}

Json settingsToJson(const SurveySettings& settings) {
    return {{"faceSize", settings.faceSize},
            {"headings", settings.headings},
            {"pitch", settings.pitch},
            {"betweenHeadings", settings.betweenHeadings},
            {"onlyInViews", settings.onlyInViews},
            {"aimAtTriangles", settings.aimAtTriangles},
            {"refineAbove", settings.refineAbove}};
}

SurveySettings parseSettings(const Json& json) {
    SurveySettings settings;
    settings.faceSize = json.at("faceSize").get<int>();
    settings.headings = json.at("headings").get<int>();
    settings.pitch = json.at("pitch").get<double>();
    settings.betweenHeadings = json.at("betweenHeadings").get<bool>();
    settings.onlyInViews = json.at("onlyInViews").get<bool>();
    settings.aimAtTriangles = json.at("aimAtTriangles").get<bool>();
    settings.refineAbove = json.at("refineAbove").get<double>();
    return settings;
}

}  // namespace

Hash surveyKey(const Scene& scene, const Target& target, const SurveySettings& settings,
               const std::string& where) {
    return Hasher()
        .add(hashScene(scene))
        .text(toJson(target).dump())
        .text(settingsToJson(settings).dump())
        .text(where)
        .result();
}

Expected<void> saveSurvey(const Survey& survey, const Hash& key,
                          const std::filesystem::path& path) {
    Json json = {{"format", kFormat},           {"version", kVersion},
                 {"key", toHex(key)},           {"settings", settingsToJson(survey.settings)},
                 {"complete", survey.complete}, {"spots", Json::array()}};
    for (const SpotResult& spot : survey.spots)
        if (spot.done) json["spots"].push_back(toJson(spot));
    if (survey.hasRays())
        json["seen"] = {{"objects", pack(survey.seen.objects)},
                        {"triangles", pack(survey.seen.trianglePixels)},
                        {"texCoords", pack(survey.seen.texCoordPerPixel)},
                        {"lights", pack(survey.seen.lightPixels)},
                        {"lightSpots", pack(survey.seen.lightSpots)},
                        {"below", pack(survey.belowSampling)}};
    if (survey.lights) json["lights"] = toJson(*survey.lights);
    if (survey.coverage) json["coverage"] = toJson(*survey.coverage);
    const std::vector<std::uint8_t> bytes = Json::to_cbor(json);
    return writeSealed(path, std::as_bytes(std::span(bytes)));
}

std::optional<Survey> loadSurvey(const std::filesystem::path& path, const Hash& key,
                                 const Scene& scene, const Target& target) {
    const auto bytes = readSealed(path);
    if (!bytes) return std::nullopt;
    try {
        const auto* first = reinterpret_cast<const std::uint8_t*>(bytes->data());
        const Json json = Json::from_cbor(first, first + bytes->size());
        if (json.at("format") != kFormat || json.at("version") != kVersion ||
            json.at("key") != toHex(key))
            return std::nullopt;
        Survey survey;
        survey.target = target;
        survey.settings = parseSettings(json.at("settings"));
        survey.complete = json.at("complete").get<bool>();
        for (const Json& spot : json.at("spots")) survey.spots.push_back(parseSpot(spot, scene));
        if (survey.hasRays()) parseTally(json.at("seen"), scene, survey);
        if (json.contains("lights")) survey.lights = parseLights(json.at("lights"));
        if (json.contains("coverage")) survey.coverage = parseCoverage(json.at("coverage"));
        return survey;
    } catch (const Damaged&) {
        return std::nullopt;
    } catch (const Json::exception&) {
        return std::nullopt;
    }
}

}  // namespace flentro
