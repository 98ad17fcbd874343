#include "fixes/merge/merge.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <optional>

#include "base/index.h"
#include "base/parallel.h"
#include "base/text.h"
#include "fixes/merge/parcel_ledger.h"
#include "fixes/merge/parcel_mesh.h"
#include "fixes/merge/pieces.h"
#include "scene/edit.h"
#include "survey/spots.h"

namespace flentro {
namespace {

/// Sizes that are tried, metres.
constexpr double kSizes[] = {4,  6,   8,   12,  16,  24,  32,  48,  64,
                             96, 128, 192, 256, 384, 512, 768, 1000};

/// Groups and assets are sorted out this many times: leaving some out changes the others' shares.
constexpr int kRounds = 3;

constexpr double kRounding = 1e-9;

/// Of the sizes, the best so many are looked at with parcels taken back.
constexpr std::size_t kSizesTried = 3;

const std::string& nameOf(const Asset& asset) {
    return asset.mesh->name;
}

/// Edges of parcels to try: up to the first that divides the scene in no more than two.
std::vector<double> sizesFor(const Scene& scene) {
    const Box middle = middleOf(scene, 0);
    const double half = std::max(middle.sizes().x(), middle.sizes().z()) / 2;
    constexpr double kAlways = 128;
    std::vector<double> sizes;
    for (const double size : kSizes) {
        if (!sizes.empty() && size > kAlways && sizes.back() >= half) break;
        sizes.push_back(size);
    }
    return sizes;
}

/// What is beyond the limits comes first.
bool isBetter(const ParcelSize& a, const ParcelSize& b) {
    const auto key = [](const ParcelSize& size) {
        return std::pair(std::round(size.overload / kRounding), size.load);
    };
    return key(a) < key(b);
}

/// Largest number of vertices in a part: the setting, limited by the target.
std::size_t maxVerticesOf(const MergeSettings& settings, const Target& target) {
    const double limit = at(target.limits, Measure::VerticesPerMesh);
    return static_cast<std::size_t>(std::min<double>(settings.maxVertices, std::max(limit, 3.0)));
}

/// Decides what becomes one object.
class Merger {
public:
    /// `ledger`: of the whole objects.
    Merger(const Pieces& pieces, const MergeSettings& settings, const Target& target,
           const std::vector<Evidence::Place>& places, const ParcelLedger& ledger)
        : pieces_(pieces),
          scene_(pieces.scene),
          settings_(settings),
          target_(target),
          ledger_(pieces.scene, target, places, maxVerticesOf(settings, target)),
          objectsMatter_(stateOf(ledger.worstObjects()) != State::Within) {
        report_.before = ledger.count({}, 0);
        for (const MergeEligibility one : eligibilityOf(pieces.scene, settings))
            marked_.push_back(one == MergeEligibility::Static);
    }

    /// Nothing if cancelled.
    bool run(Progress& progress) {
        std::vector<double> sizes = sizesFor(scene_);
        if (settings_.parcel > 0) sizes.push_back(settings_.parcel);
        std::sort(sizes.begin(), sizes.end());
        sizes.erase(std::unique(sizes.begin(), sizes.end()), sizes.end());
        std::vector<std::vector<Group>> groups;
        for (std::size_t i = 0; i < sizes.size(); ++i) {
            if (progress.cancelled()) return false;
            progress.report(0.7 * static_cast<double>(i) / static_cast<double>(sizes.size()),
                            "Trying sizes of parcels");
            groups.push_back(worthwhile(sizes[i]));
            report_.sizes.push_back(ledger_.count(groups.back(), sizes[i]));
        }
        progress.report(0.7, "Taking parcels back");
        if (!choose(groups, progress) || !keepNeeded(progress)) return false;
        describe();
        return true;
    }

    [[nodiscard]] MergeReport& report() { return report_; }
    /// Objects that stand with others, and stay apart as no two of them show few enough materials
    /// together.
    [[nodiscard]] std::size_t tooManyMaterials() const {
        const double size = judgedSize();
        if (size <= 0) return 0;
        const auto membersIn = [](const std::vector<Group>& groups) {
            std::size_t count = 0;
            for (const Group& group : groups) count += group.size();
            return count;
        };
        const std::size_t near = membersIn(groupObjects(scene_, marked_, settings_, size));
        return near - membersIn(group(marked_, size));
    }

private:
    [[nodiscard]] MergeChoice choiceOf(std::size_t asset) const {
        const auto found = settings_.overrides.find(nameOf(scene_.assets[asset]));
        return found == settings_.overrides.end() ? MergeChoice::Auto : found->second;
    }

