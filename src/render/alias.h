// Drawing one of many by their chances in constant time (Walker 1977): an even choice among all, which stays or goes on
// to another one.
#pragma once
#include <cstdint>
#include <vector>

#include "base/hash.h"
#include "base/vec.h"

namespace vemtra::render {

/// `chance` sums to 1. After it the i-th of an even choice stays with the chance keep[i], else otherwise[i] is meant.
inline void fill_alias(const std::vector<float>& chance, std::vector<float>& keep, std::vector<uint32_t>& otherwise) {
    // Vose 1991: those below the mean are filled up from those above it. A sun fills up millions: what is left of it is
    // counted in doubles.
    const size_t n = chance.size();
    keep.resize(n);
    otherwise.resize(n);
    std::vector<uint32_t> small;
    std::vector<uint32_t> large;
    for (size_t i = 0; i < n; ++i) {
        keep[i] = float(double(chance[i]) * double(n));
        otherwise[i] = uint32_t(i);
        (keep[i] < 1.f ? small : large).push_back(uint32_t(i));
    }
    size_t filling = n;
    double left = 0;
    while (!small.empty() && !large.empty()) {
        const uint32_t s = small.back();
        const uint32_t l = large.back();
        if (l != filling) filling = l, left = double(chance[l]) * double(n);
        small.pop_back();
        otherwise[s] = l;
        left -= 1. - double(keep[s]);
        if (left < 1.) keep[l] = float(std::max(0., left)), large.pop_back(), small.push_back(l);
    }
    for (const auto* rest : {&small, &large})
        for (const uint32_t i : *rest) keep[i] = 1.f;
}

/// Which one, by `u` in [0, 1); `rest` becomes a number in [0, 1) that is left of it. `v` is another number: a float
/// alone has too few digits to tell millions apart, and is continued by its bits.
inline size_t pick_alias(const std::vector<float>& keep, const std::vector<uint32_t>& otherwise, float u, float v,
                         float& rest) {
    const double further = double(mix32(__builtin_bit_cast(uint32_t, v) ^ 0x9e3779b9u)) * 0x1p-56;
    const double place = (double(u) + further) * double(keep.size());
    const size_t i = std::min(size_t(place), keep.size() - 1);
    const double part = place - double(i);
    const double stays = double(keep[i]);
    const bool here = part < stays;
    rest = std::min(.99999994f, float(here ? part / stays : (part - stays) / std::max(1e-9, 1. - stays)));
    return here ? i : otherwise[i];
}

}  // namespace vemtra::render
