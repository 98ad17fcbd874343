// Meshes, textures and programs on the graphics card, shared by every scene that the view shows.

#pragma once

#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLShaderProgram>
#include <QThreadPool>
#include <array>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <unordered_map>
#include <vector>

#include "base/index.h"
#include "io/image.h"
#include "measure/lighting.h"
#include "scene/scene.h"
#include "view/lens.h"

namespace flentro::app {

using Gl = QOpenGLFunctions_3_3_Core;

/// One part of one mesh, ready to draw with glDrawElementsInstanced.
struct GpuPart {
    GLuint vao = 0;
    GLuint vertices = 0;
    GLuint indices = 0;
    GLsizei count = 0;  ///< Indices.
    int material = -1;
};

struct GpuMesh {
    std::vector<GpuPart> parts;  ///< As the mesh's; those without triangles stay empty.
    MeshPtr keep;                ///< Holds the address that is the key.
};

/// What is drawn: the scene as it was read, or what the fixes make of it.
enum class SceneState { Original, Result };
inline constexpr std::size_t kSceneStates = 2;

/// Needs a current context in every call but the constructor.
class GpuScene {
public:
    GpuScene() = default;
    ~GpuScene();

    void initialise(Gl* gl);
    void release();

    /// Has the vertices of a heavy mesh made in the background, ready for mesh().
    void prepare(const MeshPtr& mesh);
    /// False while prepare() is at it.
    [[nodiscard]] bool isReady(const MeshPtr& mesh) const;

    /// Uploads at first use.
    [[nodiscard]] const GpuMesh& mesh(const MeshPtr& mesh);

    /// A coarse stand-in for heavy meshes, null for light ones and until it is made.
    [[nodiscard]] MeshPtr standIn(const MeshPtr& mesh);

    /// The program of one lens, built at first use.
    [[nodiscard]] QOpenGLShaderProgram& program(const Lens& lens);

    /// 0 until the picture is decoded; decoding goes on in the background.
    [[nodiscard]] GLuint texture(const Image& image);

    /// Puts decoded pictures on the card; true if there were any.
    bool uploadFinished();

    /// True while pictures are being decoded or stand-ins made.
    [[nodiscard]] bool isBusy() const;

    /// What all point lights do, on a grid as a 3D texture: irradiance, and the number of lights
    /// in reach.
    struct LightGrid {
        GLuint texture = 0;
        Vec3f origin = Vec3f::Zero();
        Vec3f size = Vec3f::Ones();
        bool lit = false;
    };
    /// Lights, and how much of each is shown, 0 to 1; [placed lights].
    struct ShownLights {
        std::vector<Emitter> emitters;
        std::vector<float> shares;
    };
    /// A directional light that is on.
    struct Sun {
        Vec3f way;                 ///< Towards it; unit vector.
        Vec3f light;               ///< Lux, as bright as the view shows it.
        std::uint32_t placed = 0;  ///< Of placed lights.
    };
    struct Lighting {
        LightGrid glow;         ///< Where lights show, fine enough for their glow.
        LightGrid reach;        ///< Over all that any of them reaches: for counting them.
        ShownLights shown;      ///< That they were made with.
        std::vector<Sun> suns;  ///< The strongest first.
    };
    [[nodiscard]] const Lighting& lighting(SceneState state) const {
        return elementOf(lightings_, state);
    }
    /// The grids are computed in the background; uploadFinished() takes them over.
    /// `shares` [placed lights]: how much of each is shown, 0 to 1.
    void setLights(SceneState state, const std::shared_ptr<const Scene>& scene,
                   const std::vector<float>& shares);

private:
    struct Vertex {
        float position[3];
        float normal[3];
        float texCoord[4];      ///< Of sets 0 and 1.
        std::uint8_t color[4];  ///< Linear.
    };
    using Vertices = std::vector<Vertex>;
    struct Finished {
        Hash hash;
        std::vector<Pixels> levels;  ///< The picture and its mip maps.
    };
    struct GridCells {
        Vec3f origin, size;
        std::vector<float> light;  ///< [z][y][x][4]; empty: no lights.
    };
    struct Grids {
        GridCells glow;
        GridCells reach;
        ShownLights shown;
        std::vector<Sun> suns;
    };
    struct Shared {
        std::mutex mutex;
        std::array<std::optional<Grids>, kSceneStates> grids;
        std::array<Hash, kSceneStates> lightKeys{};  ///< Of what the grids were asked for last.
        std::vector<Finished> pictures;
        std::unordered_map<const Mesh*, MeshPtr> standIns;
        std::unordered_map<const Mesh*, std::vector<Vertices>> vertices;  ///< Of each part.
        int pending = 0;
    };
    [[nodiscard]] static GridCells computeGrid(const Scene& scene, const ShownLights& shown,
                                               Box box);
    [[nodiscard]] static Vertices interleave(const Part& part);
    [[nodiscard]] GpuPart upload(const Part& part, const Vertices& vertices);
    void upload(const Finished& picture);
    void upload(const GridCells& cells, LightGrid& grid);

    Gl* gl_ = nullptr;
    QThreadPool pool_;
    std::shared_ptr<Shared> shared_ = std::make_shared<Shared>();
    std::unordered_map<const Mesh*, GpuMesh> meshes_;
    std::unordered_map<const Mesh*, MeshPtr> askedStandIns_;
    std::unordered_map<const Mesh*, MeshPtr> askedVertices_;  ///< Not uploaded yet.
    std::unordered_map<Hash, GLuint> textures_;
    std::map<LensKind, std::unique_ptr<QOpenGLShaderProgram>> programs_;
    std::array<Lighting, kSceneStates> lightings_;
};

}  // namespace flentro::app
