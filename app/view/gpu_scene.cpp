#include "view/gpu_scene.h"

#include <algorithm>
#include <cassert>
#include <cmath>

#include "base/index.h"
#include "model/jobs.h"
#include "simplify/cluster.h"
#include "view/shaders.h"

namespace flentro::app {
namespace {

constexpr int kLargestPicture = 1024;            ///< Pixels; the view needs no more.
constexpr std::size_t kHeavyMesh = 1500;         ///< Triangles from which a stand-in is worth it.
constexpr std::size_t kBackgroundMesh = 10'000;  ///< Triangles prepared in the background.
constexpr int kStandInCells = 14;
constexpr int kGridWide = 112;  ///< Cells of the light grid along x and z.
constexpr int kGridHigh = 8;
constexpr double kThinnestGrid = 0.5;  ///< Metres along each axis.

std::unique_ptr<QOpenGLShaderProgram> link(const Lens& lens) {
    auto program = std::make_unique<QOpenGLShaderProgram>();
    QByteArray fragment = "#version 330 core\n";
    if (lens.isShaded) fragment += "#define SHADED\n";
    if (lens.knowsEdges) fragment += "#define EDGES\n";
    fragment += "const int kMaxSuns = " + QByteArray::number(kMaxSuns) + ";\n";
    fragment += QByteArray(kFragmentShader).replace("LENS_CODE", lens.shader);
    program->addShaderFromSourceCode(QOpenGLShader::Vertex, kVertexShader);
    if (lens.knowsEdges) program->addShaderFromSourceCode(QOpenGLShader::Geometry, kGeometryShader);
    program->addShaderFromSourceCode(QOpenGLShader::Fragment, fragment);
    program->link();
    return program;
}

const void* offset(std::size_t bytes) {
    return reinterpret_cast<const void*>(bytes);  // OpenGL takes offsets as pointers.
}

/// Irradiance at a point from all lights at a place, without shadows (KHR_lights_punctual's
/// window), and how many of them reach it.
Vec4f irradiance(const Scene& scene, const GpuScene::ShownLights& shown, const Vec3d& point) {
    const auto& [emitters, shares] = shown;
    Vec4f sum = Vec4f::Zero();
    for (std::size_t i = 0; i < emitters.size(); ++i) {
        const Emitter& emitter = emitters[i];
        if (shares[i] <= 0 || emitter.isDirectional()) continue;
        const double squared = (point - emitter.position()).squaredNorm();
        const double share = squared / (emitter.range() * emitter.range());
        if (share >= 1) continue;
        const Light& light = elementOf(scene.lights, scene.placedLights[i].light);
        sum.head<3>() +=
            light.color * light.intensity * shares[i] *
            static_cast<float>(emitter.cone(point) * (1 - share * share) / (squared + kLampSize));
        sum.w() += 1;
    }
    return sum;
}

/// Directional lights as the view shows them.
std::vector<GpuScene::Sun> sunsOf(const Scene& scene, const GpuScene::ShownLights& shown) {
    const auto& [emitters, shares] = shown;
    double total = 0;
    for (const Emitter& emitter : emitters)
        if (emitter.isDirectional()) total += emitter.candela();
    const float adapted = std::min(1.0F, kBrightestSuns / static_cast<float>(total));
    std::vector<GpuScene::Sun> suns;
    for (std::size_t i = 0; i < emitters.size(); ++i) {
        if (!emitters[i].isDirectional() || shares[i] <= 0) continue;
        const Light& light = elementOf(scene.lights, scene.placedLights[i].light);
        suns.push_back({-emitters[i].direction().cast<float>(),
                        light.color * light.intensity * shares[i] * adapted,
                        static_cast<std::uint32_t>(i)});
    }
    std::stable_sort(suns.begin(), suns.end(),
                     [](const auto& a, const auto& b) { return a.light.sum() > b.light.sum(); });
    return suns;
}

/// Of all that the grids depend on.
Hash hashLights(const Scene& scene, const GpuScene::ShownLights& shown) {
    const auto& [emitters, shares] = shown;
    Hasher hasher;
    const Box bounds = scene.bounds();
    for (int axis = 0; axis < 3; ++axis) hasher.add(bounds.min()[axis]).add(bounds.max()[axis]);
    for (std::size_t i = 0; i < scene.placedLights.size(); ++i) {
        const PlacedLight& placed = scene.placedLights[i];
        const Light& light = elementOf(scene.lights, placed.light);
        hasher.add(shares[i]).add(placed.range).add(light.type).add(light.intensity);
        for (int c = 0; c < 3; ++c) hasher.add(placed.position[c]).add(light.color[c]);
        for (int c = 0; c < 3; ++c) hasher.add(emitters[i].direction()[c]);
        hasher.add(emitters[i].cosInner()).add(emitters[i].cosOuter());
    }
    return hasher.result();
}

/// Where the glow of the lights shows: as far as they send a tenth of a lux.
Box glowBox(const Scene& scene) {
    constexpr double kLeastShown = 0.1;  ///< Lux.
    Box box;
    for (const PlacedLight& placed : scene.placedLights) {
        const Light& light = elementOf(scene.lights, placed.light);
        if (light.type == LightType::Directional) continue;
        const double shows =
            std::min(placed.range, std::sqrt(static_cast<double>(light.intensity) / kLeastShown));
        box.extend(placed.position - Vec3d::Constant(shows));
        box.extend(placed.position + Vec3d::Constant(shows));
    }
    return box.intersection(scene.bounds());
}

/// What of the scene any light reaches; all of it where one has no range.
Box reachBox(const Scene& scene) {
    const Box whole = scene.bounds();
    Box box;
    for (const PlacedLight& placed : scene.placedLights) {
        if (elementOf(scene.lights, placed.light).type == LightType::Directional) continue;
        if (!std::isfinite(placed.range)) return whole;
        box.extend(Vec3d(placed.position - Vec3d::Constant(placed.range)));
        box.extend(Vec3d(placed.position + Vec3d::Constant(placed.range)));
    }
    return box.isEmpty() || whole.isEmpty() ? Box() : box.intersection(whole);
}

}  // namespace

GpuScene::~GpuScene() {
    pool_.clear();
    pool_.waitForDone();
}

void GpuScene::initialise(Gl* gl) {
    gl_ = gl;
}

void GpuScene::release() {
    for (auto& [key, mesh] : meshes_)
        for (GpuPart& part : mesh.parts) {
            gl_->glDeleteVertexArrays(1, &part.vao);
            gl_->glDeleteBuffers(1, &part.vertices);
            gl_->glDeleteBuffers(1, &part.indices);
        }
    for (auto& [hash, name] : textures_)
        if (name) gl_->glDeleteTextures(1, &name);
    for (Lighting& lighting : lightings_)
        for (LightGrid* grid : {&lighting.glow, &lighting.reach}) {
            if (grid->texture) gl_->glDeleteTextures(1, &grid->texture);
            *grid = {};
        }
    {
        const std::lock_guard lock(shared_->mutex);
        shared_->lightKeys = {};
    }
    programs_.clear();
    meshes_.clear();
    textures_.clear();
}

GpuScene::Vertices GpuScene::interleave(const Part& part) {
    if (part.triangleCount() == 0) return {};
    const std::vector<Vec3f> positions = positionsOf(part);
    const Stream* normals = part.find("NORMAL");
    const Stream* texCoords[] = {part.find("TEXCOORD_0"), part.find("TEXCOORD_1")};
    const Stream* colors = part.find("COLOR_0");
    Vertices result(positions.size());
    for (std::size_t i = 0; i < result.size(); ++i) {
        Vertex& v = result[i];
        for (int c = 0; c < 3; ++c) {
            v.position[c] = positions[i][c];
            v.normal[c] = normals && c < normals->components ? normals->value(i, c) : 0;
        }
        for (int c = 0; c < 4; ++c) {
            const Stream* set = texCoords[c / 2];
            v.texCoord[c] = set && c % 2 < set->components ? set->value(i, c % 2) : 0;
        }
        for (int c = 0; c < 4; ++c) {
            const float value = colors && c < colors->components ? colors->value(i, c) : 1;
            v.color[c] =
                static_cast<std::uint8_t>(std::lround(std::clamp(value, 0.0F, 1.0F) * 255));
        }
    }
    return result;
}

void GpuScene::prepare(const MeshPtr& mesh) {
    if (mesh->triangles < kBackgroundMesh || meshes_.contains(mesh.get())) return;
    if (!askedVertices_.emplace(mesh.get(), mesh).second) return;
    {
        const std::lock_guard lock(shared_->mutex);
        ++shared_->pending;
    }
    pool_.start([shared = shared_, mesh] {
        yieldToInterface();
        std::vector<Vertices> made;
        for (const Part& part : mesh->parts) made.push_back(interleave(part));
        const std::lock_guard guard(shared->mutex);
        shared->vertices[mesh.get()] = std::move(made);
        --shared->pending;
    });
}

bool GpuScene::isReady(const MeshPtr& mesh) const {
    if (!askedVertices_.contains(mesh.get())) return true;
    const std::lock_guard lock(shared_->mutex);
    return shared_->vertices.contains(mesh.get());
}

GpuPart GpuScene::upload(const Part& part, const Vertices& vertices) {
    if (vertices.empty()) return {};
    GpuPart result;
    result.material = part.material;
    result.count = static_cast<GLsizei>(part.indices.size());
    gl_->glGenVertexArrays(1, &result.vao);
    gl_->glGenBuffers(1, &result.vertices);
    gl_->glGenBuffers(1, &result.indices);
    gl_->glBindVertexArray(result.vao);
    gl_->glBindBuffer(GL_ARRAY_BUFFER, result.vertices);
    gl_->glBufferData(GL_ARRAY_BUFFER, static_cast<GLsizeiptr>(vertices.size() * sizeof(Vertex)),
                      vertices.data(), GL_STATIC_DRAW);
    gl_->glBindBuffer(GL_ELEMENT_ARRAY_BUFFER, result.indices);
    gl_->glBufferData(GL_ELEMENT_ARRAY_BUFFER,
                      static_cast<GLsizeiptr>(part.indices.size() * sizeof(std::uint32_t)),
                      part.indices.data(), GL_STATIC_DRAW);
    const std::pair<int, std::size_t> layout[] = {{3, offsetof(Vertex, position)},
                                                  {3, offsetof(Vertex, normal)},
                                                  {4, offsetof(Vertex, texCoord)}};
    for (GLuint i = 0; i < 3; ++i) {
        gl_->glEnableVertexAttribArray(i);
        gl_->glVertexAttribPointer(i, layout[i].first, GL_FLOAT, GL_FALSE, sizeof(Vertex),
                                   offset(layout[i].second));
    }
    constexpr GLuint kColor = 8;
    gl_->glEnableVertexAttribArray(kColor);
    gl_->glVertexAttribPointer(kColor, 4, GL_UNSIGNED_BYTE, GL_TRUE, sizeof(Vertex),
                               offset(offsetof(Vertex, color)));
    for (GLuint i = 3; i < 8; ++i) {
        gl_->glEnableVertexAttribArray(i);
        gl_->glVertexAttribDivisor(i, 1);
    }
    gl_->glBindVertexArray(0);
    return result;
}

const GpuMesh& GpuScene::mesh(const MeshPtr& mesh) {
    const auto known = meshes_.find(mesh.get());
    if (known != meshes_.end()) return known->second;
    GpuMesh& added = meshes_[mesh.get()];
    added.keep = mesh;
    std::vector<Vertices> prepared;
    if (askedVertices_.erase(mesh.get()) > 0) {
        const std::lock_guard lock(shared_->mutex);
        prepared = std::move(shared_->vertices.extract(mesh.get()).mapped());
    }
    for (std::size_t i = 0; i < mesh->parts.size(); ++i) {
        const Part& part = mesh->parts[i];
        added.parts.push_back(upload(part, prepared.empty() ? interleave(part) : prepared[i]));
    }
    return added;
}

QOpenGLShaderProgram& GpuScene::program(const Lens& lens) {
    std::unique_ptr<QOpenGLShaderProgram>& program = programs_[lens.kind];
    if (!program) program = link(lens);
    return *program;
}

MeshPtr GpuScene::standIn(const MeshPtr& mesh) {
    if (mesh->triangles < kHeavyMesh) return nullptr;
    const std::lock_guard lock(shared_->mutex);
    const auto known = shared_->standIns.find(mesh.get());
    if (known != shared_->standIns.end()) return known->second;
    if (!askedStandIns_.emplace(mesh.get(), mesh).second) return nullptr;
    ++shared_->pending;
    pool_.start([shared = shared_, mesh] {
        yieldToInterface();
        MeshPtr made = finishMesh(clusterVertices(*mesh, kStandInCells));
        const std::lock_guard guard(shared->mutex);
        shared->standIns[mesh.get()] = std::move(made);
        --shared->pending;
    });
    return nullptr;
}

GLuint GpuScene::texture(const Image& image) {
    if (!image.data) return 0;
    const auto [at, isNew] = textures_.try_emplace(image.hash, 0);
    if (!isNew) return at->second;
    {
        const std::lock_guard lock(shared_->mutex);
        ++shared_->pending;
    }
    pool_.start([shared = shared_, image] {
        yieldToInterface();
        std::vector<Pixels> levels;
        if (auto pixels = decodeImage(image, kLargestPicture)) {
            levels = mipMaps(*pixels);
            levels.insert(levels.begin(), std::move(*pixels));
        }
        const std::lock_guard guard(shared->mutex);
        if (!levels.empty()) shared->pictures.push_back({image.hash, std::move(levels)});
        --shared->pending;
    });
    return 0;
}

void GpuScene::upload(const Finished& picture) {
    GLuint name = 0;
    gl_->glGenTextures(1, &name);
    gl_->glBindTexture(GL_TEXTURE_2D, name);
    GLint level = 0;
    for (const Pixels& pixels : picture.levels)
        gl_->glTexImage2D(GL_TEXTURE_2D, level++, GL_RGBA8, pixels.width, pixels.height, 0, GL_RGBA,
                          GL_UNSIGNED_BYTE, pixels.rgba.data());
    gl_->glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MIN_FILTER, GL_LINEAR_MIPMAP_LINEAR);
    gl_->glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MAG_FILTER, GL_LINEAR);
    textures_[picture.hash] = name;
}

