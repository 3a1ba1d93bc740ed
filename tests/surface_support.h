// What the tests of surfaces share: directions, tables of reference values, and albedo by sampling.
#pragma once
#include <map>

#include "support.h"
#include "surface/stack.h"

namespace vemtra::test {

using surface::Coat;
using surface::Slots;
using surface::Stack;
using surface::WalkRandom;

V3f direction(float mu, float phi = 0.f);

using Row = std::map<std::string, std::string>;
/// The rows of a file of tests/reference/.
std::vector<Row> table(const char* name);
float number(const Row& row, const std::string& key);
V3f color(const Row& row, const std::string& key);

Slots metal(const V3f& f0, const V3f& edge, float roughness);
Slots lambert(const V3f& albedo);
Stack plain(const Slots& s);

struct Albedo {
    V3f mean{0.f}, deviation{0.f};  ///< deviation of the mean
};
/// Directional albedo by sampling.
Albedo albedo(const Stack& stack, float mu, int n = 20000, uint32_t seed = 1);

/// A stack of coats that lose nothing, over a white base.
Stack lossless_stack(int layers, std::mt19937& random);

}  // namespace vemtra::test