    /// Within the target's materials an object.
    [[nodiscard]] std::vector<Group> group(const std::vector<bool>& marked, double size) const {
        const double most = at(target_.limits, Measure::MaterialsPerObject);
        return divideByParts(scene_, groupObjects(scene_, marked, settings_, size),
                             isLimit(most) ? static_cast<std::size_t>(std::max(most, 1.0)) : 0);
    }

    [[nodiscard]] bool isAsked(const Group& group) const {
        return std::any_of(group.begin(), group.end(), [&](std::uint32_t i) {
            return choiceOf(static_cast<std::size_t>(scene_.objects[i].asset)) ==
                   MergeChoice::Merge;
        });
    }

    /// The groups without the first `count` of those that are named.
    [[nodiscard]] std::vector<Group> without(const std::vector<std::size_t>& named,
                                             std::size_t count) const {
        std::vector<bool> goes(groups_.size(), false);
        for (std::size_t i = 0; i < count; ++i) goes[named[i]] = true;
        std::vector<Group> kept;
        for (std::size_t g = 0; g < groups_.size(); ++g)
            if (!goes[g]) kept.push_back(groups_[g]);
        return kept;
    }

    /// The best of the best sizes, without the parcels that are taken back; or the size asked for.
    /// False if cancelled.
    bool choose(const std::vector<std::vector<Group>>& groups, const Progress& progress) {
        std::vector<std::size_t> order(groups.size());
        std::iota(order.begin(), order.end(), std::size_t{0});
        std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
            return isBetter(report_.sizes[a], report_.sizes[b]);
        });
        if (settings_.parcel > 0)
            std::erase_if(order,
                          [&](std::size_t i) { return report_.sizes[i].size != settings_.parcel; });
        order.resize(std::min(order.size(), kSizesTried));
        ParcelSize least = report_.before;
        std::vector<Group> best;
        for (const std::size_t i : order) {
            groups_ = groups[i];
            ParcelSize left = report_.sizes[i];
            if (!spareViews(left, progress)) return false;
            if (settings_.parcel == 0 && !isBetter(left, least)) continue;
            least = report_.sizes[i] = left;
            report_.size = left.size;
            report_.spared = groups[i].size() - groups_.size();
            best = groups_;
        }
        groups_ = std::move(best);
        return true;
    }

    /// Takes back groups by which the overload of views grows, as long as there is less beyond the
    /// limits without them: what others save by them may weigh more. What the artist asked for
    /// stays. `cost`: what the groups cost, kept so. False if cancelled.
    bool spareViews(ParcelSize& cost, const Progress& progress) {
        for (bool changed = true; changed;) {
            changed = false;
            const std::vector<std::size_t> harm = ledger_.overloading(groups_);
            std::vector<std::size_t> worst;
            for (std::size_t g = 0; g < groups_.size(); ++g)
                if (harm[g] > 0 && !isAsked(groups_[g])) worst.push_back(g);
            std::stable_sort(worst.begin(), worst.end(),
                             [&](std::size_t a, std::size_t b) { return harm[a] > harm[b]; });
            std::vector<Group> best;
            for (std::size_t count = worst.size(); count > 0; count /= 2) {
                if (progress.cancelled()) return false;
                std::vector<Group> kept = without(worst, count);
                const ParcelSize left = ledger_.count(kept, cost.size);
                if (left.overload >= cost.overload - kRounding) continue;
                best = std::move(kept);
                cost = left;
                changed = true;
            }
            if (changed) groups_ = std::move(best);
        }
        return true;
    }

    /// Takes back groups that pay more than they save in the mean of all views, the dearest first,
    /// as long as what is beyond the limits does not grow. What the artist asked for stays. False
    /// if cancelled.
    bool keepNeeded(const Progress& progress) {
        if (groups_.empty()) return true;
        ParcelSize& cost =
            *std::find_if(report_.sizes.begin(), report_.sizes.end(),
                          [&](const ParcelSize& tried) { return tried.size == report_.size; });
        const ParcelLedger::Shares shares = ledger_.share(groups_);
        std::vector<double> worth;
        std::vector<std::size_t> dear;
        for (std::size_t g = 0; g < groups_.size(); ++g) {
            worth.push_back(ledger_.meanWorth(shares.groups[g]));
            if (worth[g] < 0 && !isAsked(groups_[g])) dear.push_back(g);
        }
        if (dear.empty()) return true;
        std::stable_sort(dear.begin(), dear.end(),
                         [&](std::size_t a, std::size_t b) { return worth[a] < worth[b]; });
        const double needed = cost.overload + kRounding;
        std::size_t most = 0;  // As many can go.
        for (std::size_t tooMany = dear.size() + 1; most + 1 < tooMany;) {
            if (progress.cancelled()) return false;
            const std::size_t middle = (most + tooMany) / 2;
            const ParcelSize left = ledger_.count(without(dear, middle), cost.size);
            if (left.overload <= needed) {
                most = middle;
                cost = left;
            } else {
                tooMany = middle;
            }
        }
        groups_ = without(dear, most);
        return true;
    }

