#include "fixes/cards.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/index.h"
#include "base/parallel.h"
#include "fixes/page_packer.h"
#include "io/gltf_materials.h"
#include "io/image.h"
#include "picture/difference.h"
#include "simplify/deviation.h"

namespace flentro {
namespace {

constexpr std::size_t kCardTriangles = 4;
constexpr double kFarEye = 60;          ///< Diagonals: so far that a card is seen straight on.
constexpr double kMaxSilhouette = 0.5;  ///< Share of the outline that may differ from any side.
constexpr int kPageEdge = 4096;         ///< Pixels, at most.
constexpr int kGutter = 4;              ///< Pixels around each picture, for mip maps.
constexpr double kLaterBy = 1.05;

using Pictures = std::array<Picture, 2>;

/// What one asset's cards come to.
struct Made {
    bool added = false;
    bool refused = false;
    Pictures pictures;
    double distance = 0;
    double deviation = 0;
};

const std::array<Vec3d, 2> kFronts = {Vec3d(0, 0, 1), Vec3d(1, 0, 0)};

/// Straight at one card, its edges at those of the picture.
Aim aimAtCard(const Box& bounds, std::size_t card, int longestEdge) {
    const Vec3d size = bounds.sizes();
    const double width = card == 0 ? size.x() : size.z();
    const double height = size.y();
    const double pixel = std::max(width, height) / longestEdge;
    const double away = kFarEye * bounds.diagonal().norm();
    Aim aim;
    aim.at = bounds.center();
    aim.eye = aim.at + away * kFronts[card];
    aim.pixel = pixel / away;
    aim.width = std::max(1, static_cast<int>(std::lround(width / pixel)));
    aim.height = std::max(1, static_cast<int>(std::lround(height / pixel)));
    return aim;
}

/// Gives uncovered pixels the colour of their nearest covered neighbours, so that mip maps do
/// not darken the outline.
void bleed(std::vector<std::uint8_t>& rgba, int width, int height) {
    const auto indexOf = [&](int x, int y) {
        return static_cast<std::size_t>(y) * static_cast<std::size_t>(width) +
               static_cast<std::size_t>(x);
    };
    std::vector<bool> known;
    for (std::size_t i = 3; i < rgba.size(); i += 4) known.push_back(rgba[i] > 0);
    for (int round = 0; round < 2 * kGutter; ++round) {
        std::vector<bool> next = known;
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x) {
                const std::size_t at = indexOf(x, y);
                if (known[at]) continue;
                std::array<int, 4> sum{};
                for (const auto& [dx, dy] : {std::pair(-1, 0), {1, 0}, {0, -1}, {0, 1}}) {
                    if (x + dx < 0 || x + dx >= width || y + dy < 0 || y + dy >= height) continue;
                    const std::size_t from = indexOf(x + dx, y + dy);
                    if (!known[from]) continue;
                    for (std::size_t c = 0; c < 3; ++c) sum[c] += rgba[4 * from + c];
                    ++sum[3];
                }
                if (sum[3] == 0) continue;
                for (std::size_t c = 0; c < 3; ++c)
                    rgba[4 * at + c] = static_cast<std::uint8_t>(sum[c] / sum[3]);
                next[at] = true;
            }
        known.swap(next);
    }
}

/// A picture with room around it.
Pixels framed(const Picture& picture) {
    const int width = picture.width + 2 * kGutter;
    const int height = picture.height + 2 * kGutter;
    Pixels result{width, height, {}};
    result.rgba.resize(static_cast<std::size_t>(width * height) * 4, 0);
    const std::vector<std::uint8_t> bytes = toBytes(picture);
    for (int y = 0; y < picture.height; ++y) {
        const auto row = bytes.begin() + std::ptrdiff_t{4} * y * picture.width;
        std::copy(row, row + std::ptrdiff_t{4} * picture.width,
                  result.rgba.begin() + std::ptrdiff_t{4} * ((y + kGutter) * width + kGutter));
    }
    bleed(result.rgba, width, height);
    return result;
}

int addCardMaterial(Scene& scene, const Pixels& page, const std::string& name) {
    const int texture = addTexture(scene, pngImage(name, page, 4), -1);
    scene.materials.push_back(parseMaterial({{"name", name},
                                             {"alphaMode", "MASK"},
                                             {"doubleSided", true},
                                             {"pbrMetallicRoughness",
                                              {{"baseColorTexture", {{"index", texture}}},
                                               {"metallicFactor", 0},
                                               {"roughnessFactor", 1}}}}));
    return static_cast<int>(scene.materials.size()) - 1;
}

bool bends(const Mesh& mesh) {
    return std::any_of(mesh.parts.begin(), mesh.parts.end(),
                       [](const Part& part) { return part.isDeformable(); });
}

/// Where a picture lies on its page.
struct Placed {
    int page = 0;
    Vec2f low, high;  ///< Texture coordinates of its corners.
};

/// All pictures packed; pages become materials of the scene.
class Album {
public:
    /// Pages as large as the target allows, but with room for the largest picture.
    Album(Scene& scene, const std::vector<const Picture*>& pictures, const Target& target) {
        int edge = pageEdge(kPageEdge, target);
        std::vector<PageItem> items;
        std::vector<Pixels> frames;
        for (const Picture* picture : pictures) {
            frames.push_back(framed(*picture));
            items.push_back({frames.back().width, frames.back().height});
            while (edge < std::max(items.back().width, items.back().height)) edge *= 2;
        }
        const Packed packed = packPages(items, edge);
        std::vector<Pixels> pages;
        for (const PageItem& size : packed.pages) {
            pages.push_back({size.width, size.height, {}});
            pages.back().rgba.resize(static_cast<std::size_t>(size.width * size.height) * 4, 0);
        }
        for (std::size_t i = 0; i < frames.size(); ++i)
            place(frames[i], packed.places[i], elementOf(pages, packed.places[i].page));
        for (std::size_t i = 0; i < pages.size(); ++i)
            materials_.push_back(
                addCardMaterial(scene, pages[i], "far cards " + std::to_string(i + 1)));
    }

