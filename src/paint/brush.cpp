#include "paint/brush.h"

#include <algorithm>

#include "base/hash.h"
#include "render/pinhole.h"

namespace vemtra::paint {

Tip::Tip(std::string name, int size, std::vector<float> values) : name_(std::move(name)) {
    values.resize(size_t(size) * size_t(size));
    levels_.push_back({size, std::move(values)});
    while (levels_.back().size > 1) {
        const Level& fine = levels_.back();
        Level l{fine.size / 2, {}};
        for (int y = 0; y < l.size; ++y)
            for (int x = 0; x < l.size; ++x) {
                const size_t at = size_t(2 * y) * size_t(fine.size) + size_t(2 * x);
                l.values.push_back(.25f * (fine.values[at] + fine.values[at + 1] + fine.values[at + size_t(fine.size)] +
                                           fine.values[at + size_t(fine.size) + 1]));
            }
        levels_.push_back(std::move(l));
    }
}

float Tip::at(float x, float y, float width) const {
    if (!(std::fabs(x) < 1.f && std::fabs(y) < 1.f)) return 0.f;
    auto read = [&](const Level& l) {
        const float fx = (x * .5f + .5f) * float(l.size) - .5f;
        const float fy = (.5f - y * .5f) * float(l.size) - .5f;
        const int ix = int(std::floor(fx));
        const int iy = int(std::floor(fy));
        const float a = fx - float(ix);
        const float b = fy - float(iy);
        auto texel = [&](int i, int j) {
            return i < 0 || j < 0 || i >= l.size || j >= l.size ? 0.f
                                                                : l.values[size_t(j) * size_t(l.size) + size_t(i)];
        };
        return lerp(lerp(texel(ix, iy), texel(ix + 1, iy), a), lerp(texel(ix, iy + 1), texel(ix + 1, iy + 1), a), b);
    };
    const float lod = std::log2(std::max(1.f, width * .5f * float(levels_[0].size)));
    const size_t fine = std::min(levels_.size() - 1, size_t(lod));
    const float v = read(levels_[fine]);
    if (fine + 1 >= levels_.size() || lod <= float(fine)) return v;
    return lerp(v, read(levels_[fine + 1]), lod - float(fine));
}

Hand::Hand(std::shared_ptr<const render::Prepared> prepared, View view, Brush brush, uint32_t seed)
    : prepared_(std::move(prepared)), view_(std::move(view)), brush_(std::move(brush)), seed_(seed) {
}

float Hand::random() {
    return float(mix32(seed_ * 0x9e3779b9u + mix32(count_++)) >> 8) * 0x1p-24f;
}

std::optional<Dab> Hand::dab_at(const HandSample& sample, V2f towards) {
    const Brush& b = brush_;
    const float pressure = std::isfinite(sample.pressure) ? clamp01(sample.pressure) : 1.f;
    HandSample s = sample;
    // Chances are drawn whether they count or not: a dab that misses the form does not change the next ones.
    const float by_size = random();
    const float by_angle = random();
    const float by_way = random();
    const float by_distance = random();
    const float by_flow = random();
    const float by_tip = random();
    if (b.jitter_place > 0.f) {
        const float r = pixel_radius_ * 2.f * b.jitter_place * std::sqrt(by_distance);
        s.x += r * std::cos(2.f * pi * by_way);
        s.y += r * std::sin(2.f * pi * by_way);
    }
    const auto seen = render::visible_at(*prepared_, view_.camera, view_.width, view_.height, s.x, s.y);
    if (!seen.hit) return std::nullopt;
    const geometry::SurfacePoint point = prepared_->geometry->at(seen.at);
    Dab d;
    d.centre = point.position;
    const V3f to_eye = (view_.camera.position - point.position).normalized();
    d.behind = point.normal_geometric.dot(to_eye) < 0.f;
    d.axis = d.behind ? -point.normal : point.normal;
    if (!finite(d.axis) || !finite(d.centre)) return std::nullopt;
    const float metres_per_pixel = std::max(seen.width, 1e-9f);
    float diameter = b.in_scene ? b.size : b.size * metres_per_pixel;
    if (b.pressure_size) diameter *= std::max(.02f, pressure);
    diameter *= 1.f - b.jitter_size * by_size;
    d.radius = std::max(.5f * diameter, 1e-7f * prepared_->scene_size);
    last_radius_ = d.radius;
    pixel_radius_ = std::clamp(d.radius / metres_per_pixel, .5f, 4000.f);
    d.flow = clamp01(b.flow * (b.pressure_flow ? pressure : 1.f) * (1.f - b.jitter_flow * by_flow));
    d.hardness = b.hardness;
    d.roundness = std::clamp(b.roundness, .05f, 1.f);
    d.steep = b.steep;
    // Which way is across: the picture's right, laid onto the surface, turned.
    float turn = radians(b.angle);
    const render::Pinhole eye(view_.camera, view_.width, view_.height, view_.framed);
    V2f right(1.f, 0.f);
    if (b.turning == Turning::along && towards.length2() > 0.f) right = towards.normalized();
    if (b.turning == Turning::random)
        turn += 2.f * pi * by_angle;
    else
        turn += pi * b.jitter_angle * (2.f * by_angle - 1.f);
    if (b.tilt_turns && std::isfinite(sample.tilt_x) && std::isfinite(sample.tilt_y) &&
        std::hypot(sample.tilt_x, sample.tilt_y) > 1.f)
        turn += std::atan2(-sample.tilt_y, sample.tilt_x);
    V3f across = eye.right * right.x - eye.up * right.y;
    across -= d.axis * d.axis.dot(across);
    if (across.length2() < 1e-8f) across = Frame(d.axis).tangent;
    across.normalize();
    d.across = (across * std::cos(turn) + d.axis.cross(across) * std::sin(turn)).normalized();
    if (!b.tips.empty()) d.tip = b.tips[std::min(b.tips.size() - 1, size_t(by_tip * float(b.tips.size())))].get();
    return d;
}

void Hand::go_to(const HandSample& to, std::vector<Dab>& out) {
    for (int guard = 0; guard < 20000; ++guard) {
        const V2f way(to.x - last_.x, to.y - last_.y);
        const float length = way.length();
        const float step = std::max(.5f, std::clamp(brush_.spacing, .01f, 4.f) * 2.f * pixel_radius_) - left_;
        if (length < step || !(length > 0.f)) {
            left_ += length;
            last_ = to;
            return;
        }
        towards_ = way / length;
        const float t = std::max(0.f, step) / length;
        last_.x += way.x * t;
        last_.y += way.y * t;
        last_.pressure = lerp(last_.pressure, to.pressure, t);
        last_.tilt_x = lerp(last_.tilt_x, to.tilt_x, t);
        last_.tilt_y = lerp(last_.tilt_y, to.tilt_y, t);
        left_ = 0.f;
        if (auto d = dab_at(last_, towards_)) out.push_back(*d);
    }
}

std::vector<Dab> Hand::move(const HandSample& sample) {
    std::vector<Dab> out;
    if (!std::isfinite(sample.x) || !std::isfinite(sample.y)) return out;
    HandSample s = sample;
    s.x = std::clamp(s.x, -1e5f, 1e5f);
    s.y = std::clamp(s.y, -1e5f, 1e5f);
    if (!std::isfinite(s.pressure)) s.pressure = begun_ ? hand_.pressure : 1.f;
    hand_ = s;
    if (!begun_) {
        begun_ = true;
        last_ = s;
        if (auto d = dab_at(s, towards_)) out.push_back(*d);
        return out;
    }
    // The brush hangs on a string behind the hand: it follows once that is taut.
    const float string = clamp01(brush_.smoothing) * pixel_radius_;
    const V2f away(s.x - last_.x, s.y - last_.y);
    const float length = away.length();
    if (length <= string) return out;
    HandSample to = s;
    to.x = last_.x + away.x * (length - string) / length;
    to.y = last_.y + away.y * (length - string) / length;
    go_to(to, out);
    return out;
}

std::vector<Dab> Hand::end() {
    std::vector<Dab> out;
    if (begun_) go_to(hand_, out);
    return out;
}

std::vector<Dab> mirrored(const Dab& dab, int axes) {
    std::vector<Dab> all{dab};
    for (int a = 0; a < 3; ++a) {
        if (!(axes >> a & 1)) continue;
        const size_t n = all.size();
        for (size_t i = 0; i < n; ++i) {
            Dab d = all[i];
            d.centre[a] = -d.centre[a];
            d.axis[a] = -d.axis[a];
            d.across[a] = -d.across[a];
            d.mirrored = !d.mirrored;
            all.push_back(d);
        }
    }
    return all;
}

}  // namespace vemtra::paint
