#include "findings/rules/rule.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "base/index.h"
#include "geometry/mesh_materials.h"

namespace flentro {

Hash contentOf(const Scene& scene, const Mesh& mesh) {
    Hasher hasher;
    hasher.add(mesh.hash);
    for (const Part& part : mesh.parts)
        hasher.add(part.material < 0 ? AlphaMode::Opaque
                                     : elementOf(scene.materials, part.material).alphaMode);
    return hasher.result();
}

double pixelsAcross(const Object& object, double distance, const Target& target) {
    return sizeOf(object) * pixelsPerMetreAtOne(target) / std::max(distance, 1e-9);
}

std::vector<double> glimpseScales(const FindingInput& in, double share) {
    std::vector<std::vector<double>> scales(in.scene.assets.size());
    for (const SpotResult& spot : in.survey->spots) {
        if (!spot.done) continue;
        for (const SeenObject& seen : spot.seen.objects) {
            const Object& object = in.scene.objects[seen.object];
            if (seen.distance <= 0 || spot.sightings.levelOf(seen.object) > 0) continue;
            elementOf(scales, object.asset)
                .push_back(object.scale / static_cast<double>(seen.distance));
        }
    }
    std::vector<double> result;
    for (std::vector<double>& all : scales) {
        const auto at = static_cast<std::ptrdiff_t>(share * static_cast<double>(all.size()));
        if (!all.empty())
            std::nth_element(all.begin(), all.begin() + at, all.end(), std::greater<>());
        result.push_back(all.empty() ? 0 : elementOf(all, at) * pixelsPerMetreAtOne(in.target));
    }
    return result;
}

Relief triangleRelief(const FindingInput& in, std::size_t asset,
                      const std::function<double(const DrawnObject&, double triangles)>& kept) {
    return in.views.relief([&](const CountedView& view) {
        Counts saved{};
        for (const DrawnObject& drawn : view.drawnOf(asset)) {
            const auto triangles =
                static_cast<double>(in.scene.assets[asset].level(drawn.level)->triangles);
            const double less = triangles - std::min(triangles, kept(drawn, triangles));
            const double times = in.target.eyes + view.shadowOf(drawn.object).passes;
            at(saved, Measure::Triangles) += less * times;
        }
        return saved;
    });
}

Relief reliefWithout(const FindingInput& in,
                     const std::function<bool(const CountedView&, const DrawnObject&)>& isGone) {
    return in.views.relief([&](const CountedView& view) {
        Counts saved{};
        // The parts of each batch at a level, until one of its objects stays.
        std::map<std::pair<std::uint32_t, std::uint32_t>, double> batches;
        for (const DrawnObject& drawn : view.drawn) {
            const Object& object = in.scene.objects[drawn.object];
            const Mesh& mesh = *in.scene.asset(object).level(drawn.level);
            const bool gone = isGone(view, drawn);
            const auto parts = static_cast<double>(mesh.parts.size());
            double& left =
                batches.try_emplace({in.batches[drawn.object], drawn.level}, parts).first->second;
            if (!gone) {
                left = 0;
                continue;
            }
            at(saved, Measure::Objects) += 1;
            const ShadowDraw shadow = view.shadowOf(drawn.object);
            const double times = in.target.eyes + shadow.passes;
            at(saved, Measure::Triangles) += static_cast<double>(mesh.triangles) * times;
            at(saved, Measure::DrawCalls) += shadow.calls;
        }
        for (const auto& [batch, parts] : batches)
            at(saved, Measure::DrawCalls) += parts * in.target.passes();
        return saved;
    });
}

Relief materialRelief(const FindingInput& in, std::size_t asset, std::size_t materials) {
    std::vector<double> counts;
    for (const Asset& one : in.scene.assets)
        counts.push_back(static_cast<double>(materialCount(*one.mesh)));
    const double own = counts[asset];
    const double wanted = std::min(own, static_cast<double>(materials));
    const double callsSaved =
        (own - wanted) / static_cast<double>(in.scene.assets[asset].mesh->parts.size());
    return in.views.relief([&](const CountedView& view) {
        Counts saved{};
        if (view.assets[asset].copies == 0) return saved;
        at(saved, Measure::DrawCalls) = view.assets[asset].drawCalls * callsSaved;
        double others = wanted;
        for (std::size_t a = 0; a < view.assets.size(); ++a)
            if (a != asset && view.assets[a].copies > 0) others = std::max(others, counts[a]);
        at(saved, Measure::MaterialsPerObject) =
            std::max(0.0, at(view.cost.counts, Measure::MaterialsPerObject) - others);
        return saved;
    });
}

Relief imageRelief(const FindingInput& in, const std::vector<ImageSaving>& savings) {
    return in.views.relief([&](const CountedView& view) {
        Counts saved{};
        std::vector<int> edges(view.images.size(), -1);
        for (const ImageSaving& saving : savings) {
            edges[saving.image] = saving.edge;
            if (view.images[saving.image]) at(saved, Measure::TextureBytes) += saving.bytes;
        }
        double largest = 0;
        for (std::size_t i = 0; i < view.images.size(); ++i) {
            if (!view.images[i]) continue;
            const int edge = edges[i] >= 0 ? edges[i] : edgeOf(in.scene.images[i]);
            largest = std::max(largest, static_cast<double>(edge));
        }
        at(saved, Measure::TextureEdge) =
            std::max(0.0, at(view.cost.counts, Measure::TextureEdge) - largest);
        return saved;
    });
}

Relief lightRelief(const FindingInput& in,
                   const std::function<bool(const CountedView&, std::size_t light)>& staysLit) {
    return in.views.relief([&](const CountedView& view) {
        Counts saved{};
        for (const DrawnLight& drawn : view.cost.lights) {
            if (staysLit(view, drawn.light)) continue;
            at(saved, Measure::Lights) += 1;
            if (!drawn.castsShadow) continue;
            at(saved, Measure::ShadowLights) += 1;
            at(saved, Measure::Triangles) += drawn.shadowTriangles;
            at(saved, Measure::DrawCalls) += drawn.shadowCalls;
        }
        return saved;
    });
}

double wholeOf(const FindingInput& in, Measure measure) {
    const double limit = at(in.target.limits, measure);
    return isLimit(limit) ? limit : at(in.views.counts(), measure);
}

bool isWorth(const FindingInput& in, const Relief& relief, std::initializer_list<Measure> measures,
             double share) {
    return std::any_of(measures.begin(), measures.end(), [&](Measure measure) {
        const double saved = at(relief.worst, measure);
        return saved > 0 && saved >= share * wholeOf(in, measure);
    });
}

std::vector<Viewpoint> whereDrawn(const FindingInput& in, std::size_t asset) {
    return in.views.highest(
        [asset](const CountedView& view) { return view.assets[asset].triangles; });
}

Finding assetFinding(const FindingInput& in, std::size_t asset, std::string sentence,
                     std::vector<Quantity> evidence) {
    Finding finding;
    finding.subjects = {assetSubject(in.scene, asset)};
    finding.sentence = std::move(sentence);
    finding.evidence = std::move(evidence);
    finding.where = whereDrawn(in, asset);
    return finding;
}

Finding vainTriangles(const FindingInput& in, std::size_t asset, double count, std::string sentence,
                      std::vector<Quantity> evidence) {
    Finding finding = assetFinding(in, asset, std::move(sentence), std::move(evidence));
    finding.relief = triangleRelief(in, asset, [count](const DrawnObject& drawn, double all) {
        return drawn.level == 0 ? all - count : all;
    });
    finding.isExact = true;
    return finding;
}

std::vector<Finding> tidyFindings(const FindingInput& in, double (*countIn)(const WeldedMesh&),
                                  const char* what, const char* label) {
    constexpr double kMinShare = 0.01;
    constexpr double kMinCount = 500;
    constexpr double kMinEver = 4;
    std::vector<Finding> findings;
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        const Mesh& mesh = *in.scene.assets[a].mesh;
        const double count = countIn(in.welded[a]);
        const auto triangles = static_cast<double>(mesh.triangles);
        const double fewest = std::max(kMinEver, std::min(kMinCount, kMinShare * triangles));
        if (count < fewest) continue;
        findings.push_back(vainTriangles(
            in, a, count,
            fmt::format("{} of {} triangles {}", formatCount(count), formatCount(triangles), what),
            {{label, count, Quantity::Unit::Count, fewest}}));
        findings.back().fix = proposedFix(in, "tidy");
    }
    return findings;
}

