#include "echo.h"

namespace vemtra::surface {
namespace {

constexpr int M = EchoSide::mus;
constexpr int side = 96;
constexpr double most_of_lost = .95, widest = 4., narrowest = 1. / 8., seldom = .02;

float mu_at(int m) {
    const float t = float(m) / (M - 1);
    return std::max(2e-3f, t * t);
}
double row_at(const float* v, double mu) {
    const double t = std::sqrt(mu) * (M - 1);
    const int i = std::min(M - 2, int(t));
    return double(v[i]) + double(v[i + 1] - v[i]) * (t - i);
}

}  // namespace

EchoSide::EchoSide(const Ggx& ggx, float eta, bool through) {
    for (int m = 0; m < M; ++m) {
        const float mu = mu_at(m);
        const V3f wo(std::sqrt(std::max(0.f, 1.f - mu * mu)), 0.f, mu);
        for (int a = 0; a < side; ++a)
            for (int b = 0; b < side; ++b) {  // the cells of scatter_once
                const float x = 1.f - (float(b) + .5f) / float(side);
                const float cell = 3.f * x * x / float(side * side);
                const V3f h = ggx.visible_normal(wo, (float(a) + .5f) / float(side), 1.f - x * x * x);
                const float d = wo.dot(h);
                const float f = eta > 0.f ? fresnel_dielectric(d, eta) : 1.f;
                V3f w = h * (2.f * d) - wo;
                float share = 0.f;
                if (!through)
                    share = w.z > 0.f ? f * ggx.g2(wo, w) / ggx.g1(wo) * cell : 0.f;
                else if (f < 1.f && refract(wo, h, eta, w) && w.z < 0.f)
                    share = (1.f - f) * ggx.g2_through(wo, w) / ggx.g1(wo) * cell;
                if (!(share > 0.f)) continue;
                const float t = std::sqrt(std::min(1.f, std::fabs(w.z))) * (M - 1);
                const int i = std::min(M - 2, int(t));
                rays_[size_t(m)].push_back({share, uint8_t(EchoCells::of(w)), uint8_t(i), t - float(i)});
                by_node_[size_t(m)][size_t(i)] += double(share * (1.f - (t - float(i))));
                by_node_[size_t(m)][size_t(i) + 1] += double(share * (t - float(i)));
            }
        for (int j = 0; j < M; ++j) arrives_[size_t(j)] += by_node_[size_t(m)][size_t(j)];
    }
}
double EchoSide::echoed(int m, const Row& e) const {
    double sum = 0.;
    for (int j = 0; j < M; ++j) sum += by_node_[size_t(m)][size_t(j)] * e[size_t(j)];
    return sum;
}
std::array<double, EchoCells::all> EchoSide::echo_cells(int m, const Row& near, const Row& far) const {
    std::array<double, EchoCells::all> out{};
    for (const Ray& r : rays_[size_t(m)])
        out[r.cell] += double(r.share) * near[size_t(m)] *
                       (far[r.node] * (1. - double(r.part)) + far[size_t(r.node) + 1] * double(r.part));
    return out;
}
void EchoSide::broad_cells(int m, const float* near_row, const float* far_row,
                           std::array<std::array<double, EchoCells::all>, turns>& out) {
    out = {};
    constexpr int fine = 240;
    const double so = std::sqrt(1. - double(mu_at(m)) * double(mu_at(m)));
    const double edge = std::tan(double(pi) / 24.);
    double all = 0.;
    for (int i = 0; i < fine; ++i) {
        const double angle = (i + .5) / fine * double(pi) / 2., mu = std::cos(angle), s = std::sin(angle);
        const double share = row_at(far_row, mu) * mu * s;
        all += share;
        for (int k = 0; k < turns; ++k) {
            const double g = 2. * turn_at(k) * so * s / (1. + so * s);
            const double on = 2. / double(pi) * std::atan((1. + g) / (1. - g) * edge);
            const double back = 2. / double(pi) * std::atan((1. - g) / (1. + g) * edge);
            const double wide[3] = {on, 1. - on - back, back};
            for (int a = 0; a < 3; ++a)
                out[size_t(k)][size_t(a * EchoCells::heights + i * EchoCells::heights / fine)] += share * wide[a];
        }
    }
    for (auto& cells : out)
        for (double& c : cells) c *= double(near_row[m]) / std::max(1e-12, all);
}

double EchoShare::at(int m) const {
    const double mu = double(mu_at(m));
    return std::clamp(even + low * (1. - mu * mu), 0., most_of_lost);
}

Echo echo_of(const EchoShare& share, const EchoSide& near, const EchoSide& far, const float* near_lost,
             const float* far_lost) {
    Echo e;
    float near_row[M], far_row[M];
    for (int m = 0; m < M; ++m) {
        near_row[m] = near_lost[m] * float(share.at(m));
        far_row[m] = far_lost[m] * float(share.at(m));
    }
    double lost = 0.;
    for (int m = 0; m < M; ++m) lost += double(near_row[m] + far_row[m]);
    if (lost < 1e-4) return e;
    e.found = true;
    e.near.fill(.1);
    e.far.fill(.1);
    // Where hardly any light arrives nothing is known of e: there it is as beside, and everywhere not far from the
    // mean, so that it can be read between the nodes of the tables.
    auto scaled = [](EchoSide::Row& of, const EchoSide& by, const EchoSide::Row& other, const EchoSide& from,
                     const float* row) {
        double mean = 0., mass = 0., most = 0.;
        for (int m = 0; m < M; ++m) {
            const double told = by.echoed(m, other) * of[size_t(m)];
            of[size_t(m)] *= std::sqrt(double(row[m]) / std::max(1e-12, told));
            const double weight = from.arrives(m) * double(row[m]);
            mean += weight * std::min(of[size_t(m)], 1e3);
            mass += weight;
            most = std::max(most, from.arrives(m));
        }
        mean /= std::max(1e-12, mass);
        for (double& x : of) x = std::clamp(x, mean * narrowest, mean * widest);
        for (int m = 0; m < M; ++m) {
            if (from.arrives(m) > seldom * most) continue;
            for (int d = 1; d < M; ++d) {
                const int beside = m + d < M && from.arrives(m + d) > seldom * most ? m + d : m - d;
                if (beside < 0 || !(from.arrives(beside) > seldom * most)) continue;
                of[size_t(m)] = of[size_t(beside)];
                break;
            }
        }
    };
    for (int round = 0; round < 400; ++round) {
        const EchoSide::Row before = e.near;
        scaled(e.near, near, e.far, far, near_row);
        scaled(e.far, far, before, near, far_row);
        double a = 0., b = 0.;  // only the product of both counts
        for (int m = 0; m < M; ++m) a += e.near[size_t(m)], b += e.far[size_t(m)];
        const double even = std::sqrt(b / std::max(1e-12, a));
        for (int m = 0; m < M; ++m) e.near[size_t(m)] *= even, e.far[size_t(m)] /= even;
    }
    auto bounded = [](EchoSide::Row& of, const EchoSide& by, const EchoSide::Row& other, const float* lost) {
        for (int m = 0; m < M; ++m) {
            const double told = by.echoed(m, other) * of[size_t(m)];
            if (told > most_of_lost * double(lost[m])) of[size_t(m)] *= most_of_lost * double(lost[m]) / told;
        }
    };
    bounded(e.near, near, e.far, near_lost);
    if (&near != &far)
        bounded(e.far, far, e.near, far_lost);
    else
        for (size_t m = 0; m < M; ++m) e.far[m] = e.near[m] = std::min(e.near[m], e.far[m]);
    for (int m = 0; m < M; ++m) {
        e.near_share[size_t(m)] = near.echoed(m, e.far) * e.near[size_t(m)];
        e.far_share[size_t(m)] = far.echoed(m, e.near) * e.far[size_t(m)];
    }
    return e;
}

EchoShare EchoFit::Turn::best() const {
    auto sane = [](double even, double low) {
        return EchoShare{std::clamp(even, 0., most_of_lost), std::clamp(low, 0., 2.)};
    };
    const double d = xx * ll - xl * xl;
    const EchoShare even_only = sane(xx > 1e-20 ? xy / xx : 0., 0.), low_only = sane(0., ll > 1e-20 ? ly / ll : 0.);
    EchoShare best = off(even_only) < off(low_only) ? even_only : low_only;
    if (d > 1e-20) {
        const EchoShare both = sane((xy * ll - ly * xl) / d, (ly * xx - xy * xl) / d);
        if (off(both) < off(best)) best = both;
    }
    return best;
}
EchoShare EchoFit::share() const {
    EchoShare best;
    double least = 1e300;
    for (const Turn& t : by_turn) {
        const EchoShare s = t.best();
        if (t.off(s) >= least) continue;
        least = t.off(s);
        best = s;
    }
    return best;
}
double EchoFit::forward(const EchoShare& s) const {
    size_t k = 0;
    for (size_t i = 1; i < by_turn.size(); ++i)
        if (by_turn[i].off(s) < by_turn[k].off(s)) k = i;
    if (k == 0 || k + 1 == by_turn.size()) return EchoSide::turn_at(int(k));
    // The lowest place of the parabola through it and its neighbours.
    const double a = by_turn[k - 1].off(s), b = by_turn[k].off(s), c = by_turn[k + 1].off(s);
    const double bend = a - 2. * b + c;
    const double to = bend > 1e-20 ? std::clamp(.5 * (a - c) / bend, -.5, .5) : 0.;
    return EchoSide::turn_at(int(k)) + to * (EchoSide::turn_at(1) - EchoSide::turn_at(0));
}

EchoFit fit_echo(const Echo& e, const EchoSide& near, const EchoSide& far, const float* near_row, const float* far_row,
                 const EchoSide::Walks& near_walks, const EchoSide::Walks& far_walks) {
    EchoFit fit;
    std::array<double, EchoCells::all> weight;  // so that what counts is radiance: by the cell's projected solid angle
    for (int c = 0; c < EchoCells::all; ++c) {
        const int height = c % EchoCells::heights, turn = c / EchoCells::heights;
        auto cosine = [](int h) { return std::cos(double(pi) / 2. * h / EchoCells::heights); };
        weight[size_t(c)] =
            1. / ((turn == 1 ? 10. : 1.) * (cosine(height) * cosine(height) - cosine(height + 1) * cosine(height + 1)));
    }
    auto add = [&](const EchoSide& by, const EchoSide::Row& o, const EchoSide::Row& i, const float* row,
                   const float* other, const EchoSide::Walks& walks) {
        for (int m = 0; m < M; ++m) {
            const auto echo = by.echo_cells(m, o, i);
            const double low = 1. - double(mu_at(m)) * double(mu_at(m));
            std::array<std::array<double, EchoCells::all>, EchoSide::turns> broad;
            EchoSide::broad_cells(m, row, other, broad);
            fit.lost += double(row[m]);
            for (size_t k = 0; k < EchoSide::turns; ++k) {
                EchoFit::Turn& t = fit.by_turn[k];
                for (size_t c = 0; c < EchoCells::all; ++c) {
                    const double x = echo[c] - broad[k][c], y = double(walks[size_t(m)][c]) - broad[k][c];
                    const double w = weight[c];
                    t.xx += w * x * x, t.xl += w * x * x * low, t.ll += w * x * x * low * low;
                    t.xy += w * x * y, t.ly += w * x * y * low, t.yy += w * y * y;
                }
            }
        }
    };
    add(near, e.near, e.far, near_row, far_row, near_walks);
    if (&near != &far) add(far, e.far, e.near, far_row, near_row, far_walks);
    return fit;
}

void smooth_shares(std::vector<EchoShare>& shares, const std::vector<EchoFit>& fits, double ramp) {
    constexpr int roughs = AlbedoTables::roughs;
    const int etas = int(shares.size()) / roughs, equal = (etas - 1) / 2;
    constexpr double hat[5] = {1., 4., 6., 4., 1.};
    const std::vector<EchoShare> found = shares;
    for (int e = 0; e < etas; ++e)
        for (int r = 0; r < roughs; ++r) {
            EchoShare sum;
            double weight = 0.;
            for (int i = -2; i <= 2; ++i)
                for (int j = -2; j <= 2; ++j) {
                    const int x = e + i, y = r + j;
                    if (x < 0 || y < 0 || x >= etas || y >= roughs || (x - equal) * (e - equal) < 0) continue;
                    const size_t at = size_t(x * roughs + y);
                    const double w = hat[i + 2] * hat[j + 2] * (fits[at].lost + 1e-6);
                    sum.even += w * found[at].even;
                    sum.low += w * found[at].low;
                    weight += w;
                }
            double amount = 1.;
            if (etas > 1) {
                const double eta = double(AlbedoTables::eta_at(e)), apart = std::sqrt(std::fabs(eta - 1.) / (eta + 1.));
                amount = std::clamp((apart - .059) / (e < equal ? ramp : .147), 0., 1.);
            }
            shares[size_t(e * roughs + r)] = {sum.even / weight * amount * amount, sum.low / weight * amount * amount};
        }
}

}  // namespace vemtra::surface
