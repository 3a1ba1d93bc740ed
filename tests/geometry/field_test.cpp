#include "field_support.h"

#include <tbb/global_control.h>

#include <random>
#include <set>

using namespace vemtra;
using namespace vemtra::test;
using geometry::compute_field;

TEST_CASE("a flat square has neither recesses nor, far from its rim, edges") {
    Scratch s;
    const auto g = make(s, square_obj);
    const auto field = compute_field(*g, {1}, request(false), 64);
    for (auto v : field->parts[0]->at_vertex.shares) CHECK(v == 0);
    for (auto v : field->parts[0]->inside.shares) CHECK(v == 0);
}

TEST_CASE("inside of a sphere the cavity has its closed form") {
    // From a point on a sphere of diameter d the distance at angle t is d cos t. Cosine weighted, its mean is 2 d / 3,
    // so that the field is 1 - 2 d / (3 reach) when the reach is longer than d. Looked at from outside, that is what
    // `edges` sees.
    Scratch s;
    const auto g = make(s, sphere_obj(64));
    const auto field = compute_field(*g, {1}, request(true), 256);
    const size_t vertices = field->parts[0]->at_vertex.shares.size() / geometry::reach_knots;
    for (float reach : {1.2f, 2.f}) {
        double sum = 0;
        for (size_t v = 0; v < vertices; ++v) sum += at_vertex(*field, v, reach);
        CHECK(sum / double(vertices) == Approx(1.0 - 2.0 / (3.0 * reach)).margin(.012));
    }
    // Shorter than d: the share of rays at angle t is that of cos t below reach / d: (reach / d)^2, less a third of it.
    double sum = 0;
    for (size_t v = 0; v < vertices; ++v) sum += at_vertex(*field, v, .4f);
    CHECK(sum / double(vertices) == Approx(.4 * .4 / 3.0).margin(.012));
    const auto outward = compute_field(*g, {1}, request(false), 64);
    for (size_t v = 0; v < vertices; ++v) CHECK(at_vertex(*outward, v, 2.f) < .03f);
}

TEST_CASE("weights of a reach give the mean of their fall-off over a known distribution") {
    // Hits spread evenly over 0 to 1 (of the furthest knot): the mean of (1 - t / r)^f over t < r is r / (f + 1).
    auto even = [](float reach, float falloff) {
        float w[geometry::reach_knots];
        geometry::reach_weights(reach, falloff, w);
        float sum = 0.f;
        for (int k = 0; k < geometry::reach_knots; ++k) sum += w[k] * geometry::knot_at(k) * .5f;
        return sum;
    };
    for (float reach : {.01f, .05f, .2f, .5f, .61f, 1.f})
        for (float falloff : {.5f, 1.f, 2.f, 4.f}) {
            INFO(reach << " " << falloff);
            CHECK(even(reach, falloff) == Approx(reach / (falloff + 1.f)).epsilon(.01));
        }
    CHECK(even(.001f, 1.f) == Approx(.0005f).epsilon(.01));  // nearer than all knots
    // From a wall at d the rays that go there at an angle meet it at d / cos: the mean is (1 - d / r)^2, wherever the
    // reach lies between knots.
    for (float wall : {.03f, .1f, .3f})
        for (float reach = wall * 1.2f; reach < .7f; reach *= 1.07f) {
            float w[geometry::reach_knots];
            geometry::reach_weights(reach, 1.f, w);
            float sum = 0.f;
            for (int k = 0; k < geometry::reach_knots; ++k) {
                const float beyond = std::max(0.f, 1.f - wall / geometry::knot_at(k));
                sum += w[k] * beyond * beyond;
            }
            INFO(wall << " " << reach);
            CHECK(sum == Approx((1.f - wall / reach) * (1.f - wall / reach)).margin(.006));
        }
    float w[geometry::reach_knots];
    geometry::reach_weights(5.f, 1.f, w);  // further than anything: each hit counts for 1 - t / 5
    float sum = 0.f;
    for (float x : w) sum += x;
    CHECK(sum == Approx(1.f).margin(1e-3));
    for (const float f : {.999f, 1.001f}) {  // the general way and the short one agree
        float other[geometry::reach_knots];
        geometry::reach_weights(.6f, f, other);
        geometry::reach_weights(.6f, 1.f, w);
        double apart = 0;
        for (int k = 0; k < geometry::reach_knots; ++k)
            apart += double(other[k] - w[k]) * double(std::min(1.f, 2.f * geometry::knot_at(k)));
        CHECK(std::fabs(apart) < .01);
    }
}

