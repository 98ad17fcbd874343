// Google Benchmark over the hot kernels, on the demo scene.

#include <benchmark/benchmark.h>
#include <sys/resource.h>

#include <cmath>
#include <filesystem>
#include <map>

#include "base/index.h"
#include "base/parallel.h"
#include "findings/finding.h"
#include "findings/trial.h"
#include "fixes/atlas/atlas.h"
#include "fixes/instances/instances.h"
#include "fixes/ladder/ladder.h"
#include "fixes/merge/merge.h"
#include "fixes/shadows/shadows.h"
#include "fixes/share/share.h"
#include "fixes/split/split.h"
#include "fixes/stand_ins/stand_ins.h"
#include "fixes/tidy/tidy.h"

#include "fixes/shared_borders.h"
#include "geometry/weld.h"
#include "io/file.h"
#include "io/gltf.h"
#include "measure/pick.h"
#include "ottermere.h"
#include "picture/painter.h"
#include "picture/scene_painter.h"
#include "report/changed_views.h"
#include "scene/instances.h"
#include "simplify/deviation.h"
#include "simplify/reduce.h"
#include "survey/coverage.h"
#include "survey/survey.h"

namespace {

using namespace flentro;
namespace fs = std::filesystem;

/// The full market without its pictures' pixels, `copies` times.
const Scene& market(int copies) {
    static std::map<int, Scene> made;
    if (!made.contains(copies)) made[copies] = demo::makeOttermere({1, 1, 64}, copies).scene;
    return made[copies];
}

const MeshPtr& assetNamed(const char* name) {
    for (const Asset& asset : market(1).assets)
        if (asset.mesh->name == name) return asset.mesh;
    std::abort();
}

const Target& desk() {
    return shippedTargets().back();
}

fs::path marketFile() {
    static const fs::path file = [] {
        const fs::path path = fs::temp_directory_path() / "flentro-bench.glb";
        (void)writeGltf(market(1), path, {}, noProgress());
        return path;
    }();
    return file;
}

void setBytes(benchmark::State& state, double bytes) {
    state.SetBytesProcessed(
        static_cast<std::int64_t>(bytes * static_cast<double>(state.iterations())));
}

void PlainRead(benchmark::State& state) {
    const fs::path file = marketFile();
    for (auto _ : state) benchmark::DoNotOptimize(readFile(file));
    setBytes(state, static_cast<double>(fs::file_size(file)));
}
BENCHMARK(PlainRead)->Unit(benchmark::kMillisecond);

void ReadGltf(benchmark::State& state) {
    const fs::path file = marketFile();
    for (auto _ : state) benchmark::DoNotOptimize(readGltf(file, noProgress()));
    setBytes(state, static_cast<double>(fs::file_size(file)));
}
BENCHMARK(ReadGltf)->Unit(benchmark::kMillisecond)->UseRealTime();

void WriteGltf(benchmark::State& state) {
    const fs::path file = fs::temp_directory_path() / "flentro-bench-out.glb";
    for (auto _ : state) benchmark::DoNotOptimize(writeGltf(market(1), file, {}, noProgress()));
    setBytes(state, static_cast<double>(fs::file_size(file)));
    fs::remove(file);
}
BENCHMARK(WriteGltf)->Unit(benchmark::kMillisecond);

/// Argument: copies of the market.
void ViewCostOfTheQuay(benchmark::State& state) {
    const Scene& scene = market(static_cast<int>(state.range(0)));
    for (auto _ : state) benchmark::DoNotOptimize(viewCost(scene, desk(), demo::quayView()));
    state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(scene.objects.size()));
}
BENCHMARK(ViewCostOfTheQuay)->Arg(1)->Arg(4)->Arg(16)->Unit(benchmark::kMillisecond);

const Target& surveyed() {
    return shippedTargets()[2];
}

