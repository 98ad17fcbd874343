// The function that takes damaged files, as clang's fuzzer calls it.

#pragma once

#include <cstddef>
#include <cstdint>

/// Reads the bytes as whatever they begin like: a scene (which then goes through all fixes, is
/// exported and read again), an image, or one of our JSON files. Returns 0; whatever is wrong
/// ends the program.
extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size);
