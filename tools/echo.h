// What a rough interface sends on beyond the first bounce, parted in two reciprocal lobes:
//   echo     once(o, i) e(o) e(i): leaves as a single bounce does; e by scaling rows and columns (Sinkhorn 1967) until
//            its share of what is lost is the same for all directions
//   broad    all the rest, as albedo_tables.h has it, with the turn of round facets (Onward)
// The share is the one that brings both together nearest to where the exact walk sends light.
#pragma once
#include <array>
#include <vector>

#include "surface/albedo_tables.h"
#include "surface/microsurface.h"

namespace vemtra::surface {

/// Where light leaves: heights of 15 degrees, and the plane of incidence onward, beside it, and backward.
struct EchoCells {
    static constexpr int heights = 6, all = 3 * heights;
    static int of(const V3f& w) {
        const int height = std::min(heights - 1, int(std::acos(std::min(1.f, std::fabs(w.z))) / (pi / 2.f) * heights));
        const float turn = std::fabs(std::atan2(w.y, w.x));
        return height + heights * (turn > pi - pi / 12.f ? 0 : turn < pi / 12.f ? 2 : 1);
    }
};

/// An interface seen from one side, `once` kept by where it goes.
class EchoSide {
public:
    static constexpr int mus = AlbedoTables::mus;
    using Row = std::array<double, mus>;
    using Walks = std::vector<std::array<float, EchoCells::all>>;  ///< shares of light by cells, for each mu

    EchoSide(const Ggx& ggx, float eta, bool through);
    /// Share of light that arrives along each mu and leaves by a single bounce, each weighed by its e there.
    double echoed(int m, const Row& e) const;
    /// Cells of the echo, of e(o) e(i) = near[m] far(mu), and of the broad lobe, for each of `turns`.
    std::array<double, EchoCells::all> echo_cells(int m, const Row& near, const Row& far) const;
    static constexpr int turns = 20;
    static double turn_at(int k) { return .05 * k; }
    static void broad_cells(int m, const float* near_row, const float* far_row,
                            std::array<std::array<double, EchoCells::all>, turns>& out);
    double arrives(int j) const { return arrives_[size_t(j)]; }

private:
    struct Ray {
        float share;
        uint8_t cell, node;
        float part;  ///< between that node of mu and the next
    };
    std::array<std::vector<Ray>, mus> rays_;
    std::array<Row, mus> by_node_{};
    Row arrives_{};
};

/// e of both sides (the same of reflection), and the shares of all light that the echo takes.
struct Echo {
    EchoSide::Row near{}, far{}, near_share{}, far_share{};
    bool found = false;
};
/// The part of what is lost that the echo takes along a direction: `even + low (1 - mu^2)`.
struct EchoShare {
    double even = 0., low = 0.;
    double at(int m) const;
};
/// `near_row`, `far_row`: what is lost to single scattering and goes this way, by mu, seen from either side. Not found
/// where nothing is lost.
Echo echo_of(const EchoShare& share, const EchoSide& near, const EchoSide& far, const float* near_row,
             const float* far_row);
/// How near both lobes come to what the walks tell, for each turn of the broad one: sums of products of x = (echo -
/// broad), the same times 1 - mu^2, and y = (walk - broad), each cell by its radiance.
struct EchoFit {
    struct Turn {
        double xx = 0., xl = 0., ll = 0., xy = 0., ly = 0., yy = 0.;
        double off(const EchoShare& s) const {
            return yy - 2. * (s.even * xy + s.low * ly) + s.even * s.even * xx + 2. * s.even * s.low * xl +
                   s.low * s.low * ll;
        }
        EchoShare best() const;
    };
    std::array<Turn, EchoSide::turns> by_turn{};
    double lost = 0.;
    EchoShare share() const;                       ///< the best one
    double forward(const EchoShare& share) const;  ///< the broad lobe's turn beside it
};
/// `whole`: an echo that takes all that is lost.
EchoFit fit_echo(const Echo& whole, const EchoSide& near, const EchoSide& far, const float* near_row,
                 const float* far_row, const EchoSide::Walks& near_walks, const EchoSide::Walks& far_walks);
/// Shares by [eta][roughness], evened out, each by how much is lost there, so that what is read between the nodes keeps
/// its energy. Where media are nearly equal hardly anything is reflected once, and echoes of that would have to be
/// boundless: there they end, over `ramp` of sqrt(|eta - 1| / (eta + 1)) below 1 and .147 above.
void smooth_shares(std::vector<EchoShare>& shares, const std::vector<EchoFit>& fits, double ramp);

}  // namespace vemtra::surface
