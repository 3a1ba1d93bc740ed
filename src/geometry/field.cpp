#include "geometry/field.h"

#include <array>
#include <cstring>

#include "base/file.h"
#include "base/hash.h"
#include "geometry/fields/kinds.h"

namespace vemtra::geometry {
namespace {

fs::path cache_file(uint64_t content) {
    char name[32];
    std::snprintf(name, sizeof name, "%016llx.field", static_cast<unsigned long long>(content));
    return cache_folder("fields") / name;
}

}  // namespace

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
FormField::Between beside_step(const FormField::Samples& of, const FormField::Corners& corners,
                               const FormField::Step& step, const float* x) {
    static const V2f corner[] = {V2f(0, 0), V2f(1, 0), V2f(0, 1)};
    const V2f at(x[1], x[2]);
    StepCorner c[3];
    StepCorner before[3];
    StepCorner after[3];
    int stepped = 0;
    for (int s = 0; s < 3; ++s) {
        const V2f on = corner[s] + (corner[(s + 1) % 3] - corner[s]) * (float(step.at[s]) / 256.f);
        c[s] = {corners[size_t(s)], corner[s]};
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
        piece_ = FormField::uncut;
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
        else if (piece_ != FormField::uncut)
            __builtin_prefetch(&part_->corners[piece_]);
    }
    /// One piece down.
    void go() {
        const uint32_t part = quarter();
        piece_ = first_ + part;
        for (uint32_t c = 0; c < 3; ++c) x_[c] = part == 3 ? 1.f - 2.f * x_[c] : 2.f * x_[c] - (c == part ? 1.f : 0.f);
        first_ = part_->first_of_piece[piece_];
    }
    FormField::Between samples() const {
        if (piece_ == FormField::uncut)
            return {&part_->at_vertex, {corner_[0], corner_[1], corner_[2]}, {x_[0], x_[1], x_[2]}};
        const FormField::Corners& c = part_->corners[piece_];
        if (first_ != FormField::uncut)
            return beside_step(part_->inside, c, part_->steps[first_ & ~FormField::stepped], x_);
        return {&part_->inside, {c[0], c[1], c[2]}, {x_[0], x_[1], x_[2]}};
    }

private:
    uint32_t quarter() const { return x_[0] >= .5f ? 0 : x_[1] >= .5f ? 1 : x_[2] >= .5f ? 2 : 3; }

    const FormField::PartField* part_ = nullptr;
    const uint32_t* corner_ = nullptr;
    uint32_t piece_ = FormField::uncut;  ///< none: the face
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
             p.inside.shares.size() + p.first_of_piece.size() * (4 + sizeof(Corners)) + p.steps.size() * sizeof(Step);
    }
    return n;
}

namespace {

constexpr const char* layout = " 8 ";         // raised when keep_field writes otherwise, or samples lie elsewhere
constexpr size_t most_looked_through = 2000;  // parts, of each of which it is asked what is near to it

uint64_t with(uint64_t h, const Instance& i) {
    const uint64_t content = i.shape->content();
    h = hash_bytes(&content, sizeof content, h);
    return hash_bytes(&i.to_world, sizeof i.to_world, h);
}

}  // namespace

