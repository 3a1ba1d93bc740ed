#include "geometry/nearest.h"

#include <algorithm>
#include <map>

#include "base/hash.h"

namespace vemtra::geometry {
namespace {

constexpr uint32_t small_part = 2048;  // faces: smaller ones share one scene
constexpr float touching = 1e-6f;      // of the reach: where so near a place is found, no nearer one is looked for

/// Barycentric coordinates (of the second and third corner) of the point of a triangle that is nearest to p
/// (Ericson 2005, "Real-Time Collision Detection", 5.1.5).
V2f nearest_of_triangle(const V3f& p, const V3f& a, const V3f& b, const V3f& c) {
    const V3f ab = b - a;
    const V3f ac = c - a;
    const V3f ap = p - a;
    const float d1 = ab.dot(ap);
    const float d2 = ac.dot(ap);
    if (d1 <= 0.f && d2 <= 0.f) return {0.f, 0.f};
    const V3f bp = p - b;
    const float d3 = ab.dot(bp);
    const float d4 = ac.dot(bp);
    if (d3 >= 0.f && d4 <= d3) return {1.f, 0.f};
    const float vc = d1 * d4 - d3 * d2;
    if (vc <= 0.f && d1 >= 0.f && d3 <= 0.f) return {d1 / std::max(1e-30f, d1 - d3), 0.f};
    const V3f cp = p - c;
    const float d5 = ab.dot(cp);
    const float d6 = ac.dot(cp);
    if (d6 >= 0.f && d5 <= d6) return {0.f, 1.f};
    const float vb = d5 * d2 - d1 * d6;
    if (vb <= 0.f && d2 >= 0.f && d6 <= 0.f) return {0.f, d2 / std::max(1e-30f, d2 - d6)};
    const float va = d3 * d6 - d5 * d4;
    if (va <= 0.f && d4 - d3 >= 0.f && d5 - d6 >= 0.f) {
        const float w = (d4 - d3) / std::max(1e-30f, (d4 - d3) + (d5 - d6));
        return {1.f - w, w};
    }
    const float sum = va + vb + vc;
    return sum > 0.f ? V2f(vb / sum, vc / sum) : V2f(0.f);
}

}  // namespace

Nearest::Nearest(const Geometry& geometry, const std::vector<uint32_t>& instances) {
    size_t faces = 0;
    std::map<std::pair<const Shape*, uint64_t>, size_t> at;
    for (const uint32_t i : instances) {
        const Instance& in = geometry.instances()[i];
        const Mesh& mesh = in.shape->faces_as_triangles();
        // Pasted twice, a part is one: a crowd in one place would be asked for every point of each.
        const auto [same, fresh] =
            at.try_emplace({in.shape.get(), hash_bytes(&in.to_world, sizeof in.to_world)}, parts_.size());
        if (!fresh) {
            Part& first = parts_[same->second];
            if (first.twin == first.number) first.twin = i;
            continue;
        }
        Part part{in, i, i, {}, {}};
        part.positions.reserve(mesh.positions.size());
        for (const V3f& p : mesh.positions) {
            part.positions.push_back(in.point_to_world(p));
            part.box.extendBy(part.positions.back());
        }
        if (mesh.triangles() < small_part) faces += mesh.triangles();
        parts_.push_back(std::move(part));
    }
    scene_ = new_scene(faces);
    for (uint32_t k = 0; k < parts_.size(); ++k) {
        const size_t triangles = parts_[k].instance.shape->faces_as_triangles().triangles();
        if (triangles < small_part) {
            in_scene_.push_back(k);
            add(scene_, parts_[k]);
            continue;
        }
        large_.push_back({k, new_scene(triangles)});
        add(large_.back().scene, parts_[k]);
        rtcCommitScene(large_.back().scene);
    }
    rtcCommitScene(scene_);
}
Nearest::~Nearest() {
    rtcReleaseScene(scene_);
    for (const Large& l : large_) rtcReleaseScene(l.scene);
}

void Nearest::add(RTCScene scene, const Part& part) const {
    const Mesh& mesh = part.instance.shape->faces_as_triangles();
    RTCGeometry g = rtcNewGeometry(embree_device(), RTC_GEOMETRY_TYPE_TRIANGLE);
    void* points =
        rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, sizeof(V3f), part.positions.size());
    std::copy(part.positions.begin(), part.positions.end(), static_cast<V3f*>(points));
    void* corners =
        rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, 3 * sizeof(uint32_t), mesh.triangles());
    std::copy_n(mesh.indices.begin(), 3 * size_t(mesh.triangles()), static_cast<uint32_t*>(corners));
    rtcCommitGeometry(g);
    rtcAttachGeometry(scene, g);
    rtcReleaseGeometry(g);
}

struct Nearest::Asked {
    const std::vector<Part>* parts;
    const uint32_t* part_of;  ///< by the number of a geometry
    V3f position, normal;
    uint32_t but;
    float touching;
    float radius;
    Found found;
};

void Nearest::ask(RTCScene scene, Asked& asked) const {
    RTCPointQuery query;
    query.x = asked.position.x;
    query.y = asked.position.y;
    query.z = asked.position.z;
    query.time = 0.f;
    query.radius = asked.radius;
    RTCPointQueryContext context;
    rtcInitPointQueryContext(&context);
    rtcPointQuery(
        scene, &query, &context,
        [](RTCPointQueryFunctionArguments* a) {
            auto& q = *static_cast<Asked*>(a->userPtr);
            const Part& part = (*q.parts)[q.part_of[a->geomID]];
            const uint32_t number = part.number == q.but ? part.twin : part.number;
            if (number == q.but || a->query->radius <= q.touching) return false;
            const uint32_t* c = &part.instance.shape->faces_as_triangles().indices[3 * size_t(a->primID)];
            const V3f& p0 = part.positions[c[0]];
            const V3f& p1 = part.positions[c[1]];
            const V3f& p2 = part.positions[c[2]];
            if ((p1 - p0).cross(p2 - p0).dot(q.normal) < 0.f) return false;
            const V2f at = nearest_of_triangle(q.position, p0, p1, p2);
            const float d = (p0 + (p1 - p0) * at.x + (p2 - p0) * at.y - q.position).length();
            if (!(d < a->query->radius)) return false;
            a->query->radius = q.radius = d;
            q.found = {{number, a->primID, at.x, at.y}, d};
            return true;
        },
        &asked);
}

Nearest::Found Nearest::at(const V3f& position, const V3f& normal, float reach, uint32_t but) const {
    if (!(position.length2() < 1e30f) || !(reach > 0.f)) return {};
    Asked asked{&parts_, in_scene_.data(), position, normal, but, touching * reach, reach, {}};
    if (!in_scene_.empty()) ask(scene_, asked);
    for (const Large& l : large_) {
        const Part& part = parts_[l.part];
        if (part.number == but && part.twin == but) continue;
        V3f away(0.f);
        for (int c = 0; c < 3; ++c)
            away[c] = std::max({0.f, part.box.min[c] - position[c], position[c] - part.box.max[c]});
        if (!(away.length2() < asked.radius * asked.radius)) continue;
        asked.part_of = &l.part;
        ask(l.scene, asked);
    }
    return asked.found;
}

}  // namespace vemtra::geometry
