// A displaced form as a Shape: faces of another one, met through their heights (relief_walk.h).
#include <array>
#include <atomic>
#include <cmath>
#include <mutex>

#include "base/hash.h"
#include "base/parallel.h"
#include "geometry/rounding.h"
#include "geometry/shape.h"
#include "nodes/description.h"

namespace vemtra::geometry {
namespace {

/// The heights of one face, as the walk asks for them.
class OverFace final : public FaceHeights {
public:
    OverFace() = default;
    OverFace(const ReliefHeights& heights, uint32_t face) : heights_(&heights), face_(face) {}
    void bounds(const ReliefPiece& piece, float* lo, float* hi) const override {
        heights_->bounds(face_, piece, lo, hi);
    }
    void at(const int* i, const int* j, int count, float* out) const override { heights_->at(face_, i, j, count, out); }

private:
    const ReliefHeights* heights_ = nullptr;
    uint32_t face_ = 0;
};

std::atomic<uint64_t> made{0};
constexpr float steep_for_lift = .25f;  // slope of heights that throw shadows of their own

class DisplacedShape final : public Shape {
public:
    DisplacedShape(std::shared_ptr<const Shape> base, std::shared_ptr<const Welds> welds,
                   std::shared_ptr<const ReliefHeights> heights, DisplacedAs as)
        : base_(std::move(base)),
          welds_(std::move(welds)),
          heights_(std::move(heights)),
          as_(as),
          m_(base_->faces_as_triangles()),
          meet_(nodes::wide_kernels_run() ? avx512::meet_relief : avx2::meet_relief) {
        if (as_.for_now) boxes_.resize(m_.triangles());
        std::mutex mutex;
        parallel_ranges(m_.triangles(), 4096, [&](size_t first, size_t last) {
            Box3f box;
            for (size_t f = first; f < last; ++f) {
                const Box3f own = bounds_of(uint32_t(f));
                if (as_.for_now) boxes_[f] = own;
                box.extendBy(own);
            }
            std::lock_guard lock(mutex);
            bounds_.extendBy(box);
        });
        if (as_.for_now && lie_together()) together_ = most_together;
    }

    uint32_t faces() const override { return base_->faces(); }
    Box3f bounds() const override { return bounds_; }
    size_t bytes() const override { return base_->bytes() + heights_->bytes() + sizeof(Box3f) * boxes_.capacity(); }
    uint64_t content_hash() const override { return combine64(base_->content_hash(), heights_->content_hash()); }
    float area(uint32_t face) const override { return base_->area(face); }
    bool has_uvs() const override { return base_->has_uvs(); }
    int uv_set(const std::string& name) const override { return base_->uv_set(name); }
    std::vector<std::string> uv_set_names() const override { return base_->uv_set_names(); }
    std::vector<std::string> property_names() const override { return base_->property_names(); }
    float uv_per_metre(int set) const override { return base_->uv_per_metre(set); }
    V2f uv(uint32_t face, float u, float v, int set) const override { return base_->uv(face, u, v, set); }
    void uv_gradients(uint32_t face, V3f& u, V3f& v, int set) const override { base_->uv_gradients(face, u, v, set); }
    V3f tangent(uint32_t face) const override { return base_->tangent(face); }
    const Mesh& faces_as_triangles() const override { return m_; }
    bool stands_out() const override { return true; }
    bool for_now() const override { return as_.for_now; }

