// Causes in the real window: from a finding to its evidence, its place and its fix.

#include <QHeaderView>
#include <QInputDialog>

#include "base/index.h"
#include "fixes/ladder/ladder.h"
#include "panels/evidence_tiles.h"
#include "support/meshes.h"
#include "support/surveys.h"
#include "window_fixture.h"

namespace flentro::app {
namespace {

class Causes : public Window {
protected:
    void openCauses() {
        openMarket();
        showCauses();
    }
    void showCauses() {
        Target target = window_->document().target();
        at(target.limits, Measure::Triangles) = 20'000;
        window_->document().projectModel().setTarget(target, "narrow");
        window_->showStep(WorkStep::Findings);
        ASSERT_TRUE(settle());
        ASSERT_TRUE(page().diagnosis());
        table_ = find<QTableWidget>("Causes");
    }
    CausesPage& page() { return window_->findings().causes(); }
    /// Chooses the first finding of a rule by typing its key.
    void choose(const char* rule) {
        auto* filter = find<QLineEdit>("Filter causes");
        filter->clear();
        QTest::keyClicks(filter, rule);
        ASSERT_GT(table_->rowCount(), 0) << rule;
        table_->setCurrentCell(0, 0);
    }
    QPushButton* on(const QString& text) {
        for (auto* candidate : page().findChildren<QPushButton*>())
            if (candidate->text() == text) return candidate;
        ADD_FAILURE() << text.toStdString();
        return nullptr;
    }
    static void answerNextDialog(const QString& text) {
        QTimer::singleShot(0, qApp, [text] {
            for (QWidget* widget : QApplication::topLevelWidgets())
                if (auto* dialog = qobject_cast<QInputDialog*>(widget)) {
                    dialog->setTextValue(text);
                    dialog->accept();
                }
        });
    }
    QTableWidget* table_ = nullptr;
};

TEST_F(Causes, AreListedByReliefWithTheirEvidence) {
    openCauses();
    const auto all = static_cast<int>(page().diagnosis()->findings.size());
    const auto relieving =
        static_cast<int>(page().diagnosis()->relieving(window_->document().target()));
    EXPECT_EQ(table_->rowCount(), relieving) << "what is within its limits is folded away";
    ASSERT_LT(relieving, all);
    QPushButton* fold = on(QString("%1 more about what is within its limits").arg(all - relieving));
    ASSERT_TRUE(fold);
    fold->click();
    EXPECT_EQ(table_->rowCount(), all);
    fold->click();
    // Every row is laid out and can be hit.
    EXPECT_EQ(table_->verticalHeader()->count(), table_->rowCount());
    EXPECT_EQ(table_->rowAt(table_->rowViewportPosition(1) + 5), 1);
    choose("no-levels");
    ASSERT_FALSE(page().evidence().loads().empty());
    const auto& load = page().evidence().loads().front();
    EXPECT_EQ(load.name, "Triangles");
    EXPECT_LT(load.after, load.before);
    EXPECT_NEAR(load.before, at(page().diagnosis()->loads, Measure::Triangles), 1e-9);
    // The list says the same in short.
    const QString shown = table_->item(0, 2)->text();
    EXPECT_TRUE(shown.startsWith("triangles x")) << shown.toStdString();
    EXPECT_TRUE(shown.contains("→")) << shown.toStdString();
    // The fixes have been tried: what is shown is what they do.
    EXPECT_EQ(table_->horizontalHeaderItem(2)->text(), "Takes off");
    for (const Finding& finding : page().diagnosis()->findings)
        EXPECT_TRUE(finding.isTried || !finding.fix || finding.over) << finding.rule->key;
}

TEST_F(Causes, FixThisDeliversWhatItsRowPromises) {
    openCauses();
    choose("no-levels");
    const Diagnosis before = *page().diagnosis();
    for (const Diagnosis::Trial& trial : before.trials)
        if (trial.fixes.size() == 1 && trial.fixes.front().kind().key == "ladder") {
            const auto changes = before.changes(trial.relief, window_->document().target());
            ASSERT_FALSE(changes.empty());
            on("Fix this")->click();
            ASSERT_TRUE(settle());
            window_->showStep(WorkStep::Findings);
            ASSERT_TRUE(settle());
            const double after = at(page().diagnosis()->loads, changes.front().measure);
            EXPECT_NEAR(after, changes.front().after,
                        0.2 * (changes.front().before - changes.front().after));
            return;
        }
    FAIL() << "no ladder was tried";
}

/// Each kind of thing is drawn in its own way, and what is drawn is no blank.
TEST_F(Causes, AreDrawn) {
    openCauses();
    const auto tilesOf = [&](const char* rule) {
        choose(rule);
        EXPECT_TRUE(QTest::qWaitFor([&] { return !page().evidence().tiles().empty(); }, kPatience))
            << rule;
        return page().evidence().tiles();
    };
    const auto isBlank = [](const QImage& image) {
        for (int y = 0; y < image.height(); ++y)
            for (int x = 0; x < image.width(); ++x)
                if (image.pixel(x, y) != image.pixel(0, 0)) return false;
        return true;
    };
    for (const char* rule :
         {"no-levels", "duplicate-meshes", "duplicate-textures", "light-range-too-long"}) {
        const auto tiles = tilesOf(rule);
        ASSERT_FALSE(tiles.empty());
        for (const EvidenceTile& tile : tiles) {
            EXPECT_FALSE(isBlank(tile.image)) << rule;
            EXPECT_FALSE(tile.caption.isEmpty()) << rule;
        }
    }
    EXPECT_EQ(tilesOf("duplicate-meshes").size(), 2U) << "twins side by side";
    EXPECT_THAT(tilesOf("light-range-too-long")[0].caption.toStdString(), HasSubstr("reaches"));
    choose("duplicate-materials");
    ASSERT_TRUE(QTest::qWaitFor([&] { return page().evidence().tiles().size() == 2; }, kPatience));
}

TEST(EvidenceTiles, TrianglesAreDrawnAgainstThePixelsOfTheTarget) {
    const Scene scene = test::makeScene(
        {{test::makeSphere(48, 24), {0, 0, -20}}, {test::makeSphere(48, 24), {0, 0, -10}}});
    Finding finding;
    finding.subjects = {assetSubject(scene, 1)};
    const auto tiles = [&] {
        return evidenceTiles(finding, scene, test::surveyDisplay(), theme(), 96);
    };
    EXPECT_EQ(tiles().size(), 1U) << "only the mesh: nothing is known of its density";
    finding.evidence = {{"share below four pixels", 1, Quantity::Unit::Share}};
    EXPECT_EQ(tiles().size(), 1U) << "nor where it counts";
    finding.where = {{Vec3d::Zero(), 0, 0}};
    const auto drawn = tiles();
    ASSERT_EQ(drawn.size(), 2U);
    EXPECT_EQ(drawn[1].caption.toStdString(), "from 9.0 m, a square is a pixel");
    const auto inked = [](const QImage& image) {
        int count = 0;
        for (int y = 0; y < image.height(); ++y)
            for (int x = 0; x < image.width(); ++x)
                count +=
                    std::abs(image.pixelColor(x, y).lightness() - theme().ink.lightness()) < 60;
        return count;
    };
    const int near = inked(drawn[1].image);
    EXPECT_GT(near, 0);
    finding.where = {{Vec3d(0, 0, 80), 0, 0}};
    EXPECT_GT(inked(tiles()[1].image), 2 * near) << "from afar more edges fall on a pixel";
}

/// A box of two halves that touch: a line across the middle of its outline.
TEST(EvidenceTiles, ACutShowsFacesBetweenPieces) {
    Mesh halves = test::makeBox({1, 1, 1});
    Part second = halves.parts[0];
    std::vector<Vec3f> points = positionsOf(second);
    for (Vec3f& point : points) point.x() += 1;
    second.set("POSITION", makeStream(points));
    halves.parts.push_back(std::move(second));
    const Scene scene = test::makeScene({{std::move(halves), {0, 0, -5}}});
    Finding finding;
    finding.subjects = {assetSubject(scene, 0)};
    finding.evidence = {{"triangles inside", 4}};
    const auto tiles = evidenceTiles(finding, scene, test::surveyDisplay(), theme(), 96);
    ASSERT_EQ(tiles.size(), 2U) << "the mesh, and the cut through it";
    const QImage& cut = tiles[1].image;
    const auto isBold = [&](int x, int y) {
        const QColor color = cut.pixelColor(x, y);
        const QColor over = theme().over;
        return std::abs(color.red() - over.red()) + std::abs(color.green() - over.green()) +
                   std::abs(color.blue() - over.blue()) <
               90;
    };
    int bold = 0;
    for (int y = 0; y < cut.height(); ++y)
        for (int x = 0; x < cut.width(); ++x) {
            if (!isBold(x, y)) continue;
            ++bold;
            EXPECT_TRUE(std::abs(x - 48) < 6 || std::abs(y - 48) < 6)
                << x << " " << y << ": only between the halves";
        }
    EXPECT_GT(bold, 20);
}

TEST_F(Causes, LeadToThePlaceAndToThePreparedFix) {
    openCauses();
    choose("no-levels");
    const std::string asset = table_->item(0, 0)->text().toStdString();
    on("Show me")->click();
    const int selected = window_->document().selection().object();
    ASSERT_GE(selected, 0);
    const Scene& scene = *window_->document().source();
    EXPECT_EQ(scene.mesh(elementOf(scene.objects, selected)).name, asset);
    on("Fix this")->click();
    EXPECT_EQ(window_->step(), WorkStep::Fixes);
    ASSERT_EQ(window_->document().project().order.fixes.size(), 1U);
    EXPECT_TRUE(window_->document().project().order.fixes[0].settings.as<LadderSettings>());
    ASSERT_TRUE(settle());
    // The finding is gone once the fix is there.
    window_->showStep(WorkStep::Findings);
    ASSERT_TRUE(settle());
    for (const Finding& finding : page().diagnosis()->findings)
        EXPECT_FALSE(finding.rule->key == "no-levels" && finding.subjects[0].name == asset);
}

TEST_F(Causes, AllOfAKindAreFixedByOneFix) {
    openCauses();
    choose("no-levels");
    ASSERT_GT(table_->rowCount(), 1);
    ASSERT_TRUE(on("Fix all of this kind")->isEnabled());
    on("Fix all of this kind")->click();
    EXPECT_EQ(window_->step(), WorkStep::Fixes);
    ASSERT_EQ(window_->document().project().order.fixes.size(), 1U);
    ASSERT_TRUE(settle());
    window_->showStep(WorkStep::Findings);
    ASSERT_TRUE(settle());
    for (const Finding& finding : page().diagnosis()->findings)
        EXPECT_NE(finding.rule->key, "no-levels");
}

TEST_F(Causes, AFixThatIsThereIsExtendedNotReplaced) {
    openMarket();
    addFix("ladder");
    WorkOrder order = window_->document().project().order;
    order.fixes[0].settings.as<LadderSettings>()->levels = 2;
    order.fixes[0].on = false;
    window_->document().projectModel().setOrder(order, "by hand");
    ASSERT_TRUE(settle());
    showCauses();
    choose("no-levels");
    on("Fix this")->click();
    ASSERT_TRUE(settle());
    ASSERT_EQ(window_->document().project().order.fixes.size(), 1U);
    const Fix& fix = window_->document().project().order.fixes[0];
    EXPECT_TRUE(fix.on) << "it does something again";
    EXPECT_EQ(fix.settings.as<LadderSettings>()->levels, 2) << "set by hand";
    window_->document().projectModel().undoStack().undo();
    EXPECT_FALSE(window_->document().project().order.fixes[0].on);
}

TEST_F(Causes, AreSetAsideForAReasonThatTheProjectKeeps) {
    openCauses();
    choose("no-levels");
    const int before = table_->rowCount();
    answerNextDialog("seen from nearby only");
    on("Set aside")->click();
    EXPECT_EQ(table_->rowCount(), before - 1);
    const auto& aside = window_->document().project().findingsAside;
    ASSERT_EQ(aside.size(), 1U);
    EXPECT_EQ(aside.begin()->second, "seen from nearby only");
    const auto file = folder_ / "kept.flentro.json";
    window_->document().saveProject(QString::fromStdString(file.string()));
    EXPECT_EQ(loadProject(file)->findingsAside, aside);
    window_->document().projectModel().undoStack().undo();
    EXPECT_EQ(table_->rowCount(), before);
    ASSERT_TRUE(settle());
}

TEST_F(Causes, AreTakenAwayAsAWhatIf) {
    openCauses();
    choose("no-levels");
    const double before = here(Measure::Triangles);
    on("What if off")->click();
    ASSERT_TRUE(settle());
    EXPECT_GE(window_->document().selection().without().count(), 1U);
    EXPECT_LT(here(Measure::Triangles), before);
}

TEST_F(Causes, OldOnesAreNotShownWhileNewOnesAreSought) {
    openCauses();
    Target target = window_->document().target();
    at(target.limits, Measure::Triangles) = 1e9;
    window_->document().projectModel().setTarget(target, "wide");
    EXPECT_EQ(table_->rowCount(), 0) << "those were of another target";
    ASSERT_TRUE(settle());
    for (const Finding& finding : page().diagnosis()->findings)
        EXPECT_THAT(finding.sentence, testing::Not(HasSubstr("Triangles"))) << "within now";
}

}  // namespace
}  // namespace flentro::app
