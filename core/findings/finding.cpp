#include "findings/finding.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <map>

#include "base/index.h"
#include "base/parallel.h"
#include "base/text.h"
#include "measure/batches.h"

namespace flentro {
namespace {

constexpr const char* kSubjectKeys[] = {"scene", "asset", "object", "texture", "material", "light"};
constexpr const char* kUnitKeys[] = {"", "bytes", "metres", "pixels", "share", "milliseconds"};

template <typename List>
std::string nameOr(const List& thing, const char* kind, std::size_t index) {
    return thing.name.empty() ? fmt::format("{} {}", kind, index) : thing.name;
}

Json countsJson(const Counts& counts) {
    Json json = Json::object();
    for (const Measure measure : kMeasures)
        if (at(counts, measure) > 0) json[measureKey(measure)] = at(counts, measure);
    return json;
}

}  // namespace

const char* subjectKey(Subject::Kind kind) {
    return elementOf(kSubjectKeys, kind);
}

Subject assetSubject(const Scene& scene, std::size_t asset) {
    return {Subject::Kind::Asset, asset, nameOr(*scene.assets[asset].mesh, "mesh", asset)};
}
Subject objectSubject(const Scene& scene, std::size_t object) {
    return {Subject::Kind::Object, object, nameOr(scene.objects[object], "object", object)};
}
Subject imageSubject(const Scene& scene, std::size_t image) {
    const Image& shown = scene.images[image];
    return {Subject::Kind::Image, image,
            shown.name.empty() && !shown.uri.empty() ? shown.uri : nameOr(shown, "image", image)};
}
Subject materialSubject(const Scene& scene, std::size_t material) {
    return {Subject::Kind::Material, material,
            nameOr(scene.materials[material], "material", material)};
}
Subject lightSubject(const Scene& scene, std::size_t light) {
    return {Subject::Kind::Light, light, nameOr(scene.placedLights[light], "light", light)};
}

std::string formatQuantity(double value, Quantity::Unit unit) {
    switch (unit) {
        case Quantity::Unit::Count:
            return formatCount(value);
        case Quantity::Unit::Memory:
            return formatBytes(value);
        case Quantity::Unit::Metres:
            return formatMetres(value);
        case Quantity::Unit::Pixels:
            return fmt::format("{:.{}f} px", value, value < 10 ? 1 : 0);
        case Quantity::Unit::Share:
            return formatShare(value);
        case Quantity::Unit::Milliseconds:
            return fmt::format("{:.1f} ms", value);
    }
    return {};
}

const char* unitKey(Quantity::Unit unit) {
    return elementOf(kUnitKeys, unit);
}

std::string Finding::identity() const {
    std::string text = rule->key;
    for (const Subject& subject : subjects)
        text += fmt::format("|{}:{}", subjectKey(subject.kind), subject.name);
    return text;
}

double Diagnosis::reliefOf(const Relief& relief, const Target& target) const {
    double sum = 0;
    for (const Measure measure : kMeasures) {
        const double count = at(counts, measure);
        const double saved = std::min(at(relief.worst, measure), count);
        const double limit = at(target.limits, measure);
        if (!isLimit(limit)) continue;
        // What lies below the limit is no relief; where none is allowed, the share that goes.
        if (limit > 0)
            sum += std::max(at(loads, measure), 1.0) - std::max(loadOf(count - saved, limit), 1.0);
        else if (count > 0)
            sum += saved / count;
    }
    return sum;
}

std::vector<Diagnosis::Change> Diagnosis::changes(const Relief& relief,
                                                  const Target& target) const {
    constexpr double kShown = 0.005;
    std::vector<Change> changes;
    for (const Measure measure : kMeasures) {
        const double limit = at(target.limits, measure);
        const double saved = std::min(at(relief.worst, measure), at(counts, measure));
        if (!isLimit(limit) || limit <= 0 || std::fabs(saved) / limit < kShown) continue;
        changes.push_back({measure, at(loads, measure),
                           std::max(0.0, loadOf(at(counts, measure) - saved, limit))});
    }
    std::stable_sort(changes.begin(), changes.end(), [](const Change& a, const Change& b) {
        const auto key = [](const Change& c) { return std::pair(!c.isOver(), c.after - c.before); };
        return key(a) < key(b);
    });
    return changes;
}

std::string formatChanges(const std::vector<Diagnosis::Change>& changes) {
    std::string text;
    for (const Diagnosis::Change& change : changes) {
        std::string name = measureName(change.measure);
        name.front() = static_cast<char>(std::tolower(name.front()));
        text += fmt::format("{}{} {} to {}", text.empty() ? "" : ", ", name,
                            formatLoad(change.before), formatLoad(change.after));
    }
    return text;
}

double anyReliefOf(const Relief& relief, const Target& target) {
    double sum = 0;
    for (const Measure measure : kMeasures) {
        const double limit = at(target.limits, measure);
        if (isLimit(limit) && limit > 0) sum += at(relief.worst, measure) / limit;
    }
    return sum;
}

namespace {

constexpr double kNamed = 1e-6;  ///< Load taken off; less is a rounding.

void sortByRelief(Diagnosis& diagnosis, const Target& target) {
    std::vector<std::tuple<double, double, std::size_t>> order;
    for (std::size_t i = 0; i < diagnosis.findings.size(); ++i) {
        const Finding& finding = diagnosis.findings[i];
        // Findings that only name a measure over its limit rank below those that relieve one.
        const double over = diagnosis.reliefOf(finding, target);
        order.emplace_back(finding.rule->namesOnly ? -kNamed
                           : over > kNamed         ? -over
                                                   : 0,
                           -anyReliefOf(finding.relief, target), i);
    }
    std::sort(order.begin(), order.end());
    std::vector<Finding> sorted;
    for (const auto& [over, any, i] : order) sorted.push_back(std::move(diagnosis.findings[i]));
    diagnosis.findings = std::move(sorted);
}

/// Names those that claim the same of the same, and counts that once: the largest claim.
void settleClaims(Diagnosis& diagnosis) {
    diagnosis.explained = {};
    for (Finding& finding : diagnosis.findings) finding.sharedWith.clear();
    for (const Measure measure : kMeasures) {
        std::map<std::pair<Subject::Kind, std::size_t>, std::vector<Finding*>> claims;
        for (Finding& finding : diagnosis.findings)
            if (at(finding.relief.worst, measure) > 0)
                claims[{finding.subjects.front().kind, finding.subjects.front().index}].push_back(
                    &finding);
        for (const auto& [subject, all] : claims) {
            double most = 0;
            for (Finding* finding : all) {
                most = std::max(most, at(finding->relief.worst, measure));
                for (const Finding* other : all)
                    if (other != finding &&
                        std::find(finding->sharedWith.begin(), finding->sharedWith.end(),
                                  other->rule->key) == finding->sharedWith.end())
                        finding->sharedWith.push_back(other->rule->key);
            }
            at(diagnosis.explained, measure) += most;
        }
        at(diagnosis.explained, measure) =
            std::min(at(diagnosis.explained, measure), at(diagnosis.counts, measure));
    }
}

}  // namespace

std::size_t Diagnosis::relieving(const Target& target) const {
    const auto last = std::find_if(findings.begin(), findings.end(), [&](const Finding& finding) {
        return !finding.rule->namesOnly && reliefOf(finding, target) <= kNamed;
    });
    return static_cast<std::size_t>(last - findings.begin());
}

void Diagnosis::settle(const Target& target) {
    sortByRelief(*this, target);
    settleClaims(*this);
}

Expected<Diagnosis> diagnose(const Scene& scene, const Target& target, const Survey* survey,
                             const std::optional<Viewpoint>& here, Memo& memo, Progress& progress,
                             const Evidence* known) {
    constexpr const char* kWork = "Looking for causes";
    memo.begin();
    const SceneIndex index(scene);
    SubProgress looking(progress, 0, 0.35);
    std::vector<ImageFacts> images(scene.images.size());
    if (!parallelFor(images.size(), "Looking at images", looking, [&](std::size_t i) {
            const Image& image = scene.images[i];
            images[i] = memo.get("image facts", image.hash, [&] { return imageFactsOf(image); });
        }))
        return stopped(kWork);
    SubProgress welding(progress, 0.35, 0.4);
    std::vector<WeldedMesh> welded(scene.assets.size());
    if (!parallelFor(welded.size(), "Looking at meshes", welding,
                     [&](std::size_t a) { welded[a] = weldPositions(*scene.assets[a].mesh); }))
        return stopped(kWork);
    const std::vector<int> equalImages = firstEqualImages(scene, images);
    const CountedViews views(scene, target, index, survey, here);
    SubProgress running(progress, 0.4, 1);
    const TextureMemory textures(scene, target);
    const Evidence evidence = known ? *known : survey ? evidenceOf(*survey, scene) : Evidence{};
    const Survey* counted = views.isSurveyed() ? survey : nullptr;
    const Survey* rays = counted && counted->hasRays() ? counted : nullptr;
    const std::vector<std::uint32_t> batches = batchesOf(scene, target.batching);
    const FindingInput input{scene,  target,   index,   views, images,   equalImages, batches,
                             welded, textures, counted, rays,  evidence, memo,        running};
    const auto& rules = findingRules();
    std::vector<std::vector<Finding>> found(rules.size());
    const bool finished =
        parallelFor(rules.size(), "Looking for causes", running, [&](std::size_t i) {
            if (rules[i]->needsSurvey && !rays) return;
            if (rules[i]->needsCoverage && !survey->coversEnough()) return;
            found[i] = rules[i]->run(input);
            for (Finding& finding : found[i]) {
                finding.rule = rules[i];
                if (rules[i]->fix && !finding.fix)
                    finding.fix = proposeSettings(*findFixKind(rules[i]->fix), scene);
            }
        });
    if (!finished || progress.cancelled()) return stopped(kWork);
    Diagnosis diagnosis{
        views.counts(), views.loads(), views.views().size(), views.isSurveyed(), {}, {}, {}};
    for (std::vector<Finding>& some : found)
        for (Finding& finding : some) diagnosis.findings.push_back(std::move(finding));
    diagnosis.settle(target);
    return diagnosis;
}

Json toJson(const Finding& finding, const Target& target) {
    Json json = {{"rule", finding.rule->key},
                 {"identity", finding.identity()},
                 {"sentence", finding.sentence},
                 {"exact", finding.isExact},
                 {"tried", finding.isTried},
                 {"subjects", Json::array()},
                 {"measures", Json::object()},
                 {"saved", countsJson(finding.relief.worst)},
                 {"savedMean", countsJson(finding.relief.mean)},
                 {"where", Json::array()}};
    for (const Subject& subject : finding.subjects)
        json["subjects"].push_back({{"kind", subjectKey(subject.kind)}, {"name", subject.name}});
    for (const Quantity& quantity : finding.evidence) {
        Json entry = {{"value", quantity.value}, {"unit", unitKey(quantity.unit)}};
        if (quantity.threshold) entry["threshold"] = *quantity.threshold;
        json["measures"][quantity.label] = std::move(entry);
    }
    for (const Measure measure : kMeasures) {
        const double limit = at(target.limits, measure);
        if (isLimit(limit) && limit > 0 && at(finding.relief.worst, measure) > 0)
            json["savedLoad"][measureKey(measure)] = at(finding.relief.worst, measure) / limit;
    }
    for (const Viewpoint& view : finding.where)
        json["where"].push_back({{"eye", {view.eye.x(), view.eye.y(), view.eye.z()}},
                                 {"heading", view.heading},
                                 {"pitch", view.pitch}});
    if (!finding.sharedWith.empty()) json["sharedWith"] = finding.sharedWith;
    if (finding.fix)
        json["fix"] = {{"fix", finding.fix->kind().key}, {"settings", toJson(*finding.fix)}};
    else
        json["advice"] = finding.rule->advice;
    for (const FixSettings& first : finding.preparations)
        json["preparations"].push_back({{"fix", first.kind().key}, {"settings", toJson(first)}});
    if (!finding.withdrawn.empty()) json["withdrawn"] = finding.withdrawn;
    return json;
}

Json toJson(const Diagnosis& diagnosis, const Target& target) {
    Json json = Json::array();
    for (const Finding& finding : diagnosis.findings) json.push_back(toJson(finding, target));
    return json;
}

std::string findingsGuide() {
    std::string text =
        "# Findings\n\nMade from the program's registry of rules (`flentro-cli findings "
        "--markdown`).\nWhat a finding saves is what its fix takes off where each measure is "
        "worst, applied as it\nis proposed.\n";
    for (const Rule* rule : findingRules())
        text += fmt::format("\n## {} (`{}`)\n\n{}\n\n- **Measured**: {}{}\n- **What serves**: {}\n",
                            rule->name, rule->key, rule->why, rule->measured,
                            rule->needsSurvey ? " Needs a survey with rays." : "", rule->advice);
    return text;
}

}  // namespace flentro
