#include "texture/map_probe.h"

#include <OpenImageIO/imageio.h>

#include <cmath>

namespace vemtra::texture {
namespace {

/// What the texels add up to, strip by strip.
class MapProbe {
public:
    MapProbe(OIIO::ImageInput& in, const fs::path& file) : in_(in), file_(file) {}

    Result<MapFacts> look(int largest_edge, Progress* progress) {
        if (!choose_level(largest_edge)) return broken(in_.geterror());
        const int rows = spec_.tile_height ? std::min(spec_.tile_height, spec_.height) : 64;
        std::vector<float> strip;
        for (int y = 0; y < spec_.height; y += rows) {
            if (stopped(progress)) return Error{"A map was not looked at", file_.string(), "", "it was stopped", ""};
            const int count = std::min(rows, spec_.height - y);
            if (!read(y, count, strip)) return broken("the file is cut off or damaged: " + in_.geterror());
            for (int k = 0; k < count; ++k) add_row(&strip[size_t(k) * row_]);
            report(progress, float(y + count) / float(spec_.height));
        }
        return facts();
    }

private:
    Error broken(const std::string& why) const {
        return {"A texture map cannot be read", file_.string(), "", plain_reason(why),
                "Export it again, or choose another one"};
    }

    bool choose_level(int largest_edge) {
        spec_ = in_.spec();
        while (largest_edge > 0 && std::max(spec_.width, spec_.height) > largest_edge &&
               in_.seek_subimage(0, level_ + 1)) {
            ++level_;
            spec_ = in_.spec();
        }
        channels_ = std::min(4, spec_.nchannels);
        row_ = size_t(spec_.width) * size_t(channels_);
        slopes_.resize(2 * size_t(spec_.width));
        return in_.seek_subimage(0, level_);
    }

    bool read(int y, int count, std::vector<float>& strip) {
        strip.resize(row_ * size_t(count));
        const int y0 = spec_.y + y;
        const int y1 = y0 + count;
        return spec_.tile_width
                   ? in_.read_tiles(0, level_, spec_.x, spec_.x + spec_.width, y0, y1, 0, 1, 0, channels_,
                                    OIIO::TypeDesc::FLOAT, strip.data())
                   : in_.read_scanlines(0, level_, y0, y1, 0, 0, channels_, OIIO::TypeDesc::FLOAT, strip.data());
    }

    void add_row(const float* texels) {
        for (int c = 0; c < channels_; ++c) add_channel(texels, c);
        if (channels_ < 3) return;
        read_as_normals(texels);
        if (!last_slopes_.empty()) compare_slopes();
        last_slopes_ = slopes_;
    }

    void add_channel(const float* texels, int c) {
        Sum& s = sums_[size_t(c)];
        double sum = 0;
        double squares = 0;
        for (int x = 0; x < spec_.width; ++x) {
            const float v = texels[size_t(x) * size_t(channels_) + size_t(c)];
            if (!std::isfinite(v)) continue;
            s.low = std::min(s.low, v);
            s.high = std::max(s.high, v);
            sum += double(v);
            squares += double(v) * double(v);
            s.at_zero += v <= 0.f;
            s.at_one += v >= 1.f;
        }
        s.sum += sum;
        s.squares += squares;
    }

    void read_as_normals(const float* texels) {
        for (int x = 0; x < spec_.width; ++x) {
            const float* v = texels + size_t(x) * size_t(channels_);
            spread_ = std::max(spread_, double(std::max({std::fabs(v[0] - v[1]), std::fabs(v[1] - v[2])})));
            const float a = 2.f * v[0] - 1.f;
            const float b = 2.f * v[1] - 1.f;
            const float c = 2.f * v[2] - 1.f;
            length_ += double(std::sqrt(a * a + b * b + c * c));
            const float z = std::max(.05f, c);
            slopes_[2 * size_t(x)] = -a / z;
            slopes_[2 * size_t(x) + 1] = -b / z;
            tilt_ += double(std::hypot(a, b));
            ++normals_;
        }
    }

    /// How the slope in u changes along v, against how the slope in v changes along u.
    void compare_slopes() {
        for (int x = 0; x + 1 < spec_.width; ++x) {
            // v grows upwards, rows downwards.
            const double across = double(last_slopes_[2 * size_t(x)] - slopes_[2 * size_t(x)]);
            const double up = double(slopes_[2 * size_t(x) + 3] - slopes_[2 * size_t(x) + 1]);
            same_ += across * up;
            left_ += across * across;
            right_ += up * up;
        }
    }

    MapFacts facts() const {
        MapFacts f;
        f.constant = true;
        const double texels = double(spec_.width) * double(spec_.height);
        const float code = spec_.format.basetype == OIIO::TypeDesc::UINT8    ? 1.f / 255.f
                           : spec_.format.basetype == OIIO::TypeDesc::UINT16 ? 1.f / 65535.f
                                                                             : 1e-4f;
        for (int c = 0; c < channels_; ++c) {
            Sum s = sums_[size_t(c)];
            if (!(s.low <= s.high)) s = {0, 0, 0.f, 0.f, 0, 0};  // not one texel is a number
            const double mean = s.sum / texels;
            f.channels.push_back({s.low, s.high, float(mean),
                                  float(std::sqrt(std::max(0., s.squares / texels - mean * mean))),
                                  float(s.at_zero / texels), float(s.at_one / texels)});
            if (c == spec_.alpha_channel)
                f.alpha_all_one = s.low >= 1.f - code;
            else
                f.constant &= s.high - s.low <= 1.5f * code;
        }
        f.grey = channels_ < 3 || spread_ <= 2.5 * double(code);
        if (normals_ > 0) {
            f.normal_length = float(length_ / double(normals_));
            f.normal_tilt = float(tilt_ / double(normals_));
            f.green_up = left_ > 1e-9 && right_ > 1e-9 ? float(same_ / std::sqrt(left_ * right_)) : 0.f;
        }
        return f;
    }

    struct Sum {
        double sum = 0, squares = 0;
        float low = INFINITY, high = -INFINITY;
        double at_zero = 0, at_one = 0;
    };
    OIIO::ImageInput& in_;
    const fs::path& file_;
    OIIO::ImageSpec spec_;
    int level_ = 0, channels_ = 0;
    size_t row_ = 0;  // numbers
    std::array<Sum, 4> sums_;
    double spread_ = 0, length_ = 0, tilt_ = 0, same_ = 0, left_ = 0, right_ = 0;
    int64_t normals_ = 0;
    std::vector<float> last_slopes_, slopes_;  // of a row, in u and v
};

}  // namespace

Result<MapFacts> probe_map(const fs::path& file, Progress* progress, int largest_edge) {
    const auto header = read_header(file);
    if (!header) return header.error();
    return guarded(file, [&]() -> Result<MapFacts> {
        OIIO::ImageSpec config;
        config.attribute("oiio:UnassociatedAlpha", 1);
        auto in = OIIO::ImageInput::open(file.string(), &config);
        if (!in) return refused_map(file, plain_reason(OIIO::geterror()));
        in->threads(1);
        return MapProbe(*in, file).look(largest_edge, progress);
    });
}

}  // namespace vemtra::texture
