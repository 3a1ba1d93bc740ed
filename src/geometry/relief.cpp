#include "geometry/relief.h"

#include <atomic>
#include <cmath>

#include "base/parallel_sort.h"
#include "geometry/face_sides.h"
#include "geometry/field_grid.h"
#include "geometry/places.h"

namespace vemtra::geometry {

ReliefFrame relief_frame(const ReliefFace& f) {
    auto of = [](const float* v) { return V3f(v[0], v[1], v[2]); };
    auto sum = [](const V3f& v) { return std::fabs(v.x) + std::fabs(v.y) + std::fabs(v.z); };
    const V3f p0 = of(f.corner[0]);
    const V3f e1 = of(f.corner[1]) - p0;
    const V3f e2 = of(f.corner[2]) - p0;
    const float segments = float(1 << f.levels);
    const float per = 1.f / segments;
    ReliefFrame out;
    V3f axes[3] = {{1, 0, 0}, {0, 1, 0}, e1.cross(e2)};
    out.flat = axes[2].length2() > 1e-36f && dual_basis(e1, e2, axes[0], axes[1]);
    if (out.flat)
        axes[0] *= segments, axes[1] *= segments;
    else
        axes[2] = {0, 0, 1};
    auto turn = [&](const V3f& v) { return V3f(v.dot(axes[0]), v.dot(axes[1]), v.dot(axes[2])); };
    const V3f d[3] = {turn(of(f.along[0])), turn(of(f.along[1])), turn(of(f.along[2]))};
    const V3f middle = p0 + (e1 + e2) / 3.f;
    for (int c = 0; c < 3; ++c) {
        for (int k = 0; k < 3; ++k) out.axes[c][k] = axes[c][k];
        out.first[c] = p0[c];
        out.middle[c] = middle[c];
        out.d0[c] = d[0][c];
        out.d1[c] = (d[1][c] - d[0][c]) * per;
        out.d2[c] = (d[2][c] - d[0][c]) * per;
        out.reach[c] = sum(axes[c]);
        out.length[c] = axes[c].length();
    }
    out.size = sum(p0) + sum(e1) + sum(e2);
    // How far its corners are from where they ought to be, where rounding has moved the axes.
    const V3f off[2] = {turn(e1) - V3f(segments, 0.f, 0.f), turn(e2) - V3f(0.f, segments, 0.f)};
    for (int c = 0; c < 3; ++c)
        if (!(std::fabs(off[0][c]) + std::fabs(off[1][c]) <= 2.4e-6f * out.size * out.reach[c])) out.flat = false;
    return out;
}

FaceHeights::~FaceHeights() = default;
ReliefHeights::~ReliefHeights() = default;
void ReliefHeights::offsets(uint32_t, const int*, const int*, int count, V3f* out) const {
    std::fill_n(out, count, V3f(0.f));
}
Box3f ReliefHeights::offset_range(uint32_t) const {
    return {V3f(0.f), V3f(0.f)};
}

namespace {

void find_places(const Mesh& m, Welds& w) {
    const std::vector<uint32_t> first = first_at_place(m);
    w.place_of.resize(first.size());
    for (size_t v = 0; v < first.size(); ++v)
        w.place_of[v] = first[v] == v ? uint32_t(w.places++) : w.place_of[first[v]];
}

void find_sides(const Mesh& m, Welds& w) {
    struct Side {
        uint64_t ends;
        uint32_t number;
    };
    std::vector<Side> sides(m.indices.size());
    parallel_ranges(sides.size(), 16384, [&](size_t begin, size_t end) {
        for (size_t s = begin; s < end; ++s) {
            const uint32_t a = w.place_of[m.indices[s]];
            const uint32_t b = w.place_of[m.indices[s % 3 == 2 ? s - 2 : s + 1]];
            sides[s] = {uint64_t(std::min(a, b)) << 32 | std::max(a, b), uint32_t(s)};
        }
    });
    sort_in_parallel(
        sides, [](const Side& a, const Side& b) { return a.ends != b.ends ? a.ends < b.ends : a.number < b.number; });
    w.next_side.resize(sides.size());
    for (size_t first = 0; first < sides.size();) {
        size_t end = first + 1;
        while (end < sides.size() && sides[end].ends == sides[first].ends) ++end;
        for (size_t k = first; k < end; ++k) w.next_side[sides[k].number] = sides[k + 1 < end ? k + 1 : first].number;
        first = end;
    }
}

}  // namespace

float angle_at_corner(const Mesh& m, uint32_t face, int c) {
    const uint32_t* i = &m.indices[3 * size_t(face)];
    const V3f a = m.positions[i[(c + 1) % 3]] - m.positions[i[c]];
    const V3f b = m.positions[i[(c + 2) % 3]] - m.positions[i[c]];
    const float angle = std::atan2(a.cross(b).length(), a.dot(b));
    return std::isfinite(angle) ? angle : 0.f;
}

namespace {

/// What a face says to the directions at its corners.
struct Facing {
    V3f normal;
    float angle[3];
};

/// Places at open borders whose vertices all have one normal. A part that goes on beyond has it too, where both were
/// one smooth surface once: along it both move alike.
std::vector<uint8_t> smooth_borders(const Mesh& m, const Welds& w) {
    std::vector<uint8_t> out(w.places, 0);
    for (uint32_t s = 0; s < w.next_side.size(); ++s)
        if (w.next_side[s] == s)
            for (const uint32_t v : {m.indices[s], m.indices[s % 3 == 2 ? s - 2 : s + 1]}) out[w.place_of[v]] = 1;
    std::vector<uint32_t> first(w.places, UINT32_MAX);
    for (uint32_t v = 0; v < m.positions.size(); ++v) {
        uint32_t& known = first[w.place_of[v]];
        if (known == UINT32_MAX)
            known = v;
        else if ((m.normals[v] - m.normals[known]).length2() > 1e-6f)
            out[w.place_of[v]] = 0;
    }
    return out;
}

void find_directions(const Mesh& m, Welds& w) {
    std::vector<V3f> sum(w.places, V3f(0.f));
    std::vector<V3f> own(w.places, V3f(0.f));  // of the file, where faces cancel
    for (size_t v = 0; v < m.positions.size(); ++v) own[w.place_of[v]] += m.normals[v];
    const size_t faces = m.triangles();
    std::vector<Facing> facing(faces);
    parallel_ranges(faces, 4096, [&](size_t begin, size_t end) {
        for (size_t f = begin; f < end; ++f) {
            facing[f].normal = m.triangle_normal(uint32_t(f));
            for (int c = 0; c < 3; ++c) facing[f].angle[c] = angle_at_corner(m, uint32_t(f), c);
        }
    });
    auto place = [&](size_t f, size_t c) { return w.place_of[m.indices[3 * f + c]]; };
    for (size_t f = 0; f < faces; ++f)
        for (size_t c = 0; c < 3; ++c) sum[place(f, c)] += facing[f].normal * facing[f].angle[c];
    const std::vector<uint8_t> as_told = smooth_borders(m, w);
    for (size_t p = 0; p < w.places; ++p) {
        const V3f& d = sum[p].length2() > 1e-6f && !as_told[p] ? sum[p] : own[p];
        w.direction.push_back(d.length2() > 1e-12f ? d.normalized() : V3f(0, 1, 0));
    }
    std::vector<V2f> along(w.places, V2f(0.f));  // how far faces move, and the weight
    for (size_t f = 0; f < faces; ++f) {
        if (facing[f].normal.length2() == 0.f) continue;
        for (size_t c = 0; c < 3; ++c) {
            const uint32_t p = place(f, c);
            along[p] += V2f(facing[f].normal.dot(w.direction[p]), 1.f) * facing[f].angle[c];
        }
    }
    for (size_t p = 0; p < w.places; ++p)
        if (along[p].y > 0.f && !as_told[p]) w.direction[p] *= 1.f / std::max(.5f, along[p].x / along[p].y);
}

constexpr size_t levels_at_once = 4096;  // faces

}  // namespace

size_t Welds::bytes() const {
    return 4 * (place_of.capacity() + next_side.capacity()) + sizeof(V3f) * direction.capacity();
}

std::shared_ptr<const Welds> weld(const Mesh& mesh, Progress* progress) {
    auto w = std::make_shared<Welds>();
    find_places(mesh, *w);
    if (stopped(progress)) return nullptr;
    report(progress, .3f);
    find_sides(mesh, *w);
    if (stopped(progress)) return nullptr;
    report(progress, .7f);
    find_directions(mesh, *w);
    return w;
}

size_t ReliefLevels::points() const {
    size_t n = 0;
    for (const uint8_t l : level) n += grid_size(1 << l);
    return n;
}

ReliefLevels relief_levels(const Mesh& mesh, const Welds& welds, const std::function<float(uint32_t)>& segments) {
    ReliefLevels out;
    const uint32_t faces = uint32_t(mesh.triangles());
    out.level.resize(faces);
    out.coarse.assign(faces, 0);
    std::atomic<int> finest{0};
    std::atomic<bool> reached{true};
    parallel_ranges(faces, levels_at_once, [&](size_t first, size_t last) {
        int deepest = 0;
        bool enough = true;
        for (size_t f = first; f < last; ++f) {
            int level = 0;
            const float want = segments(uint32_t(f));
            while (level < relief_deepest && want > float(1 << level) * 1.0001f) ++level;
            enough &= !(want > float(1 << level) * 1.0001f);
            out.level[f] = uint8_t(level);
            deepest = std::max(deepest, level);
        }
        if (!enough) reached = false;
        for (int now = finest; deepest > now && !finest.compare_exchange_weak(now, deepest);) {}
    });
    out.reached = reached;
    // Neighbours of the finest become at most four times as coarse, then theirs.
    for (int level = finest; level > 2; --level)
        for (uint32_t f = 0; f < faces; ++f) {
            if (out.level[f] != level) continue;
            for (uint32_t s = 3 * f; s < 3 * f + 3; ++s)
                for (uint32_t o = welds.next_side[s]; o != s; o = welds.next_side[o])
                    out.level[o / 3] = std::max(out.level[o / 3], uint8_t(level - 2));
        }
    parallel_ranges(faces, levels_at_once, [&](size_t first, size_t last) {
        for (uint32_t s = uint32_t(3 * first); s < 3 * last; ++s) {
            int least = out.level[s / 3];
            for (uint32_t o = welds.next_side[s]; o != s; o = welds.next_side[o])
                least = std::min(least, int(out.level[o / 3]));
            out.coarse[s / 3] |= uint8_t((out.level[s / 3] - least) << 2 * (s % 3));
        }
    });
    return out;
}

ReliefLevels levels_by_spacing(const Mesh& mesh, const Welds& welds, float spacing) {
    return relief_levels(mesh, welds, [&](uint32_t f) { return longest_side(mesh, f) / spacing; });
}

}  // namespace vemtra::geometry
