// Things that are there once or twice, and what furnishes the warehouse.

#include <array>
#include <cmath>

#include "props.h"

namespace flentro::demo {
namespace {

/// A straight bar along x whose long edges are bevelled. `width` and `bevel` in metres.
void bevelledBar(MeshBuilder& b, const Mat4f& where, float length, float width, float bevel) {
    const float h = width / 2;
    const float c = h - bevel;
    const std::array<Vec2f, 8> profile = {
        {{h, -c}, {h, c}, {c, h}, {-c, h}, {-h, c}, {-h, -c}, {-c, -h}, {c, -h}}};
    for (std::size_t i = 0; i < profile.size(); ++i) {
        const Vec2f& from = profile[i];
        const Vec2f& to = profile[(i + 1) % profile.size()];
        b.at(where).sheet(1, 1, [&](float u, float v) {
            const Vec2f at = from + (to - from) * v;
            return Vec3f((0.5F - u) * length, at.y(), at.x());
        });
    }
}

}  // namespace

MeshPtr makeWinch(const SceneBuilder& s) {
    const Detail& d = s.detail();
    MeshBuilder b("mooring winch");
    b.material(s.material("iron"));
    for (const float x : {-0.5F, 0.5F}) b.at(translation(x, 0, 0)).box(0.08F, 0.9F, 0.5F);
    b.at(translation(-0.46F, 0.65F, 0) * rotationZ(-90))
        .lathe({{0.001F, 0.92F},
                {0.28F, 0.92F},
                {0.28F, 0.88F},
                {0.16F, 0.82F},
                {0.16F, 0.1F},
                {0.28F, 0.04F},
                {0.28F, 0},
                {0.001F, 0}},
               d.segments(40));
    b.at(translation(0.5F, 0.65F, 0))
        .tube({{0, 0, 0}, {0.25F, 0, 0}, {0.3F, 0.3F, 0}, {0.55F, 0.3F, 0}}, 0.025F,
              d.segments(12));
    b.material(s.material("rope hemp"));
    std::vector<Vec3f> rope;
    const int steps = d.segments(40) * 7;
    for (int i = 0; i <= steps; ++i) {
        const float t = static_cast<float>(i) / static_cast<float>(steps);
        const float a = t * kTurn * 7;
        rope.emplace_back(-0.33F + 0.66F * t, 0.65F + 0.18F * std::cos(a), 0.18F * std::sin(a));
    }
    b.at(Mat4f::Identity()).tube(rope, 0.022F, d.segments(10));
    return b.finish();
}

MeshPtr makeTarKettle(const SceneBuilder& s) {
    const Detail& d = s.detail();
    MeshBuilder b("tar kettle");
    b.material(s.material("iron"));
    b.lathe({{0.001F, 0.34F},
             {0.3F, 0.36F},
             {0.44F, 0.5F},
             {0.46F, 0.75F},
             {0.42F, 0.85F},
             {0.4F, 0.84F},
             {0.43F, 0.74F},
             {0.41F, 0.52F},
             {0.28F, 0.4F},
             {0.001F, 0.38F}},
            d.segments(48));
    for (int i = 0; i < 3; ++i) {
        const float a = kTurn * static_cast<float>(i) / 3;
        b.at(translation(0.36F * std::cos(a), 0, 0.36F * std::sin(a))).cylinder(0.03F, 0.5F, 8);
    }
    b.at(Mat4f::Identity()).material(s.material("planks tarred"));
    for (int i = 0; i < 5; ++i)
        b.at(rotationY(72.0F * static_cast<float>(i)) * translation(0.18F, 0, 0) * rotationZ(28))
            .box(0.36F, 0.07F, 0.08F);
    return b.finish();
}

MeshPtr makeWeathercock(const SceneBuilder& s) {
    const Detail& d = s.detail();
    MeshBuilder b("weathercock");
    b.material(s.material("brass"));
    b.cylinder(0.02F, 1.1F, d.segments(12));
    b.at(translation(0, 0.55F, 0)).box(0.9F, 0.03F, 0.03F);
    b.at(translation(0, 0.55F, 0)).box(0.03F, 0.03F, 0.9F);
    // Body and tail, flat like cut from a plate but round at the edge.
    const auto limb = [&](const std::vector<Vec3f>& spine, float radius) {
        b.at(translation(0, 1.05F, 0) * scaling(1, 1, 0.25F)).tube(spine, radius, d.segments(16));
    };
    limb({{-0.22F, 0.12F, 0},
          {-0.1F, 0.08F, 0},
          {0.05F, 0.1F, 0},
          {0.16F, 0.22F, 0},
          {0.2F, 0.34F, 0}},
         0.07F);
    for (int i = 0; i < 4; ++i) {
        const float a = 0.5F + 0.35F * static_cast<float>(i);
        limb({{-0.18F, 0.12F, 0},
              {-0.18F - 0.18F * std::cos(a), 0.12F + 0.18F * std::sin(a), 0},
              {-0.18F - 0.34F * std::cos(a), 0.1F + 0.26F * std::sin(a), 0}},
             0.022F);
    }
    return b.finish();
}

MeshPtr makeRailing(const SceneBuilder& s) {
    MeshBuilder b("railing");
    b.material(s.material("railing enamel"));
    for (const float y : {1.05F, 0.6F})
        bevelledBar(b, translation(0, y, 0), 3, y > 1 ? 0.06F : 0.04F, 0.004F);
    for (int i = 0; i < 16; ++i)
        bevelledBar(b, translation(-1.45F + 0.19F * static_cast<float>(i), 0.5F, 0) * rotationZ(90),
                    1, 0.022F, 0.003F);
    return b.finish();
}

MeshPtr makeTable(const SceneBuilder& s) {
    MeshBuilder b("table");
    b.material(s.material("planks oak")).at(translation(0, 0.74F, 0)).box(2.2F, 0.05F, 0.9F);
    for (const float x : {-1.0F, 1.0F})
        for (const float z : {-0.36F, 0.36F}) b.at(translation(x, 0, z)).box(0.09F, 0.735F, 0.09F);
    return b.finish();
}

MeshPtr makeChair(const SceneBuilder& s) {
    const Detail& d = s.detail();
    MeshBuilder b("chair");
    b.material(s.material("planks oak"));
    for (const float x : {-0.18F, 0.18F})
        for (const float z : {-0.18F, 0.18F})
            b.at(translation(x, 0, z)).cylinder(0.02F, z < 0 ? 0.46F : 0.95F, d.segments(10));
    for (int i = 0; i < 3; ++i)
        b.at(translation(0, 0.6F + 0.13F * static_cast<float>(i), 0.18F)).box(0.38F, 0.07F, 0.02F);
    b.material(s.material("wicker")).at(translation(0, 0.46F, 0)).box(0.42F, 0.04F, 0.42F);
    return b.finish();
}

MeshPtr makeShelf(const SceneBuilder& s) {
    const Detail& d = s.detail();
    MeshBuilder b("shelf");
    b.material(s.material("planks tarred"));
    for (const float x : {-1.1F, 1.1F}) b.at(translation(x * 1.005F, 0, 0)).box(0.05F, 2.1F, 0.42F);
    for (int i = 0; i < 5; ++i)
        b.at(translation(0, 0.1F + 0.48F * static_cast<float>(i), 0)).box(2.15F, 0.04F, 0.4F);
    b.material(s.material("glaze"));
    for (int i = 0; i < 24; ++i) {
        const int board = i / 8;
        b.at(translation(-0.95F + 0.26F * static_cast<float>(i % 8),
                         0.14F + 0.48F * static_cast<float>(board), 0.02F))
            .lathe({{0.001F, 0.26F}, {0.05F, 0.25F}, {0.09F, 0.16F}, {0.07F, 0}, {0.001F, 0}},
                   d.segments(16));
    }
    return b.finish();
}

MeshPtr makeChest(const SceneBuilder& s) {
    MeshBuilder b("loft chest");
    b.material(s.material("loft chest")).box(1.1F, 0.6F, 0.6F);
    b.material(s.material("iron"));
    for (const float x : {-0.35F, 0.35F}) b.at(translation(x, 0, 0)).box(0.06F, 0.62F, 0.62F);
    return b.finish();
}

}  // namespace flentro::demo
