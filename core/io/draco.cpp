#include "io/draco.h"

#include <draco/compression/decode.h>

namespace flentro {
namespace {

template <typename T>
void copyValues(const draco::Mesh& mesh, const draco::PointAttribute& attribute, Stream& stream) {
    const int components = stream.components;
    stream.data.resize(mesh.num_points() * stream.elementSize());
    auto* out = reinterpret_cast<T*>(stream.data.data());
    for (std::uint32_t i = 0; i < mesh.num_points(); ++i)
        attribute.ConvertValue<T>(attribute.mapped_index(draco::PointIndex(i)),
                                  static_cast<std::int8_t>(components),
                                  out + static_cast<std::size_t>(i) * components);
}

void copyStream(const draco::Mesh& mesh, const draco::PointAttribute& attribute, Stream& stream) {
    switch (stream.type) {
        case ComponentType::Int8:
            return copyValues<std::int8_t>(mesh, attribute, stream);
        case ComponentType::UInt8:
            return copyValues<std::uint8_t>(mesh, attribute, stream);
        case ComponentType::Int16:
            return copyValues<std::int16_t>(mesh, attribute, stream);
        case ComponentType::UInt16:
            return copyValues<std::uint16_t>(mesh, attribute, stream);
        case ComponentType::UInt32:
            return copyValues<std::uint32_t>(mesh, attribute, stream);
        case ComponentType::Float32:
            return copyValues<float>(mesh, attribute, stream);
    }
}

}  // namespace

Expected<DracoMesh> decodeDraco(std::span<const std::byte> data,
                                const std::vector<DracoAttribute>& wanted) {
    draco::DecoderBuffer buffer;
    buffer.Init(reinterpret_cast<const char*>(data.data()), data.size());
    draco::Decoder decoder;
    auto decoded = decoder.DecodeMeshFromBuffer(&buffer);
    if (!decoded.ok())
        return fail(ErrorCode::InvalidInput, std::string("the compressed geometry is broken: ") +
                                                 decoded.status().error_msg());
    const draco::Mesh& mesh = *decoded.value();
    DracoMesh result;
    for (const DracoAttribute& want : wanted) {
        const auto* attribute = mesh.GetAttributeByUniqueId(static_cast<std::uint32_t>(want.id));
        if (want.id < 0 || attribute == nullptr)
            return fail(ErrorCode::InvalidInput,
                        "the compressed geometry has no attribute for " + want.semantic);
        Stream stream = want.layout;
        copyStream(mesh, *attribute, stream);
        result.attributes.push_back(
            {want.semantic, std::make_shared<const Stream>(std::move(stream))});
    }
    for (std::uint32_t f = 0; f < mesh.num_faces(); ++f)
        for (const draco::PointIndex& corner : mesh.face(draco::FaceIndex(f)))
            result.indices.push_back(corner.value());
    return result;
}

}  // namespace flentro
