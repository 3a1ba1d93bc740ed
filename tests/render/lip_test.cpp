// What follows from a mask along the surface: it grows, shrinks and softens, and a cover has a lip.
#include "render/lip.h"

#include "geometry/uv_points.h"
#include "nodes/description.h"
#include "plate_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

/// On the plate of Plate: white where u is above `from`, all at once, or over so much width.
void white_beyond(Plate& p, size_t k, float from_u, float width = 0.f) {
    p.node(k, "uv", "texcoord", "vector2", {});
    p.node(k, "u", "extract", "float", {{"in", from("uv")}});
    if (width > 0.f)
        p.node(k, "white", "smoothstep", "float",
               {{"in", from("u")},
                {"low", {scene::Value{from_u - .5f * width}, {}}},
                {"high", {scene::Value{from_u + .5f * width}, {}}}});
    else
        p.node(k, "white", "ifgreater", "float",
               {{"value1", from("u")},
                {"value2", {scene::Value{from_u}, {}}},
                {"in1", {scene::Value{1.f}, {}}},
                {"in2", {scene::Value{0.f}, {}}}});
}

/// A box of 1 metre around the origin without UVs, and a mask that is white on its upper side alone.
struct Box : Plate {
    Box() {
        s.write("square.obj",
                "o square\nv -.5 -.5 -.5\nv .5 -.5 -.5\nv .5 .5 -.5\nv -.5 .5 -.5\nv -.5 -.5 .5\nv .5 -.5 .5\n"
                "v .5 .5 .5\nv -.5 .5 .5\nf 5 6 7 8\nf 2 1 4 3\nf 6 2 3 7\nf 1 5 8 4\nf 8 7 3 4\nf 1 2 6 5\n");
        node(0, "up", "normal", "vector3", {});
        node(0, "y", "extract", "float", {{"in", from("up")}, {"index", {scene::Value{1.f}, {}}}});
        node(0, "top", "ifgreater", "float",
             {{"value1", from("y")},
              {"value2", {scene::Value{.5f}, {}}},
              {"in1", {scene::Value{1.f}, {}}},
              {"in2", {scene::Value{0.f}, {}}}});
    }
    /// The mask where a ray straight from `from` towards the middle meets the box.
    float at(const std::string& node, const V3f& from, const V3f& towards) {
        const auto ready = this->ready();
        RTCIntersectContext context;
        rtcInitIntersectContext(&context);
        RTCRayHit ray = geometry::single_ray(from, towards);
        rtcIntersect1(ready->geometry->scene(), &context, &ray);
        const geometry::Place place = geometry::place_of(ray.hit);
        REQUIRE(geometry::hit_something(place));
        program::Resources resources = ready->resources;
        std::vector<Error> told;
        const auto program =
            program::compile(build_up(), {{"m", nodes::Type::number, {scene::Value{0.f}, node}}}, resources, told);
        auto arrays = std::make_unique<render::PointArrays>();
        const geometry::SurfacePoint s = ready->geometry->at(place);
        arrays->set(0, *ready, place, s, s.normal, .01f);
        program::Workspace workspace;
        const float* out = nullptr;
        program.run(arrays->batch(1, *ready), workspace, &out);
        return out[0];
    }
};

}  // namespace

