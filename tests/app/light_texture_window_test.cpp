// The instruments of Texture size and of the fixes of lights.

#include <QSpinBox>
#include <QTableWidget>

#include "fixes/fewer_materials/fewer_materials.h"
#include "fixes/plain_materials/plain_materials.h"
#include "fixes/shadow_lights/shadow_lights.h"
#include "instruments/light_instrument.h"
#include "instruments/material_instrument.h"
#include "instruments/texture_instrument.h"
#include "window_fixture.h"

namespace flentro::app {
namespace {

class LightAndTexture : public Window {
protected:
    template <typename Report>
    const Report* report() {
        const int fix = window_->document().project().order.fixes.back().id;
        const Evaluator::Done done = window_->document().evaluator().doneBy(fix);
        return done ? done.record->template reportAs<Report>() : nullptr;
    }
    QDoubleSpinBox* number(const QString& name) {
        for (QDoubleSpinBox* box : window_->findChildren<QDoubleSpinBox*>())
            if (box->accessibleName() == name && box->isVisible()) return box;
        ADD_FAILURE() << "no number " << name.toStdString();
        return nullptr;
    }
    void type(QDoubleSpinBox* box, double value) {
        ASSERT_TRUE(box);
        box->setFocus();
        box->setValue(value);
        QTest::keyClick(box, Qt::Key_Return);
        ASSERT_TRUE(settle());
    }
};

TEST_F(LightAndTexture, SizesFollowTheHalvingsAndAnImageIsChosen) {
    openMarket();
    addFix("texture-size");
    const double before = here(Measure::TextureBytes);
    type(number("Halve everything"), 1);
    const auto* sizes = report<TextureSizeReport>();
    ASSERT_TRUE(sizes);
    ASSERT_GT(sizes->images.size(), 1U);
    EXPECT_LT(here(Measure::TextureBytes), 0.5 * before);
    auto* list = find<DumbbellList>("Sizes of textures");
    EXPECT_EQ(list->chosen(), 0);
    EXPECT_LT(list->xOf(64), list->xOf(128)) << "a log axis that grows";
    EXPECT_NEAR(list->xOf(128) - list->xOf(64), list->xOf(2048) - list->xOf(1024), 1e-6);
    list->setFocus();
    QTest::keyClick(list, Qt::Key_Down);
    EXPECT_EQ(list->chosen(), 1);
    QTest::keyClick(list, Qt::Key_Up);
    QTest::keyClick(list, Qt::Key_Up);
    EXPECT_EQ(list->chosen(), 0) << "there is none above the first";
    const auto* totals = find<QLabel>("Texture memory by class");
    EXPECT_THAT(totals->text().toStdString(), HasSubstr("Colour"));
    window_->document().projectModel().undoStack().undo();
    ASSERT_TRUE(settle());
    EXPECT_EQ(here(Measure::TextureBytes), before);
}

TEST_F(LightAndTexture, ShadowLightsHoldTheLimitAndPlanAndListAgree) {
    openMarket();
    surveyCoarsely();
    ASSERT_TRUE(window_->document().survey().evidence()->lights) << "the survey measures lights";
    addFix("shadow-lights");
    type(number("In any view"), 1);
    EXPECT_LE(here(Measure::ShadowLights), 1);
    const auto* lights = report<LightReport>();
    ASSERT_TRUE(lights);
    ASSERT_FALSE(lights->lights.empty());
    QTableWidget* table = nullptr;
    for (QTableWidget* candidate : window_->findChildren<QTableWidget*>())
        if (candidate->accessibleName() == "Lights that change" && candidate->isVisible())
            table = candidate;
    ASSERT_TRUE(table);
    ASSERT_EQ(table->rowCount(), static_cast<int>(lights->lights.size()));
    EXPECT_EQ(table->item(0, 0)->text().toStdString(), lights->lights[0].name);
    EXPECT_THAT(table->item(0, 4)->text().toStdString(), HasSubstr("%")) << "measured";
    table->selectRow(0);
    LightPlan* plan = nullptr;
    for (LightPlan* candidate : window_->findChildren<LightPlan*>())
        if (candidate->isVisible()) plan = candidate;
    ASSERT_TRUE(plan);
    EXPECT_GT(plan->mostBefore(), 0);
    EXPECT_EQ(plan->mostBefore(), plan->mostAfter()) << "they go on shining";
    const int last = table->rowCount() - 1;
    const int light = static_cast<int>(lights->lights.back().light);
    click(plan, plan->placeOf(light).toPoint());
    ASSERT_GE(plan->chosen(), 0);
    EXPECT_NEAR((plan->placeOf(plan->chosen()) - plan->placeOf(light)).manhattanLength(), 0, 12)
        << "the nearest to the mouse";
    EXPECT_TRUE(plan->chosen() != light || table->currentRow() == last);
    click(plan, QPoint(1, 1));
    EXPECT_EQ(plan->chosen(), -1) << "a click beside all of them";
}

TEST_F(LightAndTexture, FewerMaterialsBringsObjectsToTheNumberTyped) {
    openMarket();
    const auto most = [&] {
        std::size_t parts = 0;
        const Scene& scene = *window_->document().result();
        for (const Object& object : scene.objects)
            parts = std::max(parts, scene.mesh(object).parts.size());
        return parts;
    };
    const std::size_t before = most();
    addFix("fewer-materials");
    const std::size_t byTarget = most();
    EXPECT_LT(byTarget, before) << "some are baked together";
    type(number("On one object"), 2);
    const auto* fewer = report<FewerMaterialReport>();
    ASSERT_TRUE(fewer);
    EXPECT_LE(most(), byTarget);
    auto* left = find<QTableWidget>("Still too many materials");
    ASSERT_TRUE(left);
    EXPECT_EQ(left->rowCount(), static_cast<int>(fewer->still.size()))
        << "what remains is told by name";
    window_->document().projectModel().undoStack().undo();
    ASSERT_TRUE(settle());
    EXPECT_EQ(most(), byTarget);
}

TEST_F(LightAndTexture, PlainerMaterialsShowTheThingBeforeAndAfter) {
    openMarket();
    surveyCoarsely();
    addFix("plain-materials");
    type(number("Plainer below"), 5000);
    type(number("If it looks different by at most"), 100);
    const auto* plain = report<PlainMaterialReport>();
    ASSERT_TRUE(plain);
    ASSERT_FALSE(plain->materials.empty()) << "water has a normal map";
    auto* list = find<QTableWidget>("Material");
    ASSERT_EQ(list->rowCount(), static_cast<int>(plain->materials.size()));
    const auto measured =
        std::find_if(plain->materials.begin(), plain->materials.end(),
                     [](const PlainMaterial& material) { return material.object >= 0; });
    ASSERT_NE(measured, plain->materials.end());
    list->selectRow(static_cast<int>(measured - plain->materials.begin()));
    auto* instrument = window_->findChild<MaterialInstrument*>();
    ASSERT_TRUE(QTest::qWaitFor([&] { return !instrument->stills().level().isNull(); }, kPatience));
    EXPECT_GE(instrument->stills().level().width(), 24);
    EXPECT_THAT(list->item(list->currentRow(), 2)->text().toStdString(), HasSubstr("%"));
    // Stricter than what was measured: it keeps its maps, and is no longer in the list.
    type(number("If it looks different by at most"), 0);
    for (const PlainMaterial& material : report<PlainMaterialReport>()->materials)
        EXPECT_LE(material.change, 0);
}

TEST_F(LightAndTexture, WithoutASurveyNothingIsSaidOfWhatIsSeen) {
    openMarket();
    addFix("light-reach");
    const auto* lights = report<LightReport>();
    ASSERT_TRUE(lights);
    for (QTableWidget* table : window_->findChildren<QTableWidget*>()) {
        if (table->accessibleName() != "Lights that change" || !table->isVisible()) continue;
        for (int row = 0; row < table->rowCount(); ++row)
            EXPECT_EQ(table->item(row, 4)->text(), "not measured");
    }
}

}  // namespace
}  // namespace flentro::app
