#include "geometry/wrap.h"

#include <algorithm>
#include <array>
#include <map>
#include <mutex>
#include <optional>
#include <queue>
#include <unordered_map>

#include "geometry/places.h"

namespace vemtra::geometry {
namespace {

/// How the places of a mesh hang together. Vertices that were split at seams are one place.
struct Around {
    std::vector<uint32_t> place_of;      // per vertex
    std::vector<V3f> position, normal;   // per place
    std::vector<uint32_t> first, faces;  // faces of each place
};

std::shared_ptr<const Around> around_of(const Mesh& m) {
    auto a = std::make_shared<Around>();
    const std::vector<uint32_t> first = first_at_place(m);
    std::vector<uint32_t> number(first.size(), 0);
    for (size_t i = 0; i < first.size(); ++i) {
        if (first[i] == i) {  // the first of a place comes before all others of it
            number[i] = uint32_t(a->position.size());
            a->position.push_back(m.positions[i]);
        }
        a->place_of.push_back(number[first[i]]);
    }
    a->normal.assign(a->position.size(), V3f(0.f));
    a->first.assign(a->position.size() + 1, 0);
    for (size_t f = 0; f < m.triangles(); ++f) {
        const uint32_t* c = &m.indices[3 * f];
        const V3f n = (m.positions[c[1]] - m.positions[c[0]]).cross(m.positions[c[2]] - m.positions[c[0]]);
        for (int k = 0; k < 3; ++k) {
            a->normal[a->place_of[c[k]]] += n;
            ++a->first[a->place_of[c[k]] + 1];
        }
    }
    for (V3f& n : a->normal) n = n.length2() > 0.f ? n.normalized() : V3f(0.f, 1.f, 0.f);
    for (size_t i = 0; i + 1 < a->first.size(); ++i) a->first[i + 1] += a->first[i];
    a->faces.resize(a->first.back());
    std::vector<uint32_t> at = a->first;
    for (size_t f = 0; f < m.triangles(); ++f)
        for (int k = 0; k < 3; ++k) a->faces[at[a->place_of[m.indices[3 * f + size_t(k)]]]++] = uint32_t(f);
    return a;
}

V3f nearest_on(const V3f& a, const V3f& b, const V3f& c, const V3f& p) {  // Ericson 2005, 5.1.5
    const V3f ab = b - a;
    const V3f ac = c - a;
    const V3f ap = p - a;
    const float d1 = ab.dot(ap);
    const float d2 = ac.dot(ap);
    if (d1 <= 0.f && d2 <= 0.f) return a;
    const V3f bp = p - b;
    const float d3 = ab.dot(bp);
    const float d4 = ac.dot(bp);
    if (d3 >= 0.f && d4 <= d3) return b;
    const float vc = d1 * d4 - d3 * d2;
    if (vc <= 0.f && d1 >= 0.f && d3 <= 0.f) return a + ab * (d1 / (d1 - d3));
    const V3f cp = p - c;
    const float d5 = ab.dot(cp);
    const float d6 = ac.dot(cp);
    if (d6 >= 0.f && d5 <= d6) return c;
    const float vb = d5 * d2 - d1 * d6;
    if (vb <= 0.f && d2 >= 0.f && d6 <= 0.f) return a + ac * (d2 / (d2 - d6));
    const float va = d3 * d6 - d5 * d4;
    if (va <= 0.f && d4 - d3 >= 0.f && d5 - d6 >= 0.f) return b + (c - b) * ((d4 - d3) / (d4 - d3 + d5 - d6));
    const float denominator = va + vb + vc;
    return denominator > 0.f ? a + ab * (vb / denominator) + ac * (vc / denominator) : a;
}

/// The rotation that takes one unit vector onto another on the shortest way, applied to v.
V3f carried(const V3f& v, const V3f& from, const V3f& to) {
    const V3f axis = from.cross(to);
    const float c = from.dot(to);
    if (c < -.9999f) return v;
    return v * c + axis.cross(v) + axis * (axis.dot(v) / (1.f + c));  // Rodrigues, with sin and cos from the two
}

/// A step along the surface as it is seen flat from a place: in its plane, as long as in space.
V3f flattened(const V3f& step, const V3f& normal) {
    const V3f flat = step - normal * normal.dot(step);
    const float length = flat.length();
    return length > 1e-12f ? flat * (step.length() / length) : V3f(0.f);
}

/// The face nearest to a position, and the place on it; nothing where there is none.
std::optional<uint32_t> nearest_face(const Mesh& m, const V3f& position, V3f& place) {
    std::optional<uint32_t> nearest;
    float best = INFINITY;
    for (size_t f = 0; f < m.triangles(); ++f) {
        const uint32_t* c = &m.indices[3 * f];
        const V3f p = nearest_on(m.positions[c[0]], m.positions[c[1]], m.positions[c[2]], position);
        const float d = (p - position).length2();
        // Of two faces as near, the first: they share that place.
        if (d < best * .9999f - 1e-20f) best = d, nearest = uint32_t(f), place = p;
    }
    return nearest;
}

/// A place whose coordinates are known.
struct Settled {
    V2f uv;
    V3f x;
    float distance;
    bool done;
};

/// All faces whose corners are settled, with how the coordinates grow over them. `seed`: the first one; of it the plane
/// is known: `in_plane`.
template <class InPlane>
void add_faces(Wrap& wrap, const Mesh& m, const Around& around, const std::unordered_map<uint32_t, Settled>& met,
               uint32_t seed, const InPlane& in_plane) {
    std::vector<uint32_t> faces{seed};
    for (const auto& [p, settled] : met)
        if (settled.done)
            for (uint32_t i = around.first[p]; i < around.first[p + 1]; ++i) faces.push_back(around.faces[i]);
    std::sort(faces.begin(), faces.end());
    faces.erase(std::unique(faces.begin(), faces.end()), faces.end());
    for (const uint32_t f : faces) {
        Wrap::Face face{f, {}, V3f(0.f), V3f(0.f)};
        const uint32_t* c = &m.indices[3 * size_t(f)];
        bool whole = true;
        for (int k = 0; k < 3; ++k) {
            const auto it = met.find(around.place_of[c[k]]);
            whole &= it != met.end() && it->second.done;
            if (whole) face.corner[k] = it->second.uv;
        }
        if (f == seed)  // of the face itself the plane is known, whatever its corners found later
            for (int k = 0; k < 3; ++k) {
                face.corner[k] = in_plane(m.positions[c[k]]);
                whole = true;
            }
        V3f d1;
        V3f d2;
        if (!whole || !dual_basis(m.positions[c[1]] - m.positions[c[0]], m.positions[c[2]] - m.positions[c[0]], d1, d2))
            continue;
        const V2f t1 = face.corner[1] - face.corner[0];
        const V2f t2 = face.corner[2] - face.corner[0];
        face.grow_x = d1 * t1.x + d2 * t2.x;
        face.grow_y = d1 * t1.y + d2 * t2.y;
        // What was torn apart behind the form is left out: there the map runs back over itself.
        if (face.grow_x.length() > 4.f || face.grow_y.length() > 4.f) continue;
        for (int k = 0; k < 3; ++k) wrap.bounds.extendBy(m.positions[c[k]]);
        wrap.faces.push_back(face);
    }
}

std::shared_ptr<const Wrap> make(const Mesh& m, const Around& around, const V3f& position, const V3f& x_axis,
                                 const V3f& y_axis, float reach) {
    auto wrap = std::make_shared<Wrap>();
    V3f centre(0.f);
    const std::optional<uint32_t> nearest = nearest_face(m, position, centre);
    if (!nearest) return wrap;
    const uint32_t seed = *nearest;
    const uint32_t* s = &m.indices[3 * size_t(seed)];
    V3f normal = (m.positions[s[1]] - m.positions[s[0]]).cross(m.positions[s[2]] - m.positions[s[0]]);
    normal = normal.length2() > 0.f ? normal.normalized() : x_axis.cross(y_axis);
    const float side = normal.dot(x_axis.cross(y_axis)) < 0.f ? -1.f : 1.f;
    auto normal_at = [&](uint32_t place) { return around.normal[place] * side; };
    normal *= side;
    std::unordered_map<uint32_t, Settled> met;
    using Entry = std::pair<float, uint32_t>;
    std::priority_queue<Entry, std::vector<Entry>, std::greater<>> open;
    const V3f start_x = (x_axis - normal * normal.dot(x_axis)).normalized();
    const V3f start_y = normal.cross(start_x);
    for (int k = 0; k < 3; ++k) {
        const uint32_t p = around.place_of[s[k]];
        const V3f flat = flattened(around.position[p] - centre, normal);
        met[p] = {V2f(flat.dot(start_x), flat.dot(start_y)), carried(start_x, normal, normal_at(p)), flat.length(),
                  false};
        open.push({flat.length(), p});
    }
    while (!open.empty()) {
        const auto [distance, p] = open.top();
        open.pop();
        Settled& here = met[p];
        if (here.done) continue;
        here.done = true;
        float longest = 0.f;  // a face of it may reach back into the frame
        for (uint32_t i = around.first[p]; i < around.first[p + 1]; ++i)
            for (int k = 0; k < 3; ++k)
                longest = std::max(
                    longest,
                    (m.positions[m.indices[3 * size_t(around.faces[i]) + size_t(k)]] - around.position[p]).length());
        if (here.uv.length() - longest > reach) continue;
        for (uint32_t i = around.first[p]; i < around.first[p + 1]; ++i)
            for (int k = 0; k < 3; ++k) {
                const uint32_t q = around.place_of[m.indices[3 * size_t(around.faces[i]) + size_t(k)]];
                if (q == p) continue;
                auto [it, fresh] = met.try_emplace(q, Settled{V2f(0.f), V3f(0.f), INFINITY, false});
                if (it->second.done) continue;
                // From all places beside it that stand already, by how near they are.
                V2f sum(0.f);
                V3f x(0.f);
                float weights = 0.f;
                for (uint32_t j = around.first[q]; j < around.first[q + 1]; ++j)
                    for (int l = 0; l < 3; ++l) {
                        const uint32_t r = around.place_of[m.indices[3 * size_t(around.faces[j]) + size_t(l)]];
                        const auto known = r == q ? met.end() : met.find(r);
                        if (known == met.end() || !known->second.done) continue;
                        const V3f n = normal_at(r);
                        const V3f step = around.position[q] - around.position[r];
                        const float w = 1.f / std::max(1e-9f, step.length());
                        // Half of the turn lies on either side: the step is seen from the plane between the two.
                        const V3f between = (n + normal_at(q)).normalized();
                        const V3f flat = flattened(step, between);
                        const V3f rx = carried(known->second.x, n, between);
                        const V3f ry = between.cross(rx);
                        sum += (known->second.uv + V2f(flat.dot(rx), flat.dot(ry))) * w;
                        x += carried(known->second.x, n, normal_at(q)) * w;
                        weights += w;
                    }
                if (!(weights > 0.f)) continue;
                const V3f n = normal_at(q);
                x -= n * n.dot(x);
                it->second.uv = sum / weights;
                it->second.x = x.length2() > 1e-20f ? x.normalized() : Frame(n).tangent;
                it->second.distance = it->second.uv.length();
                open.push({it->second.distance, q});
            }
    }
    add_faces(*wrap, m, around, met, seed, [&](const V3f& p) {
        const V3f flat = p - centre;
        return V2f(flat.dot(start_x), flat.dot(start_y));
    });
    return wrap;
}

}  // namespace

const Wrap::Face* Wrap::find(uint32_t face) const {
    const auto it = std::lower_bound(faces.begin(), faces.end(), face,
                                     [](const Face& f, uint32_t wanted) { return f.face < wanted; });
    return it != faces.end() && it->face == face ? &*it : nullptr;
}

std::shared_ptr<const Wrap> wrap_around(const std::shared_ptr<const Shape>& shape, const V3f& position, const V3f& x,
                                        const V3f& y, float reach) {
    struct Key {
        const Shape* shape;
        std::array<float, 10> numbers;
        auto operator<=>(const Key&) const = default;
    };
    static std::mutex mutex;
    static std::map<Key, std::pair<std::weak_ptr<const Shape>, std::weak_ptr<const Wrap>>> wraps;
    static std::vector<std::pair<std::weak_ptr<const Shape>, std::shared_ptr<const Around>>> arounds;
    const Key key{shape.get(), {position.x, position.y, position.z, x.x, x.y, x.z, y.x, y.y, y.z, reach}};
    std::shared_ptr<const Around> around;
    {
        std::lock_guard lock(mutex);
        std::erase_if(arounds, [](const auto& a) { return a.first.expired(); });
        std::erase_if(wraps, [](const auto& w) { return w.second.second.expired(); });
        if (const auto it = wraps.find(key); it != wraps.end() && it->second.first.lock() == shape)
            if (auto made = it->second.second.lock()) return made;
        for (const auto& [of, made] : arounds)
            if (of.lock() == shape) around = made;
    }
    if (!around) {
        around = around_of(shape->faces_as_triangles());
        std::lock_guard lock(mutex);
        arounds.emplace_back(shape, around);
    }
    auto made = make(shape->faces_as_triangles(), *around, position, x, y, reach);
    std::lock_guard lock(mutex);
    wraps[key] = {shape, made};
    return made;
}

}  // namespace vemtra::geometry