TEST_CASE("a reach or fall-off that is no number, or without end, is read as something all the same") {
    Scratch s;
    const auto g = make(s, sphere_obj(16));
    const auto field = compute_field(*g, {1}, request(true), 16);
    const geometry::Fields fields(std::shared_ptr<const geometry::Geometry>(g.get(), [](auto*) {}), {field});
    const uint32_t first = 0;
    const float at = .3f;
    for (const float reach : {1.f, 0.f, -1.f, 1e-30f, 1e30f, NAN, INFINITY})
        for (const float falloff : {1.f, 2.f, 0.f, -1.f, 1e30f, NAN, INFINITY}) {
            float out = -1.f;
            fields.within(0, 1, &first, &first, &at, &at, &reach, &falloff, &out);
            INFO(reach << " " << falloff);
            CHECK((out >= 0.f && out <= 1.f));
        }
}

TEST_CASE("a large triangle is cut into pieces with samples of their own, so that a coarse mesh is no excuse") {
    Scratch s;
    // A floor of two triangles with a wall on it: the field falls off with the distance from the wall, within one
    // triangle.
    const auto g = make(s, "v -1 0 0\nv 1 0 0\nv 1 0 2\nv -1 0 2\nf 4 3 2 1\nv -1 1 0\nv 1 1 0\nf 1 2 6 5\n");
    const auto field = compute_field(*g, {1}, request(false, .5f), geometry::field_rays_final);
    geometry::Fields fields(std::shared_ptr<const geometry::Geometry>(g.get(), [](auto*) {}), {field});
    auto at = [&](float z) {  // on the floor above (0, 0, z)
        RTCRayHit ray = geometry::single_ray(V3f(.1f, .5f, z), V3f(0, -1, 0));
        RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        rtcIntersect1(g->scene(), &context, &ray);
        REQUIRE(ray.hit.geomID == 0);
        float out;
        const float reach = .4f;
        const float falloff = 1.f;
        fields.within(0, 1, &ray.hit.geomID, &ray.hit.primID, &ray.hit.u, &ray.hit.v, &reach, &falloff, &out);
        return out;
    };
    CHECK(at(.05f) > at(.15f));
    CHECK(at(.15f) > at(.30f));
    CHECK(at(.30f) > 0.f);
    CHECK(at(.9f) == 0.f);
}

TEST_CASE("a field is the same at any thread count, and is kept on disk") {
    Scratch s;
    const CacheIn cache(s.path);
    const auto g = make(s, sphere_obj(24));
    const auto r = request(true);
    const auto a = compute_field(*g, {1}, r, geometry::field_rays_final);
    {
        tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
        const auto alone = compute_field(*g, {1}, r, geometry::field_rays_final);
        CHECK(alone->parts[0]->at_vertex == a->parts[0]->at_vertex);
        CHECK(alone->parts[0]->inside == a->parts[0]->inside);
        CHECK(alone->parts[0]->first_of_piece == a->parts[0]->first_of_piece);
        CHECK(alone->parts[0]->corners == a->parts[0]->corners);
    }
    CHECK_FALSE(geometry::cached_field(*g, {1}, r));
    geometry::keep_field(*a);
    auto back = geometry::cached_field(*g, {1}, r);
    REQUIRE(back);
    CHECK(back->parts[0]->at_vertex == a->parts[0]->at_vertex);
    CHECK(back->parts[0]->first_of_piece == a->parts[0]->first_of_piece);
    CHECK(back->parts[0]->corners == a->parts[0]->corners);
    SECTION("a damaged cache file is not used") {
        for (const auto& e : fs::directory_iterator(cache_folder("fields"))) {
            std::string bytes = *read_file(e.path());
            bytes[bytes.size() / 2] = char(bytes[bytes.size() / 2] ^ 1);
            REQUIRE(write_file_atomically(e.path(), bytes));
        }
        CHECK_FALSE(geometry::cached_field(*g, {1}, r));
    }
    CHECK_FALSE(geometry::cached_field(*g, {1}, request(false)));
}

