#include "people.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "props.h"

namespace flentro::demo {
namespace {

enum Bone : std::uint8_t {
    Hips,
    Spine,
    Head,
    LeftArm,
    RightArm,
    LeftThigh,
    RightThigh,
    LeftShin,
    RightShin
};
constexpr float kStep = 0.55F;   ///< Seconds of one step.
constexpr float kKnee = 0.50F;   ///< Metres above the ground.
constexpr float kPole = 0.002F;  ///< Metres: where profiles end, so that no triangle is a line.
constexpr float kBend = 0.06F;   ///< Half of the height over which a joint bends, metres.

/// What moves a vertex: two bones and the share of the second.
struct Influence {
    Bone first = Hips, second = Hips;
    float share = 0;
};

/// From `low` to `high` across a height.
Influence across(float y, float height, Bone low, Bone high) {
    return {low, high, std::clamp((y - height + kBend) / (2 * kBend), 0.0F, 1.0F)};
}

Influence influenceOn(const Vec3f& p) {
    const bool left = p.x() > 0;
    if (std::fabs(p.x()) > 0.235F && p.y() > 0.7F)
        return {Spine, left ? LeftArm : RightArm, std::clamp((1.44F - p.y()) / 0.1F, 0.0F, 1.0F)};
    if (p.y() > 1.3F) return across(p.y(), 1.47F, Spine, Head);
    if (p.y() > 0.68F) return across(p.y(), 1.05F, Hips, Spine);
    if (std::fabs(p.x()) > 0.18F || p.y() > 0.56F) return {};
    return across(p.y(), kKnee, left ? LeftShin : RightShin, left ? LeftThigh : RightThigh);
}

/// Adds joints and weights as glTF's smallest layout has them: bytes.
void addSkin(Part& part) {
    const std::vector<Vec3f> points = positionsOf(part);
    Stream joints{ComponentType::UInt8, 4, false, false, {}};
    Stream weights{ComponentType::UInt8, 4, true, false, {}};
    joints.data.resize(points.size() * 4);
    weights.data.resize(points.size() * 4);
    for (std::size_t v = 0; v < points.size(); ++v) {
        const Influence on = influenceOn(points[v]);
        const auto second = static_cast<int>(std::lround(on.share * 255));
        joints.data[4 * v] = std::byte{on.first};
        weights.data[4 * v] = static_cast<std::byte>(255 - second);
        if (second == 0) continue;
        joints.data[4 * v + 1] = std::byte{on.second};
        weights.data[4 * v + 1] = static_cast<std::byte>(second);
    }
    part.set("JOINTS_0", std::move(joints));
    part.set("WEIGHTS_0", std::move(weights));
}

/// A profile about the figure's middle that is `depth` times as deep as it is wide.
void turnAround(MeshBuilder& mesh, const std::vector<Vec2f>& profile, int sides, float depth) {
    mesh.at(scaling(1, 1, depth)).lathe(profile, sides);
}

/// Half circles from pole to pole.
std::vector<Vec2f> ball(float radius, float height, int rings) {
    std::vector<Vec2f> profile;
    for (int i = 0; i <= rings; ++i) {
        const float angle = kTurn / 2 * static_cast<float>(i) / static_cast<float>(rings);
        profile.emplace_back(std::max(kPole, radius * std::sin(angle)),
                             height + radius * std::cos(angle));
    }
    return profile;
}

void addLegs(MeshBuilder& mesh, int sides, float top) {
    for (const float x : {-0.095F, 0.095F}) {
        mesh.at(Mat4f::Identity())
            .tube({{x, top, 0},
                   {x, kKnee + 0.06F, 0.01F},
                   {x, kKnee - 0.06F, 0.01F},
                   {x, 0.06F, -0.02F}},
                  0.068F, sides);
        mesh.at(translation(x, 0.055F, 0.05F) * scaling(1, 0.8F, 2))
            .lathe(ball(0.068F, 0, 6), sides);
    }
}

void addCoat(MeshBuilder& mesh, int sides) {
    turnAround(mesh,
               {{kPole, 1.50F},
                {0.06F, 1.50F},
                {0.10F, 1.47F},
                {0.20F, 1.42F},
                {0.225F, 1.34F},
                {0.20F, 1.15F},
                {0.185F, 1.02F},
                {0.20F, 0.92F},
                {0.225F, 0.75F},
                {0.235F, 0.62F},
                {0.20F, 0.60F},
                {kPole, 0.62F}},
               sides, 0.72F);
    for (const float side : {-1.0F, 1.0F})
        mesh.at(Mat4f::Identity())
            .tube({{side * 0.245F, 1.40F, 0},
                   {side * 0.285F, 1.24F, -0.01F},
                   {side * 0.30F, 1.06F, 0.02F},
                   {side * 0.29F, 0.88F, 0.10F}},
                  0.055F, std::max(3, sides / 2));
}

void addCloak(MeshBuilder& mesh, int sides) {
    turnAround(mesh,
               {{kPole, 1.76F},
                {0.07F, 1.74F},
                {0.125F, 1.66F},
                {0.135F, 1.58F},
                {0.11F, 1.49F},
                {0.17F, 1.42F},
                {0.225F, 1.32F},
                {0.235F, 1.1F},
                {0.25F, 0.9F},
                {0.285F, 0.7F},
                {0.315F, 0.45F},
                {0.34F, 0.2F},
                {0.30F, 0.18F},
                {kPole, 0.25F}},
               sides, 0.8F);
}

MeshPtr withSkin(const MeshPtr& made) {
    Mesh mesh = *made;
    for (Part& part : mesh.parts) addSkin(part);
    return finishMesh(std::move(mesh));
}

/// Turns of one bone over a step to each side: angles in degrees about X at five even times.
struct Swing {
    Bone bone;
    std::array<float, 5> degrees;
};
constexpr std::array<Swing, 6> kSwings = {{{LeftThigh, {24, 0, -22, 4, 24}},
                                           {RightThigh, {-22, 4, 24, 0, -22}},
                                           {LeftShin, {6, 4, 14, 42, 6}},
                                           {RightShin, {14, 42, 6, 4, 14}},
                                           {LeftArm, {-18, 0, 16, 0, -18}},
                                           {RightArm, {16, 0, -18, 0, 16}}}};

Stream swingStream(const Swing& swing) {
    Stream turns;
    turns.components = 4;
    turns.data.resize(swing.degrees.size() * turns.elementSize());
    for (std::size_t i = 0; i < swing.degrees.size(); ++i) {
        // A leg that goes forward, to +Z, turns backwards about X.
        const auto half = static_cast<float>(toRadians(-swing.degrees[i])) / 2;
        turns.set(i, 0, std::sin(half));
        turns.set(i, 3, std::cos(half));
    }
    return turns;
}

Stream stepTimes() {
    Stream times;
    times.components = 1;
    times.data.resize(5 * times.elementSize());
    for (std::size_t i = 0; i < 5; ++i) times.set(i, 0, kStep * static_cast<float>(i) / 2);
    return times;
}

}  // namespace

std::vector<Joint> goerJoints() {
    return {{"hips", -1, {0, 0.95F, 0}},
            {"spine", Hips, {0, 1.12F, 0}},
            {"head", Spine, {0, 1.48F, 0}},
            {"left arm", Spine, {0.24F, 1.40F, 0}},
            {"right arm", Spine, {-0.24F, 1.40F, 0}},
            {"left thigh", Hips, {0.095F, 0.92F, 0}},
            {"right thigh", Hips, {-0.095F, 0.92F, 0}},
            {"left shin", LeftThigh, {0.095F, kKnee, 0}},
            {"right shin", RightThigh, {-0.095F, kKnee, 0}}};
}

MeshPtr makeGoer(const SceneBuilder& s, int kind) {
    const int sides = s.detail().segments(16);
    MeshBuilder mesh(kind == 0 ? "market-goer in a coat" : "market-goer in a cloak");
    mesh.material(s.material(shade("enamel", kind == 0 ? 4 : 1)));
    if (kind == 0)
        addCoat(mesh, sides);
    else
        addCloak(mesh, sides);
    mesh.material(s.material("planks tarred"));
    addLegs(mesh, std::max(4, sides / 2), kind == 0 ? 0.7F : 0.6F);
    if (kind == 0) {
        turnAround(mesh,
                   {{kPole, 1.83F},
                    {0.09F, 1.82F},
                    {0.105F, 1.72F},
                    {0.19F, 1.70F},
                    {0.19F, 1.685F},
                    {0.09F, 1.69F},
                    {kPole, 1.69F}},
                   sides, 1);
    }
    mesh.material(s.material("skin"));
    mesh.at(translation(0, 0, kind == 0 ? 0.0F : 0.035F))
        .lathe(ball(0.108F, 1.6F, s.detail().segments(10)), sides);
    for (const float side : {-1.0F, 1.0F})
        if (kind == 0)
            mesh.at(translation(side * 0.29F, 0.85F, 0.12F))
                .lathe(ball(0.05F, 0, 6), std::max(3, sides / 2));
    return withSkin(mesh.finish());
}

void animateWalk(SceneBuilder& scene, const std::vector<int>& figures) {
    std::vector<BoneMotion> motions;
    for (const Swing& swing : kSwings)
        motions.push_back({swing.bone, "rotation", swingStream(swing)});
    const float high = goerJoints()[Hips].at.y();
    const float low = high - 0.03F;
    motions.push_back({Hips, "translation",
                       makeStream(std::vector<Vec3f>{
                           {0, low, 0}, {0, high, 0}, {0, low, 0}, {0, high, 0}, {0, low, 0}})});
    scene.animateFigures("walk", figures, stepTimes(), motions);
}

}  // namespace flentro::demo
