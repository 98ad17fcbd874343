#include "scene/unit_guess.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <map>
#include <set>

#include "base/index.h"
#include "base/median.h"
#include "base/text.h"

namespace flentro {
namespace {

/// Evidence for Z (positive) against Y, as logarithms of odds.
class UpEvidence {
public:
    UpEvidence(const std::vector<PlacedTriangle>& triangles, const Box& box)
        : triangles_(triangles), box_(box), sizes_(box.sizes()) {
        for (const PlacedTriangle& t : triangles) area_ += t.area;
    }

    void weigh() {
        if (triangles_.empty() || !(area_ > 0)) return;
        add(2.2 * zeroes(), "its lower end lies at 0");
        add(facing(), "ground or tops face that way");
        add(flatness(), "it is flat that way");
        add(resting(), "it rests on a flat end");
        add(symmetry(), "the other way it is symmetric");
        add(walls(), "walls run that way");
        add(tapering(), "it narrows that way");
    }

    void add(double odds, const char* reason) {
        if (std::fabs(odds) > 0.05) found_.emplace_back(odds, reason);
        sum_ += odds;
    }

    [[nodiscard]] Guess<UpAxis> guess() const {
        Guess<UpAxis> guess;
        guess.choice = sum_ > 0 ? 'Z' : 'Y';
        guess.second = sum_ > 0 ? 'Y' : 'Z';
        guess.probability = 1 / (1 + std::exp(-std::fabs(sum_)));
        auto sorted = found_;
        std::sort(sorted.begin(), sorted.end(), [](const auto& a, const auto& b) {
            return std::fabs(a.first) > std::fabs(b.first);
        });
        for (const auto& [odds, reason] : sorted)
            if (odds * sum_ > 0) guess.reasons.emplace_back(reason);
        return guess;
    }

private:
    /// For Z by what speaks for either axis, each at least 0.
    static double against(double forY, double forZ, double most) {
        return std::clamp(forZ - forY, -most, most);
    }

    /// Whoever puts a thing on the ground puts its lower end to 0, and no other end.
    [[nodiscard]] double zeroes() const {
        const auto isZero = [&](int axis) {
            return std::fabs(box_.min()[axis]) < 1e-4 * sizes_.maxCoeff() && sizes_[axis] > 0;
        };
        if (isZero(0)) return 0;  // a corner lies there
        return static_cast<double>(isZero(2)) - static_cast<double>(isZero(1));
    }

    /// Area that faces +axis more than -axis, of all.
    [[nodiscard]] double facing() const {
        std::array<double, 3> net{};
        std::array<double, 3> both{};
        constexpr double kFacing = 0.8;
        for (const PlacedTriangle& t : triangles_)
            for (int axis = 1; axis < 3; ++axis)
                if (std::fabs(t.normal[axis]) > kFacing) {
                    elementOf(net, axis) += std::copysign(t.area, t.normal[axis]);
                    elementOf(both, axis) += t.area;
                }
        const auto score = [&](int axis) {
            const double share = std::max(0.0, elementOf(net, axis)) / area_;
            return 9 * std::min(share, 0.35);
        };
        return against(score(1), score(2), 3);
    }

    /// A place is flat the way that its ground faces.
    [[nodiscard]] double flatness() const {
        constexpr double kFlat = 0.4;
        const auto score = [&](int axis) {
            const double others = std::min(sizes_[0], sizes_[3 - axis]);
            if (others <= 0 || sizes_[axis] > kFlat * others) return 0.0;
            double level = 0;
            for (const PlacedTriangle& t : triangles_)
                if (std::fabs(t.normal[axis]) > 0.8) level += t.area;
            return 4 * std::min(level / area_, 0.6);
        };
        return against(score(1), score(2), 2.4);
    }

    /// Much area at the lower end of an axis and little at its upper end.
    [[nodiscard]] double resting() const {
        constexpr double kEnd = 0.01;
        const auto score = [&](int axis) {
            double low = 0;
            double high = 0;
            for (const PlacedTriangle& t : triangles_) {
                if (std::fabs(t.normal[axis]) < 0.98) continue;
                const double at = (t.middle[axis] - box_.min()[axis]) / sizes_[axis];
                if (at < kEnd) low += t.area;
                if (at > 1 - kEnd) high += t.area;
            }
            const double across = sizes_[0] * sizes_[3 - axis];
            return sizes_[axis] > 0 && across > 0
                       ? 2.5 * std::clamp((low - 1.5 * high) / across, 0.0, 0.6)
                       : 0;
        };
        return against(score(1), score(2), 1.5);
    }

