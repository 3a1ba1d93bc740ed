// Makes src/surface/microsurface_data.inc: what light does on rough interfaces beyond one bounce, by the exact walk of
// microsurface.h.
//   make_surface_tables src/surface/microsurface_data.inc      about nine minutes on two cores; the numbers
//   are the same on every run
#include <cstdio>
#include <fstream>

#include "base/parallel.h"
#include "echo.h"
#include "surface/albedo_tables.h"
#include "surface/microsurface.h"

using namespace vemtra;
using namespace vemtra::surface;

namespace {

constexpr int side = 96;
V3f direction(int m, float turn = 0.f) {
    const float t = float(m) / (AlbedoTables::mus - 1), mu = std::max(2e-3f, t * t);
    const float s = std::sqrt(std::max(0.f, 1.f - mu * mu));
    return {s * std::cos(turn), s * std::sin(turn), mu};
}

/// Sums over a row of values at the mus: weighted by the cosine, and by s^2 = 1 - mu^2 if so.
double over_row(const float* v, bool s2) {
    double sum = 0;
    constexpr int n = AlbedoTables::mus - 1, fine = 16;
    for (int i = 0; i < n * fine; ++i) {
        const double t = (i + .5) / (n * fine), mu = t * t;
        const int k = i / fine;
        const double x = double(v[k]) + double(v[k + 1] - v[k]) * (t * n - k);
        sum += x * 2. * t * t * t * (s2 ? 1. - mu * mu : 1.) / (n * fine);
    }
    return sum;
}
/// The forward factor a of 1 + a x that gives the walk's mean of x: a half of it times the means of s^2 on both sides.
float onward_factor(double moment, const float* near_row, const float* far_row) {
    const double shape =
        over_row(near_row, true) * .5 * over_row(far_row, true) / std::max(1e-12, over_row(far_row, false));
    return shape > 1e-6 ? float(std::clamp(moment / shape, -.95, .95)) : 0.f;
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 2) return std::fprintf(stderr, "usage: make_surface_tables OUT.inc\n"), 2;
    constexpr int mus = AlbedoTables::mus, roughs = AlbedoTables::roughs, etas = AlbedoTables::etas,
                  stretches = AlbedoTables::stretches, turns = AlbedoTables::turns, nodes = facet_nodes, walks = 50000;
    std::vector<float> white(roughs * stretches * turns * mus), facet(roughs * mus * nodes), second(roughs * mus),
        third(roughs * mus), tail(roughs), m5(roughs), m6(roughs), bounced(roughs * nodes), onward(roughs),
        lost_white(roughs * mus);
    const size_t all = size_t(etas * roughs) * mus;
    std::vector<float> lost(all), reflected(all), reflectance(all), on_reflected(all), on_through(all);
    EchoSide::Walks back_walks(all), on_walks(all), white_walks(roughs * mus);
    parallel_ranges(size_t(roughs * (etas + 1)), 1, [&](size_t first, size_t last) {
        for (size_t cell = first; cell < last; ++cell) {
            const int r = int(cell) % roughs, e = int(cell) / roughs;
            const float roughness = float(r) / (roughs - 1);
            const Ggx ggx = Ggx::from(roughness);
            if (e < etas) {
                const float eta = AlbedoTables::eta_at(e);
                for (int m = 0; m < mus; ++m) {
                    const size_t at = (size_t(e) * roughs + size_t(r)) * mus + size_t(m);
                    const V3f wo = direction(m);
                    const ScatteredOnce s = scatter_once(wo, ggx, eta, side);
                    lost[at] = std::max(0.f, float(1. - s.reflected - s.through));
                    std::mt19937 random(uint32_t(at + 1));
                    int count = 0;
                    double on[2] = {};
                    for (int i = 0; i < walks; ++i) {
                        const Walked w = walk_microsurface(wo, ggx, eta, random);
                        if (w.bounces < 2 || !w.left) continue;
                        count += w.reflected;
                        (w.reflected ? back_walks : on_walks)[at][size_t(EchoCells::of(w.direction))] += 1.f / walks;
                        on[w.reflected] -= double(wo.x * w.direction.x + wo.y * w.direction.y) / walks;
                    }
                    on_reflected[at] = float(on[1]);
                    on_through[at] = float(on[0]);
                    reflected[at] = std::min(lost[at], float(count) / walks);
                    reflectance[at] =
                        e == (etas - 1) / 2
                            ? 0.f
                            : std::min(1.f, float(s.reflected) + reflected[at]);  // equal media reflect nothing
                }
                continue;
            }
            double events = 0, beyond = 0, bounces_beyond = 0, sum5 = 0, sum6 = 0, by_node[nodes] = {};
            float on_row[mus];
            float* const lost_row = &lost_white[size_t(r * mus)];
            for (int m = 0; m < mus; ++m) {
                const size_t at = size_t(r) * mus + size_t(m);
                for (int a = 0; a < stretches; ++a)
                    for (int p = 0; p < turns; ++p) {
                        const float turn = std::acos(std::min(1.f, float(p) / (turns - 1)));
                        const Ggx stretched = Ggx::from(roughness, AlbedoTables::stretch_at(a));
                        white[((size_t(r) * stretches + size_t(a)) * turns + size_t(p)) * mus + size_t(m)] =
                            float(scatter_once(direction(m, turn), stretched, 0.f, side).reflected);
                    }
                const V3f wo = direction(m);
                const ScatteredOnce s = scatter_once(wo, ggx, 0.f, side);
                for (int k = 0; k < nodes; ++k) facet[at * nodes + size_t(k)] = float(s.nodes[k]);
                lost_row[m] = std::max(0.f, 1.f - float(s.reflected));
                std::mt19937 random(uint32_t(at + 1000003));
                double two = 0, three = 0, more = 0, on = 0;
                for (int i = 0; i < 4 * walks; ++i) {
                    const Walked w = walk_microsurface(wo, ggx, 0.f, random);
                    if (w.bounces < 2) continue;
                    if (w.left) white_walks[at][size_t(EchoCells::of(w.direction))] += .25f / walks;
                    ++(w.bounces == 2 ? two : w.bounces == 3 ? three : more);
                    if (w.bounces > 3) ++beyond, bounces_beyond += w.bounces;
                    events += w.bounces;
                    sum5 += w.sum_m5;
                    sum6 += w.sum_m6;
                    for (int k = 0; k < nodes; ++k) by_node[k] += w.nodes[k];
                    on -= double(wo.x * w.direction.x + wo.y * w.direction.y) / (4 * walks);
                }
                on_row[m] = float(on);
                const double sum = std::max(1., two + three + more);
                second[at] = two + three + more < 200 ? 1.f : float(two / sum);
                third[at] = two + three + more < 200 ? 0.f : float(three / sum);
            }
            tail[size_t(r)] = beyond > 200 ? float(bounces_beyond / beyond) : 4.f;
            m5[size_t(r)] = events > 0 ? float(sum5 / events) : 0.f;
            m6[size_t(r)] = events > 0 ? float(sum6 / events) : 0.f;
            for (int k = 0; k < nodes; ++k)
                bounced[size_t(r * nodes + k)] = events > 0 ? float(by_node[k] / events) : k + 1 == nodes ? 1.f : 0.f;
            onward[size_t(r)] = onward_factor(over_row(on_row, false), lost_row, lost_row);
        }
    });
    // How much goes on forward: of what goes through, one number for both ways, as light may go either.
    std::vector<float> forward_reflected(etas * roughs), forward_through(etas * roughs), through(all);
    std::vector<float> turn_reflected(etas * roughs), turn_through(etas * roughs), turn_white(roughs);
    std::vector<float> echo_reflected(all), echo_through(all), echoed_reflected(all), echoed_through(all);
    for (size_t i = 0; i < all; ++i) through[i] = std::max(0.f, lost[i] - reflected[i]);
    for (int e = 0; e < etas; ++e)
        for (int r = 0; r < roughs; ++r) {
            const size_t here = size_t(e) * roughs + size_t(r), far = size_t(etas - 1 - e) * roughs + size_t(r);
            const float* back = &reflected[here * mus];
            const float* on = &through[here * mus];
            const float* on_far = &through[far * mus];
            forward_reflected[here] = onward_factor(over_row(&on_reflected[here * mus], false), back, back);
            forward_through[here] = .5f * (onward_factor(over_row(&on_through[here * mus], false), on, on_far) +
                                           onward_factor(over_row(&on_through[far * mus], false), on_far, on));
        }
    auto walks_of = [&](const EchoSide::Walks& w, size_t row) {
        return EchoSide::Walks(w.begin() + long(row * mus), w.begin() + long((row + 1) * mus));
    };
    auto put = [&](std::vector<float>& into, size_t row, const EchoSide::Row& values) {
        for (int m = 0; m < mus; ++m) into[row * mus + size_t(m)] = float(values[size_t(m)]);
    };
    // First the share that each would have for itself; then, with shares that change evenly, all else.
    std::vector<EchoFit> fits_back(etas * roughs), fits_on(etas * roughs);
    std::vector<EchoShare> shares_back(etas * roughs, {1., 0.}), shares_on(etas * roughs, {1., 0.});
    for (const bool last_round : {false, true}) {
        parallel_ranges(size_t(etas * roughs), 1, [&](size_t first, size_t last) {
            for (size_t here = first; here < last; ++here) {
                const int r = int(here) % roughs, e = int(here) / roughs, opposite = etas - 1 - e;
                const Ggx ggx = Ggx::from(float(r) / (roughs - 1));
                const size_t far = size_t(opposite) * roughs + size_t(r);
                const float* back = &reflected[here * mus];
                const EchoSide mirror(ggx, AlbedoTables::eta_at(e), false);
                const Echo mirrored = echo_of(shares_back[here], mirror, mirror, back, back);
                if (last_round) turn_reflected[here] = float(fits_back[here].forward(shares_back[here]));
                if (mirrored.found && last_round) {
                    put(echo_reflected, here, mirrored.near);
                    put(echoed_reflected, here, mirrored.near_share);
                } else if (mirrored.found) {
                    const auto walks_back = walks_of(back_walks, here);
                    fits_back[here] = fit_echo(mirrored, mirror, mirror, back, back, walks_back, walks_back);
                }
                if (e > opposite) continue;
                const float* on = &through[here * mus];
                const float* on_far = &through[far * mus];
                const EchoSide near_side(ggx, AlbedoTables::eta_at(e), true),
                    far_side(ggx, AlbedoTables::eta_at(opposite), true);
                const Echo echo = echo_of(shares_on[here], near_side, far_side, on, on_far);
                if (last_round) turn_through[here] = turn_through[far] = float(fits_on[here].forward(shares_on[here]));
                if (!echo.found) continue;
                if (!last_round) {
                    fits_on[here] = fits_on[far] = fit_echo(echo, near_side, far_side, on, on_far,
                                                            walks_of(on_walks, here), walks_of(on_walks, far));
                    continue;
                }
                put(echo_through, here, echo.near);
                put(echoed_through, here, echo.near_share);
                if (here == far) continue;
                put(echo_through, far, echo.far);
                put(echoed_through, far, echo.far_share);
            }
        });
        if (last_round) break;
        for (size_t i = 0; i < shares_on.size(); ++i)
            shares_back[i] = fits_back[i].share(), shares_on[i] = fits_on[i].share();
        smooth_shares(shares_back, fits_back, .265);
        smooth_shares(shares_on, fits_on, .147);
    }
    std::vector<float> echo_white(roughs * mus), echoed_white(roughs * mus);
    std::vector<EchoFit> fits_white(roughs);
    std::vector<EchoShare> shares_white(roughs, {1., 0.});
    for (const bool last_round : {false, true}) {
        for (size_t r = 0; r < roughs; ++r) {
            const EchoSide mirror(Ggx::from(float(r) / (roughs - 1)), 0.f, false);
            const float* row = &lost_white[r * mus];
            const Echo echo = echo_of(shares_white[r], mirror, mirror, row, row);
            if (last_round) turn_white[r] = float(fits_white[r].forward(shares_white[r]));
            if (!echo.found) continue;
            if (!last_round) {
                const auto walked = walks_of(white_walks, r);
                fits_white[r] = fit_echo(echo, mirror, mirror, row, row, walked, walked);
                continue;
            }
            put(echo_white, r, echo.near);
            put(echoed_white, r, echo.near_share);
        }
        if (last_round) break;
        for (size_t r = 0; r < roughs; ++r) shares_white[r] = fits_white[r].share();
        smooth_shares(shares_white, fits_white, 0.);
    }
    std::ofstream out(argv[1]);
    out << "// Made by tools/make_surface_tables.cpp; meaning and grids: albedo_tables.cpp.\n";
    auto table = [&](const char* name, const std::vector<float>& values) {
        out << "static constexpr float " << name << "[" << values.size() << "] = {";
        char text[32];
        for (size_t i = 0; i < values.size(); ++i) {
            if (i % AlbedoTables::mus == 0) out << "\n";
            std::snprintf(text, sizeof text, "%.5g", double(values[i]));
            const bool whole = std::string(text).find_first_of(".e") == std::string::npos;
            out << text << (whole ? ".f," : "f,");
        }
        out << "};\n";
    };
    table("white_data", white);
    table("facet_data", facet);
    table("second_data", second);
    table("third_data", third);
    table("tail_data", tail);
    table("m5_data", m5);
    table("m6_data", m6);
    table("bounced_data", bounced);
    table("onward_data", onward);
    table("turn_white_data", turn_white);
    table("echo_white_data", echo_white);
    table("echoed_white_data", echoed_white);
    table("lost_data", lost);
    table("reflected_data", reflected);
    table("reflectance_data", reflectance);
    table("onward_reflected_data", forward_reflected);
    table("onward_through_data", forward_through);
    table("turn_reflected_data", turn_reflected);
    table("turn_through_data", turn_through);
    table("echo_reflected_data", echo_reflected);
    table("echo_through_data", echo_through);
    table("echoed_reflected_data", echoed_reflected);
    table("echoed_through_data", echoed_through);
}
