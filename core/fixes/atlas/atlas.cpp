// Atlas pages: one layout for all roles of the materials on them, a texel for a texel.

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <optional>
#include <set>

#include "base/index.h"
#include "base/parallel.h"
#include "base/text.h"
#include "fixes/atlas/atlas.h"
#include "fixes/merge/parcel_mesh.h"
#include "fixes/page_packer.h"
#include "fixes/tile_shifts.h"
#include "geometry/tile_cut.h"
#include "io/gltf_materials.h"
#include "io/image.h"
#include "picture/texels.h"
#include "scene/variants.h"

namespace flentro {
namespace {

constexpr int kAlign = 4;        ///< Pixels: blocks of compressed textures are not shared.
constexpr double kMaxWaste = 2;  ///< Times the pixels of the textures that go.
constexpr int kGutterShare = 8;  ///< Gutters up to one in so many of an edge are taken from it.
constexpr int kLargestImage = 16384;
constexpr int kPlainShare = 8;  ///< Pages of plain numbers have so many times fewer pixels an edge.
/// What pages can hold besides textures.
constexpr std::array kFactors = {"baseColorFactor", "roughnessFactor", "metallicFactor"};

/// Why a material stays alone.
enum class Place { Packs, Repeats, OtherCoords, Odd, Deep, Kept, Variant, TooLarge, Alone };

/// Texture coordinates of all that shows a material.
struct Reach {
    double surface = 0;  ///< Square metres at scale 1.
    double picture = 0;  ///< Of the whole picture.
    bool used = false;
    bool outside = false;
    bool shifted = false;  ///< Inside after a shift by whole numbers only.
    bool odd = false;      ///< Lacks coordinates.
    bool kept = false;     ///< Shown by an asset that is marked to be kept.
    bool variant = false;  ///< Of KHR_materials_variants: shown on other occasions.
};

/// Marks the materials that variants of a part show.
void markVariants(const Part& part, std::vector<Reach>& reach) {
    const auto mark = [&](int material) {
        if (material >= 0 && static_cast<std::size_t>(material) < reach.size())
            elementOf(reach, material).variant = true;
    };
    forEachVariantMapping(part.rest, [&](const Json& mapping) {
        mark(part.material);
        mark(jsonOr(mapping, "material", -1));
    });
}

/// Incomplete once cancelled.
std::vector<Reach> reachOf(const Scene& scene, const Progress& progress) {
    std::vector<Reach> reach(scene.materials.size());
    for (const Asset& asset : scene.assets)
        for (std::size_t level = 0; level < asset.levelCount(); ++level)
            for (const Part& part : asset.level(level)->parts) {
                if (progress.cancelled()) return reach;
                markVariants(part, reach);
                if (part.material < 0) continue;
                Reach& here = elementOf(reach, part.material);
                here.used = true;
                const Stream* coords = part.find("TEXCOORD_0");
                here.kept = here.kept || asset.importance == Importance::Keep;
                here.odd = here.odd || !coords || coords->components != 2;
                if (!here.odd && level == 0 && part.isTriangles()) {
                    const LaidArea area = laidArea(part, *coords);
                    here.surface += area.surface;
                    here.picture += area.picture;
                }
                if (here.odd || here.outside || progress.cancelled()) continue;
                const auto tiles = tileShifts(part, *coords);
                here.outside = !tiles || tiles->reach.maxCoeff() > 1 + kTileRounding;
                here.shifted = here.shifted || (tiles && !tiles->isNone());
            }
    return reach;
}

/// Images that any material shows; -1 among them for textures without one.
std::set<int> imagesRead(const Scene& scene) {
    std::set<int> images;
    for (const Material& material : scene.materials)
        for (const TextureUse& use : material.textures) images.insert(scene.imageOf(use.texture));
    return images;
}

/// How a material reads a texture.
enum class Coords {
    First,  ///< By the first set of coordinates as it is: packed.
    Moved,  ///< By that, transformed.
    Other,  ///< By another set, as light maps are: stays as it is.
};

Coords coordsOf(const Json& use) {
    const Json& transform = jsonObject(jsonObject(use, "extensions"), "KHR_texture_transform");
    if (jsonOr(transform, "texCoord", jsonOr(use, "texCoord", 0)) != 0) return Coords::Other;
    return use.contains("extensions") ? Coords::Moved : Coords::First;
}

/// A material whose textures may go on a page.
struct Candidate {
    int material = -1;
    std::vector<int> images;         ///< In the order in which the material names its textures.
    std::vector<int> samplers;       ///< Of those; -1: the standard one.
    std::vector<std::string> roles;  ///< Of those.
    PageItem size;                   ///< Of the largest of them, pixels.
    PageItem shown;                  ///< As it is on the page, without the gutter.
};

/// Pictures of powers of two stay so with their gutter: it is taken from large ones, put around
/// small ones.
int shownEdge(int edge, int gutter) {
    return 2 * gutter * kGutterShare <= edge ? edge - 2 * gutter : edge;
}

class Packer {
public:
    /// `cut` [materials]: those whose textures repeated until their meshes were cut.
    Packer(const Scene& before, const AtlasSettings& settings, Scene& scene, Progress& progress,
           std::vector<bool> cut = {})
        : before_(before),
          settings_(settings),
          scene_(scene),
          progress_(progress),
          reach_(reachOf(before, progress)),
          cut_(std::move(cut)) {
        cut_.resize(before.materials.size(), false);
    }

