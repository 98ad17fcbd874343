// Sets that grow together, the middle of values, values that are compiled once.

#include <gtest/gtest.h>

#include "base/disjoint_sets.h"
#include "base/median.h"
#include "base/value.h"

namespace flentro {
namespace {

TEST(DisjointSets, TheLeastMemberStandsForASet) {
    DisjointSets sets(6);
    for (std::uint32_t i = 0; i < 6; ++i) EXPECT_EQ(sets.find(i), i);
    sets.join(5, 3);
    sets.join(4, 5);
    EXPECT_EQ(sets.find(4), 3U);
    EXPECT_EQ(sets.find(5), 3U);
    sets.join(3, 1);
    EXPECT_EQ(sets.find(4), 1U);
    EXPECT_EQ(sets.find(0), 0U);
    EXPECT_EQ(sets.find(2), 2U);
}

TEST(DisjointSets, JoiningWhatIsOneChangesNothing) {
    DisjointSets sets(3);
    sets.join(0, 2);
    sets.join(2, 0);
    EXPECT_EQ(sets.find(2), 0U);
    EXPECT_EQ(sets.find(1), 1U);
}

TEST(DisjointSets, MayBeginWithSetsMadeElsewhere) {
    DisjointSets sets(std::vector<std::uint32_t>{0, 0, 2, 2});
    EXPECT_EQ(sets.find(1), 0U);
    sets.join(1, 3);
    EXPECT_EQ(sets.find(2), 0U);
}

TEST(DisjointSets, LongChainsEndAtOne) {
    constexpr std::uint32_t kCount = 100'000;
    DisjointSets sets(kCount);
    for (std::uint32_t i = kCount - 1; i > 0; --i) sets.join(i, i - 1);
    EXPECT_EQ(sets.find(kCount - 1), 0U);
}

TEST(Median, IsTheMiddleOrTheUpperOfTwo) {
    EXPECT_EQ(median({}), 0);
    EXPECT_EQ(median({7}), 7);
    EXPECT_EQ(median({9, 1, 5}), 5);
    EXPECT_EQ(median({4, 1, 3, 2}), 3);
}

struct Noted {
    FLENTRO_DECLARE_VALUE(Noted);

    std::vector<int> numbers = {1, 2};
    int count = 3;
};
FLENTRO_DEFINE_VALUE(Noted);

TEST(Value, CopiesAndMovesAsIfItWereNotDeclared) {
    Noted first;
    EXPECT_EQ(first.count, 3) << "members keep what they begin with";
    first.numbers.push_back(9);
    Noted copy = first;
    copy.numbers[0] = 7;
    EXPECT_EQ(first.numbers[0], 1);
    Noted moved = std::move(copy);
    EXPECT_EQ(moved.numbers, (std::vector<int>{7, 2, 9}));
    moved = first;
    EXPECT_EQ(moved.numbers, (std::vector<int>{1, 2, 9}));
    moved = Noted();
    EXPECT_EQ(moved.numbers, (std::vector<int>{1, 2}));
    static_assert(std::is_nothrow_move_constructible_v<Noted>, "lists of them move, not copy");
}

}  // namespace
}  // namespace flentro
