// Where what runs down at a point came from: the way up the surface, against gravity, is followed over its faces to
// where it springs up. Told are that place, in the form's own space, and how far it lies up the surface: patterns along
// the springs become runs below them, as fine as one likes, however coarsely this is sampled.
//
// It springs from ledges (the surface goes on level, bends outward sharply, or ends) or from joints (it bends inward
// sharply, ends below an overhang, or something lies against it or sticks in it: the foot of a bolt), or where a mask
// is. It runs on over other parts: where one stands across the way or at its end, the way is followed up that one as
// well; from a mask, where that part wears it too. Where joints count, the line of contact is a spring itself.
#include <algorithm>
#include <array>
#include <mutex>
#include <unordered_map>

#include "base/hash.h"
#include "geometry/fields/kinds.h"
#include "geometry/places.h"

namespace vemtra::geometry {
namespace {

constexpr float level = .15f;            // sine of the steepest face on which water stands
constexpr float sharp = .9063f;          // cosine of the angle at which faces meet sharply, 25 degrees
constexpr int most_steps = 600;          // faces that a way leads over
constexpr int looks = 24;                // for what lies against the surface, along the whole way
constexpr float thickest = .15f;         // of what sticks in the surface, as a part of the way
constexpr float clearance = .01f;        // how far off that may stand, as a part of the way
constexpr int most_parts = 4;            // that a way goes on to
enum Spring { ledges = 1, joints = 2 };  // what counts

/// Per vertex the first one that lies at its place, to a millionth of the form: seams are seldom closed to the last
/// bit.
std::vector<uint32_t> first_near_place(const Mesh& m) {
    const Box3f bounds = m.bounds();
    const double cell = std::max(1e-30, 1e-6 * double(bounds.size().length()));
    struct Hash {
        size_t operator()(const std::array<int64_t, 3>& p) const { return size_t(hash_bytes(p.data(), sizeof p)); }
    };
    std::unordered_map<std::array<int64_t, 3>, uint32_t, Hash> seen;
    seen.reserve(m.positions.size());
    std::vector<uint32_t> first;
    first.reserve(m.positions.size());
    for (uint32_t v = 0; v < m.positions.size(); ++v) {
        std::array<int64_t, 3> key{};
        for (int c = 0; c < 3; ++c) key[size_t(c)] = std::llround(double(m.positions[v][c] - bounds.min[c]) / cell);
        first.push_back(seen.try_emplace(key, v).first->second);
    }
    return first;
}

/// A part's faces in the world, and who lies beside whom.
struct Ground {
    std::vector<V3f> corners;                ///< three per face
    std::vector<V3f> smooth;                 ///< the mesh's normals there; empty: those of the faces
    std::vector<V3f> normal;                 ///< per face; of no length where it has no area
    std::vector<V3f> along;                  ///< the same on the side that its corners run about
    std::vector<std::array<int, 3>> beside;  ///< per face and side; -1: nothing
    explicit Ground(const Instance& instance) {
        const Mesh& m = instance.shape->faces_as_triangles();
        beside = faces_beside(m, first_near_place(m));
        corners.reserve(m.indices.size());
        for (const uint32_t i : m.indices) corners.push_back(instance.point_to_world(m.positions[i]));
        for (size_t f = 0; f < m.triangles(); ++f) {
            const V3f n = (corner(f, 1) - corner(f, 0)).cross(corner(f, 2) - corner(f, 0));
            normal.push_back(n.length() > 1e-30f ? n.normalized() : V3f(0.f));
        }
        along = normal;
        if (m.normals.empty()) return;
        smooth.reserve(m.indices.size());
        for (const uint32_t i : m.indices) smooth.push_back(instance.normal_to_world(m.normals[i]).normalized());
        // Whichever way its corners run, the outer side is that of its normals.
        for (size_t f = 0; f < m.triangles(); ++f)
            if (normal[f].dot(smooth[3 * f]) < 0.f) normal[f] = -normal[f];
    }
    const V3f& corner(size_t face, int k) const { return corners[3 * face + size_t(k)]; }
    /// The mesh's normal at a place of a side, `t` of the way from its first corner.
    V3f smooth_at(size_t face, int side, float t) const {
        if (smooth.empty()) return normal[face];
        const V3f& a = smooth[3 * face + size_t(side)];
        return (a + (smooth[3 * face + size_t(side + 1) % 3] - a) * t).normalized();
    }
    /// The same anywhere in the face.
    V3f smooth_inside(size_t face, const V3f& p) const {
        if (smooth.empty()) return normal[face];
        V3f sum(0.f);
        for (int k = 0; k < 3; ++k) {  // by the areas across from the corners
            const V3f& a = corner(face, (k + 1) % 3);
            sum += smooth[3 * face + size_t(k)] *
                   std::max(0.f, (corner(face, (k + 2) % 3) - a).cross(p - a).dot(along[face]));
        }
        return sum.length2() > 0.f ? sum.normalized() : normal[face];
    }
    int nearest_corner(size_t face, const V3f& to) const {
        int best = 0;
        for (int k = 1; k < 3; ++k)
            if ((corner(face, k) - to).length2() < (corner(face, best) - to).length2()) best = k;
        return best;
    }
    V3f middle(size_t face) const { return (corner(face, 0) + corner(face, 1) + corner(face, 2)) / 3.f; }
};

struct Asked {
    V3f up;
    float furthest;  ///< metres up the surface
    int springs;     ///< Spring
};

/// A mask on one part from which it springs.
struct MaskedPart {
    const BorderGrid* grid;
    float scale;  ///< of the part
    /// How far within the mask, metres; below zero outside.
    float within(uint32_t face, float u, float v) const { return grid->between(face, u, v) * grid->width * scale; }
};

/// The grounds of all parts, each made when it is first stood on.
class Grounds {
public:
    explicit Grounds(const Geometry& geometry)
        : geometry_(geometry), made_(geometry.instances().size()), once_(geometry.instances().size()) {}
    const Ground& of(uint32_t instance) {
        std::call_once(once_[instance],
                       [&] { made_[instance] = std::make_unique<Ground>(geometry_.instances()[instance]); });
        return *made_[instance];
    }

private:
    const Geometry& geometry_;
    std::vector<std::unique_ptr<Ground>> made_;
    std::vector<std::once_flag> once_;
};

/// All that ways lead over.
struct Land {
    const Geometry& geometry;
    const PartBorders& mask;  ///< springs in place of what the form has, on parts where it is not empty
    Grounds& grounds;
    bool on_several = std::count_if(mask.begin(), mask.end(), [](const auto& m) { return m != nullptr; }) > 1;
    const BorderGrid* mask_on(uint32_t instance) const {
        return instance < mask.size() ? mask[instance].get() : nullptr;
    }
};

/// One way up.
class Climb {
public:
    /// `length`: how far up it begins; `parts_left`: that it may go on to, one after the other.
    Climb(const Land& land, uint32_t instance, const Asked& asked, float length = 0.f, int parts_left = most_parts)
        : land_(land),
          g_(land.grounds.of(instance)),
          asked_(asked),
          geometry_(land.geometry),
          instance_(instance),
          spot_{land.mask_on(instance), land.geometry.instances()[instance].scale},
          parts_left_(parts_left),
          length_(length),
          next_look_(length) {
        rtcInitIntersectContext(&context_);
        others_ = spot_.grid ? land.on_several : !(asked_.springs & joints) && land.geometry.instances().size() > 1;
    }
    /// From a point of a face; false where nothing springs within reach. Then or not: where it ended, how far up.
    bool run(V3f from, uint32_t face) {
        const V3f& n = g_.normal[face];
        from -= n * n.dot(from - g_.corner(face, 0));  // of a displaced form the way is that of the form below
        at_ = from + (g_.middle(face) - from) * 1e-3f;
        face_ = int(face);
        for (int step = 0; step < most_steps; ++step) {
            V3f way;
            if (!uphill(face_, at_, way)) return step > 0 && stands(face_);  // where it stands it does not run
            int side = 0;
            const float t = to_border(way, side);
            if (spot_.grid ? enters_spot(way, t) : lies_against(way, t)) return true;
            if (comes_over_another(way, t)) return true;
            if (length_ + t >= asked_.furthest) {
                at_ += way * std::max(0.f, asked_.furthest - length_);
                return false;
            }
            at_ += way * t;
            length_ += t;
            const int next = g_.beside[size_t(face_)][size_t(side)];
            if (next < 0) return (asked_.springs & ledges) || comes_over_another(way, asked_.furthest / float(looks));
            if (asked_.springs & meets(next, side)) return true;
            V3f onward;
            if (uphill(next, at_, onward) && onward.dot(into(next, side)) <= 0.f) {
                // Both faces rise towards the edge: it is a ridge, and the way goes on along it.
                const int corner = upper_end(side);
                const V3f& top = g_.corner(size_t(face_), corner);
                length_ += (top - at_).length();
                at_ = top;
                if (length_ >= asked_.furthest) return false;
                if (!leave_corner(corner)) return asked_.springs & ledges;
                continue;
            }
            face_ = next;
        }
        return false;
    }
    const V3f& place() const { return at_; }
    float length() const { return length_; }

private:
    /// The steepest way on a face from a place of it, by the round form that its normals tell of; false where that is
    /// level, or the face has no area.
    bool uphill(int face, const V3f& from, V3f& way) const {
        const V3f& n = g_.normal[size_t(face)];
        const V3f round = g_.smooth_inside(size_t(face), from);
        way = asked_.up - round * round.dot(asked_.up);
        if (n.length2() < .5f || way.length() < level) return false;
        way -= n * n.dot(way);
        const float length = way.length();
        if (length < .5f * level) return false;
        way /= length;
        return true;
    }
    bool stands(int face) const { return (asked_.springs & ledges) && g_.normal[size_t(face)].dot(asked_.up) > 0.f; }
    /// Into the face from one of its sides, in its plane; not of unit length.
    V3f inward(int face, int side) const {
        const V3f& a = g_.corner(size_t(face), side);
        const V3f edge = g_.corner(size_t(face), (side + 1) % 3) - a;
        const V3f to = g_.corner(size_t(face), (side + 2) % 3) - a;
        return to - edge * (edge.length2() > 0.f ? to.dot(edge) / edge.length2() : 0.f);
    }
    /// Into `next` from the side that it shares with the face that is left.
    V3f into(int next, int side) const {
        const V3f& a = g_.corner(size_t(face_), side);
        const V3f edge = g_.corner(size_t(face_), (side + 1) % 3) - a;
        const V3f to = g_.middle(size_t(next)) - a;
        return to - edge * (edge.length2() > 0.f ? to.dot(edge) / edge.length2() : 0.f);
    }
    float to_border(const V3f& way, int& side) const {
        float nearest = 1e30f;
        for (int k = 0; k < 3; ++k) {
            const V3f in = inward(face_, k);
            const float towards = -in.dot(way);
            if (!(towards > 1e-9f * in.length())) continue;
            const float t = std::max(0.f, (at_ - g_.corner(size_t(face_), k)).dot(in) / towards);
            if (t < nearest) {
                nearest = t;
                side = k;
            }
        }
        return nearest < 1e30f ? nearest : 0.f;
    }
    /// What the edge to the next face is, if it is sharp; 0: it is not. A mesh says by its normals which edges are:
    /// faces that stand for something round may be slivers that lie anyhow.
    int meets(int next, int side) const {
        const V3f& a = g_.corner(size_t(face_), side);
        const V3f& b = g_.corner(size_t(face_), (side + 1) % 3);
        const float length2 = (b - a).length2();
        const float t = length2 > 0.f ? clamp01((at_ - a).dot(b - a) / length2) : 0.f;
        const int other = g_.nearest_corner(size_t(next), b);
        const bool runs_back = g_.nearest_corner(size_t(next), a) == (other + 1) % 3;
        const V3f beyond =
            runs_back ? g_.smooth_at(size_t(next), other, 1.f - t) : g_.smooth_at(size_t(next), (other + 2) % 3, t);
        if (g_.smooth_at(size_t(face_), side, t).dot(beyond) > sharp) return 0;
        return into(next, side).dot(g_.normal[size_t(face_)]) < 0.f ? ledges : joints;
    }
    /// Whether a piece of the way comes to the mask: in steps as long as its border is away.
    bool enters_spot(const V3f& way, float piece) {
        const float end = std::min(piece, asked_.furthest - length_);
        const float least = 1e-3f * asked_.furthest;
        for (float gone = 0.f; gone <= end;) {
            const V2f uv = barycentric(at_ + way * gone);
            const float within = spot_.within(uint32_t(face_), uv.x, uv.y);
            if (within >= 0.f) {
                at_ += way * gone;
                length_ += gone;
                return true;
            }
            gone += std::max(-within, least);
        }
        return false;
    }
    V2f barycentric(const V3f& p) const {
        const V3f& a = g_.corner(size_t(face_), 0);
        const V3f e1 = g_.corner(size_t(face_), 1) - a;
        const V3f e2 = g_.corner(size_t(face_), 2) - a;
        const V3f n = e1.cross(e2);
        const float area2 = n.length2();
        if (!(area2 > 0.f)) return V2f(0.f);
        return {(p - a).cross(e2).dot(n) / area2, e1.cross(p - a).dot(n) / area2};
    }
    /// Where another part stands across a piece of the way: how far off, above 0; else below 0. A ray close over the
    /// face finds the line to the last digit.
    float stands_across(const V3f& way, float piece, Place& met) {
        const float off = .25f * clearance * asked_.furthest;
        const V3f from = at_ - way * off + g_.normal[size_t(face_)] * off;
        RTCRayHit ray = single_ray(from, way, std::min(piece, asked_.furthest - length_) + off);
        rtcIntersect1(geometry_.scene(), &context_, &ray);
        met = place_of(ray.hit);
        return hit_something(met) && met.instance != instance_ ? std::max(0.f, ray.ray.tfar - off) : -1.f;
    }
    /// What another part stands across, and what is found looking out of the surface at even distances.
    bool lies_against(const V3f& way, float piece) {
        if (!(asked_.springs & joints)) return false;
        const V3f& n = g_.normal[size_t(face_)];
        Place met;
        const float across = geometry_.instances().size() > 1 ? stands_across(way, piece, met) : -1.f;
        // A face may be far longer than the way.
        const float end = std::min(length_ + (across < 0.f ? piece : across), asked_.furthest);
        for (; next_look_ < end; next_look_ += asked_.furthest / float(looks)) {
            float covers = std::max(0.f, next_look_ - length_);  // from there on, as far as is known
            if (!covered(at_ + way * covers, n)) continue;
            float open = std::max(0.f, covers - asked_.furthest / float(looks));
            for (int halved = 0; halved < 5; ++halved) {
                const float middle = .5f * (open + covers);
                (covered(at_ + way * middle, n) ? covers : open) = middle;
            }
            at_ += way * covers;
            length_ += covers;
            return true;
        }
        if (across < 0.f) return false;
        at_ += way * across;
        length_ += across;
        return true;
    }
    /// Whether something lies close against the surface there, or the surface goes on inside of it.
    bool covered(const V3f& from, const V3f& n, Place* by = nullptr) {
        RTCRayHit ray = single_ray(offset_origin(from, n), n, thickest * asked_.furthest);
        rtcIntersect1(geometry_.scene(), &context_, &ray);
        const Place met = place_of(ray.hit);
        if (!hit_something(met)) return false;
        if (by) *by = met;
        return ray.ray.tfar < clearance * asked_.furthest || geometry_.at(met).normal_geometric.dot(n) > 0.f;
    }
    /// Whether another part stands across a piece of the way, and leads to a spring up its side. From a mask it must
    /// wear that, too, and the mask may lie over the line of contact.
    bool comes_over_another(const V3f& way, float piece) {
        if (!others_ || parts_left_ == 0) return false;
        Place met;
        const float across = stands_across(way, piece, met);
        if (across < 0.f || met.instance == tried_) return false;
        tried_ = met.instance;
        const float until = length_ + across;
        if ((spot_.grid && !land_.mask_on(met.instance)) || until >= asked_.furthest) return false;
        Climb onward(land_, met.instance, asked_, until, parts_left_ - 1);
        onward.at_ = geometry_.at(met).position;
        if (spot_.grid && onward.is_masked_there(met, way, g_.normal[size_t(face_)])) {
            at_ = onward.at_;
            length_ = until;
            return true;
        }
        const V3f contact = onward.at_;
        if (!onward.run(contact, met.face)) return false;
        // What comes from a ledge spreads along the line of contact: many ways up lead to one corner.
        at_ = spot_.grid ? onward.at_ : contact;
        length_ = onward.length_;
        return true;
    }
    /// On the line of contact, or over it; `way` led here over a face of that normal.
    bool is_masked_there(const Place& met, const V3f& way, const V3f& n) {
        if (is_masked(met)) return true;
        Place over;
        return covered(at_ + (way - n) * (.25f * clearance * asked_.furthest), n, &over) &&
               over.instance == met.instance && is_masked(over);
    }
    bool is_masked(const Place& place) const { return spot_.within(place.face, place.u, place.v) >= 0.f; }
    int upper_end(int side) const {
        const int other = (side + 1) % 3;
        return g_.corner(size_t(face_), other).dot(asked_.up) > g_.corner(size_t(face_), side).dot(asked_.up) ? other
                                                                                                              : side;
    }
    /// Goes on from a corner of the present face into the face around it that holds the steepest way, or along the
    /// steepest edge. False where everything around lies lower.
    bool leave_corner(int corner) {
        const V3f top = g_.corner(size_t(face_), corner);
        int face = face_;
        int k = corner;
        float steepest = level;
        int along_face = -1;
        int along_end = 0;
        for (int turn = 0; turn < 64; ++turn) {
            V3f way;
            const int after = (k + 1) % 3;
            const int before = (k + 2) % 3;
            if (uphill(face, top, way) && way.dot(inward(face, k)) > 0.f && way.dot(inward(face, before)) > 0.f) {
                face_ = face;
                at_ = top + (g_.middle(size_t(face)) - top) * 1e-3f;
                return true;
            }
            for (const int end : {after, before}) {
                const V3f edge = g_.corner(size_t(face), end) - top;
                const float rise = edge.length() > 0.f ? edge.dot(asked_.up) / edge.length() : 0.f;
                if (rise > steepest) steepest = rise, along_face = face, along_end = end;
            }
            const int next = g_.beside[size_t(face)][size_t(k)];
            if (next < 0 || next == face_) break;
            k = g_.nearest_corner(size_t(next), top);
            face = next;
        }
        if (along_face < 0) return false;
        const V3f& end = g_.corner(size_t(along_face), along_end);
        length_ += (end - top).length();
        face_ = along_face;
        at_ = end + (g_.middle(size_t(along_face)) - end) * 1e-3f;
        return true;
    }

