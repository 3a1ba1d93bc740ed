#include <set>

#include "nodes/description.h"

#include "nodes/frame.h"
#include "nodes/map_wires.h"
#include "support.h"
#include "surface/slots.h"

using namespace vemtra;
using namespace vemtra::test;
using nodes::Role;

TEST_CASE("every uniform that a kernel reads lies where its port is") {
    for (const nodes::NodeDescription& d : nodes::catalogue()) {
        INFO(d.kind);
        std::map<std::string, int> offset;
        int at = 0;
        for (const nodes::Port& p : d.ports)
            if (p.uniform && !p.text) {
                offset[p.name] = at;
                at += nodes::components(p.type);
            }
        // What a field or a lettering is made with goes into its request; other nodes and taps are made by others.
        const bool elsewhere = d.use == nodes::Use::field || d.use == nodes::Use::lettering || d.stands_for || d.taps;
        if (at && !elsewhere) CHECK_FALSE(d.uniforms.empty());
        for (const nodes::UniformAt& u : d.uniforms) {
            INFO(u.port);
            REQUIRE(offset.count(u.port));
            CHECK(offset[u.port] == u.offset);
        }
    }
}

TEST_CASE("names in the catalogue are unique and found again") {
    std::set<std::string> kinds;
    for (const nodes::NodeDescription& d : nodes::catalogue()) {
        INFO(d.kind);
        CHECK(kinds.insert(d.kind).second);
        CHECK(nodes::describe(d.kind) == &d);
        CHECK_FALSE(d.help.empty());
        CHECK_FALSE(d.types.empty());
        std::set<std::string> ports;
        for (const nodes::Port& p : d.ports) {
            INFO(p.name);
            CHECK(ports.insert(p.name).second);
            CHECK(d.port(p.name) == &p);
            CHECK_FALSE(p.help.empty());
            CHECK(std::holds_alternative<std::string>(p.value) == p.text);
        }
    }
    CHECK(nodes::describe("nothing of that name") == nullptr);
}

TEST_CASE("every use that others reach for has a node with the ports that it needs") {
    using nodes::Use;
    const std::pair<Use, std::vector<Role>> needs[] = {
        {Use::map, {Role::file, Role::colour_space, Role::channel, Role::where}},
        {Use::relief, {Role::file, Role::softening, Role::where}},
        {Use::directions, {Role::subject, Role::where, Role::green_down}},
        {Use::placement,
         {Role::projection, Role::frame_centre, Role::frame_size, Role::frame_turn, Role::where, Role::uv_set}},
        {Use::even_light, {Role::subject, Role::light_direction, Role::light_amount}},
        {Use::move_range, {Role::subject, Role::result_low, Role::result_high}},
        {Use::turn_over, {Role::subject}},
    };
    for (const auto& [use, roles] : needs) {
        const nodes::NodeDescription& d = nodes::description_for(use);
        INFO(d.kind);
        for (Role r : roles) CHECK(d.port(r));
    }
}

TEST_CASE("every port that names a file is collected, confined and found again") {
    // A port of any node that takes a word of the artist's own must say whether it is a file.
    size_t ports = 0;
    for (const nodes::NodeDescription& d : nodes::catalogue()) {
        scene::Node n;
        n.kind = d.kind;
        std::set<std::string> written, visited;
        for (const nodes::Port& p : d.ports) {
            INFO(d.kind << "." << p.name);
            if (p.text && p.choices.empty()) CHECK(p.role != Role::plain);
            if (p.role != Role::file) continue;
            ++ports;
            n.inputs[p.name].value = std::string("/elsewhere/" + p.name);
            written.insert("/elsewhere/" + p.name);
        }
        nodes::for_each_file_of(n, {}, [&](const std::string& path) { visited.insert(path); });
        CHECK(visited == written);
    }
    CHECK(ports >= 2);
}

