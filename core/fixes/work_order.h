// The work order: fixes in order, evaluated over a source scene that never changes.

#pragma once

#include <functional>
#include <memory>
#include <unordered_map>

#include "fixes/fix.h"

namespace flentro {

struct WorkOrder {
    std::vector<Fix> fixes;
    std::map<std::string, Importance> importance;  ///< By asset name; Normal where none is given.

    /// Appends a fix with a new id and returns it.
    Fix& add(FixSettings settings);
    /// The same where fixes of its kind do most, by the order of fixKinds(): before those that
    /// build on it.
    Fix& insert(FixSettings settings);
    [[nodiscard]] Fix* find(int id);
    [[nodiscard]] const Fix* find(int id) const;
};

/// "hero", "normal", "backdrop", "keep".
[[nodiscard]] const char* importanceName(Importance importance);

[[nodiscard]] Json toJson(const WorkOrder& order);
/// JSON Schema of work orders, from the fields of all fixes.
[[nodiscard]] Json workOrderSchema();
/// Reads this version and version 1. Errors: InvalidInput naming fix and member.
[[nodiscard]] Expected<WorkOrder> parseWorkOrder(const Json& json, const std::string& where);

/// One evaluated step; fixes that are off have none.
struct Step {
    int fix = 0;  ///< Its id.
    std::shared_ptr<const Fixed> result;
    Hash key = {};  ///< Of all that the result was made from.
    /// As worstOver() tells of the scene before and after; nothing without evidence.
    std::optional<Counts> worstBefore = {}, worstAfter = {};

    /// The measures that the worst views pay for the fix, by more than a rounding, while it takes
    /// nothing off the load that is worst; empty without evidence.
    [[nodiscard]] std::vector<Measure> lossOn(const Target& target) const;
};

struct Evaluation {
    std::shared_ptr<const Scene> source;
    std::vector<Step> steps;
    [[nodiscard]] const Scene& result() const {
        return steps.empty() ? *source : steps.back().result->scene;
    }
};

/// Results of steps by (input, settings, target): a change recomputes only what follows.
/// Not for use by two threads at once.
class StepCache {
public:
    [[nodiscard]] std::shared_ptr<const Fixed> find(const Hash& key);
    void insert(const Hash& key, std::shared_ptr<const Fixed> result);
    /// What `count` tells, once for each key; asked again where it was stopped.
    Expected<Counts> worst(const Hash& key, const std::function<Expected<Counts>()>& count);

private:
    static constexpr std::size_t kMaxEntries = 32;
    std::unordered_map<Hash, std::shared_ptr<const Fixed>> entries_;
    std::vector<Hash> order_;  ///< Oldest use first.
    std::unordered_map<Hash, Counts> worst_;
};

/// The key of the last step that evaluate() would make, without making any. Cost: hashScene().
[[nodiscard]] Hash lastKeyOf(const WorkOrder& order, const std::shared_ptr<const Scene>& source,
                             const Target& target, const Evidence& evidence = {});

/// Names in overrides and importances that no asset has, neither of the source nor of what any step
/// worked on: slips of the pen. "ladder: crte".
[[nodiscard]] std::vector<std::string> unknownNames(const WorkOrder& order,
                                                    const Evaluation& evaluation);

/// Folds the fixes that are on over `source`; culling and merging ask the evidence. Errors:
/// Cancelled; steps finished before stay in the cache.
[[nodiscard]] Expected<Evaluation> evaluate(const WorkOrder& order,
                                            std::shared_ptr<const Scene> source,
                                            const Target& target, StepCache& cache,
                                            Progress& progress, const Evidence& evidence = {});

}  // namespace flentro
