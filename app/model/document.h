// What the window shows: opened, read again when its files change, and exported. Its parts are
// models of their own, each with its own signals.

#pragma once

#include <QObject>
#include <optional>

#include "model/evaluator.h"
#include "model/file_watch.h"
#include "model/jobs.h"
#include "model/project_model.h"
#include "model/selection.h"
#include "model/survey_model.h"
#include "model/view_counter.h"
#include "report/export.h"

namespace flentro::app {

class Document : public QObject {
    Q_OBJECT

public:
    explicit Document(QObject* parent = nullptr);
    /// Cancels whatever runs.
    ~Document() override;

    [[nodiscard]] ProjectModel& projectModel() { return project_; }
    [[nodiscard]] const ProjectModel& projectModel() const { return project_; }
    [[nodiscard]] Selection& selection() { return selection_; }
    [[nodiscard]] const Selection& selection() const { return selection_; }
    [[nodiscard]] Evaluator& evaluator() { return evaluator_; }
    [[nodiscard]] const Evaluator& evaluator() const { return evaluator_; }
    [[nodiscard]] ViewCounter& counter() { return counter_; }
    [[nodiscard]] const ViewCounter& counter() const { return counter_; }
    [[nodiscard]] SurveyModel& survey() { return survey_; }
    [[nodiscard]] const SurveyModel& survey() const { return survey_; }
    [[nodiscard]] JobRunner& jobs() { return jobs_; }

    // What nearly every part of the window reads of them.
    [[nodiscard]] bool hasScene() const { return source() != nullptr; }
    [[nodiscard]] const ScenePtr& source() const { return evaluator_.source(); }
    [[nodiscard]] const ScenePtr& result() const { return evaluator_.result(); }
    [[nodiscard]] const Project& project() const { return project_.project(); }
    [[nodiscard]] const Target& target() const { return project().target; }
    [[nodiscard]] const Viewpoint& view() const { return project().view; }
    [[nodiscard]] const ViewCounts& here() const { return counter_.here(); }

    /// True when nothing is being computed: for tests and for pictures.
    [[nodiscard]] bool isSettled() const;
    /// True where the work order was stopped before it had a result, and nothing is being opened.
    [[nodiscard]] bool isOrderStopped() const;

    /// Opens a scene, a project or a target by its ending, as a job.
    void open(const QString& file);
    void saveProject(const QString& file);
    /// Exports the result of the present order; works it out first where that is not done. Where
    /// that is stopped meanwhile, nothing is written, and it is said.
    void exportResult(const QString& file, const ExportOptions& options);
    /// Takes up a project that was left behind, with its changes unsaved.
    void recover(const Project& project, const QString& projectFile, bool isSurveyed = false);

    /// What-if: these objects of the source are out, besides what is out already.
    void switchOff(const std::vector<std::size_t>& objects);

signals:
    void sceneChanged();  ///< Another source scene.
    void opened(const QString& file);
    void readAgain(const QString& whatChanged);  ///< The scene's files have changed on disk.
    void exported(const QString& file, double bytes);
    void exportWaiting();
    void failed(const QString& message);

private:
    void connectModels();
    void openScene(const QString& file, std::optional<Project> project, const QString& projectFile);
    void adopt(ScenePtr scene, const Project& project, const QString& file,
               const QString& projectFile);
    void adoptAgain(ScenePtr scene);
    void announceScene();
    void openProject(const QString& file);
    void openTarget(const QString& file);
    void rereadWhenThere();
    void reread();
    void takeResult();
    void startExport(const QString& file, const ExportOptions& options);
    void exportPending();
    void dropExport(const Error& error);
    void report(const Error& error);

    // In the order in which each reads those before it.
    JobRunner jobs_;
    ProjectModel project_;
    Selection selection_;
    Evaluator evaluator_{project_, selection_, jobs_};
    ViewCounter counter_{project_, selection_, evaluator_};
    SurveyModel survey_{project_, selection_, evaluator_, jobs_};
    FileWatch files_;  ///< Those that the scene was read from.
    struct PendingExport {
        QString file;
        ExportOptions options;
    };
    std::optional<PendingExport> pendingExport_;
    bool recovering_ = false;
    bool surveysAgain_ = false;  ///< The document that is being recovered was surveyed.
};

}  // namespace flentro::app
