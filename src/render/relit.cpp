#include "render/relit.h"

#include "base/parallel.h"
#include "render/pinhole.h"

namespace vemtra::render {
namespace {

constexpr int around = 512;          // directions that the environment is asked in
constexpr size_t most_lights = 256;  // asked, of those there are
constexpr float least_part = .15f;   // of the mean, that a surface has in any case: from what stands around it
constexpr float most_turned = 3.f;   // times brighter or darker
constexpr int block = 8;             // pixels of the picture in one of those that its light is told apart by
constexpr float far_cells = 6.f;     // that a form may move within the picture
constexpr int beside = 3;            // cells around one, that tell what it shows
constexpr float dark = 1e-4f;        // below it nothing is told apart

/// The harmonics in a direction (Ramamoorthi and Hanrahan, eq. 3).
std::array<float, 9> harmonics(const V3f& d) {
    return {.282095f,
            .488603f * d.y,
            .488603f * d.z,
            .488603f * d.x,
            1.092548f * d.x * d.y,
            1.092548f * d.y * d.z,
            .315392f * (3.f * d.z * d.z - 1.f),
            1.092548f * d.x * d.z,
            .546274f * (d.x * d.x - d.y * d.y)};
}

/// A cell of the smaller pictures, and how the pixels in it are found from it.
struct Cells {
    const SeenPlaces& now;
    size_t width, height;         ///< of the picture
    std::vector<size_t> columns;  ///< per column of the picture
    Cells(const SeenPlaces& of, size_t w, size_t h) : now(of), width(w), height(h), columns(w) {
        for (size_t x = 0; x < w; ++x) columns[x] = x * size_t(of.width) / w;
    }
    size_t row(size_t y) const { return y * size_t(now.height) / height * size_t(now.width); }
    /// The mean of `value` over the four cells around a pixel that show what its own one shows; `takes(cell)`.
    template <class Takes>
    V3f at(size_t x, size_t y, size_t own, const std::vector<V3f>& value, const Takes& takes) const {
        const size_t w = size_t(now.width);
        const size_t h = size_t(now.height);
        const float fx = std::clamp((float(x) + .5f) * float(w) / float(width) - .5f, 0.f, float(w - 1));
        const float fy = std::clamp((float(y) + .5f) * float(h) / float(height) - .5f, 0.f, float(h - 1));
        V3f sum(0.f);
        float weight = 0.f;
        for (size_t j = 0; j < 2; ++j)
            for (size_t i = 0; i < 2; ++i) {
                const size_t u = std::min(size_t(fx) + i, w - 1);
                const size_t v = std::min(size_t(fy) + j, h - 1);
                const size_t q = v * w + u;
                if (now.pixels[q].instance != now.pixels[own].instance || !takes(q)) continue;
                const float k = (i ? fx - std::floor(fx) : 1.f - fx + std::floor(fx)) *
                                (j ? fy - std::floor(fy) : 1.f - fy + std::floor(fy));
                sum += value[q] * k;
                weight += k;
            }
        return weight > 1e-3f ? sum / weight : value[own];
    }
};

/// Where an outline has moved, a form goes on as it is beside: the coarse picture's few pixels there are of chance.
/// `asks(cell)`, `tells(cell)`: exclude each other.
template <class Asks, class Tells>
void fill_in(std::vector<V3f>& linear, const SeenPlaces& seen, const Asks& asks, const Tells& tells) {
    const int w = seen.width;
    const int h = seen.height;
    parallel_ranges(size_t(h), 4, [&](size_t first, size_t last) {
        for (int y = int(first); y < int(last); ++y)
            for (int x = 0; x < w; ++x) {
                const size_t q = size_t(y) * size_t(w) + size_t(x);
                if (!asks(q)) continue;
                V3f sum(0.f);
                float weight = 0.f;
                for (int v = std::max(0, y - beside); v <= std::min(h - 1, y + beside); ++v)
                    for (int u = std::max(0, x - beside); u <= std::min(w - 1, x + beside); ++u) {
                        const size_t k = size_t(v) * size_t(w) + size_t(u);
                        if (seen.pixels[k].instance != seen.pixels[q].instance || !tells(k)) continue;
                        const float near = 1.f / float((u - x) * (u - x) + (v - y) * (v - y));
                        sum += linear[k] * near;
                        weight += near;
                    }
                if (weight > 0.f) linear[q] = sum / weight;
            }
    });
}

}  // namespace

FallingLight::FallingLight(const PreparedRig& rig, const std::vector<V3f>& gains, const V3f& middle) {
    auto of_group = [&](int group, const V3f& light) {
        return luminance(size_t(group) < gains.size() ? light * gains[size_t(group)] : light);
    };
    if (rig.environment)
        for (int k = 0; k < around; ++k) {  // evenly over the sphere (Vogel 1979)
            const float y = 1.f - (2.f * float(k) + 1.f) / float(around);
            const float angle = 2.39996323f * float(k);
            const float flat = std::sqrt(std::max(0.f, 1.f - y * y));
            const V3f d(flat * std::cos(angle), y, flat * std::sin(angle));
            add(d, of_group(rig.environment_group, rig.environment->radiance(d)) * 4.f * pi / float(around));
        }
    const size_t every = std::max<size_t>(1, rig.lights.size() / most_lights);
    for (size_t k = 0; k < rig.lights.size(); k += every) {
        const AreaLight& light = rig.lights[k];
        const LightSample s = sample_light(light, middle, .5f, .5f);
        if (s.pdf > 0.f) add(s.direction, of_group(light.group, s.radiance) / s.pdf * float(every));
    }
    // The cosine's own harmonics, eq. 8: pi, 2 pi / 3, pi / 4.
    for (size_t k = 0; k < 9; ++k) part_[k] *= k == 0 ? pi : k < 4 ? 2.f * pi / 3.f : pi / 4.f;
    least_ = std::max(1e-20f, least_part * part_[0] * .282095f);
}

void FallingLight::add(const V3f& direction, float light) {
    if (!std::isfinite(light)) return;
    const auto h = harmonics(direction);
    for (size_t k = 0; k < 9; ++k) part_[k] += h[k] * light;
}

float FallingLight::on(const V3f& normal) const {
    const auto h = harmonics(normal);
    float sum = 0.f;
    for (size_t k = 0; k < 9; ++k) sum += h[k] * part_[k];
    return std::max(least_, sum);  // in this order: a normal that is no number gets the least
}

std::vector<V3f> relit(const Standing& standing, const Faced& before, const SeenPlaces& now,
                       const std::vector<uint8_t>& moved, const FallingLight& light, const Pixels& fresh) {
    const size_t count = now.pixels.size();
    std::vector<V3f> out = standing.linear;
    const std::vector<V3f>& small = before.small.linear;
    if (before.seen.pixels.size() != count || small.size() != count || fresh.linear.empty()) return out;
    CarriedPicture picture{small, std::vector<uint8_t>(count, CarriedPicture::seen)};
    enum Becomes : uint8_t { stands, turned, new_there };
    std::vector<uint8_t> becomes(count, stands);
    const Pinhole eye(now.camera, now.width, now.height, now.framed);
    auto has_moved = [&](uint32_t instance) { return instance < moved.size() && moved[instance]; };
    auto facing = [](const SeenPlaces& s, size_t q) {
        const V3f& n = s.pixels[q].normal;
        return n.dot(s.pixels[q].place - s.camera.position) > 0.f ? -n : n;
    };
    parallel_ranges(count, 4096, [&](size_t first, size_t last) {
        for (size_t q = first; q < last; ++q) {
            const uint32_t shows = now.pixels[q].instance;
            const uint32_t showed = before.seen.pixels[q].instance;
            if (!has_moved(shows) && !has_moved(showed)) continue;
            const V3f& place = now.pixels[q].place;
            const float cell = eye.pixel_angle * (place - eye.origin).length();
            // What has gone far is another place of the form: of the one before only a ghost would be left.
            if (shows == showed && (place - before.seen.pixels[q].place).length() < far_cells * cell) {
                becomes[q] = turned;
                picture.linear[q] *= std::clamp(light.on(facing(now, q)) / light.on(facing(before.seen, q)),
                                                1.f / most_turned, most_turned);
            } else {
                becomes[q] = new_there;
                picture.linear[q] = V3f(0.f);
                picture.known[q] = CarriedPicture::hidden;
            }
        }
    });
    auto in_blocks = [](int pixels) { return (pixels + block - 1) / block; };
    bring_up_to_date(picture, now, made_smaller(fresh, in_blocks(standing.width), in_blocks(standing.height)), fresh);
    fill_in(
        picture.linear, now, [&](size_t q) { return becomes[q] == new_there; },
        [&](size_t q) { return becomes[q] != new_there && !before.seen.edges[q]; });
    std::vector<V3f> gain(count, V3f(1.f));
    for (size_t q = 0; q < count; ++q)
        for (int c = 0; c < 3; ++c)
            gain[q][c] = (std::max(0.f, picture.linear[q][c]) + dark) / (std::max(0.f, small[q][c]) + dark);
    const Cells cells(now, size_t(standing.width), size_t(standing.height));
    parallel_ranges(cells.height, 8, [&](size_t first, size_t last) {
        for (size_t y = first; y < last; ++y) {
            const size_t row = cells.row(y);
            for (size_t x = 0; x < cells.width; ++x) {
                const size_t q = row + cells.columns[x];
                V3f& pixel = out[y * cells.width + x];
                if (becomes[q] == turned)
                    pixel *= cells.at(x, y, q, gain, [&](size_t k) { return becomes[k] == turned; });
                else if (becomes[q] == new_there)
                    pixel = cells.at(x, y, q, picture.linear, [](size_t) { return true; });
            }
        }
    });
    return out;
}

}  // namespace vemtra::render