    /// Groups of one size without the assets that are cheaper as they are, and without groups
    /// that pay more than they save. What the artist asked for stays.
    std::vector<Group> worthwhile(double size) {
        std::vector<bool> marked = marked_;
        std::vector<Group> groups = group(marked, size);
        for (int round = 0; round < kRounds && !groups.empty(); ++round) {
            const ParcelLedger::Shares shares = ledger_.share(groups);
            if (round == 0) verdicts_[size] = shares.assets;
            bool changed = false;
            for (std::size_t i = 0; i < marked.size(); ++i) {
                const auto asset = static_cast<std::size_t>(scene_.objects[i].asset);
                if (!marked[i] || choiceOf(asset) != MergeChoice::Auto) continue;
                const auto& share = shares.assets[asset];
                if (share.worth > 0) continue;
                marked[i] = false;
                changed = true;
            }
            std::vector<bool> inGroup = marked;
            for (std::size_t g = 0; g < groups.size(); ++g) {
                const auto& account = shares.groups[g];
                // Fewer objects alone are worth nothing while no view is near its limit for them.
                const bool saves = account.callsSaved > kRounding || objectsMatter_;
                if (account.worth > 0 && saves) continue;
                const bool asked = isAsked(groups[g]);
                for (const std::uint32_t i : groups[g]) inGroup[i] = inGroup[i] && asked;
                changed = changed || !asked;
            }
            if (!changed) break;
            marked = inGroup;
            groups = group(marked, size);
        }
        return groups;
    }

    void describe() {
        const ParcelLedger::Shares shares = ledger_.share(groups_);
        std::map<std::string, int> names;
        for (std::size_t g = 0; g < groups_.size(); ++g) {
            const Object joined = joinObjects(scene_, groups_[g]);
            Parcel parcel;
            parcel.members = groups_[g];
            parcel.bounds = joined.bounds;
            parcel.origins = joined.origins;
            const Vec3d at = parcel.bounds.center() / report_.size;
            parcel.name = fmt::format("parcel {} {}", std::lround(std::floor(at.x())),
                                      std::lround(std::floor(at.z())));
            if (const int same = names[parcel.name]++; same > 0)
                parcel.name += fmt::format(" ({})", same + 1);
            parcel.callsSaved = shares.groups[g].callsSaved;
            parcel.objectsSaved = shares.groups[g].objectsSaved;
            parcel.trianglesPaid = shares.groups[g].trianglesPaid;
            report_.parcels.push_back(std::move(parcel));
        }
        std::stable_sort(
            report_.parcels.begin(), report_.parcels.end(),
            [](const Parcel& a, const Parcel& b) { return a.callsSaved > b.callsSaved; });
        judgeAssets();
    }

    /// Where nothing is merged: as it would be in parcels of the size that came nearest.
    [[nodiscard]] double judgedSize() const {
        if (report_.size > 0 || report_.sizes.empty()) return report_.size;
        return std::min_element(
                   report_.sizes.begin(), report_.sizes.end(),
                   [](const ParcelSize& a, const ParcelSize& b) { return isBetter(a, b); })
            ->size;
    }

    /// Pieces of one asset are judged together.
    void judgeAssets() {
        struct Judged {
            std::size_t copies = 0, merged = 0;
            double callsApart = 0, callsMerged = 0;
        };
        std::map<std::uint32_t, Judged> judged;  // by asset of the whole objects
        const auto judgedOf = [&](std::uint32_t piece) -> Judged& {
            return judged[elementOf(pieces_.assetOf, scene_.objects[piece].asset)];
        };
        for (std::uint32_t i = 0; i < marked_.size(); ++i)
            if (marked_[i]) ++judgedOf(i).copies;
        for (const Group& group : groups_)
            for (const std::uint32_t i : group) ++judgedOf(i).merged;
        if (const auto known = verdicts_.find(judgedSize()); known != verdicts_.end())
            for (std::size_t a = 0; a < known->second.size(); ++a)
                if (const auto found = judged.find(pieces_.assetOf[a]); found != judged.end()) {
                    found->second.callsApart += known->second[a].callsApart;
                    found->second.callsMerged += known->second[a].callsMerged;
                }
        for (const auto& [asset, all] : judged) {
            MergeVerdict verdict{nameOf(scene_.assets[asset]),
                                 all.copies,
                                 all.merged > 0,
                                 all.callsApart,
                                 all.callsMerged,
                                 {}};
            verdict.why = whyOf(asset, all.copies, all.merged, verdict);
            report_.verdicts.push_back(std::move(verdict));
        }
        std::stable_sort(report_.verdicts.begin(), report_.verdicts.end(),
                         [](const auto& a, const auto& b) { return a.copies > b.copies; });
    }

