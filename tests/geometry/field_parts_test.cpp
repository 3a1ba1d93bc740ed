// Fields of parts that are known already are not computed anew.
#include "../field_support.h"
#include "render/workshop.h"

using namespace vemtra;
using namespace vemtra::test;
using geometry::FormField;

namespace {

/// Three dishes in a row, the last far from the others.
struct Row {
    std::shared_ptr<const geometry::Shape> shape;
    Row() {
        Scratch s;
        auto r = geometry::import(
            s.write("dish.obj", grid_obj(8, [](float x, float z) { return V3f(x, x * x + z * z, z); })).string(), {});
        REQUIRE(r);
        shape = geometry::make_shape(r->parts[0].mesh);
    }
    std::shared_ptr<const geometry::Geometry> at(const std::vector<float>& places) const {
        std::vector<geometry::Instance> instances;
        for (const float x : places) {
            M44f m;
            m.setTranslation(V3f(x, 0, 0));
            instances.emplace_back(shape, m);
        }
        auto g = std::make_shared<geometry::Geometry>(std::move(instances));
        g->build();
        return g;
    }
};
bool equal(const FormField::PartField& a, const FormField::PartField& b) {
    return a.at_vertex == b.at_vertex && a.inside == b.inside && a.first_of_piece == b.first_of_piece &&
           a.corners == b.corners && a.steps == b.steps && a.first == b.first && a.sampled == b.sampled &&
           a.cut == b.cut;
}

}  // namespace

TEST_CASE("a field that more parts want, or other ones, is computed where it is new, and is what it would be anyway") {
    const Row row;
    const auto g = row.at({0.f, 2.1f, 40.f});
    geometry::PartFields known;
    const auto rays = geometry::field_rays_final;
    const auto first = compute_field(*g, {1, 0, 1}, request(false, .5f), rays, {.known = &known});
    REQUIRE_FALSE(first->parts[0]->inside.empty());
    CHECK(first->parts[1]->empty());
    const auto more = compute_field(*g, {1, 1, 1}, request(false, .5f), rays, {.known = &known});
    CHECK(more->parts[0] == first->parts[0]);
    CHECK(more->parts[2] == first->parts[2]);
    const auto alone = compute_field(*g, {1, 1, 1}, request(false, .5f), rays);
    CHECK(alone->content == more->content);
    for (size_t p = 0; p < 3; ++p) CHECK(equal(*alone->parts[p], *more->parts[p]));
    // The same asked for another build-up is the same; another reach, or the other side, is not.
    nodes::FieldRequest other = request(false, .5f);
    other.build_up = "another";
    CHECK(compute_field(*g, {0, 1, 0}, other, rays, {.known = &known})->parts[1] == more->parts[1]);
    CHECK(compute_field(*g, {1, 0, 0}, request(false, 1.f), rays, {.known = &known})->parts[0] != first->parts[0]);
    CHECK(compute_field(*g, {1, 0, 0}, request(true, .5f), rays, {.known = &known})->parts[0] != first->parts[0]);
}

TEST_CASE("what is done far away leaves a part's cavity, what is done near it does not") {
    const Row row;
    const auto g = row.at({0.f, 2.1f, 40.f});
    const geometry::FieldParts all({1, 1, 1});
    geometry::PartFields known;
    const auto rays = geometry::field_rays_final;
    auto field = [&](const geometry::Geometry& on, const geometry::FieldParts& parts, const nodes::FieldRequest& r) {
        auto f = compute_field(on, parts, r, rays, {.known = &known});
        const auto plain = compute_field(on, parts, r, rays);
        for (size_t p = 0; p < f->parts.size(); ++p) CHECK(equal(*f->parts[p], *plain->parts[p]));
        return f;
    };
    const auto before = field(*g, all, request(false, .5f));
    const auto far = field(*row.at({0.f, 2.1f, 41.f}), all, request(false, .5f));
    CHECK(far->parts[0] == before->parts[0]);
    CHECK(far->parts[1] == before->parts[1]);
    CHECK(far->parts[2] != before->parts[2]);
    const auto near = field(*row.at({0.f, 2.2f, 40.f}), all, request(false, .5f));
    CHECK(near->parts[0] != before->parts[0]);
    CHECK(near->parts[1] != before->parts[1]);
    CHECK(near->parts[2] == before->parts[2]);
    // One part less, of the same size in all: those that are left change places.
    const auto less = field(*row.at({0.f, 40.f}), {{1, 1}}, request(false, .5f));
    CHECK(less->parts[1] == before->parts[2]);
    // A part that is passed through counts where it is near.
    const auto passed = field(*g, {{1, 1, 1}, {0, 1, 0}}, request(false, .5f));
    CHECK(passed->parts[0] != before->parts[0]);
    CHECK(passed->parts[2] == before->parts[2]);
    // What dust a part gets follows from all that stands above it, however far.
    const nodes::FieldRequest dust{"b", "settle", {0, 1, 0, 20}};
    const auto settled = field(*g, all, dust);
    CHECK(field(*row.at({0.f, 2.1f, 41.f}), all, dust)->parts[0] != settled->parts[0]);
    const nodes::FieldRequest edges{"b", "crease", {30.f, 3.f}};
    const auto creased = field(*g, all, edges);
    CHECK(field(*row.at({0.f, 2.2f, 40.f}), all, edges)->parts[0] == creased->parts[0]);
}

