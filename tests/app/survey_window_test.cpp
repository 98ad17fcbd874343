// Surveying in the real window: lists, plan, strip, walks and what-if.

#include <fmt/format.h>
#include <QCheckBox>

#include "app/window_fixture.h"
#include "project/between.h"
#include "survey/analysis.h"

namespace flentro::app {
namespace {

/// A window that can survey the market coarsely.
class SurveyedWindow : public Window {
protected:
    /// On the sheet, with a scene and these settings, not yet begun.
    void prepare(double spacing, int faceSize) {
        openMarket();
        window_->showStep(WorkStep::Survey);
        SurveyRequest request;
        request.spacing = spacing;
        request.faceSize = faceSize;
        window_->document().projectModel().setSurvey(request, "Survey settings");
    }
    void survey() {
        prepare(24, 64);
        click(button("Survey"), {10, 10});
        ASSERT_TRUE(settle());
        ASSERT_TRUE(window_->document().survey().surveyed().exists());
    }
    [[nodiscard]] const Surveyed& surveyed() { return window_->document().survey().surveyed(); }
    [[nodiscard]] double worst(const Surveyed::Tallies& tallies) {
        double load = 0;
        for (std::size_t s = 0; s < tallies.size(); ++s)
            for (std::size_t v = 0; v < tallies[s].size(); ++v)
                load = std::max(load, surveyed().load(tallies, s, v, Measure::Triangles,
                                                      window_->document().target()));
        return load;
    }
};

TEST_F(SurveyedWindow, MeasuresEveryPlaceAndTellsTheWorst) {
    survey();
    const std::size_t spots = surveyed().survey->spots.size();
    EXPECT_GE(spots, 4U);
    EXPECT_TRUE(surveyed().survey->complete);
    EXPECT_THAT(window_->rail().button(WorkStep::Survey)->accessibleDescription().toStdString(),
                testing::ContainsRegex("of " + std::to_string(spots) + " over, [0-9]+ %"))
        << "and how much of the ground they cover";
    ASSERT_TRUE(surveyed().survey->coverage);
    EXPECT_TRUE(surveyed().survey->coverage->isEnough());
    EXPECT_EQ(surveyed().survey->coverage->objects, surveyed().scene->objects.size());
    auto* table = find<QTableWidget>("Worst views");
    EXPECT_EQ(table->rowCount(), static_cast<int>(kMeasureCount));
    EXPECT_TRUE(window_->strip().isVisible());
    EXPECT_EQ(window_->strip().order().size(), spots);
    EXPECT_THAT(find<QLabel>("What the survey found")->text().toStdString(),
                HasSubstr("Never seen"));
    // The first row is the worst load: going there shows it on the board.
    table->selectRow(0);
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->document().survey().nearestSpot(), static_cast<int>([&] {
                  for (std::size_t s = 0; s < spots; ++s)
                      if (surveyed().survey->spots[s].eye == window_->document().view().eye)
                          return s;
                  return spots;
              }()));
}

TEST_F(SurveyedWindow, StandsOnTheAreaThatTheSceneKeepsForTools) {
    prepare(24, 64);
    auto* where = find<QComboBox>("Where", &window_->survey());
    const int area = where->findText("On walkable");
    ASSERT_GE(area, 0) << "offered though it is not drawn";
    where->setCurrentIndex(area);
    emit where->activated(area);
    click(button("Survey"), {10, 10});
    ASSERT_TRUE(settle());
    ASSERT_TRUE(surveyed().exists());
    EXPECT_EQ(window_->document().project().survey.node, "walkable");
    EXPECT_GE(surveyed().survey->spots.size(), 10U);
    for (const SpotResult& spot : surveyed().survey->spots) {
        EXPECT_LE(std::fabs(spot.eye.x()), 88.1);
        EXPECT_GE(spot.eye.y(), 1.69);
    }
}

TEST_F(SurveyedWindow, FixesLowerTheWholeSurveyWithoutANewOne) {
    survey();
    const auto before = surveyed().survey;
    const double load = worst(surveyed().after);
    EXPECT_DOUBLE_EQ(load, worst(surveyed().before));
    addFix("ladder");
    EXPECT_EQ(surveyed().survey->seen.trianglePixels, before->seen.trianglePixels)
        << "the rays were not cast again";
    EXPECT_EQ(surveyed().scene->assets.size(), window_->document().result()->assets.size());
    EXPECT_LT(worst(surveyed().after), load);
    EXPECT_DOUBLE_EQ(worst(surveyed().before), load);
}

TEST_F(SurveyedWindow, GroundThatNoSpotIsNearIsOfferedAsAStart) {
    openMarket();
    window_->showStep(WorkStep::Survey);
    Document& document = window_->document();
    document.projectModel().setSpots({{"corner", {{-80, 1.7, -60}, 40, 0}}}, "Keep spot");
    SurveyRequest request;
    request.where = SurveyRequest::Where::Kept;
    request.faceSize = 64;
    document.projectModel().setSurvey(request, "Survey settings");
    click(button("Survey"), {10, 10});
    ASSERT_TRUE(settle());
    const std::vector<Ground> starts = surveyed().startsLeft();
    ASSERT_FALSE(starts.empty()) << "one corner is not the market";
    ASSERT_TRUE(button("Stand on the largest ground")->isVisible());
    click(button("Stand on the largest ground"), {10, 10});
    ASSERT_TRUE(settle());
    EXPECT_TRUE(document.view().eye.isApprox(starts.front().eye));
    // Clicks on two pixels give the scale of the plan, and so the pixel of the start.
    const auto placeAt = [&](const QPoint& pixel) {
        QTest::mouseClick(&window_->plan(), Qt::LeftButton, {}, pixel);
        EXPECT_TRUE(settle());
        return document.view().eye;
    };
    const Vec3d first = placeAt({6, 6});
    const Vec3d second = placeAt({26, 26});
    const auto pixelOf = [&](int axis) {
        return 6 + 20 * (starts.front().eye[axis] - first[axis]) / (second[axis] - first[axis]);
    };
    EXPECT_TRUE(placeAt(QPointF(pixelOf(0), pixelOf(2)).toPoint()).isApprox(starts.front().eye));
    request.where = SurveyRequest::Where::Reach;
    request.spacing = 24;
    document.projectModel().setSurvey(request, "Survey settings");
    click(button("Survey"), {10, 10});
    ASSERT_TRUE(settle());
    EXPECT_TRUE(surveyed().startsLeft().empty()) << "spots all over it";
}

TEST_F(SurveyedWindow, TheResultIsCountedBetweenTheSpots) {
    survey();
    addFix("culling");
    window_->showStep(WorkStep::Proof);
    ASSERT_TRUE(settle());
    Document& document = window_->document();
    auto* label = find<QLabel>("Between the spots");
    EXPECT_FALSE(label->isVisible()) << "nothing has been counted";
    QPushButton* count = button("Count between the spots");
    click(count, {10, 10});
    ASSERT_TRUE(settle());
    ASSERT_TRUE(label->isVisible());
    const auto counted = proveBetween(document.project(), *surveyed().survey, *document.source(),
                                      *document.result(), noProgress());
    ASSERT_TRUE(counted);
    EXPECT_EQ(counted->spacing, 6) << "a quarter of the spots'";
    EXPECT_GT(counted->proof.spots.size(), 2 * surveyed().survey->spots.size());
    const std::string text = label->text().toStdString();
    EXPECT_THAT(text, HasSubstr(fmt::format("({} places, every 6.0 m, 8 headings",
                                            counted->proof.spots.size())));
    EXPECT_THAT(text, HasSubstr(counted->proof.overAfter == 0
                                    ? "within every limit"
                                    : fmt::format("{} over", counted->proof.overAfter)));
    EXPECT_FALSE(count->isVisible());
    document.projectModel().undoStack().undo();
    ASSERT_TRUE(settle());
    EXPECT_FALSE(label->isVisible()) << "it was of another result";
    EXPECT_TRUE(count->isVisible() && count->isEnabled());
}

/// After fixes that read the survey, causes are still sought in all of its views: first with what
/// was seen, which culling leaves; then without, as merging makes objects that nobody has seen.
TEST_F(SurveyedWindow, CausesAreCountedInItsViewsAfterAnyFix) {
    survey();
    window_->showStep(WorkStep::Findings);
    auto* note = find<QLabel>("What has not been seen");
    const auto diagnosed = [&](const char* fix) {
        addFix(fix);
        window_->showStep(WorkStep::Findings);
        const auto& causes = window_->findings().causes();
        ASSERT_TRUE(QTest::qWaitFor(
            [&] {
                window_->document().jobs().cancel(
                    kTryingFixes);  // takes long, and is not asked here
                return !window_->document().survey().isSurveyingAgain() && window_->isSettled() &&
                       causes.diagnosis();
            },
            kPatience));
        ASSERT_TRUE(causes.diagnosis()->isSurveyed) << fix;
        for (const Measure measure : {Measure::DrawCalls, Measure::Triangles, Measure::Objects})
            EXPECT_NEAR(at(causes.diagnosis()->loads, measure),
                        surveyed().extremes(measure, window_->document().target()).load, 1e-9)
                << fix << ": " << measureKey(measure);
    };
    diagnosed("culling");
    EXPECT_EQ(surveyed().scene, window_->document().result());
    EXPECT_FALSE(note->isVisible());
    diagnosed("merge");
    EXPECT_NE(surveyed().scene, window_->document().result());
    EXPECT_TRUE(note->isVisible());
    window_->document().projectModel().undoStack().undo();
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return !window_->document().survey().isSurveyingAgain() && settle(); }, kPatience));
    EXPECT_FALSE(note->isVisible());
}

