#include "base/progress.h"

namespace flentro {
namespace {

class NoProgress final : public Progress {
public:
    void report(double, std::string_view) override {}
    [[nodiscard]] bool cancelled() const override { return false; }
};

}  // namespace

Progress& noProgress() {
    static NoProgress instance;
    return instance;
}

}  // namespace flentro
