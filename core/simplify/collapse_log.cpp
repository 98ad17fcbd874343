#include "simplify/collapse_log.h"

#include <algorithm>
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
      corners_(std::move(wedges.corners)),
      wedgePosition_(std::move(wedges.wedgePosition)),
      wedgeVertex_(std::move(wedges.wedgeVertex)),
      wedgePart_(std::move(wedges.wedgePart)),
      slots_(std::move(wedges.attributeSlots)),
      attributeCount_(static_cast<std::size_t>(wedges.attributeCount)),
      positionCount_(wedges.positions.size()),
      centre_(wedges.centre),
      unit_(wedges.unit) {}

void CollapseLog::add(std::uint32_t from, std::uint32_t to, std::span<const WedgeMerge> merges,
                      std::size_t triangles, double deviation) {
    collapses_.push_back({from, to, static_cast<std::uint32_t>(merges_.size()),
                          static_cast<std::uint32_t>(triangles), static_cast<float>(deviation)});
    merges_.insert(merges_.end(), merges.begin(), merges.end());
}

void CollapseLog::addDrop(std::uint32_t piece, std::size_t triangles, double deviation) {
    add(kDrop, piece, {}, triangles, deviation);
}

void CollapseLog::moved(const ErrorMetric& metric) {
    const Collapse& last = collapses_.back();
    places_.resize(collapses_.size(), Vec3f::Constant(std::nanf("")));
    places_.back() = metric.place(last.to);
    attributes_.resize(last.firstMerge * attributeCount_);
    for (std::size_t m = last.firstMerge; m < merges_.size(); ++m) {
        const auto values = metric.attributes(merges_[m].to);
        attributes_.insert(attributes_.end(), values.begin(), values.end());
    }
}

std::size_t CollapseLog::fewestTriangles() const {
    return collapses_.empty() ? mostTriangles() : collapses_.back().triangles;
}

std::size_t CollapseLog::stepsTo(std::size_t triangles) const {
    if (triangles >= mostTriangles()) return 0;
    const auto at = std::partition_point(
        collapses_.begin(), collapses_.end(),
        [&](const Collapse& collapse) { return collapse.triangles > triangles; });
    return std::min(static_cast<std::size_t>(at - collapses_.begin()) + 1, collapses_.size());
}

std::size_t CollapseLog::trianglesAt(std::size_t triangles) const {
    const std::size_t steps = stepsTo(triangles);
    return steps == 0 ? mostTriangles() : collapses_[steps - 1].triangles;
}

double CollapseLog::deviationAt(std::size_t triangles) const {
    const std::size_t steps = stepsTo(triangles);
    return steps == 0 ? 0 : static_cast<double>(collapses_[steps - 1].deviation);
}

/// What each wedge has become. Read backwards, so that one look finds the end of a chain.
std::vector<std::uint32_t> CollapseLog::wedgesAfter(std::size_t steps) const {
    std::vector<std::uint32_t> now(wedgePosition_.size());
    for (std::uint32_t w = 0; w < now.size(); ++w) now[w] = w;
    for (std::size_t m = firstMergeOf(steps); m-- > 0;) now[merges_[m].from] = now[merges_[m].to];
    return now;
}

std::vector<std::vector<std::uint32_t>> CollapseLog::cornersAfter(std::size_t steps) const {
    const std::vector<std::uint32_t> now = wedgesAfter(steps);
    std::vector<bool> dropped(pieces_.empty() ? 0 : *std::ranges::max_element(pieces_) + 1, false);
    for (std::size_t i = 0; i < steps; ++i)
        if (collapses_[i].from == kDrop) dropped[collapses_[i].to] = true;
    std::vector<std::vector<std::uint32_t>> result(mesh_.parts.size());
    for (std::size_t i = 0; i < corners_.size(); i += 3) {
        if (!pieces_.empty() && dropped[pieces_[wedgePosition_[corners_[i]]]]) continue;
        const std::uint32_t a = now[corners_[i]];
        const std::uint32_t b = now[corners_[i + 1]];
        const std::uint32_t c = now[corners_[i + 2]];
        const std::uint32_t p = wedgePosition_[a];
        const std::uint32_t q = wedgePosition_[b];
        const std::uint32_t r = wedgePosition_[c];
        if (p == q || q == r || r == p) continue;
        auto& part = result[wedgePart_[a]];
        part.insert(part.end(), {a, b, c});
    }
    return result;
}

std::vector<std::vector<std::uint32_t>> CollapseLog::indicesAt(std::size_t triangles) const {
    std::vector<std::vector<std::uint32_t>> result = cornersAfter(stepsTo(triangles));
    for (std::size_t p = 0; p < mesh_.parts.size(); ++p) {
        if (!mesh_.parts[p].isTriangles()) {
            result[p] = mesh_.parts[p].indices;
            continue;
        }
        for (std::uint32_t& corner : result[p]) corner = wedgeVertex_[corner];
    }
    return result;
}

/// Writes the places and attributes that vertices of a part have after `steps`.
void CollapseLog::moveVertices(std::size_t steps, std::size_t part, Part& into) const {
    std::vector<std::uint32_t> placedBy(positionCount_, kUnmoved);
    std::vector<std::uint32_t> shapedBy(wedgePosition_.size(), kUnmoved);
    for (std::size_t i = 0; i < std::min(steps, places_.size()); ++i) {
        if (!places_[i].allFinite()) continue;
        placedBy[collapses_[i].to] = static_cast<std::uint32_t>(i);
        for (std::size_t m = firstMergeOf(i); m < firstMergeOf(i + 1); ++m)
            shapedBy[merges_[m].to] = static_cast<std::uint32_t>(m);
    }
    Writer positions(into, "POSITION");
    std::vector<Writer> writers;
    for (const AttributeSlot& slot : slots_) writers.emplace_back(into, slot.semantic);
    for (std::uint32_t w = 0; w < wedgeVertex_.size(); ++w) {
        if (wedgePart_[w] != part) continue;
        const std::uint32_t vertex = wedgeVertex_[w];
        if (const std::uint32_t by = placedBy[wedgePosition_[w]]; by != kUnmoved) {
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
    const std::size_t steps = stepsTo(triangles);
    std::vector<std::vector<std::uint32_t>> parts = indicesAt(triangles);
    Mesh result;
    result.name = mesh_.name;
    result.rest = mesh_.rest;
    for (std::size_t p = 0; p < parts.size(); ++p) {
        if (parts[p].empty()) continue;
        Part part = mesh_.parts[p];
        part.indices = std::move(parts[p]);
        if (steps > 0 && !places_.empty() && part.isTriangles()) moveVertices(steps, p, part);
        result.parts.push_back(dropUnusedVertices(part));
    }
    return result;
}

}  // namespace flentro
