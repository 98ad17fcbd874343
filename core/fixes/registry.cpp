// The table of fixes.

#include <fmt/ranges.h>

#include <algorithm>
#include <cassert>

#include "fixes/atlas/atlas.h"
#include "fixes/culling/culling.h"
#include "fixes/fewer_lights/fewer_lights.h"
#include "fixes/fewer_materials/fewer_materials.h"
#include "fixes/fix.h"
#include "fixes/instances/instances.h"
#include "fixes/ladder/ladder.h"
#include "fixes/light_reach/light_reach.h"
#include "fixes/masks/masks.h"
#include "fixes/merge/merge.h"
#include "fixes/part_size/part_size.h"
#include "fixes/plain_materials/plain_materials.h"
#include "fixes/shadow_lights/shadow_lights.h"
#include "fixes/shadows/shadows.h"
#include "fixes/share/share.h"
#include "fixes/split/split.h"
#include "fixes/stand_ins/stand_ins.h"
#include "fixes/texture_size/texture_size.h"
#include "fixes/tidy/tidy.h"

namespace flentro {

const std::vector<const FixKind*>& fixKinds() {
    static const std::vector<const FixKind*> kinds = {
        &TidySettings::kind(),           //
        &PlainMaterialSettings::kind(),  //
        &ShareSettings::kind(),          //
        &TextureSizeSettings::kind(),    //
        &MaskSettings::kind(),           //
        &SplitSettings::kind(),          //
        &AtlasSettings::kind(),          //
        &FewerMaterialSettings::kind(),  //
        &LadderSettings::kind(),         //
        &CullingSettings::kind(),        //
        &LightReachSettings::kind(),     //
        &FewerLightSettings::kind(),     //
        &ShadowSettings::kind(),         //
        &ShadowLightSettings::kind(),    //
        &MergeSettings::kind(),          //
        &StandInSettings::kind(),        //
        &PartSizeSettings::kind(),       //
        &InstanceSettings::kind(),
    };
    return kinds;
}

const FixKind* findFixKind(std::string_view key) {
    for (const FixKind* kind : fixKinds())
        if (kind->key == key) return kind;
    return nullptr;
}

std::size_t FixKind::fieldIndex(std::string_view wanted) const {
    const auto found = std::find_if(fields.begin(), fields.end(),
                                    [&](const Field& field) { return field.key == wanted; });
    assert(found != fields.end());
    return static_cast<std::size_t>(found - fields.begin());
}

Json FixReport::describe(const Scene&) const {
    return Json::object();
}

std::vector<std::string> assetsNamedIn(const FixSettings& settings) {
    std::vector<std::string> names;
    const FixKind& kind = settings.kind();
    for (std::size_t i = 0; i < kind.fields.size(); ++i) {
        if (kind.fields[i].type != Field::Type::ByAsset || kind.fields[i].text.byImage) continue;
        const Json byAsset = kind.get(settings, i);
        for (const auto& [asset, value] : byAsset.items()) names.push_back(asset);
    }
    return names;
}

FixSettings proposeSettings(const FixKind& kind, const Scene& scene) {
    FixSettings settings = kind.defaults();
    if (kind.propose) kind.propose(settings, scene);
    return settings;
}

Json toJson(const FixSettings& settings) {
    return settings.kind().toJson(settings);
}

Expected<FixSettings> parseSettings(const std::string& key, const Json& json, int version) {
    const FixKind* kind = findFixKind(key);
    if (!kind) {
        std::vector<std::string> keys;
        for (const FixKind* known : fixKinds()) keys.push_back(known->key);
        return fail(ErrorCode::InvalidInput, "there is no fix called '" + key + "'", {},
                    fmt::format("Known fixes: {}", fmt::join(keys, ", ")));
    }
    FixSettings settings = kind->defaults();
    if (const Check wrong = kind->read(json, settings, version))
        return fail(ErrorCode::InvalidInput, describe(*wrong));
    return settings;
}

FLENTRO_DEFINE_VALUE(FixRecord);

}  // namespace flentro
