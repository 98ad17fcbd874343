#include "fixes/tidy/unseen.h"

#include "survey/analysis.h"

namespace flentro {
namespace {

std::vector<std::uint32_t> runsOf(const std::vector<bool>& gone) {
    std::vector<std::uint32_t> runs;
    for (std::uint32_t t = 0; t < gone.size(); ++t) {
        if (!gone[t]) continue;
        if (t == 0 || !gone[t - 1]) runs.insert(runs.end(), {t, 0});
        ++runs.back();
    }
    return runs;
}

}  // namespace

std::vector<MeshRuns> takeUnseen(const Scene& scene, const Survey& survey) {
    if (!survey.coversEnough()) return {};
    const std::vector<bool> removable = removableTriangles(scene, survey);
    std::map<Hash, std::pair<std::string, std::vector<bool>>> byMesh;
    std::size_t first = 0;
    for (const Asset& asset : scene.assets) {
        const auto begin = removable.begin() + static_cast<std::ptrdiff_t>(first);
        const std::vector<bool> own(begin,
                                    begin + static_cast<std::ptrdiff_t>(asset.mesh->triangles));
        first += asset.mesh->triangles;
        auto& [name, gone] = byMesh[asset.mesh->hash];
        if (gone.empty()) {
            name = asset.mesh->name;
            gone = own;
        }
        for (std::size_t t = 0; t < own.size(); ++t) gone[t] = gone[t] && own[t];
    }
    std::vector<MeshRuns> unseen;
    for (const auto& [hash, entry] : byMesh) {
        std::vector<std::uint32_t> runs = runsOf(entry.second);
        if (!runs.empty()) unseen.push_back({entry.first, hash, std::move(runs)});
    }
    return unseen;
}

}  // namespace flentro
