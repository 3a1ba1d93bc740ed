#include "review/light_fit.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace vemtra::review {

LightFit fit_light(const std::vector<float>& values, const std::vector<V3f>& normals, const std::vector<int>& groups) {
    LightFit fit;
    struct Group {
        std::vector<size_t> points;
        double level = 0;
    };
    std::map<int, Group> by_group;
    for (size_t i = 0; i < std::min(values.size(), normals.size()); ++i)
        if (std::isfinite(values[i])) by_group[groups.empty() ? 0 : groups[i]].points.push_back(i);
    std::erase_if(by_group,
                  [](const auto& g) { return g.second.points.size() < 16; });  // so few tell nothing by themselves
    double b[3] = {};
    auto light = [&](size_t i) {
        return 1. + b[0] * double(normals[i].x) + b[1] * double(normals[i].y) + b[2] * double(normals[i].z);
    };
    double all = 0;
    double left = 0;
    // In turns: the levels for the light that is known, the light for these levels.
    for (int round = 0; round < 12; ++round) {
        double m[3][4] = {};
        all = left = 0;
        size_t n = 0;
        for (auto& [id, g] : by_group) {
            double with = 0;
            double square = 0;
            double sum = 0;
            for (size_t i : g.points)
                with += double(values[i]) * light(i), square += light(i) * light(i), sum += double(values[i]);
            g.level = square > 0 ? with / square : 0.;
            const double mean = sum / double(g.points.size());
            if (!(g.level > 1e-9) || !(mean > 1e-9)) continue;
            for (size_t i : g.points) {
                const double x[3] = {double(normals[i].x), double(normals[i].y), double(normals[i].z)};
                const double y = double(values[i]) / g.level - 1.;
                const double off = double(values[i]) / mean - 1.;
                const double miss = double(values[i]) / g.level - light(i);
                all += off * off;
                left += miss * miss;
                for (int r = 0; r < 3; ++r) {
                    for (int c = 0; c < 3; ++c) m[r][c] += x[r] * x[c];
                    m[r][3] += x[r] * y;
                }
                ++n;
            }
        }
        if (!n) return fit;
        for (int r = 0; r < 3; ++r) m[r][r] += 1e-3 * double(n);  // flat assets: what cannot be told stays 0
        for (int c = 0; c < 3; ++c)  // the matrix is positive definite: no pivots are needed
            for (int r = 0; r < 3; ++r) {
                if (r == c) continue;
                const double f = m[r][c] / m[c][c];
                for (int k = c; k < 4; ++k) m[r][k] -= f * m[c][k];
            }
        for (int c = 0; c < 3; ++c) b[c] = m[c][3] / m[c][c];
    }
    const V3f direction{float(b[0]), float(b[1]), float(b[2])};
    if (!(direction.length() > 1e-6f)) return fit;
    fit.direction = direction.normalized();
    fit.amount = direction.length();
    fit.explained = all > 1e-9 * double(values.size()) ? float(std::max(0., 1. - left / all)) : 0.f;
    return fit;
}

}  // namespace vemtra::review