TEST_F(SurveyedWindow, CullingIsLookedAtAgain) {
    survey();
    const auto before = surveyed().survey;
    addFix("culling");
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return !window_->document().survey().isSurveyingAgain() && settle(); }, kPatience));
    const auto& spots = surveyed().survey->spots;
    ASSERT_EQ(spots.size(), before->spots.size());
    for (std::size_t s = 0; s < spots.size(); ++s)
        for (const SeenObject& seen : spots[s].seen.objects)
            ASSERT_NE(spots[s].sightings.levels[seen.object], EyeVisibility::kGone)
                << "seen although it is culled: object " << seen.object;
    const auto gone = [](const Survey& survey) {
        std::ptrdiff_t count = 0;
        for (const SpotResult& spot : survey.spots)
            count += std::count(spot.sightings.levels.begin(), spot.sightings.levels.end(),
                                EyeVisibility::kGone);
        return count;
    };
    EXPECT_GT(gone(*surveyed().survey), gone(*before));
    window_->document().projectModel().undoStack().undo();
    ASSERT_TRUE(settle());
    EXPECT_EQ(gone(*surveyed().survey), gone(*before)) << "and back";
}

TEST_F(SurveyedWindow, ALimitedCameraStandsBehindThePlayer) {
    openMarket();
    window_->showStep(WorkStep::Survey);
    auto* limited = window_->survey().findChild<QCheckBox*>();
    ASSERT_NE(limited, nullptr);
    EXPECT_FALSE(limited->isChecked());
    limited->click();
    Camera camera = window_->document().project().survey.camera;
    EXPECT_FALSE(camera.isFree());
    camera.lastHeading = camera.firstHeading;
    SurveyRequest request = window_->document().project().survey;
    request.where = SurveyRequest::Where::Kept;
    request.camera = camera;
    request.faceSize = 64;
    const Viewpoint player = window_->document().view();
    window_->document().projectModel().setSpots({{"player", player}}, "Keep spot");
    window_->document().projectModel().setSurvey(request, "Survey settings");
    click(button("Survey"), {10, 10});
    ASSERT_TRUE(settle());
    ASSERT_TRUE(surveyed().exists());
    ASSERT_EQ(surveyed().survey->spots.size(), 1U);
    const SpotResult& spot = surveyed().survey->spots[0];
    EXPECT_NEAR((spot.eye - player.eye).norm(), camera.distances[0], 1e-9);
    ASSERT_EQ(spot.views.size(), 1U);
    EXPECT_EQ(spot.views[0].pitch, camera.pitches[0]);
    limited->click();
    EXPECT_TRUE(window_->document().project().survey.camera.isFree());
}

