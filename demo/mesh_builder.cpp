#include "mesh_builder.h"
#include "base/index.h"

#include <cmath>

namespace flentro::demo {
namespace {

constexpr float kTurn = 2 * static_cast<float>(kPi);

Mat4f rotation(float degrees, const Vec3f& axis) {
    Mat4f m = Mat4f::Identity();
    const auto angle = static_cast<float>(toRadians(degrees));
    m.topLeftCorner<3, 3>() = Eigen::AngleAxisf(angle, axis).toRotationMatrix();
    return m;
}

}  // namespace

Mat4f translation(float x, float y, float z) {
    Mat4f m = Mat4f::Identity();
    m.topRightCorner<3, 1>() = Vec3f(x, y, z);
    return m;
}
Mat4f rotationX(float degrees) {
    return rotation(degrees, Vec3f::UnitX());
}
Mat4f rotationY(float degrees) {
    return rotation(degrees, Vec3f::UnitY());
}
Mat4f rotationZ(float degrees) {
    return rotation(degrees, Vec3f::UnitZ());
}
Mat4f scaling(float x, float y, float z) {
    Mat4f m = Mat4f::Identity();
    m.diagonal() = Vec4f(x, y, z, 1);
    return m;
}

MeshBuilder& MeshBuilder::material(int index) {
    material_ = index;
    return *this;
}

MeshBuilder& MeshBuilder::at(const Mat4f& transform) {
    transform_ = transform;
    return *this;
}

MeshBuilder::Growing& MeshBuilder::part() {
    for (Growing& growing : parts_)
        if (growing.material == material_) return growing;
    parts_.push_back({});
    parts_.back().material = material_;
    return parts_.back();
}

std::uint32_t MeshBuilder::vertex(const Vec3f& position, const Vec3f& normal,
                                  const Vec2f& texCoord) {
    Growing& to = part();
    const Eigen::Matrix3f turn = transform_.topLeftCorner<3, 3>();
    to.positions.push_back(turn * position + transform_.topRightCorner<3, 1>());
    to.normals.push_back((turn.inverse().transpose() * normal).normalized());
    to.texCoords.push_back(texCoord);
    return static_cast<std::uint32_t>(to.positions.size() - 1);
}

void MeshBuilder::quad(const Vec3f corners[4], const Vec2f texCoords[4]) {
    const Vec3f normal = (corners[1] - corners[0]).cross(corners[2] - corners[0]).normalized();
    std::uint32_t v[4];
    for (int i = 0; i < 4; ++i) v[i] = vertex(corners[i], normal, texCoords[i]);
    for (const int i : {0, 1, 2, 0, 2, 3}) part().indices.push_back(v[i]);
}

MeshBuilder& MeshBuilder::box(float width, float height, float depth) {
    const Vec3f half(width / 2, height / 2, depth / 2);
    for (int axis = 0; axis < 3; ++axis)
        for (const float side : {-1.0F, 1.0F}) {
            Vec3f n = Vec3f::Zero();
            n[axis] = side;
            Vec3f u = Vec3f::Zero();
            u[(axis + 1) % 3] = side;
            const Vec3f v = n.cross(u);
            const Vec3f centre = half.cwiseProduct(n) + Vec3f(0, half.y(), 0);
            const Vec3f du = half.cwiseProduct(u);
            const Vec3f dv = half.cwiseProduct(v);
            const Vec3f corners[4] = {centre - du - dv, centre + du - dv, centre + du + dv,
                                      centre - du + dv};
            const float w = 2 * du.norm();
            const float h = 2 * dv.norm();
            const Vec2f texCoords[4] = {{0, 0}, {w, 0}, {w, h}, {0, h}};
            quad(corners, texCoords);
        }
    return *this;
}

MeshBuilder& MeshBuilder::sheet(int columns, int rows,
                                const std::function<Vec3f(float, float)>& place, Vec2f repeats) {
    const auto columnCount = static_cast<std::uint32_t>(columns);
    const std::uint32_t stride = columnCount + 1;
    std::uint32_t first = 0;
    constexpr float kStep = 1e-3F;
    for (int r = 0; r <= rows; ++r)
        for (int c = 0; c <= columns; ++c) {
            const float u = static_cast<float>(c) / static_cast<float>(columns);
            const float v = static_cast<float>(r) / static_cast<float>(rows);
            const Vec3f du = place(u + kStep, v) - place(u - kStep, v);
            const Vec3f dv = place(u, v + kStep) - place(u, v - kStep);
            Vec3f normal = du.cross(dv);
            if (normal.norm() < 1e-12F) normal = Vec3f::UnitY();
            const std::uint32_t at =
                vertex(place(u, v), normal.normalized(), {u * repeats.x(), v * repeats.y()});
            if (r == 0 && c == 0) first = at;
        }
    auto& indices = part().indices;
    for (std::uint32_t r = 0; r < static_cast<std::uint32_t>(rows); ++r)
        for (std::uint32_t c = 0; c < columnCount; ++c) {
            const std::uint32_t a = first + r * stride + c;
            indices.insert(indices.end(),
                           {a, a + 1, a + stride + 1, a, a + stride + 1, a + stride});
        }
    return *this;
}

MeshBuilder& MeshBuilder::lathe(const std::vector<Vec2f>& profile, int sides) {
    const int rows = static_cast<int>(profile.size()) - 1;
    const auto place = [&](float u, float v) {
        const float row = std::clamp(v, 0.0F, 1.0F) * static_cast<float>(rows);
        const int i = std::min(static_cast<int>(row), rows - 1);
        const float t = row - static_cast<float>(i);
        const Vec2f p =
            elementOf(profile, i) * (1 - t) + profile[static_cast<std::size_t>(i) + 1] * t;
        const float angle = u * kTurn;
        return Vec3f(p.x() * std::cos(angle), p.y(), p.x() * std::sin(angle));
    };
    return sheet(sides, rows, place, {2, 1});
}

MeshBuilder& MeshBuilder::cylinder(float radius, float height, int sides) {
    const float r = radius;
    return lathe({{r * 0.001F, height},
                  {r, height},
                  {r, height * 0.999F},
                  {r, height * 0.001F},
                  {r, 0},
                  {r * 0.001F, 0}},
                 sides);
}

MeshBuilder& MeshBuilder::tube(const std::vector<Vec3f>& path, float radius, int sides) {
    const int rows = static_cast<int>(path.size()) - 1;
    const auto centre = [&](float v) -> Vec3f {
        const float row = std::clamp(v, 0.0F, 1.0F) * static_cast<float>(rows);
        const int i = std::min(static_cast<int>(row), rows - 1);
        const float t = row - static_cast<float>(i);
        return elementOf(path, i) * (1 - t) + path[static_cast<std::size_t>(i) + 1] * t;
    };
    const float step = 0.5F / static_cast<float>(rows);
    const auto place = [&](float u, float v) -> Vec3f {
        const Vec3f along = (centre(v + step) - centre(v - step)).normalized();
        const Vec3f helper = std::fabs(along.y()) < 0.9F ? Vec3f::UnitY() : Vec3f::UnitX();
        const Vec3f side = along.cross(helper).normalized();
        const Vec3f up = side.cross(along);
        const float angle = -u * kTurn;
        return centre(v) + radius * (side * std::cos(angle) + up * std::sin(angle));
    };
    float length = 0;
    for (std::size_t i = 1; i < path.size(); ++i) length += (path[i] - path[i - 1]).norm();
    return sheet(sides, rows, place, {1, length / (kTurn * radius)});
}

MeshBuilder& MeshBuilder::card(float width, float height) {
    return sheet(1, 1,
                 [=](float u, float v) { return Vec3f((u - 0.5F) * width, height * (1 - v), 0); },
                 {1, 1});
}

std::size_t MeshBuilder::triangles() const {
    std::size_t sum = 0;
    for (const Growing& growing : parts_) sum += growing.indices.size() / 3;
    return sum;
}

MeshPtr MeshBuilder::finish() {
    for (Growing& growing : parts_) {
        Part result;
        result.material = growing.material;
        const auto add = [&](const char* semantic, Stream stream) {
            result.attributes.push_back(
                {semantic, std::make_shared<const Stream>(std::move(stream))});
        };
        add("POSITION", makeStream(growing.positions));
        add("NORMAL", makeStream(growing.normals));
        add("TEXCOORD_0", makeStream(growing.texCoords));
        result.indices = std::move(growing.indices);
        mesh_.parts.push_back(std::move(result));
    }
    parts_.clear();
    return finishMesh(std::move(mesh_));
}

}  // namespace flentro::demo
