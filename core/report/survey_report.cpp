#include "report/survey_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <sstream>

#include "base/text.h"
#include "io/file.h"
#include "scene/far.h"

namespace flentro {
namespace {

constexpr std::size_t kMaxListed = 100;  ///< Objects listed in waste and never seen.

Json toJson(const Vec3d& v) {
    return {v.x(), v.y(), v.z()};
}

Json countsToJson(const Counts& counts) {
    Json json = Json::object();
    for (const Measure measure : kMeasures) json[measureKey(measure)] = at(counts, measure);
    return json;
}

Json spotToJson(const Survey& survey, std::size_t index) {
    const SpotResult& spot = survey.spots[index];
    Json json = {{"name", spot.name}, {"eye", toJson(spot.eye)}, {"views", Json::array()}};
    for (std::size_t v = 0; v < spot.views.size(); ++v) {
        const FrameCost cost = frameCost(viewTerms(survey, index, v), survey.target);
        json["views"].push_back({{"heading", spot.views[v].heading},
                                 {"pitch", spot.views[v].pitch},
                                 {"counts", countsToJson(spot.tallies[v].counts)},
                                 {"cpuMilliseconds", cost.cpu},
                                 {"gpuMilliseconds", cost.gpu}});
    }
    if (!survey.hasRays()) return json;
    json["seenObjects"] = spot.seen.objects.size();
    json["layersMean"] = spot.seen.work.layers;
    json["texturesMean"] = spot.seen.work.textures;
    json["blendedMean"] = spot.seen.work.blended;
    json["litShare"] = spot.seen.work.lit;
    json["layersWorst"] = spot.seen.layersWorst;
    json["plainLayersMean"] = spot.seen.plainLayersMean;
    return json;
}

Json seenToJson(const Scene& scene, const Survey& survey) {
    Json json = {
        {"waste", Json::array()}, {"farPlane", Json::array()}, {"textures", Json::array()}};
    for (const TextureNeed& need : findTextureNeeds(scene, survey)) {
        const Image& image = scene.images[need.image];
        json["textures"].push_back({{"image", image.name},
                                    {"width", image.width},
                                    {"height", image.height},
                                    {"texelsPerPixel", need.texelsPerPixel},
                                    {"neededEdge", need.edge},
                                    {"savedBytes", need.bytes}});
    }
    for (const ObjectWaste& waste : rankWaste(scene, survey)) {
        if (json["waste"].size() == kMaxListed) break;
        json["waste"].push_back({{"object", scene.objects[waste.object].name},
                                 {"viewsInVain", waste.views},
                                 {"meanTriangles", waste.triangles}});
    }
    for (const FarPlaneLoss& loss : farPlaneLosses(survey))
        json["farPlane"].push_back({{"distance", loss.distance},
                                    {"meanShare", loss.meanShare},
                                    {"worstShare", loss.worstShare},
                                    {"objects", loss.objects}});
    const NeverSeen unseen = findUnseen(scene, survey);
    Json names = Json::array();
    for (const std::uint32_t object : unseen.objects) {
        if (names.size() == kMaxListed) break;
        names.push_back(scene.objects[object].name);
    }
    json["neverSeen"] = {
        {"objects", unseen.objects.size()},      {"names", std::move(names)},
        {"triangles", unseen.triangles},         {"removableTriangles", unseen.removable},
        {"belowSampling", unseen.belowSampling}, {"expectedFromOneMoreSpot", unseen.expectedNext},
        {"expectedLeft", unseen.expectedLeft},   {"shareBound95", unseen.shareBound}};
    return json;
}

/// With a decimal point, or a decimal comma where that separates no cells.
std::optional<double> numberOf(std::string text) {
    std::replace(text.begin(), text.end(), ',', '.');
    double value = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (error != std::errc() || end != text.data() + text.size() || !std::isfinite(value))
        return std::nullopt;
    return value;
}

/// The view of the named spot that is nearest in heading.
std::optional<std::pair<std::size_t, std::size_t>> findView(const Survey& survey,
                                                            const std::string& name,
                                                            double heading) {
    for (std::size_t s = 0; s < survey.spots.size(); ++s) {
        if (survey.spots[s].name != name || !survey.spots[s].done) continue;
        const auto off = [&](std::size_t v) {
            return std::fabs(std::remainder(survey.spots[s].views[v].heading - heading, 360));
        };
        std::size_t nearest = 0;
        for (std::size_t v = 1; v < survey.spots[s].views.size(); ++v)
            if (off(v) < off(nearest)) nearest = v;
        return std::pair(s, nearest);
    }
    return std::nullopt;
}

}  // namespace

Json frameJson(const Survey& survey, const SlowestView& slowest) {
    const SpotResult& spot = survey.spots[slowest.spot];
    return {{"milliseconds", slowest.cost.milliseconds()},
            {"limit", survey.target.frameTime()},
            {"load", slowest.load},
            {"limitedBy", slowest.cost.limitedBy()},
            {"heaviest", costTermName(heaviestTerm(slowest.terms, survey.target))},
            {"estimate", !survey.target.calibrated},
            {"spotsOver", slowest.spotsOver},
            {"spot", spot.name},
            {"eye", toJson(spot.eye)},
            {"heading", spot.views[slowest.view].heading}};
}

Json toJson(const Coverage& coverage) {
    Json json = {{"share", coverage.share()},     {"enough", coverage.isEnough()},
                 {"groundArea", coverage.ground}, {"walkedArea", coverage.walked},
                 {"spread", coverage.spread},     {"allSides", coverage.isAround},
                 {"objects", coverage.objects},   {"grounds", Json::array()}};
    if (coverage.hasRays) json["objectsSeen"] = coverage.seen;
    for (const Ground& ground : coverage.grounds)
        json["grounds"].push_back(
            {{"area", ground.area}, {"walked", ground.walked}, {"start", toJson(ground.eye)}});
    return json;
}

Json toJson(const Scene& scene, const Survey& survey) {
    Json json = {{"format", "flentro-survey"},  {"version", 1},
                 {"scene", scene.name},         {"target", survey.target.name},
                 {"complete", survey.complete}, {"spotsOver", spotsOver(survey)},
                 {"worst", Json::array()},      {"spots", Json::array()}};
    for (const WorstOfMeasure& worst : worstViews(survey))
        json["worst"].push_back({{"measure", measureKey(worst.measure)},
                                 {"value", worst.where.value},
                                 {"load", worst.where.load},
                                 {"median", medianOf(survey, worst.measure)},
                                 {"spot", worst.spot},
                                 {"eye", toJson(worst.view.eye)},
                                 {"heading", worst.view.heading}});
    for (std::size_t s = 0; s < survey.spots.size(); ++s)
        if (survey.spots[s].done) json["spots"].push_back(spotToJson(survey, s));
    if (survey.hasRays()) json["seen"] = seenToJson(scene, survey);
    if (survey.coverage) json["coverage"] = toJson(*survey.coverage);
    if (const auto slowest = slowestView(survey)) json["frame"] = frameJson(survey, *slowest);
    return json;
}

std::string toCsv(const Survey& survey) {
    std::string csv = "spot,x,y,z,heading,pitch";
    for (const Measure measure : kMeasures) csv += fmt::format(",{}", measureKey(measure));
    csv += ",worstLoad,cpuMilliseconds,gpuMilliseconds,surveyComplete\n";
    for (std::size_t s = 0; s < survey.spots.size(); ++s) {
        const SpotResult& spot = survey.spots[s];
        for (std::size_t v = 0; spot.done && v < spot.views.size(); ++v) {
            csv += fmt::format("{},{:.3f},{:.3f},{:.3f},{:.2f},{:.2f}", csvCell(spot.name),
                               spot.eye.x(), spot.eye.y(), spot.eye.z(), spot.views[v].heading,
                               spot.views[v].pitch);
            const Counts& counts = spot.tallies[v].counts;
            for (const Measure measure : kMeasures)
                csv += fmt::format(",{:.0f}", at(counts, measure));
            const Counts load = loads(counts, survey.target);
            const FrameCost cost = frameCost(viewTerms(survey, s, v), survey.target);
            csv += fmt::format(",{:.4f},{:.3f},{:.3f},{}\n", at(load, worstMeasure(load)), cost.cpu,
                               cost.gpu, survey.complete);
        }
    }
    return csv;
}

std::vector<WorstOfMeasure> worstViews(const Survey& survey) {
    std::vector<WorstOfMeasure> all;
    for (const Measure measure : kMeasures) {
        if (!isLimit(at(survey.target.limits, measure))) continue;
        const auto worst = worstOf(survey, measure);
        if (!worst) continue;
        const SpotResult& spot = survey.spots[worst->spot];
        all.push_back({measure, *worst, spot.name, spot.views[worst->view]});
    }
    std::stable_sort(all.begin(), all.end(),
                     [](const auto& a, const auto& b) { return a.where.load > b.where.load; });
    return all;
}

Expected<std::vector<Viewpoint>> readSpots(const std::filesystem::path& path) {
    auto text = readTextFile(path);
    if (!text) return tl::unexpected(text.error());
    const std::string file = path.filename().string();
    auto json = parseJson(*text, file);
    if (!json) return tl::unexpected(json.error());
    if (jsonOr<std::string>(*json, "format", "") != "flentro-spots")
        return fail(ErrorCode::InvalidInput,
                    "is not a file of spots: 'format' must be 'flentro-spots'", file);
    std::vector<Viewpoint> views;
    for (const Json& point : jsonArray(*json, "spots")) {
        const Json& eye = jsonArray(point, "eye");
        bool sound = eye.size() == 3;
        Viewpoint view;
        for (std::size_t k = 0; sound && k < 3; ++k) {
            sound = eye[k].is_number();
            if (sound) view.eye[static_cast<Eigen::Index>(k)] = eye[k].get<double>();
        }
        if (!sound || !isInReach(view.eye))
            return fail(ErrorCode::InvalidInput,
                        std::string("'eye' must be three numbers of metres, none ") + kBeyondReach,
                        fmt::format("{}: spot {}", file, views.size() + 1));
        view.heading = jsonOr(point, "heading", 0.0);
        view.pitch = jsonOr(point, "pitch", 0.0);
        views.push_back(view);
    }
    if (views.empty()) return fail(ErrorCode::InvalidInput, "holds no spots", file);
    return views;
}

Expected<std::vector<FrameSample>> readFrameTimes(const std::string& csv, const Survey& survey) {
    std::istringstream lines(csv);
    std::string line;
    std::getline(lines, line);
    const char separator = csvSeparator(line);
    const std::vector<std::string> header = splitCsvLine(line, separator);
    const auto column = [&](const char* name) {
        return static_cast<std::size_t>(std::find(header.begin(), header.end(), name) -
                                        header.begin());
    };
    const std::size_t columns[] = {column("spot"), column("heading"), column("ms")};
    for (const std::size_t index : columns)
        if (index == header.size())
            return fail(ErrorCode::InvalidInput, "the first line must name spot, heading and ms",
                        "line 1");
    std::vector<FrameSample> samples;
    for (std::size_t number = 2; std::getline(lines, line); ++number) {
        const std::vector<std::string> cells = splitCsvLine(line, separator);
        if (cells.size() == 1 && cells[0].empty()) continue;
        const auto bad = [&](const char* what) {
            return fail(ErrorCode::InvalidInput, what, fmt::format("line {}", number));
        };
        if (cells.size() < header.size()) return bad("has fewer columns than the first line");
        if (cells.size() > header.size())
            return bad(
                "has more columns than the first line; numbers with a decimal comma need "
                "another separator, or quotes");
        const auto heading = numberOf(cells[columns[1]]);
        const auto milliseconds = numberOf(cells[columns[2]]);
        if (!heading || !milliseconds) return bad("heading and ms must be numbers");
        const auto view = findView(survey, cells[columns[0]], *heading);
        if (!view) return bad("the survey has no spot of that name");
        samples.push_back({cells[columns[0]], *heading,
                           viewTerms(survey, view->first, view->second), *milliseconds});
    }
    return samples;
}

}  // namespace flentro
