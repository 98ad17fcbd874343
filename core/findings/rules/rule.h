// What rules share: reliefs of common kinds, and numbers of meshes and objects on the display.

#pragma once

#include <initializer_list>
#include <map>
#include <set>

#include "base/text.h"
#include "findings/finding.h"

namespace flentro {

/// For Memo: of a mesh and which of its parts are opaque.
[[nodiscard]] Hash contentOf(const Scene& scene, const Mesh& mesh);

/// Diameter of an object on the target's display from a distance, pixels; infinity from within.
[[nodiscard]] double pixelsAcross(const Object& object, double distance, const Target& target);

/// [assets] Pixels of a metre at scale 1 from where `share` of the glimpses of level 0 are nearer,
/// over all spots of the survey; 0 where there are none.
[[nodiscard]] std::vector<double> glimpseScales(const FindingInput& in, double share);

/// Triangles that views would draw less if each drawn copy of an asset kept `kept(drawn,
/// triangles)` of its own, in shadow passes as well.
[[nodiscard]] Relief triangleRelief(
    const FindingInput& in, std::size_t asset,
    const std::function<double(const DrawnObject&, double triangles)>& kept);

/// What views would count less without these objects: they, their triangles and draw calls. Equal
/// ones that are drawn together save a call only when all of them are gone.
[[nodiscard]] Relief reliefWithout(
    const FindingInput& in,
    const std::function<bool(const CountedView&, const DrawnObject&)>& isGone);

/// Draw calls and the most materials of one object, if an asset had so many `materials` instead of
/// its own.
[[nodiscard]] Relief materialRelief(const FindingInput& in, std::size_t asset,
                                    std::size_t materials);

/// Texture memory and largest edge, if images took `bytes` less each and were `edge` pixels large.
struct ImageSaving {
    std::uint32_t image = 0;
    double bytes = 0;
    int edge = 0;  ///< Longer one, after it; 0: the image is gone.
};
[[nodiscard]] Relief imageRelief(const FindingInput& in, const std::vector<ImageSaving>& savings);

/// Lights, shadow lights and their passes, if `staysLit(view, light)` is false for a light.
[[nodiscard]] Relief lightRelief(
    const FindingInput& in,
    const std::function<bool(const CountedView&, std::size_t light)>& staysLit);

/// A measure's limit, or what the worst view counts of it without one.
[[nodiscard]] double wholeOf(const FindingInput& in, Measure measure);
/// True where a relief in the worst view is at least this share of the whole of any of the
/// measures.
[[nodiscard]] bool isWorth(const FindingInput& in, const Relief& relief,
                           std::initializer_list<Measure> measures, double share);

/// Triangles of the drawn copies of an asset, for where a finding shows best.
[[nodiscard]] std::vector<Viewpoint> whereDrawn(const FindingInput& in, std::size_t asset);

/// A finding about one asset, without relief.
[[nodiscard]] Finding assetFinding(const FindingInput& in, std::size_t asset, std::string sentence,
                                   std::vector<Quantity> evidence);

/// The same with triangles of level 0 that could go: the relief is what they cost.
[[nodiscard]] Finding vainTriangles(const FindingInput& in, std::size_t asset, double count,
                                    std::string sentence, std::vector<Quantity> evidence);

/// Findings about meshes of which fix Tidy takes triangles, as many as `countIn` tells: from 1 % of
/// a mesh or 500 on. `what` they do: "have no surface".
[[nodiscard]] std::vector<Finding> tidyFindings(const FindingInput& in,
                                                double (*countIn)(const WeldedMesh&),
                                                const char* what, const char* label);

/// Triangles whose area is none within the rounding of their corners.
[[nodiscard]] double countDegenerate(const WeldedMesh& mesh);
/// Triangles that an earlier one equals in corners and facing, of any part.
[[nodiscard]] double countDuplicate(const WeldedMesh& mesh);

/// One finding about all objects of which `amount` is not 0; none where there are none.
[[nodiscard]] std::vector<Finding> objectsFinding(
    const FindingInput& in, double (*amount)(const Scene& scene, const Object& object),
    std::string (*sentence)(std::size_t count, double most));

/// A finding about one image, without relief.
[[nodiscard]] Finding imageFinding(const FindingInput& in, std::size_t image, std::string sentence,
                                   std::vector<Quantity> evidence);
/// True if a placed object's material reads the image.
[[nodiscard]] bool isImageShown(const FindingInput& in, std::size_t image);
/// The longer edge, pixels.
[[nodiscard]] int edgeOf(const Image& image);

/// Groups of two and more equal things, by the first of each.
[[nodiscard]] std::map<int, std::vector<std::size_t>> groupsOfEqual(const std::vector<int>& first);

/// Default settings of a fix, fitted to the scene.
[[nodiscard]] FixSettings proposedFix(const FindingInput& in, const char* key);

}  // namespace flentro
