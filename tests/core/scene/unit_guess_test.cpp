// Which unit and axis is meant, of shapes of many kinds in all orientations and units.

#include "scene/unit_guess.h"

#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "support/meshes.h"

namespace flentro {
namespace {

using testing::Contains;

/// Triangles in metres with Y up, from simple bodies.
class Shape {
public:
    explicit Shape(std::string name) : name_(std::move(name)) {}

    Shape& box(const Vec3d& low, const Vec3d& size, int cells = 1, double turn = 0) {
        const Vec3d middle = low + size / 2;
        const Eigen::AngleAxisd about(turn, Vec3d::UnitY());
        const auto at = [&](double x, double y, double z) {
            return Vec3d(middle + about * (Vec3d(x, y, z).cwiseProduct(size) - size / 2));
        };
        for (int i = 0; i < cells; ++i)
            for (int k = 0; k < cells; ++k) {
                const double a = static_cast<double>(i) / cells,
                             b = static_cast<double>(i + 1) / cells;
                const double c = static_cast<double>(k) / cells,
                             d = static_cast<double>(k + 1) / cells;
                quad(at(a, c, 0), at(a, d, 0), at(b, d, 0), at(b, c, 0));
                quad(at(a, c, 1), at(b, c, 1), at(b, d, 1), at(a, d, 1));
                quad(at(0, a, c), at(0, a, d), at(0, b, d), at(0, b, c));
                quad(at(1, a, c), at(1, b, c), at(1, b, d), at(1, a, d));
                quad(at(a, 0, c), at(b, 0, c), at(b, 0, d), at(a, 0, d));
                quad(at(a, 1, c), at(a, 1, d), at(b, 1, d), at(b, 1, c));
            }
        return *this;
    }
    /// Turned about the upright line through (x, z): radii at heights.
    Shape& lathe(double x, double z, const std::vector<std::pair<double, double>>& profile,
                 int around = 24) {
        const auto at = [&](std::size_t i, int k) {
            const double angle = 2 * std::numbers::pi * k / around;
            return Vec3d(x + profile[i].first * std::cos(angle), profile[i].second,
                         z + profile[i].first * std::sin(angle));
        };
        for (std::size_t i = 0; i + 1 < profile.size(); ++i)
            for (int k = 0; k < around; ++k)
                quad(at(i, k), at(i + 1, k), at(i + 1, k + 1), at(i, k + 1));
        return *this;
    }
    /// Open ground.
    Shape& ground(double size, int cells, const std::function<double(double, double)>& height) {
        for (int i = 0; i < cells; ++i)
            for (int k = 0; k < cells; ++k) {
                const auto at = [&](int a, int b) {
                    const double x = size * (static_cast<double>(a) / cells - 0.5);
                    const double z = size * (static_cast<double>(b) / cells - 0.5);
                    return Vec3d(x, height(x, z), z);
                };
                quad(at(i, k), at(i, k + 1), at(i + 1, k + 1), at(i + 1, k));
            }
        return *this;
    }
    Shape& moved(const Vec3d& by) {
        for (Vec3d& point : points_) point += by;
        return *this;
    }
    [[nodiscard]] const std::string& name() const { return name_; }