    SurfacePoint at(uint32_t face, float u, float v) const override {
        SurfacePoint s = base_->at(face, u, v);
        const V3f rest = s.position;
        const ReliefFace f = face_of(face, nullptr);
        const int n = 1 << f.levels;
        // The small triangle, and where in it.
        const float x = std::max(0.f, u) * float(n);
        const float y = std::max(0.f, v) * float(n);
        const int i = std::min(int(x), n - 1);
        const int j = std::min(int(y), n - 1 - i);
        const float fx = x - float(i);
        const float fy = y - float(j);
        const bool upper = fx + fy > 1.f && i + j + 2 <= n;
        int ci[3] = {i, i + 1, i};
        int cj[3] = {j, j, j + 1};
        float weight[3] = {1.f - fx - fy, fx, fy};
        if (upper) {
            ci[0] = i + 1, cj[0] = j + 1;
            ci[1] = i, cj[1] = j + 1;
            ci[2] = i + 1, cj[2] = j;
            weight[0] = fx + fy - 1.f, weight[1] = 1.f - fx, weight[2] = 1.f - fy;
        }
        for (int k = 0; k < 3; ++k) draw_to_coarser(heights_->levels, face, ci[k], cj[k]);
        V3f p[3];
        V3f slope;  // how much steeper than the smooth form
        if (heights_->any_way()) {
            V3f offset[3];
            heights_->offsets(face, ci, cj, 3, offset);
            for (int k = 0; k < 3; ++k) p[k] = point(f, ci[k], cj[k], n, 0.f) + offset[k];
            slope = s.normal - turned_by_offsets(face, f, x, y, s.normal);
        } else {
            float h[3];
            heights_->at(face, ci, cj, 3, h);
            for (int k = 0; k < 3; ++k) p[k] = point(f, ci[k], cj[k], n, h[k]);
            s.height = h[0] * weight[0] + h[1] * weight[1] + h[2] * weight[2];
            slope = slope_at(face, f, x, y);
        }
        s.position = p[0] * weight[0] + p[1] * weight[1] + p[2] * weight[2];
        s.displaced_by = s.position - rest;
        if (heights_->any_way())
            s.height = (s.displaced_by - (as_.rounded ? bulge(m_, *welds_, face, u, v) : V3f(0.f))).dot(s.normal);
        const V3f flat = (corner(f.corner[1]) - corner(f.corner[0])).cross(corner(f.corner[2]) - corner(f.corner[0]));
        const float side = flat.dot(s.normal_geometric) < 0.f ? -1.f : 1.f;
        const V3f small = (p[1] - p[0]).cross(p[2] - p[0]) * side;
        const float length = small.length();
        if (length > 0.f && std::isfinite(length)) {
            s.normal_geometric = small / length;
            const float even = flat.length() / (float(n) * float(n));
            if (even > 0.f) s.spread = std::max(1e-6f, length / even);
        }
        // Where heights are steep they throw the shadows; where they are even it is the faces that must not.
        s.lift *= as_.rounded ? 0.f : clamp01(1.f - slope.length() / steep_for_lift);
        const V3f normal = s.normal - slope;
        if (const float l = normal.length(); l > 1e-12f && std::isfinite(l)) s.normal = normal / l;
        if (const float facing = s.normal.dot(s.normal_geometric); facing < .01f)
            s.normal = (s.normal + s.normal_geometric * (.01f - facing)).normalized();
        return s;
    }

    RTCGeometry attachable(const M44f*) const override {
        RTCGeometry g = rtcNewGeometry(embree_device(), RTC_GEOMETRY_TYPE_USER);
        if (as_.for_now) rtcSetGeometryBuildQuality(g, RTC_BUILD_QUALITY_LOW);  // by Morton order
        rtcSetGeometryUserPrimitiveCount(g, (faces() + together_ - 1) / together_);
        rtcSetGeometryUserData(g, const_cast<DisplacedShape*>(this));
        rtcSetGeometryBoundsFunction(g, tell_bounds, nullptr);
        rtcSetGeometryIntersectFunction(g, intersect);
        rtcSetGeometryOccludedFunction(g, occlude);
        rtcCommitGeometry(g);
        return g;
    }

private:
    static uint64_t combine64(uint64_t a, uint64_t b) {
        const uint64_t both[] = {a, b};
        return hash_bytes(both, sizeof both);
    }
    static V3f corner(const float* c) { return {c[0], c[1], c[2]}; }

    ReliefFace face_of(uint32_t face, const FaceHeights* heights) const {
        ReliefFace f;
        const uint32_t* i = &m_.indices[3 * size_t(face)];
        for (int c = 0; c < 3; ++c) {
            const V3f& p = m_.positions[i[c]];
            const V3f& d = welds_->direction[welds_->place_of[i[c]]];
            for (int k = 0; k < 3; ++k) f.corner[c][k] = p[k], f.along[c][k] = d[k];
            f.coarse[c] = uint8_t(heights_->levels.coarser(face, c));
        }
        f.levels = heights_->levels.level[face];
        f.heights = heights;
        return f;
    }
    /// As the walk computes it.
    static V3f point(const ReliefFace& f, int i, int j, int n, float h) {
        const float per = 1.f / float(n);
        const float w0 = float(n - i - j) * per;
        const float w1 = float(i) * per;
        const float w2 = float(j) * per;
        V3f p;
        for (int c = 0; c < 3; ++c) {
            const float base = (w0 * f.corner[0][c] + w1 * f.corner[1][c]) + w2 * f.corner[2][c];
            const float along = (w0 * f.along[0][c] + w1 * f.along[1][c]) + w2 * f.along[2][c];
            p[c] = base + h * along;
        }
        return p;
    }

