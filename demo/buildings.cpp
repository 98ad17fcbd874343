// Large things: ground, water, houses, boats, trees.

#include <fmt/format.h>

#include <cmath>

#include "props.h"

namespace flentro::demo {
namespace {

/// A level sheet facing up, `metres` of texture a repeat.
void ground(MeshBuilder& b, const Vec3f& from, const Vec3f& to, int columns, int rows, float metres,
            float bumps = 0) {
    const Vec3f size = to - from;
    b.sheet(columns, rows,
            [=](float u, float v) {
                const float wave =
                    bumps * (noise(u - std::floor(u), v - std::floor(v), 32, 3, 5) - 0.5F);
                return Vec3f(from.x() + u * size.x(), from.y() + wave, to.z() - v * size.z());
            },
            {size.x() / metres, size.z() / metres});
}

/// A wall along x with openings: (left, right, bottom, top) in metres from its lower left.
void wall(MeshBuilder& b, const Mat4f& where, float length, float height,
          const std::vector<Vec4f>& openings, float thickness = 0.4F) {
    float x = 0;
    const auto block = [&](float left, float right, float bottom, float top) {
        if (right - left < 0.01F || top - bottom < 0.01F) return;
        b.at(where * translation((left + right) / 2, bottom, 0))
            .box(right - left, top - bottom, thickness);
    };
    for (const Vec4f& o : openings) {
        block(x, o[0], 0, height);
        block(o[0], o[1], 0, o[2]);
        block(o[0], o[1], o[3], height);
        x = o[1];
    }
    block(x, length, 0, height);
}

void gable(MeshBuilder& b, const Mat4f& where, float length, float span, float rise) {
    for (const float side : {-1.0F, 1.0F}) {
        const float slope = std::hypot(span / 2 + 0.4F, rise);
        const auto angle = static_cast<float>(toDegrees(std::atan2(rise, span / 2)));
        b.at(where * translation(0, rise, 0) * rotationX(side * angle) *
             translation(0, -0.08F, side * slope / 2))
            .box(length + 0.8F, 0.16F, slope);
    }
}

}  // namespace

MeshPtr makeWater(const SceneBuilder& s, int cells) {
    MeshBuilder b("water");
    b.material(s.material("water"));
    ground(b, {-120, -1.1F, -75}, {120, -1.1F, 75}, cells, cells, 8);
    return b.finish();
}

MeshPtr makeQuay(const SceneBuilder& s, bool coarse) {
    MeshBuilder b("quay");
    const bool fine = !coarse && s.detail().mesh >= 1;
    const int columns = s.detail().segments(300);
    const int rows = s.detail().segments(118);
    b.material(s.material("cobble quay"));
    // Planted: more vertices in one part than short indices reach.
    ground(b, {-95, 0, -48}, {95, 0, -9}, fine ? 420 : columns, fine ? 158 : rows, 3, 0.05F);
    b.material(s.material("cobble lockside"));
    ground(b, {-95, 0, 9}, {95, 0, 48}, columns, rows, 3, 0.05F);
    b.material(s.material("lock stone"));
    for (const float z : {-9.0F, 9.0F})
        b.at(translation(0, -3, z + (z < 0 ? -0.3F : 0.3F))).box(190, 3.02F, 0.6F);
    return b.finish();
}

MeshPtr makeLockWalls(const SceneBuilder& s) {
    MeshBuilder b("lock walls");
    b.material(s.material("lock stone"));
    for (const float z : {-6.6F, 6.6F}) b.at(translation(0, -3, z)).box(44, 3.15F, 4.8F);
    b.material(s.material("planks tarred"));
    for (const float z : {-4.1F, 4.1F})
        for (int i = 0; i < 14; ++i)
            b.at(translation(-19.5F + 3 * static_cast<float>(i), -2.6F, z)).box(0.25F, 2.7F, 0.2F);
    return b.finish();
}

MeshPtr makeLockGate(const SceneBuilder& s) {
    MeshBuilder b("lock gate");
    b.material(s.material("planks tarred"));
    for (int i = 0; i < 9; ++i)
        b.at(translation(0.25F + 0.5F * static_cast<float>(i), -2.8F, 0)).box(0.47F, 3, 0.22F);
    for (const float y : {-2.2F, -1.0F, 0.1F})
        b.at(translation(2.2F, y, 0.16F)).box(4.6F, 0.25F, 0.12F);
    b.material(s.material("planks oak"));
    b.at(translation(-1.2F, 0.75F, 0)).box(6.6F, 0.35F, 0.35F);
    b.material(s.material("iron"));
    for (int i = 0; i < 4; ++i)
        b.at(translation(0.8F + 1.1F * static_cast<float>(i), 0.2F, -0.3F)).cylinder(0.03F, 1, 8);
    b.at(translation(2.4F, 1.2F, -0.3F)).box(3.6F, 0.05F, 0.05F);
    return b.finish();
}

MeshPtr makeFootbridge(const SceneBuilder& s) {
    const Detail& d = s.detail();
    MeshBuilder b("footbridge");
    const auto deck = [](float t) { return 2.6F * std::sin(t * static_cast<float>(kPi)); };
    b.material(s.material("planks oak"));
    for (int i = 0; i < 60; ++i) {
        const float t = (static_cast<float>(i) + 0.5F) / 60;
        b.at(translation(0, deck(t), -11 + 22 * t)).box(2.4F, 0.08F, 0.34F);
    }
    b.at(Mat4f::Identity()).material(s.material("iron"));
    for (const float x : {-1.15F, 1.15F})
        for (const float lift : {-0.15F, 0.55F, 1.05F}) {
            std::vector<Vec3f> rail;
            const int steps = d.segments(40);
            for (int i = 0; i <= steps; ++i) {
                const float t = static_cast<float>(i) / static_cast<float>(steps);
                rail.emplace_back(x, deck(t) + lift, -11 + 22 * t);
            }
            b.tube(rail, lift < 0 ? 0.14F : 0.03F, d.segments(12));
        }
    for (const float x : {-1.15F, 1.15F})
        for (int i = 0; i <= 20; ++i) {
            const float t = static_cast<float>(i) / 20;
            b.at(translation(x, deck(t), -11 + 22 * t)).cylinder(0.02F, 1.05F, d.segments(8));
        }
    return b.finish();
}

MeshPtr makeWarehouse(const SceneBuilder& s) {
    MeshBuilder b("warehouse");
    b.material(s.material("brick warehouse"));
    // Front to the quay: a gateway and two rows of windows.
    std::vector<Vec4f> front;
    for (int i = 0; i < 7; ++i) {
        const float x = 2 + 4.7F * static_cast<float>(i);
        if (i == 3)
            front.push_back({x - 0.4F, x + 2.6F, 0, 3.4F});
        else
            front.push_back({x, x + 1.8F, 1, 3});
    }
    wall(b, translation(-17.5F, 0, 10), 35, 4.2F, front);
    std::vector<Vec4f> upper;
    for (int i = 0; i < 7; ++i) {
        const float x = 2 + 4.7F * static_cast<float>(i);
        upper.push_back({x, x + 1.8F, 1, 3});
    }
    wall(b, translation(-17.5F, 4.2F, 10), 35, 4, upper);
    wall(b, translation(-17.5F, 0, -10), 35, 8.2F, {});
    for (const float x : {-17.5F, 17.5F})
        wall(b, translation(x, 0, 10) * rotationY(90), 20, 8.2F, {});
    for (const float x : {-6.0F, 6.0F})
        wall(b, translation(x, 0, 10) * rotationY(90), 20, 4.2F, {{8, 10.2F, 0, 2.6F}});
    b.material(s.material("planks oak")).at(translation(0, 4.1F, 0)).box(34.6F, 0.15F, 19.6F);
    b.material(s.material("roof slate"));
    gable(b, translation(0, 8.2F, 0), 35, 20, 4.5F);
    b.material(s.material("lit window"));
    for (int i = 0; i < 7; ++i)
        b.at(translation(-14.6F + 4.7F * static_cast<float>(i), 5.2F, 9.9F)).box(1.8F, 2, 0.04F);
    return b.finish();
}

MeshPtr makeHouse(const SceneBuilder& s) {
    MeshBuilder b("lock-keeper's house");
    b.material(s.material("brick house"));
    const std::vector<Vec4f> holes = {
        {1.2F, 2.4F, 1, 2.3F}, {4.2F, 5.3F, 0, 2.2F}, {7, 8.2F, 1, 2.3F}};
    wall(b, translation(-4.75F, 0, -4), 9.5F, 3, holes, 0.3F);
    wall(b, translation(-4.75F, 0, 4), 9.5F, 3, {}, 0.3F);
    for (const float x : {-4.75F, 4.75F})
        wall(b, translation(x, 0, 4) * rotationY(90), 8, 3, {{3, 4.6F, 1, 2.3F}}, 0.3F);
    b.material(s.material("lit window"));
    for (const float x : {-2.95F, 2.85F}) b.at(translation(x, 1, -3.95F)).box(1.2F, 1.3F, 0.04F);
    b.material(s.material("planks oak")).at(translation(0, 0, -3.95F)).box(1.1F, 2.2F, 0.06F);
    b.material(s.material("roof slate"));
    gable(b, translation(0, 3, 0), 9.5F, 8, 2.8F);
    b.material(s.material("brick house")).at(translation(3, 3.5F, 1)).box(0.8F, 3.2F, 0.8F);
    return b.finish();
}

MeshPtr makeCrane(const SceneBuilder& s) {
    const Detail& d = s.detail();
    MeshBuilder b("lattice crane");
    b.material(s.material("iron"));
    const auto bar = [&](const Vec3f& from, const Vec3f& to, float r) {
        b.tube({from, to}, r, d.segments(8));
    };
    const auto truss = [&](const Vec3f& from, const Vec3f& to, const Vec3f& side, const Vec3f& up,
                           int bays) {
        for (int c = 0; c < 4; ++c) {
            const Vec3f offset = side * (c % 2 ? 1.0F : -1.0F) + up * (c / 2 ? 1.0F : -1.0F);
            bar(from + offset, to + offset * 0.5F, 0.05F);
        }
        for (int i = 0; i < bays; ++i) {
            const auto t0 = static_cast<float>(i) / static_cast<float>(bays);
            const auto t1 = static_cast<float>(i + 1) / static_cast<float>(bays);
            const auto point = [&](float t, float x, float y) -> Vec3f {
                return from + (to - from) * t + (side * x + up * y) * (1 - 0.5F * t);
            };
            bar(point(t0, -1, -1), point(t1, 1, -1), 0.025F);
            bar(point(t0, -1, 1), point(t1, 1, 1), 0.025F);
            bar(point(t0, -1, -1), point(t1, -1, 1), 0.025F);
            bar(point(t0, 1, -1), point(t1, 1, 1), 0.025F);
        }
    };
    truss({0, 0, 0}, {0, 9, 0}, {0.8F, 0, 0}, {0, 0, 0.8F}, 10);
    truss({0, 8.6F, -0.5F}, {0, 13.5F, 13}, {0.5F, 0, 0}, {0, 0.5F, 0}, 14);
    bar({0, 13.5F, 13}, {0, 3, 13}, 0.02F);
    b.material(s.material("planks tarred")).at(translation(0, 8.2F, -1.2F)).box(2.2F, 2.2F, 2.6F);
    return b.finish();
}

MeshPtr makePlinth(const SceneBuilder& s) {
    const Detail& d = s.detail();
    MeshBuilder b("plinth");
    b.material(s.material("lock stone"));
    b.lathe({{0.001F, 1.1F},
             {0.62F, 1.1F},
             {0.64F, 1.06F},
             {0.64F, 0.98F},
             {0.52F, 0.92F},
             {0.52F, 0.25F},
             {0.7F, 0.18F},
             {0.72F, 0},
             {0.001F, 0}},
            d.segments(40));
    return b.finish();
}

MeshPtr makeStall(const SceneBuilder& s, int variant) {
    const Detail& d = s.detail();
    MeshBuilder b(fmt::format("stall {}", variant + 1));
    b.material(s.material("planks oak"));
    for (int i = 0; i < 6; ++i)
        b.at(translation(0, 0.84F, -0.5F + 0.2F * static_cast<float>(i))).box(3, 0.04F, 0.18F);
    for (int i = 0; i < 15; ++i)
        b.at(translation(-1.4F + 0.2F * static_cast<float>(i), 0.05F, 0.55F))
            .box(0.18F, 0.78F, 0.025F);
    b.material(s.material("planks tarred"));
    for (const float x : {-1.45F, 1.45F})
        for (const float z : {-0.6F, 0.6F})
            b.at(translation(x, 0, z)).box(0.09F, z < 0 ? 2.5F : 2.2F, 0.09F);
    b.at(translation(0, 2.16F, 0.6F))
        .box(3, 0.08F, 0.08F)
        .at(translation(0, 2.46F, -0.6F))
        .box(3, 0.08F, 0.08F);
    b.material(s.material(shade("enamel", variant)));
    b.at(translation(0, 0.5F, -0.2F)).box(2.7F, 0.04F, 0.6F);
    if (variant >= 6) b.at(translation(0, 0.25F, -0.2F)).box(2.7F, 0.04F, 0.6F);
    b.material(s.material("rope hemp"));
    std::vector<Vec3f> swag;
    for (int i = 0; i <= 30; ++i) {
        const float t = static_cast<float>(i) / 30;
        swag.emplace_back(-1.45F + 2.9F * t,
                          0.72F - 0.12F * std::sin(t * 3 * static_cast<float>(kPi)), 0.6F);
    }
    b.at(Mat4f::Identity()).tube(swag, 0.02F, d.segments(10));
    return b.finish();
}

MeshPtr makeAwning(const SceneBuilder& s, int variant) {
    const Detail& d = s.detail();
    MeshBuilder b(fmt::format("awning {}", variant + 1));
    b.material(s.material(shade("canvas", variant)));
    const int columns = d.segments(36);
    const int rows = d.segments(18);
    // Corners of cells lie where neighbours have theirs, to the bit: sheets count them differently.
    const auto isCorner = [](float t, int cells) {
        const float at = t * static_cast<float>(cells);
        return std::fabs(at - std::round(at)) < 1e-3F;
    };
    const auto cloth = [&](float u, float v, float below) {
        const float drop = v > 0.85F ? (v - 0.85F) * (variant < 6 ? 2.2F : 2.7F) : 0;
        const float sag =
            0.07F * std::sin(u * static_cast<float>(kPi)) * std::sin(v * static_cast<float>(kPi));
        const float scallop = v > 0.95F ? 0.04F * std::sin(u * 30 * static_cast<float>(kPi)) : 0;
        Vec3f place(-1.7F + 3.4F * u, 2.56F - 0.36F * v - sag - drop + scallop - below,
                    -0.75F + 1.75F * std::min(v, 0.88F));
        constexpr float kGrid = 4096;  // steps a metre
        if (isCorner(u, columns) && isCorner(v, rows))
            for (float& x : place) x = std::round(x * kGrid) / kGrid;
        return place;
    };
    constexpr float kThick = 0.01F;
    b.sheet(columns, rows, [&](float u, float v) { return cloth(u, 1 - v, 0); });
    b.sheet(columns, rows, [&](float u, float v) { return cloth(u, v, kThick); });
    // Its hems: the cloth is closed.
    b.sheet(columns, 1, [&](float u, float v) { return cloth(1 - u, 1, v * kThick); });
    b.sheet(columns, 1, [&](float u, float v) { return cloth(u, 0, v * kThick); });
    b.sheet(rows, 1, [&](float u, float v) { return cloth(0, 1 - u, v * kThick); });
    b.sheet(rows, 1, [&](float u, float v) { return cloth(1, u, v * kThick); });
    return b.finish();
}

MeshPtr makeNarrowboat(const SceneBuilder& s, int variant) {
    const Detail& d = s.detail();
    MeshBuilder b(fmt::format("narrowboat {}", variant + 1));
    const float length = 14 + static_cast<float>(variant % 3) * 1.5F;
    const auto beam = [](float u) {
        const float bow = std::min(1.0F, (1 - u) * 5);
        const float stern = std::min(1.0F, u * 9 + 0.35F);
        return 1.05F * std::sqrt(bow) * std::sqrt(stern);
    };
    b.material(s.material("iron"));
    b.sheet(d.segments(90), d.segments(20),
            [&](float u, float v) {
                const float uc = std::clamp(u, 0.0F, 1.0F);
                const float a = (v - 0.5F) * static_cast<float>(kPi);
                const float rise = 0.5F * std::pow(std::max(0.0F, uc - 0.75F) * 4, 2.0F);
                const float side = std::clamp(std::sin(a) * 1.35F, -1.0F, 1.0F) * beam(uc);
                return Vec3f((u - 0.5F) * length,
                             -0.55F + 1.15F * std::pow(std::fabs(2 * v - 1), 2.2F) + rise, side);
            },
            {length / 2, 2});
    b.material(s.material("planks oak"));
    b.at(translation(0.3F, 0.42F, 0)).box(length * 0.9F, 0.06F, 1.7F);
    b.material(s.material(shade("boat", variant)));
    const float cabin = length * 0.62F;
    for (const float z : {-0.82F, 0.82F})
        b.at(translation(-length * 0.1F, 0.45F, z) * rotationY(z < 0 ? 180.0F : 0.0F))
            .card(cabin, 1.15F);
    for (const float x : {-1.0F, 1.0F})
        b.at(translation(-length * 0.1F + x * cabin / 2, 0.45F, 0) * rotationY(90 * x))
            .card(1.64F, 1.15F);
    b.material(s.material(shade("enamel", variant + 2)));
    b.at(translation(-length * 0.1F, 1.6F, 0));
    b.sheet(d.segments(60), d.segments(14),
            [&](float u, float v) {
                return Vec3f((u - 0.5F) * (cabin + 0.2F),
                             0.12F * std::sin(v * static_cast<float>(kPi)), 0.88F - 1.76F * v);
            },
            {6, 1});
    b.material(s.material("lit window"));
    for (int i = 0; i < 6; ++i)
        for (const float z : {-0.83F, 0.83F})
            b.at(translation(-length * 0.1F - cabin * 0.38F + cabin * 0.15F * static_cast<float>(i),
                             0.95F, z))
                .box(0.5F, 0.34F, 0.02F);
    b.material(s.material("brass"));
    b.at(translation(-length * 0.3F, 1.6F, 0.2F)).cylinder(0.07F, 0.55F, d.segments(16));
    b.material(s.material("rope hemp"));
    for (const float x : {-0.47F, 0.46F}) {
        std::vector<Vec3f> coil;
        for (int i = 0; i <= 60; ++i) {
            const float a = static_cast<float>(i) * 0.6F;
            const float r = 0.05F + 0.003F * static_cast<float>(i);
            coil.emplace_back(x * length + r * std::cos(a), 0.52F, r * std::sin(a));
        }
        b.at(Mat4f::Identity()).tube(coil, 0.018F, d.segments(8));
    }
    return b.finish();
}

MeshPtr makePoplar(const SceneBuilder& s, int variant) {
    const Detail& d = s.detail();
    MeshBuilder b(fmt::format("poplar {}", variant + 1));
    const float h = 13 + 2 * static_cast<float>(variant);
    b.material(s.material("planks tarred"));
    b.lathe({{0.001F, h * 0.9F}, {0.12F, h * 0.5F}, {0.3F, 0.3F}, {0.42F, 0}}, d.segments(14));
    b.material(s.material("leaves poplar"));
    const int cards = d.segments(260);
    for (int i = 0; i < cards; ++i) {
        const float t = static_cast<float>(i) / static_cast<float>(cards);
        const float a = 137.508F * static_cast<float>(i + 11 * variant);
        const float spread =
            0.3F + 1.25F * std::sin(std::min(t * 1.15F, 1.0F) * static_cast<float>(kPi));
        const float r = spread * (0.4F + 0.6F * noise(t, 0.3F, 16, 2, 9));
        b.at(rotationY(a) * translation(0, 1.6F + t * (h - 2.4F), r) * rotationX(-18))
            .card(1.3F, 1.9F);
    }
    return b.finish();
}

MeshPtr makeHill(const SceneBuilder& s, int variant) {
    const Detail& d = s.detail();
    MeshBuilder b(fmt::format("hill {}", variant + 1));
    b.material(s.material("hills"));
    b.sheet(d.segments(80), d.segments(24),
            [&](float u, float v) {
                const float uc = std::clamp(u, 0.0F, 0.999F);
                const float vc = std::clamp(v, 0.0F, 1.0F);
                const float ridge = noise(uc, 0.37F + 0.1F * static_cast<float>(variant), 6, 4,
                                          90U + static_cast<unsigned>(variant));
                const float envelope = std::sin(uc * static_cast<float>(kPi));
                return Vec3f(
                    -160 + 320 * u,
                    (8 + 42 * ridge) * envelope * std::sin(vc * static_cast<float>(kPi) / 2) - 2,
                    60 - 90 * v);
            },
            {20, 5});
    return b.finish();
}

MeshPtr makeMeadow(const SceneBuilder& s) {
    MeshBuilder b("meadow");
    b.material(s.material("meadow"));
    const int cells = s.detail().segments(40);
    for (const float z : {-1.0F, 1.0F})
        ground(b, {-420, -0.15F, z < 0 ? -420.0F : 48.0F}, {420, -0.15F, z < 0 ? -48.0F : 420.0F},
               cells, cells, 12, 1.2F);
    return b.finish();
}

MeshPtr makeSky(const SceneBuilder& s) {
    MeshBuilder b("dusk sky");
    b.material(s.material("dusk sky"));
    constexpr float kRadius = 600;  ///< Metres: whole within the far plane of most targets.
    b.sheet(s.detail().segments(48), s.detail().segments(16),
            [](float u, float v) {
                const float a = u * kTurn;
                const float e = (v - 0.1F) * static_cast<float>(kPi) / 2;
                return Vec3f(kRadius * std::cos(e) * std::cos(a), kRadius * std::sin(e),
                             kRadius * std::cos(e) * std::sin(a));
            },
            {1, 1});
    return b.finish();
}

}  // namespace flentro::demo