    /// [materials] True for those that only stay alone because their textures repeat, and that
    /// could share pages with others.
    [[nodiscard]] std::vector<bool> repeating() const {
        std::map<std::string, std::vector<std::size_t>> groups;
        std::vector<bool> repeats(before_.materials.size(), false);
        for (std::size_t i = 0; i < before_.materials.size(); ++i) {
            const Judged judged = judge(i);
            const int edge = std::max(judged.candidate.size.width, judged.candidate.size.height);
            repeats[i] = judged.place == Place::Repeats && judged.wraps &&
                         edge <= settings_.largest &&
                         shownEdge(edge, settings_.gutter) + 2 * settings_.gutter <= settings_.page;
            if (repeats[i] || judged.place == Place::Packs) groups[judged.key].push_back(i);
        }
        for (const auto& [key, group] : groups)
            if (group.size() < 2) repeats[group.front()] = false;
        return repeats;
    }

    /// False: cancelled.
    bool run() {
        std::map<std::string, std::vector<Candidate>> groups;
        for (std::size_t i = 0; i < before_.materials.size(); ++i) {
            const Judged judged = judge(i);
            ++counts_[judged.place];
            if (judged.place == Place::Packs) groups[judged.key].push_back(judged.candidate);
        }
        std::size_t done = 0;
        for (const auto& [key, group] : groups) {
            if (progress_.cancelled()) return false;
            progress_.report(0.8 * static_cast<double>(done++) / static_cast<double>(groups.size()),
                             "Packing textures");
            if (group.size() < 2)
                alone_ += 1;
            else
                pack(group);
        }
        if (packed_ > 0) {
            moveCoordinates();
            emptyImages();
        }
        return !progress_.cancelled();
    }

    [[nodiscard]] FixRecord describe() const {
        FixRecord record;
        auto report = std::make_shared<AtlasReport>();
        report->packings = packings_;
        record.report = std::move(report);
        record.summary = fmt::format("{} share {}; {} of meshes became one with others",
                                     counted(packed_, "material"), counted(pages_, "page"),
                                     counted(joined_.load(), "part"));
        const auto note = [&](Place place, const char* why) {
            const auto found = counts_.find(place);
            if (found != counts_.end() && found->second > 0)
                record.notes.push_back(
                    fmt::format("{} alone: {}",
                                counted(found->second, "material stays", "materials stay"), why));
        };
        note(Place::Repeats, "the texture repeats on it");
        note(Place::OtherCoords, "moved texture coordinates, or others than the first");
        note(Place::TooLarge, "textures larger than asked for");
        note(Place::Odd, "images or coordinates that cannot be read");
        note(Place::Deep, "images of more than 8 bits a channel");
        note(Place::Kept, "shown by assets that are to be kept");
        note(Place::Variant, "shown by variants");
        if (alone_ > 0)
            record.notes.push_back(
                fmt::format("{} from all others by more than textures",
                            counted(alone_, "material differs", "materials differ")));
        if (wasted_ > 0)
            record.notes.push_back(fmt::format("{} would leave most of the pages empty",
                                               counted(wasted_, "material")));
        return record;
    }

private:
    struct Judged {
        Place place = Place::Alone;
        bool wraps = false;  ///< A picture is the same a whole number farther on.
        std::string key;
        Candidate candidate;
    };

