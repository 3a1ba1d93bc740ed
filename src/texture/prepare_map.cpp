#include "texture/prepare_map.h"

#include <OpenImageIO/imageio.h>

#include <algorithm>
#include <cstring>
#include <memory>
#include <optional>

#include "texture/colour.h"
#include "texture/image_header.h"
#include "texture/tile_sums.h"

namespace vemtra::texture {
namespace {

using OIIO::TypeDesc;

constexpr int tile_side = 64;  // texels of a tile's side

/// Rows of one level in floats, and how they go to and from the file's numbers.
class Codes {
public:
    Codes(TypeDesc type, int channels, int alpha, const ColourDecode* decode)
        : type_(type), channels_(channels), alpha_(alpha), decode_(decode && decode->has_curve ? decode : nullptr) {
        if (type.basetype == TypeDesc::UINT8) {
            straight8_.resize(256);
            for (int i = 0; i < 256; ++i) straight8_[size_t(i)] = float(i) / 255.f;
        }
    }
    void decode(const uint8_t* from, float* to, size_t texels) const {
        const size_t n = texels * size_t(channels_);
        switch (type_.basetype) {
            case TypeDesc::UINT8:
                if (!decode_) {
                    for (size_t i = 0; i < n; ++i) to[i] = straight8_[from[i]];
                } else {
                    for (size_t i = 0; i < texels; ++i)
                        for (int c = 0; c < channels_; ++c)
                            to[i * size_t(channels_) + size_t(c)] =
                                (c == alpha_ ? straight8_.data()
                                             : decode_->curve8.data())[from[i * size_t(channels_) + size_t(c)]];
                }
                break;
            case TypeDesc::UINT16: {
                const auto* codes = reinterpret_cast<const uint16_t*>(from);
                if (!decode_) {
                    for (size_t i = 0; i < n; ++i) to[i] = float(codes[i]) * (1.f / 65535.f);
                } else {
                    for (size_t i = 0; i < texels; ++i)
                        for (int c = 0; c < channels_; ++c) {
                            const size_t k = i * size_t(channels_) + size_t(c);
                            to[k] = c == alpha_ ? float(codes[k]) * (1.f / 65535.f) : decode_->curve16[codes[k]];
                        }
                }
                break;
            }
            default: std::memcpy(to, from, n * sizeof(float)); break;
        }
    }
    void encode(const float* from, uint8_t* to, size_t texels) const {
        const size_t n = texels * size_t(channels_);
        auto code16 = [&](float x) { return uint16_t(std::min(65535.f, std::max(0.f, x) * 65535.f + .5f)); };
        switch (type_.basetype) {
            case TypeDesc::UINT8:
                for (size_t i = 0; i < n; ++i) {
                    const bool curved = decode_ && int(i % size_t(channels_)) != alpha_;
                    to[i] = curved ? uint8_t((decode_->encode16()[code16(from[i])] + 128) / 257)
                                   : uint8_t(std::min(255.f, std::max(0.f, from[i]) * 255.f + .5f));
                }
                break;
            case TypeDesc::UINT16: {
                auto* codes = reinterpret_cast<uint16_t*>(to);
                for (size_t i = 0; i < n; ++i) {
                    const bool curved = decode_ && int(i % size_t(channels_)) != alpha_;
                    codes[i] = curved ? decode_->encode16()[code16(from[i])] : code16(from[i]);
                }
                break;
            }
            default: std::memcpy(to, from, n * sizeof(float)); break;
        }
    }

private:
    TypeDesc type_;
    int channels_, alpha_;
    const ColourDecode* decode_;
    std::vector<float> straight8_;
};

/// Which texels of the finer level one texel of the coarser one averages, and by how much: a box of the exact size. For
/// even sizes two halves; for odd ones three texels, the outer ones in part.
struct Taps {
    int first = 0, count = 0;
    float weight[3] = {};
};
std::vector<Taps> taps(int fine, int coarse) {
    std::vector<Taps> all(static_cast<size_t>(coarse));
    const double ratio = double(fine) / coarse;
    for (int i = 0; i < coarse; ++i) {
        const double a = i * ratio;
        const double b = (i + 1) * ratio;
        Taps& t = all[size_t(i)];
        t.first = std::min(int(a), fine - 1);
        for (int k = t.first; k < fine && double(k) < b - 1e-9 && t.count < 3; ++k)
            t.weight[t.count++] = float((std::min(b, double(k + 1)) - std::max(a, double(k))) / ratio);
        if (t.count == 0) t.count = 1, t.weight[0] = 1.f;
    }
    return all;
}

/// The integer or float type that keeps all that the file has; TIFF knows no halves.
TypeDesc kept_type(const OIIO::ImageSpec& source) {
    switch (source.format.basetype) {
        case TypeDesc::UINT8: return TypeDesc::UINT8;
        case TypeDesc::UINT16:
        case TypeDesc::INT16: return TypeDesc::UINT16;
        default: return TypeDesc::FLOAT;
    }
}

/// From rows of numbers to rows of what varies: x, y, xx, yy, xy of directions, or of the slopes of heights.
class Varying {
public:
    static constexpr int lanes = 5;
    /// `channel`: of heights, -1: the luminance.
    Varying(nodes::Spread spread, int channel) : spread_(spread), channel_(channel) {}
    bool directions() const { return spread_ == nodes::Spread::directions; }
    bool needs_colour() const { return spread_ == nodes::Spread::directions || channel_ < 0; }
    /// The next row from the top. Heights tell of the row before it, once there is one: calls put(row) then.
    template <class Put> void take(const float* numbers, int width, int channels, Put&& put) {
        row_.resize(size_t(width) * lanes);
        if (spread_ == nodes::Spread::directions) {
            for (int x = 0; x < width; ++x) {
                const float* n = numbers + size_t(x) * size_t(channels);
                put_lanes(x, std::clamp(2.f * n[0] - 1.f, -1.f, 1.f), std::clamp(2.f * n[1] - 1.f, -1.f, 1.f));
            }
            return put(row_.data());
        }
        now_.resize(size_t(width));
        for (int x = 0; x < width; ++x) {
            const float* n = numbers + size_t(x) * size_t(channels);
            now_[size_t(x)] = channel_ < 0 ? luminance({n[0], n[1], n[2]}) : n[std::min(channel_, channels - 1)];
        }
        if (!before_.empty()) tell(width, put);
        before_.swap(now_);
    }
    /// After the last row: it rises as the one before it does.
    template <class Put> void end(int width, Put&& put) {
        if (spread_ == nodes::Spread::directions) return;
        if (row_.size() != size_t(width) * lanes || !told_) {
            now_ = before_;
            return tell(width, put);
        }
        put(row_.data());
    }

private:
    void put_lanes(int at, float x, float y) {
        float* to = &row_[size_t(at) * lanes];
        to[0] = x;
        to[1] = y;
        to[2] = x * x;
        to[3] = y * y;
        to[4] = x * y;
    }
    template <class Put> void tell(int width, Put&& put) {
        for (int x = 0; x < width; ++x) {
            const int from = std::max(0, std::min(x, width - 2));
            const float rise = width > 1 ? before_[size_t(from) + 1] - before_[size_t(from)] : 0.f;
            constexpr float steepest = 250.f;  // its square is a half float still
            put_lanes(x, std::clamp(rise, -steepest, steepest),
                      std::clamp(before_[size_t(x)] - now_[size_t(x)], -steepest, steepest));
        }
        told_ = true;
        put(row_.data());
    }
    nodes::Spread spread_;
    int channel_;
    bool told_ = false;
    std::vector<float> row_, before_, now_;
};

/// Level 0 goes through in bands of tile rows; only the next level is kept whole, in floats.
class MapPreparer {
public:
    /// `varying`: what is kept in place of the map; null: the map.
    MapPreparer(const fs::path& from, OIIO::ImageInput& in, const ColourDecode* decode, Varying* varying,
                Progress* progress)
        : from_(from),
          in_(in),
          source_(in.spec()),
          channels_(std::min(source_.nchannels, 4)),
          type_(kept_type(source_)),
          texel_(type_.size() * size_t(channels_)),
          codes_(type_, channels_, source_.alpha_channel, decode),
          varying_(varying),
          lanes_(varying ? Varying::lanes : channels_),
          kept_channels_(varying ? 4 : channels_),
          kept_type_(varying ? TypeDesc::FLOAT : type_),
          progress_(progress) {}
    Status write(const fs::path& temporary, int threads);

private:
    OIIO::ImageSpec spec() const;
    Status write_level(int level, OIIO::ImageOutput& out, TileSums& sums);
    Status read_band(int y, int rows);
    bool read_tile_rows(int y, int rows);
    void to_coarse(const float* numbers, int y);
    void put_squares(const float* lanes, size_t texels);
    void narrow_row(const float* row);
    void add_to_coarse(int y);
    Error unwritten(const std::string& why) const {
        return refused_map(from_, "its prepared form cannot be written: " + why);
    }