TEST_F(SurveyedWindow, ListsTexturesThatNoViewNeeds) {
    survey();
    auto* table = find<QTableWidget>("Textures larger than any view needs");
    const auto needs = findTextureNeeds(*surveyed().scene, *surveyed().survey);
    ASSERT_TRUE(QTest::qWaitFor([&] { return table->rowCount() == static_cast<int>(needs.size()); },
                                kPatience));
}

TEST_F(SurveyedWindow, PetalsAndStripLeadToTheirViews) {
    survey();
    emit window_->plan().swapRequested();
    ASSERT_TRUE(settle());
    const QPoint middle = window_->plan().rect().center();
    click(&window_->plan(), middle);
    const Vec3d stood = window_->document().view().eye;
    const auto isSpot = [&](const Vec3d& eye) {
        for (const SpotResult& spot : surveyed().survey->spots)
            if (spot.eye == eye) return true;
        return false;
    };
    click(&window_->strip(), {47, 60});  // the first of them, however many there are
    ASSERT_TRUE(isSpot(window_->document().view().eye));
    const Vec3d heaviest = window_->document().view().eye;
    EXPECT_EQ(surveyed().survey->spots[window_->strip().order().front()].eye, heaviest);
    QTest::keyClick(&window_->strip(), Qt::Key_Right);
    EXPECT_EQ(surveyed().survey->spots[window_->strip().order()[1]].eye,
              window_->document().view().eye);
    EXPECT_FALSE(stood.isApprox(heaviest));
}

