#include "simplify/reducer.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <limits>
#include <numeric>

#include "base/disjoint_sets.h"
#include "simplify/cost_key.h"
#include "simplify/deviation.h"

namespace flentro {
namespace {

/// Open borders and seams are held by planes at right angles to the surface (Garland &
/// Heckbert 1997, section 6), as strong as the surface itself times these. What lies wrong beside a
/// seam is a texture: its slide counts by the attributes' weights as well.
constexpr float kBorderWeight = 1;
constexpr float kSeamWeight = 0.02F;

/// Pieces below this share of the diagonal may go as soon as they are the cheapest.
constexpr float kLooseSize = 0.02F;

/// Pieces above this share of the whole area are what a thing looks like: they never go.
constexpr float kDropShare = 0.1F;

/// What counts as the same where nothing may be lost, in the attribute's own measure.
constexpr float kSameAttribute = 2e-4F;

std::vector<float> importanceOfWedges(const WedgeMesh& wedges,
                                      const std::vector<std::vector<float>>& importance) {
    std::vector<float> result;
    if (importance.empty()) return result;
    for (std::uint32_t w = 0; w < wedges.wedgeVertex.size(); ++w) {
        const auto& part = importance[wedges.names.partOf(w)];
        result.push_back(part.empty() ? 1.0F : part[wedges.names.originalOf(w)]);
    }
    return result;
}

}  // namespace

Reducer::Reducer(const Mesh& mesh, const ReducerOptions& options)
    : Reducer(build(mesh, options, noProgress()).value()) {}

Expected<Reducer> Reducer::build(const Mesh& mesh, const ReducerOptions& options,
                                 const Progress& progress) {
    auto wedges = buildWedgeMesh(mesh, options.weights, progress);
    if (!wedges) return tl::unexpected(wedges.error());
    Reducer reducer(mesh, options, std::move(*wedges));
    if (auto done = reducer.prepare(options, progress); !done) return tl::unexpected(done.error());
    return reducer;
}

Reducer::Reducer(const Mesh& mesh, const ReducerOptions& options, WedgeMesh wedges)
    : crossSeams_(options.crossSeams && !options.lossless),
      lossless_(options.lossless),
      placement_(options.lossless ? Placement::Existing : options.placement),
      unit_(wedges.unit),
      alive_(wedges.triangles),
      fans_(wedges),
      metric_(wedges, fans_, importanceOfWedges(wedges, options.importance)),
      log_(mesh, std::move(wedges)) {
    if (crossSeams_) log_.beginCrossing();
}

Expected<void> Reducer::prepare(const ReducerOptions& options, const Progress& progress) {
    const std::size_t vertices = log_.vertexCount();
    if (progress.cancelled()) return stopped("Reducing");
    costs_.assign(vertices, kUnknown);
    targets_.assign(vertices, kGone);
    flags_.assign(vertices, 0);
    bucketKeys_.assign(vertices, 0);
    left_ = vertices;
    for (const AttributeSlot& slot : log_.attributeSlots())
        tolerances_.insert(tolerances_.end(), static_cast<std::size_t>(slot.components),
                           kSameAttribute * static_cast<float>(slot.scale));
    findBorders(options.lockBorders);
    lock(options.locked);
    if (progress.cancelled()) return stopped("Reducing");
    findPieces();
    findBlocks();
    return {};
}

// --- what the original is like ------------------------------------------------------------

/// True if the two triangles of an edge have different wedges along it.
bool Reducer::isSeam(Corner corner, Corner other) const {
    const bool sameWay = fans_.vertexAt(corner) == fans_.vertexAt(other);
    const Corner start = sameWay ? other : nextCorner(other);
    const Corner end = sameWay ? nextCorner(other) : other;
    return fans_.wedgeAt(corner) != fans_.wedgeAt(start) ||
           fans_.wedgeAt(nextCorner(corner)) != fans_.wedgeAt(end);
}

/// Marks open borders, non-manifold edges and vertices of several wedges, and holds borders and
/// seams by planes of their own.
void Reducer::findBorders(bool lockBorders) {
    for (Corner triangle = 0; triangle < fans_.end(); triangle += Fans::kStride)
        for (const Corner corner : {triangle, triangle + 1, triangle + 2})
            if (fans_.wedgeAt(corner) != fans_.vertexAt(corner))
                flags_[fans_.vertexAt(corner)] |= Several;
    std::vector<Edge> edges;
    for (const std::uint32_t p : roughVertices()) {
        findEdges(p, edges);
        for (const Edge& edge : edges) {
            if (edge.nexts != 1) flags_[p] |= BothWays;
            if (edge.triangles > 2) flags_[p] |= Locked;
            if (edge.triangles == 1) flags_[p] |= lockBorders ? Border | Locked : Border;
            if (edge.to < p || edge.triangles > 2) continue;
            const Vec3f normal = fans_.facing(edge.corner);
            if (edge.triangles == 1)
                metric_.addBoundaryConstraint(p, edge.to, normal, kBorderWeight);
            else if (isSeam(edge.corner, edge.other))
                metric_.addBoundaryConstraint(p, edge.to, normal, kSeamWeight);
        }
    }
}

/// All vertices but those inside smooth surfaces, nearly: many edges at one count as rough.
std::vector<std::uint32_t> Reducer::roughVertices() const {
    std::vector<std::vector<std::uint32_t>> found((flags_.size() + kBlock - 1) / kBlock);
    parallelRanges(flags_.size(), kBlock, [&](std::size_t begin, std::size_t end) {
        for (auto p = static_cast<std::uint32_t>(begin); p < end; ++p)
            if (!isSmoothInside(p)) found[begin / kBlock].push_back(p);
    });
    std::vector<std::uint32_t> all;
    for (const auto& some : found) all.insert(all.end(), some.begin(), some.end());
    return all;
}

/// True if each neighbour is once a next and once a previous one, and all have one wedge: what
/// most are.
bool Reducer::isSmoothInside(std::uint32_t vertex) const {
    if (flags_[vertex] & Several) return false;
    constexpr std::size_t kMax = 8;  // so that all are compared at once
    std::array<std::uint32_t, kMax> nexts, previous;
    nexts.fill(kGone);
    std::size_t count = 0;
    for (const Corner corner : fans_.at(vertex)) {
        if (count == kMax) return false;
        nexts[count] = fans_.vertexAt(nextCorner(corner));
        previous[count] = fans_.vertexAt(previousCorner(corner));
        if (flags_[nexts[count++]] & Several) return false;
    }
    std::array<std::uint32_t, kMax> asNext{}, asPrevious{};
    for (std::size_t i = 0; i < count; ++i)
        for (std::size_t k = 0; k < kMax; ++k) {
            asNext[k] += nexts[k] == nexts[i];
            asPrevious[k] += nexts[k] == previous[i];
        }
    const auto once = [&](const auto& counts) {
        return std::all_of(counts.begin(), counts.begin() + static_cast<long>(count),
                           [](std::uint32_t n) { return n == 1; });
    };
    return once(asNext) && once(asPrevious);
}

void Reducer::findEdges(std::uint32_t vertex, std::vector<Edge>& edges) const {
    edges.clear();
    const auto add = [&](std::uint32_t to, Corner corner, int nexts) {
        for (Edge& edge : edges)
            if (edge.to == to) {
                edge.nexts += nexts;
                ++edge.triangles;
                edge.other = corner;
                return;
            }
        edges.push_back({to, corner, kGone, nexts, 1});
    };
    for (const Corner corner : fans_.at(vertex)) {
        add(fans_.vertexAt(nextCorner(corner)), corner, 1);
        add(fans_.vertexAt(previousCorner(corner)), previousCorner(corner), 0);
    }
}

void Reducer::lock(const std::vector<std::vector<bool>>& locked) {
    if (locked.empty()) return;
    const OriginalIndices& names = log_.names();
    for (std::uint32_t wedge = 0; wedge < names.originals.size(); ++wedge)
        if (locked[names.partOf(wedge)][names.originalOf(wedge)])
            flags_[fans_.vertexOf(wedge)] |= Locked;
}

/// Loose pieces: vertices that triangles hold together.
void Reducer::findPieces() {
    DisjointSets sets(flags_.size());
    for (Corner corner = 0; corner < fans_.end(); corner += Fans::kStride) {
        sets.join(fans_.vertexAt(corner), fans_.vertexAt(corner + 1));
        sets.join(fans_.vertexAt(corner), fans_.vertexAt(corner + 2));
    }
    std::vector<std::uint32_t> pieceOf(flags_.size());
    std::vector<Eigen::AlignedBox3f> bounds;
    for (std::uint32_t p = 0; p < pieceOf.size(); ++p) {
        const std::uint32_t first = sets.find(p);
        pieceOf[p] = first == p ? static_cast<std::uint32_t>(bounds.size()) : pieceOf[first];
        if (first == p) bounds.emplace_back();
        bounds[pieceOf[p]].extend(metric_.position(p));
    }
    for (const Eigen::AlignedBox3f& box : bounds)
        pieces_.push_back({box.diagonal().norm(), 0, 0, 0, false});
    for (Corner corner = 0; corner < fans_.end(); corner += Fans::kStride) {
        Piece& piece = pieces_[pieceOf[fans_.vertexAt(corner)]];
        const Vec3f& a = metric_.position(fans_.vertexAt(corner));
        piece.area += 0.5F * (metric_.position(fans_.vertexAt(corner + 1)) - a)
                                 .cross(metric_.position(fans_.vertexAt(corner + 2)) - a)
                                 .norm();
        ++piece.triangles;
    }
    float area = 0;
    for (const Piece& piece : pieces_) area += piece.area;
    mostDropped_ = kDropShare * area;
    piecesLeft_ = pieces_.size();
    if (pieces_.size() < 2) return;
    if (!lossless_) measureGaps(pieceOf);
    log_.setPieces(std::move(pieceOf));
}

/// How far the small pieces are from the large ones: what it costs when they go. A speck that
/// floats far away is dear, however small it is.
void Reducer::measureGaps(const std::vector<std::uint32_t>& pieceOf) {
    const auto largest =
        std::max_element(pieces_.begin(), pieces_.end(),
                         [](const Piece& a, const Piece& b) { return a.area < b.area; });
    const auto stays = [&](std::uint32_t piece) {
        return pieces_[piece].size >= kLooseSize || &pieces_[piece] == &*largest;
    };
    std::vector<Vec3f> positions;
    for (std::uint32_t p = 0; p < pieceOf.size(); ++p) positions.push_back(metric_.position(p));
    Part part;
    for (Corner corner = 0; corner < fans_.end(); corner += Fans::kStride)
        if (stays(pieceOf[fans_.vertexAt(corner)]))
            for (const Corner k : {corner, corner + 1, corner + 2})
                part.indices.push_back(fans_.vertexAt(k));
    if (part.indices.size() / 3 == log_.mostTriangles()) return;
    part.set("POSITION", makeStream(positions));
    Mesh mesh;
    mesh.parts.push_back(std::move(part));
    const Surface surface(mesh);
    for (std::uint32_t p = 0; p < pieceOf.size(); ++p) {
        Piece& piece = pieces_[pieceOf[p]];
        if (!stays(pieceOf[p]))
            piece.gap = std::max(piece.gap, static_cast<float>(surface.distanceTo(positions[p])));
    }
}

Expected<void> Reducer::reduceTo(std::size_t triangles, double maxDeviation, Progress& progress) {
    const auto start = static_cast<double>(alive_);
    const Goal goal{triangles, maxDeviation / unit_, progress};
    bool lookedAtAll = false;
    while (alive_ > triangles && !progress.cancelled()) {
        progress.report(
            (start - static_cast<double>(alive_)) / (start - static_cast<double>(triangles)),
            "Reducing");
        if (sweep(goal) > 0) {
            lookedAtAll = false;
            continue;
        }
        if (lookedAtAll) {
            if (dropsLarge_ || !crossSeams_ || piecesLeft_ < 2) break;
            dropsLarge_ = true;
        }
        for (std::uint32_t p = 0; p < costs_.size(); ++p)
            costs_[p] = flags_[p] & Gone ? kBlocked : kUnknown;
        lookedAtAll = true;
    }
    if (progress.cancelled()) return stopped("Reducing");
    return {};
}

// --- pieces and moves --------------------------------------------------------------------

/// The pieces that may go for no more than some cost, the cheapest first. A piece that goes leaves
/// its area as far from what remains as it was, and half its size at least.
std::vector<std::pair<float, std::uint32_t>> Reducer::drops(std::uint32_t dearest) const {
    std::vector<std::pair<float, std::uint32_t>> found;
    if (pieces_.size() < 2 || lossless_) return found;
    for (std::uint32_t i = 0; i < pieces_.size(); ++i) {
        const Piece& piece = pieces_[i];
        const bool loose = piece.size < kLooseSize || dropsLarge_;
        const float away = std::max(piece.gap, piece.size / 2);
        const float cost = piece.area * away * away;
        if (piece.dropped || piece.area > mostDropped_ || !loose || costKey(cost) > dearest)
            continue;
        found.emplace_back(cost, i);
    }
    std::sort(found.begin(), found.end());
    return found;
}

bool Reducer::tryDrop(std::uint32_t index, double limit) {
    Piece& piece = pieces_[index];
    const auto away = static_cast<double>(std::max(piece.gap, piece.size));
    if (away > limit || piecesLeft_ < 2) return false;
    piece.dropped = dropsNow_ = true;
    --piecesLeft_;
    alive_ -= piece.triangles;
    log_.addDrop(index, piece.triangles, static_cast<float>(away * unit_));
    return true;
}

void Reducer::removeDropped() {
    dropsNow_ = false;
    for (std::uint32_t p = 0; p < flags_.size(); ++p) {
        if (flags_[p] & Gone || !isDropped(p)) continue;
        flags_[p] |= Gone;
        --left_;
        costs_[p] = kBlocked;
        for (const Corner corner : fans_.at(p)) fans_.remove(corner);
    }
}

/// Numbers what is left anew, so that it lies together again.
void Reducer::renumber() {
    const auto wedges =
        static_cast<std::uint32_t>(names_.empty() ? log_.names().originals.size() : names_.size());
    const RemapTable numbers(wedges, static_cast<std::uint32_t>(flags_.size()),
                             [&](auto w) { return !(flags_[fans_.vertexOf(w)] & Gone); });
    std::vector<std::uint32_t> names;
    numbers.forEachLeft(
        wedges, [&](std::size_t w) { names.push_back(nameOf(static_cast<std::uint32_t>(w))); });
    names_ = std::move(names);
    for (std::uint32_t p = 0; p < costs_.size(); ++p) {
        if (targets_[p] == kGone) continue;
        targets_[p] = numbers.of(targets_[p]);
        if (targets_[p] == kGone && costs_[p] != kBlocked) costs_[p] = -std::fabs(costs_[p]);
    }
    const auto shorten = [&](auto& values) {
        numbers.apply(values);
        values.shrink_to_fit();
    };
    shorten(costs_);
    shorten(targets_);
    shorten(bucketKeys_);
    shorten(flags_);
    metric_.renumber(numbers);
    fans_.renumber(numbers);
    findBlocks();
}

}  // namespace flentro