    [[nodiscard]] int materialOf(std::size_t picture) const {
        return elementOf(materials_, placed_[picture].page);
    }
    [[nodiscard]] const Placed& at(std::size_t picture) const { return placed_[picture]; }

private:
    void place(const Pixels& frame, const PagePlace& at, Pixels& page) {
        for (int y = 0; y < frame.height; ++y)
            std::copy_n(frame.rgba.begin() + std::ptrdiff_t{4} * y * frame.width,
                        std::ptrdiff_t{4} * frame.width,
                        page.rgba.begin() + std::ptrdiff_t{4} * ((at.y + y) * page.width + at.x));
        const Vec2f scale(1 / static_cast<float>(page.width), 1 / static_cast<float>(page.height));
        const auto corner = [&](int x, int y) -> Vec2f {
            return Vec2f(static_cast<float>(x), static_cast<float>(y)).cwiseProduct(scale);
        };
        placed_.push_back({at.page, corner(at.x + kGutter, at.y + kGutter),
                           corner(at.x + frame.width - kGutter, at.y + frame.height - kGutter)});
    }

    std::vector<Placed> placed_;
    std::vector<int> materials_;
};

/// The cards with their texture coordinates on the album's pages; one part for each page used.
Mesh meshOf(const Asset& asset, const std::array<Placed, 2>& places,
            const std::array<int, 2>& materials) {
    Mesh mesh;
    mesh.name = asset.mesh->name;
    const Part cards = makeCards(asset.mesh->bounds);
    std::vector<Vec2f> coords;
    for (std::size_t i = 0; i < cards.vertexCount(); ++i) {
        const Placed& at = places[i / 4];
        const Stream& unit = *cards.find("TEXCOORD_0");
        const Vec2f share(unit.value(i, 0), unit.value(i, 1));
        coords.emplace_back(at.low + share.cwiseProduct(at.high - at.low));
    }
    Part placed = cards;
    placed.set("TEXCOORD_0", makeStream(coords));
    for (std::size_t card = 0; card < 2; ++card) {
        if (card == 1 && materials[1] == materials[0]) break;
        Part part = placed;
        part.material = materials[card];
        if (materials[0] != materials[1]) {
            const auto first = part.indices.begin() + std::ptrdiff_t(6 * card);
            part.indices = {first, first + 6};
            part = dropUnusedVertices(part);
        }
        mesh.parts.push_back(std::move(part));
    }
    return mesh;
}

Made paintCards(const Scene& scene, const std::shared_ptr<const TextureCache>& textures,
                const Asset& asset, const LadderSettings& settings, const Target& target) {
    Made made;
    const Ladder& ladder = asset.ladder;
    const MeshPtr& last = asset.level(ladder.levels.size());
    const Box& bounds = asset.mesh->bounds;
    if (ladder.empty() || bounds.isEmpty() || bends(*asset.mesh) ||
        static_cast<double>(last->triangles) * (1 - settings.minReduction) < kCardTriangles)
        return made;
    const double perMetre = pixelsPerMetreAtOne(target);
    const double size = bounds.sizes().maxCoeff();
    made.distance = std::max(size * perMetre / settings.cardPixels / errorScale(asset.importance),
                             ladder.levels.back().switchDistance * kLaterBy);
    if (!(made.distance < target.farPlane) || size <= 0) return made;
    const MeshPainter original(scene, asset.mesh, textures);
    for (std::size_t card = 0; card < 2; ++card)
        made.pictures[card] = original.paint(aimAtCard(bounds, card, settings.cardPixels),
                                             MeshPainter::Channel::BaseColor);
    // What they would look like is judged on a scene of their own.
    Scene alone;
    const Album album(alone, {&made.pictures[0], &made.pictures[1]}, target);
    const MeshPtr cards = finishMesh(
        meshOf(asset, {album.at(0), album.at(1)}, {album.materialOf(0), album.materialOf(1)}));
    const PictureDifference difference =
        differenceAt(original, MeshPainter(alone, cards), bounds, made.distance, perMetre);
    made.refused = difference.silhouette > kMaxSilhouette;
    made.added = !made.refused;
    if (made.added) made.deviation = largestDeviation(Surface(*asset.mesh), *cards);
    return made;
}

}  // namespace

