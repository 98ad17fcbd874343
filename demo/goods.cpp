// Small things: what stands on the quay and on the stalls.

#include <fmt/format.h>

#include <cmath>
#include <functional>

#include "props.h"

namespace flentro::demo {
namespace {

/// A smooth profile through points, `steps` rows between neighbours.
std::vector<Vec2f> smoothProfile(const std::vector<Vec2f>& points, int steps) {
    std::vector<Vec2f> result;
    const auto at = [&](std::size_t i) { return points[std::min(i, points.size() - 1)]; };
    for (std::size_t i = 0; i + 1 < points.size(); ++i)
        for (int k = 0; k < steps; ++k) {
            const float t = static_cast<float>(k) / static_cast<float>(steps);
            const Vec2f& a = points[i == 0 ? 0 : i - 1];
            const Vec2f& b = points[i];
            const Vec2f& c = at(i + 1);
            const Vec2f& d = at(i + 2);
            Vec2f p = 0.5F * (2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t * t +
                              (3 * b - a - 3 * c + d) * t * t * t);  // Catmull & Rom 1974
            p.x() = std::max(p.x(), 0.001F);
            result.push_back(p);
        }
    result.push_back(points.back());
    return result;
}

/// Fine relief like that of a scanned stone.
float relief(float u, float v) {
    return 0.006F * noise(u, v, 48, 3, 77) + 0.0012F * noise(u, v, 400, 2, 78);
}

struct Limb {
    std::vector<Vec3f> spine;
    std::vector<float> radius;
    float flatten;  ///< Depth to width.
};

/// A closed body part around a spine, dense like a scan.
void addLimb(MeshBuilder& builder, const Limb& limb, int around, int along) {
    const auto last = static_cast<float>(limb.spine.size() - 1);
    const auto sample = [last](const auto& values, float v) {
        const float x = std::clamp(v, 0.0F, 1.0F) * last;
        const auto i = std::min(static_cast<std::size_t>(x), values.size() - 2);
        const float t = x - static_cast<float>(i);
        const float s = t * t * (3 - 2 * t);
        using Value = std::decay_t<decltype(values[0])>;
        return Value(values[i] * (1 - s) + values[i + 1] * s);
    };
    builder.sheet(
        along, around,
        [=](float u, float v) -> Vec3f {
            const float angle = v * kTurn;
            const float r = sample(limb.radius, u) + relief(u - std::floor(u), v - std::floor(v));
            const Vec3f centre = sample(limb.spine, u);
            return centre + Vec3f(r * std::cos(angle), 0, r * limb.flatten * std::sin(angle));
        },
        {1, 1});
}

using AddLimb = std::function<void(const Limb& shape, int along, int around)>;

void addOtterTrunk(const AddLimb& limb) {
    limb({{{0, 0, 0.02F},
           {0, 0.12F, 0.02F},
           {0, 0.4F, 0},
           {0, 0.75F, -0.03F},
           {0, 1.02F, 0},
           {0, 1.16F, 0.02F},
           {0, 1.2F, 0.02F}},
          {0.001F, 0.27F, 0.31F, 0.24F, 0.17F, 0.13F, 0.001F},
          0.85F},
         320, 250);
    limb({{{0, 1.10F, 0.03F},
           {0, 1.16F, 0.04F},
           {0.01F, 1.27F, 0.06F},
           {0.01F, 1.36F, 0.05F},
           {0.01F, 1.40F, 0.05F}},
          {0.001F, 0.135F, 0.165F, 0.11F, 0.001F},
          1.1F},
         200, 180);
    limb({{{0.01F, 1.19F, 0.18F}, {0.01F, 1.2F, 0.2F}, {0.02F, 1.25F, 0.22F}, {0.02F, 1.28F, 0.2F}},
          {0.001F, 0.075F, 0.07F, 0.001F},
          1.2F},
         90, 80);
}

/// Ears, arms and legs.
void addOtterPairs(const AddLimb& limb) {
    for (const float side : {-1.0F, 1.0F}) {
        limb({{{side * 0.12F, 1.33F, 0.0F},
               {side * 0.14F, 1.36F, 0},
               {side * 0.15F, 1.41F, 0},
               {side * 0.15F, 1.43F, 0}},
              {0.001F, 0.045F, 0.035F, 0.001F},
              0.6F},
             60, 50);
        limb({{{side * 0.20F, 0.62F, 0.20F},
               {side * 0.19F, 0.66F, 0.22F},
               {side * 0.20F, 0.85F, 0.12F},
               {side * 0.12F, 0.98F, 0.02F}},
              {0.001F, 0.075F, 0.085F, 0.001F},
              1},
             120, 100);
        limb({{{side * 0.17F, 0.0F, 0.2F},
               {side * 0.18F, 0.05F, 0.2F},
               {side * 0.17F, 0.11F, 0.16F},
               {side * 0.15F, 0.2F, 0.05F}},
              {0.001F, 0.12F, 0.11F, 0.001F},
              1.7F},
             100, 90);
    }
}

}  // namespace

/// Upright, paws before the chest, looking a little to the side.
MeshPtr makeOtter(const SceneBuilder& s) {
    const Detail& d = s.detail();
    MeshBuilder b("carved otter");
    b.material(s.material("otter stone"));
    const auto limb = [&](const Limb& shape, int along, int around) {
        const double share = d.mesh < 1 ? 0.8 : 1;  // the small version is to stay below 2 MB
        const auto segments = [&](int full) { return d.segments(static_cast<int>(full * share)); };
        addLimb(b, shape, segments(around), segments(along));
    };
    addOtterTrunk(limb);
    addOtterPairs(limb);
    limb({{{0, 0.02F, -0.25F},
           {0, 0.05F, -0.3F},
           {0.05F, 0.16F, -0.38F},
           {0.1F, 0.5F, -0.3F},
           {0.1F, 0.6F, -0.28F}},
          {0.001F, 0.11F, 0.09F, 0.05F, 0.001F},
          1.4F},
         140, 100);
    return b.finish();
}

MeshPtr makeBollard(const SceneBuilder& s) {
    const Detail& d = s.detail();
    MeshBuilder b("bollard");
    b.material(s.material("iron"));
    b.lathe(smoothProfile({{0.001F, 0.86F},
                           {0.12F, 0.85F},
                           {0.19F, 0.78F},
                           {0.17F, 0.70F},
                           {0.12F, 0.64F},
                           {0.13F, 0.3F},
                           {0.15F, 0.1F},
                           {0.2F, 0.05F},
                           {0.21F, 0}},
                          4),
            d.segments(48));
    b.material(s.material("rope hemp"));
    std::vector<Vec3f> path;
    const int turns = 9;
    const int steps = d.segments(64) * turns;
    for (int i = 0; i <= steps; ++i) {
        const float t = static_cast<float>(i) / static_cast<float>(steps);
        const float angle = t * kTurn * turns;
        path.emplace_back(0.148F * std::cos(angle), 0.14F + 0.42F * t, 0.148F * std::sin(angle));
    }
    b.tube(path, 0.024F, d.segments(16));
    return b.finish();
}

MeshPtr makeCrate(const SceneBuilder& s, const std::string& name, const Mat4f& before) {
    MeshBuilder b(name);
    b.material(s.material("planks crate"));
    const auto board = [&](const Mat4f& where, float w, float h, float depth) {
        b.at(before * where).box(w, h, depth);
    };
    const int boards = s.detail().segments(4);
    const float step = 0.6F / static_cast<float>(boards);
    for (int side = 0; side < 4; ++side) {
        const Mat4f turn = rotationY(90.0F * static_cast<float>(side));
        for (int i = 0; i < boards; ++i)
            board(turn * translation(0, 0.02F + step * static_cast<float>(i), 0.3F), 0.6F,
                  0.87F * step, 0.02F);
        for (const float x : {-0.27F, 0.27F})
            board(turn * translation(x, 0, 0.318F), 0.06F, 0.6F, 0.02F);
    }
    for (int i = 0; i < boards; ++i)
        for (const float y : {0.02F, 0.58F})
            board(translation(step * (static_cast<float>(i) + 0.5F) - 0.3F, y, 0), 0.87F * step,
                  0.02F, 0.6F);
    return b.finish();
}

MeshPtr makeBarrel(const SceneBuilder& s) {
    const Detail& d = s.detail();
    MeshBuilder b("barrel");
    b.material(s.material("planks oak"));
    b.lathe(smoothProfile({{0.001F, 0.9F},
                           {0.27F, 0.9F},
                           {0.29F, 0.9F},
                           {0.35F, 0.45F},
                           {0.29F, 0},
                           {0.27F, 0},
                           {0.001F, 0.01F}},
                          5),
            d.segments(32));
    b.material(s.material("iron"));
    for (const float y : {0.1F, 0.3F, 0.58F, 0.78F}) {
        const float r = 0.352F - std::fabs(y - 0.45F) * 0.13F;
        b.lathe({{r, y + 0.05F}, {r + 0.006F, y + 0.04F}, {r + 0.006F, y + 0.01F}, {r, y}},
                d.segments(32));
    }
    return b.finish();
}

MeshPtr makeLantern(const SceneBuilder& s, int variant) {
    const Detail& d = s.detail();
    MeshBuilder b(fmt::format("lantern {}", variant + 1));
    const float h = 0.3F + 0.06F * static_cast<float>(variant % 3) + (variant > 2 ? 0.02F : 0);
    b.material(s.material("brass"));
    b.lathe(
        smoothProfile(
            {{0.02F, h + 0.14F}, {0.03F, h + 0.1F}, {0.12F, h + 0.03F}, {0.13F, h}, {0.001F, h}},
            4),
        d.segments(24));
    b.lathe(smoothProfile({{0.001F, 0.03F}, {0.12F, 0.03F}, {0.13F, 0}, {0.001F, 0}}, 3),
            d.segments(24));
    for (int i = 0; i < 6; ++i) {
        const float a = kTurn * static_cast<float>(i) / 6;
        b.at(translation(0.11F * std::cos(a), 0.02F, 0.11F * std::sin(a)))
            .cylinder(0.006F, h - 0.02F, 6);
    }
    b.at(Mat4f::Identity()).material(s.material("lantern glow"));
    b.lathe(smoothProfile({{0.001F, h - 0.03F},
                           {0.09F, h - 0.05F},
                           {0.1F, h * 0.5F},
                           {0.09F, 0.05F},
                           {0.001F, 0.04F}},
                          4),
            d.segments(20));
    return b.finish();
}

MeshPtr makeJar(const SceneBuilder& s, int variant) {
    const Detail& d = s.detail();
    MeshBuilder b(fmt::format("jar {}", variant + 1));
    const float r = 0.05F + 0.008F * static_cast<float>(variant % 4);
    const float h = 0.16F + 0.03F * static_cast<float>(variant % 3);
    b.material(s.material(variant % 2 == 0 ? "glaze" : shade("enamel", variant)));
    b.lathe(smoothProfile({{0.001F, h},
                           {r * 0.5F, h},
                           {r * 0.55F, h * 0.92F},
                           {r * 0.6F, h * 0.85F},
                           {r, h * 0.7F},
                           {r, h * 0.1F},
                           {r * 0.9F, 0},
                           {0.001F, 0}},
                          4),
            d.segments(28));
    b.material(s.material("jar label"));
    b.lathe({{r + 0.001F, h * 0.6F}, {r + 0.001F, h * 0.2F}}, d.segments(28));
    return b.finish();
}

MeshPtr makeKettle(const SceneBuilder& s, int variant) {
    const Detail& d = s.detail();
    MeshBuilder b(fmt::format("kettle {}", variant + 1));
    const float k = 1 + 0.15F * static_cast<float>(variant);
    b.at(scaling(k, k, k)).material(s.material("kettle enamel"));
    b.lathe(smoothProfile({{0.001F, 0.23F},
                           {0.015F, 0.225F},
                           {0.02F, 0.2F},
                           {0.07F, 0.185F},
                           {0.12F, 0.1F},
                           {0.11F, 0.02F},
                           {0.1F, 0},
                           {0.001F, 0}},
                          4),
            d.segments(32));
    std::vector<Vec3f> spout;
    for (int i = 0; i <= 8; ++i) {
        const float t = static_cast<float>(i) / 8;
        spout.emplace_back(0.1F + 0.1F * t, 0.08F + 0.1F * t * t, 0);
    }
    b.tube(spout, 0.016F, d.segments(12));
    b.material(s.material("brass"));
    std::vector<Vec3f> handle;
    for (int i = 0; i <= 16; ++i) {
        const float a = static_cast<float>(kPi) * static_cast<float>(i) / 16;
        handle.emplace_back(0.09F * std::cos(a), 0.17F + 0.12F * std::sin(a), 0);
    }
    b.tube(handle, 0.008F, d.segments(10));
    return b.finish();
}

MeshPtr makeCup(const SceneBuilder& s, int variant) {
    const Detail& d = s.detail();
    MeshBuilder b(fmt::format("cup {}", variant + 1));
    b.material(s.material(shade("enamel", variant)));
    const int shape = variant / 6;
    const float h = 0.08F + 0.01F * static_cast<float>(shape);
    b.lathe(smoothProfile({{0.001F, 0.012F},
                           {0.03F, 0.015F},
                           {0.036F, h},
                           {0.04F, h},
                           {0.038F, h * 0.5F},
                           {0.028F, 0},
                           {0.001F, 0}},
                          3),
            d.segments(20));
    std::vector<Vec3f> handle;
    for (int i = 0; i <= 8; ++i) {
        const float a = static_cast<float>(kPi) * (static_cast<float>(i) / 8 - 0.5F);
        handle.emplace_back(0.036F + 0.025F * std::cos(a), h * 0.5F + 0.025F * std::sin(a), 0);
    }
    b.tube(handle, 0.004F, 6);
    return b.finish();
}

MeshPtr makeBasket(const SceneBuilder& s, int variant) {
    const Detail& d = s.detail();
    MeshBuilder b(fmt::format("basket {}", variant + 1));
    b.material(s.material("wicker"));
    const float r = 0.2F + 0.03F * static_cast<float>(variant);
    b.lathe(smoothProfile({{0.001F, 0.04F},
                           {r * 0.7F, 0.04F},
                           {r * 0.9F, 0.22F},
                           {r, 0.25F},
                           {r * 0.98F, 0.22F},
                           {r * 0.75F, 0.01F},
                           {0.001F, 0}},
                          4),
            d.segments(28));
    b.material(s.material(shade("enamel", variant + 1)));
    for (int i = 0; i < 9; ++i) {
        const float a = 2.4F * static_cast<float>(i);
        const float at = r * 0.22F * std::sqrt(static_cast<float>(i));
        b.at(translation(at * std::cos(a), 0.13F + 0.02F * static_cast<float>(i % 3),
                         at * std::sin(a)))
            .lathe(
                smoothProfile({{0.001F, 0.09F}, {0.04F, 0.075F}, {0.045F, 0.04F}, {0.001F, 0}}, 3),
                d.segments(12));
    }
    return b.finish();
}

MeshPtr makeHerb(const SceneBuilder& s, int variant) {
    const Detail& d = s.detail();
    MeshBuilder b(fmt::format("potted herb {}", variant + 1));
    b.material(s.material("brick house"));
    b.lathe(smoothProfile({{0.001F, 0.13F},
                           {0.075F, 0.13F},
                           {0.085F, 0.15F},
                           {0.09F, 0.15F},
                           {0.07F, 0},
                           {0.001F, 0}},
                          2),
            d.segments(18));
    b.material(s.material("leaves herb"));
    const int cards = d.segments(22);
    for (int i = 0; i < cards; ++i) {
        const float a = 137.5F * static_cast<float>(i + variant);
        const float lean = 15 + 45 * noise(0.1F * static_cast<float>(i % 10), 0.5F, 8, 1, 3);
        b.at(translation(0, 0.13F, 0) * rotationY(a) * rotationX(lean)).card(0.16F, 0.2F);
    }
    return b.finish();
}

MeshPtr makeScales(const SceneBuilder& s) {
    const Detail& d = s.detail();
    MeshBuilder b("scales");
    b.material(s.material("iron"));
    b.box(0.3F, 0.03F, 0.14F).at(translation(0, 0.03F, 0)).cylinder(0.012F, 0.32F, d.segments(12));
    b.at(translation(0, 0.33F, 0)).box(0.4F, 0.02F, 0.02F);
    b.material(s.material("brass"));
    for (const float x : {-0.19F, 0.19F})
        b.at(translation(x, 0.2F, 0))
            .lathe(
                smoothProfile({{0.001F, 0.012F}, {0.09F, 0.03F}, {0.095F, 0.03F}, {0.001F, 0}}, 3),
                d.segments(24));
    return b.finish();
}

MeshPtr makeSign(const SceneBuilder& s, int variant) {
    MeshBuilder b(fmt::format("sign {}", variant + 1));
    b.material(s.material("iron")).at(translation(0, 0.62F, 0)).box(0.05F, 0.04F, 0.04F);
    b.material(s.material(shade("sign", variant)));
    const int size = variant / 6;
    const float w = 0.7F + 0.1F * static_cast<float>(size);
    for (const float turn : {0.0F, 180.0F})
        b.at(rotationY(turn) * translation(0, 0, 0.02F)).card(w, 0.6F);
    return b.finish();
}

MeshPtr makeLampPost(const SceneBuilder& s) {
    const Detail& d = s.detail();
    MeshBuilder b("lamp post");
    b.material(s.material("iron"));
    b.lathe(smoothProfile({{0.001F, 3.1F},
                           {0.03F, 3.08F},
                           {0.04F, 2.9F},
                           {0.045F, 1},
                           {0.07F, 0.6F},
                           {0.1F, 0.5F},
                           {0.11F, 0.06F},
                           {0.14F, 0},
                           {0.001F, 0}},
                          3),
            d.segments(16));
    std::vector<Vec3f> arm;
    for (int i = 0; i <= 14; ++i) {
        const float a = static_cast<float>(kPi) * static_cast<float>(i) / 14;
        arm.emplace_back(0.25F - 0.25F * std::cos(a), 3.0F + 0.14F * std::sin(a), 0);
    }
    b.tube(arm, 0.022F, d.segments(10));
    return b.finish();
}

MeshPtr makeBench(const SceneBuilder& s) {
    const Detail& d = s.detail();
    MeshBuilder b("bench");
    b.material(s.material("planks oak"));
    for (int i = 0; i < 4; ++i)
        b.at(translation(0, 0.44F, -0.18F + 0.12F * static_cast<float>(i))).box(1.6F, 0.035F, 0.1F);
    for (int i = 0; i < 2; ++i)
        b.at(translation(0, 0.62F + 0.16F * static_cast<float>(i), -0.25F)).box(1.6F, 0.11F, 0.03F);
    b.material(s.material("iron"));
    for (const float x : {-0.7F, 0.7F}) {
        std::vector<Vec3f> leg;
        for (int i = 0; i <= 12; ++i) {
            const float t = static_cast<float>(i) / 12;
            leg.emplace_back(x, 0.44F * t, 0.2F - 0.06F * std::sin(t * kTurn / 2));
        }
        b.at(Mat4f::Identity()).tube(leg, 0.02F, d.segments(10));
        b.at(translation(x, 0, -0.22F)).box(0.05F, 0.92F, 0.05F);
    }
    return b.finish();
}

MeshPtr makeReeds(const SceneBuilder& s, int variant) {
    const Detail& d = s.detail();
    MeshBuilder b(fmt::format("reeds {}", variant + 1));
    b.material(s.material("reed"));
    const int stems = d.segments(36);
    for (int i = 0; i < stems; ++i) {
        const float a = 2.399F * static_cast<float>(i + variant * 7);
        const float r = 0.09F * std::sqrt(static_cast<float>(i));
        const float h = 1.1F + 0.8F * noise(0.37F * static_cast<float>(i % 8) / 3, 0.2F, 9, 1, 5);
        const float lean = 0.12F * std::sin(static_cast<float>(i) * 1.7F);
        std::vector<Vec3f> stem;
        for (int k = 0; k <= 4; ++k) {
            const float t = static_cast<float>(k) / 4;
            stem.emplace_back(r * std::cos(a) + lean * t * t, h * t,
                              r * std::sin(a) + lean * t * t);
        }
        b.tube(stem, 0.011F, 4);
    }
    return b.finish();
}

}  // namespace flentro::demo
