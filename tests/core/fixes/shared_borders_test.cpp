// Open borders of objects that meet, at all of their levels.

#include "fixes/shared_borders.h"

#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <algorithm>
#include <array>
#include <cmath>
#include <set>

#include "base/index.h"
#include "support/display.h"
#include "support/ladders.h"
#include "support/meshes.h"

namespace flentro {
namespace {

using test::display;
using test::ladderSettings;

double hill(double x, double z) {
    return 0.3 * std::sin(3 * x) + 0.2 * std::cos(5 * z) * x;
}

/// Two cells of 4 x 4 m side by side, cut from one field; the right one holds its own middle as
/// origin, as exporters do.
Scene makeCells() {
    constexpr int kCells = 24;
    std::array<Mesh, 2> cells;
    for (int side = 0; side < 2; ++side) {
        Mesh grid = test::makeGrid(kCells, kCells, 4);
        std::vector<Vec3f> positions = positionsOf(grid.parts[0]);
        for (Vec3f& position : positions)
            position.y() = static_cast<float>(hill(static_cast<double>(position.x()) + 4 * side,
                                                   static_cast<double>(position.z())));
        grid.parts[0].set("POSITION", makeStream(positions));
        elementOf(cells, side) = grid;
    }
    return test::makeScene({{cells[0], {0, 0, 0}}, {cells[1], {4, 0, 0}}});
}

/// Positions, in millimetres, of a mesh's used vertices on the plane x = `at` of the world.
std::set<std::pair<long, long>> alongSeam(const Mesh& mesh, double shift, double at) {
    std::set<std::pair<long, long>> found;
    for (const Part& part : mesh.parts) {
        const std::vector<Vec3f> positions = positionsOf(part);
        for (const std::uint32_t index : part.indices) {
            const Vec3d position = positions[index].cast<double>();
            if (std::fabs(position.x() + shift - at) > 1e-4) continue;
            found.insert({std::lround(position.y() * 1000), std::lround(position.z() * 1000)});
        }
    }
    return found;
}

TEST(Cells, MeetAtAnyCombinationOfLevels) {
    const Scene scene = makeCells();
    const double seam = scene.objects[0].bounds.max().x();
    ASSERT_NEAR(scene.objects[1].bounds.min().x(), seam, 1e-5) << "they touch";
    const Scene laddered = applyLadder(scene, ladderSettings(3), display(), noProgress())->scene;
    const auto& left = laddered.assets[0];
    const auto& right = laddered.assets[1];
    ASSERT_EQ(left.ladder.levels.size(), 3U);
    ASSERT_EQ(right.ladder.levels.size(), 3U);
    const auto whole = alongSeam(*left.mesh, 0, seam);
    ASSERT_EQ(whole.size(), 25U);
    for (std::size_t i = 0; i < 4; ++i)
        for (std::size_t k = 0; k < 4; ++k)
            EXPECT_EQ(alongSeam(*left.level(i), 0, seam), alongSeam(*right.level(k), 4, seam))
                << "LOD " << i << " beside LOD " << k;
    // The other three sides are free.
    EXPECT_LT(left.ladder.levels.back().mesh->triangles, 24U * 24 * 2 / 8);
}

TEST(Cells, WithoutTheRuleTheyGape) {
    LadderSettings settings = ladderSettings(3);
    settings.keepSharedBorders = false;
    const Scene laddered = applyLadder(makeCells(), settings, display(), noProgress())->scene;
    EXPECT_LT(alongSeam(*laddered.assets[0].ladder.levels.back().mesh, 0, 4).size(), 25U);
}

std::size_t lockedIn(const Scene& scene, std::size_t asset) {
    std::size_t count = 0;
    const auto shared = findSharedBorders(scene);
    for (const auto& part : shared[asset])
        count += static_cast<std::size_t>(std::count(part.begin(), part.end(), true));
    return count;
}

TEST(SharedBorders, AreThoseOfOtherObjectsOnly) {
    EXPECT_EQ(lockedIn(makeCells(), 0), 25U);
    EXPECT_EQ(lockedIn(test::makeScene({{test::makeGrid(4, 4), {0, 0, 0}}}), 0), 0U);
    EXPECT_EQ(lockedIn(test::makeScene({{test::makeBox({1, 1, 1}), {0, 0, 0}},
                                        {test::makeBox({1, 1, 1}), {1, 0, 0}}}),
                       0),
              0U)
        << "boxes have no open borders";
    // Copies of one asset count for both of its sides.
    Scene row = test::makeScene({{test::makeGrid(4, 4, 2), {0, 0, 0}}});
    Object next = row.objects[0];
    next.world(0, 3) += 2;
    next.bounds = transformBox(next.world, row.mesh(next).bounds);
    row.objects.push_back(next);
    EXPECT_EQ(lockedIn(row, 0), 10U);
}

TEST(SharedBorders, AreThoseOfSheetsWithAFaceForEitherSideToo) {
    Mesh sheet = test::makeGrid(4, 4, 2);
    std::vector<std::uint32_t>& indices = sheet.parts[0].indices;
    for (std::size_t i = 0, count = indices.size(); i < count; i += 3) {
        const std::array reversed = {indices[i], indices[i + 2], indices[i + 1]};
        indices.insert(indices.end(), reversed.begin(), reversed.end());
    }
    const Scene scene = test::makeScene({{sheet, {0, 0, 0}}, {sheet, {2, 0, 0}}});
    EXPECT_EQ(lockedIn(scene, 0), 5U);
    EXPECT_EQ(lockedIn(scene, 1), 5U);
}

/// Two grids of a figure, side by side along x, each with a skin and a space of its own; the second
/// bone has turned since they were bound.
Scene makeBoundGrids() {
    std::array<Mesh, 2> grids;
    for (int side = 0; side < 2; ++side) {
        Mesh& grid = elementOf(grids, side);
        grid = test::makeGrid(4, 4, 2);
        const std::size_t count = grid.parts[0].vertexCount();
        Stream joints{ComponentType::UInt16, 4, false, false, {}};
        joints.data.resize(count * 8);
        Stream weights{ComponentType::Float32, 4, false, false, {}};
        weights.data.resize(count * 16);
        for (std::size_t v = 0; v < count; ++v) {
            joints.set(v, 0, 0);
            joints.set(v, 1, 1);
            weights.set(v, 0, 0.5F);
            weights.set(v, 1, 0.5F);
        }
        grid.parts[0].set("JOINTS_0", std::move(joints));
        grid.parts[0].set("WEIGHTS_0", std::move(weights));
    }
    Scene scene = test::makeScene({{grids[0], {0, 0, 0}}, {grids[1], {0, 0, 0}}});
    const int bone = static_cast<int>(scene.nodes.size());
    scene.nodes.resize(scene.nodes.size() + 2);
    scene.nodes.back().local.topLeftCorner<3, 3>() =
        Eigen::AngleAxisd(1, Vec3d::UnitZ()).toRotationMatrix();
    for (int side = 0; side < 2; ++side) {
        // The second grid was made at the origin and bound 2 m beside the first.
        Stream bind{ComponentType::Float32, 16, false, true, {}};
        bind.data.resize(std::size_t{2} * 16 * sizeof(float));
        for (std::size_t joint = 0; joint < 2; ++joint) {
            for (int i = 0; i < 4; ++i) bind.set(joint, 5 * i, 1);
            bind.set(joint, 12, static_cast<float>(2 * side));
        }
        Skin skin;
        skin.joints = side == 0 ? std::vector{bone, bone + 1} : std::vector{bone + 1, bone};
        skin.inverseBind = std::make_shared<const Stream>(std::move(bind));
        elementOf(scene.nodes, scene.objects[static_cast<std::size_t>(side)].node).skin = side;
        scene.skins.push_back(std::move(skin));
    }
    flatten(scene);
    return scene;
}

TEST(SharedBorders, AreThoseThatBonesHoldTogether) {
    const Scene scene = makeBoundGrids();
    EXPECT_EQ(lockedIn(scene, 0), 5U);
    EXPECT_EQ(lockedIn(scene, 1), 5U);
}

}  // namespace
}  // namespace flentro
