#include "ottermere.h"
#include "base/index.h"

#include <fmt/format.h>

#include <array>
#include <cmath>
#include <functional>

#include "dice.h"
#include "faults/faults.h"
#include "fixes/ladder/ladder.h"
#include "io/file.h"
#include "io/gltf.h"
#include "people.h"
#include "props.h"

namespace flentro::demo {
namespace {

constexpr int kStalls = 40;
constexpr int kLanterns = 96;
constexpr int kShadowLanterns = 22;
constexpr int kBollards = 48;
constexpr int kCrates = 30;
constexpr int kBarrels = 12;
constexpr int kChests = 12;
constexpr float kLanternRange = 18;  ///< Metres.
constexpr float kUsefulRange = 6;

struct Spot {
    Vec3f position;
    float turn;  ///< Degrees about y.
};

class Market {
public:
    /// Sound: without the faults that the market is built with, to be planted with others.
    Market(SceneBuilder& scene, bool sound) : s_(scene), sound_(sound), dice_(7) {}

    void build() {
        placeLand();
        placeBuildings();
        placeStalls();
        placeGoods();
        placeQuayside();
        placeBoats();
        placeOddments();
        placeFurniture();
        placeLanterns();
        placeGreen();
        placePeople();
        placeCameras();
        placeWalkable();
    }

    /// Sky and hills around a land that reaches `further` metres east and south of the market.
    void placeBackdrop(float further) {
        put(s_.asset(makeSky(s_)), "dusk sky", further / 2, 0, further / 2);
        for (int i = 0; i < 4; ++i) {
            const int hill = s_.asset(makeHill(s_, i));
            const float along = further / 2 - 260 + 170 * static_cast<float>(i);
            put(hill, fmt::format("hill {} north", i + 1), along, 0, -330);
            put(hill, fmt::format("hill {} south", i + 1),
                further / 2 + 250 - 160 * static_cast<float>(i), 0, 340 + further, 180);
        }
    }

    [[nodiscard]] Json groundTruth() const { return truth_; }

private:
    int put(int asset, const std::string& name, float x, float y, float z, float turn = 0,
            Json extras = Json::object()) {
        return s_.place(asset, name, translation(x, y, z) * rotationY(turn), std::move(extras));
    }

    void plant(int fault, const char* finding, std::string what, Json objects, Json amounts) {
        if (!sound_) tell(fault, finding, std::move(what), std::move(objects), std::move(amounts));
    }

    void tell(int fault, const char* finding, std::string what, Json objects, Json amounts) {
        truth_.push_back({{"fault", fault},
                          {"finding", finding},
                          {"what", std::move(what)},
                          {"objects", std::move(objects)},
                          {"amounts", std::move(amounts)}});
    }

