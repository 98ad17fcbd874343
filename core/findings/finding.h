// Findings: what is to blame for a load, where, how much it would save, and what serves.

#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "findings/counted_views.h"
#include "findings/memo.h"
#include "findings/scene_index.h"
#include "fixes/fix.h"
#include "geometry/weld.h"
#include "picture/image_facts.h"
#include "survey/survey.h"

namespace flentro {

struct Rule;

/// A thing that a finding speaks of.
struct Subject {
    enum class Kind { Scene, Asset, Object, Image, Material, Light };
    Kind kind = Kind::Scene;
    std::size_t index = 0;  ///< In Scene::assets, objects, images, materials or placedLights.
    std::string name;

    bool operator==(const Subject&) const = default;
};
[[nodiscard]] const char* subjectKey(Subject::Kind kind);  ///< "asset", as in files.

[[nodiscard]] Subject assetSubject(const Scene& scene, std::size_t asset);
[[nodiscard]] Subject objectSubject(const Scene& scene, std::size_t object);
[[nodiscard]] Subject imageSubject(const Scene& scene, std::size_t image);
[[nodiscard]] Subject materialSubject(const Scene& scene, std::size_t material);
[[nodiscard]] Subject lightSubject(const Scene& scene, std::size_t light);

/// A labelled number that a finding rests on.
struct Quantity {
    enum class Unit { Count, Memory, Metres, Pixels, Share, Milliseconds };
    std::string label;
    double value = 0;
    Unit unit = Unit::Count;
    std::optional<double> threshold = {};  ///< What it is held against, in the same unit.
};
[[nodiscard]] std::string formatQuantity(double value, Quantity::Unit unit);
[[nodiscard]] const char* unitKey(Quantity::Unit unit);  ///< "bytes", as in files.

struct Finding {
    const Rule* rule = nullptr;
    std::vector<Subject> subjects;  ///< Never empty; the first gives it its name.
    std::string sentence;           ///< What is wrong with them, with numbers.
    std::vector<Quantity> evidence;
    /// What counted views would count less; once its fix was tried, negative for measures that the
    /// fix costs.
    Relief relief;
    /// The relief is what the fix takes off, by the rule's own count or by a trial; else it is an
    /// upper bound.
    bool isExact = false;
    bool isTried = false;                 ///< The fix has been applied to the scene and counted.
    std::vector<Viewpoint> where;         ///< Where it counts most, first; may be empty.
    std::optional<FixSettings> fix = {};  ///< Prepared; none: see the rule's advice.
    /// Applied before `fix`, which takes off less without them.
    std::vector<FixSettings> preparations = {};
    /// Other fixes that may serve instead of `fix`; a trial keeps the best.
    std::vector<FixSettings> alternatives = {};
    /// Name of the fix that was tried and withdrawn, as it takes nothing off here; or empty.
    std::string withdrawn = {};
    /// The measure that is over or makes frames slow, for a finding that names what fills it.
    std::optional<Measure> over = {};
    /// Keys of other rules that claim a part of the same relief of the same things.
    std::vector<std::string> sharedWith = {};