/// Spots all over the first market, 12 m apart.
const std::vector<SurveySpot>& places() {
    static const std::vector<SurveySpot> made = [] {
        const RayScene rays(market(1));
        SpotPlan plan;
        plan.starts = {demo::quayView().eye};
        plan.spacing = 12;
        auto spots = planSpots(market(1), rays, plan, noProgress()).value();
        std::erase_if(spots, [](const SurveySpot& spot) { return spot.level > 0; });
        return spots;
    }();
    return made;
}

void setSpots(benchmark::State& state) {
    state.counters["spots/s"] = benchmark::Counter(
        static_cast<double>(state.iterations()) * static_cast<double>(places().size()),
        benchmark::Counter::kIsRate);
}

/// Argument: copies of the market.
void SurveyDrawn(benchmark::State& state) {
    const int copies = static_cast<int>(state.range(0));
    SurveySettings settings;
    settings.faceSize = 0;
    (void)places();
    for (auto _ : state)
        benchmark::DoNotOptimize(
            takeSurvey(market(copies), surveyed(), places(), settings, noProgress()));
    setSpots(state);
}
BENCHMARK(SurveyDrawn)->Arg(1)->Arg(16)->Unit(benchmark::kMillisecond)->UseRealTime();

/// Arguments: copies of the market, rays along an edge of a face.
void SurveySeen(benchmark::State& state) {
    const int copies = static_cast<int>(state.range(0));
    const RayScene rays(market(copies));
    SurveySettings settings;
    settings.faceSize = static_cast<int>(state.range(1));
    settings.aimAtTriangles = false;
    (void)places();
    for (auto _ : state)
        benchmark::DoNotOptimize(
            takeSurvey(market(copies), &rays, surveyed(), places(), settings, noProgress()));
    setSpots(state);
    state.counters["rays/s"] = benchmark::Counter(
        static_cast<double>(state.iterations()) * static_cast<double>(places().size()) * 6 *
            static_cast<double>(settings.faceSize) * settings.faceSize,
        benchmark::Counter::kIsRate);
}
BENCHMARK(SurveySeen)
    ->Args({1, 256})
    ->Args({1, 384})
    ->Args({16, 256})
    ->Args({16, 384})
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

/// The same rays without any bookkeeping: what the ray library reaches by itself.
void RaysBare(benchmark::State& state) {
    const int copies = static_cast<int>(state.range(0));
    const RayScene rays(market(copies));
    const int size = static_cast<int>(state.range(1));
    const CubeRays cube(size, surveyed(), {}, false);
    const auto& spots = places();
    for (auto _ : state)
        parallelEach(spots.size(), [&](std::size_t i) {
            for (const CubeRays::Packet& packet : cube.packets())
                benchmark::DoNotOptimize(rays.traceBare(spots[i].eye, packet.rays));
        });
    setSpots(state);
    state.counters["rays/s"] =
        benchmark::Counter(static_cast<double>(state.iterations()) *
                               static_cast<double>(spots.size()) * 6 * size * size,
                           benchmark::Counter::kIsRate);
}
BENCHMARK(RaysBare)
    ->Args({1, 256})
    ->Args({1, 384})
    ->Args({16, 384})
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

void PlanSpots(benchmark::State& state) {
    const RayScene rays(market(1));
    SpotPlan plan;
    plan.starts = {demo::quayView().eye};
    for (auto _ : state) benchmark::DoNotOptimize(planSpots(market(1), rays, plan, noProgress()));
}
BENCHMARK(PlanSpots)->Unit(benchmark::kMillisecond)->UseRealTime();

void PrepareRays(benchmark::State& state) {
    const Scene& scene = market(static_cast<int>(state.range(0)));
    for (auto _ : state) RayScene rays(scene);
}
BENCHMARK(PrepareRays)->Arg(1)->Arg(16)->Unit(benchmark::kMillisecond)->UseRealTime();

/// A survey of the first market with its lights measured.
const Survey& litSurvey() {
    static const Survey made = [] {
        const RayScene rays(market(1));
        SurveySettings settings;
        settings.faceSize = 256;
        settings.aimAtTriangles = false;
        Survey survey = takeSurvey(market(1), &rays, surveyed(), places(), settings, noProgress());
        survey.lights = measureLights(market(1), market(1), rays, survey, noProgress()).value();
        return survey;
    }();
    return made;
}

