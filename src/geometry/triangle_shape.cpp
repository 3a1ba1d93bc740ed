// Triangle meshes as a Shape: flat faces, normals and UVs interpolated between the corners.
#include <algorithm>
#include <cstring>

#include "geometry/shape.h"
#include "nodes/resources.h"

namespace vemtra::geometry {
namespace {

class TriangleShape final : public Shape {
public:
    explicit TriangleShape(std::shared_ptr<const Mesh> mesh)
        : mesh_(std::move(mesh)), m_(*mesh_), bounds_(m_.bounds()) {}

    uint32_t faces() const override { return uint32_t(m_.triangles()); }
    Box3f bounds() const override { return bounds_; }
    size_t bytes() const override { return m_.bytes(); }
    uint64_t content_hash() const override { return m_.content_hash(); }
    const Mesh& faces_as_triangles() const override { return m_; }

    FormPoint form_at(uint32_t face, float u, float v) const override {
        float area2;
        return form_at(face, u, v, area2);
    }
    SurfacePoint at(uint32_t face, float u, float v) const override {
        const uint32_t* i = corners(face);
        const float w = 1.f - u - v;
        float area2;
        const FormPoint form = form_at(face, u, v, area2);
        SurfacePoint s;
        s.position = form.position;
        s.normal_geometric = form.normal_geometric;
        s.normal = form.normal;
        // Hanika 2021, "Hacking the Shadow Terminator": up to the mean of the corners' tangent planes.
        const float part[3] = {w, u, v};
        for (int k = 0; k < 3; ++k) {
            const V3f& n = m_.normals[i[k]];
            s.lift -= n * (part[k] * std::min(0.f, (s.position - m_.positions[i[k]]).dot(n)));
        }
        if (!m_.uvs.empty()) {
            const V2f& ta = m_.uvs[i[0]];
            const V2f& tb = m_.uvs[i[1]];
            const V2f& tc = m_.uvs[i[2]];
            s.uv = ta * w + tb * u + tc * v;
            s.uv_per_metre = std::sqrt(std::fabs((tb - ta).cross(tc - ta)) / area2);
        }
        if (!m_.colors.empty()) s.color = m_.colors[i[0]] * w + m_.colors[i[1]] * u + m_.colors[i[2]] * v;
        return s;
    }

    float area(uint32_t face) const override {
        const uint32_t* i = corners(face);
        return .5f * (m_.positions[i[1]] - m_.positions[i[0]]).cross(m_.positions[i[2]] - m_.positions[i[0]]).length();
    }

    bool has_uvs() const override { return !m_.uvs.empty(); }
    int uv_set(const std::string& name) const override {
        for (size_t k = 0; k < m_.more_uvs.size(); ++k)
            if (m_.more_uvs[k].name == name) return int(k);
        return -1;
    }
    std::vector<std::string> uv_set_names() const override {
        std::vector<std::string> names;
        if (!m_.uv_name.empty()) names.push_back(m_.uv_name);
        for (const UvSet& s : m_.more_uvs)
            if (nodes::property_of(s.name).empty()) names.push_back(s.name);
        return names;
    }
    std::vector<std::string> property_names() const override {
        std::vector<std::string> names;
        for (const UvSet& s : m_.more_uvs)
            if (const std::string name = nodes::property_of(s.name);
                !name.empty() && std::find(names.begin(), names.end(), name) == names.end())
                names.push_back(name);
        return names;
    }
    float uv_per_metre(int set) const override {
        return set < 0 ? m_.uv_per_metre : m_.more_uvs[size_t(set)].per_metre;
    }

    V2f uv(uint32_t face, float u, float v, int set) const override {
        const std::vector<V2f>& uvs = of_set(set);
        if (uvs.empty()) return V2f(0.f);
        const uint32_t* i = corners(face);
        return uvs[i[0]] * (1.f - u - v) + uvs[i[1]] * u + uvs[i[2]] * v;
    }

