// flentro-tour SCENE-OR-PROJECT FOLDER: goes through the work in the real window, from the
// target to a proven export, and leaves a picture of every step in FOLDER.

#include <QApplication>
#include <QDir>
#include <QElapsedTimer>
#include <QScreen>
#include <QStandardPaths>
#include <QTimer>
#include <cmath>
#include <cstdio>
#include <functional>

#include "fixes/ladder/ladder.h"
#include "main_window.h"

namespace {

using namespace flentro;
using namespace flentro::app;

constexpr int kLongestWait = 300'000;  ///< Milliseconds.

/// Tells which event kept the window from its turn.
class WatchedApplication : public QApplication {
public:
    using QApplication::QApplication;

    bool notify(QObject* receiver, QEvent* event) override {
        const QByteArray name = receiver->metaObject()->className();
        const int type = event->type();
        QElapsedTimer clock;
        clock.start();
        const bool done = QApplication::notify(receiver, event);
        constexpr int kSlow = 75;
        if (clock.elapsed() > kSlow)
            std::printf("%s took %lld ms over event %d\n", name.constData(),
                        static_cast<long long>(clock.elapsed()), type);
        return done;
    }
};

/// Leaves the cores to the work until something happens; the tour's heartbeat at the latest.
void sleepToNextEvent() {
    QApplication::processEvents(QEventLoop::AllEvents | QEventLoop::WaitForMoreEvents);
}

class Tour {
public:
    Tour(MainWindow& window, QString folder) : window_(window), folder_(std::move(folder)) {
        QObject::connect(&heartbeat_, &QTimer::timeout, [this] {
            longestStall_ =
                std::max(longestStall_, static_cast<double>(beat_.nsecsElapsed()) * 1e-6);
            beat_.restart();
        });
        beat_.start();
        heartbeat_.start(5);
    }

    /// The longest that the event loop was kept from its turn, milliseconds.
    [[nodiscard]] double longestStall() const { return longestStall_; }

    bool settle() {
        QElapsedTimer clock;
        clock.start();
        int calm = 0;
        while (calm < 5) {
            sleepToNextEvent();
            calm = window_.isSettled() ? calm + 1 : 0;
            if (clock.elapsed() > kLongestWait) return false;
        }
        return true;
    }

    bool waitForLooks() {
        if (!settle()) return false;
        QElapsedTimer clock;
        clock.start();
        while (window_.fixes().ladder().looks().isBusy()) {
            sleepToNextEvent();
            if (clock.elapsed() > kLongestWait) return false;
        }
        return true;
    }

    /// Holds the settings and tries others.
    bool compareSettings() {
        window_.fixes().ladder().hold();
        WorkOrder order = window_.document().project().order;
        for (Fix& fix : order.fixes)
            if (auto* ladder = fix.settings.as<LadderSettings>()) {
                ladder->pixels = 2;
                ladder->singlePartFromLevel = 3;
                ladder->cardPixels = 48;
            }
        window_.document().projectModel().setOrder(order, "Rougher");
        return settle() && settle();  // the table is counted after the levels are there
    }

    bool takeYard() {
        window_.fixes().ladder().openYard();
        YardDialog& yard = *window_.fixes().ladder().yard();
        yard.measure();
        const bool good = settle() && yard.report().failure.isEmpty();
        const bool saved = yard.grab().save(QDir(folder_).filePath("stress-yard.png"));
        yard.close();
        return good && saved;
    }

    bool take(const char* name) {
        if (!settle()) return false;
        walk();
        if (!settle()) return false;
        std::printf("longest stall so far %.0f ms\n", longestStall_);
        const QPixmap picture = window_.grab();
        std::printf("%s.png  %zu triangles in %.0f ms\n", name, window_.view().frameTriangles(),
                    window_.view().frameMilliseconds());
        const bool saved = picture.save(QDir(folder_).filePath(QString(name) + ".png"));
        beat_.restart();  // taking pictures is not what the artist waits for
        return saved;
    }

