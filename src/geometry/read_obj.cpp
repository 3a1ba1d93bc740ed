// Wavefront OBJ, read in one pass, a piece in memory at a time: the libraries' readers take several times the memory
// that ten million triangles may cost here (docs/decisions/0005). Polygons become fans; o and g start a part; vertex
// colours behind the position are kept.

#include <charconv>
#include <cstring>
#include <map>
#include <tuple>

#include "geometry/import.h"

namespace vemtra::geometry {
namespace {

void skip_blanks(const char*& p, const char* end) {
    while (p < end && (*p == ' ' || *p == '\t' || *p == '\r')) ++p;
}

int read_floats(const char* p, const char* end, float* out, int most) {
    int n = 0;
    while (n < most) {
        skip_blanks(p, end);
        if (p < end && *p == '+') ++p;
        const auto [next, error] = std::from_chars(p, end, out[n]);
        if (next == p) break;
        if (error == std::errc::result_out_of_range) out[n] = 0.f;
        p = next;
        ++n;
    }
    return n;
}

struct Corner {
    int64_t v = 0, t = 0, n = 0;
};  // as written: 1-based or negative, 0 = absent

class Builder {
public:
    std::vector<V3f> positions, normals, colors;
    std::vector<V2f> uvs;
    std::vector<RawPart> parts;
    size_t bad_corners = 0;

    void start(const std::string& name) {
        if (!parts.empty() && parts.back().indices.empty()) {
            parts.back().name = name;
            return;
        }
        if (!parts.empty()) close();
        parts.emplace_back();
        parts.back().name = name;
        any_uv_ = any_normal_ = any_plain_ = false;
    }
    /// Returns UINT32_MAX for a corner without a valid position.
    uint32_t vertex(const Corner& c) {
        const int64_t v = resolve(c.v, positions.size());
        const int64_t t = resolve(c.t, uvs.size());
        const int64_t n = resolve(c.n, normals.size());
        if (v < 0) return UINT32_MAX;
        if (head_.size() < positions.size()) head_.resize(positions.size(), UINT32_MAX);
        int links = 0;
        for (uint32_t i = head_[size_t(v)]; i != UINT32_MAX; i = chain_[i].next, ++links)
            if (chain_[i].t == int32_t(t) && chain_[i].n == int32_t(n)) return i;
        const bool crowded = links >= most_links;
        if (crowded)
            if (const auto it = crowd_.find({v, t, n}); it != crowd_.end()) return it->second;
        RawPart& part = parts.back();
        const uint32_t made = uint32_t(part.positions.size());
        part.positions.push_back(positions[size_t(v)]);
        part.uvs.push_back(t < 0 ? V2f(0.f) : uvs[size_t(t)]);
        part.normals.push_back(n < 0 ? V3f(0.f) : normals[size_t(n)]);
        if (!colors.empty()) part.colors.push_back(size_t(v) < colors.size() ? colors[size_t(v)] : V3f(1.f));
        (t < 0 ? any_plain_ : any_uv_) = true;
        any_normal_ |= n >= 0;
        chain_.push_back({int32_t(t), int32_t(n), head_[size_t(v)]});
        if (crowded) {
            crowd_.emplace(std::tuple(v, t, n), made);
        } else {
            touched_.push_back(uint32_t(v));
            head_[size_t(v)] = made;
        }
        return made;
    }
    void close() {
        if (parts.empty()) return;
        if (!any_uv_) std::vector<V2f>().swap(parts.back().uvs);
        if (!any_normal_) std::vector<V3f>().swap(parts.back().normals);
        for (uint32_t v : touched_) head_[v] = UINT32_MAX;
        touched_.clear();
        chain_.clear();
        crowd_.clear();
    }

private:
    static int64_t resolve(int64_t i, size_t count) {
        if (i > 0 && i <= int64_t(count)) return i - 1;
        if (i < 0 && -i <= int64_t(count)) return int64_t(count) + i;
        return -1;
    }
    struct Link {
        int32_t t, n;
        uint32_t next;
    };
    std::vector<uint32_t> head_, touched_;
    static constexpr int most_links = 32;  // of one position; what comes after stands in the crowd
    std::vector<Link> chain_;
    std::map<std::tuple<int64_t, int64_t, int64_t>, uint32_t> crowd_;
    bool any_uv_ = false, any_normal_ = false, any_plain_ = false;
};

// "v", "v/t", "v//n" or "v/t/n"
bool read_corner(const char*& p, const char* end, Corner& c) {
    skip_blanks(p, end);
    int64_t* fields[] = {&c.v, &c.t, &c.n};
    for (int f = 0; f < 3; ++f) {
        const auto [next, error] = std::from_chars(p, end, *fields[f]);
        if (next == p && f == 0) return false;
        p = next;
        if (p >= end || *p != '/') break;
        ++p;
    }
    return true;
}

class ObjReader {
public:
    ObjReader(const ImportSource& source, Progress* progress) : source_(source), progress_(progress) {
        b_.start(fs::path(source.file).stem().string());
    }

