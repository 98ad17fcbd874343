#include "simplify/collapse_log.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

#include "simplify/cost_key.h"

namespace flentro {
namespace {

/// Steps are step by the upper bits of their keys, those of one file in so many turns; what comes
/// after has a slot of its own.
constexpr unsigned kBucketBits = 13;
constexpr std::uint32_t kSlots = 7;
constexpr std::size_t kAllSlots = std::size_t{kSlots + 1} << kBucketBits;

std::uint32_t bucketOf(std::uint16_t key) {
    return std::uint32_t{key} >> (16 - kBucketBits);
}

std::uint16_t slotOf(std::uint16_t key, std::uint32_t slot) {
    static_assert(kAllSlots <= 1U << 16U);
    return static_cast<std::uint16_t>(bucketOf(key) * (kSlots + 1) + slot);
}

/// Gives steps of one file their turns, evenly and in their order.
class SlotInterleaver {
public:
    /// [steps]
    [[nodiscard]] std::vector<std::uint16_t> slotsOf(std::span<const std::uint16_t> keys) {
        for (const std::uint16_t key : keys) ++counts_[bucketOf(key)].all;
        std::vector<std::uint16_t> slots;
        slots.reserve(keys.size());
        for (const std::uint16_t key : keys) {
            Count& count = counts_[bucketOf(key)];
            slots.push_back(slotOf(key, kSlots * count.done++ / count.all));
        }
        for (const std::uint16_t key : keys) counts_[bucketOf(key)] = Count();
        return slots;
    }

private:
    struct Count {
        std::uint32_t done = 0;
        std::uint32_t all = 0;
    };
    std::vector<Count> counts_ = std::vector<Count>(std::size_t{1} << kBucketBits);
};

std::vector<std::uint16_t> slotsAfter(std::span<const std::uint16_t> keys) {
    std::vector<std::uint16_t> slots;
    slots.reserve(keys.size());
    for (const std::uint16_t key : keys) slots.push_back(slotOf(key, kSlots));
    return slots;
}

struct SlottedStep {
    const CollapseSteps* steps;
    CollapseSteps::Cursor at;
    std::uint16_t slot;
};

/// Those of one slot keep their order. Few are compared, many counted.
std::vector<SlottedStep> sortedBySlot(std::vector<SlottedStep> steps) {
    if (steps.size() < kAllSlots / 16) {
        std::stable_sort(
            steps.begin(), steps.end(),
            [](const SlottedStep& a, const SlottedStep& b) { return a.slot < b.slot; });
        return steps;
    }
    std::vector<std::uint32_t> next(kAllSlots + 1, 0);
    for (const SlottedStep& step : steps) ++next[step.slot + std::size_t{1}];
    std::partial_sum(next.begin(), next.end(), next.begin());
    std::vector<SlottedStep> sorted(steps.size());
    for (const SlottedStep& step : steps) sorted[next[step.slot]++] = step;
    return sorted;
}

/// The attribute as 32-bit floats, for values that no narrower type holds.
Stream widened(const Stream& stream) {
    Stream result;
    result.components = stream.components;
    result.data.resize(stream.count() * result.elementSize());
    for (std::size_t i = 0; i < stream.count(); ++i)
        for (int c = 0; c < stream.components; ++c) result.set(i, c, stream.value(i, c));
    return result;
}

/// Values of one attribute in the order of the vertices of a part, made writable.
class Writer {
public:
    Writer(Part& part, const std::string& semantic) {
        for (Attribute& attribute : part.attributes)
            if (attribute.semantic == semantic) {
                stream_ = std::make_shared<Stream>(widened(*attribute.stream));
                attribute.stream = stream_;
            }
    }
    [[nodiscard]] bool there() const { return stream_ != nullptr; }
    [[nodiscard]] int components() const { return stream_->components; }
    void set(std::size_t vertex, int component, float value) {
        stream_->set(vertex, component, value);
    }

private:
    std::shared_ptr<Stream> stream_;
};

}  // namespace

void CollapseSteps::reserve(std::size_t steps, std::size_t merges) {
    deviations_.reserve(steps);
    counts_.reserve(steps);
    merges_.reserve(merges);
}

void CollapseSteps::add(const CollapseStep& step) {
    if (step.position) {
        positions_.resize(size(), Vec3f::Constant(std::nanf("")));
        positions_.push_back(*step.position);
        attributes_.resize(merges_.size() * attributeCount_);
        attributes_.insert(attributes_.end(), step.attributes.begin(), step.attributes.end());
    }
    deviations_.push_back(bucketKey(step.deviation));
    counts_.push_back(static_cast<std::uint8_t>(step.triangles << 4U | step.merges.size()));
    merges_.insert(merges_.end(), step.merges.begin(), step.merges.end());
}

CollapseStep CollapseSteps::at(const Cursor& cursor) const {
    const std::size_t count = mergesOf(cursor.step);
    CollapseStep step{{merges_.data() + cursor.merge, count},
                      trianglesOf(cursor.step),
                      deviationOf(cursor.step),
                      {},
                      {}};
    if (cursor.step >= positions_.size() || !positions_[cursor.step].allFinite()) return step;
    step.position = positions_[cursor.step];
    step.attributes = {attributes_.data() + cursor.merge * attributeCount_,
                       count * attributeCount_};
    return step;
}

void CollapseBatch::reserve(std::size_t count) {
    steps.reserve(count, count);
    keys.reserve(count);
}

void CollapseBatch::add(const CollapseStep& step, std::uint16_t key) {
    keys.push_back(key);
    steps.add(step);
    triangles += step.triangles;
}

CollapseLog::CollapseLog(const Mesh& mesh, WedgeMesh wedges)
    : mesh_(mesh),
      names_(std::move(wedges.names)),
      vertices_(wedges),
      slots_(std::move(wedges.attributeSlots)),
      attributeCount_(static_cast<std::size_t>(wedges.attributeCount)),
      mostTriangles_(wedges.triangles),
      triangles_(mostTriangles_),
      centre_(wedges.centre),
      unit_(wedges.unit),
      steps_(attributeCount_) {
    // The most that there can be: growing would hold everything twice.
    steps_.reserve(vertexCount(), names_.originals.size());
}

void CollapseLog::append(CollapseStep step) {
    step.deviation = std::max(step.deviation, static_cast<float>(lastDeviation()));
    steps_.add(step);
    triangles_ -= step.triangles;
}

void CollapseLog::add(std::span<const CollapseBatch> sideBySide, const CollapseBatch& after) {
    std::vector<SlottedStep> steps;
    const auto gather = [&](const CollapseSteps& batch, std::span<const std::uint16_t> slots) {
        for (CollapseSteps::Cursor at; at.step < batch.size(); batch.advance(at))
            steps.push_back({&batch, at, slots[at.step]});
    };
    if (!sideBySide.empty()) {
        SlotInterleaver interleaver;
        for (const CollapseBatch& batch : sideBySide)
            gather(batch.steps, interleaver.slotsOf(batch.keys));
    }
    gather(after.steps, slotsAfter(after.keys));
    for (const SlottedStep& step : sortedBySlot(std::move(steps))) append(step.steps->at(step.at));
}

void CollapseLog::addDrop(std::uint32_t piece, std::size_t triangles, float deviation) {
    drops_.push_back({steps_.size(), piece, static_cast<std::uint32_t>(triangles)});
    append({{}, 0, deviation, {}, {}});
    triangles_ -= triangles;
}

void CollapseLog::advance(State& state) const {
    state.triangles -= steps_.trianglesOf(state.at.step);
    if (state.drops < drops_.size() && drops_[state.drops].step == state.at.step)
        state.triangles -= drops_[state.drops++].triangles;
    steps_.advance(state.at);
}

CollapseLog::State CollapseLog::stateAt(std::size_t triangles) const {
    State state;
    state.triangles = mostTriangles_;
    while (state.triangles > triangles && state.at.step < steps_.size()) advance(state);
    return state;
}

std::vector<CurvePoint> CollapseLog::curve() const {
    constexpr double kStep = 0.98;
    std::vector<CurvePoint> points = {{mostTriangles_, 0}};
    State state{{}, 0, mostTriangles_};
    double deviation = 0;
    while (state.at.step < steps_.size()) {
        deviation = std::max(deviation, static_cast<double>(steps_.deviationOf(state.at.step)));
        advance(state);
        const bool isLast = state.at.step == steps_.size();
        if (isLast || static_cast<double>(state.triangles) <=
                          kStep * static_cast<double>(points.back().triangles))
            points.push_back({state.triangles, deviation});
    }
    return points;
}

std::size_t CollapseLog::trianglesAt(std::size_t triangles) const {
    return stateAt(triangles).triangles;
}

double CollapseLog::deviationAt(std::size_t triangles) const {
    const std::size_t steps = stateAt(triangles).at.step;
    return steps == 0 ? 0 : static_cast<double>(steps_.deviationOf(steps - 1));
}

/// What each wedge has become. Read backwards, so that one look finds the end of a chain.
std::vector<std::uint32_t> CollapseLog::wedgesAfter(std::size_t merges) const {
    std::vector<std::uint32_t> now(names_.originals.size());
    for (std::uint32_t w = 0; w < now.size(); ++w) now[w] = w;
    for (std::size_t m = merges; m-- > 0;) now[steps_.mergeAt(m).from] = now[steps_.mergeAt(m).to];
    return now;
}

/// Where each vertex has gone, likewise.
std::vector<std::uint32_t> CollapseLog::verticesAfter(std::size_t merges) const {
    std::vector<std::uint32_t> now(vertexCount());
    for (std::uint32_t p = 0; p < now.size(); ++p) now[p] = p;
    for (std::size_t m = merges; m-- > 0;)
        now[vertices_.of(steps_.mergeAt(m).from)] = now[vertices_.of(steps_.mergeAt(m).to)];
    return now;
}

std::vector<bool> CollapseLog::droppedAfter(std::size_t drops) const {
    std::vector<bool> dropped(pieces_.empty() ? 0 : *std::ranges::max_element(pieces_) + 1, false);
    for (std::size_t i = 0; i < drops; ++i) dropped[drops_[i].piece] = true;
    return dropped;
}

/// True of a triangle whose corners lie in three vertices.
bool CollapseLog::spans(const std::array<std::uint32_t, 3>& wedges) const {
    const std::uint32_t a = vertices_.of(wedges[0]);
    const std::uint32_t b = vertices_.of(wedges[1]);
    const std::uint32_t c = vertices_.of(wedges[2]);
    return a != b && b != c && c != a;
}

std::vector<std::vector<std::uint32_t>> CollapseLog::indicesAt(std::size_t triangles) const {
    const State state = stateAt(triangles);
    const std::vector<std::uint32_t> now = wedgesAfter(state.at.merge);
    const std::vector<bool> dropped = droppedAfter(state.drops);
    const auto vertices = crosses_ ? verticesAfter(state.at.merge) : std::vector<std::uint32_t>();
    const auto vanished = [&](const std::array<std::uint32_t, 3>& wedges) {
        const std::uint32_t a = vertices[vertices_.of(wedges[0])];
        const std::uint32_t b = vertices[vertices_.of(wedges[1])];
        const std::uint32_t c = vertices[vertices_.of(wedges[2])];
        return a == b || b == c || c == a;
    };
    std::vector<std::vector<std::uint32_t>> result(mesh_.parts.size());
    for (std::size_t p = 0; p < mesh_.parts.size(); ++p) {
        const std::vector<std::uint32_t>& indices = mesh_.parts[p].indices;
        if (!mesh_.parts[p].isTriangles()) {
            result[p] = indices;
            continue;
        }
        const std::uint32_t* wedges = names_.wedges.data() + names_.firstOfPart[p];
        for (std::size_t i = 0; i + 2 < indices.size(); i += 3) {
            std::array<std::uint32_t, 3> corners;
            for (std::size_t k = 0; k < 3; ++k) corners[k] = wedges[indices[i + k]];
            if (!spans(corners)) continue;  // nor ever did
            if (!pieces_.empty() && dropped[pieces_[vertices_.of(corners[0])]]) continue;
            if (crosses_ && vanished(corners)) continue;
            for (std::uint32_t& corner : corners) corner = now[corner];
            if (!spans(corners)) continue;
            for (const std::uint32_t corner : corners)
                result[p].push_back(names_.originals[corner] - names_.firstOfPart[p]);
        }
    }
    return result;
}

/// Writes the positions and attributes that vertices of a part have in a state.
void CollapseLog::moveVertices(const State& state, std::size_t part, Part& into) const {
    std::vector<std::optional<Vec3f>> moved(vertexCount());
    std::vector<const float*> shapes(names_.originals.size(), nullptr);
    for (CollapseSteps::Cursor at; at.step < state.at.step; steps_.advance(at)) {
        const CollapseStep step = steps_.at(at);
        if (!step.position) continue;
        moved[vertices_.of(step.merges.front().to)] = step.position;
        for (std::size_t m = 0; m < step.merges.size(); ++m)
            shapes[step.merges[m].to] = step.attributes.data() + m * attributeCount_;
    }
    Writer positions(into, "POSITION");
    std::vector<Writer> writers;
    for (const AttributeSlot& slot : slots_) writers.emplace_back(into, slot.semantic);
    for (std::uint32_t w = 0; w < names_.originals.size(); ++w) {
        if (names_.partOf(w) != part) continue;
        const std::uint32_t vertex = names_.originalOf(w);
        if (const std::optional<Vec3f>& at = moved[vertices_.of(w)]) {
            const Vec3d position = at->cast<double>() * unit_ + centre_;
            for (int c = 0; c < 3; ++c) positions.set(vertex, c, static_cast<float>(position[c]));
        }
        const float* values = shapes[w];
        if (!values) continue;
        for (std::size_t s = 0; s < slots_.size(); ++s) {
            if (writers[s].there())
                for (int c = 0; c < std::min(slots_[s].components, writers[s].components()); ++c)
                    writers[s].set(vertex, c, slots_[s].stored(values, c));
            values += slots_[s].components;
        }
    }
}

Mesh CollapseLog::meshAt(std::size_t triangles) const {
    const State state = stateAt(triangles);
    std::vector<std::vector<std::uint32_t>> parts = indicesAt(triangles);
    Mesh result;
    result.name = mesh_.name;
    result.rest = mesh_.rest;
    for (std::size_t p = 0; p < parts.size(); ++p) {
        if (parts[p].empty()) continue;
        Part part = mesh_.parts[p];
        part.indices = std::move(parts[p]);
        if (state.at.step > 0 && steps_.moves() && part.isTriangles()) moveVertices(state, p, part);
        result.parts.push_back(dropUnusedVertices(part));
    }
    return result;
}

}  // namespace flentro
