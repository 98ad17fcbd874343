// Tests over the folder of traps, written once for all of a suite.

#pragma once

#include <gtest/gtest.h>

#include <memory>

#include "data/traps.h"
#include "support/process.h"

namespace flentro::test {

class TrapTest : public testing::Test {
protected:
    static void SetUpTestSuite() {
        folder_ = std::make_unique<TemporaryFolder>();
        traps_ = writeTraps(folder_->path());
    }
    static void TearDownTestSuite() { folder_.reset(); }

    inline static std::unique_ptr<TemporaryFolder> folder_;
    inline static std::vector<Trap> traps_;
};

}  // namespace flentro::test
