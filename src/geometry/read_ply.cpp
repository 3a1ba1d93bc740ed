// Stanford PLY, ascii and both binary orders. Element counts of the header are held against the file's size before
// anything is reserved.
#include <charconv>
#include <cstring>
#include <sstream>

#include "base/file.h"
#include "geometry/import.h"

namespace vemtra::geometry {
namespace {

enum class Number { i8, u8, i16, u16, i32, u32, f32, f64, none };
constexpr size_t number_size[] = {1, 1, 2, 2, 4, 4, 4, 8, 0};

Number number_of(const std::string& word) {
    static const char* names[][2] = {{"char", "int8"}, {"uchar", "uint8"}, {"short", "int16"},   {"ushort", "uint16"},
                                     {"int", "int32"}, {"uint", "uint32"}, {"float", "float32"}, {"double", "float64"}};
    for (int i = 0; i < 8; ++i)
        if (word == names[i][0] || word == names[i][1]) return Number(i);
    return Number::none;
}

struct Property {
    std::string name;
    Number type = Number::none, count = Number::none;
};
struct Element {
    std::string name;
    size_t count = 0;
    std::vector<Property> properties;
};

class Body {
public:
    Body(const std::string& bytes, size_t at, int format)
        : p_(bytes.data() + at), end_(bytes.data() + bytes.size()), format_(format) {}
    bool take(Number type, double& value) {
        if (format_ == 0) {
            while (p_ < end_ && std::isspace(static_cast<unsigned char>(*p_))) ++p_;
            const auto [next, error] = std::from_chars(p_, end_, value);
            if (next == p_) {  // "nan" and the like are accepted by from_chars; anything else is not a number
                return false;
            }
            p_ = next;
            return true;
        }
        const size_t size = number_size[size_t(type)];
        if (size_t(end_ - p_) < size) return false;
        char raw[8];
        for (size_t i = 0; i < size; ++i) raw[i] = p_[format_ == 2 ? size - 1 - i : i];
        p_ += size;
        auto as = [&](auto t) {
            std::memcpy(&t, raw, sizeof t);
            return double(t);
        };
        switch (type) {
            case Number::i8: value = as(int8_t{}); break;
            case Number::u8: value = as(uint8_t{}); break;
            case Number::i16: value = as(int16_t{}); break;
            case Number::u16: value = as(uint16_t{}); break;
            case Number::i32: value = as(int32_t{}); break;
            case Number::u32: value = as(uint32_t{}); break;
            case Number::f32: value = as(float{}); break;
            default: value = as(double{}); break;
        }
        return true;
    }
    size_t left() const { return size_t(end_ - p_); }

private:
    const char *p_, *end_;
    int format_;
};

}  // namespace

Result<std::vector<RawPart>> read_ply(const std::string& file, std::vector<Error>& warnings, Progress* progress) {
    (void)warnings;
    Result<std::string> bytes = read_file(file);
    if (!bytes) return bytes.error();
    auto broken = [&](const std::string& place, const std::string& why) {
        return Error{"Not a readable PLY", file, place, why, "Export the mesh again"};
    };
    if (bytes->compare(0, 3, "ply") != 0) return broken("line 1", "it does not begin with 'ply'");
    const size_t header_end = bytes->find("end_header");
    if (header_end == std::string::npos) return broken("header", "it has no end");
    std::istringstream header(bytes->substr(0, header_end));
    std::string text;
    std::vector<Element> elements;
    int format = -1;
    for (int line = 1; std::getline(header, text); ++line) {
        std::istringstream words(text);
        std::string first, a, b, c, d;
        words >> first >> a >> b >> c >> d;
        if (first == "format")
            format = a == "ascii" ? 0 : a == "binary_little_endian" ? 1 : a == "binary_big_endian" ? 2 : -1;
        if (first == "element") {
            size_t count = 0;
            if (std::from_chars(b.data(), b.data() + b.size(), count).ec != std::errc())
                return broken("line " + std::to_string(line), "the count is not a number");
            elements.push_back({a, count, {}});
        }
        if (first == "property") {
            if (elements.empty()) return broken("line " + std::to_string(line), "a property stands before any element");
            Property p =
                a == "list" ? Property{d, number_of(c), number_of(b)} : Property{b, number_of(a), Number::none};
            if (p.type == Number::none || (a == "list" && p.count == Number::none))
                return broken("line " + std::to_string(line), "the type is not known");
            elements.back().properties.push_back(p);
        }
    }
    if (format < 0) return broken("header", "the format is not known");
    size_t at = header_end + 10;
    if (at < bytes->size() && (*bytes)[at] == '\r') ++at;
    if (at < bytes->size() && (*bytes)[at] == '\n') ++at;
    Body body(*bytes, at, format);

    std::vector<RawPart> parts(1);
    RawPart& part = parts[0];
    part.name = fs::path(file).stem().string();
    for (const Element& e : elements) {
        // A file of n bytes cannot hold more than n elements, or n/2 in ascii: a count that lies is caught before
        // memory is taken.
        if (e.count > body.left())
            return broken("element " + e.name, "the header promises " + std::to_string(e.count) +
                                                   " of them, but only " + std::to_string(body.left()) +
                                                   " bytes are left: the file is cut off");
        const bool is_vertex = e.name == "vertex", is_face = e.name == "face";
        int slot_of[64];
        bool has[12] = {};
        if (e.properties.size() > 64) return broken("element " + e.name, "it has more than 64 properties");
        bool byte_color = true;
        for (size_t i = 0; i < e.properties.size(); ++i) {
            static const char* slots[][3] = {{"x"},
                                             {"y"},
                                             {"z"},
                                             {"nx"},
                                             {"ny"},
                                             {"nz"},
                                             {"u", "s", "texture_u"},
                                             {"v", "t", "texture_v"},
                                             {"red", "r"},
                                             {"green", "g"},
                                             {"blue", "b"}};
            slot_of[i] = -1;
            for (int s = 0; s < 11; ++s)
                for (const char* name : slots[s])
                    if (is_vertex && name && e.properties[i].name == name) slot_of[i] = s, has[s] = true;
            if (slot_of[i] >= 8 && e.properties[i].type != Number::u8) byte_color = false;
        }
        if (is_vertex) {
            part.positions.reserve(e.count);
            if (has[3]) part.normals.reserve(e.count);
            if (has[6]) part.uvs.reserve(e.count);
        }
        if (is_face) part.indices.reserve(3 * e.count);
        std::vector<double> list;
        for (size_t i = 0; i < e.count; ++i) {
            if ((i & 0xffff) == 0) {
                if (stopped(progress)) return Error{"Import stopped", file, "", "it was asked to stop", ""};
                report(progress, .8f * float(1.0 - double(body.left()) / double(bytes->size())));
            }
            double value[12] = {};
            for (size_t k = 0; k < e.properties.size(); ++k) {
                const Property& p = e.properties[k];
                double v = 0;
                auto cut = [&] {
                    return broken(e.name + " " + std::to_string(i), "the data ends or is not a number there; " +
                                                                        std::to_string(e.count) + " were promised");
                };
                if (p.count == Number::none) {
                    if (!body.take(p.type, v)) return cut();
                    if (slot_of[k] >= 0) value[slot_of[k]] = v;
                    continue;
                }
                if (!body.take(p.count, v)) return cut();
                if (!(v >= 0) || v > double(body.left()) || v != std::floor(v)) return cut();
                list.resize(size_t(v));
                for (double& item : list)
                    if (!body.take(p.type, item)) return cut();
                if (!is_face || p.name.find("ind") == std::string::npos) continue;
                for (size_t c = 2; c < list.size(); ++c)
                    for (size_t corner : {size_t(0), c - 1, c})
                        part.indices.push_back(list[corner] >= 0 && list[corner] < 4294967295.0 ? uint32_t(list[corner])
                                                                                                : UINT32_MAX);
            }
            if (!is_vertex) continue;
            part.positions.emplace_back(float(value[0]), float(value[1]), float(value[2]));
            if (has[3]) part.normals.emplace_back(float(value[3]), float(value[4]), float(value[5]));
            if (has[6]) part.uvs.emplace_back(float(value[6]), float(value[7]));
            if (has[8]) {
                auto decode = [&](double x) { return byte_color ? srgb_to_linear(float(x / 255.0)) : float(x); };
                part.colors.emplace_back(decode(value[8]), decode(value[9]), decode(value[10]));
            }
        }
    }
    return parts;
}

}  // namespace vemtra::geometry
