#include "geometry/field.h"

#include "base/hash.h"
#include "geometry/fields/kinds.h"

namespace vemtra::geometry {
// The register: one line per kind of field.
const std::vector<FieldKind>& field_kinds() {
    static const std::vector<FieldKind> all = {cavity_field(), height_field(),    slope_field(),
                                               random_field(), curvature_field(), crease_field(),
                                               settle_field(), nearest_field(),   runoff_field()};
    return all;
}
const FieldKind* field_kind(const std::string& name) {
    for (const FieldKind& k : field_kinds())
        if (name == k.name) return &k;
    return nullptr;
}

float range_of(const FieldKind& kind, const Geometry& geometry, const std::vector<float>& parameters) {
    return kind.range ? std::clamp(kind.range(parameters), 1e-6f, 1e9f) : size_of_all(geometry);
}
float size_of_all(const Geometry& geometry) {
    const float diagonal = geometry.instances().empty() ? 1.f : geometry.bounds().size().length();
    return std::exp2(std::ceil(std::log2(std::clamp(diagonal, 1e-6f, 1e9f))));
}

namespace {

constexpr float knot_step = .34657359f;  // ln of the ratio of neighbouring knots

/// Adds `value` times what lies between knots, and `slope` times its change per knot, to the weights: cubics through
/// the knots with the slopes of Catmull and Rom 1974, at the ends those of a parabola. `x`: place in knots, in their
/// range.
void add_between(float x, float value, float slope, float* weights) {
    const int i = std::min(int(x), reach_knots - 2);
    const float u = x - float(i);
    const float v = 1.f - u;
    weights[i] += value * (1.f + 2.f * u) * v * v - slope * 6.f * u * v;
    weights[i + 1] += value * (1.f + 2.f * v) * u * u + slope * 6.f * u * v;
    auto add_slope = [&](int at, float w) {
        if (at == 0) {
            weights[0] -= 1.5f * w;
            weights[1] += 2.f * w;
            weights[2] -= .5f * w;
        } else if (at == reach_knots - 1) {
            weights[at] += 1.5f * w;
            weights[at - 1] -= 2.f * w;
            weights[at - 2] += .5f * w;
        } else {
            weights[at - 1] -= .5f * w;
            weights[at + 1] += .5f * w;
        }
    };
    add_slope(i, value * u * v * v + slope * v * (v - 2.f * u));
    add_slope(i + 1, -value * u * u * v + slope * u * (u - 2.f * v));
}
/// The share of rays that have met something by that distance: of F(t) t, the slope.
void add_met(float log_distance, float weight, float* weights) {
    const float x = log_distance / knot_step + float(reach_knots - 1);
    if (x < 0.f)  // it grows evenly up to the first knot
        weights[0] += weight * 2.f * std::exp(x * knot_step);
    else
        add_between(std::min(x, float(reach_knots - 1)), weight, weight / knot_step, weights);
}

}  // namespace

void reach_weights(float reach, float falloff, float* weights) {
    for (int k = 0; k < reach_knots; ++k) weights[k] = 0.f;
    const float log_reach = std::log(reach);
    if (falloff == 1.f) {
        const float x = log_reach / knot_step + float(reach_knots - 1);
        if (x < 0.f) {
            weights[0] = reach / knot_at(0);
        } else if (reach <= 1.f) {
            add_between(x, 1.f, 0.f, weights);
        } else {
            add_between(float(reach_knots - 1), 1.f / reach, 0.f, weights);
            add_met(0.f, 1.f - 1.f / reach, weights);
        }
        return;
    }
    // The mean of W(t) = (1 - t / reach)^f is the integral of the share that has met something times what W falls by:
    // at distances between which W falls by the same.
    constexpr int steps = 32;
    for (int i = 0; i < steps; ++i) {
        const float left = std::pow((float(i) + .5f) / float(steps), 1.f / falloff);
        add_met(log_reach + std::log(std::max(1.f - left, 1e-12f)), 1.f / float(steps), weights);
    }
}

namespace {

/// A corner of what a step cuts a piece into: a sample, and where in the piece it is.
struct StepCorner {
    uint32_t sample;
    V2f at;
};
/// The samples of the triangle, by their weights at a place.
FormField::Between inside_of(const FormField::Samples& of, const StepCorner& a, const StepCorner& b,
                             const StepCorner& c, const V2f& at) {
    const V2f ab = b.at - a.at;
    const V2f ac = c.at - a.at;
    const V2f to = at - a.at;
    const float area = ab.x * ac.y - ab.y * ac.x;
    const float per_area = std::fabs(area) > 1e-12f ? 1.f / area : 0.f;
    const float y = clamp01((to.x * ac.y - to.y * ac.x) * per_area);
    const float z = std::min(clamp01((ab.x * to.y - ab.y * to.x) * per_area), 1.f - y);
    return {&of, {a.sample, b.sample, c.sample}, {1.f - y - z, y, z}};
}

/// In a piece on some of whose sides values step: it is cut from step to step, and what lies on one side follows from
/// the samples there alone. On a side that two pieces share both say the same.
FormField::Between beside_step(const FormField::Samples& of, const FormField::Step& step, const float* x) {
    static const V2f corner[] = {V2f(0, 0), V2f(1, 0), V2f(0, 1)};
    const V2f at(x[1], x[2]);
    StepCorner c[3];
    StepCorner before[3];
    StepCorner after[3];
    int stepped = 0;
    for (int s = 0; s < 3; ++s) {
        const V2f on = corner[s] + (corner[(s + 1) % 3] - corner[s]) * (float(step.at[s]) / 256.f);
        c[s] = {step.corner[size_t(s)], corner[s]};
        before[s] = {step.before[s], on};
        after[s] = {step.after[s], on};
        stepped += step.at[s] > 0;
    }
    /// Whether the place lies on the side of the line from p to q on which r does.
    auto with = [&](const V2f& p, const V2f& q, const V2f& r) {
        const V2f d = q - p;
        return (d.x * (at.y - p.y) - d.y * (at.x - p.x)) * (d.x * (r.y - p.y) - d.y * (r.x - p.x)) >= 0.f;
    };
    if (stepped == 1) {  // the step fades towards the corner across
        const int s = step.at[0] ? 0 : step.at[1] ? 1 : 2;
        const int b = (s + 1) % 3;
        const int across = (s + 2) % 3;
        return with(before[s].at, c[across].at, c[s].at) ? inside_of(of, c[s], before[s], c[across], at)
                                                         : inside_of(of, after[s], c[b], c[across], at);
    }
    // A corner beside which both sides step lies on a side of its own.
    for (int k = 0; k < 3; ++k) {
        const int last = (k + 2) % 3;
        if (step.at[k] && step.at[last] && with(before[k].at, after[last].at, c[k].at))
            return inside_of(of, c[k], before[k], after[last], at);
    }
    if (stepped == 3) return inside_of(of, after[0], after[1], after[2], at);  // small, and between all
    const int lone = !step.at[0] ? 2 : !step.at[1] ? 0 : 1;
    const int p = (lone + 1) % 3;
    const int q = (lone + 2) % 3;
    const StepCorner& to_p = after[lone];
    const StepCorner& to_q = before[q];
    return with(to_p.at, c[q].at, c[p].at) ? inside_of(of, to_p, c[p], c[q], at) : inside_of(of, to_p, c[q], to_q, at);
}

/// The way down from a face to the smallest piece that a place lies in.
class Descent {
public:
    void begin(const FormField::PartField& part, const Mesh& mesh, const Place& place) {
        part_ = &part;
        corner_ = &mesh.indices[3 * size_t(place.face)];
        first_ = part.first.empty() ? FormField::uncut : part.first[place.face];
        x_[0] = 1.f - place.u - place.v;
        x_[1] = place.u;
        x_[2] = place.v;
    }
    bool is_there() const { return FormField::is_whole(first_); }
    /// What comes next: a step down, or what samples() asks for.
    void fetch() const {
        if (!is_there())
            __builtin_prefetch(&part_->first_of_piece[first_]);
        else if (!(first_ & FormField::stepped))
            __builtin_prefetch(&part_->corners[number()]);
    }
    /// One piece down.
    void go() {
        const uint32_t part = quarter();
        for (uint32_t c = 0; c < 3; ++c) x_[c] = part == 3 ? 1.f - 2.f * x_[c] : 2.f * x_[c] - (c == part ? 1.f : 0.f);
        first_ = part_->first_of_piece[first_ + part];
    }
    FormField::Between samples() const {
        if (first_ == FormField::uncut)
            return {&part_->at_vertex, {corner_[0], corner_[1], corner_[2]}, {x_[0], x_[1], x_[2]}};
        if (first_ & FormField::stepped) return beside_step(part_->inside, part_->steps[number()], x_);
        const FormField::Corners& c = part_->corners[number()];
        return {&part_->inside, {c[0], c[1], c[2]}, {x_[0], x_[1], x_[2]}};
    }

private:
    uint32_t number() const { return first_ & ~(FormField::whole | FormField::stepped); }
    uint32_t quarter() const { return x_[0] >= .5f ? 0 : x_[1] >= .5f ? 1 : x_[2] >= .5f ? 2 : 3; }