TEST_F(SurveyedWindow, WhatIfChangesBoardAndSurveyAndBack) {
    survey();
    const double load = worst(surveyed().after);
    const double triangles = here(Measure::Triangles);
    const std::size_t heaviest = [&] {
        const auto& objects = window_->document().source()->objects;
        const ViewCost& cost = window_->document().here().after;
        std::size_t best = cost.drawn.front().object;
        for (const DrawnObject& drawn : cost.drawn)
            if (window_->document().source()->mesh(objects[drawn.object]).triangles >
                window_->document().source()->mesh(objects[best]).triangles)
                best = drawn.object;
        return best;
    }();
    window_->document().selection().selectObject(static_cast<int>(heaviest));
    key(Qt::Key_X);
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->document().selection().without().count(), 1U);
    EXPECT_LT(here(Measure::Triangles), triangles);
    EXPECT_LT(worst(surveyed().after), load);
    QTest::keyClick(&window_->view(), Qt::Key_X, Qt::ShiftModifier);
    ASSERT_TRUE(settle());
    EXPECT_EQ(here(Measure::Triangles), triangles);
    EXPECT_DOUBLE_EQ(worst(surveyed().after), load);
    EXPECT_FALSE(window_->document().projectModel().isModified() &&
                 window_->document().projectModel().undoStack().undoText().contains("off"))
        << "the scene was not changed";
}

TEST_F(SurveyedWindow, BoardLeadsToTheWorstViewOfAMeasure) {
    survey();
    auto* board = find<LoadBoard>("Load board");
    const auto worstTriangles = worstOf(*surveyed().survey, Measure::Triangles);
    ASSERT_TRUE(worstTriangles);
    const SpotResult& spot = surveyed().survey->spots[worstTriangles->spot];
    click(board, {60, 45});
    EXPECT_EQ(window_->document().view().eye, spot.eye);
    EXPECT_DOUBLE_EQ(window_->document().view().heading, spot.views[worstTriangles->view].heading);
    ASSERT_TRUE(settle());
    EXPECT_EQ(here(Measure::Triangles), worstTriangles->value) << "the counters agree";
}

TEST_F(SurveyedWindow, AnotherMeasureReordersTheStrip) {
    survey();
    auto* measure = find<QComboBox>("Measure on plan and strip");
    const auto loadsInOrder = [&](const std::optional<Measure>& by) {
        std::vector<double> inOrder;
        for (const std::size_t s : window_->strip().order())
            inOrder.push_back(surveyed().load(
                surveyed().before, s,
                surveyed().worstView(surveyed().before, s, by, window_->document().target()), by,
                window_->document().target()));
        return inOrder;
    };
    for (const int index : {1, 3}) {
        measure->setCurrentIndex(index);
        emit measure->activated(index);
        const auto by = kMeasures[static_cast<std::size_t>(index) - 1];
        EXPECT_EQ(window_->document().survey().shownMeasure(), by);
        const std::vector<double> inOrder = loadsInOrder(by);
        EXPECT_GT(inOrder.size(), 10U);
        EXPECT_GT(inOrder.front(), inOrder.back());
        EXPECT_TRUE(std::is_sorted(inOrder.rbegin(), inOrder.rend())) << measureName(by);
    }
}

