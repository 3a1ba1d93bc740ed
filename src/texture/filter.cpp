#include "texture/filter.h"

#include <immintrin.h>

#include <cmath>

namespace vemtra::texture {
namespace {

constexpr int most_taps = 8;

/// Conjugate half axes of an ellipse become its principal ones: where a map is stretched, what is round on the surface
/// has axes that lie nearly along each other here, and neither tells how narrow the ellipse is. `w`, `h`: texels.
void to_principal_axes(float& au, float& av, float& bu, float& bv, float w, float h) {
    const float ax = au * w;
    const float ay = av * h;
    const float bx = bu * w;
    const float by = bv * h;
    const float along = ax * bx + ay * by;
    const float a2 = ax * ax + ay * ay;
    const float b2 = bx * bx + by * by;
    if (!(along * along > .01f * a2 * b2) || !(a2 + b2 < 1e12f)) return;
    // M = a a' + b b'; its eigenvalues are the squares of the principal half axes.
    const float xx = ax * ax + bx * bx;
    const float xy = ax * ay + bx * by;
    const float yy = ay * ay + by * by;
    const float half = .5f * (xx - yy);
    const float root = std::sqrt(half * half + xy * xy);
    const float major2 = .5f * (xx + yy) + root;
    const float major = std::sqrt(major2);
    const float minor = std::fabs(ax * by - ay * bx) / std::max(1e-20f, major);  // the product is the determinant's
    float dx = half >= 0.f ? half + root : xy;
    float dy = half >= 0.f ? xy : root - half;
    const float length = std::sqrt(dx * dx + dy * dy);
    if (!(length > 0.f)) return;
    dx /= length;
    dy /= length;
    au = dx * major / w;
    av = dy * major / h;
    bu = -dy * minor / w;
    bv = dx * minor / h;
}

/// One texel as four numbers.
template <TexelFormat format, int lanes, bool curved> inline __m128 texel(const uint8_t* p, const float* curve) {
    if constexpr (lanes == 1) {
        float x;
        if constexpr (format == TexelFormat::u8)
            x = curved ? curve[*p] : float(*p) * (1.f / 255.f);
        else if constexpr (format == TexelFormat::u16) {
            const uint16_t code = *reinterpret_cast<const uint16_t*>(p);
            x = curved ? curve[code] : float(code) * (1.f / 65535.f);
        } else if constexpr (format == TexelFormat::half)
            x = _cvtsh_ss(*reinterpret_cast<const uint16_t*>(p));
        else
            x = *reinterpret_cast<const float*>(p);
        return _mm_set_ss(x);
    } else if constexpr (lanes == 2) {
        static_assert(format == TexelFormat::half);
        return _mm_cvtph_ps(_mm_cvtsi32_si128(*reinterpret_cast<const int*>(p)));
    } else {
        if constexpr (format == TexelFormat::u8) {
            if constexpr (curved)
                return _mm_set_ps(float(p[3]) * (1.f / 255.f), curve[p[2]], curve[p[1]], curve[p[0]]);
            else
                return _mm_mul_ps(
                    _mm_cvtepi32_ps(_mm_cvtepu8_epi32(_mm_cvtsi32_si128(*reinterpret_cast<const int*>(p)))),
                    _mm_set1_ps(1.f / 255.f));
        } else if constexpr (format == TexelFormat::u16) {
            const auto* c = reinterpret_cast<const uint16_t*>(p);
            if constexpr (curved)
                return _mm_set_ps(float(c[3]) * (1.f / 65535.f), curve[c[2]], curve[c[1]], curve[c[0]]);
            else
                return _mm_mul_ps(
                    _mm_cvtepi32_ps(_mm_cvtepu16_epi32(_mm_loadl_epi64(reinterpret_cast<const __m128i*>(p)))),
                    _mm_set1_ps(1.f / 65535.f));
        } else if constexpr (format == TexelFormat::half)
            return _mm_cvtph_ps(_mm_loadl_epi64(reinterpret_cast<const __m128i*>(p)));
        else
            return _mm_load_ps(reinterpret_cast<const float*>(p));
    }
}

inline int floor_int(float x) {
    const int i = int(x);
    return i - int(x < float(i));
}

/// Into the range that one copy of the image has; false: outside of a constant one.
inline bool fold(float& u, Wrap wrap) {
    if (!(std::fabs(u) < 0x1p23f)) u = 0.f;  // it has no fraction left, or is no number
    switch (wrap) {
        case Wrap::periodic: u -= float(floor_int(u)); return true;
        case Wrap::clamp: u = std::min(1.f, std::max(0.f, u)); return true;
        case Wrap::mirror:
            u -= 2.f * std::floor(u * .5f);
            if (u > 1.f) u = 2.f - u;
            return true;
        default: return true;
    }
}
inline int corner(int i, int size, Wrap wrap) {
    if (i >= 0 && i < size) return i;
    switch (wrap) {
        case Wrap::periodic: return i < 0 ? (i + size < 0 ? 0 : i + size) : i - size >= size ? size - 1 : i - size;
        case Wrap::constant: return -1;
        default: return i < 0 ? 0 : size - 1;
    }
}

template <TexelFormat format, int lanes, bool curved> struct TexelLookup {
    static constexpr size_t bytes = texel_bytes(format) * size_t(lanes);
    TexelStore::Reading& reading;
    const TexelImage& image;
    const float* curve;
    Wrap wrap_u, wrap_v;

    /// u and v are folded already.
    inline __m128 bilinear(size_t level, float u, float v) const {
        const TexelImage::Level& l = image.levels()[level];
        const float x = u * float(l.width) - .5f;
        const float y = (1.f - v) * float(l.height) - .5f;
        const int ix = floor_int(x);
        const int iy = floor_int(y);
        const float a = x - float(ix);
        const float b = y - float(iy);
        const int tx = ix & (tile_edge - 1);
        const int ty = iy & (tile_edge - 1);
        __m128 p00;
        __m128 p01;
        __m128 p10;
        __m128 p11;
        if (unsigned(ix) < unsigned(l.width - 1) && unsigned(iy) < unsigned(l.height - 1) && tx < tile_edge - 1 &&
            ty < tile_edge - 1) [[likely]] {
            const uint8_t* t =
                reading.texels(image, level, size_t(iy / tile_edge) * size_t(l.across) + size_t(ix / tile_edge)) +
                size_t(ty * tile_edge + tx) * bytes;
            p00 = texel<format, lanes, curved>(t, curve);
            p01 = texel<format, lanes, curved>(t + bytes, curve);
            p10 = texel<format, lanes, curved>(t + tile_edge * bytes, curve);
            p11 = texel<format, lanes, curved>(t + (tile_edge + 1) * bytes, curve);
        } else {
            auto at = [&](int i, int j) {
                i = corner(i, l.width, wrap_u);
                j = corner(j, l.height, wrap_v);
                if (i < 0 || j < 0) return _mm_setzero_ps();
                const uint8_t* t =
                    reading.texels(image, level, size_t(j / tile_edge) * size_t(l.across) + size_t(i / tile_edge));
                return texel<format, lanes, curved>(
                    t + size_t((j & (tile_edge - 1)) * tile_edge + (i & (tile_edge - 1))) * bytes, curve);
            };
            p00 = at(ix, iy);
            p01 = at(ix + 1, iy);
            p10 = at(ix, iy + 1);
            p11 = at(ix + 1, iy + 1);
        }
        const __m128 va = _mm_set1_ps(a);
        const __m128 vb = _mm_set1_ps(b);
        const __m128 top = _mm_add_ps(p00, _mm_mul_ps(va, _mm_sub_ps(p01, p00)));
        const __m128 low = _mm_add_ps(p10, _mm_mul_ps(va, _mm_sub_ps(p11, p10)));
        return _mm_add_ps(top, _mm_mul_ps(vb, _mm_sub_ps(low, top)));
    }
    __m128 folded(size_t level, float u, float v) const {
        if (wrap_u == Wrap::constant && (u < -.5f || u > 1.5f)) return _mm_setzero_ps();
        if (wrap_v == Wrap::constant && (v < -.5f || v > 1.5f)) return _mm_setzero_ps();
        fold(u, wrap_u);
        fold(v, wrap_v);
        return bilinear(level, u, v);
    }
    __m128 over_levels(float lod, float u, float v) const {
        const size_t last = image.levels().size() - 1;
        if (lod <= 0.f) return folded(0, u, v);
        const size_t fine = std::min(last, size_t(lod));
        const __m128 a = folded(fine, u, v);
        if (fine == last) return a;
        const __m128 b = folded(fine + 1, u, v);
        return _mm_add_ps(a, _mm_mul_ps(_mm_set1_ps(lod - float(fine)), _mm_sub_ps(b, a)));
    }

    static inline __m128 mix(const uint8_t* t, float a, float b, const float* curve) {
        const __m128 va = _mm_set1_ps(a);
        const __m128 vb = _mm_set1_ps(b);
        const __m128 p00 = texel<format, lanes, curved>(t, curve);
        const __m128 p01 = texel<format, lanes, curved>(t + bytes, curve);
        const __m128 p10 = texel<format, lanes, curved>(t + tile_edge * bytes, curve);
        const __m128 p11 = texel<format, lanes, curved>(t + (tile_edge + 1) * bytes, curve);
        const __m128 top = _mm_add_ps(p00, _mm_mul_ps(va, _mm_sub_ps(p01, p00)));
        const __m128 low = _mm_add_ps(p10, _mm_mul_ps(va, _mm_sub_ps(p11, p10)));
        return _mm_add_ps(top, _mm_mul_ps(vb, _mm_sub_ps(low, top)));
    }

    /// Bilinear reads of the finest level. Places are found for many points in loops that become vector code, addresses
    /// are asked for ahead of their use, and what is not there or lies on a tile's border goes the slow way.
    void run_plain(const Lookups& points, float (*out)[4]) const {
        constexpr int chunk = 128;
        alignas(64) float fu[chunk];
        alignas(64) float fv[chunk];
        alignas(64) float a[chunk];
        alignas(64) float b[chunk];
        alignas(64) int tile[chunk];
        alignas(64) int offset[chunk];
        const uint8_t* address[chunk];
        const TexelImage::Level& l = image.levels()[0];
        const std::atomic<uintptr_t>* tiles = l.tiles.get();
        const float w = float(l.width);
        const float h = float(l.height);
        const int across = l.across;
        const int last_x = l.width - 1;
        const int last_y = l.height - 1;
        auto place = [](const float* from, float* to, int n, Wrap wrap) {
            if (wrap == Wrap::periodic)
                for (int i = 0; i < n; ++i) to[i] = from[i] - std::floor(from[i]);
            else
                for (int i = 0; i < n; ++i) {
                    to[i] = from[i];
                    if (wrap != Wrap::constant) fold(to[i], wrap);
                }
        };
        for (int first = 0; first < points.count; first += chunk) {
            const int n = std::min(chunk, points.count - first);
            place(points.u + first, fu, n, wrap_u);
            place(points.v + first, fv, n, wrap_v);
            for (int i = 0; i < n; ++i) {
                const float x = fu[i] * w - .5f;
                const float y = (1.f - fv[i]) * h - .5f;
                const float gx = std::floor(x);
                const float gy = std::floor(y);
                a[i] = x - gx;
                b[i] = y - gy;
                const bool sane = std::fabs(gx) < 1e6f && std::fabs(gy) < 1e6f;
                const int ix = int(sane ? gx : -1.f);
                const int iy = int(sane ? gy : -1.f);
                const int tx = ix & (tile_edge - 1);
                const int ty = iy & (tile_edge - 1);
                const bool inside =
                    (ix >= 0) & (ix < last_x) & (iy >= 0) & (iy < last_y) & (tx < tile_edge - 1) & (ty < tile_edge - 1);
                tile[i] = inside ? (iy / tile_edge) * across + ix / tile_edge : -1;
                offset[i] = (ty * tile_edge + tx) * int(bytes);
            }
            for (int i = 0; i < n; ++i) {
                address[i] = nullptr;
                if (tile[i] < 0) continue;
                const uint8_t* t = TexelStore::Reading::present(tiles, size_t(tile[i]));
                if (!t) continue;
                address[i] = t + offset[i];
                __builtin_prefetch(address[i]);
                __builtin_prefetch(address[i] + tile_edge * bytes);
            }
            bool stale = false;  // a tile was read meanwhile: the addresses are not good any more
            for (int i = 0; i < n; ++i) {
                __m128 sum;
                if (address[i] && !stale) [[likely]] {
                    sum = mix(address[i], a[i], b[i], curve);
                } else if (tile[i] >= 0) {
                    sum = mix(reading.texels(image, 0, size_t(tile[i])) + offset[i], a[i], b[i], curve);
                    stale = true;
                } else {
                    const float u = points.u[first + i];
                    const float v = points.v[first + i];
                    sum = std::fabs(u) < 1e6f && std::fabs(v) < 1e6f ? folded(0, u, v) : _mm_setzero_ps();
                    stale = true;
                }
                if constexpr (lanes == 1)
                    out[first + i][0] = _mm_cvtss_f32(sum);
                else
                    _mm_storeu_ps(out[first + i], sum);
            }
        }
    }

    void run(const Lookups& points, float (*out)[4]) const {
        const bool extended = points.filter != Filter::off && points.axes[0] && points.axes[1] && points.axes[2] &&
                              points.axes[3] && image.levels().size() > 1;
        if (!extended) return run_plain(points, out);
        const float w = float(image.levels()[0].width);
        const float h = float(image.levels()[0].height);
        for (int i = 0; i < points.count; ++i) {
            const float u = points.u[i];
            const float v = points.v[i];
            __m128 sum;
            if (!(std::fabs(u) < 1e6f && std::fabs(v) < 1e6f)) {  // no place in the image
                sum = _mm_setzero_ps();
            } else {
                float au = points.axes[0][i];
                float av = points.axes[1][i];
                float bu = points.axes[2][i];
                float bv = points.axes[3][i];
                to_principal_axes(au, av, bu, bv, w, h);
                float longer = (au * w) * (au * w) + (av * h) * (av * h);
                float shorter = (bu * w) * (bu * w) + (bv * h) * (bv * h);
                if (longer < shorter) {
                    std::swap(longer, shorter);
                    std::swap(au, bu);
                    std::swap(av, bv);
                }
                if (!(longer > 1.f)) {
                    sum = folded(0, u, v);
                } else if (!(longer < 1e12f)) {
                    sum = folded(image.levels().size() - 1, u, v);
                } else if (points.filter == Filter::box) {
                    sum = over_levels(.5f * std::log2(longer), u, v);
                } else {
                    const float wide = std::sqrt(longer);
                    const float narrow = std::max({1.f, std::sqrt(shorter), wide / float(most_taps)});
                    const int taps = std::min(most_taps, int(std::ceil(wide / narrow - .01f)));
                    const float lod = std::log2(narrow);
                    if (taps <= 1) {
                        sum = over_levels(lod, u, v);
                    } else {
                        sum = _mm_setzero_ps();
                        float total = 0.f;
                        for (int k = 0; k < taps; ++k) {
                            const float t = (float(k) + .5f) / float(taps) - .5f;
                            const float weight = std::exp(-6.f * t * t);
                            total += weight;
                            sum = _mm_add_ps(sum,
                                             _mm_mul_ps(_mm_set1_ps(weight), over_levels(lod, u + au * t, v + av * t)));
                        }
                        sum = _mm_div_ps(sum, _mm_set1_ps(total));
                    }
                }
            }
            if constexpr (lanes == 1)
                out[i][0] = _mm_cvtss_f32(sum);
            else
                _mm_storeu_ps(out[i], sum);
        }
    }
};

template <TexelFormat format>
void dispatch(TexelStore::Reading& reading, const TexelImage& image, const float* curve, const Lookups& p,
              float (*out)[4]) {
    auto run = [&](auto reader) { reader.run(p, out); };
    constexpr bool codes = format == TexelFormat::u8 || format == TexelFormat::u16;
    if (image.lanes() == 1) {
        if (codes && curve)
            run(TexelLookup<format, 1, codes>{reading, image, curve, p.wrap_u, p.wrap_v});
        else
            run(TexelLookup<format, 1, false>{reading, image, curve, p.wrap_u, p.wrap_v});
    } else {
        if (codes && curve)
            run(TexelLookup<format, 4, codes>{reading, image, curve, p.wrap_u, p.wrap_v});
        else
            run(TexelLookup<format, 4, false>{reading, image, curve, p.wrap_u, p.wrap_v});
    }
}

}  // namespace

void read_filtered(TexelStore::Reading& reading, const TexelImage& image, const ColourDecode* decode,
                   const Lookups& points, float (*out)[4]) {
    const bool curved = decode && decode->has_curve;
    switch (image.format()) {
        case TexelFormat::u8:
            dispatch<TexelFormat::u8>(reading, image, curved ? decode->curve8.data() : nullptr, points, out);
            break;
        case TexelFormat::u16:
            dispatch<TexelFormat::u16>(reading, image, curved ? decode->curve16.data() : nullptr, points, out);
            break;
        case TexelFormat::half:
            if (image.lanes() == 2)
                TexelLookup<TexelFormat::half, 2, false>{reading, image, nullptr, points.wrap_u, points.wrap_v}.run(
                    points, out);
            else
                dispatch<TexelFormat::half>(reading, image, nullptr, points, out);
            break;
        case TexelFormat::f32: dispatch<TexelFormat::f32>(reading, image, nullptr, points, out); break;
    }
    if (image.lanes() == 1 || image.painted()) return;
    if (image.premultiplied() && decode)  // colour that was multiplied by its coverage gets its own value back
        for (int i = 0; i < points.count; ++i)
            if (const float a = out[i][3]; a > 1e-5f && a < 1.f)
                for (int c = 0; c < 3; ++c) out[i][c] /= a;
    if (decode && decode->has_matrix)
        for (int i = 0; i < points.count; ++i) {
            const V3f c = decode->transform({out[i][0], out[i][1], out[i][2]});
            out[i][0] = c.x;
            out[i][1] = c.y;
            out[i][2] = c.z;
        }
}

}  // namespace vemtra::texture
