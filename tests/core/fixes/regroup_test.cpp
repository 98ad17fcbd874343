// Merging by material: objects of several materials are divided, each material is drawn by itself.

#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "base/text.h"
#include "fixes/merge/merge.h"
#include "fixes/merge/parcel_ledger.h"
#include "fixes/merge/pieces.h"
#include "io/gltf_materials.h"
#include "scene/origins.h"
#include "support/display.h"
#include "support/meshes.h"
#include "support/surface.h"

namespace flentro {
namespace {

using testing::HasSubstr;
using testing::IsEmpty;
using testing::SizeIs;

constexpr std::size_t kMaterials = 6;

/// A box for each of these materials, side by side.
Mesh boxesOf(const std::vector<int>& materials) {
    Mesh mesh;
    for (const int material : materials) {
        Part part = test::makeBox({1, 1, 1}).parts[0];
        std::vector<Vec3f> points = positionsOf(part);
        for (Vec3f& p : points) p.x() += 1.2F * static_cast<float>(material);
        part.set("POSITION", makeStream(points));
        part.material = material;
        mesh.parts.push_back(std::move(part));
    }
    return mesh;
}

/// Sixteen cells of 10 m, each a mesh of its own that shows the same six materials; the first cell
/// has one that no other has.
Scene makeLevel() {
    std::vector<test::Placed> placed;
    for (int cell = 0; cell < 16; ++cell) {
        std::vector<int> materials = {0, 1, 2, 3, 4, 5};
        if (cell == 0) materials.push_back(6);
        placed.push_back({test::named(boxesOf(materials), fmt::format("cell {}", cell).c_str()),
                          {10.0 * (cell % 4) + 5, 0.5 + 0.01 * cell, -20 - 10.0 * (cell / 4)}});
    }
    Scene scene = test::makeScene(placed);
    for (std::size_t m = 0; m <= kMaterials; ++m)
        scene.materials.push_back(parseMaterial({{"name", fmt::format("stone {}", m)}}));
    return scene;
}

Target dearCalls() {
    Target target = test::display();
    at(target.limits, Measure::DrawCalls) = 10;
    at(target.limits, Measure::Triangles) = 100'000;
    at(target.limits, Measure::MaterialsPerObject) = 4;
    return target;
}

Evidence fromTheDoor() {
    Evidence evidence;
    const Vec3d eye(20, 1.7, 5);
    evidence.places = {{eye, {{eye, 0, 0}, {eye, 40, 0}}, {}}};
    evidence.hash = Hasher().add(1).result();
    return evidence;
}

/// Parcels of this edge; 0: as it is best.
MergeSettings byMaterial(double parcel = 1000) {
    MergeSettings settings;
    settings.grouping = MergeSettings::Grouping::Material;
    settings.parcel = parcel;
    return settings;
}

Fixed merge(const Scene& scene, const MergeSettings& settings = byMaterial()) {
    return applyMerge(scene, settings, dearCalls(), fromTheDoor(), noProgress()).value();
}

ParcelSize countOf(const Scene& scene) {
    const Evidence evidence = fromTheDoor();
    return ParcelLedger(scene, dearCalls(), evidence.places, 65534).count({}, 0);
}

TEST(Regroup, EachMaterialIsDrawnOnceAndTheSurfaceStays) {
    const Scene scene = makeLevel();
    EXPECT_THAT(merge(scene, {}).scene.objects, SizeIs(16))
        << "cells of six materials may not be merged as they are";
    const Fixed fixed = merge(scene);
    // A parcel for each shared material; what is left of the first cell is an object.
    ASSERT_THAT(fixed.scene.objects, SizeIs(kMaterials + 1));
    for (const Object& object : fixed.scene.objects)
        EXPECT_THAT(fixed.scene.mesh(object).parts, SizeIs(1));
    EXPECT_EQ(fixed.scene.objects[0].name, "cell 0 node");
    EXPECT_EQ(fixed.scene.mesh(fixed.scene.objects[0]).parts[0].material, 6);
    EXPECT_EQ(test::differenceOfSurfaces(scene, fixed.scene, 1e-4), "");
    Scene again = fixed.scene;
    flatten(again);
    EXPECT_EQ(test::differenceOfSurfaces(scene, again, 1e-4), "") << "nodes say the same";
    EXPECT_THAT(OriginMap(fixed.scene).shownBy(0), SizeIs(kMaterials + 1))
        << "the first cell is shown by all parcels and by what is left of it";
}

TEST(Regroup, WhatItSaysIsWhatTheResultCounts) {
    const Scene scene = makeLevel();
    const Fixed fixed = merge(scene);
    const ParcelSize before = countOf(scene);
    const ParcelSize after = countOf(fixed.scene);
    ASSERT_LT(after.calls, before.calls);
    EXPECT_THAT(fixed.record.summary,
                HasSubstr(fmt::format("16 objects became 6 parcels of {}: {} calls and {} objects "
                                      "less",
                                      formatMetres(fixed.record.reportAs<MergeReport>()->size),
                                      formatCount(before.calls - after.calls),
                                      formatCount(before.objects - after.objects))));
    double bytesPaid = 0;
    for (const Parcel& parcel : fixed.record.reportAs<MergeReport>()->parcels) {
        EXPECT_THAT(parcel.members, SizeIs(16)) << "by whole objects";
        bytesPaid += parcel.bytesPaid;
    }
    EXPECT_NEAR(bytesPaid, 0, 1) << "nothing was shared before: the same vertices";
}

TEST(Regroup, TheSizeThatCostsLeastIsFound) {
    const Scene scene = makeLevel();
    const Fixed fixed = merge(scene, byMaterial(0));
    const auto* report = fixed.record.reportAs<MergeReport>();
    ASSERT_GT(report->size, 0);
    EXPECT_EQ(report->before.calls, countOf(scene).calls);
    const ParcelSize after = countOf(fixed.scene);
    for (const ParcelSize& tried : report->sizes) {
        if (tried.size == report->size) {
            EXPECT_EQ(tried.calls, after.calls);
            EXPECT_EQ(tried.objects, after.objects);
            EXPECT_EQ(tried.triangles, after.triangles);
        }
        EXPECT_GE(tried.overload, after.overload - 1e-9) << tried.size;
    }
}

TEST(Regroup, VerdictsAreOfWholeAssets) {
    MergeSettings settings = byMaterial();
    settings.overrides["cell 5"] = MergeChoice::Leave;
    const Fixed fixed = merge(makeLevel(), settings);
    const auto* report = fixed.record.reportAs<MergeReport>();
    EXPECT_THAT(report->verdicts, SizeIs(15));
    const auto left = std::find_if(fixed.scene.objects.begin(), fixed.scene.objects.end(),
                                   [](const Object& o) { return o.name == "cell 5 node"; });
    ASSERT_NE(left, fixed.scene.objects.end());
    EXPECT_THAT(fixed.scene.mesh(*left).parts, SizeIs(kMaterials)) << "as it was";
}

TEST(Regroup, CopiesThatDoNotAllStandStillStayWhole) {
    Scene scene = makeLevel();
    // The second cell is a copy of the third, and moves.
    scene.objects[1].asset = 2;
    elementOf(scene.nodes, scene.objects[1].node).mesh = 2;
    scene.animations.resize(1);
    scene.animations[0].channels = {{{"target", {{"node", scene.objects[1].node}}}}};
    const Pieces pieces = piecesByMaterial(scene, eligibilityOf(scene, {}));
    EXPECT_THAT(pieces.scene.objects, SizeIs(7 + 2 + 13 * kMaterials));
    EXPECT_EQ(pieces.wholes({0, 1, 2, 7}), (Group{0, 1}));
}

TEST(Regroup, LevelsGoWithTheirPieces) {
    Scene scene = makeLevel();
    for (Asset& asset : scene.assets) {
        Mesh coarse = *asset.mesh;
        coarse.parts.erase(coarse.parts.begin() + 3);  // one material is lost at the level
        for (Part& part : coarse.parts) part.indices.resize(12);
        asset.ladder.levels = {{finishMesh(std::move(coarse)), 0.1, 25}};
    }
    const Fixed fixed = merge(scene);
    ASSERT_THAT(fixed.scene.objects, SizeIs(kMaterials + 1));
    for (const Object& object : fixed.scene.objects) {
        const Asset& asset = fixed.scene.asset(object);
        ASSERT_THAT(asset.ladder.levels, SizeIs(1));
        const bool isLost = asset.mesh->parts[0].material == 3;
        EXPECT_EQ(asset.level(1)->triangles,
                  isLost ? asset.mesh->triangles : asset.mesh->triangles / 3)
            << "a material that the level lacks is shown as before";
    }
}

TEST(Regroup, NothingIsDividedInVain) {
    Scene scene = makeLevel();
    // Every cell shows materials of its own: no calls can be saved.
    scene.materials.resize(16 * (kMaterials + 1), scene.materials[0]);
    for (std::size_t a = 0; a < scene.assets.size(); ++a) {
        Mesh mesh = *scene.assets[a].mesh;
        for (std::size_t p = 0; p < mesh.parts.size(); ++p)
            mesh.parts[p].material = static_cast<int>(a * (kMaterials + 1) + p);
        scene.assets[a].mesh = finishMesh(std::move(mesh));
    }
    const Fixed fixed = merge(scene, byMaterial(0));
    EXPECT_THAT(fixed.scene.objects, SizeIs(16));
    EXPECT_THAT(fixed.record.summary, HasSubstr("Nothing is merged"));
    EXPECT_THAT(fixed.record.reportAs<MergeReport>()->parcels, IsEmpty());
}

}  // namespace
}  // namespace flentro
