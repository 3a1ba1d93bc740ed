#include "geometry/geometry.h"

#include "geometry/import.h"
#include "relief_support.h"
#include "render/asset_into.h"
#include "render/visible_points.h"
#include "render_support.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;
using geometry::Geometry;
using geometry::Instance;

namespace {

std::shared_ptr<const geometry::Shape> shape_of(const std::string& obj) {
    Scratch s;
    auto r = geometry::import(s.write("m.obj", obj).string(), {});
    REQUIRE(r);
    return geometry::make_shape(r->parts[0].mesh);
}
M44f matrix(const V3f& position, const V3f& rotation = V3f(0.f), const V3f& scale = V3f(1.f)) {
    scene::Placement p;
    p.position = position;
    p.rotation = rotation;
    p.scale = scale;
    return scene::matrix_of(p);
}
geometry::Place shoot(const Geometry& g, const V3f& origin, const V3f& direction, float* t = nullptr) {
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    RTCRayHit ray = geometry::single_ray(origin, direction.normalized());
    rtcIntersect1(g.scene(), &context, &ray);
    if (t) *t = ray.ray.tfar;
    return geometry::place_of(ray.hit);
}

}  // namespace

TEST_CASE("an instance is hit where it stands, and told in the world") {
    const auto sphere = shape_of(sphere_obj(32));  // radius 0.5
    for (const bool moved : {false, true}) {       // laid together with others, or through an instance of its own
        const Geometry g({Instance(sphere, matrix({2, 0, 0}, {0, 30, 0}, {2, 1, 1}), moved),
                          Instance(shape_of(square_obj), M44f())});
        CHECK(g.merged_faces() == (moved ? 2 : g.faces()));
        float t = 0;
        const auto hit = shoot(g, {2, 0, 5}, {0, 0, -1}, &t);
        REQUIRE(hit.instance == 0);
        const auto p = g.at(hit);
        CHECK(p.position.z == Approx(5.f - t).margin(1e-4));
        CHECK(p.position.x == Approx(2.f).margin(1e-4));
        CHECK(p.normal.length() == Approx(1.f));
        CHECK(p.normal.dot(p.normal_geometric) > .98f);
        // Against the analytic ellipsoid: x / 2 in the instance's own turned axes.
        const V3f own = g.instances()[0].point_to_object(p.position);
        CHECK(own.length() == Approx(.5f).margin(2e-3));
        const V3f analytic = turned_by_transpose(own, g.instances()[0].to_object).normalized();
        CHECK((p.normal - analytic).length() < .01f);
        CHECK_FALSE(geometry::hit_something(shoot(g, {4, 0, 5}, {0, 0, -1})));
    }
}

TEST_CASE("a mirrored instance keeps its outer side") {
    const auto sphere = shape_of(sphere_obj(24));
    const Geometry g({Instance(sphere, matrix({0, 0, 0}, {0, 0, 0}, {-1, 1, 1}), true)});
    const auto p = g.at(shoot(g, {0, 0, 3}, {0, 0, -1}));
    CHECK(p.normal.z > .99f);
    CHECK(p.normal_geometric.z > .9f);
}

TEST_CASE("gradients and density of UVs follow an instance that is scaled unevenly") {
    const auto square = shape_of(square_obj);  // UVs are x and y
    const Geometry g({Instance(square, matrix({0, 0, 0}, {0, 0, 90}, {4, 2, 1}), true)});
    const auto at = shoot(g, {-1.f, 2.f, 2.f}, {0, 0, -1});
    REQUIRE(at.instance == 0);
    V3f u, v;
    g.uv_gradients(at, u, v);
    CHECK((u - V3f(0, .25f, 0)).length() < 1e-5f);  // U grows along y now, a quarter per metre
    CHECK((v - V3f(-.5f, 0, 0)).length() < 1e-5f);
    CHECK((g.tangent(at) - V3f(0, 1, 0)).length() < 1e-5f);
    CHECK(g.at(at).uv_per_metre == Approx(std::sqrt(1.f / 8.f)));
    CHECK(g.area(0, 0) == Approx(4.f));
}

TEST_CASE(
    "what stands once at its own place is laid together; heavy, moved and repeated forms are reached through "
    "instances") {
    const auto light = shape_of(sphere_obj(16)), other = shape_of(square_obj), heavy = shape_of(sphere_obj(280));
    REQUIRE(heavy->faces() > 150000);
    const Geometry g({Instance(light, M44f()), Instance(other, M44f(), true), Instance(heavy, matrix({3, 0, 0})),
                      Instance(light, matrix({-3, 0, 0}))});
    CHECK(g.merged_faces() == 0);  // the light one stands twice
    CHECK(Geometry({Instance(light, M44f()), Instance(other, M44f())}).merged_faces() == g.shape(0).faces() + 2);
    CHECK(shoot(g, {0, 0, 3}, {0, 0, -1}).instance == 0);
    CHECK(shoot(g, {3, 0, 3}, {0, 0, -1}).instance == 2);
    CHECK(shoot(g, {-3, 0, 3}, {0, 0, -1}).instance == 3);
    CHECK(shoot(g, {.9f, .9f, 3}, {0, 0, -1}).instance == 1);
    // One that is alone at its own place is its own accelerator.
    CHECK(Geometry({Instance(heavy, M44f())}).scene() == heavy->scene());
}

