// What the window shows: one project, its scene before and after the work order, the view.

#pragma once

#include <QObject>
#include <QTimer>
#include <QUndoStack>
#include <map>
#include <mutex>
#include <optional>

#include "findings/ranking.h"
#include "fixes/merge/merge.h"
#include "measure/inventory.h"
#include "model/file_watch.h"
#include "model/jobs.h"
#include "project/project.h"
#include "report/export.h"
#include "survey/survey.h"

namespace flentro::app {

using ScenePtr = std::shared_ptr<const Scene>;

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
};

/// A spot while the survey still runs: enough for a first picture.
struct EarlySpot {
    Vec3d eye;
    double load;  ///< Worst of all measures and headings.
};

class Counters;

/// The job's name: tests and the document itself ask for it.
inline constexpr const char* kSurveying = "Survey";

class Document : public QObject {
    Q_OBJECT

public:
    explicit Document(QObject* parent = nullptr);
    /// Cancels whatever runs.
    ~Document() override;

    [[nodiscard]] bool hasScene() const { return source_ != nullptr; }
    [[nodiscard]] const ScenePtr& source() const { return source_; }
    [[nodiscard]] const ScenePtr& result() const { return result_; }
    [[nodiscard]] const Evaluation& evaluation() const { return evaluation_; }
    [[nodiscard]] const Project& project() const { return project_; }
    [[nodiscard]] const Target& target() const { return project_.target; }
    [[nodiscard]] const Viewpoint& view() const { return project_.view; }
    [[nodiscard]] const ViewCounts& here() const { return here_; }
    [[nodiscard]] const Counts& whole() const { return whole_; }
    [[nodiscard]] QString projectFile() const { return projectFile_; }
    [[nodiscard]] bool isModified() const { return !undo_.isClean(); }
    [[nodiscard]] QUndoStack& undoStack() { return undo_; }
    [[nodiscard]] JobRunner& jobs() { return jobs_; }
    /// True when nothing is being computed: for tests and for pictures.
    [[nodiscard]] bool isSettled() const;

    /// What the counters of here() can be taken for.
    enum class Freshness {
        Nothing,   ///< Not counted yet: nothing may be said.
        Original,  ///< The source is counted; the work order has no result yet, or an old one.
        Current,   ///< Both are what they say.
    };
    [[nodiscard]] Freshness freshness() const;
    /// True if result() is that of the present order, target and survey.
    [[nodiscard]] bool isResultCurrent() const { return hasScene() && evaluated_ == wanted_; }
    /// True where the work order was stopped before it had a result.
    [[nodiscard]] bool isOrderStopped() const;
    /// Evaluates the work order where it has no current result.
    void evaluateAgain();

    /// Opens a scene, a project or a target by its ending, as a job.
    void open(const QString& file);
    void saveProject(const QString& file);
    /// Exports the result of the present order; works it out first where that is not done. Where
    /// that is stopped meanwhile, nothing is written, and it is said.
    void exportResult(const QString& file, const ExportOptions& options);
    /// Takes up a project that was left behind, with its changes unsaved.
    void recover(const Project& project, const QString& projectFile);

    /// The settings of a fix; null if there is none or it is of another kind.
    template <typename Settings>
    [[nodiscard]] const Settings* settingsOf(int fix) const {
        const Fix* found = project_.order.find(fix);
        return found ? found->settings.as<Settings>() : nullptr;
    }

    /// What a fix did, and the scenes before and after it; null while it has no result.
    struct Done {
        ScenePtr before, after;
        const FixRecord* record = nullptr;
        const Step* step = nullptr;
        [[nodiscard]] explicit operator bool() const { return record != nullptr; }
    };
    [[nodiscard]] Done doneBy(int fix) const;
    /// What the chosen fix does is marked in view and plan only while fixes are worked on.
    void showMarks(bool shown);
    /// The chosen fix while its marks are shown, or 0.
    [[nodiscard]] int markedFix() const { return marksShown_ ? selectedFix_ : 0; }
    /// Parcels of the marked fix, if it is a merge that has its result.
    [[nodiscard]] const MergeReport* shownParcels() const;
    /// One of them, drawn bold; -1: none.
    void chooseParcel(int index);
    [[nodiscard]] int chosenParcel() const { return chosenParcel_; }

    // Every change below can be undone, under the name given.
    template <typename Settings>
    void changeFix(int fix, const QString& change, const std::function<void(Settings&)>& apply) {
        if (!settingsOf<Settings>(fix)) return;
        WorkOrder order = project_.order;
        apply(*order.find(fix)->settings.as<Settings>());
        setOrder(order, change);
    }
    void setTarget(const Target& target, const QString& change);
    /// The scene is read again by them.
    void setImport(const ImportSettings& settings, const QString& change);
    void setOrder(const WorkOrder& order, const QString& change);
    void setSpots(const std::vector<Spot>& spots, const QString& change);
    void setSurvey(const SurveyRequest& request, const QString& change);
    void setWalk(const std::vector<Viewpoint>& walk, const QString& change);
    void setAside(const std::string& asset, bool aside);
    void setFindingAside(const std::string& identity, const std::string& reason,
                         const QString& name);
    void takeUpFinding(const std::string& identity, const QString& name);

