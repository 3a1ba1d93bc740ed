#include "geometry/field.h"

#include <atomic>
#include <cstring>
#include <unordered_map>

#include "base/file.h"
#include "base/hash.h"
#include "base/parallel.h"

namespace vemtra::geometry {
namespace {

constexpr int max_resolution = 32;
constexpr float hopeless = 16.f;  // so many times too coarse, the finest grid would show noise and take minutes
constexpr size_t inside_budget = size_t(4) << 20;  // samples over all parts: 16 MB

size_t grid_size(int r) {
    return size_t(r + 1) * size_t(r + 2) / 2;
}
// Row j (along v) of a grid of resolution r starts at:
size_t grid_row(int r, int j) {
    return size_t(j) * size_t(r + 1) - size_t(j) * size_t(j - 1) / 2;
}

// A stopped loop leaves early; nobody reads the half-done result.
template <class Body> bool for_all(size_t count, float from, float to, Progress* progress, const Body& body) {
    std::atomic<size_t> done{0};
    parallel_ranges(count, 256, [&](size_t first, size_t last) {
        if (stopped(progress)) return;
        body(first, last);
        report(progress, from + (to - from) * float(done += last - first) / float(count));
    });
    return !stopped(progress);
}

fs::path cache_file(const Geometry& geometry, const std::vector<char>& wanted, const nodes::FieldRequest& request) {
    const FieldKind* kind = field_kind(request.field);
    uint64_t h = hash_bytes(wanted.data(), wanted.size(),
                            hash_text(request.field + " " + std::to_string(kind ? kind->version : 0)));
    std::unordered_map<const Shape*, uint64_t> contents;
    for (const Instance& i : geometry.instances()) {
        const auto [it, fresh] = contents.try_emplace(i.shape.get(), 0);
        if (fresh) it->second = i.shape->content_hash();
        h = hash_bytes(&it->second, sizeof it->second, h);
        h = hash_bytes(&i.to_world, sizeof i.to_world, h);
    }
    h = hash_bytes(request.parameters.data(), request.parameters.size() * sizeof(float),
                   h + uint64_t(field_rays_final));
    char name[32];
    std::snprintf(name, sizeof name, "%016llx.field", static_cast<unsigned long long>(h));
    return cache_folder("fields") / name;
}

}  // namespace

// The register: one line per kind of field.
const std::vector<FieldKind>& field_kinds() {
    static const std::vector<FieldKind> all = {cavity_field()};
    return all;
}
const FieldKind* field_kind(const std::string& name) {
    for (const FieldKind& k : field_kinds())
        if (name == k.name) return &k;
    return nullptr;
}

float FormField::at(const Mesh& mesh, const Place& place) const {
    const PartField& f = parts[place.instance];
    if (f.at_vertex.empty()) return 0.f;
    const uint32_t triangle = place.face;
    const uint32_t* i = &mesh.indices[3 * size_t(triangle)];
    const float u = place.u;
    const float v = place.v;
    const int r = f.resolution.empty() ? 1 : f.resolution[triangle];
    if (r <= 1) return f.at_vertex[i[0]] * (1.f - u - v) + f.at_vertex[i[1]] * u + f.at_vertex[i[2]] * v;
    const float* grid = f.inside.data() + f.first[triangle];
    const float x = clamp01(u) * float(r);
    const float y = clamp01(v) * float(r);
    int ix = std::min(int(x), r - 1);
    int iy = std::min(int(y), r - 1);
    if (ix + iy > r - 1) ix = std::max(0, r - 1 - iy);
    const float fx = x - float(ix);
    const float fy = y - float(iy);
    auto value = [&](int a, int b) { return grid[grid_row(r, b) + size_t(a)]; };
    if (fx + fy <= 1.f || ix + iy + 2 > r)
        return value(ix, iy) * (1.f - fx - fy) + value(ix + 1, iy) * fx + value(ix, iy + 1) * fy;
    return value(ix + 1, iy + 1) * (fx + fy - 1.f) + value(ix, iy + 1) * (1.f - fx) + value(ix + 1, iy) * (1.f - fy);
}

namespace {

/// The samples of one instance: at its vertices, and on grids inside of large faces.
class PartSampling {
public:
    PartSampling(const Geometry& geometry, uint32_t instance, const FieldKind& kind, const nodes::FieldRequest& request,
                 int rays)
        : geometry_(geometry),
          index_(instance),
          instance_(geometry.instances()[instance]),
          m_(instance_.shape->faces_as_triangles()),
          kind_(kind),
          request_(request),
          rays_(rays) {
        for (const V3f& p : m_.positions) world_.push_back(instance_.point_to_world(p));
    }

