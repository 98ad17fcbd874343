#include "fixes/evaluation_file.h"
#include "fixes/culling/culling.h"
#include "fixes/ladder/ladder.h"
#include "fixes/merge/merge.h"
#include "fixes/share/share.h"
#include "fixes/split/split.h"
#include "fixes/tidy/tidy.h"

#include <gtest/gtest.h>

#include "report/export.h"
#include "support/meshes.h"
#include "support/process.h"

namespace flentro {
namespace {

/// Boxes in rows, a grid, and an order in which every kind of record occurs.
struct Kept {
    std::shared_ptr<const Scene> source;
    WorkOrder order;
    Target target;

    Kept() {
        std::vector<test::Placed> placed = {{test::makeGrid(30, 30, 20), {0, 0, 0}},
                                            {test::makeSphere(40, 20), {3, 1, 3}}};
        for (int i = 0; i < 12; ++i)
            placed.push_back({test::makeBox({1, 1, 1}), {2.0 * i, 0.5, -6}});
        source = std::make_shared<const Scene>(test::makeScene(placed));
        order.add(TidySettings{});
        order.add(ShareSettings{});
        order.add(SplitSettings{});
        order.add(LadderSettings{}).on = true;
        order.add(CullingSettings{});
        order.add(MergeSettings{});
    }
    [[nodiscard]] Evaluation evaluated(StepCache& cache) const {
        return evaluate(order, source, target, cache, noProgress()).value();
    }
};

TEST(EvaluationFile, ComesBackAsItWas) {
    const test::TemporaryFolder folder;
    const Kept kept;
    StepCache first;
    const Evaluation before = kept.evaluated(first);
    ASSERT_TRUE(saveEvaluation(before, folder / "r"));
    StepCache second;
    const Hash key = lastKeyOf(kept.order, kept.source, kept.target);
    EXPECT_EQ(key, before.steps.back().key);
    ASSERT_TRUE(loadEvaluation(folder / "r", key, second));
    const Evaluation after = kept.evaluated(second);
    ASSERT_EQ(after.steps.size(), before.steps.size());
    for (std::size_t i = 0; i < after.steps.size(); ++i) {
        const Fixed& a = *before.steps[i].result;
        const Fixed& b = *after.steps[i].result;
        EXPECT_EQ(second.find(after.steps[i].key).get(), &b) << "taken from the file";
        EXPECT_EQ(hashScene(a.scene), hashScene(b.scene)) << i;
        EXPECT_EQ(a.record.summary, b.record.summary);
        EXPECT_EQ(a.record.notes, b.record.notes);
        EXPECT_EQ(a.record.after.meshBytes, b.record.after.meshBytes);
        ASSERT_EQ(a.record.report == nullptr, b.record.report == nullptr);
        ASSERT_EQ(a.record.kind, b.record.kind);
        if (a.record.report) {
            EXPECT_EQ(a.record.kind->writeReport(*a.record.report),
                      b.record.kind->writeReport(*b.record.report));
        }
    }
    EXPECT_EQ(makeManifest(after.result(), kept.target),
              makeManifest(before.result(), kept.target));
}

TEST(EvaluationFile, AnotherOrderOrSourceIsNotTaken) {
    const test::TemporaryFolder folder;
    Kept kept;
    StepCache cache;
    ASSERT_TRUE(saveEvaluation(kept.evaluated(cache), folder / "r"));
    StepCache other;
    kept.target.farPlane = 99;
    EXPECT_FALSE(
        loadEvaluation(folder / "r", lastKeyOf(kept.order, kept.source, kept.target), other));
    EXPECT_FALSE(loadEvaluation(folder / "none", Hash{}, other));
}

TEST(EvaluationFile, DamagedFilesArePassedOver) {
    const test::TemporaryFolder folder;
    const Kept kept;
    StepCache cache;
    ASSERT_TRUE(saveEvaluation(kept.evaluated(cache), folder / "r"));
    const std::string whole = test::readText(folder / "r");
    const Hash key = lastKeyOf(kept.order, kept.source, kept.target);
    for (std::size_t cut = 0; cut < whole.size(); cut += whole.size() / 30) {
        test::writeText(folder / "cut", whole.substr(0, cut));
        StepCache other;
        EXPECT_FALSE(loadEvaluation(folder / "cut", key, other)) << cut;
        std::string spoiled = whole;
        spoiled[cut] = static_cast<char>(spoiled[cut] ^ 0x55);
        test::writeText(folder / "spoiled", spoiled);
        EXPECT_FALSE(loadEvaluation(folder / "spoiled", key, other)) << cut;
    }
}

}  // namespace
}  // namespace flentro
