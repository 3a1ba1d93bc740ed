// The walk of a ray through one displaced face; relief_walk.h derives it.
#include "geometry/relief_walk.h"

#include "geometry/kernels/relief_blocks.h"

namespace vemtra::geometry::VEMTRA_ISA {
namespace {

struct V {
    float x, y, z;
};
inline V operator-(V a, V b) {
    return {a.x - b.x, a.y - b.y, a.z - b.z};
}
inline V operator*(V a, float s) {
    return {a.x * s, a.y * s, a.z * s};
}
inline V operator+(V a, V b) {
    return {a.x + b.x, a.y + b.y, a.z + b.z};
}
inline float dot(V a, V b) {
    return a.x * b.x + a.y * b.y + a.z * b.z;
}
inline V cross(V a, V b) {
    return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
inline V of(const float* p) {
    return {p[0], p[1], p[2]};
}
inline float abs_of(float x) {
    return __builtin_fabsf(x);
}
/// Codes in metres.
inline Floats in_metres(const ReliefCodes& c, const uint16_t* p) {
    if (!c.metres) return from_codes(p) * c.step + c.least;
    alignas(64) int i[16];
    for (int l = 0; l < 16; ++l) i[l] = p[l];
    return floats_at(c.metres, load(i));
}

/// Between texels.
inline Floats between_texels(const ReliefCodes& c, Floats u, Floats v) {
    // What is too far away to have a place on the map lies at its corner.
    const Floats far = both(1e6f);
    const Floats none = both(0.f);
    u = choose(less(u, far) & less(none - far, u), u, none);
    v = choose(less(v, far) & less(none - far, v), v, none);
    if (c.repeat) {
        u = u - floor_of(u);
        v = v - floor_of(v);
    } else {
        u = least(most(u, none), both(1.f));
        v = least(most(v, none), both(1.f));
    }
    const Floats x = u * float(c.width) - .5f;
    const Floats y = (both(1.f) - v) * float(c.height) - .5f;
    const Ints one = both(1);
    Ints x0 = truncated(x + 1.f) - one;  // x is -.5 or more
    Ints y0 = truncated(y + 1.f) - one;
    const Floats a = x - as_floats(x0);
    const Floats b = y - as_floats(y0);
    Ints x1 = x0 + one;
    Ints y1 = y0 + one;
    const Ints right = both(c.width - 1);
    const Ints bottom = both(c.height - 1);
    const Ints zero = both(0);
    if (c.repeat) {
        x0 = choose(less(x0, zero), right, x0);
        y0 = choose(less(y0, zero), bottom, y0);
        x1 = choose(less(right, x1), zero, x1);
        y1 = choose(less(bottom, y1), zero, y1);
    }
    x0 = least(most(x0, zero), right);
    y0 = least(most(y0, zero), bottom);
    x1 = least(most(x1, zero), right);
    y1 = least(most(y1, zero), bottom);
    const Ints width = both(c.width);
    const Ints top_row = y0 * width;
    const Ints low_row = y1 * width;
    auto metres = [&](Ints code) { return c.metres ? floats_at(c.metres, code) : as_floats(code) * c.step + c.least; };
    Floats h00;
    Floats h10;
    Floats h01;
    Floats h11;
    if (less(x0, x1) == 0xffffu) {  // they lie beside each other: one read brings both
        const Ints top = pairs_at(c.texels, top_row + x0);
        const Ints low = pairs_at(c.texels, low_row + x0);
        h00 = metres(first_of(top)), h10 = metres(second_of(top));
        h01 = metres(first_of(low)), h11 = metres(second_of(low));
    } else {
        h00 = metres(codes_at(c.texels, top_row + x0)), h10 = metres(codes_at(c.texels, top_row + x1));
        h01 = metres(codes_at(c.texels, low_row + x0)), h11 = metres(codes_at(c.texels, low_row + x1));
    }
    const Floats top = h00 + (h10 - h00) * a;
    const Floats low = h01 + (h11 - h01) * a;
    return top + (low - top) * b;
}

struct Tables {
    alignas(64) float a[3][relief_lanes], b[3][relief_lanes];  // corners of the children, as parts of their parent
};
constexpr Tables make_tables(bool whole_odd) {
    Tables t{};
    for (int l = 0; l < (whole_odd ? relief_halves : relief_lanes); ++l) {
        const ReliefPiece c = relief_child({0, 0, 1, 4, 0}, l, whole_odd);
        t.a[0][l] = .25f * float(c.i), t.b[0][l] = .25f * float(c.j);
        t.a[1][l] = .25f * float(c.i + c.sign * c.size), t.b[1][l] = .25f * float(c.j);
        t.a[2][l] = .25f * float(c.i), t.b[2][l] = .25f * float(c.j + c.sign * c.size);
    }
    return t;
}

/// The coordinates that pieces are bounded by: the frame's three, and the sum of the first two.
constexpr int slabs = 4;

/// The ray in the frame of the face, starting near to it.
struct Local {
    float origin[slabs], inverse[slabs], pad[slabs];
    float near, far, shift;  // along it, from that start on; where that is
};

bool localize(const ReliefFrame& f, const ReliefRay& ray, Local& l) {
    const V axes[3] = {of(f.axes[0]), of(f.axes[1]), of(f.axes[2])};
    auto turn = [&](V v) { return V{dot(v, axes[0]), dot(v, axes[1]), dot(v, axes[2])}; };
    const V direction = of(ray.direction);
    const V origin = of(ray.origin);
    l.shift = dot(of(f.middle) - origin, direction) / dot(direction, direction);
    const V d = turn(direction);
    const V o = turn(origin + direction * l.shift - of(f.first));
    // What rounding may have moved: coordinates of the asset, and the way of the ray's start.
    const float size = f.flat ? 6e-7f * (f.size + abs_of(origin.x) + abs_of(origin.y) + abs_of(origin.z)) : 1e30f;
    const float along[slabs] = {d.x, d.y, d.z, d.x + d.y};
    const float from[slabs] = {o.x, o.y, o.z, o.x + o.y};
    const float reach[slabs] = {f.reach[0], f.reach[1], f.reach[2], f.reach[0] + f.reach[1]};
    for (int a = 0; a < slabs; ++a) {
        l.origin[a] = from[a];
        l.inverse[a] = abs_of(along[a]) > 1e-30f ? 1.f / along[a] : along[a] < 0.f ? -1e30f : 1e30f;
        l.pad[a] = size * reach[a];
    }
    const float slack = 1e-5f * abs_of(l.shift) + 1e-6f;
    l.near = ray.near - l.shift - slack;
    l.far = ray.far - l.shift + slack;
    return l.shift == l.shift && abs_of(l.shift) < 1e18f;
}

struct Waiting {
    ReliefPiece piece;
    float near;
};

/// The heights over children from the map's pyramid: at the level whose squares are as wide as a child, it lies on two
/// of them across and down, or three where it runs over the map's end. False where coordinates are too large for that.
inline bool bounds_from_map(const ReliefFace& f, const ReliefPiece& p, bool whole_odd, Floats& lo, Floats& hi) {
    static constexpr Tables quarters = make_tables(false);
    static constexpr Tables halves = make_tables(true);
    const Tables& tables = whole_odd ? halves : quarters;
    const ReliefCodes& c = *f.codes;
    const float per = 1.f / float(1 << f.levels);
    const Floats size = both(float(p.sign * p.size) * per);
    Floats low[2];
    Floats high[2];
    for (int k = 0; k < 3; ++k) {
        const Floats w1 = fused(load(tables.a[k]), size, both(float(p.i) * per));
        const Floats w2 = fused(load(tables.b[k]), size, both(float(p.j) * per));
        const Floats w0 = both(1.f) - w1 - w2;
        const Floats u = fused(w0, both(c.u[0]), fused(w1, both(c.u[1]), w2 * c.u[2]));
        const Floats v = fused(w0, both(c.v[0]), fused(w1, both(c.v[1]), w2 * c.v[2]));
        low[0] = k ? least(low[0], u) : u, high[0] = k ? most(high[0], u) : u;
        low[1] = k ? least(low[1], v) : v, high[1] = k ? most(high[1], v) : v;
    }
    float far = 0.f;
    float step[2] = {0.f, 0.f};
    for (int k = 0; k < 3; ++k) {
        const int o = (k + 1) % 3;
        const float du = abs_of(c.u[k] - c.u[o]);
        const float dv = abs_of(c.v[k] - c.v[o]);
        step[0] = du > step[0] ? du : step[0];
        step[1] = dv > step[1] ? dv : step[1];
        const float at = abs_of(c.u[k]) > abs_of(c.v[k]) ? abs_of(c.u[k]) : abs_of(c.v[k]);
        far = at > far ? at : far;
    }
    const float sizes[2] = {float(c.width), float(c.height)};
    const float child = float(p.size) * per * (whole_odd ? .5f : .25f);
    const float slack = 1e-6f * (far + 1.f);
    const float wide_u = (step[0] * child + 2.f * slack) * sizes[0];
    const float wide_v = (step[1] * child + 2.f * slack) * sizes[1];
    const float wide = (wide_u > wide_v ? wide_u : wide_v) + 3.f;  // texels, ends included
    if (!(far * (sizes[0] > sizes[1] ? sizes[0] : sizes[1]) < 4e6f)) return false;
    int level = 0;
    while (level < c.pyramid_levels - 1 && float(1 << level) < wide) ++level;
    const bool all = float(1 << level) < wide || wide > sizes[0] || wide > sizes[1];
    const ReliefMapLevel& l = c.pyramid[all ? c.pyramid_levels - 1 : level];
    auto metres = [&](Ints code) { return c.metres ? floats_at(c.metres, code) : as_floats(code) * c.step + c.least; };
    Ints lowest = codes_at(l.lo, both(0));
    Ints highest = codes_at(l.hi, both(0));
    if (!all) {
        Ints cells[2][3];  // columns and rows: the first, the last, the map's last where it is run over
        Mask over = 0;
        for (int a = 0; a < 2; ++a) {
            const Floats from = a ? both(1.f) - high[1] : low[0];
            const Floats to = a ? both(1.f) - low[1] : high[0];
            const Ints last = both((a ? c.height : c.width) - 1);
            const Ints zero = both(0);
            const Floats first = floor_of((from - slack) * sizes[a] - .5f);
            const Floats end = floor_of((to + slack) * sizes[a] - .5f) + 1.f;
            Ints x0;
            Ints x1;
            if (c.repeat) {
                const Floats turn = floor_of(first / both(sizes[a])) * sizes[a];
                x0 = least(most(truncated(first - turn), zero), last);
                x1 = x0 + truncated(end - first);
            } else {
                x0 = least(most(truncated(first), zero), last);
                x1 = least(most(truncated(end), zero), last);
            }
            const Mask runs = less(last, x1);
            over |= runs;
            cells[a][0] = shifted(x0, level);
            cells[a][1] = choose(runs, zero, shifted(least(x1, last), level));
            cells[a][2] = choose(runs, shifted(last, level), cells[a][0]);
        }
        const int n = over ? 3 : 2;
        const Ints width = both(l.width);
        for (int row = 0; row < n; ++row)
            for (int column = 0; column < n; ++column) {
                const Ints at = cells[1][row] * width + cells[0][column];
                const Ints a = codes_at(l.lo, at);
                const Ints b = codes_at(l.hi, at);
                const bool fresh = row + column == 0;
                lowest = fresh ? a : least(lowest, a);
                highest = fresh ? b : most(highest, b);
            }
    }
    const Floats a = metres(lowest);
    const Floats b = metres(highest);
    lo = least(a, b);  // a scale below zero turns them over
    hi = most(a, b);
    return true;
}

/// Which of the children's slabs the ray meets, and where it enters them.
inline Mask enter(const Local& l, const Floats* low, const Floats* high, bool whole_odd, float far, float* enters) {
    Floats in = both(l.near);
    Floats out = both(far);
    for (int a = 0; a < slabs; ++a) {
        const Floats t0 = (low[a] - (l.origin[a] + l.pad[a])) * l.inverse[a];
        const Floats t1 = (high[a] - (l.origin[a] - l.pad[a])) * l.inverse[a];
        in = most(in, least(t0, t1));
        out = least(out, most(t0, t1));
    }
    store(enters, in);
    return at_most(in, out) & (whole_odd ? (1u << relief_halves) - 1 : 0xffffu);
}

/// Corner c of all children, on the flat face.
struct Corners {
    Floats i, j;
};
inline Corners corners_of(const ReliefPiece& p, bool whole_odd, int c) {
    static constexpr Tables quarters = make_tables(false);
    static constexpr Tables halves = make_tables(true);
    const Tables& tables = whole_odd ? halves : quarters;
    const Floats size = both(float(p.sign * p.size));
    return {fused(load(tables.a[c]), size, both(float(p.i))), fused(load(tables.b[c]), size, both(float(p.j)))};
}

/// Which children the ray meets, and where it enters them.
inline Mask meet_children(const ReliefFrame& f, const Local& l, const ReliefPiece& p, bool whole_odd, Floats lo,
                          Floats hi, float far, float* enters) {
    Floats low[slabs];
    Floats high[slabs];
    for (int c = 0; c < 3; ++c) {
        const auto [i, j] = corners_of(p, whole_odd, c);
        const Floats dx = fused(i, both(f.d1[0]), fused(j, both(f.d2[0]), both(f.d0[0])));
        const Floats dy = fused(i, both(f.d1[1]), fused(j, both(f.d2[1]), both(f.d0[1])));
        const Floats dz = fused(i, both(f.d1[2]), fused(j, both(f.d2[2]), both(f.d0[2])));
        const Floats x[2] = {fused(lo, dx, i), fused(hi, dx, i)};
        const Floats y[2] = {fused(lo, dy, j), fused(hi, dy, j)};
        const Floats at[slabs][2] = {{x[0], x[1]}, {y[0], y[1]}, {lo * dz, hi * dz}, {x[0] + y[0], x[1] + y[1]}};
        for (int a = 0; a < slabs; ++a) {
            const Floats least_here = least(at[a][0], at[a][1]);
            const Floats most_here = most(at[a][0], at[a][1]);
            low[a] = c ? least(low[a], least_here) : least_here;
            high[a] = c ? most(high[a], most_here) : most_here;
        }
    }
    return enter(l, low, high, whole_odd, far, enters);
}

/// The same where offsets go any way, whose bounds along the frame's axes are `codes`: lo and hi.
inline Mask meet_children_any_way(const ReliefFace& f, const Local& l, const ReliefPiece& p, bool whole_odd,
                                  const uint16_t* lo, const uint16_t* hi, float far, float* enters) {
    Floats low[slabs];
    Floats high[slabs];
    for (int c = 0; c < 3; ++c) {
        const auto [i, j] = corners_of(p, whole_odd, c);
        const Floats at[slabs] = {i, j, both(0.f), i + j};
        for (int a = 0; a < slabs; ++a) {
            low[a] = c ? least(low[a], at[a]) : at[a];
            high[a] = c ? most(high[a], at[a]) : at[a];
        }
    }
    Floats wide[2][3];
    for (int a = 0; a < 3; ++a) {
        const float step = f.codes->offset_step * f.frame.length[a];
        const float first = f.codes->offset_least * f.frame.length[a];
        wide[0][a] = from_codes(lo + relief_lanes * a) * step + first;
        wide[1][a] = from_codes(hi + relief_lanes * a) * step + first;
        low[a] = low[a] + wide[0][a];
        high[a] = high[a] + wide[1][a];
    }
    low[3] = low[3] + wide[0][0] + wide[0][1];
    high[3] = high[3] + wide[1][0] + wide[1][1];
    return enter(l, low, high, whole_odd, far, enters);
}

inline bool touches_sides(const ReliefPiece& p, int n) {
    const int far = p.sign * p.size;
    return p.j == 0 || p.j + far == 0 || p.i + p.j + (p.sign > 0 ? far : 0) == n || p.i == 0 || p.i + far == 0;
}

/// The small triangles of a block. The ray runs along z of a sheared frame whose axes are permuted.
class Shear {
public:
    Shear() = default;
    explicit Shear(const ReliefRay& r) {
        const float* d = r.direction;
        z_ = abs_of(d[0]) > abs_of(d[1]) ? (abs_of(d[0]) > abs_of(d[2]) ? 0 : 2) : abs_of(d[1]) > abs_of(d[2]) ? 1 : 2;
        x_ = (z_ + 1) % 3;
        y_ = (x_ + 1) % 3;
        sx_ = d[x_] / d[z_];
        sy_ = d[y_] / d[z_];
        sz_ = 1.f / d[z_];
        for (int c = 0; c < 3; ++c) origin_[c] = r.origin[c];
    }
    bool set() const { return x_ != y_; }
    /// True where a triangle is met between near and far; that nearest one is put down.
    // NOLINTNEXTLINE(readability-function-size): one run over sixteen lanes that stay in registers
    bool block(const ReliefFace& f, const ReliefPiece& p, float near, float& far, ReliefHit& hit) const {
        BlockPoints points;
        block_points(f, p, points);
        alignas(64) float at[3][16];
        const float per = 1.f / float(1 << f.levels);
        const int n = 1 << f.levels;
        const Floats fi = as_floats(load(points.i));
        const Floats fj = as_floats(load(points.j));
        const Floats w[3] = {(both(float(n)) - fi - fj) * per, fi * per, fj * per};
        Floats moved[3];
        if (f.codes && f.codes->offsets) {
            offsets_of(*f.codes, n, points, moved);
        } else {
            const Floats heights = heights_of(f, p, n, points, w);
            for (int c = 0; c < 3; ++c)
                moved[c] = heights * ((w[0] * f.along[0][c] + w[1] * f.along[1][c]) + w[2] * f.along[2][c]);
        }
        Floats s[3];
        for (int c = 0; c < 3; ++c) {
            // The first two sums may be of any two corners: zero added to what they give changes nothing.
            const Floats base = (w[0] * f.corner[0][c] + w[1] * f.corner[1][c]) + w[2] * f.corner[2][c];
            s[c] = (base + moved[c]) - origin_[c];
            store(at[c], s[c]);
        }
        static constexpr BlockTriangles triangles = make_block_triangles();
        const Floats z = s[z_];
        const Floats x = s[x_] - z * sx_;
        const Floats y = s[y_] - z * sy_;
        const Floats depth = z * sz_;
        const Ints first = load(triangles.a);
        const Ints second = load(triangles.b);
        const Ints third = load(triangles.c);
        const Floats ax = permuted(x, first);
        const Floats ay = permuted(y, first);
        const Floats bx = permuted(x, second);
        const Floats by = permuted(y, second);
        const Floats cx = permuted(x, third);
        const Floats cy = permuted(y, third);
        const Floats u = cx * by - cy * bx;
        const Floats v = ax * cy - ay * cx;
        const Floats ww = bx * ay - by * ax;
        const Floats zero = both(0.f);
        const Mask inside = (at_most(zero, u) & at_most(zero, v) & at_most(zero, ww)) |
                            (at_most(u, zero) & at_most(v, zero) & at_most(ww, zero));
        Mask good = inside & triangles.valid[p.size == 4 ? 2 : p.size - 1];
        if (!good) return false;
        const Floats det = u + v + ww;
        const Floats t = (u * permuted(depth, first) + v * permuted(depth, second) + ww * permuted(depth, third)) / det;
        good &= unlike(det, zero) & less(both(near), t) & less(t, both(far));
        if (!good) return false;
        alignas(64) float ts[16];
        store(ts, t);
        int lane = -1;
        for (; good; good &= good - 1)
            if (const int l = __builtin_ctz(good); ts[l] < far) far = ts[l], lane = l;
        if (lane < 0) return false;
        alignas(64) float us[16];
        alignas(64) float vs[16];
        alignas(64) float ws[16];
        store(us, u);
        store(vs, v);
        store(ws, ww);
        // Where the points stand before they are drawn to a coarser side.
        const bool between = lane >= upright_triangles;
        const float inv = 1.f / (us[lane] + vs[lane] + ws[lane]);
        const float fu = us[lane] * inv;
        const float fv = vs[lane] * inv;
        const float fw = ws[lane] * inv;
        const float along_i = float(triangles.column[lane]) + (between ? fu + fw : fv);
        const float along_j = float(triangles.line[lane]) + (between ? fu + fv : fw);
        hit.t = ts[lane];
        hit.u = (float(p.i) + float(p.sign) * along_i) * per;
        hit.v = (float(p.j) + float(p.sign) * along_j) * per;
        auto point = [&](int q) { return V{at[0][q], at[1][q], at[2][q]}; };
        const V corner = point(triangles.a[lane]);
        const V normal = cross(point(triangles.b[lane]) - corner, point(triangles.c[lane]) - corner);
        hit.normal[0] = normal.x, hit.normal[1] = normal.y, hit.normal[2] = normal.z;
        return true;
    }

private:
    static uint64_t place_in_grid(int n, int i, int j) {
        return uint64_t(j) * uint64_t(n + 1) - uint64_t(j) * uint64_t(j - 1) / 2 + uint64_t(i);
    }
    static void offsets_of(const ReliefCodes& c, int n, const BlockPoints& points, Floats* out) {
        alignas(64) uint16_t codes[3][16];
        for (int k = 0; k < 16; ++k) {
            const uint16_t* at = c.grid + place_in_grid(n, points.i[k], points.j[k]);
            for (uint64_t a = 0; a < 3; ++a) codes[a][k] = at[a * c.offsets];
        }
        for (int a = 0; a < 3; ++a) out[a] = from_codes(codes[a]) * c.step + c.least;
    }
    static Floats heights_of(const ReliefFace& f, const ReliefPiece& p, int n, const BlockPoints& points,
                             const Floats* w) {
        const int* i = points.i;
        const int* j = points.j;
        alignas(64) float h[16];
        if (!f.codes) {
            f.heights->at(i, j, 16, h);
            return load(h);
        }
        const ReliefCodes& c = *f.codes;
        Floats out;
        if (c.grid) {
            alignas(64) uint16_t codes[16];
            for (int k = 0; k < 16; ++k) codes[k] = c.grid[place_in_grid(n, i[k], j[k])];
            out = in_metres(c, codes);
        } else {
            out = between_texels(c, (w[0] * c.u[0] + w[1] * c.u[1]) + w[2] * c.u[2],
                                 (w[0] * c.v[0] + w[1] * c.v[1]) + w[2] * c.v[2]);
        }
        if (!f.seams) return out;
        if (!touches_sides(p, n)) return out;
        store(h, out);
        for (int k = 0; k < 16; ++k) {
            const bool first = i[k] == 0 && j[k] == 0;
            const int bit = first              ? 8
                            : i[k] == n        ? 16
                            : j[k] == n        ? 32
                            : j[k] == 0        ? 1
                            : i[k] + j[k] == n ? 2
                            : i[k] == 0        ? 4
                                               : 0;
            if (f.seams & bit) f.heights->at(i + k, j + k, 1, h + k);
        }
        return load(h);
    }

    int x_ = 0, y_ = 0, z_ = 0;
    float sx_, sy_, sz_, origin_[3];
};

}  // namespace

bool meet_relief(const ReliefFace& f, const ReliefRay& ray, bool any, ReliefHit& hit) {
    float far = ray.far;
    const int n = 1 << f.levels;
    const ReliefPiece whole{0, 0, 1, n, 0};
    if (n <= relief_block) return Shear(ray).block(f, whole, ray.near, far, hit);
    if (f.codes && f.codes->lo) {
        __builtin_prefetch(f.codes->lo);
        __builtin_prefetch(f.codes->hi);
    }
    Local l;
    if (!localize(f.frame, ray, l)) return false;
    const float slack = 1e-5f * abs_of(l.shift) + 1e-6f;
    Waiting stack[16 * 11];  // sixteen more at each of ten steps
    int waiting = 0;
    stack[waiting++] = {whole, l.near};
    bool found = false;
    Shear shear;
    float local_far = l.far;
    while (waiting > 0) {
        const Waiting top = stack[--waiting];
        if (top.near > local_far) continue;
        const ReliefPiece& p = top.piece;
        if (p.size == relief_block) {
            if (!shear.set()) shear = Shear(ray);
            if (shear.block(f, p, ray.near, far, hit)) {
                found = true;
                if (any) return true;
                local_far = far - l.shift + slack;
            }
            continue;
        }
        const bool whole_odd = p.size == n && f.levels % 2;
        alignas(64) float enters[relief_lanes];
        auto wait_for = [&](Mask met) {
            const int first = waiting;
            for (; met; met &= met - 1) {
                const int lane = __builtin_ctz(met);
                int at = waiting++;
                for (; !any && at > first && stack[at - 1].near < enters[lane]; --at) stack[at] = stack[at - 1];
                stack[at] = {relief_child(p, lane, whole_odd), enters[lane]};
            }
        };
        const uint64_t at = relief_pieces_before(f.levels, relief_depth(f.levels, p.size) + 1) + p.index * relief_lanes;
        if (f.codes && f.codes->offsets) {
            wait_for(meet_children_any_way(f, l, p, whole_odd, f.codes->lo + 3 * at, f.codes->hi + 3 * at, local_far,
                                           enters));
            continue;
        }
        Floats lo;
        Floats hi;
        if (f.codes && f.codes->lo) {
            const Floats a = in_metres(*f.codes, f.codes->lo + at);
            const Floats b = in_metres(*f.codes, f.codes->hi + at);
            lo = least(a, b);  // a scale below zero turns them over
            hi = most(a, b);
        } else if (!f.codes || !f.codes->pyramid || (f.seams && touches_sides(p, n)) ||
                   !bounds_from_map(f, p, whole_odd, lo, hi)) {
            alignas(64) float low[relief_lanes] = {};
            alignas(64) float high[relief_lanes] = {};
            f.heights->bounds(p, low, high);
            lo = load(low);
            hi = load(high);
        }
        wait_for(meet_children(f.frame, l, p, whole_odd, lo, hi, local_far, enters));
    }
    return found;
}

}  // namespace vemtra::geometry::VEMTRA_ISA
