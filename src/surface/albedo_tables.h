// What light does on a rough interface beyond the first bounce, tabulated from the exact walk (microsurface.h) by
// tools/make_surface_tables.
//   mu      cosine of incidence on the macroscopic surface          eta  IOR of the far side over that of the near side
//   E       directional albedo; E1 of single scattering alone, Em of all the rest: E = E1 + Em
//   rest    Em(o) Em(i) P(o, i) / (pi Em_average),  P how it goes on forward rather than back (Onward)
// The rest is reciprocal and its albedo is Em(o) exactly (after Kulla and Conty 2017, whose guess of Em is replaced by
// the walk's numbers).
//   echo    of round facets: what of the rest leaves as a single bounce does, once(o, i) e(o) e(i), e from
//           0 to 4.4; Em is then what is left of it (tools/echo.h)
#pragma once
#include <array>
#include <vector>

#include "base/vec.h"
#include "surface/facet_cosines.h"
#include "surface/fresnel.h"
#include "surface/microfacet.h"

namespace vemtra::surface {

/// A form of facets, as the tables know it.
struct Facets {
    float roughness = 0.f;       ///< of Ggx::from
    float stretch = 0.f;         ///< its anisotropy
    float ax2 = 0.f, ay2 = 0.f;  ///< squares of both alphas
    Facets() = default;
    explicit Facets(const Ggx& g);
    bool round() const { return stretch <= 0.f; }
    /// The cosine of the direction's turn from the axis of ax, 0 to 1.
    static float turned(const V3f& w) {
        const float s = w.x * w.x + w.y * w.y;
        return s > 1e-12f ? std::fabs(w.x) / std::sqrt(s) : .7f;
    }
    /// Roughness of the facets' section along the direction: what it is shadowed by.
    float along(const V3f& w) const {
        const float c = turned(w);
        return round() ? roughness : std::sqrt(std::sqrt(ax2 * c * c + ay2 * (1.f - c * c)));
    }
};

/// The rest's turn about the normal, in place of an even one; by it nothing is won or lost. With x = -(o.x i.x + o.y
/// i.y) and g = 2 a s / (1 + s), s = sin(o) sin(i):
///   round facets   (1 - g^2) / (1 + g^2 - 2 g x / s)   a wrapped Cauchy distribution, whose mean cosine is g
///   else           1 + a x                           keeps what is the same in both directions of a stretch
struct Onward {
    float a = 0.f;  ///< of round facets 0 to .95, else -.95 to .95
    bool round = true;
    float operator()(const V3f& o, const V3f& i) const {
        const float x = -(o.x * i.x + o.y * i.y);
        if (!round) return 1.f + a * x;
        const float s = std::sqrt(std::max(0.f, (1.f - o.z * o.z) * (1.f - i.z * i.z)));
        const float part = 2.f * a / (1.f + s);
        const float g2 = part * part * s * s;
        return (1.f - g2) / (1.f + g2 - 2.f * part * x);
    }
    /// The same for drawing by: a tenth of it even, so that nothing is drawn too seldom. Even where facets are not
    /// round.
    float drawn(const V3f& o, const V3f& i) const { return round ? .9f * (*this)(o, i) + .1f : 1.f; }
    /// A direction of the upper side with the density drawn() times cosine over pi.
    V3f draw(const V3f& o, float u1, float u2) const;
    /// Turns a direction that was drawn with an even turn, or alike in both directions, so that this is its density;
    /// `u` in [0, 1).
    V3f turned(const V3f& o, const V3f& i, float u) const;
};

class AlbedoTables {
public:
    // Grids: mu = t^2 (dense at grazing), roughness = t. Stretch = 1 - t^(3/2) from 1 down to 0; the cosine of the turn
    // is even. eta from 1/3 to 3, the same on both sides of 1: by r = |eta - 1| / (eta + 1), even up to `near`, by
    // ratios of about 1.34 up to `apart` and by sqrt(r) beyond, so that total reflection, which sets in at a cosine of
    // 2 sqrt(r) where media are nearly equal, moves by few parts in a hundred of itself from node to node.
    static constexpr int mus = 33, roughs = 21, stretches = 8, turns = 7;
    static constexpr int even_etas = 2, ratio_etas = 10, root_etas = 18;
    static constexpr int equal = even_etas + ratio_etas + root_etas, etas = 2 * equal + 1;
    static constexpr float near = .002f, apart = .036f, widest = .5f;
    static float stretch_at(int a) { return 1.f - std::pow(1.f - float(a) / (stretches - 1), 1.5f); }
    static float eta_at(int e) {
        const int k = std::abs(e - equal);
        float r = 2e-4f;  // equal media: the limit stands for them
        if (k > even_etas + ratio_etas) {
            const float step = (std::sqrt(widest) - std::sqrt(apart)) / root_etas;
            const float root = std::sqrt(apart) + step * float(k - even_etas - ratio_etas);
            r = root * root;
        } else if (k > even_etas) {
            r = near * std::pow(apart / near, float(k - even_etas) / ratio_etas);
        } else if (k > 0) {
            r = near * float(k) / even_etas;
        }
        return e < equal ? (1.f - r) / (1.f + r) : (1.f + r) / (1.f - r);
    }