Part makeCards(const Box& bounds) {
    const Vec3f low = bounds.min().cast<float>();
    const Vec3f high = bounds.max().cast<float>();
    const Vec3f middle = bounds.center().cast<float>();
    const std::vector<Vec3f> positions = {
        {low.x(), low.y(), middle.z()},   {high.x(), low.y(), middle.z()},
        {high.x(), high.y(), middle.z()}, {low.x(), high.y(), middle.z()},
        {middle.x(), low.y(), high.z()},  {middle.x(), low.y(), low.z()},
        {middle.x(), high.y(), low.z()},  {middle.x(), high.y(), high.z()}};
    // Normals lean outwards, so that the cards are lit like a round thing.
    std::vector<Vec3f> normals;
    for (std::size_t i = 0; i < positions.size(); ++i) {
        const Vec3f out =
            (positions[i] - middle).normalized() + Vec3f(i < 4 ? 0 : 1, 0, i < 4 ? 1 : 0);
        normals.push_back(out.squaredNorm() > 0 ? out.normalized() : Vec3f(0, 1, 0));
    }
    const std::vector<Vec2f> coords = {{0, 1}, {1, 1}, {1, 0}, {0, 0},
                                       {0, 1}, {1, 1}, {1, 0}, {0, 0}};
    Part part;
    part.set("POSITION", makeStream(positions));
    part.set("NORMAL", makeStream(normals));
    part.set("TEXCOORD_0", makeStream(coords));
    part.indices = {0, 1, 2, 0, 2, 3, 4, 5, 6, 4, 6, 7};
    return part;
}

Expected<Cards> addCards(Scene& scene, std::shared_ptr<const TextureCache> textures,
                         const LadderSettings& settings, const Target& target, Progress& progress) {
    std::vector<Made> made(scene.assets.size());
    const Scene& before = scene;
    const bool finished = parallelFor(made.size(), "Painting cards", progress, [&](std::size_t i) {
        made[i] = paintCards(before, textures, before.assets[i], settings, target);
    });
    if (!finished) return stopped("Painting cards");
    Cards cards;
    std::vector<const Picture*> pictures;
    for (const Made& one : made) {
        cards.refused += one.refused;
        if (!one.added) continue;
        ++cards.added;
        for (const Picture& picture : one.pictures) pictures.push_back(&picture);
    }
    if (pictures.empty()) return cards;
    const Album album(scene, pictures, target);
    std::size_t next = 0;
    for (std::size_t i = 0; i < made.size(); ++i) {
        if (!made[i].added) continue;
        Asset& asset = scene.assets[i];
        Mesh mesh = meshOf(asset, {album.at(next), album.at(next + 1)},
                           {album.materialOf(next), album.materialOf(next + 1)});
        next += 2;
        asset.ladder.levels.push_back(
            {finishMesh(std::move(mesh)), made[i].deviation, made[i].distance});
    }
    return cards;
}

}  // namespace flentro
