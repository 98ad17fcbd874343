#include "simplify/collapse_log.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace flentro {
namespace {

constexpr std::uint32_t kUnmoved = ~0U;

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

CollapseLog::CollapseLog(const Mesh& mesh, WedgeMesh wedges)
    : mesh_(mesh),
      names_(std::move(wedges.names)),
      positions_(wedges),
      slots_(std::move(wedges.attributeSlots)),
      attributeCount_(static_cast<std::size_t>(wedges.attributeCount)),
      mostTriangles_(wedges.corners.size() / 3),
      triangles_(mostTriangles_),
      centre_(wedges.centre),
      unit_(wedges.unit) {
    // The most that there can be: growing would hold everything twice.
    deviations_.reserve(positionCount());
    removed_.reserve(positionCount());
    mergeCounts_.reserve(positionCount());
    merges_.reserve(names_.vertices.size());
}

void CollapseLog::add(std::span<const WedgeMerge> merges, std::size_t triangles, double deviation) {
    deviations_.push_back(static_cast<float>(deviation));
    removed_.push_back(static_cast<std::uint8_t>(triangles));
    mergeCounts_.push_back(static_cast<std::uint8_t>(merges.size()));
    merges_.insert(merges_.end(), merges.begin(), merges.end());
    triangles_ -= triangles;
}

void CollapseLog::addDrop(std::uint32_t piece, std::size_t triangles, double deviation) {
    drops_.push_back({deviations_.size(), piece, static_cast<std::uint32_t>(triangles)});
    add({}, 0, deviation);
    triangles_ -= triangles;
}

void CollapseLog::moved(const ErrorMetric& metric) {
    const std::size_t first = merges_.size() - mergeCounts_.back();
    places_.resize(deviations_.size(), Vec3f::Constant(std::nanf("")));
    places_.back() = metric.place(positions_.of(merges_.back().to));
    attributes_.resize(first * attributeCount_);
    for (std::size_t m = first; m < merges_.size(); ++m) {
        const auto values = metric.attributes(merges_[m].to);
        attributes_.insert(attributes_.end(), values.begin(), values.end());
    }
}

void CollapseLog::advance(State& state) const {
    state.triangles -= removed_[state.steps];
    state.merges += mergeCounts_[state.steps];
    if (state.drops < drops_.size() && drops_[state.drops].step == state.steps)
        state.triangles -= drops_[state.drops++].triangles;
    ++state.steps;
}

CollapseLog::State CollapseLog::stateAt(std::size_t triangles) const {
    State state;
    state.triangles = mostTriangles_;
    while (state.triangles > triangles && state.steps < deviations_.size()) advance(state);
    return state;
}

std::size_t CollapseLog::trianglesAt(std::size_t triangles) const {
    return stateAt(triangles).triangles;
}

double CollapseLog::deviationAt(std::size_t triangles) const {
    const std::size_t steps = stateAt(triangles).steps;
    return steps == 0 ? 0 : static_cast<double>(deviations_[steps - 1]);
}

/// What each wedge has become. Read backwards, so that one look finds the end of a chain.
std::vector<std::uint32_t> CollapseLog::wedgesAfter(std::size_t merges) const {
    std::vector<std::uint32_t> now(names_.vertices.size());
    for (std::uint32_t w = 0; w < now.size(); ++w) now[w] = w;
    for (std::size_t m = merges; m-- > 0;) now[merges_[m].from] = now[merges_[m].to];
    return now;
}

std::vector<bool> CollapseLog::droppedAfter(std::size_t drops) const {
    std::vector<bool> dropped(pieces_.empty() ? 0 : *std::ranges::max_element(pieces_) + 1, false);
    for (std::size_t i = 0; i < drops; ++i) dropped[drops_[i].piece] = true;
    return dropped;
}

/// True of a triangle whose corners lie in three places.
bool CollapseLog::spans(const std::array<std::uint32_t, 3>& wedges) const {
    const std::uint32_t a = positions_.of(wedges[0]);
    const std::uint32_t b = positions_.of(wedges[1]);
    const std::uint32_t c = positions_.of(wedges[2]);
    return a != b && b != c && c != a;
}

std::vector<std::vector<std::uint32_t>> CollapseLog::indicesAt(std::size_t triangles) const {
    const State state = stateAt(triangles);
    const std::vector<std::uint32_t> now = wedgesAfter(state.merges);
    const std::vector<bool> dropped = droppedAfter(state.drops);
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
            if (!pieces_.empty() && dropped[pieces_[positions_.of(corners[0])]]) continue;
            for (std::uint32_t& corner : corners) corner = now[corner];
            if (!spans(corners)) continue;
            for (const std::uint32_t corner : corners)
                result[p].push_back(names_.vertices[corner] - names_.firstOfPart[p]);
        }
    }
    return result;
}

/// Writes the places and attributes that vertices of a part have in a state.
void CollapseLog::moveVertices(const State& state, std::size_t part, Part& into) const {
    std::vector<std::uint32_t> placedBy(positionCount(), kUnmoved);
    std::vector<std::uint32_t> shapedBy(names_.vertices.size(), kUnmoved);
    State at;
    while (at.steps < std::min(state.steps, places_.size())) {
        const State before = at;
        advance(at);
        if (!places_[before.steps].allFinite()) continue;
        placedBy[positions_.of(merges_[before.merges].to)] =
            static_cast<std::uint32_t>(before.steps);
        for (std::size_t m = before.merges; m < at.merges; ++m)
            shapedBy[merges_[m].to] = static_cast<std::uint32_t>(m);
    }
    Writer positions(into, "POSITION");
    std::vector<Writer> writers;
    for (const AttributeSlot& slot : slots_) writers.emplace_back(into, slot.semantic);
    for (std::uint32_t w = 0; w < names_.vertices.size(); ++w) {
        if (names_.partOf(w) != part) continue;
        const std::uint32_t vertex = names_.vertexOf(w);
        if (const std::uint32_t by = placedBy[positions_.of(w)]; by != kUnmoved) {
            const Vec3d place = places_[by].cast<double>() * unit_ + centre_;
            for (int c = 0; c < 3; ++c) positions.set(vertex, c, static_cast<float>(place[c]));
        }
        if (shapedBy[w] == kUnmoved) continue;
        const float* values = attributes_.data() + shapedBy[w] * attributeCount_;
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
        if (state.steps > 0 && !places_.empty() && part.isTriangles()) moveVertices(state, p, part);
        result.parts.push_back(dropUnusedVertices(part));
    }
    return result;
}

}  // namespace flentro
