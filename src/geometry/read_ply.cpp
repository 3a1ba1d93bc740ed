// Stanford PLY, ascii and both binary orders. Counts of the header and of lists are held against the bytes that are
// left before anything is reserved.
#include <charconv>
#include <cstring>
#include <sstream>

#include "geometry/import.h"
#include "nodes/resources.h"

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

enum class Format { ascii, little_endian, big_endian, unknown };

struct Header {
    Format format = Format::unknown;
    std::vector<Element> elements;
};

constexpr size_t most_header_properties = 64, longest_number = 400;  // of one element; characters

/// The numbers behind the header.
class Body {
public:
    Body(ByteStream& bytes, Format format) : bytes_(bytes), format_(format) {}
    size_t left() const { return bytes_.left(); }

    bool take(Number type, double& value) {
        if (format_ == Format::ascii) return take_text(value);
        const size_t size = number_size[size_t(type)];
        const char* at = bytes_.take(size);
        if (!at) return false;
        char raw[8];
        for (size_t i = 0; i < size; ++i) raw[i] = at[format_ == Format::big_endian ? size - 1 - i : i];
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
    /// How many items a list has; false where that is no number that the file could hold.
    bool take_count(Number type, size_t& count) {
        double v = 0;
        if (!take(type, v) || !(v >= 0) || v > double(left()) || v != std::floor(v)) return false;
        count = size_t(v);
        return true;
    }

private:
    bool take_text(double& value) {
        std::string_view text = bytes_.look(longest_number);
        size_t blank = 0;
        while (blank < text.size() && std::isspace(static_cast<unsigned char>(text[blank])))
            if (++blank == text.size()) {
                bytes_.skip(blank);
                text = bytes_.look(longest_number);
                blank = 0;
            }
        bytes_.skip(blank);
        text = bytes_.look(longest_number);
        const char* end = text.data() + text.size();
        const auto [next, error] = std::from_chars(text.data(), end, value);
        if (next == text.data()) return false;  // "nan" and the like are numbers here; import drops what they spoil
        if (error == std::errc::result_out_of_range) value = NAN;
        bytes_.skip(size_t(next - text.data()));
        return true;
    }
    ByteStream& bytes_;
    Format format_;
};

/// What a property of a vertex is for.
enum Slot : int { x, y, z, nx, ny, nz, u, v, red, green, blue, slots };

int slot_of(const std::string& property) {
    static constexpr std::pair<const char*, Slot> names[] = {
        {"x", x},     {"y", y},   {"z", z},         {"nx", nx},   {"ny", ny},     {"nz", nz},
        {"u", u},     {"s", u},   {"texture_u", u}, {"v", v},     {"t", v},       {"texture_v", v},
        {"red", red}, {"r", red}, {"green", green}, {"g", green}, {"blue", blue}, {"b", blue}};
    for (const auto& [name, slot] : names)
        if (property == name) return slot;
    return -1;
}

class PlyReader {
public:
    PlyReader(const ImportSource& source, Progress* progress) : source_(source), progress_(progress) {}

    RawParts read() {
        if (Status s = read_header(); !s) return s.error();
        Body body(source_.bytes, header_.format);
        std::vector<RawPart> parts(1);
        parts[0].name = fs::path(source_.file).stem().string();
        for (const Element& e : header_.elements)
            if (Status s = read_element(e, body, parts[0]); !s) return s.error();
        return parts;
    }

private:
    Error broken(const std::string& place, const std::string& why) const {
        return {"Not a readable PLY", source_.file, place, why, "Export the mesh again"};
    }

    Status read_header() {
        std::string_view line;
        if (!source_.bytes.line(line) || line.substr(0, 3) != "ply")
            return broken("line 1", "it does not begin with 'ply'");
        for (int number = 2; source_.bytes.line(line); ++number) {
            if (line.substr(0, 10) == "end_header")
                return header_.format == Format::unknown ? Status(broken("header", "the format is not known")) : Done{};
            if (Status s = read_header_line(std::string(line.substr(0, 1000)), number); !s) return s;
        }
        return broken("header", "it has no end");
    }

    Status read_header_line(const std::string& text, int number) {
        const std::string place = "line " + std::to_string(number);
        std::istringstream words(text);
        std::string first;
        std::string a;
        std::string b;
        std::string c;
        std::string d;
        words >> first >> a >> b >> c >> d;
        if (first == "format")
            header_.format = a == "ascii"                  ? Format::ascii
                             : a == "binary_little_endian" ? Format::little_endian
                             : a == "binary_big_endian"    ? Format::big_endian
                                                           : Format::unknown;
        if (first == "element") {
            size_t count = 0;
            if (std::from_chars(b.data(), b.data() + b.size(), count).ec != std::errc())
                return broken(place, "the count is not a number");
            header_.elements.push_back({a, count, {}});
        }
        if (first == "property") {
            if (header_.elements.empty()) return broken(place, "a property stands before any element");
            Property p =
                a == "list" ? Property{d, number_of(c), number_of(b)} : Property{b, number_of(a), Number::none};
            if (p.type == Number::none || (a == "list" && p.count == Number::none))
                return broken(place, "the type is not known");
            header_.elements.back().properties.push_back(p);
            if (header_.elements.back().properties.size() > most_header_properties)
                return broken(place,
                              "the element has more than " + std::to_string(most_header_properties) + " properties");
        }
        return Done{};
    }