    [[nodiscard]] Judged judge(std::size_t index) const {
        const Material& material = before_.materials[index];
        Judged judged;
        judged.candidate.material = static_cast<int>(index);
        if (!reach_[index].used || material.textures.empty()) return judged;
        Json json = material.source;
        dropMember(json, "name");
        if (settings_.bakeFactors && canHoldFactors(json))
            for (const char* key : kFactors) objectAt(json, "pbrMetallicRoughness").erase(key);
        bool plain = true;
        bool repeats = true;  // only then is a picture the same a whole number farther on
        bool readable = !reach_[index].odd;
        std::string samplers;
        forEachTexture(json, [&](const std::string& name, Json& member) {
            const Coords coords = coordsOf(member);
            if (coords == Coords::Other) return;  // the key says which texture it is
            judged.candidate.roles.push_back(name);
            plain = plain && coords == Coords::First;
            const int texture = jsonOr(member, "index", -1);
            member["index"] = -1;
            if (texture < 0 || static_cast<std::size_t>(texture) >= before_.textures.size()) {
                readable = false;
                return;
            }
            const Texture& read = elementOf(before_.textures, texture);
            samplers += filterOf(read.sampler);
            repeats = repeats && repeatsBothWays(before_, read.sampler);
            readable = readable && read.image >= 0 && hasPixels(read.image);
            judged.candidate.images.push_back(read.image);
            judged.candidate.samplers.push_back(read.sampler);
        });
        plain = plain && !judged.candidate.roles.empty();
        for (const int image : judged.candidate.images) {
            if (image < 0) continue;
            const Image& source = elementOf(before_.images, image);
            judged.candidate.size.width = std::max(judged.candidate.size.width, source.width);
            judged.candidate.size.height = std::max(judged.candidate.size.height, source.height);
        }
        const PageItem& size = judged.candidate.size;
        judged.candidate.shown = {shownEdge(size.width, settings_.gutter),
                                  shownEdge(size.height, settings_.gutter)};
        const int edge = std::max(size.width, size.height);
        const bool deep = std::any_of(
            judged.candidate.images.begin(), judged.candidate.images.end(), [&](int image) {
                return image >= 0 && hasDeepChannels(elementOf(before_.images, image));
            });
        judged.place =
            !readable                                                      ? Place::Odd
            : deep                                                         ? Place::Deep
            : reach_[index].kept                                           ? Place::Kept
            : reach_[index].variant                                        ? Place::Variant
            : !plain                                                       ? Place::OtherCoords
            : reach_[index].outside || (reach_[index].shifted && !repeats) ? Place::Repeats
            : edge > settings_.largest ||
                    shownEdge(edge, settings_.gutter) + 2 * settings_.gutter > settings_.page
                ? Place::TooLarge
                : Place::Packs;
        judged.key = json.dump() + samplers;
        judged.wraps = repeats;
        return judged;
    }

    /// True if pages can hold a material's numbers: in a base colour that is packed, and where no
    /// texture for roughness and metalness is left as it is.
    [[nodiscard]] static bool canHoldFactors(const Json& material) {
        const Json& pbr = jsonObject(material, "pbrMetallicRoughness");
        const Json& rough = jsonObject(pbr, "metallicRoughnessTexture");
        return coordsOf(jsonObject(pbr, "baseColorTexture")) != Coords::Other &&
               pbr.contains("baseColorTexture") && coordsOf(rough) != Coords::Other;
    }

    /// How a sampler filters; how it wraps does not matter inside a picture.
    [[nodiscard]] std::string filterOf(int sampler) const {
        if (sampler < 0) return "-";
        Json rest = elementOf(before_.samplers, sampler).rest;
        for (const char* key : {"wrapS", "wrapT", "name"}) rest.erase(key);
        return rest.dump();
    }

