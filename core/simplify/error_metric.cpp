#include "simplify/error_metric.h"

#include <algorithm>
#include <array>

namespace flentro {
namespace {

/// How much of the quadric draws the joined vertex to the middle of its edge.
constexpr double kPull = 3e-6;

/// The best position may lie this many edge lengths from the middle; beyond it is an accident of
/// nearly parallel planes.
constexpr float kFarthest = 1.5F;

}  // namespace

ErrorMetric::ErrorMetric(WedgeMesh& mesh, const Fans& fans, std::span<const float> importance)
    : count_(static_cast<std::size_t>(mesh.attributeCount)),
      vertices_(mesh.positions.size()),
      surfaces_(mesh.positions.size()),
      gradients_(count_ > 0 ? mesh.wedgeVertex.size() : 0),
      sums_(gradients_.size() * count_, Sum::Zero()),
      attributes_(std::move(mesh.attributes)) {
    for (std::size_t p = 0; p < vertices_.size(); ++p) vertices_[p].position = mesh.positions[p];
    fans.visitBlocks([&](Corner first) { addFace(fans, first, importance); });
}

void ErrorMetric::addFace(const Fans& fans, Corner first, std::span<const float> importance) {
    const std::array wedges{fans.wedgeAt(first), fans.wedgeAt(first + 1), fans.wedgeAt(first + 2)};
    const std::array vertices{fans.vertexOf(wedges[0]), fans.vertexOf(wedges[1]),
                              fans.vertexOf(wedges[2])};
    const Vec3f& a = position(vertices[0]);
    const Vec3f& b = position(vertices[1]);
    const Vec3f& c = position(vertices[2]);
    const Vec3f normal = (b - a).cross(c - a);
    const float size = normal.squaredNorm();
    if (!(size > kFlatArea * kFlatArea)) return;
    float weight = std::sqrt(size) / 6;
    if (!importance.empty())
        weight *= (importance[wedges[0]] + importance[wedges[1]] + importance[wedges[2]]) / 3;
    const Quadric::Square square = Quadric::squareOf(normal, weight / size);
    for (const std::uint32_t vertex : vertices) surfaces_[vertex].add(square, weight);
    if (count_ > 0) addGradients(wedges, b - a, c - a, normal, weight);
}

/// Hoppe 1999, section 4: the gradient that interpolates an attribute over the face. Relative to
/// a corner's own position and attributes, d is 0.
void ErrorMetric::addGradients(const std::array<std::uint32_t, 3>& wedges, const Vec3f& edge1,
                               const Vec3f& edge2, const Vec3f& normal, float weight) {
    const float size = normal.squaredNorm();
    Eigen::Vector4f along1 = Eigen::Vector4f::Zero();
    Eigen::Vector4f along2 = Eigen::Vector4f::Zero();
    along1.head<3>() = edge2.cross(normal) / size;
    along2.head<3>() = normal.cross(edge1) / size;
    std::array<const float*, 3> s;
    std::array<Sum*, 3> sums;
    for (std::size_t k = 0; k < 3; ++k) {
        s[k] = attributesOf(wedges[k]);
        sums[k] = sums_.data() + wedges[k] * count_;
    }
    float by11 = 0, by12 = 0, by22 = 0;  // the sum of all g g^T, by the edges' directions
    for (std::size_t i = 0; i < count_; ++i) {
        const float by1 = s[1][i] - s[0][i];
        const float by2 = s[2][i] - s[0][i];
        by11 += by1 * by1;
        by12 += by1 * by2;
        by22 += by2 * by2;
        const Eigen::Vector4f g = (weight * by1) * along1 + (weight * by2) * along2;
        for (Sum* to : sums) to[i] += g;
    }
    const Vec3f half1 = weight * (by11 * along1 + by12 * along2).head<3>();
    const Vec3f half2 = weight * (by12 * along1 + by22 * along2).head<3>();
    const auto sum = [&](int i, int j) { return half1[i] * along1[j] + half2[i] * along2[j]; };
    const Quadric::Square square{sum(0, 0), sum(0, 1), sum(0, 2), sum(1, 1),
                                 sum(1, 2), sum(2, 2), 0,         0};
    for (const std::uint32_t wedge : wedges) gradients_[wedge].add(square, weight);
}

void ErrorMetric::addBoundaryConstraint(std::uint32_t a, std::uint32_t b, const Vec3f& normal,
                                        float weight) {
    const Vec3f along = position(b) - position(a);
    const Vec3f across = along.cross(normal);
    const float size = across.squaredNorm();
    if (!(size > 0)) return;
    const float held = weight * along.squaredNorm();
    const Quadric::Square square = Quadric::squareOf(across, held / size);
    for (const std::uint32_t end : {a, b}) surfaces_[end].add(square, held);
}

/// Both surfaces' quadrics, relative to the position of `to`.
Quadric ErrorMetric::surface(std::uint32_t from, std::uint32_t to) const {
    Quadric sum = surfaceOf(from);
    sum.moveOrigin(position(to) - position(from));
    sum += surfaceOf(to);
    return sum;
}

/// Both wedges' gradients, relative to the position and attributes of `to`.
void ErrorMetric::pair(const WedgeMerge& merge, const Vec3f& shift, Gradients& both) const {
    both.square = squareOf(merge.from);
    both.square.moveOrigin(shift);
    const float w = gradients_[merge.from].weight;
    const float* s = attributesOf(merge.from);
    const float* t = attributesOf(merge.to);
    for (std::size_t k = 0; k < count_; ++k) {
        const Sum& g = sums_[merge.from * count_ + k];
        const float by = t[k] - s[k];
        const float d = g[3] + (g[0] * shift.x() + g[1] * shift.y() + g[2] * shift.z());
        both.square.addLinear(g.head<3>(), 2 * d - w * by, -by);
        both.sums[k] = g + sums_[merge.to * count_ + k];
        both.sums[k][3] += d - w * by - g[3];
    }
    both.square += squareOf(merge.to);
    both.weight = w + gradients_[merge.to].weight;
}

ErrorMetric::Joined ErrorMetric::onto(std::uint32_t from, std::uint32_t to,
                                      std::span<const WedgeMerge> merges) const {
    const Vec3f shift = position(to) - position(from);
    Joined joined;
    joined.error = errorAt(from, to, shift);
    joined.weight = surfaces_[from].weight + surfaces_[to].weight;
    joined.cost = surfaceCost(from, to, shift);
    for (const WedgeMerge& merge : merges)
        if (count_ > 0) joined.cost += differenceAt(merge.from, merge.to, shift);
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

ErrorMetric::Joined ErrorMetric::together(std::uint32_t from, std::uint32_t to,
                                          std::span<const WedgeMerge> merges) const {
    const Quadric geometry = surface(from, to);
    const Vec3f shift = position(to) - position(from);
    Quadric total = geometry;
    for (const WedgeMerge& merge : merges) {
        if (count_ == 0) break;
        Gradients both;
        pair(merge, shift, both);
        total += both.square;
        if (!(both.weight > 0)) continue;
        for (std::size_t k = 0; k < count_; ++k)
            total.addPlane(both.sums[k].head<3>(), both.sums[k][3], -1 / both.weight);
    }
    const Vec3f middle = -0.5F * shift;
    Joined joined;
    joined.offset = total.minimum(middle, kPull);
    const float far = kFarthest * shift.norm();
    if (!((joined.offset - middle).norm() <= far)) joined.offset = middle;
    joined.weight = surfaces_[from].weight + surfaces_[to].weight;
    joined.error = geometry.at(joined.offset);
    joined.cost = total.at(joined.offset) + kLengthWeight * shift.squaredNorm();
    return joined;
}

/// Goes to the best attributes at a new position: `values` become those.
void ErrorMetric::fitAttributes(Gradients& both, const Vec3f& offset, float* values) const {
    both.square.moveOrigin(offset);
    for (std::size_t k = 0; k < count_; ++k) {
        Sum& sum = both.sums[k];
        sum[3] += sum.head<3>().dot(offset);
        if (!(both.weight > 0)) continue;
        const float by = sum[3] / both.weight;
        both.square.addLinear(sum.head<3>(), 2 * sum[3] - both.weight * by, -by);
        sum[3] = 0;
        values[k] += by;
    }
}

void ErrorMetric::join(std::uint32_t from, std::uint32_t to, std::span<const WedgeMerge> merges,
                       const Vec3f& offset, bool fit) {
    const Vec3f shift = position(to) - position(from);
    Quadric joined = surface(from, to);
    if (fit) joined.moveOrigin(offset);
    surfaces_[to].form = joined.form();
    surfaces_[to].weight += surfaces_[from].weight;
    vertices_[to].c = joined.c();
    vertices_[to].position += offset;
    for (const WedgeMerge& merge : merges) {
        if (count_ == 0) break;
        Gradients both;
        pair(merge, shift, both);
        if (fit) fitAttributes(both, offset, attributesOf(merge.to));
        attributesOf(merge.to)[count_] = both.square.c();
        gradients_[merge.to] = {both.square.form(), both.weight};
        std::copy_n(both.sums.begin(), count_,
                    sums_.begin() + static_cast<std::ptrdiff_t>(merge.to * count_));
    }
}

void ErrorMetric::renumber(const RemapTable& numbers) {
    numbers.apply(vertices_);
    numbers.apply(surfaces_);
    if (count_ == 0) return;
    numbers.apply(gradients_);
    numbers.apply(sums_, count_);
    numbers.apply(attributes_, count_ + 1);
}

}  // namespace flentro