TEST_CASE("computing a field can be stopped") {
    Scratch s;
    const auto g = make(s, sphere_obj(24));
    Progress progress;
    progress.stop = true;
    CHECK_FALSE(compute_field(*g, {1}, request(false), 256, {.progress = &progress}));
}

namespace {
struct Written {
    Scratch s;
    std::shared_ptr<const geometry::Geometry> g;
    explicit Written(const std::string& obj) : g(make(s, obj)) {}
    const geometry::Mesh& mesh() const { return g->shape(0).faces_as_triangles(); }
    std::vector<float> numbers(const char* kind, std::vector<float> parameters) const {
        return compute_field(*g, {1}, {"b", kind, std::move(parameters)}, 16)->parts[0]->at_vertex.numbers;
    }
};
const char* box_obj =
    "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0 0 1\nv 1 0 1\nv 1 1 1\nv 0 1 1\n"
    "f 4 3 2 1\nf 5 6 7 8\nf 1 2 6 5\nf 3 4 8 7\nf 2 3 7 6\nf 4 1 5 8\n";
}  // namespace

TEST_CASE("bending of a sphere, a cylinder and a saddle is what it is") {
    const float scale = .01f;  // less than an edge: nothing is spread
    {
        const Written sphere(sphere_obj(64));  // of radius 1/2
        const auto values = sphere.numbers("curvature", {scale});
        for (size_t v = 0; v < values.size(); ++v)
            if (std::fabs(sphere.mesh().positions[v].y) < .49f) CHECK(values[v] / scale == Approx(2.f).epsilon(.03));
    }
    auto inner = [](const Written& f, const std::vector<float>& values, float expected) {
        for (size_t v = 0; v < values.size(); ++v) {
            const V3f& p = f.mesh().positions[v];
            if (std::fabs(p.x) > .6f || std::fabs(p.z) > .6f) continue;
            CHECK(values[v] / .01f == Approx(expected).margin(.03f * std::max(1.f, std::fabs(expected))));
        }
    };
    {
        const Written cylinder(grid_obj(80, [](float u, float v) {
            return V3f(std::sin(u), std::cos(u), v);  // of radius 1: its mean bending is a half
        }));
        inner(cylinder, cylinder.numbers("curvature", {scale}), .5f);
    }
    {
        const Written saddle(
            grid_obj(80, [](float u, float v) { return V3f(.1f * u, .05f * (u * u - v * v) * .1f, .1f * v); }));
        const auto values = saddle.numbers("curvature", {scale});
        // At its middle both bendings cancel out.
        for (size_t v = 0; v < values.size(); ++v) {
            const V3f& p = saddle.mesh().positions[v];
            if (p.length() < .02f) CHECK(std::fabs(values[v] / scale) < .05f);
        }
    }
}

TEST_CASE("bending of a torus changes around its tube as it should") {
    const float tube = .4f;
    const Written torus(grid_obj(120, [&](float u, float v) {
        const float out = 1.f + tube * std::cos(pi * v);
        return V3f(out * std::cos(pi * u), tube * std::sin(pi * v), out * std::sin(pi * u));
    }));
    const float scale = .005f;  // less than an edge
    const auto values = torus.numbers("curvature", {scale});
    int inner = 0;
    for (size_t k = 0; k < values.size(); ++k) {
        const V3f& p = torus.mesh().positions[k];
        const float out = std::hypot(p.x, p.z) - 1.f;
        if (std::fabs(p.z) < .1f || std::fabs(p.y) < .03f) continue;  // the rims of the grid
        inner += out < 0.f;
        const float expected = .5f * (1.f / tube + out / tube / (1.f + out));
        CHECK(values[k] / scale == Approx(expected).epsilon(.03).margin(.01));
    }
    CHECK(inner > 3000);
}

