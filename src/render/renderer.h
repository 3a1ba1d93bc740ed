// The path tracer of one tile; integrator.h is its outside. One file per idea: transport.cpp (what a path does at a
// surface), bodies.cpp (what it does inside of one), shadows.cpp (rays to the lights, and the holes they pass),
// quick_views.cpp (clay and views of the first hit), integrator.cpp (tiles).
#pragma once
#include <chrono>
#include <cmath>

#include "render/body.h"
#include "render/fine_relief.h"
#include "render/integrator.h"
#include "render/pinhole.h"
#include "render/sampler.h"

namespace vemtra::render {

using geometry::Place;
using geometry::SurfacePoint;
using surface::Slots;
using surface::Stack;
using surface::WalkRandom;

inline constexpr int tile_capacity = tile_size * tile_size;
inline constexpr uint32_t no_hit = RTC_INVALID_GEOMETRY_ID;
inline constexpr uint32_t stage_hit = no_hit - 1;  ///< Place::instance of the stage

/// What flies: a ray cone, and what it hit last.
struct Flight {
    uint32_t seed;  ///< of the pixel that it belongs to
    V3f origin, direction;
    float width, spread;  ///< ray cone: radius at the origin, angle
    Place at;             ///< the hit
    float t;              ///< its distance
};

struct Path : Flight {
    uint32_t pixel;  ///< in the film
    V3f vertex;      ///< where the direction was chosen; the origin moves on where a hole is passed
    V3f throughput;
    float pdf;         ///< of the direction, for MIS; 0 after the camera, by_itself where lights were not sampled
    int bodies;        ///< the bodies that the path is in: a set of the tile; -1: none. Most paths are in none, and
                       ///< paths must be small
    float blurred;     ///< by its bounces, 0..1: of the widest one 1 / (pi pdf)
    float wavelength;  ///< the one that it carries after a prism, micrometres; 0: all
    uint8_t bounce;    ///< off surfaces that are not clear
    uint8_t crossings, passes;  ///< events at clear surfaces; holes and panes gone through straight
    bool mirrored;              ///< it left a mirror, where the surroundings were not sampled
    bool first;                 ///< it has met nothing yet but holes
    bool sees;                  ///< what it sees, the camera sees: through clear bodies alone
    bool below;                 ///< it is under a surface, in a body that scatters
};
/// Density of a direction at a place where no light was sampled: what it finds counts whole.
inline constexpr float by_itself = 1e30f;
inline constexpr int most_passes = 64, most_crossings = 32;  ///< of one path
inline constexpr int most_steps = 160;

/// A ray to a light, and what it brings where nothing stands in its way.
struct Shadow {
    uint32_t pixel;
    V3f origin, direction;
    float distance;
    V3f radiance;
    int group;
    bool indirect;
    float width;  ///< of the path that casts it: what it passes needs no finer look
    uint32_t
        seed;  ///< of the pixel and of this ray among the path's: holes let it pass by that, wherever the tile lies
    Place emitter{};  ///< of a surface that shines: `radiance` lacks what it gives off until shine() has looked
};

/// A shadow ray on its way through what may have holes.
struct ShadowWalk : Flight {
    uint32_t shadow;  ///< its place among the tile's
    float left;       ///< of the way to the light
};

/// Bodies around a point. Sets are never changed, only replaced: paths that part share them.
struct BodySet {
    Body body[3];
    int count = 0;
};

/// What left the scene, and looks for the light of the surroundings.
struct Left {
    V3f carried;  ///< what of that light it brings
    V2f place;    ///< in their image
    uint32_t pixel;
    float pdf;  ///< of the direction by the surface; 0: nothing else looked that way
    bool indirect, backdrop;
};

/// Working memory of one thread: one tile.
struct Tile {
    std::vector<Path> paths, next;
    std::vector<ShadowWalk> walks;
    std::vector<BodySet> body_sets;
    std::vector<Shadow> shadows;
    std::vector<Left> left;
    Materials materials;
    FineRelief::Work fine_relief;
    Stack stack;
    std::vector<int> picks;
    std::vector<uint32_t> stopped;
    /// The pixels that a sample is taken of, and where in them; of clay also where its ray goes.
    struct Pixels {
        int count = 0;
        alignas(64) uint32_t seed[tile_capacity];
        alignas(64) float u[tile_capacity], v[tile_capacity], along[tile_capacity], across[tile_capacity];
        uint16_t x[tile_capacity], y[tile_capacity];
    };
    Pixels pixels;
    const float* outputs[16];
    Tile() {
        paths.reserve(tile_capacity);
        next.reserve(tile_capacity);
        shadows.reserve(tile_capacity);
    }
};

/// Pairs of sample dimensions: nine per step from 1 on; what comes seldom has a range of its own, so that nothing
/// shares one.
enum SamplePair : uint32_t {
    pair_camera = 0,
    pair_first_bounce = 1,
    pairs_per_bounce = 9,
    pair_layer = 0,
    pair_direction = 1,
    pair_light = 2,
    pair_choice = 3,
    pair_exit_light = 4,
    pair_survive = 5,
    pair_candidate = 6,
    pair_inside = 7,
    pair_opacity = 8,   // within a bounce
    pair_stage = 2000,  // and the step
    pair_hole_layer = 3000,
    pair_hole_pass = 3100,  // and the surface passed
    pair_emitter = 4000,    // and the step
    pair_below = 5000,      // and the step
    pair_walk = 6000,       // and the step
};

using Clock = std::chrono::steady_clock;

class Renderer {
public:
    Renderer(const Prepared& prepared, const scene::Camera& camera, const FrameSettings& frame, Film& film,
             LayerCost* costs)
        : p_(prepared),
          f_(frame),
          film_(film),
          costs_(costs),
          per_unit_(film.tiers.empty() ? 0.f : 1.f / film.unit),
          camera_(camera, frame.width, frame.height, framed_aspect(*prepared.scene)),
          near_(std::max(
              0.f, (prepared.geometry->bounds().center() - camera.position).length() - .5f * prepared.scene_size)) {}