    void uv_gradients(uint32_t face, V3f& u, V3f& v, int set) const override {
        const std::vector<V2f>& uvs = of_set(set);
        u = v = V3f(0.f);
        if (uvs.empty()) return;
        const uint32_t* i = corners(face);
        const V3f e1 = m_.positions[i[1]] - m_.positions[i[0]];
        const V3f e2 = m_.positions[i[2]] - m_.positions[i[0]];
        const V2f t1 = uvs[i[1]] - uvs[i[0]];
        const V2f t2 = uvs[i[2]] - uvs[i[0]];
        V3f d1;
        V3f d2;
        if (!dual_basis(e1, e2, d1, d2)) return;
        u = d1 * t1.x + d2 * t2.x;
        v = d1 * t1.y + d2 * t2.y;
        if (!finite(u) || !finite(v)) u = v = V3f(0.f);
    }

    V3f tangent(uint32_t face) const override {
        if (m_.uvs.empty()) return V3f(0.f);
        const uint32_t* i = corners(face);
        const V3f e1 = m_.positions[i[1]] - m_.positions[i[0]];
        const V3f e2 = m_.positions[i[2]] - m_.positions[i[0]];
        const V2f t1 = m_.uvs[i[1]] - m_.uvs[i[0]];
        const V2f t2 = m_.uvs[i[2]] - m_.uvs[i[0]];
        const float area = t1.x * t2.y - t1.y * t2.x;
        const V3f t = (e1 * t2.y - e2 * t1.y) * std::copysign(1.f, area);
        return std::fabs(area) > 1e-20f && t.length2() > 1e-30f ? t.normalized() : V3f(0.f);
    }

    RTCGeometry attachable(const M44f* to_world) const override {
        RTCGeometry g = rtcNewGeometry(embree_device(), RTC_GEOMETRY_TYPE_TRIANGLE);
        // The last element of a shared vertex buffer is read as 16 bytes: Embree gets a copy of its own, which it pads.
        auto* vertices = static_cast<float*>(
            rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, sizeof(V3f), m_.positions.size()));
        if (to_world)
            for (const V3f& p : m_.positions) {
                const V3f q = moved(p, *to_world);
                vertices = std::copy_n(&q.x, 3, vertices);
            }
        else
            std::copy_n(&m_.positions.data()->x, 3 * m_.positions.size(), vertices);
        rtcSetSharedGeometryBuffer(g, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, m_.indices.data(), 0,
                                   3 * sizeof(uint32_t), m_.triangles());
        rtcCommitGeometry(g);
        return g;
    }

private:
    FormPoint form_at(uint32_t face, float u, float v, float& area2) const {
        const uint32_t* i = corners(face);
        const V3f& a = m_.positions[i[0]];
        const V3f& b = m_.positions[i[1]];
        const V3f& c = m_.positions[i[2]];
        const float w = 1.f - u - v;
        FormPoint s;
        s.position = a * w + b * u + c * v;
        const V3f cross = (b - a).cross(c - a);
        area2 = cross.length();
        s.normal_geometric = cross / area2;
        const V3f& na = m_.normals[i[0]];
        const V3f& nb = m_.normals[i[1]];
        const V3f& nc = m_.normals[i[2]];
        const V3f n = na * w + nb * u + nc * v;
        const float length = n.length();
        s.normal = length > 1e-12f ? n / length : s.normal_geometric;
        // Winding against the normals: the normals win, and all of the face lies on one side.
        if ((na + nb + nc).dot(s.normal_geometric) < 0.f) s.normal_geometric = -s.normal_geometric;
        if (const float facing = s.normal.dot(s.normal_geometric); facing < .01f)
            s.normal = (s.normal + s.normal_geometric * (.01f - facing)).normalized();
        return s;
    }
    const uint32_t* corners(uint32_t face) const { return &m_.indices[3 * size_t(face)]; }
    const std::vector<V2f>& of_set(int set) const { return set < 0 ? m_.uvs : m_.more_uvs[size_t(set)].uvs; }

    std::shared_ptr<const Mesh> mesh_;
    const Mesh& m_;
    Box3f bounds_;
};

}  // namespace

std::shared_ptr<const Shape> make_shape(std::shared_ptr<const Mesh> mesh) {
    return std::make_shared<TriangleShape>(std::move(mesh));
}

}  // namespace vemtra::geometry