    Status read_element(const Element& e, Body& body, RawPart& part) {
        if (e.properties.empty()) return Done{};  // it takes no bytes, however many there are
        // An element takes a byte at least: a count that lies is caught before memory is taken.
        if (e.count > body.left())
            return broken("element " + e.name, "the header promises " + std::to_string(e.count) +
                                                   " of them, but only " + std::to_string(body.left()) +
                                                   " bytes are left: the file is cut off");
        Rows rows;
        rows.vertex = e.name == "vertex";
        rows.face = e.name == "face";
        for (const Property& p : e.properties) {
            const int slot = rows.vertex && p.count == Number::none ? slot_of(p.name) : -1;
            rows.slot.push_back(slot);
            rows.own.push_back(-1);
            if (rows.vertex && slot < 0 && p.count == Number::none && part.more_uvs.size() < most_properties) {
                rows.own.back() = int(part.more_uvs.size());
                part.more_uvs.push_back({nodes::property_set(p.name, 0), {}});
                part.more_uvs.back().uvs.reserve(e.count);
            }
            if (slot >= 0) rows.has[slot] = true;
            if (slot >= red && p.type != Number::u8) rows.byte_colour = false;
        }
        if (rows.vertex) part.positions.reserve(e.count);
        for (size_t i = 0; i < e.count; ++i) {
            if ((i & 0xffff) == 0) {
                if (stopped(progress_)) return Error{"Import stopped", source_.file, "", "it was asked to stop", ""};
                report(progress_, .8f * float(1.0 - double(body.left()) / double(source_.bytes.size() + 1)));
            }
            if (!read_row(e, rows, body, part))
                return broken(e.name + " " + std::to_string(i),
                              "the data ends or is not a number there; " + std::to_string(e.count) + " were promised");
        }
        return Done{};
    }

    struct Rows {
        bool vertex = false, face = false, byte_colour = true;
        bool has[slots] = {};
        std::vector<int> slot;  ///< per property; -1: it has no meaning of its own
        std::vector<int> own;   ///< of such: its place among the sets of numbers that travel by name; -1: not wanted
        std::vector<double> list;
    };

    static bool read_row(const Element& e, Rows& rows, Body& body, RawPart& part) {
        double value[slots] = {};
        for (size_t k = 0; k < e.properties.size(); ++k) {
            const Property& p = e.properties[k];
            if (p.count == Number::none) {
                double number = 0;
                if (!body.take(p.type, number)) return false;
                if (rows.slot[k] >= 0) value[rows.slot[k]] = number;
                if (rows.own[k] >= 0) part.more_uvs[size_t(rows.own[k])].uvs.emplace_back(float(number), 0.f);
                continue;
            }
            size_t count = 0;
            if (!body.take_count(p.count, count)) return false;
            rows.list.clear();
            for (double number = 0; rows.list.size() < count; rows.list.push_back(number))
                if (!body.take(p.type, number)) return false;
            if (rows.face && p.name.find("ind") != std::string::npos) add_face(rows.list, part);
        }
        if (rows.vertex) add_vertex(value, rows, part);
        return true;
    }

    static void add_face(const std::vector<double>& corners, RawPart& part) {
        if (corners.size() < 3) return;
        std::vector<uint32_t> indices;
        for (const double c : corners) indices.push_back(c >= 0 && c < 4294967295.0 ? uint32_t(c) : UINT32_MAX);
        part.add_polygon(indices);
    }

    static void add_vertex(const double* value, const Rows& rows, RawPart& part) {
        auto triple = [&](int first) {
            return V3f(float(value[first]), float(value[first + 1]), float(value[first + 2]));
        };
        part.positions.push_back(triple(x));
        if (rows.has[nx]) part.normals.push_back(triple(nx));
        if (rows.has[u]) part.uvs.emplace_back(float(value[u]), float(value[v]));
        if (!rows.has[red]) return;
        V3f c = triple(red);
        if (rows.byte_colour)
            for (int k = 0; k < 3; ++k) c[k] = srgb_to_linear(c[k] / 255.f);
        part.colors.push_back(c);
    }

    const ImportSource& source_;
    Progress* progress_;
    Header header_;
};

}  // namespace

RawParts read_ply(const ImportSource& source, std::vector<Error>&, Progress* progress) {
    return PlyReader(source, progress).read();
}

}  // namespace vemtra::geometry
