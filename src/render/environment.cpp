#include "render/environment.h"

#include <algorithm>
#include <cmath>

namespace vemtra::render {

EnvironmentPicture::EnvironmentPicture(texture::Picture pixels) : picture(std::move(pixels)) {
    // The grid is at most 1024 x 512; each cell takes the mean luminance of its texels and is widened by its
    // neighbours, so that the density is never low where bilinear reading still gives light.
    width = std::min(picture.width, 1024);
    height = std::min(picture.height, 512);
    std::vector<float> cells(size_t(width) * size_t(height), 0.f);
    std::vector<float> count(cells.size(), 0.f);
    for (int y = 0; y < picture.height; ++y)
        for (int x = 0; x < picture.width; ++x) {
            const size_t cell = size_t(int64_t(y) * height / picture.height) * size_t(width) +
                                size_t(int64_t(x) * width / picture.width);
            cells[cell] += luminance(picture.pixels[size_t(y) * size_t(picture.width) + size_t(x)]);
            count[cell] += 1.f;
        }
    for (size_t i = 0; i < cells.size(); ++i) cells[i] /= std::max(1.f, count[i]);
    marginal.assign(size_t(height) + 1, 0.f);
    rows.assign(size_t(height) * size_t(width + 1), 0.f);
    double total = 0;
    double weight = 0;
    for (int y = 0; y < height; ++y) {
        const float s = std::sin(pi * (float(y) + .5f) / float(height));
        float* row = &rows[size_t(y) * size_t(width + 1)];
        double sum = 0;
        for (int x = 0; x < width; ++x) {
            float m = 0.f;
            for (int dy = -1; dy <= 1; ++dy)
                for (int dx = -1; dx <= 1; ++dx)
                    m += cells[size_t(std::clamp(y + dy, 0, height - 1)) * size_t(width) +
                               size_t((x + dx + width) % width)] *
                         (dx || dy ? .05f : .6f);
            sum += double(m);
            row[x + 1] = float(sum);
            total += double(cells[size_t(y) * size_t(width) + size_t(x)]) * double(s);
            weight += double(s);
        }
        if (sum > 0)
            for (int x = 1; x <= width; ++x) row[x] = float(row[x] / sum);
        else
            for (int x = 1; x <= width; ++x) row[x] = float(x) / float(width);
        row[width] = 1.f;
        marginal[size_t(y) + 1] = marginal[size_t(y)] + float(sum * double(s));
    }
    average = float(total / std::max(weight, 1e-12));
    if (marginal.back() > 0.f)
        for (float& m : marginal) m /= marginal.back() > 0.f ? marginal[size_t(height)] : 1.f;
    if (!(marginal.back() > .999f))
        for (int y = 0; y <= height; ++y) marginal[size_t(y)] = float(y) / float(height);
    marginal.back() = 1.f;
}

EnvironmentMap::EnvironmentMap(std::shared_ptr<const EnvironmentPicture> picture, V3f scale, float rotation)
    : of_(std::move(picture)), scale_(scale), cos_(std::cos(radians(rotation))), sin_(std::sin(radians(rotation))) {
    if (of_ && of_->picture.pixels.empty()) of_ = nullptr;
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
    const int w = of_->picture.width;
    const int h = of_->picture.height;
    const float x = uv.x * float(w) - .5f;
    const float y = std::clamp(uv.y * float(h) - .5f, 0.f, float(h - 1));
    const int x0 = int(std::floor(x));
    const int y0 = int(y);
    const int y1 = std::min(y0 + 1, h - 1);
    const float fx = x - float(x0);
    const float fy = y - float(y0);
    auto at = [&](int i, int j) { return of_->picture.pixels[size_t(j) * size_t(w) + size_t((i + w) % w)]; };
    const V3f a = at(x0, y0) * (1.f - fx) + at(x0 + 1, y0) * fx;
    const V3f b = at(x0, y1) * (1.f - fx) + at(x0 + 1, y1) * fx;
    return scale_ * (a * (1.f - fy) + b * fy);
}

float EnvironmentMap::pdf(const V3f& direction) const {
    if (!of_) return .25f * inverse_pi;
    const V2f uv = to_uv(direction);
    const int x = std::min(int(uv.x * float(of_->width)), of_->width - 1);
    const int y = std::min(int(uv.y * float(of_->height)), of_->height - 1);
    const float* row = &of_->rows[size_t(y) * size_t(of_->width + 1)];
    const float density = (of_->marginal[size_t(y) + 1] - of_->marginal[size_t(y)]) * float(of_->height) *
                          (row[x + 1] - row[x]) * float(of_->width);
    return density / (2.f * pi * pi * std::max(1e-5f, std::sin(uv.y * pi)));
}

V3f EnvironmentMap::sample(float u, float v, float& density) const {
    if (!of_) {
        const float z = 1.f - 2.f * u;
        const float s = std::sqrt(std::max(0.f, 1.f - z * z));
        const float phi = 2.f * pi * v;
        density = .25f * inverse_pi;
        return {s * std::cos(phi), z, s * std::sin(phi)};
    }
    auto find = [](const float* cdf, int n, float x, float& inside) {
        const int i = std::clamp(int(std::upper_bound(cdf, cdf + n + 1, x) - cdf) - 1, 0, n - 1);
        const float width = cdf[i + 1] - cdf[i];
        inside = width > 0.f ? clamp01((x - cdf[i]) / width) : .5f;
        return i;
    };
    float fy;
    float fx;
    const int y = find(of_->marginal.data(), of_->height, v, fy);
    const int x = find(&of_->rows[size_t(y) * size_t(of_->width + 1)], of_->width, u, fx);
    const float theta = (float(y) + fy) / float(of_->height) * pi;
    const float phi = ((float(x) + fx) / float(of_->width) - .5f) * 2.f * pi;
    const float s = std::sin(theta);
    const float lx = s * std::sin(phi);
    const float lz = s * std::cos(phi);
    const V3f d(cos_ * lx + sin_ * lz, std::cos(theta), -sin_ * lx + cos_ * lz);
    density = pdf(d);
    return d;
}

}  // namespace vemtra::render