    /// Hardly anything looks the same upside down; left and right do, and often front and back.
    [[nodiscard]] double symmetry() const {
        constexpr int kCells = 20;
        using Cell = std::array<int, 3>;
        std::set<Cell> taken;
        const auto cellOf = [&](const Vec3d& point) {
            Cell cell;
            for (int axis = 0; axis < 3; ++axis) {
                const double at =
                    sizes_[axis] > 0 ? (point[axis] - box_.min()[axis]) / sizes_[axis] : 0.5;
                elementOf(cell, axis) = std::clamp(static_cast<int>(at * kCells), 0, kCells - 1);
            }
            return cell;
        };
        for (const PlacedTriangle& t : triangles_) {
            taken.insert(cellOf(t.middle));
            for (const Vec3d& corner : t.corners)
                taken.insert(cellOf(0.9 * corner + 0.1 * t.middle));
        }
        const auto likeness = [&](int axis) {
            std::size_t same = 0;
            for (Cell cell : taken) {
                elementOf(cell, axis) = kCells - 1 - elementOf(cell, axis);
                same += taken.contains(cell);
            }
            return static_cast<double>(same) / static_cast<double>(taken.size());
        };
        // A mirror symmetry along an axis makes it unlikely that this axis points up.
        return std::clamp(4 * (likeness(1) - likeness(2)), -1.6, 1.6);
    }

    /// Walls stand: faces lie level or upright; the ways they face within the level are many.
    [[nodiscard]] double walls() const {
        const auto score = [&](int axis) {
            double square = 0;
            for (const PlacedTriangle& t : triangles_) {
                const double along = std::fabs(t.normal[axis]);
                if (along < 0.05 || along > 0.995) square += t.area;
            }
            return square / area_;
        };
        return std::clamp(3 * (score(2) - score(1)), -1.8, 1.8);
    }

    /// Things are wider below: most of their surface is.
    [[nodiscard]] double tapering() const {
        Vec3d middle = Vec3d::Zero();
        for (const PlacedTriangle& t : triangles_) middle += t.area * t.middle / area_;
        const auto score = [&](int axis) {
            return sizes_[axis] > 0 ? 0.5 - (middle[axis] - box_.min()[axis]) / sizes_[axis] : 0.0;
        };
        return std::clamp(3 * (score(2) - score(1)), -0.8, 0.8);
    }