void GpuScene::upload(const GridCells& cells, LightGrid& grid) {
    grid.lit = !cells.light.empty();
    if (!grid.lit) return;
    grid.origin = cells.origin;
    grid.size = cells.size;
    if (!grid.texture) gl_->glGenTextures(1, &grid.texture);
    gl_->glBindTexture(GL_TEXTURE_3D, grid.texture);
    gl_->glTexImage3D(GL_TEXTURE_3D, 0, GL_RGBA16F, kGridWide, kGridHigh, kGridWide, 0, GL_RGBA,
                      GL_FLOAT, cells.light.data());
    for (const GLenum axis : {GL_TEXTURE_WRAP_S, GL_TEXTURE_WRAP_T, GL_TEXTURE_WRAP_R})
        gl_->glTexParameteri(GL_TEXTURE_3D, axis, GL_CLAMP_TO_EDGE);
    gl_->glTexParameteri(GL_TEXTURE_3D, GL_TEXTURE_MIN_FILTER, GL_LINEAR);
    gl_->glTexParameteri(GL_TEXTURE_3D, GL_TEXTURE_MAG_FILTER, GL_LINEAR);
}

/// One picture at a time, to keep within a slice of drawing.
bool GpuScene::uploadFinished() {
    std::optional<Finished> finished;
    decltype(shared_->grids) grids;
    {
        const std::lock_guard lock(shared_->mutex);
        auto& pictures = shared_->pictures;
        if (!pictures.empty()) {
            finished = std::move(pictures.back());
            pictures.pop_back();
        }
        grids.swap(shared_->grids);
    }
    if (finished) upload(*finished);
    bool lit = false;
    for (std::size_t state = 0; state < kSceneStates; ++state) {
        if (!grids[state]) continue;
        upload(grids[state]->glow, lightings_[state].glow);
        upload(grids[state]->reach, lightings_[state].reach);
        lightings_[state].suns = std::move(grids[state]->suns);
        lightings_[state].shown = std::move(grids[state]->shown);
        lit = true;
    }
    return finished || lit;
}