PartContents part_contents(const Geometry& geometry, const FieldParts& parts, const nodes::FieldRequest& request,
                           int rays, const PartBorders& mask) {
    const FieldKind* kind = field_kind(request.field);
    const auto& instances = geometry.instances();
    PartContents out{std::vector<uint64_t>(instances.size(), 0), std::vector<uint64_t>(instances.size(), 0)};
    if (!kind) return out;
    const float sizes[] = {size_of_all(geometry), range_of(*kind, geometry, request.parameters)};
    const uint64_t asked = hash_bytes(request.parameters.data(), request.parameters.size() * sizeof(float),
                                      hash_text("part " + request.field + layout + std::to_string(kind->version)));
    uint64_t same = hash_bytes(sizes, sizeof sizes, asked + uint64_t(rays));
    FieldReads reads = kind->reads;
    if (request.mask || (reads == FieldReads::near_parts && instances.size() > most_looked_through))
        reads = FieldReads::everything;
    auto named = [&](size_t i) { return i < parts.named.size() && parts.named[i]; };
    if (reads == FieldReads::everything) {
        for (size_t i = 0; i < instances.size(); ++i) same = with(same + (named(i) ? 1 : 0), instances[i]);
        for (const auto& border : mask) {
            const uint64_t content = border ? border->content : 0;
            same = hash_bytes(&content, sizeof content, same + 1);
        }
    }
    std::vector<Box3f> boxes;
    if (reads == FieldReads::near_parts)
        for (const Instance& i : instances) boxes.push_back(i.bounds());
    std::unordered_map<const Shape*, uint64_t> copies;
    for (size_t p = 0; p < instances.size(); ++p) {
        const uint64_t form[] = {instances[p].shape->content(), copies[instances[p].shape.get()]++, request.mask};
        if (!parts.wanted[p]) continue;
        out.of_form[p] = hash_bytes(form, sizeof form, asked);
        uint64_t h = with(same, instances[p]);
        if (reads == FieldReads::everything) h = hash_bytes(&p, sizeof p, h);
        for (size_t i = 0; i < boxes.size(); ++i) {
            // A little further than it looks: rays begin off the surface.
            const V3f far(1.01f * std::max(sizes[1], 1e-4f * sizes[0]));
            if (i == p || !Box3f(boxes[p].min - far, boxes[p].max + far).intersects(boxes[i])) continue;
            h = with(h + (named(i) ? 1 : 0), instances[i]);
        }
        out.of[p] = h;
    }
    return out;
}

uint64_t field_content(const Geometry& geometry, const FieldParts& parts, const nodes::FieldRequest& request, int rays,
                       const PartBorders& mask) {
    const FieldKind* kind = field_kind(request.field);
    uint64_t h = hash_bytes(parts.wanted.data(), parts.wanted.size(),
                            hash_text(request.field + layout + std::to_string(kind ? kind->version : 0)));
    for (const Instance& i : geometry.instances()) h = with(h, i);
    if (!parts.named.empty()) h = hash_bytes(parts.named.data(), parts.named.size(), h + 1);
    for (const auto& border : mask) {
        const uint64_t content = border ? border->content : 0;
        h = hash_bytes(&content, sizeof content, h);
    }
    return hash_bytes(request.parameters.data(), request.parameters.size() * sizeof(float), h + uint64_t(rays));
}

