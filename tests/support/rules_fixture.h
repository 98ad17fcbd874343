// Rules run on scenes whose numbers can be worked out on paper.

#pragma once

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <functional>

#include "findings/finding.h"
#include "support/display.h"
#include "support/meshes.h"
#include "support/pictures.h"

namespace flentro {

/// Looks north from the origin at whatever a test has placed there.
class Rules : public testing::Test {
protected:
    Rules() {
        target_ = test::display();
        target_.limits = kNoLimits;
        target_.farPlane = 1000;
    }
    Diagnosis diagnosis(const Survey* survey = nullptr) {
        scene_.name = "scene";
        Memo memo;
        return diagnose(scene_, target_, survey, view_, memo, noProgress()).value();
    }
    std::vector<Finding> found(const char* rule, const Survey* survey = nullptr) {
        EXPECT_TRUE(findRule(rule)) << rule;
        std::vector<Finding> some;
        for (Finding& finding : diagnosis(survey).findings)
            if (finding.rule->key == rule) some.push_back(std::move(finding));
        return some;
    }
    Survey survey(const std::vector<Vec3d>& eyes) {
        std::vector<SurveySpot> spots;
        for (const Vec3d& eye : eyes)
            spots.push_back({std::to_string(spots.size() + 1), eye, 0, {}});
        SurveySettings settings;
        settings.faceSize = 128;
        settings.betweenHeadings = false;
        return takeSurvey(scene_, target_, spots, settings, noProgress());
    }
    /// A material of one texture in a role, on every part.
    void paint(Image image, const char* role = "baseColorTexture") {
        Material material;
        material.name = "paint " + std::to_string(scene_.materials.size());
        const auto index = static_cast<int>(scene_.textures.size());
        material.textures.push_back({role, index});
        Texture texture;
        texture.image = static_cast<int>(scene_.images.size());
        texture.sampler = -1;
        scene_.textures.push_back(texture);
        scene_.images.push_back(std::move(image));
        scene_.materials.push_back(std::move(material));
        setMaterial(static_cast<int>(scene_.materials.size()) - 1);
    }
    void setMaterial(int material) {
        for (Asset& asset : scene_.assets) {
            Mesh mesh = *asset.mesh;
            for (Part& part : mesh.parts) part.material = material;
            asset.mesh = finishMesh(std::move(mesh));
        }
    }
    static Image picture(int width, int height, const test::PixelOf& pixel, int channels = 4) {
        return test::makePicture(width, height, pixel, channels);
    }
    static std::array<int, 4> checks(int x, int y) {
        const int bright = ((x / 4 + y / 4) % 2) * 200;
        return {bright, 255 - bright, x, 255};
    }
    void light(double candela, float range, bool shadows, const Vec3d& at) {
        Light light;
        light.name = "lamp";
        light.intensity = static_cast<float>(candela);
        light.range = range;
        PlacedLight placed;
        placed.name = "lamp " + std::to_string(scene_.placedLights.size());
        placed.light = static_cast<int>(scene_.lights.size());
        placed.position = at;
        placed.range = static_cast<double>(range);
        placed.castsShadow = shadows;
        placed.node = 0;
        scene_.lights.push_back(light);
        scene_.placedLights.push_back(placed);
    }

    Scene scene_;
    Target target_;
    std::optional<Viewpoint> view_ = Viewpoint{{0, 0, 0}, 0, 0};
};

}  // namespace flentro