    RawParts read(std::vector<Error>& warnings) {
        std::string_view text;
        while (source_.bytes.line(text)) {
            if ((++line_ & 0xffff) == 0) {
                if (stopped(progress_)) return Error{"Import stopped", source_.file, "", "it was asked to stop", ""};
                report(progress_, .8f * float(double(source_.bytes.position()) / double(source_.bytes.size() + 1)));
            }
            read_line(text.data(), text.data() + text.size());
        }
        b_.close();
        if (bad_faces_)
            warnings.push_back(
                {"Left out while importing", source_.file, "line " + std::to_string(first_bad_),
                 "faces that name vertices which do not exist, or too few: " + std::to_string(bad_faces_),
                 "Export the mesh again"});
        if (bad_lines_)
            warnings.push_back({"Not readable", source_.file, "line " + std::to_string(first_bad_),
                                "lines with too few numbers: " + std::to_string(bad_lines_),
                                "The file may be cut off: export it again"});
        return std::move(b_.parts);
    }

private:
    void read_line(const char* p, const char* end) {
        skip_blanks(p, end);
        if (end - p < 2) return;
        auto word = [&](std::string_view name) {  // and a blank behind it
            const size_t n = name.size();
            return size_t(end - p) > n && std::string_view(p, n) == name && (p[n] == ' ' || p[n] == '\t');
        };
        if (word("v"))
            read_position(p + 1, end);
        else if (word("vt"))
            read_uv(p + 2, end);
        else if (word("vn"))
            read_normal(p + 2, end);
        else if (word("f"))
            read_face(p + 1, end);
        else if (word("o") || word("g"))
            read_name(p + 1, end);
    }
    void bad_line() {
        if (!bad_lines_++ && !first_bad_) first_bad_ = line_;
    }
    void read_position(const char* p, const char* end) {
        float v[6];
        const int n = read_floats(p, end, v, 6);
        if (n < 3) {
            bad_line();
            v[0] = v[1] = v[2] = NAN;  // keeps the numbering of the vertices
        }
        b_.positions.emplace_back(v[0], v[1], v[2]);
        if (n < 6) return;
        b_.colors.resize(b_.positions.size() - 1, V3f(1.f));
        b_.colors.emplace_back(srgb_to_linear(clamp01(v[3])), srgb_to_linear(clamp01(v[4])),
                               srgb_to_linear(clamp01(v[5])));
    }
    void read_uv(const char* p, const char* end) {
        float v[2] = {};
        if (read_floats(p, end, v, 2) < 1) bad_line();
        b_.uvs.emplace_back(v[0], v[1]);
    }
    void read_normal(const char* p, const char* end) {
        float v[3];
        const bool good = read_floats(p, end, v, 3) == 3;
        if (!good) bad_line();
        b_.normals.push_back(good ? V3f(v[0], v[1], v[2]) : V3f(0.f));
    }
    void read_face(const char* p, const char* end) {
        polygon_.clear();
        bool good = true;
        for (Corner c; p < end && read_corner(p, end, c); c = {}) {
            const uint32_t i = b_.vertex(c);
            good &= i != UINT32_MAX;
            polygon_.push_back(i);
        }
        if (!good || polygon_.size() < 3) {
            ++bad_faces_;
            if (!first_bad_) first_bad_ = line_;
            return;
        }
        b_.parts.back().add_polygon(polygon_);
    }
    void read_name(const char* from, const char* to) {
        skip_blanks(from, to);
        while (to > from && (to[-1] == '\r' || to[-1] == ' ')) --to;
        b_.start(std::string(from, to));
    }

    const ImportSource& source_;
    Progress* progress_;
    Builder b_;
    std::vector<uint32_t> polygon_;
    size_t line_ = 0, bad_lines_ = 0, first_bad_ = 0, bad_faces_ = 0;
};

}  // namespace

RawParts read_obj(const ImportSource& source, std::vector<Error>& warnings, Progress* progress) {
    return ObjReader(source, progress).read(warnings);
}

}  // namespace vemtra::geometry