std::vector<Finding> objectsFinding(const FindingInput& in,
                                    double (*amount)(const Scene& scene, const Object& object),
                                    std::string (*sentence)(std::size_t count, double most)) {
    Finding finding;
    double most = 0;
    for (std::size_t i = 0; i < in.scene.objects.size(); ++i) {
        const double value = amount(in.scene, in.scene.objects[i]);
        if (value == 0) continue;
        most = std::max(most, value);
        finding.subjects.push_back(objectSubject(in.scene, i));
    }
    if (finding.subjects.empty()) return {};
    finding.sentence = sentence(finding.subjects.size(), most);
    finding.evidence = {{"objects", static_cast<double>(finding.subjects.size())}};
    return {std::move(finding)};
}

Finding imageFinding(const FindingInput& in, std::size_t image, std::string sentence,
                     std::vector<Quantity> evidence) {
    Finding finding;
    finding.subjects = {imageSubject(in.scene, image)};
    finding.sentence = std::move(sentence);
    finding.evidence = std::move(evidence);
    finding.where = in.views.highest(
        [image](const CountedView& view) { return view.images[image] ? 1.0 : 0.0; });
    return finding;
}

bool isImageShown(const FindingInput& in, std::size_t image) {
    const auto& uses = in.index.usesOf[image];
    return std::any_of(uses.begin(), uses.end(),
                       [&](const auto& use) { return in.index.isShown(use.material); });
}

int edgeOf(const Image& image) {
    return std::max(image.width, image.height);
}

std::map<int, std::vector<std::size_t>> groupsOfEqual(const std::vector<int>& first) {
    std::map<int, std::vector<std::size_t>> groups;
    for (std::size_t i = 0; i < first.size(); ++i) groups[first[i]].push_back(i);
    std::erase_if(groups, [](const auto& group) { return group.second.size() < 2; });
    return groups;
}

FixSettings proposedFix(const FindingInput& in, const char* key) {
    return proposeSettings(*findFixKind(key), in.scene);
}

}  // namespace flentro