    bool at_vertices(FormField::PartField& f, float from, float to, Progress* progress) const {
        std::vector<uint32_t> owner(m_.positions.size(), UINT32_MAX);  // which face a vertex leans to
        for (uint32_t t = 0; t < m_.triangles(); ++t)
            for (int c = 0; c < 3; ++c)
                if (uint32_t& o = owner[m_.indices[3 * size_t(t) + size_t(c)]]; o == UINT32_MAX) o = t;
        f.at_vertex.assign(m_.positions.size(), 0.f);
        return for_all(m_.positions.size(), from, to, progress, [&](size_t first, size_t last) {
            const FieldSampler sample = kind_.sampler(geometry_, request_.parameters, rays_);
            for (size_t v = first; v < last; ++v)
                if (owner[v] != UINT32_MAX) {
                    const V3f n = instance_.normal_to_world(m_.normals[v]);
                    f.at_vertex[v] =
                        sample({world_[v], instance_.identity ? n : n.normalized(), middle(owner[v]) - world_[v]});
                }
        });
    }

    /// `total`: samples of the whole field so far; the budget is shared.
    bool inside(FormField::PartField& f, size_t& total, float from, float to, Progress* progress) const {
        const std::vector<uint32_t> gridded = lay_grids(f, total);
        return for_all(gridded.size(), from, to, progress, [&](size_t first, size_t last) {
            const FieldSampler sample = kind_.sampler(geometry_, request_.parameters, rays_);
            for (size_t g = first; g < last; ++g) {
                const uint32_t t = gridded[g];
                const int r = f.resolution[t];
                const V3f centre = middle(t);
                for (int j = 0; j <= r; ++j)
                    for (int i = 0; i + j <= r; ++i) {
                        const SurfacePoint s = geometry_.at({index_, t, float(i) / float(r), float(j) / float(r)});
                        f.inside[f.first[t] + grid_row(r, j) + size_t(i)] =
                            sample({s.position, s.normal, centre - s.position});
                    }
            }
        });
    }

private:
    V3f middle(uint32_t t) const {
        const uint32_t* i = &m_.indices[3 * size_t(t)];
        return (world_[i[0]] + world_[i[1]] + world_[i[2]]) / 3.f;
    }
    std::vector<uint32_t> lay_grids(FormField::PartField& f, size_t& total) const {
        std::vector<uint32_t> gridded;
        f.first.assign(m_.triangles(), 0);
        f.resolution.assign(m_.triangles(), 1);
        const float spacing = kind_.spacing(request_.parameters);
        size_t own = 0;
        for (uint32_t t = 0; t < m_.triangles(); ++t) {
            const uint32_t* i = &m_.indices[3 * size_t(t)];
            const V3f& a = world_[i[0]];
            const V3f& b = world_[i[1]];
            const V3f& c = world_[i[2]];
            const float longest = std::sqrt(std::max({(b - a).length2(), (c - a).length2(), (c - b).length2()}));
            const float steps = std::ceil(longest / (.5f * spacing));
            if (!(steps < hopeless * max_resolution)) continue;
            const int r = int(std::min(float(max_resolution), steps));
            if (r <= 2 || total + grid_size(r) > inside_budget) continue;
            f.first[t] = uint32_t(own);
            f.resolution[t] = uint8_t(r);
            own += grid_size(r);
            total += grid_size(r);
            gridded.push_back(t);
        }
        f.inside.assign(own, 0.f);
        if (gridded.empty()) {
            f.first.clear();
            f.resolution.clear();
        }
        return gridded;
    }

