#include "model/view_counter.h"

#include <deque>

#include "measure/view_meter.h"

namespace flentro::app {

/// Counts views of the source and of every step; built at its first use, on the worker that
/// counts, and kept while the artist walks.
class ViewCounter::Counters {
public:
    Counters(Evaluation evaluation, std::optional<Evaluation> without, Target target)
        : evaluation_(std::move(evaluation)),
          without_(std::move(without)),
          target_(std::move(target)) {}

    ViewCounts count(const Viewpoint& view, const Without& off) {
        if (!before_) build();
        ViewCounts here;
        here.source = evaluation_.source;
        here.result = resultOf(evaluation_);
        here.before = before_->cost(view);
        here.after = off.empty() ? here.before : before_->cost(view, off);
        for (std::size_t i = 0; i < steps_.size(); ++i) {
            here.after =
                steps_[i].cost(view, flentro::without(evaluation_.steps[i].result->scene, off));
            here.steps.push_back(here.after.counts);
        }
        if (withoutSelected_)
            here.without =
                withoutSelected_->cost(view, flentro::without(without_->result(), off)).counts;
        return here;
    }

private:
    void build() {
        before_.emplace(*evaluation_.source, target_);
        for (const Step& step : evaluation_.steps) steps_.emplace_back(step.result->scene, target_);
        if (without_) withoutSelected_.emplace(without_->result(), target_);
    }

    const Evaluation evaluation_;
    const std::optional<Evaluation> without_;
    const Target target_;
    std::optional<ViewMeter> before_;
    std::deque<ViewMeter> steps_;
    std::optional<ViewMeter> withoutSelected_;
};

ViewCounter::ViewCounter(const ProjectModel& project, const Selection& selection,
                         const Evaluator& evaluator)
    : project_(project), selection_(selection), evaluator_(evaluator) {
    connect(&project, &ProjectModel::viewChanged, this, &ViewCounter::countSoon);
    connect(&selection, &Selection::offChanged, this, &ViewCounter::countSoon);
    connect(&evaluator, &Evaluator::withoutChanged, this, &ViewCounter::recountSoon);
    connect(&runner_, &LatestRunner::failed, this, &ViewCounter::failed);
}

ViewCounter::Freshness ViewCounter::freshness() const {
    if (!evaluator_.source() || here_.source != evaluator_.source()) return Freshness::Nothing;
    const bool isResult = evaluator_.isCurrent() && here_.result == evaluator_.result();
    return isResult ? Freshness::Current : Freshness::Original;
}

void ViewCounter::countSoon() {
    if (!evaluator_.source()) return;
    const Project& project = project_.project();
    if (!counters_)
        counters_ = std::make_shared<Counters>(evaluator_.evaluation(),
                                               evaluator_.withoutSelected(), project.target);
    runner_.request([this, counters = counters_, view = project.view,
                     off = selection_.without()]() -> std::function<void()> {
        auto here = std::make_shared<ViewCounts>(counters->count(view, off));
        return [this, here] {
            if (here->source != evaluator_.source()) return;
            here_ = std::move(*here);
            emit changed();
        };
    });
}

void ViewCounter::recountSoon() {
    counters_.reset();
    countSoon();
}

}  // namespace flentro::app
