// The project that is open, and its undo.

#pragma once

#include <QObject>
#include <QString>
#include <QUndoStack>
#include <functional>

#include "base/error.h"
#include "project/project.h"

namespace flentro::app {

class ProjectModel : public QObject {
    Q_OBJECT

public:
    ProjectModel();

    [[nodiscard]] const Project& project() const { return project_; }
    /// Empty while it was never saved.
    [[nodiscard]] QString file() const { return file_; }
    [[nodiscard]] QUndoStack& undoStack() { return undo_; }
    [[nodiscard]] bool isModified() const { return !undo_.isClean(); }

    /// The settings of a fix; null if there is none or it is of another kind.
    template <typename Settings>
    [[nodiscard]] const Settings* settingsOf(int fix) const {
        const Fix* found = project_.order.find(fix);
        return found ? found->settings.as<Settings>() : nullptr;
    }

    // Every change can be undone, under the name given.
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

    /// No change of the project: it is kept, and nothing to be undone.
    void setView(const Viewpoint& view);

    /// Another project, without anything to undo; nobody is told. `isSaved`: a file holds it.
    void adopt(const Project& project, const QString& file, bool isSaved);
    /// The view of a scene that lies elsewhere now; nobody is told.
    void moveView(const Viewpoint& view) { project_.view = view; }
    /// Errors: as those of saveProject(); nothing is changed then.
    [[nodiscard]] Expected<void> save(const QString& file);

signals:
    void changed();  ///< Target, order, spots or set-aside findings.
    void saved();
    void importChanged();  ///< Before changed().
    void viewChanged();

private:
    class Change;
    void apply(const Project& project);
    /// Undo's next step: `edit` changes a copy.
    void change(const QString& text, const std::function<void(Project&)>& edit);

    Project project_;
    QString file_;
    QUndoStack undo_;
};

}  // namespace flentro::app
