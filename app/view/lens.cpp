#include "view/lens.h"

#include <algorithm>
#include <array>
#include <cassert>
#include <cmath>

#include "base/index.h"
#include "base/text.h"
#include "findings/ranking.h"
#include "scene/origins.h"
#include "widgets/elements.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr double kLowestShare = 1e-4;
constexpr double kHighestShare = 0.1;

}  // namespace

QColor levelColor(std::size_t level) {
    return heat(1.0 - static_cast<double>(std::min<std::size_t>(level, 6)) / 6.0);
}

QColor noLevelColor() {
    return {0x6A, 0x72, 0x7B};
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

QString legendTitle(LensKind kind, const Document& document) {
    constexpr double kSamePlace = 0.5;  // metres
    const int nearest = document.survey().nearestSpot();
    if (kind != LensKind::Seen || nearest < 0) return lensOf(kind).name;
    const SpotResult& spot = elementOf(document.survey().surveyed().survey->spots, nearest);
    const double away = (spot.eye - document.view().eye).norm();
    if (away < kSamePlace) return QObject::tr("Seen from here");
    return QObject::tr("Seen from spot %1, %2 away")
        .arg(QString::fromStdString(spot.name), QString::fromStdString(formatMetres(away)));
}

std::vector<SeenState> seenStates(const Document& document, const Scene& scene) {
    const Surveyed& surveyed = document.survey().surveyed();
    const int nearest = document.survey().nearestSpot();
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
    for (const SeenObject& seen : elementOf(surveyed.survey->spots, nearest).seen.objects)
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

struct LevelCount {
    std::size_t objects = 0;
    double triangles = 0;

    void add(const Scene& scene, const DrawnObject& drawn) {
        const Object& object = scene.objects[drawn.object];
        ++objects;
        triangles += static_cast<double>(scene.asset(object).level(drawn.level)->triangles);
    }
};

LegendEntry countEntry(const QColor& color, const QString& name, const LevelCount& count) {
    return {color, QString("%1: %2, %3 triangles")
                       .arg(name, toCounted(count.objects, "object"),
                            toText(formatCount(count.triangles)))};
}

bool hasLevels(const Scene& scene, const DrawnObject& drawn) {
    return !scene.asset(scene.objects[drawn.object]).ladder.empty();
}

std::vector<LegendEntry> levelLegend(const LensInput& input, double) {
    std::vector<LevelCount> levels;
    LevelCount none;
    for (const DrawnObject& drawn : input.drawn) {
        if (levels.size() <= drawn.level) levels.resize(drawn.level + 1);
        (hasLevels(input.scene, drawn) ? levels[drawn.level] : none).add(input.scene, drawn);
    }
    std::vector<LegendEntry> entries;
    for (std::size_t i = 0; i < levels.size(); ++i)
        if (levels[i].objects > 0)
            entries.push_back(countEntry(levelColor(i), QString("LOD %1").arg(i), levels[i]));
    if (none.objects > 0) entries.push_back(countEntry(noLevelColor(), "no levels", none));
    return entries;
}

std::vector<QColor> levelTints(const LensInput& input) {
    std::vector<QColor> tints;
    for (const DrawnObject& drawn : input.drawn)
        tints.push_back(hasLevels(input.scene, drawn) ? levelColor(drawn.level) : noLevelColor());
    return tints;
}

/// What is drawn of each of three kinds; `kinds` [objects].
template <typename Kind>
std::array<LevelCount, 3> countDrawn(const LensInput& input, const std::vector<Kind>& kinds) {
    std::array<LevelCount, 3> counts;
    for (const DrawnObject& drawn : input.drawn)
        elementOf(counts, kinds[drawn.object]).add(input.scene, drawn);
    return counts;
}

std::vector<LegendEntry> seenLegend(const LensInput& input, double) {
    if (input.seen.size() != input.scene.objects.size())
        return {{noLevelColor(), "no survey with rays yet"}};
    const auto counts = countDrawn(input, input.seen);
    return {countEntry(seenColor(SeenState::Here), "seen", counts[0]),
            countEntry(seenColor(SeenState::Elsewhere), "hidden", counts[1]),
            countEntry(seenColor(SeenState::Never), "seen nowhere", counts[2])};
}

std::vector<QColor> seenTints(const LensInput& input) {
    std::vector<QColor> tints;
    for (const DrawnObject& drawn : input.drawn)
        tints.push_back(drawn.object < input.seen.size() ? seenColor(input.seen[drawn.object])
                                                         : noLevelColor());
    return tints;
}

std::vector<LegendEntry> groupLegend(const LensInput& input, double) {
    const auto counts = countDrawn(input, groupingOf(input.scene));
    return {countEntry(parcelColor(0), "merged", counts[1]),
            countEntry(pieceColor(1), "pieces", counts[2]),
            countEntry(noLevelColor(), "as they were", counts[0])};
}

/// What fixes have merged in tones of blue, what they have split in tones of plum, neighbours in
/// different ones; the rest is grey.
std::vector<QColor> groupTints(const LensInput& input) {
    std::vector<QColor> ofObject;
    std::size_t group = 0;
    for (const Grouping grouping : groupingOf(input.scene)) {
        ofObject.push_back(grouping == Grouping::Merged  ? parcelColor(group)
                           : grouping == Grouping::Piece ? pieceColor(group)
                                                         : noLevelColor());
        group += grouping != Grouping::Single;
    }
    std::vector<QColor> tints;
    for (const DrawnObject& drawn : input.drawn) tints.push_back(ofObject[drawn.object]);
    return tints;
}

/// Share of the drawn triangles on a logarithmic scale from 0.01 % to 10 %, 0 to 1.
double shareOnScale(double share) {
    if (share <= 0) return 0;
    return std::clamp(std::log(share / kLowestShare) / std::log(kHighestShare / kLowestShare), 0.0,
                      1.0);
}

std::vector<LegendEntry> shareLegend(const LensInput&, double triangles) {
    std::vector<LegendEntry> entries;
    for (const double share : {0.1, 0.01, 0.001, 0.0001})
        entries.push_back(
            {heat(shareOnScale(share)),
             QString("%1 = %2 triangles")
                 .arg(toText(formatShare(share)), toText(formatCount(triangles * share)))});
    return entries;
}

std::vector<QColor> shareTints(const LensInput& input) {
    const std::vector<float> shares = shareOfTriangles(input.scene, input.drawn);
    std::vector<QColor> tints;
    for (const DrawnObject& drawn : input.drawn)
        tints.push_back(heat(shareOnScale(static_cast<double>(shares[drawn.object]))));
    return tints;
}

std::vector<LegendEntry> triangleSizeLegend(const LensInput&, double) {
    return {{heat(1), "under 1 px²"},
            {heat(0.75), "4 px²"},
            {heat(0.5), "16 px²"},
            {heat(0.25), "64 px²"},
            {heat(0), "256 px² and more"}};
}

std::vector<LegendEntry> texelLegend(const LensInput&, double) {
    return {{heat(1), "16 texels a pixel and more"},
            {heat(0.75), "4 texels a pixel"},
            {heat(0.5), "1 texel a pixel"},
            {heat(0.25), "1 texel for 4 pixels"},
            {noLevelColor(), "no texture"}};
}

std::vector<QColor> greyTints(const LensInput& input) {
    return std::vector<QColor>(input.drawn.size(), noLevelColor());
}

std::vector<LegendEntry> lightLegend(const LensInput&, double) {
    return {{heat(1), "16 lights and more"},
            {heat(0.5), "8 lights"},
            {heat(0.25), "4 lights"},
            {heat(0), "none"}};
}

std::vector<LegendEntry> layerLegend(const LensInput&, double) {
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

// Triangles of a few pixels would drown the picture in lines.
constexpr const char* kWireframeShader = R"(
    vec3 width = fwidth(corner);
    vec3 edge = smoothstep(vec3(0.0), width * 1.1, corner);
    float line = 1.0 - min(edge.x, min(edge.y, edge.z));
    result = mix(result, middle, line * 0.75 * clamp(sqrt(pixels) / 8.0, 0.15, 1.0));
)";

constexpr const char* kTriangleSizeShader =
    "result = heat(clamp(1.0 - log2(max(pixels, 1.0)) / 8.0, 0.0, 1.0)) * relief;";

constexpr const char* kTexelShader = R"(
    if (textured != 0) {
        vec2 across = dFdx(at) * texels;
        vec2 along = dFdy(at) * texels;
        float density = sqrt(abs(across.x * along.y - across.y * along.x));
        result = heat(clamp(0.5 + log2(max(density, 1e-4)) / 8.0, 0.0, 1.0)) * relief;
    }
)";

constexpr const char* kLightShader = R"(
    vec3 cell = (surface.place - gridOrigin) / gridSize;
    vec3 inside = step(vec3(0.0), cell) * step(cell, vec3(1.0));
    float count = float(sunCount);
    if (lit != 0) count += texture(lightGrid, cell).a * inside.x * inside.y * inside.z;
    result = heat(clamp(count / 16.0, 0.0, 1.0)) * relief;
)";

