#include "scene/units.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "base/index.h"
#include "base/text.h"

namespace flentro {
namespace {

constexpr std::array kUnits = {
    LengthUnit{"mm", "millimetres", 0.001}, LengthUnit{"cm", "centimetres", 0.01},
    LengthUnit{"in", "inches", 0.0254},     LengthUnit{"ft", "feet", 0.3048},
    LengthUnit{"m", "metres", 1},           LengthUnit{"km", "kilometres", 1000},
};

Mat4d toMetresAndYUp(const LengthUnit& unit, UpAxis up) {
    Mat4d matrix = Mat4d::Identity();
    matrix.topLeftCorner<3, 3>() = unit.metres * toYUp(up);
    return matrix;
}

Node makeRoot(const LengthUnit& unit, UpAxis up) {
    Node node;
    node.name = fmt::format("{}, {} up", unit.name, up);
    node.local = toMetresAndYUp(unit, up);
    Json values = Json::array();
    for (int i = 0; i < 16; ++i) values.push_back(node.local(i % 4, i / 4));
    node.rest = {{"matrix", std::move(values)}};
    return node;
}

void scaleMember(Json& object, const char* key, double by) {
    if (object.is_object() && object.contains(key) && object[key].is_number())
        object[key] = object[key].get<double>() * by;
}

/// glTF scales neither with a node: the light falls off with the square of the distance.
void scaleLight(Light& light, double by) {
    if (light.type == LightType::Directional) return;
    light.intensity = static_cast<float>(light.intensity * by * by);
    light.range = static_cast<float>(light.range * by);
    if (!light.rest.is_object()) light.rest = Json::object();
    light.rest["intensity"] = light.intensity;
    scaleMember(light.rest, "range", by);
}

void scaleCamera(Json& camera, double by) {
    for (const char* kind : {"perspective", "orthographic"})
        if (camera.is_object() && camera.contains(kind))
            for (const char* key : {"znear", "zfar", "xmag", "ymag"})
                scaleMember(camera[kind], key, by);
}

/// Roots that the same scenes show, so that one node can take them all.
std::map<std::vector<std::size_t>, std::vector<int>> rootsByScenes(const Scene& scene) {
    std::map<int, std::vector<std::size_t>> scenesOf;
    for (std::size_t s = 0; s < scene.scenes.size(); ++s)
        for (const Json& root : jsonArray(scene.scenes[s], "nodes"))
            scenesOf[root.get<int>()].push_back(s);
    std::map<std::vector<std::size_t>, std::vector<int>> groups;
    for (std::size_t i = 0; i < scene.nodes.size(); ++i)
        if (scene.nodes[i].parent < 0) {
            const auto at = scenesOf.find(static_cast<int>(i));
            if (at != scenesOf.end() || scene.scenes.empty())
                groups[at == scenesOf.end() ? std::vector<std::size_t>() : at->second].push_back(
                    static_cast<int>(i));
        }
    return groups;
}

}  // namespace

std::span<const LengthUnit> lengthUnits() {
    return kUnits;
}

const LengthUnit* findUnit(std::string_view key) {
    const auto at = std::find_if(kUnits.begin(), kUnits.end(),
                                 [&](const auto& unit) { return unit.key == key; });
    return at == kUnits.end() ? nullptr : &*at;
}

const LengthUnit* unitOfLength(double metres) {
    const auto at = std::find_if(kUnits.begin(), kUnits.end(), [&](const auto& unit) {
        return std::fabs(metres / unit.metres - 1) < 1e-3;
    });
    return at == kUnits.end() ? nullptr : &*at;
}

std::string describeProbability(double probability) {
    return fmt::format("{:.0f} % sure", 100 * std::min(probability, 0.99));
}

bool isUpUnclear(const SourceUnits& units) {
    return units.upGuessed && units.upProbability < kClearGuess;
}

bool isUnitUnclear(const SourceUnits& units) {
    return (units.unitGuessed && units.unitProbability < kClearGuess) || !units.doubt.empty();
}

Eigen::Matrix3d toYUp(UpAxis up) {
    Eigen::Matrix3d turn = Eigen::Matrix3d::Identity();
    if (up == 'Z') {
        turn << 1, 0, 0,  //
            0, 0, 1,      //
            0, -1, 0;
    }
    return turn;
}

std::string describeReading(const Scene& scene) {
    const SourceUnits& units = scene.sourceUnits;
    const auto guessed = [](double probability, const std::string& reason, const char* second) {
        return fmt::format(" (a guess, {}{}{}{}{})", describeProbability(probability),
                           reason.empty() ? "" : ": ", reason, *second ? "; else " : "", second);
    };
    const LengthUnit& unit = *findUnit(units.unit);
    const LengthUnit* second = findUnit(units.secondUnit);
    const Box box = scene.bounds();
    return fmt::format(
        "Read in {}{} with {} up{}{}{}{}", unit.name,
        units.unitGuessed
            ? guessed(units.unitProbability, units.unitReason, second ? second->name : "")
            : "",
        units.up, units.upGuessed ? guessed(units.upProbability, units.upReason, "") : "",
        units.unitGuessed || units.upGuessed ? "" : ", as the file says",
        box.isEmpty() ? "" : ": " + formatMetres(box.sizes().maxCoeff()) + " long",
        units.doubt.empty() ? "." : ". Doubtful: " + units.doubt + ".");
}

void convertUnits(Scene& scene, const LengthUnit& unit, UpAxis up) {
    if (unit.metres == 1 && up == 'Y') return;
    for (const auto& [scenes, roots] : rootsByScenes(scene)) {
        const int index = static_cast<int>(scene.nodes.size());
        scene.nodes.push_back(makeRoot(unit, up));
        scene.nodes.back().children = roots;
        for (const int root : roots) elementOf(scene.nodes, root).parent = index;
        for (const std::size_t s : scenes) {
            Json& list = scene.scenes[s]["nodes"];
            Json kept = Json::array({index});
            for (const Json& root : list)
                if (std::find(roots.begin(), roots.end(), root.get<int>()) == roots.end())
                    kept.push_back(root);
            list = std::move(kept);
        }
    }
    for (Light& light : scene.lights) scaleLight(light, unit.metres);
    for (Json& camera : scene.cameras) scaleCamera(camera, unit.metres);
    flatten(scene);
}

}  // namespace flentro