    static const AlbedoTables& get();

    /// Two media, with their place in the tables, which takes a root to find.
    struct Media {
        float eta;
        int i;    ///< the node before it, and
        float f;  ///< how far it lies towards the next
        Media(float eta);
    };

    /// Single scattering of a white conductor: E1.
    float white(float mu, float roughness) const;
    float white(const V3f& w, const Facets& f) const;
    float white_average(const Facets& f) const;

    /// E1 parted by the angle at which facets are met; the parts sum to E1.
    void facet_shares(float mu, float roughness, float* shares) const;
    void facet_shares_average(float roughness, float* shares) const;

    /// What a conductor gives back beyond the first bounce: Em(w) = (1 - E1(w)) * sum over k >= 2 bounces of P(k | mu)
    /// F^k, and its cosine-weighted average. F is the mean over the bounces. An echo has the mean colour of all that.
    struct Rest {
        V3f f{0.f};        ///< mean Fresnel reflectance per bounce beyond the first
        float tail = 4.f;  ///< mean number of bounces of those beyond three
        V3f average{0.f};  ///< of the broad lobe, cosine-weighted
        V3f echo{0.f};
        float white_average = 0.f;  ///< `average` of a white metal
        float most_echo = 0.f;      ///< e of any direction: a bound
        Facets facets;
        float section = 0.f;    ///< roughness that stands for the facets
        Onward forward;         ///< of the broad lobe
        Onward forward_of_all;  ///< with what echoes have
    };
    Rest conductor_rest(const FresnelF82& fresnel, const Facets& facets) const;
    /// The same of any reflectance, by its values at the facets' nodes.
    Rest conductor_rest(const V3f* at_nodes, const Facets& facets) const;
    struct RestAt {
        V3f broad{0.f};
        float white = 0.f;               ///< `broad` of a white metal
        float echo = 0.f, echoed = 0.f;  ///< e of the direction; share of white light that the echo has
    };
    RestAt conductor_rest_at(const Rest& rest, const V3f& w) const;
    RestAt white_rest_at(const Facets& f, const V3f& w) const;  ///< without `broad`

    /// A dielectric interface: shares that single scattering loses, and the part of it that comes back on the same
    /// side.
    struct Interface {
        float lost = 0.f, reflected = 0.f;
        float through() const { return lost - reflected; }
    };
    Interface dielectric(float mu, float roughness, const Media& eta) const;
    Interface dielectric(const V3f& w, const Facets& f, const Media& eta) const;
    /// What an interface does with a direction, all bounces: the rest as Em of the broad lobe, and the echoes.
    struct Beyond {
        Interface rest;
        float echo_reflected = 0.f, echo_through = 0.f;      ///< e of the direction
        float echoed_reflected = 0.f, echoed_through = 0.f;  ///< shares of all light that the echoes have
        float reflectance = 0.f;
        float lost() const { return rest.lost + echoed_reflected + echoed_through; }  ///< to single scattering
    };
    Beyond beyond(const V3f& w, const Facets& f, const Media& eta) const;
    /// Cosine-weighted, and how much goes on forward.
    struct InterfaceMean {
        Interface shares;  ///< of the broad lobe
        Interface whole;
        float most_echo_reflected = 0.f, most_echo_through = 0.f;  ///< of any direction: a bound
        float reflectance = 0.f;                                   ///< all bounces
        Onward forward_reflected, forward_through;                 ///< of the broad lobe
        Onward forward_reflected_of_all;
    };
    InterfaceMean dielectric_mean(const Facets& f, const Media& eta) const;
    /// Reflected share of a dielectric interface seen from the near side: all bounces.
    float reflectance(float mu, float roughness, const Media& eta) const;
    float reflectance(const V3f& w, const Facets& f, const Media& eta) const;
    float reflectance_average(float roughness, const Media& eta) const;

