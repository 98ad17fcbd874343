#include "panels/evidence_tiles.h"

#include <QCoreApplication>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cassert>
#include <cmath>

#include "base/index.h"
#include "base/text.h"
#include "findings/faces_inside.h"
#include "io/image.h"
#include "picture/painter.h"
#include "widgets/elements.h"
#include "widgets/show_me.h"

namespace flentro::app {
namespace {

constexpr std::size_t kMaxSubjects = 2;  ///< Drawn side by side.
constexpr int kMagnified = 8;            ///< Screen pixels for one of the target's.
const Vec3d kSide = Vec3d(0.7, 0.45, 0.75).normalized();  ///< Where meshes are looked at from.

QString tr(const char* text) {
    return QCoreApplication::translate("EvidenceTiles", text);
}

/// The evidence of that label, if there is any.
std::optional<double> quantityOf(const Finding& finding, std::string_view label) {
    for (const Quantity& quantity : finding.evidence)
        if (quantity.label == label) return quantity.value;
    return std::nullopt;
}

class TilePainter {
public:
    TilePainter(const Finding& finding, const Scene& scene, const Target& target,
                const Theme& theme, int edge)
        : finding_(finding), scene_(scene), target_(target), theme_(theme), edge_(edge) {}

    std::vector<EvidenceTile> run() {
        switch (finding_.subjects.front().kind) {
            case Subject::Kind::Asset:
                addEach([&](const Subject& subject) { return meshTile(subject); });
                addTriangles();
                addCut();
                break;
            case Subject::Kind::Object:
                addEach([&](const Subject& subject) {
                    return meshTile(assetSubject(
                        scene_, static_cast<std::size_t>(scene_.objects[subject.index].asset)));
                });
                addPlanOfObject();
                break;
            case Subject::Kind::Image:
                addEach([&](const Subject& subject) { return imageTile(subject); });
                break;
            case Subject::Kind::Material:
                addEach([&](const Subject& subject) { return materialTile(subject); });
                break;
            case Subject::Kind::Light:
                addPlanOfLight();
                break;
            case Subject::Kind::Scene:
                break;
        }
        return std::move(tiles_);
    }

private:
    template <typename Draw>
    void addEach(Draw&& draw) {
        const std::size_t count = std::min(kMaxSubjects, finding_.subjects.size());
        for (std::size_t i = 0; i < count; ++i)
            if (EvidenceTile tile = draw(finding_.subjects[i]); !tile.image.isNull())
                tiles_.push_back(std::move(tile));
    }

    [[nodiscard]] QImage blank() const {
        QImage image(edge_, edge_, QImage::Format_ARGB32_Premultiplied);
        image.fill(theme_.raised);
        return image;
    }

    [[nodiscard]] EvidenceTile meshTile(const Subject& subject) const {
        const MeshPtr& mesh = scene_.assets[subject.index].mesh;
        if (mesh->triangles == 0) return {};
        // Pixels are made as large as the picture asks.
        constexpr double kFine = 1e6;
        const double away = 2 * mesh->bounds.diagonal().norm();
        const Picture picture =
            MeshPainter(scene_, mesh).paint(aimAt(mesh->bounds, kSide, away, kFine, edge_));
        const std::vector<std::uint8_t> bytes = toBytes(picture);
        const QImage painted(bytes.data(), picture.width, picture.height, QImage::Format_RGBA8888);
        QImage image = blank();
        QPainter painter(&image);
        painter.drawImage((edge_ - picture.width) / 2, (edge_ - picture.height) / 2, painted);
        return {image, toText(subject.name)};
    }

    [[nodiscard]] QImage decoded(const Image& image) const {
        const auto pixels = decodeImage(image, 2 * edge_);
        if (!pixels) return {};
        return QImage(pixels->rgba.data(), pixels->width, pixels->height, QImage::Format_RGBA8888)
            .scaled(edge_, edge_, Qt::KeepAspectRatio, Qt::SmoothTransformation);
    }

    /// The texture; a square in its corner is as much of it as is needed.
    [[nodiscard]] EvidenceTile imageTile(const Subject& subject) const {
        const Image& stored = scene_.images[subject.index];
        const QImage whole = decoded(stored);
        if (whole.isNull()) return {};
        QImage image = blank();
        QPainter painter(&image);
        painter.drawImage(0, 0, whole);
        QString caption = QString("%1 x %2").arg(stored.width).arg(stored.height);
        const auto storedEdge = quantityOf(finding_, "stored edge");
        const auto neededEdge = quantityOf(finding_, "needed edge");
        if (storedEdge && neededEdge && *storedEdge > 0) {
            const double share = *neededEdge / *storedEdge;
            const QRectF needed(0, 0, share * whole.width(), share * whole.height());
            QPainterPath rest;
            rest.addRect(whole.rect());
            rest.addRect(needed);
            QColor veil = theme_.raised;
            veil.setAlpha(170);
            painter.fillPath(rest, veil);
            painter.setPen(QPen(theme_.ink, 2));
            painter.drawRect(needed.adjusted(1, 1, -1, -1));
            caption = tr("%1 stored, %2 needed").arg(*storedEdge).arg(*neededEdge);
        }
        return {image, caption};
    }

