// Depth of the scene around the lights whose shadows the view draws, one cube for each, and below
// the strongest directional light.
//
// Williams 1978, "Casting curved shadows on curved surfaces"; six faces around a light in place of
// one picture.

#pragma once

#include <array>
#include <optional>

#include "view/draw_list.h"
#include "view/frame.h"

namespace flentro::app {

class ShadowMaps {
public:
    static constexpr std::size_t kMost = 4;  ///< Lights, besides a directional one.

    void initialise(Gl* gl, GpuScene* gpu);
    void release();

    /// Takes the lights that cast there, the strongest first; what was drawn of them before stays
    /// where it would be the same. Cost: O(objects).
    void begin(const Frame& frame);
    /// Without shadows.
    void beginNone();
    /// Draws into its own framebuffer until the time is over; true when all is drawn.
    bool advance(const TimeSlice& time);
    /// For the shader of what is shaded: depths and lights.
    void bind(QOpenGLShaderProgram& program) const;

    /// Lights whose shadows the picture shows.
    [[nodiscard]] std::size_t count() const { return lamps_.size() + (sun_ ? 1 : 0); }

private:
    /// A light, and the map that holds its depths.
    struct Lamp {
        Vec3f position = Vec3f::Zero();
        Vec3f candela = Vec3f::Zero();
        Vec4f cone = Vec4f::Zero();  ///< Direction, and the cosine where it ends.
        float cosInner = 0;
        float range = 0;
        float farthest = 0;  ///< Metres that the map reaches.
        std::size_t map = 0;
        std::vector<DrawnObject> casters;
    };
    struct Map {
        GLuint texture = 0;
        Hash key{};  ///< Of what is drawn in it, or will be.
    };
    /// The strongest directional light that casts, and how its map looks down its light.
    struct Sun {
        int index = -1;          ///< Of the suns that shine.
        Eigen::Matrix4f matrix;  ///< From the world to clip space.
        float texel = 0;         ///< Metres.
        std::vector<DrawnObject> casters;
    };
    /// A picture of depths that is not drawn yet.
    struct Face {
        Map* map = nullptr;
        GLenum target = 0;
        GLsizei edge = 0;  ///< Texels.
        Eigen::Matrix4f matrix;
        DrawList list;
    };

    /// `casting`: placed lights that cast from the eye.
    void takeLamps(const Frame& frame, const std::vector<bool>& casting);
    void takeSun(const Frame& frame, const std::vector<bool>& casting);
    [[nodiscard]] static Hash keyOf(const Frame& frame, const std::vector<DrawnObject>& casters,
                                    const Eigen::Ref<const Eigen::VectorXf>& shape);
    void assignMaps(const Frame& frame);
    void assignSun(const Frame& frame);
    /// Those that `sees`.
    [[nodiscard]] DrawList listOf(const Frame& frame, const std::vector<DrawnObject>& casters,
                                  const std::function<bool(const Box&)>& sees) const;
    void startFace(const Face& face);
    void useMaterial(int index);
    void bindLamps(QOpenGLShaderProgram& program) const;
    void bindSun(QOpenGLShaderProgram& program) const;

    Gl* gl_ = nullptr;
    GpuScene* gpu_ = nullptr;
    std::unique_ptr<QOpenGLShaderProgram> program_;
    GLuint framebuffer_ = 0;
    GLuint buffer_ = 0;
    ScenePtr scene_;
    Without off_;
    std::array<Map, kMost> maps_{};
    Map sunMap_;
    std::vector<Lamp> lamps_;
    std::optional<Sun> sun_;
    std::vector<Face> faces_;  ///< To be drawn, the last first.
    bool started_ = false;     ///< The last face is cleared and set up.
};

}  // namespace flentro::app
