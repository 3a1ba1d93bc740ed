// Makes src/surface/microsurface_data.inc: what light does on rough interfaces beyond one bounce, by the exact walk of
// microsurface.h.
//   make_surface_tables src/surface/microsurface_data.inc      about two minutes on two cores; the numbers are the same
// on every run
#include <cstdio>
#include <fstream>

#include "base/parallel.h"
#include "surface/albedo_tables.h"
#include "surface/microsurface.h"

using namespace vemtra;
using namespace vemtra::surface;

namespace {

struct Single {
    double reflected = 0, through = 0;
};
/// Single scattering by quadrature over visible normals. eta 0: a white conductor.
Single single(const V3f& wo, const Ggx& ggx, float eta) {
    constexpr int side = 96;
    Single s;
    for (int a = 0; a < side; ++a)
        for (int b = 0; b < side; ++b) {
            // The tail of steep facets lies at u2 = 1: cells shrink towards it.
            const float x = 1.f - (float(b) + .5f) / side;
            const double cell = 3. * double(x * x) / (side * side);
            const V3f h = ggx.visible_normal(wo, (float(a) + .5f) / side, 1.f - x * x * x);
            const float d = wo.dot(h), f = eta > 0.f ? fresnel_dielectric(d, eta) : 1.f;
            const V3f r = h * (2.f * d) - wo;
            if (r.z > 0.f) s.reflected += double(f * ggx.g2(wo, r) / ggx.g1(wo)) * cell;
            V3f t;
            if (f < 1.f && refract(wo, h, eta, t) && t.z < 0.f)
                s.through += double((1.f - f) * ggx.g2_through(wo, t) / ggx.g1(wo)) * cell;
        }
    return s;
}
V3f direction(int m) {
    const float t = float(m) / (AlbedoTables::mus - 1), mu = std::max(2e-3f, t * t);
    return {std::sqrt(std::max(0.f, 1.f - mu * mu)), 0.f, mu};
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 2) return std::fprintf(stderr, "usage: make_surface_tables OUT.inc\n"), 2;
    constexpr int mus = AlbedoTables::mus, roughs = AlbedoTables::roughs, etas = AlbedoTables::etas, walks = 60000;
    std::vector<float> white(roughs * mus), second(roughs * mus), third(roughs * mus), tail(roughs), m5(roughs),
        m6(roughs);
    std::vector<float> lost(etas * roughs * mus), reflected(etas * roughs * mus), reflectance(etas * roughs * mus);
    parallel_ranges(size_t(roughs * (etas + 1)), 1, [&](size_t first, size_t last) {
        for (size_t cell = first; cell < last; ++cell) {
            const int r = int(cell) % roughs, e = int(cell) / roughs;
            const Ggx ggx = Ggx::from(float(r) / (roughs - 1));
            if (e < etas) {
                const float eta = AlbedoTables::eta_at(e);
                for (int m = 0; m < mus; ++m) {
                    const size_t at = (size_t(e) * roughs + size_t(r)) * mus + size_t(m);
                    const Single s = single(direction(m), ggx, eta);
                    lost[at] = std::max(0.f, float(1. - s.reflected - s.through));
                    std::mt19937 random(uint32_t(at + 1));
                    int count = 0;
                    for (int i = 0; i < walks; ++i) {
                        const Walked w = walk_microsurface(direction(m), ggx, eta, random);
                        count += w.reflected && w.bounces > 1;
                    }
                    reflected[at] = std::min(lost[at], float(count) / walks);
                    reflectance[at] =
                        e == (etas - 1) / 2
                            ? 0.f
                            : std::min(1.f, float(s.reflected) + reflected[at]);  // equal media reflect nothing
                }
                continue;
            }
            double events = 0, beyond = 0, bounces_beyond = 0, sum5 = 0, sum6 = 0;
            for (int m = 0; m < mus; ++m) {
                const size_t at = size_t(r) * mus + size_t(m);
                white[at] = float(single(direction(m), ggx, 0.f).reflected);
                std::mt19937 random(uint32_t(at + 1000003));
                double two = 0, three = 0, more = 0;
                for (int i = 0; i < 4 * walks; ++i) {
                    const Walked w = walk_microsurface(direction(m), ggx, 0.f, random);
                    if (w.bounces < 2) continue;
                    ++(w.bounces == 2 ? two : w.bounces == 3 ? three : more);
                    if (w.bounces > 3) ++beyond, bounces_beyond += w.bounces;
                    events += w.bounces;
                    sum5 += w.sum_m5;
                    sum6 += w.sum_m6;
                }
                const double all = std::max(1., two + three + more);
                second[at] = two + three + more < 200 ? 1.f : float(two / all);
                third[at] = two + three + more < 200 ? 0.f : float(three / all);
            }
            tail[size_t(r)] = beyond > 200 ? float(bounces_beyond / beyond) : 4.f;
            m5[size_t(r)] = events > 0 ? float(sum5 / events) : 0.f;
            m6[size_t(r)] = events > 0 ? float(sum6 / events) : 0.f;
        }
    });
    std::ofstream out(argv[1]);
    out << "// Made by tools/make_surface_tables.cpp; meaning and grids: albedo_tables.cpp.\n";
    auto table = [&](const char* name, const std::vector<float>& values) {
        out << "static constexpr float " << name << "[" << values.size() << "] = {";
        char text[32];
        for (size_t i = 0; i < values.size(); ++i) {
            if (i % 25 == 0) out << "\n";
            std::snprintf(text, sizeof text, "%.5g", double(values[i]));
            const bool whole = std::string(text).find_first_of(".e") == std::string::npos;
            out << text << (whole ? ".f," : "f,");
        }
        out << "};\n";
    };
    table("white_data", white);
    table("second_data", second);
    table("third_data", third);
    table("tail_data", tail);
    table("m5_data", m5);
    table("m6_data", m6);
    table("lost_data", lost);
    table("reflected_data", reflected);
    table("reflectance_data", reflectance);
}
