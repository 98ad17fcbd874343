#include "fixes/work_order.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>
#include <string_view>

#include "base/index.h"

namespace flentro {
namespace {

constexpr const char* kImportances[] = {"hero", "normal", "backdrop", "keep"};

/// The scene with the artist's marks; the source itself where there are none.
std::shared_ptr<const Scene> marked(const std::shared_ptr<const Scene>& source,
                                    const std::map<std::string, Importance>& importance) {
    if (importance.empty()) return source;
    auto scene = std::make_shared<Scene>(*source);
    for (Asset& asset : scene->assets)
        if (const auto mark = importance.find(asset.mesh->name); mark != importance.end())
            asset.importance = mark->second;
    return scene;
}

Hash stepKey(const Hash& input, const Fix& fix, const Target& target, const Evidence& evidence) {
    const FixKind& kind = fix.settings.kind();
    Hasher hasher;
    hasher.add(input).text(kind.key).text(toJson(fix.settings).dump()).text(toJson(target).dump());
    if (kind.readsEvidence) hasher.add(evidence.hash);
    return hasher.result();
}

}  // namespace

Fix& WorkOrder::add(FixSettings settings) {
    int id = 1;
    for (const Fix& fix : fixes) id = std::max(id, fix.id + 1);
    fixes.push_back({id, true, std::move(settings)});
    return fixes.back();
}

Fix& WorkOrder::insert(FixSettings settings) {
    const auto rank = [](const Fix& fix) {
        return std::find(fixKinds().begin(), fixKinds().end(), &fix.settings.kind());
    };
    const int id = add(std::move(settings)).id;
    const auto own = rank(fixes.back());
    const auto at = std::find_if(fixes.begin(), fixes.end() - 1,
                                 [&](const Fix& fix) { return rank(fix) > own; });
    std::rotate(at, fixes.end() - 1, fixes.end());
    return *find(id);
}

const Fix* WorkOrder::find(int id) const {
    for (const Fix& fix : fixes)
        if (fix.id == id) return &fix;
    return nullptr;
}

Fix* WorkOrder::find(int id) {
    return const_cast<Fix*>(std::as_const(*this).find(id));
}

const char* importanceName(Importance importance) {
    return elementOf(kImportances, importance);
}

Json toJson(const WorkOrder& order) {
    Json json = {
        {"format", "flentro-work-order"}, {"version", kSettingsVersion}, {"fixes", Json::array()}};
    for (const auto& [asset, importance] : order.importance)
        json["importance"][asset] = importanceName(importance);
    for (const Fix& fix : order.fixes)
        json["fixes"].push_back(
            {{"fix", fix.settings.kind().key}, {"on", fix.on}, {"settings", toJson(fix.settings)}});
    return json;
}

Json workOrderSchema() {
    Json keys = Json::array();
    Json rules = Json::array();
    for (const FixKind* kind : fixKinds()) {
        Json settings = schemaOf(kind->fields);
        settings["description"] = kind->help;
        keys.push_back(kind->key);
        rules.push_back({{"if", {{"properties", {{"fix", {{"const", kind->key}}}}}}},
                         {"then", {{"properties", {{"settings", std::move(settings)}}}}}});
    }
    const Json fix = {{"type", "object"},
                      {"required", {"fix"}},
                      {"properties",
                       {{"fix", {{"enum", keys}}},
                        {"on", {{"type", "boolean"}, {"default", true}}},
                        {"settings", {{"type", "object"}}}}},
                      {"allOf", rules}};
    return {{"$schema", "https://json-schema.org/draft/2020-12/schema"},
            {"title", "Flentro work order"},
            {"description", "Fixes in order; evaluated over a source scene that never changes."},
            {"type", "object"},
            {"required", {"format", "version", "fixes"}},
            {"properties",
             {{"format", {{"const", "flentro-work-order"}}},
              {"version", {{"const", kSettingsVersion}}},
              {"fixes", {{"type", "array"}, {"items", fix}}},
              {"importance",
               {{"type", "object"},
                {"description",
                 "By asset name: how much fixes may take; normal where none is "
                 "given."},
                {"additionalProperties", {{"enum", kImportances}}}}}}}};
}

Expected<WorkOrder> parseWorkOrder(const Json& json, const std::string& where) {
    if (jsonOr<std::string>(json, "format", "") != "flentro-work-order")
        return fail(ErrorCode::InvalidInput,
                    "is not a work order: 'format' must be 'flentro-work-order'", where);
    const int version = jsonOr(json, "version", 0);
    if (version < 1 || version > kSettingsVersion)
        return fail(ErrorCode::Unsupported, "has a version that is not known", where);
    WorkOrder order;
    for (const Json& source : jsonArray(json, "fixes")) {
        const std::string key = jsonOr<std::string>(source, "fix", "");
        auto settings =
            parseSettings(key, source.contains("settings") ? source["settings"] : Json(), version);
        if (!settings) {
            settings.error().where =
                fmt::format("{}: fix {} ({})", where, order.fixes.size() + 1, key);
            return tl::unexpected(settings.error());
        }
        order.add(*settings).on = jsonOr(source, "on", true);
    }
    for (const auto& [asset, mark] : jsonObject(json, "importance").items()) {
        const auto* found = std::find(std::begin(kImportances), std::end(kImportances), mark);
        if (found == std::end(kImportances))
            return fail(
                ErrorCode::InvalidInput,
                fmt::format("the importance of '{}' must be hero, normal, backdrop or keep", asset),
                where);
        order.importance[asset] = static_cast<Importance>(found - kImportances);
    }
    return order;
}

std::shared_ptr<const Fixed> StepCache::find(const Hash& key) {
    const auto found = entries_.find(key);
    if (found == entries_.end()) return nullptr;
    std::erase(order_, key);
    order_.push_back(key);
    return found->second;
}

void StepCache::insert(const Hash& key, std::shared_ptr<const Fixed> result) {
    if (entries_.size() >= kMaxEntries) {
        entries_.erase(order_.front());
        order_.erase(order_.begin());
    }
    entries_[key] = std::move(result);
    order_.push_back(key);
}

Expected<Counts> StepCache::worst(const Hash& key, const std::function<Expected<Counts>()>& count) {
    if (worst_.size() > 4 * kMaxEntries) worst_.clear();
    if (const auto known = worst_.find(key); known != worst_.end()) return known->second;
    Expected<Counts> counts = count();
    if (counts) worst_[key] = *counts;
    return counts;
}

Hash lastKeyOf(const WorkOrder& order, const std::shared_ptr<const Scene>& source,
               const Target& target, const Evidence& evidence) {
    Hash key = hashScene(*marked(source, order.importance));
    for (const Fix& fix : order.fixes)
        if (fix.on) key = stepKey(key, fix, target, evidence);
    return key;
}

std::vector<Measure> Step::lossOn(const Target& target) const {
    constexpr double kRounding = 1.001;
    std::vector<Measure> lost;
    if (!worstBefore || !worstAfter) return lost;
    const Counts before = loads(*worstBefore, target);
    const Counts after = loads(*worstAfter, target);
    if (at(after, worstMeasure(after)) < at(before, worstMeasure(before))) return lost;
    bool gains = false;
    for (const Measure measure : kMeasures) {
        gains = gains || at(after, measure) * kRounding < at(before, measure);
        if (at(after, measure) > at(before, measure) * kRounding) lost.push_back(measure);
    }
    // What only moves load from one measure to another below the worst is a choice, not a loss.
    if (gains && at(after, worstMeasure(after)) <= at(before, worstMeasure(before)) * kRounding)
        lost.clear();
    return lost;
}

std::vector<std::string> unknownNames(const WorkOrder& order, const Evaluation& evaluation) {
    std::set<std::string> known;
    const auto learn = [&](const Scene& scene) {
        for (const Asset& asset : scene.assets) known.insert(asset.mesh->name);
    };
    learn(*evaluation.source);
    for (const Step& step : evaluation.steps) learn(step.result->scene);
    std::vector<std::string> unknown;
    const auto check = [&](const std::string& where, const std::string& name) {
        if (!known.contains(name)) unknown.push_back(where + ": " + name);
    };
    for (const auto& [name, importance] : order.importance) check("importance", name);
    for (const Fix& fix : order.fixes)
        if (fix.on)
            for (const std::string& name : assetsNamedIn(fix.settings))
                check(fix.settings.kind().key, name);
    return unknown;
}

Expected<Evaluation> evaluate(const WorkOrder& order, std::shared_ptr<const Scene> source,
                              const Target& target, StepCache& cache, Progress& progress,
                              const Evidence& evidence) {
    Evaluation evaluation{std::move(source), {}};
    const std::shared_ptr<const Scene> first = marked(evaluation.source, order.importance);
    Hash input = hashScene(*first);
    const auto worst = [&](const Scene& scene) -> Expected<std::optional<Counts>> {
        if (evidence.empty()) return std::nullopt;
        const Hash key =
            Hasher().add(input).text(toJson(target).dump()).add(evidence.hash).result();
        auto counts =
            cache.worst(key, [&] { return worstOver(scene, target, evidence, progress); });
        if (!counts) return tl::unexpected(counts.error());
        return *counts;
    };
    auto before = worst(*first);
    if (!before) return tl::unexpected(before.error());
    const double count = std::max<double>(1, static_cast<double>(order.fixes.size()));
    double done = 0;
    for (const Fix& fix : order.fixes) {
        SubProgress step(progress, done / count, (done + 1) / count);
        done += 1;
        if (!fix.on) continue;
        input = stepKey(input, fix, target, evidence);
        auto known = cache.find(input);
        if (!known) {
            const Scene& scene = evaluation.steps.empty() ? *first : evaluation.result();
            auto fixed = fix.settings.kind().apply({scene, target, evidence, step}, fix.settings);
            if (!fixed) return tl::unexpected(fixed.error());
            fixed->record.kind = &fix.settings.kind();
            fixed->record.before = evaluation.steps.empty()
                                       ? sceneTotals(scene, target)
                                       : evaluation.steps.back().result->record.after;
            fixed->record.after = sceneTotals(fixed->scene, target);
            known = std::make_shared<const Fixed>(std::move(*fixed));
            cache.insert(input, known);
        }
        auto after = worst(known->scene);
        if (!after) return tl::unexpected(after.error());
        evaluation.steps.push_back({fix.id, std::move(known), input, *before, *after});
        before = after;
    }
    if (progress.cancelled()) return stopped("Fixing");
    progress.report(1, "Done");
    return evaluation;
}

}  // namespace flentro
