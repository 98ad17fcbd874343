#include "measure/view_meter.h"

#include <algorithm>
#include <cassert>
#include <optional>
#include <unordered_map>
#include <unsupported/Eigen/BVH>

#include "base/index.h"
#include "geometry/mesh_materials.h"
#include "measure/batches.h"
#include "scene/shadow_lights.h"

namespace flentro {
namespace {

constexpr std::uint32_t kNoRow = 0xFFFFFFFFU;

/// Collects the casters within reach of a light.
struct WithinReach {
    const std::vector<Object>& objects;
    const Vec3d& centre;
    double reach;
    std::vector<std::uint32_t>& found;

    bool intersectVolume(const Box& box) const { return box.exteriorDistance(centre) <= reach; }
    bool intersectObject(std::uint32_t index) {
        const Object& object = objects[index];
        if (object.castsShadow && intersectVolume(object.bounds)) found.push_back(index);
        return false;
    }
};

template <typename Visit>
void forEachView(std::uint32_t mask, Visit&& visit) {
    for (; mask != 0; mask &= mask - 1) visit(static_cast<std::size_t>(__builtin_ctz(mask)));
}

}  // namespace

struct ViewMeter::Tree : Eigen::KdBVH<double, 3, std::uint32_t> {
    using KdBVH::KdBVH;
};

/// A set over small integers that is emptied at no cost.
class ViewMeter::Marks {
public:
    explicit Marks(std::size_t size) : stamps_(size, 0) {}
    void clear() { ++now_; }
    /// True the first time since clear().
    bool add(std::size_t index) {
        if (stamps_[index] == now_) return false;
        stamps_[index] = now_;
        return true;
    }

private:
    std::vector<std::uint32_t> stamps_;
    std::uint32_t now_ = 1;
};

ViewMeter::ViewMeter(const Scene& scene, const Target& target)
    : scene_(scene), target_(target), textures_(scene, target) {
    makeRows();
    makeMaterials();
    placeObjects();
    growTree();
    findCasters();
}

ViewMeter::~ViewMeter() = default;

void ViewMeter::makeRows() {
    for (const Asset& asset : scene_.assets) {
        firstRow_.push_back(static_cast<std::uint32_t>(rows_.size()));
        for (std::size_t level = 0; level < asset.levelCount(); ++level) {
            const Mesh& mesh = *asset.level(level);
            const auto first = static_cast<std::uint32_t>(rowMaterials_.size());
            const std::vector<int> materials = materialsOf(mesh);
            for (const int material : materials)
                if (material >= 0) rowMaterials_.push_back(static_cast<std::uint32_t>(material));
            std::size_t largest = 0;
            for (const Part& part : mesh.parts) largest = std::max(largest, part.vertexCount());
            rows_.push_back({static_cast<double>(mesh.triangles),
                             static_cast<double>(mesh.vertices),
                             static_cast<double>(mesh.parts.size()),
                             static_cast<double>(materials.size()), static_cast<double>(largest),
                             first, static_cast<std::uint32_t>(rowMaterials_.size()) - first});
        }
    }
}

void ViewMeter::makeMaterials() {
    for (const Material& material : scene_.materials) {
        imagesOf_.emplace_back();
        for (const TextureUse& use : material.textures) {
            const int image = scene_.imageOf(use.texture);
            if (image >= 0) imagesOf_.back().push_back(static_cast<std::uint32_t>(image));
        }
    }
}

void ViewMeter::placeObjects() {
    const std::vector<std::uint32_t> batches = batchesOf(scene_, target_.batching);
    std::unordered_map<std::uint32_t, std::uint32_t> firstDraws;
    for (std::size_t i = 0; i < batches.size(); ++i) {
        const Object& object = scene_.objects[i];
        const auto [draw, isNew] = firstDraws.try_emplace(batches[i], draws_);
        if (isNew) draws_ += static_cast<std::uint32_t>(scene_.asset(object).levelCount());
        const int skin = elementOf(scene_.nodes, object.node).skin;
        const auto asset = static_cast<std::uint32_t>(object.asset);
        Placed placed{object.bounds.center(),
                      0.5 * object.bounds.sizes(),
                      object.culling.end,
                      object.culling.shadowEnd,
                      object.culling.start,
                      object.standIn,
                      object.scale,
                      0,
                      firstRow_[asset],
                      draw->second,
                      asset};
        if (object.bounds.isEmpty()) placed.gone = 0;
        if (skin >= 0)
            placed.bones = static_cast<double>(elementOf(scene_.skins, skin).joints.size());
        placed_.push_back(placed);
    }
    crowds_ = crowdsOf(scene_);
}

void ViewMeter::growTree() {
    std::vector<std::uint32_t> indices;
    std::vector<Box> boxes;
    for (std::size_t i = 0; i < scene_.objects.size(); ++i) {
        if (scene_.objects[i].bounds.isEmpty()) continue;
        indices.push_back(static_cast<std::uint32_t>(i));
        boxes.push_back(scene_.objects[i].bounds);
    }
    tree_ =
        std::make_unique<const Tree>(indices.begin(), indices.end(), boxes.begin(), boxes.end());
}

/// A shadow pass draws every caster whose bounds the light's range meets.
void ViewMeter::findCasters() {
    casters_.resize(scene_.placedLights.size());
    for (std::size_t i = 0; i < casters_.size(); ++i) {
        const PlacedLight& light = scene_.placedLights[i];
        if (!light.castsShadow) continue;
        WithinReach within{scene_.objects, light.position, light.range, casters_[i]};
        Eigen::BVIntersect(*tree_, within);
        std::sort(casters_[i].begin(), casters_[i].end());
    }
}

/// Finds the views that each object is in, many at a time: what lies wholly in or out of a view
/// is not asked further (Assarsson and Moller 2000, "Optimized view frustum culling algorithms
/// for bounding boxes").
class ViewMeter::Sweep {
public:
    Sweep(const ViewMeter& meter, std::span<const Viewpoint> views,
          std::vector<std::uint16_t>& found)
        : meter_(meter), found_(found) {
        for (const Viewpoint& view : views) frusta_.emplace_back(view, meter.target_.projection());
    }