TEST_CASE("the nearest crease of a box is as far as it is, and a concave one is told apart") {
    const Written box(box_obj);
    for (float d : box.numbers("crease", {30.f, 1.f})) CHECK(d == Approx(0.f).margin(1e-6));  // every corner
    for (float d : box.numbers("crease", {30.f, 2.f})) CHECK(d > .2f);  // it has none that is concave
    const auto field = compute_field(*box.g, {1}, {"b", "crease", {30.f, 1.f}}, geometry::field_rays_final);
    const geometry::Fields fields(box.g, {field});
    std::mt19937 random(3);
    for (uint32_t face = 0; face < box.mesh().triangles(); ++face)
        for (int i = 0; i < 20; ++i) {
            float u = float(random() % 1000) / 1000.f;
            float v = float(random() % 1000) / 1000.f;
            if (u + v > 1.f) u = 1.f - u, v = 1.f - v;
            const V3f p = box.g->at({0, face, u, v}).position;
            float nearest = 1.f;
            for (int a = 0; a < 3; ++a) {
                const float b = p[(a + 1) % 3];
                const float c = p[(a + 2) % 3];
                for (float x : {0.f, 1.f})
                    for (float y : {0.f, 1.f}) nearest = std::min(nearest, std::hypot(b - x, c - y));
            }
            const uint32_t zero = 0;
            float got = -1.f;
            float* const to[] = {&got};
            fields.sample(0, 1, &zero, &face, &u, &v, 1, to);
            CHECK(got == Approx(std::min(nearest, field->furthest / 8.f)).margin(.01));
        }
}

TEST_CASE("height and slope follow the world, islands and parts have numbers of their own") {
    const Written two(std::string(box_obj) + "v 3 0 0\nv 4 0 0\nv 4 1 0\nf 9 10 11\n");
    const auto height = two.numbers("height", {0, 1, 0, 0});
    const auto slope = two.numbers("slope", {0, 0, 1});
    const auto islands = two.numbers("random", {2, 0});
    const auto part = two.numbers("random", {0, 0});
    std::set<float> seen;
    for (size_t v = 0; v < height.size(); ++v) {
        CHECK(height[v] == Approx(two.mesh().positions[v].y));
        CHECK(slope[v] == Approx(two.mesh().normals[v].z).margin(1e-5));
        CHECK(part[v] == part[0]);
        seen.insert(islands[v]);
    }
    CHECK(seen.size() == 2);
    CHECK(two.numbers("random", {0, 1})[0] != part[0]);
}

TEST_CASE("nothing steps across edges, at seams and between large faces") {
    // A floor with a post, in large faces; one of its seams has vertices of its own.
    const Written form(
        "v -2 0 -2\nv 2 0 -2\nv 2 0 2\nv -2 0 2\nv 0 0 -2\nv 0 0 2\nv 0 0 -2\nv 0 0 2\n"
        "f 1 4 6 5\nf 7 8 3 2\n"
        "v -.3 0 -.3\nv .3 0 -.3\nv .3 1 -.3\nv -.3 1 -.3\nf 9 10 11 12\nf 12 11 10 9\n");
    const auto field = compute_field(*form.g, {1}, request(false), geometry::field_rays_final);
    const geometry::Fields fields(form.g, {field});
    const geometry::Mesh& m = form.mesh();
    auto at = [&](uint32_t face, const V3f& weights) {
        const uint32_t zero = 0;
        const float reach = 1.f;
        const float falloff = 1.f;
        float out = 0.f;
        fields.within(0, 1, &zero, &face, &weights.y, &weights.z, &reach, &falloff, &out);
        return out;
    };
    size_t shared = 0;
    for (uint32_t a = 0; a < 4; ++a)
        for (uint32_t b = a + 1; b < 4; ++b)
            for (int i = 0; i < 3; ++i)
                for (int j = 0; j < 3; ++j) {
                    auto corner = [&](uint32_t f, int c) { return m.positions[m.indices[3 * size_t(f) + size_t(c)]]; };
                    if (corner(a, i) != corner(b, (j + 1) % 3) || corner(a, (i + 1) % 3) != corner(b, j)) continue;
                    ++shared;
                    for (int k = 0; k <= 50; ++k) {
                        const float t = float(k) / 50.f;
                        V3f wa(0.f);
                        V3f wb(0.f);
                        wa[i] = 1.f - t;
                        wa[(i + 1) % 3] = t;
                        wb[(j + 1) % 3] = 1.f - t;
                        wb[j] = t;
                        CHECK(at(a, wa) == Approx(at(b, wb)).margin(.01));
                    }
                }
    CHECK(shared == 3);
}

