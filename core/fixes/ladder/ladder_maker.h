// The ladder of one asset.

#pragma once

#include <optional>

#include "fixes/ladder/ladder.h"
#include "simplify/deviation.h"
#include "simplify/foliage.h"
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
        std::size_t solid = 0;     ///< Triangles of what is reduced.
        std::vector<Part> leaves;  ///< What is thinned.
        double leafDeviation = 0;  ///< Metres.
        std::size_t triangles = 0;
    };
    using Steps = std::vector<Step>;

    [[nodiscard]] Step makeStep(const CollapseLog& log, std::size_t solid,
                                const std::vector<double>& shares) const;
    [[nodiscard]] Steps stepsByRatio(const CollapseLog& log, std::size_t top) const;
    [[nodiscard]] Expected<Steps> stepsByDeviation(const CollapseLog& log, std::size_t top);
    [[nodiscard]] Expected<std::size_t> topCount(const CollapseLog& log);
    [[nodiscard]] bool gains(std::size_t triangles, std::size_t before) const;
    [[nodiscard]] bool isTooSmall(std::size_t triangles) const;
    [[nodiscard]] Expected<void> prepare();
    [[nodiscard]] Expected<void> addLevels(Asset& result, std::vector<Mesh> solids,
                                           const Steps& steps);
    [[nodiscard]] Ladder::Level measureLevel(const MeshPtr& solid, const Step& step) const;
    [[nodiscard]] std::size_t trianglesWith(std::size_t solid) const;
    void dropBunched(Asset& result, double deviation) const;
    [[nodiscard]] double ownDistance(double deviation, const Mesh& before) const;
    [[nodiscard]] double switchDistance(double deviation, const Mesh& before,
                                        const Ladder& ladder) const;

    const Asset& asset_;
    const LadderSettings& settings_;
    const double nearest_;
    const std::vector<PoseMesh>& poses_;
    Progress& progress_;
    const double perMetre_;                  ///< Pixels of a metre at one metre.
    const double pixels_;                    ///< Deviation allowed at a switch.
    MeshPtr solid_;                          ///< The asset's mesh without foliage.
    std::vector<Foliage> foliage_;           ///< Of its other parts; made by run().
    std::optional<PosedSurfaces> surfaces_;  ///< Of solid_; made by run().
    ReducerOptions options_;
};

}  // namespace flentro
