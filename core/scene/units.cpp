#include "scene/units.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "base/index.h"
#include "base/median.h"

namespace flentro {
namespace {

constexpr std::array kUnits = {
    LengthUnit{"mm", "millimetres", 0.001}, LengthUnit{"cm", "centimetres", 0.01},
    LengthUnit{"in", "inches", 0.0254},     LengthUnit{"ft", "feet", 0.3048},
    LengthUnit{"m", "metres", 1},           LengthUnit{"km", "kilometres", 1000},
};
constexpr const LengthUnit& kMetre = kUnits[4];

/// Area of surfaces that face +Y and +Z, of a sample of the scene's triangles.
struct FacingArea {
    double y = 0;
    double z = 0;
};

FacingArea facingArea(const Scene& scene) {
    constexpr std::size_t kSample = 200'000;
    std::size_t placed = 0;
    for (const Object& object : scene.objects) placed += scene.mesh(object).triangles;
    const std::size_t step = placed / kSample + 1;
    std::map<const Stream*, std::vector<Vec3f>> known;
    FacingArea area;
    std::size_t next = 0;  // Triangles until the next of the sample.
    for (const Object& object : scene.objects)
        for (const Part& part : scene.mesh(object).parts) {
            const Stream* stream = part.find("POSITION");
            if (!stream || part.triangleCount() <= next) {
                next -= std::min(next, part.triangleCount());
                continue;
            }
            auto& points = known[stream];
            if (points.empty()) points = toVectors(*stream);
            std::size_t t = next;
            for (; t < part.triangleCount(); t += step) {
                std::array<Vec3d, 3> p;
                for (std::size_t c = 0; c < 3; ++c)
                    p[c] = object.world.topLeftCorner<3, 3>() *
                           points[part.indices[3 * t + c]].cast<double>();
                const Vec3d cross = (p[1] - p[0]).cross(p[2] - p[0]);
                const double twice = cross.norm();
                constexpr double kFacing = 0.8;
                if (cross.y() > kFacing * twice) area.y += twice;
                if (cross.z() > kFacing * twice) area.z += twice;
            }
            next = t - part.triangleCount();
        }
    return area;
}

/// The middle one of the lengths of edges of a sample of the triangles, in the file's unit; 0
/// for too few.
double medianEdge(const Scene& scene) {
    constexpr std::size_t kSample = 20'000;
    std::size_t placed = 0;
    for (const Object& object : scene.objects) placed += scene.mesh(object).triangles;
    const std::size_t step = placed / kSample + 1;
    std::vector<double> edges;
    for (const Object& object : scene.objects)
        for (const Part& part : scene.mesh(object).parts) {
            const Stream* points = part.find("POSITION");
            const auto pointAt = [&](std::uint32_t v) {
                return Vec3d(static_cast<double>(points->value(v, 0)),
                             static_cast<double>(points->value(v, 1)),
                             static_cast<double>(points->value(v, 2)));
            };
            for (std::size_t t = 0; points && t < part.triangleCount(); t += step)
                edges.push_back(
                    object.scale *
                    (pointAt(part.indices[3 * t]) - pointAt(part.indices[3 * t + 1])).norm());
        }
    constexpr std::size_t kEnough = 30;  // A plate of few faces tells nothing.
    if (edges.size() < kEnough) return 0;
    return median(std::move(edges));
}

Mat4d toMetresAndYUp(const LengthUnit& unit, UpAxis up) {
    Mat4d matrix = Mat4d::Identity();
    if (up == 'Z') {
        matrix.topLeftCorner<3, 3>() << 1, 0, 0,  //
            0, 0, 1,                              //
            0, -1, 0;
    }
    matrix.topLeftCorner<3, 3>() *= unit.metres;
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

const LengthUnit& guessUnit(const Scene& scene, bool small) {
    const Box box = scene.bounds();
    if (box.isEmpty() || box.sizes().maxCoeff() <= 0) return kMetre;
    const Vec3d sizes = box.sizes();
    const double length = sizes.maxCoeff();
    const bool isFlat = sizes.minCoeff() < 0.2 * length;
    const double least = isFlat && !small ? 1 : 0.02;
    const double most = isFlat ? 20'000 : 40;
    std::array<const char*, 3> order = {"m", "cm", "mm"};
    if (scene.textures.empty()) order = {"m", "mm", "cm"};
    if (small) order = {"mm", "m", "cm"};
    constexpr double kLongestEdge = 60;
    const double edge = medianEdge(scene);
    for (const char* key : order) {
        const LengthUnit& unit = *findUnit(key);
        if (length * unit.metres >= least && length * unit.metres <= most &&
            edge * unit.metres <= kLongestEdge)
            return unit;
    }
    return kMetre;
}

UpAxis guessUpAxis(const Scene& scene, UpAxis usual) {
    const Box box = scene.bounds();
    if (box.isEmpty()) return usual;
    const Vec3d sizes = box.sizes();
    const FacingArea area = facingArea(scene);
    constexpr double kClearly = 2;
    constexpr double kFlat = 0.5;
    if (area.z > kClearly * area.y && sizes.z() < kFlat * std::min(sizes.x(), sizes.y()))
        return 'Z';
    if (area.y > kClearly * area.z && sizes.y() < kFlat * std::min(sizes.x(), sizes.z()))
        return 'Y';
    return usual;
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
