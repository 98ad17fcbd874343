#include "model/project_model.h"

#include <QUndoCommand>

namespace flentro::app {

/// One step of undo: whole projects are cheap values.
class ProjectModel::Change : public QUndoCommand {
public:
    Change(ProjectModel& model, Project next, const QString& text)
        : QUndoCommand(text), model_(model), before_(model.project_), after_(std::move(next)) {}
    void undo() override { model_.apply(before_); }
    void redo() override { model_.apply(after_); }

private:
    ProjectModel& model_;
    Project before_;
    Project after_;
};

ProjectModel::ProjectModel() {
    project_.target = shippedTargets()[3];
}

void ProjectModel::adopt(const Project& project, const QString& file, bool isSaved) {
    project_ = project;
    file_ = file;
    undo_.clear();
    if (!isSaved) undo_.resetClean();
}

Expected<void> ProjectModel::save(const QString& file) {
    if (auto done = saveProject(project_, file.toStdString()); !done) return done;
    file_ = file;
    undo_.setClean();
    emit saved();
    return {};
}

/// View and scene are no part of what is undone.
void ProjectModel::apply(const Project& project) {
    const Viewpoint view = project_.view;
    const auto scene = project_.scene;
    const bool isReadOtherwise = project.import != project_.import;
    project_ = project;
    project_.view = view;
    project_.scene = scene;
    if (isReadOtherwise) emit importChanged();
    emit changed();
}

void ProjectModel::change(const QString& text, const std::function<void(Project&)>& edit) {
    Project next = project_;
    edit(next);
    undo_.push(new Change(*this, std::move(next), text));
}

void ProjectModel::setTarget(const Target& target, const QString& text) {
    change(text, [&](Project& next) { next.target = target; });
}

void ProjectModel::setImport(const ImportSettings& settings, const QString& text) {
    change(text, [&](Project& next) { next.import = settings; });
}

void ProjectModel::setOrder(const WorkOrder& order, const QString& text) {
    change(text, [&](Project& next) { next.order = order; });
}

void ProjectModel::setSpots(const std::vector<Spot>& spots, const QString& text) {
    change(text, [&](Project& next) { next.spots = spots; });
}

void ProjectModel::setSurvey(const SurveyRequest& request, const QString& text) {
    change(text, [&](Project& next) { next.survey = request; });
}

void ProjectModel::setWalk(const std::vector<Viewpoint>& walk, const QString& text) {
    change(text, [&](Project& next) {
        next.walk = walk;
        next.survey.where = SurveyRequest::Where::Walk;
    });
}

void ProjectModel::setAside(const std::string& asset, bool aside) {
    const QString name = QString::fromStdString(asset);
    change(aside ? tr("Set aside %1").arg(name) : tr("Take up %1").arg(name), [&](Project& next) {
        if (aside)
            next.setAside.insert(asset);
        else
            next.setAside.erase(asset);
    });
}

void ProjectModel::setFindingAside(const std::string& identity, const std::string& reason,
                                   const QString& name) {
    change(tr("Set aside %1").arg(name),
           [&](Project& next) { next.findingsAside[identity] = reason; });
}

void ProjectModel::takeUpFinding(const std::string& identity, const QString& name) {
    change(tr("Take up %1").arg(name), [&](Project& next) { next.findingsAside.erase(identity); });
}

void ProjectModel::setView(const Viewpoint& view) {
    project_.view = view;
    emit viewChanged();
}

}  // namespace flentro::app