    /// A direction on the upper side with the density Em(w) w.z / (pi Em_average). `next` gives numbers in [0, 1).
    enum class Of : uint8_t { conductor, reflected, through };
    template <class Next> V3f draw_lost(const Facets& f, Next&& next) const;  ///< of 1 - E1
    template <class Next> V3f draw_rest(Of of, const Facets& f, const Media& eta, Next&& next) const;

private:
    AlbedoTables();
    static constexpr int cells = mus - 1, turn_cells = turns - 1;
    /// What a row of the tables holds between its nodes, as sums over its cells: so that it can be drawn from.
    struct Row {
        std::array<float, cells> below;  ///< sum up to and with the cell
        float total() const { return below[cells - 1]; }
        float average() const { return 2.f * below[cells - 1]; }  ///< cosine-weighted
    };
    static Row row_of(const float* values);
    template <class Next> float draw_mu(const float* values, const Row& row, Next&& next) const;
    std::vector<Row> echoed_rows_;                    ///< of white metals: [roughness]
    std::vector<float> most_echo_;                    ///< likewise
    std::vector<Row> lost_rows_;                      ///< 1 - E1: [roughness][stretch][turn]
    std::vector<float> lost_values_;                  ///< likewise, with mu
    std::vector<Row> reflected_rows_, through_rows_;  ///< [eta][roughness]
    std::vector<float> through_values_;               ///< likewise, with mu
    std::vector<float> reflected_values_;
    std::vector<Row> lost_dielectric_rows_, whole_reflected_rows_, whole_lost_rows_, reflectance_rows_;
    /// The numbers of Beyond side by side: [eta][roughness][mu].
    struct alignas(32) Node {
        float lost, reflected, echo_reflected, echo_through, echoed_reflected, echoed_through, reflectance, none;
    };
    std::vector<Node> nodes_;
    std::vector<float> most_echo_reflected_, most_echo_through_;    // [eta][roughness]
    std::array<float, roughs> second_average_{}, third_average_{};  // weighted by 1 - E1
    std::array<std::array<float, facet_nodes>, roughs> shares_average_{};

