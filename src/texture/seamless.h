// Tiling without visible repetition: every point is a mixture of three copies of the map, shifted by chance, that keeps
// the map's tones as frequent as they are (Heitz and Neyret 2018, "High-Performance By-Example Noise using a
// Histogram-Preserving Blending Operator").
//   G = T(I)                          tones to a normal distribution of mean 1/2 and deviation 1/6, by their rank
//   G = 1/2 + sum w_k (G_k - 1/2) / sqrt(sum w_k^2)
//   I = T^-1(G)
#pragma once
#include <array>
#include <vector>

namespace vemtra::texture {

/// Ranks of one channel's values: T and its inverse.
class Tones {
public:
    static constexpr int steps = 255;
    Tones() = default;
    /// Of any number of values; none at all stand for zeros.
    explicit Tones(std::vector<float> values);
    float to_normal(float value) const;
    float from_normal(float g) const;

private:
    std::array<float, steps + 1> value_at_{};  // by rank
};

/// Three copies at a point: where each is read, and its share.
struct Copies {
    float u[3], v[3], weight[3];
};
/// `u`, `v` in copies of the map; the corners of a triangle grid of about four to a copy decide.
Copies copies_at(float u, float v);

/// Mixes three tones by their shares.
float mix_normal(const float* g, const float* weight);

}  // namespace vemtra::texture