    /// Measures every place, as a job; cancelling keeps what is done.
    void runSurvey();
    [[nodiscard]] const Surveyed& surveyed() const { return surveyed_; }
    /// What culling and merging go by: of the survey when it was made.
    [[nodiscard]] const Evidence& evidence() const { return *evidence_; }
    /// True while changed culling or levels are worked into the survey.
    [[nodiscard]] bool isSurveyingAgain() const { return surveyingAgain_; }
    /// Spots that a running survey has finished.
    [[nodiscard]] std::vector<EarlySpot> earlySpots() const;
    /// Which measure plan and strip show; none: the worst of all.
    [[nodiscard]] const std::optional<Measure>& shownMeasure() const { return shownMeasure_; }
    void showMeasure(const std::optional<Measure>& measure);
    /// The spot nearest to the present view, or -1.
    [[nodiscard]] int nearestSpot() const;

    /// What-if: objects that are counted and drawn as if they were not there. ViewCounts and in the
    /// selection objects are the source's: those of a result lead back to them as its origins.
    void switchOff(const std::vector<std::size_t>& objects);
    /// The same of lights and images as well: all that is to be out from now on.
    void setWithout(Without off);
    void switchAllOn();
    [[nodiscard]] const Without& without() const { return off_; }

    void setView(const Viewpoint& view);
    void selectObject(int object);  ///< In the source's objects; -1: nothing.
    void selectFix(int id);
    [[nodiscard]] int selectedObject() const { return selectedObject_; }
    [[nodiscard]] int selectedFix() const { return selectedFix_; }

signals:
    void sceneChanged();    ///< Another source scene.
    void projectChanged();  ///< Target, order, spots or set-aside findings.
    void resultChanged();   ///< The work order was evaluated.
    void viewChanged();
    void countsChanged();
    void selectionChanged();
    void surveyChanged();  ///< Another survey, measure, or other costs of its views.
    void offChanged();     ///< Something was switched off or on.
    void failed(const QString& message);
    void opened(const QString& file);
    void readAgain(const QString& whatChanged);  ///< The scene's files have changed on disk.
    void exported(const QString& file, double bytes);
    void exportWaiting();

private:
    friend class ProjectChange;
    void apply(const Project& project);
    void change(Project next, const QString& text);
    void openScene(const QString& file, std::optional<Project> project, const QString& projectFile);
    void adopt(ScenePtr scene, const Project& project, const QString& file,
               const QString& projectFile);
    void adoptAgain(ScenePtr scene);
    void announceScene();
    void openProject(const QString& file);
    void openTarget(const QString& file);
    void evaluateSoon();
    void evaluateNow();
    void evaluateWithoutSelected();
    void countSoon();
    [[nodiscard]] std::filesystem::path keptResults() const;
    void keepResults(const Evaluation& evaluation);
    void retallySoon();
    void surveyAgainSoon();
    void adoptSurvey(const Surveyed& surveyed, const std::shared_ptr<const Evidence>& evidence);
    void offWasChanged();
    void recountSoon();
    void rereadWhenThere();
    void reread();
    void startExport(const QString& file, const ExportOptions& options);
    void exportPending();
    void wantResult();
    void report(const Error& error);

    Project project_;
    QString projectFile_;
    ScenePtr source_;
    ScenePtr result_;
    Evaluation evaluation_;
    std::optional<Evaluation> without_;
    std::shared_ptr<StepCache> cache_;
    std::shared_ptr<Counters> counters_;
    ViewCounts here_;
    Counts whole_{};
    Surveyed surveyed_;
    std::shared_ptr<const Evidence> evidence_ = std::make_shared<const Evidence>();
    std::optional<Measure> shownMeasure_;
    Without off_;
    struct Early {
        std::mutex mutex;
        std::vector<EarlySpot> spots;
    };
    std::shared_ptr<Early> early_ = std::make_shared<Early>();
    LatestRunner tallier_;
    LatestRunner resurveyor_;
    LatestRunner keeper_;
    /// Raised by every new wish to survey again; older work stops when it sees that.
    std::shared_ptr<std::atomic<int>> generation_ = std::make_shared<std::atomic<int>>(0);
    bool surveyingAgain_ = false;
    int selectedObject_ = -1;
    int selectedFix_ = 0;
    int chosenParcel_ = -1;
    bool marksShown_ = false;
    QUndoStack undo_;
    JobRunner jobs_;
    LatestRunner counter_;
    QTimer evaluateTimer_;
    FileWatch files_;  ///< Those that the scene was read from.
    /// Raised by all that a result depends on; what the last evaluation was asked for.
    int wanted_ = 0;
    int evaluated_ = -1;
    struct PendingExport {
        QString file;
        ExportOptions options;
    };
    std::optional<PendingExport> pendingExport_;
    bool recovering_ = false;
    std::shared_ptr<std::atomic<bool>> closing_ = std::make_shared<std::atomic<bool>>(false);
};

}  // namespace flentro::app