    /// As a file in a unit has it.
    [[nodiscard]] Scene scene(const LengthUnit& unit, UpAxis up) const {
        std::vector<Vec3f> points;
        std::vector<std::uint32_t> indices;
        for (const Vec3d& p : points_) {
            const Vec3d turned = up == 'Z' ? Vec3d(p.x(), -p.z(), p.y()) : p;
            points.push_back((turned / unit.metres).cast<float>());
            indices.push_back(static_cast<std::uint32_t>(indices.size()));
        }
        Mesh mesh;
        mesh.parts.push_back(test::makePart(std::move(points), std::move(indices)));
        return test::makeScene({{test::named(std::move(mesh), name_.c_str()), {0, 0, 0}}});
    }

private:
    void quad(const Vec3d& a, const Vec3d& b, const Vec3d& c, const Vec3d& d) {
        points_.insert(points_.end(), {a, b, c, a, c, d});
    }
    std::string name_;
    std::vector<Vec3d> points_;
};

Guess<UpAxis> upOf(const Scene& scene, const GuessHints& hints) {
    return ReadingGuess(scene, hints).up();
}
Guess<const LengthUnit*> unitOf(const Scene& scene, const GuessHints& hints) {
    return ReadingGuess(scene, hints).unit();
}

std::vector<Shape> shapes() {
    std::mt19937 random(2);
    std::uniform_real_distribution<double> u(0, 1);
    std::vector<Shape> all;
    const auto add = [&](const char* name) -> Shape& { return all.emplace_back(name); };
    Shape& town = add("town");
    for (int i = 0; i < 30; ++i)
        town.box({static_cast<double>(i % 6) * 40, 0, static_cast<double>(i / 6) * 40},
                 {10 + 10 * u(random), 8 + 30 * u(random), 10 + 10 * u(random)}, 4, u(random));
    town.moved({-110, 0, -90});
    add("hills").ground(
        2000, 60, [](double x, double z) { return 60 * std::sin(x / 200) * std::cos(z / 170); });
    add("track")
        .ground(900, 50, [](double x, double) { return 3 * std::sin(x / 90); })
        .box({-200, 3, -100}, {30, 12, 20}, 3, 0.4);
    Shape& hall = add("hall");
    hall.box({-20, -0.2, -30}, {40, 0.2, 60}, 6);
    for (int i = 0; i < 8; ++i)
        hall.box({-18 + (i % 2) * 35.0, 0, -28 + (i / 2) * 18.0}, {1, 9, 1}, 2);
    Shape& table = add("table");
    table.box({-0.8, 0.72, -0.4}, {1.6, 0.03, 0.8}, 3);
    for (int i = 0; i < 4; ++i)
        table.box({(i % 2) * 1.5 - 0.78, 0, (i / 2) * 0.7 - 0.38}, {0.06, 0.72, 0.06}, 2);
    Shape& chair = add("chair");
    chair.box({-0.22, 0.44, -0.22}, {0.44, 0.04, 0.44}, 3)
        .box({-0.22, 0.48, 0.18}, {0.44, 0.45, 0.04}, 3);
    for (int i = 0; i < 4; ++i)
        chair.box({(i % 2) * 0.4 - 0.22, 0, (i / 2) * 0.4 - 0.22}, {0.04, 0.44, 0.04}, 2);
    add("shelf")
        .box({-0.5, 0, -0.15}, {0.03, 1.8, 0.3}, 3)
        .box({0.47, 0, -0.15}, {0.03, 1.8, 0.3}, 3)
        .box({-0.5, 0, -0.15}, {1, 0.03, 0.3}, 3)
        .box({-0.5, 0.6, -0.15}, {1, 0.03, 0.3}, 3)
        .box({-0.5, 1.2, -0.15}, {1, 0.03, 0.3}, 3)
        .box({-0.5, 1.77, -0.15}, {1, 0.03, 0.3}, 3);
    Shape& car = add("car");
    car.box({-0.85, 0.35, -2.1}, {1.7, 0.5, 4.2}, 6).box({-0.75, 0.85, -1.2}, {1.5, 0.55, 2.1}, 5);
    for (int i = 0; i < 4; ++i)
        car.box({(i % 2) * 1.6 - 0.9, 0, (i / 2) * 2.6 - 1.6}, {0.2, 0.62, 0.62}, 3);
    add("vase").lathe(
        0, 0,
        {{0, 0}, {0.06, 0}, {0.09, 0.05}, {0.11, 0.12}, {0.07, 0.22}, {0.04, 0.28}, {0.05, 0.3}});
    add("bust")
        .lathe(0, 0.01,
               {{0, 0},
                {0.13, 0},
                {0.12, 0.03},
                {0.05, 0.08},
                {0.06, 0.16},
                {0.09, 0.22},
                {0.08, 0.3},
                {0.03, 0.34},
                {0, 0.345}})
        .box({-0.02, 0.2, 0.08}, {0.04, 0.05, 0.04}, 2);
    Shape& tree = add("tree");
    tree.lathe(0, 0, {{0.25, 0}, {0.2, 1.5}, {0.12, 4}}, 10);
    for (int i = 0; i < 60; ++i)
        tree.box({2.6 * (u(random) - 0.5), 2.5 + 3.5 * u(random), 2.6 * (u(random) - 0.5)},
                 {0.5, 0.3, 0.5}, 1, u(random));
    add("tower").lathe(0, 0, {{0, 0}, {4, 0}, {3.5, 10}, {3, 24}, {3.6, 25}, {3.6, 27}, {0, 33}});
    Shape& bridge = add("bridge");
    bridge.box({-60, 12, -4}, {120, 1, 8}, 8);
    for (int i = 0; i < 4; ++i) bridge.box({-45 + 30.0 * i, 0, -2}, {3, 12, 4}, 3);
    Shape& stairs = add("stairs");
    for (int i = 0; i < 12; ++i) stairs.box({0, 0, 0.28 * i}, {1.2, 0.18 * (i + 1), 0.28}, 2);
    Shape& person = add("person");
    person.box({-0.2, 0.85, -0.1}, {0.4, 0.6, 0.22}, 4)
        .box({-0.17, 0, -0.08}, {0.14, 0.85, 0.16}, 4)
        .box({0.03, 0, -0.08}, {0.14, 0.85, 0.16}, 4)
        .box({-0.32, 0.75, -0.06}, {0.1, 0.68, 0.12}, 4)
        .box({0.22, 0.75, -0.06}, {0.1, 0.68, 0.12}, 4)
        .box({-0.09, 1.5, -0.1}, {0.18, 0.24, 0.2}, 4)
        .box({-0.17, 0, 0.08}, {0.14, 0.08, 0.12}, 2)
        .box({0.03, 0, 0.08}, {0.14, 0.08, 0.12}, 2);
    Shape& house = add("house");
    house.box({-5, 0, -4}, {10, 5, 8}, 5)
        .box({-5.4, 5, -4.4}, {10.8, 0.3, 8.8}, 4)
        .lathe(0, 0, {{7, 5.3}, {0, 8.5}}, 4);
    add("lamp post")
        .lathe(0, 0, {{0, 0}, {0.15, 0}, {0.08, 0.3}, {0.05, 4.5}, {0, 4.5}}, 12)
        .box({-0.1, 4.3, 0}, {0.2, 0.15, 0.9}, 3);
    add("sofa")
        .box({-1, 0.1, -0.45}, {2, 0.35, 0.9}, 4)
        .box({-1, 0.45, 0.2}, {2, 0.45, 0.25}, 4)
        .box({-1, 0.1, -0.45}, {0.2, 0.6, 0.9}, 4)
        .box({0.8, 0.1, -0.45}, {0.2, 0.6, 0.9}, 4);
    Shape& ship = add("ship");
    ship.box({-5, -3, -30}, {10, 6, 60}, 6)
        .box({-4, 3, 8}, {8, 8, 12}, 4)
        .lathe(0, 20, {{0.4, 11}, {0.2, 22}}, 8);
    add("room")
        .box({-3, 0, -2.5}, {6, 0.1, 5}, 5)
        .box({-3, 0.1, -2.5}, {0.1, 2.5, 5}, 5)
        .box({2.9, 0.1, -2.5}, {0.1, 2.5, 5}, 5)
        .box({-2.9, 0.1, 2.4}, {5.8, 2.5, 0.1}, 5)
        .box({-1, 0.1, 0}, {1.4, 0.75, 0.7}, 3, 0.3);
    return all;
}

struct Tally {
    int right = 0, asked = 0, all = 0;
    std::string wrong;  ///< And not asked.
};

/// All shapes both ways up, of formats that mostly are either; raised: no end lies at 0.
Tally guessAllUps(double raised) {
    Tally tally;
    for (Shape& shape : shapes())
        for (const UpAxis up : {'Y', 'Z'})
            for (const UpAxis usual : {'Y', 'Z'}) {
                Shape there = shape;
                there.moved(Vec3d(0.3, 1, 0.7) * raised);
                const auto guess = upOf(there.scene(*findUnit("m"), up), {usual, false});
                ++tally.all;
                tally.right += guess.choice == up;
                tally.asked += guess.isUnclear();
                if (guess.choice != up && !guess.isUnclear())
                    tally.wrong += fmt::format("{} with {} up, usual {}: {:.2f} {}\n", shape.name(),
                                               up, usual, guess.probability, guess.reasons.front());
            }
    return tally;
}

TEST(UnitGuess, UpIsRightOrAsked) {
    const Tally tally = guessAllUps(0);
    EXPECT_GE(tally.all, 80);
    EXPECT_EQ(tally.wrong, "");
    EXPECT_GE(tally.right, 0.95 * tally.all) << tally.right;
    EXPECT_LE(tally.asked, 0.25 * tally.all) << "who asks always is of no help";
}

TEST(UnitGuess, WithNothingAtZeroMoreIsAsked) {
    const Tally tally = guessAllUps(0.37);
    EXPECT_EQ(tally.wrong, "");
    EXPECT_GE(tally.right, 0.85 * tally.all) << tally.right;
    EXPECT_LE(tally.asked, 0.5 * tally.all) << tally.asked;
}

Tally guessAllUnits(const char* unit) {
    Tally tally;
    for (const Shape& shape : shapes()) {
        const auto guess = unitOf(shape.scene(*findUnit(unit), 'Y'), {'Y', false});
        ++tally.all;
        tally.right += guess.choice == findUnit(unit);
        tally.asked += guess.isUnclear();
        if (guess.choice != findUnit(unit) && !guess.isUnclear())
            tally.wrong += fmt::format("{} in {}: {} {:.2f}\n", shape.name(), unit,
                                       guess.choice->key, guess.probability);
    }
    return tally;
}

/// Of a bare shape that is as long as a car in centimetres or a street in metres nobody knows.
TEST(UnitGuess, UnitIsRightOrAsked) {
    for (const auto& [unit, right] : {std::pair("m", 0.9), std::pair("mm", 0.6)}) {
        const Tally tally = guessAllUnits(unit);
        EXPECT_EQ(tally.wrong, "");
        EXPECT_GE(tally.right, right * tally.all) << unit << ": " << tally.right;
    }
    EXPECT_EQ(guessAllUnits("cm").wrong, "");
}

TEST(UnitGuess, PartsToBeMadeAreInMillimetres) {
    const Scene part = test::makeScene({{test::makeBox({30, 20, 10}), {0, 0, 0}}});
    EXPECT_STREQ(unitOf(part, {'Z', true}).choice->key, "mm");
    EXPECT_FALSE(unitOf(part, {'Z', true}).isUnclear());
}

TEST(UnitGuess, WhatTellsNothingIsAsked) {
    const Scene ball = test::makeScene({{test::makeSphere(32, 16, 22), {0, 0, 0}}});
    EXPECT_TRUE(upOf(ball, {'Y', false}).isUnclear());
    EXPECT_EQ(upOf(ball, {'Z', false}).choice, 'Z') << "as files of the format mostly have it";
    EXPECT_TRUE(unitOf(ball, {'Y', false}).isUnclear()) << "44 m or 44 mm";
    const Scene nothing = test::makeScene({{test::makeBox({0, 0, 0}), {0, 0, 0}}});
    EXPECT_TRUE(unitOf(nothing, {'Y', false}).isUnclear());
    EXPECT_TRUE(upOf(nothing, {'Y', false}).isUnclear());
}

TEST(UnitGuess, NamesTellMachinesFromPlaces) {
    const Scene machine =
        test::makeScene({{test::named(test::makeBox({400, 300, 200}), "Piston_03"), {0, 0, 0}},
                         {test::named(test::makeBox({20, 20, 40}), "hex bolt M8"), {0, 300, 0}}});
    EXPECT_THAT(machineParts(machine), Contains("piston"));
    EXPECT_THAT(machineParts(machine), Contains("bolt"));
    EXPECT_STREQ(unitOf(machine, {'Y', false}).choice->key, "mm");
    const Scene place = test::makeScene(
        {{test::named(test::makeBox({400, 300, 200}), "street house"), {0, 0, 0}},
         {test::named(test::makeBox({20, 20, 40}), "tree trunk, road"), {0, 300, 0}}});
    EXPECT_TRUE(machineParts(place).empty());
    EXPECT_STREQ(unitOf(place, {'Y', false}).choice->key, "m");
}

TEST(UnitGuess, TheReadingIsDescribedWithWhatSpeaksForIt) {
    Scene scene = test::makeScene({{test::makeBox({42, 3, 3}), {0, 0, 0}}});
    EXPECT_EQ(describeReading(scene), "Read in metres with Y up, as the file says: 42.0 m long.");
    EXPECT_FALSE(isReadingUnclear(scene.sourceUnits));
    scene.sourceUnits = {"m", 'Z', true, true, 0.62, 0.97, "mm", "it would be 42.0 m long", "", ""};
    EXPECT_EQ(
        describeReading(scene),
        "Read in metres (a guess, 62 % sure: it would be 42.0 m long; else millimetres) with Z "
        "up (a guess, 97 % sure): 42.0 m long.");
    EXPECT_TRUE(isReadingUnclear(scene.sourceUnits));
}

}  // namespace
}  // namespace flentro
