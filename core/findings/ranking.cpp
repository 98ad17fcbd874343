#include "findings/ranking.h"

#include <algorithm>
#include <set>
#include <unordered_map>

#include "measure/inventory.h"

namespace flentro {
namespace {

double valueOf(const Blame& blame, Measure by) {
    if (by == Measure::DrawCalls) return blame.drawCalls;
    if (by == Measure::TextureBytes) return blame.textureBytes;
    return blame.triangles;
}

/// Adds up drawn objects into one entry for each asset, or makes one for each object.
class Ranking {
public:
    Ranking(const Scene& scene, const Target& target, BlameKind kind)
        : scene_(scene), target_(target), kind_(kind) {}

    void add(const DrawnObject& drawn) {
        const Object& object = scene_.objects[drawn.object];
        const Mesh& mesh =
            *scene_.assets[static_cast<std::size_t>(object.asset)].level(drawn.level);
        Blame& blame = entryFor(drawn.object, object, mesh);
        ++blame.copies;
        blame.triangles += static_cast<double>(mesh.triangles);
        const bool counts = kind_ == BlameKind::Object || !target_.instancing ||
                            batches_.emplace(object.asset, drawn.level).second;
        if (counts) blame.drawCalls += static_cast<double>(mesh.parts.size());
    }

    void add(const DrawnLight& drawn) {
        const PlacedLight& light = scene_.placedLights[drawn.light];
        entries_.push_back(
            {light.name, drawn.light, 1, drawn.shadowTriangles, drawn.shadowCalls, 0, 0});
    }

    [[nodiscard]] std::vector<Blame> sorted(Measure by) {
        double total = 0;
        for (const Blame& blame : entries_) total += valueOf(blame, by);
        for (Blame& blame : entries_) blame.share = total > 0 ? valueOf(blame, by) / total : 0;
        std::stable_sort(entries_.begin(), entries_.end(), [by](const Blame& a, const Blame& b) {
            const double x = valueOf(a, by);
            const double y = valueOf(b, by);
            return x != y ? x > y : a.index < b.index;
        });
        return std::move(entries_);
    }

private:
    Blame& entryFor(std::size_t index, const Object& object, const Mesh& mesh) {
        const auto asset = static_cast<std::size_t>(object.asset);
        const std::size_t key = kind_ == BlameKind::Asset ? asset : index;
        const auto [at, isNew] = slots_.try_emplace(key, entries_.size());
        if (isNew) {
            const std::string& name =
                kind_ == BlameKind::Asset ? scene_.assets[asset].mesh->name : object.name;
            entries_.push_back({name, key, 0, 0, 0, textureBytesOf(scene_, target_, mesh), 0});
        }
        return entries_[at->second];
    }

    const Scene& scene_;
    const Target& target_;
    BlameKind kind_;
    std::vector<Blame> entries_;
    std::unordered_map<std::size_t, std::size_t> slots_;
    std::set<std::pair<int, std::uint32_t>> batches_;
};

}  // namespace

std::vector<Blame> rank(const Scene& scene, const Target& target, const ViewCost& cost,
                        BlameKind kind, Measure by) {
    Ranking ranking(scene, target, kind);
    if (kind == BlameKind::Light)
        for (const DrawnLight& drawn : cost.lights) ranking.add(drawn);
    else
        for (const DrawnObject& drawn : cost.drawn) ranking.add(drawn);
    return ranking.sorted(by);
}

std::vector<float> shareOfTriangles(const Scene& scene, const std::vector<DrawnObject>& drawn) {
    std::vector<float> shares(scene.objects.size(), 0.0F);
    double total = 0;
    const auto triangles = [&](const DrawnObject& entry) {
        const Object& object = scene.objects[entry.object];
        const Asset& asset = scene.assets[static_cast<std::size_t>(object.asset)];
        return static_cast<double>(asset.level(entry.level)->triangles);
    };
    for (const DrawnObject& entry : drawn) total += triangles(entry);
    for (const DrawnObject& entry : drawn)
        if (total > 0) shares[entry.object] = static_cast<float>(triangles(entry) / total);
    return shares;
}

}  // namespace flentro