    // The bilinear cells that a value lies in.
    struct Cell {
        int i;
        float f;
        Cell(float t, int n) {
            const float x = clamp01(t) * float(n - 1);
            i = std::min(int(x), n - 2);
            f = x - float(i);
        }
    };
    static Cell stretch_cell(float stretch) {
        const float t = std::cbrt(clamp01(1.f - stretch));
        return {1.f - t * t, stretches};
    }
    float lost_average(const Cell& r, const Cell& a) const;
    /// Of stretched facets between dielectrics: what single scattering reflects, what it loses, and what of that comes
    /// back; at a direction, or the cosine-weighted mean where that is null.
    struct Stretched {
        float reflected = 0.f, lost = 0.f, rest = 0.f;
    };
    Stretched stretched(const V3f* w, const Facets& f, const Media& eta) const;
};

template <class Next> float AlbedoTables::draw_mu(const float* values, const Row& row, Next&& next) const {
    const float u = next() * row.total();
    const int k = std::min(int(std::upper_bound(row.below.begin(), row.below.end(), u) - row.below.begin()), cells - 1);
    const float low = float(k) / cells;
    const float high = float(k + 1) / cells;
    const float a4 = low * low * low * low;
    const float b4 = high * high * high * high;
    const float most = std::max(values[k], values[k + 1]);
    float t = high;
    for (int tries = 0; tries < 64; ++tries) {  // the even chance of each is a half or more
        t = std::sqrt(std::sqrt(a4 + (b4 - a4) * next()));
        if (next() * most < lerp(values[k], values[k + 1], (t - low) * cells)) break;
    }
    return t * t;
}

template <class Next> V3f AlbedoTables::draw_lost(const Facets& f, Next&& next) const {
    // What is interpolated between nodes is a mixture of them.
    const Cell r(f.roughness, roughs);
    const Cell a = stretch_cell(f.stretch);
    const int corners = f.round() ? 2 : 4;
    size_t row[4];
    float chance[4];
    float sum = 0.f;
    // The turn of the end of a cell, whose cosine is k / turn_cells.
    static const auto turn_of = [] {
        std::array<float, turns> t{};
        for (int k = 0; k < turns; ++k) t[size_t(k)] = std::acos(std::min(1.f, float(k) / turn_cells));
        return t;
    }();
    auto turn_weight = [](int p, int end) {  // of the node at that end of cell p: integral of its hat over the turn
        const float lo = turn_of[size_t(p) + 1];
        const float hi = turn_of[size_t(p)];
        const float up = (std::sin(hi) - std::sin(lo)) * turn_cells - float(p) * (hi - lo);
        return end ? up : hi - lo - up;
    };
    static const auto weights = [&] {
        std::array<std::array<float, 2>, turn_cells> w{};
        for (int p = 0; p < turn_cells; ++p)
            for (int e = 0; e < 2; ++e) w[size_t(p)][size_t(e)] = turn_weight(p, e);
        return w;
    }();
    float of_turn[4][2 * turn_cells];
    for (int c = 0; c < corners; ++c) {
        row[c] = (size_t(r.i + (c & 1)) * stretches + size_t(a.i + (c >> 1))) * turns;
        const float part = ((c & 1) ? r.f : 1.f - r.f) * (f.round() ? 1.f : (c >> 1) ? a.f : 1.f - a.f);
        chance[c] = 0.f;
        for (int p = 0; p < turn_cells; ++p)
            for (int e = 0; e < 2; ++e)
                chance[c] += of_turn[c][2 * p + e] =
                    part * weights[size_t(p)][size_t(e)] * lost_rows_[row[c] + size_t(p + e)].total();
        sum += chance[c];
    }
    float u = next() * sum;
    int c = 0;
    while (c + 1 < corners && u >= chance[c]) u -= chance[c++];
    int k = 0;
    while (k + 1 < 2 * turn_cells && u >= of_turn[c][k]) u -= of_turn[c][k++];
    const int p = k / 2;
    const int end = k % 2;
    const float mu =
        draw_mu(&lost_values_[(row[c] + size_t(p + end)) * mus], lost_rows_[row[c] + size_t(p + end)], next);
    // The turn within the cell, by the node's hat.
    const float lo = turn_of[size_t(p) + 1];
    const float hi = turn_of[size_t(p)];
    float phi = lo;
    for (int tries = 0; tries < 64; ++tries) {
        phi = lerp(lo, hi, next());
        const float up = std::cos(phi) * turn_cells - float(p);
        if (next() < (end ? up : 1.f - up)) break;
    }
    const float which = next() * 4.f;
    const float s = std::sqrt(std::max(0.f, 1.f - mu * mu));
    return {(which < 2.f ? s : -s) * std::cos(phi), (int(which) & 1 ? s : -s) * std::sin(phi), std::max(1e-5f, mu)};
}

template <class Next> V3f AlbedoTables::draw_rest(Of of, const Facets& f, const Media& eta, Next&& next) const {
    if (of == Of::conductor) return draw_lost(f, next);
    if (!f.round()) {
        // Stretched facets are known by what they lose of white light; what comes back of that is a part of it.
        constexpr float most = 2.f;
        V3f w;
        for (int tries = 0; tries < 256; ++tries) {
            w = draw_lost(f, next);
            const Interface e = dielectric(w, f, eta);
            const float share = (of == Of::reflected ? e.reflected : e.through()) / std::max(1e-6f, 1.f - white(w, f));
            if (next() * most < share) break;
        }
        return w;
    }
    const Media& e = eta;
    const Cell r(f.roughness, roughs);
    const std::vector<Row>& rows = of == Of::reflected ? reflected_rows_ : through_rows_;
    const float* values = (of == Of::reflected ? reflected_values_ : through_values_).data();
    float chance[4];
    size_t at[4];
    float sum = 0.f;
    for (int c = 0; c < 4; ++c) {
        at[c] = size_t(e.i + (c >> 1)) * roughs + size_t(r.i + (c & 1));
        sum += chance[c] = ((c >> 1) ? e.f : 1.f - e.f) * ((c & 1) ? r.f : 1.f - r.f) * rows[at[c]].total();
    }
    float u = next() * sum;
    int c = 0;
    while (c < 3 && u >= chance[c]) u -= chance[c++];
    const float mu = std::max(1e-5f, draw_mu(values + at[c] * mus, rows[at[c]], next));
    float sine;
    float cosine;
    sincos_turn(next(), sine, cosine);
    const float s = std::sqrt(std::max(0.f, 1.f - mu * mu));
    return {s * cosine, s * sine, mu};
}

}  // namespace vemtra::surface
