// The survey of the scene: taken, worked on after fixes, and counted again.

#pragma once

#include <QObject>
#include <atomic>
#include <memory>
#include <mutex>
#include <optional>

#include "model/evaluator.h"
#include "scene/changes.h"
#include "survey/survey.h"

namespace flentro::app {

/// The survey and what its views cost now.
struct Surveyed {
    std::shared_ptr<const Survey> survey;                 ///< Null: not surveyed.
    using Tallies = std::vector<std::vector<ViewTally>>;  ///< [spots][views]
    Tallies before;                                       ///< Of the source.
    Tallies after;           ///< Of the result, without what is switched off.
    bool alongLine = false;  ///< Its spots follow a walk or path, in their order.

    /// The scene that was surveyed, with the culling and levels that the survey now stands for.
    ScenePtr scene;
    [[nodiscard]] bool exists() const { return survey != nullptr; }
    /// True if the survey's objects are not those of `result`: what was seen is of before.
    [[nodiscard]] bool isOfOtherObjects(const Scene& result) const;
    /// Load of one view; the worst of all measures without one. Empty tallies: 0.
    [[nodiscard]] double load(const Tallies& tallies, std::size_t spot, std::size_t view,
                              const std::optional<Measure>& measure, const Target& target) const;
    /// The view of a spot with the highest such load.
    [[nodiscard]] std::size_t worstView(const Tallies& tallies, std::size_t spot,
                                        const std::optional<Measure>& measure,
                                        const Target& target) const;
    /// Worst and median of a measure now, over the spots' worst views.
    struct Extremes {
        std::size_t spot = 0;  ///< Where it is worst.
        std::size_t view = 0;
        double value = 0;
        double load = 0;
        double median = 0;  ///< A value, as counted.
    };
    [[nodiscard]] Extremes extremes(Measure measure, const Target& target) const;
    /// Time of the slowest view as the views cost now, over that of a frame: an estimate, with what
    /// the survey found pixels filled with.
    [[nodiscard]] double slowestFrame(const Target& target) const;
    /// Grounds to begin another survey from, as its spots leave them out; none where they cover
    /// enough.
    [[nodiscard]] std::vector<Ground> startsLeft() const;
};

/// A spot while the survey still runs: enough for a first picture.
struct EarlySpot {
    Vec3d eye;
    double load;  ///< Worst of all measures and headings.
};

/// The job's name.
inline constexpr const char* kSurveying = "Survey";

class SurveyModel : public QObject {
    Q_OBJECT

public:
    /// All must outlive it.
    SurveyModel(const ProjectModel& project, const Selection& selection, const Evaluator& evaluator,
                JobRunner& jobs);
    /// Stops what runs.
    ~SurveyModel() override;

    [[nodiscard]] const Surveyed& surveyed() const { return surveyed_; }
    /// What culling and merging go by: of the survey when it was made.
    [[nodiscard]] const std::shared_ptr<const Evidence>& evidence() const { return evidence_; }
    /// True while changed culling or levels are worked into the survey.
    [[nodiscard]] bool isSurveyingAgain() const { return surveyingAgain_; }
    [[nodiscard]] bool isIdle() const { return tallier_.isIdle() && resurveyor_.isIdle(); }
    /// Spots that a running survey has finished.
    [[nodiscard]] std::vector<EarlySpot> earlySpots() const;
    /// Which measure plan and strip show; none: the worst of all.
    [[nodiscard]] const std::optional<Measure>& shownMeasure() const { return shownMeasure_; }
    void showMeasure(const std::optional<Measure>& measure);
    /// The spot nearest to the present view, or -1.
    [[nodiscard]] int nearestSpot() const;

    /// Measures every place, as a job; cancelling keeps what is done.
    void run();
    /// Of another scene there is no survey; nobody is told.
    void clear();
    /// The same scene was read again: what was seen stays, its counts do not; nobody is told.
    void move(const SceneMatch& where);
    /// The views of the survey cost something else now: counted again, without any rays.
    void retallySoon();
    /// Works new culling distances and levels into the survey: drawn from every spot, seen from
    /// those where that changes.
    void surveyAgainSoon();

signals:
    void changed();          ///< Another survey, measure, or other costs of its views.
    void evidenceChanged();  ///< Before changed().
    void stopped(const Error& error);
    void failed(const QString& message);

private:
    void adopt(const Surveyed& surveyed, const std::shared_ptr<const Evidence>& evidence);
    void clearEarlySpots();

    struct Early {
        std::mutex mutex;
        std::vector<EarlySpot> spots;
    };

    const ProjectModel& project_;
    const Selection& selection_;
    const Evaluator& evaluator_;
    JobRunner& jobs_;
    Surveyed surveyed_;
    std::shared_ptr<const Evidence> evidence_ = std::make_shared<const Evidence>();
    std::optional<Measure> shownMeasure_;
    std::shared_ptr<Early> early_ = std::make_shared<Early>();
    /// Raised by every new wish to survey again; older work stops when it sees that.
    std::shared_ptr<std::atomic<int>> generation_ = std::make_shared<std::atomic<int>>(0);
    std::shared_ptr<std::atomic<bool>> closing_ = std::make_shared<std::atomic<bool>>(false);
    bool surveyingAgain_ = false;
    LatestRunner tallier_;
    LatestRunner resurveyor_;
};

}  // namespace flentro::app
