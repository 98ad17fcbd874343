#include "simplify/level_order.h"

#include <algorithm>

#include "base/index.h"

namespace flentro {
namespace {

/// One part's vertices in progressive order.
struct PartOrder {
    std::vector<std::uint32_t> order;  ///< Old vertex of each rank.
    std::vector<std::uint32_t> rank;   ///< In that order, of each old vertex.
    std::vector<std::size_t> used;     ///< [levels] length of each level's prefix.
};

PartOrder orderPart(const Part& part, std::size_t index, const std::vector<LevelIndices>& levels) {
    constexpr int kUnused = -1;
    std::vector<int> coarsest(part.vertexCount(), kUnused);
    for (std::size_t k = 0; k < levels.size(); ++k)
        for (const std::uint32_t vertex : levels[k][index]) coarsest[vertex] = static_cast<int>(k);
    PartOrder result;
    for (std::uint32_t v = 0; v < coarsest.size(); ++v)
        if (coarsest[v] != kUnused) result.order.push_back(v);
    std::stable_sort(result.order.begin(), result.order.end(),
                     [&](std::uint32_t a, std::uint32_t b) { return coarsest[a] > coarsest[b]; });
    result.rank.resize(coarsest.size());
    result.used.resize(levels.size());
    for (std::uint32_t i = 0; i < result.order.size(); ++i) {
        const std::uint32_t vertex = result.order[i];
        result.rank[vertex] = i;
        for (int k = 0; k <= coarsest[vertex]; ++k) elementOf(result.used, k) = i + 1;
    }
    return result;
}

}  // namespace

LevelIndices topIndices(const Mesh& top) {
    LevelIndices indices;
    for (const Part& part : top.parts) indices.push_back(part.indices);
    return indices;
}

std::vector<Mesh> shareVertices(const Mesh& top, const std::vector<LevelIndices>& levels) {
    std::vector<Mesh> meshes(levels.size());
    for (Mesh& mesh : meshes) {
        mesh.name = top.name;
        mesh.rest = top.rest;
    }
    for (std::size_t p = 0; p < top.parts.size(); ++p) {
        const PartOrder order = orderPart(top.parts[p], p, levels);
        for (std::size_t k = 0; k < levels.size(); ++k) {
            std::vector<std::uint32_t> indices = levels[k][p];
            if (indices.empty()) continue;
            for (std::uint32_t& index : indices) index = order.rank[index];
            const std::vector<std::uint32_t> kept(
                order.order.begin(),
                order.order.begin() + static_cast<std::ptrdiff_t>(order.used[k]));
            meshes[k].parts.push_back(selectVertices(top.parts[p], kept, std::move(indices)));
        }
    }
    return meshes;
}

}  // namespace flentro