TEST_CASE("a mask grows and shrinks by a length along the surface, around edges, without UVs") {
    Box b;
    b.node(0, "grown", "grow", "float", {{"in", from("top")}, {"by", {scene::Value{.1f}, {}}}});
    b.node(0, "less", "grow", "float", {{"in", from("top")}, {"by", {scene::Value{-.1f}, {}}}});
    b.node(0, "soft", "grow", "float",
           {{"in", from("top")}, {"by", {scene::Value{.05f}, {}}}, {"softness", {scene::Value{.08f}, {}}}});
    b.node(0, "near", "nearborder", "float",
           {{"in", from("top")}, {"reach", {scene::Value{.1f}, {}}}, {"side", {scene::Value{2.f}, {}}}});
    b.layer(0).surface["base_metalness"] = from("soft");
    b.layer(0).surface["coat_weight"] = from("near");
    b.scene.build_ups[0].layers[0].surface["base_color"] = {scene::Value{V3f(.5f)}, "grown"};
    b.scene.build_ups[0].layers[0].surface["specular_roughness"] = {scene::Value{.5f}, "less"};
    // On the side that looks along z: below the upper edge by so much.
    for (const float below : {.02f, .05f, .09f}) CHECK(b.at("grown", {.1f, .5f - below, 3.f}, {0, 0, -1}) == 1.f);
    CHECK(b.at("grown", {.1f, .5f - .11f, 3.f}, {0, 0, -1}) == 0.f);
    CHECK(b.at("top", {.1f, .5f - .02f, 3.f}, {0, 0, -1}) == 0.f);
    CHECK(b.at("grown", {.1f, 3.f, .1f}, {0, -1, 0}) == 1.f);
    CHECK(b.at("less", {.1f, 3.f, .1f}, {0, -1, 0}) == 1.f);
    CHECK(b.at("less", {.1f, 3.f, .5f - .05f}, {0, -1, 0}) == 0.f);
    CHECK(b.at("less", {.1f, 3.f, .5f - .11f}, {0, -1, 0}) == 1.f);
    for (const float below : {.02f, .03f, .05f, .08f}) {
        INFO(below);
        CHECK(b.at("soft", {.1f, .5f - below, 3.f}, {0, 0, -1}) == Approx(.5f + (.05f - below) / .08f).margin(.01));
        CHECK(b.at("near", {.1f, .5f - below, 3.f}, {0, 0, -1}) == Approx(1.f - below / .1f).margin(.01));
        CHECK(b.at("near", {.1f, 3.f, .5f - below}, {0, -1, 0}) == Approx(1.f - below / .1f).margin(.01));
    }
    CHECK(b.at("near", {.1f, .5f - .12f, 3.f}, {0, 0, -1}) == 0.f);
}

TEST_CASE("a network says how far a mask grows, up to the ends of its span or as far as the node looks") {
    Plate p;
    white_beyond(p, 0, .5f);
    p.node(0, "v", "extract", "float", {{"in", from("uv")}, {"index", {scene::Value{1.f}, {}}}});
    scene::Input span{scene::Value{0.f}, "v"};
    span.worn = scene::Value{.2f};
    p.node(0, "grown", "grow", "float", {{"in", from("white")}, {"by", span}});
    p.node(0, "tenth", "multiply", "float", {{"in1", from("v")}, {"in2", {scene::Value{.1f}, {}}}});
    p.node(0, "driven", "grow", "float",
           {{"in", from("white")}, {"by", from("tenth")}, {"furthest", {scene::Value{.1f}, {}}}});
    p.layer(0).surface["specular_roughness"] = from("grown");
    p.layer(0).surface["base_metalness"] = from("driven");
    const auto ready = p.ready();
    REQUIRE(ready->resources.borders.size() == 1);  // one mask, as far as the farthest
    CHECK(ready->resources.borders[0].furthest == Approx(.2f));
    auto at = [&](const char* node, float u, float v) {
        return values_at(*ready, p.build_up(), {"", nodes::Type::number, {scene::Value{0.f}, node}}, V2f(u, v))[0];
    };
    for (const float v : {.13f, .5f, .88f})
        for (const auto& [node, most] : {std::pair{"grown", .2f}, {"driven", .1f}}) {
            INFO(node << " " << v);
            CHECK(at(node, .5f - most * v + .01f, v) == 1.f);
            CHECK(at(node, .5f - most * v - .01f, v) == 0.f);
        }
}

