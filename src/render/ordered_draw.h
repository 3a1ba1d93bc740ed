// Drawing one of many by their chances in constant time (Walker 1977): an even choice among all, which stays or goes on
// to another one.
#pragma once
#include <algorithm>
#include <cstdint>
#include <vector>

#include "base/hash.h"
#include "base/vec.h"

namespace vemtra::render {

/// One of the even choice: all that a draw needs lies together, for tables are far larger than the caches.
struct AliasEntry {
    float keep = 1.f;          ///< chance that the choice stays
    uint32_t otherwise = 0;    ///< and which one it goes on to
    float chance = 0.f;        ///< of this one among all
    float chance_other = 0.f;  ///< of that one
};

/// `chance` sums to 1.
inline std::vector<AliasEntry> make_alias(const std::vector<float>& chance) {
    // Vose 1991: those below the mean are filled up from those above it. A sun fills up millions: what is left of it is
    // counted in doubles.
    const size_t n = chance.size();
    std::vector<AliasEntry> entries(n);
    std::vector<uint32_t> small;
    std::vector<uint32_t> large;
    for (size_t i = 0; i < n; ++i) {
        entries[i] = {float(double(chance[i]) * double(n)), uint32_t(i), chance[i], chance[i]};
        (entries[i].keep < 1.f ? small : large).push_back(uint32_t(i));
    }
    size_t filling = n;
    double left = 0;
    while (!small.empty() && !large.empty()) {
        const uint32_t s = small.back();
        const uint32_t l = large.back();
        if (l != filling) filling = l, left = double(chance[l]) * double(n);
        small.pop_back();
        entries[s].otherwise = l;
        entries[s].chance_other = chance[l];
        left -= 1. - double(entries[s].keep);
        if (left < 1.) entries[l].keep = float(std::max(0., left)), large.pop_back(), small.push_back(l);
    }
    for (const auto* rest : {&small, &large})
        for (const uint32_t i : *rest) entries[i].keep = 1.f;
    return entries;
}

struct Drawn {
    size_t index;
    float chance;  ///< of that one
    float rest;    ///< a number in [0, 1) that is left of `u`
};
/// Draws by `u` in [0, 1). `v` is another number: a float alone has too few digits to tell millions apart, and is
/// continued by its bits.
inline Drawn draw(const std::vector<AliasEntry>& entries, float u, float v) {
    const double further = double(mix32(__builtin_bit_cast(uint32_t, v) ^ 0x9e3779b9u)) * 0x1p-56;
    const double place = (double(u) + further) * double(entries.size());
    const size_t i = std::min(size_t(place), entries.size() - 1);
    const double part = place - double(i);
    const AliasEntry& e = entries[i];
    const double stays = double(e.keep);
    const bool here = part < stays;
    const float rest = std::min(.99999994f, float(here ? part / stays : (part - stays) / std::max(1e-9, 1. - stays)));
    return {here ? i : e.otherwise, here ? e.chance : e.chance_other, rest};
}

}  // namespace vemtra::render
