#include "project/project.h"

#include <algorithm>

#include "base/index.h"
#include "io/file.h"

namespace flentro {
namespace {

namespace fs = std::filesystem;

constexpr const char* kFormat = "flentro-project";
constexpr int kVersion = 1;

Json toJson(const Viewpoint& view) {
    return {{"eye", {view.eye.x(), view.eye.y(), view.eye.z()}},
            {"heading", view.heading},
            {"pitch", view.pitch}};
}

Viewpoint parseView(const Json& json, Viewpoint view) {
    const Json& eye = jsonArray(json, "eye");
    for (std::size_t i = 0; i < 3 && eye.size() == 3; ++i)
        if (eye[i].is_number()) view.eye[static_cast<int>(i)] = eye[i].get<double>();
    view.heading = jsonOr(json, "heading", view.heading);
    view.pitch = jsonOr(json, "pitch", view.pitch);
    return view;
}

constexpr const char* kWhere[] = {"reach", "kept", "walk", "path", "area"};

Json toJson(const SurveyRequest& survey) {
    return {{"where", elementOf(kWhere, survey.where)},
            {"node", survey.node},
            {"spacing", survey.spacing},
            {"eyeHeight", survey.eyeHeight},
            {"camera",
             {{"distances", survey.camera.distances},
              {"pitches", survey.camera.pitches},
              {"headings", {survey.camera.firstHeading, survey.camera.lastHeading}}}},
            {"faceSize", survey.faceSize}};
}

/// The numbers of an array within bounds; those given when there is none.
std::vector<double> parseNumbers(const Json& array, double least, double most,
                                 std::vector<double> otherwise) {
    std::vector<double> numbers;
    for (const Json& number : array)
        if (number.is_number()) numbers.push_back(std::clamp(number.get<double>(), least, most));
    return numbers.empty() ? std::move(otherwise) : numbers;
}

Camera parseCamera(const Json& json) {
    Camera camera;
    camera.distances = parseNumbers(jsonArray(json, "distances"), 0, 1000, camera.distances);
    camera.pitches = parseNumbers(jsonArray(json, "pitches"), -90, 90, camera.pitches);
    const auto headings = parseNumbers(jsonArray(json, "headings"), -720, 720, {});
    if (headings.size() == 2) {
        camera.firstHeading = headings[0];
        camera.lastHeading = headings[1];
    }
    return camera;
}

SurveyRequest parseSurvey(const Json& json) {
    SurveyRequest survey;
    const std::string where = jsonOr<std::string>(json, "where", kWhere[0]);
    for (std::size_t i = 0; i < std::size(kWhere); ++i)
        if (where == kWhere[i]) survey.where = static_cast<SurveyRequest::Where>(i);
    survey.node = jsonOr<std::string>(json, "node", "");
    survey.spacing = std::clamp(jsonOr(json, "spacing", survey.spacing), 0.5, 1000.0);
    survey.eyeHeight = std::clamp(jsonOr(json, "eyeHeight", survey.eyeHeight), 0.05, 100.0);
    survey.camera = parseCamera(jsonObject(json, "camera"));
    survey.faceSize = std::clamp(jsonOr(json, "faceSize", survey.faceSize), 0, 1024) / 16 * 16;
    return survey;
}

/// A folder of the project may be moved with its scene; another disk cannot be relative.
std::string storedPath(const fs::path& scene, const fs::path& folder) {
    const fs::path relative = scene.lexically_relative(folder);
    return (relative.empty() ? scene : relative).generic_string();
}

/// Puts members of `old` that `now` does not have into it, also inside objects of both. What lies
/// in lists goes with their elements.
void keepUnknown(const Json& old, Json& now) {
    if (!old.is_object() || !now.is_object()) return;
    for (const auto& [key, value] : old.items()) {
        if (!now.contains(key))
            now[key] = value;
        else
            keepUnknown(value, now[key]);
    }
}

}  // namespace

Expected<Project> loadProject(const fs::path& path) {
    auto text = readTextFile(path);
    if (!text) return tl::unexpected(text.error());
    const std::string where = path.filename().string();
    auto json = parseJson(*text, where);
    if (!json) return tl::unexpected(json.error());
    if (jsonOr<std::string>(*json, "format", "") != kFormat)
        return fail(ErrorCode::InvalidInput, "is not a Flentro project", where);
    if (jsonOr(*json, "version", 0) != kVersion)
        return fail(ErrorCode::Unsupported, "was written by a newer version", where);
    auto target = parseTarget(jsonObject(*json, "target"), where + ": target");
    if (!target) return tl::unexpected(target.error());
    auto order = parseWorkOrder(jsonObject(*json, "workOrder"), where + ": workOrder");
    if (!order) return tl::unexpected(order.error());
    auto import = parseImportSettings(jsonObject(*json, "import"));
    if (!import) {
        import.error().where = where + ": " + import.error().where;
        return tl::unexpected(import.error());
    }
    Project project;
    project.import = std::move(*import);
    const fs::path scene = jsonOr<std::string>(*json, "scene", "");
    if (scene.empty()) return fail(ErrorCode::InvalidInput, "names no 'scene'", where);
    project.scene = (fs::absolute(path).parent_path() / scene).lexically_normal();
    project.target = std::move(*target);
    project.order = std::move(*order);
    for (const Json& spot : jsonArray(*json, "spots"))
        project.spots.push_back(
            {jsonOr<std::string>(spot, "name", "spot"), parseView(spot, {}), spot});
    for (const Json& name : jsonArray(*json, "setAside"))
        if (name.is_string()) project.setAside.insert(name.get<std::string>());
    for (const Json& aside : jsonArray(*json, "findingsAside"))
        if (const auto finding = jsonOr<std::string>(aside, "finding", ""); !finding.empty())
            project.findingsAside[finding] = jsonOr<std::string>(aside, "reason", "");
    project.survey = parseSurvey(jsonObject(*json, "survey"));
    for (const Json& point : jsonArray(*json, "walk")) project.walk.push_back(parseView(point, {}));
    project.view = parseView(jsonObject(*json, "view"), {});
    project.rest = std::move(*json);
    return project;
}

Expected<void> saveProject(const Project& project, const fs::path& path) {
    Json json = project.rest.is_object() ? project.rest : Json::object();
    const Json old = json;
    json["format"] = kFormat;
    json["version"] = kVersion;
    json["scene"] = storedPath(project.scene, fs::absolute(path).parent_path());
    json["import"] = toJson(project.import);
    json["target"] = toJson(project.target);
    json["workOrder"] = toJson(project.order);
    json["view"] = toJson(project.view);
    json["survey"] = toJson(project.survey);
    json["walk"] = Json::array();
    for (const Viewpoint& point : project.walk) json["walk"].push_back(toJson(point));
    json["setAside"] = project.setAside;
    json["findingsAside"] = Json::array();
    for (const auto& [finding, reason] : project.findingsAside)
        json["findingsAside"].push_back({{"finding", finding}, {"reason", reason}});
    json["spots"] = Json::array();
    for (const Spot& spot : project.spots) {
        Json entry = toJson(spot.view);
        entry["name"] = spot.name;
        keepUnknown(spot.rest, entry);
        json["spots"].push_back(std::move(entry));
    }
    for (const char* member : {"view", "survey"})
        keepUnknown(jsonObject(old, member), json[member]);
    // Marks of importance that were taken back are not unknown.
    Json order = jsonObject(old, "workOrder");
    order.erase("importance");
    keepUnknown(order, json["workOrder"]);
    return writeFileAtomic(path, json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n");
}

}  // namespace flentro
