#include "geometry/geometry.h"

#include <atomic>
#include <cstring>

namespace vemtra::geometry {
namespace {

std::atomic<int64_t> held{0};
bool count_memory(void*, ssize_t bytes, bool) {
    held += bytes;
    return true;
}
bool watch_build(void* progress, double fraction) {
    report(static_cast<Progress*>(progress), float(fraction));
    return !stopped(static_cast<Progress*>(progress));
}

}  // namespace

RTCDevice embree_device() {
    static const RTCDevice device = [] {
        RTCDevice d = rtcNewDevice("");
        rtcSetDeviceMemoryMonitorFunction(d, count_memory, nullptr);
        return d;
    }();
    return device;
}
size_t embree_memory() { return size_t(std::max<int64_t>(0, held)); }

Geometry::Geometry(std::vector<std::shared_ptr<const Mesh>> meshes, Progress* progress) : meshes_(std::move(meshes)) {
    for (const auto& m : meshes_) {
        bounds_.extendBy(m->bounds());
        triangles_ += m->triangles();
    }
    scene_ = rtcNewScene(embree_device());
    int flags = RTC_SCENE_FLAG_ROBUST;
    if (triangles_ > 4000000) flags |= RTC_SCENE_FLAG_COMPACT;
    rtcSetSceneFlags(scene_, RTCSceneFlags(flags));
    rtcSetSceneBuildQuality(scene_, RTC_BUILD_QUALITY_MEDIUM);
    for (size_t i = 0; i < meshes_.size(); ++i) {
        const Mesh& m = *meshes_[i];
        RTCGeometry g = rtcNewGeometry(embree_device(), RTC_GEOMETRY_TYPE_TRIANGLE);
        // The last element of a shared vertex buffer is read as 16 bytes: Embree gets a copy of its own, which it pads.
        void* vertices = rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, sizeof(V3f), m.positions.size());
        std::memcpy(vertices, m.positions.data(), m.positions.size() * sizeof(V3f));
        rtcSetSharedGeometryBuffer(g, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, m.indices.data(), 0, 3 * sizeof(uint32_t), m.triangles());
        rtcCommitGeometry(g);
        rtcAttachGeometryByID(scene_, g, unsigned(i));
        rtcReleaseGeometry(g);
    }
    if (progress) rtcSetSceneProgressMonitorFunction(scene_, watch_build, progress);
    rtcCommitScene(scene_);
    rtcSetSceneProgressMonitorFunction(scene_, nullptr, nullptr);
}

Geometry::~Geometry() { rtcReleaseScene(scene_); }

Surface Geometry::surface(uint32_t mesh, uint32_t triangle, float u, float v) const {
    const Mesh& m = *meshes_[mesh];
    const uint32_t* i = &m.indices[3 * size_t(triangle)];
    const V3f &a = m.positions[i[0]], &b = m.positions[i[1]], &c = m.positions[i[2]];
    const float w = 1.f - u - v;
    Surface s;
    s.position = a * w + b * u + c * v;
    const V3f cross = (b - a).cross(c - a);
    const float area2 = cross.length();
    s.normal_geometric = cross / area2;
    const V3f n = m.normals[i[0]] * w + m.normals[i[1]] * u + m.normals[i[2]] * v;
    const float length = n.length();
    s.normal = length > 1e-12f ? n / length : s.normal_geometric;
    if (s.normal.dot(s.normal_geometric) < 0.f) s.normal_geometric = -s.normal_geometric;  // winding against the normals: the normals win
    if (!m.uvs.empty()) {
        const V2f &ta = m.uvs[i[0]], &tb = m.uvs[i[1]], &tc = m.uvs[i[2]];
        s.uv = ta * w + tb * u + tc * v;
        s.uv_per_metre = std::sqrt(std::fabs((tb - ta).cross(tc - ta)) / area2);
    }
    if (!m.colors.empty()) s.color = m.colors[i[0]] * w + m.colors[i[1]] * u + m.colors[i[2]] * v;
    return s;
}

V3f Geometry::tangent(uint32_t mesh, uint32_t triangle) const {
    const Mesh& m = *meshes_[mesh];
    if (m.uvs.empty()) return V3f(0.f);
    const uint32_t* i = &m.indices[3 * size_t(triangle)];
    const V3f e1 = m.positions[i[1]] - m.positions[i[0]], e2 = m.positions[i[2]] - m.positions[i[0]];
    const V2f t1 = m.uvs[i[1]] - m.uvs[i[0]], t2 = m.uvs[i[2]] - m.uvs[i[0]];
    const float area = t1.x * t2.y - t1.y * t2.x;
    const V3f t = (e1 * t2.y - e2 * t1.y) * std::copysign(1.f, area);
    return std::fabs(area) > 1e-20f && t.length2() > 1e-30f ? t.normalized() : V3f(0.f);
}

V2f Geometry::uv(uint32_t mesh, uint32_t triangle, float u, float v, int set) const {
    const Mesh& m = *meshes_[mesh];
    const std::vector<V2f>& uvs = set < 0 ? m.uvs : m.more_uvs[size_t(set)].uvs;
    if (uvs.empty()) return V2f(0.f);
    const uint32_t* i = &m.indices[3 * size_t(triangle)];
    return uvs[i[0]] * (1.f - u - v) + uvs[i[1]] * u + uvs[i[2]] * v;
}

void Geometry::uv_gradients(uint32_t mesh, uint32_t triangle, V3f& u, V3f& v, int set) const {
    const Mesh& m = *meshes_[mesh];
    const std::vector<V2f>& uvs = set < 0 ? m.uvs : m.more_uvs[size_t(set)].uvs;
    u = v = V3f(0.f);
    if (uvs.empty()) return;
    const uint32_t* i = &m.indices[3 * size_t(triangle)];
    const V3f e1 = m.positions[i[1]] - m.positions[i[0]], e2 = m.positions[i[2]] - m.positions[i[0]];
    const V2f t1 = uvs[i[1]] - uvs[i[0]], t2 = uvs[i[2]] - uvs[i[0]];
    // The dual basis of e1 and e2 in their plane: d1 . e1 = 1, d1 . e2 = 0.
    const float a = e1.dot(e1), b = e1.dot(e2), c = e2.dot(e2), d = a * c - b * b;
    if (!(d > 0.f)) return;
    const V3f d1 = (e1 * c - e2 * b) / d, d2 = (e2 * a - e1 * b) / d;
    u = d1 * t1.x + d2 * t2.x;
    v = d1 * t1.y + d2 * t2.y;
    if (!finite(u) || !finite(v)) u = v = V3f(0.f);
}

V3f offset_origin(const V3f& p, const V3f& n) {
    constexpr float origin = 1.f / 32.f, float_scale = 1.f / 65536.f, int_scale = 256.f;
    V3f out;
    for (int i = 0; i < 3; ++i) {
        const int of = int(int_scale * n[i]);
        const float moved = __builtin_bit_cast(float, __builtin_bit_cast(int, p[i]) + (p[i] < 0.f ? -of : of));
        out[i] = std::fabs(p[i]) < origin ? p[i] + float_scale * n[i] : moved;
    }
    return out;
}

}  // namespace vemtra::geometry