TEST_CASE("a thick cover stands where its mask has grown, and the mask is computed once for both") {
    Plate p;
    white_beyond(p, 0, .6f);
    p.add_cover();
    p.node(1, "grown", "grow", "float", {{"in", from("white")}, {"by", {scene::Value{.1f}, {}}}});
    p.layer(1).gate.mask = from("grown");
    p.set(1, slot::height_thickness, .02f);
    const auto ready = p.ready();
    REQUIRE(ready->fields->borders().size() == 1);
    const auto grid = ready->fields->borders()[0][0];
    REQUIRE(grid);
    CHECK(Plate::out_at(*ready, .53f, .43f) == Approx(.02f).margin(1e-5));
    CHECK(Plate::out_at(*ready, .47f, .43f) == Approx(0.f).margin(1e-5));
    // Thicker, painted otherwise, its lip another: the border stays where it is.
    p.set(1, slot::height_thickness, .03f);
    p.layer(1).surface["base_color"].value = V3f(.1f, .2f, .3f);
    CHECK(p.ready()->fields->borders()[0][0] == grid);
    for (scene::Node& n : p.layer(1).nodes)
        if (n.id == "grown") n.inputs["by"].value = .05f;
    const auto other = p.ready();
    CHECK(other->fields->borders()[0][0] != grid);
    CHECK(Plate::out_at(*other, .57f, .43f) == Approx(.03f).margin(1e-5));
    CHECK(Plate::out_at(*other, .53f, .43f) == Approx(0.f).margin(1e-5));
}

TEST_CASE("fields see what a grown mask has moved") {
    Plate p;
    white_beyond(p, 0, .6f);
    p.node(0, "grown", "grow", "float", {{"in", from("white")}, {"by", {scene::Value{.1f}, {}}}});
    p.add_cover();
    p.layer(1).gate.mask = from("grown");
    p.set(1, slot::height_thickness, .08f);
    p.add_cover();
    p.node(2, "closed", "cavity", "float", {{"reach", {scene::Value{.2f}, {}}}});
    p.layer(2).gate.mask = from("closed");
    p.set(2, slot::height_thickness, .001f);
    const auto ready = p.ready();
    auto closed = [&](float u) {
        return values_at(*ready, p.build_up(), {"", nodes::Type::number, {scene::Value{0.f}, "closed"}},
                         V2f(u, .5f))[0];
    };
    CHECK(closed(.48f) > .1f);  // at the foot of the wall
    CHECK(closed(.1f) < .01f);
}

TEST_CASE("lengths are the scene's, whatever the scale of a part") {
    Plate p;
    white_beyond(p, 0, .5f);
    p.node(0, "grown", "grow", "float", {{"in", from("white")}, {"by", {scene::Value{.3f}, {}}}});
    p.layer(0).surface["specular_roughness"] = from("grown");
    p.scene.assets[0].placement.scale = V3f(3.f);
    const auto ready = p.ready();
    auto at = [&](float u) {
        return values_at(*ready, p.build_up(), {"", nodes::Type::number, {scene::Value{0.f}, "grown"}}, V2f(u, .4f))[0];
    };
    CHECK(at(.41f) == 1.f);
    CHECK(at(.39f) == 0.f);
}

TEST_CASE(
    "masks behind the borders of others are computed in their order, equal ones once; circles and towers are told") {
    Plate p;
    white_beyond(p, 0, .5f);
    auto grown = [&](const std::string& id, const std::string& of, float by) {
        p.node(0, id, "grow", "float", {{"in", from(of)}, {"by", {scene::Value{by}, {}}}});
    };
    // Closing: what is narrower than twice the length goes.
    grown("wide", "white", .1f);
    grown("back", "wide", -.1f);
    grown("same", "wide", -.1f);
    p.node(0, "both", "add", "float", {{"in1", from("back")}, {"in2", from("same")}});
    p.layer(0).surface["specular_roughness"] = from("both");
    const auto ready = p.ready();
    CHECK(ready->problems.empty());
    CHECK(ready->resources.borders.size() == 2);
    auto at = [&](const char* node, float u) {
        return values_at(*ready, p.build_up(), {"", nodes::Type::number, {scene::Value{0.f}, node}}, V2f(u, .4f))[0];
    };
    CHECK(at("both", .51f) == 2.f);
    CHECK(at("both", .49f) == 0.f);
    CHECK(at("wide", .41f) == 1.f);

    p.scene.build_ups[0].layers[0].surface.clear();
    grown("ring", "ring", .1f);
    p.layer(0).surface["specular_roughness"] = from("ring");
    CHECK(p.ready()->problems.size() == 1);
    std::string below = "white";
    for (int k = 0; k < 40; ++k) {
        grown("g" + std::to_string(k), below, .01f);
        below = "g" + std::to_string(k);
    }
    p.layer(0).surface["specular_roughness"] = from(below);
    const auto tower = p.ready();
    CHECK(tower->problems.size() == 1);
    CHECK(tower->resources.borders.size() <= 40);
}