    /// Rule and subjects by name: the same finding after a scene was read again.
    [[nodiscard]] std::string identity() const;
};

/// What rules read.
struct FindingInput {
    const Scene& scene;
    const Target& target;
    const SceneIndex& index;
    const CountedViews& views;
    const std::vector<ImageFacts>& images;
    const std::vector<int>& equalImages;        ///< [images] The first that each is equal to.
    const std::vector<std::uint32_t>& batches;  ///< [objects] As batchesOf() has them.
    const std::vector<WeldedMesh>& welded;      ///< [assets] Level 0, corners at one place as one.
    const TextureMemory& textures;
    const Survey* counted = nullptr;  ///< Whose views are counted, with or without rays; or null.
    const Survey* survey = nullptr;   ///< The same, if it has rays; null: none.
    const Evidence& evidence;         ///< What fixes know of its views; may be empty.
    Memo& memo;                       ///< For what takes long and depends on a mesh alone.
    Progress& progress;
};

/// One kind of finding.
struct Rule {
    std::string key;             ///< "too-dense"
    std::string name;            ///< "Denser than it shows"
    std::string why;             ///< Why it costs.
    std::string measured;        ///< How it is measured, with the threshold and its reason.
    std::string advice;          ///< What serves; by hand where no fix does.
    const char* fix = nullptr;   ///< Key of the fix that serves, where findings prepare none.
    bool needsSurvey = false;    ///< Only runs with a survey that has rays.
    bool needsCoverage = false;  ///< Concludes from what no spot sees.
    bool namesOnly = false;      ///< Names what fills a measure, and relieves nothing by itself.
    bool needsRelief = false;    ///< Only reported if its fix takes something off.
    std::vector<Finding> (*run)(const FindingInput& input) = nullptr;
};

/// All rules, in the order of docs/findings.md.
[[nodiscard]] const std::vector<const Rule*>& findingRules();
[[nodiscard]] const Rule* findRule(std::string_view key);

/// All findings of a scene with what they are held against.
struct Diagnosis {
    Counts counts{};  ///< Of each measure in the view where it is worst.
    Counts loads{};
    std::size_t views = 0;  ///< That were counted.
    bool isSurveyed = false;
    /// Most relief first: by the load that they take off the measures that are over where those are
    /// worst, then off the others, then by rule.
    std::vector<Finding> findings;
    /// What all findings together take off each measure; what several claim counts once.
    Counts explained{};

    /// Fixes that were applied to the scene, and all that they take off.
    struct Trial {
        std::vector<FixSettings> fixes;  ///< One after the other.
        Relief relief;
    };
    std::vector<Trial> trials = {};

    /// Load that a finding takes off the measures that are over, down to x1.00 and added up; 0: off
    /// none of them. What its fix adds to a measure beyond x1.00 is subtracted.
    [[nodiscard]] double reliefOf(const Relief& relief, const Target& target) const;
    [[nodiscard]] double reliefOf(const Finding& finding, const Target& target) const {
        return reliefOf(finding.relief, target);
    }
    /// Findings at the beginning of the list that relieve a measure that is over, or that name
    /// what fills one.
    [[nodiscard]] std::size_t relieving(const Target& target) const;
    /// Load of one measure before and after.
    struct Change {
        Measure measure = Measure::Triangles;
        double before = 0, after = 0;
        [[nodiscard]] bool isOver() const { return before > 1; }
    };
    /// The loads that a relief changes by 0.005 and more where they are worst: those that are over
    /// first, then by how much they change.
    [[nodiscard]] std::vector<Change> changes(const Relief& relief, const Target& target) const;
    /// Orders findings by relief, and settles what several claim. For whoever changes reliefs.
    void settle(const Target& target);
};

/// "draw calls x3.61 to x0.83, objects x1.20 to x0.90"; "" for none.
[[nodiscard]] std::string formatChanges(const std::vector<Diagnosis::Change>& changes);

/// Load that a relief takes off all measures where they are worst, over or not.
[[nodiscard]] double anyReliefOf(const Relief& relief, const Target& target);

/// Runs all rules that can run, on all cores. `survey` of the scene, or null; `here`: the present
/// view. `memo` of former diagnoses: what takes long is made anew only of meshes and images that
/// are new. `evidence`: what fixes know of the survey, where that is more than the survey says, as
/// after recountedIn(); null: what it says. Errors: Cancelled.
[[nodiscard]] Expected<Diagnosis> diagnose(const Scene& scene, const Target& target,
                                           const Survey* survey,
                                           const std::optional<Viewpoint>& here, Memo& memo,
                                           Progress& progress, const Evidence* evidence = nullptr);

[[nodiscard]] Json toJson(const Finding& finding, const Target& target);

[[nodiscard]] Json toJson(const Diagnosis& diagnosis, const Target& target);

/// All rules as Markdown: docs/findings.md.
[[nodiscard]] std::string findingsGuide();

}  // namespace flentro