    /// A swatch: its base colour, over its texture if it has one.
    [[nodiscard]] EvidenceTile materialTile(const Subject& subject) const {
        const Material& material = scene_.materials[subject.index];
        QImage image = blank();
        QPainter painter(&image);
        const auto display = [&](int c) { return toDisplay(material.baseColor[c]); };
        const int shown = scene_.imageOf(material.texture("baseColorTexture"));
        const QImage whole = shown < 0 ? QImage() : decoded(elementOf(scene_.images, shown));
        if (!whole.isNull()) {
            painter.drawImage(image.rect(), whole);
            painter.setCompositionMode(QPainter::CompositionMode_Multiply);
        }
        painter.fillRect(image.rect(), QColor::fromRgbF(display(0), display(1), display(2)));
        return {image, toText(subject.name)};
    }

    /// The middle of a mesh as the target shows it from where it counts most, magnified: a square
    /// of the grid is a pixel there.
    void addTriangles() {
        if (!quantityOf(finding_, "share below four pixels") || finding_.where.empty()) return;
        const std::size_t asset = finding_.subjects.front().index;
        const Vec3d eye = finding_.where.front().eye;
        const auto nearest = nearestObject(scene_, eye, [&](std::size_t i) {
            return static_cast<std::size_t>(scene_.objects[i].asset) == asset;
        });
        if (!nearest) return;
        const Object& object = scene_.objects[*nearest];
        const double distance = std::max(object.bounds.exteriorDistance(eye), 0.5);
        const double perMetre =
            kMagnified * object.scale * pixelsPerMetreAtOne(target_) / distance;  // on the tile
        QImage image = blank();
        QPainter painter(&image);
        painter.setPen(QPen(theme_.hairline, 1));
        for (int i = 0; i <= edge_; i += kMagnified) {
            painter.drawLine(i, 0, i, edge_);
            painter.drawLine(0, i, edge_, i);
        }
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(QPen(theme_.ink, 1));
        drawEdges(painter, *scene_.assets[asset].mesh, perMetre);
        tiles_.push_back(
            {image, tr("from %1, a square is a pixel").arg(toText(formatMetres(distance)))});
    }

    /// A cut through the mesh where most of its faces lie inside; those are bold.
    void addCut() {
        if (!quantityOf(finding_, "triangles inside")) return;
        const Mesh& mesh = *scene_.assets[finding_.subjects.front().index].mesh;
        const WeldedMesh welded = weldPositions(mesh);
        const MeshCut cut = cutThroughMost(welded, facesInside(scene_, mesh, welded));
        Eigen::AlignedBox2f bounds;
        for (const MeshCut::Segment& segment : cut.segments)
            bounds.extend(segment.from).extend(segment.to);
        if (bounds.isEmpty()) return;
        constexpr float kMargin = 0.9F;
        const float perMetre =
            kMargin * static_cast<float>(edge_) / std::max(bounds.sizes().maxCoeff(), 1e-6F);
        const float up = cut.axis == 1 ? -1.0F : 1.0F;
        const auto onTile = [&](const Vec2f& point) {
            const Vec2f from = perMetre * (point - bounds.center());
            return QPointF(edge_ / 2.0 + from.x(), edge_ / 2.0 - up * from.y());
        };
        QImage image = blank();
        QPainter painter(&image);
        painter.setRenderHint(QPainter::Antialiasing);
        for (const bool marked : {false, true}) {
            painter.setPen(marked ? QPen(theme_.over, 2.5) : QPen(theme_.ink, 1));
            for (const MeshCut::Segment& segment : cut.segments)
                if (segment.isMarked == marked)
                    painter.drawLine(onTile(segment.from), onTile(segment.to));
        }
        tiles_.push_back({image, tr("cut through; bold: inside")});
    }

    /// The edges of faces that look this way, around the middle of the bounds.
    void drawEdges(QPainter& painter, const Mesh& mesh, double perMetre) const {
        const Vec3d right = Vec3d::UnitY().cross(kSide).normalized();
        const Vec3d up = kSide.cross(right);
        const Vec3d centre = mesh.bounds.center();
        const QRectF window(0, 0, edge_, edge_);
        for (const Part& part : mesh.parts) {
            if (part.triangleCount() == 0) continue;
            const std::vector<Vec3f> points = positionsOf(part);
            forEachTriangle(part, [&](const Corners& t) {
                QPolygonF outline;
                for (const std::uint32_t v : t) {
                    const Vec3d from = points[v].cast<double>() - centre;
                    outline << QPointF(edge_ / 2.0 + perMetre * from.dot(right),
                                       edge_ / 2.0 - perMetre * from.dot(up));
                }
                const QPointF a = outline[1] - outline[0];
                const QPointF b = outline[2] - outline[0];
                const bool facesAway = a.x() * b.y() - a.y() * b.x() >= 0;  // y points down
                if (!facesAway && outline.boundingRect().intersects(window))
                    painter.drawPolygon(outline);
            });
        }
    }

