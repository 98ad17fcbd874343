// Copies of meshes to be drawn, cut into draws that each take a bounded time.

#pragma once

#include <QElapsedTimer>
#include <functional>
#include <limits>
#include <map>
#include <vector>

#include "scene/scene.h"
#include "view/gpu_scene.h"

namespace flentro::app {

/// The milliseconds that drawing may take before the interface is served again.
struct TimeSlice {
    explicit TimeSlice(double most) : milliseconds(most) { clock.start(); }
    [[nodiscard]] double spent() const { return static_cast<double>(clock.nsecsElapsed()) * 1e-6; }
    [[nodiscard]] bool isOver() const { return spent() > milliseconds; }

    QElapsedTimer clock;
    double milliseconds;
};

class DrawList {
public:
    /// A copy as the vertex stage reads it.
    struct Copy {
        float model[16];
        float tint[4];  ///< Colour of the lens; then what is left of what fades.
    };
    /// Makes a material's uniforms and states current; -1: glTF's standard.
    using UseMaterial = std::function<void(int material)>;

    void add(const MeshPtr& mesh, const Object& object, const Vec3f& tint, float shown);

    /// Draws of a bounded number of triangles: some copies each, or a piece of a heavy mesh.
    void cut();
    /// Draws of whole parts, of all copies together or of one each.
    void cutWhole(bool instancing);
    /// Transparent parts come last, the farthest first, one copy at a time.
    void sortBlended(const std::vector<Material>& materials, const Vec3f& eye);

    /// Of all copies.
    [[nodiscard]] std::size_t triangles() const { return triangles_; }
    [[nodiscard]] bool isDrawn() const { return next_ == draws_.size(); }
    /// Has the vertices of heavy meshes made in the background.
    void prepare(GpuScene& gpu) const;
    [[nodiscard]] bool isReady(const GpuScene& gpu) const;

    void upload(GpuScene& gpu) const;

    /// Draws on into the bound framebuffer until the time is over, all is drawn, or a mesh is not
    /// ready. `buffer`: for the copies. Front faces are those that the file says, also of mirrored
    /// copies.
    void draw(Gl& gl, GpuScene& gpu, GLuint buffer, const UseMaterial& useMaterial,
              const TimeSlice& time);

private:
    struct Batch {
        MeshPtr mesh;
        bool mirrored = false;
        std::vector<Copy> copies;
    };
    struct Draw {
        std::size_t batch;
        std::size_t part;
        int firstCopy;
        int copies;
        GLsizei firstIndex;
        GLsizei indices;
    };

    void drawOne(Gl& gl, GpuScene& gpu, GLuint buffer, const Draw& draw);

    std::vector<Batch> batches_;
    std::map<std::pair<const Mesh*, bool>, std::size_t> batchOf_;
    std::vector<Draw> draws_;
    std::size_t next_ = 0;
    std::size_t triangles_ = 0;
};

}  // namespace flentro::app
