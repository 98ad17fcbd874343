// The layers hold: core and the command line know no Qt, and no folder of core includes one
// that stands later in the list of docs/architecture.md.

#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <map>
#include <regex>
#include <sstream>

#include "base/json.h"
#include "budget/target.h"
#include "support/process.h"

namespace flentro {
namespace {

namespace fs = std::filesystem;

const fs::path kSource = FLENTRO_SOURCE_DIR;

std::vector<fs::path> sourcesIn(const fs::path& folder) {
    std::vector<fs::path> files;
    for (const auto& entry : fs::recursive_directory_iterator(folder)) {
        const auto ending = entry.path().extension();
        if (ending == ".cpp" || ending == ".h") files.push_back(entry.path());
    }
    return files;
}

std::vector<std::string> includesOf(const fs::path& file) {
    static const std::regex pattern(R"(^\s*#\s*include\s*[<"]([^>"]+)[>"])");
    std::vector<std::string> includes;
    std::istringstream text(test::readText(file));
    for (std::string line; std::getline(text, line);) {
        std::smatch match;
        if (std::regex_search(line, match, pattern)) includes.push_back(match[1]);
    }
    return includes;
}

TEST(Architecture, CoreAndCommandLineKnowNoQt) {
    for (const char* folder : {"core", "cli", "demo"})
        for (const fs::path& file : sourcesIn(kSource / folder))
            for (const std::string& include : includesOf(file))
                EXPECT_FALSE(std::regex_match(include, std::regex("Q[A-Z].*|qcustomplot.*")))
                    << file << " includes " << include;
}

/// Requires that what a folder includes of `layers` does not stand after it.
void expectLayers(const fs::path& parent, const std::vector<std::string>& layers) {
    std::map<std::string, std::size_t> rank;
    for (std::size_t i = 0; i < layers.size(); ++i) rank[layers[i]] = i;
    std::size_t found = 0;
    for (const std::string& layer : layers)
        for (const fs::path& file : sourcesIn(parent / layer))
            for (const std::string& include : includesOf(file)) {
                const std::string folder = include.substr(0, include.find('/'));
                if (!rank.contains(folder)) continue;
                ++found;
                EXPECT_LE(rank[folder], rank[layer]) << file << " includes " << include;
            }
    EXPECT_GT(found, 50U);
}

TEST(Architecture, FoldersOfCoreIncludeOnlyThoseBeforeThem) {
    expectLayers(kSource / "core",
                 {"base", "geometry", "scene", "io", "budget", "measure", "survey", "picture",
                  "simplify", "fixes", "findings", "report", "project"});
}

TEST(Architecture, FoldersOfTheWindowIncludeOnlyThoseBeforeThem) {
    expectLayers(kSource / "app", {"model", "widgets", "view", "instruments", "panels"});
    for (const char* folder : {"model", "widgets", "view", "instruments", "panels"})
        for (const fs::path& file : sourcesIn(kSource / "app" / folder))
            for (const std::string& include : includesOf(file))
                EXPECT_NE(include, "main_window.h") << file;
}

TEST(Architecture, ShippedTargetsAreTheFilesInData) {
    std::vector<std::string> names;
    for (const auto& entry : fs::directory_iterator(kSource / "data/targets"))
        names.push_back(Json::parse(test::readText(entry.path()))["name"]);
    EXPECT_EQ(names.size(), shippedTargets().size());
    for (const std::string& name : names) EXPECT_TRUE(findTarget(name)) << name;
}

}  // namespace
}  // namespace flentro
