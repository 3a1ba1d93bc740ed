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

V2f EnvironmentMap::to_uv(const V3f& d) const {
    const float x = cos_ * d.x - sin_ * d.z;
    const float z = sin_ * d.x + cos_ * d.z;
    float u = std::atan2(x, z) * (.5f * inverse_pi) + .5f;
    u -= std::floor(u);
    return {u, std::acos(std::clamp(d.y, -1.f, 1.f)) * inverse_pi};
}

V3f EnvironmentMap::radiance(const V3f& direction) const {
    if (!of_) return scale_;
    const V2f uv = to_uv(direction);
    return at(uv.x * float(of_->image.width), uv.y * float(of_->image.height));
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

float EnvironmentMap::pdf(const V3f& direction) const {
    if (!of_) return .25f * inverse_pi;
    const V2f uv = to_uv(direction);
    const int w = of_->image.width;
    const int h = of_->image.height;
    const int x = std::min(int(uv.x * float(w)), w - 1);
    const int y = std::min(int(uv.y * float(h)), h - 1);
    return of_->chance(size_t(x), size_t(y)) / (2.f * pi * of_->band(size_t(y)) / float(w));
}

V3f EnvironmentMap::sample(double u, float v, float& density, V3f& light) const {
    if (!of_) {
        light = scale_;
        const float z = 1.f - 2.f * float(u);
        const float s = std::sqrt(std::max(0.f, 1.f - z * z));
        const float phi = 2.f * pi * v;
        density = .25f * inverse_pi;
        return {s * std::cos(phi), z, s * std::sin(phi)};
    }
    // The texel by the first number, whose rest places it across; evenly over its solid angle.
    const size_t w = size_t(of_->image.width);
    const size_t h = size_t(of_->image.height);
    const Drawn drawn = of_->texels.draw(u);
    uint32_t x;
    uint32_t y;
    of_->curve.place(drawn.index, x, y);
    // Its light is far from the caches: it comes while the direction is worked out.
    const V3f* pixels = of_->image.pixels.data() + size_t(y) * w + x;
    __builtin_prefetch(pixels);
    __builtin_prefetch(pixels - (y > 0 ? w : 0));
    __builtin_prefetch(pixels + (y + 1 < h ? w : 0));
    const float cosine = of_->edges[y] - clamp01(v) * of_->band(y);
    const float across = float(x) + clamp01(drawn.rest);
    const float phi = (across / float(w) - .5f) * 2.f * pi;
    const float s = std::sqrt(std::max(0.f, 1.f - cosine * cosine));
    const float lx = s * std::sin(phi);
    const float lz = s * std::cos(phi);
    density = drawn.chance / (2.f * pi * of_->band(y) / float(w));
    light = at(across, std::acos(std::clamp(cosine, -1.f, 1.f)) * inverse_pi * float(h));
    return {cos_ * lx + sin_ * lz, cosine, -sin_ * lx + cos_ * lz};
}

}  // namespace vemtra::render
