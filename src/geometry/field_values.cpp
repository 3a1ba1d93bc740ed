#include "geometry/field_values.h"

#include <algorithm>
#include <array>

namespace vemtra::geometry {
namespace {

constexpr int quicker = 4;       // so many times fewer rays say on which side of a step a sample lies
constexpr float finest = 1e-4f;  // of all that stands there: below it places have no digits left to differ by

constexpr int longest_reach = reach_knots - 2;  ///< that is asked for: what is met further is kept for its sake

}  // namespace

FieldRun::FieldRun(const Geometry& geometry, const FieldKind& of, FieldAsked asked)
    : kind(of),
      parameters(asked.parameters),
      rays(asked.rays),
      size(std::max(range_of(of, geometry, asked.parameters) * (of_shares() ? knot_at(longest_reach) : 1.f),
                    finest * size_of_all(geometry))) {
    if (!kind.samplers) return;
    samplers = kind.samplers(geometry, asked);
    if (!of_shares() || is_coarse()) return;
    asked.rays /= quicker;
    quick_samplers = kind.samplers(geometry, asked);
}

FieldValues::FieldValues(const FieldVertices& at, const FieldRun& run) : at_(at), run_(run) {
}

FieldValue mean(const FieldValue& a, const FieldValue& b, float t) {
    FieldValue m;
    for (int k = 0; k < reach_knots; ++k) m.v[k] = a.v[k] + (b.v[k] - a.v[k]) * t;
    return m;
}

uint32_t FieldValues::add(size_t more) {
    const uint32_t first = uint32_t(values_.size());
    values_.resize(values_.size() + more);
    return first;
}

bool FieldValues::sample_vertices(FormField::Samples& into, float from, float to, Progress* progress) {
    values_.resize(at_.samples());
    const bool good = for_all(at_.samples(), 256, from, to, progress, [&](size_t first, size_t last) {
        const FieldSampler sample = exact();
        for (size_t u = first; u < last; ++u) {
            if (!at_.used(uint32_t(u))) continue;  // of no face
            const uint32_t v = at_.vertex_of(uint32_t(u));
            sample({at_.position(v), at_.normal(v), at_.toward_middle(uint32_t(u)), at_.instance(),
                    at_.face_of(uint32_t(u))},
                   values_[u].v);
        }
    });
    if (!good) return false;
    const size_t vertices = at_.mesh().positions.size();
    make_room(into, vertices);
    parallel_ranges(vertices, 4096, [&](size_t first, size_t last) {
        for (size_t v = first; v < last; ++v) put(into, v, values_[at_.sample_of(uint32_t(v))]);
    });
    return true;
}

void FieldValues::sample(const FieldSampler& sampler, uint32_t face, const V2f& uv, FieldValue& into) const {
    const SurfacePoint s = at_.geometry().at({at_.instance(), face, uv.x, uv.y});
    sampler({s.position, s.normal, at_.middle(face) - s.position, at_.instance(), face}, into.v);
}

void FieldValues::sample(const FieldSampler& sampler, uint32_t face, const V2f& uv, const V2f& toward,
                         FieldValue& into) const {
    const SurfacePoint s = at_.geometry().at({at_.instance(), face, uv.x, uv.y});
    const V3f to = at_.geometry().at({at_.instance(), face, toward.x, toward.y}).position - s.position;
    sampler({s.position, s.normal, to, at_.instance(), face}, into.v);
}

void FieldValues::make_room(FormField::Samples& s, size_t samples) const {
    if (of_shares())
        s.shares.assign(samples * reach_knots, 0);
    else
        s.numbers.assign(samples * size_t(kind().channels), 0.f);
}

void FieldValues::put(FormField::Samples& s, size_t at, const FieldValue& v) const {
    if (!of_shares()) {
        for (int c = 0; c < kind().channels; ++c)
            s.numbers[at * size_t(kind().channels) + size_t(c)] = std::isfinite(v.v[c]) ? v.v[c] : 0.f;
        return;
    }
    for (int k = 0; k < reach_knots; ++k)
        s.shares[at * reach_knots + size_t(k)] = uint8_t(clamp01(v.v[k]) * 255.f + .5f);
}

float FieldValues::apart(const FieldValue& a, const FieldValue& b) const {
    if (!of_shares()) {
        float most = 0.f;
        for (int c = 0; c < kind().channels; ++c) most = std::max(most, std::fabs(a.v[c] - b.v[c]));
        return most / (kind().spread > 0.f ? kind().spread : size());
    }
    // As reaches read it: from the longest one that is asked for down to an eighth of it.
    float most = 0.f;
    for (const int k : {longest_reach, longest_reach - 3, longest_reach - 6})
        most = std::max(most, std::fabs(a.v[k] - b.v[k]));
    return most;
}

}  // namespace vemtra::geometry
