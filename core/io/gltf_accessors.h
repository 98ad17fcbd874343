// Access to the binary data of a glTF document, with every length and offset checked.

#pragma once

#include <filesystem>
#include <map>
#include <optional>
#include <span>
#include <vector>

#include "base/json.h"
#include "base/memory_budget.h"
#include "base/progress.h"
#include "geometry/stream.h"
#include "io/file.h"

namespace flentro {

/// "mesh 3 'crate'": how errors and notes name a glTF object.
[[nodiscard]] std::string objectName(const char* kind, std::size_t index, const Json& object);

class GltfAccessors {
public:
    /// `document`, `binary` (the BIN chunk of a .glb; may be empty) and `memory` must outlive this.
    GltfAccessors(const Json& document, std::span<const std::byte> binary,
                  std::filesystem::path folder, MemoryBudget& memory)
        : document_(document), binary_(binary), folder_(std::move(folder)), memory_(memory) {}

    /// Takes memory for data that comes from elsewhere. Errors: Limit.
    [[nodiscard]] MemoryBudget& memory() const { return memory_; }

    /// Reads every buffer and decompresses the views that EXT_meshopt_compression packs.
    /// Errors: missing, forbidden, truncated or damaged files.
    [[nodiscard]] Expected<void> loadBuffers();

    /// External files that buffers were read from.
    [[nodiscard]] const std::vector<std::filesystem::path>& files() const { return files_; }

    /// Decodes all accessors of `indices` on all cores; later calls of stream() are free.
    [[nodiscard]] Expected<void> decode(const std::vector<int>& indices, Progress& progress);

    /// The data of one accessor, decoded once. Sparse values are applied (glTF 2.0, 3.6.2.3).
    /// Errors: InvalidInput naming the accessor, when anything is out of range.
    [[nodiscard]] Expected<StreamPtr> stream(int index);

    [[nodiscard]] Expected<std::span<const std::byte>> bufferView(int index) const;

    /// The element type of an accessor, without data: for data that comes from elsewhere.
    [[nodiscard]] Expected<Stream> layout(int index) const;

private:
    struct Slice {
        std::span<const std::byte> bytes;
        std::size_t stride = 0;
    };
    [[nodiscard]] Expected<Bytes> readBuffer(std::size_t index, const Json& buffer);
    [[nodiscard]] Expected<void> decompress();
    /// The bytes that "buffer", "byteOffset" and "byteLength" of an object name.
    [[nodiscard]] Expected<std::span<const std::byte>> slicePart(const Json& view) const;
    [[nodiscard]] Expected<Stream> decodeOne(int index) const;
    [[nodiscard]] Expected<Slice> slice(const Json& source, std::size_t count,
                                        std::size_t elementSize) const;
    [[nodiscard]] Expected<void> applySparse(const Json& sparse, Stream& stream) const;

    const Json& document_;
    std::span<const std::byte> binary_;
    std::filesystem::path folder_;
    MemoryBudget& memory_;
    std::vector<std::filesystem::path> files_;
    std::vector<Bytes> owned_;
    std::vector<std::span<const std::byte>> buffers_;
    std::map<int, Bytes> decompressed_;  ///< By buffer view.
    std::vector<StreamPtr> streams_;
};

}  // namespace flentro
