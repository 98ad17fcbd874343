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
    enum class Unit { Count, Memory, Metres, Pixels, Share };
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
    /// What counted views would count less.
    Relief relief;
    /// The fix is applied to the views as it would be; else the relief is an upper bound.
    bool isExact = false;
    std::vector<Viewpoint> where;         ///< Where it counts most, first; may be empty.
    std::optional<FixSettings> fix = {};  ///< Prepared; none: see the rule's advice.
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
    const std::vector<int>& equalImages;    ///< [images] The first that each is equal to.
    const std::vector<WeldedMesh>& welded;  ///< [assets] Level 0, corners at one place as one.
    const TextureMemory& textures;
    const Survey* survey = nullptr;  ///< Of the scene, with rays; null: none.
    Memo& memo;                      ///< For what takes long and depends on a mesh alone.
    Progress& progress;
};

/// One kind of finding.
struct Rule {
    std::string key;            ///< "too-dense"
    std::string name;           ///< "Denser than it shows"
    std::string why;            ///< Why it costs.
    std::string measured;       ///< How it is measured, with the threshold and its reason.
    std::string advice;         ///< What serves; by hand where no fix does.
    const char* fix = nullptr;  ///< Key of the fix that serves, where findings prepare none.
    bool needsSurvey = false;   ///< Only runs with a survey that has rays.
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

    /// Load that a finding takes off the measures that are over, added up; 0: off none of them.
    [[nodiscard]] double reliefOf(const Finding& finding, const Target& target) const;
};

/// Runs all rules that can run, on all cores. `survey` of the scene, or null; `here`: the present
/// view. `memo` of former diagnoses: what takes long is made anew only of meshes and images that
/// are new. Errors: Cancelled.
[[nodiscard]] Expected<Diagnosis> diagnose(const Scene& scene, const Target& target,
                                           const Survey* survey,
                                           const std::optional<Viewpoint>& here, Memo& memo,
                                           Progress& progress);

[[nodiscard]] Json toJson(const Finding& finding, const Target& target);

[[nodiscard]] Json toJson(const Diagnosis& diagnosis, const Target& target);

/// All rules as Markdown: docs/findings.md.
[[nodiscard]] std::string findingsGuide();

}  // namespace flentro
