#include "prepare.h"

#include <fmt/format.h>
#include <minizip/unzip.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <charconv>
#include <map>
#include <memory>
#include <set>
#include <sstream>

#include "base/text.h"
#include "io/file.h"
#include "scene/units.h"

namespace flentro {
namespace {

constexpr std::size_t kLargest = std::size_t{1} << 30;
constexpr std::size_t kBeginning = 4096;

/// Calls visit(line) for each line without its end.
template <typename Visit>
void forEachLine(std::string_view text, Visit&& visit) {
    while (!text.empty()) {
        const std::size_t end = text.find('\n');
        std::string_view line = text.substr(0, end);
        text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
        if (line.ends_with('\r')) line.remove_suffix(1);
        visit(line);
    }
}

std::string_view trimmed(std::string_view text) {
    constexpr std::string_view kBlank = " \t";
    text.remove_prefix(std::min(text.find_first_not_of(kBlank), text.size()));
    return text.substr(0, text.find_last_not_of(kBlank) + 1);
}

/// "name" rest, or name rest.
struct Named {
    std::string name;
    std::string rest;
    bool isQuoted = false;
};
Named namedIn(std::string_view text) {
    text = trimmed(text);
    const bool isQuoted = text.starts_with('"');
    if (isQuoted) text.remove_prefix(1);
    const std::size_t end = text.find(isQuoted ? '"' : ' ');
    if (end == std::string_view::npos) return {std::string(text), "", isQuoted};
    return {std::string(text.substr(0, end)), std::string(trimmed(text.substr(end + 1))), isQuoted};
}

/// Metres of a unit by its name in any of the usual spellings; 0 for others.
double metresOfName(std::string_view name) {
    static const std::map<std::string, double, std::less<>> kNames = {{"micron", 1e-6},
                                                                      {"micrometer", 1e-6},
                                                                      {"mm", 1e-3},
                                                                      {"millimeter", 1e-3},
                                                                      {"millimeters", 1e-3},
                                                                      {"millimetre", 1e-3},
                                                                      {"cm", 1e-2},
                                                                      {"centimeter", 1e-2},
                                                                      {"centimeters", 1e-2},
                                                                      {"centimetre", 1e-2},
                                                                      {"in", 0.0254},
                                                                      {"inch", 0.0254},
                                                                      {"inches", 0.0254},
                                                                      {"ft", 0.3048},
                                                                      {"foot", 0.3048},
                                                                      {"feet", 0.3048},
                                                                      {"m", 1},
                                                                      {"meter", 1},
                                                                      {"meters", 1},
                                                                      {"metre", 1},
                                                                      {"metres", 1},
                                                                      {"km", 1000},
                                                                      {"kilometer", 1000},
                                                                      {"kilometers", 1000}};
    const auto found = kNames.find(lowerCase(name));
    return found == kNames.end() ? 0 : found->second;
}

/// The value of an attribute in the first element of that name; "" without.
std::string attributeOf(std::string_view xml, std::string_view element, std::string_view name) {
    const std::size_t at = xml.find(fmt::format("<{}", element));
    if (at == std::string_view::npos) return "";
    std::string_view inside = xml.substr(at, xml.find('>', at) - at);
    const std::size_t key = inside.find(fmt::format(" {}=", name));
    if (key == std::string_view::npos) return "";
    inside.remove_prefix(key + name.size() + 2);
    if (inside.empty()) return "";
    const char quote = inside.front();
    inside.remove_prefix(1);
    return std::string(inside.substr(0, inside.find(quote)));
}

/// The first entry of a zip archive whose name ends so, up to `most` bytes of it.
Expected<std::string> unzipped(const std::filesystem::path& file, std::string_view ending,
                               std::size_t most) {
    const auto bad = [](const char* what) { return fail(ErrorCode::InvalidInput, what); };
    unzFile archive = unzOpen64(file.c_str());
    if (!archive) return bad("is no zip archive");
    const std::unique_ptr<void, int (*)(unzFile)> closing(archive, unzClose);
    for (int at = unzGoToFirstFile(archive); at == UNZ_OK; at = unzGoToNextFile(archive)) {
        std::array<char, 1024> name{};
        if (unzGetCurrentFileInfo64(archive, nullptr, name.data(), name.size() - 1, nullptr, 0,
                                    nullptr, 0) != UNZ_OK)
            return bad("is a damaged zip archive");
        if (!lowerCase(name.data()).ends_with(ending)) continue;
        if (unzOpenCurrentFile(archive) != UNZ_OK) return bad("is a damaged zip archive");
        std::string content;
        std::array<char, 65536> chunk;
        int read = 0;
        while (content.size() < most &&
               (read = unzReadCurrentFile(archive, chunk.data(), chunk.size())) > 0)
            content.append(chunk.data(), static_cast<std::size_t>(read));
        if (read < 0) return bad("is a damaged zip archive");
        return content;
    }
    return bad("is a zip archive without the file that it should hold");
}

// --- AC3D ---------------------------------------------------------------------------------

/// Reads an AC3D file line by line and writes it anew.
class Ac3dWriter {
public:
    /// First all materials, as those of both sides are numbered behind them.
    explicit Ac3dWriter(const std::string& text) {
        constexpr int kBothSides = 0x20;
        bool isBothSided = false;
        forEachLine(text, [&](std::string_view line) {
            const std::string_view word = trimmed(line);
            if (word.starts_with("MATERIAL")) {
                materials_.emplace_back(word);
            } else if (word.starts_with("SURF")) {
                isBothSided =
                    std::strtol(std::string(word.substr(4)).c_str(), nullptr, 0) & kBothSides;
            } else if (word.starts_with("mat ") && isBothSided) {
                const int material = std::atoi(std::string(word.substr(4)).c_str());
                bothSided_.try_emplace(material, 0);
            }
        });
        int next = static_cast<int>(materials_.size());
        std::erase_if(bothSided_, [&](const auto& each) {
            return each.first < 0 || each.first >= static_cast<int>(materials_.size());
        });
        for (auto& [material, number] : bothSided_) number = next++;
        forEachLine(text, [&](std::string_view line) { copy(line); });
        finishObject();
    }