    void at_points(uint32_t face, const int* i, const int* j, int count, float* out) const {
        heights_->at(face, i, j, count, out);
    }
    /// Without what the smooth form's normals tell of already.
    void at_points(uint32_t face, const int* i, const int* j, int count, V3f* out) const {
        heights_->offsets(face, i, j, count, out);
        if (!as_.rounded) return;
        const float per = 1.f / float(1 << heights_->levels.level[face]);
        for (int k = 0; k < count; ++k) out[k] -= bulge(m_, *welds_, face, float(i[k]) * per, float(j[k]) * per);
    }
    /// Heights, or offsets, between grid points, inside of the face.
    template <class T> T between(uint32_t face, float x, float y) const {
        const int n = 1 << heights_->levels.level[face];
        x = std::min(float(n), std::max(0.f, x));
        y = std::min(float(n) - x, std::max(0.f, y));
        const int i = std::min(int(x), n - 1);
        const int j = std::min(int(y), n - 1 - i);
        const float fx = x - float(i);
        const float fy = y - float(j);
        const bool upper = fx + fy > 1.f && i + j + 2 <= n;
        int ci[3] = {upper ? i + 1 : i, upper ? i : i + 1, upper ? i + 1 : i};
        int cj[3] = {upper ? j + 1 : j, upper ? j + 1 : j, upper ? j : j + 1};
        const float weight[3] = {upper ? fx + fy - 1.f : 1.f - fx - fy, upper ? 1.f - fx : fx, upper ? 1.f - fy : fy};
        for (int k = 0; k < 3; ++k) draw_to_coarser(heights_->levels, face, ci[k], cj[k]);
        T h[3];
        at_points(face, ci, cj, 3, h);
        return h[0] * weight[0] + h[1] * weight[1] + h[2] * weight[2];
    }
    /// Also beyond the face: on the one beside it, unfolded into its plane.
    template <class T> T near_to(uint32_t face, float x, float y) const {
        const float n = float(1 << heights_->levels.level[face]);
        const float b[3] = {(n - x - y) / n, x / n, y / n};
        int out = 0;
        for (int c = 1; c < 3; ++c)
            if (b[c] < b[out]) out = c;
        if (b[out] >= 0.f) return between<T>(face, x, y);
        const int side = (out + 1) % 3;  // opposite of that corner
        const uint32_t beside = welds_->next_side[3 * face + uint32_t(side)];
        if (beside == 3 * face + uint32_t(side)) return between<T>(face, x, y);
        const uint32_t other = beside / 3;
        const uint32_t start = welds_->place_of[m_.indices[3 * face + uint32_t(side)]];
        const int other_side = int(beside % 3);
        const bool same_way = welds_->place_of[m_.indices[beside]] == start;
        const int oa = same_way ? other_side : (other_side + 1) % 3;
        const int ob = same_way ? (other_side + 1) % 3 : other_side;
        const int oc = (other_side + 2) % 3;
        auto at = [&](uint32_t f, int c) { return m_.positions[m_.indices[3 * size_t(f) + size_t(c)]]; };
        const V3f a = at(face, side);
        const V3f e = at(face, (side + 1) % 3) - a;
        const float e2 = e.length2();
        if (!(e2 > 0.f)) return between<T>(face, x, y);
        const V3f c = at(face, out) - a;
        const V3f d = at(other, oc) - a;
        const float sc = c.dot(e) / e2;
        const float sd = d.dot(e) / e2;
        const float hc = (c - e * sc).length();
        const float hd = (d - e * sd).length();
        if (!(hd > 0.f)) return between<T>(face, x, y);
        const float s = b[(side + 1) % 3] + b[out] * sc;
        const float gamma = std::min(1.f, -b[out] * hc / hd);
        float beta = s - gamma * sd;
        beta = std::min(1.f - gamma, std::max(0.f, beta));
        float w[3];
        w[oa] = 1.f - gamma - beta;
        w[ob] = beta;
        w[oc] = gamma;
        const float m = float(1 << heights_->levels.level[other]);
        return between<T>(other, w[1] * m, w[2] * m);
    }