    const Land& land_;
    const Ground& g_;
    const Asked& asked_;
    const Geometry& geometry_;
    uint32_t instance_;
    MaskedPart spot_;      ///< of no grid: it springs from what the form has
    bool others_ = false;  ///< may be gone on to
    uint32_t tried_ = RTC_INVALID_GEOMETRY_ID;
    int parts_left_;
    RTCIntersectContext context_;
    V3f at_;
    int face_ = 0;
    float length_, next_look_;
};

/// `mask`: springs in place of what the form has, where it is not empty.
FieldSamplers climbing(const Geometry& geometry, const std::vector<float>& p, int springs, const PartBorders& mask) {
    V3f down(p[0], p[1], p[2]);
    down = down.length() > 1e-6f ? down.normalized() : V3f(0.f, -1.f, 0.f);
    const Asked asked{-down, p[3], springs};
    auto grounds = std::make_shared<Grounds>(geometry);
    return [&geometry, grounds, asked, mask]() -> FieldSampler {
        return [grounds, asked, land = Land{geometry, mask, *grounds}](const FieldPoint& at, float* out) {
            const Instance& instance = land.geometry.instances()[at.instance];
            Climb climb(land, at.instance, asked);
            const bool springs = climb.run(at.position, at.face);
            const V3f place = instance.point_to_object(climb.place());
            for (int c = 0; c < 3; ++c) out[c] = place[c];
            out[3] = springs ? climb.length() : 2.f * asked.furthest;
        };
    };
}

}  // namespace

FieldKind runoff_field() {
    return {.name = "runoff",
            .version = 6,
            .parameters = {"x of where it runs down to", "y", "z", "how far it runs, metres, above 0",
                           "1 from ledges, 2 from joints, 3 from both"},
            .channels = 4,
            .adaptive = true,
            .tolerance = .01f,
            // Both grow evenly down a face: samples go where springs differ, and need not be close.
            .range = [](const std::vector<float>& p) { return 4.f * p[3]; },
            .samplers =
                [](const Geometry& geometry, const FieldAsked& asked) {
                    const std::vector<float>& p = asked.parameters;
                    return climbing(geometry, p, asked.follows_mask ? 0 : int(p[4]), asked.mask);
                }};
}

}  // namespace vemtra::geometry
