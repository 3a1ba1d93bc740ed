// Wavefront OBJ, read in one pass over the mapped file: the libraries' readers take several times the memory that ten
// million triangles may cost here (docs/decisions/0005). Polygons become fans; o and g start a part; vertex colours
// behind the position are kept.
#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <charconv>
#include <cstring>

#include "base/file.h"
#include "geometry/import.h"

namespace vemtra::geometry {
namespace {

class MappedFile {
public:
    explicit MappedFile(const std::string& path) {
        const int fd = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
        if (fd < 0) return;
        struct stat info;
        if (::fstat(fd, &info) == 0 && S_ISREG(info.st_mode)) {
            size_ = size_t(info.st_size);
            ok_ = true;
            if (size_) {
                data_ = static_cast<const char*>(::mmap(nullptr, size_, PROT_READ, MAP_PRIVATE, fd, 0));
                if (data_ == MAP_FAILED)
                    data_ = nullptr, ok_ = false;
                else
                    ::madvise(const_cast<char*>(data_), size_, MADV_SEQUENTIAL);
            }
        }
        ::close(fd);
    }
    ~MappedFile() {
        if (data_) ::munmap(const_cast<char*>(data_), size_);
    }
    MappedFile(const MappedFile&) = delete;
    MappedFile& operator=(const MappedFile&) = delete;
    bool ok() const { return ok_; }
    const char* begin() const { return data_; }
    const char* end() const { return data_ + size_; }
    size_t size() const { return size_; }
    /// Gives back the pages before `p`, so that a large file is not held in memory whole.
    void done_until(const char* p) {
        const size_t bytes = size_t(p - data_) & ~size_t(0xfffff);
        if (bytes > released_)
            ::madvise(const_cast<char*>(data_) + released_, bytes - released_, MADV_DONTNEED), released_ = bytes;
    }

private:
    const char* data_ = nullptr;
    size_t size_ = 0, released_ = 0;
    bool ok_ = false;
};

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
        const int64_t v = resolve(c.v, positions.size()), t = resolve(c.t, uvs.size()),
                      n = resolve(c.n, normals.size());
        if (v < 0) return UINT32_MAX;
        if (head_.size() < positions.size()) head_.resize(positions.size(), UINT32_MAX);
        for (uint32_t i = head_[size_t(v)]; i != UINT32_MAX; i = chain_[i].next)
            if (chain_[i].t == int32_t(t) && chain_[i].n == int32_t(n)) return i;
        RawPart& part = parts.back();
        const uint32_t made = uint32_t(part.positions.size());
        part.positions.push_back(positions[size_t(v)]);
        part.uvs.push_back(t < 0 ? V2f(0.f) : uvs[size_t(t)]);
        part.normals.push_back(n < 0 ? V3f(0.f) : normals[size_t(n)]);
        if (!colors.empty()) part.colors.push_back(size_t(v) < colors.size() ? colors[size_t(v)] : V3f(1.f));
        (t < 0 ? any_plain_ : any_uv_) = true;
        any_normal_ |= n >= 0;
        chain_.push_back({int32_t(t), int32_t(n), head_[size_t(v)]});
        touched_.push_back(uint32_t(v));
        head_[size_t(v)] = made;
        return made;
    }
    void close() {
        if (parts.empty()) return;
        if (!any_uv_) std::vector<V2f>().swap(parts.back().uvs);
        if (!any_normal_) std::vector<V3f>().swap(parts.back().normals);
        for (uint32_t v : touched_) head_[v] = UINT32_MAX;
        touched_.clear();
        chain_.clear();
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
    std::vector<Link> chain_;
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

}  // namespace

Result<std::vector<RawPart>> read_obj(const std::string& file, std::vector<Error>& warnings, Progress* progress) {
    MappedFile mapped(file);
    if (!mapped.ok()) {
        auto r = read_file(file);
        return r ? Error{"Cannot read", file, "", "it is not a regular file", "Name a file"} : r.error();
    }
    Builder b;
    b.start(fs::path(file).stem().string());
    const char* p = mapped.begin();
    const char* const end = mapped.end();
    size_t line = 0, bad_lines = 0, first_bad = 0, bad_faces = 0;
    std::vector<uint32_t> polygon;
    while (p < end) {
        ++line;
        const char* stop = static_cast<const char*>(std::memchr(p, '\n', size_t(end - p)));
        if (!stop) stop = end;
        if ((line & 0xffff) == 0) {
            if (stopped(progress)) return Error{"Import stopped", file, "", "it was asked to stop", ""};
            report(progress, .8f * float(double(p - mapped.begin()) / double(mapped.size())));
            mapped.done_until(p);
        }
        skip_blanks(p, stop);
        const size_t left = size_t(stop - p);
        auto bad = [&] {
            if (!bad_lines++) first_bad = line;
        };
        float v[7];
        if (left > 1 && p[0] == 'v' && (p[1] == ' ' || p[1] == '\t')) {
            const int n = read_floats(p + 1, stop, v, 7);
            if (n < 3) bad(), v[0] = v[1] = v[2] = NAN;  // keeps the numbering of the vertices
            b.positions.emplace_back(v[0], v[1], v[2]);
            if (n >= 6) {
                b.colors.resize(b.positions.size() - 1, V3f(1.f));
                b.colors.emplace_back(srgb_to_linear(clamp01(v[3])), srgb_to_linear(clamp01(v[4])),
                                      srgb_to_linear(clamp01(v[5])));
            }
        } else if (left > 2 && p[0] == 'v' && p[1] == 't') {
            const int n = read_floats(p + 2, stop, v, 2);
            if (n < 1) bad();
            b.uvs.emplace_back(n > 0 ? v[0] : 0.f, n > 1 ? v[1] : 0.f);
        } else if (left > 2 && p[0] == 'v' && p[1] == 'n') {
            const bool good = read_floats(p + 2, stop, v, 3) == 3;
            if (!good) bad();
            b.normals.push_back(good ? V3f(v[0], v[1], v[2]) : V3f(0.f));
        } else if (left > 1 && p[0] == 'f' && (p[1] == ' ' || p[1] == '\t')) {
            const char* q = p + 1;
            polygon.clear();
            Corner c;
            bool good = true;
            while (q < stop && read_corner(q, stop, c)) {
                const uint32_t i = b.vertex(c);
                good &= i != UINT32_MAX;
                polygon.push_back(i);
                c = {};
            }
            if (!good || polygon.size() < 3) {
                ++bad_faces;
                if (!first_bad) first_bad = line;
            } else {
                auto& indices = b.parts.back().indices;
                for (size_t i = 2; i < polygon.size(); ++i)
                    indices.insert(indices.end(), {polygon[0], polygon[i - 1], polygon[i]});
            }
        } else if (left > 1 && (p[0] == 'o' || p[0] == 'g') && (p[1] == ' ' || p[1] == '\t')) {
            const char *from = p + 1, *to = stop;
            skip_blanks(from, to);
            while (to > from && (to[-1] == '\r' || to[-1] == ' ')) --to;
            b.start(std::string(from, to));
        }
        p = stop + 1;
    }
    b.close();
    if (bad_faces)
        warnings.push_back({"Left out while importing", file, "line " + std::to_string(first_bad),
                            std::to_string(bad_faces) + " faces name vertices that do not exist, or too few",
                            "Export the mesh again"});
    if (bad_lines)
        warnings.push_back({"Not readable", file, "line " + std::to_string(first_bad),
                            std::to_string(bad_lines) + " lines have too few numbers",
                            "The file may be cut off: export it again"});
    name_apart(b.parts);  // two groups of one name stay two parts
    return std::move(b.parts);
}

}  // namespace vemtra::geometry
