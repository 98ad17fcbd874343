// The ladder of one asset.

#pragma once

#include <optional>

#include "fixes/ladder/ladder.h"
#include "simplify/card_cloud.h"
#include "simplify/deviation.h"
#include "simplify/reduce.h"

namespace flentro {

/// Makes all levels from one analysis. Everything given must outlive it.
class LadderMaker {
public:
    /// `nearest`: metres, instead of that of the settings. `locked`: vertices that stay where they
    /// are, [parts][vertices]; empty: none.
    LadderMaker(const Asset& asset, const LadderSettings& settings, double nearest,
                const Target& target, const std::vector<std::vector<bool>>& locked,
                const std::vector<PoseMesh>& poses, Progress& progress);

    /// The asset with its ladder. Errors: Cancelled. Cost: that of a Reducer and one measured
    /// deviation for each level, or some for each with LevelRule::Deviation.
    [[nodiscard]] Expected<Asset> run();

private:
    /// One level to be.
    struct Step {
        std::size_t solid = 0;    ///< Triangles of what is reduced.
        std::vector<Part> cards;  ///< What is thinned.
        std::size_t triangles = 0;
    };
    using Steps = std::vector<Step>;

    [[nodiscard]] Step makeStep(const CollapseLog& log, std::size_t solid, double share) const;
    [[nodiscard]] Steps stepsByRatio(const CollapseLog& log, std::size_t top) const;
    [[nodiscard]] Expected<Steps> stepsByDeviation(const CollapseLog& log, std::size_t top);
    [[nodiscard]] Expected<std::size_t> topCount(const CollapseLog& log);
    [[nodiscard]] bool gains(std::size_t triangles, std::size_t before) const;
    [[nodiscard]] bool isTooSmall(std::size_t triangles) const;
    [[nodiscard]] Expected<void> buildSurfaces();
    [[nodiscard]] Expected<void> addLevels(Asset& result, std::vector<Mesh> meshes);
    void dropBunched(Asset& result, double deviation) const;
    [[nodiscard]] double ownDistance(double deviation, const Mesh& before) const;
    [[nodiscard]] double switchDistance(double deviation, const Mesh& before,
                                        const Ladder& ladder) const;

    const Asset& asset_;
    const LadderSettings& settings_;
    const double nearest_;
    const std::vector<PoseMesh>& poses_;
    Progress& progress_;
    const double perMetre_;                      ///< Pixels of a metre at one metre.
    const double pixels_;                        ///< Deviation allowed at a switch.
    std::vector<CardCloud> cards_;               ///< Of the asset's parts.
    MeshPtr solid_;                              ///< The asset's mesh without those.
    std::optional<PosedSurfaces> solidSurface_;  ///< Made by run().
    std::optional<PosedSurfaces> wholeSurface_;  ///< With them, if there are any.
    ReducerOptions options_;
};

}  // namespace flentro