    [[nodiscard]] std::string whyOf(std::size_t asset, std::size_t copies, std::size_t merged,
                                    const MergeVerdict& verdict) const {
        if (choiceOf(asset) == MergeChoice::Merge) return "as asked";
        if (merged == copies) return "fewer calls";
        if (merged > 0) return fmt::format("{} of {} stand close enough", merged, copies);
        if (verdict.callsAsInstances == 0 && verdict.callsMerged == 0)
            return "too large, or alone in its parcel";
        if (verdict.callsMerged >= verdict.callsAsInstances) return "cheaper as instances";
        return "too many triangles drawn in vain";
    }

    const Pieces& pieces_;
    const Scene& scene_;  ///< Of the pieces.
    const MergeSettings& settings_;
    const Target& target_;
    const ParcelLedger ledger_;
    const bool objectsMatter_;  ///< Some view is near its limit for visible objects.
    std::vector<bool> marked_;
    std::vector<Group> groups_;
    std::map<double, std::vector<ParcelLedger::Shares::Asset>> verdicts_;  ///< By size.
    MergeReport report_;
};

std::size_t bytesOf(const Asset& asset) {
    std::size_t bytes = asset.mesh->bytes;
    for (const Ladder::Level& level : asset.ladder.levels) bytes += level.mesh->bytes;
    return bytes;
}

/// [pieces] True for those in any parcel.
std::vector<bool> mergedPieces(const MergeReport& report, const Pieces& pieces) {
    std::vector<Group> groups;
    for (const Parcel& parcel : report.parcels) groups.push_back(parcel.members);
    return membersOf(groups, pieces.scene.objects.size());
}

/// Bytes of the parcels beyond those of pieces that no object shows any more, shared by copies.
void accountBytes(const Pieces& pieces, const Scene& after, MergeReport& report) {
    const std::vector<bool> gone = mergedPieces(report, pieces);
    std::vector<std::size_t> copies(pieces.scene.assets.size(), 0);
    std::vector<bool> isLeft(pieces.scene.assets.size(), false);
    for (std::size_t p = 0; p < gone.size(); ++p) {
        const int asset = pieces.scene.objects[p].asset;
        ++elementOf(copies, asset);
        if (!gone[p]) elementOf(isLeft, asset) = true;
    }
    const std::size_t first = after.objects.size() - report.parcels.size();
    for (std::size_t p = 0; p < report.parcels.size(); ++p) {
        Parcel& parcel = report.parcels[p];
        parcel.bytesPaid =
            static_cast<double>(bytesOf(assetOf(after, static_cast<std::uint32_t>(first + p))));
        for (const std::uint32_t i : parcel.members) {
            const int asset = pieces.scene.objects[i].asset;
            if (elementOf(isLeft, asset)) continue;
            parcel.bytesPaid -= static_cast<double>(bytesOf(assetOf(pieces.scene, i))) /
                                static_cast<double>(elementOf(copies, asset));
        }
    }
}

void describeEligibility(const std::vector<MergeEligibility>& eligibility, FixRecord& record) {
    constexpr std::pair<MergeEligibility, const char*> kReasons[] = {
        {MergeEligibility::Moves, "moving"},
        {MergeEligibility::Bends, "bent by bones or morph targets"},
        {MergeEligibility::Transparent, "transparent and sorted by distance"},
        {MergeEligibility::Kept, "to be left"},
        {MergeEligibility::Empty, "without surfaces"}};
    for (const auto& [reason, text] : kReasons)
        if (const auto count = std::count(eligibility.begin(), eligibility.end(), reason);
            count > 0)
            record.notes.push_back(fmt::format(
                "{} alone: {}",
                counted(static_cast<std::size_t>(count), "object stays", "objects stay"), text));
}

