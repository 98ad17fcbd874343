// flentro-import SOURCE RESULT.glb ENDING BYTES SECONDS CREASE-ANGLE PARENT
//
// Reads a scene with the import library and writes it as glTF, under limits of memory, time and
// files and the restrictions of walls.h; --walls prints those that the kernel supports. ENDING
// names the format, whatever the file's name is; PARENT is the process that waits for the result.
// Exit status 0: written; 2: a message on the last line says what is wrong; anything else: the
// library gave up.

#include <assimp/config.h>
#include <assimp/importerdesc.h>
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <signal.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <unistd.h>

#include <assimp/BaseImporter.h>
#include <algorithm>
#include <assimp/Importer.hpp>
#include <cstdio>
#include <cstdlib>
#include <exception>
#include <filesystem>
#include <iterator>
#include <sstream>
#include <string>
#include <vector>

#include "convert.h"
#include "geometry/polygon.h"
#include "io/gltf.h"
#include "message.h"
#include "prepare.h"
#include "scene_folder.h"
#include "walls.h"

namespace {

constexpr rlim_t kFiles = 256;  ///< Open at a time.

void limit(__rlimit_resource resource, rlim_t amount) {
    const rlimit value{amount, amount};
    setrlimit(resource, &value);
}

void setLimits([[maybe_unused]] rlim_t bytes, rlim_t seconds) {
#if !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__)
    limit(RLIMIT_AS, bytes);  // Sanitizers reserve terabytes of address space.
#endif
    const rlimit time{seconds, seconds + 5};  // SIGXCPU first, then SIGKILL.
    setrlimit(RLIMIT_CPU, &time);
    limit(RLIMIT_CORE, 0);
    limit(RLIMIT_FSIZE, bytes);
    limit(RLIMIT_NOFILE, kFiles);
    signal(SIGXFSZ, SIG_IGN);  // a failed write says why
}

/// Whoever asked for the import is gone: so is the import.
void followParent(pid_t parent) {
    prctl(PR_SET_PDEATHSIG, SIGKILL);
    if (getppid() != parent) std::_Exit(1);
}

int complain(const char* message) {
    std::fprintf(stderr, "%s\n", message);
    return 2;
}

/// Leaves only the readers of the format: by its name alone another might be taken.
void keepReaders(Assimp::Importer& importer, const std::string& ending) {
    std::vector<Assimp::BaseImporter*> others;
    for (std::size_t i = 0; i < importer.GetImporterCount(); ++i) {
        std::istringstream endings(importer.GetImporterInfo(i)->mFileExtensions);
        const bool reads =
            std::any_of(std::istream_iterator<std::string>(endings), {},
                        [&](const std::string& each) { return "." + each == ending; });
        if (!reads) others.push_back(importer.GetImporter(i));
    }
    for (Assimp::BaseImporter* other : others) {
        importer.UnregisterLoader(other);
        delete other;
    }
}

/// Metres of one unit: FBX tells centimetres. 0 where the file says nothing.
double metresOf(const aiScene& scene, const std::string& ending) {
    constexpr double kCentimetre = 0.01;
    if (ending != ".fbx" || !scene.mMetaData) return 0;
    double wide = 0;
    float narrow = 0;
    if (scene.mMetaData->Get("UnitScaleFactor", wide)) return wide * kCentimetre;
    if (scene.mMetaData->Get("UnitScaleFactor", narrow)) return double{narrow} * kCentimetre;
    return kCentimetre;
}

flentro::Json messageFor(const flentro::Scene& scene, double metres,
                         const flentro::SceneFolder& folder) {
    flentro::Json notes = flentro::Json::array();
    for (const flentro::Note& note : scene.notes)
        notes.push_back({{"where", note.where}, {"what", note.what}});
    for (const std::string& name : folder.refused())
        notes.push_back({{"where", name}, {"what", "leads outside the scene's folder: not read"}});
    flentro::Json files = flentro::Json::array();
    for (const std::filesystem::path& file : folder.opened()) files.push_back(file.string());
    return {{"notes", std::move(notes)}, {"metres", metres}, {"files", std::move(files)}};
}

/// The library takes the square of the corners of a face, and more, to divide it.
void divideLargeFaces(Assimp::Importer& importer) {
    constexpr unsigned kLarge = 256;
    const aiScene& scene = *importer.GetScene();
    for (unsigned m = 0; m < scene.mNumMeshes; ++m) {
        aiMesh& mesh = *scene.mMeshes[m];
        const auto isLarge = [&](const aiFace& face) {
            return face.mNumIndices > kLarge &&
                   std::all_of(face.mIndices, face.mIndices + face.mNumIndices,
                               [&](unsigned v) { return v < mesh.mNumVertices; });
        };
        if (std::none_of(mesh.mFaces, mesh.mFaces + mesh.mNumFaces, isLarge)) continue;
        std::vector<aiFace> faces;
        for (unsigned f = 0; f < mesh.mNumFaces; ++f) {
            const aiFace& face = mesh.mFaces[f];
            if (!isLarge(face)) {
                faces.push_back(face);
                continue;
            }
            std::vector<flentro::Vec3d> corners;
            for (unsigned i = 0; i < face.mNumIndices; ++i) {
                const aiVector3D& at = mesh.mVertices[face.mIndices[i]];
                corners.emplace_back(at.x, at.y, at.z);
            }
            for (const auto& triangle : flentro::triangulate(corners)) {
                aiFace part;
                part.mNumIndices = 3;
                part.mIndices = new unsigned[3];
                for (unsigned k = 0; k < 3; ++k) part.mIndices[k] = face.mIndices[triangle[k]];
                faces.push_back(part);
            }
        }
        delete[] mesh.mFaces;
        mesh.mNumFaces = static_cast<unsigned>(faces.size());
        mesh.mFaces = new aiFace[faces.size()];
        std::copy(faces.begin(), faces.end(), mesh.mFaces);
        mesh.mPrimitiveTypes |= aiPrimitiveType_TRIANGLE;
        // The library insists that there are polygons where the mesh says so.
        if (std::ranges::none_of(faces, [](const aiFace& f) { return f.mNumIndices > 3; }))
            mesh.mPrimitiveTypes &= ~static_cast<unsigned>(aiPrimitiveType_POLYGON);
    }
}

struct Request {
    const char* source;
    const char* result;
    std::string ending;
    double creaseAngle;
};

int run(const Request& request) {
    Assimp::Importer importer;
    keepReaders(importer, request.ending);
    importer.SetPropertyBool(AI_CONFIG_IMPORT_FBX_PRESERVE_PIVOTS, false);
    // From its own folder: some readers look for the other files of a scene here only.
    const std::filesystem::path source = request.source;
    std::filesystem::current_path(source.parent_path());
    auto* folder = new flentro::SceneFolder(source.parent_path());
    importer.SetIOHandler(folder);  // which owns it
    const auto prepared = flentro::prepare(source, request.ending);
    if (!prepared) return complain(prepared.error().what.c_str());
    const bool isRead =
        prepared->content
            ? importer.ReadFileFromMemory(prepared->content->data(), prepared->content->size(), 0,
                                          request.ending.c_str() + 1)
            : importer.ReadFile(source.filename().string(), 0);
    if (!isRead) return complain(importer.GetErrorString());
    divideLargeFaces(importer);
    const aiScene* scene = importer.ApplyPostProcessing(aiProcess_Triangulate);
    if (!scene || !scene->mRootNode) return complain(importer.GetErrorString());
    const bool hasNormals = request.ending != ".stl";
    flentro::Scene converted =
        flentro::convert(*scene, {source.parent_path(), request.creaseAngle, hasNormals});
    if (converted.objects.empty()) return complain("there is no geometry in it");
    if (prepared->showsBothSides)
        for (flentro::Material& material : converted.materials)
            material.doubleSided = material.source["doubleSided"] = true;
    converted.notes.insert(converted.notes.begin(), prepared->notes.begin(), prepared->notes.end());
    const double metres =
        prepared->metres > 0 ? prepared->metres : metresOf(*scene, request.ending);
    converted.rest["asset"]["extras"][flentro::kImportMessage] =
        messageFor(converted, metres, *folder);
    flentro::GltfWriteOptions options;
    options.keepImagePaths = true;
    const auto written =
        flentro::writeGltf(converted, request.result, options, flentro::noProgress());
    return written ? 0 : complain(flentro::describe(written.error()).c_str());
}

}  // namespace

int main(int argc, char** argv) {
    if (argc == 2 && argv[1] == std::string_view("--walls")) {
        std::printf("%s\n", flentro::describeWalls().c_str());
        return 0;
    }
    if (argc != 8)
        return complain(
            "usage: flentro-import SOURCE RESULT.glb ENDING BYTES SECONDS CREASE-ANGLE PARENT\n"
            "       flentro-import --walls");
    followParent(static_cast<pid_t>(std::strtol(argv[7], nullptr, 10)));
    setLimits(std::strtoull(argv[4], nullptr, 10), std::strtoull(argv[5], nullptr, 10));
    (void)flentro::raiseWalls({argv[1], std::filesystem::path(argv[2]).parent_path()});
    try {
        return run({argv[1], argv[2], argv[3], std::strtod(argv[6], nullptr)});
    } catch (const std::exception& error) {
        return complain(error.what());
    }
}
