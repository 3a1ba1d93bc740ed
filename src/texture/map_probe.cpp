#include "texture/map_probe.h"

#include <OpenImageIO/imageio.h>

#include <cmath>

namespace vemtra::texture {

Result<MapFacts> probe_map(const fs::path& file, Progress* progress, int largest_edge) {
    const auto header = read_header(file);
    if (!header) return header.error();
    OIIO::ImageSpec config;
    config.attribute("oiio:UnassociatedAlpha", 1);
    auto in = OIIO::ImageInput::open(file.string(), &config);
    auto broken = [&](const std::string& why) {
        return Error{"A texture map cannot be read", file.string(), "", why, "Export it again, or choose another one"};
    };
    if (!in) return broken(OIIO::geterror());
    in->threads(1);
    OIIO::ImageSpec spec = in->spec();
    int level = 0;
    while (largest_edge > 0 && std::max(spec.width, spec.height) > largest_edge && in->seek_subimage(0, level + 1))
        ++level, spec = in->spec();
    if (!in->seek_subimage(0, level)) return broken(in->geterror());
    const int w = spec.width, h = spec.height, n = std::min(4, spec.nchannels),
              rows = spec.tile_height ? spec.tile_height : 64;
    struct Sum {
        double sum = 0, squares = 0;
        float low = INFINITY, high = -INFINITY;
    };
    std::array<Sum, 4> sums;
    double spread = 0, length = 0, tilt = 0, same = 0, left = 0, right = 0;
    int64_t normals = 0;
    const size_t row = size_t(w) * size_t(n);
    std::vector<float> strip(row * size_t(rows)), last_slopes, slopes(2 * size_t(w));
    for (int y = 0; y < h; y += rows) {
        if (stopped(progress)) return Error{"A map was not looked at", file.string(), "", "it was stopped", ""};
        const int count = std::min(rows, h - y);
        const bool whole = spec.tile_width
                               ? in->read_tiles(0, level, spec.x, spec.x + w, spec.y + y, spec.y + y + count, 0, 1, 0,
                                                n, OIIO::TypeDesc::FLOAT, strip.data())
                               : in->read_scanlines(0, level, spec.y + y, spec.y + y + count, 0, 0, n,
                                                    OIIO::TypeDesc::FLOAT, strip.data());
        if (!whole) return broken("the file is cut off or damaged: " + in->geterror());
        for (int k = 0; k < count; ++k) {
            const float* p = &strip[size_t(k) * row];
            for (int c = 0; c < n; ++c) {
                Sum& s = sums[size_t(c)];
                double sum = 0, squares = 0;
                for (int x = 0; x < w; ++x) {
                    const float v = p[size_t(x) * size_t(n) + size_t(c)];
                    if (!std::isfinite(v)) continue;
                    s.low = std::min(s.low, v);
                    s.high = std::max(s.high, v);
                    sum += double(v);
                    squares += double(v) * double(v);
                }
                s.sum += sum;
                s.squares += squares;
            }
            if (n < 3) continue;
            for (int x = 0; x < w; ++x) {
                const float* v = p + size_t(x) * size_t(n);
                spread = std::max(spread, double(std::max({std::fabs(v[0] - v[1]), std::fabs(v[1] - v[2])})));
                const float a = 2.f * v[0] - 1.f, b = 2.f * v[1] - 1.f, c = 2.f * v[2] - 1.f,
                            l = std::sqrt(a * a + b * b + c * c);
                length += double(l);
                const float z = std::max(.05f, c);
                slopes[2 * size_t(x)] = -a / z;
                slopes[2 * size_t(x) + 1] = -b / z;
                tilt += double(std::hypot(a, b));
                ++normals;
            }
            if (!last_slopes.empty())
                for (int x = 0; x + 1 < w; ++x) {
                    // v grows upwards, rows downwards.
                    const double across = double(last_slopes[2 * size_t(x)] - slopes[2 * size_t(x)]),
                                 up = double(slopes[2 * size_t(x) + 3] - slopes[2 * size_t(x) + 1]);
                    same += across * up;
                    left += across * across;
                    right += up * up;
                }
            last_slopes = slopes;
        }
        report(progress, float(y + count) / float(h));
    }
    MapFacts f;
    f.constant = true;
    const double texels = double(w) * double(h);
    const float code = spec.format.basetype == OIIO::TypeDesc::UINT8    ? 1.f / 255.f
                       : spec.format.basetype == OIIO::TypeDesc::UINT16 ? 1.f / 65535.f
                                                                        : 1e-4f;
    for (int c = 0; c < n; ++c) {
        const Sum& s = sums[size_t(c)];
        const double mean = s.sum / texels;
        f.channels.push_back(
            {s.low, s.high, float(mean), float(std::sqrt(std::max(0., s.squares / texels - mean * mean)))});
        const bool alpha = c == spec.alpha_channel;
        if (alpha)
            f.alpha_all_one = s.low >= 1.f - code;
        else
            f.constant &= s.high - s.low <= 1.5f * code;
    }
    f.grey = n < 3 || spread <= 2.5 * double(code);
    if (normals > 0) {
        f.normal_length = float(length / double(normals));
        f.normal_tilt = float(tilt / double(normals));
        f.green_up = left > 1e-9 && right > 1e-9 ? float(same / std::sqrt(left * right)) : 0.f;
    }
    return f;
}

}  // namespace vemtra::texture