std::shared_ptr<const FormField> cached_field(const Geometry& geometry, const FieldParts& parts,
                                              const nodes::FieldRequest& request, const FieldAsking& asking) {
    const FieldKind* kind = field_kind(request.field);
    const uint64_t content = field_content(geometry, parts, request, field_rays_final, asking.mask);
    const fs::path file = cache_file(content);
    Result<std::string> bytes = read_file(file);
    if (!bytes || !kind) return nullptr;
    // Layout: hash of the rest, then per part the sizes and arrays. Sizes must fit the meshes, else the file is not
    // used.
    uint64_t check = 0;
    if (bytes->size() < 12) return nullptr;
    std::memcpy(&check, bytes->data(), 8);
    if (check != hash_bytes(bytes->data() + 8, bytes->size() - 8)) return nullptr;
    const char* p = bytes->data() + 8;
    const char* end = bytes->data() + bytes->size();
    auto field = std::make_shared<FormField>();
    field->rays = field_rays_final;
    field->content = content;
    field->channels = kind->channels;
    field->furthest = range_of(*kind, geometry, request.parameters);
    uint32_t cut = 0;
    std::memcpy(&cut, p, 4);
    p += 4;
    field->cut = cut != 0;
    auto take = [&](auto& array, size_t expected) {
        uint64_t n = 0;
        if (end - p < 8) return false;
        std::memcpy(&n, p, 8);
        p += 8;
        if (n > size_t(end - p) / sizeof array[0] || (expected != SIZE_MAX && n != expected && n != 0)) return false;
        array.resize(n);
        if (n) std::memcpy(array.data(), p, n * sizeof array[0]);
        p += n * sizeof array[0];
        return true;
    };
    const bool shares = field->of_shares();
    const size_t channels = size_t(kind->channels);
    for (const Instance& instance : geometry.instances()) {
        const Mesh& m = instance.shape->faces_as_triangles();
        const size_t vertices = parts.wanted[field->parts.size()] ? m.positions.size() : 0;
        auto part = std::make_shared<FormField::PartField>();
        FormField::PartField& f = *part;
        std::vector<uint64_t> budget;
        const bool whole = take(budget, 4) && take(f.at_vertex.numbers, vertices * channels) &&
                           take(f.at_vertex.shares, vertices * reach_knots) && take(f.first, m.triangles()) &&
                           take(f.first_of_piece, SIZE_MAX) && take(f.corners, f.first_of_piece.size()) &&
                           take(f.steps, SIZE_MAX) && take(f.inside.numbers, SIZE_MAX) &&
                           take(f.inside.shares, SIZE_MAX);
        if (!whole || budget.size() != 4) return nullptr;
        f.sampled = budget[0], f.least_allowed = budget[1], f.most_allowed = budget[2], f.cut = budget[3] != 0;
        if ((shares ? f.at_vertex.shares.size() : f.at_vertex.numbers.size()) != vertices * channels) return nullptr;
        const size_t inside = (shares ? f.inside.shares.size() : f.inside.numbers.size()) / channels;
        // Pieces lie behind those that they are cut from, so that every way through them ends.
        auto follows = [&](uint32_t first, size_t from) {
            return first == FormField::uncut ||
                   (FormField::is_whole(first) ? (first & ~FormField::stepped) < f.steps.size()
                                               : first >= from && size_t(first) + 4 <= f.first_of_piece.size());
        };
        for (const uint32_t first : f.first)
            if (!follows(first, 0) || (FormField::is_whole(first) && first != FormField::uncut)) return nullptr;
        if (f.corners.size() != f.first_of_piece.size()) return nullptr;
        for (size_t k = 0; k < f.corners.size(); ++k) {
            if (!follows(f.first_of_piece[k], k + 1)) return nullptr;
            for (const uint32_t c : f.corners[k])
                if (c >= inside) return nullptr;
        }
        for (const FormField::Step& step : f.steps)
            for (int side = 0; side < 3; ++side)
                if (step.before[side] >= inside || step.after[side] >= inside) return nullptr;
        field->parts.push_back(std::move(part));
    }
    mark_used(file);
    const PartContents contents = part_contents(geometry, parts, request, field_rays_final, asking.mask);
    for (size_t p = 0; p < contents.of.size(); ++p) {
        field->contents.push_back(parts.wanted[p] ? field->parts[p]->content(contents.of[p]) : 0);
        if (asking.known && parts.wanted[p])
            asking.known->put_finished(contents.of[p], contents.of_form[p], field->parts[p]);
    }
    return field;
}

void keep_field(const FormField& field) {
    std::string body;
    const uint32_t cut = field.cut;
    body.append(reinterpret_cast<const char*>(&cut), 4);
    auto put = [&](const auto& array) {
        const uint64_t n = array.size();
        body.append(reinterpret_cast<const char*>(&n), 8);
        body.append(reinterpret_cast<const char*>(array.data()), n * sizeof array[0]);
    };
    for (const auto& part : field.parts) {
        const FormField::PartField& f = *part;
        put(std::array<uint64_t, 4>{f.sampled, f.least_allowed, f.most_allowed, uint64_t(f.cut)});
        put(f.at_vertex.numbers);
        put(f.at_vertex.shares);
        put(f.first);
        put(f.first_of_piece);
        put(f.corners);
        put(f.steps);
        put(f.inside.numbers);
        put(f.inside.shares);
    }
    const uint64_t check = hash_bytes(body.data(), body.size());
    const fs::path file = cache_file(field.content);
    write_file_atomically(file, std::string(reinterpret_cast<const char*>(&check), 8) + body);
    keep_within(file.parent_path(), fields_on_disk);
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
