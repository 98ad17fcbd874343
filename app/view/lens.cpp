#include "view/lens.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/text.h"
#include "scene/origins.h"
#include "theme.h"

namespace flentro::app {
namespace {

constexpr double kLowestShare = 1e-4;
constexpr double kHighestShare = 0.1;

QString text(const std::string& s) {
    return QString::fromStdString(s);
}

struct LevelCount {
    std::size_t objects = 0;
    double triangles = 0;
};

LegendEntry levelEntry(const QColor& color, const QString& name, const LevelCount& count) {
    return {color, QString("%1: %2 objects, %3 triangles")
                       .arg(name)
                       .arg(count.objects)
                       .arg(text(formatCount(count.triangles)))};
}

std::vector<LegendEntry> levelLegend(const Scene& scene, const ViewCost& cost) {
    std::vector<LevelCount> levels;
    LevelCount none;
    for (const DrawnObject& drawn : cost.drawn) {
        const Object& object = scene.objects[drawn.object];
        const Asset& asset = scene.assets[static_cast<std::size_t>(object.asset)];
        if (levels.size() <= drawn.level) levels.resize(drawn.level + 1);
        LevelCount& count = asset.ladder.empty() ? none : levels[drawn.level];
        ++count.objects;
        count.triangles += static_cast<double>(asset.level(drawn.level)->triangles);
    }
    std::vector<LegendEntry> entries;
    for (std::size_t i = 0; i < levels.size(); ++i)
        if (levels[i].objects > 0)
            entries.push_back(levelEntry(levelColor(i), QString("LOD %1").arg(i), levels[i]));
    if (none.objects > 0) entries.push_back(levelEntry(noLevelColor(), "no levels", none));
    return entries;
}

}  // namespace

QString lensName(LensKind kind) {
    static const char* names[] = {
        "Shaded", "Wireframe over shaded",    "Triangle size",      "Level",    "Share of cost",
        "Seen",   "Texels stored and needed", "Lights per surface", "Overdraw", "Groups"};
    return names[static_cast<int>(kind)];
}

QString lensHelp(LensKind kind) {
    static const char* help[] = {
        "The scene in its own materials, lit by its lights without shadows.",
        "Every triangle edge over the shaded scene.",
        "Pixels that each triangle covers on the target's display. Below 4 px² a triangle costs "
        "more than it shows.",
        "Which level of detail each object shows at its distance.",
        "Each object's share of all triangles drawn in this view, shadow passes left out.",
        "What the surveyed spot nearest to this view really sees of what is drawn. Needs a survey "
        "with rays.",
        "Texels of the colour texture for each pixel of the target's display. Above 1 more is "
        "stored than can be shown at this distance.",
        "Lights whose range takes in the surface, counted on a grid over the scene.",
        "Surfaces drawn for each pixel, hidden ones included.",
        "What fixes have merged into one object, and what they have split into several."};
    return help[static_cast<int>(kind)];
}

QKeySequence lensKeys(LensKind kind) {
    return QKeySequence(QString("Ctrl+%1").arg((static_cast<int>(kind) + 1) % 10));
}

QColor levelColor(std::size_t level) {
    return heat(1.0 - static_cast<double>(std::min<std::size_t>(level, 6)) / 6.0);
}

QColor noLevelColor() {
    return {0x6A, 0x72, 0x7B};
}

double shareOnScale(double share) {
    if (share <= 0) return 0;
    return std::clamp(std::log(share / kLowestShare) / std::log(kHighestShare / kLowestShare), 0.0,
                      1.0);
}

QColor seenColor(SeenState state) {
    return state == SeenState::Here        ? heat(0.5)
           : state == SeenState::Elsewhere ? heat(0.08)
                                           : heat(1);
}

namespace {

/// 0 to 1, so that neighbours in a list are apart.
double toneOf(std::size_t index) {
    constexpr std::size_t kTones = 5;
    return static_cast<double>(index * 2 % kTones) / (kTones - 1);
}

QColor pieceColor(std::size_t piece) {
    return heat(0.6 + 0.4 * toneOf(piece));
}

}  // namespace

QColor parcelColor(std::size_t parcel) {
    return heat(0.04 + 0.36 * toneOf(parcel));
}

std::vector<QColor> groupColors(const Scene& scene) {
    std::vector<QColor> colors;
    std::size_t group = 0;
    for (const Grouping grouping : groupingOf(scene)) {
        const QColor tone = parcelColor(group);
        colors.push_back(grouping == Grouping::Merged  ? tone
                         : grouping == Grouping::Piece ? pieceColor(group)
                                                       : noLevelColor());
        group += grouping != Grouping::Single;
    }
    return colors;
}

QString legendTitle(LensKind kind, const Document& document) {
    constexpr double kSamePlace = 0.5;  // metres
    const int nearest = document.nearestSpot();
    if (kind != LensKind::Seen || nearest < 0) return lensName(kind);
    const SpotResult& spot = document.surveyed().survey->spots[static_cast<std::size_t>(nearest)];
    const double away = (spot.eye - document.view().eye).norm();
    if (away < kSamePlace) return QObject::tr("Seen from here");
    return QObject::tr("Seen from spot %1, %2 away")
        .arg(QString::fromStdString(spot.name), QString::fromStdString(formatMetres(away)));
}

std::vector<SeenState> seenStates(const Document& document, const Scene& scene) {
    const Surveyed& surveyed = document.surveyed();
    const int nearest = document.nearestSpot();
    if (nearest < 0 || !surveyed.survey->hasRays()) return {};
    // What is seen of an object is seen of all its origins, and the other way round.
    std::vector<SeenState> byOrigin(document.source()->objects.size(), SeenState::Never);
    const auto raise = [&](std::size_t object, SeenState state) {
        for (const std::uint32_t origin : surveyed.scene->objects[object].origins)
            byOrigin[origin] = std::min(byOrigin[origin], state);
    };
    const auto& everywhere = surveyed.survey->seen.objects;
    for (std::size_t i = 0; i < everywhere.size(); ++i)
        if (everywhere[i].spots > 0) raise(i, SeenState::Elsewhere);
    for (const SeenObject& seen :
         surveyed.survey->spots[static_cast<std::size_t>(nearest)].seen.objects)
        raise(seen.object, SeenState::Here);
    std::vector<SeenState> states;
    for (const Object& object : scene.objects) {
        states.push_back(SeenState::Never);
        for (const std::uint32_t origin : object.origins)
            states.back() = std::min(states.back(), byOrigin[origin]);
    }
    return states;
}

namespace {

/// What is drawn of each of three kinds; `kinds` [objects].
template <typename Kind>
std::array<LevelCount, 3> countDrawn(const Scene& scene, const ViewCost& cost,
                                     const std::vector<Kind>& kinds) {
    std::array<LevelCount, 3> counts;
    for (const DrawnObject& drawn : cost.drawn) {
        const Object& object = scene.objects[drawn.object];
        const Asset& asset = scene.assets[static_cast<std::size_t>(object.asset)];
        LevelCount& count = counts[static_cast<std::size_t>(kinds[drawn.object])];
        ++count.objects;
        count.triangles += static_cast<double>(asset.level(drawn.level)->triangles);
    }
    return counts;
}

std::vector<LegendEntry> seenLegend(const Scene& scene, const ViewCost& cost,
                                    const std::vector<SeenState>& seen) {
    if (seen.size() != scene.objects.size()) return {{noLevelColor(), "no survey with rays yet"}};
    const auto counts = countDrawn(scene, cost, seen);
    return {levelEntry(seenColor(SeenState::Here), "seen", counts[0]),
            levelEntry(seenColor(SeenState::Elsewhere), "hidden", counts[1]),
            levelEntry(seenColor(SeenState::Never), "seen nowhere", counts[2])};
}

std::vector<LegendEntry> groupLegend(const Scene& scene, const ViewCost& cost) {
    const auto counts = countDrawn(scene, cost, groupingOf(scene));
    return {levelEntry(parcelColor(0), "merged", counts[1]),
            levelEntry(pieceColor(1), "pieces", counts[2]),
            levelEntry(noLevelColor(), "as they were", counts[0])};
}

std::vector<LegendEntry> layerLegend() {
    std::vector<LegendEntry> entries;
    for (const int layers : {1, 2, 4, 8}) {
        const auto channel = [&](int c) {
            return std::min(1.0F, kLayerColor[c] * static_cast<float>(layers));
        };
        entries.push_back({QColor::fromRgbF(channel(0), channel(1), channel(2)),
                           layers == 1 ? QString("1 layer") : QString("%1 layers").arg(layers)});
    }
    return entries;
}

}  // namespace

std::vector<LegendEntry> legendFor(LensKind kind, const Scene& scene, const ViewCost& cost,
                                   const std::vector<SeenState>& seen) {
    switch (kind) {
        case LensKind::Shaded:
        case LensKind::Wireframe:
            return {};
        case LensKind::TriangleSize:
            return {{heat(1), "under 1 px²"},
                    {heat(0.75), "4 px²"},
                    {heat(0.5), "16 px²"},
                    {heat(0.25), "64 px²"},
                    {heat(0), "256 px² and more"}};
        case LensKind::Level:
            return levelLegend(scene, cost);
        case LensKind::Seen:
            return seenLegend(scene, cost, seen);
        case LensKind::Texels:
            return {{heat(1), "16 texels a pixel and more"},
                    {heat(0.75), "4 texels a pixel"},
                    {heat(0.5), "1 texel a pixel"},
                    {heat(0.25), "1 texel for 4 pixels"},
                    {noLevelColor(), "no texture"}};
        case LensKind::LightCount:
            return {{heat(1), "16 lights and more"},
                    {heat(0.5), "8 lights"},
                    {heat(0.25), "4 lights"},
                    {heat(0), "none"}};
        case LensKind::Overdraw:
            return layerLegend();
        case LensKind::Groups:
            return groupLegend(scene, cost);
        case LensKind::ShareOfCost:
            break;
    }
    std::vector<LegendEntry> entries;
    const double total = at(cost.counts, Measure::Triangles) - cost.shadowTriangles;
    for (const double share : {0.1, 0.01, 0.001, 0.0001})
        entries.push_back({heat(shareOnScale(share)),
                           QString("%1 = %2 triangles")
                               .arg(text(formatShare(share)), text(formatCount(total * share)))});
    return entries;
}

}  // namespace flentro::app