bool GpuScene::isBusy() const {
    const std::lock_guard lock(shared_->mutex);
    return shared_->pending > 0 || !shared_->pictures.empty() ||
           std::any_of(shared_->grids.begin(), shared_->grids.end(),
                       [](const auto& grids) { return grids.has_value(); });
}

GpuScene::GridCells GpuScene::computeGrid(const Scene& scene, const ShownLights& shown, Box box) {
    GridCells cells{Vec3f::Zero(), Vec3f::Ones(), {}};
    if (box.isEmpty()) return cells;
    // A flat scene has light as well, in a grid that is not.
    const Vec3d margin = (Vec3d::Constant(kThinnestGrid) - box.sizes()).cwiseMax(0) / 2;
    box = Box(box.min() - margin, box.max() + margin);
    const Vec3d size = box.sizes();
    cells.light.reserve(static_cast<std::size_t>(kGridWide) * kGridHigh * kGridWide * 4);
    for (int z = 0; z < kGridWide; ++z)
        for (int y = 0; y < kGridHigh; ++y)
            for (int x = 0; x < kGridWide; ++x) {
                const Vec3d at((x + 0.5) / kGridWide, (y + 0.5) / kGridHigh, (z + 0.5) / kGridWide);
                const Vec4f light = irradiance(scene, shown, box.min() + at.cwiseProduct(size));
                cells.light.insert(cells.light.end(), light.data(), light.data() + 4);
            }
    cells.origin = box.min().cast<float>();
    cells.size = size.cast<float>();
    return cells;
}

void GpuScene::setLights(SceneState state, const std::shared_ptr<const Scene>& scene,
                         const std::vector<float>& shares) {
    assert(shares.size() == scene->placedLights.size());
    ShownLights shown{emittersOf(*scene), shares};
    const Hash key = hashLights(*scene, shown);
    {
        const std::lock_guard lock(shared_->mutex);
        if (std::exchange(elementOf(shared_->lightKeys, state), key) == key) return;
        ++shared_->pending;
    }
    pool_.start([shared = shared_, state, scene, shown = std::move(shown), key] {
        yieldToInterface();
        Grids grids{computeGrid(*scene, shown, glowBox(*scene)),
                    computeGrid(*scene, shown, reachBox(*scene)), shown, sunsOf(*scene, shown)};
        const std::lock_guard guard(shared->mutex);
        // Jobs run side by side: one that was asked for before may end after.
        if (elementOf(shared->lightKeys, state) == key)
            elementOf(shared->grids, state) = std::move(grids);
        --shared->pending;
    });
}

}  // namespace flentro::app
