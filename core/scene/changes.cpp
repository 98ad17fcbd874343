#include "scene/changes.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <map>

#include "base/index.h"
#include "base/text.h"

namespace flentro {
namespace {

/// Names of the nodes above and of the thing itself, and its turn among equal ones.
using Identity = std::pair<std::string, std::size_t>;

template <typename Thing>
std::map<Identity, int> identitiesOf(const Scene& scene, const std::vector<Thing>& things) {
    std::map<std::string, std::size_t> turns;
    std::map<Identity, int> identities;
    for (std::size_t i = 0; i < things.size(); ++i) {
        std::string path = things[i].name;
        int node = elementOf(scene.nodes, things[i].node).parent;
        for (; node >= 0; node = elementOf(scene.nodes, node).parent)
            path += '\n' + elementOf(scene.nodes, node).name;
        const std::size_t turn = turns[path]++;
        identities.emplace(Identity{std::move(path), turn}, static_cast<int>(i));
    }
    return identities;
}

template <typename Thing>
std::vector<int> match(const Scene& before, const std::vector<Thing>& old, const Scene& after,
                       const std::vector<Thing>& now) {
    const auto known = identitiesOf(after, now);
    std::vector<int> found(old.size(), -1);
    for (const auto& [identity, index] : identitiesOf(before, old))
        if (const auto at = known.find(identity); at != known.end())
            elementOf(found, index) = at->second;
    return found;
}

/// Numbers of what is new, gone and changed in one list.
struct Difference {
    std::size_t added = 0;
    std::size_t gone = 0;
    std::size_t changed = 0;

    [[nodiscard]] std::string text(const char* noun, const char* many,
                                   const char* changedWord) const {
        std::vector<std::string> parts;
        const auto add = [&](std::size_t count, const char* what) {
            if (count == 0) return;
            parts.push_back(parts.empty() ? counted(count, noun, many) + " " + what
                                          : fmt::format("{} {}", count, what));
        };
        add(added, "new");
        add(gone, "gone");
        add(changed, changedWord);
        return fmt::format("{}", fmt::join(parts, ", "));
    }
};

/// By name; `hashOf` tells whether one of a name is another now.
template <typename Thing, typename NameOf, typename HashOf>
Difference compare(const std::vector<Thing>& before, const std::vector<Thing>& after,
                   const NameOf& nameOf, const HashOf& hashOf) {
    std::multimap<std::string, Hash> old;
    for (const Thing& thing : before) old.emplace(nameOf(thing), hashOf(thing));
    Difference difference;
    for (const Thing& thing : after) {
        const auto [first, last] = old.equal_range(nameOf(thing));
        if (first == last) {
            ++difference.added;
            continue;
        }
        const Hash hash = hashOf(thing);
        const auto same =
            std::find_if(first, last, [&](const auto& e) { return e.second == hash; });
        difference.changed += same == last;
        old.erase(same == last ? first : same);
    }
    difference.gone = old.size();
    return difference;
}

Difference compareObjects(const Scene& before, const Scene& after, const std::vector<int>& where) {
    Difference difference;
    std::vector<bool> known(after.objects.size());
    for (std::size_t i = 0; i < where.size(); ++i) {
        if (where[i] < 0) {
            ++difference.gone;
            continue;
        }
        elementOf(known, where[i]) = true;
        const Object& now = elementOf(after.objects, where[i]);
        difference.changed += now.world != before.objects[i].world;
    }
    difference.added = static_cast<std::size_t>(std::count(known.begin(), known.end(), false));
    return difference;
}

Hash hashOfLight(const PlacedLight& light) {
    return Hasher()
        .bytes(std::as_bytes(std::span(light.position.data(), 3)))
        .add(light.range)
        .add(light.castsShadow)
        .add(light.shadowEnd)
        .add(light.light)
        .result();
}

}  // namespace

SceneMatch matchScenes(const Scene& before, const Scene& after) {
    return {match(before, before.objects, after, after.objects),
            match(before, before.placedLights, after, after.placedLights)};
}

std::string describeChanges(const Scene& before, const Scene& after) {
    const SceneMatch where = matchScenes(before, after);
    std::vector<std::string> parts;
    const auto add = [&](const std::string& text) {
        if (!text.empty()) parts.push_back(text);
    };
    add(compareObjects(before, after, where.objects).text("object", nullptr, "moved"));
    const auto meshName = [](const Asset& asset) { return asset.mesh->name; };
    add(compare(before.assets, after.assets, meshName, [](const Asset& asset) {
            return asset.mesh->hash;
        }).text("mesh", "meshes", "changed"));
    const auto nameOf = [](const auto& thing) { return thing.name; };
    add(compare(before.materials, after.materials, nameOf, [](const Material& material) {
            return Hasher().text(material.source.dump()).result();
        }).text("material", nullptr, "changed"));
    add(compare(before.images, after.images, nameOf, [](const Image& image) {
            return image.hash;
        }).text("image", nullptr, "changed"));
    add(compare(before.placedLights, after.placedLights, nameOf, hashOfLight)
            .text("light", nullptr, "changed"));
    add(compare(before.animations, after.animations, nameOf, [](const Animation& animation) {
            return Hasher().text(animation.channels.dump()).result();
        }).text("animation", nullptr, "changed"));
    return parts.empty() ? "nothing that shows" : fmt::format("{}", fmt::join(parts, "; "));
}

}  // namespace flentro