    const FormField::PartField* part_ = nullptr;
    const uint32_t* corner_ = nullptr;
    uint32_t first_ = FormField::uncut;
    float x_[3]{};
};

}  // namespace

FormField::Between FormField::between(const Mesh& mesh, const Place& place) const {
    const PartField& f = *parts[place.instance];
    if (f.at_vertex.empty()) return {};
    Descent d;
    d.begin(f, mesh, place);
    while (!d.is_there()) d.go();
    return d.samples();
}

float FormField::at(const Mesh& mesh, const Place& place, int channel) const {
    const Between b = between(mesh, place);
    if (!b.of || b.of->numbers.empty() || channel >= channels) return 0.f;
    float sum = 0.f;
    for (int c = 0; c < 3; ++c) sum += b.weight[c] * b.of->numbers[b.sample[c] * size_t(channels) + size_t(channel)];
    return sum;
}

namespace {

/// The mean distance share of a place's samples, read with these weights.
float read(const FormField::Between& b, const float* weights) {
    if (!b.of || b.of->shares.empty()) return 0.f;
    const uint8_t* shares[3];
    for (int c = 0; c < 3; ++c) shares[c] = b.of->shares.data() + b.sample[c] * reach_knots;
    // Sums side by side: one after the other, each would wait for that before it.
    constexpr int lanes = reach_knots / 2;
    float sums[lanes];
    for (int k = 0; k < lanes; ++k) {
        float here[2];
        for (int half = 0; half < 2; ++half) {
            const int at = k + half * lanes;
            here[half] = weights[at] * (b.weight[0] * float(shares[0][at]) + b.weight[1] * float(shares[1][at]) +
                                        b.weight[2] * float(shares[2][at]));
        }
        sums[k] = here[0] + here[1];
    }
    for (int n = lanes / 2; n > 0; n /= 2)
        for (int k = 0; k < n; ++k) sums[k] += sums[k + n];
    return clamp01(sums[0] * (1.f / 255.f));
}

/// Where many places lie, all a step down at a time, so that what one of them waits for from memory comes while the
/// others go on.
constexpr int together = 64;
void find(const Geometry& geometry, const FormField& f, int n, const uint32_t* instance, const uint32_t* face,
          const float* u, const float* v, FormField::Between* out) {
    Descent descent[together];
    int open[together];
    int left = 0;
    uint32_t last = UINT32_MAX;
    const Mesh* mesh = nullptr;
    const FormField::PartField* part = nullptr;
    const auto turn_to = [&](uint32_t i) {
        last = i;
        part = i < f.parts.size() && !f.parts[i]->empty() ? f.parts[i].get() : nullptr;
        if (part) mesh = &geometry.shape(i).faces_as_triangles();
    };
    for (int i = 0; i < n; ++i) {
        out[i] = {};
        if (instance[i] != last) turn_to(instance[i]);
        if (!part) continue;
        if (!part->first.empty()) __builtin_prefetch(&part->first[face[i]]);
        __builtin_prefetch(&mesh->indices[3 * size_t(face[i])]);
        open[left++] = i;
    }
    last = UINT32_MAX;
    for (int k = 0; k < left; ++k) {
        const int i = open[k];
        if (instance[i] != last) turn_to(instance[i]);
        descent[i].begin(*part, *mesh, {instance[i], face[i], u[i], v[i]});
        descent[i].fetch();
    }
    int found[together];
    int there = 0;
    while (left > 0) {
        int still = 0;
        for (int k = 0; k < left; ++k) {
            Descent& d = descent[open[k]];
            if (d.is_there()) {
                found[there++] = open[k];
                continue;
            }
            d.go();
            d.fetch();
            open[still++] = open[k];
        }
        left = still;
    }
    for (int k = 0; k < there; ++k) {
        FormField::Between& b = out[found[k]] = descent[found[k]].samples();
        const size_t channels = size_t(f.channels);
        for (const size_t s : b.sample)
            if (b.of->shares.empty())
                __builtin_prefetch(b.of->numbers.data() + s * channels);
            else
                __builtin_prefetch(b.of->shares.data() + s * reach_knots);
    }
}

}  // namespace

std::shared_ptr<const FormField::PartField> FormField::nothing() {
    static const auto none = std::make_shared<const PartField>();
    return none;
}

uint64_t FormField::PartField::content(uint64_t of) const {
    const uint64_t all[] = {of, least_allowed, most_allowed};
    return hash_bytes(all, sizeof all);
}

PartFields::Known PartFields::known(const std::unordered_map<uint64_t, Entry>& from, uint64_t key) {
    const auto it = from.find(key);
    return it == from.end() ? Known() : Known{it->second.field.lock(), it->second.content};
}
PartFields::Known PartFields::find(uint64_t of) const {
    std::lock_guard lock(mutex_);
    return known(finished_, of);
}
PartFields::Known PartFields::last_of(uint64_t form) const {
    std::lock_guard lock(mutex_);
    return known(last_, form);
}
void PartFields::put(uint64_t content, uint64_t form, const std::shared_ptr<const FormField::PartField>& field) {
    std::lock_guard lock(mutex_);
    last_[form] = {field, content};
    if (finished_.size() + last_.size() < next_clearing_) return;
    for (auto* all : {&finished_, &last_}) std::erase_if(*all, [](const auto& f) { return f.second.field.expired(); });
    next_clearing_ = 2 * (finished_.size() + last_.size()) + 64;
}
void PartFields::put_finished(uint64_t of, uint64_t form, const std::shared_ptr<const FormField::PartField>& field) {
    put(field->content(of), form, field);
    std::lock_guard lock(mutex_);
    finished_[of] = {field, field->content(of)};
}

float FormField::within(const Mesh& mesh, const Place& place, const float* weights) const {
    return read(between(mesh, place), weights);
}

size_t FormField::bytes() const {
    size_t n = 0;
    for (const auto& part : parts) {
        const PartField& p = *part;
        n += (p.at_vertex.numbers.size() + p.inside.numbers.size() + p.first.size()) * 4 + p.at_vertex.shares.size() +
             p.inside.shares.size() + p.first_of_piece.size() * 4 + p.corners.size() * sizeof(Corners) +
             p.steps.size() * sizeof(Step);
    }
    return n;
}

void Fields::sample(int field, int n, const uint32_t* instance, const uint32_t* face, const float* u, const float* v,
                    int channels, float* const* out) const {
    const FormField* f = field >= 0 && size_t(field) < fields_.size() ? fields_[size_t(field)].get() : nullptr;
    FormField::Between between[together];
    for (int first = 0; first < n; first += together) {
        const int count = std::min(together, n - first);
        if (f) find(*geometry_, *f, count, instance + first, face + first, u + first, v + first, between);
        for (int i = first; i < first + count; ++i) {
            for (int c = 0; c < channels; ++c) out[c][i] = 0.f;
            const FormField::Between& b = between[i - first];
            if (!f || !b.of || b.of->numbers.empty()) continue;
            for (int k = 0; k < 3; ++k) {
                const float* numbers = b.of->numbers.data() + b.sample[k] * size_t(f->channels);
                for (int c = 0; c < std::min(channels, f->channels); ++c) out[c][i] += b.weight[k] * numbers[c];
            }
        }
    }
}

void Fields::within(int field, int n, const uint32_t* instance, const uint32_t* face, const float* u, const float* v,
                    const float* reach, const float* falloff, float* out) const {
    const FormField* f = field >= 0 && size_t(field) < fields_.size() ? fields_[size_t(field)].get() : nullptr;
    float weights[reach_knots];
    float last_reach = -1.f;
    float last_falloff = -1.f;
    FormField::Between between[together];
    for (int first = 0; first < n; first += together) {
        const int count = std::min(together, n - first);
        if (f) find(*geometry_, *f, count, instance + first, face + first, u + first, v + first, between);
        for (int i = first; i < first + count; ++i) {
            out[i] = 0.f;
            if (!f || !(reach[i] > 0.f)) continue;
            if (reach[i] != last_reach || falloff[i] != last_falloff) {
                last_reach = reach[i];
                last_falloff = falloff[i];
                const float falls =
                    last_falloff > .05f ? std::min(last_falloff, 20.f) : .05f;  // also where it is no number
                reach_weights(std::clamp(last_reach / f->furthest, 1e-6f, 1e6f), falls, weights);
            }
            out[i] = read(between[i - first], weights);
        }
    }
}

void Fields::border(int border, int n, const uint32_t* instance, const uint32_t* face, const float* u, const float* v,
                    float* out) const {
    const PartBorders* all = border >= 0 && size_t(border) < borders_.size() ? &borders_[size_t(border)] : nullptr;
    for (int i = 0; i < n; ++i) {
        const BorderGrid* grid = all && instance[i] < all->size() ? (*all)[instance[i]].get() : nullptr;
        const float share = grid ? grid->between(face[i], u[i], v[i]) : -1.f;
        if (std::fabs(share) < 1.f)
            out[i] = share * grid->width * geometry_->instances()[instance[i]].scale;
        else  // farther than it was looked for
            out[i] = share < 0.f ? -no_border : no_border;
    }
}

}  // namespace vemtra::geometry
