#include "texture/height_map.h"

#include <OpenImageIO/imageio.h>

#include <cmath>

#include "base/parallel.h"
#include "texture/channels.h"

namespace vemtra::texture {

HeightTile::HeightTile(int width, int height, const std::vector<float>& texels) : width_(width), height_(height) {
    constexpr float most = 1e9f;
    float lo = INFINITY;
    float hi = -INFINITY;
    auto sane = [&](float x) { return std::fabs(x) <= most ? x : 0.f; };
    for (const float t : texels) lo = std::min(lo, sane(t)), hi = std::max(hi, sane(t));
    least_ = lo;
    step_ = (hi - lo) / 65535.f;
    const float per = step_ > 0.f ? 1.f / step_ : 0.f;
    codes_.reserve(texels.size());
    for (const float t : texels)
        codes_.push_back(uint16_t(std::min(65535.f, std::max(0.f, (sane(t) - lo) * per + .5f))));
    build();
}

HeightTile::HeightTile(int width, int height, std::vector<uint16_t> codes, float least, float step)
    : width_(width), height_(height), least_(least), step_(step), codes_(std::move(codes)) {
    build();
}

void HeightTile::build() {
    codes_.push_back(0);
    codes_.shrink_to_fit();
    const uint16_t* lo = codes_.data();
    const uint16_t* hi = codes_.data();
    int w = width_;
    int h = height_;
    while (w > 1 || h > 1) {
        Level l{(w + 1) / 2, (h + 1) / 2, {}, {}};
        l.lo.resize(size_t(l.width) * size_t(l.height) + 1);
        l.hi.resize(l.lo.size());
        parallel_ranges(size_t(l.height), 64, [&](size_t first, size_t last) {
            for (size_t y = first; y < last; ++y)
                for (size_t x = 0; x < size_t(l.width); ++x) {
                    const size_t y1 = std::min(2 * y + 1, size_t(h) - 1) * size_t(w);
                    const size_t y0 = 2 * y * size_t(w);
                    const size_t x1 = std::min(2 * x + 1, size_t(w) - 1);
                    const size_t x0 = 2 * x;
                    l.lo[y * size_t(l.width) + x] =
                        std::min(std::min(lo[y0 + x0], lo[y0 + x1]), std::min(lo[y1 + x0], lo[y1 + x1]));
                    l.hi[y * size_t(l.width) + x] =
                        std::max(std::max(hi[y0 + x0], hi[y0 + x1]), std::max(hi[y1 + x0], hi[y1 + x1]));
                }
        });
        levels_.push_back(std::move(l));
        lo = levels_.back().lo.data();
        hi = levels_.back().hi.data();
        w = levels_.back().width;
        h = levels_.back().height;
    }
}

void HeightTile::range(int x0, int y0, int x1, int y1, uint16_t& lo, uint16_t& hi) const {
    int level = 0;
    const int wide = std::max(x1 - x0, y1 - y0);
    if (wide > 1)
        level = 32 - __builtin_clz(unsigned(wide - 1));  // squares at least as wide: at most two of them lie across
    level = std::min(level, int(levels_.size()));
    const uint16_t* l = codes_.data();
    const uint16_t* h = codes_.data();
    size_t row = size_t(width_);
    if (level > 0) {
        const Level& of = levels_[size_t(level - 1)];
        l = of.lo.data();
        h = of.hi.data();
        row = size_t(of.width);
    }
    const size_t a = size_t(x0 >> level);
    const size_t b = size_t(x1 >> level);
    const size_t c = size_t(y0 >> level) * row;
    const size_t d = size_t(y1 >> level) * row;
    lo = std::min(std::min(l[c + a], l[c + b]), std::min(l[d + a], l[d + b]));
    hi = std::max(std::max(h[c + a], h[c + b]), std::max(h[d + a], h[d + b]));
}

std::vector<HeightTile::View> HeightTile::pyramid() const {
    std::vector<View> out{{codes_.data(), codes_.data(), width_, height_}};
    for (const Level& l : levels_) out.push_back({l.lo.data(), l.hi.data(), l.width, l.height});
    return out;
}

size_t HeightTile::bytes() const {
    size_t n = codes_.capacity();
    for (const Level& l : levels_) n += l.lo.capacity() + l.hi.capacity();
    return 2 * n;
}

namespace {

/// Rows of one channel, or of the luminance of three, as they come.
template <class Number, class Put>
std::string read_rows(OIIO::ImageInput& in, const OIIO::ImageSpec& spec, OIIO::TypeDesc type, int channel, int channels,
                      Progress* progress, Put&& put) {
    const int band = spec.tile_width ? std::max(1, spec.tile_height) : 64;
    std::vector<Number> rows;
    for (int y = 0; y < spec.height; y += band) {
        if (stopped(progress)) return "stopped";
        report(progress, float(y) / float(spec.height));
        const int last = std::min(y + band, spec.height);
        rows.resize(size_t(last - y) * size_t(spec.width) * size_t(channels));
        const int y0 = spec.y + y;
        const int y1 = spec.y + last;
        const bool whole =
            spec.tile_width ? in.read_tiles(0, 0, spec.x, spec.x + spec.width, y0, y1, spec.z, spec.z + 1, channel,
                                            channel + channels, type, rows.data())
                            : in.read_scanlines(0, 0, y0, y1, spec.z, channel, channel + channels, type, rows.data());
        if (!whole) return "the file is cut off: " + plain_reason(in.geterror());
        for (size_t i = 0; i < rows.size(); i += size_t(channels)) put(&rows[i]);
    }
    return {};
}

}  // namespace

Result<std::shared_ptr<const HeightTile>> read_heights(const fs::path& file, const std::string& channel,
                                                       Progress* progress) {
    return guarded(file, [&]() -> Result<std::shared_ptr<const HeightTile>> {
        const auto header = read_header(file);
        if (!header) return header.error();
        auto in = OIIO::ImageInput::open(file.string());
        if (!in) return refused_map(file, plain_reason(OIIO::geterror()));
        const OIIO::ImageSpec spec = in->spec();
        if (spec.width != header->width || spec.height != header->height)
            return refused_map(file, "it changed while it was read");
        const bool luminance = channel == "luminance" && spec.nchannels >= 3;
        const int first = luminance ? 0 : std::max(0, channel_of(*header, channel));
        const int channels = luminance ? 3 : 1;
        std::string why;
        std::shared_ptr<const HeightTile> tile;
        if (header->floating || luminance) {
            std::vector<float> texels;
            why = read_rows<float>(*in, spec, OIIO::TypeDesc::FLOAT, first, channels, progress, [&](const float* p) {
                texels.push_back(luminance ? .2126f * p[0] + .7152f * p[1] + .0722f * p[2] : *p);
            });
            if (why.empty()) tile = std::make_shared<HeightTile>(spec.width, spec.height, texels);
        } else {
            std::vector<uint16_t> codes;
            why = read_rows<uint16_t>(*in, spec, OIIO::TypeDesc::UINT16, first, 1, progress,
                                      [&](const uint16_t* p) { codes.push_back(*p); });
            if (why.empty())
                tile = std::make_shared<HeightTile>(spec.width, spec.height, std::move(codes), 0.f, 1.f / 65535.f);
        }
        if (!why.empty()) return refused_map(file, why);
        return tile;
    });
}

}  // namespace vemtra::texture