    void run() { visit(meter_.tree_->getRootIndex(), {(1U << frusta_.size()) - 1, 0}); }

    [[nodiscard]] std::span<const Frustum> frusta() const { return frusta_; }

private:
    /// Masks of views.
    struct Open {
        std::uint32_t crossing;
        std::uint32_t inside;
        [[nodiscard]] std::uint32_t all() const { return crossing | inside; }
    };

    [[nodiscard]] Open narrow(Open open, const Vec3d& centre, const Vec3d& half) const {
        forEachView(open.crossing, [&](std::size_t v) {
            const Frustum::Side side = frusta_[v].sideOf(centre, half);
            if (side == Frustum::Side::Crossing) return;
            open.crossing &= ~(1U << v);
            if (side == Frustum::Side::Inside) open.inside |= 1U << v;
        });
        return open;
    }

    void visit(int node, Open open) {
        const int* box = nullptr;
        const int* boxesEnd = nullptr;
        const std::uint32_t* object = nullptr;
        const std::uint32_t* objectsEnd = nullptr;
        meter_.tree_->getChildren(node, box, boxesEnd, object, objectsEnd);
        for (; box != boxesEnd; ++box) {
            const Box& bounds = meter_.tree_->getVolume(*box);
            const Open within = narrow(open, bounds.center(), 0.5 * bounds.sizes());
            if (within.all() != 0) visit(*box, within);
        }
        for (; object != objectsEnd; ++object) {
            const Placed& placed = meter_.placed_[*object];
            found_[*object] =
                static_cast<std::uint16_t>(narrow(open, placed.centre, placed.half).all());
        }
    }

