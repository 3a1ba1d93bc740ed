#include "render/environment.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"

namespace vemtra::render {

EnvironmentImage::EnvironmentImage(texture::LinearImage pixels) : image(std::move(pixels)) {
    const int w = image.width;
    const int h = image.height;
    const size_t n = size_t(std::max(0, w)) * size_t(std::max(0, h));
    if (!n || image.pixels.size() < n) return;
    std::vector<float> own(n);
    parallel_ranges(n, 1 << 16, [&](size_t first, size_t last) {
        for (size_t i = first; i < last; ++i) own[i] = std::max(0.f, luminance(image.pixels[i]));
    });
    curve = ZCurve(w, h);
    std::vector<float> chance(curve.size(), -1.f);
    std::vector<double> light(size_t(h), 0.);
    parallel_ranges(size_t(h), 16, [&](size_t first, size_t last) {
        for (size_t y = first; y < last; ++y) {
            const float s = std::sin(pi * (float(y) + .5f) / float(h));
            for (int x = 0; x < w; ++x) {
                float sum = 0.f;
                for (int dy = -1; dy <= 1; ++dy)
                    for (int dx = -1; dx <= 1; ++dx)
                        sum += own[size_t(std::clamp(int(y) + dy, 0, h - 1)) * size_t(w) + size_t((x + dx + w) % w)] *
                               (dx || dy ? .05f : .6f);
                chance[curve.index(uint32_t(x), uint32_t(y))] = sum * s;
                light[y] += double(own[y * size_t(w) + size_t(x)]) * double(s);
            }
        }
    });
    double shining = 0;
    double sphere = 0;
    for (int y = 0; y < h; ++y) {
        shining += light[size_t(y)];
        sphere += double(w) * std::sin(M_PI * (y + .5) / h);
    }
    average = float(shining / sphere);
    if (!(average > 0.f)) {  // a black one: it is drawn evenly
        for (int y = 0; y < h; ++y)
            for (int x = 0; x < w; ++x) chance[curve.index(uint32_t(x), uint32_t(y))] = 1.f;
    }
    texels = OrderedDraw(chance);
    for (int y = 0; y <= h; ++y) edges.push_back(std::cos(pi * float(y) / float(h)));
}

EnvironmentMap::EnvironmentMap(std::shared_ptr<const EnvironmentImage> image, V3f scale, float rotation)
    : of_(std::move(image)), scale_(scale), cos_(std::cos(radians(rotation))), sin_(std::sin(radians(rotation))) {
    if (of_ && of_->image.pixels.empty()) of_ = nullptr;
    average_ = luminance(scale_) * (of_ ? of_->average : 1.f);
}

/// The texel and those around it come soon.
void EnvironmentMap::fetch(size_t x, size_t y) const {
    const size_t w = size_t(of_->image.width);
    const V3f* pixels = of_->image.pixels.data() + y * w + x;
    __builtin_prefetch(pixels);
    __builtin_prefetch(pixels - (y > 0 ? w : 0));
    __builtin_prefetch(pixels + (y + 1 < size_t(of_->image.height) ? w : 0));
}

V2f EnvironmentMap::place(const V3f& d) const {
    if (!of_) return V2f(0.f);
    const float across = cos_ * d.x - sin_ * d.z;
    const float z = sin_ * d.x + cos_ * d.z;
    float u = std::atan2(across, z) * (.5f * inverse_pi) + .5f;
    u -= std::floor(u);
    const V2f place(u, std::acos(std::clamp(d.y, -1.f, 1.f)) * inverse_pi);
    uint32_t x;
    uint32_t y;
    texel(place, x, y);
    fetch(x, y);
    of_->texels.prefetch(of_->curve.index(x, y));
    return place;
}

void EnvironmentMap::texel(const V2f& place, uint32_t& x, uint32_t& y) const {
    const int w = of_->image.width;
    const int h = of_->image.height;
    x = uint32_t(std::clamp(int(place.x * float(w)), 0, w - 1));
    y = uint32_t(std::clamp(int(place.y * float(h)), 0, h - 1));
}

V3f EnvironmentMap::radiance(const V2f& place) const {
    return of_ ? at(place.x * float(of_->image.width), place.y * float(of_->image.height)) : scale_;
}

V3f EnvironmentMap::at(float across, float down) const {
    const int w = of_->image.width;
    const int h = of_->image.height;
    const float x = across - .5f;
    const float y = std::clamp(down - .5f, 0.f, float(h - 1));
    const int x0 = int(std::floor(x));
    const int y0 = int(y);
    const int y1 = std::min(y0 + 1, h - 1);
    const float fx = x - float(x0);
    const float fy = y - float(y0);
    auto at = [&](int i, int j) {
        return of_->image.pixels[size_t(j) * size_t(w) + size_t(i < 0 ? i + w : i >= w ? i - w : i)];
    };
    const V3f a = at(x0, y0) * (1.f - fx) + at(x0 + 1, y0) * fx;
    const V3f b = at(x0, y1) * (1.f - fx) + at(x0 + 1, y1) * fx;
    return scale_ * (a * (1.f - fy) + b * fy);
}

float EnvironmentMap::pdf(const V2f& place) const {
    if (!of_) return .25f * inverse_pi;
    uint32_t x;
    uint32_t y;
    texel(place, x, y);
    return of_->chance(x, y) / (2.f * pi * of_->band(y) / float(of_->image.width));
}

void EnvironmentMap::sample(Draw* draws, size_t count) const {
    if (!of_) {
        for (size_t k = 0; k < count; ++k) {
            const float z = 1.f - 2.f * float(draws[k].u);
            const float s = std::sqrt(std::max(0.f, 1.f - z * z));
            const float phi = 2.f * pi * draws[k].v;
            draws[k].direction = {s * std::cos(phi), z, s * std::sin(phi)};
            draws[k].luminance = average_;
            draws[k].pdf = .25f * inverse_pi;
        }
        return;
    }
    constexpr size_t together = 8;
    size_t blocks[together];
    for (size_t first = 0; first < count; first += together) {
        const size_t n = std::min(together, count - first);
        Draw* some = draws + first;
        for (size_t k = 0; k < n; ++k) blocks[k] = of_->texels.block(some[k].u);
        for (size_t k = 0; k < n; ++k) look(some[k], of_->texels.draw_in(blocks[k], some[k].u));
    }
}

/// The texel by the first number, whose rest places it across; by the second one evenly over its solid angle.
void EnvironmentMap::look(Draw& draw, const Drawn& drawn) const {
    const float w = float(of_->image.width);
    uint32_t x;
    uint32_t y;
    of_->curve.place(drawn.index, x, y);
    const float cosine = of_->edges[y] - clamp01(draw.v) * of_->band(y);
    draw.across = (float(x) + clamp01(drawn.rest)) / w;
    float sine_turn;
    float cosine_turn;
    sincos_turn(draw.across, sine_turn, cosine_turn);  // the middle column is half a turn from it
    const float s = std::sqrt(std::max(0.f, 1.f - cosine * cosine));
    const float lx = -s * sine_turn;
    const float lz = -s * cosine_turn;
    draw.direction = {cos_ * lx + sin_ * lz, cosine, -sin_ * lx + cos_ * lz};
    draw.pdf = drawn.chance / (2.f * pi * of_->band(y) / w);
    // What the texel and those around it give in the mean; their brightest ones are few, drawn often, and so at hand.
    constexpr float bright = 64.f;
    draw.luminance = draw.pdf * 4.f * pi * average_;
    if (draw.luminance > bright * average_) draw.luminance = luminance(radiance(draw.across, draw.direction));
}

V3f EnvironmentMap::sample(double u, float v, float& pdf, V3f& radiance) const {
    Draw one;
    one.u = u;
    one.v = v;
    sample(&one, 1);
    pdf = one.pdf;
    radiance = this->radiance(one.across, one.direction);
    return one.direction;
}

}  // namespace vemtra::render
