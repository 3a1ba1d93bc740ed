// Decals at the points of a batch: which frames hold them, what is there, what only tints what lies below, and how
// their edges stand out.
#include <chrono>
#include <utility>

#include "render/materials.h"

namespace vemtra::render {
namespace {

using Clock = std::chrono::steady_clock;

}  // namespace

/// Which frames hold the open points, by layer; of one layer those on top come first.
void Materials::find_decals(const Prepared& p, Level& l, const PreparedBuildUp& build_up) {
    const nodes::PointBatch all = arrays.batch(nodes::max_batch, p);
    for (const int i : l.open) {
        closed_[size_t(i)] = 0;
        build_up.decals->at(all, i, l.hits);
    }
    std::sort(l.hits.begin(), l.hits.end(), [](const DecalHit& a, const DecalHit& b) {
        if (a.layer != b.layer) return a.layer > b.layer;
        return a.order != b.order ? a.order > b.order : a.point < b.point;
    });
}

/// A decal at the points that its frames hold: there the rows of UVs are those of the frame, also for what is nested in
/// it. Points that several of its frames hold are asked again for each, the topmost first.
void Materials::choose_decal(const Prepared& p, size_t level, const PreparedBuildUp& build_up,
                             const PreparedLayer& layer, LayerCost* costs) {
    Level& l = *levels_[level];
    auto first = std::lower_bound(l.hits.begin(), l.hits.end(), layer.own,
                                  [](const DecalHit& h, int own) { return h.layer > own; });
    if (first == l.hits.end() || first->layer != layer.own) return;
    const auto begin = Clock::now();
    waiting_.clear();
    while (first != l.hits.end() && first->layer == layer.own) waiting_.push_back(*first++);
    const PreparedLayer* below = nullptr;
    for (const PreparedLayer& other : build_up.layers)
        if (layer.stands_on >= 0 && other.own == layer.stands_on) below = &other;
    constexpr int rows[] = {nodes::row_uv,          nodes::row_uv + 1,      nodes::row_uv_axes,
                            nodes::row_uv_axes + 1, nodes::row_uv_axes + 2, nodes::row_uv_axes + 3,
                            nodes::row_tangent,     nodes::row_tangent + 1, nodes::row_tangent + 2};
    constexpr size_t count = std::size(rows);
    size_t taken = 0;
    while (!waiting_.empty()) {
        now_.clear();  // one for each point
        later_.clear();
        ++rounds_;
        for (const DecalHit& h : waiting_) {
            if (closed_[size_t(h.point)]) continue;
            uint32_t& round = round_[size_t(h.point)];
            (round == rounds_ ? later_ : now_).push_back(h);
            round = rounds_;
        }
        waiting_.swap(later_);
        if (now_.empty()) break;
        // What is nested may hold decals itself: what it uses of ours is kept by value.
        const std::vector<DecalHit> now = now_;
        const std::vector<DecalHit> rest = waiting_;
        const int n = int(now.size());
        std::vector<int> points;
        for (const DecalHit& h : now) points.push_back(h.point);
        if (below && !below->always) {
            gather(points);
            coverage_of(*below, subset.batch(n, p), workspace, below_.data());
        } else {
            std::fill_n(below_.begin(), n, 1.f);
        }
        std::vector<std::array<float, count>> before(now.size());
        for (size_t k = 0; k < now.size(); ++k) {
            const DecalHit& h = now[k];
            const size_t i = size_t(h.point);
            const V3f t = h.grow[0].length2() > 0.f ? h.grow[0].normalized() : V3f(0.f);
            const float values[count] = {h.uv[0], h.uv[1], h.axes[0], h.axes[1], h.axes[2], h.axes[3], t.x, t.y, t.z};
            for (size_t r = 0; r < count; ++r) {
                before[k][r] = arrays.values[size_t(rows[r])][i];
                arrays.values[size_t(rows[r])][i] = values[r];
            }
        }
        const bool in_frame = std::exchange(subset.in_frame, true);
        if (const V3f* mask = layer.gate.constant(0)) {
            std::fill_n(coverage_.begin(), n, layer.amount * (1.f + layer.gate_amount * (clamp01(mask->x) - 1.f)));
        } else {
            gather(points);
            coverage_of(layer, subset.batch(n, p), workspace, coverage_.data());
        }
        l.chosen.clear();
        std::vector<DecalHit> chosen;
        if (layer.print != scene::Print::covers) {
            for (size_t k = 0; k < now.size(); ++k) coverage_[k] *= below_[k] * now[k].fade;
            add_prints(p, layer, points);
            taken += points.size();
        } else {
            choose_among(now, l.chosen, chosen);
            take(p, level, layer, costs);
            taken += l.chosen.size();
            if (layer.lip != 0.f && !chosen.empty()) raise_edge(p, layer, chosen);
        }
        subset.in_frame = in_frame;
        for (size_t k = 0; k < now.size(); ++k)
            for (size_t r = 0; r < count; ++r) arrays.values[size_t(rows[r])][size_t(now[k].point)] = before[k][r];
        if (!layer.coat)
            for (const int i : l.chosen) closed_[size_t(i)] = 1;
        waiting_ = rest;
    }
    if (!costs || layer.nested) return;
    costs[layer.index].nanoseconds += uint64_t(std::chrono::nanoseconds(Clock::now() - begin).count());
    costs[layer.index].points += uint64_t(taken);
}

/// The points of `hits` at which the decal is there, by their coverage.
void Materials::choose_among(const std::vector<DecalHit>& hits, std::vector<int>& points,
                             std::vector<DecalHit>& chosen) {
    for (size_t k = 0; k < hits.size(); ++k) {
        float& u = this->points[size_t(hits[k].point)].choice;
        const float c = coverage_[k] * below_[k] * hits[k].fade;
        if (u < c) {
            u /= c;
            points.push_back(hits[k].point);
            chosen.push_back(hits[k]);
        } else {
            u = c < 1.f ? std::min(.99999994f, (u - c) / (1.f - c)) : 0.f;
        }
    }
}

/// A tint stays with the point until a cover stands there; whatever lies between is looked through.
void Materials::add_prints(const Prepared& p, const PreparedLayer& layer, const std::vector<int>& at) {
    gather(at);
    layer.slots_at(subset.batch(int(at.size()), p), workspace, [&](int k, const surface::Slots& s) {
        if (!(coverage_[size_t(k)] > 0.f)) return;
        int& last = points[size_t(at[size_t(k)])].print;
        prints_.push_back({layer.print, s.base_color * s.base_weight, coverage_[size_t(k)], last});
        last = int(prints_.size()) - 1;
    });
}

void Materials::lay_prints(MaterialPoint& point) const {
    auto tinted = [](scene::Print print, float below, float ink) {
        switch (print) {
            case scene::Print::multiply: return below * ink;
            case scene::Print::screen: return 1.f - (1.f - below) * (1.f - ink);
            case scene::Print::overlay:
                return below < .5f ? 2.f * below * ink : 1.f - 2.f * (1.f - below) * (1.f - ink);
            case scene::Print::plus: return std::min(1.f, below + ink);
            case scene::Print::covers: break;
        }
        return ink;
    };
    for (int k = point.print; k >= 0; k = prints_[size_t(k)].next) {
        const PrintAt& print = prints_[size_t(k)];
        for (V3f* color : {&point.slots.base_color, &point.slots.subsurface_color})
            for (int c = 0; c < 3; ++c)
                (*color)[c] +=
                    print.coverage * (tinted(print.print, (*color)[c], clamp01(print.color[c])) - (*color)[c]);
    }
}

/// The edge of a decal that stands out, or is pressed in: over the lip's width its height rises with its coverage, and
/// with the distance from the frame's border; the normal is that of this height. The rows of the arrays are the
/// frame's.
void Materials::raise_edge(const Prepared& p, const PreparedLayer& layer, const std::vector<DecalHit>& at) {
    using namespace nodes;
    const size_t n = at.size();
    std::vector<int> picks;
    for (const DecalHit& h : at) picks.push_back(h.point);
    auto rise = [](float x) {
        const float t = clamp01(x);
        return t * t * (3.f - 2.f * t);
    };
    std::vector<std::array<float, 4>> height(n);  // at both ends of the lip's width, along u and v
    const bool everywhere = layer.gate.constant(0) != nullptr;
    for (size_t end = 0; end < 4; ++end) {
        const int axis = int(end / 2);
        const float sign = end % 2 ? -.5f : .5f;
        gather(picks);
        for (size_t k = 0; k < n; ++k) {
            const DecalHit& h = at[k];
            float here[2];
            float width[2];
            for (int a = 0; a < 2; ++a) {
                width[a] = std::max(1e-9f, layer.lip_width * h.grow[a].length());
                here[a] = h.uv[a] / layer.cell_size[a];
                here[a] -= std::floor(here[a]);
                if (a == axis) here[a] += sign * width[a];
            }
            height[k][end] = 1.f;
            for (int a = 0; a < 2 && !layer.repeats; ++a)
                height[k][end] *= rise(here[a] / width[a]) * rise((1.f - here[a]) / width[a]);
            subset.values[size_t(row_uv + axis)][k] += sign * width[axis] * layer.cell_size[axis];
            if (h.grow[axis].length2() > 0.f) {
                const V3f step = h.grow[axis].normalized() * (sign * layer.lip_width);
                for (int c = 0; c < 3; ++c) subset.values[size_t(row_position + c)][k] += step[c];
            }
            for (int a = 0; a < 2; ++a)  // what is seen at once is no less than the lip
                for (int c = 0; c < 2; ++c)
                    subset.values[size_t(row_uv_axes + 2 * a + c)][k] =
                        a == c ? std::max(std::fabs(h.axes[2 * a + c]), width[c] * layer.cell_size[c]) : 0.f;
        }
        if (everywhere) continue;
        coverage_of(layer, subset.batch(int(n), p), workspace, coverage_.data());
        for (size_t k = 0; k < n; ++k) height[k][end] *= coverage_[k];
    }
    for (size_t k = 0; k < n; ++k) {
        const DecalHit& h = at[k];
        V3f slope(0.f);
        for (size_t a = 0; a < 2; ++a) {
            const float width = std::max(1e-9f, layer.lip_width * h.grow[a].length());
            slope += h.grow[a] * (layer.lip * (height[k][2 * a] - height[k][2 * a + 1]) / width);
        }
        const size_t i = size_t(h.point);
        V3f mesh;
        for (int c = 0; c < 3; ++c) mesh[c] = arrays.values[size_t(row_normal + c)][i];
        auto tilt = [&](V3f& normal) {
            const V3f before = normal.length2() > 1e-12f ? normal : mesh;
            const float length = before.length();  // of a mean of many, see widened()
            const V3f after = before - slope * length;
            normal = after.length2() > 1e-12f ? after.normalized() * length : before;
        };
        if (layer.coat) {
            if (last_coat_[i] >= 0) tilt(coats_[size_t(last_coat_[i])].slots.geometry_coat_normal);
            continue;
        }
        tilt(points[i].slots.geometry_normal);
        if (points[i].slots.coat_weight > 0.f) tilt(points[i].slots.geometry_coat_normal);
    }
}

}  // namespace vemtra::render
