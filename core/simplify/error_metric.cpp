#include "simplify/error_metric.h"

#include <cmath>

namespace flentro {
namespace {

/// Faces with a smaller area, in squared units, have no direction.
constexpr float kFlatArea = 1e-14F;

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
      quadrics_(mesh.positions.size()),
      weights_(mesh.positions.size(), 0.0F),
      gradients_(count_ > 0 ? mesh.wedgeVertex.size() : 0),
      sums_(mesh.wedgeVertex.size() * count_ * kSum, 0.0F) {
    places_.reserve(mesh.positions.size());
    for (const Vec3d& place : mesh.positions) places_.push_back(place.cast<float>());
    attributes_.assign(mesh.attributes.begin(), mesh.attributes.end());
    for (std::size_t t = 0; 3 * t < mesh.corners.size(); ++t) addFace(mesh, t, importance);
}

void ErrorMetric::addFace(const WedgeMesh& mesh, std::size_t triangle,
                          std::span<const float> importance) {
    const std::uint32_t* corners = mesh.corners.data() + 3 * triangle;
    const Vec3f& a = places_[mesh.wedgePosition[corners[0]]];
    const Vec3f& b = places_[mesh.wedgePosition[corners[1]]];
    const Vec3f& c = places_[mesh.wedgePosition[corners[2]]];
    const Vec3f normal = (b - a).cross(c - a);
    const float twiceArea = normal.norm();
    if (!(twiceArea > kFlatArea)) return;
    float weight = twiceArea / 6;
    if (!importance.empty())
        weight *= (importance[corners[0]] + importance[corners[1]] + importance[corners[2]]) / 3;
    for (std::size_t k = 0; k < 3; ++k) {
        const std::uint32_t position = mesh.wedgePosition[corners[k]];
        quadrics_[position].addPlane(normal / twiceArea, 0, weight);
        weights_[position] += weight;
    }
    if (count_ > 0) addGradients(mesh, triangle, normal, weight);
}

/// Hoppe 1999, section 4: the gradient that interpolates an attribute over the face. Relative to
/// a corner's own place and attributes, d is 0.
void ErrorMetric::addGradients(const WedgeMesh& mesh, std::size_t triangle, const Vec3f& normal,
                               float weight) {
    const std::uint32_t* corners = mesh.corners.data() + 3 * triangle;
    const Vec3f& a = places_[mesh.wedgePosition[corners[0]]];
    const Vec3f e1 = places_[mesh.wedgePosition[corners[1]]] - a;
    const Vec3f e2 = places_[mesh.wedgePosition[corners[2]]] - a;
    const float size = normal.squaredNorm();
    const Vec3f along1 = e2.cross(normal) / size;
    const Vec3f along2 = normal.cross(e1) / size;
    for (std::size_t k = 0; k < 3; ++k) gradients_[corners[k]].weight += weight;
    for (std::size_t i = 0; i < count_; ++i) {
        const auto s = [&](std::size_t corner) {
            return attributes_[corners[corner] * count_ + i];
        };
        const Vec3f g = (s(1) - s(0)) * along1 + (s(2) - s(0)) * along2;
        for (std::size_t k = 0; k < 3; ++k) {
            gradients_[corners[k]].square.addPlane(g, 0, weight);
            float* sum = sums(corners[k]) + i * kSum;
            for (int axis = 0; axis < 3; ++axis) sum[axis] += weight * g[axis];
        }
    }
}

void ErrorMetric::holdEdge(std::uint32_t a, std::uint32_t b, const Vec3f& normal, float weight) {
    const Vec3f along = places_[b] - places_[a];
    const Vec3f across = along.cross(normal);
    const float length = across.norm();
    if (!(length > 0)) return;
    for (const std::uint32_t end : {a, b}) {
        const float w = weight * along.squaredNorm();
        quadrics_[end].addPlane(across / length, 0, w);
        weights_[end] += w;
    }
}

/// Both surfaces' quadrics, relative to the place of `to`.
Quadric ErrorMetric::surface(std::uint32_t from, std::uint32_t to) const {
    Quadric sum = quadrics_[from];
    sum.moveOrigin(places_[to] - places_[from]);
    sum += quadrics_[to];
    return sum;
}

/// Both wedges' gradients, relative to the place and attributes of `to`; `sum` [K * kSum].
ErrorMetric::Gradients ErrorMetric::paired(const WedgeMerge& merge, const Vec3f& shift,
                                           float* sum) const {
    Gradients result = gradients_[merge.from];
    result.square.moveOrigin(shift);
    const float w = result.weight;
    const float* from = sums(merge.from);
    const float* to = sums(merge.to);
    const float* s = attributes_.data() + merge.from * count_;
    const float* t = attributes_.data() + merge.to * count_;
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
    result.square += gradients_[merge.to].square;
    result.weight += gradients_[merge.to].weight;
    return result;
}

ErrorMetric::Joined ErrorMetric::onto(std::uint32_t from, std::uint32_t to,
                                      std::span<const WedgeMerge> merges) const {
    Joined joined;
    const Vec3f shift = places_[to] - places_[from];
    const float error = quadrics_[from].at(shift) + std::max(quadrics_[to].c, 0.0F);
    const float weight = weights_[from] + weights_[to];
    joined.distance = weight > 0 ? std::sqrt(error / weight) : 0;
    joined.cost = error + kLengthWeight * shift.squaredNorm();
    if (count_ == 0) return joined;
    for (const WedgeMerge& merge : merges) joined.cost += differenceAt(merge, shift);
    return joined;
}

/// What paired().square.c would be, for less.
float ErrorMetric::differenceAt(const WedgeMerge& merge, const Vec3f& shift) const {
    const Gradients& gradients = gradients_[merge.from];
    float difference = gradients.square.at(shift);
    const float* g = sums(merge.from);
    const float* s = attributes_.data() + merge.from * count_;
    const float* t = attributes_.data() + merge.to * count_;
    for (std::size_t k = 0; k < count_; ++k, g += kSum) {
        const float by = t[k] - s[k];
        const float d = g[3] + g[0] * shift.x() + g[1] * shift.y() + g[2] * shift.z();
        difference += by * (gradients.weight * by - 2 * d);
    }
    return std::max(difference + gradients_[merge.to].square.c, 0.0F);
}

ErrorMetric::Joined ErrorMetric::together(std::uint32_t from, std::uint32_t to,
                                          std::span<const WedgeMerge> merges) const {
    const Quadric geometry = surface(from, to);
    const Vec3f shift = places_[to] - places_[from];
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
    const float weight = weights_[from] + weights_[to];
    joined.distance = weight > 0 ? std::sqrt(geometry.at(joined.offset) / weight) : 0;
    joined.cost = total.at(joined.offset) + kLengthWeight * shift.squaredNorm();
    return joined;
}

void ErrorMetric::join(std::uint32_t from, std::uint32_t to, std::span<const WedgeMerge> merges,
                       const Vec3f& offset, bool fit) {
    const Vec3f shift = places_[to] - places_[from];
    quadrics_[to] = surface(from, to);
    quadrics_[to].moveOrigin(offset);
    weights_[to] += weights_[from];
    places_[to] += offset;
    if (count_ == 0) return;
    float sum[kMaxAttributes * kSum];
    for (const WedgeMerge& merge : merges) {
        Gradients both = paired(merge, shift, sum);
        both.square.moveOrigin(offset);
        float* s = attributes_.data() + merge.to * count_;
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
        gradients_[merge.to] = both;
        std::copy(sum, sum + count_ * kSum, sums(merge.to));
    }
}

}  // namespace flentro