constexpr Lens kLenses[] = {
    {.kind = LensKind::Shaded,
     .name = "Shaded",
     .help = "The scene in its own materials, lit by its lights; once it stands still, with the "
             "shadows of the strongest that cast.",
     .isShaded = true},
    {.kind = LensKind::Wireframe,
     .name = "Wireframe over shaded",
     .help = "Every triangle edge over the shaded scene.",
     .shader = kWireframeShader,
     .isShaded = true,
     .knowsEdges = true},
    {.kind = LensKind::TriangleSize,
     .name = "Triangle size",
     .help =
         "Pixels that each triangle covers on the target's display. Below 4 px² a triangle costs "
         "more than it shows.",
     .legend = triangleSizeLegend,
     .shader = kTriangleSizeShader,
     .knowsEdges = true},
    {.kind = LensKind::Level,
     .name = "Level",
     .help = "Which level of detail each object shows at its distance.",
     .legend = levelLegend,
     .tints = levelTints},
    {.kind = LensKind::ShareOfCost,
     .name = "Share of cost",
     .help = "Each object's share of all triangles drawn in this view, shadow passes left out.",
     .legend = shareLegend,
     .tints = shareTints},
    {.kind = LensKind::Seen,
     .name = "Seen",
     .help = "What the surveyed spot nearest to this view really sees of what is drawn. Needs a "
             "survey with rays.",
     .legend = seenLegend,
     .tints = seenTints},
    {.kind = LensKind::Texels,
     .name = "Texels stored and needed",
     .help = "Texels of the colour texture for each pixel of the target's display. Above 1 more is "
             "stored than can be shown at this distance.",
     .legend = texelLegend,
     .tints = greyTints,
     .shader = kTexelShader},
    {.kind = LensKind::LightCount,
     .name = "Lights per surface",
     .help = "Lights whose range takes in the surface, counted on a grid over the scene.",
     .legend = lightLegend,
     .shader = kLightShader,
     .countsAllLights = true},
    {.kind = LensKind::Overdraw,
     .name = "Overdraw",
     .help = "Surfaces drawn for each pixel, hidden ones included.",
     .legend = layerLegend,
     .shader = "color = vec4(layer, 1.0); return;",
     .addsLayers = true},
    {.kind = LensKind::Groups,
     .name = "Groups",
     .help = "What fixes have merged into one object, and what they have split into several.",
     .legend = groupLegend,
     .tints = groupTints}};

}  // namespace

std::span<const Lens> lenses() {
    return kLenses;
}

const Lens& lensOf(LensKind kind) {
    const Lens& lens = elementOf(kLenses, kind);
    assert(lens.kind == kind);
    return lens;
}

QKeySequence lensKeys(LensKind kind) {
    return QKeySequence(QString("Ctrl+%1").arg((static_cast<int>(kind) + 1) % 10));
}

std::vector<LegendEntry> legendFor(LensKind kind, const Scene& scene, const ViewCost& cost,
                                   const std::vector<SeenState>& seen) {
    const Lens& lens = lensOf(kind);
    if (!lens.legend) return {};
    return lens.legend({scene, cost.drawn, seen},
                       at(cost.counts, Measure::Triangles) - cost.shadowTriangles);
}

}  // namespace flentro::app