    const std::vector<PlacedTriangle>& triangles_;
    Box box_;
    Vec3d sizes_;
    double area_ = 0;
    double sum_ = 0;
    std::vector<std::pair<double, const char*>> found_;
};

// --- units --------------------------------------------------------------------------------

/// Words of the list that occur in names of nodes, meshes and materials.
std::vector<std::string> wordsIn(const Scene& scene, std::span<const char* const> words) {
    std::set<std::string> names;
    for (const Node& node : scene.nodes) names.insert(lowerCase(node.name));
    for (const Asset& asset : scene.assets) names.insert(lowerCase(asset.mesh->name));
    for (const Material& material : scene.materials) names.insert(lowerCase(material.name));
    std::vector<std::string> found;
    for (const char* word : words)
        if (std::ranges::any_of(names, [&](const std::string& name) {
                return name.find(word) != std::string::npos;
            }))
            found.emplace_back(word);
    return found;
}

constexpr std::array<const char*, 16> kMachineWords = {
    "bolt",   "screw", "piston", "gear",   "bearing", "flange", "valve", "gasket",
    "washer", "crank", "camsh",  "sprock", "bushing", "rivet",  "shaft", "cylinder head"};
constexpr std::array<const char*, 16> kPlaceWords = {
    "ground", "terrain", "road",  "street", "building", "house", "roof", "wall",
    "floor",  "grass",   "track", "town",   "city",     "tree",  "room", "fence"};

/// A normal density of the logarithm of a length, of 1 at its middle, never quite 0.
double likelihood(double metres, double middle, double spread) {
    const double off = std::log10(metres / middle) / spread;
    return std::exp(-off * off / 2) + 1e-4;
}

/// The middle one of the lengths of edges, 0 for too few.
double medianEdge(const std::vector<PlacedTriangle>& triangles) {
    constexpr std::size_t kEnough = 30;  // Fewer edges have no meaningful median.
    std::vector<double> edges;
    const std::size_t step = triangles.size() / 20'000 + 1;
    for (std::size_t i = 0; i < triangles.size(); i += step)
        edges.push_back((triangles[i].corners[1] - triangles[i].corners[0]).norm());
    return edges.size() < kEnough ? 0 : median(std::move(edges));
}

/// How likely files use a unit whose format does not say it, of things and of places.
struct Prior {
    double thing, place;
};
Prior priorOf(std::string_view key, bool isPainted, bool isSmall) {
    if (key == "m") return {isSmall ? 0.05 : 0.45, 0.6};
    if (key == "cm") return {isSmall ? 0.03 : isPainted ? 0.25 : 0.14, 0.2};
    if (key == "mm") return {isSmall ? 0.86 : isPainted ? 0.1 : 0.27, 0.06};
    if (key == "in") return {0.05, 0.03};
    if (key == "ft") return {isSmall ? 0.005 : 0.04, 0.06};
    return {0.001, 0.01};
}

/// Share of the surface that faces one way more than the other: open ground.
double openShare(const std::vector<PlacedTriangle>& triangles) {
    Vec3d net = Vec3d::Zero();
    double area = 0;
    for (const PlacedTriangle& t : triangles) {
        net += t.area * t.normal;
        area += t.area;
    }
    return area > 0 ? net.norm() / area : 0;
}

}  // namespace

ReadingGuess::ReadingGuess(const Scene& scene, const GuessHints& hints)
    : scene_(scene), hints_(hints), triangles_(samplePlacedTriangles(scene, kSample)) {}

Guess<UpAxis> ReadingGuess::up() const {
    UpEvidence evidence(triangles_, scene_.bounds());
    constexpr double kUsual = 0.7;
    evidence.add(hints_.up == 'Z' ? kUsual : -kUsual, "files of this format mostly have it so");
    if (!scene_.bounds().isEmpty()) evidence.weigh();
    return evidence.guess();
}

std::vector<std::string> machineParts(const Scene& scene) {
    return wordsIn(scene, kMachineWords);
}

Guess<const LengthUnit*> ReadingGuess::unit() const {
    const Box box = scene_.bounds();
    Guess<const LengthUnit*> guess{findUnit("m"), 0, findUnit("cm"), {}};
    const double length = box.isEmpty() ? 0 : box.sizes().maxCoeff();
    if (!(length > 0)) return guess;
    const double edge = medianEdge(triangles_);
    const std::vector<std::string> machine = machineParts(scene_);
    const std::vector<std::string> place = wordsIn(scene_, kPlaceWords);
    const double flat = box.sizes().minCoeff() / length;
    // How likely it is a place, and not a thing that one could walk around.
    constexpr double kOpen = 0.4;
    double odds = flat < 0.1 ? 1.0 : flat < 0.25 ? 0.0 : -1.2;
    if (openShare(triangles_) > kOpen) odds += 2.5;
    odds += 0.8 * static_cast<double>(std::min<std::size_t>(place.size(), 4));
    odds -= 0.8 * static_cast<double>(std::min<std::size_t>(machine.size(), 4));
    if (hints_.isSmall) odds -= 3;
    if (scene_.objects.size() > 200) odds += 0.5;
    const double isPlace = 1 / (1 + std::exp(-odds));
    std::vector<std::pair<double, const LengthUnit*>> found;
    double sum = 0;
    for (const LengthUnit& unit : lengthUnits()) {
        const double whole = length * unit.metres;
        const double edges = edge * unit.metres;
        const double asPlace =
            likelihood(whole, 150, 0.9) * (edge > 0 ? likelihood(edges, 1.5, 0.9) : 1);
        const double asThing =
            likelihood(whole, hints_.isSmall ? 0.12 : 0.6, 0.7) *
            (edge > 0 ? likelihood(edges, hints_.isSmall ? 0.002 : 0.012, 0.85) : 1);
        const Prior prior = priorOf(unit.key, !scene_.textures.empty(), hints_.isSmall);
        const double likely =
            isPlace * prior.place * asPlace + (1 - isPlace) * prior.thing * asThing;
        found.emplace_back(likely, &unit);
        sum += likely;
    }
    std::stable_sort(found.begin(), found.end(),
                     [](const auto& a, const auto& b) { return a.first > b.first; });
    guess.choice = found[0].second;
    guess.second = found[1].second;
    guess.probability = found[0].first / sum;
    guess.reasons.push_back(
        fmt::format("it would be {} long", formatMetres(length * guess.choice->metres)));
    if (edge > 0)
        guess.reasons.push_back(
            fmt::format("with edges of {}", formatMetres(edge * guess.choice->metres)));
    const auto& names = isPlace > 0.5 ? place : machine;
    if (!names.empty()) guess.reasons.push_back("names such as '" + names.front() + "'");
    return guess;
}

}  // namespace flentro