TEST_CASE("where one form stands on another the field is right up to the line between them, on the largest faces") {
    // A floor of two triangles, and a post that stands in it.
    const Written form(
        "v -1 0 -1\nv 1 0 -1\nv 1 0 1\nv -1 0 1\nf 4 3 2 1\n"
        "v -.1 -.1 -.13\nv .12 -.1 -.1\nv .1 -.1 .13\nv -.12 -.1 .1\n"
        "v -.1 .4 -.13\nv .12 .4 -.1\nv .1 .4 .13\nv -.12 .4 .1\n"
        "f 5 9 10 6\nf 6 10 11 7\nf 7 11 12 8\nf 8 12 9 5\nf 9 12 11 10\n");
    const float range = .25f;
    auto asked = request(false);
    asked.parameters.back() = range;
    const auto field = compute_field(*form.g, {1}, asked, geometry::field_rays_final);
    const geometry::Fields fields(form.g, {field});
    auto at = [&](const geometry::Place& p) {
        const float falloff = 1.f;
        float out = 0.f;
        fields.within(0, 1, &p.instance, &p.face, &p.u, &p.v, &range, &falloff, &out);
        return out;
    };
    std::mt19937 random(3);
    std::uniform_real_distribution<float> one(0.f, 1.f);
    std::vector<float> errors;
    float step = 0.f;
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    while (errors.size() < 400) {
        geometry::Place p{0, uint32_t(errors.size() % 2), one(random), one(random)};
        if (p.u + p.v > 1.f) continue;
        const V3f from = form.g->at(p).position;
        if (std::max(std::fabs(from.x), std::fabs(from.z)) > .3f) continue;
        // Nothing steps within the face, however finely it is cut here and there.
        step = std::max(step, std::fabs(at(p) - at({0, p.face, p.u + 1e-6f, std::max(0.f, p.v - 1e-6f)})));
        double met = 0;
        constexpr int rays = 3000;
        for (int k = 0; k < rays; ++k) {
            const float a = one(random);
            const float phi = 2.f * pi * one(random);
            const V3f to(std::sqrt(a) * std::cos(phi), std::sqrt(1.f - a), std::sqrt(a) * std::sin(phi));
            RTCRayHit ray = geometry::single_ray(from + V3f(0, 1e-6f, 0), to, range);
            rtcIntersect1(form.g->scene(), &context, &ray);
            if (ray.hit.geomID != RTC_INVALID_GEOMETRY_ID) met += 1.0 - double(ray.ray.tfar / range);
        }
        errors.push_back(std::fabs(at(p) - float(met / rays)));
    }
    std::sort(errors.begin(), errors.end());
    double mean = 0;
    for (const float e : errors) mean += double(e) / double(errors.size());
    CHECK(mean < .01);
    CHECK(errors[errors.size() * 98 / 100] < .04f);
    CHECK(step < 1e-3f);
    CHECK_FALSE(field->cut);
    CHECK(field->bytes() < (size_t(2) << 20));
}

TEST_CASE("pieces on disk that lead in a circle or to no sample are not used") {
    Scratch s;
    const CacheIn cache(s.path);
    const auto g = make(s, "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n");
    auto kept = [&](uint32_t first, uint32_t inner, uint32_t corner) {
        geometry::FormField f;
        f.channels = geometry::reach_knots;
        auto part = std::make_shared<geometry::FormField::PartField>();
        part->at_vertex.shares.assign(3 * geometry::reach_knots, 9);
        part->first = {first};
        part->first_of_piece.assign(8, geometry::FormField::whole);
        part->corners = {{0, 1, corner}};
        part->first_of_piece[1] = inner;
        part->inside.shares.assign(3 * geometry::reach_knots, 7);
        f.parts = {part};
        f.content = geometry::field_content(*g, {1}, request(false), geometry::field_rays_final);
        geometry::keep_field(f);
        return geometry::cached_field(*g, {1}, request(false)) != nullptr;
    };
    CHECK(kept(0, 4, 2));
    CHECK(kept(geometry::FormField::uncut, 4, 2));
    CHECK_FALSE(kept(5, 4, 2));
    CHECK_FALSE(kept(0, 0, 2));
    CHECK_FALSE(kept(0, 5, 2));
    CHECK_FALSE(kept(0, 4, 3));
}