    [[nodiscard]] bool hasPixels(int image) const {
        const Image& source = elementOf(before_.images, image);
        return source.data && (source.mime == "image/png" || source.mime == "image/jpeg");
    }

    void pack(const std::vector<Candidate>& group) {
        std::vector<PageItem> items;
        double pixels = 0;
        const int frame = 2 * settings_.gutter + kAlign - 1;
        for (const Candidate& c : group) {
            items.push_back({(c.shown.width + frame) / kAlign * kAlign,
                             (c.shown.height + frame) / kAlign * kAlign});
            pixels += static_cast<double>(c.size.width) * c.size.height;
        }
        const Packed packed = packPages(items, settings_.page);
        double paid = 0;
        for (const PageItem& page : packed.pages)
            paid += static_cast<double>(page.width) * page.height;
        if (paid > kMaxWaste * pixels) {
            wasted_ += group.size();
            return;
        }
        for (int page = 0; page < static_cast<int>(packed.pages.size()); ++page)
            makePage(group, packed, page);
    }

    void makePage(const std::vector<Candidate>& group, const Packed& packed, int page) {
        const PageItem& size = elementOf(packed.pages, page);
        std::vector<std::size_t> members;
        for (std::size_t i = 0; i < group.size(); ++i)
            if (packed.places[i].page == page) members.push_back(i);
        if (members.size() < 2) {
            alone_ += members.size();
            return;
        }
        const int first = group[members.front()].material;
        const bool bakes = differByFactors(group, members);
        const std::size_t roles = group[members.front()].images.size();
        const std::size_t firstImage = scene_.images.size();
        ++pages_;
        std::vector<int> textures;
        for (std::size_t role = 0; role < roles; ++role) {
            Pixels picture{size.width, size.height, {}};
            picture.rgba.resize(static_cast<std::size_t>(size.width) *
                                static_cast<std::size_t>(size.height) * 4);
            for (const std::size_t i : members)
                draw(group[i], role, packed.places[i], bakes, picture);
            textures.push_back(addTexture(picture, role, group[members.front()].samplers[role]));
        }
        Json json = elementOf(before_.materials, first).source;
        json["name"] = fmt::format("page {}", pages_);
        std::size_t role = 0;
        forEachTexture(json, [&](const std::string&, Json& member) {
            if (coordsOf(member) == Coords::First) member["index"] = textures[role++];
        });
        if (bakes) putFactors(group, members, packed, size, json);
        for (const std::size_t i : members) {
            const int own = group[i].material;
            // None shows its old textures any more.
            json["name"] = elementOf(before_.materials, own).name;
            elementOf(scene_.materials, own) = parseMaterial(json);
            const PagePlace& at = packed.places[i];
            const Vec2f whole(static_cast<float>(size.width), static_cast<float>(size.height));
            const Vec2f corner(static_cast<float>(at.x + settings_.gutter),
                               static_cast<float>(at.y + settings_.gutter));
            const Vec2f extent(static_cast<float>(group[i].shown.width),
                               static_cast<float>(group[i].shown.height));
            note(group[i], at, firstImage);
            moves_[own] = {first, corner.cwiseQuotient(whole), extent.cwiseQuotient(whole)};
            ++packed_;
        }
    }

    [[nodiscard]] const Material& materialOf(const Candidate& candidate) const {
        return elementOf(before_.materials, candidate.material);
    }

    [[nodiscard]] bool differByFactors(const std::vector<Candidate>& group,
                                       const std::vector<std::size_t>& members) const {
        const Material& first = materialOf(group[members.front()]);
        return std::any_of(members.begin(), members.end(), [&](std::size_t i) {
            const Material& own = materialOf(group[i]);
            return own.baseColor != first.baseColor || own.roughness != first.roughness ||
                   own.metallic != first.metallic;
        });
    }

