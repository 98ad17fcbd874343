// flentro_make_traps FOLDER: writes the traps, to be looked at or tried by hand.

#include <cstdio>
#include <exception>

#include "traps.h"

int main(int argc, char** argv) {
    if (argc != 2) return std::fprintf(stderr, "usage: flentro_make_traps FOLDER\n"), 2;
    try {
        std::filesystem::create_directories(argv[1]);
        for (const auto& trap : flentro::test::writeTraps(argv[1])) std::puts(trap.file.c_str());
    } catch (const std::exception& error) {
        return std::fprintf(stderr, "%s\n", error.what()), 1;
    }
    return 0;
}
