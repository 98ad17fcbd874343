#include "scene/changes.h"

#include <gtest/gtest.h>

#include <algorithm>

#include "support/meshes.h"

namespace flentro {
namespace {

Scene shelf() {
    return test::makeScene({{test::named(test::makeGrid(2, 2), "cup"), {0, 0, 0}},
                            {test::named(test::makeGrid(2, 2), "cup"), {1, 0, 0}},
                            {test::named(test::makeBox({1, 1, 1}), "box"), {2, 0, 0}}});
}

TEST(Changes, NothingChangedIsSaid) {
    EXPECT_EQ(describeChanges(shelf(), shelf()), "nothing that shows");
}

TEST(Changes, ObjectsAreFoundByNameAndTurn) {
    const Scene before = shelf();
    Scene after = shelf();
    std::rotate(after.objects.begin(), after.objects.begin() + 2, after.objects.end());
    const SceneMatch match = matchScenes(before, after);
    EXPECT_EQ(match.objects, (std::vector<int>{1, 2, 0})) << "the box came to the front";
    after.objects.erase(after.objects.begin());
    EXPECT_EQ(matchScenes(before, after).objects, (std::vector<int>{0, 1, -1}));
}

TEST(Changes, MovedNewGoneAndChangedAreCounted) {
    const Scene before = shelf();
    Scene after = shelf();
    after.objects[0].world(0, 3) = 9;
    after.objects[1].name = "jug";
    after.assets[2].mesh = finishMesh(test::named(test::makeBox({2, 2, 2}), "box"));
    after.materials.emplace_back().name = "glaze";
    EXPECT_EQ(describeChanges(before, after),
              "1 object new, 1 gone, 1 moved; 1 mesh changed; 1 material new");
}

}  // namespace
}  // namespace flentro
