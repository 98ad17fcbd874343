// What the present view costs: of the source, after every step, and of the result.

#pragma once

#include <QObject>
#include <memory>
#include <optional>

#include "measure/viewcost.h"
#include "model/evaluator.h"

namespace flentro::app {

/// What the counters say about the present view.
struct ViewCounts {
    // The scenes that were counted: while newer ones wait for their turn, indices in what follows
    // are theirs. Null before the first count.
    ScenePtr source;
    ScenePtr result;
    ViewCost before;            ///< Of the source.
    ViewCost after;             ///< Of the result.
    std::vector<Counts> steps;  ///< Counts after each step of the evaluation.
    /// Counts of the result without the fix that is selected, if one is.
    std::optional<Counts> without;
};

/// Counts in the background whenever view, scenes or what-if change.
class ViewCounter : public QObject {
    Q_OBJECT

public:
    /// All must outlive it.
    ViewCounter(const ProjectModel& project, const Selection& selection,
                const Evaluator& evaluator);

    [[nodiscard]] const ViewCounts& here() const { return here_; }
    /// What here() can be taken for.
    enum class Freshness {
        Nothing,   ///< Not counted yet: nothing may be said.
        Original,  ///< The source is counted; the work order has no result yet, or an old one.
        Current,   ///< Both are what they say.
    };
    [[nodiscard]] Freshness freshness() const;
    [[nodiscard]] bool isIdle() const { return runner_.isIdle(); }

    void clear() { here_ = {}; }
    void countSoon();
    /// Something other than the view changed what is counted.
    void recountSoon();

signals:
    void changed();
    void failed(const QString& message);

private:
    class Counters;

    const ProjectModel& project_;
    const Selection& selection_;
    const Evaluator& evaluator_;
    std::shared_ptr<Counters> counters_;
    ViewCounts here_;
    LatestRunner runner_;
};

}  // namespace flentro::app