    /// Not of the small version.
    void plantIfWide(const char* what, const Mesh& mesh) {
        if (mesh.parts.front().vertexCount() >= 65'535)
            plant(5, "needs-32-bit-indices", what, {mesh.name},
                  {{"vertices", mesh.parts.front().vertexCount()}});
    }

    void placeLand() {
        const MeshPtr water = makeWater(s_, sound_ ? 1 : s_.detail().segments(256));
        const MeshPtr quay = makeQuay(s_, sound_);
        put(s_.asset(water), "water", 0, 0, 0);
        put(s_.asset(quay), "quay", 0, 0, 0);
        put(s_.asset(makeMeadow(s_)), "meadow", 0, 0, 0);
        plant(5, "huge-mesh-defeats-culling", "one plane of the whole map, always drawn", {"water"},
              {{"triangles", water->triangles}});
        plant(9, "redundant-triangles", "a level sheet of water in small squares", {"water"},
              {{"triangles", water->triangles}});
        plantIfWide("the ground as one mesh", *quay);
        plantIfWide("the water as one mesh", *water);
    }

    void placeBuildings() {
        put(s_.asset(makeWarehouse(s_)), "warehouse", -52, 0, -34);
        put(s_.asset(makeHouse(s_)), "lock-keeper's house", 10, 0, 30, 0);
        put(s_.asset(makeLockWalls(s_)), "lock walls", 0, 0, 0);
        put(s_.asset(makeFootbridge(s_)), "footbridge", 34, 0, 0);
        put(s_.asset(makeCrane(s_)), "lattice crane", -24, 0, -20);
        // Of walls that are built of blocks, in a sound market as well.
        tell(8, "interior-faces", "blocks of walls that touch",
             {"warehouse", "lock-keeper's house", "lock walls"}, Json::object());
        const int gate = s_.asset(makeLockGate(s_));
        for (const float x : {-20.0F, 20.0F}) {
            put(gate, fmt::format("lock gate {} north", x < 0 ? "west" : "east"), x, 0, -4.2F, -65);
            put(gate, fmt::format("lock gate {} south", x < 0 ? "west" : "east"), x, 0, 4.2F, 65);
        }
        put(s_.asset(makePlinth(s_)), "plinth", -3, 0, -15.5F);
        const MeshPtr otter = makeOtter(s_);
        put(s_.asset(otter), "carved otter", -3, 1.1F, -15.5F, -20);
        plant(1, "too-dense", "a scan without lower levels", {"carved otter"},
              {{"triangles", otter->triangles}});
        plantIfWide("a scan in one part", *otter);
    }

    void placeStalls() {
        std::vector<int> stalls;
        std::vector<int> awnings;
        for (int i = 0; i < 8; ++i) stalls.push_back(s_.asset(makeStall(s_, i)));
        for (int i = 0; i < 12; ++i) awnings.push_back(s_.asset(makeAwning(s_, i)));
        for (int i = 0; i < kStalls; ++i) {
            const int row = i / 10;
            const float x = -8 + 6.4F * static_cast<float>(i % 10) + dice_.between(-0.4F, 0.4F);
            const float z = row == 0 ? -14.0F : row == 1 ? -22.0F : row == 2 ? 15.0F : 23.0F;
            const float turn = (row == 0 || row == 3 ? 0.0F : 180.0F) + dice_.between(-5, 5);
            const Spot spot{{x + (row > 1 ? -46.0F : 12.0F), 0, z}, turn};
            spots_.push_back(spot);
            put(elementOf(stalls, i % 8), fmt::format("stall {:02}", i + 1), spot.position.x(), 0,
                z, turn);
            put(elementOf(awnings, (i * 5) % 12), fmt::format("awning {:02}", i + 1),
                spot.position.x(), 0, z, turn);
        }
    }

    /// Goods stand on the counters, in a frame of the stall's own.
    void placeGoods() {
        const auto family = [&](auto make, int variants) {
            std::vector<int> assets;
            for (int i = 0; i < variants; ++i) assets.push_back(s_.asset(make(s_, i)));
            return assets;
        };
        scatter("jar", family(makeJar, 12), 270, 0.88F);
        scatter("kettle", family(makeKettle, sound_ ? 1 : 5), 80, 0.884F);
        plant(2, "duplicate-meshes", "one kettle stored in five sizes",
              {"kettle 1", "kettle 2", "kettle 3", "kettle 4", "kettle 5"}, {{"copies", 5}});
        scatter("cup", family(makeCup, 12), 300, 0.88F);
        scatter("potted herb", family(makeHerb, 6), 130, 0.88F);
        scatter("basket", family(makeBasket, 5), 90, 0);
        scatter("scales", {s_.asset(makeScales(s_))}, 40, 0.88F);
    }

    void scatter(const std::string& kind, const std::vector<int>& assets, int count, float height) {
        Json names = Json::array();
        const int copies = s_.detail().copies(count);
        for (int i = 0; i < copies; ++i) {
            const Spot& spot = spots_[static_cast<std::size_t>(i) % spots_.size()];
            const bool onGround = height <= 0;
            const float along = dice_.between(-1.35F, 1.35F);
            const float across =
                onGround ? 0.95F + dice_.between(0, 0.3F) : dice_.between(-0.45F, 0.45F);
            const Mat4f where = translation(spot.position.x(), 0, spot.position.z()) *
                                rotationY(spot.turn) * translation(along, height, across) *
                                rotationY(dice_.between(0, 360));
            const std::string name = fmt::format("{} {:03}", kind, i + 1);
            names.push_back(name);
            s_.place(elementOf(assets, dice_.below(static_cast<int>(assets.size()))), name, where,
                     {{"castsShadow", true}});
        }
        plant(7, "small-casts-shadow", "small props drawn to the horizon that all cast shadows",
              std::move(names), {{"objects", copies}});
    }

    void placeQuayside() {
        placeBollards();
        placeCrates();
        const int barrel = s_.asset(makeBarrel(s_));
        for (int i = 0; i < kBarrels; ++i) {
            const int row = i / 6;
            put(barrel, fmt::format("barrel {:02}", i + 1), -38 + 0.8F * static_cast<float>(i % 6),
                0, -19 - 0.9F * static_cast<float>(row), dice_.between(0, 360));
        }
        const int bench = s_.asset(makeBench(s_));
        for (int i = 0; i < 24; ++i)
            put(bench, fmt::format("bench {:02}", i + 1), -80 + 14 * static_cast<float>(i % 12), 0,
                i < 12 ? -11.5F : 11.5F, i < 12 ? 0.0F : 180.0F);
        std::vector<int> signs;
        for (int i = 0; i < 18; ++i) signs.push_back(s_.asset(makeSign(s_, i)));
        for (std::size_t i = 0; i < spots_.size(); ++i) {
            const Spot& spot = spots_[i];
            const Mat4f where = translation(spot.position.x(), 0, spot.position.z()) *
                                rotationY(spot.turn) * translation(0, 2.5F, 0.7F);
            s_.place(signs[i % signs.size()], fmt::format("sign {:02}", i + 1), where);
        }
    }

    void placeBollards() {
        const MeshPtr mesh = makeBollard(s_);
        const int bollard = s_.asset(mesh);
        Json names = Json::array();
        for (int i = 0; i < kBollards; ++i) {
            const std::string name = fmt::format("bollard {:02}", i + 1);
            names.push_back(name);
            put(bollard, name, -88 + 7.6F * static_cast<float>(i % 24), 0, i < 24 ? -9.8F : 9.8F,
                dice_.between(0, 360));
        }
        plant(1, "too-dense", "rope-wound bollards, every turn of rope modelled", names,
              {{"trianglesEach", mesh->triangles}, {"copies", kBollards}});
    }

    void placeCrates() {
        Json names = Json::array();
        const int shared = sound_ ? s_.asset(makeCrate(s_, "crate", Mat4f::Identity())) : -1;
        for (int i = 0; i < kCrates; ++i) {
            const std::string name = fmt::format("crate {:02}", i + 1);
            const float size = i % 3 == 0 ? 0.8F : i % 3 == 1 ? 1.0F : 1.25F;
            Mat4f before = Mat4f::Identity();
            if (i % 2 == 0)
                before = rotationY(15.0F * static_cast<float>(i)) * scaling(size, size, size);
            names.push_back(name);
            const int layer = i / 16;
            put(sound_ ? shared : s_.asset(makeCrate(s_, name, before)), name,
                -34 + 1.1F * static_cast<float>(i % 8), 0.75F * static_cast<float>(layer),
                -23 - 1.1F * static_cast<float>(i / 8 % 2), dice_.between(-8, 8));
        }
        plant(2, "duplicate-meshes", "one crate stored thirty times, some turned or scaled", names,
              {{"copies", kCrates}});
    }

    void placeBoats() {
        const float xs[] = {-78, -58, -38, 50, 66, 84};
        Json names = Json::array();
        for (int i = 0; i < 6; ++i) {
            names.push_back(fmt::format("narrowboat {}", i + 1));
            put(s_.asset(makeNarrowboat(s_, i)), fmt::format("narrowboat {}", i + 1), xs[i], -0.75F,
                i % 2 == 0 ? -6.3F : 6.2F, i % 2 == 0 ? 0.0F : 180.0F);
        }
        plant(4, "many-materials", "boats of seven materials each", names, {{"materials", 7}});
        if (s_.detail().mesh >= 1)
            plant(9, "redundant-triangles", "loops along straight hulls and roofs", names,
                  Json::object());
    }

    /// Things that are there once or twice.
    void placeOddments() {
        put(s_.asset(makeWinch(s_)), "mooring winch", -66, 0, -11.2F, 20);
        put(s_.asset(makeTarKettle(s_)), "tar kettle", -61, 0, -16, 0);
        put(s_.asset(makeWeathercock(s_)), "weathercock", 10, 5.9F, 30, 35);
        const int railing = s_.asset(makeRailing(s_));
        plant(10, "thin-glossy-bevels", "railings with bevels of a few millimetres", {"railing"},
              Json::object());
        for (int i = 0; i < 8; ++i)
            put(railing, fmt::format("railing {:02}", i + 1), 46 + 3 * static_cast<float>(i), 0,
                -9.3F, 0, {{"castsShadow", false}});
    }

    /// What stands in the three rooms of the warehouse, beside the way through, and in its loft.
    void placeFurniture() {
        const int table = s_.asset(makeTable(s_));
        const int chair = s_.asset(makeChair(s_));
        const int shelf = s_.asset(makeShelf(s_));
        Json names = Json::array();
        const auto furnish = [&](int asset, const char* kind, int i, float x, float z, float turn) {
            names.push_back(fmt::format("{} {:02}", kind, i + 1));
            put(asset, names.back(), -52 + x, 0, -34 + z, turn, {{"castsShadow", false}});
        };
        for (int room = 0; room < 3; ++room) {
            const float x = -12 + 12 * static_cast<float>(room);
            for (int i = 0; i < 2; ++i) {
                const float z = i == 0 ? -5.5F : 5.5F;
                furnish(table, "table", 2 * room + i, x, z, dice_.between(-8, 8));
                for (int k = 0; k < 3; ++k)
                    furnish(chair, "chair", 3 * (2 * room + i) + k,
                            x - 0.8F + 0.8F * static_cast<float>(k), z + 1.1F,
                            dice_.between(-20, 20));
                furnish(shelf, "shelf", 2 * room + i, x + (i == 0 ? -3 : 3), i == 0 ? -9.4F : 9.4F,
                        i == 0 ? 0.0F : 180.0F);
            }
        }
        const std::size_t inRooms = names.size();
        plant(8, "drawn-but-hidden", "furniture of closed rooms, drawn from the quay", names,
              {{"objects", inRooms}});
        const int chest = s_.asset(makeChest(s_));
        names.clear();
        for (int i = 0; i < kChests; ++i) {
            names.push_back(fmt::format("loft chest {:02}", i + 1));
            put(chest, names.back(), -64 + 2.2F * static_cast<float>(i), 4.4F, -36,
                dice_.between(0, 360), {{"castsShadow", false}});
        }
        plant(8, "never-seen-object", "in a loft without a door", names, {{"objects", kChests}});
        plant(3, "texture-never-seen", "on chests in a loft without a door", {"loft chest"},
              {{"width", s_.detail().edge(1024)}});
    }

    void placeLanterns() {
        std::vector<int> lanterns;
        for (int i = 0; i < 4; ++i) lanterns.push_back(s_.asset(makeLantern(s_, i)));
        const int post = s_.asset(makeLampPost(s_));
        Json names = Json::array();
        Json shadows = Json::array();
        for (int i = 0; i < kLanterns; ++i) {
            const Vec3f at = lanternPlace(i);
            if (i >= 2 * kStalls)
                put(post, fmt::format("lamp post {:02}", i - 2 * kStalls + 1), at.x() - 0.5F, 0,
                    at.z());
            put(i >= 2 * kStalls ? lanterns[3] : elementOf(lanterns, i % 3),
                fmt::format("lantern {:02}", i + 1), at.x(), at.y(), at.z());
            const bool shadow =
                !sound_ && i % 4 == 1 && static_cast<int>(shadows.size()) < kShadowLanterns;
            const std::string name = fmt::format("lantern light {:02}", i + 1);
            names.push_back(name);
            if (shadow) shadows.push_back(name);
            s_.light(name, at + Vec3f(0, 0.15F, 0), {1, 0.66F, 0.32F}, 9,
                     sound_ ? kUsefulRange : kLanternRange, shadow);
        }
        const int lamp = put(lanterns[0], "barge lamp", -40, 0.9F, -1);
        const std::vector<Vec3f> drift = {{-40, 0.9F, -1}, {-16, 0.9F, -1}, {-40, 0.9F, -1}};
        s_.animatePath(lamp, "barge drifts", drift, 0.8F);
        std::vector<Vec3f> above = drift;
        for (Vec3f& point : above) point.y() += 0.15F;
        s_.animatePath(s_.light("barge light", above.front(), {1, 0.8F, 0.5F}, 12, 7, false),
                       "barge light drifts", above, 0.8F);
        plant(6, "light-range-too-long", "lanterns that reach far beyond where they help", names,
              {{"lights", kLanterns}, {"rangeMetres", kLanternRange}});
        plant(6, "too-many-shadow-lights", "lanterns that ask for shadows", shadows,
              {{"lights", shadows.size()}});
    }

    [[nodiscard]] Vec3f lanternPlace(int i) {
        if (i < 2 * kStalls) {
            const Spot& spot = elementOf(spots_, i / 2);
            const Mat4f where =
                translation(spot.position.x(), 0, spot.position.z()) * rotationY(spot.turn);
            const Vec4f at = where * Vec4f(i % 2 ? 0.9F : -0.9F, 1.75F, 0.75F, 1);
            return at.head<3>();
        }
        const auto k = static_cast<float>(i - 2 * kStalls);
        return {-72 + 9.2F * k, 2.6F, (i % 2 ? 10.6F : -10.6F)};
    }

    void placeGreen() {
        for (int v = 0; v < 4; ++v) {
            const int poplar = s_.asset(makePoplar(s_, v));
            for (int i = 0; i < 9; ++i)
                put(poplar, fmt::format("poplar {:02}", v * 9 + i + 1),
                    -92 + 5.2F * static_cast<float>(v + 4 * i), 0, -52 - dice_.between(0, 5),
                    dice_.between(0, 360));
        }
        std::vector<int> reeds;
        for (int v = 0; v < 4; ++v) reeds.push_back(s_.asset(makeReeds(s_, v)));
        const int count = s_.detail().copies(220);
        for (int i = 0; i < count; ++i) {
            const float side = i % 2 ? 1.0F : -1.0F;
            const float x = i % 4 < 2 ? dice_.between(-94, -24) : dice_.between(24, 94);
            put(elementOf(reeds, i % 4), fmt::format("reeds {:03}", i + 1), x, -1.2F,
                side * dice_.between(8.2F, 8.7F), dice_.between(0, 360));
        }
    }

    /// Before the stalls, looking at their goods.
    void placePeople() {
        std::array<int, kGoerKinds> kinds{};
        for (int kind = 0; kind < kGoerKinds; ++kind)
            elementOf(kinds, kind) = s_.asset(makeGoer(s_, kind));
        std::vector<int> figures;
        const auto count = static_cast<std::size_t>(s_.detail().copies(kStalls));
        for (std::size_t i = 0; i < count; ++i) {
            const Spot& spot = spots_[i];
            const Mat4f where = translation(spot.position.x(), 0, spot.position.z()) *
                                rotationY(spot.turn) *
                                translation(dice_.between(-1.1F, 1.1F), 0, dice_.between(1.6F, 2)) *
                                rotationY(180 + dice_.between(-35, 35));
            figures.push_back(s_.placeFigure(elementOf(kinds, i % kGoerKinds),
                                             fmt::format("market-goer {:02}", i + 1), where,
                                             goerJoints()));
        }
        animateWalk(s_, figures);
    }

    /// Both quays, the bridge and the way through the warehouse.
    void placeWalkable() {
        MeshBuilder mesh("walkable");
        const auto floor = [&](float west, float east, float north, float south, int rows,
                               const std::function<float(float)>& height) {
            mesh.sheet(1, rows, [&](float u, float v) {
                const float z = north + (south - north) * v;
                return Vec3f(east + (west - east) * u, height(z), z);
            });
        };
        const auto level = [](float) { return 0.0F; };
        floor(-88, 88, -26, -9.6F, 1, level);
        floor(-88, 88, 9.6F, 27, 1, level);
        floor(-66, -38, -35.5F, -32.5F, 1, level);
        floor(33.2F, 34.8F, -11, 11, 24, [](float z) {
            return 0.04F + 2.6F * std::sin(static_cast<float>(kPi) * (z + 11) / 22);
        });
        s_.placeAside(s_.asset(mesh.finish()), "walkable");
    }

    void placeCameras() {
        s_.camera("quay", {-9, 1.7F, -10.8F}, 72, 60);
        s_.camera("market row", {4, 1.7F, -18}, 90, 60);
        s_.camera("bridge", {34, 4.2F, 2}, -60, 60);
        constexpr float kEye = 1.7F;
        const auto route = [&](const char* name, const std::vector<Vec3f>& path) {
            s_.animatePath(s_.camera(name, path.front(), 90, 60), name, path, 1.4F);
        };
        route("quayside walk", {{-84, kEye, -11},
                                {-30, kEye, -11},
                                {-9, kEye, -10.8F},
                                {30, kEye, -11},
                                {80, kEye, -11}});
        route("warehouse to market", {{-58, kEye, -34},
                                      {-46, kEye, -34},
                                      {-46, kEye, -22},
                                      {0, kEye, -18},
                                      {50, kEye, -18}});
        route("over the bridge", {{34, kEye, -16},
                                  {34, 2.4F, -8},
                                  {34, 4.2F, 0},
                                  {34, 2.4F, 8},
                                  {34, kEye, 16},
                                  {-20, kEye, 19}});
    }

    SceneBuilder& s_;
    bool sound_;
    Dice dice_;
    std::vector<Spot> spots_;
    Json truth_ = Json::array();
};

/// Faults that were painted so.
Json paintedFaults(const Scene& scene) {
    Json faults = Json::array();
    for (const Image& image : scene.images)
        if (image.name == "jar label" || image.name == "kettle enamel")
            faults.push_back({{"fault", 3},
                              {"finding", "oversize-texture"},
                              {"what", "far more texels than it can show"},
                              {"objects", {image.name}},
                              {"amounts", {{"width", image.width}, {"height", image.height}}}});
    faults.push_back({{"fault", 3},
                      {"finding", "duplicate-textures"},
                      {"what", "the same bytes under two names"},
                      {"objects", {"cobble quay", "cobble lockside"}},
                      {"amounts", {{"copies", 2}}}});
    faults.push_back({{"fault", 3},
                      {"finding", "duplicate-materials"},
                      {"what", "equal but for their names, once equal images are one"},
                      {"objects", {"cobble quay", "cobble lockside"}},
                      {"amounts", {{"copies", 2}}}});
    return faults;
}

}  // namespace

Viewpoint quayView() {
    return {{-9, 1.7, -10.8}, 72, 0};
}

Project makeProject(const std::filesystem::path& scene) {
    Project project;
    project.scene = std::filesystem::absolute(scene);
    project.target = findTarget("Desk 120").value();
    project.view = quayView();
    project.spots = {{"Quay", quayView()},
                     {"Otter", {{-3, 1.7, -11.5}, 0, 0}},
                     {"Footbridge", {{34, 4.3, 0}, 270, -8}},
                     {"Warehouse", {{-52, 1.7, -34}, 180, 0}},
                     {"South market", {{-30, 1.7, 19}, 90, 0}}};
    for (const char* key :
         {"tidy", "share", "split", "ladder", "culling", "shadows", "merge", "instances"})
        project.order.add(findFixKind(key)->defaults());
    // One pixel of deviation leaves three of the places between the spots over by a twentieth.
    constexpr double kPixels = 1.5;
    for (Fix& fix : project.order.fixes)
        if (auto* ladder = fix.settings.as<LadderSettings>()) ladder->pixels = kPixels;
    return project;
}

WorkOrder orderForWeakTargets() {
    WorkOrder order;
    // Stand-ins serve scenes that are seen from farther than the market's quays.
    for (const FixKind* kind : fixKinds())
        if (kind->key != "standins") order.add(kind->defaults());
    return order;
}

Ottermere makeOttermere(const Detail& detail, int copies, std::optional<std::uint32_t> seed) {
    const bool sound = seed.has_value();
    SceneBuilder builder(detail);
    lookAround(builder, sound);
    Market market(builder, sound);
    market.build();
    market.placeBackdrop(builder.repeat(copies, 260));
    Ottermere result{builder.finish(), {}};
    Json faults = market.groundTruth();
    if (!sound)
        for (Json& fault : paintedFaults(result.scene)) faults.push_back(std::move(fault));
    for (Json& fault : plantFaults(result.scene, seed)) faults.push_back(std::move(fault));
    result.groundTruth = {
        {"format", "flentro-ground-truth"},
        {"version", 1},
        {"scene", result.scene.name},
        {"faults", std::move(faults)},
        {"borderline",
         {{{"finding", "huge-mesh-defeats-culling"},
           {"what", "two quays as one mesh: about a quarter of it lies outside the views"},
           {"objects", {"quay"}}}}},
        {"sound", {{{"what", "twelve barrels that share one mesh"}, {"objects", "barrel *"}}}}};
    return result;
}

Expected<Written> writeOttermere(const Ottermere& made, const std::filesystem::path& folder) {
    std::error_code error;
    std::filesystem::create_directories(folder, error);
    const Written written{folder / "ottermere.glb", folder / "ottermere.flentro.json"};
    const Project project = makeProject(written.scene);
    if (auto done = writeGltf(made.scene, written.scene, {}, noProgress()); !done)
        return tl::unexpected(done.error());
    for (const auto& [name, json] :
         {std::pair("ottermere.truth.json", made.groundTruth),
          std::pair("ottermere.order.json", toJson(project.order)),
          std::pair("ottermere.weak-targets.order.json", toJson(orderForWeakTargets()))})
        if (auto done = writeFileAtomic(folder / name, json.dump(1)); !done)
            return tl::unexpected(done.error());
    if (auto done = saveProject(project, written.project); !done)
        return tl::unexpected(done.error());
    return written;
}

}  // namespace flentro::demo
