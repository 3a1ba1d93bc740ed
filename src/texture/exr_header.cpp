#include "texture/exr_header.h"

#include <algorithm>
#include <cstring>
#include <fstream>
#include <map>

namespace vemtra::texture {
namespace {

constexpr uint32_t magic = 0x01312f76, multipart = 0x1000;
constexpr int most_attributes = 4096, longest_name = 255;
constexpr double deflated = 1100.;  // the most that a byte holds (RFC 1951: 1032)

class ExrHeader {
public:
    explicit ExrHeader(const fs::path& file) : in_(file, std::ios::binary) {
        std::error_code ec;
        const auto size = fs::file_size(file, ec);
        length_ = ec ? 0 : int64_t(size);
    }
    std::string complaint() {
        uint32_t first = 0;
        uint32_t version = 0;
        if (!number(first) || first != magic || !number(version)) return {};
        const bool several = (version & multipart) != 0;
        int64_t chunks = 0;
        for (int part = 0; part < most_attributes; ++part) {
            bool any = false;
            if (!one_part(any)) return why_;
            if (tiles_too_large()) return "its tiles are far larger than its picture: it is damaged";
            if (any) chunks += least_chunks();
            if (chunks > length_ / 8) return "its table of chunks is longer than the file";
            if (lines_too_long()) return "its lines are longer than a file of its size can hold: it is damaged";
            if (!several || !any) return {};
        }
        return "it has more parts than any picture";
    }

private:
    /// Attributes up to the empty name; `any`: there is one.
    bool one_part(bool& any) {
        window_[0] = window_[1] = 0;
        window_[2] = window_[3] = -1;
        tile_[0] = tile_[1] = 0;
        compression_ = 0;
        bytes_ = 0;
        deep_ = false;
        for (int k = 0; k < most_attributes; ++k) {
            std::string name;
            if (!word(name)) return false;
            if (name.empty()) return true;
            any = true;
            std::string type;
            int32_t size = 0;
            if (!word(type) || !number(size)) return damaged();
            const int64_t end = int64_t(in_.tellg()) + size;
            if (size < 0 || end > length_) return damaged();
            if (!attribute(name, type, size, end)) return damaged();
            in_.seekg(end);
        }
        return damaged();
    }
    /// The library reads some kinds by what is in them, whatever size they claim: where the two differ it goes on
    /// reading elsewhere than this does.
    static bool fits(const std::string& type, int64_t size) {
        static const std::map<std::string, int64_t> fixed{{"int", 4},
                                                          {"float", 4},
                                                          {"double", 8},
                                                          {"box2i", 16},
                                                          {"box2f", 16},
                                                          {"v2i", 8},
                                                          {"v2f", 8},
                                                          {"v2d", 16},
                                                          {"v3i", 12},
                                                          {"v3f", 12},
                                                          {"v3d", 24},
                                                          {"m33f", 36},
                                                          {"m33d", 72},
                                                          {"m44f", 64},
                                                          {"m44d", 128},
                                                          {"envmap", 1},
                                                          {"compression", 1},
                                                          {"lineOrder", 1},
                                                          {"keycode", 28},
                                                          {"timecode", 8},
                                                          {"rational", 8},
                                                          {"tiledesc", 9},
                                                          {"chromaticities", 32},
                                                          {"deepImageState", 1}};
        const auto it = fixed.find(type);
        return it == fixed.end() ? type != "floatvector" || size % 4 == 0 : size == it->second;
    }
    bool attribute(const std::string& name, const std::string& type, int64_t size, int64_t end) {
        if (!fits(type, size)) return false;
        if (name == "dataWindow" && size == 16) return number(window_);
        if (name == "compression" && size == 1) return number(compression_);
        if (name == "tiles" && size == 9) return number(tile_);
        if (name == "channels" || type == "chlist") return channels(end);
        if (name == "type") {
            std::string kind(size_t(std::min<int64_t>(size, longest_name)), ' ');
            in_.read(kind.data(), std::streamsize(kind.size()));
            deep_ = kind.starts_with("deep");
        }
        if (type == "preview") {
            uint32_t edges[2];
            return size >= 8 && number(edges) && double(edges[0]) * double(edges[1]) * 4. == double(size - 8);
        }
        if (type == "stringvector")
            while (int64_t(in_.tellg()) < end) {
                int32_t length = 0;
                if (!number(length) || length < 0 || int64_t(in_.tellg()) + length > end) return false;
                in_.seekg(length, std::ios::cur);
            }
        if (type == "idmanifest") {
            uint32_t unpacked = 0;
            return size >= 4 && number(unpacked) && double(unpacked) <= deflated * double(size);
        }
        return true;
    }
    /// The list ends with an empty name, and with the attribute.
    bool channels(int64_t end) {
        while (int64_t(in_.tellg()) < end) {
            std::string name;
            int32_t rest[4];  // form, linear or not, sampling
            if (!word(name)) return false;
            if (name.empty()) return int64_t(in_.tellg()) == end;
            if (!number(rest)) return false;
            const double sampled = std::max(1., double(rest[2])) * std::max(1., double(rest[3]));
            bytes_ += (rest[0] == 1 ? 2. : 4.) / sampled;
        }
        return false;
    }
    /// The library takes memory for whole chunks of lines, which no file of that length can hold.
    bool lines_too_long() const {
        if (tile_[0] > 0 || deep_) return false;
        constexpr double always_good = 1 << 26;  // bytes
        const double width = std::max(0., double(window_[2]) - window_[0] + 1);
        const double height = std::max(0., double(window_[3]) - window_[1] + 1);
        const double most = compression_ >= 8 ? 64. * deflated : deflated;  // cosines of 8 x 8 texels, deflated
        return width * height * bytes_ > std::max(always_good, most * double(length_));
    }
    /// The library takes memory for whole tiles, whatever there is of them.
    bool tiles_too_large() const {
        constexpr double always_good = 1 << 22;  // texels
        const double picture =
            std::max(0., double(window_[2]) - window_[0] + 1) * std::max(0., double(window_[3]) - window_[1] + 1);
        return double(tile_[0]) * double(tile_[1]) > std::max(always_good, 4. * picture);
    }
    /// Entries of the table that the window asks for, by lines or by tiles of the finest level.
    int64_t least_chunks() const {
        const int64_t width = int64_t(window_[2]) - window_[0] + 1;
        const int64_t height = int64_t(window_[3]) - window_[1] + 1;
        if (width < 1 || height < 1) return 0;
        if (tile_[0] > 0 && tile_[1] > 0) {
            const int64_t across = (width + tile_[0] - 1) / tile_[0];
            const int64_t down = (height + tile_[1] - 1) / tile_[1];
            return std::min(across, int64_t(1) << 40) * std::min(down, int64_t(1) << 20);
        }
        static constexpr int lines[] = {1, 1, 1, 16, 32, 16, 32, 32, 32, 256};  // of a chunk, by compression
        const int of_chunk = compression_ < std::size(lines) ? lines[compression_] : 256;
        return (height + of_chunk - 1) / of_chunk;
    }
    template <class T> bool number(T& out) { return bool(in_.read(reinterpret_cast<char*>(&out), sizeof out)); }
    bool word(std::string& out) {
        out.clear();
        for (char c = 0; in_.get(c);) {
            if (c == 0) return true;
            out += c;
            if (out.size() > longest_name) break;
        }
        return damaged();
    }
    bool damaged() {
        why_ = "its header claims more than the file holds: it is cut off or damaged";
        return false;
    }

    std::ifstream in_;
    int64_t length_ = 0;
    std::string why_;
    int32_t window_[4] = {0, 0, -1, -1};
    uint32_t tile_[2] = {0, 0};
    uint8_t compression_ = 0;
    double bytes_ = 0;  ///< of a texel
    bool deep_ = false;
};

}  // namespace

std::string exr_claims_too_much(const fs::path& file) {
    return ExrHeader(file).complaint();
}

}  // namespace vemtra::texture