    /// The pixels of a rectangle, or of a list of those of the frame: tile_capacity at most.
    void choose_pixels(const PixelRect& r, Tile::Pixels& out) const;
    void choose_pixels(std::span<const uint32_t> list, Tile::Pixels& out) const;
    /// One sample for each of the tile's pixels; returns the rays that it took.
    uint64_t render_tile(Tile& t, uint32_t sample);

private:
    // integrator.cpp
    void choose_pixel(int x, int y, Tile::Pixels& out) const;
    static void aim(Tile::Pixels& pixels, uint32_t sample);  ///< where in each its ray goes through
    void camera_rays(const Tile::Pixels& pixels, int first, int count, RTCRayHit16& packet, int* valid) const;
    uint64_t start(Tile& t, uint32_t sample);
    void trace(std::vector<Path>& paths);
    template <class F>
    void materials(Tile& t, std::vector<F>& flights, size_t first, size_t count, uint32_t sample, uint32_t pair);

    // transport.cpp
    void leave(Tile& t, const Path& path, float share) const;
    void see_surroundings(const std::vector<Left>& left);
    bool meet_lights(const Path& path, float stop);
    void arrive(Tile& t, int step, uint32_t sample);
    void shade(Tile& t, int step, uint32_t sample);
    bool through_pane(Tile& t, Path& path, MaterialPoint& point, WalkRandom& random);
    float scattered_light_weight(const Path& path, const MaterialPoint& point) const;
    void first_hit_passes(const Path& path, const MaterialPoint& point);
    /// Where the stage fades, it fades in all that is told of the first hit.
    static float shown_share(const Path& path) { return path.at.instance == stage_hit ? path.throughput.x : 1.f; }
    void follow(Tile& t, const Path& path, const MaterialPoint& point, const Frame& frame, const surface::Scattered& s,
                bool clear, bool mirror, int step, uint32_t sample);
    void pass(Tile& t, const Path& path, const MaterialPoint& point);
    /// Least roughness that a path sees (Kaplanyan and Dachsbacher 2013, "Path Space Regularization"; Jendersie and
    /// Grosch 2019): as wide as this sample may have it, but not wider than what the path has been blurred by.
    float least_roughness(const Path& path) const {
        return path.blurred > 0.f ? std::min(softening_, std::sqrt(.5f * std::sqrt(path.blurred))) : 0.f;
    }
    bool survive(Path& path, int step, uint32_t sample) const;
    /// Where a path leaves a surface from, to the side of `ng`.
    static V3f origin_at(const MaterialPoint& point, const V3f& ng);
    /// Whether a direction lies on the same side of the face as of the shading normal: or over the smooth form that the
    /// face stands for.
    static bool may_leave(const MaterialPoint& point, const V3f& direction, const V3f& local) {
        return direction.dot(point.s.normal_geometric) * local.z > 1e-7f ||
               (local.z > 1e-6f && point.s.lift.length2() > 0.f && point.slots.transmission_weight <= 0.f);
    }
    /// A light is looked for at a point. `alone`: no other ray looks for lights from here; `mirror`: the surroundings
    /// are found better by the surface itself.
    struct Aim {
        const Frame& frame;
        const MaterialPoint& point;
        V3f ng;
        float pick, l0, l1, choice;
        bool alone, clear, mirror = false;
    };
    /// A place of a light as seen from a point. `density` per solid angle; 0: it cannot be seen.
    struct Candidate {
        /// Of the surroundings: their luminance about; of a surface that shines: what it gives off in the mean.
        V3f direction{0.f}, radiance{1.f};
        float across = 0.f;  ///< of the surroundings: place in their image
        float distance = INFINITY, density = 0.f;
        int group = 0, light = -1;
        Place emitter;
        bool surroundings() const { return light < 0 && emitter.instance == no_hit; }
    };
    /// Distance to the nearest light that the camera would see, but for one; infinite or beyond `limit`: none.
    float nearest_seen_light(const V3f& origin, const V3f& direction, float limit, int but) const;
    struct Looks {
        LightTree::Looks lights, emitters;
    };
    Candidate candidate(const V3f& position, double pick, float l0, float l1, Looks& looks) const;
    void candidates(const V3f& position, double pick, float l0, float l1, int count, Candidate* out) const;
    template <class Guess, class Value>
    void next_event(Tile& t, const Path& path, const Aim& aim, int step, Guess&& guess, Value&& value);
    void shade_piece(Tile& t, size_t first, size_t count, int step, uint32_t sample);
    bool shade_path(Tile& t, size_t i, Path& path, MaterialPoint& point, int step, uint32_t sample);
    bool goes_through(Tile& t, Path& path, const MaterialPoint& point, int step, uint32_t sample);

