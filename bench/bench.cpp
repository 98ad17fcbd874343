// Google Benchmark over the hot kernels, on the demo scene.

#include <benchmark/benchmark.h>

#include <filesystem>
#include <map>

#include "findings/ranking.h"
#include "geometry/weld.h"
#include "io/file.h"
#include "io/gltf.h"
#include "measure/pick.h"
#include "ottermere.h"
#include "simplify/deviation.h"
#include "simplify/reduce.h"

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

void RankAssets(benchmark::State& state) {
    const ViewCost cost = viewCost(market(1), desk(), demo::quayView());
    for (auto _ : state)
        benchmark::DoNotOptimize(
            rank(market(1), desk(), cost, BlameKind::Asset, Measure::Triangles));
}
BENCHMARK(RankAssets)->Unit(benchmark::kMillisecond);

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
BENCHMARK(ReduceOtter)->Arg(50)->Arg(5)->Unit(benchmark::kMillisecond);

void MeasureDeviationOfOtter(benchmark::State& state) {
    const MeshPtr otter = assetNamed("carved otter");
    Reducer reducer(*otter, {});
    (void)reducer.reduceTo(otter->triangles / 10, std::numeric_limits<double>::infinity(),
                           noProgress());
    const Mesh reduced = *finishMesh(reducer.mesh());
    const Surface surface(*otter);
    for (auto _ : state) benchmark::DoNotOptimize(measureDeviation(*otter, surface, reduced));
}
BENCHMARK(MeasureDeviationOfOtter)->Unit(benchmark::kMillisecond);

}  // namespace