    /// Per segment of the grid, over `step` of them.
    template <class T> void differences(uint32_t face, float x, float y, float step, T& di, T& dj) const {
        di = (near_to<T>(face, x + .5f * step, y) - near_to<T>(face, x - .5f * step, y)) / step;
        dj = (near_to<T>(face, x, y + .5f * step) - near_to<T>(face, x, y - .5f * step)) / step;
    }
    /// The smooth form's normal where offsets have bent its tangent plane, of unit length.
    V3f turned_by_offsets(uint32_t face, const ReliefFace& f, float x, float y, const V3f& normal) const {
        const float n = float(1 << f.levels);
        V3f di;
        V3f dj;
        differences(face, x, y, std::min(heights_->slope_step(face), n), di, dj);
        const V3f si = (corner(f.corner[1]) - corner(f.corner[0])) / n;
        const V3f sj = (corner(f.corner[2]) - corner(f.corner[0])) / n;
        V3f d1;
        V3f d2;
        if (!dual_basis(si, sj, d1, d2)) return normal;
        const Frame frame(normal);
        auto bent = [&](const V3f& t) { return t + di * d1.dot(t) + dj * d2.dot(t); };
        const V3f out = bent(frame.tangent).cross(bent(frame.bitangent));
        const float length = out.length();
        return length > 1e-12f && finite(out) ? out / length : normal;
    }
    /// The gradient of the height along the surface: the smooth form's normal less it is the displaced one's. By
    /// central differences over grid steps, on lengths of the form as far out as the point is.
    V3f slope_at(uint32_t face, const ReliefFace& f, float x, float y) const {
        const float n = float(1 << f.levels);
        const float step = std::min(heights_->slope_step(face), n);
        float di;
        float dj;
        differences(face, x, y, step, di, dj);
        const float h = between<float>(face, x, y);
        V3f along[3];
        for (int c = 0; c < 3; ++c) along[c] = corner(f.along[c]);
        const V3f si = (corner(f.corner[1]) - corner(f.corner[0]) + (along[1] - along[0]) * h) / n;
        const V3f sj = (corner(f.corner[2]) - corner(f.corner[0]) + (along[2] - along[0]) * h) / n;
        V3f d1;
        V3f d2;
        if (!dual_basis(si, sj, d1, d2)) return V3f(0.f);
        const V3f g = d1 * di + d2 * dj;
        return finite(g) ? g : V3f(0.f);
    }

    Box3f bounds_of(uint32_t face) const {
        const ReliefFace f = face_of(face, nullptr);
        Box3f box;
        if (heights_->any_way()) {
            const Box3f offset = heights_->offset_range(face);
            for (int c = 0; c < 3; ++c) {
                box.extendBy(corner(f.corner[c]) + offset.min);
                box.extendBy(corner(f.corner[c]) + offset.max);
            }
        } else {
            float lo;
            float hi;
            heights_->range(face, lo, hi);
            for (int c = 0; c < 3; ++c) {
                box.extendBy(corner(f.corner[c]) + corner(f.along[c]) * lo);
                box.extendBy(corner(f.corner[c]) + corner(f.along[c]) * hi);
            }
        }
        // Points are summed up another way than corners are.
        const V3f pad =
            V3f(4e-7f * std::max(max_component(V3f(std::fabs(box.min.x), std::fabs(box.min.y), std::fabs(box.min.z))),
                                 max_component(V3f(std::fabs(box.max.x), std::fabs(box.max.y), std::fabs(box.max.z)))));
        return {box.min - pad, box.max + pad};
    }

