// The registry of rules: one line each.

#include "findings/finding.h"

namespace flentro {

const Rule& overLimitRule();
const Rule& slowFrameRule();
const Rule& noLevelsRule();
const Rule& tooDenseRule();
const Rule& hugeMeshRule();
const Rule& wideIndicesRule();
const Rule& noIndicesRule();
const Rule& unusedAttributesRule();
const Rule& heavyVerticesRule();
const Rule& poorVertexOrderRule();
const Rule& degenerateTrianglesRule();
const Rule& duplicateTrianglesRule();
const Rule& coincidentObjectsRule();
const Rule& interiorFacesRule();
const Rule& nonManifoldRule();
const Rule& redundantTrianglesRule();
const Rule& neverSeenTrianglesRule();
const Rule& thinGlossyBevelsRule();
const Rule& mirroredScaleRule();
const Rule& unevenScaleRule();
const Rule& farFromOriginRule();
const Rule& deepEmptyNodesRule();
const Rule& tooManyBonesRule();
const Rule& duplicateMeshesRule();
const Rule& duplicateMaterialsRule();
const Rule& duplicateTexturesRule();
const Rule& nearDuplicateTexturesRule();
const Rule& sameMeshManyNodesRule();
const Rule& oversizeTextureRule();
const Rule& overLargestEdgeRule();
const Rule& notPowerOfTwoRule();
const Rule& noMipMapsRule();
const Rule& oneColourTextureRule();
const Rule& unusedAlphaRule();
const Rule& separableMasksRule();
const Rule& unusedTextureRule();
const Rule& textureNeverSeenRule();
const Rule& unevenTexelDensityRule();
const Rule& manyMaterialsRule();
const Rule& transparentPartRule();
const Rule& doubleSidedClosedRule();
const Rule& blendCouldBeCutOutRule();
const Rule& costlyOnBackdropRule();
const Rule& lightRangeTooLongRule();
const Rule& tooManyLightsRule();
const Rule& tooManyShadowLightsRule();
const Rule& smallCastsShadowRule();
const Rule& hiddenCasterRule();
const Rule& largeMovingLightRule();
const Rule& staticLightBakedRule();
const Rule& noLightMapCoordinatesRule();
const Rule& drawnButHiddenRule();
const Rule& neverSeenObjectRule();
const Rule& smallAndFarRule();
const Rule& farPlaneTooFarRule();
const Rule& clutterRule();
const Rule& joinableCallsRule();
const Rule& lampsAlreadyBakedRule();

const std::vector<const Rule*>& findingRules() {
    static const std::vector<const Rule*> rules = {
        &overLimitRule(),
        &slowFrameRule(),
        &noLevelsRule(),
        &tooDenseRule(),
        &hugeMeshRule(),
        &wideIndicesRule(),
        &noIndicesRule(),
        &unusedAttributesRule(),
        &heavyVerticesRule(),
        &poorVertexOrderRule(),
        &degenerateTrianglesRule(),
        &duplicateTrianglesRule(),
        &coincidentObjectsRule(),
        &interiorFacesRule(),
        &nonManifoldRule(),
        &redundantTrianglesRule(),
        &neverSeenTrianglesRule(),
        &thinGlossyBevelsRule(),
        &mirroredScaleRule(),
        &unevenScaleRule(),
        &farFromOriginRule(),
        &deepEmptyNodesRule(),
        &tooManyBonesRule(),
        &duplicateMeshesRule(),
        &duplicateMaterialsRule(),
        &duplicateTexturesRule(),
        &nearDuplicateTexturesRule(),
        &sameMeshManyNodesRule(),
        &oversizeTextureRule(),
        &overLargestEdgeRule(),
        &notPowerOfTwoRule(),
        &noMipMapsRule(),
        &oneColourTextureRule(),
        &unusedAlphaRule(),
        &separableMasksRule(),
        &unusedTextureRule(),
        &textureNeverSeenRule(),
        &unevenTexelDensityRule(),
        &manyMaterialsRule(),
        &transparentPartRule(),
        &doubleSidedClosedRule(),
        &blendCouldBeCutOutRule(),
        &costlyOnBackdropRule(),
        &lightRangeTooLongRule(),
        &tooManyLightsRule(),
        &tooManyShadowLightsRule(),
        &smallCastsShadowRule(),
        &hiddenCasterRule(),
        &largeMovingLightRule(),
        &staticLightBakedRule(),
        &lampsAlreadyBakedRule(),
        &noLightMapCoordinatesRule(),
        &drawnButHiddenRule(),
        &neverSeenObjectRule(),
        &smallAndFarRule(),
        &farPlaneTooFarRule(),
        &clutterRule(),
        &joinableCallsRule(),
    };
    return rules;
}

const Rule* findRule(std::string_view key) {
    for (const Rule* rule : findingRules())
        if (rule->key == key) return rule;
    return nullptr;
}

}  // namespace flentro
