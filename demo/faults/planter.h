// Plants faults in a sound scene and keeps the truth about them.

#pragma once

#include <functional>
#include <optional>
#include <set>

#include "base/json.h"
#include "dice.h"
#include "scene/scene.h"

namespace flentro::demo {

/// Victims and amounts are those that a kind of fault names; with a seed they are random. No thing
/// gets two faults of its own sort: a mesh that is unwelded is not given fins as well.
class Planter {
public:
    Planter(Scene& scene, std::optional<std::uint32_t> seed);

    [[nodiscard]] Scene& scene() { return scene_; }
    [[nodiscard]] Dice& dice() { return dice_; }
    [[nodiscard]] bool isRandom() const { return random_; }

    /// `usual`, or a random number from `low` to `high`.
    [[nodiscard]] int amount(int usual, int low, int high);

    using Suits = std::function<bool(std::size_t)>;
    /// Victims that suit, in Scene::assets, objects, images or placedLights: those with one of the
    /// names `usual` (all of them), or `count` random ones. Fewer where there are no more.
    [[nodiscard]] std::vector<std::size_t> assets(const std::set<std::string>& usual, int count,
                                                  const Suits& suits);
    [[nodiscard]] std::vector<std::size_t> objects(const std::set<std::string>& usual, int count,
                                                   const Suits& suits);
    [[nodiscard]] std::vector<std::size_t> images(const std::set<std::string>& usual, int count,
                                                  const Suits& suits);
    [[nodiscard]] std::vector<std::size_t> lights(const std::set<std::string>& usual, int count,
                                                  const Suits& suits);

    /// Adds an asset, which gets no other faults. Returns its index.
    std::size_t addAsset(Asset asset);

    /// Writes into the truth: `fault` is the number in the description of the demo scene.
    void tell(int fault, const char* finding, std::string what, const std::set<std::string>& names,
              Json amounts);
    [[nodiscard]] const Json& truth() const { return truth_; }

    // --- changing things --------------------------------------------------------------------

    /// Replaces an asset's mesh by what `change` makes of it.
    void editMesh(std::size_t asset, const std::function<void(Mesh&)>& change);
    /// A material like another under a new name, `change` applied to its glTF members. Returns its
    /// index.
    int addMaterial(int like, const std::string& name, const std::function<void(Json&)>& change);
    /// Lets a part of an asset show a material of its own, made as by addMaterial().
    void editMaterial(std::size_t asset, std::size_t part, const std::string& name,
                      const std::function<void(Json&)>& change);
    /// A texture that shows an image through the usual sampler. Returns its index.
    int addTexture(int image);
    /// Returns its index. `pixels`: [height * width * channels].
    int addImage(const std::string& name, const std::vector<std::uint8_t>& pixels, int width,
                 int height, int channels);
    /// Puts other pixels into an image.
    void setImage(std::size_t image, const std::vector<std::uint8_t>& pixels, int width, int height,
                  int channels);

    // --- asking --------------------------------------------------------------------------------

    [[nodiscard]] const std::string& nameOf(std::size_t asset) const {
        return scene_.assets[asset].mesh->name;
    }
    [[nodiscard]] bool isPlaced(std::size_t asset) const;
    /// True if a placed asset's material reads it as base colour.
    [[nodiscard]] bool isShown(std::size_t image) const;
    /// The image of a material's texture in a role; -1: none.
    [[nodiscard]] int imageOf(int material, const char* role) const;

private:
    [[nodiscard]] std::vector<std::size_t> pick(
        std::size_t count, const std::function<const std::string&(std::size_t)>& name,
        std::set<std::size_t>& taken, const std::set<std::string>& usual, int wanted,
        const Suits& suits);

    Scene& scene_;
    bool random_;
    Dice dice_;
    Json truth_ = Json::array();
    std::set<std::size_t> takenAssets_, takenObjects_, takenImages_, takenLights_;
};

/// The pixels of an image at a size, [height * width * channels].
[[nodiscard]] std::vector<std::uint8_t> pixelsOf(const Image& image, int width, int height,
                                                 int channels);

}  // namespace flentro::demo
