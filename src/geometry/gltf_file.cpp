#include "geometry/gltf_file.h"

#include <cmath>
#include <cstring>

#include "base/file.h"
#include "base/json_text.h"
#include "base/paths.h"

namespace vemtra::geometry {
namespace {

using Json = GltfFile::Json;

enum Component : int { i8 = 5120, u8 = 5121, i16 = 5122, u16 = 5123, u32 = 5125, f32 = 5126 };

size_t size_of(int component) {
    return component == i8 || component == u8     ? 1
           : component == i16 || component == u16 ? 2
           : component == u32 || component == f32 ? 4
                                                  : 0;
}

int components_of(const std::string& type) {
    static constexpr std::pair<const char*, int> names[] = {{"SCALAR", 1}, {"VEC2", 2}, {"VEC3", 3}, {"VEC4", 4},
                                                            {"MAT2", 4},   {"MAT3", 9}, {"MAT4", 16}};
    for (const auto& [name, count] : names)
        if (type == name) return count;
    return 0;
}

float number_at(const char* p, int component, bool normalized) {
    auto as = [&](auto t) {
        std::memcpy(&t, p, sizeof t);
        return t;
    };
    switch (component) {
        case i8: return normalized ? std::max(float(as(int8_t{})) / 127.f, -1.f) : float(as(int8_t{}));
        case u8: return normalized ? float(as(uint8_t{})) / 255.f : float(as(uint8_t{}));
        case i16: return normalized ? std::max(float(as(int16_t{})) / 32767.f, -1.f) : float(as(int16_t{}));
        case u16: return normalized ? float(as(uint16_t{})) / 65535.f : float(as(uint16_t{}));
        case u32: return float(as(uint32_t{}));
        default: return as(float{});
    }
}

/// RFC 4648; what is no letter of it ends the text.
std::string from_base64(std::string_view text) {
    std::string out;
    out.reserve(text.size() * 3 / 4);
    uint32_t bits = 0;
    int have = 0;
    for (const char c : text) {
        const int v = c >= 'A' && c <= 'Z'   ? c - 'A'
                      : c >= 'a' && c <= 'z' ? c - 'a' + 26
                      : c >= '0' && c <= '9' ? c - '0' + 52
                      : c == '+'             ? 62
                      : c == '/'             ? 63
                                             : -1;
        if (v < 0) break;
        bits = bits << 6 | uint32_t(v);
        if ((have += 6) < 8) continue;
        have -= 8;
        out += char(bits >> have & 255);
    }
    return out;
}

/// %20 and the like.
std::string from_uri(const std::string& text) {
    std::string out;
    for (size_t i = 0; i < text.size(); ++i) {
        unsigned value = 0;
        if (text[i] == '%' && i + 2 < text.size() && std::sscanf(text.c_str() + i + 1, "%2x", &value) == 1) {
            out += char(value);
            i += 2;
        } else {
            out += text[i];
        }
    }
    return out;
}

/// A size or an offset: a whole number from 0 on; SIZE_MAX where it is none.
size_t size_in(const Json& object, const char* key, size_t fallback) {
    const auto it = object.find(key);
    if (it == object.end()) return fallback;
    return it->is_number_unsigned() ? it->get<size_t>() : SIZE_MAX;
}

constexpr const char* meshopt = "EXT_meshopt_compression";

const Json* extension(const Json& object, const char* name) {
    const auto all = object.find("extensions");
    if (all == object.end() || !all->is_object()) return nullptr;
    const auto it = all->find(name);
    return it != all->end() && it->is_object() ? &*it : nullptr;
}

}  // namespace

struct GltfFile::Accessor {
    std::string_view bytes;  ///< from its first element on; empty: all zeros
    size_t count = 0, stride = 0;
    int component = 0, components = 0;
    bool normalized = false;
};

const Json& GltfFile::array(const char* name) const {
    static const Json none = Json::array();
    const auto it = json_.find(name);
    return it != json_.end() && it->is_array() ? *it : none;
}
int GltfFile::number(const Json& object, const char* key, int fallback) {
    const auto it = object.find(key);
    if (it == object.end() || !it->is_number_integer()) return fallback;
    const int64_t v = it->get<int64_t>();
    return v >= 0 && v < INT32_MAX ? int(v) : fallback;
}
std::string GltfFile::text(const Json& object, const char* key) {
    const auto it = object.find(key);
    return it != object.end() && it->is_string() ? it->get<std::string>() : std::string();
}

Result<GltfFile> GltfFile::open(const std::string& file, ByteStream& content) {
    GltfFile g;
    g.file_ = file;
    if (content.left() > most_file_bytes) return g.broken("", "it is larger than anything of its kind");
    const std::string_view bytes = content.rest();
    std::string_view json(bytes);
    std::string_view chunk;
    if (bytes.compare(0, 4, "glTF") == 0) {  // GLB: header, then the JSON's chunk, then the first buffer's
        auto word = [&](size_t at) {
            uint32_t v = 0;
            if (at + 4 <= bytes.size()) std::memcpy(&v, bytes.data() + at, 4);
            return size_t(v);
        };
        const size_t length = word(12);
        if (bytes.size() < 20 || length > bytes.size() - 20) return g.broken("header", "the file is cut off");
        json = bytes.substr(20, length);
        const size_t at = 20 + (length + 3) / 4 * 4;
        if (at + 8 <= bytes.size()) {
            if (word(at) > bytes.size() - at - 8) return g.broken("binary chunk", "the file is cut off");
            chunk = bytes.substr(at + 8, word(at));
        }
    }
    if (json.size() > most_text_bytes) return g.broken("", "its JSON is larger than anything of its kind");
    Result<Json> parsed = parse_json<Json>(json);
    if (!parsed) return g.broken(parsed.error().place, parsed.error().why + ": the file is cut off, or not glTF 2.0");
    g.json_ = std::move(*parsed);
    g.packed_ = bytes.size();
    if (!g.json_.is_object()) return g.broken("", "the file is not glTF 2.0");
    if (Status s = g.load_buffers(chunk); !s) return s.error();
    if (Status s = g.unpack_views(); !s) return s.error();
    return g;
}

Status GltfFile::load_buffers(std::string_view chunk) {
    const std::filesystem::path folder = std::filesystem::path(file_).parent_path();
    const Json& all = array("buffers");
    for (size_t i = 0; i < all.size(); ++i) {
        const std::string place = "buffer " + std::to_string(i);
        const std::string uri = text(all[i], "uri");
        std::string data;
        if (uri.compare(0, 5, "data:") == 0) {
            const size_t comma = uri.find(',');
            data = comma == std::string::npos ? "" : from_base64(std::string_view(uri).substr(comma + 1));
        } else if (!uri.empty()) {
            const std::filesystem::path at = folder / from_uri(uri);
            if (!lies_in(folder.empty() ? std::filesystem::path(".") : folder, at))
                return broken(place, "it names '" + uri + "', which leads out of the file's folder");
            Result<std::string> read = read_file(at);
            if (!read)
                return Error{read.error().what, at.string(), place + " of " + file_, read.error().why,
                             "Put the buffer beside the file again"};
            data = std::move(*read);
        } else if (i == 0 && !chunk.empty()) {
            data = std::string(chunk);
        } else if (!extension(all[i], meshopt)) {  // a buffer that only stands in for what is compressed has no bytes
            return broken(place, "it has no bytes");
        }
        if (const size_t promised = size_in(all[i], "byteLength", 0); !data.empty() && promised > data.size())
            return broken(place, "it is " + std::to_string(data.size()) + " bytes long, where " +
                                     std::to_string(promised) + " are promised: the file is cut off");
        bytes_ += data.size();
        packed_ += data.size();
        if (Status s = spend(data.size(), place); !s) return s;
        buffers_.push_back(std::move(data));
    }
    return Done{};
}

Status GltfFile::spend(size_t bytes, const std::string& place) const {
    constexpr size_t always = size_t(256) << 20;
    constexpr size_t times = 64;  // meshes compress to a thirtieth at best
    spent_ += bytes;
    if (spent_ <= always + times * packed_) return Done{};
    return broken(place, "the file says the same bytes so often that it would fill the memory");
}

size_t GltfFile::count_of(int index) const {
    const Json& all = array("accessors");
    if (index < 0 || size_t(index) >= all.size() || !all[size_t(index)].is_object()) return 0;
    return size_in(all[size_t(index)], "count", 0);
}

Status GltfFile::unpack_views() {
    const Json& all = array("bufferViews");
    unpacked_.resize(all.size());
    for (size_t i = 0; i < all.size(); ++i) {
        const Json* packed = all[i].is_object() ? extension(all[i], meshopt) : nullptr;
        if (!packed) continue;
        const std::string place = "bufferView " + std::to_string(i);
        const int buffer = number(*packed, "buffer");
        const size_t offset = size_in(*packed, "byteOffset", 0);
        const size_t length = size_in(*packed, "byteLength", 0);
        if (buffer < 0 || size_t(buffer) >= buffers_.size()) return broken(place, "its packed buffer does not exist");
        const std::string& data = buffers_[size_t(buffer)];
        if (offset > data.size() || length > data.size() - offset)
            return broken(place, "its packed bytes leave their buffer: the file is cut off");
        Result<std::string> plain = unpack_meshopt(std::string_view(data).substr(offset, length), *packed);
        if (!plain) return broken(place, plain.error().why);
        if (Status s = spend(plain->size(), place); !s) return s;
        bytes_ += plain->size();
        unpacked_[i] = std::move(*plain);
    }
    return Done{};
}

Result<std::string_view> GltfFile::view(int index, const std::string& place) const {
    const Json& all = array("bufferViews");
    if (index < 0 || size_t(index) >= all.size() || !all[size_t(index)].is_object())
        return broken(place, "an accessor has no data");
    if (!unpacked_[size_t(index)].empty()) return std::string_view(unpacked_[size_t(index)]);
    const Json& v = all[size_t(index)];
    const int buffer = number(v, "buffer");
    if (buffer < 0 || size_t(buffer) >= buffers_.size()) return broken(place, "a buffer does not exist");
    const std::string& data = buffers_[size_t(buffer)];
    const size_t offset = size_in(v, "byteOffset", 0);
    const size_t length = size_in(v, "byteLength", 0);
    if (offset > data.size() || length > data.size() - offset)
        return broken(place, "a view points outside of its buffer: the file is cut off");
    return std::string_view(data).substr(offset, length);
}

Result<GltfFile::Accessor> GltfFile::accessor(int index, const std::string& place) const {
    const Json& all = array("accessors");
    if (index < 0 || size_t(index) >= all.size() || !all[size_t(index)].is_object())
        return broken(place, "an accessor does not exist");
    const Json& j = all[size_t(index)];
    Accessor a;
    a.component = number(j, "componentType", 0);
    a.components = components_of(text(j, "type"));
    a.count = size_in(j, "count", 0);
    a.normalized = j.contains("normalized") && j["normalized"].is_boolean() && j["normalized"].get<bool>();
    const size_t element = size_of(a.component) * size_t(a.components);
    if (!element) return broken(place, "an accessor has an unknown type");
    if (a.count == 0 || a.count > std::max<size_t>(bytes_, 1))
        return broken(place, "an accessor is longer than the file: it is cut off");
    a.stride = element;
    if (!j.contains("bufferView")) {
        if (!j.contains("sparse")) return broken(place, "an accessor has no data");
        return a;
    }
    const int view_index = number(j, "bufferView");
    Result<std::string_view> bytes = view(view_index, place);
    if (!bytes) return bytes.error();
    if (const size_t stride = size_in(array("bufferViews")[size_t(view_index)], "byteStride", 0)) a.stride = stride;
    const size_t offset = size_in(j, "byteOffset", 0);
    if (a.stride < element || a.stride > 4096 || offset > bytes->size())
        return broken(place, "an accessor points outside of its buffer");
    a.bytes = bytes->substr(offset);
    if (a.bytes.size() < element || (a.count - 1) > (a.bytes.size() - element) / a.stride)
        return broken(place, "an accessor is longer than its buffer: the file is cut off");
    return a;
}

Status GltfFile::floats(int index, int components, std::vector<float>& out, size_t& count, const std::string& place,
                        const std::vector<uint32_t>* only) const {
    Result<Accessor> a = accessor(index, place);
    if (!a) return a.error();
    const Json& json = array("accessors")[size_t(index)];
    const size_t n = size_t(components);
    const size_t size = size_of(a->component);
    const bool some = only && !json.contains("sparse");
    count = some ? only->size() : a->count;
    if (Status s = spend(count * n * sizeof(float), place); !s) return s;
    out.assign(count * n, 0.f);
    for (size_t i = 0; i < count && !a->bytes.empty(); ++i) {
        const size_t element = some ? (*only)[i] : i;
        if (element >= a->count) continue;
        const char* from = a->bytes.data() + element * a->stride;
        for (int c = 0; c < std::min(components, a->components); ++c)
            out[i * n + size_t(c)] = number_at(from + size_t(c) * size, a->component, a->normalized);
    }
    if (Status s = fill_sparse(json, *a, components, out, place); !s || some || !only) return s;
    std::vector<float> chosen(only->size() * n, 0.f);
    for (size_t i = 0; i < only->size(); ++i)
        if ((*only)[i] < count) std::copy_n(&out[(*only)[i] * n], n, &chosen[i * n]);
    out = std::move(chosen);
    count = only->size();
    return Done{};
}

/// The elements that differ from what the accessor's own view has.
Status GltfFile::fill_sparse(const Json& json, const Accessor& a, int components, std::vector<float>& out,
                             const std::string& place) const {
    const auto sparse = json.find("sparse");
    if (sparse == json.end()) return Done{};
    if (!sparse->is_object() || !sparse->contains("indices") || !sparse->contains("values"))
        return broken(place, "a sparse accessor is not complete");
    const Json& at = (*sparse)["indices"];
    const Json& values = (*sparse)["values"];
    if (!at.is_object() || !values.is_object()) return broken(place, "a sparse accessor is not complete");
    const size_t count = size_in(*sparse, "count", 0);
    const size_t size = size_of(a.component);
    const size_t element = size * size_t(a.components);
    const int index_type = number(at, "componentType", 0);
    const size_t index_size = index_type == f32 ? 0 : size_of(index_type);
    Result<std::string_view> where = view(number(at, "bufferView"), place);
    Result<std::string_view> what = view(number(values, "bufferView"), place);
    if (!where) return where.error();
    if (!what) return what.error();
    const size_t first_index = size_in(at, "byteOffset", 0);
    const size_t first_value = size_in(values, "byteOffset", 0);
    if (!index_size || first_index > where->size() || first_value > what->size() ||
        count > (where->size() - first_index) / index_size || count > (what->size() - first_value) / element)
        return broken(place, "a sparse accessor is longer than its buffers: the file is cut off");
    for (size_t k = 0; k < count; ++k) {
        uint32_t i = 0;
        std::memcpy(&i, where->data() + first_index + k * index_size, index_size);
        if (i >= a.count) return broken(place, "a sparse accessor names an element that does not exist");
        for (int c = 0; c < std::min(components, a.components); ++c)
            out[size_t(i) * size_t(components) + size_t(c)] =
                number_at(what->data() + first_value + k * element + size_t(c) * size, a.component, a.normalized);
    }
    return Done{};
}

Status GltfFile::indices(int index, std::vector<uint32_t>& out, const std::string& place) const {
    Result<Accessor> a = accessor(index, place);
    if (!a) return a.error();
    const size_t size = size_of(a->component);
    if (a->components != 1 || a->bytes.empty()) return broken(place, "the indices have an unknown form");
    if (Status s = spend(a->count * sizeof(uint32_t), place); !s) return s;
    out.resize(a->count);
    for (size_t i = 0; i < a->count; ++i) {
        uint32_t v = 0;
        std::memcpy(&v, a->bytes.data() + i * a->stride, size);
        out[i] = v;
    }
    return Done{};
}

}  // namespace vemtra::geometry
