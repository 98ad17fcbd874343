#include "model/evaluator.h"

#include <QElapsedTimer>

#include "fixes/evaluation_file.h"
#include "measure/viewcost.h"

namespace flentro::app {
namespace {

constexpr int kSettleMilliseconds = 120;
constexpr int kWorthKeeping = 1000;  ///< Milliseconds of an evaluation.
constexpr const char* kEvaluating = "Work order";

}  // namespace

Evaluator::Evaluator(const ProjectModel& project, const Selection& selection, JobRunner& jobs)
    : project_(project), selection_(selection), jobs_(jobs) {
    timer_.setSingleShot(true);
    timer_.setInterval(kSettleMilliseconds);
    connect(&timer_, &QTimer::timeout, this, &Evaluator::evaluateNow);
    connect(&keeper_, &LatestRunner::failed, this, &Evaluator::failed);
    connect(&selection, &Selection::fixChanged, this, &Evaluator::evaluateSoon);
}

bool Evaluator::isStopped() const {
    return source_ && !isCurrent() && !timer_.isActive() && !jobs_.has(kEvaluating);
}

Evaluator::Done Evaluator::doneBy(int fix) const {
    Done done;
    done.before = evaluation_.source;
    for (const Step& step : evaluation_.steps) {
        done.after = sceneAfter(step);
        done.record = &step.result->record;
        done.step = &step;
        if (step.fix == fix) return done;
        done.before = done.after;
    }
    return {};
}

const MergeReport* Evaluator::shownParcels() const {
    const Done done = doneBy(selection_.markedFix());
    return done ? done.record->reportAs<MergeReport>() : nullptr;
}

void Evaluator::setSource(ScenePtr source) {
    source_ = std::move(source);
    result_ = source_;
    evaluation_ = {source_, {}};
    without_.reset();
    ++wanted_;
}

void Evaluator::want() {
    ++wanted_;
    evaluateSoon();
}

void Evaluator::evaluateSoon() {
    if (source_) timer_.start();
}

void Evaluator::evaluateAgain() {
    if (!isCurrent()) evaluateNow();
}

void Evaluator::evaluateNow() {
    if (!source_) return;
    timer_.stop();
    jobs_.start(
        kEvaluating,
        [this, order = project_.project().order, source = source_, cache = cache_,
         evidence = evidence_, target = project_.project().target, wanted = wanted_,
         kept = keptResults()](Progress& progress) -> JobRunner::Finish {
            QElapsedTimer clock;
            clock.start();
            if (!kept.empty())
                (void)loadEvaluation(kept, lastKeyOf(order, source, target, *evidence), *cache);
            auto evaluation = evaluate(order, source, target, *cache, progress, *evidence);
            if (!evaluation) return [this, error = evaluation.error()] { emit stopped(error); };
            const Counts whole = wholeSceneCost(evaluation->result(), target).counts;
            const bool isWorthKeeping = clock.elapsed() > kWorthKeeping && evidence->empty();
            return
                [this, whole, source, wanted, isWorthKeeping, evaluation = std::move(*evaluation)] {
                    if (source != source_) return;
                    if (isWorthKeeping) keepResults(evaluation);
                    evaluated_ = wanted;
                    adopt(evaluation, whole);
                };
        },
        Lane::Order);
}

void Evaluator::adopt(const Evaluation& evaluation, const Counts& whole) {
    evaluation_ = evaluation;
    whole_ = whole;
    result_ = resultOf(evaluation);
    without_.reset();
    emit changed();
    evaluateWithoutSelected();
}

/// Beside the project: as it is before a survey, which is how it is opened next.
std::filesystem::path Evaluator::keptResults() const {
    return project_.file().isEmpty() ? "" : project_.file().toStdString() + ".results";
}

void Evaluator::keepResults(const Evaluation& evaluation) {
    const std::filesystem::path path = keptResults();
    if (path.empty()) return;
    keeper_.request([evaluation, path]() -> std::function<void()> {
        // Not an error if the folder cannot be written: it is evaluated anew next time.
        (void)saveEvaluation(evaluation, path);
        return [] {};
    });
}

/// What the result would be without the selected fix, for the ghost ticks.
void Evaluator::evaluateWithoutSelected() {
    WorkOrder order = project_.project().order;
    Fix* fix = order.find(selection_.fix());
    if (!fix || !fix->on) return;
    fix->on = false;
    jobs_.start(
        "Without this fix",
        [this, order, source = source_, cache = cache_, evidence = evidence_,
         target = project_.project().target](Progress& progress) -> JobRunner::Finish {
            auto evaluation = evaluate(order, source, target, *cache, progress, *evidence);
            if (!evaluation) return {};
            return [this, source, evaluation = std::move(*evaluation)] {
                if (source != source_) return;
                without_ = evaluation;
                emit withoutChanged();
            };
        },
        Lane::Order);
}

}  // namespace flentro::app