    Prepared take() {
        Prepared result;
        result.content = std::move(out_);
        for (const auto& [role, count] : layers_)
            result.notes.push_back(
                {"textures", fmt::format("{} with a further layer ({}): left out",
                                         counted(count, "object"), role)});
        return result;
    }

private:
    void write(std::string_view line) {
        out_.append(line);
        out_ += '\n';
    }

    void copy(std::string_view line) {
        const std::string_view word = trimmed(line);
        if (bytes_ > 0) {
            bytes_ -= std::min(bytes_, line.size() + 1);
            return write(line);
        }
        if (word.starts_with("OBJECT")) {
            finishObject();
            if (!addedMaterials_) addMaterials();
            return write(line);
        }
        if (word.starts_with("data ")) {
            bytes_ = static_cast<std::size_t>(
                std::max(0, std::atoi(std::string(word.substr(5)).c_str())));
            return write(line);
        }
        if (word.starts_with("texture")) return addLayer(namedIn(word.substr(7)));
        if (word.starts_with("numvert") || word.starts_with("kids")) writeTexture();
        if (word.starts_with("SURF")) {
            isBothSided_ = std::strtol(std::string(word.substr(4)).c_str(), nullptr, 0) & 0x20;
        } else if (word.starts_with("mat ") && isBothSided_) {
            const auto found = bothSided_.find(std::atoi(std::string(word.substr(4)).c_str()));
            if (found != bothSided_.end()) return write(fmt::format("mat {}", found->second));
        }
        write(line);
    }

    void addMaterials() {
        addedMaterials_ = true;
        for (const auto& [material, number] : bothSided_) {
            const std::string& source = materials_[static_cast<std::size_t>(material)];
            const Named named = namedIn(std::string_view(source).substr(8));
            write(fmt::format("MATERIAL \"{}{}\" {}", named.name, kTwoSided, named.rest));
        }
    }

    /// Layers without an image have an unquoted name such as empty_texture_no_mapping.
    void addLayer(Named layer) {
        if (!layer.isQuoted && layer.name.starts_with("empty")) return;
        texture_.push_back(std::move(layer));
    }

    void writeTexture() {
        if (texture_.empty()) return;
        const auto base = std::find_if(texture_.begin(), texture_.end(),
                                       [](const Named& each) { return each.rest == "base"; });
        const auto kept = base == texture_.end() ? texture_.begin() : base;
        write(fmt::format("texture \"{}\"", kept->name));
        for (auto each = texture_.begin(); each != texture_.end(); ++each)
            if (each != kept) ++layers_[each->rest.empty() ? "without a role" : each->rest];
        texture_.clear();
    }

