#include "image_files.h"
#include "base/index.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>

#include "base/text.h"
#include "io/file.h"

namespace flentro {
namespace {

namespace fs = std::filesystem;

/// Files below `folder` by their names in lower case; not all of a disk.
std::map<std::string, std::vector<fs::path>> listFiles(const fs::path& folder) {
    constexpr int kDeepest = 4;
    constexpr std::size_t kMax = 20'000;
    std::map<std::string, std::vector<fs::path>> files;
    std::size_t count = 0;
    std::error_code error;
    fs::recursive_directory_iterator at(folder, fs::directory_options::skip_permission_denied,
                                        error);
    for (; !error && at != fs::recursive_directory_iterator() && count < kMax;
         at.increment(error)) {
        if (at.depth() >= kDeepest) at.disable_recursion_pending();
        std::error_code ignored;
        if (!at->is_regular_file(ignored)) continue;
        files[lowerCase(at->path().filename().string())].push_back(at->path());
        ++count;
    }
    for (auto& [name, paths] : files) std::sort(paths.begin(), paths.end());
    return files;
}

/// How many folders at the end two paths share, whatever the case.
std::size_t sharedEnd(const fs::path& a, const fs::path& b) {
    std::vector<std::string> left, right;
    for (const fs::path& element : a) left.push_back(lowerCase(element.string()));
    for (const fs::path& element : b) right.push_back(lowerCase(element.string()));
    std::size_t shared = 0;
    while (shared < std::min(left.size(), right.size()) &&
           left[left.size() - 1 - shared] == right[right.size() - 1 - shared])
        ++shared;
    return shared;
}

/// What glTF 2.0 readers read without an extension.
bool isPlain(const Image& image) {
    return image.mime == "image/png" || image.mime == "image/jpeg";
}

}  // namespace

fs::path ImageFiles::locate(const fs::path& wanted) {
    std::error_code error;
    const fs::path direct = folder_ / wanted;
    if (wanted.is_relative() && fs::is_regular_file(direct, error)) return wanted;
    if (!files_) files_ = listFiles(folder_);
    const auto at = files_->find(lowerCase(wanted.filename().string()));
    if (at == files_->end()) return {};
    const fs::path& best = *std::max_element(at->second.begin(), at->second.end(),
                                             [&](const fs::path& a, const fs::path& b) {
                                                 return sharedEnd(a, wanted) < sharedEnd(b, wanted);
                                             });
    return best.lexically_relative(folder_);
}

int ImageFiles::image(const std::string& path) {
    if (const auto at = known_.find(path); at != known_.end()) return at->second;
    const aiTexture* embedded = source_.GetEmbeddedTexture(path.c_str());
    const int index = embedded ? addEmbedded(*embedded) : addFile(path);
    known_.emplace(path, index);
    return index;
}

void ImageFiles::setData(Image& image, std::vector<std::byte> data) {
    const auto info = probeImage(data);
    if (info) {
        image.mime = info->mime;
        image.width = info->width;
        image.height = info->height;
        image.channels = info->channels;
    }
    image.hash = hashBytes(data);
    image.data = std::make_shared<const std::vector<std::byte>>(std::move(data));
}

int ImageFiles::addPng(const std::string& name, const Pixels& pixels) {
    Image image;
    image.name = name;
    setData(image, encodePng(pixels.rgba.data(), pixels.width, pixels.height, 4));
    scene_.images.push_back(std::move(image));
    return static_cast<int>(scene_.images.size()) - 1;
}

int ImageFiles::addEmbedded(const aiTexture& texture) {
    const std::string name = texture.mFilename.length > 0
                                 ? fs::path(texture.mFilename.C_Str()).filename().string()
                                 : fmt::format("embedded {}", scene_.images.size());
    if (texture.mHeight > 0) {
        Pixels pixels{static_cast<int>(texture.mWidth), static_cast<int>(texture.mHeight), {}};
        const std::size_t count = std::size_t{texture.mWidth} * texture.mHeight;
        pixels.rgba.reserve(count * 4);
        for (std::size_t i = 0; i < count; ++i) {
            const aiTexel& texel = texture.pcData[i];
            pixels.rgba.insert(pixels.rgba.end(), {texel.r, texel.g, texel.b, texel.a});
        }
        return addPng(name, pixels);
    }
    Image image;
    image.name = name;
    const auto* bytes = reinterpret_cast<const std::byte*>(texture.pcData);
    setData(image, {bytes, bytes + texture.mWidth});
    return addReadable(std::move(image));
}

int ImageFiles::addReadable(Image image) {
    if (image.data && !isPlain(image)) {
        if (const auto pixels = decodeImage(image, kLargestEdge))
            return addPng(image.name, *pixels);
        scene_.notes.push_back({"image '" + image.name + "'", "is of a format that is not read"});
    }
    scene_.images.push_back(std::move(image));
    return static_cast<int>(scene_.images.size()) - 1;
}

int ImageFiles::addFile(const std::string& path) {
    std::string slashed = path;
    std::replace(slashed.begin(), slashed.end(), '\\', '/');
    const fs::path found = locate(slashed);
    Image image;
    image.name = slashed;
    image.uri = encodeUri(found.empty() ? slashed : found.generic_string());
    const auto file = found.empty() ? Expected<fs::path>(fail(ErrorCode::NotFound, "is missing"))
                                    : resolveInside(folder_, image.uri);
    if (!found.empty() && found != fs::path(slashed))
        scene_.notes.push_back({"image '" + slashed + "'", "found as " + found.generic_string()});
    if (file)
        if (auto data = readFile(*file, std::size_t{1} << 30)) setData(image, std::move(*data));
    return addReadable(std::move(image));
}

std::optional<Pixels> ImageFiles::pixels(int image, int maxEdge) {
    const Image& source = elementOf(scene_.images, image);
    if (!source.data) return std::nullopt;
    auto decoded = decodeImage(source, maxEdge);
    return decoded ? std::optional(std::move(*decoded)) : std::nullopt;
}

std::optional<AlphaShares> ImageFiles::alphaOf(int image) {
    const auto [at, isNew] = alpha_.try_emplace(image);
    if (isNew) at->second = measureAlpha(image);
    return at->second;
}

std::optional<AlphaShares> ImageFiles::measureAlpha(int image) {
    const Image& source = elementOf(scene_.images, image);
    if (source.channels != 2 && source.channels != 4) return std::nullopt;
    const auto decoded = pixels(image);
    if (!decoded) return std::nullopt;
    std::size_t clear = 0;
    std::size_t solid = 0;
    const std::size_t count = decoded->count();
    for (std::size_t i = 0; i < count; ++i) {
        clear += decoded->rgba[i * 4 + 3] < 8;
        solid += decoded->rgba[i * 4 + 3] > 247;
    }
    const auto share = [&](std::size_t n) {
        return static_cast<double>(n) / static_cast<double>(count);
    };
    return AlphaShares{share(clear), share(count - clear - solid), share(solid)};
}

bool ImageFiles::looksLikeNormals(int image) {
    const auto decoded = pixels(image, 256);
    if (!decoded) return false;
    const std::size_t count = decoded->count();
    std::size_t outward = 0;
    for (std::size_t i = 0; i < count; ++i) {
        const std::uint8_t* texel = &decoded->rgba[i * 4];
        const auto unit = [](int v) { return v / 127.5 - 1; };
        const double x = unit(texel[0]), y = unit(texel[1]), z = unit(texel[2]);
        outward += z > 0 && std::fabs(x * x + y * y + z * z - 1) < 0.3;
    }
    return outward > count * 9 / 10;
}

int ImageFiles::withOpacity(int color, int opacity) {
    const auto [at, isNew] = combined_.try_emplace({color, opacity}, -1);
    if (!isNew) return at->second;
    const auto mask = pixels(opacity);
    if (!mask) return -1;
    Pixels result{mask->width, mask->height, std::vector<std::uint8_t>(mask->rgba.size(), 255)};
    if (color >= 0)
        if (auto decoded = pixels(color)) result = std::move(*decoded);
    const Pixels fitted = resizeImage(*mask, result.width, result.height);
    const int channels = elementOf(scene_.images, opacity).channels;
    const bool hasAlpha = channels == 2 || channels == 4;
    for (std::size_t i = 0; i < result.rgba.size(); i += 4)
        result.rgba[i + 3] =
            hasAlpha ? fitted.rgba[i + 3]
                     : static_cast<std::uint8_t>((fitted.rgba[i] * 54 + fitted.rgba[i + 1] * 183 +
                                                  fitted.rgba[i + 2] * 19) /
                                                 256);
    const std::string name = elementOf(scene_.images, opacity).name;
    return at->second = addPng(name + " as opacity", result);
}

int ImageFiles::roughnessAndMetalness(int roughness, int metalness) {
    if (roughness == metalness) return roughness;
    const auto [at, isNew] = packed_.try_emplace({roughness, metalness}, -1);
    if (!isNew) return at->second;
    const auto rough = roughness >= 0 ? pixels(roughness) : std::nullopt;
    const auto metal = metalness >= 0 ? pixels(metalness) : std::nullopt;
    if (!rough && !metal) return -1;
    const Pixels* larger = !metal || (rough && rough->width >= metal->width) ? &*rough : &*metal;
    Pixels result{larger->width, larger->height,
                  std::vector<std::uint8_t>(larger->rgba.size(), 255)};
    const auto copy = [&](const std::optional<Pixels>& from, std::size_t channel) {
        if (!from) return;
        const Pixels fitted = resizeImage(*from, result.width, result.height);
        for (std::size_t i = 0; i < result.rgba.size(); i += 4)
            result.rgba[i + channel] = fitted.rgba[i];
    };
    copy(rough, 1);  // glTF 2.0, 3.9.2: roughness in green, metalness in blue.
    copy(metal, 2);
    const int named = rough ? roughness : metalness;
    return at->second = addPng(elementOf(scene_.images, named).name + " packed", result);
}

}  // namespace flentro