void MeasureLights(benchmark::State& state) {
    const RayScene rays(market(1));
    (void)litSurvey();
    for (auto _ : state)
        benchmark::DoNotOptimize(
            measureLights(market(1), market(1), rays, litSurvey(), noProgress()));
    setSpots(state);
}
BENCHMARK(MeasureLights)->Unit(benchmark::kMillisecond)->UseRealTime();

/// Argument: place among fixKinds().
void FixesOfTextureAndLight(benchmark::State& state) {
    const Evidence evidence = evidenceOf(litSurvey(), market(1));
    const FixKind& kind = *elementOf(fixKinds(), state.range(0));
    state.SetLabel(kind.key);
    const FixSettings settings = proposeSettings(kind, market(1));
    for (auto _ : state)
        benchmark::DoNotOptimize(
            kind.apply({market(1), surveyed(), evidence, noProgress()}, settings));
}
BENCHMARK(FixesOfTextureAndLight)
    ->Apply([](auto* bench) {
        for (std::size_t i = 0; i < fixKinds().size(); ++i)
            for (const char* key : {"texture-size", "masks", "plain-materials", "fewer-materials",
                                    "light-reach", "fewer-lights", "shadow-lights"})
                if (fixKinds()[i]->key == key) bench->Arg(static_cast<std::int64_t>(i));
    }) -> Unit(benchmark::kMillisecond) -> UseRealTime();

void PaintScene(benchmark::State& state) {
    const RayScene rays(market(1));
    const ScenePainter painter(market(1), rays);
    std::size_t pixels = painter.paint(demo::quayView(), surveyed(), 0.25).pixels.size();
    for (auto _ : state)
        benchmark::DoNotOptimize(painter.paint(demo::quayView(), surveyed(), 0.25));
    state.counters["pixels/s"] =
        benchmark::Counter(static_cast<double>(state.iterations()) * static_cast<double>(pixels),
                           benchmark::Counter::kIsRate);
}
BENCHMARK(PaintScene)->Unit(benchmark::kMillisecond)->UseRealTime();

void ComparePictures(benchmark::State& state) {
    const RayScene rays(market(1));
    const ScenePainter painter(market(1), rays);
    const LightPicture light = painter.paint(demo::quayView(), surveyed(), 0.25);
    const DisplayPicture picture = toDisplay(light, light.adaptation());
    for (auto _ : state) benchmark::DoNotOptimize(pictureError(picture, picture, 15));
    state.counters["pixels/s"] = benchmark::Counter(
        static_cast<double>(state.iterations()) * static_cast<double>(picture.pixels.size()),
        benchmark::Counter::kIsRate);
}
BENCHMARK(ComparePictures)->Unit(benchmark::kMillisecond)->UseRealTime();

void RankAssets(benchmark::State& state) {
    const ViewCost cost = viewCost(market(1), desk(), demo::quayView());
    for (auto _ : state)
        benchmark::DoNotOptimize(
            rank(market(1), desk(), cost, CostKind::Asset, Measure::Triangles));
}
BENCHMARK(RankAssets)->Unit(benchmark::kMillisecond);

void DiagnoseTheMarket(benchmark::State& state) {
    const Scene& scene = market(static_cast<int>(state.range(0)));
    const Viewpoint view{{-9, 1.7, -10.8}, 72, 0};
    for (auto _ : state) {
        Memo memo;
        benchmark::DoNotOptimize(diagnose(scene, desk(), nullptr, view, memo, noProgress()));
    }
}
BENCHMARK(DiagnoseTheMarket)->Arg(1)->Arg(16)->Unit(benchmark::kMillisecond)->UseRealTime();