    /// Multiplies a material's numbers into the texels that they would be multiplied with.
    void bake(const Candidate& candidate, const std::string& role, Pixels& picture) const {
        const Material& material = materialOf(candidate);
        const auto byte = [](float share) {
            return static_cast<std::uint8_t>(std::lround(std::clamp(share, 0.0F, 1.0F) * 255));
        };
        const bool isColor = role == "baseColorTexture";
        if (!isColor && role != "metallicRoughnessTexture") return;
        for (std::size_t i = 0; i < picture.rgba.size(); i += 4) {
            std::uint8_t* texel = picture.rgba.data() + i;
            const auto share = [&](std::size_t c) { return static_cast<float>(texel[c]) / 255; };
            if (isColor) {
                for (int c = 0; c < 3; ++c)
                    texel[c] = byte(toDisplay(toLinear(share(static_cast<std::size_t>(c))) *
                                              material.baseColor[c]));
                texel[3] = byte(share(3) * material.baseColor.w());
            } else {
                texel[1] = byte(share(1) * material.roughness);
                texel[2] = byte(share(2) * material.metallic);
            }
        }
    }

    /// The page holds the factors now; where no texture did, a small one holds roughness and
    /// metalness.
    void putFactors(const std::vector<Candidate>& group, const std::vector<std::size_t>& members,
                    const Packed& packed, const PageItem& size, Json& json) {
        Json& pbr = objectAt(json, "pbrMetallicRoughness");
        pbr.erase("baseColorFactor");
        const Material& first = materialOf(group[members.front()]);
        const bool isEven = std::all_of(members.begin(), members.end(), [&](std::size_t i) {
            return materialOf(group[i]).roughness == first.roughness &&
                   materialOf(group[i]).metallic == first.metallic;
        });
        const bool hasTexture = first.texture("metallicRoughnessTexture") >= 0;
        if (isEven && !hasTexture) return;
        pbr["roughnessFactor"] = pbr["metallicFactor"] = 1;
        if (hasTexture) return;
        Pixels page{
            std::max(1, size.width / kPlainShare), std::max(1, size.height / kPlainShare), {}};
        page.rgba.assign(
            static_cast<std::size_t>(page.width) * static_cast<std::size_t>(page.height) * 4, 255);
        for (const std::size_t i : members) fill(group[i], packed.places[i], page);
        pbr["metallicRoughnessTexture"] = {
            {"index", addTexture(page, group[members.front()].images.size(), -1)}};
    }

    /// One roughness and one metalness over a texture's place, gutter and all.
    void fill(const Candidate& candidate, const PagePlace& at, Pixels& page) const {
        const Material& material = materialOf(candidate);
        const int frame = 2 * settings_.gutter;
        const auto last = [](int pixel) { return (pixel + kPlainShare - 1) / kPlainShare; };
        for (int y = at.y / kPlainShare;
             y < std::min(page.height, last(at.y + candidate.shown.height + frame)); ++y)
            for (int x = at.x / kPlainShare;
                 x < std::min(page.width, last(at.x + candidate.shown.width + frame)); ++x) {
                std::uint8_t* texel =
                    page.rgba.data() + static_cast<std::size_t>(y * page.width + x) * 4;
                texel[1] = static_cast<std::uint8_t>(std::lround(material.roughness * 255));
                texel[2] = static_cast<std::uint8_t>(std::lround(material.metallic * 255));
            }
    }

    void note(const Candidate& candidate, const PagePlace& at, std::size_t image) {
        const auto own = static_cast<std::size_t>(candidate.material);
        const double edge =
            std::sqrt(static_cast<double>(candidate.shown.width) * candidate.shown.height);
        const double before =
            std::sqrt(static_cast<double>(candidate.size.width) * candidate.size.height);
        Packing packing{before_.materials[own].name,
                        image,
                        at.x + settings_.gutter,
                        at.y + settings_.gutter,
                        candidate.shown.width,
                        candidate.shown.height,
                        edge / before,
                        0};
        if (reach_[own].surface > 0)
            packing.texelsPerMetre = edge * std::sqrt(reach_[own].picture / reach_[own].surface);
        packings_.push_back(std::move(packing));
    }

