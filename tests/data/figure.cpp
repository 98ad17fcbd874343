#include "figure.h"

#include <algorithm>
#include <array>
#include <vector>

namespace flentro::test {
namespace {

template <typename T>
T** arrayOf(std::initializer_list<T*> values) {
    auto** array = new T*[values.size()];
    std::copy(values.begin(), values.end(), array);
    return array;
}

aiMaterial* makeMaterial() {
    auto* material = new aiMaterial;
    const aiString name("leaf");
    const aiColor3D diffuse(1, 1, 1);
    const aiColor3D glow(0.5F, 0.5F, 0.5F);
    const aiString picture("leaf.png");
    material->AddProperty(&name, AI_MATKEY_NAME);
    material->AddProperty(&diffuse, 1, AI_MATKEY_COLOR_DIFFUSE);
    material->AddProperty(&glow, 1, AI_MATKEY_COLOR_EMISSIVE);
    material->AddProperty(&picture, AI_MATKEY_TEXTURE_DIFFUSE(0));
    return material;
}

constexpr std::array<std::array<int, 3>, 6> kFaces = {
    {{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}}};

/// Four corners a face, counter-clockwise from outside.
void addBox(aiMesh& mesh) {
    mesh.mNumVertices = 24;
    mesh.mVertices = new aiVector3D[24];
    mesh.mNormals = new aiVector3D[24];
    mesh.mTextureCoords[0] = new aiVector3D[24];
    mesh.mTextureCoords[1] = new aiVector3D[24];
    mesh.mNumUVComponents[0] = mesh.mNumUVComponents[1] = 2;
    mesh.mColors[0] = new aiColor4D[24];
    mesh.mNumFaces = 12;
    mesh.mFaces = new aiFace[12];
    for (unsigned f = 0; f < 6; ++f) {
        const aiVector3D n(static_cast<float>(kFaces[f][0]), static_cast<float>(kFaces[f][1]),
                           static_cast<float>(kFaces[f][2]));
        const aiVector3D a(n.y, n.z, n.x);
        const aiVector3D b = n ^ a;
        for (unsigned c = 0; c < 4; ++c) {
            const float s = c == 1 || c == 2 ? 0.5F : -0.5F;
            const float t = c >= 2 ? 0.5F : -0.5F;
            const aiVector3D p = n * 0.5F + a * s + b * t;
            const unsigned v = f * 4 + c;
            mesh.mVertices[v] = aiVector3D(p.x, p.y * 2 + 1, p.z);
            mesh.mNormals[v] = n;
            mesh.mTextureCoords[0][v] = aiVector3D(s + 0.5F, t + 0.5F, 0);
            mesh.mTextureCoords[1][v] = aiVector3D(t + 0.5F, s + 0.5F, 0);
            mesh.mColors[0][v] = aiColor4D(1, 0.5F, 0, 1);
        }
        for (unsigned t = 0; t < 2; ++t) {
            aiFace& face = mesh.mFaces[f * 2 + t];
            face.mNumIndices = 3;
            face.mIndices = new unsigned[3]{f * 4, f * 4 + 1 + t, f * 4 + 2 + t};
        }
    }
}

aiBone* makeBone(const char* name, bool upper, const aiMesh& mesh) {
    auto* bone = new aiBone;
    bone->mName = name;
    aiMatrix4x4::Translation(aiVector3D(0, upper ? -1.0F : 0.0F, 0), bone->mOffsetMatrix);
    std::vector<aiVertexWeight> weights;
    for (unsigned v = 0; v < mesh.mNumVertices; ++v)
        if ((mesh.mVertices[v].y > 1) == upper) weights.emplace_back(v, 1.0F);
    bone->mNumWeights = static_cast<unsigned>(weights.size());
    bone->mWeights = new aiVertexWeight[weights.size()];
    std::copy(weights.begin(), weights.end(), bone->mWeights);
    return bone;
}

aiMesh* makeMesh() {
    auto* mesh = new aiMesh;
    mesh->mName = "body";
    mesh->mPrimitiveTypes = aiPrimitiveType_TRIANGLE;
    addBox(*mesh);
    mesh->mNumBones = 2;
    mesh->mBones = arrayOf<aiBone>({makeBone("hip", false, *mesh), makeBone("knee", true, *mesh)});
    return mesh;
}

aiNode* makeNodes() {
    auto* root = new aiNode("figure");
    auto* body = new aiNode("body");
    body->mNumMeshes = 1;
    body->mMeshes = new unsigned[1]{0};
    auto* hip = new aiNode("hip");
    auto* knee = new aiNode("knee");
    aiMatrix4x4::Translation(aiVector3D(0, 1, 0), knee->mTransformation);
    auto* eye = new aiNode("eye");
    auto* lamp = new aiNode("lamp");
    aiMatrix4x4::Translation(aiVector3D(0, 3, 0), lamp->mTransformation);
    aiNode* knees[] = {knee};
    hip->addChildren(1, knees);
    aiNode* children[] = {body, hip, eye, lamp};
    root->addChildren(4, children);
    return root;
}

aiAnimation* makeAnimation() {
    auto* channel = new aiNodeAnim;
    channel->mNodeName = "knee";
    channel->mNumRotationKeys = 3;
    channel->mRotationKeys = new aiQuatKey[3];
    for (unsigned i = 0; i < 3; ++i)
        channel->mRotationKeys[i] =
            aiQuatKey(i, aiQuaternion(aiVector3D(0, 0, 1), i == 1 ? 0.8F : 0));
    channel->mNumPositionKeys = channel->mNumScalingKeys = 3;
    channel->mPositionKeys = new aiVectorKey[3];
    channel->mScalingKeys = new aiVectorKey[3];
    for (unsigned i = 0; i < 3; ++i) {
        channel->mPositionKeys[i] = aiVectorKey(i, aiVector3D(0, 1, 0));
        channel->mScalingKeys[i] = aiVectorKey(i, aiVector3D(1, 1, 1));
    }
    auto* animation = new aiAnimation;
    animation->mName = "bend";
    animation->mDuration = 2;
    animation->mTicksPerSecond = 1;
    animation->mNumChannels = 1;
    animation->mChannels = arrayOf<aiNodeAnim>({channel});
    return animation;
}

aiCamera* makeCamera() {
    auto* camera = new aiCamera;
    camera->mName = "eye";
    camera->mPosition = aiVector3D(0, 1, 5);
    camera->mLookAt = aiVector3D(0, 0, -1);
    camera->mUp = aiVector3D(0, 1, 0);
    camera->mHorizontalFOV = 1;
    camera->mAspect = 1.5F;
    return camera;
}

aiLight* makeLight() {
    auto* light = new aiLight;
    light->mName = "lamp";
    light->mType = aiLightSource_POINT;
    light->mColorDiffuse = aiColor3D(1, 0.5F, 0.25F);
    light->mAttenuationConstant = 1;
    return light;
}

}  // namespace

std::unique_ptr<aiScene> makeFigure() {
    auto scene = std::make_unique<aiScene>();
    scene->mRootNode = makeNodes();
    scene->mNumMeshes = 1;
    scene->mMeshes = arrayOf<aiMesh>({makeMesh()});
    scene->mNumMaterials = 1;
    scene->mMaterials = arrayOf<aiMaterial>({makeMaterial()});
    scene->mNumAnimations = 1;
    scene->mAnimations = arrayOf<aiAnimation>({makeAnimation()});
    scene->mNumCameras = 1;
    scene->mCameras = arrayOf<aiCamera>({makeCamera()});
    scene->mNumLights = 1;
    scene->mLights = arrayOf<aiLight>({makeLight()});
    return scene;
}

}  // namespace flentro::test