/// Relief of a fix in the counted views, whole and of one asset, without the time of the fix.
void TrialOfInstances(benchmark::State& state) {
    const Scene& before = market(static_cast<int>(state.range(0)));
    const Scene after = applyInstances(before, {})->scene;
    const CountedViews views(before, desk(), SceneIndex(before), nullptr, demo::quayView());
    for (auto _ : state) {
        const Trial trial(before, after, desk(), views);
        benchmark::DoNotOptimize(trial.whole());
        benchmark::DoNotOptimize(trial.relief({{Subject::Kind::Asset, 0, ""}}));
    }
}
BENCHMARK(TrialOfInstances)->Arg(1)->Arg(16)->Unit(benchmark::kMillisecond)->UseRealTime();

/// How much of the market's ground its spots cover.
void CoverageOfTheMarket(benchmark::State& state) {
    const RayScene rays(market(1));
    for (auto _ : state)
        benchmark::DoNotOptimize(coverageOf(market(1), rays, {}, places(), 12, noProgress()));
}
BENCHMARK(CoverageOfTheMarket)->Unit(benchmark::kMillisecond)->UseRealTime();

/// The views that culling changes most, of all that were surveyed.
void ViewsThatCullingChanges(benchmark::State& state) {
    WorkOrder order;
    order.add(proposeSettings(*findFixKind("culling"), market(1)));
    const Evidence evidence = evidenceOf(litSurvey(), market(1));
    StepCache cache;
    const auto source = std::make_shared<const Scene>(market(1));
    const Evaluation evaluation =
        evaluate(order, source, surveyed(), cache, noProgress(), evidence).value();
    for (auto _ : state)
        benchmark::DoNotOptimize(changedViews(evaluation, surveyed(), evidence, 16));
}
BENCHMARK(ViewsThatCullingChanges)->Unit(benchmark::kMillisecond)->UseRealTime();

void PickOnTheQuay(benchmark::State& state) {
    const ViewCost cost = viewCost(market(1), desk(), demo::quayView());
    for (auto _ : state)
        benchmark::DoNotOptimize(
            pick(market(1), cost.drawn, demo::quayView().eye, lookDirection(60, -10)));
}
BENCHMARK(PickOnTheQuay)->Unit(benchmark::kMillisecond);

void WeldOtter(benchmark::State& state) {
    const Part& part = assetNamed("carved otter")->parts.front();
    for (auto _ : state) benchmark::DoNotOptimize(firstEqualVertex(part));
    state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(part.vertexCount()));
}
BENCHMARK(WeldOtter)->Unit(benchmark::kMillisecond);

/// Argument: triangles kept, in percent.
void ReduceOtter(benchmark::State& state) {
    const MeshPtr otter = assetNamed("carved otter");
    const auto wanted = otter->triangles * static_cast<std::size_t>(state.range(0)) / 100;
    for (auto _ : state) {
        Reducer reducer(*otter, {});
        benchmark::DoNotOptimize(
            reducer.reduceTo(wanted, std::numeric_limits<double>::infinity(), noProgress()));
    }
    state.SetItemsProcessed(state.iterations() *
                            static_cast<std::int64_t>(otter->triangles - wanted));
}
BENCHMARK(ReduceOtter)->Arg(50)->Arg(10)->Arg(5)->Unit(benchmark::kMillisecond);

