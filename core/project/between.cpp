#include "project/between.h"

#include "project/surveying.h"

namespace flentro {

Expected<BetweenProof> proveBetween(const Project& project, const Survey& survey,
                                    const Scene& source, const Scene& result, Progress& progress) {
    const auto nothing = [] {
        return fail(ErrorCode::NotFound, "There is nothing between these spots", {},
                    "Survey the ground in reach");
    };
    if (project.survey.where == SurveyRequest::Where::Kept || survey.spots.empty())
        return nothing();
    Project closer = project;
    closer.view.eye = survey.spots.front().eye;
    closer.survey.spacing = project.survey.spacing / 2;
    std::unique_ptr<RayScene> rays;
    SubProgress finding(progress, 0, 0.4);
    auto spots = spotsFor(closer, source, source, rays, finding);
    if (!spots) return tl::unexpected(spots.error());
    if (spots->size() <= survey.spots.size()) return nothing();
    BetweenProof between;
    between.headings = SurveySettings().headings;
    between.spacing = spacingBetween(project.survey.spacing);
    const auto places =
        placesAt(throughCamera(*spots, project.survey.camera, between.headings), between.headings);
    SubProgress counting(progress, 0.4, 1);
    between.proof = prove(source, result, project.target, places, between.spacing, counting);
    if (progress.cancelled()) return stopped("Counting between the spots");
    return between;
}

}  // namespace flentro