    /// For now, faces that follow each other are one to the ray library, which is quicker then to sort them.
    static constexpr uint32_t most_together = 4;
    std::pair<uint32_t, uint32_t> faces_of(uint32_t primitive) const {
        return {primitive * together_, std::min(faces(), (primitive + 1) * together_)};
    }
    Box3f box_of(uint32_t primitive) const {
        if (boxes_.empty()) return bounds_of(primitive);
        Box3f box;
        const auto [first, last] = faces_of(primitive);
        for (uint32_t f = first; f < last; ++f) box.extendBy(boxes_[f]);
        return box;
    }
    /// True where those that follow each other mostly lie beside each other; by some of them.
    bool lie_together() const {
        auto half_area = [](const Box3f& b) {
            const V3f d = b.size();
            return double(d.x) * double(d.y) + double(d.y) * double(d.z) + double(d.z) * double(d.x);
        };
        const size_t groups = boxes_.size() / most_together;
        const size_t step = std::max<size_t>(1, groups / 2048);
        double own = 0.;
        double whole = 0.;
        for (size_t g = 0; g < groups; g += step) {
            Box3f all;
            for (size_t f = g * most_together; f < (g + 1) * most_together; ++f) {
                own += half_area(boxes_[f]);
                all.extendBy(boxes_[f]);
            }
            whole += half_area(all);
        }
        return whole < 1.5 * own;
    }
    /// Whether a ray may meet a face at all.
    bool enters(uint32_t face, const ReliefRay& ray, const V3f& inverse) const {
        const Box3f& box = boxes_[face];
        float near = ray.near;
        float far = ray.far;
        for (int a = 0; a < 3; ++a) {
            const float t0 = (box.min[a] - ray.origin[a]) * inverse[a];
            const float t1 = (box.max[a] - ray.origin[a]) * inverse[a];
            near = std::max(near, std::min(t0, t1));  // what is no number counts as no bound
            far = std::min(far, std::max(t0, t1));
        }
        return near <= far + 2e-6f * std::fabs(far);
    }
    /// Calls meet(face, ray) for the faces of a primitive that the ray may meet, until it says that this is enough.
    template <class Meet> void each_face(uint32_t primitive, ReliefRay& ray, Meet&& meet) const {
        const auto [first, last] = faces_of(primitive);
        if (together_ == 1) {
            meet(first, ray);
            return;
        }
        const V3f inverse(1.f / ray.direction[0], 1.f / ray.direction[1], 1.f / ray.direction[2]);
        for (uint32_t f = first; f < last; ++f)
            if (enters(f, ray, inverse) && meet(f, ray)) return;
    }

    static void tell_bounds(const RTCBoundsFunctionArguments* a) {
        const Box3f b = static_cast<const DisplacedShape*>(a->geometryUserPtr)->box_of(a->primID);
        *a->bounds_o = {b.min.x, b.min.y, b.min.z, 0.f, b.max.x, b.max.y, b.max.z, 0.f};
    }
    static ReliefRay ray_of(RTCRayN* r, unsigned n, unsigned k) {
        return {{RTCRayN_org_x(r, n, k), RTCRayN_org_y(r, n, k), RTCRayN_org_z(r, n, k)},
                {RTCRayN_dir_x(r, n, k), RTCRayN_dir_y(r, n, k), RTCRayN_dir_z(r, n, k)},
                RTCRayN_tnear(r, n, k),
                RTCRayN_tfar(r, n, k)};
    }
    /// Faces as the walk sees them: rays that follow each other often meet the same ones.
    struct Recent {
        uint64_t shape = 0;
        uint32_t face = 0;
        ReliefFace f;
        ReliefCodes codes;
        OverFace heights;
    };
    const ReliefFace& recent(uint32_t face) const {
        static thread_local std::array<Recent, 256> all;
        Recent& r = all[(face ^ (face >> 8)) % all.size()];
        if (r.shape == number_ && r.face == face) return r.f;
        r.shape = number_;
        r.face = face;
        r.heights = OverFace(*heights_, face);
        r.f = face_of(face, &r.heights);
        r.codes = ReliefCodes();
        if (heights_->codes(face, r.codes, r.f.seams)) r.f.codes = &r.codes;
        if (r.f.levels > 2) r.f.frame = relief_frame(r.f);
        r.f.frame.size += 2.f * std::fabs(r.codes.offset_least);  // what rounding moves in offsets
        return r.f;
    }
    static void intersect(const RTCIntersectFunctionNArguments* a) {
        const auto& self = *static_cast<const DisplacedShape*>(a->geometryUserPtr);
        RTCRayN* rays = RTCRayHitN_RayN(a->rayhit, a->N);
        RTCHitN* hits = RTCRayHitN_HitN(a->rayhit, a->N);
        for (unsigned k = 0; k < a->N; ++k) {
            if (!a->valid[k]) continue;
            ReliefRay ray = ray_of(rays, a->N, k);
            self.each_face(a->primID, ray, [&](uint32_t face, ReliefRay& r) {
                ReliefHit hit;
                if (!self.meet_(self.recent(face), r, false, hit)) return false;
                RTCRayN_tfar(rays, a->N, k) = r.far = hit.t;
                RTCHitN_u(hits, a->N, k) = hit.u;
                RTCHitN_v(hits, a->N, k) = hit.v;
                RTCHitN_Ng_x(hits, a->N, k) = hit.normal[0];
                RTCHitN_Ng_y(hits, a->N, k) = hit.normal[1];
                RTCHitN_Ng_z(hits, a->N, k) = hit.normal[2];
                RTCHitN_primID(hits, a->N, k) = face;
                RTCHitN_geomID(hits, a->N, k) = a->geomID;
                RTCHitN_instID(hits, a->N, k, 0) = a->context->instID[0];
                return false;
            });
        }
    }
    static void occlude(const RTCOccludedFunctionNArguments* a) {
        const auto& self = *static_cast<const DisplacedShape*>(a->geometryUserPtr);
        for (unsigned k = 0; k < a->N; ++k) {
            if (!a->valid[k]) continue;
            ReliefRay ray = ray_of(a->ray, a->N, k);
            self.each_face(a->primID, ray, [&](uint32_t face, const ReliefRay& r) {
                ReliefHit hit;
                if (!self.meet_(self.recent(face), r, true, hit)) return false;
                RTCRayN_tfar(a->ray, a->N, k) = -INFINITY;
                return true;
            });
        }
    }

