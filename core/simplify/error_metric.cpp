#include "simplify/error_metric.h"

#include <cmath>

namespace flentro {
namespace {

/// Keeps collapses on flat surfaces in an order that leaves well-shaped triangles.
constexpr float kLengthWeight = 1e-9F;

/// How much of the quadric draws the joined vertex to the middle of its edge.
constexpr double kPull = 1e-4;

/// The best place may lie this many edge lengths from the middle; beyond it is an accident of
/// nearly parallel planes.
constexpr float kFarthest = 1.5F;

}  // namespace

ErrorMetric::ErrorMetric(const WedgeMesh& mesh, std::span<const float> importance)
    : count_(static_cast<std::size_t>(mesh.attributeCount)),
      stride_(count_ > 0 ? kHead + count_ * (kSum + 1) : 0),
      vertices_(mesh.positions.size()),
      blocks_(mesh.wedgeVertex.size() * stride_, 0.0F) {
    for (std::size_t p = 0; p < vertices_.size(); ++p) vertices_[p].place = mesh.positions[p];
    for (std::uint32_t w = 0; count_ > 0 && w < mesh.wedgeVertex.size(); ++w)
        std::copy_n(mesh.attributes.data() + w * count_, count_,
                    blockOf(w) + kHead + count_ * kSum);
    for (std::size_t t = 0; 3 * t < mesh.corners.size(); ++t) addFace(mesh, t, importance);
}

void ErrorMetric::addFace(const WedgeMesh& mesh, std::size_t triangle,
                          std::span<const float> importance) {
    const std::uint32_t* corners = mesh.corners.data() + 3 * triangle;
    const Vec3f& a = place(mesh.wedgePosition[corners[0]]);
    const Vec3f& b = place(mesh.wedgePosition[corners[1]]);
    const Vec3f& c = place(mesh.wedgePosition[corners[2]]);
    const Vec3f normal = (b - a).cross(c - a);
    const float twiceArea = normal.norm();
    if (!(twiceArea > kFlatArea)) return;
    float weight = twiceArea / 6;
    if (!importance.empty())
        weight *= (importance[corners[0]] + importance[corners[1]] + importance[corners[2]]) / 3;
    for (std::size_t k = 0; k < 3; ++k) {
        const std::uint32_t position = mesh.wedgePosition[corners[k]];
        vertices_[position].surface.addPlane(normal / twiceArea, 0, weight);
        vertices_[position].weight += weight;
    }
    if (count_ > 0) addGradients(mesh, triangle, normal, weight);
}

/// Hoppe 1999, section 4: the gradient that interpolates an attribute over the face. Relative to
/// a corner's own place and attributes, d is 0.
void ErrorMetric::addGradients(const WedgeMesh& mesh, std::size_t triangle, const Vec3f& normal,
                               float weight) {
    const std::uint32_t* corners = mesh.corners.data() + 3 * triangle;
    const Vec3f& a = place(mesh.wedgePosition[corners[0]]);
    const Vec3f e1 = place(mesh.wedgePosition[corners[1]]) - a;
    const Vec3f e2 = place(mesh.wedgePosition[corners[2]]) - a;
    const float size = normal.squaredNorm();
    const Vec3f along1 = e2.cross(normal) / size;
    const Vec3f along2 = normal.cross(e1) / size;
    Gradients heads[3];
    for (std::size_t k = 0; k < 3; ++k) {
        heads[k] = headOf(corners[k]);
        heads[k].weight += weight;
    }
    for (std::size_t i = 0; i < count_; ++i) {
        const auto s = [&](std::size_t corner) { return attributes(corners[corner])[i]; };
        const Vec3f g = (s(1) - s(0)) * along1 + (s(2) - s(0)) * along2;
        for (std::size_t k = 0; k < 3; ++k) {
            heads[k].square.addPlane(g, 0, weight);
            float* sum = blockOf(corners[k]) + kHead + i * kSum;
            for (int axis = 0; axis < 3; ++axis) sum[axis] += weight * g[axis];
        }
    }
    for (std::size_t k = 0; k < 3; ++k) setHead(corners[k], heads[k]);
}

void ErrorMetric::holdEdge(std::uint32_t a, std::uint32_t b, const Vec3f& normal, float weight) {
    const Vec3f along = place(b) - place(a);
    const Vec3f across = along.cross(normal);
    const float length = across.norm();
    if (!(length > 0)) return;
    for (const std::uint32_t end : {a, b}) {
        const float w = weight * along.squaredNorm();
        vertices_[end].surface.addPlane(across / length, 0, w);
        vertices_[end].weight += w;
    }
}

/// Both surfaces' quadrics, relative to the place of `to`.
Quadric ErrorMetric::surface(std::uint32_t from, std::uint32_t to) const {
    Quadric sum = vertices_[from].surface;
    sum.moveOrigin(place(to) - place(from));
    sum += vertices_[to].surface;
    return sum;
}

/// Both wedges' gradients, relative to the place and attributes of `to`; `sum` [K * kSum].
ErrorMetric::Gradients ErrorMetric::paired(const WedgeMerge& merge, const Vec3f& shift,
                                           float* sum) const {
    Gradients result = headOf(merge.from);
    result.square.moveOrigin(shift);
    const float w = result.weight;
    const float* from = blockOf(merge.from) + kHead;
    const float* to = blockOf(merge.to) + kHead;
    const float* s = from + count_ * kSum;
    const float* t = to + count_ * kSum;
    for (std::size_t k = 0; k < count_; ++k) {
        const float* g = from + k * kSum;
        const float by = t[k] - s[k];
        const float d = g[3] + g[0] * shift.x() + g[1] * shift.y() + g[2] * shift.z();
        result.square.b0 -= by * g[0];
        result.square.b1 -= by * g[1];
        result.square.b2 -= by * g[2];
        result.square.c += by * (w * by - 2 * d);
        for (std::size_t i = 0; i < 3; ++i) sum[k * kSum + i] = g[i] + to[k * kSum + i];
        sum[k * kSum + 3] = d - w * by + to[k * kSum + 3];
    }
    const Gradients other = headOf(merge.to);
    result.square += other.square;
    result.weight += other.weight;
    return result;
}

ErrorMetric::Joined ErrorMetric::onto(std::uint32_t from, std::uint32_t to,
                                      std::span<const WedgeMerge> merges, float limit) const {
    Joined joined;
    const Vec3f shift = place(to) - place(from);
    const float error = vertices_[from].surface.at(shift) + std::max(vertices_[to].surface.c, 0.0F);
    const float weight = vertices_[from].weight + vertices_[to].weight;
    joined.distance = weight > 0 ? std::sqrt(error / weight) : 0;
    joined.cost = error + kLengthWeight * shift.squaredNorm();
    if (count_ == 0) return joined;
    for (const WedgeMerge& merge : merges) {
        if (joined.cost >= limit) break;
        joined.cost += differenceAt(merge, shift);
    }
    return joined;
}

float ErrorMetric::difference(std::uint32_t a, std::uint32_t b) const {
    if (count_ == 0) return 0;
    float sum = 0;
    const auto s = attributes(a);
    const auto t = attributes(b);
    for (std::size_t k = 0; k < count_; ++k) sum += (s[k] - t[k]) * (s[k] - t[k]);
    return sum;
}

/// What paired().square.c would be, for less.
float ErrorMetric::differenceAt(const WedgeMerge& merge, const Vec3f& shift) const {
    const Gradients gradients = headOf(merge.from);
    float difference = gradients.square.at(shift);
    const float* g = blockOf(merge.from) + kHead;
    const float* s = g + count_ * kSum;
    const float* t = blockOf(merge.to) + kHead + count_ * kSum;
    for (std::size_t k = 0; k < count_; ++k, g += kSum) {
        const float by = t[k] - s[k];
        const float d = g[3] + g[0] * shift.x() + g[1] * shift.y() + g[2] * shift.z();
        difference += by * (gradients.weight * by - 2 * d);
    }
    return std::max(difference + headOf(merge.to).square.c, 0.0F);
}

ErrorMetric::Joined ErrorMetric::together(std::uint32_t from, std::uint32_t to,
                                          std::span<const WedgeMerge> merges) const {
    const Quadric geometry = surface(from, to);
    const Vec3f shift = place(to) - place(from);
    Quadric total = geometry;
    if (count_ > 0) {
        float sum[kMaxAttributes * kSum];
        for (const WedgeMerge& merge : merges) {
            const Gradients both = paired(merge, shift, sum);
            total += both.square;
            if (!(both.weight > 0)) continue;
            for (std::size_t k = 0; k < count_; ++k) {
                const float* g = sum + k * kSum;
                total.addPlane({g[0], g[1], g[2]}, g[3], -1 / both.weight);
            }
        }
    }
    const Vec3f middle = -0.5F * shift;
    Joined joined;
    joined.offset = total.minimum(middle, kPull);
    const float far = kFarthest * shift.norm();
    if (!((joined.offset - middle).norm() <= far)) joined.offset = middle;
    const float weight = vertices_[from].weight + vertices_[to].weight;
    joined.distance = weight > 0 ? std::sqrt(geometry.at(joined.offset) / weight) : 0;
    joined.cost = total.at(joined.offset) + kLengthWeight * shift.squaredNorm();
    return joined;
}

void ErrorMetric::join(std::uint32_t from, std::uint32_t to, std::span<const WedgeMerge> merges,
                       const Vec3f& offset, bool fit) {
    const Vec3f shift = place(to) - place(from);
    Vertex& joined = vertices_[to];
    joined.surface = surface(from, to);
    joined.surface.moveOrigin(offset);
    joined.weight += vertices_[from].weight;
    joined.place += offset;
    if (count_ == 0) return;
    float sum[kMaxAttributes * kSum];
    for (const WedgeMerge& merge : merges) {
        Gradients both = paired(merge, shift, sum);
        both.square.moveOrigin(offset);
        float* block = blockOf(merge.to);
        float* s = block + kHead + count_ * kSum;
        for (std::size_t k = 0; k < count_; ++k) {
            float* g = sum + k * kSum;
            g[3] += g[0] * offset.x() + g[1] * offset.y() + g[2] * offset.z();
            if (!fit || !(both.weight > 0)) continue;
            const float by = g[3] / both.weight;
            both.square.b0 -= by * g[0];
            both.square.b1 -= by * g[1];
            both.square.b2 -= by * g[2];
            both.square.c += by * (both.weight * by - 2 * g[3]);
            g[3] = 0;
            s[k] += by;
        }
        setHead(merge.to, both);
        std::copy(sum, sum + count_ * kSum, block + kHead);
    }
}

}  // namespace flentro