TEST_CASE("forms that no field was meant for give finite numbers") {
    for (const char* obj : {"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\nf 1 2 3\nf 3 2 1\n",           // doubled
                            "v 0 0 0\nv 0 0 0\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\nf 1 4 5\n",  // of no size
                            "v 0 0 0\nv 1e-9 0 0\nv 0 1e-9 0\nf 1 2 3\n", "v 0 0 0\nv 1e7 0 0\nv 0 1e7 0\nf 1 2 3\n"}) {
        const Written form(obj);
        INFO(obj);
        for (const geometry::FieldKind& kind : geometry::field_kinds()) {
            INFO(kind.name);
            std::vector<float> parameters(kind.parameters.size(), 1.f);
            const auto f = compute_field(*form.g, {1}, {"b", kind.name, parameters}, geometry::field_rays_final);
            REQUIRE(f);
            for (float v : f->parts[0]->at_vertex.numbers) CHECK(std::isfinite(v));
            CHECK(f->bytes() < (size_t(1) << 26));
        }
    }
}

namespace {
/// Values of a one-number field at the vertices of a part.
std::vector<float> numbers(const geometry::Geometry& g, const char* field, std::vector<float> parameters,
                           size_t part = 0) {
    const auto f = compute_field(g, std::vector<char>(g.instances().size(), 1), {"b", field, std::move(parameters)},
                                 geometry::field_rays_final);
    REQUIRE(f);
    return f->parts[part]->at_vertex.numbers;
}
}  // namespace

TEST_CASE("what falls settles by the cosine, not under a roof, and as much on a large form as on a small one") {
    const Scratch s;
    const auto flat = make(s, square_obj);  // faces +z
    for (const float v : numbers(*flat, "settle", {0, 0, 1, 0})) CHECK(v == Approx(1.f).margin(1e-3));
    for (const float v : numbers(*flat, "settle", {0, 0, 1, 60})) CHECK(v == Approx(1.f).margin(1e-3));
    const float slant = std::sin(radians(60.f));
    for (const float v : numbers(*flat, "settle", {slant, 0, .5f, 0})) CHECK(v == Approx(.5f).margin(2e-3));
    for (const float v : numbers(*flat, "settle", {0, 0, -1, 30})) CHECK(v == 0.f);
    for (const float v : numbers(*flat, "settle", {0, 0, 0, 0}))
        CHECK(v == Approx(0.f).margin(1e-6));  // up, seen edge on
    // A small floor under a roof twice as wide, one metre above: of a narrow fall nothing gets there, of a wide one
    // what comes in at the sides: rays that leave beside the roof's edge, from the floor's corners.
    for (const float size : {.1f, 1.f, 40.f}) {
        INFO("size " << size);
        const auto roofed =
            make(s, level("floor", 0, 0, 0, .5f * size, 1, true) + level("roof", 0, size, 0, size, 5, false));
        for (const float v : numbers(*roofed, "settle", {0, 1, 0, 20})) CHECK(v == 0.f);
        const std::vector<float> wide = numbers(*roofed, "settle", {0, 1, 0, 80});
        for (const float v : wide) {
            CHECK(v > .1f);
            CHECK(v < .8f);
            CHECK(v == Approx(wide[0]).margin(.06));  // its corners are alike
        }
        for (const float v : numbers(*roofed, "settle", {0, 1, 0, 80}, 1)) CHECK(v == 0.f);  // the roof's lower side
    }
    // The share is the integral of the cosine over what is open of the cone: a wall of no end on one side takes half.
    const auto walled = make(s, level("floor", 0, 0, 0, .01f, 1, true) +
                                    "o wall\nv -50 -50 -.02\nv 50 -50 -.02\nv 50 50 -.02\nv -50 50 -.02\nf 5 6 7 8\n");
    for (const float v : numbers(*walled, "settle", {0, 1, 0, 70})) CHECK(v == Approx(.5f).margin(.06));
}

TEST_CASE("what falls passes parts that are named") {
    const Scratch s;
    const auto g = make(s, level("floor", 0, 0, 0, .1f, 1, true) + level("low", 0, .1f, 0, 4.f, 5, false) +
                               level("high", 0, .4f, 0, 4.f, 9, false));
    auto settled = [&](std::vector<char> named) {
        const auto f = compute_field(*g, {{1, 0, 0}, std::move(named)}, {"b", "settle", {0, 1, 0, 20}, 0, "x"}, 64);
        return f->parts[0]->at_vertex.numbers[0];
    };
    CHECK(settled({}) == 0.f);
    CHECK(settled({0, 1, 0}) == 0.f);
    CHECK(settled({0, 0, 1}) == 0.f);
    CHECK(settled({0, 1, 1}) == Approx(1.f).margin(1e-3));
}