/// Waves on a square of `triangles`, with normals and texture coordinates.
MeshPtr makeWaves(std::size_t triangles) {
    const auto edge = static_cast<std::uint32_t>(std::sqrt(static_cast<double>(triangles) / 2));
    const std::uint32_t row = edge + 1;
    Part part;
    Stream positions, normals, coords;
    positions.components = normals.components = 3;
    coords.components = 2;
    const std::size_t vertices = std::size_t{row} * row;
    for (Stream* stream : {&positions, &normals, &coords})
        stream->data.resize(vertices * stream->elementSize());
    for (std::uint32_t v = 0; v < vertices; ++v) {
        const float x = static_cast<float>(v % row) / static_cast<float>(edge);
        const float z = static_cast<float>(v / row) / static_cast<float>(edge);
        const Vec3f place(x, 0.02F * std::sin(40 * x) * std::cos(33 * z), z);
        const Vec3f normal = Vec3f(-0.8F * std::cos(40 * x) * std::cos(33 * z), 1,
                                   0.66F * std::sin(40 * x) * std::sin(33 * z))
                                 .normalized();
        for (int c = 0; c < 3; ++c) {
            positions.set(v, c, place[c]);
            normals.set(v, c, normal[c]);
        }
        coords.set(v, 0, x);
        coords.set(v, 1, z);
    }
    for (std::uint32_t z = 0; z < edge; ++z)
        for (std::uint32_t x = 0; x < edge; ++x) {
            const std::uint32_t a = z * row + x;
            part.indices.insert(part.indices.end(),
                                {a, a + row, a + 1, a + 1, a + row, a + row + 1});
        }
    part.attributes = {{"POSITION", std::make_shared<const Stream>(std::move(positions))},
                       {"NORMAL", std::make_shared<const Stream>(std::move(normals))},
                       {"TEXCOORD_0", std::make_shared<const Stream>(std::move(coords))}};
    Mesh mesh;
    mesh.name = "waves";
    mesh.parts.push_back(std::move(part));
    return finishMesh(std::move(mesh));
}

/// Growth: to a tenth of so many thousands of triangles. Memory beyond the mesh's own is the
/// process's peak: to be trusted in a run of one size by itself.
void ReduceWaves(benchmark::State& state) {
    const MeshPtr waves = makeWaves(static_cast<std::size_t>(state.range(0)) * 1000);
    const auto peak = [] {
        rusage usage{};
        getrusage(RUSAGE_SELF, &usage);
        return static_cast<double>(usage.ru_maxrss) * 1024;
    };
    const double before = peak();
    for (auto _ : state) {
        Reducer reducer(*waves, {});
        benchmark::DoNotOptimize(reducer.reduceTo(
            waves->triangles / 10, std::numeric_limits<double>::infinity(), noProgress()));
    }
    const auto triangles = static_cast<double>(waves->triangles);
    state.counters["bytes/triangle"] = (peak() - before) / triangles;
    state.counters["triangles/s"] = benchmark::Counter(
        triangles * static_cast<double>(state.iterations()), benchmark::Counter::kIsRate);
}
BENCHMARK(ReduceWaves)
    ->Arg(10)
    ->Arg(100)
    ->Arg(1000)
    ->Arg(10000)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

/// All that `flentro-cli reduce` does beyond opening: to a tenth, the deviation measured, the file
/// written. Arguments: thousands of triangles; 1: vertices where the error is least.
void ReduceCommand(benchmark::State& state) {
    Scene scene;
    scene.assets.push_back({makeWaves(static_cast<std::size_t>(state.range(0)) * 1000), {}, {}});
    scene.nodes.resize(1);
    scene.nodes[0].mesh = 0;
    scene.scenes.push_back({{"nodes", {0}}});
    flatten(scene);
    const auto triangles = static_cast<double>(scene.assets[0].mesh->triangles);
    const auto file = std::filesystem::temp_directory_path() /
                      ("flentro-bench-" + std::to_string(::getpid()) + ".glb");
    ReduceOptions options;
    options.targetTriangles = static_cast<std::size_t>(triangles / 10);
    if (state.range(1) == 1) options.reducer.placement = Placement::Optimal;
    for (auto _ : state) {
        Scene result = scene;
        result.assets[0].mesh = reduce(*scene.assets[0].mesh, options, noProgress())->mesh;
        benchmark::DoNotOptimize(writeGltf(result, file, {}, noProgress()));
    }
    std::filesystem::remove(file);
    state.counters["triangles/s"] = benchmark::Counter(
        triangles * static_cast<double>(state.iterations()), benchmark::Counter::kIsRate);
}
BENCHMARK(ReduceCommand)
    ->Args({1000, 0})
    ->Args({1000, 1})
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