    std::shared_ptr<const Shape> base_;
    std::shared_ptr<const Welds> welds_;
    std::shared_ptr<const ReliefHeights> heights_;
    const DisplacedAs as_;
    const Mesh& m_;
    MeetRelief meet_;
    const uint64_t number_ = ++made;  ///< tells forms apart that stood at the same address
    Box3f bounds_;
    std::vector<Box3f> boxes_;  ///< of the faces, for now: an accelerator made in a hurry asks for each several times
    uint32_t together_ = 1;     ///< faces of one primitive of the ray library's
};

}  // namespace

std::shared_ptr<const Shape> make_displaced(std::shared_ptr<const Shape> base, std::shared_ptr<const Welds> welds,
                                            std::shared_ptr<const ReliefHeights> heights, DisplacedAs as) {
    return std::make_shared<DisplacedShape>(std::move(base), std::move(welds), std::move(heights), as);
}

std::shared_ptr<const Mesh> tessellated(const Mesh& base, const Welds& welds, const ReliefHeights& heights) {
    auto out = std::make_shared<Mesh>();
    for (uint32_t f = 0; f < base.triangles(); ++f) {
        const int n = 1 << heights.levels.level[f];
        const uint32_t* c = &base.indices[3 * size_t(f)];
        const uint32_t first = uint32_t(out->positions.size());
        auto index = [&](int i, int j) {
            draw_to_coarser(heights.levels, f, i, j);
            return first + uint32_t(j * (n + 1) - j * (j - 1) / 2 + i);
        };
        for (int j = 0; j <= n; ++j)
            for (int i = 0; i + j <= n; ++i) {
                float h = 0.f;
                V3f offset(0.f);
                if (heights.any_way())
                    heights.offsets(f, &i, &j, 1, &offset);
                else
                    heights.at(f, &i, &j, 1, &h);
                const float w[3] = {float(n - i - j) / float(n), float(i) / float(n), float(j) / float(n)};
                V3f p(0.f);
                V3f d(0.f);
                V3f normal(0.f);
                V2f uv(0.f);
                for (int k = 0; k < 3; ++k) {
                    p += base.positions[c[k]] * w[k];
                    d += welds.direction[welds.place_of[c[k]]] * w[k];
                    normal += base.normals[c[k]] * w[k];
                    if (!base.uvs.empty()) uv += base.uvs[c[k]] * w[k];
                }
                out->positions.push_back(p + d * h + offset);
                out->normals.push_back(normal.normalized());
                if (!base.uvs.empty()) out->uvs.push_back(uv);
            }
        for (int j = 0; j < n; ++j)
            for (int i = 0; i + j < n; ++i) {
                out->indices.insert(out->indices.end(), {index(i, j), index(i + 1, j), index(i, j + 1)});
                if (i + j + 2 <= n)
                    out->indices.insert(out->indices.end(), {index(i + 1, j), index(i + 1, j + 1), index(i, j + 1)});
            }
    }
    return out;
}

}  // namespace vemtra::geometry