TEST_CASE("softened on the surface a mask goes evenly over its border") {
    Box b;
    b.node(0, "soft", "surfacemean", "float",
           {{"in", from("top")}, {"radius", {scene::Value{.1f}, {}}}, {"detail", {scene::Value{2.f}, {}}}});
    b.scene.build_ups[0].layers[0].surface["specular_roughness"] = {scene::Value{.5f}, "soft"};
    float before = 1.f;
    for (const float below : {-.12f, -.06f, -.03f, .001f, .03f, .06f, .12f}) {
        const float here = below < 0.f ? b.at("soft", {.1f, 3.f, .5f + below}, {0, -1, 0})
                                       : b.at("soft", {.1f, .5f - below, 3.f}, {0, 0, -1});
        INFO(below);
        CHECK(here <= before + 1e-6f);
        if (below == -.12f) CHECK(here == Approx(1.f));
        if (below == .001f) CHECK(here == Approx(.5f).margin(.06));
        if (below == .12f) CHECK(here == Approx(0.f).margin(1e-6));
        before = here;
    }
}

TEST_CASE("a mask that nothing is known of the surface for is read straight on") {
    Plate p;
    white_beyond(p, 0, .5f);
    p.node(0, "grown", "surfacemean", "float",
           {{"in", from("white")}, {"radius", {scene::Value{.1f}, {}}}, {"detail", {scene::Value{0.f}, {}}}});
    program::Resources resources;
    std::vector<Error> told;
    const auto program =
        program::compile(p.build_up(), {{"m", nodes::Type::number, {scene::Value{0.f}, "grown"}}}, resources, told);
    CHECK(resources.walks == std::vector<std::string>{p.build_up().id});
    // Points along u with the UVs as wide as the metres: the axes are a hundredth of both.
    std::vector<std::vector<float>> rows(nodes::row_count, std::vector<float>(11, 0.f));
    nodes::PointBatch batch;
    batch.n = 11;
    for (int i = 0; i < 11; ++i) {
        rows[nodes::row_uv][size_t(i)] = rows[nodes::row_position][size_t(i)] = .1f * float(i) + .03f;
        rows[nodes::row_normal + 2][size_t(i)] = 1.f;
        rows[nodes::row_uv_axes][size_t(i)] = rows[nodes::row_uv_axes + 3][size_t(i)] = .01f;
        rows[nodes::row_position_axes][size_t(i)] = rows[nodes::row_position_axes + 4][size_t(i)] = .01f;
    }
    for (int r = 0; r < nodes::row_count; ++r) batch.rows[r] = rows[size_t(r)].data();
    program::Workspace workspace;
    const float* out = nullptr;
    program.run(batch, workspace, &out);
    for (const int i : {0, 1, 2, 3, 4, 6, 7, 8, 9, 10}) CHECK(out[i] == Approx(i < 5 ? 0.f : 1.f).margin(1e-6));
    CHECK(out[5] > .5f);  // .03 beyond the border, its places .067 away
    CHECK(out[5] < .9f);
}