TEST_CASE("a row of the table of types says all that a literal needs") {
    using nodes::Type;
    for (size_t i = 0; i < nodes::type_count; ++i) {
        const Type t = Type(i);
        INFO(nodes::type_name(t));
        Type back = Type::number;
        REQUIRE(nodes::type_from_name(nodes::type_name(t), back));
        CHECK(back == t);
        const auto one = nodes::literal(scene::Value{2.f}, t);
        for (int c = 0; c < nodes::components(t); ++c)
            CHECK(one[size_t(c)] == (t == Type::place && c >= 2 ? 0.f : 2.f));
        const auto word = nodes::literal(scene::Value{std::string("word")}, t);
        for (size_t c = 0; c < word.size(); ++c) CHECK(word[c] == (t == Type::color4 && c == 3 ? 1.f : 0.f));
        const auto broken = nodes::literal(scene::Value{V3f(NAN, INFINITY, 1.f)}, t);
        for (float x : broken) CHECK(std::isfinite(x));
    }
    const auto four = nodes::literal(scene::Value{V4f(1, 2, 3, 4)}, Type::vector4);
    CHECK(std::vector<float>(four.begin(), four.begin() + 4) == std::vector<float>{1, 2, 3, 4});
    CHECK(nodes::literal(scene::Value{V3f(1, 2, 3)}, Type::color4)[3] == 1.f);  // an alpha
    CHECK(nodes::literal(scene::Value{V3f(.1f, .2f, .3f)}, Type::place) == std::array<float, 6>{.1f, .2f, 0, 0, 0, 0});
}

TEST_CASE("slots are told once: the descriptions, the struct and the list agree") {
    for (const auto* d : {&nodes::surface_description(), &nodes::coat_description()})
        for (const nodes::Port& p : d->ports) {
            INFO(p.name);
            const surface::SlotField* f = surface::slot_field(p.name);
            if (p.section == "relief") {  // it moves the form, and is no part of the surface
                CHECK(f == nullptr);
                continue;
            }
            REQUIRE(f);
            CHECK(f->components == nodes::components(p.type));
            // What is shown as the default is what is computed with; the stock's metals rely on it.
            if (d == &nodes::surface_description()) {
                surface::Slots s;
                const auto shown = nodes::literal(p.value, p.type);
                for (int c = 0; c < f->components; ++c) CHECK(surface::at(s, *f)[c] == Approx(shown[size_t(c)]));
            }
        }
}

TEST_CASE("a placement's frame is read from its node and written back") {
    scene::Node n;
    n.kind = nodes::description_for(nodes::Use::placement).kind;
    CHECK_FALSE(nodes::frame_of(n));  // by UV
    nodes::set(n, Role::projection, 2.f);
    nodes::set(n, Role::frame_size, V2f(.5f, .25f));
    nodes::set(n, Role::frame_turn, V3f(20.f, -40.f, 70.f));
    nodes::place(n, V3f(1, 2, 3), std::nullopt, false);
    const auto f = nodes::frame_of(n);
    REQUIRE(f);
    CHECK(f->shape == nodes::FrameShape::box);
    CHECK(f->centre == V3f(1, 2, 3));
    CHECK(f->size == V2f(.5f, .25f));
    CHECK(f->x.dot(f->y) == Approx(0.f).margin(1e-6));
    CHECK(f->x.cross(f->y).dot(f->z) == Approx(1.f));
}

TEST_CASE("a network shows as a node with its inputs as ports") {
    scene::Scene s;
    s.networks.push_back({.id = "wear",
                          .name = "Wear",
                          .inputs = {{.name = "strength", .type = "float", .value = .3f},
                                     {.name = "tint", .type = "color3", .value = V3f(1, 0, 0)}},
                          .outputs = {{.name = "mask", .type = "float", .input = {}}}});
    scene::Node n;
    n.network = "wear";
    const auto d = nodes::describe(s, n);
    REQUIRE(d);
    CHECK(d->title == "Wear");
    CHECK(d->port("tint")->type == nodes::Type::color);
    CHECK(scene::as_number(nodes::literal_of(n, *d->port("strength"))) == .3f);
    n.network = "gone";
    CHECK_FALSE(nodes::describe(s, n));
}
