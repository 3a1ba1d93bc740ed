// What a kernel sees. This header is compiled once per instruction set (docs/decisions/0003), so it must stay free of
// the standard library: an inline function of it, built for AVX-512, could be linked into code that runs on a processor
// without it.
#pragma once
#include <cstdint>

namespace vemtra::nodes {

/// Texture lookups, given to kernels by the texture floor.
class TextureLookup {
public:
    virtual ~TextureLookup() = default;
    /// Reads `n` points of the image `handle` into out[0..components-1][n]. `place` holds six arrays: u, v, then the
    /// two axes of the footprint (u and v of the one, u and v of the other) over which the image is filtered; null
    /// axes: points without extent.
    virtual void sample(int handle, int n, const float* const* place, float* const* out, int components) const = 0;
    /// The further set of UVs (PointBatch::uv_sets) that the image lies over, whatever it is asked by; -1: the first.
    virtual int own_uv_set(int) const { return -1; }
    /// The image that says how the heights of this one vary within each footprint (Spread::heights, resources.h); -1:
    /// it is not known.
    virtual int spread_of(int) const { return -1; }
};

/// Values derived from the form of the asset at the points of a batch, given by the geometry floor.
class FieldLookup {
public:
    virtual ~FieldLookup() = default;
    /// The first `channels` numbers of a field.
    virtual void sample(int field, int n, const uint32_t* instance, const uint32_t* face, const float* u,
                        const float* v, int channels, float* const* out) const = 0;
    /// Of fields of what is met: the mean over all rays of (1 - t / reach)^falloff for a hit at t < reach; reach in
    /// metres, above 0.
    virtual void within(int field, int n, const uint32_t* instance, const uint32_t* face, const float* u,
                        const float* v, const float* reach, const float* falloff, float* out) const = 0;
    /// How far within its border a mask is, along the surface, metres: below zero outside; as far as was asked for.
    virtual void border(int border, int n, const uint32_t* instance, const uint32_t* face, const float* u,
                        const float* v, float* out) const = 0;
};

/// The rows of a batch of points. Directions are of unit length; components follow each other.
enum PointRow : int {
    row_position = 0,  ///< 3, in the asset's own space, metres
    row_normal = 3,    ///< 3, the mesh's own, in the asset's own space
    row_uv = 6,        ///< 2
    row_color = 8,     ///< 3, of the vertices, linear; white where the mesh has none
    row_bary = 11,     ///< 2, in the face
    row_view =
        13,  ///< 3, towards the eye, in the asset's own space; along the normal where nobody looks (values at UVs)
    row_tangent = 16,  ///< 3, along growing U; 0 without UVs; null where no node asked for it
    row_height = 19,   ///< 1, how far heights have moved the surface here, metres
    row_uv_axes = 20,  ///< 4, footprint of the ray in the UVs: two axes of full width; null where no node asked for it
    row_position_axes = 24,  ///< 6, the same axes on the surface, in the asset's own space, metres; null likewise
    row_count = 30
};
inline constexpr int rows_without_footprint = row_uv_axes;
inline constexpr int rows_walked = row_view;  ///< those before it differ from place to place of the surface

struct PointBatch;

/// Finds the points beside others along the surface; implemented above.
class SurfaceLookup {
public:
    virtual ~SurfaceLookup() = default;
    /// What lies so far from each point along the surface, `along` and `across` (one each per point, metres of the
    /// asset's own space) in the frame about its normal that base/vec.h derives. Writes the first rows_walked rows,
    /// faces and places in them, and two arrays (u, v) for each further set of UVs that the points have.
    virtual void beside(const PointBatch& from, const float* along, const float* across, float* const* rows,
                        uint32_t* face, float* const* sets) const = 0;
};

/// Surface points, structure of arrays; every row has at least `n` elements.
struct PointBatch {
    int n = 0;
    const float* rows[row_count] = {};
    const float* const* uv_sets = nullptr;  ///< per further set of UVs that a node asked for, six arrays: u, v, the
                                            ///< footprint's axes; null where none did
    const float* uv_per_metre = nullptr;    ///< of the instances' UVs, in the mean: the first set's by instance, then
                                            ///< those of the sets that were asked for
    uint32_t instances = 0;
    const uint32_t* instance = nullptr;  ///< of the geometry
    const uint32_t* face = nullptr;      ///< of the instance's shape
    const TextureLookup* textures = nullptr;
    const FieldLookup* fields = nullptr;
    const SurfaceLookup* surface = nullptr;  ///< null: the surface goes straight on
};

/// Kernels work in pieces of at most this many points.
inline constexpr int max_batch = 1024;

struct KernelArgs {
    int n;
    int components;          ///< of the output
    const float* const* in;  ///< component arrays of the varying ports, in port order, one after the other
    float* const* out;
    const float* uniform;  ///< values of the uniform number ports, in port order
    int resource;          ///< handle of the image, field or border that the node asked for, else -1
    const PointBatch* points;
};

using Kernel = void (*)(const KernelArgs&);

#ifndef VEMTRA_ISA
#define VEMTRA_ISA avx2
#endif

namespace VEMTRA_ISA {
inline __attribute__((always_inline)) float min_of(float a, float b) {
    return a < b ? a : b;
}
inline __attribute__((always_inline)) float max_of(float a, float b) {
    return a > b ? a : b;
}
inline __attribute__((always_inline)) float clamp(float x, float low, float high) {
    return min_of(max_of(x, low), high);
}
/// Cells are counted by whole numbers: what lies further away, where a float tells none from the next, is in the last.
inline __attribute__((always_inline)) float in_reach(float x) {
    return clamp(x, -5e8f, 5e8f);
}
/// Of what is in reach.
inline __attribute__((always_inline)) int floor_to_int(float x) {
    const int i = int(x);
    return i - int(x < float(i));
}
inline __attribute__((always_inline)) int cell_of(float x) {
    return floor_to_int(in_reach(x));
}
}  // namespace VEMTRA_ISA

/// Declares a kernel in both builds; the description picks the pair with VEMTRA_PAIR.
#define VEMTRA_DECLARE_KERNEL(name) \
    namespace avx2 {                \
    void name(const KernelArgs&);   \
    }                               \
    namespace avx512 {              \
    void name(const KernelArgs&);   \
    }
#define VEMTRA_PAIR(name)               \
    KernelPair {                        \
        avx2::name, avx512::name, #name \
    }

}  // namespace vemtra::nodes