TEST_CASE("the lip of a cover has its profile over its width, behind hard and soft masks alike") {
    Plate p;
    const float width = .08f;
    const bool soft = GENERATE(false, true);
    p.add_cover();
    white_beyond(p, 1, .5f, soft ? .01f : 0.f);
    p.layer(1).gate.mask = from("white");
    p.set(1, slot::height_thickness, .02f);
    p.set(1, slot::height_lip_width, width);
    for (const scene::Lip lip : {scene::Lip::square, scene::Lip::rounded, scene::Lip::worn, scene::Lip::curled}) {
        p.set(1, slot::height_lip, float(int(lip)));
        const auto ready = p.ready();
        for (const float inside : {.15f, .3f, .5f, .8f, 1.5f}) {
            INFO(int(lip) << " " << inside);
            CHECK(Plate::out_at(*ready, .5f + inside * width, .43f) ==
                  Approx(.02f * render::lip_height(lip, inside)).margin(6e-4));
        }
        CHECK(Plate::out_at(*ready, .5f - .2f * width, .43f) == Approx(0.f).margin(1e-5));
    }
    CHECK(render::lip_height(scene::Lip::curled, 0.f) == render::highest_lip(scene::Lip::curled));
    for (const scene::Lip lip : {scene::Lip::rounded, scene::Lip::worn, scene::Lip::curled})
        CHECK(render::lip_height(lip, 1.f) == 1.f);
}

TEST_CASE("a cover hides as much of the relief below it as it is told") {
    Plate p;
    p.map(0, "half.tif", 4, [](int x, int) { return x < 2 ? .25f : .75f; });
    p.set(0, slot::height_scale, .1f);
    p.add_cover();
    p.set(1, slot::height_thickness, .01f);
    CHECK(p.out_at(.75f, .5f) == Approx(.035f).margin(1e-4));
    p.set(1, slot::height_levelling, .6f);
    CHECK(p.out_at(.75f, .5f) == Approx(.02f).margin(1e-4));
    CHECK(p.out_at(.25f, .5f) == Approx(0.f).margin(1e-4));
    p.set(1, slot::height_levelling, 1.f);
    CHECK(p.out_at(.75f, .5f) == Approx(.01f).margin(1e-4));
    p.layer(1).amount = .5f;
    CHECK(p.out_at(.75f, .5f) == Approx(.0175f).margin(1e-4));
}

TEST_CASE("a mask that follows from a field says the same where it moves the form and where light falls") {
    Plate p;
    // A floor with a wall: towards it the floor is more and more closed in.
    p.s.write("square.obj",
              "o square\nv 0 0 0.37\nv 1 0 0.37\nv 1 1 0.37\nv 0 1 0.37\nv 1 0 .87\nv 1 1 .87\n"
              "vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nvt 2 0\nvt 2 1\nf 1/1 2/2 3/3 4/4\nf 2/2 5/5 6/6 3/3\n");
    p.set(0, slot::height, 1.f);  // what lies below moves, too, and the field is that of what it makes
    p.set(0, slot::height_scale, .02f);
    p.add_cover();
    p.node(1, "closed", "cavity", "float", {{"reach", {scene::Value{.5f}, {}}}});
    p.node(1, "white", "ifgreater", "float",
           {{"value1", from("closed")},
            {"value2", {scene::Value{.12f}, {}}},
            {"in1", {scene::Value{1.f}, {}}},
            {"in2", {scene::Value{0.f}, {}}}});
    p.layer(1).gate.mask = from("white");
    p.set(1, slot::height_thickness, .04f);
    p.set(1, slot::height_lip, float(int(scene::Lip::curled)));
    p.set(1, slot::height_lip_width, .05f);
    const auto ready = p.ready();
    int thick = 0;
    int other = 0;
    for (int k = 0; k < 400; ++k) {
        const V2f uv((float(k % 20) + .5f) / 20.f, (float(k / 20) + .5f) / 20.f);
        const bool white =
            values_at(*ready, p.build_up(), {"mask", nodes::Type::number, {scene::Value{0.f}, "white"}}, uv)[0] > .5f;
        const auto at = geometry::uv_point(ready->geometry->shape(0), uv);
        const bool stands = ready->geometry->at({0, at.face, at.u, at.v}).height > .025f;
        thick += stands;
        other += white != stands;
    }
    // While hands move, fields are those of the form at rest: that picture is not the last one.
    CHECK_FALSE(p.ready({.field_rays = geometry::field_rays_first})->fields_final);
    CHECK(p.ready()->fields_final);
    CHECK(thick > 40);
    CHECK(thick < 360);
    CHECK(other <= 4);  // the border itself lies between points at which heights are computed
}
