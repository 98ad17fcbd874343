// The pyramid that a camera sees.

#pragma once

#include <array>

#include "geometry/space.h"

namespace flentro {

/// Where a camera stands and looks.
struct Viewpoint {
    Vec3d eye = {0, 1.7, 0};  ///< Metres.
    double heading = 0;       ///< Degrees, clockwise from north (-Z).
    double pitch = 0;         ///< Degrees, positive upward.
};

/// What a camera sees of the space before it.
struct Projection {
    double verticalFov = 60;   ///< Degrees, in (0, 180).
    double aspect = 16.0 / 9;  ///< Width / height.
    double nearPlane = 0.1;    ///< Metres, > 0.
    double farPlane = 1000;    ///< Metres, > nearPlane.

    [[nodiscard]] double horizontalFov() const;  ///< Degrees.
};

[[nodiscard]] Mat4d viewMatrix(const Viewpoint& view);

/// Projection to OpenGL clip space (z in [-w, w]).
[[nodiscard]] Mat4d projectionMatrix(const Projection& projection);

/// Six planes with normals inward.
class Frustum {
public:
    Frustum(const Viewpoint& view, const Projection& projection);

    /// False only when the box lies wholly outside one plane: exact for boxes inside or
    /// crossing, rarely true for a box near an edge that misses it (conservative).
    [[nodiscard]] bool meets(const Box& box) const;
    /// The same for a box given by its centre and half its sizes.
    [[nodiscard]] bool meets(const Vec3d& centre, const Vec3d& half) const {
        for (const Plane& p : planes_) {
            const double reach = p.size[0] * half[0] + p.size[1] * half[1] + p.size[2] * half[2];
            if (p.signedDistance(centre) < -reach) return false;
        }
        return true;
    }
    enum class Side { Outside, Crossing, Inside };
    /// Outside where meets() is false; Inside if nothing of the box is beyond any plane.
    [[nodiscard]] Side sideOf(const Vec3d& centre, const Vec3d& half) const {
        auto side = Side::Inside;
        for (const Plane& p : planes_) {
            const double reach = p.size[0] * half[0] + p.size[1] * half[1] + p.size[2] * half[2];
            const double distance = p.signedDistance(centre);
            if (distance < -reach) return Side::Outside;
            if (distance < reach) side = Side::Crossing;
        }
        return side;
    }
    [[nodiscard]] bool meetsSphere(const Vec3d& centre, double radius) const;

private:
    /// Plain numbers: this is asked for every object, spot and heading of a survey.
    struct Plane {
        double normal[3];
        double size[3];  ///< Of the normal's components.
        double offset;
        [[nodiscard]] double signedDistance(const Vec3d& p) const {
            return normal[0] * p[0] + normal[1] * p[1] + normal[2] * p[2] + offset;
        }
    };
    std::array<Plane, 6> planes_;
};

}  // namespace flentro
