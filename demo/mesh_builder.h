// Building blocks for made-up things: boxes, lathes, tubes and sheets with normals and texture
// coordinates.

#pragma once

#include <functional>
#include <vector>

#include "geometry/mesh.h"

namespace flentro::demo {

using Mat4f = Eigen::Matrix4f;

[[nodiscard]] Mat4f translation(float x, float y, float z);
[[nodiscard]] Mat4f rotationY(float degrees);
[[nodiscard]] Mat4f rotationX(float degrees);
[[nodiscard]] Mat4f rotationZ(float degrees);
[[nodiscard]] Mat4f scaling(float x, float y, float z);

/// Collects geometry part by part. Lengths in metres; texture coordinates in repeats of one
/// metre unless said otherwise.
class MeshBuilder {
public:
    explicit MeshBuilder(std::string name) { mesh_.name = std::move(name); }

    /// Everything that follows goes into the part with this material.
    MeshBuilder& material(int index);

    /// Everything that follows is placed by this transform.
    MeshBuilder& at(const Mat4f& transform);

    /// Centred in x and z, standing on y = 0.
    MeshBuilder& box(float width, float height, float depth);

    /// A profile of (radius, height) points turned about the y axis, smooth across points. The
    /// outside is on the right hand of a profile that goes down.
    MeshBuilder& lathe(const std::vector<Vec2f>& profile, int sides);

    MeshBuilder& cylinder(float radius, float height, int sides);

    /// A round tube along points.
    MeshBuilder& tube(const std::vector<Vec3f>& path, float radius, int sides);

    /// A sheet of columns x rows cells: `place(u, v)` for u, v in [0, 1]. `repeats` scales
    /// its texture coordinates.
    MeshBuilder& sheet(int columns, int rows, const std::function<Vec3f(float, float)>& place,
                       Vec2f repeats = {1, 1});

    /// A card that shows the whole texture: a sheet of one cell, width x height, standing.
    MeshBuilder& card(float width, float height);

    [[nodiscard]] MeshPtr finish();
    [[nodiscard]] std::size_t triangles() const;

private:
    struct Growing {
        int material = -1;
        std::vector<Vec3f> positions, normals;
        std::vector<Vec2f> texCoords;
        std::vector<std::uint32_t> indices;
    };
    Growing& part();
    void quad(const Vec3f corners[4], const Vec2f texCoords[4]);
    std::uint32_t vertex(const Vec3f& position, const Vec3f& normal, const Vec2f& texCoord);

    Mesh mesh_;
    std::vector<Growing> parts_;
    int material_ = -1;
    Mat4f transform_ = Mat4f::Identity();
};

}  // namespace flentro::demo
