# Compiler settings for our own targets only, through one interface target linked PRIVATE.
set(CMAKE_CXX_STANDARD 20)
set(CMAKE_CXX_STANDARD_REQUIRED ON)
set(CMAKE_CXX_EXTENSIONS OFF)
set(CMAKE_POSITION_INDEPENDENT_CODE ON)
if(NOT CMAKE_BUILD_TYPE)
    set(CMAKE_BUILD_TYPE Release CACHE STRING "" FORCE)
endif()

find_program(CCACHE_PROGRAM ccache)
if(CCACHE_PROGRAM)
    # Precompiled headers are cached by their content, not by when they were written.
    set(CMAKE_CXX_COMPILER_LAUNCHER ${CMAKE_COMMAND} -E env
        CCACHE_SLOPPINESS=pch_defines,time_macros ${CCACHE_PROGRAM})
endif()

add_library(flentro_build INTERFACE)
target_compile_options(flentro_build INTERFACE -Wall -Wextra -Wshadow -Wnon-virtual-dtor
                       -fno-math-errno -fno-trapping-math)
# Fused multiplications and the wider registers of most processors since 2013 are worth a tenth of
# the time of a reduction: used where the building machine has them.
include(CheckCXXSourceRuns)
check_cxx_source_runs("int main() { return __builtin_cpu_supports(\"x86-64-v3\") ? 0 : 1; }"
                      FLENTRO_HAS_X86_64_V3)
set(FLENTRO_PROCESSOR $<$<BOOL:${FLENTRO_HAS_X86_64_V3}>:x86-64-v3> CACHE STRING
    "What to build for, as for -march=; empty: any processor of the kind")
target_compile_options(flentro_build INTERFACE
                       $<$<BOOL:${FLENTRO_PROCESSOR}>:-march=${FLENTRO_PROCESSOR}>)
if(FLENTRO_WERROR)
    target_compile_options(flentro_build INTERFACE -Werror)
endif()
if(FLENTRO_SANITIZE)
    target_compile_options(flentro_build INTERFACE -fsanitize=${FLENTRO_SANITIZE}
                           -fno-sanitize-recover=all -fno-omit-frame-pointer)
    target_link_options(flentro_build INTERFACE -fsanitize=${FLENTRO_SANITIZE})
endif()
# Most of the time of a compilation goes into headers that hardly ever change.
function(flentro_precompile target)
    target_precompile_headers(${target} PRIVATE <algorithm> <cmath> <functional> <map> <memory>
        <set> <string> <vector> <Eigen/Core> <Eigen/Geometry> <nlohmann/json.hpp> ${ARGN})
    target_compile_options(${target} PRIVATE -fpch-preprocess)
endfunction()
if(FLENTRO_TIDY)
    set(CMAKE_DISABLE_PRECOMPILE_HEADERS ON)
    find_program(CLANG_TIDY_PROGRAM clang-tidy REQUIRED)
    set(CMAKE_CXX_CLANG_TIDY ${CLANG_TIDY_PROGRAM})
endif()