    void finishObject() {
        texture_.clear();
        isBothSided_ = false;
    }

    std::vector<std::string> materials_;
    std::map<int, int> bothSided_;  ///< Material of faces that show both sides -> its twin.
    std::string out_;
    std::vector<Named> texture_;  ///< Of the object, not yet written.
    std::map<std::string, std::size_t> layers_;
    std::size_t bytes_ = 0;  ///< Of text, to be copied as it is.
    bool isBothSided_ = false;
    bool addedMaterials_ = false;
};

// --- PLY ----------------------------------------------------------------------------------

std::size_t sizeOfPlyType(std::string_view type) {
    for (const auto& [name, size] :
         {std::pair("char", 1), std::pair("uchar", 1), std::pair("int8", 1), std::pair("uint8", 1),
          std::pair("short", 2), std::pair("ushort", 2), std::pair("int16", 2),
          std::pair("uint16", 2), std::pair("int", 4), std::pair("uint", 4), std::pair("int32", 4),
          std::pair("uint32", 4), std::pair("float", 4), std::pair("float32", 4),
          std::pair("double", 8), std::pair("float64", 8)})
        if (type == name) return static_cast<std::size_t>(size);
    return 0;
}

struct PlyElement {
    std::string name;
    std::size_t count = 0;
    std::size_t properties = 0;
    std::size_t bytes = 0;  ///< Of each, at the least.
};

tl::unexpected<Error> badPly(const std::string& what) {
    return fail(ErrorCode::InvalidInput, "header: " + what);
}

/// Errors: InvalidInput.
Expected<void> readPlyLine(std::string_view line, std::vector<PlyElement>& elements) {
    std::istringstream words{std::string(line)};
    std::string key;
    words >> key;
    if (key == "element") {
        PlyElement element;
        std::string count;
        words >> element.name >> count;
        const auto [end, error] =
            std::from_chars(count.data(), count.data() + count.size(), element.count);
        if (error != std::errc() || end != count.data() + count.size())
            return badPly("'" + std::string(line) + "' has no count");
        elements.push_back(std::move(element));
    } else if (key == "property") {
        if (elements.empty()) return badPly("a property before any element");
        std::string type;
        words >> type;
        if (type == "list") words >> type;
        const std::size_t size = sizeOfPlyType(type);
        if (size == 0) return badPly("'" + std::string(line) + "' is of no known type");
        ++elements.back().properties;
        elements.back().bytes += size;
    }
    return {};
}

/// Reports data that is shorter than the elements need. In text a value takes two bytes at least:
/// a digit and a separator.
Expected<void> checkPlyData(const std::vector<PlyElement>& elements, bool isText,
                            std::size_t bytes) {
    std::size_t least = 0;
    for (const PlyElement& element : elements) {
        if (element.count > 0 && element.properties == 0)
            return badPly(
                fmt::format("{} of '{}' without any property", element.count, element.name));
        const std::size_t each = isText ? 2 * element.properties : element.bytes;
        if (each > 0 && element.count > (bytes + each) / each)
            return fail(ErrorCode::InvalidInput,
                        fmt::format("ends early: {} of '{}' are promised, {} bytes are there",
                                    element.count, element.name, bytes));
        least += element.count * each;
    }
    if (least > bytes + 1)
        return fail(ErrorCode::InvalidInput,
                    fmt::format("ends early: {} bytes are promised at the least, {} are there",
                                least, bytes));
    return {};
}

}  // namespace

Prepared prepareAc3d(const std::string& text) {
    return Ac3dWriter(text).take();
}

Prepared prepareOff(const std::string& text) {
    if (text.find('#') == std::string::npos) return {};
    Prepared result;
    result.content.emplace();
    forEachLine(text, [&](std::string_view line) {
        const std::string_view kept = trimmed(line.substr(0, line.find('#')));
        if (!kept.empty()) result.content->append(kept) += '\n';
    });
    return result;
}

Prepared prepareStl(const std::string& text) {
    if (lowerCase(text.substr(0, kBeginning)).find("facet") == std::string::npos) return {};
    bool hasWide = false;
    std::size_t run = 0;
    forEachLine(text, [&](std::string_view line) {
        const std::string_view word = trimmed(line);
        const bool isVertex = word.starts_with("vertex") || word.starts_with("VERTEX");
        run = isVertex ? run + 1 : 0;
        hasWide = hasWide || run > 3;
    });
    if (!hasWide) return {};
    std::vector<std::string> corners;
    std::string facet;
    Prepared result;
    std::string out;
    std::size_t divided = 0;
    forEachLine(text, [&](std::string_view line) {
        const std::string_view word = trimmed(line);
        const std::string key = lowerCase(word.substr(0, word.find(' ')));
        if (key == "facet") facet = word;
        if (key == "facet" || key == "outer" || key == "endloop") return;
        if (key == "vertex") {
            corners.emplace_back(word);
            return;
        }
        if (key != "endfacet") {
            out.append(line) += '\n';
            return;
        }
        divided += corners.size() > 3;
        for (std::size_t i = 2; i < corners.size(); ++i)
            out += fmt::format("{}\nouter loop\n{}\n{}\n{}\nendloop\nendfacet\n", facet, corners[0],
                               corners[i - 1], corners[i]);
        corners.clear();
    });
    result.content = std::move(out);
    result.notes.push_back(
        {"facets", counted(divided, "facet") + " of more than three corners: divided"});
    return result;
}

Expected<Prepared> prepareAmf(const std::string& text) {
    for (const std::string_view tag : {"<x>", "<y>", "<z>", "<v1>", "<v2>", "<v3>"})
        for (std::size_t at = text.find(tag); at != std::string::npos; at = text.find(tag, at)) {
            at += tag.size();
            const std::string number(
                trimmed(std::string_view(text).substr(at, text.find('<', at) - at)));
            char* end = nullptr;
            (void)std::strtod(number.c_str(), &end);
            if (number.empty() || *end != '\0')
                return fail(ErrorCode::InvalidInput,
                            fmt::format("line {}: '{}' in {} is no number",
                                        1 + std::count(text.begin(),
                                                       text.begin() + static_cast<long>(at), '\n'),
                                        number, tag));
        }
    Prepared result;
    const std::string unit =
        attributeOf(std::string_view(text).substr(0, kBeginning), "amf", "unit");
    result.metres = unit.empty() ? 1e-3 : metresOfName(unit);  // its default (ISO/ASTM 52915)
    return result;
}

Expected<PlyHeader> readPlyHeader(std::string_view beginning, std::size_t bytes) {
    constexpr std::string_view kEnd = "end_header";
    const std::size_t last = beginning.find(kEnd);
    if (last == std::string::npos) return badPly("has no end");
    const std::size_t data = std::min(beginning.find('\n', last), beginning.size() - 1) + 1;
    const std::string_view header = beginning.substr(0, data);
    std::vector<PlyElement> elements;
    std::string kept;
    bool isText = false;
    std::optional<Error> wrong;
    forEachLine(header, [&](std::string_view line) {
        isText = isText || line.starts_with("format ascii");
        if (auto read = readPlyLine(line, elements); !read && !wrong) wrong = read.error();
        if (line.starts_with("comment") || line.starts_with("obj_info")) return;
        kept.append(line) += '\n';
    });
    if (wrong) return tl::unexpected(*wrong);
    if (auto sound = checkPlyData(elements, isText, bytes - data); !sound)
        return tl::unexpected(sound.error());
    const auto countOf = [&](std::string_view name) {
        std::size_t count = 0;
        for (const PlyElement& element : elements)
            if (element.name == name) count += element.count;
        return count;
    };
    if (countOf("vertex") > 0 && countOf("face") == 0 && countOf("tristrips") == 0)
        return fail(ErrorCode::InvalidInput,
                    fmt::format("holds {} and no faces: there is no surface to look at",
                                counted(countOf("vertex"), "point")));
    return PlyHeader{std::move(kept), data};
}

double unitOfObj(std::string_view beginning) {
    double metres = 0;
    forEachLine(beginning, [&](std::string_view line) {
        line = trimmed(line);
        if (metres > 0 || !line.starts_with('#')) return;
        const std::string words = lowerCase(line);
        const std::size_t unit = words.find("unit");
        if (unit == std::string::npos) return;
        // "# File units = meters", "# unit: mm"
        const std::size_t name = words.find_first_of("=:", unit);
        if (name == std::string::npos) return;
        std::string word(trimmed(std::string_view(words).substr(name + 1)));
        word = word.substr(0, word.find_first_of(" \t,;."));
        metres = metresOfName(word);
    });
    return metres;
}

namespace {

Expected<std::string> contentOf(const std::filesystem::path& file) {
    auto bytes = readFile(file, kLargest);
    if (!bytes) return tl::unexpected(bytes.error());
    return std::string(reinterpret_cast<const char*>(bytes->data()), bytes->size());
}

/// The library takes long over long headers: those come without comments.
Expected<Prepared> preparePly(const std::filesystem::path& file) {
    constexpr std::size_t kLongest = std::size_t{1} << 20;
    const std::string beginning = readBeginning(file, kLongest);
    std::error_code error;
    const auto header = readPlyHeader(beginning, std::filesystem::file_size(file, error));
    if (!header) return tl::unexpected(header.error());
    Prepared result;
    if (header->text.size() + kBeginning >= header->size) return result;
    auto content = contentOf(file);
    if (!content) return tl::unexpected(content.error());
    result.content = header->text + content->substr(header->size);
    return result;
}

std::size_t countOf(std::string_view text, std::string_view word) {
    std::size_t count = 0;
    for (std::size_t at = text.find(word); at != std::string_view::npos;
         at = text.find(word, at + word.size()))
        ++count;
    return count;
}

/// How often `values` follow a word, with only blanks, quotes and an equals sign between.
std::size_t countOfValues(std::string_view text, std::string_view word,
                          const std::set<std::string>& values) {
    std::size_t count = 0;
    for (std::size_t at = text.find(word); at != std::string_view::npos;
         at = text.find(word, at + word.size())) {
        const std::size_t begin = text.find_first_not_of(" \t\r\n=\"'", at + word.size());
        if (begin == std::string_view::npos) break;
        const std::size_t end = text.find_first_of(" \t\r\n\"'<", begin);
        count += values.contains(lowerCase(text.substr(begin, end - begin)));
    }
    return count;
}

}  // namespace

Prepared findSides(const std::string& text, const std::string& ending) {
    std::size_t both = 0;
    std::size_t all = 0;
    if (ending == ".x3d") {  // One side is what it means to say nothing.
        both = countOfValues(text, " solid", {"false"});
        all = countOf(text, "<IndexedFaceSet") + countOf(text, "<IndexedTriangle") +
              countOf(text, "<Triangle");
    } else {
        both = countOfValues(text, "<double_sided>", {"1", "true"});
        all = both + countOfValues(text, "<double_sided>", {"0", "false"});
    }
    Prepared result;
    result.showsBothSides = both > 0;
    if (both > 0 && both < all)
        result.notes.push_back(
            {"materials", fmt::format("{} of {} shapes or materials show both sides: all do here, "
                                      "as the import library does not say which",
                                      both, all)});
    return result;
}

Expected<Prepared> prepare(const std::filesystem::path& file, const std::string& ending) {
    if (ending == ".3mf") {
        // Its default is the millimetre, so that it always says.
        const auto model = unzipped(file, ".model", kBeginning);
        Prepared result;
        const std::string unit = model ? attributeOf(*model, "model", "unit") : "";
        result.metres = unit.empty() ? 1e-3 : metresOfName(unit);
        return result;
    }
    if (ending == ".obj") {
        Prepared result;
        result.metres = unitOfObj(readBeginning(file, kBeginning));
        return result;
    }
    if (ending == ".ply") return preparePly(file);
    const std::set<std::string> rewritten = {".ac", ".off", ".stl", ".amf"};
    const bool isSearched = ending == ".x3d" || ending == ".dae";
    if (!isSearched && !rewritten.contains(ending)) return Prepared{};
    auto text = contentOf(file);
    if (isSearched) return text ? findSides(*text, ending) : Prepared{};
    if (!text) return tl::unexpected(text.error());
    if (ending == ".ac") return prepareAc3d(*text);
    if (ending == ".off") return prepareOff(*text);
    if (ending == ".stl") return prepareStl(*text);
    const bool isZipped = text->starts_with("PK");
    if (isZipped) {
        text = unzipped(file, ".amf", kLargest);
        if (!text) return tl::unexpected(text.error());
    }
    auto amf = prepareAmf(*text);
    if (amf && isZipped) amf->content = std::move(*text);
    return amf;
}

}  // namespace flentro