/// Nothing if cancelled.
std::optional<Scene> placeParcels(const Scene& before, const Pieces& pieces,
                                  const MergeReport& report, std::size_t maxVertices,
                                  Progress& progress) {
    std::vector<Asset> assets(report.parcels.size());
    const bool finished = parallelFor(assets.size(), "Merging", progress, [&](std::size_t p) {
        const Parcel& parcel = report.parcels[p];
        assets[p] = mergeGroup(pieces.scene, parcel.members, parcel.bounds.center(), maxVertices,
                               parcel.name);
    });
    if (!finished) return std::nullopt;
    Scene scene = withoutPieces(before, pieces, mergedPieces(report, pieces));
    for (std::size_t p = 0; p < assets.size(); ++p) {
        const Parcel& parcel = report.parcels[p];
        Object object = joinObjects(pieces.scene, parcel.members);
        object.name = parcel.name;
        object.asset = static_cast<int>(scene.assets.size());
        object.world.topRightCorner<3, 1>() = parcel.bounds.center();
        scene.assets.push_back(std::move(assets[p]));
        addObject(scene, std::move(object));
    }
    dropUnusedAssets(scene);
    return scene;
}

std::string summaryOf(const MergeReport& report, const Pieces& pieces, const ParcelSize& after,
                      const Target& target) {
    if (report.parcels.empty())
        return "Nothing is merged: no size of parcel saves more than it costs";
    Group members;
    for (const Parcel& parcel : report.parcels)
        members.insert(members.end(), parcel.members.begin(), parcel.members.end());
    return fmt::format(
        "{} became {} of {}: {} calls and {} objects less and {} triangles more in the mean "
        "view{}{}",
        counted(pieces.wholes(members).size(), "object"), counted(report.parcels.size(), "parcel"),
        formatMetres(report.size), formatCount(report.before.calls - after.calls),
        formatCount(report.before.objects - after.objects),
        formatCount(after.triangles - report.before.triangles),
        target.batching == Batching::Node ? ", with the other copies as instances" : "",
        report.estimated ? " (estimated without a survey)" : "");
}

}  // namespace

Expected<Fixed> applyMerge(const Scene& scene, const MergeSettings& settings, const Target& target,
                           const Evidence& evidence, Progress& progress) {
    const std::vector<Evidence::Place> places = placesFor(scene, evidence);
    const std::vector<MergeEligibility> eligibility = eligibilityOf(scene, settings);
    const bool divides = settings.grouping == MergeSettings::Grouping::Material;
    const Pieces pieces = divides ? piecesByMaterial(scene, eligibility) : wholePieces(scene);
    const std::size_t maxVertices = maxVerticesOf(settings, target);
    Merger merger(pieces, settings, target, places,
                  ParcelLedger(scene, target, places, maxVertices));
    SubProgress searching(progress, 0, 0.8);
    if (!merger.run(searching)) return stopped("Merging");
    MergeReport& report = merger.report();
    report.estimated = evidence.empty();
    SubProgress joining(progress, 0.8, 1);
    auto merged = placeParcels(scene, pieces, report, maxVertices, joining);
    if (!merged || progress.cancelled()) return stopped("Merging");
    ParcelSize after = report.before;
    for (ParcelSize& tried : report.sizes) {
        if (report.parcels.empty() || tried.size != report.size) continue;
        // Counted again: the pieces that remain of an object are one object.
        if (divides)
            tried = ParcelLedger(*merged, target, places, maxVertices).count({}, tried.size);
        after = tried;
    }
    if (divides && settings.parcel == 0 && !isBetter(after, report.before)) {
        merged = scene;
        report.parcels.clear();
        report.size = 0;
    }
    Fixed result{std::move(*merged), {}};
    accountBytes(pieces, result.scene, report);
    FixRecord& record = result.record;
    if (const std::size_t apart = merger.tooManyMaterials(); apart > 0)
        record.notes.push_back(fmt::format(
            "{} apart from {} neighbours: together they would show more materials than the {:.0f} "
            "that the target allows of one object",
            counted(apart, "object stays", "objects stay"), apart == 1 ? "its" : "their",
            at(target.limits, Measure::MaterialsPerObject)));
    record.summary = summaryOf(report, pieces, after, target);
    if (report.spared > 0)
        record.notes.push_back(
            fmt::format("{} taken back: what they draw in vain takes views over a limit",
                        counted(report.spared, "parcel is", "parcels are")));
    describeEligibility(eligibility, record);
    for (Parcel& parcel : report.parcels) parcel.members = pieces.wholes(parcel.members);
    record.report = std::make_shared<const MergeReport>(std::move(report));
    return result;
}

}  // namespace flentro
