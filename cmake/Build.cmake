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
# Any machine of the kind by default, the package above all: results are the same on all of them.
# x86-64-v3 (most processors since 2013: fused multiplications, wider registers) takes about a
# tenth less for a reduction.
set(FLENTRO_PROCESSOR "" CACHE STRING "What to build for, as for -march=; empty: any of the kind")
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
# The same for a program, with what a library beneath it has precompiled: both are compiled alike.
function(flentro_precompiled_of target library)
    target_compile_options(${target} PRIVATE -fPIC -fpch-preprocess)
    target_precompile_headers(${target} REUSE_FROM ${library})
endfunction()
# Compilation of what no benchmark measures: a third faster at a lower LEVEL.
function(flentro_optimise_less target level)
    target_compile_options(${target} PRIVATE $<$<CONFIG:Dev,Release>:${level}>)
endfunction()
if(FLENTRO_TIDY)
    set(CMAKE_DISABLE_PRECOMPILE_HEADERS ON)
    find_program(CLANG_TIDY_PROGRAM clang-tidy REQUIRED)
    set(CMAKE_CXX_CLANG_TIDY ${CLANG_TIDY_PROGRAM})
endif()
