#include "view/draw_list.h"

#include <Eigen/LU>
#include <algorithm>

#include "base/index.h"

namespace flentro::app {
namespace {

/// Triangles between two looks at the clock: 10 to 20 ms on a software renderer.
constexpr GLsizei kDrawTriangles = 12'000;

}  // namespace

void DrawList::add(const MeshPtr& mesh, const Object& object, const Vec3f& tint, float shown) {
    const bool mirrored = object.world.topLeftCorner<3, 3>().determinant() < 0;
    const auto [at, isNew] = batchOf_.try_emplace({mesh.get(), mirrored}, batches_.size());
    if (isNew) batches_.push_back({mesh, mirrored, {}});
    Copy copy{};
    Eigen::Map<Eigen::Matrix4f>(copy.model) = object.world.cast<float>();
    std::copy_n(tint.data(), 3, copy.tint);
    copy.tint[3] = shown;
    batches_[at->second].copies.push_back(copy);
    for (const Part& part : mesh->parts) triangles_ += part.triangleCount();
}

void DrawList::cut() {
    constexpr GLsizei kMost = kDrawTriangles * 3;
    for (std::size_t b = 0; b < batches_.size(); ++b) {
        const Mesh& mesh = *batches_[b].mesh;
        const int copies = static_cast<int>(batches_[b].copies.size());
        for (std::size_t p = 0; p < mesh.parts.size(); ++p) {
            const auto count = static_cast<GLsizei>(mesh.parts[p].triangleCount() * 3);
            const int together = std::max(1, kMost / std::max(1, count));
            for (int i = 0; i < copies; i += together)
                for (GLsizei from = 0; from < count; from += kMost)
                    draws_.push_back({b, p, i, std::min(together, copies - i), from,
                                      std::min(kMost, count - from)});
        }
    }
}

void DrawList::cutWhole(bool instancing) {
    for (std::size_t b = 0; b < batches_.size(); ++b) {
        const Mesh& mesh = *batches_[b].mesh;
        const int copies = static_cast<int>(batches_[b].copies.size());
        const int together = instancing ? copies : 1;
        for (std::size_t p = 0; p < mesh.parts.size(); ++p) {
            const auto count = static_cast<GLsizei>(mesh.parts[p].triangleCount() * 3);
            for (int i = 0; count > 0 && i < copies; i += together)
                draws_.push_back({b, p, i, together, 0, count});
        }
    }
}

void DrawList::sortBlended(const std::vector<Material>& materials, const Vec3f& eye) {
    const auto isOpaque = [&](const Draw& draw) {
        const int material = batches_[draw.batch].mesh->parts[draw.part].material;
        return material < 0 || elementOf(materials, material).alphaMode != AlphaMode::Blend;
    };
    const auto first = std::stable_partition(draws_.begin(), draws_.end(), isOpaque);
    std::vector<std::pair<float, Draw>> sorted;
    for (auto at = first; at != draws_.end(); ++at)
        for (int i = 0; i < at->copies; ++i) {
            const Copy& copy = elementOf(batches_[at->batch].copies, at->firstCopy + i);
            const Box& bounds = batches_[at->batch].mesh->bounds;
            Vec3f centre = Vec3f::Zero();
            if (!bounds.isEmpty()) centre = bounds.center().cast<float>();
            const Eigen::Map<const Eigen::Matrix4f> model(copy.model);
            const Vec3f world = model.topLeftCorner<3, 3>() * centre + model.topRightCorner<3, 1>();
            Draw draw = *at;
            draw.firstCopy += i;
            draw.copies = 1;
            sorted.emplace_back((world - eye).squaredNorm(), draw);
        }
    std::stable_sort(sorted.begin(), sorted.end(),
                     [](const auto& a, const auto& b) { return a.first > b.first; });
    draws_.erase(first, draws_.end());
    for (const auto& [distance, draw] : sorted) draws_.push_back(draw);
}

void DrawList::prepare(GpuScene& gpu) const {
    for (const Batch& batch : batches_) gpu.prepare(batch.mesh);
}

bool DrawList::isReady(const GpuScene& gpu) const {
    return std::all_of(batches_.begin(), batches_.end(),
                       [&](const Batch& batch) { return gpu.isReady(batch.mesh); });
}

void DrawList::upload(GpuScene& gpu) const {
    for (const Batch& batch : batches_) (void)gpu.mesh(batch.mesh);
}

void DrawList::draw(Gl& gl, GpuScene& gpu, GLuint buffer, const UseMaterial& useMaterial,
                    const TimeSlice& time) {
    GLsizei unfinished = 0;
    // At least one each time: a slow machine gets on as well.
    for (bool isFirst = true; next_ < draws_.size() && (isFirst || !time.isOver());
         isFirst = false) {
        const Draw& draw = draws_[next_];
        if (!gpu.isReady(batches_[draw.batch].mesh)) break;
        ++next_;
        useMaterial(batches_[draw.batch].mesh->parts[draw.part].material);
        drawOne(gl, gpu, buffer, draw);
        unfinished += draw.indices / 3 * draw.copies;
        if (unfinished < kDrawTriangles) continue;
        gl.glFinish();
        unfinished = 0;
    }
    gl.glBindVertexArray(0);
    gl.glFrontFace(GL_CCW);
}

void DrawList::drawOne(Gl& gl, GpuScene& gpu, GLuint buffer, const Draw& draw) {
    const Batch& batch = batches_[draw.batch];
    gl.glFrontFace(batch.mirrored ? GL_CW : GL_CCW);
    gl.glBindVertexArray(gpu.mesh(batch.mesh).parts[draw.part].vao);
    gl.glBindBuffer(GL_ARRAY_BUFFER, buffer);
    gl.glBufferData(GL_ARRAY_BUFFER, static_cast<GLsizeiptr>(sizeof(Copy)) * draw.copies,
                    &elementOf(batch.copies, draw.firstCopy), GL_STREAM_DRAW);
    for (GLuint i = 0; i < 5; ++i)
        gl.glVertexAttribPointer(3 + i, 4, GL_FLOAT, GL_FALSE, sizeof(Copy),
                                 reinterpret_cast<const void*>(i * 4 * sizeof(float)));
    gl.glDrawElementsInstanced(
        GL_TRIANGLES, draw.indices, GL_UNSIGNED_INT,
        reinterpret_cast<const void*>(static_cast<std::size_t>(draw.firstIndex) *
                                      sizeof(std::uint32_t)),
        draw.copies);
}

}  // namespace flentro::app
