#include "surface/albedo_tables.h"

#include <atomic>
#include <memory>

#include "surface/microsurface.h"

namespace vemtra::surface {
namespace {

// white: E1[roughness][stretch][turn][mu]. facet: E1 parted by angle of the facets, [roughness][mu][node]. second,
// third: shares of two and of three bounces among all beyond one, [roughness][mu]. tail: mean count of those beyond
// three. m5, m6: means of (1 - mu)^5 and mu (1 - mu)^6 on the facets of such paths; bounced: of the nodes' shares,
// [roughness][node]. onward: the forward factor of stretched facets (Onward);
// turn_white: that of the broad lobe of round ones; echo_white, echoed_white: as below, of
// white conductors, [roughness][mu]. lost, reflected, reflectance (all bounces): [eta][roughness][mu];
// onward_reflected, onward_through, turn_reflected, turn_through likewise, [eta][roughness]. echo_reflected,
// echo_through, echoed_reflected, echoed_through: e and the shares of light that the echoes have, [eta][roughness][mu].
#include "surface/microsurface_data.inc"

constexpr int M = AlbedoTables::mus, R = AlbedoTables::roughs, N = AlbedoTables::etas, S = AlbedoTables::stretches,
              T = AlbedoTables::turns, K = facet_nodes;

struct Span {
    int i;
    float f;
    Span(float t, int n) {
        const float x = clamp01(t) * float(n - 1);
        i = std::min(int(x), n - 2);
        f = x - float(i);
    }
};
Span mu_span(float mu) {
    return {std::sqrt(std::max(0.f, mu)), M};
}
/// In nodes, from 0.
float place_of_eta(float eta) {
    using T = AlbedoTables;
    static const float ratio = T::ratio_etas / std::log(T::apart / T::near);
    static const float root = T::root_etas / (std::sqrt(T::widest) - std::sqrt(T::apart));
    const float r = std::fabs(eta - 1.f) / (eta + 1.f);
    float place;
    if (r < T::near)
        place = T::even_etas * r / T::near;
    else if (r < T::apart)
        place = T::even_etas + ratio * std::log(r / T::near);
    else
        place = T::even_etas + T::ratio_etas + root * (std::sqrt(r) - std::sqrt(T::apart));
    return T::equal + std::copysign(std::min(place, float(T::equal)), eta - 1.f);
}

float at(const float* table, const Span& r, const Span& m) {
    const float* p = table + r.i * M + m.i;
    return lerp(lerp(p[0], p[1], m.f), lerp(p[M], p[M + 1], m.f), r.f);
}
float at(const float* table, const AlbedoTables::Media& e, const Span& r, const Span& m) {
    return lerp(at(table + e.i * R * M, r, m), at(table + (e.i + 1) * R * M, r, m), e.f);
}
float at_round(const Span& r, const Span& m) {
    const float* p = white_data + r.i * S * T * M + m.i;
    const float* q = p + S * T * M;
    return lerp(lerp(p[0], p[1], m.f), lerp(q[0], q[1], m.f), r.f);
}

}  // namespace

Facets::Facets(const Ggx& g) : ax2(g.ax * g.ax), ay2(g.ay * g.ay) {
    roughness = std::sqrt(std::sqrt(.5f * (ax2 + ay2)));
    stretch = g.ax > g.ay ? 1.f - g.ay / g.ax : 0.f;
    if (stretch < 1e-3f) stretch = 0.f;
}
V3f Onward::turned(const V3f& o, const V3f& i, float u) const {
    if (!round) return 2.f * u < (*this)(o, i) ? i : V3f(-i.x, -i.y, i.z);
    const float s_o = std::sqrt(o.x * o.x + o.y * o.y);
    const float s_i = std::sqrt(i.x * i.x + i.y * i.y);
    if (s_o < 1e-6f) return i;
    const float g = 2.f * a * s_o * s_i / (1.f + s_o * s_i);
    const float half = (1.f - g) / (1.f + g) * std::tan(pi * (std::clamp(u, 1e-6f, 1.f - 1e-6f) - .5f));
    const float across = s_i / (s_o * (1.f + half * half));
    const float c = -across * (1.f - half * half);
    const float s = -across * 2.f * half;
    return {o.x * c - o.y * s, o.y * c + o.x * s, i.z};
}
V3f Onward::draw(const V3f& o, float u1, float u2) const {
    if (!round || u2 < .1f) return cosine_direction(u1, round ? u2 * 10.f : u2);
    return turned(o, cosine_direction(u1, .5f), (u2 - .1f) / .9f);
}
const AlbedoTables& AlbedoTables::get() {
    static const AlbedoTables tables;
    return tables;
}

AlbedoTables::Media::Media(float of) : eta(of) {
    const Span e(place_of_eta(of) / (N - 1), N);
    i = e.i;
    f = e.f;
}

AlbedoTables::Row AlbedoTables::row_of(const float* v) {
    // Of v straight in t within a cell, the integral of v mu dmu = v 2 t^3 dt.
    Row row{};
    double sum = 0;
    for (int k = 0; k < cells; ++k) {
        const double a = double(k) / cells;
        const double b = double(k + 1) / cells;
        const double i3 = (b * b * b * b - a * a * a * a) / 4.;
        const double i4 = (b * b * b * b * b - a * a * a * a * a) / 5.;
        const double slope = double(v[k + 1] - v[k]) * cells;
        sum += 2. * ((double(v[k]) - slope * a) * i3 + slope * i4);
        row.below[size_t(k)] = float(sum);
    }
    return row;
}

AlbedoTables::AlbedoTables() {
    for (int i = 0; i < R * S * T; ++i) {
        for (int m = 0; m < M; ++m) lost_values_.push_back(std::max(0.f, 1.f - white_data[i * M + m]));
        lost_rows_.push_back(row_of(&lost_values_[size_t(i) * M]));
    }
    nodes_.resize(size_t(N) * R * M);
    for (int row = 0; row < N * R; ++row) {
        const int first = row * M;
        float lost[M];
        for (int i = first; i < first + M; ++i) {
            const float back = std::max(0.f, reflected_data[i] - echoed_reflected_data[i]);
            const float on = std::max(0.f, lost_data[i] - reflected_data[i] - echoed_through_data[i]);
            reflected_values_.push_back(back);
            through_values_.push_back(on);
            lost[i - first] = back + on;
            nodes_[size_t(i)] = {back + on,
                                 back,
                                 echo_reflected_data[i],
                                 echo_through_data[i],
                                 echoed_reflected_data[i],
                                 echoed_through_data[i],
                                 reflectance_data[i],
                                 0.f};
        }
        most_echo_reflected_.push_back(*std::max_element(echo_reflected_data + first, echo_reflected_data + first + M));
        most_echo_through_.push_back(*std::max_element(echo_through_data + first, echo_through_data + first + M));
        through_rows_.push_back(row_of(&through_values_[size_t(first)]));
        reflected_rows_.push_back(row_of(&reflected_values_[size_t(first)]));
        lost_dielectric_rows_.push_back(row_of(lost));
        whole_reflected_rows_.push_back(row_of(reflected_data + first));
        whole_lost_rows_.push_back(row_of(lost_data + first));
        reflectance_rows_.push_back(row_of(reflectance_data + first));
    }
    for (int r = 0; r < R; ++r) {
        echoed_rows_.push_back(row_of(echoed_white_data + r * M));
        most_echo_.push_back(*std::max_element(echo_white_data + r * M, echo_white_data + r * M + M));
        float two[M];
        float three[M];
        const float* lost = &lost_values_[size_t(r) * S * T * M];
        for (int m = 0; m < M; ++m) {
            two[m] = lost[m] * second_data[r * M + m];
            three[m] = lost[m] * third_data[r * M + m];
        }
        second_average_[size_t(r)] = row_of(two).average();
        third_average_[size_t(r)] = row_of(three).average();
        for (int k = 0; k < K; ++k) {
            float share[M];
            for (int m = 0; m < M; ++m) share[m] = facet_data[(r * M + m) * K + k];
            shares_average_[size_t(r)][size_t(k)] = row_of(share).average();
        }
    }
}

float AlbedoTables::white(float mu, float roughness) const {
    return at_round(Span(roughness, R), mu_span(mu));
}
float AlbedoTables::white(const V3f& w, const Facets& f) const {
    const Span r(f.roughness, R);
    const Span m = mu_span(w.z);
    if (f.round()) return at_round(r, m);
    const Cell a = stretch_cell(f.stretch);
    const Span p(Facets::turned(w), T);
    float value[2];
    for (int i = 0; i < 2; ++i) {
        float of_stretch[2];
        for (int j = 0; j < 2; ++j) {
            const float* x = white_data + (((r.i + i) * S + a.i + j) * T + p.i) * M + m.i;
            of_stretch[j] = lerp(lerp(x[0], x[1], m.f), lerp(x[M], x[M + 1], m.f), p.f);
        }
        value[i] = lerp(of_stretch[0], of_stretch[1], a.f);
    }
    return lerp(value[0], value[1], r.f);
}
float AlbedoTables::lost_average(const Cell& r, const Cell& a) const {
    // Over the turn: each node's hat in its cosine, integrated over the angle.
    static const std::array<float, turns> weight = [] {
        std::array<float, turns> w{};
        constexpr int steps = 4096;
        for (int i = 0; i < steps; ++i) {
            const Span p(std::cos((float(i) + .5f) / steps * pi * .5f), T);
            w[size_t(p.i)] += (1.f - p.f) / steps;
            w[size_t(p.i) + 1] += p.f / steps;
        }
        return w;
    }();
    float sum = 0.f;
    for (int i = 0; i < 2; ++i)
        for (int j = 0; j < 2; ++j) {
            const float part = (i ? r.f : 1.f - r.f) * (j ? a.f : 1.f - a.f);
            if (part <= 0.f) continue;
            for (int p = 0; p < T; ++p)
                sum += part * weight[size_t(p)] * lost_rows_[size_t(((r.i + i) * S + a.i + j) * T + p)].average();
        }
    return sum;
}
float AlbedoTables::white_average(const Facets& f) const {
    const Cell r(f.roughness, R);
    if (f.round())
        return 1.f -
               lerp(lost_rows_[size_t(r.i) * S * T].average(), lost_rows_[size_t(r.i + 1) * S * T].average(), r.f);
    return 1.f - lost_average(r, stretch_cell(f.stretch));
}

void AlbedoTables::facet_shares(float mu, float roughness, float* shares) const {
    const Span r(roughness, R);
    const Span m = mu_span(mu);
    const float* p = facet_data + (r.i * M + m.i) * K;
    for (int k = 0; k < K; ++k)
        shares[k] = lerp(lerp(p[k], p[K + k], m.f), lerp(p[M * K + k], p[M * K + K + k], m.f), r.f);
}
void AlbedoTables::facet_shares_average(float roughness, float* shares) const {
    const Span r(roughness, R);
    for (int k = 0; k < K; ++k)
        shares[k] = lerp(shares_average_[size_t(r.i)][size_t(k)], shares_average_[size_t(r.i) + 1][size_t(k)], r.f);
}

namespace {
float row_at(const float* table, const Span& r) {
    return lerp(table[r.i], table[r.i + 1], r.f);
}
}  // namespace

AlbedoTables::Rest AlbedoTables::conductor_rest(const FresnelF82& fresnel, const Facets& facets) const {
    const Span r(facets.roughness, R);
    V3f nodes[K];  // a mean stands at every node
    const V3f mean = fresnel.from_means(row_at(m5_data, r), row_at(m6_data, r));
    for (V3f& n : nodes) n = mean;
    return conductor_rest(nodes, facets);
}
AlbedoTables::Rest AlbedoTables::conductor_rest(const V3f* nodes, const Facets& facets) const {
    const Span r(facets.roughness, R);
    Rest rest;
    rest.facets = facets;
    rest.section = facets.round() ? facets.roughness : std::sqrt(std::sqrt(std::sqrt(facets.ax2 * facets.ay2)));
    for (int k = 0; k < K; ++k)
        rest.f += nodes[k] * lerp(bounced_data[r.i * K + k], bounced_data[(r.i + 1) * K + k], r.f);
    rest.tail = row_at(tail_data, r);
    rest.forward = rest.forward_of_all = {row_at(onward_data, r), false};
    const float round_lost =
        lerp(lost_rows_[size_t(r.i) * S * T].average(), lost_rows_[size_t(r.i + 1) * S * T].average(), r.f);
    const float lost = facets.round() ? round_lost : 1.f - white_average(facets);
    const float scale = lost / std::max(1e-9f, round_lost);  // how often light bounces is taken from round facets
    const float two = row_at(second_average_.data(), r) * scale;
    const float three = row_at(third_average_.data(), r) * scale;
    for (int c = 0; c < 3; ++c) {
        const float f = rest.f[c];
        rest.average[c] = f * f * (two + f * three) + std::max(0.f, lost - two - three) * std::pow(f, rest.tail);
    }
    rest.white_average = lost;
    if (!facets.round() || lost <= 1e-6f) return rest;
    const float echoed = lerp(echoed_rows_[size_t(r.i)].average(), echoed_rows_[size_t(r.i) + 1].average(), r.f);
    rest.echo = rest.average / lost;
    rest.average -= rest.echo * echoed;
    rest.white_average -= echoed;
    rest.most_echo = row_at(most_echo_.data(), r);
    rest.forward = {row_at(turn_white_data, r), true};
    return rest;
}
AlbedoTables::RestAt AlbedoTables::white_rest_at(const Facets& f, const V3f& w) const {
    RestAt at_w;
    at_w.white = std::max(0.f, 1.f - white(w, f));
    if (!f.round()) return at_w;
    const Span r(f.roughness, R);
    const Span m = mu_span(w.z);
    at_w.echo = at(echo_white_data, r, m);
    at_w.echoed = at(echoed_white_data, r, m);
    at_w.white = std::max(0.f, at_w.white - at_w.echoed);
    return at_w;
}
AlbedoTables::RestAt AlbedoTables::conductor_rest_at(const Rest& rest, const V3f& w) const {
    RestAt at_w = white_rest_at(rest.facets, w);
    const Span r(rest.facets.roughness, R);
    const Span m = mu_span(w.z);
    const float lost = at_w.white + at_w.echoed;
    const float two = at(second_data, r, m);
    const float three = at(third_data, r, m);
    for (int c = 0; c < 3; ++c) {
        const float f = rest.f[c];
        const float all =
            lost * (f * f * (two + f * three) + std::max(0.f, 1.f - two - three) * std::pow(f, rest.tail));
        at_w.broad[c] = std::max(0.f, all - rest.echo[c] * at_w.echoed);
    }
    return at_w;
}

AlbedoTables::Interface AlbedoTables::dielectric(float mu, float roughness, const Media& e) const {
    const Span r(roughness, R);
    const Span m = mu_span(mu);
    return {at(lost_data, e, r, m), at(reflected_data, e, r, m)};
}
// Stretched facets between dielectrics have too many dimensions to be kept: what single scattering does with them is
// summed up at the nodes of the grid that are asked for, once. What comes back of what it loses is taken from round
// facets as rough as the section along the direction.
AlbedoTables::Stretched AlbedoTables::stretched(const V3f* w, const Facets& f, const Media& e) const {
    constexpr int coarse_mus = 25;
    constexpr int coarse_turns = 5;
    constexpr int side = 24;
    struct Node {
        Stretched values[coarse_turns * coarse_mus];  // [turn][mu]
        Stretched mean;
    };
    static std::vector<std::atomic<const Node*>> nodes(size_t(R) * S * N);  // made at need, kept to the end
    auto between = [](const Stretched* v, float turned, float t) {
        const Span p(turned, coarse_turns);
        const Span m(t, coarse_mus);
        v += p.i * coarse_mus + m.i;
        auto mix = [&](float Stretched::*x) {
            return lerp(lerp(v[0].*x, v[1].*x, m.f), lerp(v[coarse_mus].*x, v[coarse_mus + 1].*x, m.f), p.f);
        };
        return Stretched{mix(&Stretched::reflected), mix(&Stretched::lost), mix(&Stretched::rest)};
    };
    auto make = [&](int r, int a, int e) -> const Node& {
        std::atomic<const Node*>& slot = nodes[size_t((r * S + a) * N + e)];
        if (const Node* made = slot.load(std::memory_order_acquire)) return *made;
        auto fresh = std::make_unique<Node>();
        Node& n = *fresh;
        const Ggx ggx = Ggx::from(float(r) / (R - 1), stretch_at(a));
        const Facets facets(ggx);
        for (int p = 0; p < coarse_turns; ++p)
            for (int m = 0; m < coarse_mus; ++m) {
                const float t = float(m) / (coarse_mus - 1);
                const float mu = std::max(2e-3f, t * t);
                const float c = float(p) / (coarse_turns - 1);
                const float s = std::sqrt(std::max(0.f, 1.f - mu * mu));
                const V3f from(s * c, s * std::sqrt(std::max(0.f, 1.f - c * c)), mu);
                const ScatteredOnce once = scatter_once(from, ggx, eta_at(e), side);
                Stretched& v = n.values[size_t(p * coarse_mus + m)];
                v.reflected = float(once.reflected);
                v.lost = std::max(0.f, float(1. - once.reflected - once.through));
                const Interface round = dielectric(mu, facets.along(from), eta_at(e));
                v.rest = v.lost * (round.lost > 1e-6f ? clamp01(round.reflected / round.lost) : .5f);
            }
        constexpr int fine = 64;
        for (int i = 0; i < fine; ++i)
            for (int j = 0; j < fine; ++j) {
                const float t = (float(i) + .5f) / fine;
                const float part = 4.f * t * t * t / (fine * fine);
                const Stretched v = between(n.values, std::cos((float(j) + .5f) / fine * pi * .5f), t);
                n.mean.reflected += v.reflected * part;
                n.mean.lost += v.lost * part;
                n.mean.rest += v.rest * part;
            }
        const Node* none = nullptr;  // whoever is first wins: all make the same
        return slot.compare_exchange_strong(none, &n, std::memory_order_acq_rel) ? *fresh.release() : *none;
    };
    const Span r(f.roughness, R);
    const Cell a = stretch_cell(f.stretch);
    // Where in a node, and by how much.
    const Span p(w ? Facets::turned(*w) : 0.f, coarse_turns);
    const Span m(w ? std::sqrt(std::max(0.f, w->z)) : 0.f, coarse_mus);
    const size_t at = size_t(p.i * coarse_mus + m.i);
    const float weight[4] = {(1.f - m.f) * (1.f - p.f), m.f * (1.f - p.f), (1.f - m.f) * p.f, m.f * p.f};
    Stretched sum;
    auto add = [&sum](const Stretched& v, float part) {
        sum.reflected += part * v.reflected;
        sum.lost += part * v.lost;
        sum.rest += part * v.rest;
    };
    for (int c = 0; c < 8; ++c) {
        const float part = ((c & 1) ? r.f : 1.f - r.f) * ((c & 2) ? a.f : 1.f - a.f) * ((c & 4) ? e.f : 1.f - e.f);
        if (part <= 0.f) continue;
        const Node& n = make(r.i + (c & 1), a.i + (c >> 1 & 1), e.i + (c >> 2));
        if (w)
            for (int k = 0; k < 4; ++k) add(n.values[at + size_t((k & 1) + (k >> 1) * coarse_mus)], part * weight[k]);
        else
            add(n.mean, part);
    }
    return sum;
}

AlbedoTables::Interface AlbedoTables::dielectric(const V3f& w, const Facets& f, const Media& e) const {
    if (f.round()) return dielectric(w.z, f.roughness, e);
    const Stretched s = stretched(&w, f, e);
    return {s.lost, s.rest};
}
float AlbedoTables::reflectance(float mu, float roughness, const Media& e) const {
    return at(reflectance_data, e, Span(roughness, R), mu_span(mu));
}
float AlbedoTables::reflectance(const V3f& w, const Facets& f, const Media& e) const {
    if (f.round()) return reflectance(w.z, f.roughness, e);
    const Stretched s = stretched(&w, f, e);
    return std::min(1.f, s.reflected + s.rest);
}
AlbedoTables::Beyond AlbedoTables::beyond(const V3f& w, const Facets& f, const Media& e) const {
    Beyond b;
    if (!f.round()) {
        const Stretched s = stretched(&w, f, e);
        b.rest = {s.lost, s.rest};
        b.reflectance = std::min(1.f, s.reflected + s.rest);
        return b;
    }
    const Span r(f.roughness, R);
    const Span m = mu_span(w.z);
    constexpr int values = sizeof(Node) / sizeof(float);
    float sum[values] = {};
    for (int c = 0; c < 4; ++c) {
        const float part = ((c >> 1) ? e.f : 1.f - e.f) * ((c & 1) ? r.f : 1.f - r.f);
        const float* p = &nodes_[size_t(((e.i + (c >> 1)) * R + r.i + (c & 1)) * M + m.i)].lost;
        for (int k = 0; k < values; ++k) sum[k] += part * (p[k] + m.f * (p[k + values] - p[k]));
    }
    b.rest = {sum[0], sum[1]};
    b.echo_reflected = sum[2];
    b.echo_through = sum[3];
    b.echoed_reflected = sum[4];
    b.echoed_through = sum[5];
    b.reflectance = sum[6];
    return b;
}
float AlbedoTables::reflectance_average(float roughness, const Media& e) const {
    const Span r(roughness, R);
    auto row = [&](int k, int j) { return reflectance_rows_[size_t((e.i + k) * R + r.i + j)].average(); };
    return lerp(lerp(row(0, 0), row(0, 1), r.f), lerp(row(1, 0), row(1, 1), r.f), e.f);
}
AlbedoTables::InterfaceMean AlbedoTables::dielectric_mean(const Facets& f, const Media& e) const {
    InterfaceMean mean;
    const Span r(f.roughness, R);
    auto mix = [&](auto&& of) {
        auto row = [&](int k, int j) { return of(size_t((e.i + k) * R + r.i + j)); };
        return lerp(lerp(row(0, 0), row(0, 1), r.f), lerp(row(1, 0), row(1, 1), r.f), e.f);
    };
    mean.forward_reflected = {mix([](size_t i) { return onward_reflected_data[i]; }), false};
    mean.forward_through = {mix([](size_t i) { return onward_through_data[i]; }), false};
    mean.forward_reflected_of_all = mean.forward_reflected;
    if (f.round()) {
        mean.forward_reflected = {mix([](size_t i) { return turn_reflected_data[i]; }), true};
        mean.forward_through = {mix([](size_t i) { return turn_through_data[i]; }), true};
        mean.shares = {mix([&](size_t i) { return lost_dielectric_rows_[i].average(); }),
                       mix([&](size_t i) { return reflected_rows_[i].average(); })};
        mean.whole = {mix([&](size_t i) { return whole_lost_rows_[i].average(); }),
                      mix([&](size_t i) { return whole_reflected_rows_[i].average(); })};
        mean.most_echo_reflected = mix([&](size_t i) { return most_echo_reflected_[i]; });
        mean.most_echo_through = mix([&](size_t i) { return most_echo_through_[i]; });
        mean.reflectance = mix([&](size_t i) { return reflectance_rows_[i].average(); });
        return mean;
    }
    const Stretched s = stretched(nullptr, f, e);
    mean.shares = mean.whole = {s.lost, s.rest};
    mean.reflectance = s.reflected + s.rest;
    return mean;
}

}  // namespace vemtra::surface
