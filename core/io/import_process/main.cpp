// flentro-import SOURCE RESULT.glb BYTES SECONDS
//
// Reads a scene with the import library and writes it as glTF, under limits of memory and
// time. Exit status 0: written; 2: a message on the last line says what is wrong; anything
// else: the library gave up.

#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <signal.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <unistd.h>

#include <assimp/Importer.hpp>
#include <cstdio>
#include <cstdlib>
#include <exception>

#include "convert.h"
#include "io/gltf.h"

namespace {

void limit(__rlimit_resource resource, rlim_t amount) {
    const rlimit value{amount, amount};
    setrlimit(resource, &value);
}

void setLimits([[maybe_unused]] rlim_t bytes, rlim_t seconds) {
#if !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__)
    limit(RLIMIT_AS, bytes);  // Sanitizers reserve terabytes of address space.
#endif
    limit(RLIMIT_CPU, seconds);
    limit(RLIMIT_CORE, 0);
}

/// Whoever asked for the import is gone: so is the import.
void followParent() {
    prctl(PR_SET_PDEATHSIG, SIGKILL);
    if (getppid() == 1) std::_Exit(1);
}

int complain(const char* message) {
    std::fprintf(stderr, "%s\n", message);
    return 2;
}

int run(const char* source, const char* result) {
    Assimp::Importer importer;
    const aiScene* scene =
        importer.ReadFile(source, aiProcess_Triangulate | aiProcess_GenSmoothNormals |
                                      aiProcess_SortByPType | aiProcess_JoinIdenticalVertices);
    if (!scene || !scene->mRootNode) return complain(importer.GetErrorString());
    const flentro::Scene converted = flentro::convert(*scene);
    if (converted.objects.empty()) return complain("there is no geometry in it");
    flentro::GltfWriteOptions options;
    options.keepImagePaths = true;
    const auto written = flentro::writeGltf(converted, result, options, flentro::noProgress());
    return written ? 0 : complain(flentro::describe(written.error()).c_str());
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 5) return complain("usage: flentro-import SOURCE RESULT.glb BYTES SECONDS");
    followParent();
    setLimits(std::strtoull(argv[3], nullptr, 10), std::strtoull(argv[4], nullptr, 10));
    try {
        return run(argv[1], argv[2]);
    } catch (const std::exception& error) {
        return complain(error.what());
    }
}