TEST_F(SurveyedWindow, IsReadBackBesideItsProject) {
    survey();
    const QString project = QString::fromStdString((folder_ / "p.flentro.json").string());
    window_->document().saveProject(project);
    window_->survey().run();
    ASSERT_TRUE(settle());
    ASSERT_TRUE(QFile::exists(project + ".survey"));
    const auto first = surveyed().survey;
    window_->survey().run();
    ASSERT_TRUE(settle());
    EXPECT_NE(surveyed().survey, first) << "another value";
    ASSERT_EQ(surveyed().survey->spots.size(), first->spots.size());
    EXPECT_EQ(surveyed().survey->seen.trianglePixels, first->seen.trianglePixels);
    // A damaged cache is no obstacle.
    test::writeText((folder_ / "p.flentro.json.survey"), "not a survey");
    window_->survey().run();
    ASSERT_TRUE(settle());
    EXPECT_EQ(surveyed().survey->seen.trianglePixels, first->seen.trianglePixels);
}

TEST_F(SurveyedWindow, CancellingKeepsWhatIsDone) {
    prepare(2, 256);
    ASSERT_TRUE(settle());
    auto* plan = find<PlanView>("Plan");
    const QImage empty = plan->grab().toImage();
    window_->survey().run();
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return window_->document().survey().earlySpots().size() > 2; }, kPatience));
    EXPECT_TRUE(QTest::qWaitFor([&] { return plan->grab().toImage() != empty; }, kPatience))
        << "spots show as they are done";
    window_->document().jobs().cancel();
    ASSERT_TRUE(settle());
    ASSERT_TRUE(surveyed().exists());
    EXPECT_FALSE(surveyed().survey->complete);
    EXPECT_GT(surveyed().survey->spots.size(), 2U);
}

TEST_F(SurveyedWindow, AWalkIsRecordedSurveyedAndPlayed) {
    openMarket();
    window_->showStep(WorkStep::Survey);
    click(button("Record walk"), {10, 10});
    const Viewpoint start = window_->document().view();
    Viewpoint view = start;
    for (int i = 0; i < 12; ++i) {
        view.eye.x() += 1;
        window_->document().projectModel().setView(view);
    }
    click(button("Stop recording"), {10, 10});
    ASSERT_EQ(window_->document().project().walk.size(), 13U);
    SurveyRequest request = window_->document().project().survey;
    EXPECT_EQ(request.where, SurveyRequest::Where::Walk);
    request.spacing = 3;
    request.faceSize = 0;
    window_->document().projectModel().setSurvey(request, "Survey settings");
    window_->survey().run();
    ASSERT_TRUE(settle());
    ASSERT_EQ(surveyed().survey->spots.size(), 5U) << "12 m in steps of 3 m";
    EXPECT_EQ(window_->strip().order(), (std::vector<std::size_t>{0, 1, 2, 3, 4}))
        << "in the order of the walk";
    EXPECT_FALSE(surveyed().survey->hasRays());
    window_->document().projectModel().setView(view);
    click(button("Play"), {10, 10});
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return (window_->document().view().eye - start.eye).norm() < 3; }, kPatience));
    ASSERT_TRUE(
        QTest::qWaitFor([&] { return !window_->survey().recorder().isPlaying(); }, kPatience));
    EXPECT_GT((window_->document().view().eye - start.eye).norm(), 10);
}

TEST_F(SurveyedWindow, SeenLensTellsWhatIsDrawnInVain) {
    survey();
    window_->view().setLens(LensKind::Seen);
    ASSERT_TRUE(settle());
    const auto states = seenStates(window_->document(), *window_->document().result());
    ASSERT_EQ(states.size(), window_->document().source()->objects.size());
    EXPECT_GT(std::count(states.begin(), states.end(), SeenState::Here), 0);
    EXPECT_LT(std::count(states.begin(), states.end(), SeenState::Here),
              static_cast<long>(states.size()));
    const auto legend = legendFor(LensKind::Seen, *window_->document().result(),
                                  window_->document().here().after, states);
    EXPECT_EQ(legend.size(), 3U);
    // What is told is what a spot saw: where the eye stands elsewhere, that is said.
    Viewpoint there = window_->document().view();
    there.eye = surveyed().survey->spots[0].eye;
    window_->document().projectModel().setView(there);
    EXPECT_EQ(legendTitle(LensKind::Seen, window_->document()).toStdString(), "Seen from here");
    there.eye += Vec3d(0, 3, 0);
    window_->document().projectModel().setView(there);
    EXPECT_THAT(legendTitle(LensKind::Seen, window_->document()).toStdString(),
                HasSubstr("3.0 m away"));
}

}  // namespace
}  // namespace flentro::app