TEST_CASE("a first look has the finished parts that are known, and is finished where all are") {
    const Row row;
    const auto g = row.at({0.f, 2.1f, 40.f});
    geometry::PartFields known;
    const auto r = request(false, .5f);
    const auto finished = compute_field(*g, {1, 0, 0}, r, geometry::field_rays_final, {.known = &known});
    const auto look = compute_field(*g, {1, 1, 0}, r, geometry::field_rays_first, {.known = &known});
    CHECK(look->rays == geometry::field_rays_first);
    CHECK(look->parts[0] == finished->parts[0]);
    const auto plain = compute_field(*g, {1, 1, 0}, r, geometry::field_rays_first);
    CHECK(equal(*look->parts[1], *plain->parts[1]));
    CHECK(look->content != plain->content);
    const auto again = compute_field(*g, {1, 0, 0}, r, geometry::field_rays_first, {.known = &known});
    CHECK(again->rays == geometry::field_rays_final);
    CHECK(again->content == finished->content);
    CHECK(again->parts[0] == finished->parts[0]);
}

TEST_CASE("a part that had less room for its samples than it would have now is computed anew") {
    const Row row;
    const auto g = row.at({0.f, 2.1f, 40.f});
    const auto r = request(false, .5f);
    const auto rays = geometry::field_rays_final;
    const geometry::FieldParts parts({1, 0, 0});
    auto one = std::make_shared<FormField::PartField>(*compute_field(*g, parts, r, rays)->parts[0]);
    CHECK(one->most_allowed == UINT64_MAX);
    geometry::PartFields known;
    const auto contents = geometry::part_contents(*g, parts, r, rays);
    known.put_finished(contents.of[0], contents.of_form[0], one);
    CHECK(compute_field(*g, parts, r, rays, {.known = &known})->parts[0] == one);
    const uint64_t with_room = compute_field(*g, parts, r, rays, {.known = &known})->contents[0];
    one->most_allowed = one->sampled;
    CHECK(one->content(contents.of[0]) != with_room);
    known.put_finished(contents.of[0], contents.of_form[0], one);
    CHECK(compute_field(*g, parts, r, rays, {.known = &known})->parts[0] != one);
    // For a first look it will do, but that is not finished with it.
    known.put_finished(contents.of[0], contents.of_form[0], one);
    const auto look = compute_field(*g, parts, r, geometry::field_rays_first, {.known = &known});
    CHECK(look->parts[0] == one);
    CHECK(look->rays == geometry::field_rays_first);
}

TEST_CASE("kept on disk, parts are known in the next session as well") {
    Scratch s;
    const CacheIn cache(s.path);
    const Row row;
    const auto g = row.at({0.f, 2.1f, 40.f});
    const auto r = request(false, .5f);
    {
        render::Workshop shop;
        REQUIRE(shop.field(g, {1, 0, 1}, r, {}, geometry::field_rays_final, nullptr));
    }
    render::Workshop shop;
    const auto back = shop.field(g, {1, 0, 1}, r, {}, geometry::field_rays_first, nullptr);
    REQUIRE(back);
    CHECK(back->rays == geometry::field_rays_final);
    const auto more = shop.field(g, {1, 1, 1}, r, {}, geometry::field_rays_final, nullptr);
    CHECK(more->parts[0] == back->parts[0]);
    CHECK(more->parts[2] == back->parts[2]);
    CHECK_FALSE(more->parts[1]->empty());
}