    /// The picture with its edges drawn on over the gutter, or going on there if it repeated.
    void draw(const Candidate& candidate, std::size_t role, const PagePlace& at, bool bakes,
              Pixels& page) const {
        const Image& image = elementOf(before_.images, candidate.images[role]);
        const auto decoded = decodeImage(image, kLargestImage);
        if (!decoded) return;  // left out before, but for damage behind the header
        const PageItem& size = candidate.shown;
        Pixels picture = resizeImage(*decoded, size.width, size.height);
        if (bakes) bake(candidate, candidate.roles[role], picture);
        const int g = settings_.gutter;
        const bool wraps = elementOf(cut_, candidate.material);
        const auto wrapped = [](int i, int count) { return (i % count + count) % count; };
        for (int y = -g; y < size.height + g; ++y)
            for (int x = -g; x < size.width + g; ++x) {
                const int fromX = wraps ? wrapped(x, size.width) : std::clamp(x, 0, size.width - 1);
                const int fromY =
                    wraps ? wrapped(y, size.height) : std::clamp(y, 0, size.height - 1);
                const auto from = static_cast<std::size_t>(fromY * size.width + fromX) * 4;
                const auto to =
                    static_cast<std::size_t>((at.y + g + y) * page.width + at.x + g + x) * 4;
                std::copy_n(picture.rgba.begin() + static_cast<std::ptrdiff_t>(from), 4,
                            page.rgba.begin() + static_cast<std::ptrdiff_t>(to));
            }
    }

    int addTexture(const Pixels& picture, std::size_t role, int sampler) {
        return flentro::addTexture(
            scene_, pngImage(fmt::format("page {} {}", pages_, role + 1), picture, 4), sampler);
    }

    void moveCoordinates() {
        SubProgress rest(progress_, 0.8, 1);
        (void)parallelFor(scene_.assets.size(), "Moving texture coordinates", rest,
                          [&](std::size_t i) {
                              Asset& asset = scene_.assets[i];
                              const MeshPtr before = asset.mesh;
                              asset.mesh = moved(before);
                              if (asset.mesh != before) asset.ranges.clear();
                              for (Ladder::Level& level : asset.ladder.levels)
                                  level.mesh = moved(level.mesh);
                          });
    }

    MeshPtr moved(const MeshPtr& mesh) {
        const auto moves = [&](const Part& part) { return moves_.contains(part.material); };
        if (std::none_of(mesh->parts.begin(), mesh->parts.end(), moves)) return mesh;
        Mesh copy = *mesh;
        for (Part& part : copy.parts) {
            if (!moves(part) || progress_.cancelled()) continue;
            const Move& move = moves_.at(part.material);
            const Stream& coords = *part.find("TEXCOORD_0");
            const std::vector<Vec2f> shifts = tileShifts(part, coords)->shifts;  // as judged
            std::vector<Vec2f> onPage;
            for (std::size_t v = 0; v < coords.count(); ++v) {
                const Vec2f at = Vec2f(coords.value(v, 0), coords.value(v, 1)) + shifts[v];
                onPage.emplace_back(move.corner + at.cwiseProduct(move.extent));
            }
            part.set("TEXCOORD_0", makeStream(onPage));
            part.material = move.material;
        }
        if (progress_.cancelled()) return mesh;
        const MeshPtr finished = finishMesh(std::move(copy));
        MeshPtr joined = joinParts(finished);
        joined_ += finished->parts.size() - joined->parts.size();
        return joined;
    }

    /// Images that no material reads any more hold nothing.
    void emptyImages() {
        const std::set<int> read = imagesRead(scene_);
        for (const int image : imagesRead(before_))
            if (image >= 0 && !read.contains(image)) {
                Image empty;
                empty.name = elementOf(before_.images, image).name;
                elementOf(scene_.images, image) = empty;
            }
    }

    struct Move {
        int material = -1;
        Vec2f corner, extent;  ///< Shares of the page.
    };

