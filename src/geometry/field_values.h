// What a field is at the samples of an instance, by number: first the unique vertices, then those made between them.
#pragma once
#include <atomic>
#include <vector>

#include "geometry/field.h"
#include "geometry/field_vertices.h"

namespace vemtra::geometry {

struct FieldValue {
    float v[reach_knots] = {};
};
FieldValue mean(const FieldValue& a, const FieldValue& b, float t);

/// Runs body(first, last) over pieces of [0, count) on all cores, and tells how far it is, between `from` and `to`. A
/// stopped loop leaves early: false, and nobody reads the half-done result.
template <class Body>
bool for_all(size_t count, size_t grain, float from, float to, Progress* progress, const Body& body) {
    std::atomic<size_t> done{0};
    parallel_ranges(count, grain, [&](size_t first, size_t last) {
        if (stopped(progress)) return;
        body(first, last);
        report(progress, from + (to - from) * float(done += last - first) / float(count));
    });
    return !stopped(progress);
}

/// What is the same for all instances of one computing.
struct FieldRun {
    FieldRun(const Geometry& geometry, const FieldKind& kind, FieldAsked asked);
    bool of_shares() const { return kind.channels == reach_knots; }
    bool is_coarse() const { return rays < field_rays_final; }  ///< a first look

    const FieldKind& kind;
    const std::vector<float>& parameters;
    int rays;
    float size;  ///< how far the field looks, metres
    FieldSamplers samplers, quick_samplers;
};

class FieldValues {
public:
    FieldValues(const FieldVertices& at, const FieldRun& run);

    const FieldKind& kind() const { return run_.kind; }
    bool of_shares() const { return run_.of_shares(); }
    bool is_coarse() const { return run_.is_coarse(); }
    float size() const { return run_.size; }
    float side() const { return run_.kind.side ? run_.kind.side(run_.parameters) : 0.f; }  ///< as in FieldKind
    /// How far two values are apart, of what masks make of them.
    float apart(const FieldValue& a, const FieldValue& b) const;

    size_t count() const { return values_.size(); }
    FieldValue& operator[](uint32_t sample) { return values_[sample]; }
    const FieldValue& operator[](uint32_t sample) const { return values_[sample]; }
    /// Room for more, empty; the number of the first.
    uint32_t add(size_t more = 1);

    /// Samples every vertex; `into` has one value for each of the mesh.
    bool sample_vertices(FormField::Samples& into, float from, float to, Progress* progress);
    /// One for each thread and piece of work. A quick one sends fewer rays: enough to say on which side of a step a
    /// place lies.
    FieldSampler exact() const { return run_.samplers(); }
    FieldSampler quick() const { return run_.quick_samplers ? run_.quick_samplers() : run_.samplers(); }
    /// Between vertices, at barycentric (u, v) of a face.
    void sample(const FieldSampler& sampler, uint32_t face, const V2f& uv, FieldValue& into) const;
    /// The same, a little towards another place of that face.
    void sample(const FieldSampler& sampler, uint32_t face, const V2f& uv, const V2f& toward, FieldValue& into) const;

    void make_room(FormField::Samples& s, size_t samples) const;
    void put(FormField::Samples& s, size_t at, const FieldValue& v) const;

private:
    const FieldVertices& at_;
    const FieldRun& run_;
    std::vector<FieldValue> values_;
};

}  // namespace vemtra::geometry