    const fs::path& from_;
    OIIO::ImageInput& in_;
    const OIIO::ImageSpec source_;
    const int channels_;
    const TypeDesc type_;
    const size_t texel_;  // bytes
    const Codes codes_;
    Varying* varying_;
    const int lanes_;          // numbers of a texel that are averaged
    const int kept_channels_;  // and of one that is written
    const TypeDesc kept_type_;
    int told_ = 0;  // rows of the finest level that went to the next one
    Progress* progress_;

    int width_ = 0, height_ = 0;                // of the level that is written
    int coarse_width_ = 0, coarse_height_ = 0;  // of the next one
    std::vector<uint8_t> band_, strip_;
    std::vector<uint8_t> kept_;  // a band as it is written, where it is not the map's
    std::vector<float> fine_, coarse_, line_, narrow_;
    std::vector<Taps> across_, down_;
    int target_ = 0;  // row of the coarse level that the taps are at
};

OIIO::ImageSpec MapPreparer::spec() const {
    OIIO::ImageSpec spec(source_.width, source_.height, kept_channels_, kept_type_);
    if (varying_) {
        spec.alpha_channel = 3;
    } else {
        spec.channelnames.assign(source_.channelnames.begin(), source_.channelnames.begin() + channels_);
        spec.alpha_channel = source_.alpha_channel < channels_ ? source_.alpha_channel : -1;
    }
    spec.tile_width = spec.tile_height = tile_side;
    spec.tile_depth = 1;
    spec.attribute("textureformat", "Plain Texture");  // its subimages are mip levels
    // Texels are read far more often than prepared: little time, most of the gain.
    spec.attribute("compression", "zip:1");
    if (varying_) spec.attribute("oiio:UnassociatedAlpha", 1);  // the fourth number is none, and is left alone
    if (spec.alpha_channel >= 0 && source_.get_int_attribute("oiio:UnassociatedAlpha", 0))
        spec.attribute("oiio:UnassociatedAlpha", 1);
    return spec;
}

Status MapPreparer::write(const fs::path& temporary, int threads) {
    auto out = OIIO::ImageOutput::create("tiff");
    if (!out) return refused_map(from_, "prepared maps cannot be written: " + OIIO::geterror());
    out->threads(threads);
    OIIO::ImageSpec spec = this->spec();
    TileSums sums;
    width_ = source_.width;
    height_ = source_.height;
    for (int level = 0;; ++level) {
        spec.width = spec.full_width = width_;
        spec.height = spec.full_height = height_;
        const auto mode = level ? OIIO::ImageOutput::AppendSubimage : OIIO::ImageOutput::Create;
        if (!out->open(temporary.string(), spec, mode)) return unwritten(out->geterror());
        if (Status s = write_level(level, *out, sums); !s) return s;
        if (width_ == 1 && height_ == 1) break;
        fine_.swap(coarse_);
        width_ = coarse_width_;
        height_ = coarse_height_;
    }
    if (!out->close()) return unwritten(out->geterror());
    OIIO::ImageSpec config;  // as it will be read
    config.attribute("oiio:UnassociatedAlpha", 1);
    const auto written = OIIO::ImageInput::open(temporary.string(), &config);
    if (!written) return unwritten(OIIO::geterror());
    TileForm form = form_of(written->spec());
    form.halves = varying_ || source_.format == TypeDesc::HALF;
    return sums.append_to(temporary, form);
}

// Writes one level and averages it into the next.
Status MapPreparer::write_level(int level, OIIO::ImageOutput& out, TileSums& sums) {
    const bool last = width_ == 1 && height_ == 1;
    coarse_width_ = std::max(1, width_ / 2);
    coarse_height_ = std::max(1, height_ / 2);
    across_ = taps(width_, coarse_width_);
    down_ = taps(height_, coarse_height_);
    const size_t row = size_t(width_) * size_t(lanes_);
    const size_t kept = kept_type_.size() * size_t(kept_channels_);  // bytes of a texel as it is written
    coarse_.assign(last ? 0 : size_t(coarse_width_) * size_t(coarse_height_) * size_t(lanes_), 0.f);
    narrow_.resize(size_t(coarse_width_) * size_t(lanes_));
    line_.resize(size_t(width_) * size_t(channels_));
    if (varying_) kept_.assign(size_t(tile_side) * size_t(width_) * kept, 0);
    band_.resize(size_t(tile_side) * size_t(width_) * texel_);
    target_ = 0;
    for (int y = 0; y < height_; y += tile_side) {
        if (stopped(progress_)) return Error{"A map was not prepared", from_.string(), "", "it was stopped", ""};
        const int rows = std::min(tile_side, height_ - y);
        if (level == 0) {
            if (Status s = read_band(y, rows); !s) return s;
        } else if (varying_) {
            put_squares(&fine_[size_t(y) * row], size_t(rows) * size_t(width_));
        } else {
            codes_.encode(&fine_[size_t(y) * row], band_.data(), size_t(rows) * size_t(width_));
        }
        const std::vector<uint8_t>& written = varying_ ? kept_ : band_;
        if (!out.write_tiles(0, width_, y, y + rows, 0, 1, kept_type_, written.data()))
            return unwritten(out.geterror());
        sums.add_band(written.data(), width_, rows, kept, tile_side);
        // Level 0 is four fifths of the work, and each level a quarter of the one before it.
        report(progress_,
               level == 0 ? float(y) / float(height_) * .8f : .8f + .2f * (1.f - std::pow(.25f, float(level))));
        if (last) continue;
        for (int k = 0; k < rows; ++k) {
            if (level == 0) {
                codes_.decode(&band_[size_t(k) * size_t(width_) * texel_], line_.data(), size_t(width_));
                for (float& x : line_)
                    if (!(std::fabs(x) <= 3e37f)) x = x > 0.f ? 65504.f : 0.f;  // infinite, or no number
            }
            if (level == 0 && varying_)
                varying_->take(line_.data(), width_, channels_, [&](const float* r) { to_coarse(r, told_++); });
            else
                to_coarse(level ? &fine_[size_t(y + k) * row] : line_.data(), y + k);
        }
    }
    if (level == 0 && varying_ && !last) varying_->end(width_, [&](const float* r) { to_coarse(r, told_++); });
    return Done{};
}

// Means of squares, for which the mean that the map keeps stands in place of the exact one.
void MapPreparer::put_squares(const float* lanes, size_t texels) {
    constexpr float most = 6e4f;  // half floats go so far
    auto* to = reinterpret_cast<float*>(kept_.data());
    std::vector<uint8_t> codes(texel_);
    std::vector<float> numbers(size_t(channels_), 0.f);
    for (size_t i = 0; i < texels; ++i) {
        const float* from = lanes + i * Varying::lanes;
        float x = from[0];
        float y = from[1];
        if (varying_->directions()) {
            numbers[0] = .5f + .5f * x;
            numbers[1] = .5f + .5f * y;
            codes_.encode(numbers.data(), codes.data(), 1);
            codes_.decode(codes.data(), numbers.data(), 1);
            x = 2.f * numbers[0] - 1.f;
            y = 2.f * numbers[1] - 1.f;
        }
        to[4 * i] = std::clamp(from[2] - from[0] * from[0] + x * x, 0.f, most);
        to[4 * i + 1] = std::clamp(from[3] - from[1] * from[1] + y * y, 0.f, most);
        to[4 * i + 2] = std::clamp(from[4] - from[0] * from[1] + x * y, -most, most);
        to[4 * i + 3] = 1.f;
    }
}

void MapPreparer::to_coarse(const float* numbers, int y) {
    narrow_row(numbers);
    add_to_coarse(y);
}

Status MapPreparer::read_band(int y, int rows) {
    const int y0 = source_.y + y;
    const bool whole = source_.tile_width
                           ? read_tile_rows(y, rows)
                           : in_.read_scanlines(0, 0, y0, y0 + rows, 0, 0, channels_, type_, band_.data());
    if (!whole) return refused_map(from_, "the file is cut off or damaged: " + plain_reason(in_.geterror()));
    return Done{};
}

// Bands of the source's own tiles cover more than one of ours at times.
bool MapPreparer::read_tile_rows(int y, int rows) {
    const int tile = source_.tile_height;
    const size_t row = size_t(width_) * texel_;
    for (int part = y; part < y + rows;) {
        const int begin = part / tile * tile;
        const int end = std::min(begin + tile, height_);
        strip_.resize(size_t(end - begin) * row);
        if (!in_.read_tiles(0, 0, source_.x, source_.x + width_, source_.y + begin, source_.y + end, 0, 1, 0, channels_,
                            type_, strip_.data()))
            return false;
        const int stop_at = std::min(end, y + rows);
        std::memcpy(&band_[size_t(part - y) * row], &strip_[size_t(part - begin) * row], size_t(stop_at - part) * row);
        part = stop_at;
    }
    return true;
}

void MapPreparer::narrow_row(const float* row) {
    const size_t n = size_t(lanes_);
    for (size_t x = 0; x < size_t(coarse_width_); ++x) {
        const Taps& t = across_[x];
        const float* p = row + size_t(t.first) * n;
        float* q = &narrow_[x * n];
        if (t.count == 2) {
            for (size_t c = 0; c < n; ++c) q[c] = p[c] * t.weight[0] + p[n + c] * t.weight[1];
            continue;
        }
        for (size_t c = 0; c < n; ++c) {
            float sum = p[c] * t.weight[0];
            for (int i = 1; i < t.count; ++i) sum += p[size_t(i) * n + c] * t.weight[i];
            q[c] = sum;
        }
    }
}

// Row `y` of the fine level belongs to one or two rows of the coarse one.
void MapPreparer::add_to_coarse(int y) {
    while (target_ < coarse_height_ && down_[size_t(target_)].first + down_[size_t(target_)].count <= y) ++target_;
    for (int r = target_; r < coarse_height_ && down_[size_t(r)].first <= y; ++r) {
        const float weight = down_[size_t(r)].weight[y - down_[size_t(r)].first];
        float* q = &coarse_[size_t(r) * narrow_.size()];
        for (size_t i = 0; i < narrow_.size(); ++i) q[i] += narrow_[i] * weight;
    }
}

}  // namespace

std::string spread_form(nodes::Spread spread, int channel, const std::string& space) {
    return (spread == nodes::Spread::directions ? "spread-directions" : "spread-heights") + std::to_string(channel) +
           "-" + space;
}
bool is_spread(const std::string& form) {
    return form.starts_with("spread-");
}

Status prepare_map(const fs::path& from, const fs::path& to, const std::string& form, Progress* progress, int threads) {
    std::optional<Varying> varying;
    std::string space = form;
    for (int channel = -1; is_spread(form) && channel < 4; ++channel)
        for (const nodes::Spread spread : {nodes::Spread::directions, nodes::Spread::heights})
            if (const std::string begin = spread_form(spread, channel, ""); form.starts_with(begin)) {
                varying.emplace(spread, channel);
                space = form.substr(begin.size());
            }
    auto header = read_header(from);
    if (!header) return header.error();
    auto decode = colour_decode(space);
    if (!decode) return decode.error();
    return guarded(from, [&]() -> Status {
        OIIO::ImageSpec config;
        config.attribute("oiio:UnassociatedAlpha", 1);
        auto in = OIIO::ImageInput::open(from.string(), &config);
        if (!in) return refused_map(from, plain_reason(OIIO::geterror()));
        if (in->spec().width != header->width || in->spec().height != header->height)
            return refused_map(from, "it changed while it was read");
        in->threads(threads);
        if (varying && (in->spec().nchannels > 4 || (varying->needs_colour() && in->spec().nchannels < 3)))
            return refused_map(from, "it has no such numbers");
        MapPreparer preparer(from, *in, decode->get(), varying ? &*varying : nullptr, progress);
        return write_atomically_with(to, [&](const fs::path& temporary) { return preparer.write(temporary, threads); });
    });
}

}  // namespace vemtra::texture