    const Geometry& geometry_;
    uint32_t index_;
    const Instance& instance_;
    const Mesh& m_;
    const FieldKind& kind_;
    const nodes::FieldRequest& request_;
    int rays_;
    std::vector<V3f> world_;
};

}  // namespace

std::shared_ptr<const FormField> compute_field(const Geometry& geometry, const std::vector<char>& wanted,
                                               const nodes::FieldRequest& request, int rays, Progress* progress) {
    auto field = std::make_shared<FormField>();
    field->rays = rays;
    const size_t parts = geometry.instances().size();
    field->parts.resize(parts);
    const FieldKind* kind = field_kind(request.field);
    size_t total = 0;
    for (size_t p = 0; kind && p < parts; ++p) {
        if (!wanted[p]) continue;
        const float from = float(p) / float(parts);
        const float to = float(p + 1) / float(parts);
        const float between = lerp(from, to, .6f);
        const PartSampling sampling(geometry, uint32_t(p), *kind, request, rays);
        if (!sampling.at_vertices(field->parts[p], from, between, progress)) return nullptr;
        if (!sampling.inside(field->parts[p], total, between, to, progress)) return nullptr;
    }
    return field;
}

std::shared_ptr<const FormField> cached_field(const Geometry& geometry, const std::vector<char>& wanted,
                                              const nodes::FieldRequest& request) {
    Result<std::string> bytes = read_file(cache_file(geometry, wanted, request));
    if (!bytes) return nullptr;
    // Layout: hash of the rest, then per part the sizes and arrays. Sizes must fit the meshes, else the file is not
    // used.
    uint64_t check = 0;
    if (bytes->size() < 8) return nullptr;
    std::memcpy(&check, bytes->data(), 8);
    if (check != hash_bytes(bytes->data() + 8, bytes->size() - 8)) return nullptr;
    const char* p = bytes->data() + 8;
    const char* end = bytes->data() + bytes->size();
    auto field = std::make_shared<FormField>();
    field->rays = field_rays_final;
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
    for (const Instance& instance : geometry.instances()) {
        const Mesh& m = instance.shape->faces_as_triangles();
        FormField::PartField f;
        if (!take(f.at_vertex, m.positions.size()) || !take(f.first, m.triangles()) ||
            !take(f.resolution, m.triangles()) || !take(f.inside, SIZE_MAX) ||
            f.at_vertex.size() != (wanted[field->parts.size()] ? m.positions.size() : 0) ||
            f.first.size() != f.resolution.size())
            return nullptr;
        for (size_t t = 0; t < f.first.size(); ++t)
            if (f.resolution[t] > 1 && f.first[t] + grid_size(f.resolution[t]) > f.inside.size()) return nullptr;
        field->parts.push_back(std::move(f));
    }
    return field;
}

void keep_field(const Geometry& geometry, const std::vector<char>& wanted, const nodes::FieldRequest& request,
                const FormField& field) {
    std::string body;
    auto put = [&](const auto& array) {
        const uint64_t n = array.size();
        body.append(reinterpret_cast<const char*>(&n), 8);
        body.append(reinterpret_cast<const char*>(array.data()), n * sizeof array[0]);
    };
    for (const auto& f : field.parts) put(f.at_vertex), put(f.first), put(f.resolution), put(f.inside);
    const uint64_t check = hash_bytes(body.data(), body.size());
    write_file_atomically(cache_file(geometry, wanted, request),
                          std::string(reinterpret_cast<const char*>(&check), 8) + body);
}

void Fields::sample(int field, int n, const uint32_t* instance, const uint32_t* face, const float* u, const float* v,
                    float* out) const {
    const FormField* f = field >= 0 && size_t(field) < fields_.size() ? fields_[size_t(field)].get() : nullptr;
    for (int i = 0; i < n; ++i)
        out[i] = f && instance[i] < f->parts.size()
                     ? f->at(geometry_->shape(instance[i]).faces_as_triangles(), {instance[i], face[i], u[i], v[i]})
                     : 0.f;
}

}  // namespace vemtra::geometry
