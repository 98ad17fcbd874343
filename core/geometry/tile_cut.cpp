#include "geometry/tile_cut.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "base/index.h"

namespace flentro {
namespace {

constexpr double kSame = 1e-6;      ///< Of a tile: corners nearer than that to a border lie on it.
constexpr double kRounding = 1e-3;  ///< Of a tile: triangles that begin so near the next are of it.
constexpr double kFarthest = 1e6;   ///< Tiles from the origin.

/// A corner of a piece: a point of a triangle by its weights.
struct Corner {
    Vec3d weights = Vec3d::Zero();
    Eigen::Vector2d at = Eigen::Vector2d::Zero();  ///< Texture coordinates.
};
using Piece = std::vector<Corner>;

struct Tile {
    long u = 0, v = 0;
    auto operator<=>(const Tile&) const = default;
};

/// What of a piece lies where sign * coordinate >= sign * border (Sutherland and Hodgman 1974).
Piece clipped(const Piece& piece, int axis, double border, double sign) {
    Piece kept;
    const auto inside = [&](const Corner& c) { return sign * (c.at[axis] - border) >= -kSame; };
    for (std::size_t i = 0; i < piece.size(); ++i) {
        const Corner& from = piece[i];
        const Corner& to = piece[(i + 1) % piece.size()];
        if (inside(from)) kept.push_back(from);
        if (inside(from) == inside(to)) continue;
        const double share = (border - from.at[axis]) / (to.at[axis] - from.at[axis]);
        Corner cut{from.weights + share * (to.weights - from.weights),
                   from.at + share * (to.at - from.at)};
        cut.at[axis] = border;
        kept.push_back(cut);
    }
    return kept;
}

double areaOf(const Piece& piece) {
    double twice = 0;
    for (std::size_t i = 0; i < piece.size(); ++i) {
        const Eigen::Vector2d& a = piece[i].at;
        const Eigen::Vector2d& b = piece[(i + 1) % piece.size()].at;
        twice += a.x() * b.y() - a.y() * b.x();
    }
    return std::fabs(twice) / 2;
}

class Cutter {
public:
    explicit Cutter(const Part& part) : part_(part), coords_(*part.find("TEXCOORD_0")) {}

    bool run(std::size_t mostTiles) {
        for (std::size_t i = 0; i + 2 < part_.indices.size(); i += 3)
            if (!cut({part_.indices[i], part_.indices[i + 1], part_.indices[i + 2]}, mostTiles))
                return false;
        return true;
    }

    [[nodiscard]] Part result() const {
        Part cut = part_;
        cut.indices = indices_;
        for (Attribute& attribute : cut.attributes)
            attribute.stream = std::make_shared<const Stream>(streamFor(attribute));
        return cut;
    }

private:
    using Triangle = std::array<std::uint32_t, 3>;

    bool cut(const Triangle& triangle, std::size_t mostTiles) {
        Piece whole;
        Eigen::AlignedBox2d box;
        for (std::size_t k = 0; k < 3; ++k) {
            Corner corner;
            corner.weights[static_cast<Eigen::Index>(k)] = 1;
            corner.at = {coords_.value(triangle[k], 0), coords_.value(triangle[k], 1)};
            if (!corner.at.allFinite() || corner.at.cwiseAbs().maxCoeff() > kFarthest) return false;
            box.extend(corner.at);
            whole.push_back(corner);
        }
        const auto first = [](double c) { return static_cast<long>(std::floor(c + kSame)); };
        const auto last = [](double c) { return static_cast<long>(std::ceil(c - kSame)) - 1; };
        const Tile low{first(box.min().x()), first(box.min().y())};
        const Tile high{std::max(low.u, last(box.max().x())), std::max(low.v, last(box.max().y()))};
        if (static_cast<std::size_t>((high.u - low.u + 1) * (high.v - low.v + 1)) > mostTiles)
            return false;
        const bool isFlat = !(areaOf(whole) > 0);
        for (long u = low.u; u <= high.u; ++u)
            for (long v = low.v; v <= high.v; ++v) {
                Piece piece = whole;
                if (low != high && !isFlat)
                    piece = clipped(
                        clipped(clipped(clipped(whole, 0, double(u), 1), 0, double(u + 1), -1), 1,
                                double(v), 1),
                        1, double(v + 1), -1);
                else if (low != high && (u != low.u || v != low.v))
                    continue;
                emit(piece, {u, v}, triangle);
            }
        return true;
    }

    void emit(const Piece& piece, const Tile& tile, const Triangle& triangle) {
        std::vector<std::uint32_t> fan;
        for (const Corner& corner : piece) {
            const std::uint32_t vertex = vertexOf(corner, tile, triangle);
            if (fan.empty() || (fan.back() != vertex && fan.front() != vertex))
                fan.push_back(vertex);
        }
        for (std::size_t i = 1; i + 1 < fan.size(); ++i)
            indices_.insert(indices_.end(), {fan[0], fan[i], fan[i + 1]});
    }

