#include "view/shadow_maps.h"

#include <Eigen/Geometry>
#include <QVector4D>
#include <algorithm>
#include <cmath>
#include <utility>

#include "base/index.h"
#include "geometry/frustum.h"
#include "measure/lighting.h"
#include "measure/viewcost.h"
#include "scene/shadow_lights.h"
#include "view/material_uniforms.h"
#include "view/shaders.h"

namespace flentro::app {
namespace {

constexpr GLsizei kSize = 512;         ///< Texels along an edge of a face.
constexpr GLsizei kSunSize = 2048;     ///< Texels along an edge of a directional light's map.
constexpr double kSunReach = 80;       ///< Metres from the eye that it reaches.
constexpr GLenum kFirstUnit = 3;       ///< Texture units before it are the materials'.
constexpr float kOpaqueAlpha = 0.98F;  ///< Transparent surfaces below it let light through.
constexpr float kNoRange = 1e9F;       ///< Metres, in place of infinity.
constexpr double kLeastShown = 0.1;    ///< Lux: a light without a range shows up to there.

/// The way that a face looks, and its up, as cube maps have it.
struct Side {
    Vec3f ahead;
    Vec3f up;
};
const std::array<Side, 6> kSides = {{{{1, 0, 0}, {0, -1, 0}},
                                     {{-1, 0, 0}, {0, -1, 0}},
                                     {{0, 1, 0}, {0, 0, 1}},
                                     {{0, -1, 0}, {0, 0, -1}},
                                     {{0, 0, 1}, {0, -1, 0}},
                                     {{0, 0, -1}, {0, -1, 0}}}};

Eigen::Matrix4f lookFrom(const Vec3f& position, const Side& side, float farthest) {
    const Vec3f right = side.ahead.cross(side.up);
    Eigen::Matrix4f view = Eigen::Matrix4f::Identity();
    view.block<1, 3>(0, 0) = right.transpose();
    view.block<1, 3>(1, 0) = side.up.transpose();
    view.block<1, 3>(2, 0) = -side.ahead.transpose();
    view.topRightCorner<3, 1>() = -(view.topLeftCorner<3, 3>() * position);
    Eigen::Matrix4f square = Eigen::Matrix4f::Zero();  // a square view of 90 degrees
    square(0, 0) = square(1, 1) = 1;
    square(2, 2) = -(farthest + kLampNear) / (farthest - kLampNear);
    square(2, 3) = -2 * farthest * kLampNear / (farthest - kLampNear);
    square(3, 2) = -1;
    return square * view;
}

/// True if a face sees something of a box: none of its four sides leaves all of it out.
bool sees(const Side& side, const Vec3f& position, const Box& box) {
    const Vec3f centre = box.center().cast<float>() - position;
    const Vec3f half = 0.5F * box.sizes().cast<float>();
    const Vec3f right = side.ahead.cross(side.up);
    for (const Vec3f& across : {right, Vec3f(-right), side.up, Vec3f(-side.up)}) {
        const Vec3f normal = side.ahead + across;
        if (normal.dot(centre) + normal.cwiseAbs().dot(half) < 0) return false;
    }
    return true;
}

/// Of the part of the view that lies within the scene, or the sun's reach: the middle and the
/// radius of a sphere around it.
std::pair<Vec3d, double> seenSphere(const Frame& frame, const Box& scene) {
    const Projection projection = frame.target.projection();
    const double farthest = std::min(projection.farPlane, kSunReach);
    const double tall = std::tan(toRadians(projection.verticalFov) / 2);
    const Mat4d toWorld = viewMatrix(frame.view).inverse();
    Box seen(frame.view.eye, frame.view.eye);
    for (const double x : {-1.0, 1.0})
        for (const double y : {-1.0, 1.0}) {
            const Vec4d corner(x * tall * projection.aspect * farthest, y * tall * farthest,
                               -farthest, 1);
            seen.extend(Vec3d((toWorld * corner).head<3>()));
        }
    const Box both = seen.intersection(scene);
    if (both.isEmpty()) return {frame.view.eye, 0};
    return {both.center(), both.diagonal().norm() / 2};
}

/// Looks down a directional light on a sphere, from before the scene to behind it.
Eigen::Matrix4f lookDown(const Vec3d& towards, const Vec3d& centre, double radius,
                         const Box& scene) {
    const Vec3d side = towards.unitOrthogonal();
    const Vec3d up = towards.cross(side);
    double nearest = -radius;
    for (int corner = 0; corner < 8; ++corner)
        nearest = std::max(
            nearest, towards.dot(scene.corner(static_cast<Box::CornerType>(corner)) - centre));
    const double depth = nearest + radius;
    Mat4d matrix = Mat4d::Identity();
    matrix.block<1, 3>(0, 0) = side.transpose() / radius;
    matrix.block<1, 3>(1, 0) = up.transpose() / radius;
    matrix.block<1, 3>(2, 0) = -2 * towards.transpose() / depth;
    matrix.topRightCorner<3, 1>() = -(matrix.topLeftCorner<3, 3>() * centre);
    matrix(2, 3) += 2 * nearest / depth - 1;
    return matrix.cast<float>();
}

/// True if a box has something before the picture of such a matrix.
bool meetsPicture(const Eigen::Matrix4f& matrix, const Box& box) {
    const Vec3f centre = box.center().cast<float>();
    const Vec3f half = 0.5F * box.sizes().cast<float>();
    for (int axis = 0; axis < 2; ++axis) {
        const Vec3f row = matrix.block<1, 3>(axis, 0).transpose();
        if (std::fabs(row.dot(centre) + matrix(axis, 3)) - row.cwiseAbs().dot(half) > 1)
            return false;
    }
    return true;
}

void makeDepths(Gl& gl, GLuint& texture, GLenum kind, GLsizei edge) {
    if (texture) return;
    gl.glGenTextures(1, &texture);
    gl.glBindTexture(kind, texture);
    const bool isCube = kind == GL_TEXTURE_CUBE_MAP;
    for (GLenum side = 0; side < (isCube ? 6U : 1U); ++side)
        gl.glTexImage2D((isCube ? GLenum{GL_TEXTURE_CUBE_MAP_POSITIVE_X} : kind) + side, 0,
                        GL_DEPTH_COMPONENT24, edge, edge, 0, GL_DEPTH_COMPONENT, GL_UNSIGNED_INT,
                        nullptr);
    const std::pair<GLenum, GLint> parameters[] = {
        {GL_TEXTURE_MIN_FILTER, GL_LINEAR},    {GL_TEXTURE_MAG_FILTER, GL_LINEAR},
        {GL_TEXTURE_WRAP_S, GL_CLAMP_TO_EDGE}, {GL_TEXTURE_WRAP_T, GL_CLAMP_TO_EDGE},
        {GL_TEXTURE_WRAP_R, GL_CLAMP_TO_EDGE}, {GL_TEXTURE_COMPARE_MODE, GL_COMPARE_REF_TO_TEXTURE},
        {GL_TEXTURE_COMPARE_FUNC, GL_LEQUAL}};
    for (const auto& [name, value] : parameters) gl.glTexParameteri(kind, name, value);
}

}  // namespace

void ShadowMaps::initialise(Gl* gl, GpuScene* gpu) {
    gl_ = gl;
    gpu_ = gpu;
    gl_->glGenFramebuffers(1, &framebuffer_);
    gl_->glGenBuffers(1, &buffer_);
}

void ShadowMaps::release() {
    for (Map& map : maps_)
        if (map.texture) gl_->glDeleteTextures(1, &map.texture);
    if (sunMap_.texture) gl_->glDeleteTextures(1, &sunMap_.texture);
    maps_ = {};
    sunMap_ = {};
    if (framebuffer_) gl_->glDeleteFramebuffers(1, &framebuffer_);
    if (buffer_) gl_->glDeleteBuffers(1, &buffer_);
    program_.reset();
    lamps_.clear();
    sun_.reset();
    faces_.clear();
}

void ShadowMaps::beginNone() {
    for (const Face& face : faces_) face.map->key = {};
    faces_.clear();
    lamps_.clear();
    sun_.reset();
    started_ = false;
}

void ShadowMaps::begin(const Frame& frame) {
    beginNone();
    scene_ = frame.scene;
    off_ = frame.off;
    const std::vector<bool> casting = castingLights(*frame.scene, frame.view.eye);
    takeLamps(frame, casting);
    assignMaps(frame);
    takeSun(frame, casting);
    if (sun_) assignSun(frame);
}

/// The strongest lights that cast a shadow here, and reach into the view.
void ShadowMaps::takeLamps(const Frame& frame, const std::vector<bool>& casting) {
    const Scene& scene = *frame.scene;
    const auto& [emitters, shares] = gpu_->lighting(frame.state).shown;
    if (shares.size() != scene.placedLights.size()) return;  // not gathered yet
    const Frustum frustum(frame.view, frame.target.projection());
    std::vector<std::pair<double, std::uint32_t>> order;
    std::vector<Lamp> lamps(shares.size());
    for (std::uint32_t i = 0; i < shares.size(); ++i) {
        const PlacedLight& placed = scene.placedLights[i];
        const Light& light = elementOf(scene.lights, placed.light);
        if (!casting[i] || shares[i] <= 0 || light.type == LightType::Directional) continue;
        const double shown = std::sqrt(static_cast<double>(light.intensity) / kLeastShown);
        const double farthest = std::min(placed.range, shown);
        if (!(farthest > kLampNear) || !frustum.meetsSphere(placed.position, farthest)) continue;
        Lamp& lamp = lamps[i];
        lamp.position = placed.position.cast<float>();
        lamp.candela = light.color * light.intensity * shares[i];
        lamp.cone << emitters[i].direction().cast<float>(),
            static_cast<float>(emitters[i].cosOuter());
        lamp.cosInner = static_cast<float>(emitters[i].cosInner());
        lamp.range = static_cast<float>(placed.range);
        lamp.farthest = static_cast<float>(farthest);
        order.emplace_back(-strengthAt(scene, placed, frame.view.eye), i);
    }
    std::sort(order.begin(), order.end());
    order.resize(std::min(order.size(), kMost));
    std::vector<std::uint32_t> lights;
    lights.reserve(order.size());
    for (const auto& [strength, light] : order) lights.push_back(light);
    auto passes = selectCasters(scene, frame.view.eye, lights, frame.off.objects);
    for (std::size_t i = 0; i < lights.size(); ++i) {
        lamps_.push_back(std::move(lamps[lights[i]]));
        lamps_.back().casters = std::move(passes[i]);
    }
}

/// The strongest directional light that casts a shadow here.
void ShadowMaps::takeSun(const Frame& frame, const std::vector<bool>& casting) {
    const Scene& scene = *frame.scene;
    const auto& suns = gpu_->lighting(frame.state).suns;
    const auto last = suns.begin() + std::min(std::ptrdiff_t{kMaxSuns}, std::ssize(suns));
    const auto found = std::find_if(suns.begin(), last, [&](const auto& sun) {
        return sun.placed < casting.size() && casting[sun.placed];
    });
    if (found == last) return;
    const Box bounds = scene.bounds();
    if (bounds.isEmpty()) return;
    const auto [centre, radius] = seenSphere(frame, bounds);
    if (!(radius > 0)) return;
    Sun sun;
    sun.index = static_cast<int>(found - suns.begin());
    sun.matrix = lookDown(found->way.cast<double>(), centre, radius, bounds);
    sun.texel = static_cast<float>(2 * radius / kSunSize);
    sun.casters = selectCasters(scene, frame.view.eye, {&found->placed, 1}, frame.off.objects)[0];
    sun_ = std::move(sun);
}

Hash ShadowMaps::keyOf(const Frame& frame, const std::vector<DrawnObject>& casters,
                       const Eigen::Ref<const Eigen::VectorXf>& shape) {
    Hasher hasher;
    hasher.add(reinterpret_cast<std::uintptr_t>(frame.scene.get()));
    for (const float number : shape) hasher.add(number);
    for (const DrawnObject& caster : casters) hasher.add(caster.object).add(caster.level);
    for (const Hash& image : frame.off.images) hasher.add(image);
    return hasher.result();
}

/// Each light gets the map that holds what it needs, else one that no other light has; that is
/// drawn anew.
void ShadowMaps::assignMaps(const Frame& frame) {
    std::array<bool, kMost> taken{};
    std::vector<Hash> keys;
    std::vector<std::size_t> open;
    for (std::size_t i = 0; i < lamps_.size(); ++i) {
        const Vec3f& at = lamps_[i].position;
        keys.push_back(
            keyOf(frame, lamps_[i].casters, Vec4f(at.x(), at.y(), at.z(), lamps_[i].farthest)));
        const auto known = std::find_if(maps_.begin(), maps_.end(),
                                        [&](const Map& map) { return map.key == keys[i]; });
        if (known == maps_.end()) {
            open.push_back(i);
            continue;
        }
        lamps_[i].map = static_cast<std::size_t>(known - maps_.begin());
        taken[lamps_[i].map] = true;
    }
    for (const std::size_t i : open) {
        const auto free = std::find(taken.begin(), taken.end(), false);
        *free = true;
        lamps_[i].map = static_cast<std::size_t>(free - taken.begin());
        Map& map = maps_[lamps_[i].map];
        map.key = keys[i];
        makeDepths(*gl_, map.texture, GL_TEXTURE_CUBE_MAP, kSize);
        const Vec3f& position = lamps_[i].position;
        for (std::size_t side = 0; side < kSides.size(); ++side)
            faces_.push_back({&map, GL_TEXTURE_CUBE_MAP_POSITIVE_X + static_cast<GLenum>(side),
                              kSize, lookFrom(position, kSides[side], lamps_[i].farthest),
                              listOf(frame, lamps_[i].casters, [&](const Box& box) {
                                  return sees(kSides[side], position, box);
                              })});
    }
}

void ShadowMaps::assignSun(const Frame& frame) {
    const Hash key = keyOf(frame, sun_->casters, sun_->matrix.reshaped());
    if (sunMap_.key == key) return;
    sunMap_.key = key;
    makeDepths(*gl_, sunMap_.texture, GL_TEXTURE_2D, kSunSize);
    faces_.push_back({&sunMap_, GL_TEXTURE_2D, kSunSize, sun_->matrix,
                      listOf(frame, sun_->casters,
                             [this](const Box& box) { return meetsPicture(sun_->matrix, box); })});
}

DrawList ShadowMaps::listOf(const Frame& frame, const std::vector<DrawnObject>& casters,
                            const std::function<bool(const Box&)>& sees) const {
    DrawList list;
    for (const DrawnObject& caster : casters) {
        const Object& object = frame.scene->objects[caster.object];
        if (!sees(object.bounds)) continue;
        list.add(frame.scene->asset(object).level(caster.level), object, Vec3f::Ones(), 1);
    }
    list.prepare(*gpu_);
    list.cut();
    return list;
}

/// Its framebuffer, matrix and states; cleared the first time.
void ShadowMaps::startFace(const Face& face) {
    gl_->glBindFramebuffer(GL_FRAMEBUFFER, framebuffer_);
    gl_->glFramebufferTexture2D(GL_FRAMEBUFFER, GL_DEPTH_ATTACHMENT, face.target, face.map->texture,
                                0);
    gl_->glDrawBuffer(GL_NONE);
    gl_->glReadBuffer(GL_NONE);
    gl_->glViewport(0, 0, face.edge, face.edge);
    gl_->glEnable(GL_DEPTH_TEST);
    gl_->glDepthMask(GL_TRUE);
    gl_->glDisable(GL_BLEND);
    gl_->glEnable(GL_POLYGON_OFFSET_FILL);
    gl_->glPolygonOffset(2, 4);
    if (!std::exchange(started_, true)) gl_->glClear(GL_DEPTH_BUFFER_BIT);
    if (!program_) {
        program_ = std::make_unique<QOpenGLShaderProgram>();
        program_->addShaderFromSourceCode(QOpenGLShader::Vertex, kVertexShader);
        program_->addShaderFromSourceCode(QOpenGLShader::Fragment, kDepthShader);
        program_->link();
    }
    program_->bind();
    gl_->glUniformMatrix4fv(program_->uniformLocation("viewProjection"), 1, GL_FALSE,
                            face.matrix.data());
}

/// As the rays of a light go: through holes, panes, and the backs of one-sided surfaces.
void ShadowMaps::useMaterial(int index) {
    static const Material standard;
    const Material& material = index < 0 ? standard : elementOf(scene_->materials, index);
    const Image* image =
        bindBaseColor(*gl_, *gpu_, *program_, *scene_, off_, material, kOpaqueAlpha);
    const bool hasHoles = material.alphaMode != AlphaMode::Opaque && image;
    if (hasHoles && gpu_->texture(*image) == 0) faces_.back().map->key = {};
    if (material.doubleSided)
        gl_->glDisable(GL_CULL_FACE);
    else
        gl_->glEnable(GL_CULL_FACE);
}

bool ShadowMaps::advance(const TimeSlice& time) {
    for (bool isFirst = true; !faces_.empty() && (isFirst || !time.isOver()); isFirst = false) {
        Face& face = faces_.back();
        startFace(face);
        face.list.draw(
            *gl_, *gpu_, buffer_, [this](int material) { useMaterial(material); }, time);
        gl_->glFinish();
        gl_->glDisable(GL_POLYGON_OFFSET_FILL);
        gl_->glDisable(GL_CULL_FACE);
        if (!face.list.isDrawn()) break;
        faces_.pop_back();
        started_ = false;
    }
    return faces_.empty();
}

void ShadowMaps::bind(QOpenGLShaderProgram& program) const {
    bindLamps(program);
    bindSun(program);
    gl_->glActiveTexture(GL_TEXTURE0);
}

void ShadowMaps::bindSun(QOpenGLShaderProgram& program) const {
    constexpr GLenum kUnit = kFirstUnit + kMost;
    program.setUniformValue("sunDepth", static_cast<GLint>(kUnit));
    program.setUniformValue("sunShaded", sun_ ? sun_->index : -1);
    if (!sun_) return;
    gl_->glActiveTexture(GL_TEXTURE0 + kUnit);
    gl_->glBindTexture(GL_TEXTURE_2D, sunMap_.texture);
    program.setUniformValue("sunTexel", sun_->texel);
    gl_->glUniformMatrix4fv(program.uniformLocation("sunMatrix"), 1, GL_FALSE, sun_->matrix.data());
}

void ShadowMaps::bindLamps(QOpenGLShaderProgram& program) const {
    program.setUniformValue("lampCount", static_cast<GLint>(lamps_.size()));
    program.setUniformValue("lampNear", kLampNear);
    program.setUniformValue("lampSize", kLampSize);
    for (std::size_t i = 0; i < kMost; ++i) {
        // Also without a light: samplers of two kinds must not share a unit.
        const auto unit = kFirstUnit + static_cast<GLenum>(i);
        const std::string sampler = "lampDepth" + std::to_string(i);
        program.setUniformValue(sampler.c_str(), static_cast<GLint>(unit));
        if (i >= lamps_.size()) continue;
        const Lamp& lamp = lamps_[i];
        gl_->glActiveTexture(GL_TEXTURE0 + unit);
        gl_->glBindTexture(GL_TEXTURE_CUBE_MAP, maps_[lamp.map].texture);
        const auto set = [&](const char* name, const auto& value) {
            const std::string member = std::string(name) + "[" + std::to_string(i) + "]";
            program.setUniformValue(member.c_str(), value);
        };
        set("lampPlace",
            QVector4D(lamp.position.x(), lamp.position.y(), lamp.position.z(), lamp.farthest));
        set("lampLight", QVector4D(lamp.candela.x(), lamp.candela.y(), lamp.candela.z(),
                                   std::min(lamp.range, kNoRange)));
        set("lampCone", QVector4D(lamp.cone.x(), lamp.cone.y(), lamp.cone.z(), lamp.cone.w()));
        set("lampInner", lamp.cosInner);
    }
}

}  // namespace flentro::app
