// Merging: what stands together is drawn together, the same surface for fewer calls.

#include "fixes/merge/merge.h"
#include "base/index.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cstring>
#include <set>

#include "fixes/merge/parcel_ledger.h"
#include "fixes/merge/parcel_mesh.h"
#include "io/gltf_materials.h"
#include "scene/origins.h"
#include "support/display.h"
#include "support/meshes.h"
#include "support/surface.h"

namespace flentro {
namespace {

using testing::Contains;
using testing::HasSubstr;
using testing::IsEmpty;
using testing::SizeIs;

/// A display that draws every object by itself and where calls are dear.
Target withoutInstances() {
    Target target = test::display();
    target.batching = Batching::Nothing;
    at(target.limits, Measure::DrawCalls) = 10;
    at(target.limits, Measure::Triangles) = 100'000;
    return target;
}

/// Four heaps of nine boxes each, at the corners of a square of 100 m; all different meshes.
Scene makeHeaps() {
    std::vector<test::Placed> placed;
    for (int heap = 0; heap < 4; ++heap)
        for (int i = 0; i < 9; ++i) {
            const auto size = 0.5F + 0.01F * static_cast<float>(9 * heap + i);
            placed.push_back({test::named(test::makeBox({size, size, size}),
                                          ("box " + std::to_string(9 * heap + i)).c_str()),
                              {100.0 * (heap % 2) + 2 + i % 3, 0, 100.0 * (heap / 2) + 2 + i / 3}});
        }
    Scene scene = test::makeScene(placed);
    scene.materials = {parseMaterial({{"name", "wood"}}), parseMaterial({{"name", "tin"}})};
    for (std::size_t i = 0; i < scene.assets.size(); ++i) {
        Mesh mesh = *scene.assets[i].mesh;
        mesh.parts[0].material = static_cast<int>(i % 2);
        scene.assets[i].mesh = finishMesh(std::move(mesh));
    }
    return scene;
}

Evidence fromTheMiddle() {
    Evidence evidence;
    const Vec3d eye(50.3, 1.7, 49.1);  // on no edge of a view
    Evidence::Place place{eye, {}, {}};
    for (int i = 0; i < 8; ++i) place.views.push_back({eye, 45.0 * i, 0});
    evidence.places = {place};
    evidence.hash = Hasher().add(1).result();
    return evidence;
}

/// Parcels that a heap fits into.
MergeSettings small() {
    MergeSettings settings;
    settings.parcel = 16;
    return settings;
}

Fixed merge(const Scene& scene, const MergeSettings& settings = small(),
            const Target& target = withoutInstances()) {
    return applyMerge(scene, settings, target, fromTheMiddle(), noProgress()).value();
}

/// The asset that shows an object of the source.
const Asset& parcelOf(const Scene& scene, std::size_t origin) {
    const std::uint32_t object = OriginMap(scene).shownBy(origin)[0];
    return assetOf(scene, object);
}

TEST(Merge, HeapsBecomeParcelsOfOnePartAMaterial) {
    const Scene scene = makeHeaps();
    const Fixed fixed = merge(scene);
    EXPECT_EQ(fixed.scene.objects.size(), 4U);
    EXPECT_EQ(fixed.scene.assets.size(), 4U) << "what nothing shows is gone";
    for (const Object& object : fixed.scene.objects) {
        EXPECT_THAT(fixed.scene.mesh(object).parts, SizeIs(2));
        EXPECT_EQ(fixed.scene.mesh(object).triangles, 9U * 12);
        EXPECT_THAT(object.origins, SizeIs(9));
        EXPECT_LT(fixed.scene.mesh(object).bounds.center().norm(), 1e-5) << "around its origin";
    }
    EXPECT_EQ(test::differenceOfSurfaces(scene, fixed.scene, 1e-4), "");
    Scene again = fixed.scene;
    flatten(again);
    EXPECT_EQ(test::differenceOfSurfaces(scene, again, 1e-4), "") << "nodes say the same";
}

TEST(Merge, PartsStayWithinTheTargetsVertices) {
    const Scene scene = makeHeaps();
    Target target = withoutInstances();
    at(target.limits, Measure::VerticesPerMesh) = 72;  // three boxes
    const Fixed fixed = merge(scene, small(), target);
    ASSERT_THAT(fixed.scene.objects, SizeIs(4));
    for (const Object& object : fixed.scene.objects) {
        EXPECT_THAT(fixed.scene.mesh(object).parts, SizeIs(4)) << "five and four boxes";
        for (const Part& part : fixed.scene.mesh(object).parts) EXPECT_LE(part.vertexCount(), 72U);
    }
    const Evidence evidence = fromTheMiddle();
    const double calls = ParcelLedger(fixed.scene, target, evidence.places, 72).count({}, 0).calls;
    const auto* report = fixed.record.reportAs<MergeReport>();
    const auto chosen = std::find_if(report->sizes.begin(), report->sizes.end(),
                                     [&](const ParcelSize& size) { return size.size == 16; });
    EXPECT_EQ(chosen->calls, calls) << "what was counted is what became of it";
}

TEST(Merge, RangesLeadBackToEachObject) {
    const Scene scene = makeHeaps();
    const Fixed fixed = merge(scene);
    const Object& parcel = fixed.scene.objects[0];
    ASSERT_EQ(parcel.origins.size(), 9U);
    std::set<std::uint32_t> found;
    std::size_t first = 0;
    for (const Part& part : fixed.scene.mesh(parcel).parts) {
        const std::vector<Vec3f> points = positionsOf(part);
        for (std::size_t t = 0; t < part.triangleCount(); ++t) {
            const std::uint32_t origin = originOf(fixed.scene, 0, first + t);
            found.insert(origin);
            const Vec3d corner =
                transformPoint(parcel.world, points[part.indices[3 * t]].cast<double>());
            EXPECT_LT(scene.objects[origin].bounds.exteriorDistance(corner), 1e-4);
        }
        first += part.triangleCount();
    }
    EXPECT_EQ(found, std::set(parcel.origins.begin(), parcel.origins.end()));
    const OriginMap map(fixed.scene);
    for (const std::uint32_t origin : parcel.origins) {
        ASSERT_EQ(map.shownBy(origin).size(), 1U);
        EXPECT_EQ(map.shownBy(origin)[0], 0U);
    }
}

TEST(Merge, ZonesAndIfAskedLightsKeepThingsApart) {
    Scene scene = makeHeaps();
    EXPECT_EQ(merge(scene).scene.objects.size(), 4U);
    // Four of the nine of the first heap stand in a room of their own, by a node above them.
    Node room;
    room.name = "room";
    room.rest["extras"]["zone"] = "cellar";
    for (int i = 0; i < 4; ++i) {
        room.children.push_back(elementOf(scene.objects, i).node);
        elementOf(scene.nodes, room.children.back()).parent = static_cast<int>(scene.nodes.size());
    }
    scene.nodes.push_back(room);
    EXPECT_EQ(merge(scene).scene.objects.size(), 5U);
    // A lamp in a corner of the second heap.
    PlacedLight lamp;
    lamp.position = scene.objects[9].bounds.center();
    lamp.range = 1.2;
    scene.placedLights = {lamp};
    EXPECT_EQ(merge(scene).scene.objects.size(), 5U) << "lights do not matter unless asked";
    MergeSettings settings = small();
    settings.sameLights = true;
    const Fixed fixed = merge(scene, settings);
    EXPECT_EQ(fixed.scene.objects.size(), 6U);
    std::size_t lit = 0;
    for (std::size_t i = 9; i < 18; ++i)
        lit += scene.objects[i].bounds.exteriorDistance(lamp.position) < lamp.range;
    ASSERT_EQ(lit, 4U);
    EXPECT_THAT(parcelOf(fixed.scene, 9).ranges, SizeIs(lit)) << "the lit ones are one parcel";
}

TEST(Merge, SavingsAreThoseOfTheViews) {
    const Scene scene = makeHeaps();
    const Fixed fixed = merge(scene);
    const MergeReport& report = *fixed.record.reportAs<MergeReport>();
    // On paper: 36 boxes, one call each; of eight headings each heap is in some.
    EXPECT_FALSE(report.estimated);
    double before = 0;
    double after = 0;
    const Evidence evidence = fromTheMiddle();
    for (const Viewpoint& view : evidence.places[0].views) {
        before += at(viewCost(scene, withoutInstances(), view).counts, Measure::DrawCalls) / 8;
        after += at(viewCost(fixed.scene, withoutInstances(), view).counts, Measure::DrawCalls) / 8;
    }
    EXPECT_NEAR(report.before.calls, before, 1e-9);
    const auto chosen = std::find_if(report.sizes.begin(), report.sizes.end(),
                                     [&](const ParcelSize& s) { return s.size == report.size; });
    ASSERT_NE(chosen, report.sizes.end());
    EXPECT_NEAR(chosen->calls, after, 1e-9);
    EXPECT_LT(after, before / 3);
    double saved = 0;
    for (const Parcel& parcel : report.parcels) saved += parcel.callsSaved;
    EXPECT_NEAR(saved, before - after, 1e-9) << "the parcels' shares add up";
}

TEST(Merge, TheSizeThatCostsLeastIsFound) {
    Target target = withoutInstances();
    const auto sizeFor = [&](double triangles) {
        at(target.limits, Measure::Triangles) = triangles;
        return merge(makeHeaps(), {}, target).record.reportAs<MergeReport>()->size;
    };
    // Where triangles are cheap all four heaps are one parcel; where they are dear each is its own.
    EXPECT_GT(sizeFor(100'000), 100);
    const double dear = sizeFor(400);
    EXPECT_GT(dear, 3);
    EXPECT_LT(dear, 100);
    EXPECT_LE(sizeFor(20), dear);
}

TEST(Merge, ParcelsThatTakeAViewOverALimitAreTakenBack) {
    // From twenty places in the middle every heap saves seven calls of nine. Whoever stands in the
    // first heap sees some of its boxes, merged all of them: 108 triangles of 100.
    Target target = withoutInstances();
    target.farPlane = 90;
    at(target.limits, Measure::Triangles) = 100;
    Evidence evidence;
    evidence.hash = Hasher().add(2).result();
    for (int i = 0; i < 20; ++i) {
        Evidence::Place place{{50.3 + 0.01 * i, 1.7, 49.1}, {}, {}};
        for (const double heading : {45, 135, 225, 315})
            place.views.push_back({place.eye, heading, 0});
        evidence.places.push_back(std::move(place));
    }
    const Viewpoint inside{{2.5, 0.2, 2.5}, 0, 0};
    Scene scene = makeHeaps();
    for (Object& object : scene.objects) object.culling.end = 85;  // the other heaps are gone there
    const double before = at(viewCost(scene, target, inside).counts, Measure::Triangles);
    ASSERT_GT(before, 0);
    ASSERT_LT(before, 100);
    const auto merged = [&](const MergeSettings& settings) {
        return applyMerge(scene, settings, target, evidence, noProgress()).value();
    };
    EXPECT_EQ(merged(small()).scene.objects.size(), 4U);
    evidence.places.push_back({inside.eye, {inside}, {}});
    const Fixed fixed = merged(small());
    EXPECT_EQ(fixed.scene.objects.size(), 3U + 9) << "the first heap's stay apart";
    EXPECT_EQ(at(viewCost(fixed.scene, target, inside).counts, Measure::Triangles), before);
    EXPECT_THAT(
        fixed.record.notes,
        Contains("1 parcel is taken back: what they draw in vain takes views over a limit"));
    MergeSettings asked = small();
    for (const Asset& asset : scene.assets) asked.overrides[asset.mesh->name] = MergeChoice::Merge;
    EXPECT_EQ(merged(asked).scene.objects.size(), 4U) << "the artist has the last word";
}

TEST(Merge, ViewsOverALimitComeFirstAndNoMoreIsMergedForThem) {
    // Twenty places in the first heap, where merging it pays more triangles than it saves calls,
    // and one from which that and the second are seen: 18 calls.
    Target target = withoutInstances();
    target.farPlane = 90;
    at(target.limits, Measure::Triangles) = 120;
    const Viewpoint inside{{2.5, 0.2, 2.5}, 0, 0};
    const Viewpoint outside{{53, 1.7, 60}, 0, 0};
    Evidence evidence;
    evidence.hash = Hasher().add(3).result();
    evidence.places.assign(20, {inside.eye, {inside}, {}});
    evidence.places.push_back({outside.eye, {outside}, {}});
    const Scene scene = makeHeaps();
    ASSERT_EQ(at(viewCost(scene, target, outside).counts, Measure::DrawCalls), 18);
    const auto callsWithin = [&](double limit) {
        at(target.limits, Measure::DrawCalls) = limit;
        const Fixed fixed = applyMerge(scene, small(), target, evidence, noProgress()).value();
        return at(viewCost(fixed.scene, target, outside).counts, Measure::DrawCalls);
    };
    EXPECT_EQ(callsWithin(12), 9 + 2) << "the second alone brings it within";
    EXPECT_EQ(callsWithin(10), 2 + 2) << "both, though the mean is worse off";
}

TEST(Merge, TheOutlineCostsWhatTheMergedSceneCosts) {
    const Scene scene = makeHeaps();
    const Fixed fixed = merge(scene);
    std::vector<Group> groups;
    for (const Parcel& parcel : fixed.record.reportAs<MergeReport>()->parcels)
        groups.push_back(parcel.members);
    const Scene outline = withoutGeometry(scene, groups, 65534);
    const Evidence evidence = fromTheMiddle();
    for (const Viewpoint& view : evidence.places[0].views) {
        const ViewCost a = viewCost(outline, withoutInstances(), view);
        const ViewCost b = viewCost(fixed.scene, withoutInstances(), view);
        EXPECT_EQ(at(a.counts, Measure::DrawCalls), at(b.counts, Measure::DrawCalls));
        EXPECT_EQ(at(a.counts, Measure::Triangles), at(b.counts, Measure::Triangles));
    }
}

/// The heaps, all boxes copies of one mesh.
Scene makeCopies() {
    Scene scene = makeHeaps();
    scene.assets.resize(1);
    for (Node& node : scene.nodes) node.mesh = 0;
    flatten(scene);
    return scene;
}

TEST(Merge, CopiesStayWhereTheTargetBatchesThem) {
    Target target = withoutInstances();
    for (const Batching batching : {Batching::Node, Batching::Mesh}) {
        target.batching = batching;
        const Fixed fixed = merge(makeCopies(), small(), target);
        EXPECT_EQ(fixed.scene.objects.size(), 36U)
            << "one call draws them all, or will, by fix Instances";
        EXPECT_THAT(fixed.record.summary, HasSubstr("Nothing is merged"));
    }
    EXPECT_THAT(merge(makeCopies()).scene.objects, SizeIs(4)) << "else they merge";
}

TEST(Merge, ParcelsThatSaveNoCallAreNotMadeForFewerObjectsAlone) {
    Target target = withoutInstances();
    target.batching = Batching::Mesh;
    at(target.limits, Measure::Objects) = 1000;
    EXPECT_EQ(merge(makeCopies(), small(), target).scene.objects.size(), 36U)
        << "36 objects are far below the limit";
    at(target.limits, Measure::Objects) = 10;
    EXPECT_LT(merge(makeCopies(), small(), target).scene.objects.size(), 36U)
        << "they are what is over";
}

TEST(Merge, ObjectsThatStayApartForTheirMaterialsAreReported) {
    Scene scene = makeHeaps();
    for (std::size_t i = 0; i < scene.assets.size(); ++i) {
        scene.materials.push_back(parseMaterial({{"name", "own"}}));
        Mesh mesh = *scene.assets[i].mesh;
        mesh.parts[0].material = static_cast<int>(scene.materials.size()) - 1;
        scene.assets[i].mesh = finishMesh(std::move(mesh));
    }
    Target target = withoutInstances();
    at(target.limits, Measure::MaterialsPerObject) = 1;
    const Fixed fixed = merge(scene, small(), target);
    EXPECT_THAT(fixed.scene.objects, SizeIs(36));
    EXPECT_THAT(fixed.record.notes,
                Contains(HasSubstr("36 objects stay apart from their neighbours: together they "
                                   "would show more materials than the 1")));
}

TEST(Merge, TheArtistHasTheLastWord) {
    Target target = withoutInstances();
    target.batching = Batching::Mesh;
    MergeSettings settings = small();
    settings.overrides["box 0"] = MergeChoice::Merge;
    EXPECT_THAT(merge(makeCopies(), settings, target).scene.objects, SizeIs(4));
    settings.overrides["box 0"] = MergeChoice::Leave;
    EXPECT_THAT(merge(makeCopies(), settings).scene.objects, SizeIs(36));
    settings = small();
    settings.excluded = {"box 4 node"};
    const Fixed fixed = merge(makeHeaps(), settings);
    EXPECT_THAT(fixed.scene.objects, SizeIs(5));
    EXPECT_THAT(fixed.record.notes, Contains(HasSubstr("1 object stays alone: to be left")));
}

TEST(Merge, WhatMovesShowsThroughOrIsKeptStaysAlone) {
    Scene scene = makeHeaps();
    scene.animations.resize(1);
    scene.animations[0].channels = {{{"target", {{"node", 0}, {"path", "translation"}}}}};
    scene.assets[1].importance = Importance::Keep;
    Mesh glass = *scene.assets[2].mesh;
    scene.materials.push_back(parseMaterial({{"alphaMode", "BLEND"}}));
    glass.parts[0].material = 2;
    scene.assets[2].mesh = finishMesh(std::move(glass));
    const Fixed fixed = merge(scene);
    EXPECT_THAT(fixed.scene.objects, SizeIs(4 + 3));
    EXPECT_THAT(fixed.record.notes, Contains(HasSubstr("1 object stays alone: moving")));
    EXPECT_EQ(test::differenceOfSurfaces(scene, fixed.scene, 1e-4), "");
}

TEST(Merge, ShadowsAndReachKeepParcelsApart) {
    Scene scene = makeHeaps();
    for (std::size_t i = 0; i < 4; ++i) scene.objects[i].castsShadow = false;
    EXPECT_THAT(merge(scene).scene.objects, SizeIs(5));
    scene = makeHeaps();
    for (std::size_t i = 0; i < scene.objects.size(); ++i)
        scene.objects[i].culling.end = i < 4 ? 90 : 400;
    const Scene merged = merge(scene).scene;
    EXPECT_THAT(merged.objects, SizeIs(5));
    for (const Object& object : merged.objects)
        EXPECT_EQ(object.culling.end, object.origins.size() == 4 ? 90 : 400);
}

TEST(Merge, LevelsMergeLevelByLevel) {
    Scene scene = makeHeaps();
    for (std::size_t i = 0; i < scene.assets.size(); i += 2) {
        Mesh half = *scene.assets[i].mesh;
        half.parts[0].indices.resize(3 * 6);
        scene.assets[i].ladder.levels = {
            {finishMesh(std::move(half)), 0.1, 20 + static_cast<double>(i)}};
    }
    const Fixed fixed = merge(scene);
    const Asset& parcel = parcelOf(fixed.scene, 0);
    ASSERT_THAT(parcel.ladder.levels, SizeIs(1));
    EXPECT_EQ(parcel.mesh->triangles, 9U * 12);
    EXPECT_EQ(parcel.ladder.levels[0].mesh->triangles, 5U * 6 + 4U * 12);
    EXPECT_EQ(parcel.ladder.levels[0].switchDistance, 28) << "when the last of them may";
}

TEST(Merge, MirroredMembersKeepTheirFaces) {
    Scene scene = makeHeaps();
    for (std::size_t i = 0; i < scene.nodes.size(); i += 3) {
        scene.nodes[i].local(0, 0) = -2;
        scene.nodes[i].rest.erase("translation");
    }
    flatten(scene);
    EXPECT_EQ(test::differenceOfSurfaces(scene, merge(scene).scene, 1e-4), "");
}

TEST(Merge, PartsStayBelowTheVertexLimit) {
    MergeSettings settings = small();
    settings.maxVertices = 100;  // four boxes of 24
    const Fixed fixed = merge(makeHeaps(), settings);
    for (const Asset& asset : fixed.scene.assets)
        for (const Part& part : asset.mesh->parts) EXPECT_LE(part.vertexCount(), 100U);
    EXPECT_EQ(test::differenceOfSurfaces(makeHeaps(), fixed.scene, 1e-4), "");
}

TEST(Merge, ParcelsKeepToTheMaterialsAnObjectMayHave) {
    Target target = withoutInstances();
    at(target.limits, Measure::MaterialsPerObject) = 1;
    const Fixed fixed = merge(makeHeaps(), small(), target);
    EXPECT_THAT(fixed.scene.objects, SizeIs(8)) << "wood and tin apart";
    for (const Object& object : fixed.scene.objects)
        EXPECT_THAT(fixed.scene.mesh(object).parts, SizeIs(1));
    EXPECT_EQ(test::differenceOfSurfaces(makeHeaps(), fixed.scene, 1e-4), "");
}

TEST(Merge, ByNearnessNoParcelIsLargerThanAsked) {
    MergeSettings settings;
    settings.grouping = MergeSettings::Grouping::Near;
    for (const double size : {3.0, 6.0, 40.0}) {
        settings.parcel = size;
        const Fixed fixed = merge(makeHeaps(), settings);
        for (const Parcel& parcel : fixed.record.reportAs<MergeReport>()->parcels)
            EXPECT_LE(parcel.bounds.sizes().maxCoeff(), size);
    }
    settings.parcel = 40;
    EXPECT_THAT(merge(makeHeaps(), settings).scene.objects, SizeIs(4));
}

TEST(Merge, AttributesThatOthersLackAreFilledIn) {
    Scene scene = makeHeaps();
    Mesh painted = *scene.assets[0].mesh;
    Stream colors;
    colors.type = ComponentType::UInt8;
    colors.components = 3;
    colors.normalized = true;
    colors.data.assign(3 * 24, std::byte{51});
    painted.parts[0].set("COLOR_0", std::move(colors));
    scene.assets[0].mesh = finishMesh(std::move(painted));
    const Scene merged = merge(scene).scene;
    const auto& parts = parcelOf(merged, 0).mesh->parts;
    const Part& part = parts[parts[0].find("COLOR_0") ? 0 : 1];
    const Stream* color = part.find("COLOR_0");
    ASSERT_NE(color, nullptr);
    ASSERT_EQ(color->count(), part.vertexCount());
    std::size_t dark = 0;
    for (std::size_t v = 0; v < color->count(); ++v) {
        const float red = color->value(v, 0);
        EXPECT_TRUE(std::fabs(red - 0.2F) < 0.01F || red == 1) << red;
        dark += red < 0.5F;
    }
    EXPECT_EQ(dark, 24U);
}

TEST(Merge, WithoutASurveyItSaysThatItEstimates) {
    const Fixed fixed =
        applyMerge(makeHeaps(), small(), withoutInstances(), {}, noProgress()).value();
    EXPECT_TRUE(fixed.record.reportAs<MergeReport>()->estimated);
    EXPECT_THAT(fixed.record.summary, HasSubstr("estimated without a survey"));
}

TEST(Merge, SameResultEveryTime) {
    const Scene a = merge(makeHeaps()).scene;
    const Scene b = merge(makeHeaps()).scene;
    EXPECT_EQ(hashScene(a), hashScene(b));
}

TEST(Merge, AttributesOfAnyWidthComeAlong) {
    Scene scene = makeHeaps();
    for (Asset& asset : scene.assets) {
        Mesh mesh = *asset.mesh;
        Part& part = mesh.parts[0];
        Stream wide;
        wide.components = 16;
        wide.matrix = true;
        std::vector<float> values(16 * part.vertexCount());
        for (std::size_t i = 0; i < values.size(); ++i) values[i] = static_cast<float>(i % 16);
        wide.data.resize(values.size() * sizeof(float));
        std::memcpy(wide.data.data(), values.data(), wide.data.size());
        part.set("_FRAME", std::move(wide));
        asset.mesh = finishMesh(std::move(mesh));
    }
    const Fixed fixed =
        applyMerge(scene, {}, withoutInstances(), fromTheMiddle(), noProgress()).value();
    ASSERT_LT(fixed.scene.objects.size(), scene.objects.size());
    for (const Object& object : fixed.scene.objects)
        for (const Part& part : fixed.scene.mesh(object).parts) {
            const Stream* wide = part.find("_FRAME");
            ASSERT_NE(wide, nullptr);
            for (std::size_t v = 0; v < part.vertexCount(); ++v)
                for (int c = 0; c < 16; ++c) ASSERT_EQ(wide->value(v, c), static_cast<float>(c));
        }
}

}  // namespace
}  // namespace flentro