    /// The scene from above around a point, as far as `reach`; gives the scale.
    double drawPlan(QPainter& painter, const Vec3d& centre, double reach) const {
        const double perMetre = edge_ / (2 * reach);
        QColor ground = theme_.faint;
        ground.setAlpha(70);
        painter.setPen(QPen(theme_.faint, 1));
        for (const Object& object : scene_.objects) {
            const QRectF outline = planOf(object.bounds, centre, perMetre);
            const bool isGround = outline.width() > edge_ && outline.height() > edge_;
            if (object.bounds.isEmpty() || isGround ||
                !outline.intersects(QRectF(0, 0, edge_, edge_)))
                continue;
            painter.fillRect(outline, ground);
            painter.drawRect(outline);
        }
        return perMetre;
    }

    [[nodiscard]] QPointF onPlan(const Vec3d& point, const Vec3d& centre, double perMetre) const {
        return {edge_ / 2.0 + perMetre * (point.x() - centre.x()),
                edge_ / 2.0 + perMetre * (point.z() - centre.z())};
    }

    [[nodiscard]] QRectF planOf(const Box& bounds, const Vec3d& centre, double perMetre) const {
        return {onPlan(bounds.min(), centre, perMetre), onPlan(bounds.max(), centre, perMetre)};
    }

    void addPlanOfLight() {
        const PlacedLight& light = scene_.placedLights[finding_.subjects.front().index];
        const auto useful = quantityOf(finding_, "useful reach");
        const double widest = scene_.bounds().diagonal().norm() / 2;
        const double reach =
            std::min({1.1 * std::max(light.range, useful.value_or(0)), widest, 60.0});
        if (!(reach > 0)) return;
        QImage image = blank();
        QPainter painter(&image);
        painter.setRenderHint(QPainter::Antialiasing);
        const double perMetre = drawPlan(painter, light.position, reach);
        const QPointF middle(edge_ / 2.0, edge_ / 2.0);
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(theme_.over, 2));
        painter.drawEllipse(middle, perMetre * light.range, perMetre * light.range);
        if (useful) {
            painter.setPen(QPen(theme_.within, 2, Qt::DashLine));
            painter.drawEllipse(middle, perMetre * *useful, perMetre * *useful);
        }
        painter.setPen(Qt::NoPen);
        painter.setBrush(theme_.ink);
        painter.drawEllipse(middle, 3, 3);
        const QString range = std::isfinite(light.range)
                                  ? tr("reaches %1").arg(toText(formatMetres(light.range)))
                                  : tr("reaches everywhere");
        tiles_.push_back({image, useful
                                     ? tr("%1, %2 matter").arg(range, toText(formatMetres(*useful)))
                                     : range});
    }

    /// The object and where it counts most, with what is looked at from there.
    void addPlanOfObject() {
        if (finding_.where.empty()) return;
        const Box& bounds = scene_.objects[finding_.subjects.front().index].bounds;
        const Viewpoint& view = finding_.where.front();
        const Vec3d centre = (bounds.center() + view.eye) / 2;
        const Vec3d apart = bounds.center() - view.eye;
        const double reach =
            std::max(4.0, 0.75 * std::max(std::fabs(apart.x()), std::fabs(apart.z())) +
                              0.5 * std::max(bounds.sizes().x(), bounds.sizes().z()));
        QImage image = blank();
        QPainter painter(&image);
        painter.setRenderHint(QPainter::Antialiasing);
        const double perMetre = drawPlan(painter, centre, reach);
        const QPointF eye = onPlan(view.eye, centre, perMetre);
        const double half = target_.projection().horizontalFov() / 2;
        painter.setPen(QPen(theme_.ink, 1));
        for (const double side : {-half, half}) {
            const Vec3d way = lookDirection(view.heading + side, 0) * reach;
            painter.drawLine(eye, onPlan(view.eye + way, centre, perMetre));
        }
        painter.setBrush(theme_.ink);
        painter.drawEllipse(eye, 3, 3);
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(theme_.over, 2));
        painter.drawRect(planOf(bounds, centre, perMetre).marginsAdded({2, 2, 2, 2}));
        tiles_.push_back(
            {image, tr("from %1").arg(toText(formatMetres(bounds.exteriorDistance(view.eye))))});
    }

    const Finding& finding_;
    const Scene& scene_;
    const Target& target_;
    const Theme& theme_;
    const int edge_;
    std::vector<EvidenceTile> tiles_;
};

}  // namespace

std::vector<EvidenceTile> evidenceTiles(const Finding& finding, const Scene& scene,
                                        const Target& target, const Theme& theme, int edge) {
    assert(edge > 0 && !finding.subjects.empty());
    return TilePainter(finding, scene, target, theme, edge).run();
}

}  // namespace flentro::app