    /// On a target that allows few lights; the order is as before afterwards.
    bool takeLights() {
        Document& document = window_.document();
        const Target before = document.target();
        const WorkOrder order = document.project().order;
        document.projectModel().setTarget(findTarget("Kiosk 60").value(), "Few lights");
        bool good = true;
        for (const char* key : {"light-reach", "fewer-lights", "shadow-lights"}) {
            window_.fixes().addOrShow(key, "");
            good = take((std::string("fixes-") + key).c_str()) && good;
        }
        document.projectModel().setOrder(order, "As before");
        document.projectModel().setTarget(before, "Target");
        return settle() && good;
    }

    bool run(const QString& scene) {
        window_.open(scene);
        if (!settle() || !window_.document().hasScene()) return false;
        Document& document = window_.document();
        if (document.project().order.fixes.empty())
            document.projectModel().setTarget(shippedTargets().back(), "Target");
        return takeTarget() && takeSurvey() && takeFindings() && takeTidy() && takeLadder() &&
               takeCulling() && takeOthers() && takeSplit() && takeMerge() && takeProof();
    }

private:
    bool takeTarget() { return take("target"); }

    bool takeSurvey() {
        Document& document = window_.document();
        addSpots();
        window_.showStep(WorkStep::Survey);
        window_.survey().run();
        bool good = take("survey");
        emit window_.plan().swapRequested();
        good = take("survey-roses") && good;
        emit window_.plan().swapRequested();
        const Viewpoint home = document.view();
        document.projectModel().setView({{-58, 1.7, -34}, 90, 0});  // inside the warehouse
        window_.view().setLens(LensKind::Seen);
        good = take("lens-seen") && good;
        document.projectModel().setView(home);
        window_.view().setLens(LensKind::Overdraw);
        return take("lens-overdraw") && good;
    }

    bool takeFindings() {
        window_.showStep(WorkStep::Findings);
        window_.view().setLens(LensKind::TriangleSize);
        bool good = take("findings");
        window_.findings().turnTo(FindingsPanel::All);
        window_.findings().inventory().turnTo(InventoryPage::Lights);
        good = settle() && take("inventory") && good;
        window_.findings().turnTo(FindingsPanel::Causes);
        window_.view().setLens(LensKind::Wireframe);
        return take("lens-wireframe") && good;
    }

    bool takeTidy() {
        window_.showStep(WorkStep::Fixes);
        window_.fixes().addOrShow("tidy", "");
        window_.view().setLens(LensKind::Shaded);
        const bool good = settle();
        for (QPushButton* button : window_.fixes().tidy().findChildren<QPushButton*>())
            if (button->text() == "Mark what goes") button->click();
        return take("fixes-tidy") && good;
    }

    bool takeLadder() {
        FixesPanel& fixes = window_.fixes();
        fixes.addOrShow("ladder", "bollard");
        window_.view().setLens(LensKind::Level);
        bool good = take("fixes-ladder");
        fixes.ladder().setAsset("carved otter");
        fixes.ladder().turnTo(LadderInstrument::Looks);
        good = waitForLooks() && take("fixes-ladder-looks") && good;
        fixes.ladder().turnTo(LadderInstrument::Settings);
        good = take("fixes-ladder-settings") && good;
        fixes.ladder().turnTo(LadderInstrument::Comparison);
        good = compareSettings() && take("fixes-ladder-compare") && good;
        window_.document().projectModel().undoStack().undo();
        good = settle() && good;
        fixes.ladder().turnTo(LadderInstrument::Distances);
        fixes.ladder().setAsset("bollard");
        return takeYard() && good;
    }

    bool takeCulling() {
        window_.fixes().addOrShow("culling", "");
        window_.view().setLens(LensKind::ShareOfCost);
        const bool good = take("fixes-culling");
        window_.fixes().culling().turnTo(CullingInstrument::Far);
        return take("fixes-culling-far") && good;
    }

