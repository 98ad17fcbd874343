#include "support/kinds.h"

#include <cmath>
#include <functional>
#include <map>
#include <numbers>
#include <random>

#include "geometry/crease.h"
#include "support/meshes.h"

namespace flentro::test {
namespace {

constexpr double kTurn = 2 * std::numbers::pi;

Mesh meshOf(Part part, double crease = 40) {
    Mesh mesh;
    mesh.parts.push_back(smoothByCrease(part, crease));
    return *finishMesh(std::move(mesh));
}

/// Smooth noise between -1 and 1: a few waves in odd directions.
double noise(double x, double y, double z) {
    return (std::sin(1.7 * x + 2.3 * y - 0.4 * z) + std::sin(-2.9 * x + 1.1 * y + 1.9 * z + 1) +
            std::sin(0.6 * x - 3.1 * y + 2.7 * z + 2) * 0.5) /
           2.5;
}

/// A sheet of columns x rows cells, each point as `at` says; cells that `isHole` names are left
/// out.
Part sheet(int columns, int rows, const std::function<Vec3d(double, double)>& at,
           const std::function<bool(double, double)>& isHole = {}) {
    std::vector<Vec3f> points;
    std::vector<std::uint32_t> indices;
    for (int r = 0; r <= rows; ++r)
        for (int c = 0; c <= columns; ++c)
            points.push_back(
                at(static_cast<double>(c) / columns, static_cast<double>(r) / rows).cast<float>());
    for (int r = 0; r < rows; ++r)
        for (int c = 0; c < columns; ++c) {
            if (isHole && isHole((c + 0.5) / columns, (r + 0.5) / rows)) continue;
            const auto a = static_cast<std::uint32_t>(r * (columns + 1) + c);
            const auto down = static_cast<std::uint32_t>(columns + 1);
            indices.insert(indices.end(), {a, a + down, a + 1, a + 1, a + down, a + down + 1});
        }
    return dropUnusedVertices(makePart(std::move(points), std::move(indices)));
}

void append(Part& to, const Part& from) {
    std::vector<Vec3f> points = positionsOf(to);
    const auto first = static_cast<std::uint32_t>(points.size());
    for (const Vec3f& p : positionsOf(from)) points.push_back(p);
    for (const std::uint32_t index : from.indices) to.indices.push_back(first + index);
    to.set("POSITION", makeStream(points));
}

Part scan(std::size_t triangles) {
    const int rows = static_cast<int>(std::sqrt(static_cast<double>(triangles) / 4));
    std::mt19937 random(7);
    std::normal_distribution<double> jitter(0, 0.0008);
    return sheet(
        2 * rows, rows,
        [&](double u, double v) {
            const double a = kTurn * 0.9 * u, b = (v - 0.5) * 2.6;
            const Vec3d n(std::cos(a) * std::cos(b), std::sin(b), std::sin(a) * std::cos(b));
            const double bump = 0.12 * noise(3 * n.x(), 3 * n.y(), 3 * n.z());
            return Vec3d((1 + bump + jitter(random)) * n);
        },
        [](double u, double v) {
            return std::hypot(u - 0.3, v - 0.6) < 0.05 || std::hypot(u - 0.7, v - 0.4) < 0.03;
        });
}

/// Marching tetrahedra (A. Doi, A. Koide 1991) over the zero set of a function in a unit cube.
Part isosurface(int cells, const std::function<double(const Vec3d&)>& field) {
    const auto positionOf = [&](std::array<int, 3> c) -> Vec3d {
        return Vec3d(c[0], c[1], c[2]) / static_cast<double>(cells);
    };
    std::map<std::pair<std::array<int, 3>, std::array<int, 3>>, std::uint32_t> known;
    std::vector<Vec3f> points;
    std::vector<std::uint32_t> indices;
    std::map<std::array<int, 3>, double> values;
    const auto valueAt = [&](const std::array<int, 3>& c) {
        const auto [at, isNew] = values.try_emplace(c, 0);
        if (isNew) at->second = field(positionOf(c));
        return at->second;
    };
    const auto cut = [&](std::array<int, 3> a, std::array<int, 3> b) {
        if (b < a) std::swap(a, b);
        const auto [at, isNew] =
            known.try_emplace({a, b}, static_cast<std::uint32_t>(points.size()));
        if (isNew) {
            const double va = valueAt(a), vb = valueAt(b);
            const double t = std::clamp(va / (va - vb), 0.02, 0.98);
            points.push_back((positionOf(a) + t * (positionOf(b) - positionOf(a))).cast<float>());
        }
        return at->second;
    };
    const auto add = [&](std::uint32_t a, std::uint32_t b, std::uint32_t c, const Vec3d& outward) {
        const Vec3f n = (points[b] - points[a]).cross(points[c] - points[a]);
        if (n.dot(outward.cast<float>()) < 0) std::swap(b, c);
        indices.insert(indices.end(), {a, b, c});
    };
    constexpr int kTetrahedra[6][4] = {{0, 1, 3, 7}, {0, 1, 5, 7}, {0, 2, 3, 7},
                                       {0, 2, 6, 7}, {0, 4, 5, 7}, {0, 4, 6, 7}};
    for (int x = 0; x < cells; ++x)
        for (int y = 0; y < cells; ++y)
            for (int z = 0; z < cells; ++z)
                for (const auto& tetrahedron : kTetrahedra) {
                    std::vector<std::array<int, 3>> in, out;
                    for (const int k : tetrahedron) {
                        const std::array<int, 3> c = {x + (k & 1), y + (k >> 1 & 1), z + (k >> 2)};
                        (valueAt(c) < 0 ? in : out).push_back(c);
                    }
                    if (in.empty() || out.empty()) continue;
                    const Vec3d outward = positionOf(out[0]) - positionOf(in[0]);
                    if (in.size() == 2) {
                        const auto a = cut(in[0], out[0]), b = cut(in[0], out[1]);
                        const auto c = cut(in[1], out[1]), d = cut(in[1], out[0]);
                        add(a, b, c, outward);
                        add(a, c, d, outward);
                    } else {
                        const auto& one = in.size() == 1 ? in[0] : out[0];
                        const auto& three = in.size() == 1 ? out : in;
                        add(cut(one, three[0]), cut(one, three[1]), cut(one, three[2]), outward);
                    }
                }
    return makePart(std::move(points), std::move(indices));
}

Part folds(std::size_t triangles) {
    const int cells = static_cast<int>(std::sqrt(static_cast<double>(triangles) / 90)) + 1;
    return isosurface(cells, [](const Vec3d& p) {
        const Vec3d q = kTurn * 1.6 * p;
        const double gyroid = std::sin(q.x()) * std::cos(q.y()) +
                              std::sin(q.y()) * std::cos(q.z()) + std::sin(q.z()) * std::cos(q.x());
        return std::fabs(gyroid + 0.3 * noise(4 * p.x(), 4 * p.y(), 4 * p.z())) - 0.35;
    });
}

Part terrain(std::size_t triangles) {
    const int edge = static_cast<int>(std::sqrt(static_cast<double>(triangles) / 2));
    return sheet(edge, edge, [](double u, double v) {
        double height = 0;
        for (int octave = 0; octave < 5; ++octave) {
            const double f = 2 << octave;
            height += 14 * noise(f * u, f * v, octave) / f;
        }
        return Vec3d(100 * u, height, -100 * v);
    });
}

/// Cloth: two sheets a centimetre apart that face away from each other.
Part doubleSheets(std::size_t triangles) {
    const int edge = static_cast<int>(std::sqrt(static_cast<double>(triangles) / 4));
    const auto cloth = [](double u, double v, double up) {
        return Vec3d(2 * u, 0.15 * noise(5 * u, 4 * v, 0) + up, -2 * v);
    };
    Part both = sheet(edge, edge, [&](double u, double v) { return cloth(u, v, 0.01); });
    append(both, sheet(edge, edge, [&](double u, double v) { return cloth(1 - u, v, 0); }));
    return both;
}

/// Rounded bosses on plates: flat, cylindrical and filleted faces, as CAD tessellates them.
Part madeParts(std::size_t triangles) {
    const int around = 48;
    const std::size_t each = static_cast<std::size_t>(around) * 2 * 26;
    Part all = makePart({}, {});
    for (std::size_t i = 0; i * each < triangles; ++i) {
        const double radius = 0.02 + 0.01 * static_cast<double>(i % 5), height = 0.05;
        const Vec3d at(0.12 * static_cast<double>(i % 8), 0, -0.12 * static_cast<double>(i / 8));
        append(all, sheet(around, 26, [&](double u, double v) {
                   const double fillet = 0.008;
                   const double s = v * 26;  // Plate, fillet of 8, wall, fillet of 8, top.
                   double r = 0, y = 0;
                   if (s <= 4) {
                       r = radius + fillet + 0.02 * (4 - s) / 4;
                   } else if (s <= 12) {
                       const double a = (s - 4) / 8 * kTurn / 4;
                       r = radius + fillet * (1 - std::sin(a));
                       y = fillet * (1 - std::cos(a));
                   } else if (s <= 14) {
                       r = radius;
                       y = fillet + (height - 2 * fillet) * (s - 12) / 2;
                   } else if (s <= 22) {
                       const double a = (s - 14) / 8 * kTurn / 4;
                       r = radius - fillet * (1 - std::cos(a));
                       y = height - fillet * (1 - std::sin(a));
                   } else {
                       r = (radius - fillet) * (26 - s) / 4;
                       y = height;
                   }
                   const double a = u == 1 ? 0 : kTurn * u;
                   return Vec3d(at + Vec3d(r * std::cos(a), y, r * std::sin(a)));
               }));
    }
    return all;
}

Part town(std::size_t triangles) {
    constexpr int kCells = 6;  // Each wall is a grid: flat, and far too fine.
    Part all = makePart({}, {});
    std::mt19937 random(3);
    std::uniform_real_distribution<double> between(0, 1);
    const std::size_t each = 5 * 2 * kCells * kCells;
    for (std::size_t i = 0; i * each < triangles; ++i) {
        const Vec3d low(20 * static_cast<double>(i % 10), 0, -20 * static_cast<double>(i / 10));
        const Vec3d size(8 + 6 * between(random), 5 + 20 * between(random),
                         8 + 6 * between(random));
        const auto wall = [&](const Vec3d& o, const Vec3d& x, const Vec3d& y) {
            append(all, sheet(kCells, kCells, [&](double u, double v) {
                       return Vec3d(low + (o + u * x + v * y).cwiseProduct(size));
                   }));
        };
        wall({0, 1, 0}, {1, 0, 0}, {0, -1, 0});
        wall({1, 1, -1}, {-1, 0, 0}, {0, -1, 0});
        wall({1, 1, 0}, {0, 0, -1}, {0, -1, 0});
        wall({0, 1, -1}, {0, 0, 1}, {0, -1, 0});
        wall({0, 1, -1}, {1, 0, 0}, {0, 0, 1});
    }
    return all;
}

Part specks(std::size_t triangles) {
    Part all = scan(triangles * 9 / 10);
    std::mt19937 random(11);
    std::uniform_real_distribution<double> between(-1.6, 1.6);
    for (std::size_t i = 0; i * 80 < triangles; ++i) {
        const Vec3d at(between(random), between(random), between(random));
        append(all, sheet(2, 2, [&](double u, double v) {
                   return Vec3d(at + Vec3d(0.01 * u, 0.004 * std::sin(9 * u * v), 0.01 * v));
               }));
    }
    return all;
}

/// Every triangle with corners of its own, as STL has them.
Part apart(const Part& part) {
    const std::vector<Vec3f> points = positionsOf(part);
    std::vector<Vec3f> own;
    std::vector<std::uint32_t> indices;
    for (const std::uint32_t index : part.indices) {
        indices.push_back(static_cast<std::uint32_t>(own.size()));
        own.push_back(points[index]);
    }
    return makePart(std::move(own), std::move(indices));
}

}  // namespace

std::vector<SurfaceKind> surfaceKinds(std::size_t triangles) {
    return {{"scan", meshOf(apart(scan(triangles)))},
            {"folds", meshOf(folds(triangles), 180)},
            {"terrain", meshOf(terrain(triangles))},
            {"double sheets", meshOf(doubleSheets(triangles))},
            {"made parts", meshOf(madeParts(triangles))},
            {"town", meshOf(town(triangles))},
            {"specks", meshOf(specks(triangles))}};
}

}  // namespace flentro::test
