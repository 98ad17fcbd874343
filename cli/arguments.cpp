#include "arguments.h"

#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <charconv>

#include "base/guarded.h"
#include "exit_status.h"

namespace flentro::cli {
namespace {

/// Unlike that of the library it takes no NaN.
CLI::Validator numberBetween(double low, double high) {
    const auto check = [low, high](const std::string& text) -> std::string {
        double number = 0;
        const char* end = text.data() + text.size();
        const auto [at, error] = std::from_chars(text.data(), end, number);
        if (error == std::errc() && at == end && number >= low && number <= high) return {};
        return fmt::format("'{}' is not a number from {:g} to {:g}", text, low, high);
    };
    return {check, fmt::format("[{:g} to {:g}]", low, high)};
}

}  // namespace

Option Option::required() {
    own_->required();
    return *this;
}

Option Option::between(double low, double high) {
    own_->check(numberBetween(low, high));
    return *this;
}

Option Option::oneOf(const std::vector<std::string>& values, bool anyCase) {
    own_->check(anyCase ? CLI::IsMember(values, CLI::ignore_case) : CLI::IsMember(values));
    return *this;
}

Option Option::list(int count) {
    own_->delimiter(',');
    if (count > 0) own_->expected(count);
    return *this;
}

Option Option::onceEach() {
    own_->allow_extra_args(false);
    return *this;
}

Option Option::as(const char* typeName) {
    own_->type_name(typeName);
    return *this;
}

Option Option::showsDefault() {
    own_->capture_default_str();
    return *this;
}

Option Option::excludes(Option other) {
    own_->excludes(other.own_);
    return *this;
}

Option Arguments::option(const char* name, std::string& value, const char* help) {
    return Option(*app_->add_option(name, value, help));
}

Option Arguments::option(const char* name, double& value, const char* help) {
    return Option(*app_->add_option(name, value, help));
}

Option Arguments::option(const char* name, int& value, const char* help) {
    return Option(*app_->add_option(name, value, help));
}

Option Arguments::option(const char* name, std::uint32_t& value, const char* help) {
    return Option(*app_->add_option(name, value, help));
}

Option Arguments::option(const char* name, std::size_t& value, const char* help) {
    return Option(*app_->add_option(name, value, help));
}

Option Arguments::option(const char* name, std::vector<double>& value, const char* help) {
    return Option(*app_->add_option(name, value, help));
}

Option Arguments::option(const char* name, std::vector<std::string>& value, const char* help) {
    return Option(*app_->add_option(name, value, help));
}

Option Arguments::option(const char* name, const Take& take, const char* help) {
    return Option(*app_->add_option_function<std::vector<std::string>>(name, take, help));
}

void Arguments::flag(const char* name, bool& value, const char* help) {
    app_->add_flag(name, value, help);
}

void Arguments::flag(const char* name, std::optional<bool>& value, const char* help) {
    app_->add_flag_function(
        name, [&value](std::int64_t count) { value = count > 0; }, help);
}

void Arguments::runs(std::function<int()> run) {
    app_->callback([chosen = run_, run = std::move(run)] { *chosen = run; });
}

struct Program::State {
    CLI::App app;
    std::function<int()> run;
    bool verbose = false;
};

Program::Program(const std::string& what, const std::string& version,
                 std::function<std::string()> more)
    : Program(std::make_unique<State>()) {
    app_->description(what);
    if (version.empty()) return;
    if (more) app_->add_flag("--verbose", state_->verbose, "With --version: what this machine has");
    const auto text = [version, more = std::move(more), own = state_.get()] {
        return own->verbose && more ? version + "\n" + more() : version;
    };
    app_->set_version_flag("--version", text);
}

Program::Program(std::unique_ptr<State> state)
    : Arguments(state->app, state->run), state_(std::move(state)) {}

Program::~Program() = default;

Arguments Program::verb(const char* name, const char* what, const char* examples) {
    app_->require_subcommand(1);
    CLI::App* verb = app_->add_subcommand(name, what);
    verb->footer(std::string("\nExamples:\n") + examples);
    return {*verb, *run_};
}

Expected<int> Program::run(int argc, char** argv) {
    try {
        app_->parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        return app_->exit(error) == 0 ? kWithin : kBadInput;
    }
    return guarded([&]() -> Expected<int> { return (*run_)(); });
}

}  // namespace flentro::cli
