#include "geometry/field.h"
#include "geometry/import.h"

#include <tbb/global_control.h>

#include "support.h"

using namespace vemtra;
using namespace vemtra::test;
using geometry::compute_field;

namespace {
std::unique_ptr<geometry::Geometry> make(const Scratch& s, const std::string& obj) {
    auto r = geometry::import(s.write("m.obj", obj).string(), {});
    REQUIRE(r);
    std::vector<geometry::Instance> instances;
    for (const auto& p : r->parts) instances.emplace_back(geometry::make_shape(p.mesh), p.to_asset);
    return std::make_unique<geometry::Geometry>(std::move(instances));
}
nodes::FieldRequest request(bool edges, float reach) {
    return {"b", "cavity", {edges ? 1.f : 0.f, reach, 90.f}};
}
}  // namespace

TEST_CASE("a flat square has neither recesses nor, far from its rim, edges") {
    Scratch s;
    const auto g = make(s, square_obj);
    const auto field = compute_field(*g, {1}, request(false, .1f), 64);
    for (float v : field->parts[0].at_vertex) CHECK(v == 0.f);
    for (float v : field->parts[0].inside) CHECK(v == 0.f);
}

TEST_CASE("inside of a sphere the cavity has its closed form") {
    // From a point on a sphere of diameter d the distance at angle t is d cos t. Cosine weighted, its mean is 2 d / 3,
    // so that the field is 1 - 2 d / (3 reach) when the reach is longer than d. Looked at from outside, that is what
    // `edges` sees.
    Scratch s;
    const auto g = make(s, sphere_obj(64));
    const auto field = compute_field(*g, {1}, request(true, 2.f), 256);
    double sum = 0;
    for (float v : field->parts[0].at_vertex) sum += v;
    CHECK(sum / double(field->parts[0].at_vertex.size()) == Approx(1.0 - 2.0 / 6.0).margin(.01));
    const auto outward = compute_field(*g, {1}, request(false, 2.f), 64);
    for (float v : outward->parts[0].at_vertex) CHECK(v < .02f);
}

TEST_CASE("a large triangle carries a grid of samples, so that a coarse mesh is no excuse") {
    Scratch s;
    // A floor of two triangles with a wall on it: the field falls off with the distance from the wall, within one
    // triangle.
    const auto g = make(s, "v -1 0 0\nv 1 0 0\nv 1 0 2\nv -1 0 2\nf 4 3 2 1\nv -1 1 0\nv 1 1 0\nf 1 2 6 5\n");
    const auto field = compute_field(*g, {1}, request(false, .4f), 256);
    geometry::Fields fields(std::shared_ptr<const geometry::Geometry>(g.get(), [](auto*) {}), {field});
    auto at = [&](float z) {  // on the floor above (0, 0, z)
        RTCRayHit ray = geometry::single_ray(V3f(.1f, .5f, z), V3f(0, -1, 0));
        RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        rtcIntersect1(g->scene(), &context, &ray);
        REQUIRE(ray.hit.geomID == 0);
        float out;
        fields.sample(0, 1, &ray.hit.geomID, &ray.hit.primID, &ray.hit.u, &ray.hit.v, &out);
        return out;
    };
    CHECK(at(.05f) > at(.15f));
    CHECK(at(.15f) > at(.30f));
    CHECK(at(.30f) > 0.f);
    CHECK(at(.9f) == 0.f);
}

TEST_CASE("a field is the same at any thread count, and is kept on disk") {
    Scratch s;
    setenv("XDG_CACHE_HOME", s.path.c_str(), 1);
    const auto g = make(s, sphere_obj(24));
    const auto r = request(true, .7f);
    const auto a = compute_field(*g, {1}, r, geometry::field_rays_final);
    {
        tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
        CHECK(compute_field(*g, {1}, r, geometry::field_rays_final)->parts[0].at_vertex == a->parts[0].at_vertex);
    }
    CHECK_FALSE(geometry::cached_field(*g, {1}, r));
    geometry::keep_field(*g, {1}, r, *a);
    auto back = geometry::cached_field(*g, {1}, r);
    REQUIRE(back);
    CHECK(back->parts[0].at_vertex == a->parts[0].at_vertex);
    SECTION("a damaged cache file is not used") {
        for (const auto& e : fs::directory_iterator(cache_folder("fields"))) {
            std::string bytes = *read_file(e.path());
            bytes[bytes.size() / 2] = char(bytes[bytes.size() / 2] ^ 1);
            REQUIRE(write_file_atomically(e.path(), bytes));
        }
        CHECK_FALSE(geometry::cached_field(*g, {1}, r));
    }
    CHECK_FALSE(geometry::cached_field(*g, {1}, request(true, .71f)));
}

TEST_CASE("computing a field can be stopped") {
    Scratch s;
    const auto g = make(s, sphere_obj(24));
    Progress progress;
    progress.stop = true;
    CHECK_FALSE(compute_field(*g, {1}, request(false, .5f), 256, &progress));
}