    const ViewMeter& meter_;
    std::vector<std::uint16_t>& found_;
    std::vector<Frustum> frusta_;
};

EyeVisibility ViewMeter::sight(const Vec3d& eye, std::span<const Viewpoint> views) const {
    assert(views.size() <= EyeVisibility::kMaxViews);
    EyeVisibility result;
    result.eye = eye;
    result.levels.assign(scene_.objects.size(), EyeVisibility::kGone);
    for (std::size_t i = 0; i < placed_.size(); ++i) {
        const Placed& object = placed_[i];
        const double distance = object.distanceTo(eye);
        if (!(distance < object.gone) || distance < object.start || isReplaced(object, eye))
            continue;
        const Ladder& ladder = scene_.assets[object.asset].ladder;
        result.levels[i] =
            static_cast<std::uint8_t>(ladder.empty() ? 0 : levelAt(ladder, object.scale, distance));
    }
    capCrowds(result, {});
    for (std::size_t i = 0; i < placed_.size(); ++i)
        if (result.isThere(i) && !(placed_[i].distanceTo(eye) < placed_[i].shadowGone))
            result.levels[i] |= EyeVisibility::kNoShadow;
    face(views, result);
    return result;
}

EyeVisibility ViewMeter::turned(const EyeVisibility& here, std::span<const Viewpoint> views) const {
    EyeVisibility result;
    result.eye = here.eye;
    result.levels = here.levels;
    face(views, result);
    return result;
}

/// Which of what is there each view takes in; needs eye and levels.
void ViewMeter::face(std::span<const Viewpoint> views, EyeVisibility& sightings) const {
    sightings.views = views.size();
    sightings.objects.assign(placed_.size(), 0);
    Sweep sweep(*this, views, sightings.objects);
    sweep.run();
    for (std::size_t i = 0; i < placed_.size(); ++i)
        if (!sightings.isThere(i)) sightings.objects[i] = 0;
    for (const PlacedLight& light : scene_.placedLights) {
        std::uint16_t mask = 0;
        const bool there = (light.position - sightings.eye).norm() < light.end;
        for (std::size_t v = 0; there && v < views.size(); ++v)
            if (sweep.frusta()[v].meetsSphere(light.position, light.range))
                mask |= std::uint16_t(1U << v);
        sightings.lights.push_back(mask);
    }
}

/// True where the object's far stand-in shows instead.
bool ViewMeter::isReplaced(const Placed& object, const Vec3d& eye) const {
    if (object.standIn < 0) return false;
    const Placed& standIn = elementOf(placed_, object.standIn);
    return standIn.distanceTo(eye) >= standIn.start;
}

/// By distance alone.
std::size_t ViewMeter::plainLevel(std::uint32_t object, const Vec3d& eye) const {
    const Placed& placed = placed_[object];
    return levelAt(scene_.assets[placed.asset].ladder, placed.scale, placed.distanceTo(eye));
}

/// Who is not there leaves room for others.
void ViewMeter::capCrowds(EyeVisibility& sightings, const Without& without) const {
    for (const std::vector<std::uint32_t>& objects : crowds_) {
        std::vector<CrowdMember> members;
        for (const std::uint32_t i : objects)
            if (sightings.isThere(i) && !without.object(i))
                members.push_back({placed_[i].distanceTo(sightings.eye), i,
                                   static_cast<std::uint8_t>(plainLevel(i, sightings.eye))});
        capLevels(scene_, members);
        for (const CrowdMember& member : members) {
            std::uint8_t& level = sightings.levels[member.object];
            level = static_cast<std::uint8_t>((level & EyeVisibility::kNoShadow) | member.level);
        }
    }
}

/// The row of each object at its level from this eye; kNoRow if it is not there.
std::vector<std::uint32_t> ViewMeter::rowsOf(const EyeVisibility& sightings,
                                             const Without& without) const {
    std::vector<std::uint32_t> rows(placed_.size(), kNoRow);
    for (std::size_t i = 0; i < rows.size(); ++i)
        if (sightings.isThere(i) && !without.object(i))
            rows[i] = placed_[i].firstRow + static_cast<std::uint32_t>(sightings.levelOf(i));
    return rows;
}

ViewMeter::Pass ViewMeter::shadowPass(std::size_t light, const EyeVisibility& sightings,
                                      const std::vector<std::uint32_t>& rowsHere,
                                      Marks& batched) const {
    Pass pass;
    batched.clear();
    for (const std::uint32_t object : casters_[light]) {
        const std::uint32_t index = rowsHere[object];
        if (index == kNoRow || !sightings.castsShadow(object)) continue;
        const Row& row = rows_[index];
        pass.triangles += row.triangles;
        pass.vertices += row.vertices;
        if (batched.add(drawOf(object, index))) pass.calls += row.parts;
    }
    return pass;
}

/// The draw of an object's batch at the level of a row: once for all that share it.
std::uint32_t ViewMeter::drawOf(std::uint32_t object, std::uint32_t row) const {
    const Placed& placed = placed_[object];
    return placed.firstDraw + row - placed.firstRow;
}

/// What one view has met so far.
struct ViewMeter::OfView {
    Marks batched;
    Marks rows;
    Marks materials;
    Marks images;
};

void ViewMeter::addDrawn(std::uint32_t object, std::uint32_t index, const Without& without,
                         ViewTally& tally, OfView& met) const {
    const Row& row = rows_[index];
    const auto raise = [&](Measure measure, double value) {
        at(tally.counts, measure) = std::max(at(tally.counts, measure), value);
    };
    at(tally.counts, Measure::Objects) += 1;
    at(tally.counts, Measure::Triangles) += row.triangles;
    tally.vertices += row.vertices;
    if (met.batched.add(drawOf(object, index))) at(tally.counts, Measure::DrawCalls) += row.parts;
    if (!met.rows.add(index)) return;
    raise(Measure::VerticesPerMesh, row.verticesOfPart);
    raise(Measure::MaterialsPerObject, row.allMaterials);
    for (std::uint32_t m = 0; m < row.materials; ++m) {
        const std::uint32_t material = rowMaterials_[row.firstMaterial + m];
        if (!met.materials.add(material)) continue;
        tally.materials += 1;
        for (const std::uint32_t image : imagesOf_[material]) {
            if (!met.images.add(image)) continue;
            const Image& source = scene_.images[image];
            if (!without.images.empty() && without.image(source)) continue;
            at(tally.counts, Measure::TextureBytes) += textures_.of(image);
            raise(Measure::TextureEdge, std::max(source.width, source.height));
        }
    }
}

/// All views in one walk over the objects.
std::vector<ViewTally> ViewMeter::countDrawn(const EyeVisibility& sightings,
                                             const std::vector<std::uint32_t>& rowsHere,
                                             const Without& without) const {
    std::vector<ViewTally> tallies(sightings.views);
    std::vector<OfView> met(sightings.views,
                            {Marks(draws_), Marks(rows_.size()), Marks(scene_.materials.size()),
                             Marks(scene_.images.size())});
    for (std::size_t i = 0; i < sightings.objects.size(); ++i) {
        if (rowsHere[i] == kNoRow) continue;
        forEachView(sightings.objects[i], [&](std::size_t v) {
            addDrawn(static_cast<std::uint32_t>(i), rowsHere[i], without, tallies[v], met[v]);
            tallies[v].bones += placed_[i].bones;
        });
    }
    for (ViewTally& tally : tallies) {
        // Both eyes draw all triangles; with one pass they share the calls.
        at(tally.counts, Measure::Triangles) *= target_.eyes;
        tally.vertices *= target_.eyes;
        at(tally.counts, Measure::DrawCalls) *= target_.passes();
    }
    return tallies;
}

std::vector<ViewTally> ViewMeter::count(const EyeVisibility& sightings,
                                        const Without& without) const {
    if (!without.objects.empty() && !crowds_.empty()) {
        EyeVisibility recapped = sightings;
        capCrowds(recapped, without);
        Without others = without;
        others.objects.clear();
        for (std::size_t i = 0; i < recapped.levels.size(); ++i)
            if (without.object(i)) recapped.levels[i] = EyeVisibility::kGone;
        return count(recapped, others);
    }
    const std::vector<std::uint32_t> rowsHere = rowsOf(sightings, without);
    std::vector<ViewTally> tallies = countDrawn(sightings, rowsHere, without);
    const std::vector<bool> casting = castingLights(scene_, sightings.eye);
    Marks batched(draws_);
    for (std::size_t light = 0; light < sightings.lights.size(); ++light) {
        if (sightings.lights[light] == 0 || without.light(light)) continue;
        std::optional<Pass> pass;
        if (casting[light]) pass = shadowPass(light, sightings, rowsHere, batched);
        forEachView(sightings.lights[light], [&](std::size_t v) {
            ViewTally& tally = tallies[v];
            at(tally.counts, Measure::Lights) += 1;
            if (!pass) return;
            at(tally.counts, Measure::ShadowLights) += 1;
            tally.shadowTriangles += pass->triangles;
            tally.shadowVertices += pass->vertices;
            tally.shadowCalls += pass->calls;
        });
    }
    for (ViewTally& tally : tallies) {
        at(tally.counts, Measure::Triangles) += tally.shadowTriangles;
        at(tally.counts, Measure::DrawCalls) += tally.shadowCalls;
    }
    return tallies;
}

/// Notes for each object what the pass of one light draws of it.
void ViewMeter::addShadows(std::uint32_t light, const EyeVisibility& sightings,
                           const std::vector<std::uint32_t>& rowsHere, Marks& batched,
                           std::vector<ShadowDraw>& draws) const {
    batched.clear();
    for (const std::uint32_t object : casters_[light]) {
        const std::uint32_t index = rowsHere[object];
        if (index == kNoRow || !sightings.castsShadow(object)) continue;
        ShadowDraw& draw = draws[object];
        draw.object = object;
        draw.level = static_cast<std::uint32_t>(sightings.levelOf(object));
        ++draw.passes;
        if (batched.add(drawOf(object, index))) draw.calls += rows_[index].parts;
    }
}

ViewCost ViewMeter::detail(const EyeVisibility& all, const Vec3d* eye,
                           const Without& without) const {
    ViewCost cost;
    EyeVisibility sightings = all;
    if (eye && !without.objects.empty()) capCrowds(sightings, without);
    static_cast<ViewTally&>(cost) = count(sightings, without).front();
    for (std::size_t i = 0; i < sightings.objects.size(); ++i) {
        if (sightings.objects[i] == 0 || without.object(i)) continue;
        const double distance = eye ? distanceTo(scene_.objects[i].bounds, *eye) : 0;
        cost.drawn.push_back({static_cast<std::uint32_t>(i),
                              static_cast<std::uint32_t>(sightings.levelOf(i)),
                              static_cast<float>(distance)});
    }
    Marks batched(draws_);
    const std::vector<std::uint32_t> rowsHere = rowsOf(sightings, without);
    const std::vector<bool> casting = castingLights(scene_, sightings.eye);
    std::vector<ShadowDraw> draws(placed_.size());
    for (std::uint32_t i = 0; i < sightings.lights.size(); ++i) {
        if (sightings.lights[i] == 0 || without.light(i)) continue;
        Pass pass;
        const bool castsShadow = casting[i];
        if (castsShadow) {
            pass = shadowPass(i, sightings, rowsHere, batched);
            addShadows(i, sightings, rowsHere, batched, draws);
        }
        cost.lights.push_back({i, castsShadow, pass.triangles, pass.calls});
    }
    for (const ShadowDraw& draw : draws)
        if (draw.passes > 0) cost.shadows.push_back(draw);
    return cost;
}

ViewCost ViewMeter::cost(const Viewpoint& view, const Without& without) const {
    return detail(sight(view.eye, {&view, 1}), &view.eye, without);
}

ViewCost ViewMeter::wholeScene() const {
    EyeVisibility all;
    all.views = 1;
    all.eye.setConstant(std::numeric_limits<double>::quiet_NaN());
    all.levels.assign(scene_.objects.size(), 0);
    for (const Object& object : scene_.objects)
        all.objects.push_back(!object.bounds.isEmpty() && object.culling.start == 0);
    all.lights.assign(scene_.placedLights.size(), 1);
    return detail(all, nullptr, {});
}

}  // namespace flentro
