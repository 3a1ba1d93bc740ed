// How much the form bends: the curvature tensor per face from its corners' normals, averaged at the vertices
// (Rusinkiewicz 2004, "Estimating Curvatures and Their Derivatives on Triangle Meshes"), then spread along the surface
// over a chosen distance. Told as bending times that distance, so that 1 is a bend whose radius is the distance:
// convex above 0, concave below.
#include <algorithm>
#include <array>
#include <unordered_map>

#include "base/hash.h"
#include "geometry/fields/kinds.h"

namespace vemtra::geometry {
namespace {

/// Vertices of one place are one here: their normals may differ across a hard edge, which then bends by its angle.
struct Welded {
    std::vector<uint32_t> of;  ///< per vertex
    std::vector<V3f> position, normal;
    std::vector<std::vector<uint32_t>> next;  ///< neighbours
};
Welded weld(const Mesh& m, const Instance& instance) {
    Welded w;
    struct Hash {
        size_t operator()(const std::array<float, 3>& p) const { return size_t(hash_bytes(p.data(), sizeof p)); }
    };
    std::unordered_map<std::array<float, 3>, uint32_t, Hash> at;
    at.reserve(m.positions.size());
    for (const V3f& p : m.positions) {
        const auto [it, fresh] = at.try_emplace({p.x + 0.f, p.y + 0.f, p.z + 0.f}, uint32_t(w.position.size()));
        if (fresh) w.position.push_back(instance.point_to_world(p));
        w.of.push_back(it->second);
    }
    w.normal.assign(w.position.size(), V3f(0.f));
    w.next.resize(w.position.size());
    for (size_t v = 0; v < m.positions.size(); ++v)
        w.normal[w.of[v]] += instance.normal_to_world(m.normals[v]).normalized();
    for (V3f& n : w.normal) n = n.length() > 1e-6f ? n.normalized() : V3f(0.f, 1.f, 0.f);
    for (size_t t = 0; t < m.triangles(); ++t)
        for (int c = 0; c < 3; ++c) {
            const uint32_t a = w.of[m.indices[3 * t + size_t(c)]];
            const uint32_t b = w.of[m.indices[3 * t + size_t(c + 1) % 3]];
            if (a == b) continue;
            w.next[a].push_back(b);
            w.next[b].push_back(a);
        }
    for (auto& list : w.next) {
        std::sort(list.begin(), list.end());
        list.erase(std::unique(list.begin(), list.end()), list.end());
    }
    return w;
}

/// Second fundamental form of a face in its own plane (e, f, g), by least squares over its three edges.
bool of_face(const V3f* p, const V3f* n, const V3f& u, const V3f& v, float* efg) {
    double a[3][3] = {};
    double b[3] = {};
    for (int c = 0; c < 3; ++c) {
        const V3f d = p[(c + 2) % 3] - p[(c + 1) % 3];
        const V3f m = n[(c + 2) % 3] - n[(c + 1) % 3];
        const double du = double(d.dot(u));
        const double dv = double(d.dot(v));
        const double mu = double(m.dot(u));
        const double mv = double(m.dot(v));
        // e du + f dv = mu;  f du + g dv = mv
        a[0][0] += du * du;
        a[0][1] += du * dv;
        a[1][1] += du * du + dv * dv;
        a[1][2] += du * dv;
        a[2][2] += dv * dv;
        b[0] += du * mu;
        b[1] += dv * mu + du * mv;
        b[2] += dv * mv;
    }
    a[1][0] = a[0][1];
    a[2][1] = a[1][2];
    for (int i = 0; i < 3; ++i) {  // elimination; the matrix is positive where the face has an area
        if (!(std::fabs(a[i][i]) > 1e-30)) return false;
        for (int j = i + 1; j < 3; ++j) {
            const double q = a[j][i] / a[i][i];
            for (int k = i; k < 3; ++k) a[j][k] -= q * a[i][k];
            b[j] -= q * b[i];
        }
    }
    for (int i = 2; i >= 0; --i) {
        for (int k = i + 1; k < 3; ++k) b[i] -= a[i][k] * double(efg[k]);
        efg[i] = float(b[i] / a[i][i]);
        if (!std::isfinite(efg[i])) return false;
    }
    return true;
}

/// Mean curvature (the mean of both principal ones) per welded vertex, 1 / metre; convex above 0.
std::vector<float> mean_curvature(const Mesh& m, const Welded& w) {
    std::vector<double> sum(w.position.size(), 0.0);
    std::vector<double> area(w.position.size(), 0.0);
    for (size_t t = 0; t < m.triangles(); ++t) {
        V3f p[3];
        V3f n[3];
        uint32_t at[3];
        for (int c = 0; c < 3; ++c) {
            const uint32_t v = m.indices[3 * t + size_t(c)];
            at[c] = w.of[v];
            p[c] = w.position[at[c]];
            n[c] = w.normal[at[c]];
        }
        const V3f across = (p[1] - p[0]).cross(p[2] - p[0]);
        const float twice = across.length();
        if (!(twice > 1e-30f)) continue;
        const V3f u = (p[1] - p[0]).normalized();
        const V3f v = (across / twice).cross(u);
        float efg[3] = {};
        if (!of_face(p, n, u, v, efg)) continue;
        // The trace does not depend on the plane's axes; a third of the area goes to each corner.
        for (const uint32_t c : at) {
            sum[c] += double(.5f * (efg[0] + efg[2]) * twice);
            area[c] += double(twice);
        }
    }
    std::vector<float> out(w.position.size(), 0.f);
    for (size_t v = 0; v < out.size(); ++v)
        if (area[v] > 0) out[v] = float(sum[v] / area[v]);
    return out;
}

/// Means over what lies within the distance along the edges, by steps of means over neighbours: after n steps of mean
/// length h the spread is h sqrt(n / 2) or so.
void spread(const Welded& w, float distance, std::vector<float>& values) {
    double length = 0.0;
    size_t count = 0;
    for (size_t v = 0; v < w.next.size(); ++v)
        for (const uint32_t o : w.next[v]) {
            length += double((w.position[v] - w.position[o]).length());
            ++count;
        }
    if (!count || !(length > 0)) return;
    const float step = float(length / double(count));
    const float ratio = distance / step;
    const int rounds = int(std::min(64.f, std::floor(.5f * ratio * ratio)));
    std::vector<float> next(values.size());
    for (int round = 0; round < rounds; ++round) {
        for (size_t v = 0; v < values.size(); ++v) {
            float sum = values[v];
            float weight = 1.f;
            for (const uint32_t o : w.next[v]) {
                const float near = .5f * step / std::max(.1f * step, (w.position[v] - w.position[o]).length());
                sum += values[o] * near;
                weight += near;
            }
            next[v] = sum / weight;
        }
        values.swap(next);
    }
}

}  // namespace

FieldKind curvature_field() {
    return {.name = "curvature",
            .version = 1,
            .parameters = {"distance over which it is told, metres, above 0"},
            .reads = FieldReads::own_part,
            .at_vertices = [](const Geometry& geometry, uint32_t instance, const std::vector<float>& p) {
                const Mesh& m = geometry.shape(instance).faces_as_triangles();
                const Welded w = weld(m, geometry.instances()[instance]);
                std::vector<float> values = mean_curvature(m, w);
                spread(w, p[0], values);
                std::vector<float> out(m.positions.size());
                for (size_t v = 0; v < out.size(); ++v) out[v] = values[w.of[v]] * p[0];
                return out;
            }};
}

}  // namespace vemtra::geometry
