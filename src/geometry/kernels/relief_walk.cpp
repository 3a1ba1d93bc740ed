// The walk of a ray through one displaced face; relief_walk.h derives it.
#include "geometry/relief_walk.h"

#ifndef VEMTRA_ISA
#define VEMTRA_ISA avx2
#endif

namespace vemtra::geometry::VEMTRA_ISA {
namespace {

typedef float Floats __attribute__((vector_size(64), aligned(64)));
typedef int Ints __attribute__((vector_size(64), aligned(64)));
typedef float AnyFloats __attribute__((vector_size(64), aligned(4)));

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
inline Floats both(float x) {
    return Floats{} + x;
}
inline Floats least(Floats a, Floats b) {
    return a < b ? a : b;
}
inline Floats most(Floats a, Floats b) {
    return a > b ? a : b;
}
inline Floats load(const float* p) {
    return *reinterpret_cast<const AnyFloats*>(p);
}

struct Tables {
    alignas(64) float a[3][relief_lanes], b[3][relief_lanes];  // corners of the children, in quarters of their parent
};
constexpr Tables make_tables() {
    Tables t{};
    for (int l = 0; l < relief_lanes; ++l) {
        const ReliefChild c = relief_children[l];
        t.a[0][l] = float(c.a), t.b[0][l] = float(c.b);
        t.a[1][l] = float(c.a + c.sign), t.b[1][l] = float(c.b);
        t.a[2][l] = float(c.a), t.b[2][l] = float(c.b + c.sign);
    }
    return t;
}

/// The face in a frame of its own: its plane is z = 0, its first side runs along x, and the ray starts near to it.
struct Local {
    V origin, inverse;       // of the ray
    float near, far, shift;  // along it, from that start on; where that is
    float e1x, e2x, e2y;     // per segment
    V d0, d1, d2;            // directions: at the first corner, and per segment
    float pad;
};

bool localize(const ReliefFace& f, const ReliefRay& ray, Local& l) {
    const V p0 = of(f.corner[0]);
    const V e1 = of(f.corner[1]) - p0;
    const V e2 = of(f.corner[2]) - p0;
    V z = cross(e1, e2);
    V x = e1;
    float zz = dot(z, z);
    float xx = dot(x, x);
    if (!(zz > 1e-36f) || !(xx > 0.f)) {  // no area: any frame will do
        x = {1, 0, 0}, z = {0, 0, 1};
        xx = zz = 1.f;
    }
    x = x * (1.f / __builtin_sqrtf(xx));
    z = z * (1.f / __builtin_sqrtf(zz));
    const V y = cross(z, x);
    auto turn = [&](V v) { return V{dot(v, x), dot(v, y), dot(v, z)}; };
    const V direction = of(ray.direction);
    const V middle = p0 + (e1 + e2) * (1.f / 3.f);
    l.shift = dot(middle - of(ray.origin), direction) / dot(direction, direction);
    const V d = turn(direction);
    l.origin = turn(of(ray.origin) + direction * l.shift - p0);
    auto inverse = [](float c) { return abs_of(c) > 1e-30f ? 1.f / c : c < 0.f ? -1e30f : 1e30f; };
    l.inverse = {inverse(d.x), inverse(d.y), inverse(d.z)};
    const float n = float(1 << f.levels);
    const float per = 1.f / n;
    const V a = turn(e1);
    const V b = turn(e2);
    l.e1x = a.x * per;
    l.e2x = b.x * per;
    l.e2y = b.y * per;
    l.d0 = turn(of(f.along[0]));
    l.d1 = (turn(of(f.along[1])) - l.d0) * per;
    l.d2 = (turn(of(f.along[2])) - l.d0) * per;
    // What rounding may have moved: coordinates of the asset, and the way of the ray's start.
    float size = abs_of(p0.x) + abs_of(p0.y) + abs_of(p0.z) + abs_of(a.x) + abs_of(b.x) + abs_of(b.y);
    size += abs_of(ray.origin[0]) + abs_of(ray.origin[1]) + abs_of(ray.origin[2]);
    l.pad = 6e-7f * size;
    if (a.y * a.y + a.z * a.z + b.z * b.z > 1e-6f * size * size) l.pad = 1e30f;  // no area
    const float slack = 1e-5f * abs_of(l.shift) + 1e-6f;
    l.near = ray.near - l.shift - slack;
    l.far = ray.far - l.shift + slack;
    return l.shift == l.shift && abs_of(l.shift) < 1e18f;
}

struct Waiting {
    ReliefPiece piece;
    float near;
};

/// Which children the ray meets, and where it enters them.
inline Ints meet_children(const Local& l, const ReliefPiece& p, const float* lo_of, const float* hi_of, float far,
                          Floats& enters) {
    static constexpr Tables tables = make_tables();
    const Floats lo = load(lo_of);
    const Floats hi = load(hi_of);
    const float quarter = float(p.sign * p.size) * .25f;
    Floats low[3];
    Floats high[3];
    for (int c = 0; c < 3; ++c) {
        const Floats i = load(tables.a[c]) * quarter + float(p.i);
        const Floats j = load(tables.b[c]) * quarter + float(p.j);
        const Floats px = i * l.e1x + j * l.e2x;
        const Floats py = j * l.e2y;
        const Floats dx = i * l.d1.x + (j * l.d2.x + l.d0.x);
        const Floats dy = i * l.d1.y + (j * l.d2.y + l.d0.y);
        const Floats dz = i * l.d1.z + (j * l.d2.z + l.d0.z);
        const Floats x0 = px + lo * dx;
        const Floats x1 = px + hi * dx;
        const Floats y0 = py + lo * dy;
        const Floats y1 = py + hi * dy;
        const Floats z0 = lo * dz;
        const Floats z1 = hi * dz;
        if (c == 0) {
            low[0] = least(x0, x1), high[0] = most(x0, x1);
            low[1] = least(y0, y1), high[1] = most(y0, y1);
            low[2] = least(z0, z1), high[2] = most(z0, z1);
        } else {
            low[0] = least(low[0], least(x0, x1)), high[0] = most(high[0], most(x0, x1));
            low[1] = least(low[1], least(y0, y1)), high[1] = most(high[1], most(y0, y1));
            low[2] = least(low[2], least(z0, z1)), high[2] = most(high[2], most(z0, z1));
        }
    }
    Floats in = both(l.near);
    Floats out = both(far);
    const float origin[3] = {l.origin.x, l.origin.y, l.origin.z};
    const float inverse[3] = {l.inverse.x, l.inverse.y, l.inverse.z};
    for (int a = 0; a < 3; ++a) {
        const Floats t0 = (low[a] - (origin[a] + l.pad)) * inverse[a];
        const Floats t1 = (high[a] - (origin[a] - l.pad)) * inverse[a];
        in = most(in, least(t0, t1));
        out = least(out, most(t0, t1));
    }
    enters = in;
    return in <= out;
}

/// The small triangles of a block. The ray runs along z of a sheared frame whose axes are permuted.
class Shear {
public:
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
    /// True where a triangle is met between near and far; that nearest one is put down.
    bool block(const ReliefFace& f, const ReliefPiece& p, int segments, float near, float& far, ReliefHit& hit) const {
        int i[relief_points];
        int j[relief_points];
        alignas(64) float heights[relief_points];
        relief_block_points(f, p.i, p.j, p.sign, segments, i, j);
        f.heights->at(i, j, 25, heights);
        for (int k = 25; k < relief_points; ++k) heights[k] = heights[0];
        alignas(64) float at[3][relief_points + 16];
        alignas(64) float x[relief_points + 16];
        alignas(64) float y[relief_points + 16];
        alignas(64) float z[relief_points + 16];
        const float per = 1.f / float(1 << f.levels);
        const int n = 1 << f.levels;
        alignas(64) float w[3][relief_points];
        for (int k = 0; k < relief_points; ++k) {
            w[0][k] = float(n - i[k] - j[k]) * per;
            w[1][k] = float(i[k]) * per;
            w[2][k] = float(j[k]) * per;
        }
        for (int first = 0; first < relief_points; first += 16) {
            const Floats w0 = load(w[0] + first);
            const Floats w1 = load(w[1] + first);
            const Floats w2 = load(w[2] + first);
            const Floats h = load(heights + first);
            for (int c = 0; c < 3; ++c) {
                // The first two sums may be of any two corners: zero added to what they give changes nothing.
                const Floats base = (w0 * f.corner[0][c] + w1 * f.corner[1][c]) + w2 * f.corner[2][c];
                const Floats along = (w0 * f.along[0][c] + w1 * f.along[1][c]) + w2 * f.along[2][c];
                const Floats s = (base + h * along) - origin_[c];
                __builtin_memcpy(at[c] + first, &s, sizeof s);
            }
            const Floats sz = load(at[z_] + first);
            const Floats sx = load(at[x_] + first) - sz * sx_;
            const Floats sy = load(at[y_] + first) - sz * sy_;
            const Floats tz = sz * sz_;
            __builtin_memcpy(x + first, &sx, sizeof sx);
            __builtin_memcpy(y + first, &sy, sizeof sy);
            __builtin_memcpy(z + first, &tz, sizeof tz);
        }
        for (int k = relief_points; k < relief_points + 16; ++k) x[k] = y[k] = z[k] = 0.f;
        // Lanes are the points 0 to 15, row by row: those where a triangle of the block begins.
        static constexpr Ints upright{-1, -1, -1, -1, 0, -1, -1, -1, 0, 0, -1, -1, 0, 0, 0, -1};
        static constexpr Ints between{-1, -1, -1, 0, 0, -1, -1, 0, 0, 0, -1, 0, 0, 0, 0, 0};
        static constexpr Ints alone{-1};
        bool any = false;
        const int kinds = segments == relief_block ? 2 : 1;
        for (int kind = 0; kind < kinds; ++kind) {
            const int a = kind ? 6 : 0;
            const int b = kind ? 5 : 1;
            const int c = kind ? 1 : 5;
            const Floats ax = load(x + a);
            const Floats ay = load(y + a);
            const Floats bx = load(x + b);
            const Floats by = load(y + b);
            const Floats cx = load(x + c);
            const Floats cy = load(y + c);
            const Floats u = cx * by - cy * bx;
            const Floats v = ax * cy - ay * cx;
            const Floats w2 = bx * ay - by * ax;
            const Ints inside = ((u >= 0.f) & (v >= 0.f) & (w2 >= 0.f)) | ((u <= 0.f) & (v <= 0.f) & (w2 <= 0.f));
            const Floats det = u + v + w2;
            const Ints valid = segments < relief_block ? alone : kind ? between : upright;
            Ints good = inside & valid & (det != 0.f);
            int some = 0;
            for (int l = 0; l < 16; ++l) some |= good[l];
            if (!some) continue;
            const Floats t = (u * load(z + a) + v * load(z + b) + w2 * load(z + c)) / det;
            good &= (t > near) & (t < far);
            for (int l = 0; l < 16; ++l) {
                if (!good[l] || !(t[l] < far)) continue;
                any = true;
                far = t[l];
                // Where the points stand before they are drawn to a coarser side.
                const int row = l / 5;
                const int column = l % 5;
                const float inv = 1.f / det[l];
                const float fu = u[l] * inv;
                const float fv = v[l] * inv;
                const float fw = w2[l] * inv;
                float fi;
                float fj;
                if (kind == 0)
                    fi = float(column) + fv, fj = float(row) + fw;
                else
                    fi = float(column) + fu + fw, fj = float(row) + fu + fv;
                hit.t = t[l];
                hit.u = (float(p.i) + float(p.sign) * fi) * per;
                hit.v = (float(p.j) + float(p.sign) * fj) * per;
                const int ka = l + a;
                const int kb = l + b;
                const int kc = l + c;
                const V pa{at[0][ka], at[1][ka], at[2][ka]};
                const V normal = cross(V{at[0][kb], at[1][kb], at[2][kb]} - pa, V{at[0][kc], at[1][kc], at[2][kc]} - pa);
                hit.normal[0] = normal.x, hit.normal[1] = normal.y, hit.normal[2] = normal.z;
            }
        }
        return any;
    }

private:
    int x_, y_, z_;
    float sx_, sy_, sz_, origin_[3];
};

}  // namespace

bool meet_relief(const ReliefFace& f, const ReliefRay& ray, bool any, ReliefHit& hit) {
    const Shear shear(ray);
    float far = ray.far;
    const int n = 1 << f.levels;
    if (n <= relief_block) return shear.block(f, {0, 0, 1, n, 0}, n, ray.near, far, hit);
    Local l;
    if (!localize(f, ray, l)) return false;
    Waiting stack[16 * 10 + 16];
    int waiting = 0;
    stack[waiting++] = {{0, 0, 1, n, 0}, l.near};
    bool found = false;
    float local_far = l.far;
    while (waiting > 0) {
        const Waiting top = stack[--waiting];
        if (top.near > local_far) continue;
        const ReliefPiece& p = top.piece;
        if (p.size == relief_block) {
            if (shear.block(f, p, relief_block, ray.near, far, hit)) {
                found = true;
                if (any) return true;
                const float slack = 1e-5f * abs_of(l.shift) + 1e-6f;
                local_far = far - l.shift + slack;
            }
            continue;
        }
        alignas(64) float lo[relief_lanes];
        alignas(64) float hi[relief_lanes];
        f.heights->bounds(p, lo, hi);
        Floats enters;
        const Ints met = meet_children(l, p, lo, hi, local_far, enters);
        const int first = waiting;
        const int quarter = p.size / 4;
        for (int lane = 0; lane < relief_lanes; ++lane) {
            if (!met[lane]) continue;
            const ReliefChild c = relief_children[lane];
            Waiting child{{p.i + p.sign * c.a * quarter, p.j + p.sign * c.b * quarter, p.sign * c.sign, quarter,
                           p.index * relief_lanes + uint64_t(lane)},
                          enters[lane]};
            int at = waiting++;
            for (; at > first && stack[at - 1].near < child.near; --at) stack[at] = stack[at - 1];
            stack[at] = child;
        }
    }
    return found;
}

}  // namespace vemtra::geometry::VEMTRA_ISA
