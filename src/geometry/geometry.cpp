#include "geometry/geometry.h"

#include <cmath>
#include <unordered_map>
#include <unordered_set>

namespace vemtra::geometry {
namespace {

// What is laid together in world space is built again whenever anything is moved or hidden: together at most about a
// tenth of a second.
constexpr uint32_t merged_part_limit = 150000;  // faces of one shape
constexpr size_t merged_limit = 600000;         // of all of them
constexpr size_t worth_sharing = 20000;         // of all of them, for an accelerator of their own

RTCGeometry in_world(const Instance& i) {
    return i.shape->attachable(i.identity ? nullptr : &i.to_world);
}
void attach(RTCScene to, RTCGeometry g, uint32_t number) {
    rtcAttachGeometryByID(to, g, number);
    rtcReleaseGeometry(g);
}
RTCGeometry as_instance(RTCScene scene, const M44f& to_world) {
    RTCGeometry g = rtcNewGeometry(embree_device(), RTC_GEOMETRY_TYPE_INSTANCE);
    rtcSetGeometryInstancedScene(g, scene);
    float columns[12];
    for (int r = 0; r < 4; ++r)
        for (int c = 0; c < 3; ++c) columns[3 * r + c] = to_world[r][c];
    rtcSetGeometryTransform(g, 0, RTC_FORMAT_FLOAT3X4_COLUMN_MAJOR, columns);
    rtcCommitGeometry(g);
    return g;
}

}  // namespace

Together::Together(const std::vector<Instance>& instances, std::vector<uint32_t> which) : which_(std::move(which)) {
    for (const uint32_t i : which_) instances_.push_back(instances[i]);
}
Together::~Together() {
    if (scene_) rtcReleaseScene(scene_);
}
bool Together::is_of(const std::vector<Instance>& instances, const std::vector<uint32_t>& which) const {
    if (which != which_) return false;
    for (size_t k = 0; k < which.size(); ++k)
        if (!(instances[which[k]] == instances_[k])) return false;
    return true;
}
RTCScene Together::scene() const {
    std::call_once(built_, [&] {
        size_t faces = 0;
        for (const Instance& i : instances_) faces += i.shape->faces();
        scene_ = new_scene(faces);
        for (size_t k = 0; k < which_.size(); ++k) attach(scene_, in_world(instances_[k]), which_[k] - first());
        commit(scene_, nullptr);
    });
    return scene_;
}

Instance::Instance(std::shared_ptr<const Shape> of, const M44f& world, bool was_moved)
    : shape(std::move(of)), to_world(world), identity(world == M44f()), moved(was_moved) {
    if (identity) return;
    to_object = to_world.inverse();
    scale = std::cbrt(std::fabs(to_world.determinant()));
}

Box3f Instance::bounds() const {
    const Box3f box = shape->bounds();
    if (identity || box.isEmpty()) return box;
    if (!moved && shape->faces() < merged_part_limit && !shape->stands_out()) {  // exact where it is cheap
        Box3f exact;
        for (const V3f& p : shape->faces_as_triangles().positions) exact.extendBy(point_to_world(p));
        return exact;
    }
    Box3f out;
    for (int corner = 0; corner < 8; ++corner)
        out.extendBy(point_to_world({corner & 1 ? box.max.x : box.min.x, corner & 2 ? box.max.y : box.min.y,
                                     corner & 4 ? box.max.z : box.min.z}));
    return out;
}

Geometry::Geometry(std::vector<Instance> instances, std::shared_ptr<const Together> kept)
    : instances_(std::move(instances)), merged_(instances_.size(), 0) {
    std::unordered_set<const Shape*> seen;
    for (const Instance& i : instances_) {
        bounds_.extendBy(i.bounds());
        faces_ += i.shape->faces();
        if (seen.insert(i.shape.get()).second) own_faces_ += i.shape->faces();
    }
    choose_merged();
    if (merged_faces_ < worth_sharing ||
        std::none_of(instances_.begin(), instances_.end(), [](const Instance& i) { return i.shape->for_now(); }))
        return;
    std::vector<uint32_t> which;
    for (uint32_t i = 0; i < merged_.size(); ++i)
        if (merged_[i]) which.push_back(i);
    together_ = kept && kept->is_of(instances_, which) ? std::move(kept)
                                                       : std::make_shared<const Together>(instances_, std::move(which));
}

void Geometry::choose_merged() {
    if (instances_.size() == 1 && instances_[0].identity &&
        (instances_[0].shape->faces() >= merged_part_limit || instances_[0].shape->stands_out()))
        return;  // nothing to lay together
    std::unordered_map<const Shape*, size_t> uses;
    for (const Instance& i : instances_) ++uses[i.shape.get()];
    for (size_t i = 0; i < instances_.size(); ++i) {
        const Shape& shape = *instances_[i].shape;
        merged_[i] = !instances_[i].moved && !shape.stands_out() && uses[&shape] == 1 &&
                     shape.faces() < merged_part_limit && merged_faces_ + shape.faces() <= merged_limit;
        if (merged_[i]) merged_faces_ += shape.faces();
    }
}

void Geometry::build(Progress* progress) const {
    struct WasStopped {};
    try {
        std::call_once(built_, [&] {
            lay_together(progress);
            if (!stopped(progress)) return;
            // Others may share it, and need it whole: the next one builds it.
            rtcReleaseScene(scene_);
            scene_ = nullptr;
            throw WasStopped();
        });
    } catch (const WasStopped&) {}
}

void Geometry::lay_together(Progress* progress) const {
    if (instances_.size() == 1 && instances_[0].identity && !merged_[0]) {
        scene_ = instances_[0].shape->scene();
        rtcRetainScene(scene_);
        return;
    }
    scene_ = new_scene(together_ ? faces_ - merged_faces_ : faces_);
    if (together_) attach(scene_, as_instance(together_->scene(), M44f()), together_->first());
    for (uint32_t i = 0; i < instances_.size() && !stopped(progress); ++i) {
        if (!merged_[i])
            attach(scene_, as_instance(instances_[i].shape->scene(progress), instances_[i].to_world), i);
        else if (!together_)
            attach(scene_, in_world(instances_[i]), i);
    }
    commit(scene_, progress);
}

Geometry::~Geometry() {
    if (scene_) rtcReleaseScene(scene_);
}

SurfacePoint Geometry::at(const Place& place) const {
    const Instance& i = instances_[place.instance];
    SurfacePoint s = i.shape->at(place.face, place.u, place.v);
    if (i.identity) return s;
    s.position = moved(s.position, i.to_world);
    s.lift = i.step_to_world(s.lift);
    s.displaced_by = i.step_to_world(s.displaced_by);
    s.height *= i.scale;
    // The area of a face grows by |det M| times the length of its normal times M's inverse transpose.
    const V3f g = turned_by_transpose(s.normal_geometric, i.to_object);
    const float length = g.length();
    s.normal_geometric = g / length;
    s.normal = turned_by_transpose(s.normal, i.to_object).normalized();
    s.uv_per_metre /= std::sqrt(i.scale * i.scale * i.scale * length);
    return s;
}

FormPoint Geometry::form_at(const Place& place) const {
    const Instance& i = instances_[place.instance];
    FormPoint s = i.shape->form_at(place.face, place.u, place.v);
    if (i.identity) return s;
    s.position = moved(s.position, i.to_world);
    s.normal_geometric = turned_by_transpose(s.normal_geometric, i.to_object).normalized();
    s.normal = turned_by_transpose(s.normal, i.to_object).normalized();
    return s;
}

V3f Geometry::tangent(const Place& place) const {
    const Instance& i = instances_[place.instance];
    const V3f t = i.shape->tangent(place.face);
    if (i.identity || t.length2() == 0.f) return t;
    const V3f w = i.step_to_world(t);
    return w.length2() > 1e-30f ? w.normalized() : V3f(0.f);
}

void Geometry::uv_gradients(const Place& place, V3f& u, V3f& v, int set) const {
    const Instance& i = instances_[place.instance];
    i.shape->uv_gradients(place.face, u, v, set);
    if (i.identity) return;
    // A gradient is a covector: it goes by the inverse transpose, which may lift it out of a sheared surface's plane by
    // nothing but that.
    u = i.normal_to_world(u);
    v = i.normal_to_world(v);
}

float Geometry::area(uint32_t instance, uint32_t face) const {
    const Instance& i = instances_[instance];
    const float own = i.shape->area(face);
    if (i.identity) return own;
    return own * i.scale * i.scale * i.scale *
           turned_by_transpose(i.shape->at(face, 1.f / 3.f, 1.f / 3.f).normal_geometric, i.to_object).length();
}

std::vector<Geometry::Strewn> Geometry::strewn(const std::vector<uint32_t>& instances, size_t most) const {
    size_t all = 0;
    for (uint32_t i : instances) all += shape(i).faces();
    const size_t stride = std::max<size_t>(1, all / std::max<size_t>(1, most));
    std::vector<Strewn> out;
    for (uint32_t i : instances)
        for (size_t f = 0; f < shape(i).faces(); f += stride)
            out.push_back({{i, uint32_t(f), 1.f / 3.f, 1.f / 3.f}, area(i, uint32_t(f))});
    return out;
}

V3f offset_origin(const V3f& p, const V3f& n) {
    constexpr float origin = 1.f / 32.f;
    constexpr float float_scale = 1.f / 65536.f;
    constexpr float int_scale = 256.f;
    V3f out;
    for (int i = 0; i < 3; ++i) {
        const int of = int(int_scale * n[i]);
        const float moved = __builtin_bit_cast(float, __builtin_bit_cast(int, p[i]) + (p[i] < 0.f ? -of : of));
        out[i] = std::fabs(p[i]) < origin ? p[i] + float_scale * n[i] : moved;
    }
    return out;
}

}  // namespace vemtra::geometry