TEST_CASE("the nearest other part is as far as it is, and one's own is none") {
    const Scratch s;
    const auto two = make(s, level("low", 0, 0, 0, 1.f, 1, true) + level("high", 0, .25f, 0, 1.f, 5, false));
    for (const size_t part : {0u, 1u})
        for (const float v : numbers(*two, "nearest", {0}, part)) CHECK(v == Approx(.25f).margin(1e-5));
    for (const float v : numbers(*two, "nearest", {1}, 0)) CHECK(v == 0.f);
    for (const float v : numbers(*two, "nearest", {1}, 1)) CHECK(v == Approx(.25f).margin(1e-5));
    const auto alone = make(s, square_obj);
    const float far = geometry::size_of_all(*alone);
    for (const float v : numbers(*alone, "nearest", {0})) CHECK(v == far);
    // Between its corners a large face has samples where another part stands over its middle.
    const auto ball = make(s, level("floor", 0, 0, 0, 4.f, 1, true) + level("patch", 0, .1f, 0, .3f, 5, false));
    const auto field = compute_field(*ball, {1, 1}, {"b", "nearest", {0}}, geometry::field_rays_final);
    const geometry::Mesh& m = ball->shape(0).faces_as_triangles();
    double worst = 0;
    for (float u = .02f; u < 1.f; u += .037f)
        for (float v = .02f; u + v < 1.f; v += .041f) {
            const geometry::Place place{0, 0, u, v};
            const V3f p = ball->at(place).position;
            const float dx = std::max(0.f, std::fabs(p.x) - .3f);
            const float dz = std::max(0.f, std::fabs(p.z) - .3f);
            worst = std::max(worst, std::fabs(double(field->at(m, place)) - std::sqrt(dx * dx + dz * dz + .01)));
        }
    CHECK(worst < .05);  // of a form sixteen metres across
}

TEST_CASE("parts that are named count alone for what is near, and not at all for what is enclosed") {
    const Scratch s;
    // Above a floor a plate, and above that another.
    const auto g = make(s, level("floor", 0, 0, 0, .1f, 1, true) + level("low", 0, .1f, 0, 4.f, 5, false) +
                               level("high", 0, .4f, 0, 4.f, 9, false));
    auto near = [&](std::vector<char> named) {
        const auto f = compute_field(*g, {{1, 0, 0}, std::move(named)}, {"b", "nearest", {0}, 0, "x"}, 16);
        return f->parts[0]->at_vertex.numbers[0];
    };
    CHECK(near({}) == Approx(.1f).margin(1e-5));
    CHECK(near({0, 1, 0}) == Approx(.1f).margin(1e-5));
    CHECK(near({0, 0, 1}) == Approx(.4f).margin(1e-5));
    CHECK(near({0, 1, 1}) == Approx(.1f).margin(1e-5));
    CHECK(near({1, 0, 0}) == geometry::size_of_all(*g));  // itself is no other
    auto enclosed = [&](std::vector<char> named, float reach) {
        const geometry::FieldParts parts({1, 0, 0}, std::move(named));
        const auto f = compute_field(*g, parts, request(false), geometry::field_rays_final);
        geometry::keep_field(*f);
        REQUIRE(geometry::cached_field(*g, parts, request(false)));
        return at_vertex(*f, 0, reach, .1f);
    };
    const float all = enclosed({}, .2f);
    CHECK(all > .3f);
    CHECK(enclosed({0, 0, 1}, .2f) == all);  // it is hidden behind the lower one
    CHECK(enclosed({0, 1, 0}, .2f) == 0.f);  // past that, the higher one is out of reach
    CHECK(enclosed({0, 1, 0}, 2.f) > .3f);   // and within it, is met
    CHECK(enclosed({0, 1, 1}, 2.f) == 0.f);  // nothing is left
    CHECK(enclosed({1, 0, 0}, .2f) == all);  // its own part counts, named or not
}
