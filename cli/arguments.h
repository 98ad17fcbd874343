// What programs take on their command line. The parser behind it is told in one place: reading its
// headers takes each file ten seconds of compilation.

#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/error.h"

namespace CLI {
class App;
class Option;
}  // namespace CLI

namespace flentro::cli {

/// One option or positional argument; each call says more of it.
class Option {
public:
    explicit Option(CLI::Option& own) : own_(&own) {}

    Option required();
    /// Numbers within these, each of a list; NaN is none.
    Option between(double low, double high);
    /// Any coordinate in metres or angle in degrees that is a number.
    Option finite() { return between(-1e9, 1e9); }
    Option oneOf(const std::vector<std::string>& values, bool anyCase = false);
    /// Values with commas between them; `count`: so many, 0: any number.
    Option list(int count = 0);
    /// Takes one value, or one list of them, each time that it is given.
    Option onceEach();
    Option as(const char* typeName);
    Option showsDefault();
    Option excludes(Option other);

private:
    CLI::Option* own_;
};

/// What a program or one of its verbs takes. Values must outlive it; they are the defaults.
class Arguments {
public:
    /// `run`: what is done in the end, set by what was chosen.
    Arguments(CLI::App& app, std::function<int()>& run) : app_(&app), run_(&run) {}

    /// Names begin with "--"; without it a positional argument.
    Option option(const char* name, std::string& value, const char* help);
    Option option(const char* name, double& value, const char* help);
    Option option(const char* name, int& value, const char* help);
    Option option(const char* name, std::uint32_t& value, const char* help);
    Option option(const char* name, std::size_t& value, const char* help);
    Option option(const char* name, std::vector<double>& value, const char* help);
    Option option(const char* name, std::vector<std::string>& value, const char* help);
    using Take = std::function<void(const std::vector<std::string>&)>;
    Option option(const char* name, const Take& take, const char* help);
    void flag(const char* name, bool& value, const char* help);
    /// "--name,!--no-name".
    void flag(const char* name, std::optional<bool>& value, const char* help);
    /// What is done if this verb is chosen; returns the exit status.
    void runs(std::function<int()> run);

protected:
    CLI::App* app_;
    std::function<int()>* run_;
};

class Program : public Arguments {
public:
    /// `version`: printed for --version, with what `more` gives for --version --verbose; empty:
    /// there is none.
    explicit Program(const std::string& what, const std::string& version = {},
                     std::function<std::string()> more = {});
    ~Program();
    Program(Program&&) = delete;
    Program& operator=(Program&&) = delete;

    /// One verb must be chosen then. `examples` go under its help.
    Arguments verb(const char* name, const char* what, const char* examples);
    /// Parses and runs what was chosen; returns the exit status: kWithin after help, kBadInput
    /// after telling what is wrong with the arguments. Errors: what is thrown while it runs.
    [[nodiscard]] Expected<int> run(int argc, char** argv);

private:
    struct State;
    explicit Program(std::unique_ptr<State> state);

    std::unique_ptr<State> state_;
};

}  // namespace flentro::cli
