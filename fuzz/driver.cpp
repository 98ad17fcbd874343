// Changes the corpus at random and gives it to the target until the time is over:
//   flentro_fuzz [--seconds N] [--seed N] FILE|FOLDER...
// Files that are named as such are given as they are, once. What is being tried is always in
// "fuzz-input" of the working folder, so that it is at hand after a crash.

#include <CLI/CLI.hpp>
#include <algorithm>
#include <chrono>
#include <filesystem>
#include <fstream>
#include <iostream>

#include "io/file.h"
#include "mutate.h"
#include "target.h"

namespace flentro::fuzz {
namespace {

namespace fs = std::filesystem;

void give(const Bytes& bytes) {
    LLVMFuzzerTestOneInput(reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size());
}

int run(const std::vector<std::string>& paths, double seconds, unsigned seed) {
    std::vector<Bytes> corpus;
    for (const fs::path path : paths) {
        if (!fs::is_directory(path)) {
            give(readFile(path).value());
            continue;
        }
        std::vector<fs::path> files;
        for (const auto& entry : fs::directory_iterator(path)) files.push_back(entry.path());
        std::sort(files.begin(), files.end());
        for (const fs::path& file : files) corpus.push_back(readFile(file).value());
    }
    if (corpus.empty()) return 0;
    for (const Bytes& file : corpus) give(file);
    Random random(seed);
    const auto start = std::chrono::steady_clock::now();
    std::size_t runs = 0;
    const auto elapsed = [&] {
        return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    };
    for (; elapsed() < seconds; ++runs) {
        const Bytes input = mutate(corpus[random() % corpus.size()], random);
        std::ofstream("fuzz-input", std::ios::binary)
            .write(reinterpret_cast<const char*>(input.data()),
                   static_cast<std::streamsize>(input.size()));
        const double before = elapsed();
        give(input);
        if (elapsed() - before > 10) {
            std::cerr << "an input took " << elapsed() - before << " s\n";
            return 1;
        }
    }
    fs::remove("fuzz-input");
    std::cout << runs << " damaged files in " << elapsed() << " s: nothing crashed\n";
    return 0;
}

}  // namespace
}  // namespace flentro::fuzz

int main(int argc, char** argv) {
    CLI::App app("Damaged files against every reader and every fix");
    std::vector<std::string> paths;
    double seconds = 60;
    unsigned seed = 1;
    app.add_option("--seconds", seconds);
    app.add_option("--seed", seed);
    app.add_option("paths", paths)->required()->check(CLI::ExistingPath);
    CLI11_PARSE(app, argc, argv);
    return flentro::fuzz::run(paths, seconds, seed);
}
