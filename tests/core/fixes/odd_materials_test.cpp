// Every fix on materials, lights and extras of shapes that files of strangers have.

#include <gtest/gtest.h>

#include "fixes/work_order.h"
#include "io/gltf.h"
#include "report/export.h"
#include "support/gltf_builder.h"
#include "support/meshes.h"
#include "support/pictures.h"
#include "support/process.h"
#include "support/surveys.h"

namespace flentro {
namespace {

/// Members that are missing, and some of another type where a reader can do without them.
std::vector<Json> oddMaterials() {
    const Json texture = {{"index", 0}};
    return {
        Json::object(),
        {{"doubleSided", true}},
        {{"emissiveFactor", {1, 0.5, 0}}},
        {{"normalTexture", texture}},
        {{"pbrMetallicRoughness", Json::object()}, {"occlusionTexture", texture}},
        {{"extensions", {{"VENDOR_unknown", "text"}}}, {"normalTexture", texture}},
        {{"alphaMode", "BLEND"}},
        {{"extras", "text"}, {"alphaMode", "MASK"}, {"emissiveTexture", texture}},
        {{"occlusionTexture", texture}, {"doubleSided", "yes"}, {"alphaCutoff", "half"}},
        {{"pbrMetallicRoughness", {{"baseColorTexture", texture}, {"baseColorFactor", {"red", 1}}}},
         {"name", 5}}};
}

/// A triangle a material, each as an object and all as the parts of one, with a lamp above.
test::GltfBuilder oddScene() {
    test::GltfBuilder file;
    file.document["materials"] = oddMaterials();
    const Image picture = test::makePicture(64, 64, test::plain({10, 200, 30, 255}));
    file.document["images"] = {
        {{"bufferView", file.addView(picture.data->data(), picture.data->size())},
         {"mimeType", "image/png"}}};
    file.document["textures"] = {{{"source", 0}}};
    Json all = Json::array();
    double x = -6;
    for (std::size_t m = 0; m < oddMaterials().size(); ++m, ++x) {
        const int mesh = file.addTriangle();
        Json& primitive = file.document["meshes"].back()["primitives"][0];
        primitive["material"] = m;
        all.push_back(primitive);
        file.addNode({{"mesh", mesh}, {"translation", {x, 0, -8}}, {"extras", "text"}});
    }
    file.document["meshes"].push_back({{"primitives", all}});
    file.addNode({{"mesh", oddMaterials().size()},
                  {"translation", {0, 2, -8}},
                  {"extras", {{"flentro", 5}, {"castsShadow", "yes"}}}});
    file.document["extensionsUsed"] = {"KHR_lights_punctual"};
    file.document["extensions"]["KHR_lights_punctual"]["lights"] = {{{"type", "point"}}};
    file.addNode({{"translation", {0, 3, -6}},
                  {"extras", {{"castsShadow", true}, {"flentro", "ours"}}},
                  {"extensions", {{"KHR_lights_punctual", {{"light", 0}}}}}});
    file.document["extras"] = {{"flentro", "a scene"}};
    return file;
}

/// All that a fix may do.
FixSettings allOf(const FixKind& kind) {
    Json json = toJson(kind.defaults());
    for (auto& [name, value] : json.items())
        if (value.is_boolean()) value = true;
    const auto settings = parseSettings(kind.key, json, kSettingsVersion);
    return settings ? *settings : kind.defaults();
}

class OddMaterials : public testing::Test {
protected:
    OddMaterials() {
        const auto file = oddScene().write(folder_.path(), "odd.glb");
        auto scene = readGltf(file, noProgress());
        if (!scene) throw std::runtime_error(describe(scene.error()));
        source_ = std::make_shared<const Scene>(std::move(*scene));
        evidence_ = evidenceOf(test::surveyed(*source_, test::spotsAt({{0, 1, 0}})), *source_);
    }
    /// Evaluates, exports, and reads back.
    void check(const WorkOrder& order) {
        StepCache cache;
        const Target target = test::surveyDisplay();
        const auto evaluation = evaluate(order, source_, target, cache, noProgress(), evidence_);
        ASSERT_TRUE(evaluation.has_value());
        const auto file = folder_.path() / "out.glb";
        const auto written = exportScene(evaluation->result(), target, file, {}, noProgress());
        ASSERT_TRUE(written.has_value()) << describe(written.error());
        const auto back = readGltf(file, noProgress());
        ASSERT_TRUE(back.has_value()) << describe(back.error());
        EXPECT_EQ(back->objects.empty(), evaluation->result().objects.empty());
    }

    test::TemporaryFolder folder_;
    std::shared_ptr<const Scene> source_;
    Evidence evidence_;
};

TEST_F(OddMaterials, PassThroughEveryFixAlone) {
    for (const FixKind* kind : fixKinds()) {
        SCOPED_TRACE(kind->key);
        WorkOrder order;
        order.add(allOf(*kind));
        check(order);
    }
}

TEST_F(OddMaterials, PassThroughAllFixesTogether) {
    WorkOrder order;
    for (const FixKind* kind : fixKinds()) order.add(allOf(*kind));
    check(order);
}

/// Stops at the first and at a middle question of each.
TEST_F(OddMaterials, EveryFixStopsWhenItIsAskedTo) {
    const Target target = test::surveyDisplay();
    for (const FixKind* kind : fixKinds()) {
        SCOPED_TRACE(kind->key);
        const auto asked = [&](int stopAfter) {
            WorkOrder order;
            order.add(allOf(*kind));
            StepCache cache;
            test::RecordingProgress progress(stopAfter);
            const auto evaluation = evaluate(order, source_, target, cache, progress, evidence_);
            EXPECT_TRUE(evaluation || evaluation.error().code == ErrorCode::Cancelled);
            return std::pair(evaluation.has_value(), progress.asked());
        };
        const auto [finished, questions] = asked(-1);
        EXPECT_TRUE(finished);
        ASSERT_GT(questions, 0) << "nobody could stop it";
        for (const int after : {0, questions / 2}) EXPECT_FALSE(asked(after).first);
    }
}

}  // namespace
}  // namespace flentro
