#include "geometry/weld.h"

#include <cstring>
#include <unordered_map>

namespace flentro {
namespace {

Hash hashVertex(const Part& part, std::size_t vertex) {
    Hasher hasher;
    const auto add = [&](const std::vector<Attribute>& attributes) {
        for (const Attribute& attribute : attributes) {
            const std::size_t size = attribute.stream->elementSize();
            hasher.bytes({attribute.stream->data.data() + vertex * size, size});
        }
    };
    add(part.attributes);
    for (const auto& target : part.targets) add(target);
    return hasher.result();
}

struct PositionKey {
    std::array<std::uint32_t, 3> bits;
    bool operator==(const PositionKey&) const = default;
};

struct PositionHash {
    std::size_t operator()(const PositionKey& key) const {
        std::uint64_t h = key.bits[0] * 0x9E3779B97F4A7C15ULL;
        h = (h ^ (h >> 29) ^ key.bits[1]) * 0xBF58476D1CE4E5B9ULL;
        h = (h ^ (h >> 32) ^ key.bits[2]) * 0x94D049BB133111EBULL;
        return h ^ (h >> 31);
    }
};

PositionKey keyOf(const Vec3f& p) {
    const Vec3f unsignedZero = p + Vec3f::Zero();
    PositionKey key;
    std::memcpy(key.bits.data(), unsignedZero.data(), sizeof key.bits);
    return key;
}

}  // namespace

std::vector<std::uint32_t> firstEqualPosition(const std::vector<Vec3f>& positions) {
    std::unordered_map<PositionKey, std::uint32_t, PositionHash> first;
    first.reserve(positions.size());
    std::vector<std::uint32_t> result(positions.size());
    for (std::uint32_t i = 0; i < positions.size(); ++i)
        result[i] = first.try_emplace(keyOf(positions[i]), i).first->second;
    return result;
}

WeldedMesh weldPlaces(const Mesh& mesh) {
    WeldedMesh welded;
    for (const Part& part : mesh.parts) {
        const auto first = static_cast<std::uint32_t>(welded.points.size());
        welded.firstPoints.push_back(first);
        const Stream* places = part.find("POSITION");
        if (!places) continue;
        const std::vector<Vec3f> more = toVectors(*places);
        welded.points.insert(welded.points.end(), more.begin(), more.end());
        if (!part.isTriangles()) continue;
        for (const std::uint32_t index : part.indices) welded.corners.push_back(first + index);
    }
    welded.same = firstEqualPosition(welded.points);
    for (std::uint32_t& corner : welded.corners) corner = welded.same[corner];
    return welded;
}

std::vector<std::uint32_t> firstEqualVertex(const Part& part) {
    std::unordered_map<Hash, std::uint32_t> first;
    std::vector<std::uint32_t> result(part.vertexCount());
    first.reserve(result.size());
    for (std::uint32_t i = 0; i < result.size(); ++i)
        result[i] = first.try_emplace(hashVertex(part, i), i).first->second;
    return result;
}

}  // namespace flentro
