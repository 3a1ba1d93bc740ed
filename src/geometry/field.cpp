#include "geometry/field.h"

#include <cstring>

#include "base/file.h"
#include "base/hash.h"
#include "base/parallel.h"

namespace vemtra::geometry {
namespace {

constexpr int max_resolution = 32;
constexpr size_t inside_budget = size_t(16) << 20;  // samples over all parts: 64 MB

size_t grid_size(int r) { return size_t(r + 1) * size_t(r + 2) / 2; }
// Row j (along v) of a grid of resolution r starts at:
size_t grid_row(int r, int j) { return size_t(j) * size_t(r + 1) - size_t(j) * size_t(j - 1) / 2; }

// Base-2 and base-3 radical inverses (Halton 1960), shifted per place: the same place gets the same directions on every triangle that
// shares it, so nothing shows along edges.
float radical_inverse2(uint32_t i) {
    i = (i << 16) | (i >> 16);
    i = ((i & 0x00ff00ffu) << 8) | ((i & 0xff00ff00u) >> 8);
    i = ((i & 0x0f0f0f0fu) << 4) | ((i & 0xf0f0f0f0u) >> 4);
    i = ((i & 0x33333333u) << 2) | ((i & 0xccccccccu) >> 2);
    i = ((i & 0x55555555u) << 1) | ((i & 0xaaaaaaaau) >> 1);
    return float(i >> 8) * 0x1p-24f;
}

class Sampler {
public:
    Sampler(const Geometry& geometry, const program::FieldRequest& request, int rays)
        : geometry_(geometry), request_(request), rays_(rays), sin_cone_(std::sin(radians(request.angle))) {
        rtcInitIntersectContext(&context_);
    }
    float operator()(const V3f& position, const V3f& normal, const V3f& toward_middle) {
        const V3f axis = request_.edges ? -normal : normal;
        // A little into the triangle, so that a corner's own walls count as seen from inside of the corner.
        const V3f inward = toward_middle * .02f;
        const float limit = .02f * request_.reach, length = inward.length();
        const V3f origin = offset_origin(position + (length > limit ? inward * (limit / length) : inward), axis) + axis * (1e-4f * request_.reach);
        uint32_t seed = 0;
        for (int i = 0; i < 3; ++i) seed = combine(seed, __builtin_bit_cast(uint32_t, position[i] + 0.f));
        const float shift1 = float(mix32(seed) >> 8) * 0x1p-24f, shift2 = float(mix32(seed + 1) >> 8) * 0x1p-24f;
        const Frame frame(axis);
        float sum = 0.f;
        for (int i = 0; i < rays_; ++i) {
            float a = radical_inverse2(uint32_t(i)) + shift1, b = (float(i) + .5f) * 0.618033988f + shift2;
            a -= std::floor(a);
            b -= std::floor(b);
            const float s = sin_cone_ * std::sqrt(a), phi = 2.f * pi * b;  // cosine weighted within the cone
            const V3f d = frame.to_world(V3f(s * std::cos(phi), s * std::sin(phi), std::sqrt(std::max(0.f, 1.f - s * s))));
            RTCRayHit ray = single_ray(origin, d, request_.reach);
            rtcIntersect1(geometry_.scene(), &context_, &ray);
            if (ray.hit.geomID != RTC_INVALID_GEOMETRY_ID) sum += 1.f - ray.ray.tfar / request_.reach;
        }
        return sum / float(rays_);
    }

private:
    const Geometry& geometry_;
    const program::FieldRequest& request_;
    int rays_;
    float sin_cone_;
    RTCIntersectContext context_;
};

// A stopped loop leaves early; nobody reads the half-done result.
template <class Body>
bool for_all(size_t count, float from, float to, Progress* progress, const Body& body) {
    std::atomic<size_t> done{0};
    parallel_ranges(count, 256, [&](size_t first, size_t last) {
        if (stopped(progress)) return;
        body(first, last);
        report(progress, from + (to - from) * float(done += last - first) / float(count));
    });
    return !stopped(progress);
}

fs::path cache_file(const Geometry& geometry, const std::vector<char>& wanted, const program::FieldRequest& request) {
    uint64_t h = hash_bytes(wanted.data(), wanted.size(), hash_text("cavity 2"));
    for (const auto& m : geometry.meshes()) {
        const uint64_t content = m->content_hash();
        h = hash_bytes(&content, sizeof content, h);
    }
    const float numbers[] = {request.edges ? 1.f : 0.f, request.reach, request.angle, float(field_rays_final)};
    h = hash_bytes(numbers, sizeof numbers, h);
    char name[32];
    std::snprintf(name, sizeof name, "%016llx.field", static_cast<unsigned long long>(h));
    return cache_folder("fields") / name;
}

}  // namespace

float FormField::at(const Mesh& mesh, uint32_t part, uint32_t triangle, float u, float v) const {
    const PartField& f = parts[part];
    if (f.at_vertex.empty()) return 0.f;
    const uint32_t* i = &mesh.indices[3 * size_t(triangle)];
    const int r = f.resolution.empty() ? 1 : f.resolution[triangle];
    if (r <= 1) return f.at_vertex[i[0]] * (1.f - u - v) + f.at_vertex[i[1]] * u + f.at_vertex[i[2]] * v;
    const float* grid = f.inside.data() + f.first[triangle];
    const float x = clamp01(u) * float(r), y = clamp01(v) * float(r);
    int ix = std::min(int(x), r - 1), iy = std::min(int(y), r - 1);
    if (ix + iy > r - 1) ix = std::max(0, r - 1 - iy);
    const float fx = x - float(ix), fy = y - float(iy);
    auto value = [&](int a, int b) { return grid[grid_row(r, b) + size_t(a)]; };
    if (fx + fy <= 1.f || ix + iy + 2 > r) return value(ix, iy) * (1.f - fx - fy) + value(ix + 1, iy) * fx + value(ix, iy + 1) * fy;
    return value(ix + 1, iy + 1) * (fx + fy - 1.f) + value(ix, iy + 1) * (1.f - fx) + value(ix + 1, iy) * (1.f - fy);
}

std::shared_ptr<const FormField> compute_field(const Geometry& geometry, const std::vector<char>& wanted, const program::FieldRequest& request, int rays, Progress* progress) {
    auto field = std::make_shared<FormField>();
    field->rays = rays;
    const size_t parts = geometry.meshes().size();
    field->parts.resize(parts);
    size_t total = 0;
    for (size_t p = 0; p < parts; ++p) {
        if (!wanted[p]) continue;
        const Mesh& m = *geometry.meshes()[p];
        FormField::PartField& f = field->parts[p];
        const float from = float(p) / float(parts), to = float(p + 1) / float(parts);
        // Which triangle a vertex leans to.
        std::vector<uint32_t> owner(m.positions.size(), UINT32_MAX);
        for (uint32_t t = 0; t < m.triangles(); ++t)
            for (int c = 0; c < 3; ++c)
                if (uint32_t& o = owner[m.indices[3 * size_t(t) + size_t(c)]]; o == UINT32_MAX) o = t;
        auto middle = [&](uint32_t t) {
            const uint32_t* i = &m.indices[3 * size_t(t)];
            return (m.positions[i[0]] + m.positions[i[1]] + m.positions[i[2]]) / 3.f;
        };
        f.at_vertex.assign(m.positions.size(), 0.f);
        if (!for_all(m.positions.size(), from, lerp(from, to, .6f), progress, [&](size_t first, size_t last) {
                Sampler sampler(geometry, request, rays);
                for (size_t v = first; v < last; ++v)
                    if (owner[v] != UINT32_MAX) f.at_vertex[v] = sampler(m.positions[v], m.normals[v], middle(owner[v]) - m.positions[v]);
            }))
            return nullptr;
        std::vector<uint32_t> gridded;
        f.first.assign(m.triangles(), 0);
        f.resolution.assign(m.triangles(), 1);
        size_t own = 0;
        for (uint32_t t = 0; t < m.triangles(); ++t) {
            const uint32_t* i = &m.indices[3 * size_t(t)];
            const V3f &a = m.positions[i[0]], &b = m.positions[i[1]], &c = m.positions[i[2]];
            const float longest = std::sqrt(std::max({(b - a).length2(), (c - a).length2(), (c - b).length2()}));
            const int r = std::min(max_resolution, int(std::ceil(longest / (.5f * request.reach))));
            if (r <= 2 || total + grid_size(r) > inside_budget) continue;
            f.first[t] = uint32_t(own);
            f.resolution[t] = uint8_t(r);
            own += grid_size(r);
            total += grid_size(r);
            gridded.push_back(t);
        }
        f.inside.assign(own, 0.f);
        if (gridded.empty()) f.first.clear(), f.resolution.clear();
        if (!for_all(gridded.size(), lerp(from, to, .6f), to, progress, [&](size_t first, size_t last) {
                Sampler sampler(geometry, request, rays);
                for (size_t g = first; g < last; ++g) {
                    const uint32_t t = gridded[g];
                    const int r = f.resolution[t];
                    const V3f centre = middle(t);
                    for (int j = 0; j <= r; ++j)
                        for (int i = 0; i + j <= r; ++i) {
                            const Surface s = geometry.surface(uint32_t(p), t, float(i) / float(r), float(j) / float(r));
                            f.inside[f.first[t] + grid_row(r, j) + size_t(i)] = sampler(s.position, s.normal, centre - s.position);
                        }
                }
            }))
            return nullptr;
    }
    return field;
}

std::shared_ptr<const FormField> cached_field(const Geometry& geometry, const std::vector<char>& wanted, const program::FieldRequest& request) {
    Result<std::string> bytes = read_file(cache_file(geometry, wanted, request));
    if (!bytes) return nullptr;
    // Layout: hash of the rest, then per part the sizes and arrays. Sizes must fit the meshes, else the file is not used.
    uint64_t check = 0;
    if (bytes->size() < 8) return nullptr;
    std::memcpy(&check, bytes->data(), 8);
    if (check != hash_bytes(bytes->data() + 8, bytes->size() - 8)) return nullptr;
    const char *p = bytes->data() + 8, *end = bytes->data() + bytes->size();
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
    for (const auto& m : geometry.meshes()) {
        FormField::PartField f;
        if (!take(f.at_vertex, m->positions.size()) || !take(f.first, m->triangles()) || !take(f.resolution, m->triangles()) || !take(f.inside, SIZE_MAX) ||
            f.at_vertex.size() != (wanted[field->parts.size()] ? m->positions.size() : 0) || f.first.size() != f.resolution.size())
            return nullptr;
        for (size_t t = 0; t < f.first.size(); ++t)
            if (f.resolution[t] > 1 && f.first[t] + grid_size(f.resolution[t]) > f.inside.size()) return nullptr;
        field->parts.push_back(std::move(f));
    }
    return field;
}

void keep_field(const Geometry& geometry, const std::vector<char>& wanted, const program::FieldRequest& request, const FormField& field) {
    std::string body;
    auto put = [&](const auto& array) {
        const uint64_t n = array.size();
        body.append(reinterpret_cast<const char*>(&n), 8);
        body.append(reinterpret_cast<const char*>(array.data()), n * sizeof array[0]);
    };
    for (const auto& f : field.parts) put(f.at_vertex), put(f.first), put(f.resolution), put(f.inside);
    const uint64_t check = hash_bytes(body.data(), body.size());
    write_file_atomically(cache_file(geometry, wanted, request), std::string(reinterpret_cast<const char*>(&check), 8) + body);
}

void Fields::sample(int field, int n, const uint32_t* part, const uint32_t* triangle, const float* u, const float* v, float* out) const {
    const FormField* f = field >= 0 && size_t(field) < fields_.size() ? fields_[size_t(field)].get() : nullptr;
    for (int i = 0; i < n; ++i)
        out[i] = f && part[i] < f->parts.size() ? f->at(*geometry_->meshes()[part[i]], part[i], triangle[i], u[i], v[i]) : 0.f;
}

}  // namespace vemtra::geometry
