// The scene as it was read, and what the work order makes of it.

#pragma once

#include <QObject>
#include <QTimer>
#include <memory>
#include <optional>

#include "fixes/merge/merge.h"
#include "fixes/work_order.h"
#include "model/jobs.h"
#include "model/project_model.h"
#include "model/selection.h"

namespace flentro::app {

using ScenePtr = std::shared_ptr<const Scene>;

/// The scene after a step.
[[nodiscard]] inline ScenePtr sceneAfter(const Step& step) {
    return {step.result, &step.result->scene};
}
/// The scene after all steps; the source where there are none.
[[nodiscard]] inline ScenePtr resultOf(const Evaluation& evaluation) {
    return evaluation.steps.empty() ? evaluation.source : sceneAfter(evaluation.steps.back());
}

/// Evaluates the project's order, as a job, whenever anything that it depends on has changed.
class Evaluator : public QObject {
    Q_OBJECT

public:
    /// All must outlive it.
    Evaluator(const ProjectModel& project, const Selection& selection, JobRunner& jobs);

    [[nodiscard]] const ScenePtr& source() const { return source_; }  ///< Null before the first.
    [[nodiscard]] const ScenePtr& result() const { return result_; }
    [[nodiscard]] const Evaluation& evaluation() const { return evaluation_; }
    /// Without the fix that is selected, if one is and that is known.
    [[nodiscard]] const std::optional<Evaluation>& withoutSelected() const { return without_; }
    /// As if all of the result were in view.
    [[nodiscard]] const Counts& whole() const { return whole_; }
    /// True if result() is that of the present order, target and survey.
    [[nodiscard]] bool isCurrent() const { return source_ && evaluated_ == wanted_; }
    /// True where the work order was stopped before it had a result.
    [[nodiscard]] bool isStopped() const;
    [[nodiscard]] bool isIdle() const { return !timer_.isActive() && keeper_.isIdle(); }

    /// What a fix did, and the scenes before and after it; null while it has no result.
    struct Done {
        ScenePtr before, after;
        const FixRecord* record = nullptr;
        const Step* step = nullptr;
        [[nodiscard]] explicit operator bool() const { return record != nullptr; }
    };
    [[nodiscard]] Done doneBy(int fix) const;
    /// Parcels of the marked fix, if it is a merge that has its result.
    [[nodiscard]] const MergeReport* shownParcels() const;

    /// Another source, which is its own result until the order is evaluated; nobody is told.
    void setSource(ScenePtr source);
    /// What culling and merging go by.
    void setEvidence(std::shared_ptr<const Evidence> evidence) { evidence_ = std::move(evidence); }
    /// Whatever the result was, another one is wanted, after a moment without further wishes.
    void want();
    void evaluateNow();
    /// Where the work order has no current result.
    void evaluateAgain();

signals:
    void changed();                    ///< The work order was evaluated.
    void withoutChanged();             ///< withoutSelected() is known.
    void stopped(const Error& error);  ///< It has no result: cancelled, or impossible.
    void failed(const QString& message);

private:
    void evaluateSoon();
    void adopt(const Evaluation& evaluation, const Counts& whole);
    void evaluateWithoutSelected();
    [[nodiscard]] std::filesystem::path keptResults() const;
    void keepResults(const Evaluation& evaluation);

    const ProjectModel& project_;
    const Selection& selection_;
    JobRunner& jobs_;
    ScenePtr source_;
    ScenePtr result_;
    Evaluation evaluation_;
    std::optional<Evaluation> without_;
    Counts whole_{};
    std::shared_ptr<StepCache> cache_ = std::make_shared<StepCache>();
    std::shared_ptr<const Evidence> evidence_ = std::make_shared<const Evidence>();
    QTimer timer_;
    LatestRunner keeper_;
    /// Raised by all that a result depends on; what the last evaluation was asked for.
    int wanted_ = 0;
    int evaluated_ = -1;
};

}  // namespace flentro::app
