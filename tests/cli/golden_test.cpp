// What the program says, word for word: a change of any output shows as a difference of a file.
//
// FLENTRO_GOLDEN=write writes the files anew, to be looked at before they are committed.

#include <gtest/gtest.h>

#include <cstdlib>

#include "fixes/work_order.h"
#include "io/gltf.h"
#include "support/lights.h"
#include "support/pictures.h"
#include "support/process.h"

namespace flentro {
namespace {

struct Case {
    const char* name;
    const char* command;  ///< After "flentro-cli ", in the folder of the scene.
};

/// A yard that has something of everything: a floor, 30 equal crates under three names, lamps two
/// of which cast shadows, a texture that is too large and one that nothing shows.
Scene makeYard() {
    std::vector<test::Placed> things;
    for (int i = 0; i < 30; ++i)
        things.push_back({test::named(test::makeBox({1, 1, 1}), i % 3 == 0   ? "crate"
                                                                : i % 3 == 1 ? "crate copy"
                                                                             : "old crate"),
                          {-10.0 + 2 * (i % 10), 0.5, -6.0 - 3 * (i / 10)}});
    things.push_back({test::named(test::makeSphere(160, 80, 0.8), "buoy"), {3, 1.2, -3}});
    Scene scene = test::groundWith(
        things, {{{-4, 4, -6}, 80, 25}, {{4, 4, -6}, 80, 25}, {{0, 4, 6}, 60, 30, false}});
    const auto stripes = [](int x, int) -> std::array<int, 4> {
        return {x / 8 % 2 * 200, 90, 60, 255};
    };
    const int large = test::addPicture(scene, test::makePicture(1024, 1024, stripes, 3));
    scene.images[0].name = "stripes";
    test::addPicture(scene, test::makePicture(64, 64, stripes, 3));
    scene.images[1].name = "left over";
    const int striped = test::addMaterial(
        scene, {{"name", "striped"},
                {"pbrMetallicRoughness", {{"baseColorTexture", {{"index", large}}}}}});
    test::setMaterial(scene, scene.assets.size() - 1, striped);
    return scene;
}

class Golden : public testing::TestWithParam<Case> {};

TEST_P(Golden, SaysTheSame) {
    const test::TemporaryFolder folder;
    ASSERT_TRUE(writeGltf(makeYard(), folder / "yard.glb", {}, noProgress()));
    test::writeText(folder / "broken.glb", "glTF and then nothing of use");
    WorkOrder order;
    for (const char* key : {"tidy", "share", "ladder", "shadow-lights", "texture-size"})
        order.add(findFixKind(key)->defaults());
    test::writeText(folder / "order.json", toJson(order).dump());
    const std::string program = std::string(FLENTRO_BIN_DIR) + "/flentro-cli";
    const test::Outcome outcome =
        test::run("cd '" + folder.path().string() + "' && '" + program + "' " + GetParam().command);
    const std::string said = "$ flentro-cli " + std::string(GetParam().command) + "\n" +
                             outcome.output + "exit status " + std::to_string(outcome.status) +
                             "\n";
    const std::filesystem::path golden = std::filesystem::path(FLENTRO_SOURCE_DIR) /
                                         "tests/data/golden" /
                                         (std::string(GetParam().name) + ".txt");
    const char* mode = std::getenv("FLENTRO_GOLDEN");
    if (mode && std::string(mode) == "write") {
        test::writeText(golden, said);
        GTEST_SKIP() << "written: " << golden;
    }
    EXPECT_EQ(said, test::readText(golden))
        << "if that is wanted: FLENTRO_GOLDEN=write, and look at the difference";
}

INSTANTIATE_TEST_SUITE_P(
    , Golden,
    testing::Values(Case{"targets", "targets"}, Case{"inventory", "inventory yard.glb"},
                    Case{"audit", "audit yard.glb --target 'Kiosk 60' --no-survey --all"},
                    Case{"audit-survey", "audit yard.glb --target 'Slate 60' --spacing 6"},
                    Case{"survey",
                         "survey yard.glb --target 'Kiosk 60' --spacing 8 --csv views.csv && "
                         "head -4 views.csv"},
                    Case{"fixes", "fixes"}, Case{"fix-help", "fixes fewer-lights"},
                    Case{"rule-help", "findings too-many-lights"},
                    Case{"fix",
                         "fix yard.glb --target 'Kiosk 60' --order order.json --out out.glb"},
                    Case{"reduce", "reduce yard.glb --asset buoy --triangles 1000 --out less.glb"},
                    Case{"broken", "audit broken.glb"}, Case{"missing", "inventory nowhere.glb"},
                    Case{"unknown-target", "audit yard.glb --target 'Kiosk 61'"}),
    [](const auto& tested) {
        std::string name = tested.param.name;
        for (char& c : name)
            if (c == '-') c = '_';
        return name;
    });

}  // namespace
}  // namespace flentro