TEST_CASE("ten thousand instances of one mesh cost their transforms") {
    const auto sphere = shape_of(sphere_obj(64));
    sphere->scene();  // the form's own accelerator is built
    const size_t before = geometry::embree_memory();
    std::vector<Instance> instances;
    for (int i = 0; i < 10000; ++i)
        instances.emplace_back(sphere, matrix(V3f(float(i % 100), float(i / 100), 0.f), {0, float(i), 0}, V3f(.4f)),
                               true);
    const Geometry g(instances);
    const size_t each = (geometry::embree_memory() - before) / 10000;
    INFO(each << " bytes of the accelerator, " << sizeof(Instance) << " of ours for each; the mesh has "
              << sphere->bytes());
    CHECK(each < 1500);
    CHECK(each * 20 < sphere->bytes());
    CHECK(sizeof(Instance) < 256);
    CHECK(g.own_faces() == sphere->faces());
    CHECK(g.faces() == size_t(10000) * sphere->faces());
    CHECK(shoot(g, {57, 31, 3}, {0, 0, -1}).instance == 3157);
}

TEST_CASE("moving, hiding and copying a part builds no form anew") {
    Scratch s;
    s.write("ball.obj", sphere_obj(64));
    scene::Scene scene = plain_scene("ball.obj");
    scene.parts[0].source = "sphere";
    render::Workshop workshop;
    const auto first = prepared(scene, s.path, workshop);
    REQUIRE(first->geometry->instances().size() == 1);
    const auto* shape = &first->geometry->shape(0);
    scene.parts[0].placement.position = V3f(1, 0, 0);
    const auto moved_once = prepared(scene, s.path, workshop);
    CHECK(&moved_once->geometry->shape(0) == shape);
    const size_t held = geometry::embree_memory();
    scene.parts[0].placement.position = V3f(2, 0, 0);
    scene.parts.push_back(scene.parts[0]);
    scene.parts[1].id = "other";
    scene.parts[1].placement.position = V3f(-2, 0, 0);
    const auto copied = prepared(scene, s.path, workshop);
    REQUIRE(copied->geometry->instances().size() == 2);
    CHECK(&copied->geometry->shape(1) == shape);
    CHECK(geometry::embree_memory() - held < shape->bytes() / 4);
    scene.parts[0].visible = false;
    const auto hidden = prepared(scene, s.path, workshop);
    CHECK(&hidden->geometry->shape(0) == shape);
    CHECK(hidden->parts[0]->id == "other");
}

TEST_CASE("a part is turned and scaled about its own middle, in its asset, which is placed as a whole") {
    Scratch s;
    s.write("square.obj", square_obj);  // its middle is (.5, .5, .37)
    scene::Scene scene = plain_scene("square.obj");
    render::Workshop workshop;
    scene.parts[0].placement.rotation = V3f(0, 0, 180);
    auto box = prepared(scene, s.path, workshop)->geometry->bounds();
    CHECK(box.min.x == Approx(0.f).margin(1e-5));
    CHECK(box.max.y == Approx(1.f));
    scene.parts[0].placement.scale = V3f(3.f);
    scene.assets[0].placement.position = V3f(10, 0, 0);
    box = prepared(scene, s.path, workshop)->geometry->bounds();
    CHECK(box.min.x == Approx(9.f));
    CHECK(box.max.x == Approx(12.f));
}

TEST_CASE("a pattern sticks to the part that it lies on, wherever the part is moved") {
    Scratch s;
    s.write("square.obj", square_obj);
    scene::Scene scene = plain_scene("square.obj");
    auto& b = scene.build_ups[0];
    const std::string noise = scene::add_node(b, b.layers[0].id, "noise3d", "float", "Noise");
    render::Workshop workshop;
    auto picture = [&] {
        render::PrepareOptions options;
        options.folder = s.path;
        options.shown_build_up = b.id;
        options.shown_node = noise;
        const auto p = render::prepare(std::make_shared<const scene::Scene>(scene), workshop, options);
        return rendered(*p, 48, 48, 1, render::View::node);
    };
    scene.cameras[0].position = V3f(.5f, .5f, 2.f);
    scene.cameras[0].target = V3f(.5f, .5f, .37f);
    const auto still = picture();
    const V3f by(3, -2, 1);
    scene.parts[0].placement.position = by;
    scene.cameras[0].position += by;
    scene.cameras[0].target += by;
    const auto moved = picture();
    float worst = 0;
    for (size_t i = 0; i < still.size(); ++i) worst = std::max(worst, (still[i] - moved[i]).length());
    CHECK(worst < .02f);
}