/// What the table in docs/methods.md shows: deviation in millionths of the diagonal. Arguments:
/// 0 existing vertices, 1 optimal places, 2 optimal places by the surface alone, without
/// attributes or seams; and triangles kept, in percent.
void DeviationOfOtter(benchmark::State& state) {
    MeshPtr otter = assetNamed("carved otter");
    ReducerOptions options;
    if (state.range(0) > 0) options.placement = Placement::Optimal;
    if (state.range(0) == 2) {
        Mesh bare = *otter;
        for (Part& part : bare.parts)
            std::erase_if(part.attributes,
                          [](const Attribute& a) { return a.semantic != "POSITION"; });
        otter = finishMesh(std::move(bare));
    }
    const auto wanted = otter->triangles * static_cast<std::size_t>(state.range(1)) / 100;
    const Surface surface(*otter);
    const double millionth = otter->bounds.diagonal().norm() / 1e6;
    for (auto _ : state) {
        Reducer reducer(*otter, options);
        // As ladders do: all the way, of which any count is a state.
        (void)reducer.reduceTo(100, std::numeric_limits<double>::infinity(), noProgress());
        const MeshPtr reduced = finishMesh(reducer.log().meshAt(wanted));
        const Deviation deviation = measureDeviation(surface, *reduced, 400'000);
        state.counters["mean"] = deviation.mean / millionth;
        state.counters["largest"] = deviation.largest / millionth;
        const AttributeDeviation shading =
            surface.attributesFrom(*reduced, 20'000, 1000 * deviation.largest);
        state.counters["normal"] = shading.normal;
        state.counters["texture"] = shading.texture / millionth;
        state.counters["triangles"] = static_cast<double>(reduced->triangles);
    }
}
BENCHMARK(DeviationOfOtter)
    ->ArgsProduct({{0, 1, 2}, {50, 10, 2}})
    ->Iterations(1)
    ->Unit(benchmark::kMillisecond);

/// All ladders of the market, on all cores.
void LaddersOfTheMarket(benchmark::State& state) {
    const Scene& scene = market(1);
    for (auto _ : state)
        benchmark::DoNotOptimize(applyLadder(scene, LadderSettings{}, desk(), noProgress()));
}
BENCHMARK(LaddersOfTheMarket)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(1);

/// All steps on all assets, on all cores.
void TidyingTheMarket(benchmark::State& state) {
    const Scene& scene = market(1);
    for (auto _ : state) benchmark::DoNotOptimize(applyTidy(scene, TidySettings{}, noProgress()));
}
BENCHMARK(TidyingTheMarket)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(2);

/// Equal images, materials and meshes, moved ones too; the scene once and sixteen times.
void SharingTheMarket(benchmark::State& state) {
    const Scene& scene = market(static_cast<int>(state.range(0)));
    for (auto _ : state)
        benchmark::DoNotOptimize(applyShare(scene, ShareSettings{}, Target{}, noProgress()));
    state.counters["objects"] = static_cast<double>(scene.objects.size());
}
BENCHMARK(SharingTheMarket)
    ->Arg(1)
    ->Arg(16)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Iterations(1);

void SplittingTheMarket(benchmark::State& state) {
    const Scene& scene = market(static_cast<int>(state.range(0)));
    for (auto _ : state) benchmark::DoNotOptimize(applySplit(scene, SplitSettings{}, noProgress()));
}
BENCHMARK(SplittingTheMarket)->Arg(1)->Arg(16)->Unit(benchmark::kMillisecond)->UseRealTime();

/// All sizes of parcels in estimated views, on a target that batches nothing, and the geometry.
void MergingTheMarket(benchmark::State& state) {
    const Scene& scene = market(static_cast<int>(state.range(0)));
    Target target = shippedTargets()[3];
    target.batching = Batching::Nothing;
    for (auto _ : state)
        benchmark::DoNotOptimize(applyMerge(scene, MergeSettings{}, target, {}, noProgress()));
}
BENCHMARK(MergingTheMarket)
    ->Arg(1)
    ->Arg(16)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Iterations(1);

void ShadowsOfTheMarket(benchmark::State& state) {
    const Scene& scene = market(static_cast<int>(state.range(0)));
    for (auto _ : state)
        benchmark::DoNotOptimize(
            applyShadows(scene, ShadowSettings{}, shippedTargets()[3], noProgress()));
}
BENCHMARK(ShadowsOfTheMarket)
    ->Arg(1)
    ->Arg(16)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Iterations(1);

void PackingTheMarket(benchmark::State& state) {
    for (auto _ : state)
        benchmark::DoNotOptimize(applyAtlas(market(1), AtlasSettings{}, noProgress()));
}
BENCHMARK(PackingTheMarket)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(1);

void StandInsOfTheMarket(benchmark::State& state) {
    const Scene& scene = market(static_cast<int>(state.range(0)));
    for (auto _ : state)
        benchmark::DoNotOptimize(
            applyStandIns(scene, StandInSettings{}, shippedTargets()[3], noProgress()));
}
BENCHMARK(StandInsOfTheMarket)
    ->Arg(1)
    ->Arg(16)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime()
    ->Iterations(1);

/// Copies that stand still as instances, for an export.
void SharingTheNodes(benchmark::State& state) {
    const Scene& scene = market(static_cast<int>(state.range(0)));
    for (auto _ : state) {
        Scene copy = scene;
        benchmark::DoNotOptimize(shareNodes(copy));
    }
}
BENCHMARK(SharingTheNodes)->Arg(1)->Arg(16)->Unit(benchmark::kMillisecond)->UseRealTime();

/// Open borders of all assets and where they meet; the scene once and four times.
void BordersOfTheMarket(benchmark::State& state) {
    const Scene& scene = market(static_cast<int>(state.range(0)));
    for (auto _ : state) benchmark::DoNotOptimize(findSharedBorders(scene));
}
BENCHMARK(BordersOfTheMarket)->Arg(1)->Arg(4)->Unit(benchmark::kMillisecond)->UseRealTime();

/// A still of this many pixels an edge, 16 rays each, on one core.
void StillOfOtter(benchmark::State& state) {
    const MeshPtr otter = assetNamed("carved otter");
    const MeshPainter painter(market(1), otter);
    const auto edge = static_cast<int>(state.range(0));
    const Aim aim = aimAt(otter->bounds, Vec3d::UnitZ(), 1, 1e6, edge);
    for (auto _ : state) benchmark::DoNotOptimize(painter.paint(aim));
    state.counters["rays/s"] =
        benchmark::Counter(16.0 * aim.width * aim.height * static_cast<double>(state.iterations()),
                           benchmark::Counter::kIsRate);
}
BENCHMARK(StillOfOtter)->Arg(64)->Arg(190)->Unit(benchmark::kMillisecond);

/// Any count of a mesh that was analysed before.
void OtterAtACount(benchmark::State& state) {
    const MeshPtr otter = assetNamed("carved otter");
    Reducer reducer(*otter, {});
    (void)reducer.reduceTo(100, std::numeric_limits<double>::infinity(), noProgress());
    for (auto _ : state) benchmark::DoNotOptimize(reducer.log().meshAt(otter->triangles / 5));
}
BENCHMARK(OtterAtACount)->Unit(benchmark::kMillisecond);

void MeasureDeviationOfOtter(benchmark::State& state) {
    const MeshPtr otter = assetNamed("carved otter");
    Reducer reducer(*otter, {});
    (void)reducer.reduceTo(otter->triangles / 10, std::numeric_limits<double>::infinity(),
                           noProgress());
    const Mesh reduced = *finishMesh(reducer.mesh());
    const Surface surface(*otter);
    for (auto _ : state) benchmark::DoNotOptimize(measureDeviation(surface, reduced));
}
BENCHMARK(MeasureDeviationOfOtter)->Unit(benchmark::kMillisecond);

}  // namespace
