// What fixes take off the counted views, found by applying them.

#pragma once

#include <unordered_map>

#include "findings/finding.h"

namespace flentro {

/// A scene before and after fixes, counted in the same views.
///
/// A subject is followed through the fixes by its origins: the relief of a subject is what the
/// views count less when it alone becomes what the fixes make of it. Calls of copies that are drawn
/// together are divided among the copies, so that the reliefs of all objects add up to the whole.
class Trial {
public:
    /// `before`, `target` and `views` must outlive it. `views`: of `before`.
    /// Cost: a ViewMeter of `after`, and a count of each view.
    Trial(const Scene& before, const Scene& after, const Target& target, const CountedViews& views);

    /// Relief of these subjects of `before`; negative where the fixes cost more.
    [[nodiscard]] Relief relief(const std::vector<Subject>& subjects) const;

    /// Relief of everything that the fixes change.
    [[nodiscard]] Relief whole() const;

private:
    /// What one drawn object adds to a view.
    struct Item {
        std::uint32_t object = 0;
        double triangles = 0;  ///< All eyes and shadow passes.
        double calls = 0;      ///< Its share of calls that copies have in common.
        double materials = 0;
        double vertices = 0;
        std::uint32_t asset = 0;
        std::uint32_t level = 0;
        bool isDrawn = false;  ///< False: only shadow passes draw it.
    };
    struct LightItem {
        std::uint32_t light = 0;
        double castsShadow = 0;
        double triangles = 0;
        double calls = 0;
    };
    struct View {
        Counts counts{};
        std::vector<Item> items;
        std::vector<LightItem> lights;
    };
    /// An image by its content; equal ones are numbered.
    using ImageKey = std::pair<Hash, std::size_t>;
    struct Side {
        const Scene* scene = nullptr;
        std::vector<View> views;
        std::vector<std::uint32_t> batches;  ///< [objects]
        std::vector<ImageKey> images;        ///< [images]
        std::vector<double> bytes;           ///< [images]
        /// [assets][levels] Images of the materials.
        std::vector<std::vector<std::vector<std::uint32_t>>> shown;
    };
    [[nodiscard]] Side sideOf(const Scene& scene) const;
    [[nodiscard]] View viewOf(const Side& side, const ViewCost& cost) const;
    [[nodiscard]] Counts withObjects(std::size_t view, const std::vector<bool>& chosen,
                                     const std::vector<double>& shares) const;
    [[nodiscard]] Counts withLights(std::size_t view, const std::vector<bool>& chosen,
                                    const std::vector<double>& shares) const;
    [[nodiscard]] Counts withImages(std::size_t view, const std::vector<bool>& chosen) const;
    template <typename CountsOf>
    [[nodiscard]] Relief reliefTo(const CountsOf& countsOf) const;
    [[nodiscard]] Relief objectRelief(const std::vector<bool>& chosen) const;
    [[nodiscard]] Relief lightRelief(const std::vector<bool>& chosen) const;
    [[nodiscard]] Relief imageRelief(const std::vector<bool>& chosen) const;

    const Target& target_;
    const CountedViews& views_;
    Side before_, after_;
};

/// Replaces what findings are said to take off by what their fixes take off when they are applied
/// to the scene, each with the settings that the finding proposes; several findings that propose
/// the same share one trial. Of alternatives the one that relieves most of what is over is
/// kept. A fix that takes nothing off although the rule expected it to is withdrawn. Findings
/// without a fix keep their upper bounds.
///
/// The same arguments as for diagnose(). Errors: Cancelled; the diagnosis is then as before.
/// Cost: that of the fixes.
[[nodiscard]] Expected<void> tryFixes(Diagnosis& diagnosis, const Scene& scene,
                                      const Target& target, const Survey* survey,
                                      const std::optional<Viewpoint>& here, Progress& progress,
                                      const Evidence* evidence = nullptr);

}  // namespace flentro