    // bodies.cpp
    static const Body* innermost(const Tile& t, const Path& path, uint32_t without);
    static void enter(Tile& t, Path& path, const Body& body);
    static void leave_body(Tile& t, Path& path, uint32_t instance);
    bool meets_surface(Tile& t, const Path& path, const MaterialPoint& point, bool clear, float& outside);
    void cross(Tile& t, Path& path, const MaterialPoint& point);
    void travel(Tile& t, std::vector<Path>& paths, uint32_t sample, int step);
    void go_below(Tile& t, const Path& path, const MaterialPoint& point, const V3f& weight, const Frame& frame,
                  uint32_t sample, int step);
    void come_up(Tile& t, Path& path, size_t point, int step, uint32_t sample, WalkRandom& random);

    // shadows.cpp
    void shine(Tile& t, uint32_t sample, int step);
    void trace_shadows(Tile& t);
    void through_holes(Tile& t, uint32_t sample);
    void walk_through_holes(Tile& t, size_t first, size_t last, uint32_t sample);

    // quick_views.cpp
    uint64_t clay(Tile& t, uint32_t sample);
    bool clay_point(uint32_t pixel, const V3f& direction, const Place& at, float t, float along, float across,
                    V3f& origin, V3f& towards, V3f& light);
    void flat_view(Tile& t, uint32_t sample);
    void show_node(Tile& t, size_t count);

    static uint32_t pair_of(int step, uint32_t use) {
        return pair_first_bounce + pairs_per_bounce * uint32_t(step) + use;
    }
    static uint32_t walk_seed(const Path& path, uint32_t sample, int step, uint32_t use) {
        return mix32(path.seed + mix32(sample * 256u + uint32_t(step)) + use * 0x9e3779b9u);
    }

    /// Distance at which a ray meets the stage, and how solid the stage is there (1 in the middle, 0 beyond the fade).
    float stage(const V3f& origin, const V3f& direction, float& solid) const {
        solid = 0.f;
        float r = 0.f;
        const float t = p_.rig.meets_stage(origin, direction, r);
        if (t == INFINITY) return t;
        const float k = clamp01((r - p_.rig.stage_fade_start) / (p_.rig.stage_fade_end - p_.rig.stage_fade_start));
        solid = 1.f - k * k * (3.f - 2.f * k);
        return t;
    }

