#include "geometry/weld.h"

#include <xxhash.h>

#include <algorithm>
#include <array>
#include <bit>
#include <cstring>
#include <numeric>

namespace flentro {
namespace {

/// For each of `count` things the first that is equal to it: a table with open addressing. Its
/// slots are asked for some way ahead, as nearly each lies elsewhere in memory.
template <typename HashOf, typename AreEqual>
std::vector<std::uint32_t> firstEqual(std::size_t count, HashOf&& hashOf, AreEqual&& areEqual) {
    constexpr std::uint32_t kFree = ~0U;
    constexpr std::size_t kAhead = 16;
    const std::size_t mask = std::bit_ceil(2 * count + 1) - 1;
    std::vector<std::uint32_t> table(mask + 1, kFree);
    std::vector<std::uint32_t> result(count);
    std::array<std::size_t, kAhead> slots{};
    for (std::size_t ahead = 0; ahead < count + kAhead; ++ahead) {
        std::size_t& next = slots[ahead % kAhead];
        if (ahead >= kAhead) {
            const auto i = static_cast<std::uint32_t>(ahead - kAhead);
            std::size_t slot = next;
            while (table[slot] != kFree && !areEqual(table[slot], i)) slot = (slot + 1) & mask;
            if (table[slot] == kFree) table[slot] = i;
            result[i] = table[slot];
        }
        if (ahead >= count) continue;
        next = hashOf(ahead) & mask;
        __builtin_prefetch(&table[next], 1);
    }
    return result;
}

/// The bytes of each vertex, attribute by attribute.
class VertexBytes {
public:
    explicit VertexBytes(const Part& part) {
        const auto add = [&](const std::vector<Attribute>& attributes) {
            for (const Attribute& attribute : attributes)
                streams_.push_back(
                    {attribute.stream->data.data(), attribute.stream->elementSize()});
        };
        add(part.attributes);
        for (const auto& target : part.targets) add(target);
    }
    [[nodiscard]] std::uint64_t hash(std::size_t vertex) const {
        std::uint64_t hash = 0;
        for (const auto& [data, size] : streams_)
            hash = XXH3_64bits_withSeed(data + vertex * size, size, hash);
        return hash;
    }
    [[nodiscard]] bool areEqual(std::size_t a, std::size_t b) const {
        for (const auto& [data, size] : streams_)
            if (std::memcmp(data + a * size, data + b * size, size) != 0) return false;
        return true;
    }

private:
    struct Bytes {
        const std::byte* data;
        std::size_t size;  ///< Of an element.
    };
    std::vector<Bytes> streams_;
};

}  // namespace

std::vector<std::uint32_t> firstEqualPosition(const std::vector<Vec3f>& positions) {
    const auto bitsOf = [&](std::size_t i) {
        const Vec3f unsignedZero = positions[i] + Vec3f::Zero();
        std::array<std::uint32_t, 3> bits;
        std::memcpy(bits.data(), unsignedZero.data(), sizeof bits);
        return bits;
    };
    return firstEqual(
        positions.size(),
        [&](std::size_t i) {
            const auto bits = bitsOf(i);
            return XXH3_64bits(bits.data(), sizeof bits);
        },
        [&](std::size_t a, std::size_t b) { return bitsOf(a) == bitsOf(b); });
}

WeldedMesh weldPositions(const Mesh& mesh) {
    WeldedMesh welded;
    for (const Part& part : mesh.parts) {
        const auto first = static_cast<std::uint32_t>(welded.points.size());
        welded.firstPoints.push_back(first);
        const Stream* positions = part.find("POSITION");
        if (!positions) continue;
        const std::vector<Vec3f> more = toVectors(*positions);
        welded.points.insert(welded.points.end(), more.begin(), more.end());
        if (!part.isTriangles()) continue;
        for (const std::uint32_t index : part.indices) welded.corners.push_back(first + index);
    }
    welded.same = firstEqualPosition(welded.points);
    for (std::uint32_t& corner : welded.corners) corner = welded.same[corner];
    return welded;
}

std::vector<std::uint32_t> firstEqualVertex(const Part& part) {
    const VertexBytes bytes(part);
    return firstEqual(
        part.vertexCount(), [&](std::size_t i) { return bytes.hash(i); },
        [&](std::size_t a, std::size_t b) { return bytes.areEqual(a, b); });
}

std::vector<std::uint32_t> firstEqualVertex(const Part& part,
                                            std::span<const std::uint32_t> among) {
    const VertexBytes bytes(part);
    const std::vector<std::uint32_t> first = firstEqual(
        among.size(), [&](std::size_t i) { return bytes.hash(among[i]); },
        [&](std::size_t a, std::size_t b) { return bytes.areEqual(among[a], among[b]); });
    std::vector<std::uint32_t> result(part.vertexCount());
    std::iota(result.begin(), result.end(), 0U);
    for (std::size_t i = 0; i < among.size(); ++i) result[among[i]] = among[first[i]];
    return result;
}

bool isClosedOutward(const std::vector<Vec3f>& points, std::span<const std::uint32_t> corners) {
    std::vector<std::pair<std::uint32_t, std::uint32_t>> edges;
    for (std::size_t c = 0; c + 2 < corners.size(); c += 3)
        for (std::size_t k = 0; k < 3; ++k) {
            const std::uint32_t from = corners[c + k];
            const std::uint32_t to = corners[c + (k + 1) % 3];
            if (from != to) edges.emplace_back(from, to);
        }
    std::sort(edges.begin(), edges.end());
    for (auto first = edges.begin(); first != edges.end();) {
        const auto [begin, end] = std::equal_range(first, edges.end(), *first);
        const auto back =
            std::equal_range(edges.begin(), edges.end(), std::pair(first->second, first->first));
        if (end - begin != back.second - back.first) return false;
        first = end;
    }
    double volume = 0;
    for (std::size_t c = 0; c + 2 < corners.size(); c += 3) {
        const auto at = [&](std::size_t k) { return points[corners[c + k]].cast<double>(); };
        volume += at(0).dot(at(1).cross(at(2)));
    }
    return !edges.empty() && volume >= 0;
}

}  // namespace flentro