    /// Corners on one edge of the old mesh, or at one of its vertices, are shared within a tile.
    std::uint32_t vertexOf(const Corner& corner, const Tile& tile, const Triangle& triangle) {
        std::array<std::pair<std::uint32_t, double>, 3> mix;
        for (std::size_t k = 0; k < 3; ++k) {
            const double weight = corner.weights[static_cast<Eigen::Index>(k)];
            mix[k] = weight > kSame ? std::pair(triangle[k], weight) : std::pair(~0U, 0.0);
        }
        std::sort(mix.begin(), mix.end());
        std::array<std::int64_t, 6> key{};
        for (std::size_t k = 0; k < 3; ++k) {
            key[2 * k] = mix[k].first;
            key[2 * k + 1] = std::llround(mix[k].second * 1e5);
        }
        const auto [known, isNew] = known_.try_emplace({tile, key}, mixes_.size());
        if (isNew) mixes_.push_back(mix);
        return static_cast<std::uint32_t>(known->second);
    }

    [[nodiscard]] Stream streamFor(const Attribute& attribute) const {
        const Stream& from = *attribute.stream;
        Stream to = from;
        to.data.assign(from.elementSize() * mixes_.size(), std::byte{0});
        const bool isDirection = attribute.semantic == "NORMAL" || attribute.semantic == "TANGENT";
        for (std::size_t v = 0; v < mixes_.size(); ++v) {
            std::array<double, 16> sum{};
            for (const auto& [vertex, weight] : mixes_[v])
                for (int c = 0; weight > 0 && c < from.components; ++c)
                    elementOf(sum, c) += weight * static_cast<double>(from.value(vertex, c));
            if (isDirection) {
                const double length =
                    std::sqrt(sum[0] * sum[0] + sum[1] * sum[1] + sum[2] * sum[2]);
                for (std::size_t c = 0; length > 0 && c < 3; ++c) sum[c] /= length;
                if (from.components == 4) sum[3] = sum[3] < 0 ? -1 : 1;
            }
            for (int c = 0; c < from.components; ++c)
                to.set(v, c, static_cast<float>(elementOf(sum, c)));
        }
        return to;
    }

    using Mix = std::array<std::pair<std::uint32_t, double>, 3>;  ///< Old vertices by weight.

    const Part& part_;
    const Stream& coords_;
    std::map<std::pair<Tile, std::array<std::int64_t, 6>>, std::size_t> known_;
    std::vector<Mix> mixes_;  ///< [new vertices]
    std::vector<std::uint32_t> indices_;
};

/// Nothing for parts without coordinates to cut at.
const Stream* tileCoords(const Part& part) {
    const Stream* coords = part.find("TEXCOORD_0");
    const bool isCuttable =
        part.isTriangles() && !part.isDeformable() && coords && coords->components == 2;
    return isCuttable ? coords : nullptr;
}

}  // namespace

std::optional<Part> cutAtTiles(const Part& part, std::size_t mostTiles) {
    if (!tileCoords(part)) return std::nullopt;
    Cutter cutter(part);
    if (!cutter.run(mostTiles)) return std::nullopt;
    return cutter.result();
}

std::optional<Part> detachAtTiles(const Part& part) {
    const Stream* coords = tileCoords(part);
    if (!coords) return std::nullopt;
    std::map<std::pair<Tile, std::uint32_t>, std::uint32_t> known;
    std::vector<std::uint32_t> kept;
    std::vector<std::uint32_t> indices;
    bool isSound = true;
    forEachTriangle(part, [&](const Corners& triangle) {
        Eigen::Array2d low = Eigen::Array2d::Constant(kFarthest);
        for (const std::uint32_t corner : triangle) {
            const Eigen::Array2d at(coords->value(corner, 0), coords->value(corner, 1));
            isSound = isSound && at.allFinite() && at.abs().maxCoeff() <= kFarthest;
            low = low.min(at);
        }
        if (!isSound) return;
        const Eigen::Array2d floor = (low + kRounding).floor();
        const Tile tile{static_cast<long>(floor.x()), static_cast<long>(floor.y())};
        for (const std::uint32_t corner : triangle) {
            const auto [at, isNew] =
                known.try_emplace({tile, corner}, static_cast<std::uint32_t>(kept.size()));
            if (isNew) kept.push_back(corner);
            indices.push_back(at->second);
        }
    });
    if (!isSound) return std::nullopt;
    return selectVertices(part, kept, std::move(indices));
}

}  // namespace flentro