    const Scene& before_;
    const AtlasSettings& settings_;
    Scene& scene_;
    Progress& progress_;
    const std::vector<Reach> reach_;
    std::vector<bool> cut_;      ///< [materials]
    std::map<int, Move> moves_;  ///< By material.
    std::map<Place, std::size_t> counts_;
    std::vector<Packing> packings_;
    std::size_t packed_ = 0, pages_ = 0, alone_ = 0, wasted_ = 0;
    std::atomic<std::size_t> joined_ = 0;
};

/// Cuts the meshes of materials whose textures repeat a few times, level by level; a material is
/// left as it is where any of its parts cannot be cut or the cuts would add too many vertices.
class TileCutter {
public:
    TileCutter(const Scene& scene, std::vector<bool> wanted, double cutShare)
        : wanted_(std::move(wanted)), cutShare_(cutShare) {
        for (const Asset& asset : scene.assets)
            for (std::size_t level = 0; level < asset.levelCount(); ++level)
                tryOut(*asset.level(level));
        for (std::size_t m = 0; m < wanted_.size(); ++m)
            wanted_[m] =
                wanted_[m] && after_[m] > 0 &&
                static_cast<double>(after_[m]) <= (1 + cutShare_) * static_cast<double>(before_[m]);
    }

    /// [materials]
    [[nodiscard]] const std::vector<bool>& wanted() const { return wanted_; }

    [[nodiscard]] MeshPtr cut(const MeshPtr& mesh) const {
        Mesh copy = *mesh;
        bool changed = false;
        for (Part& part : copy.parts) {
            if (part.material < 0 || !elementOf(wanted_, part.material)) continue;
            part = cutAtTiles(part).value();  // as tried out
            changed = true;
        }
        return changed ? finishMesh(std::move(copy)) : mesh;
    }

private:
    void tryOut(const Mesh& mesh) {
        before_.resize(wanted_.size(), 0);
        after_.resize(wanted_.size(), 0);
        for (const Part& part : mesh.parts) {
            if (part.material < 0 || !elementOf(wanted_, part.material)) continue;
            const auto m = static_cast<std::size_t>(part.material);
            const std::optional<Part> cut = cutAtTiles(part);
            if (!cut) {
                wanted_[m] = false;
                continue;
            }
            before_[m] += part.vertexCount();
            after_[m] += cut->vertexCount();
        }
    }

    std::vector<bool> wanted_;
    const double cutShare_;
    std::vector<std::size_t> before_, after_;  ///< [materials] Vertices of all parts and levels.
};

/// The scene with what repeats cut, and which materials that was.
std::pair<Scene, std::vector<bool>> withTilesCut(const Scene& scene, const AtlasSettings& settings,
                                                 Progress& progress) {
    Scene same = scene;
    std::vector<bool> wanted = Packer(scene, settings, same, progress).repeating();
    if (progress.cancelled() || std::find(wanted.begin(), wanted.end(), true) == wanted.end())
        return {scene, wanted};
    const TileCutter cutter(scene, std::move(wanted), settings.cutShare);
    Scene cut = scene;
    for (Asset& asset : cut.assets) {
        const MeshPtr before = asset.mesh;
        asset.mesh = cutter.cut(asset.mesh);
        if (asset.mesh != before) asset.ranges.clear();
        for (Ladder::Level& level : asset.ladder.levels) level.mesh = cutter.cut(level.mesh);
    }
    return {std::move(cut), cutter.wanted()};
}

}  // namespace

Expected<Fixed> applyAtlas(const Scene& scene, const AtlasSettings& settings, Progress& progress) {
    const auto [cut, which] = settings.cutShare > 0 ? withTilesCut(scene, settings, progress)
                                                    : std::pair(scene, std::vector<bool>());
    Fixed result{cut, {}};
    Packer packer(cut, settings, result.scene, progress, which);
    if (!packer.run()) return stopped("Packing textures");
    result.record = packer.describe();
    // What was cut in vain is as it was.
    for (std::size_t a = 0; a < cut.assets.size(); ++a)
        if (result.scene.assets[a].mesh == cut.assets[a].mesh)
            result.scene.assets[a] = scene.assets[a];
    const auto repeated = std::count(which.begin(), which.end(), true);
    if (repeated > 0)
        result.record.notes.push_back(fmt::format(
            "{} cut where the texture begins anew",
            counted(static_cast<std::size_t>(repeated), "material is", "materials are")));
    return result;
}

}  // namespace flentro