    bool takeOthers() {
        bool good = true;
        window_.view().setLens(LensKind::Shaded);
        for (const char* key : {"share", "shadows", "atlas", "texture-size"}) {
            window_.fixes().addOrShow(key, "");
            good = take((std::string("fixes-") + key).c_str()) && good;
        }
        good = takeLights() && good;
        window_.fixes().showAccount(true);
        good = take("fixes-account") && good;
        window_.fixes().showAccount(false);
        return good;
    }

    bool takeSplit() {
        Document& document = window_.document();
        const WorkOrder unsplit = document.project().order;
        window_.fixes().addOrShow("split", "");
        window_.view().setLens(LensKind::Groups);
        const bool good = take("fixes-split");
        document.projectModel().setOrder(unsplit, "Without split");
        return settle() && good;
    }

    /// Where every object is a draw call of its own, merging has most to win.
    bool takeMerge() {
        Document& document = window_.document();
        window_.view().setLens(LensKind::Shaded);
        const Target desk = document.target();
        Target plain = desk;
        plain.name += ", no batching";
        plain.batching = Batching::Nothing;
        document.projectModel().setTarget(plain, "No batching");
        window_.fixes().addOrShow("merge", "");
        bool good = take("fixes-merge");
        window_.fixes().merge().turnTo(MergeInstrument::Parcels);
        document.selection().selectParcel(0);
        emit window_.plan().swapRequested();
        good = take("fixes-merge-plan") && good;
        emit window_.plan().swapRequested();
        window_.view().setLens(LensKind::Groups);
        good = take("fixes-merge-groups") && good;
        window_.view().setLens(LensKind::Shaded);
        window_.fixes().merge().turnTo(MergeInstrument::Assets);
        good = take("fixes-merge-assets") && good;
        document.projectModel().setTarget(desk, "Instancing");
        return settle() && good;
    }

    bool takeProof() {
        window_.showStep(WorkStep::Proof);
        const bool good = settle();
        window_.proof().exportResult(QDir(folder_).filePath("lighter.glb"));
        return take("proof") && good;
    }

    /// A few steps to and fro, as an artist looks around.
    void walk() {
        const Viewpoint home = window_.document().view();
        for (int i = 0; i < 24; ++i) {
            Viewpoint view = home;
            view.heading += 15 * std::sin(i * 0.26);
            window_.document().projectModel().setView(view);
            sleepToNextEvent();
        }
        window_.document().projectModel().setView(home);
    }

    void addSpots() {
        Document& document = window_.document();
        if (!document.project().spots.empty()) return;
        std::vector<Spot> spots = {{"Quay", document.view()}};
        Viewpoint other = document.view();
        other.eye += Vec3d(28, 0, -30.4);
        spots.push_back({"Market row", other});
        other.eye += Vec3d(30, 2.5, 20);
        spots.push_back({"Footbridge", other});
        document.projectModel().setSpots(spots, "Add spots");
    }

    MainWindow& window_;
    QString folder_;
    QTimer heartbeat_;
    QElapsedTimer beat_;
    double longestStall_ = 0;
};

}  // namespace

int main(int argc, char** argv) {
    QApplication::setAttribute(Qt::AA_ShareOpenGLContexts);
    QStandardPaths::setTestModeEnabled(true);
    WatchedApplication application(argc, argv);
    QApplication::setOrganizationName("Flentro tour");
    QApplication::setApplicationName("Flentro tour");
    if (argc != 3) {
        std::fprintf(stderr, "usage: flentro-tour SCENE-OR-PROJECT FOLDER\n");
        return 2;
    }
    QDir().mkpath(argv[2]);
    setTheme(application, ThemeName::Night);
    MainWindow window;
    window.show();
    QApplication::processEvents();  // stalls count from when the window stands
    Tour tour(window, argv[2]);
    const bool good = tour.run(argv[1]);
    if (!good) std::fprintf(stderr, "flentro-tour: %s\n", "a step did not finish");
    window.document().projectModel().undoStack().setClean();
    return good ? 0 : 1;
}