TEST_CASE("another file for an asset keeps what parts wear and where they stand, by their names") {
    Scratch s;
    const std::string two = "o pot\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\no lid\nv 0 0 1\nv 1 0 1\nv 0 1 1\nf 4 5 6\n";
    const std::string next =
        "o lid\nv 0 0 2\nv 1 0 2\nv 0 1 2\nf 1 2 3\no handle\nv 0 0 3\nv 1 0 3\nv 0 1 3\nf 4 5 6\n";
    auto a = geometry::import(s.write("a.obj", two).string(), {}),
         b = geometry::import(s.write("b.obj", next).string(), {});
    REQUIRE(a);
    REQUIRE(b);
    scene::Scene scene;
    const std::string id = render::asset_into(scene, {.id = "", .file = "a.obj"}, *a, "clay");
    REQUIRE(scene.parts.size() == 2);
    scene.parts[1].build_up = "brass";
    scene.parts[1].placement.position = V3f(1, 2, 3);
    const auto done = render::replace_asset(scene, id, "b.obj", *b);
    CHECK(done.kept == 1);
    CHECK(done.added == 1);
    CHECK(done.gone == 1);
    REQUIRE(scene.parts.size() == 2);
    CHECK(scene.parts[0].name == "lid");
    CHECK(scene.parts[0].build_up == "brass");
    CHECK(scene.parts[0].placement.position == V3f(1, 2, 3));
    CHECK(scene.parts[1].build_up == "clay");
    CHECK(scene.assets[0].file == "b.obj");
}

TEST_CASE("positions far out in either direction are no place, and every array counts in a mesh's hash") {
    Scratch s;
    auto r = geometry::import(
        s.write("far.obj", std::string(square_obj) + "v -1e30 0 0\nv 0 -1e30 0\nf 1 2 5\nf 1 2 6\n").string(), {});
    REQUIRE(r);
    CHECK(r->parts[0].mesh->triangles() == 2);
    CHECK_FALSE(r->warnings.empty());
    for (const V3f& p : r->parts[0].mesh->positions) CHECK(p.length() < 1e6f);
    geometry::Mesh m = *r->parts[0].mesh;
    const uint64_t h = m.content_hash();
    geometry::Mesh uv = m, color = m, more = m;
    uv.uvs[0].x += .1f;
    color.colors.assign(m.positions.size(), V3f(.5f));
    more.more_uvs.push_back({"second", m.uvs, 0.f});
    CHECK(uv.content_hash() != h);
    CHECK(color.content_hash() != h);
    CHECK(more.content_hash() != h);
}

TEST_CASE("what stands beside a form that is there for now is built once, and met as it ever was") {
    const auto ball = geometry::make_shape(cube(3));
    const auto beside = shape_of(sphere_obj(110));
    const auto welds = geometry::weld(ball->faces_as_triangles());
    const std::shared_ptr<const Mesh> mesh(ball, &ball->faces_as_triangles());
    auto raised = [&](float by, bool for_now) {
        const auto heights = frozen(
            mesh, *welds, [](uint32_t) { return 4.f; }, [&](V3f, V2f) { return by; }, .2f);
        return Instance(geometry::make_displaced(ball, welds, heights, {.for_now = for_now}), M44f());
    };
    const std::vector<Instance> others{Instance(beside, matrix({2, 0, 0}, {0, 40, 0}, {1, 2, 1})),
                                       Instance(shape_of(sphere_obj(24)), matrix({-2, 0, 0}))};
    auto with = [&](Instance middle) {
        std::vector<Instance> all{others[0], std::move(middle), others[1]};
        return all;
    };
    const Geometry plain(with(raised(.1f, false)));
    CHECK_FALSE(plain.together());
    const Geometry now(with(raised(.1f, true)));
    REQUIRE(now.together());
    CHECK(now.merged_faces() == plain.merged_faces());
    const Geometry later(with(raised(.15f, true)), now.together());
    CHECK(later.together() == now.together());
    // Another one in their midst, or at another place, and it is not theirs.
    std::vector<Instance> elsewhere = with(raised(.1f, true));
    elsewhere[2] = Instance(elsewhere[2].shape, matrix({-3, 0, 0}));
    CHECK(Geometry(elsewhere, now.together()).together() != now.together());
    elsewhere.pop_back();
    CHECK(Geometry(elsewhere, now.together()).together() != now.together());

    std::mt19937 random(3);
    size_t differ = 0;
    std::array<size_t, 3> met{};
    for (int k = 0; k < 20000; ++k) {
        const V3f from = on_sphere(random) * 5.f;
        const V3f direction = (on_sphere(random) * V3f(2.5f, 1.f, .5f) - from).normalized();
        const Hit a = first_hit(plain, from, direction);
        const Hit b = first_hit(now, from, direction);
        differ += a.any != b.any || (a.any && (a.place.instance != b.place.instance || std::fabs(a.t - b.t) > 1e-5f));
        if (a.any) ++met[a.place.instance];
        if (!b.any) continue;
        CHECK((now.at(b.place).position - (from + direction * b.t)).length() < 1e-4f);
    }
    CHECK(differ == 0);
    for (const size_t count : met) CHECK(count > 100);
    CHECK(first_hit(later, {0, 0, 5}, {0, 0, -1}).t == Approx(5.f - .65f).margin(1e-3));
    CHECK(first_hit(now, {0, 0, 5}, {0, 0, -1}).t == Approx(5.f - .6f).margin(1e-3));
}