    void add(uint32_t pixel, int group, V3f radiance, bool indirect) {
        if (!finite(radiance)) return;
        if (indirect && f_.clamp > 0.f)
            if (const float m = max_component(radiance); m > f_.clamp) radiance *= f_.clamp / m;
        film_.light[size_t(group)][pixel] += radiance;
        if (per_unit_ > 0.f)
            if (const float l = max_component(radiance); l * per_unit_ > 2.8f) {
                const int tier = int(std::log2(l * per_unit_) / 3.f + .5f) - 1;
                film_.tiers[pixel].add(std::clamp(tier, 0, Film::tier_count - 1), l);
            }
        if (!odd_) return;
        film_.odd_luminance[pixel] += luminance(radiance);
        if (!film_.odd_light.empty()) film_.odd_light[size_t(group)][pixel] += radiance;
    }

    /// Of light that meets a smooth thin pane: the share that goes on straight (all passes between both sides: Stokes),
    /// 0 where it is no such pane.
    static V3f pane_passage(const MaterialPoint& point) {
        const Slots& s = point.slots;
        if (s.geometry_thin_walled < .5f || s.transmission_weight <= 0.f || point.coat >= 0 || s.coat_weight > 0.f ||
            s.fuzz_weight > 0.f || s.thin_film_weight > 0.f || s.retro_weight > 0.f || s.flake_density > 0.f ||
            s.specular_roughness * s.specular_roughness > surface::min_alpha)
            return V3f(0.f);
        const float f =
            surface::fresnel_dielectric(std::fabs(point.s.normal.dot(point.wo)), surface::Bsdf::eta_of(s, 1.f, false));
        return s.transmission_color * ((1.f - f) / (1.f + f) * s.transmission_weight * (1.f - s.base_metalness));
    }

    static float balance_heuristic(float a, float b) { return a < by_itself ? a / (a + b) : 1.f; }
    float surface_weight(float pdf_surface, float pdf_light) const {
        if (f_.strategy == FrameSettings::Strategy::light_only) return 0.f;
        if (f_.strategy == FrameSettings::Strategy::surface_only) return 1.f;
        return balance_heuristic(pdf_surface, pdf_light);
    }

    void locate(Flight& path, MaterialPoint& point) const {
        point.at = path.at;
        if (path.at.instance == stage_hit) {
            SurfacePoint& s = point.s;
            s = SurfacePoint();
            s.position = path.origin + path.direction * path.t;
            s.position.y = p_.rig.stage_height;
            s.normal = s.normal_geometric = V3f(0, path.direction.y < 0.f ? 1.f : -1.f, 0);
        } else {
            point.s = p_.geometry->at(path.at);
        }
        path.width += path.spread * path.t;
        point.width = path.width;
        point.wo = -path.direction;
        point.normal_mesh = point.s.normal;
        point.inside = point.s.normal_geometric.dot(point.wo) < 0.f;
        if (point.inside) {
            point.s.normal_geometric = -point.s.normal_geometric;
            point.s.normal = -point.s.normal;
            point.s.lift = V3f(0.f);
        }
        point.s.normal = towards_eye(point.s.normal, point.wo);
    }

    const Prepared& p_;
    const FrameSettings& f_;
    Film& film_;
    LayerCost* costs_;
    const float per_unit_;  ///< of Film::unit; 0: tiers are not kept
    Pinhole camera_;
    bool odd_ = false;
    float softening_ = 0.f;  ///< of this sample
    const float near_;
};

/// Points and layers for `n` flights of the tile from `first` on, n <= tile_capacity: MaterialPoint i is that of
/// flights[first + i].
template <class F>
void Renderer::materials(Tile& t, std::vector<F>& flights, size_t first, size_t n, uint32_t sample, uint32_t pair) {
    Materials& m = t.materials;
    m.begin();
    for (size_t i = 0; i < n; ++i) {
        F& path = flights[first + i];
        MaterialPoint& point = m.points[i];
        locate(path, point);
        point.coat = point.layer = -1;
        if (path.at.instance == stage_hit) {
            point.slots = p_.rig.stage_slots;
            continue;
        }
        float unused;
        sample_2d(path.seed, sample, pair, point.choice, unused);
    }
    if (p_.fine_relief) p_.fine_relief->refine(m.points, n, t.fine_relief);
    for (size_t i = 0; i < n; ++i)
        if (flights[first + i].at.instance != stage_hit) m.locate(int(i), p_);
    auto on = [&](size_t i) { return flights[first + i].at.instance; };
    for (size_t b = 0; b < p_.build_ups.size(); ++b) {
        t.picks.clear();
        for (size_t i = 0; i < n; ++i)
            if (on(i) != stage_hit && p_.build_up_of[on(i)] == int(b)) t.picks.push_back(int(i));
        if (!t.picks.empty()) m.choose(p_, t.picks, p_.build_ups[b], costs_);
    }
}

}  // namespace vemtra::render
